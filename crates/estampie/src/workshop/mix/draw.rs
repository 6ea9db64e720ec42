//! The table of buses: levels and meters, effects, sends, and what snapshots hold.

use super::super::app::App;
use super::super::painter::{AWAY, LOW_PAGE, NARROW, Painter, cut, print_level};
use super::super::theme::Role;
use super::super::view::Targets;
use super::inputs::MixTarget;
use super::{Focus, panels};
use estampie_engine::engine::BusStatus;
use estampie_engine::index::BusIndex;
use estampie_engine::names::NameKey;
use estampie_project::document::{BusDoc, SnapshotDoc};
use ratatui::layout::Rect;

/// The ends of a level line, in dB.
const LOW: f32 = -60.0;
const HIGH: f32 = 12.0;
/// The widths of the columns of sends and snapshots.
const SEND: u16 = 7;
const SNAPSHOT: u16 = 10;

/// The level at a share of the level line.
pub(crate) fn level_at(share: f32) -> f32 {
    if share <= 0.0 { f32::NEG_INFINITY } else { LOW + share * (HIGH - LOW) }
}

fn share_of(level: f32) -> f32 {
    ((level - LOW) / (HIGH - LOW)).clamp(0.0, 1.0)
}

/// Where the columns stand.
struct Columns {
    level: u16,
    line: Rect,
    meter: Rect,
    peak: u16,
    effects: (u16, u16),
    sends: u16,
    snapshots: u16,
    /// The first snapshot that is shown, and how many are.
    shown: (usize, usize),
    end: u16,
}

impl Columns {
    fn of(app: &App, wide: u16) -> Columns {
        if wide < NARROW {
            return Columns::narrow(app, wide);
        }
        let returns = app.returns().len().min(4) as u16;
        let snapshots = app.document().snapshots.len();
        let room = (wide.saturating_sub(96 + returns * SEND) / SNAPSHOT).max(2).min(snapshots as u16);
        let first = (app.mix.snapshot + 1).saturating_sub(usize::from(room));
        let right = wide.saturating_sub(1 + room * SNAPSHOT);
        let sends = right.saturating_sub(returns * SEND + 1);
        let left = 28;
        let free = sends.saturating_sub(left + 2);
        let (line, meter) = ((free / 3).clamp(12, 30), (free / 4).clamp(8, 24));
        let effects = left + line + meter + 10;
        Columns {
            level: left - 1,
            line: Rect { x: left + 1, y: 0, width: line, height: 1 },
            meter: Rect { x: left + line + 3, y: 0, width: meter, height: 1 },
            peak: left + line + meter + 9,
            effects: (effects + 1, sends.saturating_sub(effects + 2)),
            sends,
            snapshots: right,
            shown: (first, usize::from(room)),
            end: wide - 1,
        }
    }

    /// On a narrow page: sends, snapshots or effects, as the focus is, and the others beyond the page.
    fn narrow(app: &App, wide: u16) -> Columns {
        let (away, left, line, meter) = (wide + AWAY, 28, 12, 8);
        let free = left + line + meter + 11;
        let sends = app.mix.focus == Focus::Sends;
        let room = if app.mix.focus == Focus::Snapshots { (wide.saturating_sub(free) / SNAPSHOT).max(1) } else { 0 };
        let first = (app.mix.snapshot + 1).saturating_sub(usize::from(room));
        Columns {
            level: left - 1,
            line: Rect { x: left + 1, y: 0, width: line, height: 1 },
            meter: Rect { x: left + line + 3, y: 0, width: meter, height: 1 },
            peak: free - 2,
            effects: if sends || room > 0 { (away, 0) } else { (free, wide.saturating_sub(free + 1)) },
            sends: if sends { free } else { away },
            snapshots: match () {
                () if sends => wide,
                () if room > 0 => free,
                () => away,
            },
            shown: (first, usize::from(room)),
            end: wide - 1,
        }
    }
}

pub(crate) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let columns = Columns::of(app, area.width);
    let names = heads(app, painter, &columns, area);
    let below = matches!(app.mix.focus, Focus::Effect | Focus::Player);
    if area.height < LOW_PAGE && !below {
        return buses_alone(app, painter, &columns, Rect { y: area.y + 1 + names, height: area.height - 1 - names, ..area }, targets);
    }
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
        bus_line(app, painter, &columns, index, top + row as u16 * step, targets);
    }
    if usize::from(buses) > first + most {
        painter.text(1, area.y + 1, 40, &format!("and {} more below", usize::from(buses) - first - most), Role::Secondary);
    }
    let foot = top + rows + 1;
    if area.height >= LOW_PAGE {
        snapshot_feet(app, painter, &columns, foot, targets);
    }
    painter.rule(1, foot, columns.snapshots.saturating_sub(3));
    let x = painter.text(1, foot + 1, columns.snapshots.saturating_sub(2), "◆ level you set", Role::Secondary) + 3;
    let x = painter.text(x, foot + 1, columns.snapshots.saturating_sub(x + 2), "◇ where snapshots take it", Role::Snapshot) + 3;
    let x = painter.text(x, foot + 1, columns.snapshots.saturating_sub(x + 2), "◆ where the game takes it", Role::FromGame) + 3;
    painter.text(x, foot + 1, columns.snapshots.saturating_sub(x + 2), "▎peak", Role::Secondary);
    band(app, painter, if area.height < LOW_PAGE { foot + 2 } else { foot + 4 }, area.width);
    // On a low page what snapshots say beneath their columns is not shown here, and leaves its rows.
    let panels = if area.height < LOW_PAGE { foot + 3 } else { foot + 6 };
    panels::draw(app, painter, Rect { x: 1, y: panels, width: area.width - 2, height: area.bottom().saturating_sub(panels) }, targets);
}

/// All the buses that have room on a low page, while the keys are with them; what lies below them comes when `tab` goes there.
fn buses_alone(app: &App, painter: &mut Painter<'_>, columns: &Columns, area: Rect, targets: &mut Targets) {
    // What is said of snapshots beneath their columns.
    let feet = if app.mix.focus == Focus::Snapshots { 5 } else { 0 };
    let buses = app.program().mix.buses.len();
    let most = usize::from(area.height.saturating_sub(feet).max(1));
    let first = (app.bus + 1).saturating_sub(most);
    let shown = most.min(buses - first);
    for row in 0..shown {
        bus_line(app, painter, columns, first + row, area.y + row as u16, targets);
    }
    painter.more(Rect { height: shown as u16, ..area }, first, buses - first - shown);
    if feet > 0 {
        snapshot_feet(app, painter, columns, area.y + shown as u16, targets);
    }
}

/// The headings of the columns; gives how many rows the names of snapshots take.
fn heads(app: &App, painter: &mut Painter<'_>, columns: &Columns, area: Rect) -> u16 {
    let y = area.y;
    let snapshots = || app.document().snapshots.iter().enumerate().skip(columns.shown.0).take(columns.shown.1);
    // Where there is room a long name goes over two rows.
    let rows = if area.height > 36 && snapshots().any(|(_, doc)| two_rows(&doc.name).1.is_some()) { 2 } else { 1 };
    painter.heading(1, y, 20, "Buses", "");
    painter.right(columns.level, y, "level dB", Role::Secondary);
    let zero = columns.line.x + (share_of(0.0) * f32::from(columns.line.width - 1)).round() as u16;
    painter.text(zero, y, 1, "0", Role::Secondary);
    painter.text(columns.meter.x, y, columns.meter.width, "sounding", Role::Secondary);
    painter.right(columns.peak, y, "peak", Role::Secondary);
    painter.text(columns.effects.0, y, columns.effects.1, "pan, effects", Role::Secondary);
    let returns = app.returns();
    if !returns.is_empty() {
        painter.text(columns.sends, y, (returns.len() as u16 * SEND).max(8).min(columns.snapshots.saturating_sub(columns.sends)), "sends to", Role::Secondary);
    }
    for (at, name) in returns.iter().enumerate() {
        let x = columns.sends + at as u16 * SEND;
        if x + SEND > columns.snapshots {
            break;
        }
        let here = app.mix.focus == Focus::Sends && app.mix.send == at;
        painter.right(x + SEND - 1, y + rows, &cut(name, SEND - 1), if here { Role::Active } else { Role::Text });
    }
    if !app.document().snapshots.is_empty() {
        painter.text(columns.snapshots, y, columns.end.saturating_sub(columns.snapshots), "snapshots hold", Role::Snapshot);
    }
    for (column, (at, doc)) in snapshots().enumerate() {
        let x = columns.snapshots + column as u16 * SNAPSHOT;
        let target = app.mix.target.as_deref() == Some(&doc.name);
        let here = app.mix.focus == Focus::Snapshots && app.mix.snapshot == at;
        let role = if target {
            Role::Snapshot
        } else if here {
            Role::Active
        } else {
            Role::Text
        };
        match two_rows(&doc.name) {
            (first, Some(second)) if rows == 2 => {
                painter.text(x, y + 1, SNAPSHOT - 1, first, role);
                painter.text(x, y + 2, SNAPSHOT - 1, &cut(second, SNAPSHOT - 1), role);
            }
            _ => {
                painter.text(x, y + rows, SNAPSHOT - 1, &cut(&doc.name, SNAPSHOT - 1), role);
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

fn now_of(app: &App, index: usize) -> Option<BusStatus> {
    app.rehearsal.status.as_ref().filter(|s| s.program == app.program().id).and_then(|s| s.buses.get(index)).copied()
}

fn bus_line(app: &App, painter: &mut Painter<'_>, columns: &Columns, index: usize, y: u16, targets: &mut Targets) {
    let program = app.program();
    let bus = &program.mix.buses[BusIndex::new(index)];
    let name = program.names.get(bus.key);
    let Some(doc) = app.document().buses.iter().find(|b| b.name == name) else { return };
    let chosen = index == app.bus;
    if chosen {
        painter.select(0, y, columns.end + 1);
    }
    targets.push((Rect { x: 0, y, width: columns.sends, height: 1 }, std::rc::Rc::new(MixTarget::Bus(index))));
    let indent = (bus.depth as u16 * 2).min(8);
    if bus.depth > 0 {
        painter.text(1 + indent, y, 1, "└", Role::Rule);
    }
    let x = 2 + indent + u16::from(bus.depth > 0);
    let end = painter.text(x, y, 20u16.saturating_sub(x), name, if chosen { Role::Active } else { Role::Text });
    let only = &app.rehearsal;
    let (word, role) = if only.muted.contains(&bus.key) {
        ("muted", Role::Accent)
    } else if only.soloed.contains(&bus.key) {
        (if only.only.solo_dry { "dry" } else { "solo" }, Role::Accent)
    } else if bus.returns {
        ("return", Role::Secondary)
    } else {
        ("", Role::Secondary)
    };
    if end + 1 < 21u16.saturating_sub(word.len() as u16) || !word.is_empty() {
        painter.right(20.max(end + 1 + word.len() as u16).min(columns.level - 6), y, word, role);
    }
    let level = doc.level.0;
    painter.right(columns.level, y, &print_level(level), Role::Text);
    level_line(painter, Rect { y, ..columns.line }, level, now_of(app, index), chosen);
    targets.push((Rect { y, ..columns.line }, std::rc::Rc::new(MixTarget::Level(index))));
    meter(app, painter, columns, y, bus.key);
    effects_of(app, painter, columns, (doc, y), chosen);
    sends_of(app, painter, columns, (doc, index, y), chosen, targets);
    snapshots_of(app, painter, columns, (name, index, y), chosen, targets);
}

/// The pan of a bus where it has one, and its effects in a row.
fn effects_of(app: &App, painter: &mut Painter<'_>, columns: &Columns, (doc, y): (&BusDoc, u16), chosen: bool) {
    let (name, only) = (&doc.name, &app.rehearsal);
    let mut at = columns.effects.0;
    if doc.pan.0 != 0.0 {
        at = painter.text(at, y, columns.effects.1, &doc.pan.to_string(), Role::FromGame) + 1;
    }
    for (place, effect) in doc.effects.iter().enumerate() {
        let left = (columns.effects.0 + columns.effects.1).saturating_sub(at);
        let bypassed = only.only.bypassed.contains(&NameKey::of(&format!("{name} {}", effect.name))) || only.only.bypassed.contains(&NameKey::NONE);
        let role = match () {
            () if effect.off == Some(true) => Role::Rule,
            () if bypassed => Role::Accent,
            () if chosen && place == app.mix.effect && matches!(app.mix.focus, Focus::Effect | Focus::Levels) => Role::Active,
            () => Role::Text,
        };
        // What is bypassed for now and what the file leaves out have marks of their own.
        let mark = match (bypassed, effect.off == Some(true)) {
            (true, _) => "×",
            (_, true) => "○",
            _ => "",
        };
        at = painter.text(at, y, left, &format!("{mark}{}", effect.name), role) + 1;
    }
}

/// What a bus sends, a column for each return.
fn sends_of(app: &App, painter: &mut Painter<'_>, columns: &Columns, (doc, index, y): (&BusDoc, usize, u16), chosen: bool, targets: &mut Targets) {
    for (place, to) in app.returns().iter().enumerate() {
        let x = columns.sends + place as u16 * SEND;
        if x + SEND > columns.snapshots {
            break;
        }
        let here = chosen && app.mix.focus == Focus::Sends && app.mix.send == place;
        let send = doc.sends.iter().find(|s| s.to.value == *to);
        let left_out = app.rehearsal.only.bypassed.contains(&NameKey::of(&format!("bus {} send {to}", doc.name)));
        let mark = if left_out { "×" } else { "" };
        let text = send.map_or("·".into(), |s| format!("{mark}{}{}", print_level(s.level.0), if s.before { "^" } else { "" }));
        painter.right(
            x + SEND - 1,
            y,
            &text,
            if here {
                Role::Active
            } else if send.is_some() {
                Role::Text
            } else {
                Role::Rule
            },
        );
        targets.push((Rect { x, y, width: SEND, height: 1 }, std::rc::Rc::new(MixTarget::Send(index, place))));
    }
}

/// What snapshots hold of a bus, a column for each snapshot that is shown.
fn snapshots_of(app: &App, painter: &mut Painter<'_>, columns: &Columns, (name, index, y): (&str, usize, u16), chosen: bool, targets: &mut Targets) {
    for (row, (at, snapshot)) in app.document().snapshots.iter().enumerate().skip(columns.shown.0).take(columns.shown.1).enumerate() {
        let x = columns.snapshots + row as u16 * SNAPSHOT;
        let here = chosen && app.mix.focus == Focus::Snapshots && app.mix.snapshot == at;
        let text = held_of(snapshot, name);
        let target = app.mix.target.as_deref() == Some(&snapshot.name);
        let role = if here {
            Role::Active
        } else if text == "·" {
            Role::Rule
        } else if target {
            Role::Snapshot
        } else {
            Role::Text
        };
        painter.text(x, y, SNAPSHOT - 1, &text, role);
        targets.push((Rect { x, y, width: SNAPSHOT, height: 1 }, std::rc::Rc::new(MixTarget::Held(index, at))));
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

fn level_line(painter: &mut Painter<'_>, line: Rect, level: f32, now: Option<BusStatus>, chosen: bool) {
    painter.rule(line.x, line.y, line.width);
    let at = |level: f32| line.x + (share_of(level) * f32::from(line.width - 1)).round() as u16;
    painter.text(at(0.0), line.y, 1, "┼", Role::Rule);
    if let Some(now) = now {
        if now.held_db.abs() >= 0.05 {
            painter.text(at(level + now.held_db), line.y, 1, "◇", Role::Snapshot);
        }
        if now.moved_db.abs() >= 0.05 {
            painter.text(at(level + now.held_db + now.moved_db), line.y, 1, "◆", Role::FromGame);
        }
    }
    painter.text(at(level), line.y, 1, "◆", if chosen { Role::Active } else { Role::Text });
}

fn meter(app: &App, painter: &mut Painter<'_>, columns: &Columns, y: u16, bus: NameKey) {
    let meter = Rect { y, ..columns.meter };
    let held = app.rehearsal.meters.get(&bus).copied();
    let share = |level: f32| ((level + 60.0) / 60.0).clamp(0.0, 1.0);
    painter.bar(meter.x, y, meter.width, held.map_or(0.0, |h| share(h.now)), Role::Active);
    match held.filter(|h| h.held > -60.0) {
        Some(held) => {
            let x = meter.x + (share(held.held) * f32::from(meter.width - 1)).round() as u16;
            painter.text(x, y, 1, "▎", if held.held > -0.5 { Role::Accent } else { Role::Active });
            painter.right(columns.peak, y, &print_level(held.held), Role::Text);
        }
        None => painter.right(columns.peak, y, "−∞", Role::Secondary),
    }
}

/// Below each snapshot: how much of it there is, how it rises and falls, and its order.
fn snapshot_feet(app: &App, painter: &mut Painter<'_>, columns: &Columns, y: u16, targets: &mut Targets) {
    let status = app.rehearsal.status.as_ref().filter(|s| s.program == app.program().id);
    for (row, (at, doc)) in app.document().snapshots.iter().enumerate().skip(columns.shown.0).take(columns.shown.1).enumerate() {
        let x = columns.snapshots + row as u16 * SNAPSHOT;
        let now = status.and_then(|s| s.snapshots.get(at)).copied().unwrap_or_default();
        let role = if now.share > 0.0 { Role::Snapshot } else { Role::Secondary };
        let hand = if now.by_hand { " hand" } else { "" };
        painter.text(x, y, SNAPSHOT - 1, &format!("{:.0}%{hand}", now.share * 100.0), role);
        for (line, (field, text)) in [
            ("rise", format!("rise {}", seconds(doc.rise.time.0))),
            ("fall", format!("fall {}", seconds(doc.fall.time.0))),
            ("order", format!("order {}", doc.order)),
        ]
        .into_iter()
        .enumerate()
        {
            painter.text(x, y + 1 + line as u16, SNAPSHOT - 1, &text, Role::Secondary);
            targets.push((Rect { x, y: y + 1 + line as u16, width: SNAPSHOT, height: 1 }, std::rc::Rc::new(MixTarget::SnapshotField(at, field))));
        }
    }
}

fn seconds(time: f64) -> String {
    if time == 0.0 { "at once".into() } else { format!("{time:.2}").trim_end_matches('0').trim_end_matches('.').to_owned() }
}

/// The line that nobody overlooks: a snapshot is edited, not the mix.
fn band(app: &App, painter: &mut Painter<'_>, y: u16, width: u16) {
    app.draw_comparison(painter, if app.mix.target.is_some() { y + 1 } else { y }, width);
    let Some(target) = &app.mix.target else { return };
    let style = painter.theme.band();
    painter.put(0, y, width, &" ".repeat(usize::from(width)), style);
    let end = painter.put(2, y, width - 2, &format!("You are editing the snapshot {target}.  The mix beneath stays as it is."), style);
    let words = if app.mix.without { "you hear the mix without it   a  hear it   esc  back to the mix" } else { "a  hear without it   esc  back to the mix" };
    let from = width.saturating_sub(words.len() as u16 + 2).max(end + 2);
    painter.put(from, y, width.saturating_sub(from), words, style);
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
        assert_eq!((print_level(f32::NEG_INFINITY).as_str(), print_level(-6.04).as_str()), ("−∞", "−6.0"));
        assert_eq!(two_rows("under-the-vault"), ("under-", Some("the-vault")));
        assert_eq!(
            (two_rows("radio"), two_rows("a-verylongname"), two_rows("verylongname")),
            (("radio", None), ("a-", Some("verylongname")), ("verylongname", None))
        );
        assert_eq!((cut("sealed-cabin", 9).as_str(), cut("radio", 9).as_str()), ("sealed-c…", "radio"));
    }
}
