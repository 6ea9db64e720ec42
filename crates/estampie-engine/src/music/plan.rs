//! What is to come: the planned bars, and how long a change has to be waited for.

use super::exact::{Beats, frames, narrow, nearest, number, wide};
use super::sequencer::{Happens, Sequencer};
use crate::ground::index::SectionIndex;
use crate::music::spec::{Piece, When};

/// A bar that is to come, if nothing is asked.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Planned {
    /// Its section.
    pub section: SectionIndex,
    /// Its number from 0.
    pub bar: u32,
    /// Its beats.
    pub beats: u32,
    /// The frame on which it begins; that of the present bar is past.
    pub frame: u64,
    /// Whether it is the section's first after another section.
    pub new: bool,
}

/// The bars from the present one on, if nothing is asked: at most `count`, and less if it comes to rest before.
#[must_use]
pub fn plan(piece: &Piece, sequencer: &Sequencer, rate: u32, frame: u64, count: usize) -> Vec<Planned> {
    let mut ahead = *sequencer;
    let mut list: Vec<Planned> = Vec::new();
    if let Some(pass) = sequencer.pass() {
        let section = &piece.sections[pass.section];
        let (bar, ..) = section.map.bar_beat(narrow(pass.line.position(section, frames(frame))));
        let begins = nearest(pass.line.moment(section, section.map.bar_start(bar)));
        list.push(Planned { section: pass.section, bar, beats: 0, frame: begins, new: false });
    }
    let mut until = frame;
    let mut new = false;
    // A bar is at most a few dozen beats at 20 a minute; this many seconds are more than `count` of them can last.
    for _ in 0..count * 100 {
        until += u64::from(rate);
        ahead.advance(piece, rate, until, &mut |what| match what {
            Happens::Enter { section, before, .. } => new = before != Some(section),
            Happens::Point { point, section, frame: at } if point.on_beat => {
                let known = list.last().is_some_and(|p| p.section == section && p.bar == point.bar && p.frame <= at && !new && !point.on_bar);
                if !known && at >= frame {
                    // Left on the very frame of its start, a bar that was to come does not sound: the one that does takes its place.
                    if list.last().is_some_and(|p| p.frame == at && p.section != section) {
                        list.pop();
                    }
                    if list.last().is_none_or(|p| p.frame != at) {
                        list.push(Planned { section, bar: point.bar, beats: 0, frame: at, new });
                        new = false;
                    }
                }
            }
            _ => {}
        });
        if list.len() > count || ahead.pass().is_none() && ahead.waits().is_none() {
            break;
        }
    }
    list.truncate(count);
    for planned in &mut list {
        let metre = piece.sections[planned.section].map.metre(planned.bar);
        planned.beats = (metre.bar() / metre.beat()).to_integer() as u32;
    }
    list
}

/// How long a change out of a section is waited for, in frames, over all moments at which it may be asked for.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Wait {
    /// The longest.
    pub longest: f64,
    /// The one that half of all are shorter than.
    pub median: f64,
}

/// Works out the wait exactly from the section and its rule: between two allowed moments every wait up to their
/// distance is equally likely. `None` if the section has no such moment at all.
#[must_use]
pub fn wait(piece: &Piece, from: SectionIndex, when: When) -> Option<Wait> {
    if when == When::AtOnce {
        return Some(Wait::default());
    }
    let section = &piece.sections[from];
    let mut moments = Vec::new();
    let mut at = wide(Beats::from_integer(0));
    while let Some(next) = section.next(when, at, |_| true) {
        moments.push(number(section.map.time(next)));
        at = wide(next);
    }
    let length = number(section.map.time(section.map.length()));
    let mut gaps: Vec<f64> = Vec::new();
    let first = moments.first().copied()?;
    if section.next == crate::music::spec::Next::Loop {
        // Round the loop: from the last moment to the first of the next pass.
        gaps.push(length - moments[moments.len() - 1] + first);
    } else {
        gaps.push(first);
        gaps.push(length - moments[moments.len() - 1]);
    }
    gaps.extend(moments.windows(2).map(|w| w[1] - w[0]));
    gaps.retain(|g| *g > 0.0);
    gaps.sort_by(f64::total_cmp);
    let total: f64 = gaps.iter().sum();
    // The share of askings that wait at most w is the sum over gaps of min(gap, w), over the total: a line between gaps.
    let mut below = 0.0;
    let mut median = 0.0;
    for (at, gap) in gaps.iter().enumerate() {
        let left = (gaps.len() - at) as f64;
        let before = if at == 0 { 0.0 } else { gaps[at - 1] };
        let here = (gap - before) * left;
        if below + here >= total / 2.0 {
            median = before + (total / 2.0 - below) / left;
            break;
        }
        below += here;
    }
    Some(Wait { longest: gaps.last().copied().unwrap_or(0.0), median })
}
