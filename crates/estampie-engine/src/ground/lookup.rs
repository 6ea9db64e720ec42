//! Indices by key.

use crate::ground::index::TableIndex;
use crate::ground::names::NameKey;
use std::marker::PhantomData;

/// Finds the index of a thing by its key.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Lookup<I = usize>(Vec<(NameKey, u32)>, #[cfg_attr(feature = "bundle", serde(skip))] PhantomData<fn(I) -> I>);

impl<I> Default for Lookup<I> {
    fn default() -> Lookup<I> {
        Lookup(Vec::new(), PhantomData)
    }
}

impl<I: TableIndex> Lookup<I> {
    /// A lookup of keys in the order of their indices; the first of equal keys counts.
    #[must_use]
    pub fn new(keys: impl IntoIterator<Item = NameKey>) -> Lookup<I> {
        let mut pairs: Vec<_> = keys.into_iter().zip(0u32..).collect();
        pairs.sort();
        pairs.dedup_by_key(|(key, _)| *key);
        Lookup(pairs, PhantomData)
    }

    /// With further keys for what is here: each is found as that after it is.
    #[must_use]
    pub fn with_other_names(mut self, others: &[(NameKey, NameKey)]) -> Lookup<I> {
        let found: Vec<(NameKey, u32)> = others.iter().filter_map(|(other, key)| Some((*other, self.get(*key)?.at() as u32))).collect();
        self.0.extend(found);
        // What a key is the own one of comes first.
        self.0.sort_by_key(|(key, _)| *key);
        self.0.dedup_by_key(|(key, _)| *key);
        self
    }

    /// Whether all that it finds is in a table of so many.
    #[must_use]
    pub fn within(&self, size: usize) -> bool {
        self.0.iter().all(|(_, at)| (*at as usize) < size)
    }

    /// The index of `key`.
    #[must_use]
    pub fn get(&self, key: NameKey) -> Option<I> {
        self.0.binary_search_by_key(&key, |(k, _)| *k).ok().map(|at| I::new(self.0[at].1 as usize))
    }
}
