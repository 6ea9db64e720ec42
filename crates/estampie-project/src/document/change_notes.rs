//! Edits of notes: the notes of a track, new layers of notes with all that they need, chances of single notes.

use super::edit::NewValue;
use super::{ChanceOf, Document, LayerOf, NotesDoc, PieceDoc, Refusal, SectionDoc, Spot, Workspace};
use crate::midi::{ScoreFile, ScoreNote, What, metre_event};
use crate::notes::print_pitch;
use estampie_engine::music::exact::Beats;
use estampie_engine::music::{Kind, Metre, read_key};
use estampie_engine::units::{Quantity as _, Share};
use toml_edit::{Item, Table};

/// What a new layer of notes is made of.
#[derive(Debug, Clone, Copy)]
pub struct MadeNotes<'a> {
    /// The piece.
    pub piece: &'a str,
    /// The section.
    pub section: &'a str,
    /// The name of the layer, and of its track.
    pub layer: &'a str,
    /// An instrument there is, or a kind of instrument, of which one is made then.
    pub instrument: &'a str,
}

/// The channel of drums in the General MIDI system, from 0.
const DRUMS: u8 = 9;

/// The program of the General MIDI system that is nearest to a kind, from 0; none of drums and recordings.
fn program_of(kind: Kind) -> Option<u8> {
    Some(match kind {
        Kind::Plucked => 46,
        Kind::Bowed => 48,
        Kind::Reed => 20,
        Kind::Pipe => 73,
        Kind::Drone => 89,
        Kind::Bells => 14,
        Kind::Synth => 81,
        Kind::Organ => 21,
        Kind::Bar => 12,
        Kind::Voices => 52,
        Kind::Bass => 32,
        Kind::Drum | Kind::Set | Kind::Takes => return None,
    })
}

/// The layers that play a track of a MIDI file, as piece, section and layer.
#[must_use]
pub fn track_layers<'a>(document: &'a Document, file: &str, track: &str) -> Vec<(&'a str, &'a str, &'a str)> {
    let mut list = Vec::new();
    for piece in &document.music.pieces {
        for section in &piece.sections {
            for layer in &section.layers {
                if let LayerOf::Notes(notes) = &layer.of
                    && notes.file.value == file
                    && notes.tracks.iter().any(|t| t.value == track)
                {
                    list.push((piece.name.as_str(), section.name.as_str(), layer.name.as_str()));
                }
            }
        }
    }
    list
}

/// Sharps (less than 0: flats) and whether it is minor, as a MIDI file says a key: that of the major or minor scale with the same notes, major if it is
/// nearer.
fn signature(text: &str) -> Option<(i8, bool)> {
    let mode = read_key(text)?;
    let minor = mode.steps[3];
    // Each fifth up is a sharp more: the scale with the most notes in common.
    let major = |sharps: i32| {
        let tonic = (sharps * 7).rem_euclid(12);
        [0, 2, 4, 5, 7, 9, 11].map(|s| (tonic + s) % 12)
    };
    let own: Vec<i32> = (0..12).filter(|s| mode.steps[*s as usize]).map(|s| (s + i32::from(mode.tonic)) % 12).collect();
    let common = |sharps: i32| major(sharps).iter().filter(|s| own.contains(s)).count() as i32 * 10 - sharps.abs();
    (-6..=6).max_by_key(|sharps| common(*sharps)).map(|sharps| (sharps as i8, minor))
}

impl Workspace {
    /// A MIDI file of the project with all that is in it; an empty one if there is none.
    ///
    /// # Errors
    /// When its text cannot be read.
    pub fn score_file(&self, file: &str) -> Result<ScoreFile, Refusal> {
        self.sources().get(file).map_or(Ok(ScoreFile::new()), |text| ScoreFile::of_text(text)).map_err(|e| format!("{file}: {e}").into())
    }

    /// Gives a track of a MIDI file other notes, as one edit; positions are in quarter notes from the file's beginning. A note of channel 255 plays on the
    /// track's own.
    ///
    /// # Errors
    /// When there is no such file or track; then nothing is changed.
    pub fn set_track(&mut self, name: &str, file: &str, track: &str, notes: &[ScoreNote]) -> Result<(), Refusal> {
        let mut score = self.score_file(file)?;
        score.split();
        let at = score.track(track).ok_or_else(|| Refusal::missing("track", track))?;
        let channel = score.channel(at);
        let notes: Vec<ScoreNote> = notes.iter().map(|n| ScoreNote { channel: if n.channel == u8::MAX { channel } else { n.channel }, ..*n }).collect();
        score.set_notes(at, &notes);
        self.change(name, vec![(file.to_owned(), Some(score.to_text()))]);
        Ok(())
    }

    /// Adds a layer of notes to a section, with a track for it in the section's MIDI file and an instrument if there is none of that name, as one edit.
    ///
    /// # Errors
    /// When the piece or section is gone, the layer's name is taken or no name, or the instrument is neither one nor a kind; then nothing is changed.
    pub fn new_notes(&mut self, made: MadeNotes<'_>) -> Result<(), Refusal> {
        let MadeNotes { piece, section, layer, instrument } = made;
        let doc = self.document().music.piece(piece).ok_or_else(|| Refusal::missing("piece", piece))?;
        let within = doc.section(section).ok_or_else(|| Refusal::missing("section", section))?;
        if within.layers.iter().any(|l| l.name == layer) {
            return Err(Refusal::taken("layer", layer));
        }
        if !is_plain(layer) {
            return Err(Refusal::BadName(layer.to_owned()));
        }
        let file = doc.file.clone();
        let kind = self.document().music.instruments.iter().find(|i| i.name == instrument).map(|i| i.patch.kind);
        let made_of = Kind::ALL.iter().find(|(_, word)| *word == instrument && kind.is_none()).copied();
        let (name, kind) = match (kind, made_of) {
            (Some(kind), _) => (instrument.to_owned(), kind),
            (None, Some((Kind::Takes, _))) => return Err("an instrument of takes needs its recordings first: write it into a file in music/".into()),
            (None, Some((kind, word))) => (self.free_instrument(word), kind),
            (None, None) => {
                let known = self.document().music.instruments.iter().map(|i| i.name.as_str()).chain(Kind::ALL.iter().map(|(_, word)| *word));
                let words = known.collect::<Vec<_>>().join(", ");
                return Err(format!("\"{instrument}\" is no instrument; there are {words}").into());
            }
        };
        let midi = midi_of(self.document(), doc, within);
        let mut score = self.score_file(&midi)?;
        score.split();
        begin(&mut score, doc, within);
        if score.track(layer).is_none() {
            let channel = if matches!(kind, Kind::Drum | Kind::Set) { DRUMS } else { score.channel(usize::MAX) };
            score.add_track(layer);
            let at = score.tracks.len() - 1;
            score.tracks[at].events.push(crate::midi::Event { time: 0, what: What::Program(channel, program_of(kind).unwrap_or(0)) });
        }
        let mut toml = self.toml(&file)?;
        let gone = || Refusal::Gone("the section".to_owned());
        let table =
            toml.get_mut("piece").and_then(|p| p.get_mut(piece)?.get_mut("section")?.get_mut(section)).and_then(Item::as_table_like_mut).ok_or_else(gone)?;
        let layers = table.entry("layer").or_insert_with(|| {
            let mut table = Table::new();
            table.set_implicit(true);
            Item::Table(table)
        });
        let mut new = Table::new();
        for (field, text) in [("notes", midi.as_str()), ("track", layer), ("instrument", &name)] {
            new.insert(field, toml_edit::value(text));
        }
        layers.as_table_like_mut().ok_or_else(gone)?.insert(layer, Item::Table(new));
        if made_of.is_some() {
            let instruments = toml.entry("instrument").or_insert_with(|| {
                let mut table = Table::new();
                table.set_implicit(true);
                Item::Table(table)
            });
            let mut new = Table::new();
            new.insert("kind", toml_edit::value(instrument));
            instruments.as_table_like_mut().ok_or("instrument is not a table")?.insert(&name, Item::Table(new));
        }
        self.change_if_read(&format!("notes {piece}/{section}/{layer}"), vec![(file, Some(toml.to_string())), (midi, Some(score.to_text()))])
    }

    /// A name for a new instrument of a kind that nothing has.
    fn free_instrument(&self, word: &str) -> String {
        let plain = word.replace(' ', "-");
        let taken = |name: &str| self.document().music.instruments.iter().any(|i| i.name == name);
        if !taken(&plain) {
            return plain;
        }
        (2..).map(|n| format!("{plain}-{n}")).find(|name| !taken(name)).unwrap_or(plain)
    }

    /// Adds a variation to a layer of notes: a track of its own with the notes of another one, drawn at random each round until something chooses.
    ///
    /// # Errors
    /// When the layer plays no notes, or its file cannot be read; then nothing is changed.
    pub fn new_variation(&mut self, piece: &str, section: &str, layer: &str, track: &str, notes: &[ScoreNote]) -> Result<String, Refusal> {
        let doc = self.document().music.piece(piece).ok_or_else(|| Refusal::missing("piece", piece))?;
        let own = notes_doc(doc, section, layer)?;
        if own.by.is_some() {
            return Err("its variations are chosen by values: write a value for the new one first".into());
        }
        let (file, midi) = (doc.file.clone(), own.file.value.clone());
        let mut tracks: Vec<String> = own.tracks.iter().map(|t| t.value.clone()).collect();
        let mut score = self.score_file(&midi)?;
        score.split();
        let from = score.track(track).ok_or_else(|| Refusal::missing("track", track))?;
        let name = (2..).map(|n| format!("{layer}-{n}")).find(|name| score.track(name).is_none()).unwrap_or_default();
        let program = score.tracks[from].events.iter().find(|e| matches!(e.what, What::Program(..))).cloned();
        score.add_track(&name);
        let at = score.tracks.len() - 1;
        score.tracks[at].events.extend(program);
        score.set_notes(at, notes);
        tracks.push(name.clone());
        let path = vec!["piece", piece, "section", section, "layer", layer, "track"];
        let mut files = self.with_values(&[(&file, path, NewValue::List(tracks))])?;
        files.push((midi, Some(score.to_text())));
        self.change_if_read(&format!("variation of {piece}/{section}/{layer}"), files)?;
        Ok(name)
    }

    /// Says how likely one note of a layer is played, as one edit: `spot` is its place in the section. 100 % takes what is written of it out.
    ///
    /// # Errors
    /// When the layer plays no notes, or the share cannot be read; then nothing is changed.
    pub fn set_chance(&mut self, piece: &str, section: &str, layer: &str, (spot, pitch): (Spot, u8), share: &str) -> Result<(), Refusal> {
        let doc = self.document().music.piece(piece).ok_or_else(|| Refusal::missing("piece", piece))?;
        let own = notes_doc(doc, section, layer)?;
        let chance = Share::read(share.trim()).ok().filter(|s| (0.0..=1.0).contains(&s.0)).ok_or_else(|| format!("\"{share}\" is no chance; write 50 %"))?;
        let file = doc.file.clone();
        let path = vec!["piece", piece, "section", section, "layer", layer, "chances"];
        let written = self.list_in(&file, &path).unwrap_or_default();
        let mut list: Vec<String> = own.chances.iter().zip(written).filter(|(c, _)| c.of != ChanceOf::Note(spot, pitch)).map(|(_, text)| text).collect();
        if chance.0 < 1.0 {
            list.push(format!("{} {}: {chance}", print_spot(spot), print_pitch(pitch)));
        }
        let value = if list.is_empty() { NewValue::Nothing } else { NewValue::List(list) };
        self.set_if_read(&format!("chance in {piece}/{section}/{layer}"), &[(&file, path, value)])
    }

    /// Sets a field of an instrument, as one edit; an empty text takes it out.
    ///
    /// # Errors
    /// When the instrument is gone, or the text cannot be read; then nothing is changed.
    pub fn set_instrument(&mut self, name: &str, field: &str, text: &str) -> Result<(), Refusal> {
        let doc = self.document().music.instruments.iter().find(|i| i.name == name).ok_or_else(|| Refusal::missing("instrument", name))?;
        let file = doc.place.file.clone();
        let value = match text.trim() {
            "" => NewValue::Nothing,
            text => text.parse().map_or_else(|_| NewValue::Text(text.to_owned()), NewValue::Whole),
        };
        self.set_if_read(&format!("{field} of {name}"), &[(&file, vec!["instrument", name, field], value)])
    }

    /// Sets the recordings of an instrument, as they are written, as one edit; it is one of recordings from now on, or a synth if none is left.
    ///
    /// # Errors
    /// When the instrument is gone, or a recording is none; then nothing is changed.
    pub fn set_zones(&mut self, name: &str, zones: &[String]) -> Result<(), Refusal> {
        let doc = self.document().music.instruments.iter().find(|i| i.name == name).ok_or_else(|| Refusal::missing("instrument", name))?;
        let file = doc.place.file.clone();
        let (kind, list) = if zones.is_empty() { ("synth", NewValue::Nothing) } else { ("takes", NewValue::List(zones.to_vec())) };
        let values = [(&*file, vec!["instrument", name, "kind"], NewValue::Text(kind.to_owned())), (&*file, vec!["instrument", name, "takes"], list)];
        self.set_if_read(&format!("recordings of {name}"), &values)
    }

    /// Sets the key of a piece, as one edit; an empty text takes it out.
    ///
    /// # Errors
    /// When the piece is gone, or the key cannot be read; then nothing is changed.
    pub fn set_key(&mut self, piece: &str, text: &str) -> Result<(), Refusal> {
        let doc = self.document().music.piece(piece).ok_or_else(|| Refusal::missing("piece", piece))?;
        if !text.is_empty() && read_key(text).is_none() {
            return Err(format!("\"{text}\" is no key; write D dorian, B♭ minor or F# major").into());
        }
        let file = doc.file.clone();
        let value = if text.is_empty() { NewValue::Nothing } else { NewValue::Text(text.to_owned()) };
        self.set_if_read(&format!("key of {piece}"), &[(&file, vec!["piece", piece, "key"], value)])
    }

    /// Sets the chords of a section, as one edit; an empty text takes them out. Written as `1: Dm; 3: C`.
    ///
    /// # Errors
    /// When the section is gone, or a chord cannot be read; then nothing is changed.
    pub fn set_chords(&mut self, piece: &str, section: &str, value: Option<(&str, &str)>, text: &str) -> Result<(), Refusal> {
        let doc = self.document().music.piece(piece).ok_or_else(|| Refusal::missing("piece", piece))?;
        doc.section(section).ok_or_else(|| Refusal::missing("section", section))?;
        let file = doc.file.clone();
        let list: Vec<String> = text.split([';', ',']).map(|t| t.trim().to_owned()).filter(|t| !t.is_empty()).collect();
        for one in &list {
            let chord = one.split_once(':').map(|(_, chord)| chord.trim()).unwrap_or_default();
            if crate::notes::read_chord(chord).is_none() {
                return Err(format!("\"{one}\" is no chord at a bar; write 1: Dm; 3: C").into());
            }
        }
        let mut path = vec!["piece", piece, "section", section];
        match value {
            Some((state, value)) => path.extend(["chords-by", state, value]),
            None => path.push("chords"),
        }
        let new = if list.is_empty() { NewValue::Nothing } else { NewValue::List(list) };
        self.set_if_read(&format!("chords of {piece}/{section}"), &[(&file, path, new)])
    }
}

/// A place as it is written.
fn print_spot(spot: Spot) -> String {
    let whole = spot.beat.floor();
    let rest = spot.beat - whole;
    if rest == Beats::from_integer(0) { format!("{}.{whole}", spot.bar) } else { format!("{}.{whole} {rest}", spot.bar) }
}

fn is_plain(name: &str) -> bool {
    !name.is_empty() && name.chars().all(|c| c.is_alphanumeric() || c == '-' || c == '_')
}

fn notes_doc<'a>(piece: &'a PieceDoc, section: &str, layer: &str) -> Result<&'a NotesDoc, Refusal> {
    let section = piece.section(section).ok_or_else(|| Refusal::missing("section", section))?;
    match section.layers.iter().find(|l| l.name == layer).map(|l| &l.of) {
        Some(LayerOf::Notes(notes)) => Ok(notes),
        Some(_) => Err(format!("{layer} plays no notes").into()),
        None => Err(Refusal::missing("layer", layer)),
    }
}

/// The MIDI file of a section: that of its other layers of notes that begins with it, or one of its own.
fn midi_of(document: &Document, piece: &PieceDoc, section: &SectionDoc) -> String {
    let own = section.layers.iter().find_map(|l| match &l.of {
        LayerOf::Notes(notes) if notes.from_bar == 1 => Some(notes.file.value.clone()),
        _ => None,
    });
    own.unwrap_or_else(|| {
        let plain = format!("music/{}-{}", piece.name, section.name).replace(' ', "-");
        let taken = |name: &String| document.score(name).is_some();
        let numbered = (2..).map(|n| format!("{plain}-{n}.mid"));
        std::iter::once(format!("{plain}.mid")).chain(numbered).find(|name| !taken(name)).unwrap_or_default()
    })
}

/// Says tempo, metre and key at the beginning of a file, for the programs that others open it with.
fn begin(score: &mut ScoreFile, piece: &PieceDoc, section: &SectionDoc) {
    if score.tracks.is_empty() {
        score.add_track(&format!("{} {}", piece.name, section.name));
    }
    let first = |list: &[(u32, Beats)]| list.first().map(|(_, tempo)| *tempo);
    let metre: Metre = section.metre.first().map_or(piece.metre, |(_, m)| *m);
    let tempo = first(&section.tempo).unwrap_or(piece.tempo);
    // A tempo counts beats; the file counts microseconds of a quarter note.
    let quarter = Beats::from_integer(60_000_000) / (tempo * metre.beat());
    score.begin_with(What::Tempo(u32::try_from(quarter.round().to_integer()).unwrap_or(500_000).min((1 << 24) - 1)));
    score.begin_with(metre_event(metre));
    if let Some((sharps, minor)) = piece.key.as_ref().and_then(|key| signature(&key.value)) {
        score.begin_with(What::Key(sharps, minor));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_are_signed_as_other_programs_read_them() {
        for (key, sharps, minor) in
            [("C major", 0, false), ("D dorian", 0, true), ("A minor", 0, true), ("E♭ major", -3, false), ("F# minor", 3, true), ("G mixolydian", 0, false)]
        {
            assert_eq!(signature(key), Some((sharps, minor)), "{key}");
        }
    }

    const PIECE: &str = "# of the quay\n[piece.quay]\ntempo = \"120\"\nmetre = \"6/8\"\nkey = \"D dorian\"\n[piece.quay.section.calm] # goes round\nbars = 4\n";

    fn open() -> (tempfile::TempDir, Workspace) {
        let folder = tempfile::tempdir().unwrap();
        std::fs::create_dir_all(folder.path().join("music")).unwrap();
        std::fs::write(folder.path().join("estampie.toml"), "format = 1\n").unwrap();
        std::fs::write(folder.path().join("game.toml"), "[states.threat]\nvalues = [\"calm\", \"hunted\"]\n").unwrap();
        std::fs::write(folder.path().join("music/quay.toml"), PIECE).unwrap();
        let workspace = Workspace::open(folder.path()).unwrap();
        (folder, workspace)
    }

    #[test]
    fn a_new_layer_of_notes_has_a_file_that_other_programs_open_and_goes_as_one_edit() {
        let (folder, mut workspace) = open();
        let made = |layer, instrument| MadeNotes { piece: "quay", section: "calm", layer, instrument };
        workspace.new_notes(made("tune", "reed")).unwrap();
        workspace.new_notes(made("drum", "frame drum")).unwrap();
        workspace.new_notes(made("second", "reed")).unwrap();
        assert_eq!(workspace.faults(), []);
        let names: Vec<&str> = workspace.document().music.instruments.iter().map(|i| i.name.as_str()).collect();
        assert_eq!(names, ["reed", "frame-drum"], "the second reed is the first one's");
        let note = |at: i64, pitch| ScoreNote { at: Beats::new(at, 2), length: Beats::new(1, 2), pitch, velocity: 90, channel: u8::MAX };
        workspace.set_track("notes", "music/quay-calm.mid", "tune", &[note(0, 62), note(1, 65)]).unwrap();
        workspace.set_track("notes", "music/quay-calm.mid", "drum", &[note(3, 38)]).unwrap();
        assert_eq!(workspace.save(false).unwrap(), 2);
        let bytes = std::fs::read(folder.path().join("music/quay-calm.mid")).unwrap();
        let smf = midly::Smf::parse(&bytes).unwrap();
        assert_eq!((smf.header.format, smf.tracks.len()), (midly::Format::Parallel, 4));
        let score = crate::midi::Score::read(&bytes).unwrap();
        // 120 dotted quarters a minute are 180 quarters: a third of a second each.
        assert_eq!((score.tempos.as_slice(), score.metres[0].1), (&[(Beats::from_integer(0), 333_333)][..], Metre { count: 6, note: 8 }));
        assert_eq!(score.tracks.iter().map(|t| (t.name.as_str(), t.notes.len(), t.notes[0].channel)).collect::<Vec<_>>(), [("tune", 2, 0), ("drum", 1, DRUMS)]);
        assert_eq!(score.empty, ["quay calm", "second"]);
        // Each is one edit; all undone it is as it was, to the letter, and the file is gone.
        for _ in 0..5 {
            workspace.undo().unwrap();
        }
        workspace.save(false).unwrap();
        assert_eq!(std::fs::read_to_string(folder.path().join("music/quay.toml")).unwrap(), PIECE);
        assert!(!folder.path().join("music/quay-calm.mid").exists());
    }

    #[test]
    fn what_cannot_be_is_refused_and_changes_nothing() {
        let (_folder, mut workspace) = open();
        let made = |section, layer, instrument| MadeNotes { piece: "quay", section, layer, instrument };
        workspace.new_notes(made("calm", "tune", "reed")).unwrap();
        let before = workspace.sources().clone();
        for (section, layer, instrument, says) in [
            ("storm", "a", "reed", "storm"),
            ("calm", "tune", "reed", "tune"),
            ("calm", "a b", "reed", "a b"),
            ("calm", "a", "kazoo", "kazoo"),
            ("calm", "a", "takes", "recordings"),
        ] {
            let error = workspace.new_notes(made(section, layer, instrument)).unwrap_err().to_string();
            assert!(error.contains(says), "{error}");
        }
        assert!(workspace.set_track("notes", "music/quay-calm.mid", "nobody", &[]).is_err());
        assert!(workspace.set_chords("quay", "calm", None, "1: calm").unwrap_err().to_string().contains("1: calm"));
        assert!(workspace.set_chance("quay", "calm", "tune", (Spot { bar: 1, beat: Beats::from_integer(1) }, 60), "often").is_err());
        assert!(*workspace.sources() == before);
    }

    #[test]
    fn chances_chords_and_variations_are_written_and_taken_out_again() {
        let (_folder, mut workspace) = open();
        workspace.new_notes(MadeNotes { piece: "quay", section: "calm", layer: "tune", instrument: "reed" }).unwrap();
        let note = ScoreNote { at: Beats::from_integer(0), length: Beats::new(1, 2), pitch: 62, velocity: 90, channel: u8::MAX };
        workspace.set_track("notes", "music/quay-calm.mid", "tune", &[note]).unwrap();
        let chances = |workspace: &Workspace| notes_doc(workspace.document().music.piece("quay").unwrap(), "calm", "tune").unwrap().chances.clone();
        let spot = Spot { bar: 2, beat: Beats::new(5, 3) };
        workspace.set_chance("quay", "calm", "tune", (spot, 62), "40 %").unwrap();
        workspace.set_chance("quay", "calm", "tune", (spot, 64), "60 %").unwrap();
        workspace.set_chance("quay", "calm", "tune", (spot, 62), "50 %").unwrap();
        assert_eq!(
            chances(&workspace).iter().map(|c| (c.of, c.chance)).collect::<Vec<_>>(),
            [(ChanceOf::Note(spot, 64), 0.6), (ChanceOf::Note(spot, 62), 0.5)]
        );
        workspace.set_chance("quay", "calm", "tune", (spot, 62), "100 %").unwrap();
        workspace.set_chance("quay", "calm", "tune", (spot, 64), "100 %").unwrap();
        assert_eq!(chances(&workspace), []);
        workspace.set_chords("quay", "calm", None, "1: Dm; 3: C").unwrap();
        workspace.set_chords("quay", "calm", Some(("threat", "hunted")), "1: Gm, 3: A7").unwrap();
        let section = workspace.document().music.piece("quay").unwrap().section("calm").unwrap();
        assert_eq!((section.chords.len(), section.chords_by.as_ref().map(|by| (by.state.value.as_str(), by.lines.len()))), (2, Some(("threat", 1))));
        let name = workspace.new_variation("quay", "calm", "tune", "tune", &[note]).unwrap();
        let doc = notes_doc(workspace.document().music.piece("quay").unwrap(), "calm", "tune").unwrap();
        assert_eq!((name.as_str(), doc.tracks.len()), ("tune-2", 2));
        assert_eq!(workspace.faults(), []);
        assert_eq!(track_layers(workspace.document(), "music/quay-calm.mid", "tune-2"), [("quay", "calm", "tune")]);
    }
}
