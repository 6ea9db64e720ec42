//! Drawing a take in its recording.

use super::super::app::App;
use super::super::keys::Do;
use super::super::painter::Painter;
use super::super::theme::Role;
use super::super::view::{Clicks, Targets};
use super::handles::{Bounds, Handle};
use super::recording::{Opened, Recording};
use super::takes_of;
use estampie_project::stock::exact_seconds;
use estampie_proof::spectrogram::row_hz;
use ratatui::layout::Rect;
use std::rc::Rc;

/// The picture of the recording: a click near a handle takes it, elsewhere it hears from there on.
#[derive(Debug, Clone, Copy)]
struct Picture;

/// A line of the handles.
#[derive(Debug)]
struct HandleLine(Handle);

/// The moment of a column, in its middle.
fn moment_of(opened: &Opened, area: Rect, x: u16) -> f64 {
    let (from, to) = opened.sight;
    from + (to - from) * (f64::from(x.saturating_sub(area.x)) + 0.5) / f64::from(area.width.max(1))
}

/// The column of a moment; `None` if it is not in sight.
fn column_of(opened: &Opened, area: Rect, moment: f64) -> Option<u16> {
    let (from, to) = opened.sight;
    let share = (moment - from) / (to - from);
    (-1e-9..=1.0 + 1e-9).contains(&share).then(|| area.x + ((share * f64::from(area.width)) as u16).min(area.width.saturating_sub(1)))
}

impl Clicks for Picture {
    fn click(&self, app: &mut App, area: Rect, (x, _): (u16, u16)) {
        let handles = app.handles();
        let Some(opened) = &mut app.sounds.opened else { return };
        let Some(bounds) = opened.bounds() else { return };
        let off = |h: &Handle| column_of(opened, area, bounds.shown_at(&opened.trim, *h)).map(|at| (at.abs_diff(x), *h));
        let near = handles.iter().filter_map(off).filter(|(off, _)| *off <= 1);
        // Of those that lie together the one that is chosen, or the last: a fade's end lies on what fades.
        let chosen = opened.handle;
        match near.min_by_key(|(off, h)| (*off, *h != chosen, std::cmp::Reverse(*h as u8))) {
            Some((_, handle)) => {
                opened.handle = handle;
                app.dragging = Some((Rc::new(*self), area));
            }
            None => {
                let moment = moment_of(opened, area, x);
                app.hear_from(moment);
            }
        }
    }

    fn drag(&self, app: &mut App, area: Rect, (x, _): (u16, u16)) -> bool {
        let Some(opened) = &app.sounds.opened else { return false };
        let moment = moment_of(opened, area, x.clamp(area.x, area.right().saturating_sub(1)));
        app.drag_handle(moment);
        true
    }

    fn wheel(&self, app: &mut App, by: isize) -> bool {
        app.act(if by > 0 { Do::ZoomOut } else { Do::ZoomIn });
        true
    }
}

impl Clicks for HandleLine {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        let Some(opened) = &mut app.sounds.opened else { return };
        let again = opened.handle == self.0;
        opened.handle = self.0;
        if again {
            app.act(Do::Edit);
        }
    }
}

/// Round steps of time of which some are in sight.
fn ruler(from: f64, to: f64, most: usize) -> Vec<f64> {
    let wide = (to - from).max(1e-6);
    let ten = 10f64.powf((wide / most.max(1) as f64).log10().floor());
    let step = [1.0, 2.0, 5.0, 10.0, 20.0].map(|s| s * ten).into_iter().find(|s| wide / s <= most as f64).unwrap_or(20.0 * ten);
    let first = (from / step).ceil() as i64;
    (first..).map(|n| n as f64 * step).take_while(|t| *t <= to).collect()
}

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, opened: &Opened, targets: &mut Targets) {
    let sound = app.sound();
    let count = sound.map_or(0, |s| takes_of(s).len());
    let gold = painter.style(Role::Active).add_modifier(ratatui::style::Modifier::BOLD);
    let x = painter.put(area.x, area.y, area.width, opened.file.rsplit('/').next().unwrap_or(&opened.file), gold) + 2;
    let x = painter.text(x, area.y, (area.right()).saturating_sub(x), &format!("take {} of {count} of {}", opened.take + 1, opened.sound), Role::Text) + 2;
    let recording = match &opened.recording {
        None => {
            painter.text(area.x, area.y + 2, area.width, "being read", Role::Secondary);
            return;
        }
        Some(Err(why)) => {
            painter.text(area.x, area.y + 2, area.width, why, Role::Accent);
            return;
        }
        Some(Ok(recording)) => recording,
    };
    let bounds = recording.bounds();
    let facts = format!("{} Hz  {} s, plays {} s", bounds.rate, short(bounds.length), short(bounds.end(&opened.trim) - opened.trim.from));
    if x + (facts.len() as u16) < area.right() {
        painter.right(area.right(), area.y, &facts, Role::Secondary);
    }
    let handles = app.handles();
    let foot = (handles.len() as u16 + 2).max(if handles.len() > Handle::WITHOUT_LOOP { 9 } else { 0 });
    let tall = area.height.saturating_sub(foot + 5);
    if tall < 3 {
        return table(app, painter, Rect { y: area.y + 2, height: area.height.saturating_sub(2), ..area }, (opened, &bounds), targets);
    }
    let picture = Rect { x: area.x + 6, y: area.y + 3, width: area.width.saturating_sub(7), height: tall };
    opened.room.set((picture.width, picture.height));
    times(painter, Rect { y: area.y + 1, height: 1, ..picture }, opened);
    signs(painter, Rect { y: area.y + 2, height: 1, ..picture }, (opened, &bounds), handles);
    if opened.shows_spectrum {
        spectrum(painter, picture, opened);
    } else {
        wave(painter, picture, (opened, &bounds), recording);
    }
    lines(app, painter, picture, (opened, &bounds), handles);
    targets.push((Rect { y: picture.y - 1, height: picture.height + 2, ..picture }, Rc::new(Picture)));
    let y = picture.bottom();
    if handles.len() > Handle::WITHOUT_LOOP {
        loop_line(painter, Rect { y, height: 1, ..picture }, (opened, &bounds));
    }
    let rest = Rect { y: y + 2, height: area.bottom().saturating_sub(y + 2), ..area };
    let half = if handles.len() > Handle::WITHOUT_LOOP && area.width >= 70 { area.width / 2 } else { area.width };
    table(app, painter, Rect { width: half, ..rest }, (opened, &bounds), targets);
    if half < area.width {
        seam(painter, Rect { x: rest.x + half + 1, width: rest.width - half - 2, ..rest }, opened);
    }
}

/// Seconds to the millisecond.
fn short(seconds: f64) -> String {
    format!("{seconds:.3}")
}

fn times(painter: &mut Painter<'_>, area: Rect, opened: &Opened) {
    let (from, to) = opened.sight;
    let list = ruler(from, to, usize::from(area.width / 12).max(1));
    let decimals = list.windows(2).next().map_or(3, |w| (-(w[1] - w[0]).log10().floor()).clamp(0.0, 6.0) as usize);
    for at in list {
        if let Some(x) = column_of(opened, area, at) {
            let text = format!("{at:.decimals$} s");
            // One that has no room says nothing.
            if x + text.len() as u16 <= area.right() {
                painter.text(x, area.y, text.len() as u16, &text, Role::Secondary);
            }
        }
    }
}

/// Over the picture, where the handles stand.
fn signs(painter: &mut Painter<'_>, area: Rect, (opened, bounds): (&Opened, &Bounds), handles: &[Handle]) {
    for handle in handles {
        if let Some(x) = column_of(opened, area, bounds.shown_at(&opened.trim, *handle)) {
            painter.text(x, area.y, 1, "▾", Role::Secondary);
        }
    }
    if let Some(x) = column_of(opened, area, bounds.shown_at(&opened.trim, opened.handle)) {
        let word = opened.handle.word();
        let width = word.len() as u16 + 2;
        // Where there is no room to the right, it stands to the left.
        if x + width < area.right() {
            painter.text(x, area.y, width, &format!("▼ {word}"), Role::Active);
        } else {
            painter.text((x + 1).saturating_sub(width), area.y, width, &format!("{word} ▼"), Role::Active);
        }
    }
}

fn wave(painter: &mut Painter<'_>, area: Rect, (opened, bounds): (&Opened, &Bounds), recording: &Recording) {
    let channels = recording.decoded.channels.len().max(1);
    let (from, to) = opened.sight;
    let dots = usize::from(area.width) * 2;
    let wide = (to - from) / dots as f64;
    let greatest = (0..channels).map(|c| recording.extent(c, 0.0, bounds.length)).fold(0.02f32, |g, (low, high)| g.max(-low).max(high));
    // Two channels one below the other, where there is room.
    let parts = if channels == 2 && area.height >= 8 { 2u16 } else { 1 };
    let tall = area.height / parts;
    let (end, start) = (bounds.end(&opened.trim), opened.trim.from);
    for part in 0..parts {
        let place = Rect { y: area.y + part * tall, height: tall, ..area };
        let heard: Vec<usize> = if parts == 2 { vec![usize::from(part)] } else { (0..channels).collect() };
        let (mut inside, mut outside) = (Vec::new(), Vec::new());
        for dot in 0..dots {
            let at = from + wide * dot as f64;
            let (low, high) =
                heard.iter().map(|c| recording.extent(*c, at, at + wide)).fold((f32::MAX, f32::MIN), |(l, h), (low, high)| (l.min(low), h.max(high)));
            let within = at + wide / 2.0 >= start && at + wide / 2.0 < end;
            let gain = if within { bounds.gain(&opened.trim, at + wide / 2.0) } else { 1.0 };
            let (low, high) = (f64::from(low * gain / greatest), f64::from(high * gain / greatest));
            let steps = (((high - low) * f64::from(tall) * 4.0).ceil() as usize).max(1);
            let points = if within { &mut inside } else { &mut outside };
            for step in 0..=steps {
                let y = low + (high - low) * step as f64 / steps as f64;
                points.push(((dot as f64 + 0.5) / dots as f64, (y + 1.0) / 2.0 * 0.96 + 0.02));
            }
        }
        painter.plots(place, &[(&outside, Role::Rule), (&inside, Role::Text)]);
        let db = |share: f32| format!("{:.0}", 20.0 * (greatest * share).log10()).replace('-', "−");
        painter.right(area.x - 1, place.y, &db(1.0), Role::Secondary);
        if tall >= 7 {
            painter.right(area.x - 1, place.y + tall / 4, &db(0.5), Role::Secondary);
        }
        painter.right(area.x - 1, place.y + tall / 2, if parts == 2 { ["L", "R"][usize::from(part)] } else { "dB" }, Role::Secondary);
    }
}

/// Two rows of the spectrogram in each row of the page: the upper half in the letter's colour, the lower in the ground's.
fn spectrum(painter: &mut Painter<'_>, area: Rect, opened: &Opened) {
    let Some(image) = &opened.image else {
        painter.text(area.x, area.y, area.width, "being worked out", Role::Secondary);
        return;
    };
    let rows = usize::from(area.height) * 2;
    for (x, column) in (area.x..area.right()).zip(&image.columns) {
        for row in 0..area.height {
            let share = |half: usize| column.get(rows.saturating_sub(1 + usize::from(row) * 2 + half)).copied().unwrap_or(0.0);
            painter.halves(x, area.y + row, share(0), share(1));
        }
    }
    let every = (area.height / 5).max(2);
    for row in (every / 2..area.height).step_by(usize::from(every)) {
        let hz = row_hz((rows - 2 - usize::from(row) * 2) as f64 + 0.5, rows);
        let text = if hz >= 1000.0 { format!("{:.1}k", hz / 1000.0) } else { format!("{hz:.0}") };
        painter.right(area.x - 1, area.y + row, &text, Role::Secondary);
    }
}

/// Upright lines where the take begins and ends, at the chosen handle, and where it is heard now.
fn lines(app: &App, painter: &mut Painter<'_>, area: Rect, (opened, bounds): (&Opened, &Bounds), handles: &[Handle]) {
    let mut upright = |moment: f64, sign: &str, role: Role| {
        if let Some(x) = column_of(opened, area, moment) {
            (area.y..area.bottom()).for_each(|y| {
                painter.text(x, y, 1, sign, role);
            });
        }
    };
    upright(opened.trim.from, "▏", Role::Secondary);
    upright(bounds.end(&opened.trim), "▏", Role::Secondary);
    if handles.contains(&opened.handle) {
        upright(bounds.shown_at(&opened.trim, opened.handle), "▏", Role::Active);
    }
    if let Some(moment) = app.heard_at() {
        upright(moment, "╎", Role::Good);
    }
}

/// Below the picture, what is gone through again and again.
fn loop_line(painter: &mut Painter<'_>, area: Rect, (opened, bounds): (&Opened, &Bounds)) {
    let (begin, end) = bounds.looped(&opened.trim);
    let (from, to) = opened.sight;
    if end < from || begin > to {
        return;
    }
    let first = column_of(opened, area, begin).unwrap_or(area.x);
    let last = column_of(opened, area, end).unwrap_or(area.right().saturating_sub(1));
    let width = last.saturating_sub(first) + 1;
    painter.text(first, area.y, width, &"═".repeat(usize::from(width)), Role::Good);
    let words = format!(" loop {} s ", short(end - begin));
    if usize::from(width) > words.len() + 4 {
        painter.text(first + (width - words.len() as u16) / 2, area.y, words.len() as u16, &words, Role::Good);
    }
}

fn table(app: &App, painter: &mut Painter<'_>, area: Rect, (opened, bounds): (&Opened, &Bounds), targets: &mut Targets) {
    painter.heading(area.x, area.y, area.width, "Played", "the file stays as it is");
    let handles = app.handles();
    let room = usize::from(area.height.saturating_sub(1));
    for (at, handle) in handles.iter().enumerate().take(room) {
        let y = area.y + 1 + at as u16;
        let place = Rect { y, height: 1, ..area };
        let chosen = *handle == opened.handle;
        if chosen {
            painter.select(area.x, y, area.width);
        }
        targets.push((place, Rc::new(HandleLine(*handle))));
        let rest = bounds.rest(&opened.trim, *handle) == opened.trim;
        painter.text(area.x + 1, y, 12, handle.word(), if chosen { Role::Active } else { Role::Secondary });
        let value = bounds.at(&opened.trim, *handle);
        let text = if handle.is_moment() || value > 0.0 { format!("{} s", exact_seconds(value)) } else { "none".into() };
        painter.text(area.x + 13, y, 14, &text, if rest { Role::Rule } else { Role::Text });
        if chosen {
            painter.text(area.x + 27, y, area.width.saturating_sub(27), handle.says(), Role::Secondary);
        }
    }
}

/// The samples around the seam, as they follow each other: before the loop's end at the left, after its beginning at the right.
fn seam(painter: &mut Painter<'_>, area: Rect, opened: &Opened) {
    let Some(bounds) = opened.bounds().filter(|_| area.height >= 4 && area.width >= 20) else { return };
    let frames = (bounds.rate / 250) as usize;
    let Some((before, after)) = opened.seam(frames).filter(|(before, after)| !before.is_empty() && !after.is_empty()) else { return };
    let step = (after[0] - before[before.len() - 1]).abs();
    // Beside the steps that there are around it: a step among steps is not heard.
    let usual = before.windows(2).chain(after.windows(2)).map(|w| (w[1] - w[0]).abs()).fold(0.0f32, f32::max);
    let (words, role) = if step <= usual * 1.5 + 0.002 { ("closes", Role::Good) } else { ("clicks", Role::Accent) };
    painter.heading(area.x, area.y, area.width, "Seam", "4 ms before it, 4 ms after it");
    let said = format!("{words}: a step of {:.1} %, {:.1} % around it", step * 100.0, usual * 100.0);
    let plot = Rect { y: area.y + 1, height: area.height.saturating_sub(3).min(7), ..area };
    painter.text(area.x, plot.bottom(), area.width, &said, role);
    let greatest = before.iter().chain(&after).fold(0.01f32, |g, s| g.max(s.abs()));
    let dots = usize::from(area.width) * 8;
    let all: Vec<f32> = before.iter().chain(&after).copied().collect();
    let middle = before.len() as f64 / all.len() as f64;
    let points: Vec<(f64, f64)> = (0..dots)
        .map(|dot| {
            let at = dot as f64 / dots as f64 * (all.len() - 1) as f64;
            let (low, share) = (at as usize, at.fract() as f32);
            // No line leads from one side to the other: the step is to be seen.
            let value = if low + 1 == before.len() {
                all[if share < 0.5 { low } else { low + 1 }]
            } else {
                all[low] + (all[(low + 1).min(all.len() - 1)] - all[low]) * share
            };
            (dot as f64 / dots as f64, f64::from(value / greatest + 1.0) / 2.0 * 0.94 + 0.03)
        })
        .collect();
    painter.plot(plot, &points, Role::Text);
    let x = plot.x + (middle * f64::from(plot.width)) as u16;
    for y in plot.y..plot.bottom() {
        if painter.is_blank(x, y) || painter.buffer[(x, y)].symbol() == "⠀" {
            painter.text(x, y, 1, "┊", Role::Rule);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_ruler_is_round_and_never_crowded() {
        assert_eq!(ruler(0.0, 4.0, 8), [0.0, 0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 3.5, 4.0][..].to_vec());
        for (from, wide) in [(0.0, 0.002), (3.3, 0.7), (12.0, 3_600.0), (0.001, 1e-5)] {
            let list = ruler(from, from + wide, 10);
            assert!((2..=11).contains(&list.len()) && list.iter().all(|t| (from..=from + wide).contains(t)), "{from} {wide}: {list:?}");
        }
    }
}
