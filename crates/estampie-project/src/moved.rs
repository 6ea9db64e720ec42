//! Audio that is not where a project says: where something like it lies, and how all that names it is pointed there.

use crate::document::{Fault, Refusal, Workspace};
use std::collections::{BTreeMap, BTreeSet};

/// How something is like what is missing, the surest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum How {
    /// It has the same bytes as the file had when it was last there.
    SameBytes,
    /// It is the same path in other letters: capitals, or another sign between folders.
    OtherLetters,
    /// It has the same name in another folder.
    OtherFolder,
    /// It has the same name with another ending.
    OtherEnding,
}

impl How {
    /// In words.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            How::SameBytes => "the same audio",
            How::OtherLetters => "the same name in other letters",
            How::OtherFolder => "the same name in another folder",
            How::OtherEnding => "the same name, with another ending",
        }
    }
}

/// Something like what is missing.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Found {
    /// How it is like it.
    pub how: How,
    /// Whether something of the project plays it already: then it is less likely what is meant.
    pub used: bool,
    /// Its path, or a pattern of paths if one is missing.
    pub path: String,
}

/// The paths that faults miss, each with how often.
#[must_use]
pub fn missing(faults: &[Fault]) -> BTreeMap<String, usize> {
    let mut all = BTreeMap::new();
    for path in faults.iter().filter_map(|f| f.misses.clone()) {
        *all.entry(path).or_default() += 1;
    }
    all
}

/// What of a project's audio is like a missing path (or a pattern of paths with `*`), the likeliest first. `was` is the hash of the file when it was last there, and
/// `is` that of one that is there now; both may not be known. What is `used` already comes after what is not.
pub fn like(path: &str, audio: &BTreeSet<String>, was: Option<u128>, used: &BTreeSet<String>, mut is: impl FnMut(&str) -> Option<u128>) -> Vec<Found> {
    let tidy = |path: &str| path.replace('\\', "/").to_lowercase();
    let wanted = tidy(path);
    let name_of = |path: &str| path.rsplit('/').next().unwrap_or_default().to_owned();
    let stem_of = |name: &str| name.rsplit_once('.').map_or(name, |(stem, _)| stem).to_owned();
    let name = name_of(&wanted);
    let mut found = BTreeSet::new();
    for file in audio {
        let (there, folder) = (tidy(file), file.rsplit_once('/').map_or("", |(folder, _)| folder));
        if was.is_some() && is(file) == was {
            found.insert(Found { how: How::SameBytes, used: used.contains(file), path: file.clone() });
        } else if path.contains('*') {
            // The same pattern in the folder in which it fits something, with its own letters.
            if crate::document::fits(&name, &name_of(&there)) {
                let own = name_of(&path.replace('\\', "/"));
                let how = if tidy(&format!("{folder}/{own}")) == wanted { How::OtherLetters } else { How::OtherFolder };
                found.insert(Found { how, used: false, path: if folder.is_empty() { own } else { format!("{folder}/{own}") } });
            }
        } else if there == wanted {
            found.insert(Found { how: How::OtherLetters, used: used.contains(file), path: file.clone() });
        } else if name_of(&there) == name {
            found.insert(Found { how: How::OtherFolder, used: used.contains(file), path: file.clone() });
        } else if stem_of(&name_of(&there)) == stem_of(&name) {
            found.insert(Found { how: How::OtherEnding, used: used.contains(file), path: file.clone() });
        }
    }
    found.into_iter().collect()
}

impl Workspace {
    /// Lets all that names a missing path name another, as one edit; gives how many names were changed.
    ///
    /// # Errors
    /// When none of the faults is of it, or a name does not stand where its fault is any more.
    pub fn point_to(&mut self, faults: &[Fault], changes: &[(String, String)]) -> Result<usize, Refusal> {
        let mut places: Vec<(&Fault, &str, &str)> = Vec::new();
        for fault in faults {
            let change = changes.iter().find(|(old, _)| fault.misses.as_ref() == Some(old));
            places.extend(change.map(|(old, new)| (fault, old.as_str(), new.as_str())));
        }
        // From the back, so that columns before stay what they were; a place that has several faults has one name.
        places.sort_by(|a, b| (&b.0.place, b.1).cmp(&(&a.0.place, a.1)));
        places.dedup_by(|a, b| (&a.0.place, a.1) == (&b.0.place, b.1));
        let mut texts: BTreeMap<String, String> = BTreeMap::new();
        for (fault, old, new) in &places {
            let place = &fault.place;
            let text = texts.entry(place.file.clone()).or_insert_with(|| self.sources().get(&place.file).map_or(String::new(), ToString::to_string));
            let gone = || Refusal::from(format!("{old} does not stand at {place} any more"));
            let start = text.split_inclusive('\n').take((place.line as usize).saturating_sub(1)).map(str::len).sum::<usize>();
            let line = text[start..].split('\n').next().unwrap_or_default();
            let column: usize = line.chars().take((place.column as usize).saturating_sub(1)).map(char::len_utf8).sum();
            // In quotes a backslash is written twice.
            let (at, length) = [(*old).to_owned(), old.replace('\\', "\\\\")]
                .iter()
                .find_map(|written| Some((line[column..].find(written.as_str())?, written.len())))
                .ok_or_else(gone)?;
            let at = start + column + at;
            text.replace_range(at..at + length, new);
        }
        let (count, Some((_, old, _))) = (places.len(), places.first()) else { return Err("nothing misses that".into()) };
        let name = if changes.len() == 1 { format!("where {old} lies") } else { "where audio lies".to_owned() };
        self.change(&name, texts.into_iter().map(|(file, text)| (file, Some(text))).collect());
        Ok(count)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn set(files: &[&str]) -> BTreeSet<String> {
        files.iter().map(|f| (*f).to_owned()).collect()
    }

    #[test]
    fn what_is_alike_is_found_the_surest_first() {
        let audio = set(&["audio/Hull/Groan.wav", "audio/metal/groan.wav", "audio/metal/groan.flac", "audio/metal/x.wav", "audio/metal/bell.wav"]);
        let found = |path: &str, was: Option<u128>| -> Vec<(How, String)> {
            let is = |file: &str| Some(if file == "audio/metal/x.wav" { 7 } else { 8 });
            like(path, &audio, was, &BTreeSet::new(), is).into_iter().map(|f| (f.how, f.path)).collect()
        };
        let of = |how, path: &str| (how, path.to_owned());
        let named =
            [of(How::OtherLetters, "audio/Hull/Groan.wav"), of(How::OtherFolder, "audio/metal/groan.wav"), of(How::OtherEnding, "audio/metal/groan.flac")];
        assert_eq!(found("audio/hull/groan.wav", None), named);
        assert_eq!(found("audio\\hull\\groan.wav", None), named, "another sign between folders");
        assert_eq!(found("audio/hull/groan.wav", Some(7))[0], of(How::SameBytes, "audio/metal/x.wav"));
        assert_eq!(found("audio/hull/groan.wav", Some(9)), named, "bytes that nobody has");
        let used = set(&["audio/metal/bell.wav"]);
        let same: Vec<String> = like("audio/z.wav", &audio, Some(1), &used, |file| Some(u128::from(file.contains("bell") || file.contains("x."))))
            .into_iter()
            .map(|f| f.path)
            .collect();
        assert_eq!(same, ["audio/metal/x.wav", "audio/metal/bell.wav"], "what nothing plays yet comes first");
        assert_eq!(found("audio/hull/nothing.wav", None), []);
        assert_eq!(found("audio/iron/gro*.wav", None), [of(How::OtherFolder, "audio/Hull/gro*.wav"), of(How::OtherFolder, "audio/metal/gro*.wav")]);
        assert_eq!(found("AUDIO/metal/gro*.wav", None)[0], of(How::OtherLetters, "audio/metal/gro*.wav"));
    }

    #[test]
    fn all_that_names_it_is_pointed_there_as_one_edit() {
        let folder = tempfile::tempdir().unwrap();
        let put = |file: &str, text: &str| {
            let path = folder.path().join(file);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        };
        put("estampie.toml", "format = 1\n");
        let sounds = "[a]\ntakes = [\"audio/old/a.wav, level -3 dB\", \"audio/here.wav\"] # two\n[b]\ntakes = [\"audio/old/a.wav\"]\n[c]\ntakes = [\"audio\\\\win\\\\c.wav\"]\n";
        put("sounds/s.toml", sounds);
        put("music/m.toml", "[piece.p.section.s]\nbars = 1\n[piece.p.section.s.layer.l]\nfile = \"audio/old/a.wav\"\n");
        for file in ["audio/new/a.wav", "audio/here.wav", "audio/win/c.wav"] {
            put(file, "");
        }
        let mut workspace = Workspace::open(folder.path()).unwrap();
        let faults = workspace.faults().to_vec();
        let missed = missing(&faults);
        assert_eq!(missed.iter().map(|(p, n)| (p.as_str(), *n)).collect::<Vec<_>>(), [("audio/old/a.wav", 3), ("audio\\win\\c.wav", 1)]);
        let best = |path: &str| like(path, workspace.audio(), None, &BTreeSet::new(), |_| None).remove(0).path;
        let changes: Vec<(String, String)> = missed.keys().map(|path| (path.clone(), best(path))).collect();
        assert_eq!(workspace.point_to(&faults, &changes).unwrap(), 4);
        assert!(workspace.faults().iter().all(|f| f.misses.is_none()), "{:?}", workspace.faults());
        let now = workspace.sources().get("sounds/s.toml").unwrap().to_string();
        let wanted = sounds.replace("audio/old/a.wav", "audio/new/a.wav").replace("audio\\\\win\\\\c.wav", "audio/win/c.wav");
        assert_eq!(now, wanted);
        workspace.undo().unwrap();
        assert_eq!(&**workspace.sources().get("sounds/s.toml").unwrap(), sounds);
        assert!(workspace.point_to(&faults, &[("audio/never.wav".into(), "x".into())]).is_err());
    }
}
