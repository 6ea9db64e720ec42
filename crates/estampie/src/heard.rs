//! What was measured of a project's recordings, remembered outside the project by what their bytes are: twenty thousand files are measured once, and those that change.

use crate::aside;
use estampie_engine::names::NameKey;
use estampie_project::assets::{Measured, measure};
use estampie_project::door;
use estampie_project::progress::Heard;
use estampie_proof::cores::on_cores;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::{Path, PathBuf};
use std::time::SystemTime;
use xxhash_rust::xxh3::xxh3_128;

/// What is measured, and how it is written: with another one all is measured anew.
const FORM: u32 = 1;

/// When a file was last written (in ns since 1970), how many bytes it has, and their hash.
type Stamp = (u64, u64, u128);

/// As it lies in the cache.
#[derive(Serialize, Deserialize)]
struct Written {
    form: u32,
    stamps: Vec<(String, Stamp)>,
    facts: Vec<(u128, Result<Measured, String>)>,
}

/// What is remembered of a project.
#[derive(Debug, Default)]
pub(crate) struct Remembered {
    file: Option<PathBuf>,
    stamps: HashMap<String, Stamp>,
    facts: HashMap<u128, Result<Measured, String>>,
}

/// What tells files apart: their bytes, and their ending, which a decoder believes.
fn key(file: &str, bytes: &[u8]) -> u128 {
    let ending = file.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
    xxh3_128(bytes) ^ u128::from(NameKey::of(&ending).0)
}

fn stamp(path: &Path) -> Option<(u64, u64)> {
    let facts = std::fs::metadata(path).ok()?;
    let written = facts.modified().ok()?.duration_since(SystemTime::UNIX_EPOCH).ok()?;
    Some((written.as_nanos() as u64, facts.len()))
}

impl Remembered {
    /// What is remembered of the project at `root`, in a folder of the cache; nothing without one, or if it cannot be read.
    pub(crate) fn read(root: &Path, cache: Option<&Path>) -> Remembered {
        let root = root.canonicalize().unwrap_or_else(|_| root.to_owned());
        let file = cache.map(|c| c.join("material").join(format!("{:016x}", NameKey::of(&root.display().to_string()).0)));
        let written: Option<Written> = file.as_ref().and_then(|file| postcard::from_bytes(&std::fs::read(file).ok()?).ok());
        let Written { stamps, facts, .. } = written.filter(|w| w.form == FORM).unwrap_or(Written { form: FORM, stamps: Vec::new(), facts: Vec::new() });
        Remembered { file, stamps: stamps.into_iter().collect(), facts: facts.into_iter().collect() }
    }

    /// Measures files on so many cores at most, as far as they are not known; `each` is told after each one, and stops it by giving false. What is new is remembered.
    pub(crate) fn hear(&mut self, root: &Path, files: &BTreeSet<String>, cores: usize, each: impl Fn() -> bool + Sync) -> Heard {
        let list: Vec<&String> = files.iter().collect();
        type Came = (Option<Stamp>, Option<Result<Measured, String>>);
        let look = |file: &String| -> Came {
            let path = match door::readable(root, file) {
                Ok(path) => path,
                Err(error) => return (None, Some(Err(error.to_string()))),
            };
            let now = stamp(&path);
            let known = self.stamps.get(file).filter(|(at, bytes, _)| now == Some((*at, *bytes))).copied();
            if let Some(known) = known.filter(|(.., hash)| self.facts.contains_key(hash)) {
                return (Some(known), None);
            }
            let bytes = match std::fs::read(&path) {
                Ok(bytes) => bytes,
                Err(error) => return (None, Some(Err(error.to_string()))),
            };
            let hash = key(file, &bytes);
            let measured = (!self.facts.contains_key(&hash)).then(|| measure(&path).map_err(|e| e.to_string()));
            (now.map(|(at, length)| (at, length, hash)), measured)
        };
        let came = on_cores(cores, &list, |file| ((*file).clone(), look(file)), |_| each());
        let all = came.len() == list.len();
        let mut heard = Heard::new();
        let mut new = false;
        for (file, (stamp, measured)) in came {
            let Some(stamp) = stamp else {
                heard.extend(measured.map(|m| (file, m)));
                continue;
            };
            if let Some(measured) = measured {
                self.facts.insert(stamp.2, measured);
                new = true;
            }
            new |= self.stamps.insert(file.clone(), stamp) != Some(stamp);
            heard.extend(self.facts.get(&stamp.2).map(|m| (file, m.clone())));
        }
        if new {
            self.write(all.then_some(files));
        }
        heard
    }

    /// Remembers what is known; of files that are there no more nothing, if it is known which are there.
    fn write(&mut self, there: Option<&BTreeSet<String>>) {
        if let Some(there) = there {
            self.stamps.retain(|file, _| there.contains(file));
            let used: BTreeSet<u128> = self.stamps.values().map(|(.., hash)| *hash).collect();
            self.facts.retain(|hash, _| used.contains(hash));
        }
        let Some(file) = &self.file else { return };
        let stamps: BTreeMap<String, Stamp> = self.stamps.clone().into_iter().collect();
        let facts: BTreeMap<u128, Result<Measured, String>> = self.facts.clone().into_iter().collect();
        let written = Written { form: FORM, stamps: stamps.into_iter().collect(), facts: facts.into_iter().collect() };
        let put = postcard::to_allocvec(&written).map_err(std::io::Error::other).and_then(|bytes| aside::put(file, &bytes));
        if let Err(error) = put {
            tracing::warn!(%error, "what was measured cannot be remembered");
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};

    fn wave(path: &Path, gain: f32) {
        let spec = hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
        let mut writer = hound::WavWriter::create(path, spec).unwrap();
        (0..9_600).for_each(|i| writer.write_sample((gain * (i as f32 * 0.05).sin() * 32_767.0) as i16).unwrap());
        writer.finalize().unwrap();
    }

    #[test]
    fn what_was_measured_is_known_by_its_bytes_wherever_it_lies_and_damage_does_no_harm() {
        let (project, cache) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        std::fs::create_dir(project.path().join("audio")).unwrap();
        let path = |name: &str| project.path().join("audio").join(name);
        wave(&path("a.wav"), 0.5);
        wave(&path("b.wav"), 0.25);
        std::fs::write(path("c.wav"), "no sound").unwrap();
        let files = |names: &[&str]| names.iter().map(|n| format!("audio/{n}")).collect::<BTreeSet<String>>();
        let read = || Remembered::read(project.path(), Some(cache.path()));
        let first = read().hear(project.path(), &files(&["a.wav", "b.wav", "c.wav", "d.wav"]), 2, || true);
        assert_eq!(first.len(), 4);
        assert!((first["audio/a.wav"].as_ref().unwrap().facts.sample_peak + 6.02).abs() < 0.01);
        assert!(first["audio/c.wav"].as_ref().unwrap_err().contains("not a WAV") && first["audio/d.wav"].is_err());
        // Remembered facts are given as they stand: nothing is measured again, though the file is called otherwise and is newer.
        let mut known = read();
        assert_eq!((known.facts.len(), known.stamps.len()), (3, 3));
        known.facts.values_mut().filter_map(|m| m.as_mut().ok()).for_each(|m| m.facts.dc = 0.77);
        std::fs::rename(path("a.wav"), path("moved.wav")).unwrap();
        std::fs::File::options().append(true).open(path("moved.wav")).unwrap().set_modified(SystemTime::now()).unwrap();
        let then = known.hear(project.path(), &files(&["b.wav", "moved.wav"]), 2, || true);
        assert_eq!(then["audio/moved.wav"].as_ref().unwrap().facts.dc, 0.77);
        assert_eq!(read().stamps.len(), 2, "what is gone is forgotten");
        // One that is written anew is measured anew.
        wave(&path("b.wav"), 0.1);
        assert!((read().hear(project.path(), &files(&["b.wav"]), 2, || true)["audio/b.wav"].as_ref().unwrap().facts.sample_peak + 20.0).abs() < 0.1);
        let file = read().file.unwrap();
        for damage in [&b""[..], b"\x01", b"\xff\xff\xff\xff\xff\xff"] {
            std::fs::write(&file, damage).unwrap();
            assert!(read().facts.is_empty());
        }
        // It can be stopped, and works without a cache.
        let count = AtomicUsize::new(0);
        let some = Remembered::read(project.path(), None)
            .hear(project.path(), &(0..200).map(|n| format!("audio/{n}.wav")).collect(), 2, || count.fetch_add(1, Ordering::Relaxed) < 5);
        assert!(some.len() < 50, "{}", some.len());
    }
}
