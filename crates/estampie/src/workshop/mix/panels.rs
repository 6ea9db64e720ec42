//! Below the table: the chosen effect with its settings and its picture, ducks and player levels, and loudness.

use super::super::app::App;
use super::super::painter::{NARROW, Painter, cut, print_level};
use super::super::theme::Role;
use super::super::view::Targets;
use super::Focus;
use super::effect_values::values_now;
use super::inputs::MixTarget;
use super::picture;
use estampie_engine::ledger::TermKind;
use estampie_engine::names::NameKey;
use estampie_engine::property::Unit;
use ratatui::layout::Rect;

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    if area.width < NARROW - 2 {
        // Two of the three: what the player sets has the place of the loudness while the keys are there.
        let half = area.width / 2;
        let part = |at: u16| Rect { x: area.x + at * half, width: half.saturating_sub(2), ..area };
        effect(app, painter, part(0), targets);
        if app.mix.focus == Focus::Player {
            holding(app, painter, part(1), targets);
        } else {
            super::loud::draw(app, painter, part(1));
        }
        return;
    }
    let third = area.width / 3;
    let part = |at: u16| Rect { x: area.x + at * third, width: third.saturating_sub(2), ..area };
    // A picture that is worked at has the room of two, unless something lies over what is set.
    if app.mix.focus == Focus::Effect && app.effect_doc().is_some_and(|(_, kind)| kind.picture.is_some()) && !lies_over(app) {
        effect(app, painter, Rect { width: (2 * third).saturating_sub(2), ..area }, targets);
        super::loud::draw(app, painter, part(2));
        return;
    }
    effect(app, painter, part(0), targets);
    holding(app, painter, part(1), targets);
    super::loud::draw(app, painter, part(2));
}

/// So many columns the settings of an effect have beside its picture, where that has more.
const SETTINGS: u16 = 46;

/// Whether snapshots hold what is chosen.
fn lies_over(app: &App) -> bool {
    let mix = &app.program().mix;
    app.mix_what().and_then(|what| mix.find_cell.get(NameKey::of(&what))).is_some_and(|cell| !mix.cells[cell].holds.is_empty())
}

/// The chosen effect; if the bus has none, what sounds on it.
fn effect(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let Some(bus) = app.bus_name(app.bus) else { return };
    let Some((effect, kind)) = app.effect_doc() else { return on_bus(app, painter, area) };
    let count = app.bus_doc().map_or(0, |b| b.effects.len());
    let title = format!("{bus} {}", effect.name);
    let like = effect.like.as_ref().map_or(String::new(), |l| format!(", like {}", l.value));
    let place = if count > 1 { format!(", {} of {count}", app.mix.effect + 1) } else { String::new() };
    // One that is called what it is needs no second word.
    let word = if effect.name == kind.word { "" } else { kind.word };
    painter.heading(area.x, area.y, area.width, &title, format!("{word}{like}{place}").trim_start_matches(", "));
    let picture = kind.picture.filter(|_| area.width >= 48).zip(values_now(app, &bus, &effect.name, kind));
    let left = if picture.is_some() { (area.width * 2 / 5).max(area.width.saturating_sub(SETTINGS)) } else { 0 };
    if let Some((picture, values)) = picture {
        let plot = Rect { x: area.x, y: area.y + 1, width: left - 2, height: area.height.saturating_sub(2) };
        picture::draw(app, painter, plot, (kind, picture), &values, targets);
    }
    let rows = usize::from(area.height.saturating_sub(1));
    let lines = kind.settings.len() + 1;
    let first = if app.mix.focus == Focus::Effect { (app.mix.setting + 1).saturating_sub(rows) } else { 0 };
    for (row, at) in (first..lines).take(rows).enumerate() {
        let y = area.y + 1 + row as u16;
        let (word, unit) = kind.settings.get(at).map_or(("wet", Unit::Share), |s| (s.word, s.unit));
        let name = format!("bus {bus} {} {word}", effect.name);
        let set = app.mix_rest(&name).unwrap_or(0.0);
        let here = app.mix.focus == Focus::Effect && app.mix.setting == at;
        let x = area.x + left;
        let width = area.width - left;
        if here {
            painter.select(x, y, width);
        }
        painter.text(x + 1, y, 14, word, if here { Role::Active } else { Role::Secondary });
        let end = painter.text(x + 16, y, width.saturating_sub(16), &unit.print(set).replace('-', "−"), Role::Text);
        if let Some(now) = app.mix_now(&name).filter(|now| (now - set).abs() > 1e-3 * set.abs().max(0.1)) {
            painter.text(
                end + 1,
                y,
                (area.x + area.width).saturating_sub(end + 1),
                &format!("⟶ {}", unit.print(now).replace('-', "−").replace(" dB", "")),
                Role::FromGame,
            );
        }
        targets.push((Rect { x, y, width, height: 1 }, std::rc::Rc::new(MixTarget::Setting(at))));
    }
    let key = NameKey::of(&format!("{bus} {}", effect.name));
    let turned = app.rehearsal.status.as_ref().and_then(|s| s.reductions.iter().find(|(k, _)| *k == key)).map(|(_, r)| *r);
    if let Some(turned) = turned.filter(|t| *t < -0.05)
        && lines < rows
    {
        painter.text(area.x + left + 1, area.y + 1 + lines as u16, area.width - left, &format!("now            {} dB", print_level(turned)), Role::Active);
    }
}

/// What sounds on the chosen bus and on those that run into it.
fn on_bus(app: &App, painter: &mut Painter<'_>, area: Rect) {
    let Some(bus) = app.program().mix.buses.get(app.bus) else { return };
    let name = app.program().names.get(bus.key);
    let voices: Vec<_> = app
        .sounding()
        .into_iter()
        .filter(|v| app.rehearsal.ended(v.voice).is_none())
        .filter(|v| app.rehearsal.status.as_ref().is_some_and(|s| s.terms_of(v).iter().any(|t| t.kind == TermKind::Bus && t.of == bus.key)))
        .collect();
    painter.heading(area.x, area.y, area.width, &format!("On {name}"), &format!("{} now, loudest first", voices.len()));
    if voices.is_empty() {
        painter.text(area.x + 1, area.y + 1, area.width - 1, "nothing sounds on it; i adds an effect", Role::Secondary);
    }
    for (row, voice) in voices.iter().take(usize::from(area.height.saturating_sub(1))).enumerate() {
        let y = area.y + 1 + row as u16;
        painter.right(area.x + 7, y, &print_level(voice.heard_db), Role::Text);
        painter.bar(area.x + 9, y, 10, (voice.heard_db + 60.0) / 60.0, Role::Active);
        painter.text(area.x + 21, y, area.width.saturating_sub(22), app.rehearsal.names.get(voice.sound), Role::Text);
    }
}

/// Who lies over the chosen bus, what holds buses down, and what the player has set.
fn holding(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let document = app.document();
    let mut y = area.y;
    let mut room = |lines: u16| {
        let here = y;
        y += lines;
        (here + lines <= area.bottom()).then_some(here)
    };
    let (program, status) = (app.program(), app.rehearsal.status.as_ref().filter(|s| s.program == app.program().id));
    if let Some(what) = app.mix_what() {
        let cell = program.mix.find_cell.get(NameKey::of(&what)).map(|c| &program.mix.cells[c]);
        let shares = status.map(|s| s.snapshots.clone()).unwrap_or_default();
        if let Some(cell) = cell.filter(|c| !c.holds.is_empty())
            && let Some(here) = room(1)
        {
            painter.heading(area.x, here, area.width, "Lies over it", &what);
            for held in &cell.holds {
                let Some(here) = room(1) else { break };
                let name = program.names.get(program.mix.snapshots[held.snapshot].key);
                let share = shares.get(held.snapshot.at()).map_or(0.0, |s| s.share);
                let value = if held.value == f32::NEG_INFINITY { "silence".into() } else { cell.property.print(cell.unscaled(held.value)).replace('-', "−") };
                let text = format!("{} {value}, {:.0} % of it now", if held.by { "by" } else { "to" }, share * 100.0);
                let role = if share > 0.0 { Role::Snapshot } else { Role::Secondary };
                let end = painter.text(area.x + 1, here, 16, name, role);
                painter.text(end.max(area.x + 16) + 1, here, area.width.saturating_sub(18), &text, role);
            }
            room(1);
        }
    }
    if !document.ducks.is_empty()
        && let Some(here) = room(1)
    {
        painter.heading(area.x, here, area.width, "Ducking", "");
        for doc in &document.ducks {
            let Some(here) = room(1) else { break };
            let key = doc.key.value.split(' ').next_back().unwrap_or_default();
            let bus = NameKey::of(&doc.ducks.value);
            let now = status.and_then(|s| s.buses.of(program.mix.find_bus.get(bus)?)).map_or(0.0, |b| b.ducked_db);
            let end = painter.text(area.x + 1, here, 11, &cut(key, 10), Role::Text).max(area.x + 9);
            let end = painter.text(end + 1, here, 14, &format!("⟶ {}", cut(&doc.ducks.value, 11)), Role::Text).max(end + 12);
            let text = format!("{}  {} ⟶ {}", doc.by.to_string().replace('-', "−"), doc.attack.time, doc.release.time);
            let end = painter.text(end + 1, here, (area.x + area.width).saturating_sub(end + 1), &text, Role::Secondary);
            if now < -0.05 {
                painter.text(end + 2, here, (area.x + area.width).saturating_sub(end + 2), &print_level(now), Role::Active);
            }
        }
        room(1);
    }
    if !document.player_levels.is_empty()
        && let Some(here) = room(1)
    {
        painter.heading(area.x, here, area.width, "Player levels", "in force before the first sample");
        for (at, doc) in document.player_levels.iter().enumerate() {
            let Some(here) = room(1) else { break };
            let chosen = app.mix.focus == Focus::Player && app.mix.player == at;
            if chosen {
                painter.select(area.x, here, area.width);
            }
            let level = app.rehearsal.levels.get(&doc.name).copied().unwrap_or(10.0);
            painter.text(area.x + 1, here, 13, &doc.name, if chosen { Role::Active } else { Role::Text });
            let full = level.round() as usize;
            let end = painter.text(area.x + 15, here, 10, &"●".repeat(full), Role::Good);
            painter.text(end, here, 10, &"○".repeat(10 - full.min(10)), Role::Rule);
            let db = estampie_engine::mixer::spec::player_level_db(level);
            painter.text(
                area.x + 27,
                here,
                area.width.saturating_sub(28),
                &format!("{level:.1}   {} dB on {}", print_level(db), doc.bus.value),
                Role::Secondary,
            );
            targets.push((Rect { x: area.x, y: here, width: area.width, height: 1 }, std::rc::Rc::new(MixTarget::PlayerLevel(at))));
        }
    }
}
