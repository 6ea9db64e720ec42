//! Colours and their fixed meanings. A glyph or a word always says the same.

use ratatui::style::{Color, Modifier, Style};

/// What a colour means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Role {
    /// Text.
    Vellum,
    /// Secondary text.
    Faded,
    /// Rules.
    Ghost,
    /// Headings, keys, what needs you.
    Red,
    /// Comes from the game.
    Lapis,
    /// Sounds now, or is selected.
    Gold,
    /// Is well.
    Verdigris,
    /// Belongs to a snapshot or a stinger.
    Folium,
}

/// How many colours the terminal has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Colours {
    /// 24 bits.
    All,
    /// The 256 of most terminals.
    Many,
    /// The sixteen of every terminal.
    Sixteen,
    /// None are wanted.
    None,
}

impl Colours {
    /// As the environment says: `NO_COLOR`, then `COLORTERM`.
    pub(crate) fn of_environment() -> Colours {
        if std::env::var_os("NO_COLOR").is_some_and(|v| !v.is_empty()) {
            return Colours::None;
        }
        let said = |name: &str| std::env::var(name).unwrap_or_default();
        if matches!(said("COLORTERM").as_str(), "truecolor" | "24bit") || said("TERM").ends_with("-direct") {
            Colours::All
        } else if said("TERM").contains("256color") || std::env::var_os("XTERM_VERSION").is_some() {
            Colours::Many
        } else {
            Colours::Sixteen
        }
    }

    /// In words.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Colours::All => "24 bit",
            Colours::Many => "256 (COLORTERM does not say truecolor)",
            Colours::Sixteen => "16 (TERM does not say 256color)",
            Colours::None => "none (NO_COLOR is set)",
        }
    }
}

/// A theme: colours on a ground.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Theme {
    colours: Colours,
    light: bool,
}

const fn rgb(hex: u32) -> Color {
    Color::Rgb((hex >> 16) as u8, (hex >> 8) as u8, hex as u8)
}

/// The nearest of the 256 colours: of the cube of 6 × 6 × 6, or of the 24 greys.
fn nearest_of_256(hex: u32) -> Color {
    let parts = [hex >> 16 & 255, hex >> 8 & 255, hex & 255].map(|v| v as i32);
    let distance = |other: [i32; 3]| parts.iter().zip(other).map(|(a, b)| (a - b).pow(2)).sum::<i32>();
    let steps = [0, 95, 135, 175, 215, 255];
    let cube = (0..216usize).map(|i| (16 + i, [steps[i / 36], steps[i / 6 % 6], steps[i % 6]]));
    let greys = (0..24usize).map(|i| (232 + i, [8 + 10 * i as i32; 3]));
    let best = cube.chain(greys).min_by_key(|(_, colour)| distance(*colour));
    Color::Indexed(best.map_or(7, |(index, _)| index as u8))
}

impl Theme {
    /// A colour as this terminal has it, for terminals with more than sixteen.
    fn colour(self, hex: u32) -> Color {
        if self.colours == Colours::All { rgb(hex) } else { nearest_of_256(hex) }
    }

    pub(crate) fn new(colours: Colours, light: bool) -> Theme {
        Theme { colours, light }
    }

    /// The other ground.
    pub(crate) fn turned(self) -> Theme {
        Theme { light: !self.light, ..self }
    }

    /// The ground and plain text.
    pub(crate) fn ground(self) -> Style {
        match self.colours {
            Colours::All | Colours::Many if self.light => Style::new().fg(self.colour(0x002b_241a)).bg(self.colour(0x00f3_ead6)),
            Colours::All | Colours::Many => Style::new().fg(self.colour(0x00e9_dfc7)).bg(self.colour(0x0016_130f)),
            Colours::Sixteen if self.light => Style::new().fg(Color::Black).bg(Color::White),
            Colours::Sixteen | Colours::None => Style::new(),
        }
    }

    /// The style of a meaning.
    pub(crate) fn style(self, role: Role) -> Style {
        let style = Style::new();
        match self.colours {
            Colours::All | Colours::Many => style.fg(self.colour(match (role, self.light) {
                (Role::Vellum, false) => 0x00e9_dfc7,
                (Role::Faded, false) => 0x0096_8977,
                (Role::Ghost, false) => 0x004d_453a,
                (Role::Red, false) => 0x00e6_5a3f,
                (Role::Lapis, false) => 0x0074_a8f0,
                (Role::Gold, false) => 0x00f0_b93a,
                (Role::Verdigris, false) => 0x0068_bd97,
                (Role::Folium, false) => 0x00bd_92e6,
                (Role::Vellum, true) => 0x002b_241a,
                (Role::Faded, true) => 0x0073_6755,
                (Role::Ghost, true) => 0x00bf_b299,
                (Role::Red, true) => 0x00b5_301a,
                (Role::Lapis, true) => 0x0024_55a8,
                (Role::Gold, true) => 0x0098_6a00,
                (Role::Verdigris, true) => 0x001f_7550,
                (Role::Folium, true) => 0x006b_3fa0,
            })),
            Colours::Sixteen => style.fg(match role {
                Role::Vellum => Color::Reset,
                Role::Faded => Color::DarkGray,
                Role::Ghost => Color::DarkGray,
                Role::Red => Color::Red,
                Role::Lapis if self.light => Color::Blue,
                Role::Lapis => Color::LightBlue,
                Role::Gold => Color::Yellow,
                Role::Verdigris => Color::Green,
                Role::Folium => Color::Magenta,
            }),
            Colours::None => match role {
                Role::Vellum | Role::Lapis | Role::Verdigris | Role::Folium => style,
                Role::Faded | Role::Ghost => style.add_modifier(Modifier::DIM),
                Role::Red | Role::Gold => style.add_modifier(Modifier::BOLD),
            },
        }
    }

    /// The ground of a selected line.
    pub(crate) fn selection(self) -> Style {
        match self.colours {
            Colours::All | Colours::Many if self.light => Style::new().bg(self.colour(0x00e2_d5b8)),
            Colours::All | Colours::Many => Style::new().bg(self.colour(0x0033_2b22)),
            // The mark at its left end says the rest.
            Colours::Sixteen | Colours::None => Style::new().add_modifier(Modifier::BOLD),
        }
    }

    /// The line that says that a snapshot is edited, not the mix.
    pub(crate) fn band(self) -> Style {
        match self.colours {
            Colours::All | Colours::Many if self.light => self.style(Role::Folium).bg(self.colour(0x00e3_d5f2)).add_modifier(Modifier::BOLD),
            Colours::All | Colours::Many => self.style(Role::Folium).bg(self.colour(0x0036_2152)).add_modifier(Modifier::BOLD),
            Colours::Sixteen | Colours::None => Style::new().add_modifier(Modifier::REVERSED | Modifier::BOLD),
        }
    }

    /// A key on the line of keys or an event's pad.
    pub(crate) fn key(self) -> Style {
        self.style(Role::Red).add_modifier(Modifier::BOLD)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_of_256_is_near() {
        assert_eq!(nearest_of_256(0x00ff_0000), Color::Indexed(196));
        assert_eq!(nearest_of_256(0x0000_0000), Color::Indexed(16));
        assert_eq!(nearest_of_256(0x0080_8080), Color::Indexed(244));
    }

    #[test]
    fn every_role_is_told_apart_from_the_ground() {
        for colours in [Colours::All, Colours::Many] {
            for light in [false, true] {
                let theme = Theme::new(colours, light);
                for role in [Role::Vellum, Role::Faded, Role::Ghost, Role::Red, Role::Lapis, Role::Gold, Role::Verdigris, Role::Folium] {
                    assert_ne!(theme.style(role).fg, theme.ground().bg, "{role:?} {colours:?} {light}");
                }
                assert_ne!(theme.selection().bg, theme.ground().bg);
            }
        }
        let plain = Theme::new(Colours::None, false);
        assert_eq!(plain.style(Role::Lapis), Style::new(), "no colour where none is wanted");
    }
}
