//! A voice: one recipe being played, from its samples to its bus.
//!
//! A voice far below hearing *sleeps*: it is looked after only now and then, without interpolating or filtering, and when
//! it is heard again it goes on where it would be.

use super::fading_filter::FadingFilter;
use super::head::Head;
use super::paging::Paging;
use super::pan::{Gains, Placement, Ramps, panned, plain, times};
use super::source::{Source, WINDOW, Window};
use super::swept::Swept;
use crate::dsp::{Envelope, Fade, HighPass, HighPassCoefficients, Interpolator, LEAD, LowPass, LowPassCoefficients, ONE, Shaping, Swell, TAPS, advance_of};
use crate::ground::index::{BusIndex, PieceIndex, SoundIndex};
use crate::ground::names::NameKey;
use crate::ground::property::{PerProperty, Property};
use crate::ground::random::Stream;
use crate::ground::telemetry::Cause;
use crate::ground::time::BLOCK;
use crate::ground::units::{Octaves, Semitones};
use crate::ground::vocabulary::Rounds;
use crate::mixer::spec::{MOST_NESTED, Made, Recipe};
use crate::world::spec::MOST_ROOMS;
use std::sync::Arc;

/// Scratch memory shared by all voices.
pub(crate) struct Scratch {
    pub(crate) window: Window,
    pub(crate) out: [[f32; BLOCK]; 2],
    /// The pages of what is streamed.
    pub(crate) paging: Paging,
}

impl Default for Scratch {
    fn default() -> Self {
        Scratch { window: [[0.0; WINDOW]; 2], out: [[0.0; BLOCK]; 2], paging: Paging::default() }
    }
}

/// Why a voice is on its way out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Leaving {
    No,
    For(Cause),
}

/// The way from the sound that was asked for to a take.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Route {
    pub(crate) path: [SoundIndex; MOST_NESTED],
    pub(crate) depth: usize,
    /// Which playing of each sound on the way it belongs to.
    pub(crate) instances: [u64; MOST_NESTED],
    /// What was drawn for each sound on the way.
    pub(crate) drawn: [PerProperty<f32>; MOST_NESTED],
    /// The group of each sound that is cross-faded, counted from 1; 0 if it is not.
    pub(crate) across: [u8; MOST_NESTED],
    pub(crate) take_level: f32,
    pub(crate) take_pitch: f32,
    /// Frames before the start, and seconds into the audio.
    pub(crate) delay: u64,
    pub(crate) from: f32,
    /// Further frames into the audio, to the sample.
    pub(crate) skip: u64,
    /// The last draws of wait and place, in seconds, for those who show them.
    pub(crate) drawn_after: f32,
    pub(crate) drawn_from: f32,
}

impl Route {
    pub(crate) const START: Route = Route {
        path: [SoundIndex::new(0); MOST_NESTED],
        depth: 0,
        instances: [0; MOST_NESTED],
        drawn: [PerProperty::all(0.0); MOST_NESTED],
        across: [0; MOST_NESTED],
        take_level: 0.0,
        take_pitch: 0.0,
        delay: 0,
        from: 0.0,
        skip: 0,
        drawn_after: 0.0,
        drawn_from: 0.0,
    };

    /// The sounds on the way.
    pub(crate) fn sounds(&self) -> &[SoundIndex] {
        &self.path[..self.depth]
    }

    /// The way with its sounds found again in another program; `None` if one of them is gone.
    pub(crate) fn moved(&self, find: impl Fn(SoundIndex) -> Option<SoundIndex>) -> Option<Route> {
        let mut moved = *self;
        for index in &mut moved.path[..self.depth] {
            *index = find(*index)?;
        }
        Some(moved)
    }

    /// Whether it leads through a playing.
    pub(crate) fn belongs_to(&self, instance: u64) -> bool {
        self.instances[..self.depth].contains(&instance)
    }
}

fn low_pass(octaves: f32, rate: u32) -> Option<LowPassCoefficients> {
    (octaves < 0.0).then(|| LowPassCoefficients::new(Octaves(octaves).from_open(), rate))
}

fn high_pass(octaves: f32, rate: u32) -> Option<HighPassCoefficients> {
    (octaves > 0.0).then(|| HighPassCoefficients::new(Octaves(octaves).above_open(), rate))
}

/// Sends of a voice beyond these go over from block to block without a way between.
pub(crate) const MOST_SENT: usize = 4;

/// No emitter's place.
pub(crate) const NOWHERE: u16 = u16::MAX;

/// The layer that a voice plays, and in which pass of its section.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Cue {
    pub(crate) piece: PieceIndex,
    pub(crate) layer: u32,
    pub(crate) pass: u64,
}

/// One recipe being played.
#[derive(Debug)]
pub(crate) struct Voice {
    pub(crate) id: u64,
    pub(crate) route: Route,
    pub(crate) sound: NameKey,
    pub(crate) emitter: NameKey,
    /// The emitter's place in the world.
    pub(crate) place: u16,
    /// Whether it has a place of its own, since the emitter has gone.
    pub(crate) stayed: bool,
    pub(crate) by: NameKey,
    pub(crate) bus: BusIndex,
    /// Whether any of its sounds sends to a return.
    pub(crate) sends: bool,
    pub(crate) cue: Option<Cue>,
    /// What its layer is faded by, and the frame on which the present block begins.
    pub(crate) swell: Option<(Swell, u64)>,
    /// The band that it sounds instead of a recipe.
    pub(crate) band: Option<u8>,
    pub(crate) recipe: Option<Arc<Recipe>>,
    pub(crate) source: Source,
    pub(crate) started: u64,
    /// Frames from the start of the present block to its start; 0 once it sounds.
    pub(crate) wait: u64,
    /// Whether its start has been told.
    pub(crate) told: bool,
    /// It is let go after so many frames; 0 if not.
    pub(crate) length: u64,
    /// It is let go on this frame, at the end of a sweep.
    pub(crate) let_go_on: Option<u64>,
    pub(crate) envelope: Envelope,
    /// Rises when it wakes.
    pub(crate) gate: Fade,
    pub(crate) swept: PerProperty<Option<Swept>>,
    /// Where it is heard, if it is placed.
    pub(crate) placement: Option<Placement>,
    /// Where it was heard in the block before, and its gains there, for so many channels.
    panned_by: Option<(Option<Placement>, Gains, usize)>,
    /// The ears' delays and shadows, while heard with a head.
    head: Head,
    /// Whether it is.
    pub(crate) with_head: bool,
    /// The gains of the block before of what its sounds send, for the first few.
    pub(crate) sent: [f32; MOST_SENT],
    /// The same of what it sends to the returns of rooms.
    pub(crate) roomed: [f32; MOST_ROOMS],
    pub(crate) leaving: Leaving,
    pub(crate) frozen: Option<PerProperty<f32>>,
    /// After an edit that leads it to another bus: block by block from as loud as it was there, to as loud as it is here.
    pub(crate) moved: Fade,
    /// Level of this block's terms in dB, and its gain; the gain of the block before.
    pub(crate) level: f32,
    pub(crate) gain: f32,
    pub(crate) pitch: f32,
    pub(crate) advance: u64,
    pub(crate) octaves: f32,
    pub(crate) octaves_up: f32,
    /// Where it stands between the speakers, if it is not placed.
    pub(crate) pan: f32,
    /// How far its two channels lie apart, if it is not placed, 0 to 2; and at the end of the block before.
    width: f32,
    widened: f32,
    low: FadingFilter<LowPass>,
    high: FadingFilter<HighPass>,
    history: [[f32; TAPS]; 2],
    fraction: u64,
    primed: bool,
    silence: usize,
    /// Frames that a sleeping voice has not read, at most `TAPS`.
    debt: usize,
    /// Up to which frame a sleeping voice has been looked after.
    pub(crate) slept_to: u64,
    pub(crate) asleep: bool,
    pub(crate) ended: bool,
    /// Mean power of the audio before and after the filters, followed over about 100 ms.
    pub(crate) power: f32,
    pub(crate) filtered: f32,
}

impl Voice {
    pub(crate) fn idle() -> Voice {
        Voice {
            id: 0,
            route: Route::START,
            sound: NameKey::NONE,
            emitter: NameKey::NONE,
            place: NOWHERE,
            stayed: false,
            by: NameKey::NONE,
            bus: BusIndex::ROOT,
            sends: false,
            cue: None,
            swell: None,
            band: None,
            recipe: None,
            source: Source::new(None, Stream::new(0, NameKey::NONE, 0)),
            started: 0,
            wait: 0,
            told: false,
            length: 0,
            let_go_on: None,
            envelope: Envelope::new(Shaping::plain(0)),
            gate: Fade::at(1.0),
            swept: PerProperty::all(None),
            placement: None,
            panned_by: None,
            head: Head::new(),
            with_head: false,
            sent: [f32::NAN; MOST_SENT],
            roomed: [f32::NAN; MOST_ROOMS],
            leaving: Leaving::No,
            frozen: None,
            moved: Fade::at(1.0),
            level: 0.0,
            gain: f32::NAN,
            pitch: 0.0,
            advance: ONE,
            octaves: 0.0,
            octaves_up: 0.0,
            pan: 0.0,
            width: 1.0,
            widened: f32::NAN,
            low: FadingFilter::new(),
            high: FadingFilter::new(),
            history: [[0.0; TAPS]; 2],
            fraction: 0,
            primed: false,
            silence: 0,
            debt: 0,
            slept_to: 0,
            asleep: false,
            ended: false,
            power: 0.0,
            filtered: 0.0,
        }
    }

    /// The sounds of its path.
    pub(crate) fn sounds(&self) -> &[SoundIndex] {
        self.route.sounds()
    }

    /// Whether it plays a sound of the project and is not on its way out.
    pub(crate) fn stays(&self) -> bool {
        self.leaving == Leaving::No && self.frozen.is_none() && !self.ended
    }

    /// Whether it goes round until it is let go.
    pub(crate) fn endless(&self) -> bool {
        self.recipe.as_ref().is_some_and(|r| r.parts.iter().any(|p| p.rounds == Rounds::Loop) || self.made_endless())
    }

    /// Whether it is made by a generator that goes on until it is let go, without rounds that could be completed.
    pub(crate) fn made_endless(&self) -> bool {
        self.recipe.as_ref().and_then(|r| r.made.as_ref()).is_some_and(Made::endless)
    }

    pub(crate) fn take(&self) -> NameKey {
        self.recipe.as_ref().map_or(NameKey::NONE, |r| r.name)
    }

    /// Lets it fade out from `offset` frames into the present block on; a fade under way is only made shorter.
    pub(crate) fn leave(&mut self, cause: Cause, offset: u64, frames: u64) {
        if self.asleep || self.wait > offset {
            // It is not heard: there is nothing to fade.
            self.ended = true;
        }
        self.envelope.let_go(offset.saturating_sub(self.wait), frames);
        if self.leaving == Leaving::No {
            self.leaving = Leaving::For(cause);
        }
    }

    /// Takes the sums of its terms: what each property of sounds does to samples begins here.
    pub(crate) fn take_sums(&mut self, sums: &PerProperty<f32>) {
        self.level = sums[Property::Level];
        if sums[Property::Pitch] != self.pitch {
            self.pitch = sums[Property::Pitch];
            self.advance = advance_of(Semitones(self.pitch).ratio());
        }
        self.octaves = sums[Property::LowPass];
        self.octaves_up = sums[Property::HighPass];
        self.pan = sums[Property::Pan];
        self.width = 1.0 + sums[Property::Width].clamp(-1.0, 1.0);
    }

    /// It is on another bus from now on, where it is to be so many times as loud as it would be to be heard as before: it goes over within `frames`.
    pub(crate) fn move_to(&mut self, bus: BusIndex, louder: f32, frames: u64) {
        (self.bus, self.gain) = (bus, self.gain * louder);
        self.moved = Fade::over(louder * self.moved.gain(), 1.0, frames / BLOCK as u64);
    }

    /// How far into its audio it begins, in frames.
    fn begins(&self, rate: u32) -> usize {
        (f64::from(self.route.from) * f64::from(rate)).max(0.0) as usize + self.route.skip as usize
    }

    /// Sees to it that what it begins with is there when it begins.
    fn prepare(&self, paging: &mut Paging, rate: u32) {
        if let Some(recipe) = self.recipe.as_ref().filter(|_| !self.primed) {
            self.source.prepare_from(recipe, paging, self.begins(rate), false);
        }
    }

    fn prime(&mut self, scratch: &mut Scratch, rate: u32) {
        let from = self.begins(rate);
        let Some(recipe) = self.recipe.as_ref().filter(|_| !self.primed) else { return };
        if from > 0 {
            self.source.skip(recipe, from);
        }
        self.silence = self.source.read(recipe, &mut scratch.paging, &mut scratch.window, LEAD, TAPS - LEAD);
        for (history, window) in self.history.iter_mut().zip(&scratch.window) {
            history[LEAD..].copy_from_slice(&window[LEAD..TAPS]);
        }
        self.primed = true;
        self.low.begin(self.octaves, low_pass(self.octaves, rate));
        self.high.begin(self.octaves_up, high_pass(self.octaves_up, rate));
    }

    /// Goes to sleep at the start of the block that begins at `frame`.
    pub(crate) fn sleep(&mut self, frame: u64, scratch: &mut Scratch, rate: u32) {
        self.prime(scratch, rate);
        (self.asleep, self.slept_to, self.debt, self.wait) = (true, frame + self.wait, 0, 0);
    }

    /// Goes on, unheard, to `frame`.
    pub(crate) fn doze(&mut self, frame: u64, paging: &mut Paging) {
        let count = frame.saturating_sub(self.slept_to);
        let Some(recipe) = self.recipe.as_ref().filter(|_| count > 0) else { return };
        let position = u128::from(self.fraction) + u128::from(self.advance) * u128::from(count);
        self.fraction = (position & u128::from(ONE - 1)) as u64;
        let whole = (position >> 32) as usize + self.debt;
        if whole > TAPS {
            self.source.skip(recipe, whole - TAPS);
        }
        self.source.prepare(recipe, paging, true);
        self.debt = whole.min(TAPS);
        self.slept_to = frame;
        self.envelope.skip(count);
        self.age(count);
        self.ended |= (self.source.ended() && self.debt == TAPS) || self.envelope.gone();
    }

    /// Wakes; its level rises over 3 ms.
    pub(crate) fn wake(&mut self, scratch: &mut Scratch, rate: u32) {
        let Some(recipe) = self.recipe.as_ref() else { return };
        self.silence = self.source.read(recipe, &mut scratch.paging, &mut scratch.window, 0, self.debt);
        for (history, window) in self.history.iter_mut().zip(&scratch.window) {
            history.copy_within(self.debt.., 0);
            history[TAPS - self.debt..].copy_from_slice(&window[..self.debt]);
        }
        (self.asleep, self.debt, self.gain, self.panned_by, self.sent) = (false, 0, f32::NAN, None, [f32::NAN; MOST_SENT]);
        self.roomed = [f32::NAN; MOST_ROOMS];
        self.head = Head::new();
        self.gate = Fade::over(0.0, 1.0, u64::from(rate) * 3 / 1000);
        self.low = FadingFilter::new();
        self.high = FadingFilter::new();
    }

    /// Lets it go if its length is over within the next `count` frames.
    fn age(&mut self, count: u64) {
        if self.length > 0 {
            if self.length <= count {
                let release = self.envelope.release_frames();
                self.envelope.let_go(self.length, release);
                self.leaving = if self.leaving == Leaving::No { Leaving::For(Cause::Done) } else { self.leaving };
                self.length = 0;
            } else {
                self.length -= count;
            }
        }
    }

    /// Renders this block into `scratch`, and gives the gains by which it is to be added to its bus; `None` if it is not heard in this block.
    ///
    /// `target` is the gain at the block's end; the way to it is a straight line.
    pub(crate) fn render(
        &mut self,
        interpolator: &Interpolator,
        rate: u32,
        scratch: &mut Scratch,
        (band, target): (Option<&[[f32; BLOCK]]>, f32),
    ) -> Option<Ramps> {
        if self.wait >= BLOCK as u64 {
            self.wait -= BLOCK as u64;
            self.prepare(&mut scratch.paging, rate);
            return None;
        }
        self.prime(scratch, rate);
        let offset = self.wait as usize;
        let count = BLOCK - offset;
        self.age(count as u64);
        let Some(recipe) = self.recipe.as_ref() else {
            let Some(band) = band else {
                self.ended = true;
                return None;
            };
            for (out, band) in scratch.out.iter_mut().zip(band) {
                out[..count].copy_from_slice(&band[offset..]);
            }
            let (_, ramps) = self.finish_block((rate, band.len()), scratch, (offset, target));
            self.ended |= self.envelope.gone();
            return Some(ramps);
        };
        let channels = if recipe.stereo { 2 } else { 1 };
        let whole = ((self.fraction + self.advance * count as u64) >> 32) as usize;
        for (window, history) in scratch.window.iter_mut().zip(&self.history).take(channels) {
            window[..TAPS].copy_from_slice(history);
        }
        let silent = self.source.read(recipe, &mut scratch.paging, &mut scratch.window, TAPS, whole);
        self.source.prepare(recipe, &mut scratch.paging, false);
        self.silence = if silent > 0 { self.silence + silent } else { self.silence.min(TAPS) };
        let mut position = self.fraction;
        for channel in 0..channels {
            position = interpolator.fill(&scratch.window[channel], self.fraction, self.advance, &mut scratch.out[channel][..count]);
            self.history[channel].copy_from_slice(&scratch.window[channel][whole..whole + TAPS]);
        }
        self.fraction = position & (ONE - 1);
        let (filtered, ramps) = self.finish_block((rate, channels), scratch, (offset, target));
        let gone = self.envelope.gone();
        // The filter's tail rings on after the source; 40 ms are enough for the lowest cutoff that is heard.
        let ringing = if filtered { rate as usize / 25 } else { 0 };
        self.ended |= gone || self.silence > TAPS + ringing;
        Some(ramps)
    }

    /// Filters and shapes what is in `scratch`; gives whether a filter did anything, and the gains by which it is to be added.
    fn finish_block(&mut self, (rate, channels): (u32, usize), scratch: &mut Scratch, (offset, target): (usize, f32)) -> (bool, Ramps) {
        let count = BLOCK - offset;
        let power = mean_power(scratch, channels, count);
        self.power += (power - self.power) * follow(self.power);
        let [first, second] = &mut scratch.out;
        let sides = &mut [&mut first[..count], &mut second[..count]][..channels];
        let low = self.low.apply(self.octaves, |o| low_pass(o, rate), sides);
        let high = self.high.apply(self.octaves_up, |o| high_pass(o, rate), sides);
        let filtered = if low || high { mean_power(scratch, channels, count) } else { power };
        self.filtered += (filtered - self.filtered) * follow(self.filtered);
        if channels == 2 {
            self.widen(scratch, count);
        }
        let channels = self.turn_head(scratch, channels, offset, rate);
        let ramps = self.shape(scratch, channels, offset, target);
        self.wait = 0;
        (low || high, ramps)
    }

    /// Scales the difference of both channels, unless it is placed: then its bearing and distance say how wide it is.
    fn widen(&mut self, scratch: &mut Scratch, count: usize) {
        let to = if self.placement.is_some() { 1.0 } else { self.width };
        let from = if self.widened.is_nan() { to } else { self.widened };
        self.widened = to;
        if from == 1.0 && to == 1.0 {
            return;
        }
        let step = (to - from) / count.max(1) as f32;
        let [first, second] = &mut scratch.out;
        for (i, (l, r)) in first[..count].iter_mut().zip(&mut second[..count]).enumerate() {
            let width = from + step * (i + 1) as f32;
            let (middle, side) = (0.5 * (*l + *r), 0.5 * (*l - *r) * width);
            (*l, *r) = (middle + side, middle - side);
        }
    }

    /// Lets both ears hear what is in `scratch`, if it is placed and heard with a head; gives how many channels there are then.
    ///
    /// So far as it is wide it stays as it was recorded.
    fn turn_head(&mut self, scratch: &mut Scratch, channels: usize, offset: usize, rate: u32) -> usize {
        let Some(placement) = self.placement.filter(|_| self.with_head) else { return channels };
        let count = BLOCK - offset;
        let [first, second] = &mut scratch.out;
        if channels == 1 {
            *second = *first;
        }
        let middle: [f32; BLOCK] = std::array::from_fn(|i| (first[i] + second[i]) * 0.5);
        let [mut left, mut right] = [[0.0; BLOCK]; 2];
        self.head.process(&placement, rate, &middle[..count], [&mut left, &mut right]);
        for i in 0..count {
            first[i] += (left[i] - first[i]) * (1.0 - placement.width);
            second[i] += (right[i] - second[i]) * (1.0 - placement.width);
        }
        2
    }

    /// Takes what is in `scratch` through its envelope and its gates, and says with which gains it goes to either side of its bus, with its level on
    /// the way to `target`.
    fn shape(&mut self, scratch: &mut Scratch, channels: usize, offset: usize, target: f32) -> Ramps {
        let start = if self.gain.is_nan() { target } else { self.gain };
        self.gain = target;
        let to = match self.placement {
            // With a head the ears have been told apart already.
            Some(_) if self.with_head => plain(channels),
            Some(placement) => match self.panned_by {
                Some((before, gains, of)) if before == Some(placement) && of == channels => gains,
                _ => placement.gains(channels),
            },
            None => panned(channels, self.pan),
        };
        let from = self.panned_by.replace((self.placement, to, channels)).map_or(to, |(_, gains, _)| gains);
        let count = BLOCK - offset;
        let swell = self.swell.map(|(swell, frame)| (swell, frame + offset as u64));
        let still = swell.map_or(Some(1.0), |(swell, frame)| swell.steady(frame, count as u64));
        let steady = self.envelope.steady().zip(still).map(|(e, s)| e * s * self.gate.gain()).filter(|_| self.gate.arrived());
        let steady = steady.unwrap_or_else(|| {
            let mut gains = [0.0; BLOCK];
            for (i, gain) in gains[..count].iter_mut().enumerate() {
                *gain = self.envelope.next_gain() * self.gate.next_gain();
                if let Some((swell, frame)) = &swell {
                    *gain *= swell.at(frame + i as u64);
                }
            }
            for out in &mut scratch.out[..channels] {
                out.iter_mut().zip(&gains).for_each(|(sample, gain)| *sample *= gain);
            }
            1.0
        });
        // Level and place go in one straight line for each side: their product at both ends is exact.
        Ramps { channels, offset, begin: times(from, start * steady), end: times(to, target * steady) }
    }
}

fn mean_power(scratch: &Scratch, channels: usize, count: usize) -> f32 {
    scratch.out[..channels].iter().map(|c| mean_square(&c[..count])).sum::<f32>() / channels as f32
}

/// How quickly measured power is followed: at once at first, then over about 100 ms.
fn follow(before: f32) -> f32 {
    if before == 0.0 { 1.0 } else { 0.03 }
}

pub(crate) fn mean_square(samples: &[f32]) -> f32 {
    let mut lanes = [0.0f32; 8];
    let chunks = samples.chunks_exact(8);
    let rest: f32 = chunks.remainder().iter().map(|s| s * s).sum();
    for chunk in chunks {
        for i in 0..8 {
            lanes[i] += chunk[i] * chunk[i];
        }
    }
    (lanes.iter().sum::<f32>() + rest) / samples.len().max(1) as f32
}
