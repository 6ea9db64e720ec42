//! Audio by what it is: what a game has need not be sent to it.

use estampie_bundle::content;
use estampie_engine::clip::Clip;
use estampie_engine::program::Program;
use std::collections::HashMap;
use std::sync::Arc;
use xxhash_rust::xxh3::xxh3_128;

/// What a clip is: its name, its loop and all its samples, hashed.
pub(crate) type Hash = [u8; 16];

/// The hash of a clip.
pub(crate) fn hash(clip: &Clip) -> Hash {
    xxh3_128(&[clip.name.as_bytes(), &content(clip).to_le_bytes()].concat()).to_le_bytes()
}

/// The hash of a clip of a program, which is read if it is streamed. One that cannot be read is known by its head: the game asks for it, and is told.
fn hash_in(program: &Program, clip: &Arc<Clip>) -> Hash {
    program.held(clip, usize::MAX).map_or_else(|_| hash(clip), |clip| hash(&clip))
}

/// The clips of a program with their hashes; each is hashed once.
#[derive(Default)]
pub(crate) struct Hashes {
    known: HashMap<usize, (Arc<Clip>, Hash)>,
}

impl Hashes {
    /// All clips of a program, each once by name. Those of before that are not in it are forgotten.
    pub(crate) fn of(&mut self, program: &Program) -> HashMap<String, (Arc<Clip>, Hash)> {
        let (mut known, mut all) = (HashMap::new(), HashMap::new());
        program.each_clip(|clip| {
            let at = Arc::as_ptr(clip) as usize;
            // The place in memory is that of this clip for as long as it is held here.
            let entry = known.entry(at).or_insert_with(|| self.known.remove(&at).unwrap_or_else(|| (Arc::clone(clip), hash_in(program, clip))));
            all.entry(clip.name.clone()).or_insert_with(|| entry.clone());
        });
        self.known = known;
        all
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn clips_that_differ_anywhere_have_other_hashes(samples in prop::collection::vec(-1.0f32..1.0, 1..3000), at in any::<prop::sample::Index>(), stereo in any::<bool>()) {
            let channels = |samples: &[f32]| if stereo { vec![samples.to_vec(), samples.to_vec()] } else { vec![samples.to_vec()] };
            let of = |name: &str, samples: &[f32], points| hash(&Clip::new(name, channels(samples), points));
            let first = of("a.wav", &samples, None);
            prop_assert_eq!(first, of("a.wav", &samples, None));
            let mut other = samples.clone();
            let at = at.index(samples.len());
            other[at] = f32::from_bits(other[at].to_bits() ^ 1);
            prop_assert_ne!(first, of("a.wav", &other, None));
            prop_assert_ne!(first, of("b.wav", &samples, None));
            prop_assert_ne!(first, of("a.wav", &samples, Some((0, samples.len()))));
            prop_assert_ne!(first, of("a.wav", &samples[1..], None));
        }
    }
}
