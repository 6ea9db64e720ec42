//! Drawing the page of the running game, and the words about it on the title line.

use super::fixes::Fix;
use super::{GameTarget, Row};
use crate::workshop::app::App;
use crate::workshop::painter::{Painter, cut, rows_of};
use crate::workshop::stage::Column;
use crate::workshop::theme::Role;
use crate::workshop::view::Targets;
use estampie_link::{ADDRESSES, Facts, Heard, Kind, PORT, Peer, Sent};
use ratatui::layout::Rect;
use std::rc::Rc;
use std::time::{Duration, Instant};

/// A game that was silent for so long is said to be.
const SILENT: Duration = Duration::from_secs(3);

/// How it stands with the running game.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Standing {
    /// It is listened, and nobody has sent yet.
    Waits(u16),
    /// Messages a second come.
    Plays(f32),
    /// Nothing has come for so long.
    Silent(Duration),
}

/// How it stands, if it is listened.
pub(crate) fn standing(app: &App) -> Option<Standing> {
    let link = app.rehearsal.link()?;
    let now = Instant::now();
    Some(link.with_facts(|facts| match facts.last() {
        None => Standing::Waits(link.address().port()),
        Some(last) if now.saturating_duration_since(last) > SILENT => Standing::Silent(now.saturating_duration_since(last)),
        Some(_) => Standing::Plays(facts.rate(now)),
    }))
}

/// How long ago, shortly.
pub(crate) fn age(since: Duration) -> String {
    match since.as_secs_f32() {
        s if s < 10.0 => format!("{s:.1} s"),
        s if s < 120.0 => format!("{s:.0} s"),
        s if s < 7200.0 => format!("{:.0} min", s / 60.0),
        s => format!("{:.0} h", s / 3600.0),
    }
}

/// A row of the page: parts at columns, each with a role; and the line it belongs to, if it can be selected.
struct Line {
    row: Option<usize>,
    parts: Vec<(u16, String, Role)>,
    heading: Option<(&'static str, String)>,
}

impl Line {
    fn heading(title: &'static str, aside: impl Into<String>) -> Line {
        Line { row: None, parts: Vec::new(), heading: Some((title, aside.into())) }
    }

    fn of(row: impl Into<Option<usize>>, parts: Vec<(u16, String, Role)>) -> Line {
        Line { row: row.into(), parts, heading: None }
    }
}

pub(crate) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let rows = app.game_rows();
    let selected = app.game.row.min(rows.len().saturating_sub(1));
    // Before the facts are looked at, which can be asked of one at a time.
    let fixes = app.fixes(rows.get(selected));
    let lines = lines(app, &rows, (selected, &fixes), area.width);
    let height = usize::from(area.height);
    let last = lines.iter().rposition(|l| l.row == Some(selected)).unwrap_or(0);
    let first = (last + 2).saturating_sub(height).min(lines.len().saturating_sub(height));
    for (at, line) in lines.iter().skip(first).take(height).enumerate() {
        let y = area.y + at as u16;
        if let Some((title, aside)) = &line.heading {
            painter.heading(area.x, y, area.width, title, aside);
            continue;
        }
        // The mark is on the first of a line's rows.
        let begins = line.row == Some(selected) && (at == 0 || lines[first + at - 1].row != line.row);
        if begins {
            painter.mark(Rect { x: area.x.saturating_sub(1), width: area.width + 1, ..area }, y, app.stage.column == Column::Game);
        }
        let row = line.row.and_then(|row| rows.get(row));
        let heard = row.and_then(|row| heard_parts(app, row, area.width)).unwrap_or_default();
        for (x, text, role) in line.parts.iter().chain(&heard) {
            painter.text(area.x + x, y, area.width.saturating_sub(*x), text, *role);
        }
        if let Some(row) = row {
            targets.push((Rect { y, height: 1, ..area }, Rc::new(GameTarget(row.clone()))));
        }
    }
    painter.more(area, first, lines.len().saturating_sub(first + height));
}

/// The column of names.
const NAME: u16 = 13;
/// So many names of a kind that were not sent are named.
const MOST_UNSENT: usize = 80;
/// From so many columns on there is room for addresses and counts.
const ROOMY: u16 = 66;

fn lines(app: &App, rows: &[Row], selected: (usize, &[Fix]), width: u16) -> Vec<Line> {
    let mut lines = Vec::new();
    let joined = app.presence_lines();
    if !joined.is_empty() {
        lines.push(Line::heading("Inside the game", "its engine is what you hear and change"));
        for (sign, attention, text) in joined {
            let role = if attention { Role::Accent } else { Role::Text };
            for (row, words) in rows_of(&text, usize::from(width.saturating_sub(4)), "  ").into_iter().enumerate() {
                let sign = if row == 0 { sign } else { "" };
                lines.push(Line::of(None, vec![(1, sign.into(), if attention { role } else { Role::FromGame }), (3, words, role)]));
            }
        }
        lines.push(Line::of(None, Vec::new()));
    }
    let Some(link) = app.rehearsal.link() else {
        lines.push(Line::heading("Game", "Open Sound Control"));
        let address = app.game.where_to_listen();
        lines.push(Line::of(0, vec![(1, "○".into(), Role::Secondary), (3, format!("not listening; enter listens on {address}"), Role::Text)]));
        misfits(app, rows, selected, width, &mut lines);
        if !app.rehearsal.visiting() {
            how_to_join(app, width, &mut lines);
        }
        return lines;
    };
    let now = Instant::now();
    link.with_facts(|facts| {
        lines.push(Line::heading("Game", format!("listening on {}, UDP and TCP", link.address())));
        let delay = f64::from(app.rehearsal.player.delay()) / f64::from(app.program().rate.max(1)) * 1000.0;
        let heard = if facts.messages > 0 { format!("what comes sounds {delay:.0} ms later") } else { "nobody has sent yet".into() };
        lines.push(Line::of(None, vec![(1, "●".into(), Role::Good), (3, format!("{heard}; O ends listening"), Role::Text)]));
        lines.extend(facts.peers.iter().map(|p| Line::of(None, peer(p, now, width))));
        lines.extend(troubles(facts).into_iter().map(|text| Line::of(None, vec![(1, "!".into(), Role::Accent), (3, text, Role::Accent)])));
        misfits(app, rows, selected, width, &mut lines);
        not_understood(rows, facts, now, width, &mut lines);
        heard_names(rows, facts, now, &mut lines);
        if facts.messages == 0 { how_to_send(app, width, &mut lines) } else { unsent(app, facts, width, &mut lines) }
    });
    lines
}

fn peer(peer: &Peer, now: Instant, width: u16) -> Vec<(u16, String, Role)> {
    let silent = now.saturating_duration_since(peer.last);
    let name = peer.game.clone().unwrap_or_else(|| "without a hello".into());
    // Of those without a hello all ports of a machine are one.
    let from = if peer.game.is_some() { peer.address.to_string() } else { peer.address.ip().to_string() };
    let state = if peer.gone { "has gone".to_owned() } else { format!("{:.0}/s, {} ago", peer.rate(now), age(silent)) };
    let role = if silent > SILENT || peer.gone { Role::Secondary } else { Role::FromGame };
    vec![
        (1, if role == Role::FromGame { "●" } else { "○" }.into(), role),
        (3, cut(&name, right(&state, width).saturating_sub(4).min(31)), role),
        // In a narrow column there is room for the name alone.
        (35, if width < ROOMY { String::new() } else { format!("{} {from}", peer.transport.word()) }, Role::Secondary),
        (right(&state, width), state, Role::Text),
    ]
}

/// The column at which a text ends with the page.
fn right(text: &str, width: u16) -> u16 {
    width.saturating_sub(text.chars().count() as u16)
}

/// What went wrong on the way, in words.
fn troubles(facts: &Facts) -> Vec<String> {
    let mut all = Vec::new();
    if facts.lost > 0 {
        all.push(format!("{} messages were lost: they came faster than the engine takes them", facts.lost));
    }
    if facts.late > 0 {
        all.push(format!("{} came after their time tag, by {} at the most; they counted at once", facts.late, age(facts.latest)));
    }
    if facts.while_frozen > 0 {
        all.push(format!("{} events came while the clock stood still, and were left out", facts.while_frozen));
    }
    all.extend(facts.refused.iter().map(|(from, count)| format!("{count} packets from {from} refused: --allow {from} lets it send")));
    all
}

fn misfits(app: &App, rows: &[Row], (selected, fixes): (usize, &[Fix]), width: u16, lines: &mut Vec<Line>) {
    let history = &app.rehearsal.history;
    let rate = f64::from(app.program().rate.max(1));
    let mut first = true;
    for (at, row) in rows.iter().enumerate() {
        let Row::Misfit(key) = row else { continue };
        let Some(misfit) = history.misfits.get(key) else { continue };
        if std::mem::take(&mut first) {
            lines.push(Line::of(None, Vec::new()));
            lines.push(Line::heading("Does not fit", "enter does the fix marked ▶, ← → marks another"));
        }
        let ago = Duration::from_secs_f64(app.rehearsal.frame().saturating_sub(misfit.frame) as f64 / rate);
        let text = format!("{} ×{}, {} ago", misfit.notice.text(&app.rehearsal.names), misfit.count, age(ago));
        for (row, words) in rows_of(&text, usize::from(width.saturating_sub(4)), "  ").into_iter().enumerate() {
            let mut parts = vec![(3, words, Role::Accent)];
            if row == 0 {
                parts.push((1, "!".into(), Role::Accent));
            }
            lines.push(Line::of(at, parts));
        }
        if at == selected {
            if fixes.is_empty() {
                lines.push(Line::of(at, vec![(5, "to be changed in the game".into(), Role::Secondary)]));
            }
            for (of, fix) in fixes.iter().enumerate().skip(app.game.fix.saturating_sub(2)).take(5) {
                let chosen = of == app.game.fix;
                let mark = if chosen { "▶" } else { " " };
                lines.push(Line::of(at, vec![(5, mark.into(), Role::Good), (7, fix.words.clone(), if chosen { Role::Good } else { Role::Secondary })]));
            }
            if fixes.len() > app.game.fix.saturating_sub(2) + 5 {
                let more = fixes.len() - app.game.fix.saturating_sub(2) - 5;
                lines.push(Line::of(at, vec![(7, format!("and {more} more"), Role::Secondary)]));
            }
        }
    }
}

fn not_understood(rows: &[Row], facts: &Facts, now: Instant, width: u16, lines: &mut Vec<Line>) {
    let mut first = true;
    for (at, row) in rows.iter().enumerate() {
        let Row::NotUnderstood(what) = row else { continue };
        let Some((count, last)) = facts.not_understood.get(what) else { continue };
        if std::mem::take(&mut first) {
            lines.push(Line::of(None, Vec::new()));
            lines.push(Line::heading("Not understood", "to be changed in the game"));
        }
        // How often and how long ago stand where they do of everything else.
        let (count, ago) = (format!("×{count}"), age(now.saturating_duration_since(*last)));
        let mut begins = vec![(right(&count, width.saturating_sub(8)), count, Role::Secondary), (right(&ago, width), ago, Role::Secondary)];
        for words in rows_of(what, usize::from(width.saturating_sub(18)), "  ") {
            let mut parts = std::mem::take(&mut begins);
            parts.push((3, words, Role::Accent));
            lines.push(Line::of(at, parts));
        }
    }
}

/// A line each for what came; what stands in it is worked out if it is in sight.
fn heard_names(rows: &[Row], facts: &Facts, now: Instant, lines: &mut Vec<Line>) {
    let Some(from) = rows.iter().position(|row| matches!(row, Row::Heard(..) | Row::Emitter(_))) else { return };
    let listener = facts.listener.map_or_else(String::new, |last| format!("; listener {} ago", age(now.saturating_duration_since(last))));
    lines.push(Line::of(None, Vec::new()));
    lines.push(Line::heading("From the game", format!("what, how often, how long ago{listener}")));
    lines.extend((from..rows.len()).map(|at| Line::of(at, Vec::new())));
}

/// What stands in the line of something that came.
fn heard_parts(app: &App, row: &Row, width: u16) -> Option<Vec<(u16, String, Role)>> {
    let (word, name, last, count, value) = app.rehearsal.link()?.with_facts(|facts| {
        Some(match row {
            Row::Heard(kind, name) => {
                let heard = facts.heard(*kind, name)?;
                (kind_word(*kind), name, heard.last, heard.count, value(app, *kind, name, heard))
            }
            Row::Emitter(name) => {
                let emitter = facts.emitters.get(name)?;
                let [x, y, z] = emitter.at;
                let text = format!("{} at {x:.1}, {y:.1}, {z:.1}", emitter.kind).replace('-', "−");
                ("emitter", name, emitter.last, emitter.count, text.trim_start().to_owned())
            }
            _ => return None,
        })
    })?;
    let since = last.elapsed();
    let (count, ago) = (format!("×{count}"), age(since));
    // In a narrow column names are short, and values come before counts.
    let (values, count) = if width < ROOMY { (NAME + 13, String::new()) } else { (NAME + 22, count) };
    // Counts end where ages begin.
    let (count_at, ago_at) = (right(&count, width.saturating_sub(8)), right(&ago, width));
    let fresh = if since < Duration::from_millis(400) { Role::Active } else { Role::Text };
    Some(vec![
        (1, word.into(), Role::Secondary),
        (NAME, cut(name, values - NAME - 1), fresh),
        (values, cut(&value, count_at.saturating_sub(values + 1).max(1)), Role::FromGame),
        (count_at, count, Role::Secondary),
        (ago_at, ago, Role::Secondary),
    ])
}

/// While nobody has sent: what a game can say, and how to try it.
/// What can be done with a game that has the runtime inside it, and how that is tried.
fn how_to_join(app: &App, width: u16, lines: &mut Vec<Line>) {
    lines.push(Line::of(None, Vec::new()));
    lines.push(Line::heading("A game with the runtime", "plays its bundle itself"));
    let words = "J joins it: its engine is then what you hear, see and change, and it keeps the edits when you leave";
    lines.extend(rows_of(words, usize::from(width.saturating_sub(2)), "").into_iter().map(|row| Line::of(None, vec![(1, row, Role::Text)])));
    lines.push(Line::of(None, Vec::new()));
    lines.push(Line::heading("To try it", "ctrl-b writes the bundle; then in another terminal"));
    let bundle = app.last_bundle().map_or_else(|| "FILE".to_owned(), |path| path.display().to_string());
    let command = format!("estampie game --live --bundle {bundle}");
    lines.extend(rows_of(&command, usize::from(width.saturating_sub(2)), "  ").into_iter().map(|row| Line::of(None, vec![(1, row, Role::Text)])));
}

fn how_to_send(app: &App, width: u16, lines: &mut Vec<Line>) {
    lines.push(Line::of(None, Vec::new()));
    lines.push(Line::heading("What a game can say", "Open Sound Control; [what may be left out]"));
    for address in &ADDRESSES {
        lines.push(Line::of(None, vec![(1, address.path.into(), Role::FromGame), (24, address.arguments.into(), Role::Text)]));
    }
    lines.push(Line::of(None, Vec::new()));
    lines.push(Line::heading("To try it", "in another terminal"));
    let address = app.rehearsal.link().map_or_else(|| app.game.where_to_listen(), estampie_link::Link::address);
    let event = app.document().events.first().map_or("hull.struck", |e| e.name.as_str());
    let to = if address.port() == PORT { String::new() } else { format!(" --to {}", address.port()) };
    let tries = [
        (format!("estampie game{to}"), "a small game that sends what a real one would"),
        (format!("oscsend {} {} /estampie/event s {event}", address.ip(), address.port()), ""),
    ];
    for (command, says) in tries {
        let end = command.chars().count() as u16 + 3;
        let fits = end + says.chars().count() as u16 <= width;
        lines.push(Line::of(None, vec![(1, command, Role::Text), (end, if fits { says.into() } else { String::new() }, Role::Secondary)]));
    }
}

fn kind_word(kind: Kind) -> &'static str {
    match kind {
        Kind::Event => "event",
        Kind::Parameter => "parameter",
        Kind::State => "state",
    }
}

/// The last value, with the unit that it has here; of an event its emitter.
fn value(app: &App, kind: Kind, name: &str, heard: &Heard) -> String {
    let on = heard.emitter.as_ref().map_or_else(String::new, |emitter| format!("on {emitter}"));
    let value = match &heard.sent {
        Sent::Moment => String::new(),
        Sent::Number { last, .. } => {
            let unit = app.document().parameters.iter().find(|p| kind == Kind::Parameter && p.name == name).map_or("", |p| p.unit.as_str());
            let digits = if last.abs() < 10.0 { 2 } else { 1 };
            format!("{last:.digits$} {unit}").replace('-', "−").trim_end().to_owned()
        }
        Sent::Word { last, .. } => last.clone(),
    };
    match (value.is_empty(), on.is_empty()) {
        (true, _) => on,
        (false, true) => value,
        (false, false) => format!("{value} {on}"),
    }
}

fn unsent(app: &App, facts: &Facts, width: u16, lines: &mut Vec<Line>) {
    let mut first = true;
    for (kind, title) in [(Kind::Event, "events"), (Kind::Parameter, "parameters"), (Kind::State, "states")] {
        let names = app.never_sent(facts, kind);
        if names.is_empty() {
            continue;
        }
        let shown = names.len().min(MOST_UNSENT);
        let more = if names.len() > shown { format!(" and {} more", names.len() - shown) } else { String::new() };
        if std::mem::take(&mut first) {
            lines.push(Line::of(None, Vec::new()));
            lines.push(Line::heading("Not sent yet", "declared, and not come since listening began"));
        }
        lines.extend(
            rows_of(&format!("{title}: {}{more}", names[..shown].join(", ")), usize::from(width.saturating_sub(2)), "  ")
                .into_iter()
                .map(|text| Line::of(None, vec![(1, text, Role::Secondary)])),
        );
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ages_are_short() {
        let of = |seconds: f32| age(Duration::from_secs_f32(seconds));
        assert_eq!((of(0.04).as_str(), of(42.4).as_str(), of(600.0).as_str(), of(36_000.0).as_str()), ("0.0 s", "42 s", "10 min", "10 h"));
    }
}
