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
}

/// How many colours the terminal has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Colours {
    /// 24 bits.
    All,
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
        match std::env::var("COLORTERM").as_deref() {
            Ok("truecolor" | "24bit") => Colours::All,
            _ => Colours::Sixteen,
        }
    }

    /// In words.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Colours::All => "24 bit",
            Colours::Sixteen => "16 (COLORTERM does not say truecolor)",
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

impl Theme {
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
            Colours::All if self.light => Style::new().fg(rgb(0x002b_241a)).bg(rgb(0x00f3_ead6)),
            Colours::All => Style::new().fg(rgb(0x00e9_dfc7)).bg(rgb(0x0016_130f)),
            Colours::Sixteen if self.light => Style::new().fg(Color::Black).bg(Color::White),
            Colours::Sixteen | Colours::None => Style::new(),
        }
    }

    /// The style of a meaning.
    pub(crate) fn style(self, role: Role) -> Style {
        let style = Style::new();
        match self.colours {
            Colours::All => style.fg(rgb(match (role, self.light) {
                (Role::Vellum, false) => 0x00e9_dfc7,
                (Role::Faded, false) => 0x0096_8977,
                (Role::Ghost, false) => 0x004d_453a,
                (Role::Red, false) => 0x00e6_5a3f,
                (Role::Lapis, false) => 0x0074_a8f0,
                (Role::Gold, false) => 0x00f0_b93a,
                (Role::Verdigris, false) => 0x0068_bd97,
                (Role::Vellum, true) => 0x002b_241a,
                (Role::Faded, true) => 0x0073_6755,
                (Role::Ghost, true) => 0x00bf_b299,
                (Role::Red, true) => 0x00b5_301a,
                (Role::Lapis, true) => 0x0024_55a8,
                (Role::Gold, true) => 0x0098_6a00,
                (Role::Verdigris, true) => 0x001f_7550,
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
            }),
            Colours::None => match role {
                Role::Vellum | Role::Lapis | Role::Verdigris => style,
                Role::Faded | Role::Ghost => style.add_modifier(Modifier::DIM),
                Role::Red | Role::Gold => style.add_modifier(Modifier::BOLD),
            },
        }
    }

    /// The ground of a selected line.
    pub(crate) fn selection(self) -> Style {
        match self.colours {
            Colours::All if self.light => Style::new().bg(rgb(0x00e2_d5b8)),
            Colours::All => Style::new().bg(rgb(0x0033_2b22)),
            Colours::Sixteen | Colours::None => Style::new().add_modifier(Modifier::REVERSED),
        }
    }

    /// A key on the line of keys or an event's pad.
    pub(crate) fn key(self) -> Style {
        self.style(Role::Red).add_modifier(Modifier::BOLD)
    }
}
