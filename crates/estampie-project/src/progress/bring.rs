//! Folders of recordings that come in: what becomes of each file, told before anything is copied.

use crate::document::{Copied, Document, Refusal, Workspace};
use crate::stock::{next_version, thing_of, version_of};
use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::{Path, PathBuf};
use xxhash_rust::xxh3::xxh3_64;

/// What becomes of a file that comes in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Becomes {
    /// A new file.
    New,
    /// Nothing: a file with its bytes lies there.
    There,
    /// It has the name of another recording: it is left, or comes in as a later version of that.
    Taken,
    /// Nothing: no name that fits the rule can be made of its own.
    Nameless,
}

/// A file that comes in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Incoming {
    /// Where it is.
    pub from: PathBuf,
    /// What it is called in the project.
    pub to: String,
    /// What becomes of it.
    pub becomes: Becomes,
    /// Whether the stock has an item that it is a recording of.
    pub item: bool,
}

/// What is done with files whose names others have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WhenTaken {
    /// They are left.
    Leave,
    /// They come in as later versions, and are played from then on.
    Version,
}

/// Endings of the files that come in.
const ENDINGS: [&str; 8] = ["wav", "wave", "aif", "aiff", "flac", "ogg", "oga", "mp3"];
/// No folder of recordings has more files or deeper ones.
const MOST: usize = 50_000;
const DEEPEST: usize = 12;

/// All audio files below a folder, sorted; links are not followed.
fn audio_below(folder: &Path) -> io::Result<Vec<PathBuf>> {
    let mut found = Vec::new();
    let mut open = vec![(folder.to_owned(), 0)];
    while let Some((folder, depth)) = open.pop() {
        for entry in std::fs::read_dir(&folder)? {
            let entry = entry?;
            let (path, kind) = (entry.path(), entry.file_type()?);
            if entry.file_name().to_string_lossy().starts_with('.') {
                continue;
            }
            let ending = path.extension().and_then(|e| e.to_str()).unwrap_or_default().to_ascii_lowercase();
            if kind.is_dir() && depth < DEEPEST {
                open.push((path, depth + 1));
            } else if kind.is_file() && ENDINGS.contains(&ending.as_str()) {
                found.push(path);
            }
            if found.len() > MOST {
                return Err(io::Error::other(format!("there are more than {MOST} audio files below it")));
            }
        }
    }
    found.sort();
    Ok(found)
}

/// What would become of the audio files below a folder, in the project at `root` with its audio: called as they lie there, or so that the naming rule fits.
///
/// # Errors
/// When the folder cannot be read.
pub fn incoming(folder: &Path, root: &Path, document: &Document, audio: &BTreeSet<String>) -> io::Result<Vec<Incoming>> {
    let rule = &document.manifest.naming;
    let items: BTreeSet<&str> = document.stock.items.iter().map(|i| i.name.as_str()).collect();
    let above = folder.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    // By what they are called without their endings: two endings are still one recording.
    let mut taken: BTreeMap<String, PathBuf> = audio.iter().map(|file| (version_of(file).0.to_owned(), root.join(file))).collect();
    // What has as many bytes may have the same.
    let mut by_length: BTreeMap<u64, Vec<&String>> = BTreeMap::new();
    for file in audio {
        if let Ok(facts) = std::fs::metadata(root.join(file)) {
            by_length.entry(facts.len()).or_default().push(file);
        }
    }
    let mut all = Vec::new();
    for from in audio_below(folder)? {
        let relative = from.strip_prefix(folder).unwrap_or(&from).to_string_lossy().replace('\\', "/");
        let (stem, ending) = relative.rsplit_once('.').unwrap_or((&relative, ""));
        let below = format!("{above}/{stem}");
        let fits = |stem: &&str| rule.fits(stem);
        let name = Some(stem).filter(fits).map(str::to_owned).or_else(|| rule.tidied(stem)).or_else(|| rule.tidied(&below));
        let ending = ending.to_ascii_lowercase();
        let mut one = Incoming { to: String::new(), becomes: Becomes::Nameless, item: false, from };
        if let Some(name) = name {
            one.to = format!("audio/{name}.{ending}");
            one.item = items.contains(thing_of(&one.to));
            let stem = version_of(&one.to).0.to_owned();
            let same = |other: &PathBuf| -> bool {
                let length = |path: &Path| std::fs::metadata(path).map(|m| m.len()).ok();
                length(other) == length(&one.from) && std::fs::read(other).ok() == std::fs::read(&one.from).ok()
            };
            let length = std::fs::metadata(&one.from).map_or(0, |m| m.len());
            let twin = by_length.get(&length).into_iter().flatten().find(|file| same(&root.join(file)));
            if let Some(twin) = twin {
                one.to = (*twin).clone();
            }
            one.becomes = match taken.get(&stem) {
                _ if twin.is_some() => Becomes::There,
                None => Becomes::New,
                Some(other) if same(other) => Becomes::There,
                Some(_) => Becomes::Taken,
            };
            taken.entry(stem).or_insert_with(|| one.from.clone());
        }
        all.push(one);
    }
    Ok(all)
}

/// Copies what comes in into the project at `root`, all or none; gives what was copied, to be noted as an edit.
///
/// # Errors
/// When nothing is to come, or the disk refuses; then nothing is copied.
pub fn copy_in(incoming: &[Incoming], taken: WhenTaken, root: &Path, audio: &BTreeSet<String>) -> Result<Copied, Refusal> {
    let mut there: BTreeSet<String> = audio.clone();
    let mut copies = Vec::new();
    for one in incoming {
        let to = match (one.becomes, taken) {
            (Becomes::New, _) => one.to.clone(),
            (Becomes::Taken, WhenTaken::Version) => next_version(&one.to, one.to.rsplit('.').next().unwrap_or("wav"), there.iter()),
            _ => continue,
        };
        there.insert(to.clone());
        let bytes = std::fs::read(&one.from).map_err(|e| Refusal::from(format!("{} cannot be read: {e}", one.from.display())))?;
        copies.push((one.from.clone(), to, xxh3_64(&bytes)));
    }
    if copies.is_empty() { Err("nothing of it is new".into()) } else { Copied::make(copies, root) }
}

impl Workspace {
    /// What would become of the audio files below a folder.
    ///
    /// # Errors
    /// As [`incoming`].
    pub fn incoming(&self, folder: &Path) -> io::Result<Vec<Incoming>> {
        incoming(folder, self.root(), self.document(), self.audio())
    }

    /// Copies what comes in into the project, as one edit; gives how many files came.
    ///
    /// # Errors
    /// As [`copy_in`].
    pub fn bring(&mut self, incoming: &[Incoming], taken: WhenTaken) -> Result<usize, Refusal> {
        let copied = copy_in(incoming, taken, self.root(), self.audio())?;
        let count = copied.count();
        self.note_copied(copied)?;
        Ok(count)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_comes_in_is_told_first_and_then_copied_and_taken_back() {
        let (project, team) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        let put = |root: &Path, file: &str, text: &str| {
            let path = root.join(file);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        };
        put(project.path(), "estampie.toml", "format = 1\n");
        put(project.path(), "stock.csv", "name,kind,variations\nstep/plank,one-shot,2\n");
        put(project.path(), "audio/step/plank_01.flac", "one");
        put(project.path(), "audio/quay/bell_01.wav", "bell");
        put(project.path(), "audio/hull/old-groan.wav", "groan");
        let folder = team.path().join("Quay");
        for (file, text) in [
            ("Step/Plank 1.wav", "one, again"),
            ("Step/Plank 2.WAV", "two"),
            ("bell 1.wav", "bell"),
            ("gull 3.ogg", "gull"),
            ("groan 1.wav", "groan"),
            ("???.wav", "?"),
            ("notes.txt", "x"),
            (".hidden/a.wav", "x"),
        ] {
            put(&folder, file, text);
        }
        let mut workspace = Workspace::open(project.path()).unwrap();
        let incoming = workspace.incoming(&folder).unwrap();
        let told: Vec<(&str, Becomes, bool)> = incoming.iter().map(|i| (i.to.as_str(), i.becomes, i.item)).collect();
        assert_eq!(
            told,
            [
                ("", Becomes::Nameless, false),
                ("audio/step/plank_01.wav", Becomes::Taken, true),
                ("audio/step/plank_02.wav", Becomes::New, true),
                ("audio/quay/bell_01.wav", Becomes::There, false),
                // Whatever it is called: its bytes are there.
                ("audio/hull/old-groan.wav", Becomes::There, false),
                ("audio/quay/gull_03.ogg", Becomes::New, false),
            ]
        );
        let before = workspace.audio().clone();
        assert_eq!(workspace.bring(&incoming, WhenTaken::Leave), Ok(2));
        assert!(workspace.audio().contains("audio/step/plank_02.wav") && workspace.audio().len() == 5);
        workspace.undo().unwrap();
        assert_eq!(*workspace.audio(), before);
        assert_eq!(workspace.bring(&incoming, WhenTaken::Version), Ok(3));
        assert_eq!(std::fs::read_to_string(project.path().join("audio/step/plank_01.v2.wav")).unwrap(), "one, again");
        assert_eq!(std::fs::read_to_string(project.path().join("audio/step/plank_01.flac")).unwrap(), "one");
        // Brought in once more there is nothing new: versions count, too.
        let again = workspace.incoming(&folder).unwrap();
        assert!(again.iter().all(|i| matches!(i.becomes, Becomes::There | Becomes::Nameless)), "{again:?}");
        assert!(workspace.bring(&again, WhenTaken::Version).unwrap_err().to_string().contains("nothing of it is new"));
        assert!(workspace.incoming(Path::new("not there")).is_err());
    }
}
