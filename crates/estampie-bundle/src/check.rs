//! Whether a program that was read holds together. Its hash tells damage; what was forged with a hash that fits is found here, as far as that goes.
//!
//! Places in tables have a type for each table (`estampie_engine::index`), and serde names it as it walks through a program: so each of them is
//! looked at wherever it stands, without a list of where that is.

use estampie_engine::dsp::effects::KINDS;
use estampie_engine::dsp::generators::GENERATORS;
use estampie_engine::program::{Program, TakeOf};
use estampie_engine::vocabulary::Rounds;
use serde::Serialize;
use serde::ser::{self, Serializer};
use std::fmt::Display;

/// Frames a second that are played.
const RATES: std::ops::RangeInclusive<u32> = 8_000..=192_000;
/// The most voices that a program asks for.
const MOST_VOICES: usize = 4_096;

/// What does not hold together in a program, if something does not.
pub(crate) fn fits(program: &Program) -> Result<(), String> {
    if !RATES.contains(&program.rate) {
        return Err(format!("it has {} frames a second", program.rate));
    }
    if program.voices > MOST_VOICES {
        return Err(format!("it asks for {} voices", program.voices));
    }
    for take in program.sounds.iter().flat_map(|s| &s.groups).flat_map(|g| &g.takes) {
        let TakeOf::Recipe(recipe) = &take.of else { continue };
        if recipe.made.as_ref().map_or(recipe.parts.is_empty(), |made| made.kind >= GENERATORS.len()) {
            return Err("a take has nothing to play".into());
        }
        for part in &recipe.parts {
            let inside = |clip: &estampie_engine::clip::Clip, (start, end): (usize, usize)| start < end && end <= clip.frames();
            if let Rounds::Times(low, high) = part.rounds
                && (low == 0 || high < low || high == u32::MAX)
            {
                return Err("a take plays no round".into());
            }
            if part.clips.is_empty() || !part.clips.iter().all(|(clip, round)| inside(clip, *round)) {
                return Err("a take plays what its audio does not have".into());
            }
            if !recipe.stereo && part.clips.iter().any(|(clip, _)| clip.channels.len() > 1) {
                return Err("a take has more channels than it says".into());
            }
        }
    }
    if program.mix.buses.iter().flat_map(|b| &b.effects).any(|effect| effect.kind >= KINDS.len()) {
        return Err("a bus has an effect of no kind".into());
    }
    let sections = program.music.pieces.iter().map(|p| p.sections.len()).max().unwrap_or(0);
    let tables = [
        ("SoundIndex", program.sounds.len()),
        ("BusIndex", program.mix.buses.len()),
        ("CellIndex", program.mix.cells.len()),
        ("PieceIndex", program.music.pieces.len()),
        ("SectionIndex", sections),
        ("SnapshotIndex", program.mix.snapshots.len()),
        ("EventIndex", program.events.len()),
        ("ReactionIndex", program.reactions.len()),
    ];
    let found = [
        program.find_parameter.within(program.parameters.len()),
        program.find_state.within(program.states.len()),
        program.find_event.within(program.events.len()),
        program.find_sound.within(program.sounds.len()),
        program.find_modulation.within(program.modulations.len()),
        program.find_reaction.within(program.reactions.len()),
        program.mix.find_snapshot.within(program.mix.snapshots.len()),
        program.mix.find_cell.within(program.mix.cells.len()),
        program.music.find_piece.within(program.music.pieces.len()),
    ];
    if found.contains(&false) {
        return Err("a name leads to what is not there".into());
    }
    program.serialize(&mut Walk { tables, last: 0 }).map_err(|Wrong(what)| what)
}

/// What is wrong.
#[derive(Debug)]
struct Wrong(String);

impl Display for Wrong {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.0)
    }
}

impl std::error::Error for Wrong {}

impl ser::Error for Wrong {
    fn custom<T: Display>(what: T) -> Wrong {
        Wrong(what.to_string())
    }
}

/// Goes through all that is written of a program.
struct Walk {
    /// The name of each type of place, and how many there are.
    tables: [(&'static str, usize); 8],
    /// The last whole number.
    last: u64,
}

/// Numbers and texts that are passed by.
macro_rules! passed_by {
    ($($name:ident($($type:ty),*);)*) => {$(
        fn $name(self $(, _: $type)*) -> Result<(), Wrong> {
            Ok(())
        }
    )*};
}

impl Serializer for &mut Walk {
    type Ok = ();
    type Error = Wrong;
    type SerializeSeq = Self;
    type SerializeTuple = Self;
    type SerializeTupleStruct = Self;
    type SerializeTupleVariant = Self;
    type SerializeMap = Self;
    type SerializeStruct = Self;
    type SerializeStructVariant = Self;

    passed_by! {
        serialize_bool(bool);
        serialize_i8(i8);
        serialize_i16(i16);
        serialize_i32(i32);
        serialize_i64(i64);
        serialize_u8(u8);
        serialize_u16(u16);
        serialize_i128(i128);
        serialize_u128(u128);
        serialize_u64(u64);
        serialize_f32(f32);
        serialize_f64(f64);
        serialize_char(char);
        serialize_str(&str);
        serialize_bytes(&[u8]);
        serialize_none();
        serialize_unit();
        serialize_unit_struct(&'static str);
        serialize_unit_variant(&'static str, u32, &'static str);
    }

    fn serialize_u32(self, number: u32) -> Result<(), Wrong> {
        self.last = u64::from(number);
        Ok(())
    }

    fn serialize_some<T: Serialize + ?Sized>(self, value: &T) -> Result<(), Wrong> {
        value.serialize(self)
    }

    fn serialize_newtype_struct<T: Serialize + ?Sized>(self, name: &'static str, value: &T) -> Result<(), Wrong> {
        value.serialize(&mut *self)?;
        match self.tables.iter().find(|(table, _)| *table == name) {
            Some((_, size)) if self.last >= *size as u64 => Err(Wrong(format!("it names number {} of a table of {size} ({name})", self.last))),
            _ => Ok(()),
        }
    }

    fn serialize_newtype_variant<T: Serialize + ?Sized>(self, _: &'static str, _: u32, _: &'static str, value: &T) -> Result<(), Wrong> {
        value.serialize(self)
    }

    fn serialize_seq(self, _: Option<usize>) -> Result<Self, Wrong> {
        Ok(self)
    }

    fn serialize_tuple(self, _: usize) -> Result<Self, Wrong> {
        Ok(self)
    }

    fn serialize_tuple_struct(self, _: &'static str, _: usize) -> Result<Self, Wrong> {
        Ok(self)
    }

    fn serialize_tuple_variant(self, _: &'static str, _: u32, _: &'static str, _: usize) -> Result<Self, Wrong> {
        Ok(self)
    }

    fn serialize_map(self, _: Option<usize>) -> Result<Self, Wrong> {
        Ok(self)
    }

    fn serialize_struct(self, _: &'static str, _: usize) -> Result<Self, Wrong> {
        Ok(self)
    }

    fn serialize_struct_variant(self, _: &'static str, _: u32, _: &'static str, _: usize) -> Result<Self, Wrong> {
        Ok(self)
    }
}

/// All that holds others goes through them alike.
macro_rules! goes_through {
    ($($of:ident::$element:ident($($name:ty)?);)*) => {$(
        impl ser::$of for &mut Walk {
            type Ok = ();
            type Error = Wrong;

            fn $element<T: Serialize + ?Sized>(&mut self, $(_: $name,)? value: &T) -> Result<(), Wrong> {
                value.serialize(&mut **self)
            }

            fn end(self) -> Result<(), Wrong> {
                Ok(())
            }
        }
    )*};
}

goes_through! {
    SerializeSeq::serialize_element();
    SerializeTuple::serialize_element();
    SerializeTupleStruct::serialize_field();
    SerializeTupleVariant::serialize_field();
    SerializeStruct::serialize_field(&'static str);
    SerializeStructVariant::serialize_field(&'static str);
}

impl ser::SerializeMap for &mut Walk {
    type Ok = ();
    type Error = Wrong;

    fn serialize_key<T: Serialize + ?Sized>(&mut self, key: &T) -> Result<(), Wrong> {
        key.serialize(&mut **self)
    }

    fn serialize_value<T: Serialize + ?Sized>(&mut self, value: &T) -> Result<(), Wrong> {
        value.serialize(&mut **self)
    }

    fn end(self) -> Result<(), Wrong> {
        Ok(())
    }
}
