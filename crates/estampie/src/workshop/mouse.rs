//! The mouse: what a click, a drag and the wheel do, by what the drawing said lies under them.

use super::app::{App, Mode};
use ratatui::crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use ratatui::layout::Position;

impl App {
    pub(super) fn mouse(&mut self, mouse: MouseEvent) -> bool {
        let at = (mouse.column, mouse.row);
        let hit = self.targets.iter().rev().find(|(rect, _)| rect.contains(Position { x: at.0, y: at.1 })).cloned();
        match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) => {
                if matches!(self.mode, Mode::Help | Mode::Faults | Mode::Explained(_)) {
                    self.mode = Mode::Page;
                    return true;
                }
                let Some((area, target)) = hit else { return false };
                // While something lies over the page only it takes clicks.
                if matches!(self.mode, Mode::Page) || target.over_all() {
                    target.click(self, area, at);
                }
            }
            MouseEventKind::Drag(MouseButton::Left) => {
                let Some((target, area)) = self.dragging.clone() else { return false };
                target.drag(self, area, at);
            }
            MouseEventKind::Up(_) => {
                self.dragging = None;
                return false;
            }
            MouseEventKind::ScrollDown | MouseEventKind::ScrollUp => {
                let by = if mouse.kind == MouseEventKind::ScrollDown { 1 } else { -1 };
                if !hit.is_some_and(|(_, target)| target.wheel(self, by)) {
                    self.go(by);
                }
            }
            _ => return false,
        }
        true
    }
}
