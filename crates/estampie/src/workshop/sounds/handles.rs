//! What can be moved of a take in its recording: where it begins and ends, its fades, its loop and the seam of that.

use estampie_project::stock::Trim;

/// Something that can be moved.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Handle {
    #[default]
    Begin,
    End,
    FadeIn,
    FadeOut,
    LoopBegin,
    LoopEnd,
    Seam,
}

impl Handle {
    /// All, in the order in which they are shown; what a loop needs comes last.
    pub(crate) const ALL: [Handle; 7] = [Handle::Begin, Handle::End, Handle::FadeIn, Handle::FadeOut, Handle::LoopBegin, Handle::LoopEnd, Handle::Seam];
    /// So many of them a take has that does not loop.
    pub(crate) const WITHOUT_LOOP: usize = 4;

    pub(crate) fn word(self) -> &'static str {
        match self {
            Handle::Begin => "begin",
            Handle::End => "end",
            Handle::FadeIn => "fade-in",
            Handle::FadeOut => "fade-out",
            Handle::LoopBegin => "loop begin",
            Handle::LoopEnd => "loop end",
            Handle::Seam => "seam",
        }
    }

    /// What it is, for who reads it the first time.
    pub(crate) fn says(self) -> &'static str {
        match self {
            Handle::Begin => "where the take begins in its file",
            Handle::End => "where it ends",
            Handle::FadeIn => "how long it takes to fade in",
            Handle::FadeOut => "how long it takes to fade out",
            Handle::LoopBegin => "where it goes back to",
            Handle::LoopEnd => "where it goes back from (b: best)",
            Handle::Seam => "how long its end is cross-faded",
        }
    }

    /// Whether it is a moment of the recording; else it is a length of time.
    pub(crate) fn is_moment(self) -> bool {
        !matches!(self, Handle::FadeIn | Handle::FadeOut | Handle::Seam)
    }
}

/// What of a recording its handles go by.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Bounds {
    /// In seconds.
    pub(crate) length: f64,
    /// Frames a second.
    pub(crate) rate: u32,
    /// The loop that the file itself has, in seconds.
    pub(crate) file_loop: Option<(f64, f64)>,
}

/// Nothing is made shorter by hand, in seconds.
const LEAST: f64 = 0.002;

impl Bounds {
    /// Where the take ends.
    pub(crate) fn end(&self, trim: &Trim) -> f64 {
        trim.to.unwrap_or(self.length).min(self.length)
    }

    /// Where it loops, if it does: as is said, as the file says, or all of it.
    pub(crate) fn looped(&self, trim: &Trim) -> (f64, f64) {
        let end = self.end(trim);
        let within = |(a, b): &(f64, f64)| *a >= trim.from - 1e-9 && *b <= end + 1e-9;
        trim.looped.or(self.file_loop.filter(within)).unwrap_or((trim.from, end))
    }

    /// Where a handle stands, or how long what it is for takes, in seconds.
    pub(crate) fn at(&self, trim: &Trim, handle: Handle) -> f64 {
        match handle {
            Handle::Begin => trim.from,
            Handle::End => self.end(trim),
            Handle::FadeIn => trim.fade_in,
            Handle::FadeOut => trim.fade_out,
            Handle::LoopBegin => self.looped(trim).0,
            Handle::LoopEnd => self.looped(trim).1,
            Handle::Seam => trim.seam,
        }
    }

    /// The moment of the recording at which a handle is drawn.
    pub(crate) fn shown_at(&self, trim: &Trim, handle: Handle) -> f64 {
        match handle {
            Handle::FadeIn => trim.from + trim.fade_in,
            Handle::FadeOut => self.end(trim) - trim.fade_out,
            Handle::Seam => self.looped(trim).1 - trim.seam,
            other => self.at(trim, other),
        }
    }

    /// On the sample that is next to a moment, to the microsecond, as it is written.
    fn exact(&self, seconds: f64) -> f64 {
        let rate = f64::from(self.rate.max(1));
        ((seconds * rate).round() / rate * 1e6).round() / 1e6
    }

    /// The trim with a handle at another place, as near as it can be: nothing passes what it must lie within.
    pub(crate) fn put(&self, trim: &Trim, handle: Handle, seconds: f64) -> Trim {
        let seconds = self.exact(if seconds.is_finite() { seconds } else { 0.0 });
        let (end, (loop_begin, loop_end)) = (self.end(trim), self.looped(trim));
        let between = |low: f64, high: f64| seconds.min(high).max(low);
        let mut next = *trim;
        match handle {
            Handle::Begin => next.from = between(0.0, trim.looped.map_or(end - LEAST, |(a, _)| a)),
            Handle::End => {
                let to = between(trim.looped.map_or(trim.from + LEAST, |(_, b)| b), self.length);
                next.to = (to < self.length - 0.5 / f64::from(self.rate.max(1))).then_some(to);
            }
            Handle::FadeIn => next.fade_in = between(0.0, end - trim.from),
            Handle::FadeOut => next.fade_out = between(0.0, end - trim.from),
            Handle::LoopBegin => next.looped = Some((between(trim.from, loop_end - LEAST), loop_end)),
            Handle::LoopEnd => next.looped = Some((loop_begin, between(loop_begin + LEAST, end))),
            Handle::Seam => {
                next.seam = between(0.0, loop_begin.min(loop_end - loop_begin));
                // A seam is that of a loop that is said.
                next.looped = if next.seam > 0.0 { Some((loop_begin, loop_end)) } else { trim.looped };
            }
        }
        next.seam = next.looped.map_or(0.0, |(a, b)| next.seam.min(a).min(b - a));
        next
    }

    /// The trim with a handle where it is unless something is said.
    pub(crate) fn rest(&self, trim: &Trim, handle: Handle) -> Trim {
        match handle {
            Handle::Begin => Trim { from: 0.0, ..*trim },
            Handle::End => Trim { to: None, ..*trim },
            Handle::FadeIn => Trim { fade_in: 0.0, ..*trim },
            Handle::FadeOut => Trim { fade_out: 0.0, ..*trim },
            Handle::LoopBegin | Handle::LoopEnd => Trim { looped: None, seam: 0.0, ..*trim },
            Handle::Seam => Trim { seam: 0.0, ..*trim },
        }
    }

    /// By what a sample is louder or softer for the fades, at a moment of the recording.
    pub(crate) fn gain(&self, trim: &Trim, at: f64) -> f32 {
        let rise = |way: f64| 0.5 - 0.5 * (std::f64::consts::PI * way.clamp(0.0, 1.0)).cos();
        let come = if trim.fade_in > 0.0 { rise((at - trim.from) / trim.fade_in) } else { 1.0 };
        let go = if trim.fade_out > 0.0 { rise((self.end(trim) - at) / trim.fade_out) } else { 1.0 };
        (come * go) as f32
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn bounds() -> Bounds {
        Bounds { length: 4.0, rate: 48_000, file_loop: Some((1.0, 3.0)) }
    }

    proptest! {
        /// Whatever is moved wherever: what comes of it can be written, and is within the recording.
        #[test]
        fn no_move_makes_what_cannot_be(moves in prop::collection::vec((0usize..7, -2.0..8.0f64, any::<bool>()), 1..40)) {
            let bounds = bounds();
            let mut trim = Trim::default();
            for (handle, to, resets) in moves {
                let handle = Handle::ALL[handle];
                let before = trim;
                trim = if resets && to < 0.0 { bounds.rest(&trim, handle) } else { bounds.put(&trim, handle, to) };
                prop_assert_eq!(trim.wrong(), None, "{:?} of {:?}", handle, before);
                let (end, (a, b)) = (bounds.end(&trim), bounds.looped(&trim));
                prop_assert!(trim.from >= 0.0 && end <= 4.0 && trim.from < end && a < b && a >= trim.from - 1e-6 && b <= end + 1e-6, "{trim:?}");
                prop_assert!(trim.seam <= a && trim.seam <= b - a + 1e-9);
                // On a sample.
                let frames = bounds.at(&trim, handle) * 48_000.0;
                prop_assert!((frames - frames.round()).abs() < 0.1, "{frames}");
            }
        }
    }

    #[test]
    fn handles_stand_where_they_were_put_and_go_back() {
        let bounds = bounds();
        let plain = Trim::default();
        assert_eq!(bounds.looped(&plain), (1.0, 3.0), "as the file says");
        assert_eq!(bounds.looped(&Trim { from: 1.5, ..plain }), (1.5, 4.0), "the file's loop is cut into: all of it");
        let put = |handle, seconds| bounds.put(&plain, handle, seconds);
        assert_eq!(put(Handle::Begin, 0.5).from, 0.5);
        assert_eq!((put(Handle::End, 3.5).to, put(Handle::End, 9.0).to), (Some(3.5), None));
        assert_eq!((put(Handle::LoopBegin, 0.25).looped, put(Handle::LoopEnd, 3.9).looped), (Some((0.25, 3.0)), Some((1.0, 3.9))));
        assert_eq!((put(Handle::Seam, 0.1).looped, put(Handle::Seam, 9.0).seam), (Some((1.0, 3.0)), 1.0));
        let all = Trim { from: 0.5, to: Some(3.5), fade_in: 0.25, fade_out: 0.5, looped: Some((1.0, 3.0)), seam: 0.1 };
        for handle in Handle::ALL {
            assert_eq!(bounds.at(&bounds.put(&all, handle, bounds.at(&all, handle)), handle), bounds.at(&all, handle), "{handle:?}");
        }
        assert_eq!(Handle::ALL.iter().fold(all, |trim, handle| bounds.rest(&trim, *handle)), plain);
        let shown = Handle::ALL.map(|handle| bounds.shown_at(&all, handle));
        assert_eq!(shown, [0.5, 3.5, 0.75, 3.0, 1.0, 3.0, 2.9]);
        let gains = [0.5, 0.625, 0.75, 2.0, 3.25, 3.5].map(|at| (bounds.gain(&all, at) * 100.0).round());
        assert_eq!(gains, [0.0, 50.0, 100.0, 100.0, 50.0, 0.0]);
    }
}
