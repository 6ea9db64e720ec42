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
    Record,
    Why,
    Faults,
    StopAll,
    Restart,
    Theme,
    Rest,
    Back,
}

/// A view of the workshop.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum View {
    Stage,
    Mix,
}

impl View {
    /// All views that there are, with their numbers and names.
    pub(crate) const ALL: [(View, char, &'static str); 2] = [(View::Stage, '1', "Stage"), (View::Mix, '5', "Mix")];
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

/// The table.
pub(crate) const KEYS: &[Binding] = &[
    key(&["1"], Do::View(View::Stage), "1", "the view Stage: play the game without the game", None, None),
    key(&["5"], Do::View(View::Mix), "5", "the view Mix: the buses", None, None),
    key(&["up", "k"], Do::Up, "↑ k", "the line above", None, None),
    key(&["down", "j"], Do::Down, "↓ j", "the line below", None, None),
    key(&["left", "h"], Do::Left, "← h", "less: a parameter, a level; the state's value before", None, Some("value")),
    key(&["right", "l"], Do::Right, "→ l", "more: a parameter, a level; the state's next value", None, None),
    key(&["shift-left", "H"], Do::FineLeft, "shift-← H", "a little less", None, None),
    key(&["shift-right", "L"], Do::FineRight, "shift-→ L", "a little more", None, None),
    key(&["tab"], Do::NextColumn, "tab", "the next column", Some(View::Stage), Some("column")),
    key(&["backtab"], Do::PreviousColumn, "shift-tab", "the column before", Some(View::Stage), None),
    key(&["enter"], Do::Main, "enter", "send the event, replay the playthrough, hear the sound", Some(View::Stage), Some("send")),
    key(&["e"], Do::Edit, "e", "type a value: 12, -6 dB, 80ms", None, Some("type")),
    key(&["0"], Do::Rest, "0", "back to the rest value of a parameter; 0 dB for a level", None, None),
    key(&["s"], Do::Solo, "s", "hear this bus alone (rehearsal only, never saved)", None, Some("solo")),
    key(&["m"], Do::Mute, "m", "silence this bus (rehearsal only, never saved)", None, Some("mute")),
    key(&["w"], Do::Why, "w", "why: what sounds, how loud, and for which reasons", None, Some("why")),
    key(&["space"], Do::Freeze, "space", "freeze, and go on", None, Some("freeze")),
    key(&["R"], Do::Record, "R", "record a playthrough from a fresh start; again to end it", None, Some("record")),
    key(&["."], Do::StopAll, ".", "let everything fade out", None, None),
    key(&["!"], Do::Faults, "!", "the project's faults, each with its mend", None, None),
    key(&["u"], Do::Undo, "u", "undo the last edit", None, Some("undo")),
    key(&["ctrl-r"], Do::Redo, "ctrl-r", "redo what was undone", None, None),
    key(&["ctrl-s"], Do::Save, "ctrl-s", "save", None, Some("save")),
    key(&[":"], Do::Find, ":", "find anything by a few letters and go there, or do it", None, Some("find")),
    key(&["?"], Do::Help, "?", "this page", None, Some("help")),
    key(&["esc"], Do::Back, "esc", "back: closes what lies over the page, gives a typed value up", None, None),
    key(&["q", "ctrl-c"], Do::Quit, "q", "quit; asks if there are unsaved edits", None, None),
];

/// Keys that nothing else uses: each sends an event, the first for the first.
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
            assert!(!seen.iter().any(|(k, _)| *k == pad.to_string()), "{pad} is a key already");
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
