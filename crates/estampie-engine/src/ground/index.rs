//! Places in the tables of a program, of a type for each: the number of a bus cannot be taken for that of a sound.

use std::marker::PhantomData;
use std::ops::{Deref, DerefMut};

/// A place in a table, counted from 0.
pub trait TableIndex: Copy {
    /// As a number.
    fn at(self) -> usize;
    /// Of a number below 2³².
    fn new(at: usize) -> Self;
}

impl TableIndex for usize {
    fn at(self) -> usize {
        self
    }

    fn new(at: usize) -> usize {
        at
    }
}

macro_rules! indices {
    ($($(#[$doc:meta])* $name:ident,)*) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        #[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
        pub struct $name(u32);

        impl $name {
            /// The one at a place, which is below 2³².
            #[must_use]
            pub const fn new(at: usize) -> $name {
                $name(at as u32)
            }

            /// The place.
            #[must_use]
            pub const fn at(self) -> usize {
                self.0 as usize
            }

            /// The one so many places after it.
            #[must_use]
            pub const fn plus(self, places: usize) -> $name {
                $name(self.0 + places as u32)
            }
        }

        impl TableIndex for $name {
            fn at(self) -> usize {
                self.0 as usize
            }

            fn new(at: usize) -> $name {
                $name(at as u32)
            }
        }
    )*};
}

indices! {
    /// Of a sound, a layer or a stinger among all sounds of a program.
    SoundIndex,
    /// Of a bus in the mix.
    BusIndex,
    /// Of a piece of music.
    PieceIndex,
    /// Of a section within its piece.
    SectionIndex,
    /// Of a value of the mix that can be set, moved and held.
    CellIndex,
    /// Of a snapshot of the mix.
    SnapshotIndex,
    /// Of an event of the game.
    EventIndex,
    /// Of a reaction.
    ReactionIndex,
}

impl BusIndex {
    /// The bus that all others lead to.
    pub const ROOT: BusIndex = BusIndex(0);
}

/// Values of which each stands at a place of one kind.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
#[cfg_attr(feature = "bundle", serde(bound(serialize = "T: serde::Serialize", deserialize = "T: serde::Deserialize<'de>")))]
pub struct ByIndex<I, T> {
    values: Vec<T>,
    #[cfg_attr(feature = "bundle", serde(skip))]
    by: PhantomData<fn(I) -> I>,
}

impl<I: TableIndex, T> ByIndex<I, T> {
    /// What stands at a place, if that is one of this table.
    #[must_use]
    pub fn of(&self, index: I) -> Option<&T> {
        self.values.get(index.at())
    }

    /// So many that follow each other.
    ///
    /// # Panics
    /// If the table has not so many from there on.
    #[must_use]
    pub fn run(&self, first: I, count: usize) -> &[T] {
        &self.values[first.at()..first.at() + count]
    }

    /// All places, in order.
    pub fn places(&self) -> impl Iterator<Item = I> + use<I, T> {
        (0..self.values.len()).map(I::new)
    }

    /// All places, each with what stands there.
    pub fn with_places(&self) -> impl Iterator<Item = (I, &T)> {
        self.values.iter().enumerate().map(|(at, value)| (I::new(at), value))
    }

    /// The place of the first that is asked for.
    pub fn find(&self, is: impl FnMut(&T) -> bool) -> Option<I> {
        self.values.iter().position(is).map(I::new)
    }

    /// Puts one at the end and gives its place.
    pub fn add(&mut self, value: T) -> I {
        self.values.push(value);
        I::new(self.values.len() - 1)
    }
}

impl<I, T> Default for ByIndex<I, T> {
    fn default() -> ByIndex<I, T> {
        Vec::new().into()
    }
}

impl<I, T> From<Vec<T>> for ByIndex<I, T> {
    fn from(values: Vec<T>) -> ByIndex<I, T> {
        ByIndex { values, by: PhantomData }
    }
}

impl<I, T> FromIterator<T> for ByIndex<I, T> {
    fn from_iter<V: IntoIterator<Item = T>>(values: V) -> ByIndex<I, T> {
        Vec::from_iter(values).into()
    }
}

impl<I, T> Deref for ByIndex<I, T> {
    type Target = Vec<T>;

    fn deref(&self) -> &Vec<T> {
        &self.values
    }
}

impl<I, T> DerefMut for ByIndex<I, T> {
    fn deref_mut(&mut self) -> &mut Vec<T> {
        &mut self.values
    }
}

impl<I: TableIndex, T> std::ops::Index<I> for ByIndex<I, T> {
    type Output = T;

    fn index(&self, index: I) -> &T {
        &self.values[index.at()]
    }
}

impl<I: TableIndex, T> std::ops::IndexMut<I> for ByIndex<I, T> {
    fn index_mut(&mut self, index: I) -> &mut T {
        &mut self.values[index.at()]
    }
}

impl<'a, I, T> IntoIterator for &'a ByIndex<I, T> {
    type Item = &'a T;
    type IntoIter = std::slice::Iter<'a, T>;

    fn into_iter(self) -> Self::IntoIter {
        self.values.iter()
    }
}

impl<'a, I, T> IntoIterator for &'a mut ByIndex<I, T> {
    type Item = &'a mut T;
    type IntoIter = std::slice::IterMut<'a, T>;

    fn into_iter(self) -> Self::IntoIter {
        self.values.iter_mut()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_table_gives_what_stands_at_its_places() {
        let mut table: ByIndex<BusIndex, &str> = ["main", "hull"].into_iter().collect();
        let nave = table.add("nave");
        assert_eq!((nave, nave.at(), table[nave], table.of(nave)), (BusIndex::new(2), 2, "nave", Some(&"nave")));
        assert_eq!((table.of(nave.plus(1)), table.find(|name| *name == "hull")), (None, Some(BusIndex::ROOT.plus(1))));
        assert_eq!(table.run(BusIndex::ROOT.plus(1), 2), ["hull", "nave"]);
        assert!(table.places().eq([0, 1, 2].map(BusIndex::new)));
        table[BusIndex::ROOT] = "root";
        assert!(table.with_places().map(|(at, name)| (at.at(), *name)).eq([(0, "root"), (1, "hull"), (2, "nave")]));
    }
}
