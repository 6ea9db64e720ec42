//! A take that is made: its generator, opened over the page. Its controls are moved by keys and the mouse and heard at once, what is drawn of it is
//! drawn here, and twenty playings show what is drawn anew each time.

use super::super::app::{App, Mode};
use super::super::keys::Do;
use super::super::text_field::TextField;
use super::made_prompts::{KindPrompt, MadePrompt};
use super::takes_of;
use estampie_engine::curve::Curve;
use estampie_engine::dsp::effects::Setting;
use estampie_engine::dsp::generators::{Form, GeneratorKind, MOST_TUNE_STEPS};
use estampie_engine::engine::InputKind;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::property::Unit;
use estampie_engine::units::Seconds;
use estampie_project::assets::Assets;
use estampie_project::compile::compile;
use estampie_project::document::{GeneratorDoc, MOST_PLACES, print_drawing, read_drawing};
use estampie_proof::alone;
use estampie_proof::spectrogram::spectrogram;
use std::cell::Cell;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

/// Where keys go.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Focus {
    /// A control, by its place.
    Control(usize),
    /// A point of a drawing, by the places of both.
    Point(usize, usize),
}

/// Twenty playings, as they would come: how each looks, and how loud.
#[derive(Debug, PartialEq)]
pub(crate) struct Strip {
    of: (String, (u16, u16)),
    /// Columns of shares from 0 to 1, the lowest frequency first, for each playing.
    pub(crate) playings: Vec<Vec<Vec<f32>>>,
    /// The greatest share of each row in all of them.
    pub(crate) spectrum: Vec<f32>,
    /// The peak of each, in dB.
    pub(crate) peaks: Vec<f32>,
    /// Seconds that each column of a playing's picture spans all together.
    pub(crate) seconds: f64,
}

/// A generator that is open.
#[derive(Debug)]
pub(crate) struct Made {
    pub(crate) sound: String,
    pub(crate) take: usize,
    at: (u16, u16),
    /// The generator's name.
    pub(crate) name: String,
    pub(crate) focus: Focus,
    /// The control that was chosen last, to come back to.
    control: usize,
    pub(crate) strip: Option<Strip>,
    coming: Option<Receiver<Strip>>,
    /// What is to be shown in the strip next, and since when it has not changed.
    wanted: (String, Instant),
    /// How many columns and rows a playing has in the strip; said by who draws it.
    pub(crate) room: Cell<(u16, u16)>,
}

/// The control that says what the kind *notes* plays.
pub(super) const INSTRUMENT: &str = "instrument";
/// So many playings are shown.
pub(crate) const PLAYINGS: usize = 20;
/// The spectrum of all has so many rows, by so many moments of each playing.
const BINS: usize = 160;
const COLUMNS: usize = 24;
/// A strip is worked out when nothing has changed for so long.
const RESTS: Duration = Duration::from_millis(250);
/// No playing is shown for longer.
const LONGEST: f64 = 3.0;

impl Made {
    /// Whether a step of a tune is chosen.
    pub(crate) fn on_tune(&self, app: &App) -> bool {
        matches!(self.focus, Focus::Point(..)) && self.doc(app).is_some_and(|(_, kind)| kind.plays())
    }

    /// The generator as it is written, with its kind.
    pub(crate) fn doc<'a>(&self, app: &'a App) -> Option<(&'a GeneratorDoc, &'static GeneratorKind)> {
        let doc = app.document().shared.generator.iter().find(|g| g.name == self.name)?;
        Some((doc, doc.kind()?.1))
    }
}

/// A value by a step of a key: a hundredth of what it spans, by octaves where it spans many; of some words, the next.
fn stepped(setting: &Setting, value: f32, by: f32) -> f32 {
    let moved = match setting.unit {
        Unit::Choice(words) => (value + by.signum()).rem_euclid(words.len() as f32),
        _ if setting.fixed && setting.high > 999.0 => value + by.signum(),
        _ if setting.by_octaves() => value * (setting.high / setting.low).powf(0.01 * by),
        _ => value + (setting.high - setting.low) * 0.01 * by,
    };
    moved.clamp(setting.low, setting.high)
}

/// The instrument of the music that a control stands for, if it does.
pub(super) fn instrument_of(doc: &GeneratorDoc, setting: &Setting) -> Option<String> {
    doc.plays.as_ref().filter(|_| setting.word == INSTRUMENT).map(|plays| plays.value.clone())
}

/// A value as somebody would type it.
pub(super) fn tidy(setting: &Setting, value: f32) -> f32 {
    let digits = |value: f32, digits: i32| {
        let ten = 10f32.powi(digits - 1 - value.abs().max(1e-6).log10().floor() as i32);
        (value * ten).round() / ten
    };
    let tidy = match setting.unit {
        Unit::Decibels | Unit::Semitones => (value * 20.0).round() / 20.0,
        Unit::Share => (value * 100.0).round() / 100.0,
        Unit::Choice(_) => value.round(),
        _ if value == 0.0 => 0.0,
        _ => digits(value, 3),
    };
    tidy.clamp(setting.low, setting.high)
}

impl App {
    /// Asks for a sound that is made by a generator.
    pub(super) fn begin_made(&mut self) {
        self.mode = Mode::typing(KindPrompt, TextField::default());
    }

    /// Opens the generator of a take.
    pub(super) fn open_made(&mut self, generator: &str, at: (u16, u16)) {
        let Some(sound) = self.sound().map(|s| s.name.clone()) else { return };
        self.sounds.opened = None;
        self.sounds.made = Some(Made {
            sound,
            take: self.sounds.take,
            at,
            name: generator.to_owned(),
            focus: Focus::Control(0),
            control: 0,
            strip: None,
            coming: None,
            wanted: (String::new(), Instant::now()),
            room: Cell::default(),
        });
        // Kinds whose first controls are words begin with the first that is a number.
        if let Some((_, kind)) = self.sounds.made.as_ref().and_then(|m| m.doc(self)) {
            let first = kind.settings.iter().position(|s| !matches!(s.unit, Unit::Choice(_))).unwrap_or(0);
            if let Some(made) = &mut self.sounds.made {
                made.focus = Focus::Control(first);
            }
        }
    }

    /// Does what a key means while a generator is open; false if it means nothing of its own.
    pub(super) fn act_made(&mut self, does: Do) -> bool {
        self.leave_made();
        let Some((doc, kind)) = self.sounds.made.as_ref().and_then(|m| m.doc(self)) else { return false };
        let values = doc.values(kind);
        let Some(made) = &self.sounds.made else { return false };
        let (name, focus) = (made.name.clone(), made.focus);
        match does {
            Do::Back | Do::NewWithin => self.sounds.made = None,
            Do::NextColumn | Do::PreviousColumn => self.turn_made(kind, if does == Do::NextColumn { 1 } else { -1 }),
            Do::Left | Do::Right | Do::FineLeft | Do::FineRight => {
                let by = match does {
                    Do::Left => -1.0,
                    Do::Right => 1.0,
                    Do::FineLeft => -0.1,
                    _ => 0.1,
                };
                match focus {
                    Focus::Control(at) => {
                        let setting = &kind.settings[at];
                        self.set_control(kind, at, stepped(setting, values[at], by));
                    }
                    Focus::Point(drawing, point) => self.move_point(kind, drawing, point, (by, 0.0)),
                }
            }
            Do::Rest => {
                let word = match focus {
                    Focus::Control(at) => kind.settings[at].word,
                    Focus::Point(drawing, _) => kind.drawings[drawing].word,
                };
                let done = self.workspace.set_generator(&name, &[(word, "")]);
                self.edited(done);
                self.mend_focus();
            }
            Do::Edit => {
                self.mode = match focus {
                    Focus::Control(at) => {
                        let setting = &kind.settings[at];
                        let now = instrument_of(doc, setting).unwrap_or_else(|| setting.unit.print(values[at]));
                        Mode::typing(MadePrompt::Control(setting.word), TextField::offer(&now))
                    }
                    Focus::Point(drawing, _) => {
                        let word = kind.drawings[drawing].word;
                        Mode::typing(MadePrompt::Drawing(word), TextField::new(&doc.drawing_texts(kind, word).join("; ")))
                    }
                };
            }
            Do::Main => self.play_made(),
            Do::Twenty => return false,
            Do::PutMarker => self.another(kind, &values),
            Do::JumpBack | Do::JumpOn => self.next_preset(kind, if does == Do::JumpOn { 1 } else { -1 }),
            Do::ZoomIn => self.add_point(kind),
            Do::ZoomOut => self.take_point(kind),
            Do::Vary => match focus {
                Focus::Control(at) if !kind.settings[at].fixed => {
                    let word = kind.settings[at].word;
                    let now = doc.vary.iter().find(|(w, _)| w.value == word).map_or("", |(_, text)| text.value.as_str());
                    self.mode = Mode::typing(MadePrompt::Vary(word), TextField::new(now));
                }
                _ => self.say("only controls that can be moved are drawn each time"),
            },
            Do::NewModulation => match focus {
                Focus::Control(at) if !kind.settings[at].fixed => self.mode = Mode::typing(MadePrompt::Moves(kind.settings[at].word), TextField::default()),
                _ => self.say("only controls that are not fixed can be moved"),
            },
            Do::Filter => self.mode = Mode::typing(MadePrompt::Preset, TextField::default()),
            // What would be done to what is not in sight.
            Do::Mark => self.next_of_tune(kind),
            Do::ClearMarks | Do::Curve | Do::NewSound | Do::Wire | Do::Rename | Do::Duplicate | Do::Delete | Do::GoToUse | Do::MadeSound => {}
            Do::EditShared | Do::Force | Do::Copy | Do::Paste => {}
            _ => return false,
        }
        true
    }

    /// Up and down: to another control, or a point of a drawing up or down.
    pub(super) fn go_made(&mut self, by: isize) {
        let Some((_, kind)) = self.sounds.made.as_ref().and_then(|m| m.doc(self)) else { return };
        let Some(made) = &mut self.sounds.made else { return };
        match made.focus {
            Focus::Control(at) => made.focus = Focus::Control(at.saturating_add_signed(by).min(kind.settings.len().saturating_sub(1))),
            Focus::Point(drawing, point) => self.move_point(kind, drawing, point, (0.0, -by as f32)),
        }
    }

    /// From the controls to the points of drawings one by one, and back.
    fn turn_made(&mut self, kind: &'static GeneratorKind, by: isize) {
        let Some((doc, _)) = self.sounds.made.as_ref().and_then(|m| m.doc(self)) else { return };
        let curves = doc.curves(kind);
        let points = |drawing: usize| curves.get(kind.first_curve(drawing)).map_or(0, |c| c.points().len());
        let mut stops: Vec<Focus> = (0..kind.drawings.len()).flat_map(|d| (0..points(d)).map(move |p| Focus::Point(d, p))).collect();
        let Some(made) = &mut self.sounds.made else { return };
        if let Focus::Control(at) = made.focus {
            made.control = at;
        }
        stops.insert(0, Focus::Control(made.control));
        let here = stops.iter().position(|s| *s == made.focus).unwrap_or(0);
        made.focus = stops[(here as isize + by).rem_euclid(stops.len() as isize) as usize];
    }

    /// Keeps the focus on something that there is.
    pub(super) fn mend_focus(&mut self) {
        let Some((doc, kind)) = self.sounds.made.as_ref().and_then(|m| m.doc(self)) else { return };
        let curves = doc.curves(kind);
        let Some(made) = &mut self.sounds.made else { return };
        made.focus = match made.focus {
            Focus::Control(at) => Focus::Control(at.min(kind.settings.len().saturating_sub(1))),
            Focus::Point(drawing, point) if drawing < kind.drawings.len() => {
                let count = curves.get(kind.first_curve(drawing)).map_or(1, |c| c.points().len());
                Focus::Point(drawing, point.min(count.saturating_sub(1)))
            }
            Focus::Point(..) => Focus::Control(0),
        };
    }

    /// Sets a control to a value.
    pub(super) fn set_control(&mut self, kind: &'static GeneratorKind, at: usize, value: f32) {
        self.set_controls(kind, &[(at, value)]);
    }

    /// Sets several at once, as one edit.
    pub(super) fn set_controls(&mut self, kind: &'static GeneratorKind, to: &[(usize, f32)]) {
        let Some(name) = self.sounds.made.as_ref().map(|m| m.name.clone()) else { return };
        let texts: Vec<(&str, String)> =
            to.iter().map(|(at, _)| &kind.settings[*at]).zip(to).map(|(s, (_, value))| (s.word, s.unit.print(tidy(s, *value)))).collect();
        let mut sets: Vec<(&str, &str)> = texts.iter().map(|(word, text)| (*word, text.as_str())).collect();
        // A built-in instrument takes the place of one of the music.
        if self.sounds.made.as_ref().and_then(|m| m.doc(self)).is_some_and(|(doc, _)| doc.plays.is_some()) && sets.iter().any(|(word, _)| *word == INSTRUMENT) {
            sets.push(("plays", ""));
        }
        let done = self.workspace.set_generator(&name, &sets);
        self.edited(done);
    }

    /// Writes a drawing.
    pub(super) fn draw_made(&mut self, kind: &'static GeneratorKind, drawing: usize, curves: &[Curve]) {
        let Some(name) = self.sounds.made.as_ref().map(|m| m.name.clone()) else { return };
        let drawn = &kind.drawings[drawing];
        let text = print_drawing(drawn.form, curves).join("; ");
        let done = self.workspace.set_generator(&name, &[(drawn.word, &text)]);
        self.edited(done);
        self.mend_focus();
    }

    /// The curves of one drawing as they are.
    pub(super) fn drawn(&self, kind: &'static GeneratorKind, drawing: usize) -> Option<Vec<Curve>> {
        let (doc, _) = self.sounds.made.as_ref()?.doc(self)?;
        let first = kind.first_curve(drawing);
        Some(doc.curves(kind)[first..first + kind.drawings[drawing].form.curves()].to_vec())
    }

    fn move_point(&mut self, kind: &'static GeneratorKind, drawing: usize, point: usize, (across, up): (f32, f32)) {
        let Some(curves) = self.drawn(kind, drawing) else { return };
        let place = |side: usize| curves.get(side).and_then(|c| c.points().get(point)).copied();
        match kind.drawings[drawing].form {
            Form::Path => {
                let (Some(right), Some(ahead)) = (place(0), place(1)) else { return };
                self.put_point(kind, drawing, point, (right.y + 0.25 * across, ahead.y + 0.25 * up));
            }
            Form::Curve => {
                let Some(here) = place(0) else { return };
                self.put_point(kind, drawing, point, (here.x + 0.02 * across, here.y + 0.05 * up));
            }
            Form::Tune => self.move_in_tune(kind, drawing, point, (across, up)),
            Form::Steps => {
                // Across goes to the next step, up to what a step can be.
                let count = curves.first().map_or(1, |c| c.points().len()) as isize;
                if across != 0.0 {
                    let next = (point as isize + across.signum() as isize).rem_euclid(count) as usize;
                    if let Some(made) = &mut self.sounds.made {
                        made.focus = Focus::Point(drawing, next);
                    }
                } else if let Some(here) = place(0) {
                    self.put_point(kind, drawing, point, (here.x, (here.y + up.signum()).rem_euclid(3.0)));
                }
            }
        }
    }

    /// Puts a point of a drawing somewhere, as far as it can go.
    pub(super) fn put_point(&mut self, kind: &'static GeneratorKind, drawing: usize, point: usize, (x, y): (f32, f32)) {
        let Some(mut curves) = self.drawn(kind, drawing) else { return };
        let replaced = |curve: &Curve, change: &dyn Fn(&mut estampie_engine::curve::Point)| {
            let mut points = curve.points().to_vec();
            if let Some(p) = points.get_mut(point) {
                change(p);
            }
            Curve::new(points)
        };
        match kind.drawings[drawing].form {
            Form::Path => {
                let round = |v: f32| ((v * 20.0).round() / 20.0).clamp(-500.0, 500.0);
                curves[0] = replaced(&curves[0], &|p| p.y = round(x));
                curves[1] = replaced(&curves[1], &|p| p.y = round(y));
            }
            Form::Curve => {
                let points = curves[0].points();
                let before = point.checked_sub(1).map_or(0.0, |at| points[at].x + 0.01);
                let after = points.get(point + 1).map_or(1.0, |p| p.x - 0.01);
                let round = |v: f32| (v * 100.0).round() / 100.0;
                // The first and the last stay at the ends.
                let x = if point == 0 {
                    0.0
                } else if point + 1 == points.len() {
                    1.0
                } else {
                    round(x).max(before).min(after)
                };
                curves[0] = replaced(&curves[0], &|p| (p.x, p.y) = (x, round(y).clamp(0.0, 1.0)));
            }
            // Its notes are set by the mouse one by one.
            Form::Tune => return,
            Form::Steps => curves[0] = replaced(&curves[0], &|p| p.y = y.clamp(0.0, 2.0).round()),
        }
        self.draw_made(kind, drawing, &curves);
    }

    /// One more point after the chosen one.
    fn add_point(&mut self, kind: &'static GeneratorKind) {
        let Some(Focus::Point(drawing, point)) = self.sounds.made.as_ref().map(|m| m.focus) else {
            return self.say(if kind.drawings.is_empty() { "nothing is drawn of this kind" } else { "tab goes to a drawing" });
        };
        let Some(curves) = self.drawn(kind, drawing) else { return };
        let count = curves[0].points().len();
        let form = kind.drawings[drawing].form;
        let most = match form {
            Form::Path => MOST_PLACES,
            Form::Curve => 32,
            Form::Steps => 64,
            Form::Tune => MOST_TUNE_STEPS,
        };
        if count >= most {
            return self.say(format!("there are {most} already"));
        }
        if form == Form::Tune {
            return self.add_to_tune(kind, drawing, point);
        }
        let grown: Vec<Curve> = curves
            .iter()
            .map(|curve| {
                let mut points = curve.points().to_vec();
                let here = points[point.min(count - 1)];
                let next = points.get(point + 1).copied();
                if form == Form::Curve {
                    let x = next.map_or(here.x, |n| (here.x + n.x) / 2.0);
                    points.insert(point + 1, estampie_engine::curve::Point { x, y: curve.at(x), shape: here.shape });
                } else {
                    let y = if form == Form::Steps { 0.0 } else { next.map_or(here.y + 1.0, |n| (here.y + n.y) / 2.0) };
                    points.insert(point + 1, estampie_engine::curve::Point { y, ..here });
                    points.iter_mut().enumerate().for_each(|(at, p)| p.x = at as f32);
                }
                Curve::new(points)
            })
            .collect();
        if form == Form::Curve && grown[0].points().len() == count {
            return self.say("there is no room after the last one");
        }
        if let Some(made) = &mut self.sounds.made {
            made.focus = Focus::Point(drawing, point + 1);
        }
        self.draw_made(kind, drawing, &grown);
    }

    /// The chosen point is taken away.
    fn take_point(&mut self, kind: &'static GeneratorKind) {
        let Some(Focus::Point(drawing, point)) = self.sounds.made.as_ref().map(|m| m.focus) else { return };
        let Some(curves) = self.drawn(kind, drawing) else { return };
        let form = kind.drawings[drawing].form;
        let fewer: Vec<Curve> = curves
            .iter()
            .map(|curve| {
                let mut points = curve.points().to_vec();
                points.remove(point.min(points.len() - 1));
                if form != Form::Curve {
                    points.iter_mut().enumerate().for_each(|(at, p)| p.x = at as f32);
                }
                Curve::new(points)
            })
            .collect();
        // What is left has to be a drawing still.
        if read_drawing(form, &print_drawing(form, &fewer)).is_err() {
            return self.say("what is left would be no drawing");
        }
        self.draw_made(kind, drawing, &fewer);
    }

    fn next_preset(&mut self, kind: &'static GeneratorKind, by: isize) {
        let Some((doc, _)) = self.sounds.made.as_ref().and_then(|m| m.doc(self)) else { return };
        if kind.presets.is_empty() {
            return self.say("this kind has no presets");
        }
        let name = doc.name.clone();
        let here = doc.preset_of(kind).and_then(|now| kind.presets.iter().position(|p| p.name == now.name)).map_or(-1, |at| at as isize);
        // Between the last and the first there is none.
        let next = (here + 1 + by).rem_euclid(kind.presets.len() as isize + 1) - 1;
        let preset = usize::try_from(next).ok().map(|at| &kind.presets[at]);
        let done = self.workspace.set_generator(&name, &[("preset", preset.map_or("", |p| p.name))]);
        let fine = done.is_ok();
        self.edited(done);
        self.mend_focus();
        if fine {
            self.say(preset.map_or_else(|| "without a preset".to_owned(), |p| format!("{}: {}", p.name, p.says)));
        }
    }

    /// Another one like it: the number of a blip, which stands for the same one for ever.
    fn another(&mut self, kind: &'static GeneratorKind, values: &[f32]) {
        let Some(at) = kind.settings.iter().position(|s| s.word == "another") else {
            return self.say("only a blip has another one like it; v lets a control be drawn each time");
        };
        let setting = &kind.settings[at];
        let next = if values[at] >= setting.high { 0.0 } else { values[at] + 1.0 };
        let Some(name) = self.sounds.made.as_ref().map(|m| m.name.clone()) else { return };
        let done = self.workspace.set_generator(&name, &[("another", &format!("{next:.0}"))]);
        self.edited(done);
        self.play_made();
    }

    /// Plays the take that is open; what goes on for ever is let go if it sounds.
    fn play_made(&mut self) {
        let Some(made) = &self.sounds.made else { return };
        let (sound, (group, take)) = (NameKey::of(&made.sound), made.at);
        let ends = made.doc(self).is_some_and(|(doc, kind)| doc.length.is_some() || (kind.ends)(&doc.values(kind)));
        if !ends && self.made_voice().is_some() {
            self.rehearsal.say(InputKind::Stop { sound });
            return;
        }
        self.rehearsal.say(InputKind::PlayTake { sound, group, take, from_seconds: 0.0 });
    }

    /// The youngest voice of the generator that is open: seconds since its start.
    pub(super) fn made_voice(&self) -> Option<f64> {
        let made = self.sounds.made.as_ref()?;
        let (sound, take) = (NameKey::of(&made.sound), NameKey::of(&format!("generator {}", made.name)));
        let status = self.rehearsal.status.as_ref()?;
        let voice = status.voices.iter().filter(|v| v.sound == sound && v.take == take && !v.leaving).max_by_key(|v| v.started)?;
        Some(status.frame.saturating_sub(voice.started) as f64 / f64::from(self.document().manifest.rate))
    }

    /// Closes it when another sound is selected meanwhile, or what it shows is gone.
    pub(super) fn leave_made(&mut self) {
        let Some(made) = &self.sounds.made else { return };
        let sound = self.sound().filter(|s| s.name == made.sound);
        let whole = format!("generator {}", made.name);
        if !sound.is_some_and(|s| takes_of(s).iter().any(|t| t.name == whole)) || made.doc(self).is_none() {
            self.sounds.made = None;
        }
    }

    /// Takes in a strip that was worked out, and has the next one worked out when nothing has changed for a while; true if there is something new to show.
    pub(crate) fn poll_made(&mut self) -> bool {
        self.leave_made();
        let Some((doc, _)) = self.sounds.made.as_ref().and_then(|m| m.doc(self)) else { return false };
        let moved: Vec<(usize, f32)> = self.moving_parameters(&doc.name);
        let values: Vec<String> = moved.iter().map(|(at, value)| format!("{} {value:.3}", self.document().parameters[*at].name)).collect();
        let state = format!(
            "{doc}|{:?}|{:?}|{values:?}",
            doc.drawings.iter().map(|(w, t)| (w, t.iter().map(|t| &t.value).collect::<Vec<_>>())).collect::<Vec<_>>(),
            doc.vary.iter().map(|(w, t)| (&w.value, &t.value)).collect::<Vec<_>>()
        );
        let Some(made) = &mut self.sounds.made else { return false };
        let mut news = false;
        if let Some(strip) = made.coming.as_ref().and_then(|c| c.try_recv().ok()) {
            (made.strip, made.coming, news) = (Some(strip), None, true);
        }
        if made.wanted.0 != state {
            made.wanted = (state, Instant::now());
        }
        let room = made.room.get();
        let shown = made.strip.as_ref().is_some_and(|s| s.of == (made.wanted.0.clone(), room));
        if made.coming.is_none() && !shown && room.0 > 0 && made.wanted.1.elapsed() >= RESTS {
            let (of, name) = ((made.wanted.0.clone(), room), made.name.clone());
            let (program, _) = compile(&alone::made(self.document(), &name), &Assets::default());
            let parameters = moved.iter().map(|(at, value)| (NameKey::of(&self.document().parameters[*at].name), *value)).collect();
            let strip = work_out(Arc::new(program), parameters, of);
            if let Some(made) = &mut self.sounds.made {
                made.coming = Some(strip);
            }
        }
        news
    }

    /// The parameters that move a generator, with their values now as the game would send them.
    fn moving_parameters(&self, generator: &str) -> Vec<(usize, f32)> {
        let whole = format!("generator {generator} ");
        let document = self.document();
        let mut found: Vec<usize> = document
            .modulations
            .iter()
            .filter(|m| m.target.value.starts_with(&whole))
            .filter_map(|m| document.parameters.iter().position(|p| p.name == m.from.value))
            .collect();
        found.sort_unstable();
        found.dedup();
        let sent = |at: usize| {
            let value = self.value(at);
            self.program().find_parameter.get(NameKey::of(&document.parameters[at].name)).map_or(value, |p| self.program().parameters[p].to_game(value))
        };
        found.into_iter().map(|at| (at, sent(at))).collect()
    }
}

/// Works twenty playings out, on a thread of its own.
fn work_out(program: Arc<Program>, parameters: Vec<(NameKey, f32)>, of: (String, (u16, u16))) -> Receiver<Strip> {
    let (sender, coming) = channel();
    std::thread::spawn(move || {
        let rate = program.rate;
        let playings: Vec<Vec<f32>> = (0..PLAYINGS)
            .map(|n| {
                let samples = alone::play(&program, NameKey::of(alone::MADE), &parameters, n as u64 + 1, Seconds(LONGEST));
                samples.chunks_exact(2).map(|f| 0.5 * (f[0] + f[1])).collect()
            })
            .collect();
        // All on one scale of time.
        let longest = playings.iter().map(Vec::len).max().unwrap_or(0).max(rate as usize / 50).min((LONGEST * f64::from(rate)) as usize);
        let (columns, rows) = (usize::from(of.1.0), usize::from(of.1.1) * 2);
        let pictures: Vec<Vec<Vec<f32>>> = playings.iter().map(|samples| spectrogram(samples, rate, 0..longest, (columns, rows))).collect();
        let whole: Vec<Vec<Vec<f32>>> = playings.iter().map(|samples| spectrogram(samples, rate, 0..longest, (COLUMNS, BINS))).collect();
        let spectrum = (0..BINS).map(|row| whole.iter().flatten().map(|c| c[row]).fold(0.0, f32::max)).collect();
        let peaks = playings.iter().map(|s| 20.0 * s.iter().fold(1e-6f32, |m, v| m.max(v.abs())).log10()).collect();
        let _ = sender.send(Strip { of, playings: pictures, spectrum, peaks, seconds: longest as f64 / f64::from(rate) });
    });
    coming
}
