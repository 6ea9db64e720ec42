//! The mouse: what a click, a drag and the wheel do, by what the drawing said lies under them.

use super::app::{App, ClickTarget, Column, Item, Mode, Prompt};
use super::keys::Do;
use super::mix::Focus;
use super::text_field::TextField;
use super::{music, sounds, wiring};
use ratatui::crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use ratatui::layout::{Position, Rect};

impl App {
    pub(super) fn mouse(&mut self, mouse: MouseEvent) -> bool {
        let here = Position { x: mouse.column, y: mouse.row };
        let hit = self.targets.iter().rev().find(|(rect, _)| rect.contains(here)).cloned();
        match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) => {
                if matches!(self.mode, Mode::Help | Mode::Faults) {
                    self.mode = Mode::Page;
                    return true;
                }
                let Some((rect, hit)) = hit else { return false };
                self.click(&hit, rect, mouse.column, mouse.row);
            }
            MouseEventKind::Drag(MouseButton::Left) => {
                let Some((hit, rect)) = self.dragging.clone() else { return false };
                self.drag(&hit, rect, mouse.column, mouse.row);
            }
            MouseEventKind::Up(_) => {
                self.dragging = None;
                return false;
            }
            MouseEventKind::ScrollDown | MouseEventKind::ScrollUp => {
                let by = if mouse.kind == MouseEventKind::ScrollDown { 1 } else { -1 };
                match hit {
                    Some((_, ClickTarget::Sound(_))) => self.sounds.column = sounds::Column::Index,
                    Some((_, ClickTarget::Take(_))) => self.sounds.column = sounds::Column::Takes,
                    Some((_, ClickTarget::Field(_))) => self.sounds.column = sounds::Column::Settings,
                    Some((_, ClickTarget::Told(_))) => self.wiring.column = wiring::Column::Told,
                    Some((_, ClickTarget::Wiring(_))) => self.wiring.column = wiring::Column::Centre,
                    Some((_, ClickTarget::Voice(_))) => self.column = Column::Sounding,
                    Some((_, ClickTarget::Map)) => {
                        self.column = Column::Map;
                        self.act(if by > 0 { Do::ZoomOut } else { Do::ZoomIn });
                        return true;
                    }
                    Some((_, ClickTarget::Item(_) | ClickTarget::Bar(_) | ClickTarget::StateValue(..))) => self.column = Column::Index,
                    _ => {}
                }
                self.go(by);
            }
            _ => return false,
        }
        true
    }

    fn click(&mut self, hit: &ClickTarget, rect: Rect, x: u16, y: u16) {
        match hit {
            ClickTarget::View(view) => self.view = *view,
            ClickTarget::Plot => {
                self.click_curve(rect, x, y);
                self.dragging = Some((hit.clone(), rect));
            }
            // While something lies over the page only it takes clicks.
            _ if self.mode != Mode::Page => {}
            ClickTarget::Sound(name) => {
                let again = self.sounds.selected == *name && self.sounds.column == sounds::Column::Index;
                self.sounds.selected.clone_from(name);
                (self.sounds.column, self.sounds.take) = (sounds::Column::Index, 0);
                // A second click hears it.
                if again {
                    self.act(Do::Main);
                }
            }
            ClickTarget::Take(at) => {
                (self.sounds.column, self.sounds.take) = (sounds::Column::Takes, *at);
                self.play_take();
            }
            ClickTarget::Field(at) => {
                let again = self.sounds.column == sounds::Column::Settings && self.sounds.field == *at;
                (self.sounds.column, self.sounds.field) = (sounds::Column::Settings, *at);
                if again {
                    self.act(Do::Edit);
                }
            }
            ClickTarget::Modulation(written) => self.begin_curve(*written),
            ClickTarget::Told(at) => {
                let again = self.wiring.column == wiring::Column::Told && self.wiring.told == *at;
                (self.wiring.column, self.wiring.told) = (wiring::Column::Told, *at);
                if again {
                    self.act(Do::Main);
                }
            }
            ClickTarget::Wiring(at) => {
                let again = self.wiring.column == wiring::Column::Centre && self.wiring.row == *at;
                (self.wiring.column, self.wiring.row) = (wiring::Column::Centre, *at);
                if again {
                    self.act(Do::Edit);
                }
            }
            ClickTarget::Item(item) => {
                self.select(*item);
                if matches!(item, Item::Event(_) | Item::Playthrough(_)) {
                    self.main_thing();
                }
            }
            ClickTarget::StateValue(index, value) => {
                self.select(Item::State(*index));
                self.set_state(*index, *value);
            }
            ClickTarget::Bar(index) => {
                self.select(Item::Parameter(*index));
                self.dragging = Some((hit.clone(), rect));
                self.drag(hit, rect, x, y);
            }
            ClickTarget::Map => self.click_map(x, y),
            ClickTarget::Voice(voice) => {
                self.column = Column::Sounding;
                self.voice = Some(*voice);
            }
            ClickTarget::MusicItem(row) => {
                let again = self.music.column == music::Column::Index && self.music.item == *row;
                (self.music.column, self.music.item) = (music::Column::Index, *row);
                self.go_music(0);
                if again {
                    self.act(Do::Main);
                }
            }
            ClickTarget::Stave(row) => {
                let lines = self.stave_lines();
                let again = self.music.column == music::Column::Staves && self.music.stave.row(&lines) == *row;
                (self.music.column, self.music.stave) = (music::Column::Staves, lines.get(*row).copied().unwrap_or_default());
                if again {
                    self.act(Do::Main);
                }
            }
            ClickTarget::Way(row, column) => {
                let again = self.music.column == music::Column::Ways && self.music.cell == (*row, *column);
                (self.music.column, self.music.cell) = (music::Column::Ways, (*row, *column));
                if again {
                    self.act(Do::Main);
                }
            }
            ClickTarget::WayField(at) => {
                let again = self.music.column == music::Column::Fields && self.music.field == *at;
                (self.music.column, self.music.field) = (music::Column::Fields, *at);
                if again {
                    self.act(Do::Edit);
                }
            }
            ClickTarget::Bus(index) => {
                self.bus = *index;
                self.mix.focus = Focus::Levels;
                self.hold_mix();
            }
            ClickTarget::Send(bus, send) => self.point_mix(Focus::Sends, |app| (app.bus, app.mix.send) = (*bus, *send)),
            ClickTarget::Held(bus, snapshot) => self.point_mix(Focus::Snapshots, |app| (app.bus, app.mix.snapshot) = (*bus, *snapshot)),
            ClickTarget::Setting(at) => self.point_mix(Focus::Effect, |app| app.mix.setting = *at),
            ClickTarget::PlayerLevel(at) => self.point_mix(Focus::Player, |app| app.mix.player = *at),
            ClickTarget::SnapshotField(at, field) => {
                if let Some(snapshot) = self.document().snapshots.get(*at).map(|s| s.name.clone()) {
                    self.mix.snapshot = *at;
                    self.mode = Mode::Typing(Prompt::SnapshotField { snapshot, field }, TextField::default());
                }
            }
            ClickTarget::Level(index) => {
                self.bus = *index;
                self.dragging = Some((hit.clone(), rect));
                self.drag(hit, rect, x, y);
            }
        }
    }

    fn select(&mut self, item: Item) {
        self.column = Column::Index;
        self.item = self.items().iter().position(|i| *i == item).unwrap_or(self.item);
    }

    fn drag(&mut self, hit: &ClickTarget, rect: Rect, x: u16, y: u16) {
        let share = f32::from(x.saturating_sub(rect.x)) / f32::from(rect.width.saturating_sub(1).max(1));
        let share = share.clamp(0.0, 1.0);
        match hit {
            ClickTarget::Plot => self.drag_curve(rect, x, y),
            ClickTarget::Map => self.drag_map(x, y),
            ClickTarget::Bar(index) => {
                let doc = &self.document().parameters[*index];
                let value = doc.low + share * (doc.high - doc.low);
                self.set_parameter(*index, value);
            }
            ClickTarget::Level(index) => {
                if let Some(name) = self.bus_name(*index) {
                    self.drag_level(&name, super::mix::level_at(share));
                }
            }
            _ => {}
        }
    }
}
