//! The mouse: what a click, a drag and the wheel do, by what the drawing said lies under them.

use super::app::{App, Column, Hit, Item, Mode, Typed};
use super::keys::Do;
use super::line::Line;
use super::mix::Focus;
use super::{music, sounds, wiring};
use ratatui::crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use ratatui::layout::{Position, Rect};

impl App {
    pub(super) fn mouse(&mut self, mouse: MouseEvent) -> bool {
        let here = Position { x: mouse.column, y: mouse.row };
        let hit = self.hits.iter().rev().find(|(rect, _)| rect.contains(here)).cloned();
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
                    Some((_, Hit::Sound(_))) => self.sounds.column = sounds::Column::Index,
                    Some((_, Hit::Take(_))) => self.sounds.column = sounds::Column::Takes,
                    Some((_, Hit::Field(_))) => self.sounds.column = sounds::Column::Settings,
                    Some((_, Hit::Told(_))) => self.wiring.column = wiring::Column::Told,
                    Some((_, Hit::Wiring(_))) => self.wiring.column = wiring::Column::Folio,
                    Some((_, Hit::Voice(_))) => self.column = Column::Sounding,
                    Some((_, Hit::Map)) => {
                        self.column = Column::Map;
                        self.act(if by > 0 { Do::ZoomOut } else { Do::ZoomIn });
                        return true;
                    }
                    Some((_, Hit::Item(_) | Hit::Bar(_) | Hit::StateValue(..))) => self.column = Column::Index,
                    _ => {}
                }
                self.go(by);
            }
            _ => return false,
        }
        true
    }

    fn click(&mut self, hit: &Hit, rect: Rect, x: u16, y: u16) {
        match hit {
            Hit::View(view) => self.view = *view,
            Hit::Plot => {
                self.click_curve(rect, x, y);
                self.dragging = Some((hit.clone(), rect));
            }
            // While something lies over the page only it takes clicks.
            _ if self.mode != Mode::Page => {}
            Hit::Sound(name) => {
                let again = self.sounds.selected == *name && self.sounds.column == sounds::Column::Index;
                self.sounds.selected.clone_from(name);
                (self.sounds.column, self.sounds.take) = (sounds::Column::Index, 0);
                // A second click hears it.
                if again {
                    self.act(Do::Main);
                }
            }
            Hit::Take(at) => {
                (self.sounds.column, self.sounds.take) = (sounds::Column::Takes, *at);
                self.play_take();
            }
            Hit::Field(at) => {
                let again = self.sounds.column == sounds::Column::Settings && self.sounds.field == *at;
                (self.sounds.column, self.sounds.field) = (sounds::Column::Settings, *at);
                if again {
                    self.act(Do::Edit);
                }
            }
            Hit::Modulation(written) => self.begin_curve(*written),
            Hit::Told(at) => {
                let again = self.wiring.column == wiring::Column::Told && self.wiring.told == *at;
                (self.wiring.column, self.wiring.told) = (wiring::Column::Told, *at);
                if again {
                    self.act(Do::Main);
                }
            }
            Hit::Wiring(at) => {
                let again = self.wiring.column == wiring::Column::Folio && self.wiring.row == *at;
                (self.wiring.column, self.wiring.row) = (wiring::Column::Folio, *at);
                if again {
                    self.act(Do::Edit);
                }
            }
            Hit::Item(item) => {
                self.select(*item);
                if matches!(item, Item::Event(_) | Item::Playthrough(_)) {
                    self.main_thing();
                }
            }
            Hit::StateValue(index, value) => {
                self.select(Item::State(*index));
                self.set_state(*index, *value);
            }
            Hit::Bar(index) => {
                self.select(Item::Parameter(*index));
                self.dragging = Some((hit.clone(), rect));
                self.drag(hit, rect, x, y);
            }
            Hit::Map => self.click_map(x, y),
            Hit::Voice(voice) => {
                self.column = Column::Sounding;
                self.voice = Some(*voice);
            }
            Hit::MusicItem(row) => {
                let again = self.music.column == music::Column::Index && self.music.item == *row;
                (self.music.column, self.music.item) = (music::Column::Index, *row);
                self.go_music(0);
                if again {
                    self.act(Do::Main);
                }
            }
            Hit::Stave(row) => {
                let lines = self.stave_lines();
                let again = self.music.column == music::Column::Staves && self.music.stave.row(&lines) == *row;
                (self.music.column, self.music.stave) = (music::Column::Staves, lines.get(*row).copied().unwrap_or_default());
                if again {
                    self.act(Do::Main);
                }
            }
            Hit::Way(row, column) => {
                let again = self.music.column == music::Column::Ways && self.music.cell == (*row, *column);
                (self.music.column, self.music.cell) = (music::Column::Ways, (*row, *column));
                if again {
                    self.act(Do::Main);
                }
            }
            Hit::WayField(at) => {
                let again = self.music.column == music::Column::Fields && self.music.field == *at;
                (self.music.column, self.music.field) = (music::Column::Fields, *at);
                if again {
                    self.act(Do::Edit);
                }
            }
            Hit::Bus(index) => {
                self.bus = *index;
                self.mix.focus = Focus::Levels;
                self.hold_mix();
            }
            Hit::Send(bus, send) => self.point_mix(Focus::Sends, |app| (app.bus, app.mix.send) = (*bus, *send)),
            Hit::Held(bus, snapshot) => self.point_mix(Focus::Snapshots, |app| (app.bus, app.mix.snapshot) = (*bus, *snapshot)),
            Hit::Setting(at) => self.point_mix(Focus::Effect, |app| app.mix.setting = *at),
            Hit::PlayerLevel(at) => self.point_mix(Focus::Player, |app| app.mix.player = *at),
            Hit::SnapshotField(at, field) => {
                if let Some(snapshot) = self.document().snapshots.get(*at).map(|s| s.name.clone()) {
                    self.mix.snapshot = *at;
                    self.mode = Mode::Typing(Typed::SnapshotField { snapshot, field }, Line::default());
                }
            }
            Hit::Level(index) => {
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

    fn drag(&mut self, hit: &Hit, rect: Rect, x: u16, y: u16) {
        let share = f32::from(x.saturating_sub(rect.x)) / f32::from(rect.width.saturating_sub(1).max(1));
        let share = share.clamp(0.0, 1.0);
        match hit {
            Hit::Plot => self.drag_curve(rect, x, y),
            Hit::Map => self.drag_map(x, y),
            Hit::Bar(index) => {
                let doc = &self.document().parameters[*index];
                let value = doc.low + share * (doc.high - doc.low);
                self.set_parameter(*index, value);
            }
            Hit::Level(index) => {
                if let Some(name) = self.bus_name(*index) {
                    self.drag_level(&name, super::mix::level_at(share));
                }
            }
            _ => {}
        }
    }
}
