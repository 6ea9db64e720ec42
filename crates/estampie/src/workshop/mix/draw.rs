//! The table of buses: levels and meters, effects, sends, and what snapshots hold.

use super::super::app::{App, Hit};
use super::super::pen::Pen;
use super::super::theme::Role;
use super::{Focus, panels};
use estampie_engine::engine::BusStatus;
use estampie_engine::names::NameKey;
use estampie_project::document::SnapshotDoc;
use ratatui::layout::Rect;

/// The ends of a level line, in dB.
const LOW: f32 = -60.0;
const HIGH: f32 = 12.0;
/// The widths of the columns of sends and snapshots.
const SEND: u16 = 7;
const SNAPSHOT: u16 = 10;

type Hits = Vec<(Rect, Hit)>;

/// The level at a share of the level line.
pub(crate) fn level_at(share: f32) -> f32 {
    if share <= 0.0 { f32::NEG_INFINITY } else { LOW + share * (HIGH - LOW) }
}

fn share_of(level: f32) -> f32 {
    ((level - LOW) / (HIGH - LOW)).clamp(0.0, 1.0)
}

pub(super) fn print(level: f32) -> String {
    if level <= -119.9 { "−∞".into() } else { format!("{level:.1}").replace('-', "−") }
}

/// Where the columns stand.
struct Columns {
    level: u16,
    line: Rect,
    meter: Rect,
    peak: u16,
    inserts: (u16, u16),
    sends: u16,
    snapshots: u16,
    /// The first snapshot that is shown, and how many are.
    shown: (usize, usize),
    end: u16,
}

impl Columns {
    fn of(app: &App, wide: u16) -> Columns {
        let returns = app.returns().len().min(4) as u16;
        let snapshots = app.document().snapshots.len();
        let room = (wide.saturating_sub(96 + returns * SEND) / SNAPSHOT).max(2).min(snapshots as u16);
        let first = (app.mix.snapshot + 1).saturating_sub(usize::from(room));
        let right = wide.saturating_sub(1 + room * SNAPSHOT);
        let sends = right.saturating_sub(returns * SEND + 1);
        let left = 28;
        let free = sends.saturating_sub(left + 2);
        let (line, meter) = ((free / 3).clamp(12, 30), (free / 4).clamp(8, 24));
        let inserts = left + line + meter + 10;
        Columns {
            level: left - 1,
            line: Rect { x: left + 1, y: 0, width: line, height: 1 },
            meter: Rect { x: left + line + 3, y: 0, width: meter, height: 1 },
            peak: left + line + meter + 9,
            inserts: (inserts + 1, sends.saturating_sub(inserts + 2)),
            sends,
            snapshots: right,
            shown: (first, usize::from(room)),
            end: wide - 1,
        }
    }
}

pub(crate) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect, hits: &mut Hits) {
    let columns = Columns::of(app, area.width);
    let names = heads(app, pen, &columns, area);
    let buses = app.program().mix.buses.len() as u16;
    // What the buses do not need goes to what lies below; that has at least a third.
    let least = (area.height / 3).max(11);
    let room = area.height.saturating_sub(least + 7 + names);
    let step = if buses * 2 <= room { 2 } else { 1 };
    let rows = (buses * step).min(room.max(1));
    let most = usize::from((rows / step).max(1));
    let first = (app.bus + 1).saturating_sub(most);
    let top = area.y + 1 + names;
    for (row, index) in (first..usize::from(buses)).take(most).enumerate() {
        bus_line(app, pen, &columns, index, top + row as u16 * step, hits);
    }
    if usize::from(buses) > first + most {
        pen.text(1, area.y + 1, 40, &format!("and {} more below", usize::from(buses) - first - most), Role::Faded);
    }
    let foot = top + rows + 1;
    snapshot_feet(app, pen, &columns, foot, hits);
    pen.rule(1, foot, columns.snapshots.saturating_sub(3));
    let x = pen.text(1, foot + 1, columns.snapshots - 2, "◆ level you set", Role::Faded) + 3;
    let x = pen.text(x, foot + 1, columns.snapshots.saturating_sub(x + 2), "◇ where snapshots take it", Role::Folium) + 3;
    let x = pen.text(x, foot + 1, columns.snapshots.saturating_sub(x + 2), "◆ where the game takes it", Role::Lapis) + 3;
    pen.text(x, foot + 1, columns.snapshots.saturating_sub(x + 2), "▎peak", Role::Faded);
    band(app, pen, foot + 4, area.width);
    panels::draw(app, pen, Rect { x: 1, y: foot + 6, width: area.width - 2, height: area.bottom().saturating_sub(foot + 6) }, hits);
}

/// The headings of the columns; gives how many rows the names of snapshots take.
fn heads(app: &App, pen: &mut Pen<'_>, columns: &Columns, area: Rect) -> u16 {
    let y = area.y;
    let snapshots = || app.document().snapshots.iter().enumerate().skip(columns.shown.0).take(columns.shown.1);
    // Where there is room a long name goes over two rows.
    let rows = if area.height > 36 && snapshots().any(|(_, doc)| two_rows(&doc.name).1.is_some()) { 2 } else { 1 };
    pen.heading(1, y, 20, "Buses", "");
    pen.right(columns.level, y, "level dB", Role::Faded);
    let zero = columns.line.x + (share_of(0.0) * f32::from(columns.line.width - 1)).round() as u16;
    pen.text(zero, y, 1, "0", Role::Faded);
    pen.text(columns.meter.x, y, columns.meter.width, "sounding", Role::Faded);
    pen.right(columns.peak, y, "peak", Role::Faded);
    pen.text(columns.inserts.0, y, columns.inserts.1, "pan, effects", Role::Faded);
    let returns = app.returns();
    if !returns.is_empty() {
        pen.text(columns.sends, y, returns.len() as u16 * SEND, "sends to", Role::Faded);
    }
    for (at, name) in returns.iter().enumerate() {
        let x = columns.sends + at as u16 * SEND;
        if x + SEND > columns.snapshots {
            break;
        }
        let here = app.mix.focus == Focus::Sends && app.mix.send == at;
        pen.right(x + SEND - 1, y + rows, &cut(name, SEND - 1), if here { Role::Gold } else { Role::Vellum });
    }
    if !app.document().snapshots.is_empty() {
        pen.text(columns.snapshots, y, columns.end - columns.snapshots, "snapshots hold", Role::Folium);
    }
    for (column, (at, doc)) in snapshots().enumerate() {
        let x = columns.snapshots + column as u16 * SNAPSHOT;
        let target = app.mix.target.as_deref() == Some(&doc.name);
        let here = app.mix.focus == Focus::Snapshots && app.mix.snapshot == at;
        let role = if target {
            Role::Folium
        } else if here {
            Role::Gold
        } else {
            Role::Vellum
        };
        match two_rows(&doc.name) {
            (first, Some(second)) if rows == 2 => {
                pen.text(x, y + 1, SNAPSHOT - 1, first, role);
                pen.text(x, y + 2, SNAPSHOT - 1, &cut(second, SNAPSHOT - 1), role);
            }
            _ => {
                pen.text(x, y + rows, SNAPSHOT - 1, &cut(&doc.name, SNAPSHOT - 1), role);
            }
        }
    }
    rows
}

/// A name that is too long for its column, parted after the last `-` that lets its first part fit.
fn two_rows(name: &str) -> (&str, Option<&str>) {
    let wide = usize::from(SNAPSHOT - 1);
    if name.chars().count() <= wide {
        return (name, None);
    }
    let fits = |at: &usize| name[..=*at].chars().count() <= wide;
    name.match_indices('-').map(|(at, _)| at).rfind(fits).map_or((name, None), |at| (&name[..=at], Some(&name[at + 1..])))
}

/// A name in so many columns.
pub(super) fn cut(name: &str, width: u16) -> String {
    if name.chars().count() <= usize::from(width) { name.to_owned() } else { name.chars().take(usize::from(width) - 1).chain(['…']).collect() }
}

fn now_of(app: &App, index: usize) -> Option<BusStatus> {
    app.rehearsal.status.as_ref().filter(|s| s.program == app.program().id).and_then(|s| s.buses.get(index)).copied()
}

fn bus_line(app: &App, pen: &mut Pen<'_>, columns: &Columns, index: usize, y: u16, hits: &mut Hits) {
    let program = app.program();
    let bus = &program.mix.buses[index];
    let name = program.names.get(bus.key);
    let Some(doc) = app.document().buses.iter().find(|b| b.name == name) else { return };
    let chosen = index == app.bus;
    if chosen {
        pen.select(0, y, columns.end + 1);
    }
    hits.push((Rect { x: 0, y, width: columns.sends, height: 1 }, Hit::Bus(index)));
    let indent = (bus.depth as u16 * 2).min(8);
    if bus.depth > 0 {
        pen.text(1 + indent, y, 1, "└", Role::Ghost);
    }
    let x = 2 + indent + u16::from(bus.depth > 0);
    let end = pen.text(x, y, 20u16.saturating_sub(x), name, if chosen { Role::Gold } else { Role::Vellum });
    let only = &app.rehearsal;
    let (word, role) = if only.muted.contains(&bus.key) {
        ("muted", Role::Red)
    } else if only.soloed.contains(&bus.key) {
        (if only.only.solo_dry { "dry" } else { "alone" }, Role::Red)
    } else if bus.returns {
        ("return", Role::Faded)
    } else {
        ("", Role::Faded)
    };
    if end + 1 < 21u16.saturating_sub(word.len() as u16) || !word.is_empty() {
        pen.right(20.max(end + 1 + word.len() as u16).min(columns.level - 6), y, word, role);
    }
    let level = doc.level.0;
    pen.right(columns.level, y, &print(level), Role::Vellum);
    level_line(pen, Rect { y, ..columns.line }, level, now_of(app, index), chosen);
    hits.push((Rect { y, ..columns.line }, Hit::Level(index)));
    meter(app, pen, columns, y, bus.key);
    let mut at = columns.inserts.0;
    if doc.pan.0 != 0.0 {
        at = pen.text(at, y, columns.inserts.1, &doc.pan.to_string(), Role::Lapis) + 1;
    }
    for (place, insert) in doc.inserts.iter().enumerate() {
        let left = (columns.inserts.0 + columns.inserts.1).saturating_sub(at);
        let bypassed = only.only.bypassed.contains(&NameKey::of(&format!("{name} {}", insert.name))) || only.only.bypassed.contains(&NameKey::NONE);
        let role = match () {
            () if insert.off == Some(true) => Role::Ghost,
            () if bypassed => Role::Red,
            () if chosen && place == app.mix.insert && matches!(app.mix.focus, Focus::Effect | Focus::Levels) => Role::Gold,
            () => Role::Vellum,
        };
        // What is bypassed for now and what the file leaves out have marks of their own.
        let mark = match (bypassed, insert.off == Some(true)) {
            (true, _) => "×",
            (_, true) => "○",
            _ => "",
        };
        at = pen.text(at, y, left, &format!("{mark}{}", insert.name), role) + 1;
    }
    for (place, to) in app.returns().iter().enumerate() {
        let x = columns.sends + place as u16 * SEND;
        if x + SEND > columns.snapshots {
            break;
        }
        let here = chosen && app.mix.focus == Focus::Sends && app.mix.send == place;
        let send = doc.sends.iter().find(|s| s.to.value == *to);
        let left_out = only.only.bypassed.contains(&NameKey::of(&format!("bus {name} send {to}")));
        let mark = if left_out { "×" } else { "" };
        let text = send.map_or("·".into(), |s| format!("{mark}{}{}", print(s.level.0), if s.before { "^" } else { "" }));
        pen.right(
            x + SEND - 1,
            y,
            &text,
            if here {
                Role::Gold
            } else if send.is_some() {
                Role::Vellum
            } else {
                Role::Ghost
            },
        );
        hits.push((Rect { x, y, width: SEND, height: 1 }, Hit::Send(index, place)));
    }
    for (row, (at, snapshot)) in app.document().snapshots.iter().enumerate().skip(columns.shown.0).take(columns.shown.1).enumerate() {
        let x = columns.snapshots + row as u16 * SNAPSHOT;
        let here = chosen && app.mix.focus == Focus::Snapshots && app.mix.snapshot == at;
        let text = held_of(snapshot, name);
        let target = app.mix.target.as_deref() == Some(&snapshot.name);
        let role = if here {
            Role::Gold
        } else if text == "·" {
            Role::Ghost
        } else if target {
            Role::Folium
        } else {
            Role::Vellum
        };
        pen.text(x, y, SNAPSHOT - 1, &text, role);
        hits.push((Rect { x, y, width: SNAPSHOT, height: 1 }, Hit::Held(index, at)));
    }
}

/// What a snapshot holds of a bus, as short as it can be said: its level first, then how much more.
fn held_of(snapshot: &SnapshotDoc, bus: &str) -> String {
    let head = format!("bus {bus} ");
    let mine: Vec<_> = snapshot.holds.iter().filter(|h| h.what.value.starts_with(&head)).collect();
    let level = mine.iter().find(|h| h.what.value[head.len()..] == *"level");
    let short = |text: &str| {
        text.replace(" dB", "")
            .replace(" Hz", "")
            .replace(" kHz", "k")
            .replace(" %", "%")
            .replace("silent", "−∞")
            .replace(" ms", "ms")
            .replace(" s", "")
            .replace('-', "−")
    };
    let first = match (level, mine.first()) {
        (Some(held), _) if held.by => {
            format!("{}{}", if held.value.value.starts_with(['-', '−']) { "" } else { "+" }, short(held.value.value.trim_start_matches('+')))
        }
        (Some(held), _) => format!("={}", short(&held.value.value)),
        (None, Some(held)) => {
            let word = held.what.value.rsplit(' ').next().unwrap_or_default();
            let word = match word {
                "low-pass" => "lp",
                "high-pass" => "hp",
                word => word,
            };
            format!("{word} {}", short(&held.value.value))
        }
        (None, None) => return "·".into(),
    };
    let more = mine.len() - 1;
    cut(&if more > 0 { format!("{first} +{more}") } else { first }, SNAPSHOT - 1)
}

fn level_line(pen: &mut Pen<'_>, line: Rect, level: f32, now: Option<BusStatus>, chosen: bool) {
    pen.rule(line.x, line.y, line.width);
    let at = |level: f32| line.x + (share_of(level) * f32::from(line.width - 1)).round() as u16;
    pen.text(at(0.0), line.y, 1, "┼", Role::Ghost);
    if let Some(now) = now {
        if now.held.abs() >= 0.05 {
            pen.text(at(level + now.held), line.y, 1, "◇", Role::Folium);
        }
        if now.moved.abs() >= 0.05 {
            pen.text(at(level + now.held + now.moved), line.y, 1, "◆", Role::Lapis);
        }
    }
    pen.text(at(level), line.y, 1, "◆", if chosen { Role::Gold } else { Role::Vellum });
}

fn meter(app: &App, pen: &mut Pen<'_>, columns: &Columns, y: u16, bus: NameKey) {
    let meter = Rect { y, ..columns.meter };
    let held = app.rehearsal.meters.get(&bus).copied();
    let share = |level: f32| ((level + 60.0) / 60.0).clamp(0.0, 1.0);
    pen.bar(meter.x, y, meter.width, held.map_or(0.0, |h| share(h.now)), Role::Gold);
    match held.filter(|h| h.held > -60.0) {
        Some(held) => {
            let x = meter.x + (share(held.held) * f32::from(meter.width - 1)).round() as u16;
            pen.text(x, y, 1, "▎", if held.held > -0.5 { Role::Red } else { Role::Gold });
            pen.right(columns.peak, y, &print(held.held), Role::Vellum);
        }
        None => pen.right(columns.peak, y, "−∞", Role::Faded),
    }
}

/// Below each snapshot: how much of it there is, how it rises and falls, and its order.
fn snapshot_feet(app: &App, pen: &mut Pen<'_>, columns: &Columns, y: u16, hits: &mut Hits) {
    let status = app.rehearsal.status.as_ref().filter(|s| s.program == app.program().id);
    for (row, (at, doc)) in app.document().snapshots.iter().enumerate().skip(columns.shown.0).take(columns.shown.1).enumerate() {
        let x = columns.snapshots + row as u16 * SNAPSHOT;
        let now = status.and_then(|s| s.snapshots.get(at)).copied().unwrap_or_default();
        let role = if now.share > 0.0 { Role::Folium } else { Role::Faded };
        let hand = if now.by_hand { " hand" } else { "" };
        pen.text(x, y, SNAPSHOT - 1, &format!("{:.0}%{hand}", now.share * 100.0), role);
        for (line, (field, text)) in [
            ("rise", format!("rise {}", seconds(doc.rise.time.0))),
            ("fall", format!("fall {}", seconds(doc.fall.time.0))),
            ("order", format!("order {}", doc.order)),
        ]
        .into_iter()
        .enumerate()
        {
            pen.text(x, y + 1 + line as u16, SNAPSHOT - 1, &text, Role::Faded);
            hits.push((Rect { x, y: y + 1 + line as u16, width: SNAPSHOT, height: 1 }, Hit::SnapshotField(at, field)));
        }
    }
}

fn seconds(time: f64) -> String {
    if time == 0.0 { "at once".into() } else { format!("{time:.2}").trim_end_matches('0').trim_end_matches('.').to_owned() }
}

/// The line that nobody overlooks: a snapshot is edited, not the mix.
fn band(app: &App, pen: &mut Pen<'_>, y: u16, width: u16) {
    app.draw_comparison(pen, if app.mix.target.is_some() { y + 1 } else { y }, width);
    let Some(target) = &app.mix.target else { return };
    let style = pen.theme.band();
    pen.put(0, y, width, &" ".repeat(usize::from(width)), style);
    let end = pen.put(2, y, width - 2, &format!("You are editing the snapshot {target}.  The mix beneath stays as it is."), style);
    let words = if app.mix.without { "you hear the mix without it   a  hear it   esc  back to the mix" } else { "a  hear without it   esc  back to the mix" };
    let from = width.saturating_sub(words.len() as u16 + 2).max(end + 2);
    pen.put(from, y, width.saturating_sub(from), words, style);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_level_and_its_place_on_the_line_undo_each_other() {
        for level in [-59.9f32, -30.0, -6.0, 0.0, 6.0, 12.0] {
            assert!((level_at(share_of(level)) - level).abs() < 1e-3, "{level}");
        }
        assert_eq!(level_at(0.0), f32::NEG_INFINITY, "the left end is silence");
        assert_eq!((share_of(f32::NEG_INFINITY), share_of(99.0)), (0.0, 1.0));
        assert_eq!((print(f32::NEG_INFINITY).as_str(), print(-6.04).as_str()), ("−∞", "−6.0"));
        assert_eq!(two_rows("under-the-vault"), ("under-", Some("the-vault")));
        assert_eq!(
            (two_rows("radio"), two_rows("a-verylongname"), two_rows("verylongname")),
            (("radio", None), ("a-", Some("verylongname")), ("verylongname", None))
        );
        assert_eq!((cut("sealed-cabin", 9).as_str(), cut("radio", 9).as_str()), ("sealed-c…", "radio"));
    }
}
