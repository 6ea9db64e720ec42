//! Indices by key.

use crate::ground::names::NameKey;

/// Finds the index of a thing by its key.
#[derive(Debug, Clone, Default)]
pub struct Lookup(Vec<(NameKey, u32)>);

impl Lookup {
    /// A lookup of keys in the order of their indices; the first of equal keys counts.
    #[must_use]
    pub fn new(keys: impl IntoIterator<Item = NameKey>) -> Lookup {
        let mut pairs: Vec<_> = keys.into_iter().zip(0u32..).collect();
        pairs.sort();
        pairs.dedup_by_key(|(key, _)| *key);
        Lookup(pairs)
    }

    /// The index of `key`.
    #[must_use]
    pub fn get(&self, key: NameKey) -> Option<usize> {
        self.0.binary_search_by_key(&key, |(k, _)| *k).ok().map(|at| self.0[at].1 as usize)
    }
}
