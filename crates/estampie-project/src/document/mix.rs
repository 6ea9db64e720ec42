//! `mix.toml` and `modulation.toml`: the bus tree, and what the game moves.

use super::curve::WrittenCurve;
use super::effects::{EffectDoc, SendDoc, read_effects, read_sends};
use super::fields::{Fields, Located, Reading, parse_toml};
use super::game::well_named;
use super::registry;
use super::snapshots::{read_ducks, read_player_levels, read_snapshots};
use super::{Document, Place, did_you_mean};
use estampie_engine::dsp::effects::Kind;
use estampie_engine::property::{Property, Unit};
use estampie_engine::units::{Decibels, Hertz, OPEN_HIGH_PASS, OPEN_LOW_PASS, Pan, Quantity, Seconds};

/// The bus that everything runs into. It is always there.
pub const ROOT_BUS: &str = "main";

/// A bus as written.
#[derive(Debug, Clone)]
pub struct BusDoc {
    /// Its name.
    pub name: String,
    /// The bus it runs into; `None` for the root alone.
    pub into: Option<Located<String>>,
    /// Its level, −120 to +24 dB.
    pub level: Decibels,
    /// Whether it is a return: fed by sends alone, and wet.
    pub returns: bool,
    /// The cutoff of its own low-pass; open if not said.
    pub low_pass: Hertz,
    /// The cutoff of its own high-pass; open if not said.
    pub high_pass: Hertz,
    /// Its balance between the speakers.
    pub pan: Pan,
    /// Its effects, in order.
    pub effects: Vec<EffectDoc>,
    /// What it sends to returns.
    pub sends: Vec<SendDoc>,
    /// What it is for.
    pub note: String,
    /// Where it is written.
    pub place: Place,
}

impl BusDoc {
    /// The root, as it is when no file says otherwise.
    #[must_use]
    pub fn root() -> BusDoc {
        BusDoc {
            name: ROOT_BUS.into(),
            into: None,
            level: Decibels(0.0),
            returns: false,
            low_pass: OPEN_LOW_PASS,
            high_pass: OPEN_HIGH_PASS,
            pan: Pan(0.0),
            effects: Vec::new(),
            sends: Vec::new(),
            note: String::new(),
            place: Place::whole("mix.toml"),
        }
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
    /// The words for it, as `level` or `send nave`.
    pub word: String,
    /// The points, read once the parameter's unit is known.
    pub curve: WrittenCurve,
    /// In this time 90 % of a jump is followed.
    pub smooth: Seconds,
    /// Its place among the modulations of the file.
    pub written: usize,
    /// Where it is written.
    pub place: Place,
}

impl ModulationDoc {
    /// What is moved, in words, as `hull/creak pitch` or `bus machines squeeze threshold`.
    #[must_use]
    pub fn whole(&self) -> String {
        if self.kind == Moved::Mix { self.target.value.clone() } else { format!("{} {}", self.target.value, self.word) }
    }

    /// The same with the word for its kind before it, as it is written in the file.
    #[must_use]
    pub fn written_whole(&self) -> String {
        format!("{}{}", self.kind.before(), self.whole())
    }
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
    /// Anything else in the mix, by its whole name: `bus machines squeeze threshold`, `snapshot shaken amount`.
    Mix,
}

impl Moved {
    /// The word before the name, with a space after it; nothing for a sound.
    #[must_use]
    pub fn before(self) -> &'static str {
        match self {
            Moved::Sound | Moved::Mix => "",
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
            Moved::Mix => true,
        }
    }
}

/// The cutoff of a bus; "off" is where its filter is open.
fn cutoff(fields: &Fields<'_>, field: &'static str, open: Hertz) -> Option<Located<Hertz>> {
    fields.read(field, "20 Hz to 20 kHz, or off", |text| if text.trim() == "off" { Ok(open) } else { <Hertz as Quantity>::read(text) })
}

pub(super) fn read_mix(reading: &Reading<'_>, document: &mut Document) {
    let toml = parse_toml(reading.file, reading.text, reading.faults);
    let top = Fields::new(reading, &registry::MIX, toml.as_table(), "mix.toml", Place::whole(reading.file));
    let mut buses = vec![BusDoc::root()];
    for (name, item, place) in top.entries("buses") {
        if !well_named(reading, &name, &place) {
            continue;
        }
        if name == "all" {
            // It would be a bus beside the last one, and what is set for it would count for nothing else.
            reading.fault(&place, "the last bus is called main", "write [buses.main], and main wherever all is named");
        }
        let Some(fields) = top.inside("buses", item, format!("the bus {name}"), place.clone()) else { continue };
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
        let returns = fields.yes("return").is_some_and(|r| r.value);
        let low_pass = cutoff(&fields, "low-pass", OPEN_LOW_PASS).map_or(OPEN_LOW_PASS, |hz| Hertz(hz.value.0.min(OPEN_LOW_PASS.0)));
        let high_pass = cutoff(&fields, "high-pass", OPEN_HIGH_PASS).map_or(OPEN_HIGH_PASS, |hz| Hertz(hz.value.0.max(OPEN_HIGH_PASS.0)));
        let pan = fields.quantity("pan").map_or(Pan(0.0), |p| p.value);
        let effects = read_effects(reading, &fields, "effect", &format!(" of {name}"));
        let sends = read_sends(reading, &fields);
        let note = fields.text("note").map_or_else(String::new, |n| n.value);
        fields.finish();
        let bus = BusDoc { name: name.clone(), into: None, level, returns, low_pass, high_pass, pan, effects, sends, note, place: place.clone() };
        if name == ROOT_BUS {
            if let Some(into) = into {
                reading.fault(&into.place, "the bus main runs into nothing", "take \"into\" out");
            }
            buses[0] = bus;
        } else {
            into.get_or_insert_with(|| Located { value: ROOT_BUS.into(), place });
            buses.push(BusDoc { into, ..bus });
        }
    }
    document.buses = buses;
    document.snapshots = read_snapshots(reading, &top);
    document.ducks = read_ducks(reading, &top);
    document.player_levels = read_player_levels(reading, &top);
    top.finish();
}

pub(super) fn read_modulations(reading: &Reading<'_>) -> Vec<ModulationDoc> {
    let toml = parse_toml(reading.file, reading.text, reading.faults);
    let top = Fields::new(reading, &registry::MODULATIONS, toml.as_table(), "modulation.toml", Place::whole(reading.file));
    let mut list = Vec::new();
    let item = top.item("modulation");
    if let Some((item, place)) = &item {
        match item.as_array_of_tables() {
            Some(tables) => {
                for (at, table) in tables.iter().enumerate() {
                    let place = reading.place(table.span());
                    let fields = Fields::new(reading, &registry::MODULATION, table, format!("modulation {}", at + 1), place);
                    list.extend(modulation(reading, fields, at));
                }
            }
            None => reading.fault(place, "modulation is not a list of tables", "write each below a line [[modulation]]"),
        }
    }
    top.finish();
    list
}

const CAN_MOVE: &str = "write moves = \"SOUND level\", \"bus BUS level\", \"bus BUS send RETURN\", \"bus BUS EFFECT SETTING\", \"generator NAME CONTROL\", \"snapshot NAME amount\", \"piece PIECE tempo\" or \"layer PIECE/LAYER level\"";

fn modulation(reading: &Reading<'_>, fields: Fields<'_>, written: usize) -> Option<ModulationDoc> {
    let from = fields.text("from");
    let moves = fields.text("moves");
    let curve = fields.texts("curve");
    let smooth = fields.quantity("smooth").map_or(Seconds(0.0), |s| s.value);
    fields.text("note");
    let place = fields.place.clone();
    for (field, there) in [("from", from.is_some()), ("moves", moves.is_some()), ("curve", curve.is_some())] {
        if !there {
            let fix = match field {
                "from" => "write from = and a parameter",
                "moves" => CAN_MOVE,
                _ => "write curve = [\"0: -12 dB\", \"1: 0 dB\"]",
            };
            reading.fault(&place, format!("a modulation has no field {field}"), fix);
        }
    }
    fields.finish();
    let (from, moves, curve) = (from?, moves?, curve?);
    let words: Vec<&str> = moves.value.split_whitespace().collect();
    let (kind, target, property) = match words.as_slice() {
        ["bus", bus, "level"] => (Moved::Bus, *bus, "level"),
        ["bus", _, "low-pass" | "high-pass" | "pan"] | ["bus" | "sound", _, _, _] | ["group", _, "level"] | ["snapshot", _, "amount"] | ["generator", _, _] => {
            let (target, word) = moves.value.rsplit_once(' ').unwrap_or((&moves.value, ""));
            return Some(ModulationDoc {
                from,
                target: Located { value: words.join(" "), place: moves.place.clone() },
                kind: Moved::Mix,
                // Known once all of the mix is.
                property: Property::Level,
                word: if target.is_empty() { String::new() } else { word.to_owned() },
                curve: curve.into_iter().map(|p| (p.value, p.place)).collect(),
                smooth,
                written,
                place,
            });
        }
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
        let fix = did_you_mean(
            property,
            Property::ALL.map(|(_, word)| word),
            "write level, pitch, low-pass, high-pass, pan, every, chance, each, all, sweep, tempo, transposition or density",
        );
        reading.fault(&moves.place, format!("\"{property}\" is not a property"), fix);
        return None;
    };
    if !kind.has(*known) {
        let what = match kind {
            Moved::Sound => "a sound",
            Moved::Bus => "a bus",
            Moved::Piece => "a piece",
            Moved::Layer => "a layer",
            Moved::Mix => "that",
        };
        reading.fault(&moves.place, format!("{what} has no {property} to move"), CAN_MOVE);
        return None;
    }
    Some(ModulationDoc {
        from,
        target: Located { value: target.to_owned(), place: moves.place },
        kind,
        property: *known,
        word: property.to_owned(),
        curve: curve.into_iter().map(|p| (p.value, p.place)).collect(),
        smooth,
        written,
        place,
    })
}

/// The setting of an effect on a bus, by the bus, the effect and its word.
fn setting_unit(document: &Document, bus: &str, effect: &str, word: &str) -> Option<Unit> {
    if word == "wet" {
        return Some(Unit::Share);
    }
    let effect = document.buses.iter().find(|b| b.name == bus)?.effects.iter().find(|i| i.name == effect)?;
    let kind = kind_of(&document.shared.effect, effect)?;
    kind.settings.iter().find(|s| s.word == word).map(|s| s.unit)
}

/// The kind of an effect as written: said, or the shared one's, or its name.
#[must_use]
pub fn kind_of(shared: &[EffectDoc], effect: &EffectDoc) -> Option<&'static Kind> {
    let like = effect.like.as_ref().and_then(|like| shared.iter().find(|s| s.name == like.value));
    let word = effect.kind.as_ref().or_else(|| like.and_then(|l| l.kind.as_ref())).map_or_else(|| like.map_or(&effect.name, |l| &l.name), |k| &k.value);
    estampie_engine::dsp::effects::kind(word)
}

/// What can be moved or held in the mix has a unit of its own, which only all files together tell.
pub(super) fn know_what_is_moved(document: &mut Document) {
    for at in 0..document.modulations.len() {
        if document.modulations[at].kind == Moved::Mix {
            let words: Vec<String> = document.modulations[at].target.value.split(' ').map(str::to_owned).collect();
            let words: Vec<&str> = words.iter().map(String::as_str).collect();
            document.modulations[at].property = property_of(document, &words).unwrap_or(Property::Level);
        }
    }
}

/// The property that a name in the mix stands for.
#[must_use]
pub fn property_of(document: &Document, words: &[&str]) -> Option<Property> {
    Some(match words {
        ["bus" | "group", _, "level"] | ["bus" | "sound", _, "send", _] => Property::Level,
        ["bus", _, "low-pass"] => Property::LowPass,
        ["bus", _, "high-pass"] => Property::HighPass,
        ["bus", _, "pan"] => Property::Pan,
        ["snapshot", _, "amount"] => Property::Amount,
        ["bus", bus, effect, word] => Property::Setting(setting_unit(document, bus, effect, word)?),
        ["generator", name, word] => {
            let (_, kind) = document.shared.generator.iter().find(|g| g.name == *name)?.kind()?;
            Property::Setting(kind.settings.iter().find(|s| s.word == *word)?.unit)
        }
        _ => return None,
    })
}
