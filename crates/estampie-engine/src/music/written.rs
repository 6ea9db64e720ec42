//! A value of each section, written down: a list that has to have as many.

use super::exact::Beats;
use crate::ground::vocabulary::MOST_SECTIONS;
use serde::de::Error as _;
use serde::{Deserialize as _, Deserializer, Serialize as _, Serializer};

pub(super) fn serialize<S: Serializer>(values: &[Beats; MOST_SECTIONS], serializer: S) -> Result<S::Ok, S::Error> {
    values.as_slice().serialize(serializer)
}

pub(super) fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<[Beats; MOST_SECTIONS], D::Error> {
    let values = Vec::<Beats>::deserialize(deserializer)?;
    values.try_into().map_err(|values: Vec<Beats>| D::Error::invalid_length(values.len(), &"a value of each section"))
}
