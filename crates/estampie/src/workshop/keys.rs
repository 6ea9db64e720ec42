//! Keys in tables: what is pressed, what the help page and the line of keys say. Each view has a table of its own; here is what all share.

use super::listening;
use super::view::{VIEWS, View};
use estampie_project::document::did_you_mean;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use std::collections::HashMap;

/// What a key does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Do {
    /// Goes to a view, by its place in the table of views.
    View(usize),
    Up,
    Down,
    Left,
    Right,
    FineLeft,
    FineRight,
    NextColumn,
    PreviousColumn,
    /// Folds the group of what is chosen.
    Fold,
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
    /// Begins the tour, or leaves a step of it out.
    Tour,
    EndTour,
    Rest,
    Back,
    ShortWaits,
    Chances,
    ClearOnly,
    KeepListening,
    /// Calls a listening set, by the place of its key.
    Listen(usize),
    Filter,
    Mark,
    ClearMarks,
    Twenty,
    NewSound,
    /// A sound that is made by a generator.
    MadeSound,
    New,
    Fields,
    Rename,
    NewWithin,
    NewReturn,
    Vary,
    ZoneSnapshot,
    FromHere,
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
    /// Opens the notes of a layer.
    OpenNotes,
    Tap,
    FitTempo,
    PutMarker,
    LearnMidi,
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
    /// The page of the running game.
    Game,
    /// Listens to running games, or no longer.
    ToggleLink,
    Visit,
    Bundle,
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
    /// Only the lanes that have to do with one.
    OnlyThis,
    KeepFromHere,
    KeepExactly,
    WhatWasThat,
    Explore,
    Compare,
    /// What the playthroughs come by, shown and marked.
    Covers,
    HearItem,
    Approve,
    Retake,
    SortBack,
    SortOn,
    NextPage,
    Mend,
    MendAll,
    OtherFix,
    BringIn,
    CutAtMarks,
    MarksToMarkers,
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
    /// Whether the line of keys names it; a short word for there.
    pub(crate) short: Option<&'static str>,
}

/// A line of a table.
pub(crate) const fn key(keys: &'static [&'static str], does: Do, shown: &'static str, words: &'static str, short: Option<&'static str>) -> Binding {
    Binding { keys, does, shown, words, short }
}

/// Keys that mean the same in every view.
pub(crate) const KEYS: &[Binding] = &[
    key(&["up", "k"], Do::Up, "↑ k", "the line above", None),
    key(&["down", "j"], Do::Down, "↓ j", "the line below", None),
    key(&["left", "h"], Do::Left, "← h", "less: a parameter, a level; the state's value before", Some("value")),
    key(&["right", "l"], Do::Right, "→ l", "more: a parameter, a level; the state's next value", None),
    key(&["shift-left", "H"], Do::FineLeft, "shift-← H", "a little less", None),
    key(&["shift-right", "L"], Do::FineRight, "shift-→ L", "a little more", None),
    key(&["tab"], Do::NextColumn, "tab", "the next column", Some("column")),
    key(&["backtab"], Do::PreviousColumn, "shift-tab", "the column before", None),
    key(&["page-up"], Do::Higher, "page-up", "ten lines up; on the map: a metre up", None),
    key(&["page-down"], Do::Lower, "page-down", "ten lines down; on the map: a metre down", None),
    key(&["home"], Do::First, "home", "the first line", None),
    key(&["end"], Do::Last, "end", "the last line", None),
    key(&["e"], Do::Edit, "e", "type a value: 12, -6 dB, 80ms", Some("edit")),
    key(&["0"], Do::Rest, "0", "back to the rest value of a parameter; 0 dB for a level; a field's default", None),
    key(&["s"], Do::Solo, "s", "solo this bus or sound; a bus again: without the returns (temporary, never saved)", Some("solo")),
    key(&["m"], Do::Mute, "m", "silence this bus or sound (temporary, never saved)", Some("mute")),
    key(&["["], Do::ShortWaits, "[", "a tenth of all waits, or whole ones again (temporary)", None),
    key(&["]"], Do::Chances, "]", "chances always, never, or as drawn (temporary)", None),
    key(&["\\"], Do::ClearOnly, "\\", "end all that is temporary", None),
    key(&["ctrl-k"], Do::KeepListening, "ctrl-k", "keep what is soloed and muted under a name, as a listening set", None),
    key(&["f1"], Do::Listen(0), "F1 … F8", "hear a listening set: what was kept as soloed and muted; again, everything (temporary)", None),
    key(&["w"], Do::Why, "w", "why: what sounds, how loud, and for which reasons", Some("why")),
    key(&["ctrl-w"], Do::WhatWasThat, "ctrl-w", "what was that: go back to the loudest thing that began in the last three seconds", None),
    key(&["space"], Do::Freeze, "space", "freeze, and go on", Some("freeze")),
    key(&["R"], Do::Record, "R", "record a playthrough from a fresh start; again to end it", None),
    key(&["."], Do::StopAll, ".", "let everything fade out", None),
    key(&["!"], Do::Faults, "!", "the project's faults, each with its fix", None),
    key(&["ctrl-e"], Do::Fields, "ctrl-e", "all fields of what is selected, in the view Project", None),
    key(&["u"], Do::Undo, "u", "undo the last edit", Some("undo")),
    key(&["ctrl-r"], Do::Redo, "ctrl-r", "redo what was undone", None),
    key(&["ctrl-s"], Do::Save, "ctrl-s", "save", Some("save")),
    key(&["ctrl-b"], Do::Bundle, "ctrl-b", "write the bundle that the game ships", None),
    key(&[":"], Do::Find, ":", "find anything by a few letters and go there, or do it", Some("find")),
    key(&["?"], Do::Help, "?", "this page", Some("help")),
    key(&["ctrl-t"], Do::Tour, "ctrl-t", "the tour of the demo, in eight steps that wait for your hands; again leaves a step out", None),
    key(&["esc"], Do::Back, "esc", "back: closes what lies over the page, gives a typed value up", None),
    key(&["q", "ctrl-c"], Do::Quit, "q", "quit; asks if there are unsaved edits", None),
];

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
        KeyCode::F(number) => format!("f{number}"),
        _ => String::new(),
    };
    if shift { format!("shift-{base}") } else { base }
}

/// What a key does in a view: what the view says, a view to go to, or what it does everywhere.
pub(crate) fn meaning(name: &str, view: &dyn View) -> Option<Do> {
    let in_table = |table: &[Binding]| table.iter().find(|b| b.keys.contains(&name)).map(|b| b.does);
    let to_view = || VIEWS.iter().position(|v| name.chars().eq([v.face().key])).map(Do::View);
    let set = || name.strip_prefix('f')?.parse::<usize>().ok().filter(|n| (1..=listening::KEYS).contains(n)).map(|n| Do::Listen(n - 1));
    in_table(view.face().keys).or_else(to_view).or_else(|| in_table(KEYS)).or_else(set)
}

/// Keys that a person has made to stand for others.
pub(crate) type Remapped = HashMap<String, String>;

/// How a key is shown: as the tables have it, or by the one that a person has made to stand for it.
pub(crate) fn shown(binding: &Binding, remapped: &Remapped) -> String {
    let own =
        remapped.iter().filter(|(pressed, meant)| binding.keys.contains(&meant.as_str()) && *pressed != *meant).map(|(pressed, _)| pressed.as_str()).min();
    own.map_or_else(|| binding.shown.to_owned(), str::to_owned)
}

/// All that keys do in a view, as shown and in words.
pub(crate) fn told(view: &dyn View, remapped: &Remapped) -> Vec<(String, String)> {
    let views = VIEWS.iter().map(|v| (v.face().key.to_string(), format!("the view {}: {}", v.face().name, v.face().says)));
    views.chain(view.face().keys.iter().chain(KEYS).map(|b| (shown(b, remapped), b.words.to_owned()))).collect()
}

/// The key of a name in a view's table or in that of all views, with what it does.
fn bound(key: &str) -> Option<&'static Binding> {
    VIEWS.iter().flat_map(|v| v.face().keys).chain(KEYS).find(|b| b.keys.contains(&key))
}

/// Which keys stand for others, of those that a person has set, and what is wrong with them: a key that there is not, and a clash, by which nothing does any more
/// what the pressed key did. A clash counts all the same.
pub(crate) fn remapped(keys: &[(String, String)]) -> (Vec<(String, String)>, Vec<String>) {
    let known: Vec<&str> = VIEWS.iter().flat_map(|v| v.face().keys).chain(KEYS).flat_map(|b| b.keys).copied().collect();
    let is_view = |key: &str| VIEWS.iter().any(|v| key.chars().eq([v.face().key]));
    let (mut good, mut wrong) = (Vec::new(), Vec::new());
    for (pressed, meant) in keys {
        if bound(meant).is_none() && !is_view(meant) {
            let otherwise = "keys are called like ctrl-r, f5, space, page-up, shift-left or x";
            wrong.push(format!("{pressed} stands for {meant}, and no key is called so; {}", did_you_mean(meant, known.iter().copied(), otherwise)));
            continue;
        }
        good.push((pressed.clone(), meant.clone()));
        let lost = bound(pressed).map(|b| b.words.to_owned()).or_else(|| is_view(pressed).then(|| "going to a view".to_owned()));
        if let Some(lost) = lost.filter(|_| !keys.iter().any(|(_, meant)| meant == pressed)) {
            wrong.push(format!("{pressed} stands for {meant}, and no key does any more what it did ({lost}): let another stand for {pressed}"));
        }
    }
    (good, wrong)
}

#[cfg(test)]
mod tests {
    use super::*;
    use estampie_project::document::PADS;

    #[test]
    fn no_key_means_two_things_and_no_pad_is_taken() {
        for view in VIEWS {
            let mut seen: Vec<String> = VIEWS.iter().map(|v| v.face().key.to_string()).collect();
            for key in view.face().keys.iter().chain(KEYS).flat_map(|b| b.keys) {
                assert!(!seen.contains(&(*key).to_owned()), "{key} is bound twice in {}", view.face().name);
                seen.push((*key).to_owned());
            }
            for (at, pad) in PADS.iter().enumerate() {
                assert!(view.face().name != "Stage" || !seen.contains(&pad.to_string()), "{pad} is a key already");
                assert!(!PADS[..at].contains(pad), "{pad} is a pad twice");
            }
        }
    }

    #[test]
    fn keys_that_stand_for_others_are_looked_at() {
        let set = |keys: &[(&str, &str)]| remapped(&keys.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect::<Vec<_>>());
        let (good, wrong) = set(&[("ctrl-y", "ctrl-r"), ("f9", "space")]);
        assert_eq!((good.len(), wrong.len()), (2, 0), "{wrong:?}");
        assert_eq!(set(&[("u", "ctrl-r"), ("ctrl-r", "u")]).1, Vec::<String>::new(), "two that change places lose nothing");
        let (good, wrong) = set(&[("u", "q")]);
        assert!(good.len() == 1 && wrong[0].contains("undo the last edit"), "{wrong:?}");
        let (good, wrong) = set(&[("f9", "ctrl-rr")]);
        assert!(good.is_empty() && wrong[0].contains("ctrl-r?"), "{wrong:?}");
        assert!(set(&[("1", "q")]).1[0].contains("going to a view"));
        let undo = KEYS.iter().find(|b| b.does == Do::Undo).unwrap();
        assert_eq!((shown(undo, &Remapped::new()), shown(undo, &[("f9".to_owned(), "u".to_owned())].into())), ("u".to_owned(), "f9".to_owned()));
    }

    #[test]
    fn every_key_is_in_the_manual() {
        let manual = include_str!("../../../../docs/keys.md");
        for (shown, words) in VIEWS.iter().flat_map(|v| told(*v, &Remapped::new())) {
            assert!(manual.contains(&format!("| `{shown}` |")) && manual.contains(&words), "{shown} is not in docs/keys.md: {words}");
        }
    }
}
