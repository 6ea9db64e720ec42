//! Choosing audio files for a new sound: those of the project's folder that nothing uses come first.

use super::super::app::{App, Mode};
use super::super::painter::Painter;
use super::super::theme::Role;
use ratatui::layout::Rect;
use ratatui::widgets::{Clear, Widget as _};
use std::collections::BTreeSet;

/// The list of files, and what is chosen of it.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) struct Picker {
    pub(crate) files: Vec<(String, bool)>,
    pub(crate) chosen: BTreeSet<String>,
    pub(crate) at: usize,
    /// Only files with these letters are listed; they are being typed.
    pub(crate) filter: String,
    pub(crate) typing: bool,
}

impl Picker {
    /// The files that are listed, each with whether something uses it.
    fn listed(&self) -> impl Iterator<Item = &(String, bool)> {
        self.files.iter().filter(|(file, _)| file.to_lowercase().contains(&self.filter.to_lowercase()))
    }

    /// So many files above and below the chosen one are measured, as far as they are not known.
    const NEAR: usize = 60;
}

/// Files that differ only in the number at their end.
fn series(file: &str) -> &str {
    let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
    stem.trim_end_matches(|c: char| c.is_ascii_digit())
}

impl App {
    pub(super) fn begin_files(&mut self) {
        let used: BTreeSet<String> =
            estampie_project::compile::wanted_audio(self.document()).keys().map(|name| estampie_project::stock::file_of(name).to_owned()).collect();
        let mut files: Vec<(String, bool)> = self.workspace.current_audio().into_iter().map(|f| (used.contains(&f), f)).map(|(used, f)| (f, used)).collect();
        files.sort_by_key(|(file, used)| (*used, file.clone()));
        if files.is_empty() {
            return self.say("the project has no audio yet: put files into its folder audio/; they are taken in at once");
        }
        self.list_files(Picker { files, ..Picker::default() });
    }

    /// Shows the list, and measures what is in sight of it.
    fn list_files(&mut self, mut picker: Picker) {
        picker.at = picker.at.min(picker.listed().count().saturating_sub(1));
        let near: Vec<String> = picker.listed().skip(picker.at.saturating_sub(Picker::NEAR)).take(2 * Picker::NEAR).map(|(f, _)| f.clone()).collect();
        self.measure(near.into_iter());
        self.mode = Mode::Files(picker);
    }

    pub(in super::super) fn key_files(&mut self, name: &str, mut picker: Picker) {
        let last = picker.listed().count().saturating_sub(1);
        let here = picker.listed().nth(picker.at).map(|(f, _)| f.clone()).unwrap_or_default();
        if picker.typing {
            match name {
                "enter" | "down" | "up" => picker.typing = false,
                "esc" | "ctrl-c" | "ctrl-u" => (picker.typing, picker.filter) = (name == "ctrl-u", String::new()),
                "backspace" => drop(picker.filter.pop()),
                "space" => picker.filter.push(' '),
                one if one.chars().count() == 1 => picker.filter.push_str(one),
                _ => {}
            }
            return self.list_files(picker);
        }
        match name {
            "/" => picker.typing = true,
            "p" => self.hear_alone(&here),
            "esc" if !picker.filter.is_empty() => picker.filter.clear(),
            "esc" | "q" | "ctrl-c" => return,
            "down" | "j" => picker.at = (picker.at + 1).min(last),
            "up" | "k" => picker.at = picker.at.saturating_sub(1),
            "page-down" => picker.at = (picker.at + 20).min(last),
            "page-up" => picker.at = picker.at.saturating_sub(20),
            "x" | "space" => {
                if !picker.chosen.remove(&here) {
                    picker.chosen.insert(here);
                }
                picker.at = (picker.at + 1).min(last);
            }
            "a" => {
                let all: Vec<String> = picker.listed().map(|(f, _)| f).filter(|f| series(f) == series(&here)).cloned().collect();
                picker.chosen.extend(all);
            }
            "enter" if picker.chosen.is_empty() && here.is_empty() => self.say("no file has these letters: esc shows all"),
            "enter" => {
                let files: Vec<String> = if picker.chosen.is_empty() { vec![here] } else { picker.chosen.iter().cloned().collect() };
                match self.workspace.new_sound(&files) {
                    Ok(sound) => {
                        self.sounds.selected.clone_from(&sound);
                        self.sounds.filter.clear();
                        self.recompile();
                        self.say(format!("{sound} has {} take{}; W wires it to an event", files.len(), if files.len() == 1 { "" } else { "s" }));
                    }
                    Err(why) => self.alarm(why.to_string()),
                }
                return;
            }
            _ => {}
        }
        self.list_files(picker);
    }
}

pub(crate) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, picker: &Picker) {
    let width = area.width.min(96);
    let area = Rect { x: area.x + (area.width - width) / 2, width, ..area };
    Clear.render(area, painter.buffer);
    painter.buffer.set_style(area, app.theme.ground());
    let aside = match (picker.typing, picker.filter.as_str()) {
        (false, "") => "for a new sound; those that nothing uses first".to_owned(),
        (typing, filter) => format!("with \"{filter}{}\"", if typing { "▏" } else { "" }),
    };
    painter.heading(area.x + 1, area.y, width - 2, "Audio files", &aside);
    let rows = usize::from(area.height.saturating_sub(3));
    let first = (picker.at + 1).saturating_sub(rows);
    for (row, (file, used)) in picker.listed().enumerate().skip(first).take(rows) {
        let y = area.y + 2 + (row - first) as u16;
        if row == picker.at {
            painter.select(area.x, y, width);
        }
        let chosen = picker.chosen.contains(file);
        painter.text(area.x + 2, y, 2, if chosen { "✓" } else { "·" }, if chosen { Role::Active } else { Role::Rule });
        let heard = app.auditioned() == Some(file);
        if heard {
            painter.text(area.x + 4, y, 1, "▶", Role::Active);
        }
        painter.text(area.x + 6, y, width.saturating_sub(44), file, if chosen || heard { Role::Active } else { Role::Text });
        if let Some(facts) = app.facts.get(file) {
            let loud = facts.loudness.map_or_else(|| format!("{:.1} dB RMS", facts.level), |l| format!("{l:.1} LUFS")).replace('-', "−");
            painter.right(area.right() - 25, y, &format!("{:.2} s", facts.seconds), Role::Secondary);
            painter.right(area.right() - 10, y, &loud, Role::Secondary);
        }
        painter.right(area.right() - 2, y, if *used { "in use" } else { "new" }, if *used { Role::Secondary } else { Role::Good });
    }
}
