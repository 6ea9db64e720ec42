//! What plays open notes: an instrument's settings, moved by keys and the mouse and heard at once, with its wave, its spectrum and a note over time.

use super::prompts::NotesPrompt;
use super::zones;
use crate::workshop::app::{App, Mode};
use crate::workshop::painter::Painter;
use crate::workshop::text_field::TextField;
use crate::workshop::theme::Role;
use crate::workshop::view::{Clicks, Targets};
use estampie_engine::music::spec::Instrument;
use estampie_engine::music::{InstrumentSettings, Kind, Stroke, Tone, Wave};
use estampie_engine::names::NameKey;
use estampie_engine::time::BLOCK;
use estampie_engine::units::{Decibels, Pan, Seconds, Semitones, Share};
use estampie_project::document::InstrumentDoc;
use estampie_project::notes::print_pitch;
use estampie_proof::spectrogram::spectrogram;
use ratatui::layout::Rect;
use std::rc::Rc;
use std::sync::mpsc::{Receiver, channel};

/// A setting that is a number.
struct Setting {
    word: &'static str,
    low: f32,
    high: f32,
    /// Whether equal steps are equal ratios.
    ratio: bool,
    get: fn(&InstrumentSettings) -> f32,
    print: fn(f32) -> String,
}

const fn setting(word: &'static str, (low, high): (f32, f32), ratio: bool, get: fn(&InstrumentSettings) -> f32, print: fn(f32) -> String) -> Setting {
    Setting { word, low, high, ratio, get, print }
}

fn seconds(value: f32) -> String {
    Seconds(f64::from((value * 1_000.0).round()) / 1_000.0).to_string()
}

fn share(value: f32) -> String {
    Share((value * 100.0).round() / 100.0).to_string()
}

/// The words that come before the numbers: what it is, and the wave of a synth.
const WORDS: [&str; 2] = ["kind", "wave"];

/// Keys that the last line tells.
pub(in crate::workshop::music) const LAST_LINE: &[(&str, &str)] = &[
    ("↑ ↓", "choose"),
    ("← →", "less, more"),
    ("shift", "finely"),
    ("e", "type it"),
    ("0", "as its kind says"),
    ("+", "recording"),
    ("enter", "strike a note"),
    ("u", "undo"),
    ("esc", "back to the notes"),
];

static SETTINGS: [Setting; 9] = [
    setting("attack", (0.001, 10.0), true, |s| s.attack_seconds, seconds),
    setting("decay", (0.01, 20.0), true, |s| s.decay_seconds, seconds),
    setting("sustain", (0.0, 1.0), false, |s| s.sustain, share),
    setting("release", (0.005, 10.0), true, |s| s.release_seconds, seconds),
    setting("brightness", (0.0, 1.0), false, |s| s.brightness, share),
    setting("detune", (0.0, 1.0), false, |s| s.detune_cents / 100.0, |v| Semitones((v * 100.0).round() / 100.0).to_string()),
    setting("pan", (-1.0, 1.0), false, |s| s.pan, |v| Pan((v * 100.0).round() / 100.0).to_string()),
    setting("width", (0.0, 1.0), false, |s| s.width, share),
    setting("level", (-60.0, 12.0), false, |s| Decibels::of_gain(s.gain).0, |v| Decibels((v * 2.0).round() / 2.0).to_string()),
];

impl Setting {
    fn share(&self, value: f32) -> f32 {
        let share = if self.ratio { (value.max(self.low) / self.low).ln() / (self.high / self.low).ln() } else { (value - self.low) / (self.high - self.low) };
        share.clamp(0.0, 1.0)
    }

    fn at(&self, share: f32) -> f32 {
        let share = share.clamp(0.0, 1.0);
        if self.ratio { self.low * (self.high / self.low).powf(share) } else { self.low + (self.high - self.low) * share }
    }
}

/// How a note of it is.
#[derive(Debug)]
struct Picture {
    /// A few turns of its wave, −1 to 1.
    wave: Vec<f32>,
    /// Shares of its strongest moment, the lowest frequency first.
    spectrum: Vec<f32>,
    /// Columns of shares over its time.
    time: Vec<Vec<f32>>,
}

/// An instrument that is open.
#[derive(Debug, Default)]
pub(crate) struct Player {
    at: usize,
    picture: Option<Picture>,
    /// What the picture is of, or what is being made.
    of: String,
    coming: Option<Receiver<Picture>>,
}

impl Player {
    /// The chosen recording, if one is.
    fn zone(&self) -> Option<usize> {
        self.at.checked_sub(ROWS_BEFORE_ZONES)
    }

    /// Whether it has been worked out how it sounds.
    #[cfg(test)]
    pub(super) fn has_picture(&self) -> bool {
        self.picture.is_some()
    }
}

/// The lines of words and numbers; those of recordings follow.
const ROWS_BEFORE_ZONES: usize = WORDS.len() + SETTINGS.len();
/// A note of a picture, its let-go included, in seconds.
const HELD: f64 = 0.8;
const LONG: f64 = 1.4;
/// Columns and rows of pictures.
const COLUMNS: usize = 60;
const ROWS: usize = 24;
const BINS: usize = 120;

impl App {
    /// Opens what plays the open line, or closes it.
    pub(super) fn open_player(&mut self) {
        if let Some(score) = &mut self.music.score {
            score.player = if score.player.is_some() { None } else { Some(Player::default()) };
        }
    }

    pub(super) fn open_instrument(&self) -> Option<(&Player, &InstrumentDoc)> {
        let score = self.music.score.as_ref()?;
        let name = &score.notes(self)?.instrument.value;
        Some((score.player.as_ref()?, self.music_doc().instruments.iter().find(|i| i.name == *name)?))
    }

    /// Takes a key while an instrument is open; false if it means what it means in open notes.
    pub(super) fn player_key(&mut self, name: &str) -> bool {
        let zone = self.open_instrument().and_then(|(player, doc)| player.zone().filter(|zone| *zone < doc.takes.len()));
        if zone.is_some_and(|zone| self.zone_key(zone, name)) {
            return true;
        }
        let Some((player, doc)) = self.open_instrument() else { return false };
        let (at, last) = (player.at, ROWS_BEFORE_ZONES + doc.takes.len() - 1);
        // What was chosen may be gone.
        let at = at.min(last);
        let word = WORDS.get(at).copied().or_else(|| SETTINGS.get(at - WORDS.len()).map(|s| s.word)).unwrap_or_default();
        let kind = doc.patch.kind;
        match name {
            "esc" | "o" => self.open_player(),
            "up" | "down" => {
                let to = if name == "up" { at.saturating_sub(1) } else { (at + 1).min(last) };
                if let Some(player) = self.music.score.as_mut().and_then(|s| s.player.as_mut()) {
                    player.at = to;
                }
            }
            "+" | "=" => self.begin_zone(),
            "left" | "right" | "shift-left" | "shift-right" if at < ROWS_BEFORE_ZONES => {
                let by = if name.ends_with("left") { -1.0 } else { 1.0 };
                self.move_setting(at, if name.starts_with("shift") { by * 0.01 } else { by * 0.03 });
            }
            "e" if at < ROWS_BEFORE_ZONES => {
                let now = match WORDS.get(at) {
                    Some(&"kind") => word_of(kind).to_owned(),
                    Some(_) => wave_of(doc.patch.wave).to_owned(),
                    None => (SETTINGS[at - WORDS.len()].print)((SETTINGS[at - WORDS.len()].get)(&doc.patch)),
                };
                self.mode = Mode::typing(NotesPrompt::Setting(word), TextField::offer(&now));
            }
            // A kind there must be.
            "0" if word != "kind" && at < ROWS_BEFORE_ZONES => self.set_player(word, ""),
            "enter" => {
                let pitch = self.music.score.as_ref().map_or(60, |s| s.pitch);
                self.strike(&[pitch]);
            }
            _ => return false,
        }
        true
    }

    /// Moves a setting by a share of its range; a word goes to the next.
    fn move_setting(&mut self, at: usize, by: f32) {
        let Some((_, doc)) = self.open_instrument() else { return };
        let turn = |count: usize, here: usize| (here as isize + if by < 0.0 { -1 } else { 1 }).rem_euclid(count as isize) as usize;
        match WORDS.get(at) {
            Some(&"kind") => {
                // Recordings are named in the file.
                let kinds: Vec<&str> = Kind::ALL.iter().filter(|(kind, _)| *kind != Kind::Takes).map(|(_, word)| *word).collect();
                let here = kinds.iter().position(|word| *word == word_of(doc.patch.kind)).unwrap_or(0);
                self.set_player("kind", kinds[turn(kinds.len(), here)]);
            }
            Some(_) => {
                let here = Wave::ALL.iter().position(|(wave, _)| *wave == doc.patch.wave).unwrap_or(0);
                self.set_player("wave", Wave::ALL[turn(Wave::ALL.len(), here)].1);
            }
            None => {
                let setting = &SETTINGS[at - WORDS.len()];
                let now = (setting.get)(&doc.patch);
                let to = setting.at(setting.share(now) + by);
                self.set_player(setting.word, &(setting.print)(to));
            }
        }
    }

    /// Chooses a recording, by its place.
    pub(super) fn choose_zone(&mut self, zone: usize) {
        if let Some(player) = self.music.score.as_mut().and_then(|s| s.player.as_mut()) {
            player.at = ROWS_BEFORE_ZONES + zone;
        }
    }

    fn set_player(&mut self, word: &str, text: &str) {
        let Some(name) = self.open_instrument().map(|(_, doc)| doc.name.clone()) else { return };
        let done = self.workspace.set_instrument(&name, word, text);
        self.edited(done);
    }

    /// Begins the picture of what is open now, and takes one that is ready; true if there is news.
    pub(super) fn poll_player(&mut self) -> bool {
        let Some((player, doc)) = self.open_instrument() else { return false };
        let pitch = self.music.score.as_ref().map_or(60, |s| s.pitch);
        let of = format!("{:?} {pitch} {}", doc.patch, self.program().id);
        let (same, busy) = (player.of == of, player.coming.is_some());
        let instrument = self.program().music.instruments.iter().find(|i| i.key == NameKey::of(&doc.name)).cloned();
        let rate = self.program().rate;
        let Some(player) = self.music.score.as_mut().and_then(|s| s.player.as_mut()) else { return false };
        if let Some(picture) = player.coming.as_ref().and_then(|c| c.try_recv().ok()) {
            (player.picture, player.coming) = (Some(picture), None);
            return true;
        }
        if !same
            && !busy
            && let Some(instrument) = instrument
        {
            let (sender, receiver) = channel();
            std::thread::spawn(move || {
                // Nobody may wait for it any more.
                let _ = sender.send(picture(&instrument, pitch, rate));
            });
            (player.of, player.coming) = (of, Some(receiver));
        }
        false
    }
}

fn word_of(kind: Kind) -> &'static str {
    Kind::ALL.iter().find(|(k, _)| *k == kind).map_or("", |(_, word)| word)
}

fn wave_of(wave: Wave) -> &'static str {
    Wave::ALL.iter().find(|(w, _)| *w == wave).map_or("", |(_, word)| word)
}

/// A note of an instrument, as pictures.
fn picture(instrument: &Instrument, pitch: u8, rate: u32) -> Picture {
    let frames = |seconds: f64| (seconds * f64::from(rate)) as usize;
    let mut tone = Tone::new(rate);
    let stroke = Stroke { pitch: f32::from(pitch), velocity: 0.8, wait: 0, length: frames(HELD) as u64, seed: 7 };
    tone.start(&instrument.patch, stroke, instrument.take(f32::from(pitch), 102, 0), rate);
    let mut samples = Vec::with_capacity(frames(LONG) + BLOCK);
    while samples.len() < frames(LONG) {
        let mut block = [[0.0; BLOCK]; 2];
        let [left, right] = &mut block;
        tone.render([left, right], rate);
        samples.extend(block[0].iter().zip(&block[1]).map(|(l, r)| (l + r) / 2.0));
    }
    // Three turns of it, from a rising zero a little after its beginning.
    let turn = (f64::from(rate) / f64::from(estampie_engine::music::frequency(f32::from(pitch)))) as usize;
    let from = frames(0.12);
    let zero = (from..from + 2 * turn).find(|i| samples[*i] <= 0.0 && samples[i + 1] > 0.0).unwrap_or(from);
    let wave = &samples[zero..(zero + 3 * turn).min(samples.len())];
    let peak = wave.iter().fold(1e-6f32, |p, s| p.max(s.abs()));
    let whole = spectrogram(&samples, rate, 0..frames(HELD), (12, BINS));
    Picture {
        wave: wave.iter().map(|s| s / peak).collect(),
        spectrum: (0..BINS).map(|row| whole.iter().map(|c| c[row]).fold(0.0, f32::max)).collect(),
        time: spectrogram(&samples, rate, 0..samples.len(), (COLUMNS, ROWS)),
    }
}

/// A line of a setting: a click chooses it, on its bar it sets it.
#[derive(Debug)]
struct SettingClick {
    at: usize,
    bar: (u16, u16),
}

impl Clicks for SettingClick {
    fn click(&self, app: &mut App, area: Rect, at: (u16, u16)) {
        if let Some(player) = app.music.score.as_mut().and_then(|s| s.player.as_mut()) {
            player.at = self.at;
        }
        if at.0 >= self.bar.0 && at.0 < self.bar.0 + self.bar.1 {
            self.drag(app, area, at);
            app.dragging = Some((Rc::new(SettingClick { at: self.at, bar: self.bar }), area));
        }
    }

    fn drag(&self, app: &mut App, _area: Rect, at: (u16, u16)) -> bool {
        let Some(setting) = self.at.checked_sub(WORDS.len()).map(|n| &SETTINGS[n]) else { return false };
        let share = f32::from(at.0.saturating_sub(self.bar.0)) / f32::from(self.bar.1.saturating_sub(1).max(1));
        app.set_player(setting.word, &(setting.print)(setting.at(share)));
        true
    }
}

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, player: &Player, targets: &mut Targets) {
    let Some((_, doc)) = app.open_instrument() else { return };
    painter.heading(area.x, area.y, area.width, &doc.name, "what plays the notes");
    let list = Rect { y: area.y + 1, width: 46.min(area.width), height: area.height.saturating_sub(1), ..area };
    settings(painter, list, player, doc, targets);
    let below =
        Rect { y: list.y + (WORDS.len() + SETTINGS.len()) as u16 + 1, height: list.height.saturating_sub((WORDS.len() + SETTINGS.len()) as u16 + 1), ..list };
    if doc.patch.kind == Kind::Takes {
        zones::draw(app, painter, below, player.zone(), doc, targets);
    }
    let page = Rect { x: list.right() + 2, y: area.y + 1, width: area.width.saturating_sub(list.width + 2), height: area.height.saturating_sub(1) };
    if page.width < 20 || page.height < 9 {
        return;
    }
    let Some(picture) = &player.picture else {
        painter.text(page.x, page.y, page.width, "being worked out", Role::Secondary);
        return;
    };
    let third = page.height / 3;
    let part = |n: u16| Rect { y: page.y + n * third, height: third.saturating_sub(1), ..page };
    let pitch = app.music.score.as_ref().map_or(60, |s| s.pitch);
    let plot = |area: Rect| Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    painter.heading(page.x, part(0).y, page.width, "Scope", &format!("three turns of {}", print_pitch(pitch)));
    let last = picture.wave.len().saturating_sub(1).max(1) as f64;
    let line: Vec<(f64, f64)> = picture.wave.iter().enumerate().map(|(i, s)| (i as f64 / last, f64::from(s * 0.48 + 0.5))).collect();
    painter.plot(plot(part(0)), &line, Role::Text);
    painter.heading(page.x, part(1).y, page.width, "Spectrum", "40 Hz to 18 kHz, 96 dB");
    let bins = picture.spectrum.len();
    let shares: Vec<f32> = (0..page.width).map(|x| picture.spectrum[usize::from(x) * bins / usize::from(page.width.max(1))]).collect();
    painter.columns(plot(part(1)), &shares, Role::Text);
    painter.heading(page.x, part(2).y, page.width, "A note", &format!("over {LONG} s, let go after {HELD} s"));
    let time = plot(part(2));
    for x in 0..time.width {
        let column = &picture.time[usize::from(x) * picture.time.len() / usize::from(time.width)];
        let at = |half: u16| {
            let share = f32::from(half) / f32::from(time.height * 2);
            column[((1.0 - share) * (column.len() - 1) as f32).round() as usize]
        };
        for row in 0..time.height {
            painter.halves(time.x + x, time.y + row, at(row * 2), at(row * 2 + 1));
        }
    }
}

fn settings(painter: &mut Painter<'_>, area: Rect, player: &Player, doc: &InstrumentDoc, targets: &mut Targets) {
    for at in 0..WORDS.len() + SETTINGS.len() {
        let y = area.y + at as u16;
        if y >= area.bottom() {
            break;
        }
        if player.at == at {
            painter.select(area.x, y, area.width);
        }
        let role = if player.at == at { Role::Active } else { Role::Secondary };
        let (word, text, share) = match WORDS.get(at) {
            Some(&"kind") => ("kind", word_of(doc.patch.kind).to_owned(), None),
            Some(word) => (*word, if doc.patch.kind == Kind::Synth { wave_of(doc.patch.wave).to_owned() } else { "—".to_owned() }, None),
            None => {
                let setting = &SETTINGS[at - WORDS.len()];
                let value = (setting.get)(&doc.patch);
                (setting.word, (setting.print)(value).replace('-', "−"), Some(setting.share(value)))
            }
        };
        painter.text(area.x + 1, y, 12, word, role);
        let bar = (area.x + 14, 16u16);
        if let Some(share) = share {
            painter.bar(bar.0, y, bar.1, share, Role::Text);
            painter.text(bar.0 + bar.1 + 1, y, 14, &text, Role::Text);
        } else {
            painter.text(bar.0, y, 30, &text, Role::Text);
        }
        targets.push((Rect { y, height: 1, ..area }, Rc::new(SettingClick { at, bar })));
    }
}
