//! `estampie new DIR`: a project that sounds at once.

use super::output::out;
use crate::failure::Failure;
use std::path::Path;

const FILES: [(&str, &str); 8] = [
    ("estampie.toml", "format = 1\nname = \"NAME\"\nrate = \"48 kHz\"\ndirection = []\n"),
    (
        "game.toml",
        "# What the game tells: events, parameters, states. See docs/project-format.md.\n\n[events]\nhello = \"something to hear\"\n\n[parameters.distance]\nunit = \"m\"\nrange = \"0..50\"\n",
    ),
    ("mix.toml", "[buses.main]\nlevel = \"0 dB\"\n\n[buses.effects]\nlevel = \"-3 dB\"\n"),
    (
        "modulation.toml",
        "[[modulation]]\nfrom = \"distance\"\nmoves = \"hello level\"\ncurve = [\"0 m: 0 dB, smooth\", \"50 m: -30 dB\"]\nsmooth = \"50 ms\"\n",
    ),
    ("reactions.est", "When hello\n  play hello\n"),
    (".gitignore", "# What is made of the project, and other people's versions that a question has kept beside one's own.\n*.bundle\n*.theirs\n/rendered/\n"),
    (
        ".gitattributes",
        "# Texts are put together line by line; audio and notes are no texts.\n*.toml text eol=lf\n*.est text eol=lf\n*.play text eol=lf\n*.csv text eol=lf\n*.wav -text\n*.aif -text\n*.aiff -text\n*.flac -text\n*.ogg -text\n*.mp3 -text\n*.mid -text\n",
    ),
    ("sounds/all.toml", "[hello]\nbus = \"effects\"\ntakes = [\"audio/hello.wav\"]\nvary = { pitch = \"-2..2 st\" }\n"),
];

pub(super) fn run(folder: &Path) -> Result<(), Failure> {
    // A repository that has just been made is empty too.
    let taken = |entry: std::io::Result<std::fs::DirEntry>| entry.is_ok_and(|entry| entry.file_name() != ".git");
    if folder.exists() && std::fs::read_dir(folder)?.any(taken) {
        return Err(Failure::Use(format!("{} is there already and not empty; name a new folder", folder.display())));
    }
    let name = folder.file_name().and_then(|n| n.to_str()).unwrap_or("untitled").replace(['"', '\\'], "");
    for (file, text) in FILES {
        let path = folder.join(file);
        if let Some(parent) = path.parent() {
            std::fs::create_dir_all(parent)?;
        }
        std::fs::write(path, text.replace("NAME", &name))?;
    }
    std::fs::create_dir_all(folder.join("playthroughs"))?;
    std::fs::create_dir_all(folder.join("audio"))?;
    hello(&folder.join("audio/hello.wav")).map_err(|e| Failure::Fault(e.to_string()))?;
    out!("{} is a project now; \"estampie {}\" opens it", folder.display(), folder.display());
    Ok(())
}

/// A struck tone, so that a new project is not silent.
fn hello(path: &Path) -> Result<(), hound::Error> {
    let spec = hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
    let mut writer = hound::WavWriter::create(path, spec)?;
    for i in 0..48_000 {
        let t = f64::from(i) / 48_000.0;
        let fall = (-5.0 * t).exp() * (t / 0.004).min(1.0) * (1.0 - t);
        let sound = (std::f64::consts::TAU * 440.0 * t).sin() + 0.4 * (std::f64::consts::TAU * 1188.0 * t).sin() * (-6.0 * t).exp();
        writer.write_sample((fall * sound * 0.45 * 32_767.0) as i16)?;
    }
    writer.finalize()
}
