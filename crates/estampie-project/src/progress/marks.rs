//! What is made of the marks in a recording: takes of a sound, each a piece of it, and markers of the section that plays it.

use crate::assets::{Facts, Mark};
use crate::compile::map_of;
use crate::document::{LayerOf, NewValue, Refusal, TakeDoc, Workspace};
use crate::stock::{file_of, older};
use estampie_engine::music::exact::{Beats, number};
use toml_edit::{Array, Item, Value};

/// The pieces of a recording by its marks, from frame to frame: a region as long as it is, any other mark up to the next or to the end. Without marks there are none.
#[must_use]
pub fn pieces(marks: &[Mark], frames: usize) -> Vec<(usize, usize)> {
    let end = |at: usize, mark: &Mark| -> usize {
        let next = marks[at + 1..].iter().map(|m| m.frame).find(|f| *f > mark.frame).unwrap_or(frames);
        mark.frames.map_or(next, |length| mark.frame + length).min(frames)
    };
    let mut all: Vec<(usize, usize)> = marks.iter().enumerate().map(|(at, mark)| (mark.frame, end(at, mark))).filter(|(from, to)| from < to).collect();
    all.dedup();
    all
}

/// A name for a marker: in small letters, with `-` between words.
fn marker_name(mark: &Mark, number: usize) -> String {
    let mut name = String::new();
    for c in mark.name.chars().flat_map(char::to_lowercase) {
        match c {
            c if c.is_ascii_alphanumeric() => name.push(c),
            _ if name.is_empty() || name.ends_with('-') => {}
            _ => name.push('-'),
        }
    }
    let name = name.trim_end_matches('-');
    if name.starts_with(|c: char| c.is_ascii_lowercase()) { name.to_owned() } else { format!("mark-{number}") }
}

/// A place in a section as it is written, to a sixteenth of a quarter note.
fn spot(bar: u32, beat: u32, rest: Beats) -> String {
    let part = if *rest.numer() == 0 { String::new() } else { format!(" {}/{}", rest.numer(), rest.denom()) };
    let beat = if beat == 0 && part.is_empty() { String::new() } else { format!(".{}", beat + 1) };
    format!("{}{beat}{part}", bar + 1)
}

impl Workspace {
    /// Cuts a recording at its marks: each piece is a take of its own, in the sounds that play it whole, or in a new one. One edit; the file stays as it is. Gives the
    /// first of those sounds and how many takes there are.
    ///
    /// # Errors
    /// When it has no marks, or the sound cannot be edited.
    pub fn cut_at_marks(&mut self, file: &str, facts: &Facts) -> Result<(String, usize), Refusal> {
        let pieces = pieces(&facts.notes.marks, facts.frames);
        if pieces.is_empty() {
            return Err(format!("{file} has no marks to be cut at").into());
        }
        let second = |frame: usize| (frame as f64 / f64::from(facts.rate.max(1)) * 1e6).round() / 1e6;
        let cuts: Vec<String> = pieces.iter().map(|(from, to)| format!(", from {} s, to {} s", second(*from), second(*to))).collect();
        let whole = |take: &TakeDoc| matches!(take, TakeDoc::File(of) if of == file);
        let document = self.document().clone();
        let playing: Vec<_> = document.sounds.iter().filter(|s| s.groups.iter().flat_map(|(_, t)| t).any(|t| whole(&t.value.take))).collect();
        if playing.is_empty() {
            let sound = self.new_sound(&[file.to_owned()])?;
            let takes: Vec<String> = cuts.iter().map(|cut| format!("{file}{cut}")).collect();
            let place = self.document().sounds.iter().find(|s| s.name == sound).map(|s| s.place.file.clone()).ok_or_else(|| Refusal::Gone(sound.clone()))?;
            let pick = (place.as_str(), vec![sound.as_str(), "pick"], NewValue::Text("shuffle, not the last 1".into()));
            let list = (place.as_str(), vec![sound.as_str(), "takes"], NewValue::List(takes));
            let files = self.with_values(&if cuts.len() > 2 { vec![list, pick] } else { vec![list] })?;
            self.take_back();
            self.change(&format!("takes of {file}"), files);
            return Ok((sound, cuts.len()));
        }
        let mut texts = std::collections::BTreeMap::new();
        let names: Vec<&str> = self.audio().iter().map(String::as_str).collect();
        let versions = older(self.audio().iter());
        let same = |written: &str| {
            let path = written.split(',').next().unwrap_or_default().trim();
            let of = versions.get(path).copied().unwrap_or(path);
            names.contains(&of) && of == file && !written.contains(", to ")
        };
        for sound in &playing {
            let toml = match texts.entry(sound.place.file.clone()) {
                std::collections::btree_map::Entry::Occupied(entry) => entry.into_mut(),
                std::collections::btree_map::Entry::Vacant(entry) => entry.insert(self.toml(&sound.place.file)?),
            };
            let by_pattern = || Refusal::from(format!("{} plays {file} by a pattern: name it there by itself first", sound.name));
            let takes = toml.get_mut(&sound.name).and_then(|t| t.get_mut("takes")).ok_or_else(by_pattern)?;
            if !cut_in(takes, &same, &cuts) {
                return Err(by_pattern());
            }
        }
        let files = texts.into_iter().map(|(file, toml)| (file, Some(toml.to_string()))).collect();
        self.change_if_read(&format!("takes of {file}"), files)?;
        Ok((playing[0].name.clone(), cuts.len()))
    }

    /// Makes markers of the marks in a recording, in every section that plays it as a layer, as one edit; those that are there by name stay. Gives how many were made.
    ///
    /// # Errors
    /// When it has no marks, no section plays it, or nothing is new.
    pub fn markers_from_marks(&mut self, file: &str, facts: &Facts) -> Result<usize, Refusal> {
        if facts.notes.marks.is_empty() {
            return Err(format!("{file} has no marks").into());
        }
        let document = self.document().clone();
        let rate = document.manifest.rate;
        let mut values: Vec<(String, [String; 6], String)> = Vec::new();
        let mut played = false;
        for piece in &document.music.pieces {
            for section in &piece.sections {
                if !section.layers.iter().any(|l| matches!(&l.of, LayerOf::File(of) if file_of(&of.value) == file)) {
                    continue;
                }
                played = true;
                let map = map_of(piece, section, rate);
                let mut taken: Vec<String> = section.markers.iter().map(|(name, _)| name.clone()).collect();
                for (at, mark) in facts.notes.marks.iter().enumerate() {
                    let frame = (mark.frame as f64 / f64::from(facts.rate.max(1)) * f64::from(rate)).round();
                    let quarters = number(map.at_time(estampie_engine::music::exact::Frames::from_integer(frame as i128)));
                    let position = Beats::new((quarters * 16.0).round() as i64, 16);
                    let (bar, beat, rest) = map.bar_beat(position);
                    let name = marker_name(mark, at + 1);
                    if bar >= section.bars || position >= map.length() || taken.contains(&name) {
                        continue;
                    }
                    taken.push(name.clone());
                    let rest = rest / map.metre(bar).beat();
                    let path = ["piece".to_owned(), piece.name.clone(), "section".to_owned(), section.name.clone(), "markers".to_owned(), name];
                    values.push((piece.file.clone(), path, spot(bar, beat, rest)));
                }
            }
        }
        if values.is_empty() {
            return Err(if played {
                format!("its marks are markers already, or lie behind the end of {file}'s section")
            } else {
                format!("no section plays {file}")
            }
            .into());
        }
        let written: Vec<(&str, Vec<&str>, NewValue)> =
            values.iter().map(|(file, path, text)| (file.as_str(), path.iter().map(String::as_str).collect(), NewValue::Text(text.clone()))).collect();
        let files = self.with_values(&written)?;
        self.change_if_read(&format!("markers from {file}"), files)?;
        Ok(values.len())
    }
}

/// Cuts what is meant in a list of takes, or in the lists of a table; false if it is not named there.
fn cut_in(takes: &mut Item, same: &dyn Fn(&str) -> bool, cuts: &[String]) -> bool {
    if let Some(table) = takes.as_table_like_mut() {
        let mut any = false;
        for (_, item) in table.iter_mut() {
            any |= cut_in(item, same, cuts);
        }
        return any;
    }
    if let Some(one) = takes.as_str().map(str::to_owned) {
        let list: Array = [one].into_iter().collect();
        *takes = Item::Value(Value::Array(list));
    }
    let Some(list) = takes.as_array_mut() else { return false };
    let mut any = false;
    for at in (0..list.len()).rev() {
        let Some(text) = list.get(at).and_then(Value::as_str).filter(|t| same(t)).map(str::to_owned) else { continue };
        // What else is said of the take holds for each piece of it.
        let mut parts = text.split(',').map(str::trim).filter(|part| !part.starts_with("from "));
        let path = parts.next().unwrap_or_default();
        let options: String = parts.map(|part| format!(", {part}")).collect();
        list.remove(at);
        for cut in cuts.iter().rev() {
            list.insert(at, format!("{path}{cut}{options}"));
        }
        any = true;
    }
    any
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::assets::{Decoded, Notes, facts};

    fn mark(frame: usize, frames: Option<usize>, name: &str) -> Mark {
        Mark { frame, frames, name: name.to_owned() }
    }

    fn with_marks(marks: Vec<Mark>, seconds: f64) -> Facts {
        let samples = vec![vec![0.1; (seconds * 48_000.0) as usize]];
        facts(&Decoded { rate: 48_000, channels: samples, loop_points: None, kind: "WAV", bits: Some(16), notes: Notes { marks, texts: Vec::new() } })
    }

    fn project(texts: &[(&str, &str)]) -> (tempfile::TempDir, Workspace) {
        let folder = tempfile::tempdir().unwrap();
        for (file, text) in [("estampie.toml", "format = 1\n"), ("audio/session.wav", ""), ("audio/other.wav", "")].iter().chain(texts) {
            let path = folder.path().join(file);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        }
        let workspace = Workspace::open(folder.path()).unwrap();
        (folder, workspace)
    }

    #[test]
    fn pieces_go_to_their_ends_or_to_the_next_mark() {
        let marks =
            [mark(0, None, ""), mark(100, Some(50), "a"), mark(100, Some(50), "again"), mark(300, Some(900), "b"), mark(390, None, ""), mark(400, None, "")];
        assert_eq!(pieces(&marks, 400), [(0, 100), (100, 150), (300, 400), (390, 400)]);
        assert_eq!(pieces(&[], 400), []);
    }

    #[test]
    fn a_recording_is_cut_in_the_sounds_that_play_it_or_in_a_new_one() {
        let facts = with_marks(vec![mark(0, Some(24_000), ""), mark(48_000, Some(12_000), ""), mark(60_000, None, "")], 2.0);
        let sounds = "[a]\ntakes = [\"audio/other.wav\", \"audio/session.wav, from 0.1 s, level -3 dB\"] # these\n[b]\ntakes = { \"0\" = \"audio/session.wav\", \"1\" = [\"audio/other.wav\"] }\npick = \"across x\"\n";
        let (_folder, mut workspace) = project(&[("sounds/s.toml", sounds)]);
        assert_eq!(workspace.cut_at_marks("audio/session.wav", &facts).unwrap(), ("a".to_owned(), 3));
        let text = workspace.sources().get("sounds/s.toml").unwrap().to_string();
        let cut =
            |options: &str| ["0 s, to 0.5 s", "1 s, to 1.25 s", "1.25 s, to 2 s"].map(|part| format!("\"audio/session.wav, from {part}{options}\"")).join(", ");
        assert!(text.contains(&format!("\"audio/other.wav\", {}] # these", cut(", level -3 dB"))), "{text}");
        assert!(text.contains(&cut("")), "{text}");
        let takes: Vec<String> = crate::compile::wanted_audio(workspace.document()).into_keys().collect();
        assert_eq!(takes[1], "audio/session.wav from 0 s to 0.5 s");
        workspace.undo().unwrap();
        assert_eq!(&**workspace.sources().get("sounds/s.toml").unwrap(), sounds);
        // Nothing plays it: a sound is made.
        let (_folder, mut workspace) = project(&[]);
        let (sound, count) = workspace.cut_at_marks("audio/session.wav", &facts).unwrap();
        assert_eq!((workspace.document().sounds[0].groups[0].1.len(), count, workspace.edits()), (3, 3, 1), "{sound}");
        workspace.undo().unwrap();
        assert!(workspace.document().sounds.is_empty());
        // By a pattern nothing is cut; and without marks nothing can be.
        let (_folder, mut workspace) = project(&[("sounds/s.toml", "[a]\ntakes = [\"audio/s*\"]\n")]);
        assert!(workspace.cut_at_marks("audio/session.wav", &facts).unwrap_err().to_string().contains("by a pattern"));
        assert!(workspace.cut_at_marks("audio/session.wav", &with_marks(Vec::new(), 1.0)).unwrap_err().to_string().contains("no marks"));
    }

    #[test]
    fn marks_become_markers_where_they_lie_in_the_music() {
        // At 120 beats a minute a beat is half a second; three quarters in a bar.
        let music = "[piece.tide]\ntempo = \"120\"\nmetre = \"3/4\"\n[piece.tide.section.low]\nbars = 4\nmarkers = { here = \"2\" }\n[piece.tide.section.low.layer.drum]\nfile = \"audio/session.wav\"\n";
        let (_folder, mut workspace) = project(&[("music/m.toml", music)]);
        let marks =
            vec![mark(0, None, "Start!"), mark(36_000, None, ""), mark(84_100, None, "The Fall"), mark(5_000_000, None, "late"), mark(9_000, None, "here")];
        assert_eq!(workspace.markers_from_marks("audio/session.wav", &with_marks(marks.clone(), 200.0)), Ok(3));
        let section = &workspace.document().music.pieces[0].sections[0];
        let all: Vec<(&str, u32, Beats)> = section.markers.iter().map(|(n, s)| (n.as_str(), s.value.bar, s.value.beat)).collect();
        assert_eq!(
            all,
            [("here", 2, Beats::from_integer(1)), ("start", 1, Beats::from_integer(1)), ("mark-2", 1, Beats::new(5, 2)), ("the-fall", 2, Beats::new(3, 2))]
        );
        let again = workspace.markers_from_marks("audio/session.wav", &with_marks(marks, 200.0)).unwrap_err().to_string();
        assert!(again.contains("already"), "{again}");
        assert!(workspace.markers_from_marks("audio/other.wav", &with_marks(vec![mark(0, None, "a")], 1.0)).unwrap_err().to_string().contains("no section"));
    }
}
