//! How many bytes audio takes in a bundle: it is packed to find out, once for what its samples are, which is remembered outside the project.

use crate::aside;
use crate::bundling::storing_of_one;
use estampie_bundle::{Storing, content, packed_size};
use estampie_engine::clip::Clip;
use estampie_engine::names::NameKey;
use estampie_engine::reads::held;
use estampie_project::assets::Assets;
use estampie_project::compile::wanted_audio;
use estampie_project::document::Document;
use estampie_project::progress::{Packed, QUALITY};
use estampie_proof::cores::on_cores;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use xxhash_rust::xxh3::xxh3_128;

/// How it is packed and written down: with another one all is packed anew.
const FORM: u32 = 1;

/// What is known of a project.
#[derive(Debug, Default)]
pub(crate) struct Packing {
    file: Option<PathBuf>,
    root: PathBuf,
    known: HashMap<u128, u64>,
}

/// What tells one way of packing a clip from another.
fn key(of: u128, rate: u32, storing: &Storing) -> u128 {
    let original = storing.original.as_ref().map_or(0, |bytes| xxh3_128(bytes));
    let quality = storing.quality.map_or(u32::MAX, f32::to_bits);
    xxh3_128(&[&of.to_le_bytes()[..], &rate.to_le_bytes(), &quality.to_le_bytes(), &original.to_le_bytes()].concat())
}

impl Packing {
    /// What is remembered of the project at `root`, in a folder of the cache; nothing without one, or if it cannot be read.
    pub(crate) fn read(root: &Path, cache: Option<&Path>) -> Packing {
        let real = root.canonicalize().unwrap_or_else(|_| root.to_owned());
        let file = cache.map(|c| c.join("packed").join(format!("{:016x}", NameKey::of(&real.display().to_string()).0)));
        let read: Option<(u32, Vec<(u128, u64)>)> = file.as_ref().and_then(|file| postcard::from_bytes(&std::fs::read(file).ok()?).ok());
        let known = read.filter(|(form, _)| *form == FORM).map(|(_, known)| known.into_iter().collect()).unwrap_or_default();
        Packing { file, root: root.to_owned(), known }
    }

    /// Packs on so many cores at most all that is wanted and loaded, as the project says and as Ogg Vorbis, as far as it is not known; `each` is told after each one, and stops it by giving
    /// false. What is new is remembered.
    pub(crate) fn pack_all(&mut self, document: &Document, assets: &Assets, cores: usize, each: impl Fn() -> bool + Sync) -> Packed {
        let rate = document.manifest.rate;
        let clips: Vec<(String, Arc<Clip>)> =
            wanted_audio(document).into_keys().filter_map(|name| Some((name.clone(), Arc::clone(assets.get(&name)?.as_ref().ok()?)))).collect();
        let size = |clip: &Clip, of: u128, storing: &Storing| -> (u128, u64, bool) {
            let key = key(of, rate, storing);
            self.known.get(&key).map_or_else(|| (key, packed_size(clip, rate, storing), true), |size| (key, *size, false))
        };
        let one = |(name, clip): &(String, Arc<Clip>)| {
            // What cannot be read to its end is told where it is measured, and packed as its head here.
            let clip = &held(assets.streams(), clip, usize::MAX).unwrap_or_else(|_| Arc::clone(clip));
            let of = content(clip);
            let storing = storing_of_one(document, &self.root, name).unwrap_or_default();
            let now = size(clip, of, &storing);
            let vorbis = storing.quality.is_none().then(|| size(clip, of, &Storing { quality: Some(QUALITY), ..Storing::default() }));
            (name.clone(), now, vorbis)
        };
        let came = on_cores(cores, &clips, one, |_| each());
        let whole = came.len() == clips.len();
        let mut packed = Packed::new();
        let mut used = HashMap::new();
        let mut new = false;
        for (name, now, vorbis) in came {
            for (key, size, is_new) in [Some(now), vorbis].into_iter().flatten() {
                used.insert(key, size);
                new |= is_new;
            }
            packed.insert(name, (now.1, vorbis.map(|(_, size, _)| size)));
        }
        if new {
            // What nothing is packed as any more is forgotten.
            if whole {
                self.known = used;
            } else {
                self.known.extend(used);
            }
            self.write();
        }
        packed
    }

    fn write(&self) {
        let Some(file) = &self.file else { return };
        let known: std::collections::BTreeMap<u128, u64> = self.known.clone().into_iter().collect();
        let known: Vec<(u128, u64)> = known.into_iter().collect();
        let put = postcard::to_allocvec(&(FORM, known)).map_err(std::io::Error::other).and_then(|bytes| aside::put(file, &bytes));
        if let Err(error) = put {
            tracing::warn!(%error, "what was packed cannot be remembered");
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use estampie_project::document::Sources;

    #[test]
    fn what_was_packed_is_as_large_as_in_a_bundle_and_is_remembered() {
        let (project, cache) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        let texts = |encoding: &str| [("estampie.toml", format!("format = 1\n{encoding}")), ("sounds/s.toml", "[a]\ntakes = [\"audio/a.wav\"]\n".to_owned())];
        let document = |encoding: &str| {
            let texts = texts(encoding);
            Document::read(&Sources::from_texts(texts.iter().map(|(f, t)| (*f, t.as_str()))), &["audio/a.wav".to_owned()].into()).0
        };
        let clip = |gain: f32| {
            Arc::new(Clip::new(
                "audio/a.wav",
                vec![
                    (0..48_000)
                        .map(|i| (((i as f32 * 0.03).sin() + (i * 7_919 % 1_000) as f32 / 1_500.0) * gain * 16_384.0).round() / 32_768.0 + 0.0)
                        .collect(),
                ],
                None,
            ))
        };
        let mut assets = Assets::default();
        assets.insert("audio/a.wav", Ok(clip(0.5)));
        let pack =
            |document: &Document, assets: &Assets| Packing::read(project.path(), Some(cache.path())).pack_all(document, assets, 2, || true)["audio/a.wav"];
        let plain = document("");
        let (lossless, vorbis) = pack(&plain, &assets);
        assert_eq!(lossless, packed_size(&clip(0.5), 48_000, &Storing::default()));
        assert!(vorbis.is_some_and(|v| v < lossless) && lossless < 96_000, "{lossless} {vorbis:?}");
        // Remembered sizes are given as they stand.
        let mut known = Packing::read(project.path(), Some(cache.path()));
        assert_eq!(known.known.len(), 2);
        known.known.values_mut().for_each(|size| *size += 1);
        assert_eq!(known.pack_all(&plain, &assets, 2, || true)["audio/a.wav"], (lossless + 1, vorbis.map(|v| v + 1)));
        // Packed otherwise, or other samples: packed anew.
        let (small, none) = pack(&document("[encoding.e]\nfiles = [\"audio/*\"]\nas = \"vorbis 1\"\n"), &assets);
        assert!(small < vorbis.unwrap() && none.is_none(), "{small}");
        assets.insert("audio/a.wav", Ok(clip(0.001)));
        assert!(pack(&plain, &assets).0 < lossless);
    }
}
