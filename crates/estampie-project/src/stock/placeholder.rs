//! Placeholders: what is not made yet sounds already, as a made-up stand-in of its kind, length and loudness.
//!
//! A placeholder is a take whose name says all that it is made from, so that whoever sees the name knows it for one:
//! `audio/step/plank_01.placeholder (one-shot, 0.4 s, -20 LUFS, mono)`.

use super::{Item, Kind, thing_of};
use ebur128::{EbuR128, Mode};
use estampie_engine::names::NameKey;
use estampie_engine::random::Stream;
use std::f64::consts::TAU;

/// What stands between a placeholder's name and what it is made from.
pub(super) const SIGN: &str = ".placeholder (";

/// What a placeholder is made from.
#[derive(Debug, Clone, PartialEq)]
pub struct Placeholder {
    /// What it is a take of, and which.
    stem: String,
    kind: Kind,
    seconds: f64,
    lufs: f64,
    channels: u8,
    /// Beats a minute, and beats in a bar: of a layer.
    beats: Option<(f64, u32)>,
}

/// Whether a name is that of a placeholder.
#[must_use]
pub fn is_placeholder(name: &str) -> bool {
    name.contains(SIGN)
}

/// Seconds that a kind lasts if nothing is said.
fn usual_seconds(kind: Kind) -> f64 {
    match kind {
        Kind::OneShot => 0.4,
        Kind::Loop | Kind::Stinger => 2.0,
        Kind::Lines => 1.5,
        Kind::Bed | Kind::Layer => 8.0,
    }
}

impl Placeholder {
    /// Of an item, for the file of a path without its ending.
    #[must_use]
    pub fn of(item: &Item, stem: &str) -> Placeholder {
        let wide = matches!(item.kind, Kind::Bed | Kind::Layer | Kind::Stinger);
        Placeholder {
            stem: stem.to_owned(),
            kind: item.kind,
            seconds: item.seconds.unwrap_or_else(|| usual_seconds(item.kind)).clamp(0.02, 600.0),
            lufs: item.lufs.unwrap_or(-23.0),
            channels: item.channels.unwrap_or(if wide { 2 } else { 1 }),
            beats: None,
        }
    }

    /// The same as a layer of music so long, at a tempo, with so many beats in a bar.
    #[must_use]
    pub fn in_time(self, seconds: f64, beats_a_minute: f64, beats_in_a_bar: u32) -> Placeholder {
        Placeholder { seconds, beats: Some((beats_a_minute, beats_in_a_bar)), ..self }
    }

    /// Its name, which says it all.
    #[must_use]
    pub fn name(&self) -> String {
        let channels = if self.channels == 1 { "mono" } else { "stereo" };
        let beats = self.beats.map_or(String::new(), |(tempo, bar)| format!(", {tempo} BPM, {bar} in a bar"));
        format!("{}{SIGN}{}, {} s, {} LUFS, {channels}{beats})", self.stem, self.kind.word(), self.seconds, self.lufs)
    }

    /// From its name.
    #[must_use]
    pub fn read(name: &str) -> Option<Placeholder> {
        let (stem, rest) = name.split_once(SIGN)?;
        let mut parts = rest.strip_suffix(')')?.split(", ");
        let kind = Kind::read(parts.next()?)?;
        let seconds: f64 = parts.next()?.strip_suffix(" s")?.parse().ok()?;
        let lufs = parts.next()?.strip_suffix(" LUFS")?.parse().ok()?;
        let channels = if parts.next()? == "mono" { 1 } else { 2 };
        let tempo: Option<f64> = parts.next().and_then(|p| p.strip_suffix(" BPM")?.parse().ok());
        let bar = parts.next().and_then(|p| p.strip_suffix(" in a bar")?.parse().ok());
        // Nobody's name makes more than an hour.
        (seconds.is_finite() && seconds > 0.0 && seconds <= 3_600.0).then(|| Placeholder {
            stem: stem.to_owned(),
            kind,
            seconds,
            lufs,
            channels,
            beats: tempo.zip(bar).filter(|(t, b)| *t > 0.0 && *b > 0),
        })
    }

    /// How long it is, in seconds, and how many channels it has.
    #[must_use]
    pub fn size(&self) -> (f64, u32) {
        (self.seconds, u32::from(self.channels.max(1)))
    }

    /// Makes it, at so many frames a second: its channels, and its loop points if it goes round. The same name gives the same samples.
    #[must_use]
    pub fn make(&self, rate: u32) -> (Vec<Vec<f32>>, Option<(usize, usize)>) {
        let frames = ((self.seconds * f64::from(rate)).round() as usize).max(2);
        let thing = thing_of(&self.stem);
        // Each thing has a tone of its own, of five in three octaves; its takes lie close to it.
        let key = NameKey::of(thing);
        let tone = [0, 2, 4, 7, 9][(key.0 % 5) as usize] + 12 * (key.0 / 5 % 3) as i32;
        let number: u32 = self.stem.trim_start_matches(|c: char| !c.is_ascii_digit()).parse().unwrap_or(1);
        let hertz = 196.0 * 2f64.powf((f64::from(tone) + 0.3 * f64::from(number % 8)) / 12.0);
        let seed = NameKey::of(&self.stem).0;
        let mut channels: Vec<Vec<f32>> = (0..self.channels.max(1)).map(|side| self.samples(frames, f64::from(rate), hertz, (seed, u64::from(side)))).collect();
        at_loudness(&mut channels, rate, self.lufs);
        (channels, matches!(self.kind, Kind::Loop | Kind::Bed).then_some((0, frames)))
    }

    fn samples(&self, frames: usize, rate: f64, hertz: f64, (seed, side): (u64, u64)) -> Vec<f32> {
        let at = |n: usize| n as f64 / rate;
        let sine = |hertz: f64, t: f64| (TAU * hertz * t).sin();
        let end = self.seconds;
        // A rise and a fall of 5 ms, or a tenth of what is shorter: no placeholder clicks.
        let edge = (0.005f64).min(end / 10.0);
        let fades = |t: f64| (t / edge).min((end - t) / edge).clamp(0.0, 1.0);
        let value = |n: usize, value: f64| (value * fades(at(n))) as f32;
        match self.kind {
            Kind::OneShot => (0..frames).map(|n| value(n, (sine(hertz, at(n)) + 0.3 * sine(2.76 * hertz, at(n))) * (-5.0 * at(n) / end).exp())).collect(),
            Kind::Stinger => {
                let step = |t: f64| hertz * [1.0, 1.25, 1.5][((t / end * 4.0) as usize).min(2)];
                (0..frames).map(|n| value(n, sine(step(at(n)), at(n)) * (-2.0 * at(n) / end).exp())).collect()
            }
            // Whole periods, so that it goes round without a seam.
            Kind::Loop => {
                let whole = (hertz * end).round().max(1.0) / end;
                let beat = (6.0 * end).round().max(1.0) / end;
                (0..frames).map(|n| ((sine(whole, at(n)) + 0.4 * sine(2.0 * whole, at(n))) * (0.8 + 0.2 * sine(beat, at(n)))) as f32).collect()
            }
            Kind::Bed => noise(frames, hertz / rate, (seed, side)),
            // Syllables, five a second, each of another height.
            Kind::Lines => {
                let mut draw = Stream::new(seed, NameKey::of("syllables"), 0);
                let heights: Vec<f64> = (0..(end * 5.0).ceil() as usize + 1).map(|_| hertz * f64::from(0.8 + 0.5 * draw.unit())).collect();
                let of = |t: f64| {
                    let syllable = (t * 5.0) as usize;
                    let within = (t * 5.0).fract();
                    let hertz = heights[syllable.min(heights.len() - 1)];
                    (sine(hertz, t) + 0.5 * sine(3.0 * hertz, t) + 0.25 * sine(5.0 * hertz, t)) * (std::f64::consts::PI * within).sin().powi(2)
                };
                (0..frames).map(|n| value(n, of(at(n)))).collect()
            }
            Kind::Layer => {
                let (tempo, bar) = self.beats.unwrap_or((120.0, 4));
                let beat = 60.0 / tempo;
                let of = |t: f64| {
                    let (count, since) = ((t / beat + 1e-9) as u64, t % beat);
                    let first = count.is_multiple_of(u64::from(bar));
                    let rise = (since / 0.001).min(1.0);
                    sine(if first { 2.0 * hertz } else { hertz }, since) * rise * (-30.0 * since).exp() * if first { 1.0 } else { 0.6 }
                };
                (0..frames).map(|n| of(at(n)) as f32).collect()
            }
        }
    }
}

/// Noise through a low-pass at a share of the rate, whose end runs into its beginning.
fn noise(frames: usize, cutoff: f64, (seed, side): (u64, u64)) -> Vec<f32> {
    let mut draw = Stream::new(seed, NameKey::of("noise").with(side), 0);
    let across = (frames / 4).clamp(1, 4_800);
    let share = (1.0 - (-TAU * cutoff * 2.0).exp()).clamp(0.001, 1.0) as f32;
    let (mut one, mut two) = (0.0f32, 0.0f32);
    let mut all: Vec<f32> = (0..frames + across)
        .map(|_| {
            one += share * (2.0 * draw.unit() - 1.0 - one);
            two += share * (one - two);
            two
        })
        .collect();
    // What comes after the end fades out over the beginning, by equal power: two stretches of noise are unlike each other.
    for n in 0..across {
        let x = n as f32 / across as f32;
        all[n] = all[n] * x.sqrt() + all[frames + n] * (1.0 - x).sqrt();
    }
    all.truncate(frames);
    all
}

/// Brings samples to a loudness (EBU R 128, gated over all of it; of what is shorter than a window as if silence followed), but never over −1 dBFS.
fn at_loudness(channels: &mut [Vec<f32>], rate: u32, lufs: f64) {
    let peak = channels.iter().flatten().fold(0.0f32, |a, b| a.max(b.abs()));
    if peak <= 0.0 {
        return;
    }
    let measured = EbuR128::new(channels.len() as u32, rate, Mode::I | Mode::M).ok().and_then(|mut meter| {
        let planes: Vec<&[f32]> = channels.iter().map(Vec::as_slice).collect();
        meter.add_frames_planar_f32(&planes).ok()?;
        let silence = vec![0.0f32; (rate as usize * 4 / 10).saturating_sub(channels[0].len()) + 1];
        meter.add_frames_planar_f32(&vec![&silence[..]; channels.len()]).ok()?;
        let whole = meter.loudness_global().ok().filter(|l| l.is_finite());
        whole.or_else(|| meter.loudness_momentary().ok()).filter(|l| l.is_finite())
    });
    let wanted = measured.map_or(0.25, |now| 10f64.powf((lufs - now) / 20.0));
    let gain = wanted.min(f64::from(0.89 / peak)) as f32;
    channels.iter_mut().flatten().for_each(|sample| *sample *= gain);
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn item(text: &str) -> Item {
        let (stock, faults) = super::super::read(&format!("name,kind,variations,channels,length,loudness\n{text}\n"), &std::collections::BTreeMap::new());
        assert!(faults.is_empty(), "{faults:?}");
        stock.items[0].clone()
    }

    fn loudness(channels: &[Vec<f32>], rate: u32) -> f64 {
        let mut meter = EbuR128::new(channels.len() as u32, rate, Mode::I).unwrap();
        meter.add_frames_planar_f32(&channels.iter().map(Vec::as_slice).collect::<Vec<_>>()).unwrap();
        meter.loudness_global().unwrap()
    }

    #[test]
    fn each_kind_is_as_long_and_as_loud_as_it_says_and_does_not_click() {
        for (text, seconds, lufs) in [
            ("a/b,loop,,,2 s,-20", 2.0, -20.0),
            ("a/b,bed,,stereo,4 s,-30", 4.0, -30.0),
            ("a/b,lines,,,3 s,-18", 3.0, -18.0),
            ("a/b,one-shot,,,1 s,-24", 1.0, -24.0),
            ("a/b,stinger,,,2 s,-22", 2.0, -22.0),
        ] {
            let placeholder = Placeholder::of(&item(text), "audio/a/b");
            let (channels, loops) = placeholder.make(48_000);
            assert_eq!(channels[0].len(), (seconds * 48_000.0) as usize, "{text}");
            assert!((loudness(&channels, 48_000) - lufs).abs() < 0.6, "{text}: {}", loudness(&channels, 48_000));
            let steps = channels[0].windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0, f32::max);
            // What goes round steps no more where it comes round; what does not begins and ends at nothing.
            let seam = (channels[0][0] - channels[0].last().unwrap()).abs();
            if loops.is_some() {
                assert!(seam <= steps * 1.01, "{text}: {seam} {steps}");
            } else {
                assert!(channels[0][0].abs() < 1e-3 && channels[0].last().unwrap().abs() < 1e-2, "{text}");
            }
        }
        let click = Placeholder::of(&item("m/a,layer,,mono,,-23"), "audio/m/a").in_time(4.0, 120.0, 4);
        let (channels, _) = click.make(48_000);
        let onset = |beat: usize| channels[0][beat * 24_000..beat * 24_000 + 480].iter().fold(0.0f32, |a, b| a.max(b.abs()));
        let between = channels[0][20_000..23_900].iter().fold(0.0f32, |a, b| a.max(b.abs()));
        assert!(onset(4) > 1.3 * onset(1) && onset(1) > 100.0 * between, "{} {} {between}", onset(4), onset(1));
    }

    #[test]
    fn things_differ_in_their_tones_and_takes_a_little() {
        let first = |stem: &str| Placeholder::of(&item("a/b,one-shot,,mono,0.4 s,"), stem).make(48_000).0;
        assert!(first("audio/step/plank_01") != first("audio/step/plank_02") && first("audio/step/plank_01") == first("audio/step/plank_01"));
    }

    proptest! {
        #[test]
        fn the_name_says_all_that_it_is_made_from(kind in 0usize..6, seconds in 0.02f64..30.0, lufs in -60f64..-1.0, channels in 1u8..3, beats in prop::option::of((40f64..240.0, 1u32..9))) {
            let one = Placeholder { stem: "audio/a/b_01".into(), kind: Kind::ALL[kind].0, seconds, lufs, channels, beats };
            prop_assert_eq!(Placeholder::read(&one.name()), Some(one.clone()));
            let (samples, _) = Placeholder { seconds: seconds.min(1.0), ..one }.make(8_000);
            prop_assert!(samples.iter().flatten().all(|s| s.is_finite() && s.abs() <= 0.9));
        }
    }
}
