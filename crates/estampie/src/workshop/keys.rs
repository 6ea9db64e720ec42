//! All keys, in one table: what is pressed, what the help page and the line of keys say.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// What a key does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Do {
    View(View),
    Up,
    Down,
    Left,
    Right,
    FineLeft,
    FineRight,
    NextColumn,
    PreviousColumn,
    Main,
    Edit,
    Find,
    Undo,
    Redo,
    Solo,
    Mute,
    Freeze,
    Save,
    Help,
    Quit,
    EditToo,
    Record,
    Why,
    Faults,
    StopAll,
    Restart,
    Theme,
    Rest,
    Back,
    ShortWaits,
    Chances,
    ClearOnly,
    Filter,
    Mark,
    ClearMarks,
    Twenty,
    NewSound,
    Rename,
    Duplicate,
    Delete,
    Curve,
    Force,
    Wire,
    GoToUse,
    EditShared,
    Copy,
    Paste,
    NewReaction,
    NewAction,
    MoveUp,
    MoveDown,
    Off,
    GiveBack,
    NewModulation,
    SwitchLayer,
    JumpBack,
    JumpOn,
    Sting,
    StepState,
    Metronome,
    Tap,
    CheckTransitions,
    NewEffect,
    NewSnapshot,
    Target,
    Without,
    Bypass,
    BypassAll,
    Differences,
    LessByHand,
    MoreByHand,
    TakeUnsaved,
    LoudnessTarget,
    Map,
    RunUp,
    RunDown,
    TurnLeft,
    Higher,
    Lower,
    First,
    Last,
    TurnRight,
    Slower,
    Faster,
    ZoomIn,
    ZoomOut,
    FollowMe,
    Point,
    PutHere,
    Ruler,
    NextThing,
    PreviousThing,
    SoloThing,
    AddThing,
    Carry,
    CopyThing,
    DeleteThing,
    Head,
}

/// A view of the workshop.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum View {
    Stage,
    Wiring,
    Sounds,
    Music,
    Mix,
}

impl View {
    /// All views that there are, with their numbers and names.
    pub(crate) const ALL: [(View, char, &'static str); 5] =
        [(View::Stage, '1', "Stage"), (View::Wiring, '2', "Wiring"), (View::Sounds, '3', "Sounds"), (View::Music, '4', "Music"), (View::Mix, '5', "Mix")];
}

/// A line of the table.
pub(crate) struct Binding {
    /// The keys, by the names that [`name`] gives.
    pub(crate) keys: &'static [&'static str],
    /// What they do.
    pub(crate) does: Do,
    /// The keys as they are shown.
    pub(crate) shown: &'static str,
    /// What they do, in words.
    pub(crate) words: &'static str,
    /// The view where they apply, if not everywhere.
    pub(crate) view: Option<View>,
    /// Whether the line of keys names it; a short word for there.
    pub(crate) short: Option<&'static str>,
}

const fn key(keys: &'static [&'static str], does: Do, shown: &'static str, words: &'static str, view: Option<View>, short: Option<&'static str>) -> Binding {
    Binding { keys, does, shown, words, view, short }
}

const STAGE: Option<View> = Some(View::Stage);
const WIRING: Option<View> = Some(View::Wiring);
const SOUNDS: Option<View> = Some(View::Sounds);
const MUSIC: Option<View> = Some(View::Music);
const MIX: Option<View> = Some(View::Mix);

/// The table.
pub(crate) const KEYS: &[Binding] = &[
    key(&["1"], Do::View(View::Stage), "1", "the view Stage: play the game without the game", None, None),
    key(&["2"], Do::View(View::Wiring), "2", "the view Wiring: what follows from what the game tells", None, None),
    key(&["3"], Do::View(View::Sounds), "3", "the view Sounds: the recipes", None, None),
    key(&["4"], Do::View(View::Music), "4", "the view Music: sections, layers, and the transitions between them", None, None),
    key(&["5"], Do::View(View::Mix), "5", "the view Mix: buses, effects, sends, snapshots", None, None),
    key(&["up", "k"], Do::Up, "↑ k", "the line above", None, None),
    key(&["down", "j"], Do::Down, "↓ j", "the line below", None, None),
    key(&["left", "h"], Do::Left, "← h", "less: a parameter, a level; the state's value before", None, Some("value")),
    key(&["right", "l"], Do::Right, "→ l", "more: a parameter, a level; the state's next value", None, None),
    key(&["shift-left", "H"], Do::FineLeft, "shift-← H", "a little less", None, None),
    key(&["shift-right", "L"], Do::FineRight, "shift-→ L", "a little more", None, None),
    key(&["tab"], Do::NextColumn, "tab", "the next column", None, Some("column")),
    key(&["backtab"], Do::PreviousColumn, "shift-tab", "the column before", None, None),
    key(&["enter"], Do::Main, "enter", "send the event, replay the playthrough, hear the sound", STAGE, Some("send")),
    key(&["M"], Do::Map, "M", "the map, or the last twenty seconds", STAGE, Some("map")),
    key(&["shift-up"], Do::RunUp, "shift-↑", "on the map: run, or move the cross by ten", STAGE, None),
    key(&["shift-down"], Do::RunDown, "shift-↓", "on the map: run, or move the cross by ten", STAGE, None),
    key(&["<"], Do::TurnLeft, "<", "turn to the left", STAGE, None),
    key(&[">"], Do::TurnRight, ">", "turn to the right", STAGE, None),
    key(&["page-up"], Do::Higher, "page-up", "ten lines up; on the map: a metre up", None, None),
    key(&["page-down"], Do::Lower, "page-down", "ten lines down; on the map: a metre down", None, None),
    key(&["home"], Do::First, "home", "the first line", None, None),
    key(&["end"], Do::Last, "end", "the last line", None, None),
    key(&["("], Do::Slower, "(", "walk slower", STAGE, None),
    key(&[")"], Do::Faster, ")", "walk faster", STAGE, None),
    key(&["+", "="], Do::ZoomIn, "+", "nearer to the map", STAGE, None),
    key(&["-"], Do::ZoomOut, "-", "farther from the map; 0 shows all of it", STAGE, None),
    key(&["'"], Do::FollowMe, "'", "the map goes with you, or stays", STAGE, None),
    key(&["p"], Do::Point, "p", "point at the map: the arrows move a cross instead of walking; again, or esc, walks", STAGE, Some("point")),
    key(&["P"], Do::PutHere, "P", "put yourself at the cross", STAGE, None),
    key(&["\""], Do::Ruler, "\"", "measure from here to the cross, or to yourself; again ends", STAGE, None),
    key(&[";"], Do::NextThing, ";", "choose the next thing of the map, by distance", STAGE, Some("next thing")),
    key(&[","], Do::PreviousThing, ",", "choose the thing before", STAGE, None),
    key(&["S"], Do::SoloThing, "S", "solo the chosen emitter (temporary)", STAGE, None),
    key(&["A"], Do::AddThing, "A", "add at the cross: emitter lamp, zone crypt, wall pier, doorway gate streets crypt", STAGE, None),
    key(&["E"], Do::Head, "E", "placed sounds as headphones give them, with a head between the ears, or as speakers (temporary)", STAGE, None),
    key(&["K"], Do::Carry, "K", "move the chosen thing with the arrows; enter sets it down", STAGE, None),
    key(&["C"], Do::CopyThing, "C", "a copy of the chosen thing at the cross", STAGE, None),
    key(&["Y"], Do::Curve, "Y", "edit the curve by which what sounds at the chosen thing falls off", STAGE, None),
    key(&["X"], Do::DeleteThing, "X", "delete the chosen thing", STAGE, None),
    key(&["enter"], Do::Main, "enter", "send it, edit the curve; declare what is sent undeclared", WIRING, Some("send, fix")),
    key(&["enter"], Do::Main, "enter", "play as the game would; play the take; type the value", SOUNDS, Some("play")),
    key(&["enter"], Do::Main, "enter", "go to the section, or take the transition; a layer in or out; begin a piece, sound a stinger", MUSIC, Some("go")),
    key(&["x"], Do::SwitchLayer, "x", "bring the layer in, or take it out (temporary)", MUSIC, Some("in, out")),
    key(&["n"], Do::Sting, "n", "sound the selected stinger, or the first", MUSIC, Some("stinger")),
    key(&["<"], Do::JumpBack, "<", "jump a bar back", MUSIC, Some("jump")),
    key(&[">"], Do::JumpOn, ">", "jump a bar on", MUSIC, None),
    key(&["t"], Do::StepState, "t", "the next value of the state that the piece follows", MUSIC, Some("state")),
    key(&["c"], Do::Curve, "c", "edit the curve that moves the layer", MUSIC, Some("curve")),
    key(&["p"], Do::CheckTransitions, "p", "check every transition: render and listen to each; again to open the problems", MUSIC, Some("check")),
    key(&["M"], Do::Metronome, "M", "a click on every beat (temporary, never saved)", MUSIC, None),
    key(&["T"], Do::Tap, "T", "tap a tempo, on the beat", MUSIC, None),
    key(&["enter"], Do::Main, "enter", "the settings of the bus's effect; hear the snapshot; type the value", MIX, Some("open, hear")),
    key(&["o"], Do::Target, "o", "edit the chosen snapshot instead of the mix; again, or esc, goes back", MIX, Some("edit snapshot")),
    key(&["a"], Do::Without, "a", "keep this as B, then go over to B and back, as loud; without the edited snapshot, while held", MIX, Some("a/b")),
    key(&["A"], Do::Differences, "A", "what differs between A and B, and to keep one of them", MIX, None),
    key(&["i"], Do::NewEffect, "i", "a new effect on the bus", MIX, Some("effect")),
    key(&["S"], Do::NewSnapshot, "S", "a new snapshot", MIX, Some("snapshot")),
    key(&["<"], Do::JumpBack, "<", "the return, snapshot or effect before", MIX, None),
    key(&[">"], Do::JumpOn, ">", "the next return, snapshot or effect", MIX, Some("next")),
    key(&["("], Do::LessByHand, "(", "less of the chosen snapshot by hand (temporary)", MIX, None),
    key(&[")"], Do::MoreByHand, ")", "more of it by hand (temporary)", MIX, None),
    key(&["N"], Do::TakeUnsaved, "N", "a new snapshot of what is unsaved in the mix", MIX, None),
    key(&["K"], Do::MoveUp, "K", "the effect earlier on its bus", MIX, None),
    key(&["J"], Do::MoveDown, "J", "the effect later on its bus", MIX, None),
    key(&["E"], Do::EditShared, "E", "edit the setting of the shared effect behind it, for all that are like it", MIX, None),
    key(&["y"], Do::Copy, "y", "copy the bus's settings, the open effect, or what the snapshot holds", MIX, Some("copy")),
    key(&["p"], Do::Paste, "p", "paste it here", MIX, None),
    key(&["d"], Do::Duplicate, "d", "a copy of the chosen snapshot", MIX, None),
    key(&["T"], Do::LoudnessTarget, "T", "type the loudness that the whole should have: -18 LUFS", MIX, None),
    key(&["b"], Do::Bypass, "b", "bypass the effect, or the send (temporary)", MIX, Some("bypass")),
    key(&["B"], Do::BypassAll, "B", "bypass all effects (temporary)", MIX, None),
    key(&["O"], Do::Off, "O", "leave the effect out, or let it in again", MIX, None),
    key(&["D"], Do::Delete, "D", "take out the effect, the send, or the snapshot", MIX, None),
    key(&["e"], Do::Edit, "e", "type a value: 12, -6 dB, 80ms", None, Some("edit")),
    key(&["n"], Do::NewReaction, "n", "a new reaction below", WIRING, Some("new")),
    key(&["o"], Do::NewAction, "o", "a new action below", WIRING, Some("action")),
    key(&["K"], Do::MoveUp, "K", "move the reaction up", WIRING, None),
    key(&["J"], Do::MoveDown, "J", "move the reaction down", WIRING, Some("reorder")),
    key(&["O"], Do::Off, "O", "switch the reaction off, or on again", WIRING, Some("off")),
    key(&["D"], Do::Delete, "D", "take the reaction, action, modulation or formula out", WIRING, None),
    key(&["c"], Do::Curve, "c", "edit the curve of the modulation", WIRING, Some("curve")),
    key(&["M"], Do::NewModulation, "M", "a new modulation: strain moves hull/creak level", WIRING, None),
    key(&["r"], Do::Rename, "r", "what is sent undeclared means its nearest name: rename it", WIRING, None),
    key(&["g"], Do::GiveBack, "g", "give the parameter back to what works it out", WIRING, None),
    key(&["y"], Do::Copy, "y", "copy the reaction or the action", WIRING, None),
    key(&["p"], Do::Paste, "p", "paste it below", WIRING, None),
    key(&["/"], Do::Filter, "/", "show only sounds with these letters; esc shows all", SOUNDS, Some("filter")),
    key(&["x"], Do::Mark, "x", "mark the sound: edits are for all that are marked", SOUNDS, Some("mark")),
    key(&["X"], Do::ClearMarks, "X", "mark none", SOUNDS, None),
    key(&["t"], Do::Twenty, "t", "play it twenty times in a row", SOUNDS, Some("20 ×")),
    key(&["c"], Do::Curve, "c", "edit the curve of its next modulation; on a field of falloff, its curve", SOUNDS, Some("curve")),
    key(&["n"], Do::NewSound, "n", "a new sound from audio files", SOUNDS, Some("new")),
    key(&["W"], Do::Wire, "W", "wire it: type the event that plays it", SOUNDS, Some("wire")),
    key(&["r"], Do::Rename, "r", "rename it wherever it is named", SOUNDS, None),
    key(&["d"], Do::Duplicate, "d", "a copy of it", SOUNDS, None),
    key(&["D"], Do::Delete, "D", "delete it; what names it is said first", SOUNDS, None),
    key(&["E"], Do::EditShared, "E", "edit the shared setting behind the field, for all that share it", SOUNDS, None),
    key(&["f"], Do::Force, "f", "always pick this take (temporary)", SOUNDS, None),
    key(&["g"], Do::GoToUse, "g", "go to where it is named", SOUNDS, None),
    key(&["y"], Do::Copy, "y", "copy the field, or all of the sound's settings", SOUNDS, None),
    key(&["p"], Do::Paste, "p", "paste it into this sound, or into all that are marked", SOUNDS, None),
    key(&["0"], Do::Rest, "0", "back to the rest value of a parameter; 0 dB for a level; a field's default", None, None),
    key(&["s"], Do::Solo, "s", "solo this bus or sound; a bus again: without the returns (temporary, never saved)", None, Some("solo")),
    key(&["m"], Do::Mute, "m", "silence this bus or sound (temporary, never saved)", None, Some("mute")),
    key(&["["], Do::ShortWaits, "[", "a tenth of all waits, or whole ones again (temporary)", None, None),
    key(&["]"], Do::Chances, "]", "chances always, never, or as drawn (temporary)", None, None),
    key(&["\\"], Do::ClearOnly, "\\", "end all that is temporary", None, None),
    key(&["w"], Do::Why, "w", "why: what sounds, how loud, and for which reasons", None, Some("why")),
    key(&["space"], Do::Freeze, "space", "freeze, and go on", None, Some("freeze")),
    key(&["R"], Do::Record, "R", "record a playthrough from a fresh start; again to end it", None, None),
    key(&["."], Do::StopAll, ".", "let everything fade out", None, None),
    key(&["!"], Do::Faults, "!", "the project's faults, each with its fix", None, None),
    key(&["u"], Do::Undo, "u", "undo the last edit", None, Some("undo")),
    key(&["ctrl-r"], Do::Redo, "ctrl-r", "redo what was undone", None, None),
    key(&["ctrl-s"], Do::Save, "ctrl-s", "save", None, Some("save")),
    key(&[":"], Do::Find, ":", "find anything by a few letters and go there, or do it", None, Some("find")),
    key(&["?"], Do::Help, "?", "this page", None, Some("help")),
    key(&["esc"], Do::Back, "esc", "back: closes what lies over the page, gives a typed value up", None, None),
    key(&["q", "ctrl-c"], Do::Quit, "q", "quit; asks if there are unsaved edits", None, None),
];

/// Keys that nothing else uses on the Stage: each sends an event, the first for the first.
pub(crate) const PADS: &[char] = &['d', 'f', 'g', 'b', 'n', 'v', 'c', 'x', 'z', 't', 'i', 'o', 'a', 'r', 'D', 'F', 'G', 'B', 'N', 'V'];

/// The name of a key as the table has it.
pub(crate) fn name(event: KeyEvent) -> String {
    let control = event.modifiers.contains(KeyModifiers::CONTROL);
    let shift = event.modifiers.contains(KeyModifiers::SHIFT);
    let base = match event.code {
        KeyCode::Char(' ') => "space".to_owned(),
        KeyCode::Char(c) => return if control { format!("ctrl-{}", c.to_ascii_lowercase()) } else { c.to_string() },
        KeyCode::Enter => "enter".into(),
        KeyCode::Esc => "esc".into(),
        KeyCode::Tab => "tab".into(),
        KeyCode::BackTab => return "backtab".into(),
        KeyCode::Up => "up".into(),
        KeyCode::Down => "down".into(),
        KeyCode::Left => "left".into(),
        KeyCode::Right => "right".into(),
        KeyCode::Backspace => "backspace".into(),
        KeyCode::Delete => "delete".into(),
        KeyCode::Home => "home".into(),
        KeyCode::End => "end".into(),
        KeyCode::PageUp => "page-up".into(),
        KeyCode::PageDown => "page-down".into(),
        _ => String::new(),
    };
    if shift { format!("shift-{base}") } else { base }
}

/// What a key does in a view.
pub(crate) fn meaning(name: &str, view: View) -> Option<Do> {
    KEYS.iter().find(|b| b.keys.contains(&name) && b.view.is_none_or(|v| v == view)).map(|b| b.does)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_means_two_things_and_no_pad_is_taken() {
        let mut seen: Vec<(&str, Option<View>)> = Vec::new();
        for binding in KEYS {
            for key in binding.keys {
                let clash = seen.iter().any(|(k, view)| k == key && (view.is_none() || binding.view.is_none() || *view == binding.view));
                assert!(!clash, "{key} is bound twice");
                seen.push((key, binding.view));
            }
        }
        for (at, pad) in PADS.iter().enumerate() {
            assert!(!seen.iter().any(|(k, view)| *k == pad.to_string() && (view.is_none() || *view == STAGE)), "{pad} is a key already");
            assert!(!PADS[..at].contains(pad), "{pad} is a pad twice");
        }
    }

    #[test]
    fn every_key_is_in_the_manual() {
        let manual = include_str!("../../../../docs/keys.md");
        for binding in KEYS {
            assert!(manual.contains(&format!("| `{}` |", binding.shown)) && manual.contains(binding.words), "{} is not in docs/keys.md", binding.shown);
        }
    }
}
