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
        self.mode = Mode::Files(Picker { files, ..Picker::default() });
    }

    pub(in super::super) fn key_files(&mut self, name: &str, mut picker: Picker) {
        let last = picker.files.len().saturating_sub(1);
        let here = picker.files.get(picker.at).map(|(f, _)| f.clone()).unwrap_or_default();
        match name {
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
                let all = picker.files.iter().map(|(f, _)| f).filter(|f| series(f) == series(&here)).cloned();
                picker.chosen.extend(all);
            }
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
        self.mode = Mode::Files(picker);
    }
}

pub(crate) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, picker: &Picker) {
    let width = area.width.min(96);
    let area = Rect { x: area.x + (area.width - width) / 2, width, ..area };
    Clear.render(area, painter.buffer);
    painter.buffer.set_style(area, app.theme.ground());
    painter.heading(area.x + 1, area.y, width - 2, "Audio files", "for a new sound; those that nothing uses first");
    let rows = usize::from(area.height.saturating_sub(3));
    let first = (picker.at + 1).saturating_sub(rows);
    for (row, (file, used)) in picker.files.iter().enumerate().skip(first).take(rows) {
        let y = area.y + 2 + (row - first) as u16;
        if row == picker.at {
            painter.select(area.x, y, width);
        }
        let chosen = picker.chosen.contains(file);
        painter.text(area.x + 2, y, 2, if chosen { "✓" } else { "·" }, if chosen { Role::Active } else { Role::Rule });
        painter.text(area.x + 5, y, width - 32, file, if chosen { Role::Active } else { Role::Text });
        let facts = app.facts.get(file).map_or(String::new(), |f| format!("{:.2} s", f.seconds));
        painter.right(area.right() - 12, y, &facts, Role::Secondary);
        painter.right(area.right() - 2, y, if *used { "in use" } else { "new" }, if *used { Role::Secondary } else { Role::Good });
    }
}
