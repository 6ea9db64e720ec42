//! Drawing the pages *Files* and *Budget* of the view *Stock*.

use super::files::FilesPage;
use super::known::Known;
use super::{ClickFileRow, ClickShown, FACE, List};
use crate::bundling::size;
use crate::workshop::app::App;
use crate::workshop::painter::{Painter, Sees, cut, rows_of};
use crate::workshop::theme::Role;
use crate::workshop::view::Targets;
use estampie_project::progress::{Becomes, Incoming, Limited, Remedy, pieces, said};
use estampie_project::stock::take_words;
use ratatui::layout::Rect;
use std::path::Path;
use std::rc::Rc;
use std::sync::Arc;

/// The lists of the page *Budget*.
pub(super) const LISTS: [&str; 4] = ["what would be saved", "files", "sounds", "buses"];

fn columns(app: &App, painter: &mut Painter<'_>, area: Rect) -> (Rect, Rect, Rect) {
    let sees = match app.stock.list {
        List::Groups => Sees::Left,
        List::Items => Sees::Centre,
        List::Fields => Sees::Right,
    };
    painter.columns_of_page(area, FACE.widths.0, FACE.widths.1, sees)
}

/// How far measuring is, or nothing.
fn progress(app: &App) -> String {
    app.stock.aside.progress().map_or(String::new(), |(done, all)| format!("measuring: {done} of {all}"))
}

/// Lines of a list around the chosen one.
fn window(list: Rect, count: usize, at: usize) -> (usize, usize) {
    let rows = usize::from(list.height);
    let first = at.saturating_sub(rows * 2 / 3).min(count.saturating_sub(rows));
    (first, rows)
}

pub(super) fn files(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let (left, centre, right) = columns(app, painter, area);
    let Some(known) = app.stock.aside.known.clone() else {
        painter.heading(centre.x, centre.y, centre.width, "Files", "");
        painter.text(centre.x + 1, centre.y + 2, centre.width - 1, &progress(app), Role::Secondary);
        if painter.shows(left) {
            super::draw::pages(app, painter, left, targets);
        }
        return;
    };
    if painter.shows(left) {
        let y = super::draw::pages(app, painter, left, targets);
        let groups = FilesPage::groups(&known);
        let list = Rect { y, height: left.bottom().saturating_sub(y), ..left };
        for (row, (shown, words, count)) in groups.iter().enumerate().take(usize::from(list.height)) {
            let y = list.y + row as u16;
            let chosen = *shown == app.stock.files.shown;
            if chosen {
                painter.mark(Rect { x: 0, ..left }, y, app.stock.list == List::Groups);
            }
            painter.text(2, y, left.width.saturating_sub(9), words, if chosen { Role::Active } else { Role::Text });
            painter.right(left.right() - 1, y, &count.to_string(), Role::Secondary);
            targets.push((Rect { x: 0, y, width: left.width, height: 1 }, Rc::new(ClickShown(*shown))));
        }
    }
    if painter.shows(centre) {
        match &app.stock.aside.incoming {
            Some((folder, list)) => coming(app, painter, centre, folder, list, targets),
            None => rows(app, painter, centre, &known, targets),
        }
    }
    if painter.shows(right) {
        match &app.stock.aside.incoming {
            Some((_, list)) => arrival(app, painter, right, list),
            None => facts(app, painter, right, &known),
        }
    }
}

fn rows(app: &App, painter: &mut Painter<'_>, area: Rect, known: &Arc<Known>, targets: &mut Targets) {
    let page = &app.stock.files;
    let rows = page.rows(known);
    let mut aside = vec![progress(app)];
    if !page.filter.is_empty() {
        aside.push(format!("{} with \"{}\"", rows.len(), page.filter));
    }
    aside.retain(|words| !words.is_empty());
    painter.heading(area.x, area.y, area.width, "Files", &aside.join(" · "));
    let list = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    if rows.is_empty() {
        let words = if known.heard.is_empty() { "no audio lies in audio/ yet: i brings a folder in" } else { "nothing is wrong with them" };
        painter.text(list.x + 1, list.y + 1, list.width - 1, words, Role::Secondary);
        return;
    }
    let at = page.at.min(rows.len() - 1);
    let (first, count) = window(list, rows.len(), at);
    let names = rows.iter().map(|r| r.file.chars().count() as u16).max().unwrap_or(0).clamp(12, (list.width / 2).max(12)).saturating_sub(6);
    for (line, (place, row)) in rows.iter().enumerate().skip(first).take(count).enumerate() {
        let y = list.y + line as u16;
        if place == at {
            painter.mark(list, y, app.stock.list == List::Items);
        }
        let name = row.file.strip_prefix("audio/").unwrap_or(&row.file);
        painter.text(list.x + 1, y, names, &cut(name, names), if place == at { Role::Active } else { Role::Text });
        let x = list.x + names + 2;
        let width = list.right().saturating_sub(x + 1);
        match &row.finding {
            Some(finding) => {
                let role = if finding.flaw.weight() >= 8 { Role::Accent } else { Role::Text };
                let can = if finding.remedy.is_some() { "f" } else { " " };
                painter.text(x, y, 1, can, Role::Good);
                painter.text(x + 2, y, width.saturating_sub(2), &cut(&finding.what, width.saturating_sub(2)), role);
            }
            None => drop(painter.text(x + 2, y, width.saturating_sub(2), "·", Role::Rule)),
        }
        targets.push((Rect { y, height: 1, ..list }, Rc::new(ClickFileRow(place))));
    }
    painter.more(list, first, rows.len().saturating_sub(first + count));
}

fn coming(app: &App, painter: &mut Painter<'_>, area: Rect, folder: &Path, incoming: &[Incoming], targets: &mut Targets) {
    let new = incoming.iter().filter(|i| i.becomes == Becomes::New).count();
    painter.heading(area.x, area.y, area.width, "Coming in", &format!("{new} of {} are new: enter copies them, esc leaves them", incoming.len()));
    let list = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    let at = app.stock.files.at.min(incoming.len().saturating_sub(1));
    let (first, count) = window(list, incoming.len(), at);
    let half = list.width / 2;
    for (line, (place, one)) in incoming.iter().enumerate().skip(first).take(count).enumerate() {
        let y = list.y + line as u16;
        if place == at {
            painter.mark(list, y, app.stock.list == List::Items);
        }
        let from = one.from.strip_prefix(folder).unwrap_or(&one.from).display().to_string();
        painter.text(list.x + 1, y, half.saturating_sub(2), &cut(&from, half.saturating_sub(2)), Role::Text);
        let (words, role) = match one.becomes {
            Becomes::New if one.item => (format!("{} ■", one.to), Role::Good),
            Becomes::New => (one.to.clone(), Role::Good),
            Becomes::There => (format!("lies there: {}", one.to), Role::Secondary),
            Becomes::Taken => (format!("name of another: {}", one.to), Role::Accent),
            Becomes::Nameless => ("no name fits the rule".to_owned(), Role::Accent),
        };
        painter.text(list.x + half, y, list.width.saturating_sub(half + 1), &cut(&words, list.width.saturating_sub(half + 1)), role);
        targets.push((Rect { y, height: 1, ..list }, Rc::new(ClickFileRow(place))));
    }
    painter.more(list, first, incoming.len().saturating_sub(first + count));
}

/// What becomes of the chosen file that is about to come in.
fn arrival(app: &App, painter: &mut Painter<'_>, area: Rect, incoming: &[Incoming]) {
    let Some(one) = incoming.get(app.stock.files.at.min(incoming.len().saturating_sub(1))) else { return };
    let name = one.from.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    painter.heading(area.x, area.y, area.width, &name, "");
    let y = lines(painter, area, area.y + 1, &one.from.display().to_string(), Role::Secondary);
    let words = match one.becomes {
        Becomes::New => format!("it is copied to {}", one.to),
        Becomes::There => format!("nothing: {} has the same bytes", one.to),
        Becomes::Taken => format!("another recording is called {}: enter asks whether it is left, or comes in as a later version of that", one.to),
        Becomes::Nameless => format!("nothing: no name like {} can be made of its own; rename it there", app.document().manifest.naming.text()),
    };
    let y = lines(painter, area, y + 1, &words, Role::Text);
    let item = if one.item { "■ the stock has an item for it" } else { "the stock has no item for it" };
    lines(painter, area, y + 1, item, Role::Secondary);
}

/// A line of a fact; gives the row below.
fn fact(painter: &mut Painter<'_>, area: Rect, y: u16, word: &str, text: &str) -> u16 {
    if y < area.bottom() {
        painter.text(area.x + 1, y, 12, word, Role::Secondary);
        painter.text(area.x + 13, y, area.width.saturating_sub(14), &cut(text, area.width.saturating_sub(14)), Role::Text);
    }
    y + 1
}

/// Lines of a text; gives the row below.
fn lines(painter: &mut Painter<'_>, area: Rect, mut y: u16, text: &str, role: Role) -> u16 {
    for line in rows_of(text, usize::from(area.width.saturating_sub(2)), "") {
        if y < area.bottom() {
            painter.text(area.x + 1, y, area.width - 1, &line, role);
        }
        y += 1;
    }
    y
}

fn facts(app: &App, painter: &mut Painter<'_>, area: Rect, known: &Known) {
    let Some(row) = app.file_row() else { return };
    let mut y = area.y;
    let name = row.file.rsplit('/').next().unwrap_or(&row.file);
    painter.heading(area.x, y, area.width, name, "");
    y += 1;
    for finding in known.found.iter().filter(|f| f.file == row.file) {
        y = lines(painter, area, y, &finding.what, if finding.flaw.weight() >= 8 { Role::Accent } else { Role::Text });
        let key = match &finding.remedy {
            Some(Remedy::Version(fixes)) => {
                format!("f: {} ({})", finding.fix, fixes.iter().map(estampie_project::assets::Fix::text).collect::<Vec<_>>().join(", "))
            }
            Some(Remedy::Name(_)) => format!("f: {}", finding.fix),
            None => finding.fix.clone(),
        };
        y = lines(painter, area, y, &key, Role::Secondary);
    }
    y += 1;
    if let Some(Ok(measured)) = known.heard.get(&row.file) {
        let facts = &measured.facts;
        let seconds = |frames: usize| frames as f64 / f64::from(facts.rate.max(1));
        let bits = facts.bits.map_or(String::new(), |b| format!(", {b} bit"));
        let channels = if facts.channels == 1 { "mono" } else { "stereo" };
        let level = |value: f64, unit: &str| if value.is_finite() { format!("{value:.1} {unit}").replace('-', "−") } else { "·".to_owned() };
        painter.heading(area.x, y, area.width, "Facts", "");
        y = fact(painter, area, y + 1, "kind", &format!("{}{bits}, {channels}, {} Hz", facts.kind, facts.rate));
        y = fact(painter, area, y, "length", &format!("{:.3} s", seconds(facts.frames)));
        y = fact(painter, area, y, "loudness", &level(facts.loudness, "LUFS"));
        y = fact(painter, area, y, "peak", &level(facts.sample_peak, "dB"));
        y = fact(painter, area, y, "silence", &format!("{:.0} ms at head, {:.0} ms at tail", facts.silence_head * 1e3, facts.silence_tail * 1e3));
        y = fact(painter, area, y, "loop", &facts.loop_points.map_or("·".to_owned(), |(a, b)| format!("{:.3} s to {:.3} s", seconds(a), seconds(b))));
        let marks = &facts.notes.marks;
        if !marks.is_empty() {
            let cuts = pieces(marks, facts.frames).len();
            y = fact(painter, area, y, "marks", &format!("{}: c {cuts} takes, M markers", marks.len()));
        }
        for (what, text) in &facts.notes.texts {
            y = fact(painter, area, y, what, text);
        }
        y += 1;
    }
    if let Some(player) = app.player_of(&row.file) {
        y = lines(painter, area, y, &format!("played by {player}"), Role::Secondary);
    }
    let _ = y;
}

pub(super) fn budget(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let (left, centre, right) = columns(app, painter, area);
    if painter.shows(left) {
        let y = super::draw::pages(app, painter, left, targets);
        for (row, words) in LISTS.iter().enumerate() {
            let y = y + row as u16;
            let chosen = row == app.stock.budget.list;
            if chosen {
                painter.mark(Rect { x: 0, ..left }, y, app.stock.list == List::Groups);
            }
            painter.text(2, y, left.width.saturating_sub(3), words, if chosen { Role::Active } else { Role::Text });
            targets.push((Rect { x: 0, y, width: left.width, height: 1 }, Rc::new(super::ClickCosts(row))));
        }
    }
    let known = app.stock.aside.known.clone();
    let Some(budget) = known.as_ref().and_then(|k| k.budget.as_ref()) else {
        painter.heading(centre.x, centre.y, centre.width, "Budget", "");
        painter.text(centre.x + 1, centre.y + 2, centre.width - 1, &progress(app), Role::Secondary);
        return;
    };
    if painter.shows(centre) {
        costs(app, painter, centre, targets);
    }
    if painter.shows(right) {
        let mut y = right.y;
        painter.heading(right.x, y, right.width, "Budget", &progress(app));
        y += 1;
        for bar in &budget.bars {
            // What sounds is counted as it is heard, in this session.
            let is = if bar.of == Limited::Voices { Some(app.stock.aside.voices) } else { bar.is };
            let over = matches!((is, bar.may), (Some(is), Some(may)) if is > may);
            let words = is.map_or_else(|| "·".to_owned(), |is| said(bar.of, is));
            let of = bar.may.map_or(String::new(), |may| format!(" of {}", said(bar.of, may)));
            painter.text(right.x + 1, y, 10, &cut(&bar.name, 10), Role::Text);
            painter.right(right.right() - 1, y, &format!("{words}{of}"), if over { Role::Accent } else { Role::Secondary });
            y += 1;
            if let (Some(is), Some(may)) = (is, bar.may) {
                painter.bar(right.x + 1, y, right.width.saturating_sub(3), is as f32 / may.max(1) as f32, if over { Role::Accent } else { Role::Good });
                y += 1;
            }
        }
        y += 1;
        y = lines(painter, right, y, &format!("{} more if each sound had audio of its own", size(budget.shared)), Role::Secondary);
        if app.document().manifest.budget.place.is_none() {
            y = lines(painter, right, y, "no limits are set: write [budget] with files, memory, bundle, voices into estampie.toml", Role::Secondary);
        }
        y += 1;
        if let Some(cost) = app.cost_chosen(budget) {
            painter.heading(right.x, y, right.width, &take_words(&cost.name), "");
            y = fact(painter, right, y + 1, "length", &format!("{:.2} s, {}", cost.seconds, if cost.channels == 2 { "stereo" } else { "mono" }));
            y = fact(painter, right, y, "memory", &format!("{}{}", size(cost.memory), if cost.streamed { ", streamed" } else { "" }));
            y = fact(painter, right, y, "bundle", &cost.bundle.map_or("·".to_owned(), size));
            for saving in budget.savings.iter().filter(|s| s.name == cost.name) {
                y = fact(painter, right, y, "less", &format!("{} / {}: {}", size(saving.memory), size(saving.bundle), saving.by));
            }
            for user in &cost.users {
                y = fact(painter, right, y, "played by", user);
            }
        }
    }
}

fn costs(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let Some(known) = app.stock.aside.known.clone() else { return };
    let rows = app.stock.budget.rows(&known);
    let title = LISTS[app.stock.budget.list.min(LISTS.len() - 1)];
    let mut letters = title.chars();
    let title: String = letters.next().into_iter().flat_map(char::to_uppercase).chain(letters).collect();
    painter.heading(area.x, area.y, area.width, &title, "");
    // "9999 bytes", and two between.
    let amount = 12;
    painter.right(area.right() - 1 - amount, area.y + 1, "memory", Role::Secondary);
    painter.right(area.right() - 1, area.y + 1, "bundle", Role::Secondary);
    let list = Rect { y: area.y + 2, height: area.height.saturating_sub(2), ..area };
    let at = app.stock.budget.at.min(rows.len().saturating_sub(1));
    let (first, count) = window(list, rows.len(), at);
    for (line, (place, row)) in rows.iter().enumerate().skip(first).take(count).enumerate() {
        let y = list.y + line as u16;
        if place == at {
            painter.mark(list, y, app.stock.list == List::Items);
        }
        let width = list.width.saturating_sub(2 * amount + 3);
        painter.text(list.x + 1, y, width, &cut(&row.words, width), if place == at { Role::Active } else { Role::Text });
        let words = |bytes: u64| if bytes == 0 { "·".to_owned() } else { size(bytes) };
        painter.right(list.right() - 1 - amount, y, &words(row.memory), Role::Text);
        painter.right(list.right() - 1, y, &words(row.bundle), Role::Secondary);
        targets.push((Rect { y, height: 1, ..list }, Rc::new(ClickFileRow(place))));
    }
    painter.more(list, first, rows.len().saturating_sub(first + count));
}
