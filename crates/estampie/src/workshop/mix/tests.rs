//! Keys of the mix, and pictures of effects by the mouse, as values.

use super::Focus;
use crate::workshop::view_tests::Desk;
use ratatui::crossterm::event::{Event, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};

fn send(desk: &mut Desk, kind: MouseEventKind, (column, row): (u16, u16)) {
    desk.app.event(&Event::Mouse(MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE }));
    desk.page();
}

/// A desk with an effect at the end of a bus, chosen.
fn with_effect(bus: &str, effect: &str) -> Desk {
    let mut desk = Desk::new();
    desk.poll_until("all is loaded", |app| app.loading().is_none());
    desk.keys("5");
    desk.click(bus);
    desk.keys("i");
    desk.type_text(effect);
    desk.keys("enter");
    desk
}

/// Where the points of the picture lie, from the left.
fn points(desk: &mut Desk) -> Vec<(u16, u16)> {
    let page = desk.page();
    let from = page.lines().position(|l| l.contains("¶ steps")).unwrap_or(0);
    let mut found: Vec<(u16, u16)> = Vec::new();
    for (y, row) in page.lines().enumerate().skip(from) {
        found.extend(row.chars().enumerate().filter(|(x, c)| *x < 100 && matches!(c, '●' | '◆')).map(|(x, _)| (x as u16, y as u16)));
    }
    found.sort_unstable();
    found
}

/// Drags from one place to another.
fn drag(desk: &mut Desk, from: (u16, u16), to: (u16, u16)) {
    send(desk, MouseEventKind::Down(MouseButton::Left), from);
    send(desk, MouseEventKind::Drag(MouseButton::Left), ((from.0 + to.0) / 2, from.1));
    send(desk, MouseEventKind::Drag(MouseButton::Left), to);
    send(desk, MouseEventKind::Up(MouseButton::Left), to);
}

fn setting(desk: &Desk, effect: &str, word: &str) -> Option<String> {
    let text = desk.text("mix.toml");
    let table = text.split("[buses.").find(|t| t.starts_with(&format!("steps.effect.{effect}]")))?;
    table.lines().find_map(|l| Some(l.strip_prefix(word)?.trim_start().strip_prefix('=')?.trim().trim_matches('"').to_owned()))
}

#[test]
fn a_band_of_an_eq_is_dragged_to_its_frequency_and_gain_by_one_edit() {
    let mut desk = with_effect("steps", "eq");
    assert!(desk.app.mix.focus == Focus::Effect && desk.page().contains("20 kHz"));
    let before = desk.app.workspace.edits();
    let all = points(&mut desk);
    assert_eq!(all.len(), 6, "{all:?}\n{}", desk.page());
    // The third from the left is the second bell.
    let at = all[2];
    drag(&mut desk, at, (at.0 + 4, at.1 - 3));
    assert_eq!(desk.app.workspace.edits(), before + 1, "a drag is one edit");
    let (hz, db) = (setting(&desk, "eq", "band-2-freq"), setting(&desk, "eq", "band-2-gain"));
    let gain: f32 = db.as_ref().unwrap().trim_end_matches(" dB").parse().unwrap();
    assert!(hz.as_ref().is_some_and(|hz| hz.contains("Hz")) && (1.0..24.0).contains(&gain), "{hz:?} {db:?}");
    assert_eq!(desk.app.mix.setting, 5, "what is held is chosen in the list");
    assert!(points(&mut desk).contains(&(at.0 + 4, at.1 - 3)), "it lies where it was let go");
    desk.keys("u");
    assert_eq!((points(&mut desk), setting(&desk, "eq", "band-2-gain")), (all, None));
    // Far from all points nothing is taken.
    send(&mut desk, MouseEventKind::Down(MouseButton::Left), (at.0, at.1 - 7));
    send(&mut desk, MouseEventKind::Drag(MouseButton::Left), (at.0 + 9, at.1 - 3));
    send(&mut desk, MouseEventKind::Up(MouseButton::Left), (at.0, at.1));
    assert_eq!(desk.app.workspace.edits(), before);
}

#[test]
fn a_threshold_is_dragged_and_a_snapshot_holds_what_is_dragged_while_it_is_edited() {
    let mut desk = with_effect("steps", "compressor");
    // At rest both points lie at full scale.
    let at = points(&mut desk)[0];
    drag(&mut desk, at, (at.0 - 8, at.1 + 3));
    let threshold: f32 = setting(&desk, "compressor", "threshold").unwrap().trim_end_matches(" dB").parse().unwrap();
    assert!((-60.0..0.0).contains(&threshold), "{threshold}");
    // The quiet snapshot is edited: it holds, and the mix stays.
    desk.app.mix.focus = Focus::Snapshots;
    desk.keys("o");
    assert!(desk.app.mix.target.is_some(), "{}", desk.page());
    desk.app.mix.focus = Focus::Effect;
    desk.poll_until("it is up", |app| app.rehearsal.status.as_ref().is_some_and(|s| s.snapshots.iter().any(|s| s.share > 0.99)));
    let at = points(&mut desk)[0];
    drag(&mut desk, at, (at.0 - 6, at.1 + 2));
    assert!(desk.text("mix.toml").contains("\"bus steps compressor threshold\" = \"to -"), "{}", desk.text("mix.toml"));
    let kept: f32 = setting(&desk, "compressor", "threshold").unwrap().trim_end_matches(" dB").parse().unwrap();
    assert_eq!(kept, threshold);
}

#[test]
fn an_axis_stands_still_while_an_echo_is_dragged() {
    let mut desk = with_effect("steps", "echo");
    let at = points(&mut desk)[0];
    drag(&mut desk, at, (at.0 + 10, at.1));
    let first = setting(&desk, "echo", "time").unwrap();
    let seconds =
        |text: &str| if let Some(ms) = text.strip_suffix(" ms") { ms.parse::<f32>().unwrap() / 1000.0 } else { text.trim_end_matches(" s").parse().unwrap() };
    assert!((0.35..2.0).contains(&seconds(&first)), "{first}");
    // Pictures and points at any size, and with every kind: nothing panics.
    for size in [(80, 24), (200, 60), (60, 16), (20, 5), (160, 47)] {
        desk.size = size;
        desk.page();
    }
}

#[test]
fn in_the_mix_levels_sends_effects_and_snapshots_are_edited() {
    let mut desk = Desk::new();
    desk.keys("5");
    desk.click("hull");
    desk.keys("left left");
    assert!(desk.text("mix.toml").contains("level = \"-4 dB\""), "{}", desk.text("mix.toml"));
    desk.keys("e");
    desk.type_text("-7.5 dB");
    desk.keys("enter");
    assert!(desk.text("mix.toml").contains("level = \"-7.5 dB\""));
    desk.keys("i");
    assert!(desk.page().contains("new effect on hull:"));
    desk.type_text("compr");
    assert!(desk.page().contains("tab: compressor"), "{}", desk.page());
    desk.keys("tab enter");
    assert!(desk.text("mix.toml").contains("[buses.hull.effect.compressor]"), "{}", desk.text("mix.toml"));
    desk.keys("S");
    desk.type_text("loud");
    desk.keys("enter");
    assert!(desk.text("mix.toml").contains("[snapshots.loud]"));
    desk.keys("s");
    assert!(desk.page().contains("temporary:") || desk.page().contains("(temporary)"));
    desk.keys("\\");
    assert!(desk.page().contains("nothing is temporary any more"));
}
