//! The takes of a sound: waves in columns, spoken lines as a table, a chain over time.

use super::inputs::SoundsTarget;
use super::{Column, Listed};
use crate::workshop::app::App;
use crate::workshop::painter::Painter;
use crate::workshop::playthroughs::NEVER;
use crate::workshop::theme::Role;
use crate::workshop::view::Targets;
use estampie_engine::names::NameKey;
use estampie_engine::vocabulary::Rounds;
use estampie_project::document::SoundDoc;
use estampie_project::stock::{file_of, take_words};
use ratatui::layout::Rect;

/// The takes in three columns; gives the line below them.
pub(super) fn takes(app: &App, painter: &mut Painter<'_>, area: Rect, list: &[Listed], last: Option<NameKey>, targets: &mut Targets) -> u16 {
    // Few takes have larger waves.
    let columns = (list.len() as u16).clamp(1, 3);
    let cell = (area.width / columns).max(12);
    let needed = (list.len() as u16).div_ceil(columns);
    // Sounds within sounds have no wave here.
    let waves = list.iter().any(|take| take.file);
    let tall = if waves { (area.height / needed.max(1)).clamp(5, 10).min(area.height.max(5)) } else { 3 };
    let rows = (area.height / tall).max(1);
    // The row of the selected take stays in sight.
    let first = (app.sounds.take as u16 / columns + 1).saturating_sub(rows);
    let focused = app.sounds.column == Column::Takes;
    let mut shown = 0;
    for (at, take) in list.iter().enumerate().skip(usize::from(first * columns)).take(usize::from(rows * columns)) {
        let (row, column) = ((at as u16) / columns - first, (at as u16) % columns);
        shown = shown.max(row + 1);
        let place = Rect { x: area.x + column * cell, y: area.y + row * tall, width: cell - 2, height: tall - 1 };
        targets.push((place, std::rc::Rc::new(SoundsTarget::Take(at))));
        let chosen = focused && at == app.sounds.take;
        let sounding = last == Some(NameKey::of(&take.name));
        let role = if chosen || sounding { Role::Active } else { Role::Text };
        let key = painter.theme.key();
        let x = painter.put(place.x, place.y, 3, &format!("{}", at + 1), key) + 1;
        let never = app.never_come_by("takes", &take.name);
        let x = if never { painter.text(x, place.y, 1, NEVER, Role::Active) + 1 } else { x };
        if chosen {
            painter.text(place.x.saturating_sub(1), place.y, 1, "▌", Role::Active);
        }
        let room = (place.right()).saturating_sub(x);
        // What of its file it plays is told where there is room; the wave shows it anyway.
        let name = &Some(take_words(&take.name)).filter(|words| words.chars().count() <= usize::from(room)).unwrap_or_else(|| take_words(file_of(&take.name)));
        let aside = take.aside.chars().count() as u16;
        let forced = app.rehearsal.only.forced.is_some_and(|(s, t)| s == NameKey::of(&app.sounds.selected) && take.at.is_some_and(|(_, n)| n == t));
        if forced {
            painter.text(x, place.y, room, &format!("{name} always"), Role::Accent);
        } else {
            let end = painter.text(x, place.y, if aside > 0 && room > aside + 8 { room - aside - 1 } else { room }, name, role);
            if aside > 0 && end + aside < place.right() + 1 {
                painter.right(place.right(), place.y, &take.aside, Role::Secondary);
            }
        }
        if !take.file {
            let made = take.name.strip_prefix("generator ").and_then(|name| app.document().shared.generator.iter().find(|g| g.name == name));
            let what = made.map_or_else(|| "a sound of its own".to_owned(), ToString::to_string);
            painter.text(place.x, place.y + 1, place.width, &what, Role::Secondary);
            continue;
        }
        let Some(facts) = app.facts.get(&take.name) else {
            painter.text(place.x, place.y + 1, place.width, "being measured", Role::Secondary);
            continue;
        };
        wave(painter, Rect { y: place.y + 1, height: tall - 3, ..place }, &facts.wave, if sounding { Role::Active } else { Role::Text });
        let loud = facts.loudness.map_or_else(|| format!("{:.1} dB RMS", facts.level), |l| format!("{l:.1} LUFS")).replace('-', "−");
        let weight = if take.weight == 1.0 { String::new() } else { format!("  × {}", take.weight) };
        painter.text(place.x, place.y + tall - 2, place.width, &format!("{:.2} s  {loud}{weight}", facts.seconds), Role::Secondary);
    }
    if needed > rows {
        painter.right(
            area.right(),
            area.y.saturating_sub(1),
            &format!("{} of {} takes shown", (rows * columns).min(list.len() as u16), list.len()),
            Role::Secondary,
        );
    }
    area.y + shown * tall
}

/// Spoken lines as a table: the situation, the file, its length and loudness, and what is said; gives the line below them.
pub(super) fn spoken(
    app: &App,
    painter: &mut Painter<'_>,
    area: Rect,
    (sound, list): (&SoundDoc, &[Listed]),
    last: Option<NameKey>,
    targets: &mut Targets,
) -> u16 {
    let rank = sound.spoken(&app.document().shared).and_then(|lines| lines.rank).unwrap_or_default();
    painter.heading(area.x, area.y, area.width, "Lines", &format!("rank {rank} of 100; texts at the right say what is said"));
    let height = usize::from(area.height.saturating_sub(1));
    let first = (app.sounds.take + 2).saturating_sub(height).min(list.len().saturating_sub(height));
    let focused = app.sounds.column == Column::Takes;
    let widest = |of: &dyn Fn(&Listed) -> usize, most: usize| list.iter().map(of).max().unwrap_or(0).min(most) as u16;
    let short = |take: &Listed| take_words(&take.name);
    let (asides, names) = (widest(&|t| t.aside.chars().count(), 12), widest(&|t| short(t).chars().count(), 22));
    for (at, take) in list.iter().enumerate().skip(first).take(height) {
        let y = area.y + 1 + (at - first) as u16;
        let chosen = focused && at == app.sounds.take;
        if chosen {
            painter.select(area.x.saturating_sub(1), y, area.width + 1);
        }
        targets.push((Rect { y, height: 1, ..area }, std::rc::Rc::new(SoundsTarget::Take(at))));
        let role = if chosen || last == Some(NameKey::of(&take.name)) { Role::Active } else { Role::Text };
        let mut x = area.x;
        let key = painter.theme.key();
        painter.put(x, y, 3, &format!("{}", at + 1), key);
        if app.never_come_by("takes", &take.name) {
            painter.text(x + 2, y, 1, NEVER, Role::Active);
        }
        x += 4;
        if asides > 0 {
            painter.text(x, y, asides, &take.aside, Role::FromGame);
            x += asides + 1;
        }
        painter.text(x, y, names, &short(take), role);
        x += names + 1;
        if let Some(facts) = app.facts.get(&take.name) {
            painter.right(x + 7, y, &format!("{:.2} s", facts.seconds), Role::Secondary);
            if let Some(loudness) = facts.loudness.filter(|_| area.width >= 90) {
                painter.right(x + 18, y, &format!("{loudness:.1} LUFS").replace('-', "−"), Role::Secondary);
            }
        }
        x += if area.width >= 90 { 20 } else { 9 };
        let text = sound.text_of(&take.name);
        painter.text(x, y, area.right().saturating_sub(x), text.unwrap_or("–"), if text.is_some() { Role::Text } else { Role::Rule });
    }
    painter.more(Rect { y: area.y + 1, height: height as u16, ..area }, first, list.len().saturating_sub(first + height));
    area.y + 1 + list.len().min(height) as u16
}

/// A part of a chain over time, in seconds: where it begins, how long one round is, and how many rounds are drawn; whether it goes on until let go.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Piece {
    begin: f64,
    round: f64,
    rounds: u32,
    endless: bool,
}

/// The parts of a chain one after another, by the mean length of each one's files and the mean number of its rounds.
fn laid_out(parts: &[(f64, Rounds, f64)]) -> Vec<Piece> {
    let mut at = 0.0f64;
    let mut pieces = Vec::new();
    for (round, rounds, gap) in parts {
        let (count, endless) = match rounds {
            Rounds::Loop => (3, true),
            Rounds::Times(low, high) => ((low + high).div_ceil(2).max(1), false),
        };
        // An overlap is half of either at most.
        let begin = if pieces.is_empty() { 0.0 } else { (at + gap.max(-round / 2.0)).max(0.0) };
        pieces.push(Piece { begin, round: *round, rounds: count, endless });
        at = begin + round * f64::from(count);
    }
    pieces
}

/// A chain as a line of time; gives the line below it.
pub(super) fn chained(app: &App, painter: &mut Painter<'_>, area: Rect, sound: &SoundDoc) -> u16 {
    let mean = |files: &[estampie_project::document::Located<String>]| {
        let known: Vec<f64> = files.iter().filter_map(|f| app.facts.get(&f.value)).map(|f| f.seconds).collect();
        (!known.is_empty()).then(|| known.iter().sum::<f64>() / known.len() as f64)
    };
    // The gap that a part has lies before the next one.
    let mut before = 0.0;
    let mut parts = Vec::new();
    for part in &sound.chain {
        let Some(round) = mean(&part.files) else { return area.y };
        parts.push((round, part.rounds, before));
        before = part.gap;
    }
    let pieces = laid_out(&parts);
    let end = pieces.iter().map(|p| p.begin + p.round * f64::from(p.rounds)).fold(0.1, f64::max);
    painter.heading(area.x, area.y, area.width, "Over time", &format!("about {end:.1} s; of parts that differ, the mean"));
    let column = |seconds: f64| (seconds / end * f64::from(area.width.saturating_sub(1))) as u16;
    for (at, (piece, part)) in pieces.iter().zip(&sound.chain).enumerate() {
        // Neighbours in turn on two rows: an overlap is seen.
        let y = area.y + 1 + 2 * (at as u16 % 2);
        let from = column(piece.begin);
        for round in 0..piece.rounds {
            let (a, b) = (column(piece.begin + piece.round * f64::from(round)), column(piece.begin + piece.round * f64::from(round + 1)));
            let width = b.saturating_sub(a).max(1);
            painter.text(area.x + a, y, width, &format!("▐{}", "█".repeat(usize::from(width.saturating_sub(1)))), Role::FromGame);
        }
        let name = part.files.first().map_or("", |f| f.value.rsplit('/').next().unwrap_or(&f.value));
        let many = if part.files.len() > 1 { format!(" or {} more", part.files.len() - 1) } else { String::new() };
        let how = match part.rounds {
            Rounds::Loop => ", until let go".to_owned(),
            Rounds::Times(1, 1) => String::new(),
            Rounds::Times(low, high) if low == high => format!(", {low} ×"),
            Rounds::Times(low, high) => format!(", {low} to {high} ×"),
        };
        // As far as the next part on the same row.
        let until = pieces.get(at + 2).map_or(area.width, |next| column(next.begin));
        painter.text(area.x + from, y + 1, until.saturating_sub(from + 1), &format!("{name}{many}{how}"), Role::Secondary);
    }
    area.y + 5
}

/// A waveform: for each dot a stroke from the least to the greatest sample.
fn wave(painter: &mut Painter<'_>, area: Rect, wave: &[(f32, f32)], role: Role) {
    let dots = usize::from(area.width) * 2;
    let tall = f64::from(area.height) * 4.0;
    let greatest = wave.iter().fold(0.05f32, |g, (low, high)| g.max(-low).max(*high));
    let mut points = Vec::new();
    for dot in 0..dots {
        let from = dot * wave.len() / dots;
        let within = &wave[from..((dot + 1) * wave.len() / dots).max(from + 1)];
        let (low, high) = within.iter().fold((0.0f32, 0.0f32), |(least, most), (low, high)| (least.min(*low), most.max(*high)));
        let (low, high) = (f64::from(low / greatest), f64::from(high / greatest));
        let steps = (((high - low) / 2.0 * tall).ceil() as usize).max(1);
        for step in 0..=steps {
            let y = low + (high - low) * step as f64 / steps as f64;
            points.push(((dot as f64 + 0.5) / dots as f64, (y + 1.0) / 2.0 * 0.94 + 0.03));
        }
    }
    painter.plot(area, &points, role);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_chain_is_laid_out_with_its_rounds_gaps_and_overlaps() {
        let pieces = laid_out(&[(1.0, Rounds::Times(1, 1), 0.0), (0.5, Rounds::Times(2, 3), 0.25), (2.0, Rounds::Loop, -5.0), (1.0, Rounds::Times(1, 1), 0.0)]);
        let told: Vec<(f64, u32, bool)> = pieces.iter().map(|p| (p.begin, p.rounds, p.endless)).collect();
        assert_eq!(told, [(0.0, 1, false), (1.25, 3, false), (1.75, 3, true), (7.75, 1, false)], "an overlap is half of it at most");
    }
}
