//! The recordings of an instrument that is open: a line for each, and the keyboard with what each key and velocity plays.

use super::prompts::NotesPrompt;
use crate::workshop::app::{App, Mode};
use crate::workshop::painter::Painter;
use crate::workshop::text_field::TextField;
use crate::workshop::theme::Role;
use crate::workshop::view::{Clicks, Targets};
use estampie_engine::music::spec::Instrument;
use estampie_engine::names::NameKey;
use estampie_project::document::{InstrumentDoc, KeyZoneDoc, Refusal};
use estampie_project::notes::print_pitch;
use ratatui::layout::Rect;
use std::rc::Rc;

/// The keys that are drawn, C1 to C8.
const KEYS: (u8, u8) = (24, 108);
/// Recordings are told by these in the picture.
const SIGNS: [char; 16] = ['1', '2', '3', '4', '5', '6', '7', '8', '9', 'a', 'b', 'c', 'd', 'e', 'f', '+'];

impl App {
    /// Takes a key while a recording of the open instrument is chosen, by its place; false if it means something else there.
    pub(super) fn zone_key(&mut self, at: usize, name: &str) -> bool {
        let Some(zones) = self.open_instrument().map(|(_, doc)| doc.takes.clone()) else { return false };
        let Some(zone) = zones.get(at) else { return false };
        match name {
            "left" | "right" | "shift-left" | "shift-right" => {
                let by: i16 = if name.ends_with("left") { -1 } else { 1 };
                let moved = |key: u8| (i16::from(key) + by).clamp(0, 127) as u8;
                // The upper end, or with shift the lower one; neither goes past the other.
                let (low, high) = zone.keys;
                let keys = if name.starts_with("shift") { (moved(low).min(high), high) } else { (low, moved(high).max(low)) };
                self.put_zone(at, |zone| zone.keys = keys);
            }
            "{" | "}" => {
                let by: i16 = if name == "{" { -5 } else { 5 };
                let (low, high) = zone.velocities;
                let high = (i16::from(high) + by).clamp(i16::from(low), 127) as u8;
                self.put_zone(at, |zone| zone.velocities = (low, high));
            }
            "e" => self.mode = Mode::typing(NotesPrompt::Zone(Some(at)), TextField::offer(&zone.to_string())),
            "-" => {
                let left: Vec<String> = zones.iter().enumerate().filter(|(n, _)| *n != at).map(|(_, zone)| zone.to_string()).collect();
                let count = left.len();
                self.workspace.begin_anew();
                self.set_open_zones(&left);
                self.workspace.begin_anew();
                // The one before is chosen, if there is one.
                if at >= count && count > 0 {
                    self.choose_zone(count - 1);
                }
            }
            _ => return false,
        }
        true
    }

    /// Asks for one more recording of the open instrument.
    pub(super) fn begin_zone(&mut self) {
        self.mode = Mode::typing(NotesPrompt::Zone(None), TextField::default());
    }

    fn put_zone(&mut self, at: usize, change: impl FnOnce(&mut KeyZoneDoc)) {
        let Some(mut zones) = self.open_instrument().map(|(_, doc)| doc.takes.clone()) else { return };
        if let Some(zone) = zones.get_mut(at) {
            change(zone);
        }
        self.set_open_zones(&zones.iter().map(ToString::to_string).collect::<Vec<_>>());
    }

    fn set_open_zones(&mut self, zones: &[String]) {
        let Some(name) = self.open_instrument().map(|(_, doc)| doc.name.clone()) else { return };
        let done = self.workspace.set_zones(&name, zones);
        self.edited(done);
        self.load_missing();
    }

    /// Writes a recording as it was typed: in the place of one, or one more.
    pub(super) fn typed_zone(&mut self, at: Option<usize>, text: &str) -> Result<(), Refusal> {
        let Some((name, mut zones)) = self.open_instrument().map(|(_, doc)| (doc.name.clone(), doc.takes.iter().map(ToString::to_string).collect::<Vec<_>>()))
        else {
            return Ok(());
        };
        match at.and_then(|at| zones.get_mut(at)) {
            Some(zone) => text.clone_into(zone),
            None => zones.push(text.to_owned()),
        }
        self.workspace.begin_anew();
        self.workspace.set_zones(&name, &zones)?;
        self.workspace.begin_anew();
        self.recompile();
        self.load_missing();
        Ok(())
    }
}

/// A line of a recording: a click chooses it.
#[derive(Debug)]
struct ZoneClick(usize);

impl Clicks for ZoneClick {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        app.choose_zone(self.0);
    }
}

/// Lines of recordings, of which `chosen` is chosen, and below the keys and velocities that each is heard at.
pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, chosen: Option<usize>, doc: &InstrumentDoc, targets: &mut Targets) {
    painter.heading(area.x, area.y, area.width, "Recordings", "+ one more, - takes away, { } velocity");
    let picture = if area.height >= 12 { 8 } else { 0 };
    let room = usize::from(area.height.saturating_sub(1 + picture));
    let first = chosen.map_or(0, |at| (at + 1).saturating_sub(room));
    for (row, (at, zone)) in doc.takes.iter().enumerate().skip(first).take(room).enumerate() {
        let place = Rect { y: area.y + 1 + row as u16, height: 1, ..area };
        if chosen == Some(at) {
            painter.select(place.x, place.y, place.width);
        }
        let role = if chosen == Some(at) { Role::Active } else { Role::Text };
        let name = zone.file.value.rsplit('/').next().unwrap_or_default();
        painter.text(place.x + 1, place.y, 1, &sign(at).to_string(), Role::Secondary);
        let keys = format!("{} {}–{} {}–{}", print_pitch(zone.root), print_pitch(zone.keys.0), print_pitch(zone.keys.1), zone.velocities.0, zone.velocities.1);
        painter.text(place.x + 3, place.y, place.width.saturating_sub(5 + keys.chars().count() as u16), name, role);
        painter.right(place.right(), place.y, &keys, Role::Secondary);
        targets.push((place, Rc::new(ZoneClick(at))));
    }
    painter.more(Rect { y: area.y + 1, height: room as u16, ..area }, first, doc.takes.len().saturating_sub(first + room));
    let instrument = app.program().music.instruments.iter().find(|i| i.key == NameKey::of(&doc.name));
    if let Some(instrument) = instrument.filter(|i| picture > 0 && i.takes.len() == doc.takes.len()) {
        keyboard(painter, Rect { y: area.bottom() - picture, height: picture, ..area }, chosen, instrument);
    }
}

fn sign(at: usize) -> char {
    SIGNS[at.min(SIGNS.len() - 1)]
}

/// What is played by key (to the right) and velocity (upwards): asked of the instrument itself, so that it is what is heard.
fn keyboard(painter: &mut Painter<'_>, area: Rect, chosen: Option<usize>, instrument: &Instrument) {
    let plot = Rect { x: area.x + 4, y: area.y, width: area.width.saturating_sub(4), height: area.height.saturating_sub(1) };
    if plot.width < 8 || plot.height < 2 {
        return;
    }
    let wide = f32::from(KEYS.1 - KEYS.0);
    let column = |pitch: u8| (f32::from(plot.width - 1) * (f32::from(pitch) - f32::from(KEYS.0)) / wide).round() as i32;
    for row in 0..plot.height {
        let velocity = (127.0 - 126.0 * f32::from(row) / f32::from(plot.height - 1)) as u8;
        if row == 0 || row + 1 == plot.height {
            painter.right(plot.x - 1, plot.y + row, &velocity.to_string(), Role::Secondary);
        }
        for x in 0..plot.width {
            let pitch = f32::from(KEYS.0) + (wide * f32::from(x) / f32::from(plot.width - 1)).round();
            let Some(at) = instrument.zone(pitch, velocity, 0) else { continue };
            let zone = &instrument.takes[at];
            let inside = (f32::from(zone.keys.0)..=f32::from(zone.keys.1)).contains(&pitch) && (zone.velocities.0..=zone.velocities.1).contains(&velocity);
            let role = match (chosen == Some(at), inside) {
                (true, _) => Role::Active,
                (false, true) => Role::Text,
                // It stands in for one that is not there.
                (false, false) => Role::Rule,
            };
            let sign = if column(zone.root) == i32::from(x) { '◆' } else { sign(at) };
            painter.text(plot.x + x, plot.y + row, 1, &sign.to_string(), role);
        }
    }
    for octave in 0..=(KEYS.1 - KEYS.0) / 12 {
        let x = plot.x + column(KEYS.0 + octave * 12) as u16;
        if x + 2 <= area.right() {
            painter.text(x, plot.bottom(), 2, &print_pitch(KEYS.0 + octave * 12), Role::Secondary);
        }
    }
}
