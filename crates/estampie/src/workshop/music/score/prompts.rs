//! What open notes ask on the last line.

use super::Line;
use crate::workshop::app::App;
use crate::workshop::view::{Ask, hint_of, owned};
use estampie_engine::music::Kind;
use estampie_engine::music::exact::Beats;
use estampie_engine::units::{Quantity as _, Share};
use estampie_project::document::{MadeNotes, Refusal, Spot, registry};
use estampie_project::notes::{self, FIGURES, read_chord};

/// What is asked.
#[derive(Debug)]
pub(super) enum NotesPrompt {
    /// The name of a new line, and what plays it.
    NewLine {
        piece: String,
        section: String,
    },
    Velocities,
    Chance,
    Quantise,
    Made,
    Chords,
    Swing,
    Key,
    /// A setting of what plays the notes.
    Setting(&'static str),
    /// A recording of what plays the notes, by its place; one more.
    Zone(Option<usize>),
}

/// A place as it is written.
pub(super) fn place(spot: Spot) -> String {
    let one = Beats::from_integer(1);
    let whole = spot.beat.floor();
    match spot.beat {
        beat if beat == one => spot.bar.to_string(),
        beat if beat == whole => format!("{}.{whole}", spot.bar),
        beat => format!("{}.{whole} {}", spot.bar, beat - whole),
    }
}

/// A swing as it is written.
pub(super) fn swing_text((share, of): (f32, Beats)) -> String {
    format!("{}{}", Share(share), if of == Beats::new(1, 4) { ", sixteenths" } else { "" })
}

impl Ask for NotesPrompt {
    fn words(&self, app: &App) -> String {
        match self {
            NotesPrompt::NewLine { section, .. } => format!("new notes in {section}: a name, and what plays it (lead, reed)"),
            NotesPrompt::Velocities => "velocities from the first to the last note (50..110), or one for all".into(),
            NotesPrompt::Chance => {
                let score = app.music.score.as_ref();
                format!("how likely {} is played", score.map_or(String::new(), |s| notes::print_pitch(s.pitch)))
            }
            NotesPrompt::Quantise => "how far notes go to the nearest step".into(),
            NotesPrompt::Made => "make from the chords".into(),
            NotesPrompt::Chords => "chords".into(),
            NotesPrompt::Swing => "swing".into(),
            NotesPrompt::Setting(word) => format!("{word} of what plays {}", app.music.score.as_ref().map_or("", |s| s.line.layer.as_str())),
            NotesPrompt::Zone(_) => format!("recording of {}", app.open_instrument().map_or("", |(_, doc)| doc.name.as_str())),
            NotesPrompt::Key => format!("key of {}", app.music.score.as_ref().map_or("", |s| s.piece.as_str())),
        }
    }

    fn offers(&self, app: &App) -> Vec<String> {
        match self {
            NotesPrompt::NewLine { .. } => {
                let known = app.music_doc().instruments.iter().map(|i| i.name.as_str());
                owned(known.chain(Kind::ALL.iter().filter(|(kind, _)| *kind != Kind::Takes).map(|(_, word)| *word)))
            }
            NotesPrompt::Made => owned(FIGURES.map(|(_, word)| word)),
            NotesPrompt::Key => owned(["C major", "A minor", "D dorian", "E phrygian", "G mixolydian", "F lydian"]),
            NotesPrompt::Swing => owned(["50 %", "54 %", "58 %", "62 %", "66 %", "sixteenths"]),
            NotesPrompt::Chords => {
                let states = app.document().states.iter().flat_map(|s| s.values.iter().map(move |v| format!("{} is {}: ", s.name, v.value)));
                states.collect()
            }
            NotesPrompt::Zone(None) => app.workspace.audio().iter().map(|file| format!("{file}, ")).collect(),
            _ => Vec::new(),
        }
    }

    fn hint(&self, _app: &App) -> Option<String> {
        match self {
            NotesPrompt::NewLine { .. } => Some("an instrument there is, or a kind: then one is made; without a name it is called like what plays it".into()),
            NotesPrompt::Velocities => Some("1 to 127; of the selection, or of all".into()),
            NotesPrompt::Chance => Some("drawn each round; 100 % is always".into()),
            NotesPrompt::Quantise => Some("100 % is all the way".into()),
            NotesPrompt::Made => Some("in the place of what the line has; about the row that you are on".into()),
            NotesPrompt::Chords => Some("each at a bar: 1: Dm; 3: C; 4.3: G7. For a value of a state: threat is hunted: 1: Gm".into()),
            NotesPrompt::Setting(word) => hint_of(registry::INSTRUMENT.field(word)),
            NotesPrompt::Zone(_) => Some("file, its pitch, perhaps its keys and velocities: audio/string.wav, D3, C3..F3, velocity 1..80".into()),
            NotesPrompt::Key => hint_of(registry::PIECE.field("key")),
            NotesPrompt::Swing => hint_of(registry::LAYER.field("swing")),
        }
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let text = text.trim();
        if let NotesPrompt::NewLine { piece, section } = self {
            return new_line(app, piece, section, text);
        }
        let Some(score) = &app.music.score else { return Ok(()) };
        let (piece, section, layer) = (score.piece.clone(), score.section.clone(), score.line.layer.clone());
        match self {
            NotesPrompt::NewLine { .. } => {}
            NotesPrompt::Velocities => {
                let (from, to) = text.split_once("..").unwrap_or((text, text));
                let read =
                    |t: &str| t.trim().parse::<u8>().ok().filter(|v| (1..=127).contains(v)).ok_or_else(|| format!("\"{t}\" is no velocity; write 50..110"));
                let (from, to) = (read(from)?, read(to)?);
                app.change_many("velocities", |_, _, mut picked| {
                    notes::velocities(&mut picked, from, to);
                    picked
                });
            }
            NotesPrompt::Chance => {
                let found = app.open_sheet().and_then(|(score, sheet)| sheet.notes.iter().find(|n| score.is_here(n)).map(|n| (sheet.spot(n.at), n.pitch)));
                let note = found.ok_or("there is no note under the hands")?;
                app.workspace.set_chance(&piece, &section, &layer, note, text)?;
            }
            NotesPrompt::Quantise => {
                let share = Share::read(text).map_err(|e| e.to_string())?;
                app.change_many("onto the steps", |score, _, mut picked| {
                    notes::quantise(&mut picked, score.step(), share.0);
                    picked
                });
            }
            NotesPrompt::Made => {
                let (figure, _) = *FIGURES.iter().find(|(_, word)| *word == text).ok_or("write bass, pad, broken or offbeat")?;
                let (score, sheet) = app.open_sheet().ok_or("no notes are open")?;
                let doc = score.doc(app).ok_or("the section is gone")?.1;
                if doc.chords.is_empty() {
                    return Err("the section has no chords yet: h writes them".into());
                }
                let mut chords = Vec::new();
                for chord in &doc.chords {
                    let read = read_chord(&chord.name.value).ok_or_else(|| format!("\"{}\" is no chord that notes can be made of", chord.name.value))?;
                    chords.push((sheet.map.position(chord.at.bar - 1, chord.at.beat - Beats::from_integer(1)), read));
                }
                app.change_notes(text, |score, sheet, list| {
                    *list = notes::from_chords(figure, &chords, &sheet.map, score.step(), score.pitch);
                    list.iter_mut().for_each(|n| n.channel = u8::MAX);
                });
            }
            NotesPrompt::Chords => {
                // Those of a value of a state are said after it.
                let by = text.split_once(" is ").and_then(|(state, rest)| Some((state.trim(), rest.split_once(':')?)));
                match by {
                    Some((state, (value, chords))) => app.workspace.set_chords(&piece, &section, Some((state, value.trim())), chords)?,
                    None => app.workspace.set_chords(&piece, &section, None, text)?,
                }
            }
            NotesPrompt::Setting(word) => {
                let instrument = app.open_sheet().ok_or("no notes are open")?.1.instrument;
                app.workspace.set_instrument(&instrument, word, text)?;
            }
            NotesPrompt::Zone(at) => return app.typed_zone(*at, text),
            NotesPrompt::Key => app.workspace.set_key(&piece, text)?,
            NotesPrompt::Swing => {
                app.workspace.set_layer(&piece, &section, &layer, "swing", text)?;
            }
        }
        app.recompile();
        Ok(())
    }
}

fn new_line(app: &mut App, piece: &str, section: &str, text: &str) -> Result<(), Refusal> {
    let (name, plays) = text.split_once(',').map_or((text, text), |(name, plays)| (name.trim(), plays.trim()));
    let known = |word: &str| app.music_doc().instruments.iter().any(|i| i.name == word) || Kind::ALL.iter().any(|(_, kind)| *kind == word);
    // A name alone that is an instrument is both.
    let instrument = if text.contains(',') || known(plays) { plays } else { app.music_doc().instruments.first().map_or("synth", |i| i.name.as_str()) };
    let (name, instrument) = (name.replace(' ', "-"), instrument.to_owned());
    app.workspace.new_notes(MadeNotes { piece, section, layer: &name, instrument: &instrument })?;
    app.recompile();
    app.open_line(piece, section, Line { layer: name.clone(), track: name });
    if let Some(score) = &mut app.music.score {
        score.at = Beats::from_integer(0);
    }
    Ok(())
}
