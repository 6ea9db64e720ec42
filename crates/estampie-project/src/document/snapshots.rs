//! Snapshots, ducks and player levels as written in `mix.toml`.

use super::Place;
use super::fields::{Fields, Located, Reading};
use super::game::well_named;
use crate::language::{Condition, reactions};
use estampie_engine::curve::Shape;
use estampie_engine::units::ValueError;
use estampie_engine::units::{Decibels, Seconds, Share};

/// A time with the curve of its way.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Going {
    /// How long.
    pub time: Seconds,
    /// Its curve.
    pub curve: Shape,
}

impl Going {
    /// Reads `0.8 s` or `0.8 s, smooth`.
    ///
    /// # Errors
    /// With what is wrong, as a sentence.
    pub fn read(text: &str) -> Result<Going, ValueError> {
        let (time, curve) = text.split_once(',').unwrap_or((text, "smooth"));
        let time: Seconds = if time.trim() == "at once" { Seconds(0.0) } else { time.parse()? };
        let curve = Shape::read(curve.trim()).ok_or_else(|| ValueError::not(curve.trim(), "a curve: straight, smooth, held, or power with a number"))?;
        Ok(Going { time, curve })
    }
}

/// One value that a snapshot holds.
#[derive(Debug, Clone)]
pub struct HeldDoc {
    /// What is held, as `bus music level`.
    pub what: Located<String>,
    /// Added (`by -3 dB`) instead of taken (`to -20 dB`).
    pub by: bool,
    /// The value as written.
    pub value: Located<String>,
}

/// A snapshot as written.
#[derive(Debug, Clone)]
pub struct SnapshotDoc {
    /// Its name.
    pub name: String,
    /// How it rises.
    pub rise: Going,
    /// How it falls.
    pub fall: Going,
    /// Snapshots of a higher order lie over those of a lower one.
    pub order: i64,
    /// How much of it there is at most, from 0 to 1.
    pub amount: Share,
    /// While all of these hold it is up.
    pub during: Vec<Condition>,
    /// What it holds.
    pub holds: Vec<HeldDoc>,
    /// What it is for.
    pub note: String,
    /// Where it is written.
    pub place: Place,
}

/// One bus or sound holds a bus down.
#[derive(Debug, Clone)]
pub struct HoldDownDoc {
    /// What is listened to: `bus voice` or `sound radio/dispatcher`.
    pub key: Located<String>,
    /// The bus that is ducked.
    pub ducks: Located<String>,
    /// By so much; 0 dB or less.
    pub by: Decibels,
    /// While the key is over this.
    pub over: Decibels,
    /// How it goes down.
    pub attack: Going,
    /// How long it stays after the key has fallen silent.
    pub hold: Seconds,
    /// How it comes back.
    pub release: Going,
    /// Where it is written.
    pub place: Place,
}

/// A level that the player of the game sets.
#[derive(Debug, Clone)]
pub struct PlayerLevelDoc {
    /// Its name.
    pub name: String,
    /// The bus it is for.
    pub bus: Located<String>,
}

/// Reads a held value: `by -3 dB` or `to -20 dB`.
///
/// # Errors
/// With what is wrong, as a sentence.
pub fn read_held(text: &str) -> Result<(bool, &str), ValueError> {
    let text = text.trim();
    if let Some(value) = text.strip_prefix("by ") {
        Ok((true, value.trim()))
    } else if let Some(value) = text.strip_prefix("to ") {
        Ok((false, value.trim()))
    } else {
        Err(format!("\"{text}\" says neither \"by\" nor \"to\"").into())
    }
}

pub(super) fn read_snapshots(reading: &Reading<'_>, top: &Fields<'_>) -> Vec<SnapshotDoc> {
    let mut list = Vec::new();
    for (name, item, place) in top.entries("snapshots") {
        if !well_named(reading, &name, &place) {
            continue;
        }
        let Some(fields) = top.inside("snapshots", item, format!("the snapshot {name}"), place.clone()) else { continue };
        let going = |field, rest: f64| {
            let rest = Going { time: Seconds(rest), curve: Shape::Smooth };
            fields.read(field, "a time, like \"0.8 s\", perhaps with a curve, like \"0.8 s, linear\"", Going::read).map_or(rest, |g| g.value)
        };
        let (rise, fall) = (going("rise", 0.5), going("fall", 1.0));
        let mut holds = Vec::new();
        for (what, item, place) in fields.entries("hold") {
            let Some(text) = item.as_str() else {
                reading.fault(&place, format!("what {name} holds of {what} is not a text"), "write \"by -3 dB\" or \"to -20 dB\"");
                continue;
            };
            match read_held(text) {
                Ok((by, value)) => {
                    let what = what.split_whitespace().collect::<Vec<_>>().join(" ");
                    let place_of = place.clone();
                    holds.push(HeldDoc { what: Located { value: what, place }, by, value: Located { value: value.to_owned(), place: place_of } });
                }
                Err(what) => reading.fault(&place, what, "write \"by -3 dB\" to add to the mix, or \"to -20 dB\" to take its place"),
            }
        }
        let mut during = Vec::new();
        for text in fields.texts("while").unwrap_or_default() {
            match reactions::read_conditions(&text.place, &text.value) {
                Ok(conditions) => during.extend(conditions),
                Err(fault) => reading.fault(&text.place, fault.what, fault.fix),
            }
        }
        let order = fields.whole("order", -1000, 1000).map_or(0, |o| o.value);
        let amount = fields.limited("amount", Share(0.0), Share(1.0)).unwrap_or(Share(1.0));
        let note = fields.text("note").map_or_else(String::new, |n| n.value);
        fields.finish();
        list.push(SnapshotDoc { name, rise, fall, order, amount, during, holds, note, place });
    }
    list
}

pub(super) fn read_ducks(reading: &Reading<'_>, top: &Fields<'_>) -> Vec<HoldDownDoc> {
    let mut list = Vec::new();
    let Some((item, place)) = top.item("duck") else { return list };
    let Some(tables) = item.as_array_of_tables() else {
        reading.fault(&place, "duck is not a list of tables", "write each below a line [[duck]]");
        return list;
    };
    for (at, table) in tables.iter().enumerate() {
        let place = reading.place(table.span());
        let fields = Fields::new(reading, top.kind_in("duck"), table, format!("duck {}", at + 1), place.clone());
        let (key, ducks) = (fields.text("sidechain"), fields.text("ducks"));
        let going = |field, rest: f64| {
            let rest = Going { time: Seconds(rest), curve: Shape::Straight };
            let read = |text: &str| if text.contains(',') { Going::read(text) } else { Going::read(&format!("{text}, linear")) };
            fields.read(field, "a time, like \"40 ms\"", read).map_or(rest, |g| g.value)
        };
        let (attack, release) = (going("attack", 0.04), going("release", 0.6));
        let hold = fields.limited("hold", Seconds(0.0), Seconds(30.0)).unwrap_or(Seconds(0.1));
        let by = fields.limited("by", Decibels(-96.0), Decibels(0.0)).unwrap_or(Decibels(-6.0));
        let over = fields.limited("over", Decibels(-96.0), Decibels(0.0)).unwrap_or(Decibels(-50.0));
        fields.text("note");
        fields.finish();
        for (field, there, fix) in
            [("sidechain", key.is_some(), "write sidechain = \"bus voice\" or \"sound NAME\""), ("ducks", ducks.is_some(), "write ducks = and a bus")]
        {
            if !there {
                reading.fault(&place, format!("a duck has no field {field}"), fix);
            }
        }
        if let (Some(key), Some(ducks)) = (key, ducks) {
            list.push(HoldDownDoc { key, ducks, by, over, attack, hold, release, place });
        }
    }
    list
}

pub(super) fn read_player_levels(reading: &Reading<'_>, top: &Fields<'_>) -> Vec<PlayerLevelDoc> {
    let mut list = Vec::new();
    for (name, item, place) in top.entries("player-levels") {
        match item.as_str() {
            Some(bus) => list.push(PlayerLevelDoc { name, bus: Located { value: bus.to_owned(), place } }),
            None => reading.fault(&place, format!("the player level {name} names no bus"), "write the bus in quotes"),
        }
    }
    list
}
