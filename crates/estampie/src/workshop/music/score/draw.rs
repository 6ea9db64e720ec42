//! Drawing open notes: the lines of the section, the grid with its rows and steps, the velocities below.

use super::entry::Entry;
use super::keys;
use super::player;
use super::prompts::{place, swing_text};
use super::{Line, STEPS, Score, Sheet};
use crate::workshop::app::App;
use crate::workshop::painter::Painter;
use crate::workshop::theme::Role;
use crate::workshop::view::{Clicks, Targets};
use estampie_engine::music::exact::Beats;
use estampie_engine::music::{Kind, degree, stroke_name};
use estampie_project::midi::ScoreNote;
use estampie_project::notes::{Follow, print_pitch};
use ratatui::layout::Rect;
use std::rc::Rc;

/// The width of the list of lines, and of the names of rows.
const LIST: u16 = 33;
const NAMES: u16 = 6;
/// Of the strokes of a drum set.
const STROKE_NAMES: u16 = 12;

/// How notes begin, from the softest to the hardest.
const HEIGHTS: [&str; 6] = ["▂", "▃", "▅", "▆", "▇", "█"];

/// Where the grid lies, and what it shows.
#[derive(Debug, Clone)]
struct Grid {
    area: Rect,
    /// The position of its first column, and cells of a step.
    first: Beats,
    step: Beats,
    wide: u16,
    /// The pitches of its rows, the highest first.
    rows: Vec<u8>,
    end: Beats,
}

impl Grid {
    /// The column of a position; it may lie outside.
    fn column(&self, at: Beats) -> i64 {
        ((at - self.first) / self.step * i64::from(self.wide)).floor().to_integer()
    }

    fn x(&self, at: Beats) -> Option<u16> {
        let column = u16::try_from(self.column(at)).ok().filter(|c| *c < self.area.width)?;
        (at < self.end).then_some(self.area.x + column)
    }

    fn y(&self, pitch: u8) -> Option<u16> {
        self.rows.iter().position(|p| *p == pitch).map(|row| self.area.y + row as u16)
    }

    /// The step under a column.
    fn at(&self, x: u16) -> Beats {
        self.first + self.step * i64::from(x.saturating_sub(self.area.x) / self.wide)
    }
}

/// A line of the list.
#[derive(Debug)]
struct LineClick(Line);

impl Clicks for LineClick {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        if let Some((piece, section)) = app.music.score.as_ref().map(|s| (s.piece.clone(), s.section.clone())) {
            app.open_line(&piece, &section, self.0.clone());
        }
    }
}

/// The grid: a click puts a note or takes it, a drag from it makes it longer, the wheel goes up and down.
#[derive(Debug)]
struct GridClick(Grid);

impl Clicks for GridClick {
    fn click(&self, app: &mut App, area: Rect, at: (u16, u16)) {
        let Some(score) = &mut app.music.score else { return };
        let Some(pitch) = self.0.rows.get(usize::from(at.1.saturating_sub(area.y))) else { return };
        (score.at, score.pitch) = (self.0.at(at.0), *pitch);
        app.put_or_take();
        app.dragging = Some((Rc::new(GridClick(self.0.clone())), area));
    }

    fn drag(&self, app: &mut App, _area: Rect, at: (u16, u16)) -> bool {
        let Some(from) = app.music.score.as_ref().map(|s| s.at) else { return false };
        let to = self.0.at(at.0) + self.0.step;
        if to > from {
            app.change_notes("length", |score, _, notes| {
                notes.iter_mut().filter(|n| n.pitch == score.pitch && n.at == from).for_each(|n| n.length = to - from);
            });
        }
        true
    }

    fn wheel(&self, app: &mut App, by: isize) -> bool {
        app.move_row(-by as i64);
        true
    }
}

/// The velocities: a click gives the notes of a step that of its height.
#[derive(Debug)]
struct VelocityClick(Grid);

impl Clicks for VelocityClick {
    fn click(&self, app: &mut App, area: Rect, at: (u16, u16)) {
        let from = self.0.at(at.0);
        let share = f32::from(area.bottom().saturating_sub(at.1)) / f32::from(area.height.max(1));
        let velocity = (share * 127.0).round().clamp(1.0, 127.0) as u8;
        app.change_notes("velocity", |score, _, notes| {
            notes.iter_mut().filter(|n| (from..from + score.step()).contains(&n.at)).for_each(|n| n.velocity = velocity);
        });
        app.dragging = Some((Rc::new(VelocityClick(self.0.clone())), area));
    }

    fn drag(&self, app: &mut App, area: Rect, at: (u16, u16)) -> bool {
        self.click(app, area, at);
        true
    }
}

pub(in crate::workshop::music) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let Some(score) = &app.music.score else { return };
    let Some(sheet) = score.sheet(app, &score.line) else {
        painter.text(area.x + 1, area.y, area.width, "these notes are gone: esc closes them", Role::Secondary);
        return;
    };
    let narrow = area.width < 100;
    let list = Rect { width: if narrow { 0 } else { LIST }, ..area };
    if !narrow {
        draw_list(app, painter, list, score, &sheet, targets);
        painter.upright(list.right(), area.y, area.height);
    }
    let page = Rect { x: list.right() + u16::from(!narrow) * 2, width: area.width.saturating_sub(list.width + u16::from(!narrow) * 2), ..area };
    let metre = sheet.map.metre(sheet.map.bar_beat(score.at.max(Beats::from_integer(0))).0);
    let metre = format!("{}/{}", metre.count, metre.note);
    let aside = format!(
        "{} · {} · step {} · {}",
        sheet.instrument,
        sheet.key.as_deref().unwrap_or("no key yet: t gives it one"),
        STEPS[score.step].0,
        match score.entry {
            Entry::Off => metre.as_str(),
            Entry::Steps => "letters are a piano, step by step",
            Entry::InTime { quantised: true } => "letters are a piano, in time on the nearest step",
            Entry::InTime { quantised: false } => "letters are a piano, in time",
        }
    );
    painter.heading(page.x, page.y, page.width, &format!("{} in {}", score.line.track, score.section), &aside);
    if let Some(open) = &score.player {
        return player::draw(app, painter, Rect { y: page.y + 1, height: page.height.saturating_sub(1), ..page }, open, targets);
    }
    draw_grid(app, painter, Rect { y: page.y + 1, height: page.height.saturating_sub(1), ..page }, score, &sheet, targets);
}

fn draw_list(app: &App, painter: &mut Painter<'_>, area: Rect, score: &Score, sheet: &Sheet, targets: &mut Targets) {
    painter.heading(area.x + 1, area.y, area.width - 2, &format!("Lines of {}", score.section), "");
    let mut y = area.y + 1;
    for line in score.lines(app) {
        let count = score.sheet(app, &line).map_or(0, |s| s.notes.len());
        let here = line == score.line;
        if here {
            painter.select(area.x, y, area.width);
        }
        painter.text(area.x + 1, y, 16, &line.track, if here { Role::Active } else { Role::Text });
        painter.right(area.right() - 1, y, &format!("{count} note{}", if count == 1 { "" } else { "s" }), Role::Secondary);
        targets.push((Rect { y, height: 1, ..area }, Rc::new(LineClick(line))));
        y += 1;
    }
    y += 1;
    let notes = score.notes(app);
    let mut facts = vec![
        ("played by", sheet.instrument.clone()),
        ("velocity", score.velocity.to_string()),
        ("degrees", if score.chords { "as chords" } else { "single notes" }.to_owned()),
    ];
    if let Some(swing) = notes.and_then(|n| n.swing) {
        facts.push(("swing", swing_text(swing)));
    }
    if let Some(follow) = notes.and_then(|n| n.follow.as_ref()) {
        facts.push(("chords", if follow.value == Follow::Root { "follows by root" } else { "follows, nearest" }.to_owned()));
    }
    if let Some((density, tracks)) = notes.map(|n| (n.density, n.tracks.len())) {
        if density.0 < 1.0 {
            facts.push(("density", density.to_string()));
        }
        if tracks > 1 {
            let by = notes.and_then(|n| n.by.as_ref()).map_or("drawn each round".to_owned(), |by| format!("by {}", by.value));
            facts.push(("variations", format!("{tracks}, {by}")));
        }
    }
    if let Some((_, section)) = score.doc(app)
        && let Some(by) = &section.chords_by
    {
        facts.push(("chords by", by.state.value.clone()));
        for (value, chords) in &by.lines {
            let names = chords.iter().map(|c| c.name.value.as_str()).collect::<Vec<_>>().join(" ");
            facts.push((value.value.as_str(), names));
        }
    }
    for (what, text) in facts {
        if y < area.bottom() {
            painter.text(area.x + 1, y, 12, what, Role::Secondary);
            painter.text(area.x + 13, y, area.width - 13, &text, Role::Text);
            y += 1;
        }
    }
    y += 1;
    // As many keys as there is room for; where letters mean something else just now, what they mean.
    let plain = score.player.is_none() && score.entry == Entry::Off;
    let special = || score.last_line().iter().map(|(keys, does)| ((*keys).to_owned(), (*does).to_owned())).collect();
    let all: Vec<(String, String)> = if plain { keys::help() } else { special() };
    for (shown, words) in all {
        if y >= area.bottom() {
            break;
        }
        if matches!(shown.as_str(), "←" | "→" | "↑" | "↓" | "home" | "end" | "shift-tab" | "shift-↓" | "shift-→") {
            continue;
        }
        let words = if plain { words.split([',', ':']).next().unwrap_or_default() } else { &words };
        let end = painter.text(area.x + 1, y, 10, &shown, Role::Accent) + 1;
        painter.text(end.max(area.x + 6), y, area.right().saturating_sub(end.max(area.x + 6)), words, Role::Secondary);
        y += 1;
    }
}

/// How many cells a step has so that at least four bars (or all) are seen, and which position is the first.
fn layout(score: &Score, sheet: &Sheet, width: u16) -> (u16, Beats) {
    let step = score.step();
    let first = (-sheet.pick_up / step).floor() * step;
    let cells = |from: Beats, to: Beats, wide: u16| ((to - from) / step).ceil().to_integer() * i64::from(wide);
    let bars = sheet.map.bars();
    let seen = sheet.map.bar_start(bars.min(4));
    let wide = [4, 3, 2].into_iter().find(|wide| cells(first, seen, *wide) <= i64::from(width)).unwrap_or(1);
    if cells(first, sheet.map.length(), wide) <= i64::from(width) || score.at < Beats::from_integer(0) {
        return (wide, first);
    }
    // By whole bars, so that the hands are seen with what comes.
    let here = sheet.map.bar_beat(score.at).0;
    let mut from = 0;
    while from < here && cells(sheet.map.bar_start(from), sheet.map.bar_start(here) + sheet.map.metre(here).bar(), wide) > i64::from(width) {
        from += 1;
    }
    // A bar alone that is wider than the page goes by steps.
    let start = if from == 0 { first } else { sheet.map.bar_start(from) };
    let over = cells(start, score.at + step, wide) - i64::from(width);
    let steps = (over.max(0) + i64::from(wide) - 1) / i64::from(wide);
    (wide, start + step * steps)
}

fn draw_grid(app: &App, painter: &mut Painter<'_>, area: Rect, score: &Score, sheet: &Sheet, targets: &mut Targets) {
    let names = if sheet.kind == Some(Kind::Set) { STROKE_NAMES } else { NAMES };
    let velocity_rows = if area.height >= 16 { 3 } else { 1 };
    let grid_area = Rect { x: area.x + names, y: area.y + 1, width: area.width.saturating_sub(names), height: area.height.saturating_sub(velocity_rows + 3) };
    score.room.set((grid_area.width, grid_area.height));
    if grid_area.height < 2 || grid_area.width < 8 {
        painter.text(area.x, area.y, area.width, "the window is too small for notes", Role::Secondary);
        return;
    }
    let (wide, first) = layout(score, sheet, grid_area.width);
    let all = score.rows(sheet);
    let rows = seen_rows(&all, score.pitch, usize::from(grid_area.height));
    let grid = Grid { area: Rect { height: rows.len() as u16, ..grid_area }, first, step: score.step(), wide, rows, end: sheet.map.length() };
    targets.push((grid.area, Rc::new(GridClick(grid.clone()))));
    ground(painter, score, sheet, &grid);
    head(app, painter, score, sheet, &grid);
    if let (Some(x), Some(y)) = (grid.x(score.at), grid.y(score.pitch)) {
        painter.select(x, y, wide);
    }
    // Behind, the other lines of the section.
    for line in score.lines(app).iter().filter(|l| **l != score.line && l.layer != score.line.layer) {
        let Some(other) = score.sheet(app, line) else { continue };
        for note in &other.notes {
            if let (Some(x), Some(y)) = (grid.x(note.at), grid.y(note.pitch)) {
                let end = grid.column(note.at + note.length).clamp(0, i64::from(grid.area.width)) as u16 + grid.area.x;
                painter.text(x, y, 1, "░", Role::Rule);
                for x in x + 1..end {
                    painter.text(x, y, 1, "─", Role::Rule);
                }
            }
        }
    }
    for note in &sheet.notes {
        draw_note(app, painter, score, sheet, &grid, note);
    }
    if let Some(x) = app.played_at().and_then(|at| grid.x(at)) {
        painter.text(x, area.y, 1, "▼", Role::Good);
        for y in grid.area.y..grid.area.bottom() {
            if painter.is_blank(x, y) {
                painter.text(x, y, 1, "╎", Role::Good);
            }
        }
    }
    let below = Rect { y: grid_area.bottom(), height: velocity_rows, ..grid_area };
    velocities(painter, sheet, &grid, below);
    targets.push((below, Rc::new(VelocityClick(grid.clone()))));
    painter.text(area.x, below.bottom() - 1, names - 1, if names > NAMES { "velocity" } else { "veloc" }, Role::Secondary);
    foot(app, painter, Rect { y: below.bottom() + 1, height: 1, ..area }, score, sheet);
}

/// The rows that are seen, the highest first, with the one of the hands among them.
fn seen_rows(all: &[u8], pitch: u8, room: usize) -> Vec<u8> {
    let here = all.iter().position(|p| *p == pitch).unwrap_or(0);
    let low = here.saturating_sub(room / 2).min(all.len().saturating_sub(room));
    let mut rows: Vec<u8> = all.iter().skip(low).take(room).copied().collect();
    rows.reverse();
    rows
}

/// Names of rows, bars and beats.
fn ground(painter: &mut Painter<'_>, score: &Score, sheet: &Sheet, grid: &Grid) {
    for (row, pitch) in grid.rows.iter().enumerate() {
        let y = grid.area.y + row as u16;
        let (_, outside) = degree(sheet.mode, i32::from(*pitch));
        let tonic = (i32::from(*pitch) - i32::from(sheet.mode.tonic)).rem_euclid(12) == 0 && sheet.key.is_some();
        let role = match () {
            () if *pitch == score.pitch => Role::Active,
            () if tonic => Role::Text,
            () if outside != 0 => Role::Accent,
            () => Role::Secondary,
        };
        let name = stroke_name(*pitch).filter(|_| sheet.kind == Some(Kind::Set)).map_or_else(|| print_pitch(*pitch), str::to_owned);
        painter.right(grid.area.x - 1, y, &name, role);
        let mut at = grid.first;
        while let Some(x) = grid.x(at) {
            let (_, beat, within) = sheet.map.bar_beat(at.max(Beats::from_integer(0)));
            let on_beat = within == Beats::from_integer(0);
            let sign = match (on_beat && beat == 0, on_beat) {
                (true, _) => "│",
                (false, true) => "┊",
                // The tonic's rows guide the eye.
                _ if tonic && !sheet.drums() => "·",
                _ => " ",
            };
            painter.text(x, y, 1, sign, Role::Rule);
            at += grid.step;
        }
    }
}

/// Bars, chords and the selection, above the grid.
fn head(app: &App, painter: &mut Painter<'_>, score: &Score, sheet: &Sheet, grid: &Grid) {
    let y = grid.area.y - 1;
    if let Some((from, to)) = score.selection() {
        let column = |at: Beats| grid.column(at).clamp(0, i64::from(grid.area.width)) as u16;
        for x in column(from)..column(to) {
            painter.text(grid.area.x + x, y, 1, "▂", Role::Active);
        }
    }
    for bar in 0..sheet.map.bars() {
        if let Some(x) = grid.x(sheet.map.bar_start(bar)) {
            painter.text(x, y, 4, &format!("{}", bar + 1), Role::Secondary);
        }
    }
    let chords = score.doc(app).map_or(&[][..], |(_, section)| &section.chords);
    for chord in chords {
        let at = sheet.map.position(chord.at.bar - 1, chord.at.beat - Beats::from_integer(1));
        if let Some(x) = grid.x(at) {
            painter.text(x + 3, y, 8, &chord.name.value, Role::Accent);
        }
    }
}

fn draw_note(app: &App, painter: &mut Painter<'_>, score: &Score, sheet: &Sheet, grid: &Grid, note: &ScoreNote) {
    let Some(y) = grid.y(note.pitch) else { return };
    let begins = grid.column(note.at);
    let end = grid.column(note.at + note.length).min(i64::from(grid.area.width));
    let chosen = score.selection().is_some_and(|(from, to)| (from..to).contains(&note.at));
    let role = if chosen { Role::Active } else { Role::Text };
    // A drum's stroke has no length that is heard.
    if !sheet.drums() {
        for column in (begins + 1).max(0)..end {
            painter.text(grid.area.x + column as u16, y, 1, "━", role);
        }
    }
    let Some(x) = grid.x(note.at) else { return };
    let cell = score_cell(grid, note.at);
    let strokes = sheet.notes.iter().filter(|n| n.pitch == note.pitch && score_cell(grid, n.at) == cell).count();
    let sign = match strokes {
        2..=9 if grid.wide < 4 => ["2", "3", "4", "5", "6", "7", "8", "9"][strokes - 2],
        _ if app.chance_of(sheet, note).is_some() => "▒",
        // As high as it is hard.
        _ => HEIGHTS[usize::from(note.velocity.min(127)) * HEIGHTS.len() / 128],
    };
    painter.text(x, y, 1, sign, role);
}

/// The step that a position lies in.
fn score_cell(grid: &Grid, at: Beats) -> i64 {
    ((at - grid.first) / grid.step).floor().to_integer()
}

/// The loudest note of each step.
fn velocities(painter: &mut Painter<'_>, sheet: &Sheet, grid: &Grid, area: Rect) {
    let mut shares = vec![0.0f32; usize::from(area.width)];
    for note in &sheet.notes {
        if let Some(x) = grid.x(note.at) {
            let share = &mut shares[usize::from(x - grid.area.x)];
            *share = share.max(f32::from(note.velocity) / 127.0);
        }
    }
    painter.columns(area, &shares, Role::Secondary);
}

/// What is under the hands.
fn foot(app: &App, painter: &mut Painter<'_>, area: Rect, score: &Score, sheet: &Sheet) {
    let spot = place(sheet.spot(score.at.max(Beats::from_integer(0))));
    let at = if score.at < Beats::from_integer(0) { "pick-up".to_owned() } else { format!("bar {spot}") };
    let number = degree(sheet.mode, i32::from(score.pitch));
    let count = estampie_engine::music::steps_of(sheet.mode);
    let stroke = stroke_name(score.pitch).filter(|_| sheet.kind == Some(Kind::Set));
    let mut words = format!("{at}   {}", stroke.map_or_else(|| print_pitch(score.pitch), str::to_owned));
    if !sheet.drums() && sheet.key.is_some() && count < 12 && number.1 == 0 {
        words += &format!(", degree {}", number.0.rem_euclid(count) + 1);
    }
    let here: Vec<&ScoreNote> = sheet.notes.iter().filter(|n| score.is_here(n)).collect();
    if let Some(note) = here.first() {
        words += &format!("   velocity {}   {} long", note.velocity, long(note.length));
        if here.len() > 1 {
            words += &format!("   {} strokes", here.len());
        }
        if let Some(chance) = app.chance_of(sheet, note) {
            words += &format!("   played {:.0} % of the time", chance * 100.0);
        }
    } else {
        words += "   nothing here";
    }
    painter.text(area.x, area.y, area.width, &words, Role::Text);
    let whole = format!("{} note{} · {} bars", sheet.notes.len(), if sheet.notes.len() == 1 { "" } else { "s" }, sheet.map.bars());
    painter.right(area.right() - 1, area.y, &whole, Role::Secondary);
}

/// A length in quarter notes as one reads it: as a part of a whole note.
fn long(length: Beats) -> String {
    (length / 4).to_string()
}
