//! The picture of the stand-in game: the map about the diver, what he has, and the keys.

use super::{Game, Options};
use crate::workshop::painter::{Painter, rows_of};
use crate::workshop::theme::{Role, Theme};
use estampie_link::stand_in::{At, Hand, Place, RELIC, Threat, passable};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Modifier;

/// The keys of deeds.
pub(super) const KEYS: [(char, Hand, &str); 10] = [
    ('l', Hand::Lamp, "lamp"),
    (' ', Hand::Ping, "ping"),
    ('i', Hand::Winch, "winch"),
    ('h', Hand::Hatch, "hatch"),
    ('b', Hand::Boiler, "boiler"),
    ('x', Hand::Boost, "push"),
    ('r', Hand::Radio, "radio"),
    ('m', Hand::Pump, "pump"),
    ('t', Hand::Race, "race"),
    ('p', Hand::Pause, "menu"),
];

/// The width of what stands beside the map.
const SIDE: u16 = 30;
/// The light of the lamp reaches so far, in metres.
const LIGHT: f32 = 7.0;

pub(super) fn draw(game: &Game, options: &Options, theme: Theme, frame: &mut Frame<'_>) {
    let area = frame.area();
    let mut painter = Painter { buffer: frame.buffer_mut(), theme };
    painter.buffer.set_style(area, theme.ground());
    if area.width < 60 || area.height < 14 {
        painter.text(0, 0, area.width, "make the window 60 × 14 or larger; q quits", Role::Text);
        return;
    }
    let bold = painter.style(Role::Text).add_modifier(Modifier::BOLD);
    let end = painter.put(1, 0, area.width, "Brinewick Salvage", bold);
    painter.text(
        end + 2,
        0,
        area.width.saturating_sub(end + 2),
        if options.inside.is_some() {
            "a stand-in for a game: it plays its bundle, as a game does"
        } else {
            "a stand-in for a game: it makes no sound, and tells what happens"
        },
        Role::Secondary,
    );
    painter.rule(0, 1, area.width);
    map(game, &mut painter, Rect { x: 0, y: 2, width: area.width - SIDE - 1, height: area.height - 4 });
    painter.upright(area.width - SIDE - 1, 2, area.height - 4);
    side(game, options, &mut painter, Rect { x: area.width - SIDE + 1, y: 2, width: SIDE - 2, height: area.height - 4 });
    painter.rule(0, area.height - 2, area.width);
    let key = painter.theme.key();
    let mut x = 1;
    let own = [("↑ ↓ ← →", "walk, with shift run"), ("q", "quit"), ("o", "plays by itself"), ("c", "clumsy")].into_iter().map(|(k, w)| (k.to_owned(), w));
    let deeds = KEYS.iter().map(|(k, _, w)| (if *k == ' ' { "space".to_owned() } else { k.to_string() }, *w));
    for (name, words) in own.chain(deeds) {
        if x + (name.chars().count() + words.chars().count()) as u16 + 1 >= area.width {
            break;
        }
        x = painter.put(x, area.height - 1, area.width, &name, key) + 1;
        x = painter.text(x, area.height - 1, area.width, words, Role::Secondary) + 2;
    }
}

/// The world and a margin: west, south, east, north, in metres.
const WORLD: [f32; 4] = [-46.0, -12.0, 30.0, 48.0];

/// A cell is a metre wide and two high where the whole world has no room, and less where it has.
fn map(game: &Game, painter: &mut Painter<'_>, area: Rect) {
    let dive = &game.dive;
    let [world_west, world_south, world_east, world_north] = WORLD;
    let (columns, rows) = (f32::from(area.width), f32::from(area.height));
    let metres = ((world_east - world_west) / columns).max((world_north - world_south) / 2.0 / rows).clamp(0.3, 1.0);
    let (wide, high) = (columns * metres, rows * metres * 2.0);
    // All of it if it has room, in the middle; or what is about the diver.
    let spare = (wide - (world_east - world_west)).max(0.0) / 2.0;
    let west = (dive.at[0] - wide / 2.0).min(world_east - wide + spare).max(world_west - spare);
    let north = (dive.at[1] + high / 2.0).max(world_south + high).min(world_north);
    let at_of = |x: i32, y: i32| -> At { [west + (x as f32 + 0.5) * metres, north - (y as f32 + 0.5) * metres * 2.0] };
    let cell_of = |at: At| -> Option<(u16, u16)> {
        let (x, y) = ((at[0] - west) / metres, (north - at[1]) / metres / 2.0);
        (x >= 0.0 && y >= 0.0 && x < columns && y < rows).then_some((area.x + x as u16, area.y + y as u16))
    };
    for y in 0..area.height {
        for x in 0..area.width {
            let (column, row) = (i32::from(x), i32::from(y));
            let at = at_of(column, row);
            let Some(place) = Place::of(at) else { continue };
            let near = (at[0] - dive.at[0]).hypot(at[1] - dive.at[1]);
            // A wall is where one cannot go on to a neighbour.
            let beside = [(column + 1, row), (column - 1, row), (column, row + 1), (column, row - 1)];
            let blocked = beside.into_iter().any(|(column, row)| !passable(at, at_of(column, row), dive.hatch()));
            let lit = dive.lamp && near < LIGHT;
            let (sign, role) = match (blocked, place) {
                (true, _) => ("▪", if lit { Role::Text } else { Role::Rule }),
                (false, Place::Quay) => ("·", if lit { Role::Text } else { Role::Rule }),
                (false, _) if lit => ("·", Role::Active),
                (false, _) => (" ", Role::Rule),
            };
            painter.text(area.x + x, area.y + y, 1, sign, role);
        }
    }
    let mut put = |at: At, sign: &str, role: Role| {
        if let Some((x, y)) = cell_of(at) {
            painter.text(x, y, 1, sign, role);
        }
    };
    put(RELIC, "◆", Role::Snapshot);
    put([16.0, 15.0], if dive.hatch() > 0.5 { "□" } else { "■" }, Role::Text);
    put(dive.bell, "■", Role::Good);
    let eel = if dive.threat == Threat::Hunted { Role::Accent } else { Role::Snapshot };
    put(dive.eel, "●", eel);
    let turned = ["▲", "▶", "▼", "◀"][(((dive.yaw + 45.0) / 90.0) as usize) % 4];
    put(dive.at, turned, if dive.lamp { Role::Active } else { Role::Text });
    for (place, name) in [(Place::Quay, "QUAY"), (Place::Streets, "ROPE STREET"), (Place::Nave, "NAVE"), (Place::Trench, "TRENCH")] {
        let at = match place {
            Place::Quay => [-14.0, -7.0],
            Place::Streets => [10.0, 24.0],
            Place::Nave => [4.0, 43.0],
            Place::Trench => [-40.0, 13.0],
        };
        if let Some((x, y)) = cell_of(at) {
            painter.text(x, y, area.right().saturating_sub(x), name, Role::Secondary);
        }
    }
}

fn side(game: &Game, options: &Options, painter: &mut Painter<'_>, area: Rect) {
    let dive = &game.dive;
    let mut y = area.y;
    let mut said = |painter: &mut Painter<'_>, name: &str, value: &str, role: Role| {
        if y < area.bottom() {
            painter.text(area.x, y, 12, name, Role::Secondary);
            painter.text(area.x + 12, y, area.width.saturating_sub(12), value, role);
            y += 1;
        }
    };
    said(painter, "where", dive.place().word(), Role::Text);
    said(painter, "depth", &format!("{:.0} m", dive.depth()), Role::Text);
    let low = |value: f32, limit: f32| if value < limit { Role::Accent } else { Role::Text };
    said(painter, "air", &format!("{:.0} %", dive.oxygen() * 100.0), low(dive.oxygen(), 0.25));
    said(painter, "strain", &format!("{:.0} %", dive.strain() * 100.0), low(1.0 - dive.strain(), 0.2));
    let eel = if dive.threat == Threat::Hunted { Role::Accent } else { Role::Text };
    said(painter, "eel", &format!("{:.0} m, {}", dive.eel_distance(), dive.threat.word()), eel);
    said(painter, "lamp", if dive.lamp { "burns" } else { "out" }, Role::Text);
    let [winch, down, boiler, race] = dive.running();
    said(painter, "bell", if down { "at the stair's foot" } else { "under the crane" }, if winch { Role::Active } else { Role::Text });
    said(painter, "hatch", &format!("{:.0} % open", dive.hatch() * 100.0), Role::Text);
    said(painter, "boiler", if boiler { "lit" } else { "cold" }, Role::Text);
    if race {
        said(painter, "race", "against the tide", Role::Active);
    }
    if dive.paused {
        said(painter, "menu", "open; p closes it", Role::Active);
    }
    y += 1;
    let who = match (&game.pilot, &game.clumsy) {
        (Some(_), None) => "plays by itself",
        (None, None) => "you play",
        (Some(_), Some(_)) => "plays by itself, clumsily",
        (None, Some(_)) => "you play, it is clumsy",
    };
    let (goes, of_runtime) = (game.goes(options), game.notices());
    let rows = rows_of(&format!("{who}; {goes}; {} messages", game.sent), usize::from(area.width), "");
    let answer = match (&game.refused, &game.answer) {
        _ if of_runtime.is_some() => of_runtime.unwrap_or((String::new(), Role::Secondary)),
        (Some(why), _) => (format!("nobody takes it: {why}. Is a workshop listening there? estampie PROJECT --listen"), Role::Accent),
        (None, Some((_, text))) => (format!("the workshop: {text}"), Role::FromGame),
        (None, None) => ("no answer yet".to_owned(), Role::Secondary),
    };
    for (text, role) in
        rows.into_iter().map(|row| (row, Role::Text)).chain(rows_of(&answer.0, usize::from(area.width), "").into_iter().map(|row| (row, answer.1)))
    {
        if y < area.bottom() {
            painter.text(area.x, y, area.width, &text, role);
            y += 1;
        }
    }
}
