//! Colours and their fixed meanings. A glyph or a word always says the same.

use ratatui::style::{Color, Modifier, Style};

/// What a colour means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Role {
    /// Text.
    Text,
    /// Secondary text.
    Secondary,
    /// Rules.
    Rule,
    /// Headings, keys, what needs you.
    Accent,
    /// Comes from the game.
    FromGame,
    /// Sounds now, or is selected.
    Active,
    /// Is well.
    Good,
    /// Belongs to a snapshot or a stinger.
    Snapshot,
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

/// The nearest of the 256 colours: of the cube of 6 × 6 × 6, or of the 24 greys. It is asked for all over a picture, so it is worked out, not looked for.
fn nearest_of_256(hex: u32) -> Color {
    const STEPS: [i32; 6] = [0, 95, 135, 175, 215, 255];
    let parts = [hex >> 16 & 255, hex >> 8 & 255, hex & 255].map(|v| v as i32);
    let distance = |other: [i32; 3]| parts.iter().zip(other).map(|(a, b)| (a - b).pow(2)).sum::<i32>();
    let cube = parts.map(|v| match v {
        ..48 => 0,
        48..=115 => 1,
        _ => (v as usize - 36) / 40,
    });
    let grey = (parts.iter().sum::<i32>() - 10).div_euclid(30).clamp(0, 23);
    let in_cube = 16 + cube[0] * 36 + cube[1] * 6 + cube[2];
    Color::Indexed(if distance(cube.map(|i| STEPS[i])) <= distance([8 + 10 * grey; 3]) { in_cube as u8 } else { 232 + grey as u8 })
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

    /// How much there is of something, from nothing (the ground) over the colour of what sounds to the brightest; `None` if the terminal has no such colours.
    pub(crate) fn heat(self, share: f32) -> Option<Color> {
        const DARK: [u32; 5] = [0x0016_130f, 0x004a_2f1c, 0x00a8_5f1e, 0x00f0_b93a, 0x00ff_f6dc];
        const LIGHT: [u32; 5] = [0x00f3_ead6, 0x00dc_bf86, 0x00b4_7a2a, 0x0072_3d10, 0x002b_1408];
        if !matches!(self.colours, Colours::All | Colours::Many) {
            return None;
        }
        let ramp = if self.light { LIGHT } else { DARK };
        let at = share.clamp(0.0, 1.0) * (ramp.len() - 1) as f32;
        let (from, way) = ((at as usize).min(ramp.len() - 2), at - (at as usize).min(ramp.len() - 2) as f32);
        let part = |shift: u32| {
            let (a, b) = (ramp[from] >> shift & 255, ramp[from + 1] >> shift & 255);
            ((a as f32 + (b as f32 - a as f32) * way).round() as u32) << shift
        };
        Some(self.colour(part(16) | part(8) | part(0)))
    }

    /// The style of a meaning.
    pub(crate) fn style(self, role: Role) -> Style {
        let style = Style::new();
        match self.colours {
            Colours::All | Colours::Many => style.fg(self.colour(match (role, self.light) {
                (Role::Text, false) => 0x00e9_dfc7,
                (Role::Secondary, false) => 0x0096_8977,
                (Role::Rule, false) => 0x004d_453a,
                (Role::Accent, false) => 0x00e6_5a3f,
                (Role::FromGame, false) => 0x0074_a8f0,
                (Role::Active, false) => 0x00f0_b93a,
                (Role::Good, false) => 0x0068_bd97,
                (Role::Snapshot, false) => 0x00bd_92e6,
                (Role::Text, true) => 0x002b_241a,
                (Role::Secondary, true) => 0x0073_6755,
                (Role::Rule, true) => 0x00bf_b299,
                (Role::Accent, true) => 0x00b5_301a,
                (Role::FromGame, true) => 0x0024_55a8,
                (Role::Active, true) => 0x0098_6a00,
                (Role::Good, true) => 0x001f_7550,
                (Role::Snapshot, true) => 0x006b_3fa0,
            })),
            Colours::Sixteen => style.fg(match role {
                Role::Text => Color::Reset,
                Role::Secondary => Color::DarkGray,
                Role::Rule => Color::DarkGray,
                Role::Accent => Color::Red,
                Role::FromGame if self.light => Color::Blue,
                Role::FromGame => Color::LightBlue,
                Role::Active => Color::Yellow,
                Role::Good => Color::Green,
                Role::Snapshot => Color::Magenta,
            }),
            Colours::None => match role {
                Role::Text | Role::FromGame | Role::Good | Role::Snapshot => style,
                Role::Secondary | Role::Rule => style.add_modifier(Modifier::DIM),
                Role::Accent | Role::Active => style.add_modifier(Modifier::BOLD),
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
            Colours::All | Colours::Many if self.light => self.style(Role::Snapshot).bg(self.colour(0x00e3_d5f2)).add_modifier(Modifier::BOLD),
            Colours::All | Colours::Many => self.style(Role::Snapshot).bg(self.colour(0x0036_2152)).add_modifier(Modifier::BOLD),
            Colours::Sixteen | Colours::None => Style::new().add_modifier(Modifier::REVERSED | Modifier::BOLD),
        }
    }

    /// A key on the line of keys or an event's pad.
    pub(crate) fn key(self) -> Style {
        self.style(Role::Accent).add_modifier(Modifier::BOLD)
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

    proptest::proptest! {
        #[test]
        fn none_of_the_256_is_nearer(hex in 0u32..0x100_0000, grey in 0u32..256) {
            let steps = [0, 95, 135, 175, 215, 255];
            let cube = (0..216usize).map(|i| (16 + i, [steps[i / 36], steps[i / 6 % 6], steps[i % 6]]));
            let all: Vec<(usize, [i32; 3])> = cube.chain((0..24usize).map(|i| (232 + i, [8 + 10 * i as i32; 3]))).collect();
            for hex in [hex, grey * 0x1_0101] {
                let parts = [hex >> 16 & 255, hex >> 8 & 255, hex & 255].map(|v| v as i32);
                let near = |other: [i32; 3]| parts.iter().zip(other).map(|(a, b)| (a - b).pow(2)).sum::<i32>();
                let best = all.iter().min_by_key(|(_, colour)| near(*colour)).map(|(index, _)| *index as u8);
                proptest::prop_assert_eq!(Some(nearest_of_256(hex)), best.map(Color::Indexed), "{:06x}", hex);
            }
        }
    }

    #[test]
    fn every_role_is_told_apart_from_the_ground() {
        for colours in [Colours::All, Colours::Many] {
            for light in [false, true] {
                let theme = Theme::new(colours, light);
                for role in [Role::Text, Role::Secondary, Role::Rule, Role::Accent, Role::FromGame, Role::Active, Role::Good, Role::Snapshot] {
                    assert_ne!(theme.style(role).fg, theme.ground().bg, "{role:?} {colours:?} {light}");
                }
                assert_ne!(theme.selection().bg, theme.ground().bg);
            }
        }
        let plain = Theme::new(Colours::None, false);
        assert_eq!(plain.style(Role::FromGame), Style::new(), "no colour where none is wanted");
    }
}
