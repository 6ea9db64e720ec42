//! The page: title line, the view, the pulse, the line of keys, and what lies over it.

use super::app::{App, Mode};
use super::keys::{Do, KEYS};
use super::painter::{NARROW, Painter, cut, print_level, rows_of};
use super::rehearsal::Presence;
use super::stage::game::{Standing, age, standing};
use super::text_field::TextField;
use super::theme::Role;
use super::view::{Clicks, Prompt, Targets, VIEWS};
use super::{curve, overlay, sounds};
use crate::player::{BY_CHOICE, Output};
use estampie_engine::index::SectionIndex;
use estampie_proof::trace::kept::Track;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use std::rc::Rc;

/// The least size that the page works in.
const LEAST: (u16, u16) = (80, 24);

/// Whether the page works in a window of so many columns and rows.
pub(crate) fn fits(width: u16, height: u16) -> bool {
    width >= LEAST.0 && height >= LEAST.1
}

/// Draws everything and gives what the places on the screen mean to the mouse.
pub(crate) fn draw(app: &App, frame: &mut Frame<'_>) -> Targets {
    let area = frame.area();
    let mut painter = Painter { buffer: frame.buffer_mut(), theme: app.theme };
    painter.buffer.set_style(area, app.theme.ground());
    let mut targets = Vec::new();
    if !fits(area.width, area.height) {
        let text = format!(
            "{} × {} is too small: make the window {} × {} or larger. The sound goes on, and no key edits what is not in sight; q quits.",
            area.width, area.height, LEAST.0, LEAST.1
        );
        // In rows, since the window may be narrower than the sentence.
        for (y, row) in (0..).zip(rows_of(&text, usize::from(area.width), "")) {
            painter.text(0, y, area.width, &row, Role::Text);
        }
        return targets;
    }
    title(app, &mut painter, area, &mut targets);
    painter.rule(0, 1, area.width);
    let body = Rect { x: 0, y: 2, width: area.width, height: area.height - 5 };
    let tour = app.tour_area(body);
    app.view().draw(app, &mut painter, Rect { height: body.height - tour.height, ..body }, &mut targets);
    app.draw_tour(&mut painter, tour);
    painter.rule(0, area.height - 3, area.width);
    pulse(app, &mut painter, area.height - 2, area.width);
    last_line(app, &mut painter, area.height - 1, area.width);
    match &app.mode {
        Mode::Help => overlay::help(app, &mut painter, body),
        Mode::Faults => overlay::faults(app, &mut painter, body),
        Mode::Explained(at) => overlay::explained(app, &mut painter, body, *at),
        Mode::Curve(editor) => curve::draw(app, &mut painter, over(app, body), editor, &mut targets),
        Mode::Typing(ask, _) => {
            if let Some(editor) = ask.curve() {
                curve::draw(app, &mut painter, over(app, body), editor, &mut targets);
            }
        }
        Mode::Files(picker) => sounds::draw_files(app, &mut painter, body, picker),
        Mode::Differences => overlay::differences(app, &mut painter, body),
        Mode::Recipe(looked) => app.draw_recipe(&mut painter, body, looked),
        Mode::Contested => app.draw_contested(&mut painter, body),
        Mode::Finder { query, at } => overlay::finder(app, &mut painter, body, query, *at),
        _ => {}
    }
    targets
}

/// The centre, for what lies over it while index and side stay in sight.
fn over(app: &App, body: Rect) -> Rect {
    let (index, side) = app.view().face().widths;
    let left = index.min(body.width * 3 / 10) + 1;
    Rect { x: body.x + left, width: body.width.saturating_sub(left + side.min(body.width * 34 / 100) + 1), ..body }
}

/// Minutes, seconds and thousandths of a frame.
pub(crate) fn clock(frame: u64, rate: u32) -> String {
    let ms = frame * 1000 / u64::from(rate.max(1));
    format!("{:02}:{:02}.{:03}", ms / 60_000, ms / 1000 % 60, ms % 1000)
}

/// From so many columns on there is room between the names of the views.
const ROOMY: u16 = 220;

fn title(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let width = area.width;
    painter.text(1, 0, 2, "❧", Role::Accent);
    let bold = painter.style(Role::Text).add_modifier(Modifier::BOLD);
    // In a narrow window the views come first; the project's name stands in the view Project.
    let game = game_words(app);
    let of_game = game.as_ref().map_or(0, |(text, _)| 8 + text.chars().count() as u16);
    let narrow = width < 120 + of_game;
    let tight = width < NARROW;
    let end = if narrow { 1 } else { painter.put(3, 0, 10, "Estampie", bold) };
    if !narrow {
        painter.text(end + 2, 0, 23, &cut(&app.document().manifest.name, 23), Role::Secondary);
    }
    let mut x = if narrow { end + 2 } else { 38.min(width / 3) };
    for (place, view) in VIEWS.iter().enumerate() {
        let chosen = app.shows(view.face().name);
        let style = painter.theme.key();
        let from = x;
        x = painter.put(x, 0, 2, &view.face().key.to_string(), style) + u16::from(!tight);
        let style = if chosen { painter.style(Role::Active).add_modifier(Modifier::BOLD | Modifier::UNDERLINED) } else { painter.style(Role::Text) };
        x = painter.put(x, 0, 10, view.face().name, style);
        targets.push((Rect { x: from, y: 0, width: x - from, height: 1 }, Rc::new(ToView(place))));
        // What is unsaved, the sound and the clock have to have room beside them.
        x += if tight || width < ROOMY { 1 } else { 2 };
    }
    let clock = clock(app.rehearsal.frame(), app.program().rate);
    let (dot, words, role) = match app.rehearsal.player.output() {
        _ if app.rehearsal.visiting() => ("○", "in the game".to_owned(), Role::FromGame),
        Output::Device(name) => ("●", name, Role::Good),
        Output::Silent(why) => {
            let role = if why == BY_CHOICE { Role::Text } else { Role::Accent };
            ("○", format!("silent clock: {why}"), role)
        }
    };
    let contested = app.workspace.contested().count();
    let saved = match app.workspace.unsaved() {
        _ if app.workspace.only_read().is_some() => ("○ only read".to_owned(), Role::Accent),
        n if contested > 0 => (format!("! {n} contested"), Role::Accent),
        0 => ("● saved".to_owned(), Role::Good),
        n => (format!("◆ {n} unsaved"), Role::Accent),
    };
    let faults = match app.faults.len() {
        0 => String::new(),
        1 => "! 1 fault".into(),
        n => format!("! {n} faults"),
    };
    if tight {
        if game.is_none() && faults.is_empty() && saved.0.chars().count() < usize::from(width.saturating_sub(x)) {
            painter.text(x, 0, width - x, &saved.0, saved.1);
            return;
        }
        // The signs and their numbers: their words stand in the help.
        let short = |text: &str| text.split(' ').take_while(|word| word.chars().all(|c| !c.is_ascii_alphabetic())).collect::<String>();
        let end = painter.text(x, 0, 5, &short(&saved.0), saved.1) + 1;
        let end = painter.text(end, 0, 5, &short(&faults), Role::Accent) + u16::from(!faults.is_empty());
        if let Some((text, role)) = game {
            painter.text(end, 0, width.saturating_sub(end), &format!("game {}", &short(&text)), role);
        }
        return;
    }
    let end = painter.text(x, 0, 14, &saved.0, saved.1) + 2;
    let end = painter.text(end, 0, 12, &faults, Role::Accent);
    // Who is heard counts for more than since when.
    if end + of_game + clock.len() as u16 + 1 < width {
        painter.right(width - 1, 0, &clock, if app.rehearsal.back().is_some() { Role::Active } else { Role::Text });
    }
    let end = if let Some((text, role)) = game {
        let whole = end + of_game < width;
        let end = painter.text(end + 2, 0, 5, "game", Role::Secondary) + 1;
        painter.text(end, 0, width.saturating_sub(end), if whole { &text } else { text.split(' ').next().unwrap_or_default() }, role)
    } else {
        end
    };
    let end = end + 2;
    let room = (width - 1).saturating_sub(clock.len() as u16 + 2).saturating_sub(end);
    let bundle = app.bundle_words(usize::from(room));
    let end = if let Some((text, behind)) = bundle { painter.text(end, 0, room, &text, if behind { Role::Accent } else { Role::Secondary }) + 2 } else { end };
    let left = (width - 1).saturating_sub(clock.len() as u16 + 2).saturating_sub(end);
    // Half a word is none.
    if left < 12 {
        return;
    }
    // Where there is little room the sign says enough of what it is.
    let end = if left < 24 { end } else { painter.text(end, 0, 9, "sound ", Role::Secondary) };
    let left = (width - 1).saturating_sub(clock.len() as u16 + 2).saturating_sub(end);
    // The reason says what it means; by choice there is none.
    let words = match words.strip_prefix("silent clock: ") {
        Some(why) if words.chars().count() + 2 > usize::from(left) => if why == BY_CHOICE { "silent clock" } else { why }.to_owned(),
        _ => words,
    };
    painter.text(end, 0, left, &format!("{dot} {}", cut(&words, left.saturating_sub(2))), role);
}

/// How it stands with the running game, in few words, if it is listened.
fn game_words(app: &App) -> Option<(String, Role)> {
    if let Some(presence) = app.rehearsal.presence() {
        let (text, role) = match presence {
            Presence::Calls(_) => ("○ no answer", Role::Accent),
            Presence::Refused(_) => ("! refuses", Role::Accent),
            Presence::Inside { up_to_date: false, .. } => ("● edit goes …", Role::Accent),
            Presence::Inside { .. } => ("● up to date", Role::FromGame),
        };
        return Some((text.into(), role));
    }
    Some(match standing(app)? {
        Standing::Waits(port) => (format!("○ on {port}"), Role::Text),
        Standing::Plays(rate) => (format!("● {rate:.0}/s"), Role::FromGame),
        Standing::Silent(since) => (format!("○ silent {}", age(since)), Role::Text),
    })
}

fn level(value: f64, unit: &str) -> String {
    format!("{} {unit}", print_level(value))
}

fn pulse(app: &App, painter: &mut Painter<'_>, y: u16, width: u16) {
    let rehearsal = &app.rehearsal;
    let rate = app.program().rate;
    let mut x = 1;
    let mut said = |painter: &mut Painter<'_>, name: &str, value: &str, role: Role| {
        if x >= width {
            return;
        }
        // What does not fit is left out: half a number is none.
        if usize::from(x) + name.chars().count() + value.chars().count() + 1 > usize::from(width) && x > 1 {
            return;
        }
        if !name.is_empty() {
            x = painter.text(x, y, width - x, name, Role::Secondary) + 1;
        }
        x = painter.text(x, y, width.saturating_sub(x), value, role) + 3;
    };
    if let Some(frame) = rehearsal.back() {
        // What plays goes on: this comes before it.
        let ago = rehearsal.now().saturating_sub(frame) as f64 / f64::from(rate);
        said(painter, "", &format!("◀ {} looked at, {ago:.1} s ago (esc: now)", clock(frame, rate)), Role::Active);
    }
    let playing = if rehearsal.player.frozen() {
        ("■ frozen".to_owned(), Role::Accent)
    } else if rehearsal.recording() {
        (format!("● recording {}", clock(rehearsal.now(), rate)), Role::Accent)
    } else if let Some(replay) = &rehearsal.replay {
        let whole = clock(replay.frames, rate);
        (format!("▶ {} {} of {}", replay.name, &clock(rehearsal.now(), rate)[..5], &whole[..5]), Role::Active)
    } else if let Some(presence) = rehearsal.presence() {
        match presence {
            Presence::Inside { .. } => ("▶ in the game".to_owned(), Role::FromGame),
            Presence::Calls(_) | Presence::Refused(_) => ("○ nothing is heard".to_owned(), Role::Accent),
        }
    } else {
        ("▶ live".to_owned(), Role::Active)
    };
    said(painter, "", &playing.0, playing.1);
    // What passes comes first: nothing may push it off the line.
    if let Some((done, all)) = app.loading() {
        said(painter, "loading audio", &format!("{done} of {all}"), Role::Active);
    }
    if let Some(words) = app.exploring.words() {
        said(painter, "exploring", &words, Role::Active);
    }
    if let Some((name, from)) = rehearsal.coming() {
        said(painter, "", &format!("… {name} from {from}"), Role::Active);
    }
    for (value, role) in music_pulse(app) {
        said(painter, "", &value, role);
    }
    let risen: Vec<String> = app.risen().into_iter().take(2).map(|(name, share)| format!("{name} {:.0} %", share * 100.0)).collect();
    if !risen.is_empty() {
        said(painter, "snapshot", &risen.join(", "), Role::Snapshot);
    }
    // What is not as the game will have it comes before the numbers: on a narrow page those give way.
    for (name, value) in only(app) {
        said(painter, name, &value, Role::Accent);
    }
    let (voices, asleep) =
        rehearsal.status.as_ref().map_or((0, 0), |s| (s.voices.iter().filter(|v| !v.asleep).count(), s.voices.iter().filter(|v| v.asleep).count()));
    let dozing = if asleep > 0 { format!(" + {asleep} virtual") } else { String::new() };
    said(painter, "voices", &format!("{voices}/{}{dozing}", app.program().voices), Role::Text);
    // Of a game that does not answer there are no numbers.
    if matches!(rehearsal.presence(), Some(Presence::Calls(_) | Presence::Refused(_))) {
        return;
    }
    // The view Mix has them, and more, on the page.
    if !app.view().tells_loudness() {
        let loudness = rehearsal.player.loudness().output;
        // Of an earlier moment what was measured then; of its true peak nothing was kept.
        if let Some(frame) = rehearsal.back() {
            let then = rehearsal.kept().value(Track::Loudness, frame).map_or(f64::NEG_INFINITY, f64::from);
            said(painter, "short-term", &level(then, "LUFS"), Role::Text);
            return;
        }
        said(painter, "short-term", &level(loudness.short_term, "LUFS"), Role::Text);
        let hot = loudness.true_peak > -1.0;
        said(painter, "true peak", &level(loudness.true_peak, "dBTP"), if hot { Role::Accent } else { Role::Text });
    }
    let held = rehearsal.status.as_ref().map_or(0.0, |s| s.ceiling_db);
    if held < -0.05 {
        said(painter, "ceiling holds", &level(f64::from(held), "dB"), Role::Accent);
    }
    said(painter, "dsp", &format!("{:.1} %", rehearsal.load() * 100.0), Role::Text);
    let underruns = rehearsal.player.underruns();
    if underruns > 0 {
        said(painter, "dropouts", &underruns.to_string(), Role::Accent);
    }
}

/// What plays and what it waits for.
fn music_pulse(app: &App) -> Vec<(String, Role)> {
    let (Some(program), Some(status)) = (app.rehearsal.status_program(), app.rehearsal.status.as_ref()) else { return Vec::new() };
    let mut said = Vec::new();
    for (spec, now) in program.music.pieces.iter().zip(&status.pieces) {
        let Some(pass) = now.sequencer.pass() else { continue };
        let name = |section: Option<SectionIndex>| section.map_or("silence", |s| program.names.get(spec.sections[s].key));
        let (bar, beat, _) = now.sequencer.position(spec, status.frame).unwrap_or_default();
        said.push((format!("♪ {} {} {}.{}", program.names.get(spec.key), name(Some(pass.section)), bar + 1, beat + 1), Role::Active));
        if let (Some(ask), Some(leaves)) = (now.sequencer.waits(), now.sequencer.leaves(spec)) {
            let seconds = leaves.saturating_sub(status.frame) as f64 / f64::from(program.rate);
            said.push((format!("⟶ {} in {seconds:.1} s", name(ask.to)), Role::Accent));
        }
        if said.len() >= 2 {
            break;
        }
    }
    said
}

/// What is temporary, by kind.
fn only(app: &App) -> Vec<(&'static str, String)> {
    let rehearsal = &app.rehearsal;
    let list = |keys: &std::collections::BTreeSet<_>| keys.iter().map(|k| rehearsal.names.get(*k).to_owned()).collect::<Vec<_>>().join(" ");
    let only = &rehearsal.only;
    let mut said = Vec::new();
    for (name, keys) in
        [("solo", &rehearsal.soloed), ("mute", &rehearsal.muted), ("solo", &only.soloed_sounds), ("mute", &only.muted_sounds), ("held", &only.held)]
    {
        if !keys.is_empty() {
            said.push((name, list(keys)));
        }
    }
    if !only.bypassed.is_empty() {
        let all = only.bypassed.contains(&estampie_engine::names::NameKey::NONE);
        said.push(("bypassed", if all { "all effects".to_owned() } else { format!("{} effects or sends", only.bypassed.len()) }));
    }
    if !only.by_hand.is_empty() {
        said.push(("by hand", only.by_hand.iter().map(|(k, share)| format!("{} {share} %", rehearsal.names.get(*k))).collect::<Vec<_>>().join(" ")));
    }
    if let Some(emitter) = only.alone {
        said.push(("solo", rehearsal.names.get(emitter).to_owned()));
    }
    if let Some(head) = only.head {
        said.push(("heard by", if head { "headphones" } else { "speakers" }.to_owned()));
    }
    if only.metronome {
        said.push(("metronome", "on every beat".to_owned()));
    }
    if !only.switched.is_empty() {
        let layer = |(key, on): (&_, &bool)| format!("{} {}", rehearsal.names.get(*key), if *on { "in" } else { "out" });
        said.push(("layers", only.switched.iter().map(layer).collect::<Vec<_>>().join(" ")));
    }
    if only.short_waits {
        said.push(("waits", "a tenth".to_owned()));
    }
    if let Some(always) = only.chances {
        said.push(("chances", if always { "always" } else { "never" }.to_owned()));
    }
    if let Some((sound, take)) = only.forced {
        said.push(("take", format!("{} of {}", take + 1, rehearsal.names.get(sound))));
    }
    if let Some(first) = said.first_mut() {
        first.1.insert_str(0, &format!("{} ", first.0));
        first.0 = "temporary:";
    }
    said
}

/// What is typed, said or asked; else the keys that apply here.
fn last_line(app: &App, painter: &mut Painter<'_>, y: u16, width: u16) {
    match &app.mode {
        Mode::Typing(typed, text) => return typing_line(app, painter, (y, width), typed, text),
        Mode::Sentence(_) => {
            return keys(painter, 1, y, width, &[("enter", "puts it in"), ("tab", "takes what is offered"), ("↑ ↓", "choose"), ("esc", "leaves it as it was")]);
        }
        Mode::Curve(_) => {
            let list = [
                ("tab", "next point"),
                ("← → ↑ ↓", "move it"),
                ("shift", "finely"),
                ("e", "type it"),
                ("n", "new"),
                ("x", "out"),
                ("s", "shape"),
                ("u", "undo"),
                ("esc", "done"),
            ];
            return keys(painter, 1, y, width, &list);
        }
        Mode::Files(picker) => {
            let count = format!(
                "makes a sound of {}",
                match picker.chosen.len() {
                    0 => "this file".to_owned(),
                    1 => "the chosen file".to_owned(),
                    count => format!("{count} files"),
                }
            );
            return keys(
                painter,
                1,
                y,
                width,
                &[("p", "hear"), ("x", "choose"), ("a", "all of its series"), ("/", "filter"), ("enter", &count), ("esc", "back")],
            );
        }
        Mode::Deleting(targets, uses) => {
            let names = if uses.is_empty() { "nothing names it".to_owned() } else { format!("named by: {}", uses.join(" · ")) };
            let x = painter.text(1, y, width.saturating_sub(40), &format!("delete {}? {names}", targets.join(", ")), Role::Accent) + 2;
            keys(painter, x, y, width, &[("y", "delete"), ("esc", "keep")]);
            return;
        }
        Mode::Quitting => {
            let count = app.workspace.unsaved();
            let x = painter.text(1, y, width - 2, &format!("{count} unsaved file{}.", if count == 1 { "" } else { "s" }), Role::Accent) + 1;
            keys(painter, x, y, width, &[("s", "save and quit"), ("d", "quit without saving"), ("esc", "stay")]);
            return;
        }
        Mode::BringBack => {
            let x = painter.text(1, y, width.saturating_sub(44), &app.found_words(), Role::Accent) + 1;
            keys(painter, x, y, width, &[("enter", "bring them back"), ("d", "forget them")]);
            return;
        }
        Mode::Contested => {
            said_above(app, painter, y, width);
            let list = [("m", "keep mine"), ("t", "keep theirs"), ("b", "both, where they do not meet"), ("↑ ↓", "scroll"), ("esc", "later")];
            return keys(painter, 1, y, width, &list);
        }
        Mode::Protected(files) => {
            let x = painter.text(1, y, width.saturating_sub(40), &format!("write-protected: {}.", files.join(", ")), Role::Accent) + 1;
            keys(painter, x, y, width, &[("y", "write all the same"), ("esc", "leave them")]);
            return;
        }
        Mode::Finder { .. } => return keys(painter, 1, y, width, &[("enter", "go there, or do it"), ("↑ ↓", "choose"), ("esc", "back")]),
        Mode::Differences => {
            said_above(app, painter, y, width);
            let list = [("a", "go over to the other"), ("enter", "keep what you hear, forget the other"), ("↑ ↓", "scroll"), ("esc", "back; both stay")];
            return keys(painter, 1, y, width, &list);
        }
        Mode::Recipe(_) => return keys(painter, 1, y, width, &[("enter", "put it in"), ("↑ ↓", "scroll"), ("esc", "write nothing")]),
        Mode::Help => return keys(painter, 1, y, width, &[("esc", "back to the page"), ("↑ ↓", "scroll")]),
        Mode::Faults if app.faults.get(app.scroll).is_some_and(|f| !app.missing.like(f).is_empty()) => {
            let all =
                [("enter", "point to what is marked ▶"), ("← →", "another"), ("a", "point all to the likeliest"), ("↑ ↓", "fault"), ("esc", "on to the page")];
            return keys(painter, 1, y, width, &all);
        }
        Mode::Faults => {
            let list = [("esc", "on to the page; what is sound works"), ("↑ ↓", "scroll"), ("enter", "what it means"), ("!", "opens this again")];
            return keys(painter, 1, y, width, &list);
        }
        Mode::Explained(_) => return keys(painter, 1, y, width, &[("esc", "back to the faults"), ("↑ ↓", "scroll")]),
        Mode::Page => {}
    }
    if let Some(message) = &app.message {
        painter.text(1, y, width - 2, &message.text, if message.alarm { Role::Accent } else { Role::Active });
        return;
    }
    if let Some(list) = app.view().last_line(app) {
        return keys(painter, 1, y, width, list);
    }
    // What is not to be had inside a running game is not offered.
    let offered = |does: Do| !(app.rehearsal.visiting() && matches!(does, Do::Freeze | Do::Record | Do::Restart));
    let list: Vec<(String, &str)> = in_order(app)
        .into_iter()
        .filter(|b| offered(b.does))
        .filter_map(|b| {
            let shown = super::keys::shown(b, &app.keys);
            Some((if shown == "← h" { "← →".to_owned() } else { shown.split(' ').next()?.to_owned() }, b.short?))
        })
        .collect();
    let list: Vec<(&str, &str)> = list.iter().map(|(key, words)| (key.as_str(), *words)).collect();
    keys(painter, 1, y, width, &list);
}

/// What is asked, what has been typed so far, and what may come next or is wrong with it.
fn typing_line(app: &App, painter: &mut Painter<'_>, (y, width): (u16, u16), typed: &Prompt, text: &TextField) {
    let what = typed.words(app);
    let x = painter.text(1, y, width - 2, &what, Role::Active) + 1;
    let from = x;
    let room = usize::from(width.saturating_sub(x + 2));
    // A text longer than the line shows the part around the cursor.
    let first = (text.at + 1).saturating_sub(room.saturating_sub(24).max(12));
    let shown: String = text.text.chars().skip(first).collect();
    // What the first character will replace is marked.
    let style = if text.offered { painter.theme.selection().add_modifier(Modifier::REVERSED) } else { painter.style(Role::Text) };
    let x = painter.put(x, y, width.saturating_sub(x), &shown, style);
    let cursor = painter.theme.selection().add_modifier(Modifier::REVERSED);
    let under = text.text.chars().nth(text.at).map_or(" ".to_owned(), |c| c.to_string());
    painter.put(from + (text.at - first) as u16, y, 1, &under, cursor);
    let x = x + 3;
    let alarm = app.message.as_ref().filter(|m| m.alarm);
    let next = app.completions(typed, text);
    let hint = match (alarm, next.first(), typed.hint(app)) {
        (Some(message), ..) => message.text.clone(),
        (None, Some(name), _) => format!("tab: {name}"),
        (None, None, Some(hint)) => hint,
        _ => "enter sets it, esc leaves it".to_owned(),
    };
    let role = if alarm.is_some() { Role::Accent } else { Role::Secondary };
    let room = usize::from(width.saturating_sub(x + 1));
    if hint.chars().count() <= room {
        painter.text(x, y, width.saturating_sub(x), &hint, role);
    } else {
        // What has no room beside the text has the line above to itself.
        above(painter, y, width, &hint, role);
    }
    // What is offered does not take the place of what explains.
    if let (None, Some(_), Some(hint)) = (alarm, next.first(), typed.hint(app)) {
        above(painter, y, width, &hint, Role::Secondary);
    }
}

/// A text in the line above; what stood there gives way.
fn above(painter: &mut Painter<'_>, y: u16, width: u16, text: &str, role: Role) {
    painter.text(0, y - 1, width, &" ".repeat(usize::from(width)), Role::Text);
    painter.text(1, y - 1, width.saturating_sub(2), text, role);
}

/// What was said last, in the line above: where something is asked, nothing may hide the answers.
fn said_above(app: &App, painter: &mut Painter<'_>, y: u16, width: u16) {
    let Some(message) = &app.message else { return };
    above(painter, y, width, &message.text, if message.alarm { Role::Accent } else { Role::Active });
}

/// The keys of the view, before or among those that all share, as the line tells them.
fn in_order(app: &App) -> Vec<&'static super::keys::Binding> {
    let (first, rest) = KEYS.split_at(KEYS.iter().position(|b| b.keys.contains(&"home")).unwrap_or(0));
    first.iter().chain(app.view().face().keys).chain(rest).collect()
}

/// A view's name on the title line.
#[derive(Debug)]
struct ToView(usize);

impl Clicks for ToView {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        app.show(VIEWS[self.0].face().name);
    }

    fn over_all(&self) -> bool {
        true
    }
}

/// Keys with their words, as many as there is room for.
fn keys(painter: &mut Painter<'_>, from: u16, y: u16, width: u16, list: &[(&str, &str)]) {
    let needed = |(key, words): &(&str, &str)| (key.chars().count() + words.chars().count() + 4) as u16;
    // The last one, help, always has its room.
    let mut list = list.to_vec();
    while list.len() > 2 && from + list.iter().map(needed).sum::<u16>() > width {
        list.remove(list.len() - 2);
    }
    let mut x = from;
    for (key, words) in &list {
        let needed = (key.chars().count() + words.chars().count() + 4) as u16;
        if x + needed > width {
            return;
        }
        let style = painter.theme.key();
        x = painter.put(x, y, width - x, key, style) + 1;
        x = painter.text(x, y, width - x, words, Role::Secondary) + 3;
    }
}

#[cfg(test)]
mod tests {
    use super::clock;

    #[test]
    fn the_clock_tells_minutes_seconds_and_thousandths() {
        assert_eq!(clock(0, 48_000), "00:00.000");
        assert_eq!(clock(48_000 * 61 + 24, 48_000), "01:01.000");
        assert_eq!(clock(44_100 * 3_600, 44_100), "60:00.000");
    }
}
