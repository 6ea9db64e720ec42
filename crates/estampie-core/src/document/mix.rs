//! `mix.toml` and `modulation.toml`: the bus tree, and what the game moves.

use super::curve::WrittenCurve;
use super::fields::{Fields, Located, Reading, parse_toml};
use super::game::well_named;
use super::{Place, Property, did_you_mean};
use crate::units::{Decibels, Seconds};

/// The bus that everything runs into. It is always there.
pub const ROOT_BUS: &str = "all";

/// A bus as written.
#[derive(Debug, Clone)]
pub struct BusDoc {
    /// Its name.
    pub name: String,
    /// The bus it runs into; `None` for the root alone.
    pub into: Option<Located<String>>,
    /// Its level, −120 to +24 dB.
    pub level: Decibels,
    /// What it is for.
    pub note: String,
    /// Where it is written.
    pub place: Place,
}

impl BusDoc {
    /// The root, as it is when no file says otherwise.
    #[must_use]
    pub fn root() -> BusDoc {
        BusDoc { name: ROOT_BUS.into(), into: None, level: Decibels(0.0), note: String::new(), place: Place::whole("mix.toml") }
    }
}

/// A modulation as written: parameter, curve, property.
#[derive(Debug, Clone)]
pub struct ModulationDoc {
    /// The parameter.
    pub from: Located<String>,
    /// What it moves, by name.
    pub target: Located<String>,
    /// What kind of thing that is.
    pub kind: Moved,
    /// What it moves there.
    pub property: Property,
    /// The points, read once the parameter's unit is known.
    pub curve: WrittenCurve,
    /// In this time 90 % of a jump is followed.
    pub smooth: Seconds,
    /// Its place among the modulations of the file.
    pub written: usize,
    /// Where it is written.
    pub place: Place,
}

/// What a modulation moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Moved {
    /// A sound.
    Sound,
    /// A bus.
    Bus,
    /// A piece.
    Piece,
    /// All layers of a piece that have one name: `tidewalk/reed`.
    Layer,
}

impl Moved {
    /// The word before the name, with a space after it; nothing for a sound.
    #[must_use]
    pub fn before(self) -> &'static str {
        match self {
            Moved::Sound => "",
            Moved::Bus => "bus ",
            Moved::Piece => "piece ",
            Moved::Layer => "layer ",
        }
    }

    /// Whether it can be moved so.
    #[must_use]
    pub fn has(self, property: Property) -> bool {
        match self {
            Moved::Sound => !matches!(property, Property::Tempo | Property::Transposition | Property::Density),
            Moved::Bus => property == Property::Level,
            Moved::Piece => matches!(property, Property::Level | Property::Tempo | Property::Transposition),
            Moved::Layer => property.of_voices() || property == Property::Density,
        }
    }
}

pub(super) fn read_buses(reading: &Reading<'_>) -> Vec<BusDoc> {
    let toml = parse_toml(reading.file, reading.text, reading.faults);
    let top = Fields::new(reading, toml.as_table(), "mix.toml", Place::whole(reading.file));
    let mut buses = vec![BusDoc::root()];
    for (name, item, place) in top.entries("buses") {
        if !well_named(reading, &name, &place) {
            continue;
        }
        let Some(fields) = Fields::of_item(reading, item, format!("the bus {name}"), place.clone()) else { continue };
        let mut into = fields.text("into");
        let mut level = fields.quantity::<Decibels>("level").map_or(Decibels(0.0), |level| {
            if level.value.0 > 24.0 {
                reading.fault(&level.place, format!("the level of {name} is {}", level.value), "write 24 dB or less");
            }
            Decibels(level.value.0.min(24.0))
        });
        if level.0 < -120.0 {
            level = Decibels::SILENCE;
        }
        let note = fields.text("note").map_or_else(String::new, |n| n.value);
        fields.finish();
        if name == ROOT_BUS {
            if let Some(into) = into {
                reading.fault(&into.place, "the bus all runs into nothing", "take \"into\" out");
            }
            buses[0] = BusDoc { name, into: None, level, note, place };
        } else {
            into.get_or_insert_with(|| Located { value: ROOT_BUS.into(), place: place.clone() });
            buses.push(BusDoc { name, into, level, note, place });
        }
    }
    top.finish();
    buses
}

pub(super) fn read_modulations(reading: &Reading<'_>) -> Vec<ModulationDoc> {
    let toml = parse_toml(reading.file, reading.text, reading.faults);
    let top = Fields::new(reading, toml.as_table(), "modulation.toml", Place::whole(reading.file));
    let mut list = Vec::new();
    let item = top.item("modulation");
    if let Some((item, place)) = &item {
        match item.as_array_of_tables() {
            Some(tables) => {
                for (at, table) in tables.iter().enumerate() {
                    let place = reading.place(table.span());
                    let fields = Fields::new(reading, table, format!("modulation {}", at + 1), place);
                    list.extend(modulation(reading, fields, at));
                }
            }
            None => reading.fault(place, "modulation is not a list of tables", "write each below a line [[modulation]]"),
        }
    }
    top.finish();
    list
}

const CAN_MOVE: &str = "write moves = \"SOUND level\", \"bus BUS level\", \"piece PIECE tempo\" or \"layer PIECE/LAYER level\"";

fn modulation(reading: &Reading<'_>, fields: Fields<'_>, written: usize) -> Option<ModulationDoc> {
    let from = fields.text("from");
    let moves = fields.text("moves");
    let curve = fields.texts("curve");
    let smooth = fields.quantity("smooth").map_or(Seconds(0.0), |s| s.value);
    fields.text("note");
    let place = fields.place.clone();
    for (field, there) in [("from", from.is_some()), ("moves", moves.is_some()), ("curve", curve.is_some())] {
        if !there {
            let mend = match field {
                "from" => "write from = and a parameter",
                "moves" => CAN_MOVE,
                _ => "write curve = [\"0: -12 dB\", \"1: 0 dB\"]",
            };
            reading.fault(&place, format!("a modulation has no field {field}"), mend);
        }
    }
    fields.finish();
    let (from, moves, curve) = (from?, moves?, curve?);
    let words: Vec<&str> = moves.value.split_whitespace().collect();
    let (kind, target, property) = match words.as_slice() {
        ["bus", bus, property] => (Moved::Bus, *bus, *property),
        ["piece", piece, property] => (Moved::Piece, *piece, *property),
        ["layer", layer, property] => (Moved::Layer, *layer, *property),
        [sound, property] => (Moved::Sound, *sound, *property),
        _ => {
            reading.fault(&moves.place, format!("\"{}\" is nothing that can be moved", moves.value), CAN_MOVE);
            return None;
        }
    };
    let Some((known, _)) = Property::ALL.iter().find(|(_, word)| *word == property) else {
        let mend = did_you_mean(
            property,
            Property::ALL.map(|(_, word)| word),
            "write level, pitch, low-pass, high-pass, every, chance, each, all, sweep, tempo, transposition or density",
        );
        reading.fault(&moves.place, format!("\"{property}\" is not a property"), mend);
        return None;
    };
    if !kind.has(*known) {
        let what = match kind {
            Moved::Sound => "a sound",
            Moved::Bus => "a bus",
            Moved::Piece => "a piece",
            Moved::Layer => "a layer",
        };
        reading.fault(&moves.place, format!("{what} has no {property} to move"), CAN_MOVE);
        return None;
    }
    Some(ModulationDoc {
        from,
        target: Located { value: target.to_owned(), place: moves.place },
        kind,
        property: *known,
        curve: curve.into_iter().map(|p| (p.value, p.place)).collect(),
        smooth,
        written,
        place,
    })
}
