//! Names as small keys, so that inputs and telemetry can cross threads without text.
//!
//! A key is the 64-bit FNV-1a hash of the name: the same name gives the same key in every program, so voices,
//! values and random streams find their places again after an edit.

use indexmap::IndexMap;
use std::hash::{BuildHasherDefault, Hasher};
use std::sync::Arc;

/// The key of a name; 0 stands for "no name".
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct NameKey(pub u64);

impl NameKey {
    /// No name: the emitter of an event that has none.
    pub const NONE: NameKey = NameKey(0);

    /// The key of `name` (FNV-1a, 64 bit).
    #[must_use]
    pub fn of(name: &str) -> NameKey {
        if name.is_empty() {
            return NameKey::NONE;
        }
        NameKey(name.bytes().fold(0xcbf2_9ce4_8422_2325, |hash, byte| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)).max(1))
    }

    /// Whether this is no name.
    #[must_use]
    pub fn is_none(self) -> bool {
        self == NameKey::NONE
    }

    /// A key made of this one and a further number, for streams and parts of a thing.
    #[must_use]
    pub fn with(self, further: u64) -> NameKey {
        let mut z = self.0 ^ further.wrapping_mul(0x9e37_79b9_7f4a_7c15);
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        NameKey((z ^ (z >> 31)).max(1))
    }
}

/// The way back from keys to names, for whoever shows or writes them.
#[derive(Debug, Clone, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Names {
    by_key: IndexMap<NameKey, Arc<str>, BuildHasherDefault<Spread>>,
}

/// Hashes keys and other small numbers: many are looked up at once, and nobody chooses them to do harm.
#[derive(Debug, Default, Clone)]
pub(crate) struct Spread(u64);

impl Hasher for Spread {
    fn write(&mut self, bytes: &[u8]) {
        bytes.iter().for_each(|byte| self.write_u32(u32::from(*byte)));
    }

    fn write_u32(&mut self, number: u32) {
        self.write_u64(u64::from(number));
    }

    fn write_u64(&mut self, number: u64) {
        // The fraction of the golden ratio (D. E. Knuth, The Art of Computer Programming 3, 6.4).
        self.0 = (self.0.rotate_left(32) ^ number).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    }

    fn finish(&self) -> u64 {
        self.0
    }
}

impl Names {
    /// Remembers `name` and gives its key.
    pub fn add(&mut self, name: &str) -> NameKey {
        let key = NameKey::of(name);
        self.add_as(key, name);
        key
    }

    /// All names that are remembered, in the order in which they came.
    pub fn iter(&self) -> impl Iterator<Item = &str> {
        self.by_key.values().map(|name| &**name)
    }

    /// How many names are remembered.
    #[must_use]
    pub fn count(&self) -> usize {
        self.by_key.len()
    }

    /// Whether a key's name is remembered.
    #[must_use]
    pub fn knows(&self, key: NameKey) -> bool {
        self.by_key.contains_key(&key)
    }

    /// Remembers `name` for a key that was not made from it alone.
    pub fn add_as(&mut self, key: NameKey, name: &str) {
        if !key.is_none() {
            self.by_key.entry(key).or_insert_with(|| Arc::from(name));
        }
    }

    /// Takes in all names of `other`.
    pub fn add_all(&mut self, other: &Names) {
        for (key, name) in &other.by_key {
            self.by_key.entry(*key).or_insert_with(|| name.clone());
        }
    }

    /// The name of a key; a question mark if it was never told here.
    #[must_use]
    pub fn get(&self, key: NameKey) -> &str {
        self.by_key.get(&key).map_or(if key.is_none() { "" } else { "?" }, |name| name)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_give_their_names_back() {
        let mut names = Names::default();
        let key = names.add("hull.struck");
        assert_eq!(names.get(key), "hull.struck");
        assert_eq!(names.get(NameKey::NONE), "");
        assert_eq!(names.get(NameKey(5)), "?");
        assert_ne!(key.with(1), key.with(2));
    }
}
