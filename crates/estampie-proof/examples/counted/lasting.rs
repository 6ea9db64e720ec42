//! What lets each kind of generator last for as long as it is measured.

/// Fields of a generator of a kind, as lines of its table.
pub(crate) fn lasting(word: &str) -> &'static str {
    match word {
        "modal" => "ring = \"30 s\"\n",
        "blip" => "length = \"2 s\"\n",
        "pass-by" => "duration = \"20 s\"\n",
        "crackle" => "density = \"120\"\n",
        "wind" => "channels = \"stereo\"\nleaves = \"40 %\"\n",
        "notes" => "rounds = \"0\"\n",
        "tone" => "wave = \"saw\"\npartials = \"3\"\n",
        _ => "",
    }
}
