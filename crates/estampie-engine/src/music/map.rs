//! The map of a section: where its bars and beats are, and when each sounds.
//!
//! Positions are counted in quarter notes from the section's first bar. The tempo is in beats a minute, and a beat is
//! what the metre says: a quarter in 4/4, a dotted quarter in 6/8, a half in 2/2.

use super::exact::{Beats, Frames, wide};
use std::fmt;

/// A metre, such as 4/4 or 6/8.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Metre {
    /// How many in a bar.
    pub count: u32,
    /// Of which note: 4 is a quarter.
    pub note: u32,
}

impl Metre {
    /// Reads `4/4`: 1 to 32 of a whole, half, quarter, eighth, sixteenth or thirty-second.
    #[must_use]
    pub fn read(text: &str) -> Option<Metre> {
        let (count, note) = text.trim().split_once('/')?;
        let metre = Metre { count: count.trim().parse().ok()?, note: note.trim().parse().ok()? };
        ((1..=32).contains(&metre.count) && [1, 2, 4, 8, 16, 32].contains(&metre.note)).then_some(metre)
    }

    /// A bar in quarter notes.
    #[must_use]
    pub fn bar(self) -> Beats {
        Beats::new(i64::from(self.count) * 4, i64::from(self.note))
    }

    /// A beat in quarter notes: three notes in metres of eighths and shorter that can be divided by 3, such as 6/8.
    #[must_use]
    pub fn beat(self) -> Beats {
        let notes = if self.note >= 8 && self.count > 3 && self.count.is_multiple_of(3) { 3 } else { 1 };
        Beats::new(notes * 4, i64::from(self.note))
    }
}

impl fmt::Display for Metre {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.count, self.note)
    }
}

/// A stretch of one tempo.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
struct Stretch {
    from: Beats,
    /// Frames from the section's first bar to its start.
    at: Frames,
    /// Frames of a quarter note.
    pace: Frames,
}

/// What stands at a point of a section.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Point {
    /// Where it is.
    pub at: Beats,
    /// Its bar, from 0.
    pub bar: u32,
    /// Its beat in the bar, from 0; a marker may stand within a beat.
    pub beat: u32,
    /// Whether a beat begins here.
    pub on_beat: bool,
    /// Whether a bar begins here.
    pub on_bar: bool,
}

/// The map of a section.
#[derive(Debug, Clone, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Map {
    stretches: Vec<Stretch>,
    /// Where each bar begins, and its metre; then the end.
    bars: Vec<(Beats, Metre)>,
    /// Length of all bars.
    length: Beats,
    /// Beats and further points in order.
    points: Vec<Point>,
}

impl Map {
    /// A map of `bars` bars. `metres` and `tempos` say from which bar on (from 0) they hold; the first of each holds
    /// from the start. Tempos are beats a minute.
    #[must_use]
    pub fn new(bars: u32, metres: &[(u32, Metre)], tempos: &[(u32, Beats)], rate: u32) -> Map {
        let plain = Metre { count: 4, note: 4 };
        let held = |list: &[(u32, Metre)], bar: u32| list.iter().rev().find(|(from, _)| *from <= bar).or(list.first()).map_or(plain, |(_, m)| *m);
        let tempo = |bar: u32| tempos.iter().rev().find(|(from, _)| *from <= bar).or(tempos.first()).map_or(Beats::from_integer(120), |(_, t)| *t);
        let mut map = Map::default();
        let mut at = Beats::from_integer(0);
        let mut time = Frames::from_integer(0);
        for bar in 0..bars.max(1) {
            let metre = held(metres, bar);
            let minute = Frames::from_integer(i128::from(rate) * 60);
            let pace = minute / wide(tempo(bar)) / wide(metre.beat());
            if map.stretches.last().is_none_or(|s| s.pace != pace) {
                map.stretches.push(Stretch { from: at, at: time, pace });
            }
            map.bars.push((at, metre));
            let mut here = at;
            let mut beat = 0;
            while here < at + metre.bar() {
                map.points.push(Point { at: here, bar, beat, on_beat: true, on_bar: beat == 0 });
                here += metre.beat();
                beat += 1;
            }
            at += metre.bar();
            time += wide(metre.bar()) * pace;
        }
        map.length = at;
        map
    }

    /// Adds a point that is no beat, for markers.
    pub fn add_point(&mut self, at: Beats) {
        if at < self.length && !self.points.iter().any(|p| p.at == at) {
            let (bar, beat, _) = self.bar_beat(at);
            self.points.push(Point { at, bar, beat, on_beat: false, on_bar: false });
            self.points.sort_by_key(|p| p.at);
        }
    }

    /// Length of all bars in quarter notes.
    #[must_use]
    pub fn length(&self) -> Beats {
        self.length
    }

    /// How many bars.
    #[must_use]
    pub fn bars(&self) -> u32 {
        self.bars.len() as u32
    }

    /// Where a bar (from 0) begins; the end for those behind the last.
    #[must_use]
    pub fn bar_start(&self, bar: u32) -> Beats {
        self.bars.get(bar as usize).map_or(self.length, |(at, _)| *at)
    }

    /// The metre of a bar (from 0).
    #[must_use]
    pub fn metre(&self, bar: u32) -> Metre {
        self.bars.get(bar as usize).or(self.bars.last()).map_or(Metre { count: 4, note: 4 }, |(_, m)| *m)
    }

    /// All points in order.
    #[must_use]
    pub fn points(&self) -> &[Point] {
        &self.points
    }

    /// Bar, beat (both from 0), and quarter notes into the beat. Before the start it is the first bar.
    #[must_use]
    pub fn bar_beat(&self, at: Beats) -> (u32, u32, Beats) {
        let bar = self.bars.partition_point(|(start, _)| *start <= at).saturating_sub(1);
        let Some((start, metre)) = self.bars.get(bar).copied() else { return (0, 0, at) };
        let within = (at - start).max(Beats::from_integer(0));
        let beat = (within / metre.beat()).to_integer();
        (bar as u32, beat as u32, within - metre.beat() * beat)
    }

    /// The position of bar and beat (both from 0).
    #[must_use]
    pub fn position(&self, bar: u32, beat: Beats) -> Beats {
        self.bar_start(bar) + beat * self.metre(bar).beat()
    }

    /// Frames from the section's first bar to a position, as written. Positions before the start (a pick-up) and behind
    /// the end go on in the nearest tempo.
    #[must_use]
    pub fn time(&self, at: Beats) -> Frames {
        self.time_of(wide(at))
    }

    /// As [`Map::time`], for positions as fine as those at which something is asked for.
    #[must_use]
    pub fn time_of(&self, at: Frames) -> Frames {
        let index = self.stretches.partition_point(|s| wide(s.from) <= at).saturating_sub(1);
        let Some(stretch) = self.stretches.get(index) else { return Frames::from_integer(0) };
        stretch.at + (at - wide(stretch.from)) * stretch.pace
    }

    /// The position after so many frames from the first bar, as written.
    #[must_use]
    pub fn at_time(&self, time: Frames) -> Frames {
        let index = self.stretches.partition_point(|s| s.at <= time).saturating_sub(1);
        let Some(stretch) = self.stretches.get(index) else { return Frames::from_integer(0) };
        wide(stretch.from) + (time - stretch.at) / stretch.pace
    }

    /// Beats a minute at a position, for those who show it.
    #[must_use]
    pub fn tempo_at(&self, at: Beats, rate: u32) -> f64 {
        let index = self.stretches.partition_point(|s| s.from <= at).saturating_sub(1);
        let (bar, ..) = self.bar_beat(at);
        let pace = self.stretches.get(index).map_or(1.0, |s| super::exact::number(s.pace));
        f64::from(rate) * 60.0 / pace / super::exact::number(wide(self.metre(bar).beat()))
    }
}

#[cfg(test)]
mod tests {
    use super::super::exact::nearest;
    use super::*;
    use num_bigint::BigInt;
    use num_rational::BigRational;
    use proptest::prelude::*;

    fn big(n: i64, d: i64) -> BigRational {
        BigRational::new(BigInt::from(n), BigInt::from(d))
    }

    #[test]
    fn beats_are_what_the_metre_says() {
        let beat = |text: &str| Metre::read(text).unwrap().beat();
        assert_eq!(beat("4/4"), Beats::from_integer(1));
        assert_eq!(beat("6/8"), Beats::new(3, 2));
        assert_eq!(beat("3/8"), Beats::new(1, 2), "three eighths are three beats");
        assert_eq!(beat("2/2"), Beats::from_integer(2));
        assert!(Metre::read("4/5").is_none() && Metre::read("0/4").is_none() && Metre::read("x").is_none());
    }

    #[test]
    fn bars_and_beats_are_found_across_a_change_of_metre() {
        let metre = |t: &str| Metre::read(t).unwrap();
        let map = Map::new(3, &[(0, metre("4/4")), (1, metre("6/8"))], &[(0, Beats::from_integer(60))], 48_000);
        assert_eq!(map.length(), Beats::from_integer(10));
        assert_eq!(map.bar_beat(Beats::from_integer(4)), (1, 0, Beats::from_integer(0)));
        assert_eq!(map.bar_beat(Beats::new(13, 2)), (1, 1, Beats::from_integer(1)));
        assert_eq!(map.points().len(), 4 + 2 + 2);
        // At 60 a dotted quarter is a second: a bar of 6/8 takes two.
        assert_eq!(nearest(map.time(Beats::from_integer(7))), 48_000 * 6);
    }

    proptest! {
        /// Hours of any tempo map, against fractions of any size.
        #[test]
        fn time_is_exact(bars in 1u32..40, changes in prop::collection::vec((0u32..40, 20_000i64..300_000), 1..6), eighths in 0i64..400, passes in 0i64..5000) {
            let mut tempos: Vec<(u32, Beats)> = changes.iter().map(|(bar, bpm)| (*bar, Beats::new(*bpm, 1000))).collect();
            tempos.sort_by_key(|(bar, _)| *bar);
            tempos.dedup_by_key(|(bar, _)| *bar);
            let map = Map::new(bars, &[(0, Metre { count: 4, note: 4 })], &tempos, 48_000);
            let tempo = |bar: i64| tempos.iter().rev().find(|(from, _)| i64::from(*from) <= bar).unwrap_or(&tempos[0]).1;
            let time = |eighth: i64| {
                let mut sum = big(0, 1);
                for e in 0..eighth {
                    let bpm = tempo((e / 8).min(i64::from(bars) - 1));
                    sum += big(48_000 * 60, 2) / big(*bpm.numer(), *bpm.denom());
                }
                sum
            };
            let eighth = eighths.min(i64::from(bars) * 8);
            let exact = time(i64::from(bars) * 8) * big(passes, 1) + time(eighth);
            let mut moment = map.time(Beats::new(eighth, 2));
            moment += map.time(map.length()) * Frames::from_integer(i128::from(passes));
            let ours = BigRational::new(BigInt::from(*moment.numer()), BigInt::from(*moment.denom()));
            prop_assert_eq!(&ours, &exact);
            let rounded = (exact + big(1, 2)).floor().to_integer();
            prop_assert_eq!(BigInt::from(nearest(moment)), rounded);
        }

        #[test]
        fn position_and_time_are_each_others_inverse(bpm in 30i64..250, n in 0i64..3000, d in 1i64..97) {
            let map = Map::new(8, &[(0, Metre { count: 3, note: 4 })], &[(0, Beats::from_integer(bpm)), (4, Beats::from_integer(bpm + 7))], 48_000);
            let at = Beats::new(n % (24 * d), d);
            prop_assert_eq!(map.at_time(map.time(at)), wide(at));
        }
    }

    #[test]
    fn an_hour_at_an_odd_tempo_has_no_drift() {
        // 93.7 beats a minute; one hour is 5622 beats, of which each takes 2,880,000 / 93.7 frames.
        let map = Map::new(1, &[(0, Metre { count: 4, note: 4 })], &[(0, Beats::new(937, 10))], 48_000);
        for beat in 0..=5622i64 {
            let passes = Frames::from_integer(i128::from(beat / 4));
            let moment = map.time(map.length()) * passes + map.time(Beats::from_integer(beat % 4));
            let exact = (BigInt::from(beat) * 28_800_000 * 2 + 937) / BigInt::from(937 * 2);
            assert_eq!(BigInt::from(nearest(moment)), exact, "beat {beat}");
        }
        let hour = map.time(map.length()) * Frames::new(5622, 4);
        assert_eq!(nearest(hour), 172_800_000, "an hour of frames");
    }
}
