//! A playthrough, rendered and looked at closely: what expectations are held against.

use super::stood::Stood;
use crate::offline::{frames, heard, inputs};
use ebur128::{EbuR128, Mode};
use estampie_engine::engine::{Engine, Options, Prepared, Status};
use estampie_engine::index::{BusIndex, ByIndex};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::telemetry::{Happening, What};
use estampie_project::language::Playthrough;
use std::collections::{HashMap, HashSet};
use std::sync::Arc;
use std::time::Duration;

/// A status is looked at every so many blocks (11 ms at 48 kHz).
const EVERY: u32 = 8;

/// Frames of those blocks.
pub(crate) const STEP: usize = EVERY as usize * estampie_engine::time::BLOCK;

/// A step of less than this (in full scale) is no click, whatever is around it: 34 dB below full scale.
const LEAST_CLICK: f32 = 0.02;
/// A click stands out from the steps around it by this factor.
const STANDS_OUT: f32 = 6.0;
/// How far around is looked, in frames, and how near is not (a click may be some samples wide).
const AROUND: usize = 96;
const NEAR: usize = 2;

/// A voice of a sound that is watched.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Heard {
    pub(crate) voice: u64,
    pub(crate) sound: NameKey,
    /// The gain from its audio to the output, in dB.
    pub(crate) level_db: f32,
    /// What it adds to the output, in dB below full scale.
    pub(crate) power_db: f32,
    /// How far away it is, if it is anywhere.
    pub(crate) metres: Option<f32>,
}

/// One moment.
#[derive(Debug, Clone, Default)]
pub(crate) struct Sample {
    pub(crate) frame: u64,
    /// Of each bus the greatest sample since the moment before.
    pub(crate) peaks: Vec<f32>,
    /// What each bus adds to the output, in dB below full scale.
    pub(crate) powers_db: Vec<f32>,
    pub(crate) snapshots: Vec<f32>,
    pub(crate) parameters: Vec<f32>,
    pub(crate) voices: Vec<Heard>,
    /// The greatest sample of the output.
    pub(crate) peak: f32,
    /// What the ceiling took away at most, in dB (0 or less).
    pub(crate) ceiling_db: f32,
    /// How many voices are heard.
    pub(crate) sounding: usize,
}

/// The loudness of a tenth of a second, in LUFS, and its true peak in dBTP.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Tenth {
    pub(crate) momentary: f64,
    pub(crate) short_term: f64,
    pub(crate) true_peak: f64,
}

/// Where in its piece's bar a stinger came: the bar and beat from 0, and how far the nearest beat is, in seconds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Stung {
    pub(crate) frame: u64,
    pub(crate) stinger: NameKey,
    pub(crate) beat: Option<(u32, f64)>,
}

/// Everything that was looked at.
#[derive(Debug, Default)]
pub(crate) struct Observed {
    pub(crate) rate: u32,
    pub(crate) frames: u64,
    pub(crate) samples: Vec<Sample>,
    pub(crate) happened: Vec<Happening>,
    /// Seconds of a bar of each piece, as it was when it was last looked at: frame, piece, seconds.
    pub(crate) bars: Vec<(u64, NameKey, f64)>,
    pub(crate) stung: Vec<Stung>,
    pub(crate) tenths: Vec<Tenth>,
    pub(crate) integrated: f64,
    /// By second, how much of a core it took; empty if it was not measured.
    pub(crate) loads: Vec<f32>,
    /// Frames of clicks.
    pub(crate) clicks: Vec<u64>,
    /// The sound of each voice, its take, and what was asked for.
    pub(crate) voices: HashMap<u64, (NameKey, NameKey, NameKey)>,
    /// How everything stood before the end.
    pub(crate) stands: Option<Box<Status>>,
    /// What stood for a while, for coverage.
    pub(crate) stood: Stood,
    /// When each voice began and ended.
    pub(crate) spans: HashMap<u64, (u64, u64)>,
}

/// Finds steps that stand out, in samples as they come.
#[derive(Debug)]
struct Clicks {
    /// Steps from sample to sample of each channel, `2 * AROUND + 1` of them at most.
    steps: [Vec<f32>; 2],
    last: [f32; 2],
    frame: u64,
    /// By how much a click stands out.
    factor: f32,
    found: Vec<u64>,
}

impl Clicks {
    fn new(factor: f32) -> Clicks {
        Clicks { steps: [Vec::new(), Vec::new()], last: [0.0; 2], frame: 0, factor, found: Vec::new() }
    }

    fn add(&mut self, samples: &[f32]) {
        for (side, steps) in self.steps.iter_mut().enumerate() {
            for frame in samples.chunks_exact(2) {
                steps.push((frame[side] - self.last[side]).abs());
                self.last[side] = frame[side];
            }
        }
        self.look(false);
    }

    /// Looks at all steps whose surroundings are there.
    fn look(&mut self, end: bool) {
        let have = self.steps[0].len();
        let until = if end { have } else { have.saturating_sub(AROUND) };
        // What came before the first look is kept as surroundings.
        let first = AROUND.min(self.frame as usize);
        for at in first..until {
            for steps in &self.steps {
                let step = steps[at];
                if step < LEAST_CLICK {
                    continue;
                }
                let before = &steps[at.saturating_sub(AROUND)..at.saturating_sub(NEAR)];
                let after = &steps[(at + NEAR + 1).min(have)..(at + AROUND + 1).min(have)];
                // From the nearest on: where it sounds one of the first is large enough.
                let mut around = before.iter().rev().chain(after);
                if around.all(|other| step > self.factor * other) {
                    let frame = self.frame + (at - first) as u64;
                    if self.found.last().is_none_or(|last| frame > last + AROUND as u64) {
                        self.found.push(frame);
                    }
                }
            }
        }
        if until > first {
            self.frame += (until - first) as u64;
            let keep = until.saturating_sub(AROUND);
            self.steps.iter_mut().for_each(|s| drop(s.drain(..keep)));
        }
    }
}

/// What is looked at besides what comes for nothing.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Looks<'a> {
    /// The sounds whose voices are looked at, by the name that was asked for or that of a sound within.
    pub(crate) watched: &'a HashSet<NameKey>,
    /// Whether loudness is measured. Without, no tenth has one, and true peaks are only measured where samples come near full scale.
    pub(crate) loudness: bool,
    /// Whether the work is measured.
    pub(crate) load: bool,
}

impl Default for Looks<'_> {
    fn default() -> Self {
        static NOTHING: std::sync::LazyLock<HashSet<NameKey>> = std::sync::LazyLock::new(HashSet::new);
        Looks { watched: &NOTHING, loudness: false, load: false }
    }
}

/// For how long this thread was at work, since any beginning.
fn at_work() -> Duration {
    #[cfg(unix)]
    {
        let time = rustix::time::clock_gettime(rustix::time::ClockId::ThreadCPUTime);
        Duration::new(time.tv_sec.max(0) as u64, time.tv_nsec.clamp(0, 999_999_999) as u32)
    }
    #[cfg(not(unix))]
    {
        static BEGINNING: std::sync::LazyLock<std::time::Instant> = std::sync::LazyLock::new(std::time::Instant::now);
        BEGINNING.elapsed()
    }
}

/// Renders a playthrough and looks at what it comes to; not to its end if it is no longer wanted.
pub(crate) fn observe(program: &Arc<Program>, playthrough: &Playthrough, looks: Looks<'_>, goes: &dyn Fn() -> bool) -> Option<Observed> {
    let Looks { watched, loudness, load } = looks;
    let rate = program.rate;
    let schedule = inputs(playthrough, rate).into();
    let prepared = Prepared::new(Arc::clone(program), playthrough.seed());
    let (mut engine, mut remote) = Engine::new(prepared, Options { schedule, status_every: EVERY, ..Options::default() });
    let mut seen = Observed { rate, frames: frames(playthrough, rate), integrated: f64::NEG_INFINITY, ..Observed::default() };
    let mut meter = if loudness { EbuR128::new(2, rate, Mode::M | Mode::S | Mode::I | Mode::TRUE_PEAK | Mode::HISTOGRAM).ok() } else { None };
    let mut before = Vec::new();
    let mut clicks = Clicks::new(STANDS_OUT);
    let (mut buffer, mut tenth) = (vec![0.0f32; 2 * STEP], Vec::with_capacity(rate as usize / 5));
    let tenth_long = rate as usize / 10 * 2;
    let unheard = heard(playthrough, rate).0;
    let end = playthrough.length().frames(rate);
    let mut left = seen.frames as usize;
    let mut last: Option<Box<Status>> = None;
    while left > 0 {
        if !goes() {
            return None;
        }
        let part = &mut buffer[..2 * STEP.min(left)];
        left -= part.len() / 2;
        if load {
            let (before, second) = (at_work(), (engine.frame() / u64::from(rate)) as usize);
            engine.render(part);
            seen.loads.resize(seen.loads.len().max(second + 1), 0.0);
            seen.loads[second] += (at_work() - before).as_secs_f32();
        } else {
            engine.render(part);
        }
        // What comes unheard is what it is only for what comes after it.
        let is_heard = engine.frame() > unheard;
        clicks.add(part);
        for sample in part.iter().filter(|_| is_heard) {
            tenth.push(*sample);
            if tenth.len() == tenth_long {
                seen.tenths.push(if loudness { measured(meter.as_mut(), &tenth) } else { peak_of(rate, &before, &tenth) });
                std::mem::swap(&mut before, &mut tenth);
                tenth.clear();
            }
        }
        while let Some(happening) = remote.happening() {
            seen.note(program, &happening, last.as_deref());
        }
        if let Some(status) = remote.status() {
            // The block of the end itself has it all let go already.
            let after = status.frame + estampie_engine::time::BLOCK as u64;
            if after <= end && after + 2 * STEP as u64 > end {
                seen.stands = Some(Box::new((*status).clone()));
            }
            if is_heard {
                seen.stood.look(program, &status);
                seen.look(program, &status, watched, part.iter().fold(0.0f32, |a, b| a.max(b.abs())));
            }
            if let Some(before) = last.replace(status) {
                remote.give_back(before);
            }
        }
    }
    if !tenth.is_empty() {
        seen.tenths.push(if loudness { measured(meter.as_mut(), &tenth) } else { peak_of(rate, &before, &tenth) });
    }
    seen.stood.asked = engine.weighed().to_vec();
    clicks.look(true);
    seen.clicks = clicks.found.into_iter().filter(|frame| *frame >= unheard).collect();
    seen.excuse_clicks(program);
    seen.integrated = meter.and_then(|l| l.loudness_global().ok()).unwrap_or(f64::NEG_INFINITY);
    Some(seen)
}

/// Between samples the signal rises above them; where none comes so near full scale it does not get there.
const NEAR_FULL: f32 = 0.4;

/// The true peak of a tenth of a second, if it may be near full scale, and no loudness.
fn peak_of(rate: u32, before: &[f32], samples: &[f32]) -> Tenth {
    let highest = samples.iter().fold(0.0f32, |a, b| a.max(b.abs()));
    let true_peak = if highest < NEAR_FULL {
        f64::from(20.0 * highest.max(1e-9).log10())
    } else {
        let mut meter = EbuR128::new(2, rate, Mode::TRUE_PEAK).ok();
        measured(meter.as_mut(), before);
        measured(meter.as_mut(), samples).true_peak
    };
    Tenth { momentary: f64::NEG_INFINITY, short_term: f64::NEG_INFINITY, true_peak }
}

fn measured(loudness: Option<&mut EbuR128>, samples: &[f32]) -> Tenth {
    let silent = Tenth { momentary: f64::NEG_INFINITY, short_term: f64::NEG_INFINITY, true_peak: f64::NEG_INFINITY };
    let Some(loudness) = loudness.filter(|_| !samples.is_empty()) else { return silent };
    if loudness.add_frames_f32(samples).is_err() {
        return silent;
    }
    let or = |value: Result<f64, ebur128::Error>| value.unwrap_or(f64::NEG_INFINITY);
    let peak = [0, 1].into_iter().filter_map(|c| loudness.prev_true_peak(c).ok()).fold(0.0, f64::max);
    Tenth { momentary: or(loudness.loudness_momentary()), short_term: or(loudness.loudness_shortterm()), true_peak: 20.0 * peak.log10() }
}

impl Observed {
    fn note(&mut self, program: &Program, happening: &Happening, last: Option<&Status>) {
        match happening.what {
            What::VoiceStart { voice, sound, leaf, take, .. } => {
                self.voices.insert(voice, (sound, leaf, take));
                self.spans.insert(voice, (happening.frame, u64::MAX));
            }
            What::VoiceEnd { voice, .. } => {
                if let Some((_, ended)) = self.spans.get_mut(&voice) {
                    *ended = happening.frame;
                }
            }
            What::Sting { stinger, piece, .. } => {
                let at = program.music.pieces.find(|p| p.key == piece);
                let place = at.zip(last).and_then(|(at, status)| {
                    let (spec, sequencer) = (&program.music.pieces[at], &status.pieces.of(at)?.sequencer);
                    let (_, beat, into) = sequencer.position(spec, happening.frame)?;
                    let into = *into.numer() as f64 / *into.denom() as f64;
                    let quarters = f64::from(sequencer.quarters_a_second(spec, happening.frame, program.rate)?);
                    // A hair before a beat is on it as much as a hair after it.
                    Some((if into > 0.5 { beat + 1 } else { beat }, into.min(1.0 - into) / quarters.max(1e-6)))
                });
                self.stung.push(Stung { frame: happening.frame, stinger, beat: place });
            }
            _ => {}
        }
        self.happened.push(*happening);
    }

    fn look(&mut self, program: &Program, status: &Status, watched: &HashSet<NameKey>, peak: f32) {
        let buses = &program.mix.buses;
        // From what leaves a bus to the output.
        let mut below: ByIndex<BusIndex, f32> = vec![0.0; buses.len()].into();
        for (at, spec) in buses.with_places().skip(1) {
            // A bus stands after the one that it runs into, or is looked up again from there.
            let (mut into, mut sum) = (spec.into, 0.0);
            for _ in 0..=buses.len() {
                sum += status.buses.of(into).map_or(0.0, |b| b.level_db);
                if into == BusIndex::ROOT {
                    break;
                }
                into = buses[into].into;
            }
            below[at] = sum;
        }
        let mut sample = Sample { frame: status.frame, peak, ceiling_db: status.ceiling_db, ..Sample::default() };
        sample.sounding = status.voices.iter().filter(|v| !v.asleep).count();
        sample.peaks = status.buses.iter().map(|b| b.peak[0].max(b.peak[1])).collect();
        sample.powers_db = status.buses.iter().zip(&below).map(|(b, below)| b.rms_db + below).collect();
        sample.snapshots = status.snapshots.iter().map(|s| s.share).collect();
        sample.parameters = status.parameters.iter().map(|p| p.smooth).collect();
        // What a bus gives comes of its voices by their powers before its effects: so what these add is in it.
        let leaf_of = |voice: u64| self.voices.get(&voice).map_or(NameKey::NONE, |(_, leaf, _)| *leaf);
        let mut together = vec![0.0f64; buses.len()];
        let power = |db: f32| 10f64.powf(f64::from(db) / 10.0);
        for voice in status.voices.iter().filter(|v| !v.asleep) {
            if let Some(sum) = together.get_mut(bus_of(program, voice.sound, leaf_of(voice.voice))) {
                *sum += power(voice.heard_db);
            }
        }
        for voice in &status.voices {
            let leaf = leaf_of(voice.voice);
            let Some(sound) = [voice.sound, leaf].into_iter().find(|key| watched.contains(key)) else { continue };
            if voice.asleep {
                continue;
            }
            // What is heard has the audio itself in it.
            let level_db = voice.heard_db - voice.rms_db;
            let bus = bus_of(program, voice.sound, leaf);
            let share = 10.0 * (power(voice.heard_db) / together.get(bus).copied().unwrap_or(1.0).max(1e-30)).log10() as f32;
            let power_db = sample.powers_db.get(bus).map_or(voice.heard_db, |bus| bus + share);
            let metres = voice.placement.map(|(_, metres, _)| metres);
            sample.voices.push(Heard { voice: voice.voice, sound, level_db, power_db, metres });
        }
        for (spec, piece) in program.music.pieces.iter().zip(&status.pieces) {
            let pass = piece.sequencer.pass();
            let Some(section) = pass.and_then(|p| spec.sections.of(p.section)) else { continue };
            let (length, bars) = (estampie_engine::music::exact::number(section.map.time(section.map.length())), section.map.bars().max(1));
            let seconds = length / f64::from(bars) / f64::from(self.rate);
            if self.bars.iter().rev().find(|(_, key, _)| *key == spec.key).is_none_or(|(.., known)| (known - seconds).abs() > 1e-6) {
                self.bars.push((status.frame, spec.key, seconds));
            }
        }
        self.samples.push(sample);
    }
}

/// The bus of a voice of a sound.
fn bus_of(program: &Program, asked: NameKey, leaf: NameKey) -> usize {
    let of = |key: NameKey| program.find_sound.get(key).and_then(|at| program.sounds[at].bus);
    of(asked).or_else(|| of(leaf)).unwrap_or(BusIndex::ROOT).at()
}

/// Those of the recordings that have a click of their own: a snap, a switch.
fn clicking(program: &Program, takes: &HashSet<NameKey>) -> HashSet<NameKey> {
    let mut found = HashSet::new();
    let mut looked = HashSet::new();
    program.each_clip(|clip| {
        if !takes.contains(&clip.key) || !looked.insert(clip.key) {
            return;
        }
        // What cannot be read is silent.
        let Ok(clip) = program.held(clip, usize::MAX) else { return };
        let (left, right) = (&clip.channels[0], clip.channels.last().unwrap_or(&clip.channels[0]));
        // Filters and what else sounds make it stand out otherwise.
        let mut clicks = Clicks::new(STANDS_OUT / 2.0);
        let both: Vec<f32> = left.iter().zip(right.iter()).flat_map(|(a, b)| [a, b]).collect();
        clicks.add(&both);
        clicks.look(true);
        if !clicks.found.is_empty() {
            found.insert(clip.key);
        }
    });
    found
}

impl Observed {
    /// Leaves out clicks while a recording sounds that has one of its own: that is how it was made. Only what sounds at one is looked at.
    fn excuse_clicks(&mut self, program: &Program) {
        let sounding: Vec<(NameKey, (u64, u64))> = self
            .voices
            .iter()
            .filter_map(|(voice, (.., take))| Some((*take, *self.spans.get(voice)?)))
            .filter(|(_, (from, until))| self.clicks.iter().any(|click| (*from..=*until).contains(click)))
            .collect();
        if sounding.is_empty() {
            return;
        }
        let own = clicking(program, &sounding.iter().map(|(take, _)| *take).collect());
        self.clicks.retain(|click| !sounding.iter().any(|(take, (from, until))| own.contains(take) && (*from..=*until).contains(click)));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn clicks(samples: &[f32], part: usize) -> Vec<u64> {
        let mut found = Clicks::new(STANDS_OUT);
        let both: Vec<f32> = samples.iter().flat_map(|s| [*s, -*s]).collect();
        both.chunks(2 * part).for_each(|part| found.add(part));
        found.look(true);
        found.found
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(200))]
        #[test]
        fn a_cut_in_a_tone_is_a_click_on_its_frame_and_a_tone_or_noise_is_none(
            hertz in 40.0f32..2_000.0, level in 0.1f32..0.9, cut in 500usize..3_000, part in 1usize..700, seed in any::<u32>(),
        ) {
            let tone = |i: usize| level * (i as f32 * hertz * std::f32::consts::TAU / 48_000.0).sin();
            let plain: Vec<f32> = (0..4_000).map(tone).collect();
            prop_assert_eq!(clicks(&plain, part), Vec::<u64>::new());
            // Cut off where it is loud enough to be heard as one.
            let step = tone(cut - 1).abs();
            let steepest = level * hertz * std::f32::consts::TAU / 48_000.0;
            let cut_off: Vec<f32> = plain.iter().enumerate().map(|(i, s)| if i < cut { *s } else { 0.0 }).collect();
            let found = clicks(&cut_off, part);
            if step > STANDS_OUT * steepest * 1.05 && step > LEAST_CLICK * 1.05 {
                prop_assert_eq!(found, vec![cut as u64]);
            }
            let mut state = seed | 1;
            let noise: Vec<f32> = (0..4_000).map(|_| {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                level * ((state >> 8) as f32 / (1u32 << 23) as f32 - 1.0)
            }).collect();
            prop_assert_eq!(clicks(&noise, part), Vec::<u64>::new());
        }
    }
}
