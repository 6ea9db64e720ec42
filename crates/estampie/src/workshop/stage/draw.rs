//! The view *Stage*: play the game without the game. Inputs, the map or the last twenty seconds, what sounds and why,
//! the log.

use super::inputs::StageTarget;
use super::{Column, Item};
use crate::workshop::app::App;
use crate::workshop::lanes::{Span, paint};
use crate::workshop::painter::{Painter, Sees, print_level, rows_of};
use crate::workshop::rehearsal::LANES;
use crate::workshop::theme::Role;
use crate::workshop::view::Targets;
use estampie_engine::dsp::generators::word_of;
use estampie_engine::engine::VoiceStatus;
use estampie_engine::ledger::Term;
use estampie_engine::names::NameKey;
use estampie_engine::property::{Property, SOUND_PROPERTIES};
use estampie_project::stock::take_words;
use estampie_proof::trace;
use estampie_proof::trace::Label;
use estampie_proof::trace::lanes::{self, Content, Follows, Group, Lane, Wanted};
use ratatui::layout::Rect;

/// The index's and the side's widths.
const INDEX: u16 = 36;
const SIDE: u16 = 46;
/// Both, for what lies over the centre.
pub(crate) const WIDTHS: (u16, u16) = (INDEX, SIDE);

pub(crate) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let (index, centre, side) = painter.columns_of_page(area, INDEX, SIDE, if app.stage.column == Column::Index { Sees::Left } else { Sees::Right });
    if painter.shows(index) {
        super::index::draw(app, painter, index, targets);
    }
    if app.game.shown {
        super::game::draw(app, painter, centre, targets);
    } else if app.map_shown() {
        super::map::draw(app, painter, centre, targets);
    } else {
        let hints = hints(app);
        let rows = if hints.is_empty() { 0 } else { hints.len() as u16 + 2 };
        last_seconds(app, painter, Rect { width: centre.width + 1, height: centre.height.saturating_sub(rows), ..centre });
        draw_hints(painter, Rect { y: centre.bottom().saturating_sub(rows), height: rows, ..centre }, &hints);
    }
    if painter.shows(side) {
        self::side(app, painter, side, targets);
    }
}

/// What one might do first in a project that is hardly begun: key and words, each gone once it has been done.
fn hints(app: &App) -> Vec<(String, String)> {
    let document = app.document();
    if document.sounds.len() > 1 || !document.music.pieces.is_empty() || document.events.is_empty() {
        return Vec::new();
    }
    let mut hints = Vec::new();
    let event = &document.events[0].name;
    if app.rehearsal.history.events.is_empty() {
        hints.push((app.pad_of(0).unwrap_or(' ').to_string(), format!("sends {event}, as the game would: listen")));
    }
    hints.push(("3 n".into(), "makes a sound of your own files: put them into audio/".into()));
    if !app.asked {
        hints.push(("? :".into(), "all keys, and anything by a few letters".into()));
    }
    hints
}

fn draw_hints(painter: &mut Painter<'_>, area: Rect, hints: &[(String, String)]) {
    if hints.is_empty() || area.height < 3 {
        return;
    }
    painter.heading(area.x, area.y + 1, area.width, "To begin", "each goes once it is done");
    let key = painter.theme.key();
    for (at, (keys, words)) in hints.iter().enumerate() {
        painter.put(area.x + 1, area.y + 2 + at as u16, 4, keys, key);
        painter.text(area.x + 6, area.y + 2 + at as u16, area.width.saturating_sub(7), words, Role::Text);
    }
}

fn tidy(value: f32, span: f32) -> String {
    let decimals = if span <= 2.0 {
        2
    } else if span <= 20.0 {
        1
    } else {
        0
    };
    format!("{value:.decimals$}").replace('-', "−")
}

pub(super) fn index_item(app: &App, painter: &mut Painter<'_>, area: Rect, (item, chosen): (Item, bool), pads: &[(char, usize)], targets: &mut Targets) {
    let name_role = if chosen { Role::Active } else { Role::Text };
    match item {
        Item::Parameter(index) => {
            let doc = &app.document().parameters[index];
            let value = app.value(index);
            let name_width = 13.min(area.width / 2);
            painter.text(area.x, area.y, name_width - 1, &doc.name, name_role);
            let shown = format!("{} {}", tidy(value, doc.high - doc.low), doc.unit);
            painter.right(area.right(), area.y, shown.trim_end(), Role::Text);
            let bar = Rect { x: area.x + name_width, width: area.width.saturating_sub(name_width + 9), ..area };
            // Without a range there is no share of it.
            if doc.high - doc.low < 1e5 {
                painter.bar(bar.x, bar.y, bar.width, (value - doc.low) / (doc.high - doc.low), Role::FromGame);
                targets.push((bar, std::rc::Rc::new(StageTarget::Bar(index))));
            }
        }
        Item::State(index) => {
            let doc = &app.document().states[index];
            let now = app.state_value(index);
            let mut x = painter.text(area.x, area.y, 9, &doc.name, name_role).max(area.x + 8) + 1;
            for (at, value) in doc.values.iter().enumerate() {
                let left = area.right().saturating_sub(x);
                // With many values only those around the present one have room.
                if left < 4 || (at + 3 < now && doc.values.len() > 4) {
                    continue;
                }
                let style = if at == now {
                    painter.style(Role::FromGame).add_modifier(ratatui::style::Modifier::BOLD | ratatui::style::Modifier::UNDERLINED)
                } else {
                    painter.style(Role::Secondary)
                };
                let end = painter.put(x, area.y, left, &value.value, style);
                targets.push((Rect { x, y: area.y, width: end - x, height: 1 }, std::rc::Rc::new(StageTarget::StateValue(index, at))));
                x = end + 1;
            }
        }
        Item::Event(index) => {
            let doc = &app.document().events[index];
            let pad = pads.iter().find(|(_, at)| *at == index).map_or(' ', |(pad, _)| *pad);
            let key = painter.theme.key();
            painter.put(area.x, area.y, 1, &pad.to_string(), key);
            let rate = u64::from(app.program().rate);
            let now = app.rehearsal.frame();
            let lately = app.rehearsal.log.iter().take(60).any(|l| l.text.split(' ').next() == Some(&doc.name) && l.frame + rate / 3 > now);
            painter.text(area.x + 3, area.y, area.width - 3, &doc.name, if lately { Role::Active } else { name_role });
        }
        Item::Playthrough(index) => {
            let (name, playthrough) = &app.document().playthroughs[index];
            let replaying = app.rehearsal.replay.as_ref().is_some_and(|r| r.name == *name);
            let end = if replaying { painter.text(area.x, area.y, 2, "▶", Role::Active) + 1 } else { area.x };
            painter.text(end, area.y, area.width - 8, name, if replaying { Role::Active } else { name_role });
            painter.right(area.right(), area.y, &format!("{:.0} s", playthrough.length().0), Role::Secondary);
        }
        Item::Folded(_) => {}
    }
}

fn last_seconds(app: &App, painter: &mut Painter<'_>, area: Rect) {
    let rehearsal = &app.rehearsal;
    let rate = f64::from(app.program().rate);
    let now = rehearsal.frame() as f64;
    const LABEL: u16 = 17;
    painter.heading(area.x, area.y, area.width, "The last 20 seconds", "newest at the right");
    let span = Span { from: now - LANES * rate, to: now, known: rehearsal.now(), x: area.x + LABEL, width: area.width.saturating_sub(LABEL + 1) };
    if span.width < 10 {
        return;
    }
    for seconds in [20u16, 15, 10, 5] {
        let x = span.x + ((LANES - f64::from(seconds)) / LANES * f64::from(span.width)) as u16;
        // Each label has room up to the next line, or none.
        let label = format!("−{seconds} s");
        if f64::from(span.width) * 5.0 / LANES > 8.0 || seconds % 10 == 0 {
            painter.text(x, area.y + 1, 6, &label, Role::Secondary);
        }
        for y in area.y + 2..area.bottom() {
            painter.text(x, y, 1, "┊", Role::Rule);
        }
    }
    painter.right(span.x + span.width, area.y + 1, "now", Role::Secondary);
    let mut y = area.y + 2;
    let output_height = 5;
    let end = area.bottom().saturating_sub(output_height + 1);
    y = state_lanes(app, painter, &span, area.x, y, end);
    // Voices have their share before the parameters take what is left.
    let folded = Group::ALL.into_iter().filter(|group| !matches!(group, Group::Music | Group::Sounds)).collect();
    let wanted = Wanted { folded, ..Wanted::default() };
    let voices = lanes::lanes(rehearsal.kept(), app.program(), &rehearsal.names, span.frames(), &wanted);
    let room = end.saturating_sub(y + 1);
    let voice_rows = (voices.len() as u16 + 2).max(8).min(room / 2).max(3);
    y = parameter_lanes(app, painter, &span, area.x, y, end.saturating_sub(voice_rows));
    voice_lanes(app, painter, &span, area.x, y, end, &voices);
    output_lane(app, painter, &span, area, output_height);
}

/// What a lane of the last seconds holds.
fn content(app: &App, span: &Span, lane: &Lane) -> Content {
    lanes::content(lane, app.rehearsal.kept(), app.program(), &app.rehearsal.names, span.frames())
}

fn state_lanes(app: &App, painter: &mut Painter<'_>, span: &Span, x: u16, mut y: u16, end: u16) -> u16 {
    for state in app.document().states.iter().take(6) {
        if y + 1 >= end {
            return y;
        }
        painter.text(x, y, 16, &state.name, Role::FromGame);
        let lane = Lane { group: Group::Game, follows: Follows::State, key: NameKey::of(&state.name), name: state.name.clone() };
        paint(painter, span, y, 1, &lane, &content(app, span, &lane));
        y += 1;
    }
    y + 1
}

fn parameter_lanes(app: &App, painter: &mut Painter<'_>, span: &Span, x: u16, mut y: u16, end: u16) -> u16 {
    let count = app.document().parameters.len() as u16;
    let rows = end.saturating_sub(y).checked_div(count).unwrap_or(2).clamp(2, 4);
    for (index, doc) in app.document().parameters.iter().enumerate() {
        if y + rows > end {
            break;
        }
        painter.text(x, y, 16, &doc.name, Role::FromGame);
        let shown = format!("{} {}", tidy(app.value(index), doc.high - doc.low), doc.unit);
        painter.text(x + 1, y + 1, 15, shown.trim_end(), Role::Secondary);
        let lane = Lane { group: Group::Game, follows: Follows::Parameter, key: NameKey::of(&doc.name), name: doc.name.clone() };
        paint(painter, span, y, rows, &lane, &content(app, span, &lane));
        y += rows;
    }
    y + 1
}

fn voice_lanes(app: &App, painter: &mut Painter<'_>, span: &Span, x: u16, y: u16, end: u16, sounds: &[Lane]) {
    if y >= end {
        return;
    }
    painter.text(x, y, span.width, "voices", Role::Secondary);
    if sounds.is_empty() {
        painter.text(span.x, y, span.width, "nothing lately: press an event's key, or replay", Role::Secondary);
        return;
    }
    let rows = usize::from(end - y - 1);
    for (row, lane) in sounds.iter().take(rows).enumerate() {
        let y = y + 1 + row as u16;
        if row + 1 == rows && sounds.len() > rows {
            painter.text(x, y, 30, &format!("and {} more", sounds.len() - row), Role::Secondary);
            return;
        }
        let content = content(app, span, lane);
        let sounding = matches!(&content, Content::Bars(bars, _) if bars.iter().any(|b| b.2));
        painter.text(x, y, 16, &lane.name, if sounding { Role::Active } else { Role::Text });
        paint(painter, span, y, 1, lane, &content);
    }
}

fn output_lane(app: &App, painter: &mut Painter<'_>, span: &Span, area: Rect, height: u16) {
    let y = area.bottom() - height;
    painter.text(area.x, y, 16, "output", Role::Text);
    painter.text(area.x, y + 1, 16, "peak, dBFS", Role::Secondary);
    painter.text(area.x, y + 2, 16, "0 at the top", Role::Secondary);
    painter.text(area.x, y + 3, 16, "−60 at the foot", Role::Secondary);
    let lane = Lane { group: Group::Output, follows: Follows::Peak, key: NameKey::NONE, name: "output".into() };
    paint(painter, span, y, height - 1, &lane, &content(app, span, &lane));
}

fn side(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let voices = app.sounding();
    let selected = app.selected_voice();
    let now = voices.iter().filter(|v| app.rehearsal.ended(v.voice).is_none()).count();
    painter.heading(area.x, area.y, area.width, "Sounding", &format!("{now}, loudest first"));
    let most = usize::from((area.height / 4).max(4));
    let chosen_row = voices.iter().position(|v| Some(v.voice) == selected.map(|s| s.voice)).unwrap_or(0);
    let first = (chosen_row + 1).saturating_sub(most);
    let mut y = area.y + 1;
    if voices.is_empty() {
        painter.text(area.x + 1, y, area.width - 1, "silence", Role::Secondary);
        y += 1;
    }
    for (row, voice) in voices.iter().skip(first).take(most).enumerate() {
        let chosen = first + row == chosen_row;
        if chosen && app.stage.column == Column::Sounding {
            painter.select(area.x - 1, y, area.width + 1);
        }
        voice_line(app, painter, Rect { y, height: 1, ..area }, voice, chosen);
        targets.push((Rect { y, height: 1, ..area }, std::rc::Rc::new(StageTarget::Voice(voice.voice))));
        y += 1;
    }
    if voices.len() > first + most {
        let ended = voices.iter().skip(first + most).filter(|v| app.rehearsal.ended(v.voice).is_some()).count();
        let text = match (voices.len() - first - most - ended, ended) {
            (more, 0) => format!("and {more} more"),
            (0, ended) => format!("and {ended} that have just ended"),
            (more, ended) => format!("and {more} more, {ended} just ended"),
        };
        painter.text(area.x + 1, y, area.width - 1, &text, Role::Secondary);
        y += 1;
    }
    y += 1;
    if let Some(voice) = selected {
        // What has happened keeps its lines, however many reasons there are.
        let log = if area.height > 36 { 10 } else { 6 };
        y = why_of(app, painter, Rect { y, height: area.bottom().saturating_sub(y + log), ..area }, &voice) + 1;
    }
    log(app, painter, Rect { y, height: area.bottom().saturating_sub(y), ..area });
}

fn voice_line(app: &App, painter: &mut Painter<'_>, area: Rect, voice: &VoiceStatus, chosen: bool) {
    let ended = app.rehearsal.ended(voice.voice);
    painter.right(area.x + 6, area.y, &print_level(voice.heard_db), if ended.is_some() { Role::Secondary } else { Role::Text });
    let meter = 7.min(area.width / 5);
    match ended {
        Some(ended) => {
            let seconds = app.rehearsal.frame().saturating_sub(ended.at) as f64 / f64::from(app.program().rate);
            painter.text(area.x + 7, area.y, meter, &format!("{seconds:.0} s ago"), Role::Secondary);
        }
        None => painter.bar(area.x + 7, area.y, meter, (voice.heard_db + 60.0) / 60.0, Role::Active),
    }
    let names = &app.rehearsal.names;
    let x = area.x + 8 + meter;
    let emitter = names.get(voice.emitter);
    let left = area.right().saturating_sub(x + emitter.chars().count() as u16 + 1);
    let many = match app.crowd(voice) {
        1 => String::new(),
        n => format!(" ×{n}"),
    };
    let end = painter.text(x, area.y, left, &format!("{}{many}", names.get(voice.sound)), if chosen { Role::Active } else { Role::Text });
    if voice.leaving && ended.is_none() && end + 5 < area.right() {
        painter.text(end + 1, area.y, 4, "ends", Role::Secondary);
    }
    painter.right(area.right(), area.y, emitter, Role::Secondary);
}

/// Where a placed voice is heard, in words.
fn whence(bearing: f32, distance: f32, width: f32) -> String {
    let side = match bearing {
        b if b.abs() < 0.5 => "ahead".to_owned(),
        b if b.abs() > 179.5 => "behind".to_owned(),
        b => format!("{:.0}° {}", b.abs(), if b > 0.0 { "right" } else { "left" }),
    };
    format!("{distance:.0} m, {side}, {:.0} % wide", width * 100.0)
}

/// The ledger of a voice. Returns the line after the last.
pub(crate) fn why_of(app: &App, painter: &mut Painter<'_>, area: Rect, voice: &VoiceStatus) -> u16 {
    let Some(status) = &app.rehearsal.status else { return area.y };
    let names = &app.rehearsal.names;
    let heard = trace::print_value(voice.heard_db).replace('+', "");
    let ended = app.rehearsal.ended(voice.voice);
    let is = if ended.is_some() { "was" } else { "is" };
    painter.heading(area.x, area.y, area.width, &format!("Why {} {is} at {heard} dB", names.get(voice.sound)), "");
    let file = take_words(names.get(voice.take));
    let end = painter.text(area.x + 1, area.y + 1, area.width - 1, &format!("take {file}"), Role::Secondary);
    if let Some(place) = voice.placement.map(|(bearing, distance, width)| whence(bearing, distance, width))
        && usize::from(area.right().saturating_sub(end + 1)) > place.chars().count()
    {
        painter.right(area.right(), area.y + 1, &place, Role::FromGame);
    }
    let terms = ended.map_or_else(|| status.terms_of(voice), |e| &e.terms);
    let value_of = |key: NameKey| {
        let document = app.document();
        let index = document.parameters.iter().position(|p| NameKey::of(&p.name) == key);
        index.map_or_else(String::new, |i| {
            format!("{} {}", tidy(app.value(i), document.parameters[i].high - document.parameters[i].low), document.parameters[i].unit).trim_end().to_owned()
        })
    };
    let mut y = area.y + 2;
    let term_line = |painter: &mut Painter<'_>, term: &Term, y: u16| {
        let (text, label) = trace::label(term, names, value_of);
        painter.text(area.x + 1, y, area.width.saturating_sub(9), &text, role(label));
        let value = match term.property {
            Property::Level | Property::Pitch => trace::print_value(term.value),
            Property::LowPass | Property::HighPass => format!("{} oct", trace::print_value(term.value)),
            other => other.print(term.value),
        };
        painter.right(area.right(), y, &value, role(label));
    };
    // Contributions of nothing are left out when there is little room.
    let level: Vec<&Term> = terms.iter().filter(|t| t.property == Property::Level).collect();
    let least = |property| SOUND_PROPERTIES.iter().find(|p| p.property == property).map_or(0.05, |p| if p.ends.1 - p.ends.0 > 2.0 { 0.05 } else { 0.005 });
    let others: Vec<&Term> = terms.iter().filter(|t| t.property != Property::Level && t.value.abs() >= least(t.property)).collect();
    let roomy = level.len() + others.len() + 5 < usize::from(area.height);
    for term in level.iter().filter(|t| roomy || t.value.abs() >= 0.05) {
        if y + 2 >= area.bottom() {
            break;
        }
        term_line(painter, term, y);
        y += 1;
    }
    painter.rule(area.x + 1, y, area.width - 1);
    let gold = painter.style(Role::Active).add_modifier(ratatui::style::Modifier::BOLD);
    painter.put(area.x + 1, y + 1, area.width - 10, "heard", gold);
    painter.right(area.right(), y + 1, &heard, Role::Active);
    y += 2;
    for row in SOUND_PROPERTIES.iter().filter(|p| p.property != Property::Level) {
        let of_it: Vec<&&Term> = others.iter().filter(|t| t.property == row.property).collect();
        if of_it.is_empty() || y + 1 + of_it.len() as u16 > area.bottom() {
            continue;
        }
        let sum = trace::total(terms, row.property);
        let words = format!("its {}", row.property.word());
        let total = if row.property == Property::Pitch { format!("{} st", trace::print_value(sum)) } else { (row.print)(sum.clamp(row.ends.0, row.ends.1)) };
        painter.text(area.x + 1, y, area.width - 14, &words, Role::Active);
        painter.right(area.right(), y, &total, Role::Active);
        y += 1;
        for term in of_it {
            term_line(painter, term, y);
            y += 1;
        }
    }
    // The controls of a generator: the first term is where one begins, the others are added to it.
    let mut controls: Vec<Property> = terms.iter().map(|t| t.property).filter(|p| matches!(p, Property::Control(..))).collect();
    controls.dedup();
    for control in controls {
        let of_it: Vec<&Term> = terms.iter().filter(|t| t.property == control).collect();
        if y + 1 + of_it.len() as u16 > area.bottom() {
            break;
        }
        painter.text(area.x + 1, y, area.width - 14, &format!("its {}", word_of(control)), Role::Active);
        painter.right(area.right(), y, &control.print_set(trace::total(terms, control)).replace('-', "−"), Role::Active);
        y += 1;
        for (at, term) in of_it.into_iter().enumerate() {
            let (text, label) = trace::label(term, names, value_of);
            painter.text(area.x + 1, y, area.width.saturating_sub(9), &text, role(label));
            let value = if at == 0 { control.print_set(term.value) } else { control.print(term.value) };
            painter.right(area.right(), y, &value.replace('-', "−"), role(label));
            y += 1;
        }
    }
    y
}

pub(crate) fn role(label: Label) -> Role {
    match label {
        Label::Plain => Role::Text,
        Label::Game => Role::FromGame,
        Label::Attention => Role::Accent,
        Label::Aside | Label::Declined => Role::Secondary,
    }
}

fn log(app: &App, painter: &mut Painter<'_>, area: Rect) {
    if area.height < 2 {
        return;
    }
    painter.heading(area.x, area.y, area.width, "Log", "newest first");
    let rate = f64::from(app.program().rate);
    let mut y = area.y + 1;
    for line in &app.rehearsal.log {
        let width = area.width.saturating_sub(8);
        // Long lines go on below, indented, rather than being cut.
        let rows = rows_of(&line.text, usize::from(width), "  ");
        if y + rows.len() as u16 > area.bottom() {
            return;
        }
        painter.right(area.x + 6, y, &format!("{:.2}", line.frame as f64 / rate), Role::Secondary);
        for row in rows {
            painter.text(area.x + 7, y, width + 1, &row, role(line.label));
            y += 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_have_as_many_digits_as_their_range_deserves() {
        assert_eq!((tidy(0.634, 1.0).as_str(), tidy(-2.26, 8.0).as_str(), tidy(211.7, 300.0).as_str()), ("0.63", "−2.3", "212"));
    }

    #[test]
    fn a_place_is_said_from_where_one_looks() {
        assert_eq!(whence(31.4, 14.2, 0.15), "14 m, 31° right, 15 % wide");
        assert_eq!(whence(-90.0, 3.0, 0.0), "3 m, 90° left, 0 % wide");
        assert_eq!((whence(0.2, 1.0, 1.0), whence(-180.0, 1.0, 1.0)), ("1 m, ahead, 100 % wide".into(), "1 m, behind, 100 % wide".into()));
    }
}
