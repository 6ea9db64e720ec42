//! Drawing the view *Sounds*.

use super::super::app::{App, Mode};
use super::super::painter::{LOW_PAGE, Painter, Sees};
use super::super::playthroughs::NEVER;
use super::super::rehearsal::Heard;
use super::super::theme::Role;
use super::super::view::Targets;
use super::draw_takes::{chained, spoken, takes};
use super::inputs::SoundsTarget;
use super::{Column, Row, draw_made, draw_recording, takes_of};
use estampie_engine::names::NameKey;
use estampie_engine::program::Target;
use estampie_engine::property::Drawn;
use estampie_engine::units::Spread;
use estampie_project::document::{Origin, Setting as _, SoundDoc, VaryDoc, describe, sharers, uses_of};
use ratatui::layout::Rect;

const INDEX: u16 = 31;
const SIDE: u16 = 49;

/// The widths of index and side.
pub(crate) const WIDTHS: (u16, u16) = (INDEX, SIDE);

pub(crate) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let sees = match app.sounds.column {
        _ if app.sounds.opened.is_some() || app.sounds.made.is_some() => Sees::Centre,
        Column::Index => Sees::Left,
        Column::Takes | Column::Settings => Sees::Right,
    };
    let (index, centre, side) = painter.columns_of_page(area, INDEX, SIDE, sees);
    if painter.shows(index) {
        self::index(app, painter, index, targets);
    }
    let Some(sound) = app.sound() else {
        painter.text(centre.x, centre.y, centre.width, "no sounds yet: put files into the folder audio/ and press n", Role::Secondary);
        return;
    };
    // A curve that is drawn over the page has all of the rest beside it.
    let curve = matches!(app.mode, Mode::Curve(_));
    if let Some(made) = app.sounds.made.as_ref().filter(|made| made.sound == sound.name && !curve) {
        let area = Rect { width: area.right().saturating_sub(centre.x + 1), ..centre };
        for y in area.y..area.bottom() {
            painter.text(area.x, y, area.width, &" ".repeat(usize::from(area.width)), Role::Text);
        }
        return draw_made::draw(app, painter, area, made, targets);
    }
    if let Some(opened) = app.sounds.opened.as_ref().filter(|opened| opened.sound == sound.name) {
        let area = Rect { width: area.right().saturating_sub(centre.x + 1), ..centre };
        for y in area.y..area.bottom() {
            painter.text(area.x, y, area.width, &" ".repeat(usize::from(area.width)), Role::Text);
        }
        return draw_recording::draw(app, painter, area, opened, targets);
    }
    self::centre(app, painter, centre, sound, targets);
    if painter.shows(side) {
        self::side(app, painter, side, sound, targets);
    }
}

/// What a sound is, in a word or two.
fn kind(sound: &SoundDoc) -> String {
    let count = takes_of(sound).len();
    if sound.lines.is_some() {
        format!("lines {count}")
    } else if sound.repeat.is_some() {
        "repeats".into()
    } else if !sound.chain.is_empty() {
        "chain".into()
    } else {
        use estampie_project::document::PickDoc;
        match &sound.pick {
            PickDoc::By(of) if of.value.chars().count() <= 7 => format!("by {}", of.value),
            PickDoc::By(_) => "by value".into(),
            PickDoc::Across(..) => "cross-fade".into(),
            PickDoc::Cycle => "cycle".into(),
            PickDoc::Together => "together".into(),
            PickDoc::Shuffle(_) | PickDoc::Weighted(_) => format!("{count} take{}", if count == 1 { "" } else { "s" }),
        }
    }
}

fn index(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let rows = app.sound_rows();
    let view = &app.sounds;
    let aside = match (view.filter.as_str(), view.marked.len()) {
        ("", 0) => format!("{}", app.document().sounds.len()),
        ("", n) => format!("{n} marked of {}", app.document().sounds.len()),
        (filter, _) => format!("with \"{filter}\""),
    };
    painter.heading(1, area.y, area.width - 1, "Sounds", &aside);
    let selected = app.sound().map(|s| s.name.as_str()).unwrap_or_default();
    let foot = 9.min(area.height / 3);
    let height = usize::from(area.height.saturating_sub(foot + 2));
    let here = rows.iter().position(|r| matches!(r, Row::Sound { index, .. } if app.document().sounds[*index].name == selected)).unwrap_or(0);
    let first = (here + 2).saturating_sub(height).min(rows.len().saturating_sub(height));
    for (at, row) in rows.iter().enumerate().skip(first).take(height) {
        let y = area.y + 1 + (at - first) as u16;
        match row {
            Row::Folder(name) => {
                painter.text(2, y, area.width - 3, name, Role::Secondary);
            }
            Row::Sound { index, depth } => {
                let sound = &app.document().sounds[*index];
                let chosen = sound.name == selected;
                if chosen {
                    painter.select(0, y, area.width);
                }
                targets.push((Rect { x: 0, y, width: area.width, height: 1 }, std::rc::Rc::new(SoundsTarget::Sound(sound.name.clone()))));
                let key = NameKey::of(&sound.name);
                let sounds = app.rehearsal.status.as_ref().is_some_and(|s| s.voices.iter().any(|v| !v.asleep && (v.sound == key)));
                let role = if chosen || sounds { Role::Active } else { Role::Text };
                if view.marked.contains(&sound.name) {
                    painter.text(1, y, 1, "✓", Role::Active);
                } else if app.never_come_by("sounds", &sound.name) {
                    painter.text(1, y, 1, NEVER, Role::Active);
                }
                let name = if *depth > 0 { sound.name.split_once('/').map_or(sound.name.as_str(), |(_, n)| n) } else { &sound.name };
                let x = painter.text(2 + depth * 2, y, 17 - depth * 2, name, role) + 1;
                if sounds {
                    painter.text(x, y, 1, "●", Role::Active);
                }
                let gates = &app.rehearsal.only;
                let aside = if gates.muted_sounds.contains(&key) {
                    ("muted".to_owned(), Role::Accent)
                } else if gates.soloed_sounds.contains(&key) {
                    ("solo".to_owned(), Role::Accent)
                } else {
                    (kind(sound), Role::Secondary)
                };
                painter.text(20, y, area.width.saturating_sub(20), &aside.0, aside.1);
            }
        }
    }
    painter.more(Rect { y: area.y + 1, width: area.width - 1, height: height as u16, ..area }, first, rows.len().saturating_sub(first + height));
    let y = area.bottom().saturating_sub(foot);
    let uses = app.sound().map_or_else(Vec::new, |s| uses_of(app.document(), &s.name));
    painter.heading(1, y, area.width - 1, "Used by", "");
    if uses.is_empty() {
        painter.text(2, y + 1, area.width - 3, "nothing; W wires it", Role::Accent);
    }
    for (row, (what, place)) in uses.iter().take(7).enumerate() {
        let y = y + 1 + row as u16;
        if row == 6 && uses.len() > 7 {
            painter.text(2, y, area.width - 3, &format!("and {} more", uses.len() - 6), Role::Secondary);
        } else {
            let at = if place.file == "reactions.est" { format!(":{}", place.line) } else { String::new() };
            painter.text(2, y, area.width - 4 - at.len() as u16, what, Role::Text);
            painter.right(area.right() - 1, y, &at, Role::Secondary);
        }
    }
}

fn centre(app: &App, painter: &mut Painter<'_>, area: Rect, sound: &SoundDoc, targets: &mut Targets) {
    let gold = painter.style(Role::Active).add_modifier(ratatui::style::Modifier::BOLD);
    let x = painter.put(area.x, area.y, area.width, &sound.name, gold) + 2;
    let how = if sound.chain.is_empty() { estampie_project::document::pick_text(&sound.pick) } else { "a chain: one part after another".into() };
    let bus = sound.bus.as_ref().map_or_else(|| "on the bus of what plays it".to_owned(), |b| format!("on bus {}", b.value));
    painter.text(x, area.y, (area.right() - 22).saturating_sub(x), &how, Role::Text);
    painter.right(area.right(), area.y, &bus, Role::Secondary);
    let marked = app.sounds.marked.len();
    if marked > 0 {
        painter.text(area.x, area.y + 1, area.width, &format!("edits are for all {marked} marked sounds"), Role::Accent);
    }
    let list = takes_of(sound);
    let last = app.rehearsal.history.heard.iter().rev().find(|h| h.leaf == NameKey::of(&sound.name)).map(|h| h.take);
    // Below the takes: what varies, what moves it, and its shape; the waves have all that is left.
    let varied = app.document().shared.whole(&sound.vary).said().iter().filter(|(_, said)| said.is_some()).count() as u16;
    let moves = app.document().modulations.iter().any(|m| m.target.value == sound.name);
    let below = (varied + 3 + if moves { 8 } else { 3 } + 11).min(area.height * 2 / 3);
    let most = area.height.saturating_sub(below + 2);
    let room = Rect { y: area.y + 2, height: most, ..area };
    let y = if sound.lines.is_some() && sound.chain.is_empty() && area.width >= 50 {
        spoken(app, painter, room, (sound, &list), last, targets) + 1
    } else if sound.chain.is_empty() || area.height < 30 {
        takes(app, painter, room, &list, last, targets) + 1
    } else {
        let y = chained(app, painter, room, sound) + 1;
        takes(app, painter, Rect { y, height: room.bottom().saturating_sub(y), ..room }, &list, last, targets) + 1
    };
    let y = varies(app, painter, Rect { y, height: area.bottom().saturating_sub(y), ..area }, sound) + 1;
    let y = moved(app, painter, Rect { y, height: area.bottom().saturating_sub(y), ..area }, sound, targets) + 1;
    let rest = Rect { y, height: area.bottom().saturating_sub(y), ..area };
    if area.width < 60 {
        // Side by side neither would have room for its words.
        let y = together(app, painter, rest, sound) + 1;
        if area.bottom().saturating_sub(y) >= 4 {
            shape(app, painter, Rect { y, height: area.bottom() - y, ..area }, sound);
        }
        return;
    }
    let left = Rect { width: area.width * 5 / 12, ..rest };
    shape(app, painter, left, sound);
    together(app, painter, Rect { x: left.right() + 2, width: area.right() - left.right() - 2, ..left }, sound);
}

/// The true minus sign before numbers; hyphens in names stay.
fn minus(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut before = ' ';
    let mut rest = text.chars().peekable();
    while let Some(c) = rest.next() {
        let sign = c == '-' && !before.is_alphanumeric() && rest.peek().is_some_and(char::is_ascii_digit);
        out.push(if sign { '−' } else { c });
        before = c;
    }
    out
}

/// The ranges drawn each time, with the last draws on them; gives the line below.
fn varies(app: &App, painter: &mut Painter<'_>, area: Rect, sound: &SoundDoc) -> u16 {
    let vary: VaryDoc = app.document().shared.whole(&sound.vary);
    let key = NameKey::of(&sound.name);
    let heard: Vec<&Heard> = app.rehearsal.history.heard.iter().rev().filter(|h| h.leaf == key).take(7).collect();
    let share = |(low, high): (f32, f32), v: f32| if high == low { 0.5 } else { ((v - low) / (high - low)).clamp(0.0, 1.0) };
    let drawn = |of: &dyn Fn(&Heard) -> f32, ends: (f32, f32)| heard.iter().map(|h| share(ends, of(h))).collect::<Vec<f32>>();
    let of = vary.of.iter().filter_map(|(property, range)| {
        let Drawn { draw, ends: [low, high], .. } = range.as_ref()?;
        Some((property.word(), low.clone(), high.clone(), drawn(&|h| h.drawn.of[property], draw.ends), draw.centred))
    });
    let times = [("wait", vary.after, (|h| h.drawn.after_seconds) as fn(&Heard) -> f32), ("from", vary.from, |h| h.drawn.from_seconds)];
    let times = times.into_iter().filter_map(|(name, range, of)| {
        let Spread { ends, centred } = range?;
        Some((name, ends.low.to_string(), ends.high.to_string(), drawn(&of, (ends.low.0 as f32, ends.high.0 as f32)), centred))
    });
    let rows: Vec<_> = of.chain(times).collect();
    let aside = if rows.is_empty() { "nothing: v varies it a little, in pitch and level" } else { "◆ this time   · the six before" };
    painter.heading(area.x, area.y, area.width, "Varies each time", aside);
    let line = Rect { x: area.x + 22, y: 0, width: area.width.saturating_sub(46).max(10), height: 1 };
    for (at, (name, low, high, draws, centred)) in rows.iter().enumerate() {
        let y = area.y + 1 + at as u16;
        if y >= area.bottom() {
            break;
        }
        painter.text(area.x + 1, y, 10, name, Role::Text);
        painter.right(line.x - 1, y, &low.replace('-', "−"), Role::Text);
        painter.rule(line.x, y, line.width);
        for (age, share) in draws.iter().enumerate().rev() {
            let x = line.x + (share * f32::from(line.width - 1)).round() as u16;
            painter.text(x, y, 1, if age == 0 { "◆" } else { "•" }, if age == 0 { Role::Active } else { Role::Secondary });
        }
        let x = painter.text(line.right() + 1, y, 12, &high.replace('-', "−"), Role::Text) + 1;
        if *centred {
            painter.text(x, y, area.right().saturating_sub(x), "centred", Role::Secondary);
        }
    }
    area.y + 1 + rows.len() as u16
}

/// The sound's modulations as small curves with the game's present value; gives the line below.
fn moved(app: &App, painter: &mut Painter<'_>, area: Rect, sound: &SoundDoc, targets: &mut Targets) -> u16 {
    let program = app.program();
    let Some(index) = program.find_sound.get(NameKey::of(&sound.name)) else { return area.y };
    let list: Vec<_> = program.modulations.iter().enumerate().filter(|(_, m)| m.target == Target::Sound(index)).collect();
    let aside = match list.len() {
        0 => "nothing; M makes a modulation".to_owned(),
        n if n > 3 => format!("3 of {n}; the others are in the view Wiring"),
        _ => "c edits".to_owned(),
    };
    painter.heading(area.x, area.y, area.width, "Moved by the game", &aside);
    // What there is no other use for goes to the plots.
    let tall = if area.height > 28 { 7 } else { 4 };
    if list.is_empty() || area.height < 9 {
        return area.y + 1;
    }
    let cell = area.width / 3;
    for (column, (at, modulation)) in list.iter().take(3).enumerate() {
        let doc = &app.document().parameters[modulation.parameter];
        let place = Rect { x: area.x + column as u16 * cell, y: area.y + 1, width: cell - 3, height: tall + 3 };
        targets.push((place, std::rc::Rc::new(SoundsTarget::Modulation(modulation.written as usize))));
        painter.text(place.x, place.y, place.width, &format!("{} ⟶ {}", doc.name, modulation.property.word()), Role::FromGame);
        let plot = Rect { y: place.y + 1, height: tall, ..place };
        let frame = super::super::curve::Frame::of(&modulation.curve, doc);
        frame.draw(painter, plot, &modulation.curve);
        let value = app
            .rehearsal
            .status
            .as_ref()
            .filter(|s| s.program == program.id)
            .and_then(|s| s.parameters.get(modulation.parameter))
            .map_or(doc.rest, |p| p.smooth);
        frame.mark(painter, plot, value, Role::Active);
        let now = app.rehearsal.status.as_ref().filter(|s| s.program == program.id).and_then(|s| s.modulations.get(*at)).copied();
        painter.text(place.x, plot.bottom(), place.width, &format!("{} {}", super::super::curve::number(value), doc.unit), Role::Active);
        if let Some(now) = now {
            painter.right(place.right(), plot.bottom(), &modulation.property.print(now).replace('-', "−"), Role::Active);
        }
    }
    area.y + tall + 3
}

fn shape(app: &App, painter: &mut Painter<'_>, area: Rect, sound: &SoundDoc) {
    if area.height < 3 {
        return;
    }
    painter.heading(area.x, area.y, area.width, "Shape", "");
    let whole = app.document().shared.whole(&sound.shape);
    let seconds = |t: Option<estampie_engine::units::Seconds>, unsaid: f64| t.map_or(unsaid, |t| t.0);
    let (delay, attack, hold, decay, release) =
        (seconds(whole.delay, 0.0), seconds(whole.attack, 0.0), seconds(whole.hold, 0.0), seconds(whole.decay, 0.0), seconds(whole.release, 0.02));
    let sustain = whole.sustain.map_or(1.0, |s| f64::from(s.gain()));
    let curve = whole.curve.unwrap_or(estampie_engine::curve::Shape::Straight);
    let stays = (delay + attack + hold + decay + release).max(0.05) * 0.5;
    let whole_time = delay + attack + hold + decay + stays + release;
    let gain = |t: f64| {
        let way = |t: f64, length: f64| f64::from(curve.at((t / length).clamp(0.0, 1.0) as f32));
        let ends = [delay, delay + attack, delay + attack + hold, delay + attack + hold + decay, whole_time - release];
        if t < ends[0] {
            0.0
        } else if t < ends[1] {
            way(t - ends[0], attack)
        } else if t < ends[2] {
            1.0
        } else if t < ends[3] {
            1.0 + (sustain - 1.0) * way(t - ends[2], decay)
        } else if t < ends[4] {
            sustain
        } else {
            sustain * (1.0 - way(t - ends[4], release))
        }
    };
    let dots = usize::from(area.width) * 4;
    let points: Vec<(f64, f64)> = (0..=dots).map(|i| (i as f64 / dots as f64, gain(whole_time * i as f64 / dots as f64) * 0.94 + 0.03)).collect();
    let height = area.height.saturating_sub(2).min(8);
    painter.plot(Rect { y: area.y + 1, height, ..area }, &points, Role::Text);
    let mut words = Vec::new();
    for (name, time) in [("delay", delay), ("attack", attack), ("hold", hold), ("decay", decay)] {
        if time > 0.0 {
            words.push(format!("{name} {}", estampie_engine::units::Seconds(time)));
        }
    }
    if sustain < 1.0 {
        words.push(format!("to {}", whole.sustain.unwrap_or_default()));
    }
    words.push(format!("release {}", estampie_engine::units::Seconds(release)));
    painter.text(area.x, area.y + 1 + height, area.width, &words.join("  "), Role::Secondary);
}

/// How many may play, and how; gives the line below.
fn together(app: &App, painter: &mut Painter<'_>, area: Rect, sound: &SoundDoc) -> u16 {
    painter.heading(area.x, area.y, area.width, "Limits", "");
    let limit = app.document().shared.whole(&sound.limit);
    let full = limit.when_full.map_or("oldest", |w| w.0.word());
    let yields = if full == "refuse" { "else refused".to_owned() } else { format!("then steals the {full}") };
    let count = |n: Option<u32>| n.map_or_else(|| "any number".into(), |n| format!("{n}, {yields}"));
    let key = NameKey::of(&sound.name);
    let playing = app.rehearsal.status.as_ref().map_or((0, 0), |s| {
        let mine = |v: &&estampie_engine::engine::VoiceStatus| v.sound == key && !v.leaving;
        (s.voices.iter().filter(mine).count(), s.voices.iter().filter(mine).filter(|v| v.asleep).count())
    });
    let mut rows = vec![
        ("from one emitter", count(limit.each)),
        ("in all", count(limit.all)),
        ("priority", sound.priority.to_string()),
        ("chance", sound.chance.to_string()),
    ];
    if sound.again_after.0 > 0.0 {
        rows.push(("cooldown", sound.again_after.to_string()));
    }
    if let Some(repeat) = sound.repeat {
        let every = if repeat.every.low == repeat.every.high { repeat.every.low.to_string() } else { format!("{} to {}", repeat.every.low, repeat.every.high) };
        rows.push(("repeats every", every));
    }
    if let Some(lines) = sound.spoken(&app.document().shared) {
        let worth = lines.worth.unwrap_or(estampie_engine::units::Seconds(8.0));
        rows.push(("spoken by", format!("{}, worth saying for {worth}", lines.speaker.unwrap_or_default())));
        if let Some(rank) = lines.rank {
            rows.push(("rank", format!("{rank} of 100{}", if lines.cuts_in.is_some_and(|c| c.0) { ", cuts into lower ones" } else { "" })));
        }
    }
    rows.push(("voices now", if playing.1 > 0 { format!("{}, and {} virtual", playing.0 - playing.1, playing.1) } else { playing.0.to_string() }));
    for (at, (name, value)) in rows.iter().enumerate() {
        let y = area.y + 1 + at as u16;
        if y >= area.bottom() {
            break;
        }
        painter.text(area.x + 1, y, 17, name, Role::Secondary);
        painter.text(area.x + 19, y, area.width.saturating_sub(19), value, Role::Text);
    }
    area.y + 1 + rows.len() as u16
}

fn side(app: &App, painter: &mut Painter<'_>, area: Rect, sound: &SoundDoc, targets: &mut Targets) {
    let fields = describe(app.document(), sound);
    let focused = app.sounds.column == Column::Settings;
    let short = sound.name.rsplit('/').next().unwrap_or(&sound.name);
    let care = care(app, sound);
    // On a low page the fields have all the room while the keys are with them.
    let foot = if focused && area.height < LOW_PAGE { 0 } else { 12 + care.len() as u16 };
    let height = usize::from(area.height.saturating_sub(foot + 1).max(6));
    let first = (app.sounds.field + 2).saturating_sub(height).min(fields.len().saturating_sub(height));
    let shown = if fields.len() > height { format!("{} to {} of {}", first + 1, (first + height).min(fields.len()), fields.len()) } else { String::new() };
    let left = usize::from(area.width).saturating_sub(short.chars().count() + 4 + shown.len());
    painter.heading(area.x, area.y, area.width, short, if left > 18 { "all it is set to" } else { "" });
    for (at, field) in fields.iter().enumerate().skip(first).take(height) {
        let y = area.y + 1 + (at - first) as u16;
        let chosen = focused && at == app.sounds.field;
        if chosen {
            painter.select(area.x, y, area.width);
        }
        targets.push((Rect { x: area.x, y, width: area.width, height: 1 }, std::rc::Rc::new(SoundsTarget::Field(at))));
        let set = field.origin != Origin::Default;
        painter.text(area.x + 1, y, 15, field.key, if chosen { Role::Active } else { Role::Secondary });
        let shared = match &field.origin {
            Origin::Shared(name) => format!("shared by {}", sharers(app.document(), field.key.split('.').next().unwrap_or_default(), name).len()),
            Origin::Own if field.key.contains('.') => "own".to_owned(),
            _ => String::new(),
        };
        let room = area.width.saturating_sub(17 + shared.chars().count() as u16 + 1);
        painter.text(area.x + 17, y, room, &minus(&field.value), if set { Role::Text } else { Role::Rule });
        painter.right(area.right(), y, &shared, if matches!(field.origin, Origin::Shared(_)) { Role::Good } else { Role::Secondary });
    }
    painter.right(area.right(), area.y, &shown, Role::Secondary);
    let y = area.y + 2 + height.min(fields.len()) as u16;
    if foot == 0 {
        return;
    }
    last_twenty(app, painter, Rect { y, height: 9, ..area }, sound);
    let y = y + 10;
    if y >= area.bottom() || care.is_empty() {
        return;
    }
    painter.heading(area.x, y, area.width, "Checks", "");
    for (at, (text, role)) in care.iter().enumerate() {
        let y = y + 1 + at as u16;
        if y < area.bottom() {
            painter.text(area.x + 1, y, area.width - 1, text, *role);
        }
    }
}

/// The last twenty triggers: pitch across, level upwards, and how often each take came.
fn last_twenty(app: &App, painter: &mut Painter<'_>, area: Rect, sound: &SoundDoc) {
    let key = NameKey::of(&sound.name);
    let heard: Vec<&Heard> = app.rehearsal.history.heard.iter().rev().filter(|h| h.leaf == key || h.sound == key).take(20).collect();
    let alike = (0..heard.len()).any(|a| {
        (0..a).any(|b| (heard[a].take, heard[a].level, heard[a].pitch, heard[a].drawn) == (heard[b].take, heard[b].level, heard[b].pitch, heard[b].drawn))
    });
    let aside = match (heard.len(), alike) {
        (0, _) => "none yet: t plays twenty".to_owned(),
        (1, _) => "one so far".to_owned(),
        (n, true) => format!("{n}; some are alike"),
        (n, false) => format!("{n}; no two are alike"),
    };
    painter.heading(area.x, area.y, area.width, "The last 20 together", &aside);
    if heard.is_empty() {
        return;
    }
    let heard_ends = |values: Vec<f32>| (values.iter().copied().fold(f32::INFINITY, f32::min), values.iter().copied().fold(f32::NEG_INFINITY, f32::max));
    // What does not differ lies in the middle.
    let axis = |(low, high): (f32, f32)| if high - low < 0.1 { (low - 1.0, high + 1.0) } else { (low, high) };
    let heard_pitch = heard_ends(heard.iter().map(|h| h.pitch).collect());
    let heard_level = heard_ends(heard.iter().map(|h| h.level).collect());
    let (pitch, level) = (axis(heard_pitch), axis(heard_level));
    let points: Vec<(f64, f64)> = heard
        .iter()
        .flat_map(|h| {
            let x = f64::from((h.pitch - pitch.0) / (pitch.1 - pitch.0)) * 0.94 + 0.03;
            let y = f64::from((h.level - level.0) / (level.1 - level.0)) * 0.9 + 0.05;
            // Two dots side by side are seen more easily than one.
            [(x, y), (x + 0.5 / f64::from(area.width), y)]
        })
        .collect();
    painter.plot(Rect { y: area.y + 1, height: area.height - 3, ..area }, &points, Role::Active);
    let y = area.bottom() - 2;
    let number = |v: f32| format!("{v:.1}").replace('-', "−");
    painter.text(
        area.x,
        y,
        area.width,
        &format!("pitch {} … {} st   level {} … {} dB", number(heard_pitch.0), number(heard_pitch.1), number(heard_level.0), number(heard_level.1)),
        Role::Secondary,
    );
    let list = takes_of(sound);
    let counts: Vec<String> = list
        .iter()
        .enumerate()
        .filter(|(_, t)| t.file)
        .map(|(at, take)| format!("{}:{}", at + 1, heard.iter().filter(|h| h.take == NameKey::of(&take.name)).count()))
        .collect();
    if !counts.is_empty() && sound.chain.is_empty() {
        painter.text(area.x, y + 1, area.width, &format!("takes heard  {}", counts.join("  ")), Role::Text);
    }
}

/// What to take care of in the sound's audio.
fn care(app: &App, sound: &SoundDoc) -> Vec<(String, Role)> {
    let mut list = Vec::new();
    let takes: Vec<_> = takes_of(sound).into_iter().filter(|t| t.file).collect();
    let known: Vec<_> = takes.iter().enumerate().filter_map(|(at, t)| Some((at + 1, app.facts.get(&t.name)?))).collect();
    if known.is_empty() {
        return list;
    }
    for (at, facts) in &known {
        if facts.silence_head > 0.01 && !sound.looped {
            list.push((format!("take {at}: {:.0} ms of silence at its head", facts.silence_head * 1000.0), Role::Accent));
        }
        if facts.peak > -0.05 {
            list.push((format!("take {at}: clipped, its peak is {:.1} dBFS", facts.peak).replace('-', "−"), Role::Accent));
        }
        if sound.looped && facts.seam_step > 0.05 {
            list.push((format!("take {at}: its loop clicks, a step of {:.0} % at the seam", facts.seam_step * 100.0), Role::Accent));
        }
    }
    let levels: Vec<f64> = known.iter().map(|(_, f)| f.loudness.unwrap_or(f64::from(f.level))).collect();
    let same_kind = known.iter().all(|(_, f)| f.loudness.is_some()) || known.iter().all(|(_, f)| f.loudness.is_none());
    // Grades and values may differ on purpose.
    if levels.len() > 1 && same_kind && sound.chain.is_empty() && sound.groups.len() == 1 {
        let spread = levels.iter().copied().fold(f64::NEG_INFINITY, f64::max) - levels.iter().copied().fold(f64::INFINITY, f64::min);
        let (words, role) = if spread > 4.0 { ("uneven", Role::Accent) } else { ("even", Role::Good) };
        list.push((format!("loudness spread {spread:.1} dB: {words}"), role));
    }
    let channels: std::collections::BTreeSet<usize> = known.iter().map(|(_, f)| f.channels).collect();
    match (channels.len(), channels.first()) {
        (1, Some(1)) => list.push(("mono, as placed sounds should be".into(), Role::Good)),
        (1, Some(_)) if sound.falloff.like.is_some() || sound.falloff.level.is_some() => {
            list.push(("two channels, but placed: mono is enough".into(), Role::Accent));
        }
        (1, Some(n)) => list.push((format!("{n} channels"), Role::Secondary)),
        _ => list.push(("some takes are mono, some are not".into(), Role::Accent)),
    }
    list.truncate(6);
    list
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_numbers_have_the_true_minus() {
        assert_eq!(minus("-1.5..-1 st"), "−1.5..−1 st");
        assert_eq!(minus("by eel-distance, not-3"), "by eel-distance, not-3");
        assert_eq!(minus("10 m: -6 dB; 20 m: -12 dB"), "10 m: −6 dB; 20 m: −12 dB");
    }
}
