//! Drawing the view *Music*: index, staves, ways, and the bars to come.

use super::super::app::App;
use super::super::painter::{LOW_PAGE, Painter, Sees, rows_of};
use super::super::playthroughs::NEVER;
use super::super::theme::Role;
use super::super::view::Targets;
use super::inputs::MusicTarget;
use super::{Column, Item, Stave, WIDTHS, side_panel, staves};
use estampie_engine::engine::PieceStatus;
use estampie_engine::index::PieceIndex;
use estampie_engine::music::plan;
use estampie_engine::music::spec::{Piece, Rule};
use estampie_engine::names::NameKey;
use estampie_project::document::{PieceDoc, SILENCE, SectionDoc, Then};
use estampie_proof::onsets::parts_of_beat;
use ratatui::layout::Rect;

pub(crate) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let sees = match app.music.column {
        Column::Index => Sees::Left,
        // Staves and the matrix are wide.
        Column::Staves | Column::Ways => Sees::Centre,
        Column::Fields => Sees::Right,
    };
    let (index, centre, note) = painter.columns_of_page(area, WIDTHS.0, WIDTHS.1, sees);
    if painter.shows(index) {
        draw_index(app, painter, index, targets);
    }
    match (app.piece_doc(), app.piece_spec()) {
        (Some(doc), Some((at, spec))) => draw_folio(app, painter, centre, (doc, at, spec), targets),
        _ => {
            painter.heading(centre.x, centre.y, centre.width, "No music yet", "");
            let words =
                "n makes a piece. In a piece o makes sections, in a section layers from audio files; F proposes the tempo and the bars that a file has.";
            for (row, line) in rows_of(words, usize::from(centre.width), "").iter().enumerate() {
                painter.text(centre.x, centre.y + 2 + row as u16, centre.width, line, Role::Secondary);
            }
        }
    }
    if painter.shows(note) {
        side_panel::draw(app, painter, note, targets);
    }
}

fn draw_index(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let music = app.music_doc();
    let mut y = area.y;
    let status = app.rehearsal.status.as_ref().filter(|s| s.program == app.program().id);
    for (row, item) in app.music_items().into_iter().enumerate() {
        let heading = match item {
            Item::Piece(0) => Some("Pieces"),
            Item::Playlist(0) => Some("Playlists"),
            Item::Stinger(0) => Some("Stingers"),
            _ => None,
        };
        if let Some(heading) = heading {
            y += u16::from(row > 0);
            painter.heading(area.x + 1, y, area.width - 2, heading, "");
            y += 1;
        }
        if y >= area.bottom() {
            return;
        }
        let chosen = app.music.column == Column::Index && app.music.item == row;
        if chosen {
            painter.select(area.x, y, area.width);
        }
        targets.push((Rect { x: area.x, y, width: area.width, height: 1 }, std::rc::Rc::new(MusicTarget::Item(row))));
        let (name, aside, gold) = match item {
            Item::Piece(at) => {
                let name = &music.pieces[at].name;
                let index = app.program().music.find_piece.get(NameKey::of(name));
                let plays = index.and_then(|i| app.piece_now(i)).is_some_and(|n| n.sequencer.pass().is_some());
                (name.as_str(), if plays { "▶ plays".to_owned() } else { String::new() }, plays)
            }
            Item::Playlist(at) => {
                let name = &music.lists[at].name;
                let index = app.program().music.find_playlist.get(NameKey::of(name));
                let on = index.and_then(|i| status?.playlists.get(i)).is_some_and(|(on, _)| *on);
                (name.as_str(), if on { "▶ on".to_owned() } else { String::new() }, on)
            }
            Item::Stinger(at) => {
                let stinger = &music.stingers[at];
                let index = app.program().music.find_stinger.get(NameKey::of(&stinger.name));
                let waits = index.is_some_and(|i| status.is_some_and(|s| s.stingers.iter().any(|w| usize::from(w.stinger) == i)));
                (stinger.name.as_str(), if waits { "♪ waits".to_owned() } else { stinger.on.to_string() }, waits)
            }
        };
        let shown = matches!(item, Item::Piece(at) if at == app.music.piece);
        let end = painter.text(area.x + 2, y, area.width - 3, name, if gold || shown { Role::Active } else { Role::Text });
        let width = aside.chars().count() as u16;
        if end + width < area.right() {
            painter.right(area.right() - 1, y, &aside, if gold { Role::Active } else { Role::Secondary });
        }
        y += 1;
    }
    let Some(doc) = app.piece_doc() else { return };
    let mut moved: Vec<(String, String)> = Vec::new();
    if let Some(follows) = &doc.follows {
        moved.push((follows.subject.value.clone(), "sections".into()));
    }
    let layers = format!("{}/", doc.name);
    for m in &app.document().modulations {
        let what = match m.target.value.strip_prefix(&layers) {
            Some(layer) => format!("{layer} {}", m.property.word()),
            None if m.target.value == doc.name => m.property.word().to_owned(),
            None => continue,
        };
        moved.push((m.from.value.clone(), what));
    }
    if !moved.is_empty() && y + 3 < area.bottom() {
        painter.heading(area.x + 1, y + 1, area.width - 2, "Moved by", "");
        for (row, (from, what)) in moved.iter().enumerate().take(usize::from(area.bottom() - y - 2)) {
            let row = y + 2 + row as u16;
            let end = painter.text(area.x + 2, row, area.width - 3, from, Role::FromGame) + 1;
            painter.text(end, row, (area.right() - 1).saturating_sub(end), what, Role::Secondary);
        }
    }
}

fn draw_folio(app: &App, painter: &mut Painter<'_>, area: Rect, (doc, at, spec): (&PieceDoc, PieceIndex, &Piece), targets: &mut Targets) {
    let now = app.piece_now(at);
    let frame = app.rehearsal.status.as_ref().map_or(0, |s| s.frame);
    let rate = app.program().rate;
    let pass = now.and_then(|n| n.sequencer.pass());
    let written = estampie_engine::music::exact::number(estampie_engine::music::exact::wide(doc.tempo));
    let factor = now.map_or(1.0, |n| estampie_engine::music::exact::number(n.sequencer.factor()));
    let end = painter.text(area.x, area.y, 20, &doc.name, Role::Active) + 2;
    let beat = if doc.metre.note >= 8 { "beats a minute" } else { "♩" };
    let tempo = if (factor - 1.0).abs() > 1e-6 { format!("{:.1} (written {written})", written * factor) } else { format!("{written}") };
    let tempo = if beat == "♩" { format!("♩ {tempo}") } else { format!("{tempo} {beat}") };
    let end = painter.text(end, area.y, 34, &tempo, if (factor - 1.0).abs() > 1e-6 { Role::FromGame } else { Role::Text }) + 2;
    let end = painter.text(end, area.y, 6, &doc.metre.to_string(), Role::Text) + 2;
    let key = doc.key.as_ref().map_or("", |k| k.value.as_str());
    let end = painter.text(end, area.y, 14, key, Role::Text) + 2;
    let moved = now.map_or(0.0, |n| n.transposition_semitones);
    if moved.abs() > 0.005 {
        painter.text(end, area.y, 16, &format!("{} st", estampie_proof::trace::print_value(moved)), Role::FromGame);
    }
    painter.right(area.right(), area.y, "■ sounds  □ out", Role::Secondary);
    // The ways and the bars to come have their room; the staves take what is left.
    let ends = app.way_ends();
    let plan_rows = 4;
    let two = ends.len() as u16 * 2 + 3 + plan_rows + 14 <= area.height;
    let tall = rows_of_ways(spec, &ends, two);
    // On a low page the matrix is there while the keys are in it; before, the staves have its room.
    let with_ways = area.height >= LOW_PAGE || app.music.column == Column::Ways;
    let ways = if with_ways { tall.iter().sum::<u16>() + 2 } else { 0 };
    let foot = area.bottom() - plan_rows;
    // A rule lies between the ways and what comes.
    let middle = foot.saturating_sub(ways + 1);
    let room = middle.saturating_sub(area.y + 2);
    app.music.room.set(usize::from(room));
    let lines = staves(doc, |s| app.section_open(s));
    draw_staves(app, painter, Rect { y: area.y + 1, height: room, ..area }, (doc, spec, now), &lines, targets);
    if with_ways {
        draw_ways(app, painter, Rect { y: middle, height: ways, ..area }, spec, &tall, targets);
    }
    painter.rule(area.x, foot - 1, area.width);
    draw_plan(app, painter, Rect { y: foot, height: plan_rows, ..area }, (at, spec, now), (frame, rate));
    if pass.is_none() {
        let words = "it is silent: enter on a section begins it, and so does what it follows";
        painter.text(area.x + 14, foot, area.width - 14, words, Role::Secondary);
    }
}

/// What is said of a section after its name.
fn about(section: &SectionDoc) -> String {
    let then = match &section.then {
        Then::Loop => "loops".to_owned(),
        Then::End => "then ends".to_owned(),
        Then::Section(next) => format!("then {}", next.value),
    };
    let mut text = format!("{} bar{} · {then}", section.bars, if section.bars == 1 { "" } else { "s" });
    if section.phrase < section.bars {
        text += &format!(" · phrases of {}", section.phrase);
    }
    if section.open > 0 {
        text += &format!(" · open ending {}", section.open);
    }
    if let Some(close) = &section.close {
        text += &format!(", close ending {}", close.value);
    }
    text
}

fn draw_staves(
    app: &App,
    painter: &mut Painter<'_>,
    area: Rect,
    (doc, spec, now): (&PieceDoc, &Piece, Option<&PieceStatus>),
    lines: &[Stave],
    targets: &mut Targets,
) {
    let program = app.program();
    let frame = app.rehearsal.status.as_ref().map_or(0, |s| s.frame);
    let rate = f64::from(program.rate);
    let pass = now.and_then(|n| n.sequencer.pass());
    let place = now.and_then(|n| n.sequencer.position(spec, frame));
    let room = usize::from(area.height);
    // Each open section has a line of bar numbers besides its own lines.
    let height = |line: &Stave| if matches!(line, Stave::Section(s) if app.section_open(*s)) { 2 } else { 1 };
    let mut first = 0;
    let selected = app.music.stave.row(lines);
    while first < selected && lines[first..=selected].iter().map(height).sum::<usize>() > room {
        first += 1;
    }
    let mut y = area.y;
    for (row, line) in lines.iter().enumerate().skip(first) {
        if y >= area.bottom() {
            break;
        }
        let chosen = app.music.column == Column::Staves && selected == row;
        if chosen {
            painter.select(area.x, y, area.width);
        }
        targets.push((Rect { x: area.x, y, width: area.width, height: 1 }, std::rc::Rc::new(MusicTarget::Stave(row))));
        match *line {
            Stave::Section(at) => {
                let section = &doc.sections[at];
                let plays = pass.is_some_and(|p| p.section.at() == at);
                if app.never_come_by("sections", &format!("{}/{}", doc.name, section.name)) {
                    painter.text(area.x, y, 1, NEVER, Role::Active);
                }
                let end = painter.text(area.x + 1, y, 16, &section.name, if plays { Role::Active } else { Role::Text }) + 2;
                // What it waits for counts for more than what it is.
                let leaves = now.filter(|_| plays).and_then(|n| Some((n.sequencer.waits()?.to, n.sequencer.leaves(spec)?)));
                let text = leaves.map_or(String::new(), |(to, leaves)| {
                    let to = to.map_or(SILENCE, |s| program.names.get(spec.sections[s].key));
                    format!("▼ leaves for {to} in {:.1} s", leaves.saturating_sub(frame) as f64 / rate)
                });
                let needed = if text.is_empty() { 0 } else { text.chars().count() as u16 + 2 };
                painter.text(end, y, area.right().saturating_sub(end + needed), &about(section), Role::Secondary);
                painter.right(area.right(), y, &text, Role::Accent);
                y += 1;
                if let Some(section) = spec.sections.get(at).filter(|_| app.section_open(at) && y < area.bottom()) {
                    bar_numbers(painter, Rect { y, ..area }, section);
                    y += 1;
                }
            }
            Stave::Layer(at, layer) => {
                let playing = pass.filter(|p| p.section.at() == at).and(place).map(|(bar, beat, _)| (bar, beat));
                stave(app, painter, Rect { y, height: 1, ..area }, (doc, spec), (at, layer), playing);
                y += 1;
            }
        }
    }
}

const NAME: u16 = 12;
/// Room for a layer's level, and where there is more of it for its pan.
fn level_width(width: u16) -> u16 {
    if width >= 60 { 13 } else { 9 }
}

/// The columns of each part of a beat, and whether parts are shown at all; else there is a column for a whole beat.
fn grid(width: u16, section: &estampie_engine::music::spec::Section) -> (u16, bool) {
    let bars = section.map.bars() as u16;
    let room = width.saturating_sub(NAME + level_width(width) + bars);
    let beats = section.map.points().iter().filter(|p| p.on_beat).count() as u16;
    let parts: u16 = section.map.points().iter().filter(|p| p.on_beat).map(|p| parts_of_beat(section.map.metre(p.bar)) as u16).sum();
    if parts * 2 <= room {
        (2, true)
    } else if parts <= room {
        (1, true)
    } else {
        (if beats * 2 <= room { 2 } else { 1 }, false)
    }
}

/// The columns of a beat.
fn beat_width(width: u16, section: &estampie_engine::music::spec::Section, bar: u32) -> u16 {
    let (wide, parts) = grid(width, section);
    if parts { wide * parts_of_beat(section.map.metre(bar)) as u16 } else { wide }
}

fn bar_numbers(painter: &mut Painter<'_>, area: Rect, section: &estampie_engine::music::spec::Section) {
    let mut x = area.x + NAME;
    for point in section.map.points().iter().filter(|p| p.on_beat) {
        if point.on_bar {
            x += 1;
            if x + 2 < area.right() - level_width(area.width) {
                painter.text(x, area.y, 4, &(point.bar + 1).to_string(), Role::Secondary);
            }
        }
        x += beat_width(area.width, section, point.bar);
    }
}

fn stave(app: &App, painter: &mut Painter<'_>, area: Rect, (doc, spec): (&PieceDoc, &Piece), (at, layer): (usize, usize), playing: Option<(u32, u32)>) {
    let layer_doc = &doc.sections[at].layers[layer];
    let Some(section) = spec.sections.get(at) else { return };
    let Some(index) = section.layers.get(layer).copied() else { return };
    let now = app.rehearsal.status.as_ref().and_then(|s| s.layers.get(index as usize));
    let gain = now.map_or(1.0, |n| n.gain);
    let out = playing.is_some() && gain < 0.01;
    let role = match playing {
        Some(_) if out => Role::Secondary,
        Some(_) => Role::Active,
        None => Role::Text,
    };
    painter.text(area.x + 2, area.y, NAME - 3, &layer_doc.name, role);
    let strokes = app.music.beside.strokes(app.program(), index as usize);
    let (wide, divided) = grid(area.width, section);
    let mut x = area.x + NAME;
    let mut at = 0;
    for point in section.map.points().iter().filter(|p| p.on_beat) {
        let parts = parts_of_beat(section.map.metre(point.bar)) as usize;
        let here = strokes.get(at..(at + parts).min(strokes.len())).unwrap_or(&[]);
        at += parts;
        if x + beat_width(area.width, section, point.bar) >= area.right() - level_width(area.width) {
            painter.text(x, area.y, 1, "…", Role::Secondary);
            break;
        }
        if point.on_bar {
            painter.text(x, area.y, 1, "╎", Role::Rule);
            x += 1;
        }
        let whole = [here.iter().copied().max().unwrap_or(0)];
        let now = playing == Some((point.bar, point.beat));
        for (part, stroke) in (if divided { here } else { &whole[..] }).iter().enumerate() {
            let mark = match stroke {
                0 => " ",
                _ if out => "□",
                1..=90 => "▪",
                _ => "■",
            };
            if now && part == 0 {
                let style = painter.style(Role::Active).add_modifier(ratatui::style::Modifier::REVERSED);
                painter.put(x, area.y, 1, mark, style);
            } else {
                painter.text(x, area.y, 1, mark, role);
            }
            x += wide;
        }
    }
    painter.text(x.min(area.right() - level_width(area.width)), area.y, 1, "║", Role::Rule);
    let waits = now.is_some_and(|n| n.waits);
    let text = if waits {
        "waits".to_owned()
    } else if out {
        "out".to_owned()
    } else {
        let level = format!("{:.1} dB", layer_doc.level.0).replace('-', "−");
        // The side by its first letter: there is no room for more.
        let side = if layer_doc.pan.0 < 0.0 { "L" } else { "R" };
        if layer_doc.pan.0 == 0.0 || area.width < 60 { level } else { format!("{side}{:.0} {level}", layer_doc.pan.0.abs() * 100.0) }
    };
    painter.right((x + level_width(area.width)).min(area.right()), area.y, &text, if waits { Role::Accent } else { Role::Secondary });
}

/// The rule for the way from one end to another.
fn rule_between<'a>(spec: &'a Piece, from: &str, to: &str) -> &'a Rule {
    let index = |name: &str| if name == SILENCE { None } else { spec.section(NameKey::of(name)) };
    spec.rule(index(from), index(to))
}

/// How tall each row of the matrix is: where a way goes by another section, and there is room, a second line says so.
fn rows_of_ways(spec: &Piece, ends: &[String], two: bool) -> Vec<u16> {
    let by_way = |from: &String| ends.iter().any(|to| to != from && rule_between(spec, from, to).allowed && rule_between(spec, from, to).way.is_some());
    ends.iter().map(|from| if two && by_way(from) { 2 } else { 1 }).collect()
}

fn draw_ways(app: &App, painter: &mut Painter<'_>, area: Rect, spec: &Piece, tall: &[u16], targets: &mut Targets) {
    let ends = app.way_ends();
    let label = 12;
    let wide = (area.width.saturating_sub(label) / ends.len().max(1) as u16).max(8);
    painter.heading(area.x, area.y, area.width, "Transitions", "row leaves, column arrives");
    for (column, name) in ends.iter().enumerate() {
        let x = area.x + label + column as u16 * wide;
        painter.text(x, area.y + 1, wide - 1, name, if app.music.cell.1 == column && app.music.column == Column::Ways { Role::Active } else { Role::Text });
    }
    for (row, from) in ends.iter().enumerate() {
        let (y, height) = (area.y + 2 + tall[..row].iter().sum::<u16>(), tall[row]);
        painter.text(area.x + 1, y, label - 2, from, if app.music.cell.0 == row && app.music.column == Column::Ways { Role::Active } else { Role::Text });
        for (column, to) in ends.iter().enumerate() {
            let x = area.x + label + column as u16 * wide;
            let chosen = app.music.cell == (row, column) && matches!(app.music.column, Column::Ways | Column::Fields);
            targets.push((Rect { x, y, width: wide, height }, std::rc::Rc::new(MusicTarget::Transition(row, column))));
            if chosen {
                let selection = painter.theme.selection();
                painter.buffer.set_style(Rect { x, y, width: wide, height }.intersection(painter.buffer.area), selection);
            }
            if from == to {
                painter.text(x, y, wide - 1, if from == SILENCE { "–" } else { "loops" }, Role::Rule);
                continue;
            }
            let rule = rule_between(spec, from, to);
            let own = rule.written.is_some();
            if !rule.allowed {
                painter.text(x, y, wide - 1, "× never", Role::Accent);
                continue;
            }
            let role = if chosen {
                Role::Active
            } else if own {
                Role::Text
            } else {
                Role::Secondary
            };
            let when = if from == SILENCE { "at once".to_owned() } else { side_panel::when_short(app.program(), rule.leave) };
            painter.text(x, y, wide - 1, &when, role);
            if height > 1 {
                let way = rule.way.map_or(String::new(), |w| format!("by {}", app.program().names.get(spec.sections[w].key)));
                painter.text(x, y + 1, wide - 1, &way, Role::Secondary);
            }
        }
    }
}

fn draw_plan(app: &App, painter: &mut Painter<'_>, area: Rect, (at, spec, now): (PieceIndex, &Piece, Option<&PieceStatus>), (frame, rate): (u64, u32)) {
    painter.text(area.x, area.y, 12, "Next 8 bars", Role::Secondary);
    let Some(now) = now.filter(|n| n.sequencer.pass().is_some()) else { return };
    let planned = plan(spec, &now.sequencer, rate, frame, 8);
    let pass = now.sequencer.pass().map(|p| p.section);
    let place = now.sequencer.position(spec, frame);
    let mut x = area.x + 13;
    let mut last = None;
    let mut label_end = x;
    let beats: u32 = planned.iter().map(|p| p.beats).sum();
    let wide = if beats * 2 + 8 < u32::from(area.width.saturating_sub(14)) { 2 } else { 1 };
    for (row, bar) in planned.iter().enumerate() {
        let other = Some(bar.section) != pass;
        if last != Some(bar.section) || bar.new {
            let name = app.program().names.get(spec.sections[bar.section].key);
            let text = if row == 0 { name.to_owned() } else { format!("{name} in {:.1} s", bar.frame.saturating_sub(frame) as f64 / f64::from(rate)) };
            if x >= label_end {
                label_end = painter.text(x, area.y + 1, area.right().saturating_sub(x), &text, if other { Role::Accent } else { Role::Active }) + 1;
            } else {
                label_end = painter.text(x, area.y + 2, area.right().saturating_sub(x), &text, if other { Role::Accent } else { Role::Active }) + 1;
            }
            last = Some(bar.section);
        }
        for beat in 0..bar.beats {
            if x + 1 >= area.right() {
                break;
            }
            let here = row == 0 && place.is_some_and(|(b, t, _)| (b, t) == (bar.bar, beat));
            let mark = if beat == 0 { "■" } else { "▪" };
            let role = match (other, here) {
                (_, true) => Role::Active,
                (true, _) => Role::Accent,
                (false, _) => Role::Text,
            };
            if here {
                let style = painter.style(role).add_modifier(ratatui::style::Modifier::REVERSED);
                painter.put(x, area.y, 1, mark, style);
            } else {
                painter.text(x, area.y, 1, mark, role);
            }
            x += wide;
        }
        x += 1;
    }
    let Some(status) = app.rehearsal.status.as_ref() else { return };
    let mut x = area.x + 13;
    for waiting in status.stingers.iter().filter(|w| w.piece == at) {
        let Some(stinger) = app.program().music.stingers.get(usize::from(waiting.stinger)) else { continue };
        let text = format!("♪ {} waits: {}", app.program().names.get(stinger.key), side_panel::when_text(app.program(), waiting.on));
        x = painter.text(x, area.y + 3, area.right().saturating_sub(x), &text, Role::Accent) + 2;
    }
}
