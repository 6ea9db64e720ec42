//! What lies over the centre: help, faults, the finder. Nothing stops for them.

use super::app::App;
use super::finder;
use super::keys::Do;
use super::painter::{Painter, rows_of};
use super::theme::Role;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use ratatui::widgets::{Clear, Widget as _};

fn clear(app: &App, painter: &mut Painter<'_>, area: Rect) {
    Clear.render(area, painter.buffer);
    painter.buffer.set_style(area, app.theme.ground());
}

/// All keys of the view, from the table that also gives them their meaning.
pub(crate) fn help(app: &App, painter: &mut Painter<'_>, area: Rect) {
    clear(app, painter, area);
    let view = app.view();
    painter.heading(1, area.y, area.width - 2, "Keys", &format!("of the view {}", view.face().name));
    let mut lines = super::keys::told(view, &app.keys);
    lines.extend(view.other_help(app));
    if view.face().keys.iter().any(|b| b.does == Do::Curve) {
        let curve = [
            ("tab", "in a curve: the next point"),
            ("arrows", "move the point, with shift finely"),
            ("e", "type the point: 40 m: -3 dB, smooth"),
            ("n x s", "new point, take it out, its shape"),
        ];
        lines.extend(curve.map(|(key, words)| (key.to_owned(), words.to_owned())));
    }
    lines.extend(view.face().mouse.iter().map(|words| ("mouse".to_owned(), (*words).to_owned())));
    // As many columns as there is room for, each line as long as it needs to be.
    let columns = (area.width / 76).max(1);
    let wide = area.width / columns;
    let rows = usize::from(area.height - 2);
    let mut told: Vec<(String, String)> = Vec::new();
    for (key, words) in lines {
        let mut key = Some(key);
        for part in rows_of(&words, usize::from(wide.saturating_sub(15)), "") {
            told.push((key.take().unwrap_or_default(), part));
        }
    }
    // It scrolls by lines until the last one is in sight.
    let shown = rows * usize::from(columns);
    let from = app.scroll.min(told.len().saturating_sub(shown));
    for (at, (key, words)) in told.iter().skip(from).take(shown).enumerate() {
        let (x, y) = ((at / rows) as u16 * wide + 2, area.y + 2 + (at % rows) as u16);
        let style = painter.theme.key();
        painter.put(x, y, 11, key, style);
        painter.text(x + 12, y, wide.saturating_sub(14), words, Role::Text);
    }
    if told.len() > shown {
        painter.right(area.right() - 2, area.y, &format!("{} of {} lines, ↑ ↓ for the rest", shown, told.len()), Role::Secondary);
    }
}

/// Every fault with its place and its fix.
pub(crate) fn faults(app: &App, painter: &mut Painter<'_>, area: Rect) {
    clear(app, painter, area);
    let count = app.faults.len();
    painter.heading(
        1,
        area.y,
        area.width - 2,
        &format!("{count} fault{}", if count == 1 { "" } else { "s" }),
        "what they touch is left out; the rest of the project works",
    );
    let width = area.width - 4;
    let mut y = area.y + 2;
    let first = app.scroll.min(count.saturating_sub(1));
    for (at, fault) in app.faults.iter().enumerate().skip(first) {
        if y + 2 >= area.bottom() {
            break;
        }
        // The one at the top is the one that keys are for.
        let bold = painter.style(if at == first { Role::Active } else { Role::Text }).add_modifier(Modifier::BOLD);
        let end = painter.put(2, y, width, &fault.place.to_string(), bold);
        let code = fault.page().code;
        painter.text(end + 2, y, (width + 2).saturating_sub(end + 3 + code.len() as u16), &fault.what, Role::Accent);
        painter.right(area.right() - 2, y, code, Role::Secondary);
        painter.text(4, y + 1, width - 2, &format!("fix: {}", fault.fix), Role::Good);
        // Where something like what is missing lies: for the one at the top, which the keys are for, all of it.
        let like = app.missing.like(fault);
        let most = if at == first { 4 } else { 1 };
        for (of, found) in like.iter().enumerate().skip(if at == first { app.missing.choice.saturating_sub(2) } else { 0 }).take(most) {
            if y + 2 >= area.bottom() {
                break;
            }
            let chosen = at == first && of == app.missing.choice;
            let mark = if chosen { "▶ " } else { "  " };
            let role = if chosen { Role::Good } else { Role::Secondary };
            painter.text(4, y + 2, width - 2, &format!("{mark}{}: {}", found.path, found.how.words()), role);
            y += 1;
        }
        y += 3;
    }
}

/// The page of a kind of fault, above the fault that led there.
pub(crate) fn explained(app: &App, painter: &mut Painter<'_>, area: Rect, at: usize) {
    clear(app, painter, area);
    let Some(fault) = app.faults.get(at) else { return };
    let page = fault.page();
    painter.heading(1, area.y, area.width - 2, page.code, page.title);
    let width = area.width - 4;
    let bold = painter.style(Role::Text).add_modifier(Modifier::BOLD);
    let end = painter.put(2, area.y + 2, width, &fault.place.to_string(), bold);
    painter.text(end + 2, area.y + 2, (width + 2).saturating_sub(end + 2), &fault.what, Role::Accent);
    painter.text(4, area.y + 3, width - 2, &format!("fix: {}", fault.fix), Role::Good);
    let lines = page.lines(usize::from(width.min(100)));
    let rows = usize::from(area.bottom().saturating_sub(area.y + 5));
    let from = app.scroll.min(lines.len().saturating_sub(rows));
    for (row, line) in lines.iter().skip(from).take(rows).enumerate() {
        let role = if line.starts_with(' ') { Role::Active } else { Role::Text };
        painter.text(2, area.y + 5 + row as u16, width, line, role);
    }
    painter.more(Rect { y: area.y + 5, height: rows as u16, ..area }, from, lines.len().saturating_sub(from + rows));
}

/// What differs between what is kept and what is written.
pub(crate) fn differences(app: &App, painter: &mut Painter<'_>, area: Rect) {
    clear(app, painter, area);
    app.draw_differences(painter, area);
}

/// What fits the letters typed.
pub(crate) fn finder(app: &App, painter: &mut Painter<'_>, area: Rect, query: &str, at: usize) {
    // What lies below is there, and does not mix with it.
    painter.dim(area);
    let width = area.width.min(90);
    let box_area = Rect { x: area.x + (area.width - width) / 2, y: area.y, width, height: area.height.min(20) };
    clear(app, painter, box_area);
    let x = box_area.x + 2;
    let inner = width - 4;
    let key = painter.theme.key();
    let end = painter.put(x, box_area.y, 2, ":", key) + 1;
    let end = painter.text(end, box_area.y, inner, query, Role::Text);
    let cursor = painter.theme.selection().add_modifier(Modifier::REVERSED);
    painter.put(end, box_area.y, 1, " ", cursor);
    painter.rule(box_area.x, box_area.y + 1, width);
    let found = finder::find(app, query);
    let rows = usize::from(box_area.height - 3);
    let first = (at + 1).saturating_sub(rows);
    for (row, entry) in found.iter().skip(first).take(rows).enumerate() {
        let y = box_area.y + 2 + row as u16;
        if first + row == at {
            painter.select(box_area.x, y, width);
        }
        painter.text(x, y, inner - 14, &entry.text, if first + row == at { Role::Active } else { Role::Text });
        painter.right(box_area.right() - 2, y, entry.kind, Role::Secondary);
    }
    if found.is_empty() {
        painter.text(x, box_area.y + 2, inner, "nothing fits; fewer letters find more", Role::Secondary);
    }
    painter.rule(box_area.x, box_area.bottom() - 1, width);
}
