//! One take in its recording: where it begins and ends, how it fades, where it loops. What is moved is shown at once, written when the hand rests, and
//! heard with a key; the file itself stays as it is.

use super::super::app::{App, Mode};
use super::super::keys::Do;
use super::super::text_field::TextField;
use super::super::view::Ask;
use super::handles::{Bounds, Handle};
use super::takes_of;
use estampie_engine::engine::InputKind;
use estampie_engine::names::NameKey;
use estampie_engine::units::{Quantity as _, Seconds};
use estampie_project::assets::{Decoded, around_seam, best_end, decode, sounding};
use estampie_project::document::Refusal;
use estampie_project::stock::{Cut, Trim, exact_seconds, file_of, is_placeholder};
use estampie_proof::spectrogram::{LONGEST_WINDOW, spectrogram};
use std::cell::Cell;
use std::path::Path;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

/// A recording, and what is drawn of it from far.
#[derive(Debug)]
pub(crate) struct Recording {
    pub(crate) decoded: Decoded,
    /// The least and the greatest sample of each `GRAIN` frames, by channel.
    peaks: Vec<Vec<(f32, f32)>>,
}

/// Frames for which a peak stands.
const GRAIN: usize = 256;

impl Recording {
    pub(super) fn new(decoded: Decoded) -> Recording {
        let extent = |samples: &[f32]| samples.iter().fold((0.0f32, 0.0f32), |(low, high), s| (low.min(*s), high.max(*s)));
        let peaks = decoded.channels.iter().map(|c| c.chunks(GRAIN).map(extent).collect()).collect();
        Recording { decoded, peaks }
    }

    pub(crate) fn frames(&self) -> usize {
        self.decoded.channels.first().map_or(0, Vec::len)
    }

    /// The least and the greatest sample of a channel between two moments in seconds; never less than what lies at the first.
    pub(crate) fn extent(&self, channel: usize, from: f64, to: f64) -> (f32, f32) {
        let rate = f64::from(self.decoded.rate);
        let (first, last) = ((from * rate).max(0.0) as usize, (to * rate).max(0.0) as usize);
        let samples = &self.decoded.channels[channel];
        let last = last.max(first + 1).min(samples.len());
        if first >= last {
            return (0.0, 0.0);
        }
        let fold = |(low, high): (f32, f32), (l, h): (f32, f32)| (low.min(l), high.max(h));
        let start = (samples[first], samples[first]);
        if last - first > 4 * GRAIN {
            self.peaks[channel][first / GRAIN..last.div_ceil(GRAIN)].iter().copied().fold(start, fold)
        } else {
            samples[first..last].iter().map(|s| (*s, *s)).fold(start, fold)
        }
    }

    pub(crate) fn bounds(&self) -> Bounds {
        let rate = f64::from(self.decoded.rate);
        let seconds = |(a, b): (usize, usize)| (a as f64 / rate, b as f64 / rate);
        Bounds { length: self.frames() as f64 / rate, rate: self.decoded.rate, file_loop: self.decoded.loop_points.map(seconds) }
    }
}

/// A spectrogram that was worked out: what is in sight, how large it is, and its columns.
#[derive(Debug, PartialEq)]
pub(crate) struct Image {
    of: ((f64, f64), (u16, u16)),
    pub(crate) columns: Vec<Vec<f32>>,
}

/// A take that is open in its recording.
#[derive(Debug)]
pub(crate) struct Opened {
    pub(crate) sound: String,
    /// Among the takes as they are listed.
    pub(crate) take: usize,
    /// Group and place in it.
    at: (u16, u16),
    /// The file.
    pub(crate) file: String,
    pub(crate) recording: Option<Result<Arc<Recording>, String>>,
    coming: Receiver<Result<Recording, String>>,
    /// As it is shown, and as it is written.
    pub(crate) trim: Trim,
    written: Trim,
    pub(crate) handle: Handle,
    /// What is in sight, in seconds; nothing before the recording is there.
    pub(crate) sight: (f64, f64),
    changed: Option<Instant>,
    /// It is to be heard, from this moment of the recording on, as soon as it is loaded.
    hear: Option<f64>,
    pub(crate) shows_spectrum: bool,
    pub(crate) image: Option<Image>,
    drawing: Option<Receiver<Image>>,
    /// How many columns and rows the picture has; said by who draws it.
    pub(crate) room: Cell<(u16, u16)>,
}

/// A hand rests when it has not moved anything for so long.
const RESTS: Duration = Duration::from_millis(150);
/// What is heard before the end of a loop, in seconds.
const BEFORE_SEAM: f64 = 1.0;
/// Within so many seconds of a loop's end a better one is looked for.
const SEARCHED: f64 = 0.05;

impl Opened {
    pub(crate) fn bounds(&self) -> Option<Bounds> {
        self.ready().map(|r| r.bounds())
    }

    pub(crate) fn ready(&self) -> Option<&Arc<Recording>> {
        self.recording.as_ref()?.as_ref().ok()
    }

    /// What is heard around the seam: of the first channel, before and after.
    pub(crate) fn seam(&self, frames: usize) -> Option<(Vec<f32>, Vec<f32>)> {
        let recording = self.ready()?;
        around_seam(&recording.decoded, recording.bounds().looped(&self.trim), self.trim.seam, frames)?.into_iter().next()
    }

    /// Puts a handle somewhere, and keeps it in sight.
    fn put(&mut self, handle: Handle, seconds: f64) {
        let Some(bounds) = self.bounds() else { return };
        self.take(bounds.put(&self.trim, handle, seconds));
        self.see(bounds.shown_at(&self.trim, handle));
    }

    fn take(&mut self, trim: Trim) {
        if trim != self.trim {
            (self.trim, self.changed) = (trim, Some(Instant::now()));
        }
    }

    /// Moves what is in sight so that a moment is.
    fn see(&mut self, at: f64) {
        let (from, to) = self.sight;
        let length = self.bounds().map_or(0.0, |b| b.length);
        if at < from || at > to {
            let from = (at - (to - from) / 2.0).clamp(0.0, (length - (to - from)).max(0.0));
            self.sight = (from, from + to - self.sight.0);
        }
    }

    /// Brings what is around a moment nearer (a factor below 1), or shows more.
    pub(super) fn zoom(&mut self, factor: f64, around: f64) {
        let Some(bounds) = self.bounds() else { return };
        let (from, to) = self.sight;
        let least = (64.0 / f64::from(bounds.rate)).min(bounds.length);
        let wide = ((to - from) * factor).clamp(least, bounds.length);
        let share = ((around - from) / (to - from)).clamp(0.0, 1.0);
        let from = (around - wide * share).clamp(0.0, (bounds.length - wide).max(0.0));
        self.sight = (from, from + wide);
    }

    /// What a step of a key is, in seconds: a hundredth of what is in sight.
    fn step(&self) -> f64 {
        (self.sight.1 - self.sight.0) / 100.0
    }
}

/// A handle is typed.
#[derive(Debug)]
struct HandlePrompt(Handle);

impl Ask for HandlePrompt {
    fn words(&self, app: &App) -> String {
        let of = app.sounds.opened.as_ref().map_or("", |o| o.file.rsplit('/').next().unwrap_or(&o.file));
        format!("{} of {of}", self.0.word())
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some(format!("{}: 1.25 s, 40 ms; left empty, as the file is", self.0.says()))
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let Some(opened) = &mut app.sounds.opened else { return Ok(()) };
        let Some(bounds) = opened.bounds() else { return Err("its recording is still being read".into()) };
        if text.trim().is_empty() {
            opened.take(bounds.rest(&opened.trim, self.0));
        } else {
            let wanted = Seconds::read(text.trim()).map_err(|why| why.to_string())?.0;
            let next = bounds.put(&opened.trim, self.0, wanted);
            let got = bounds.at(&next, self.0);
            if (got - wanted).abs() > 0.001 {
                return Err(format!("the {} can be at {} s at the {}", self.0.word(), exact_seconds(got), if got < wanted { "most" } else { "least" }).into());
            }
            opened.put(self.0, wanted);
        }
        app.write_trim();
        Ok(())
    }
}

/// Reads a recording, on a thread of its own.
fn read(path: &Path) -> Receiver<Result<Recording, String>> {
    let (sender, coming) = channel();
    let path = path.to_owned();
    std::thread::spawn(move || {
        let _ = sender.send(decode(&path).map(Recording::new).map_err(|why| why.to_string()));
    });
    coming
}

impl App {
    /// Opens the selected take in its recording.
    pub(super) fn open_take(&mut self) {
        let Some(sound) = self.sound() else { return };
        let (name, list) = (sound.name.clone(), takes_of(sound));
        let Some(take) = list.get(self.sounds.take) else { return self.say("it has no takes") };
        if let (Some(generator), Some(at)) = (take.name.strip_prefix("generator "), take.at) {
            let generator = generator.to_owned();
            return self.open_made(&generator, at);
        }
        let Some(at) = take.at.filter(|_| take.file) else {
            let part = "a part of a chain plays its file as it is: make it a sound of its own to trim it";
            return self.say(if take.file { part } else { "only a take from an audio file or a generator can be opened" });
        };
        if is_placeholder(&take.name) {
            return self.say("it is not recorded yet: a placeholder stands in for it");
        }
        let trim = self.workspace.trim_of(&name, usize::from(at.0), usize::from(at.1)).unwrap_or_default();
        let file = file_of(&take.name).to_owned();
        // Another take of the same file need not be read again.
        let (before, spectrum) = self.sounds.opened.take().map_or((None, false), |o| (o.recording.filter(|_| o.file == file), o.shows_spectrum));
        let coming = if before.is_some() { channel().1 } else { read(&self.workspace.root().join(&file)) };
        let sight = before.as_ref().and_then(|r| r.as_ref().ok()).map_or((0.0, 0.0), |r| (0.0, r.bounds().length));
        self.sounds.made = None;
        self.sounds.opened = Some(Opened {
            sound: name,
            take: self.sounds.take,
            at,
            file,
            recording: before,
            coming,
            trim,
            written: trim,
            handle: Handle::Begin,
            sight,
            changed: None,
            hear: None,
            shows_spectrum: spectrum,
            image: None,
            drawing: None,
            room: Cell::default(),
        });
    }

    /// How many handles the opened take has: one that does not loop has none of a loop.
    pub(crate) fn handles(&self) -> &'static [Handle] {
        let loops = self.sound().is_some_and(|s| s.looped);
        if loops { &Handle::ALL } else { &Handle::ALL[..Handle::WITHOUT_LOOP] }
    }

    pub(super) fn next_handle(&mut self, by: isize) {
        let list = self.handles();
        let Some(opened) = &mut self.sounds.opened else { return };
        let at = list.iter().position(|h| *h == opened.handle).unwrap_or(0);
        opened.handle = list[(at as isize + by).rem_euclid(list.len() as isize) as usize];
        if let Some(bounds) = opened.bounds() {
            opened.see(bounds.shown_at(&opened.trim, opened.handle));
        }
    }

    /// Writes what was moved.
    pub(super) fn write_trim(&mut self) {
        let Some(opened) = self.sounds.opened.as_mut() else { return };
        opened.changed = None;
        if opened.trim == opened.written {
            return;
        }
        let (sound, (group, take), trim) = (opened.sound.clone(), opened.at, opened.trim);
        let done = self.workspace.trim_take(&sound, usize::from(group), usize::from(take), &trim);
        if let (Some(opened), false) = (self.sounds.opened.as_mut(), done.is_ok()) {
            opened.trim = opened.written;
        }
        let pattern = done.as_ref().ok().cloned().flatten();
        self.edited(done.map(|_| ()));
        if let Some(pattern) = pattern {
            self.say(format!("{pattern} is named file by file now: a file that comes later is not among the takes by itself"));
        }
        self.follow_opened();
    }

    /// Takes over what others made of the take: undo, an edit elsewhere; closes it when it is no take any more.
    fn follow_opened(&mut self) {
        let Some(opened) = &self.sounds.opened else { return };
        let sound = self.document().sounds.iter().find(|s| s.name == opened.sound);
        let listed = sound.map(|s| takes_of(s)).unwrap_or_default();
        // A pattern that is named file by file keeps the places of its takes.
        let now = listed.iter().find(|t| t.at == Some(opened.at)).filter(|t| t.file && file_of(&t.name) == opened.file);
        let trim = now.and_then(|_| self.workspace.trim_of(&opened.sound, usize::from(opened.at.0), usize::from(opened.at.1)));
        let Some(opened) = self.sounds.opened.as_mut() else { return };
        match trim {
            Some(trim) if trim != opened.written => (opened.trim, opened.written, opened.changed) = (trim, trim, None),
            Some(_) => {}
            None => self.sounds.opened = None,
        }
    }

    /// The name by which the opened take is loaded.
    fn opened_name(&self) -> Option<String> {
        let opened = self.sounds.opened.as_ref()?;
        let Opened { file, written, .. } = opened;
        Some(if written.makes_a_piece() { Cut { file, trim: *written }.name() } else { file.clone() })
    }

    /// The moment of its recording at which the opened take is heard now.
    pub(crate) fn heard_at(&self) -> Option<f64> {
        let opened = self.sounds.opened.as_ref()?;
        let (take, sound) = (NameKey::of(&self.opened_name()?), NameKey::of(&opened.sound));
        let status = self.rehearsal.status.as_ref()?;
        let voice = status.voices.iter().filter(|v| v.take == take && v.sound == sound && !v.asleep).max_by_key(|v| v.started)?;
        // A piece is a clip of its own, and begins where it is cut.
        let from = if opened.written.makes_a_piece() { opened.written.from } else { 0.0 };
        Some(from + f64::from(voice.at) / f64::from(self.document().manifest.rate))
    }

    /// Moves the chosen handle so that it is drawn at a moment.
    pub(super) fn drag_handle(&mut self, moment: f64) {
        let Some(opened) = &mut self.sounds.opened else { return };
        let Some(bounds) = opened.bounds() else { return };
        let seconds = match opened.handle {
            Handle::FadeIn => moment - opened.trim.from,
            Handle::FadeOut => bounds.end(&opened.trim) - moment,
            Handle::Seam => bounds.looped(&opened.trim).1 - moment,
            _ => moment,
        };
        opened.put(opened.handle, seconds);
    }

    /// Hears it from a moment of the recording on, as soon as it is loaded.
    pub(super) fn hear_from(&mut self, moment: f64) {
        self.write_trim();
        if let Some(opened) = &mut self.sounds.opened {
            opened.hear = Some(moment);
        }
        self.poll_opened();
    }

    /// Does what a key means while a take is open; false if it means nothing of its own.
    pub(super) fn act_opened(&mut self, does: Do) -> bool {
        self.leave_opened();
        let Some(opened) = &mut self.sounds.opened else { return false };
        let Some(bounds) = opened.bounds() else {
            // Before it is read there is nothing to move.
            if matches!(does, Do::Back | Do::NewWithin) {
                self.sounds.opened = None;
            }
            return !matches!(does, Do::View(_) | Do::Help | Do::Find | Do::Quit | Do::Undo | Do::Redo | Do::Save | Do::StopAll | Do::Freeze);
        };
        let handle = opened.handle;
        let (at, step) = (bounds.at(&opened.trim, handle), opened.step());
        let sample = (step / 10.0).max(1.0 / f64::from(bounds.rate));
        // A fade that grows at the end, and a seam, reach to the left.
        let way = if matches!(handle, Handle::FadeOut | Handle::Seam) { -1.0 } else { 1.0 };
        match does {
            Do::Back | Do::NewWithin => {
                self.write_trim();
                self.sounds.opened = None;
            }
            Do::NextColumn => self.next_handle(1),
            Do::PreviousColumn => self.next_handle(-1),
            Do::Left => opened.put(handle, at - step * way),
            Do::Right => opened.put(handle, at + step * way),
            Do::FineLeft => opened.put(handle, at - sample * way),
            Do::FineRight => opened.put(handle, at + sample * way),
            Do::Rest => {
                opened.take(bounds.rest(&opened.trim, handle));
                self.write_trim();
            }
            Do::Edit => {
                let text = format!("{} s", exact_seconds(at));
                self.mode = Mode::typing(HandlePrompt(handle), TextField::offer(&text));
            }
            Do::ZoomIn | Do::ZoomOut => {
                let around = bounds.shown_at(&opened.trim, handle);
                opened.zoom(if does == Do::ZoomIn { 0.5 } else { 2.0 }, around);
            }
            Do::Main => {
                let from = opened.trim.from;
                self.hear_from(from);
            }
            Do::GoToUse => {
                let moment = match handle {
                    Handle::LoopEnd | Handle::LoopBegin | Handle::Seam => (bounds.looped(&opened.trim).1 - BEFORE_SEAM).max(opened.trim.from),
                    Handle::End | Handle::FadeOut => (bounds.shown_at(&opened.trim, handle) - BEFORE_SEAM).max(opened.trim.from),
                    _ => bounds.shown_at(&opened.trim, handle),
                };
                self.hear_from(moment);
            }
            Do::PutMarker => self.close_loop(),
            Do::Twenty => self.trim_silence(),
            Do::Vary => opened.shows_spectrum = !opened.shows_spectrum,
            Do::JumpBack | Do::JumpOn => self.next_opened(if does == Do::JumpOn { 1 } else { -1 }),
            // What would be done to what is not in sight.
            Do::Mark | Do::ClearMarks | Do::Curve | Do::NewSound | Do::NewModulation | Do::Wire | Do::Rename | Do::Duplicate | Do::Delete => {}
            Do::EditShared | Do::Force | Do::Copy | Do::Paste | Do::Filter => {}
            _ => return false,
        }
        true
    }

    /// Closes it when another sound is selected meanwhile, by the mouse or the finder; what was moved is written.
    pub(super) fn leave_opened(&mut self) {
        // Nearly always none is open, and to find the selected sound takes longer than that.
        let Some(opened) = &self.sounds.opened else { return };
        if self.sound().is_none_or(|selected| selected.name != opened.sound) {
            self.write_trim();
            self.sounds.opened = None;
        }
    }

    /// Moves the end of the loop to where it closes best.
    fn close_loop(&mut self) {
        let loops = self.sound().is_some_and(|s| s.looped);
        let Some(opened) = self.sounds.opened.as_mut().filter(|_| loops) else {
            return self.say("the sound does not loop: its field loop says so");
        };
        let (Some(recording), Some(bounds)) = (opened.ready().cloned(), opened.bounds()) else { return };
        let frames = |seconds: f64| (seconds * f64::from(bounds.rate)).round() as usize;
        let (begin, end) = bounds.looped(&opened.trim);
        let within = frames(bounds.end(&opened.trim));
        let Some(best) = best_end(&recording.decoded.channels, frames(begin), frames(end), frames(SEARCHED)).filter(|at| *at <= within) else {
            return self.say("the loop is too short to look for a better end");
        };
        let moved = best as f64 / f64::from(bounds.rate) - end;
        opened.handle = Handle::LoopEnd;
        opened.put(Handle::LoopEnd, best as f64 / f64::from(bounds.rate));
        self.write_trim();
        self.say(if moved.abs() < 1e-6 {
            "the loop closes best where it ends".to_owned()
        } else {
            format!("the loop ends {:.1} ms {}: there it closes best within 50 ms", moved.abs() * 1e3, if moved < 0.0 { "earlier" } else { "later" })
        });
    }

    /// Lets it begin and end where its recording sounds.
    fn trim_silence(&mut self) {
        let Some(opened) = self.sounds.opened.as_mut() else { return };
        let (Some(recording), Some(bounds)) = (opened.ready().cloned(), opened.bounds()) else { return };
        let Some((first, last)) = sounding(&recording.decoded) else { return self.say("the recording is silent") };
        let seconds = |frame: usize| frame as f64 / f64::from(bounds.rate);
        let trim = bounds.put(&opened.trim, Handle::Begin, seconds(first));
        opened.take(bounds.put(&trim, Handle::End, seconds(last)));
        let words = match opened.trim == opened.written {
            true => "there is no silence at its head or tail".to_owned(),
            false => {
                format!("it plays from {} s to {} s: what lies around is silent", exact_seconds(opened.trim.from), exact_seconds(bounds.end(&opened.trim)))
            }
        };
        self.write_trim();
        self.say(words);
    }

    /// Opens the next take of the sound, or the one before.
    fn next_opened(&mut self, by: isize) {
        self.write_trim();
        let list = self.sound().map(takes_of).unwrap_or_default();
        let places = list.iter().enumerate().filter(|(_, t)| t.file && t.at.is_some() && !is_placeholder(&t.name)).map(|(at, _)| at).collect::<Vec<_>>();
        let here = places.iter().position(|at| *at == self.sounds.take).unwrap_or(0);
        if let Some(next) = here.checked_add_signed(by).and_then(|at| places.get(at)) {
            self.sounds.take = *next;
            self.open_take();
        }
    }

    /// Takes in what was read or drawn, writes what was moved when the hand rests, and plays what was asked for when it is loaded; true if there is
    /// something new to show.
    pub(crate) fn poll_opened(&mut self) -> bool {
        self.leave_opened();
        let Some(opened) = &mut self.sounds.opened else { return false };
        let mut news = false;
        if let Ok(came) = opened.coming.try_recv() {
            let came = came.map(Arc::new);
            if let Ok(recording) = &came {
                opened.sight = (0.0, recording.bounds().length);
            }
            opened.recording = Some(came);
            news = true;
        }
        if let Some(image) = opened.drawing.as_ref().and_then(|d| d.try_recv().ok()) {
            (opened.image, opened.drawing) = (Some(image), None);
            news = true;
        }
        let wanted = (opened.sight, opened.room.get());
        if opened.shows_spectrum
            && opened.drawing.is_none()
            && opened.image.as_ref().is_none_or(|image| image.of != wanted)
            && let Some(recording) = opened.ready().cloned()
        {
            opened.drawing = Some(draw_aside(recording, wanted));
        }
        let (rests, hears) = (opened.changed.is_some_and(|at| at.elapsed() >= RESTS), opened.hear.is_some());
        if rests {
            self.write_trim();
            news = true;
        } else if self.sounds.opened.as_ref().is_some_and(|o| o.changed.is_none()) {
            self.follow_opened();
        }
        if hears && self.loading().is_none() {
            self.play_opened();
            news = true;
        }
        news
    }

    fn play_opened(&mut self) {
        let Some(opened) = &mut self.sounds.opened else { return };
        let Some(moment) = opened.hear.take() else { return };
        let (sound, (group, take)) = (NameKey::of(&opened.sound), opened.at);
        let from_seconds = (moment - opened.written.from).max(0.0) as f32;
        self.rehearsal.say(InputKind::Stop { sound });
        self.rehearsal.say(InputKind::PlayTake { sound, group, take, from_seconds });
    }
}

/// Works a spectrogram out, on a thread of its own.
fn draw_aside(recording: Arc<Recording>, of: ((f64, f64), (u16, u16))) -> Receiver<Image> {
    let (sender, coming) = channel();
    std::thread::spawn(move || {
        let ((from, to), (columns, rows)) = of;
        let (rate, frames) = (recording.decoded.rate, recording.frames());
        let at = |seconds: f64| ((seconds * f64::from(rate)) as usize).min(frames);
        // What lies around is in the windows at both ends.
        let (first, last) = (at(from).saturating_sub(LONGEST_WINDOW), (at(to) + LONGEST_WINDOW).min(frames));
        let count = recording.decoded.channels.len().max(1) as f32;
        let mixed: Vec<f32> = (first..last).map(|i| recording.decoded.channels.iter().map(|c| c[i]).sum::<f32>() / count).collect();
        let _ = sender.send(Image { of, columns: spectrogram(&mixed, rate, at(from) - first..at(to) - first, (usize::from(columns), usize::from(rows) * 2)) });
    });
    coming
}
