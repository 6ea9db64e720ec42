//! Pieces of recordings: cut out, faded, looped with a seam that is cross-faded, and the search for where a loop closes best.

use super::{AudioError, Decoded};
use crate::stock::Trim;

/// What is cut within its sound comes in and goes out so quickly where no fade is said, in seconds.
const CUT_FADES: (f64, f64) = (0.0005, 0.003);

/// Makes of a file what a trim says. If it `fades`, what was cut within its sound does not click.
pub(super) fn cut(decoded: &mut Decoded, trim: &Trim, fades: bool) -> Result<(), AudioError> {
    let (frames, rate) = (decoded.channels.first().map_or(0, Vec::len), f64::from(decoded.rate));
    let length = frames as f64 / rate;
    let at = |seconds: f64| (seconds * rate).round() as usize;
    let (from, to) = (at(trim.from).min(frames), trim.to.map_or(frames, |to| at(to).min(frames)));
    if from >= to {
        return Err(AudioError::Cut(length));
    }
    if let Some((begin, end)) = trim.looped {
        let (begin, end) = (at(begin), at(end));
        // A file that was exported a sample shorter is no reason to be silent.
        if begin >= frames || end > frames + at(0.001) {
            return Err(AudioError::Loop(length));
        }
        let (begin, end) = (begin, end.min(to));
        decoded.loop_points = Some((begin, end));
        seam(&mut decoded.channels, begin, end, at(trim.seam));
    }
    let short = |cut: bool, seconds: f64| if cut && fades { ((seconds * rate) as usize).min((to - from) / 4) } else { 0 };
    for channel in &mut decoded.channels {
        *channel = channel[from..to].to_vec();
        if trim.fade_in > 0.0 {
            fade(channel.iter_mut(), at(trim.fade_in).min(to - from));
        } else {
            ramp(channel.iter_mut(), short(from > 0, CUT_FADES.0));
        }
        if trim.fade_out > 0.0 {
            fade(channel.iter_mut().rev(), at(trim.fade_out).min(to - from));
        } else {
            ramp(channel.iter_mut().rev(), short(to < frames, CUT_FADES.1));
        }
    }
    decoded.loop_points = decoded.loop_points.filter(|(start, end)| *start >= from && *end <= to).map(|(start, end)| (start - from, end - from));
    Ok(())
}

/// A fade over so many frames, in the shape of a raised cosine.
pub(super) fn fade<'a>(samples: impl Iterator<Item = &'a mut f32>, over: usize) {
    samples.take(over).enumerate().for_each(|(i, s)| *s *= 0.5 - 0.5 * (std::f32::consts::PI * (i as f32 + 0.5) / over as f32).cos());
}

/// A straight way up over so many frames.
fn ramp<'a>(samples: impl Iterator<Item = &'a mut f32>, over: usize) {
    samples.take(over).enumerate().for_each(|(i, s)| *s *= (i + 1) as f32 / (over + 1) as f32);
}

/// Cross-fades the end of a loop into what lies before its beginning, over so many frames at most.
fn seam(channels: &mut [Vec<f32>], begin: usize, end: usize, over: usize) {
    let over = over.min(begin).min(end - begin);
    let coming: Vec<Vec<f32>> = channels.iter().map(|c| c[begin - over..begin].to_vec()).collect();
    let mut going: Vec<&mut [f32]> = channels.iter_mut().map(|c| &mut c[end - over..end]).collect();
    cross_fade(&mut going, &coming);
}

/// Lets what is `going` become what is `coming`, as loud all along, however alike the two are: their gains are those of equal power where they
/// have nothing in common, of equal amplitude where they are the same, and up to 3 dB more where they are against each other.
pub(super) fn cross_fade(going: &mut [&mut [f32]], coming: &[Vec<f32>]) {
    let over = coming.first().map_or(0, Vec::len);
    let pairs = || going.iter().zip(coming).flat_map(|(a, b)| a.iter().zip(b)).map(|(a, b)| (f64::from(*a), f64::from(*b)));
    let (both, one, other) = pairs().fold((0.0, 0.0, 0.0), |(both, one, other), (a, b)| (both + a * b, one + a * a, other + b * b));
    let alike = if one * other > 0.0 { (both / (one * other).sqrt()).clamp(-0.5, 1.0) } else { 0.0 };
    let gains: Vec<(f32, f32)> = (0..over)
        .map(|i| {
            let t = (i as f64 + 0.5) / over as f64 * std::f64::consts::FRAC_PI_2;
            let louder = (1.0 + alike * (2.0 * t).sin()).sqrt();
            ((t.cos() / louder) as f32, (t.sin() / louder) as f32)
        })
        .collect();
    for (going, coming) in going.iter_mut().zip(coming) {
        for ((a, b), (out, into)) in going.iter_mut().zip(coming).zip(&gains) {
            *a = *a * out + b * into;
        }
    }
}

/// What is heard around the seam of a loop, of each channel: up to `frames` frames before its end and as many after its beginning.
/// `None` where there is no such loop.
#[must_use]
pub fn around_seam(recording: &Decoded, looped: (f64, f64), seam: f64, frames: usize) -> Option<Vec<(Vec<f32>, Vec<f32>)>> {
    let at = |seconds: f64| (seconds * f64::from(recording.rate)).round() as usize;
    let length = recording.channels.first().map_or(0, Vec::len);
    let (begin, end) = (at(looped.0), at(looped.1).min(length));
    if begin >= end {
        return None;
    }
    let over = at(seam).min(begin).min(end - begin);
    // Only what is near is copied: the cross-fade, and what is shown.
    let from = end - over.max(frames).min(end);
    let mut going: Vec<Vec<f32>> = recording.channels.iter().map(|c| c[from..end].to_vec()).collect();
    let coming: Vec<Vec<f32>> = recording.channels.iter().map(|c| c[begin - over..begin].to_vec()).collect();
    let tail = end - from - over;
    cross_fade(&mut going.iter_mut().map(|c| &mut c[tail..]).collect::<Vec<_>>(), &coming);
    let shown = frames.min(end - begin);
    let sides = going.into_iter().zip(&recording.channels).map(|(before, c)| (before[before.len() - shown..].to_vec(), c[begin..begin + shown].to_vec()));
    Some(sides.collect())
}

/// Where a loop that begins at frame `begin` should end, so that what follows its end is most like what follows its beginning: the frame
/// within `range` of `end` around which samples differ least from those around the beginning, over `WINDOW` frames.
///
/// The difference is the sum of squares over all channels; of those that are as good to within −60 dB the nearest to `end` is taken. `None` if there is no room.
#[must_use]
pub fn best_end(channels: &[Vec<f32>], begin: usize, end: usize, range: usize) -> Option<usize> {
    let frames = channels.first().map_or(0, Vec::len);
    // Half of the window lies before the beginning, as far as there is something.
    let (before, after) = ((WINDOW / 2).min(begin), WINDOW / 2);
    let low = end.saturating_sub(range).max(begin + WINDOW).max(before);
    let high = (end + range).min(frames);
    // What lies beyond the file's end is silence.
    let heard = |c: &Vec<f32>, at: usize| c.get(at).copied().unwrap_or(0.0);
    let wanted: Vec<Vec<f32>> = channels.iter().map(|c| (begin - before..begin + after).map(|at| heard(c, at)).collect()).collect();
    // What differs by less than this is as good: the nearest of such is taken, not one by chance.
    let alike = 1e-6 * ((before + after) * channels.len()) as f32;
    let mut nearest: Vec<usize> = (low..=high).collect();
    nearest.sort_by_key(|at| at.abs_diff(end));
    let mut best: Option<(f32, usize)> = None;
    for at in nearest {
        let most = best.map_or(f32::INFINITY, |(least, _)| least - alike);
        let mut off = 0.0f32;
        // Given up as soon as it is no better than one before.
        'sum: for (channel, wanted) in channels.iter().zip(&wanted) {
            for (i, wanted) in wanted.chunks(32).enumerate() {
                let from = at - before + 32 * i;
                off += wanted.iter().enumerate().map(|(n, w)| (heard(channel, from + n) - w).powi(2)).sum::<f32>();
                if off >= most {
                    break 'sum;
                }
            }
        }
        if off < most {
            best = Some((off, at));
        }
    }
    best.map(|(_, at)| at)
}

/// Frames that are held against each other where a loop is to close.
const WINDOW: usize = 256;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::assets::Notes;
    use proptest::prelude::*;
    use std::f64::consts::TAU;

    fn of(samples: Vec<f32>) -> Decoded {
        Decoded { rate: 48_000, channels: vec![samples], loop_points: None, kind: "WAV", bits: Some(16), notes: Notes::default() }
    }

    fn tone(hz: f64, frames: usize) -> Vec<f32> {
        (0..frames).map(|i| (0.5 * (TAU * hz * i as f64 / 48_000.0).sin()) as f32).collect()
    }

    fn trimmed(recording: &Decoded, trim: &Trim, loops: bool) -> Result<Decoded, AudioError> {
        let mut piece = recording.clone();
        cut(&mut piece, trim, !loops)?;
        Ok(piece)
    }

    fn made(samples: &[f32], trim: Trim, loops: bool) -> Decoded {
        trimmed(&of(samples.to_vec()), &trim, loops).unwrap()
    }

    proptest! {
        #[test]
        fn a_piece_is_what_lies_between_and_its_fades_leave_the_middle(from in 0usize..900, length in 400usize..2_000, fade_in in prop_oneof![Just(0), 8usize..100], fade_out in prop_oneof![Just(0), 8usize..100]) {
            let samples: Vec<f32> = (0..3_000).map(|i| 1.0 + i as f32).collect();
            let seconds = |frames: usize| frames as f64 / 48_000.0;
            let trim = Trim { from: seconds(from), to: Some(seconds(from + length)), fade_in: seconds(fade_in), fade_out: seconds(fade_out), ..Trim::default() };
            let piece = &made(&samples, trim, false).channels[0];
            prop_assert_eq!(piece.len(), length);
            let (head, tail) = (fade_in.max(24), fade_out.max(144));
            prop_assert_eq!(&piece[head..length - tail], &samples[from + head..from + length - tail]);
            // Nothing begins or ends at once that is cut within its sound, or is to fade.
            prop_assert!(from == 0 && fade_in == 0 || piece[0] < 0.5 * samples[from]);
            prop_assert!(piece[length - 1] < 0.5 * samples[from + length - 1]);
            let rises = |a: &f32, b: &f32, i: usize| a / samples[from + i] <= b / samples[from + i + 1];
            prop_assert!(piece.windows(2).take(fade_in.saturating_sub(1)).enumerate().all(|(i, w)| rises(&w[0], &w[1], i)));
        }

        /// The best end of a loop in a steady tone lies a whole number of its periods after the beginning.
        #[test]
        fn a_loop_of_a_tone_closes_after_whole_periods(hz in 90.0..1_500.0f64, begin in 0usize..5_000, end in 20_000usize..40_000) {
            let samples = tone(hz, 48_000);
            let period = 48_000.0 / hz;
            let at = best_end(&[samples], begin, end, (period * 1.5) as usize).unwrap();
            let periods = (at - begin) as f64 / period;
            prop_assert!((periods - periods.round()).abs() * period < 0.6, "{periods} periods of {period} frames");
        }
    }

    #[test]
    fn what_is_cut_is_not_of_the_file_any_more_and_a_loop_that_the_file_has_goes_along() {
        let samples = tone(440.0, 48_000);
        let mut recording = of(samples.clone());
        recording.loop_points = Some((10_000, 20_000));
        let piece = |from, to| trimmed(&recording, &Trim { from, to, ..Trim::default() }, true).unwrap();
        assert_eq!(piece(0.1, Some(0.9)).loop_points, Some((10_000 - 4_800, 20_000 - 4_800)));
        assert_eq!(piece(0.3, Some(0.9)).loop_points, None, "a loop that is cut into is none");
        // In what loops nothing fades that is not said to.
        assert_eq!(piece(0.1, None).channels[0], samples[4_800..]);
        // One that is said takes the place of the file's.
        let said = Trim { looped: Some((0.25, 0.75)), from: 0.05, ..Trim::default() };
        assert_eq!(trimmed(&recording, &said, true).unwrap().loop_points, Some((12_000 - 2_400, 36_000 - 2_400)));
        let wrong = |trim: Trim| trimmed(&recording, &trim, true).unwrap_err().to_string();
        assert_eq!(wrong(Trim { from: 1.5, ..Trim::default() }), "it ends before the piece that is cut out of it begins: it is 1.000 s long");
        assert_eq!(wrong(Trim { looped: Some((0.5, 1.01)), ..Trim::default() }), "its loop ends after it does: it is 1.000 s long");
        assert_eq!(trimmed(&recording, &Trim { looped: Some((0.5, 1.0005)), ..Trim::default() }, true).unwrap().loop_points, Some((24_000, 48_000)));
    }

    #[test]
    fn a_seam_closes_without_a_step_and_as_loud_as_the_rest() {
        use rand::{Rng as _, SeedableRng as _};
        let mut random = rand_pcg::Pcg64Mcg::seed_from_u64(7);
        let noise: Vec<f32> = (0..96_000).map(|_| random.random_range(-0.5f32..0.5)).collect();
        let power = |s: &[f32]| s.iter().map(|s| f64::from(s * s)).sum::<f64>() / s.len() as f64;
        for samples in [noise, tone(442.0 / 1.003, 96_000)] {
            let trim = |seam| Trim { looped: Some((0.5, 1.503)), seam, ..Trim::default() };
            let piece = made(&samples, trim(0.1), true);
            let (begin, end) = piece.loop_points.unwrap();
            let file = &piece.channels[0];
            // After the end comes the beginning: the last sample is (nearly) the one before it.
            assert!((file[end - 1] - samples[begin - 1]).abs() < 0.001, "{} {}", file[end - 1], samples[begin - 1]);
            let within = power(&file[end - 3_600..end - 1_200]) / power(&samples);
            assert!((0.85..1.15).contains(&within), "{within}");
            // Before the seam nothing is touched, and without one nothing at all.
            assert_eq!(file[..end - 4_800], samples[..end - 4_800]);
            assert_eq!(made(&samples, trim(0.0), true).channels[0], samples);
            // What is shown around the seam is what is heard.
            let shown = around_seam(&of(samples.clone()), (0.5, 1.503), 0.1, 480).unwrap();
            assert_eq!((&shown[0].0[..], &shown[0].1[..]), (&file[end - 480..end], &file[begin..begin + 480]));
            // A seam longer than what lies before the loop is as long as that.
            let near = Trim { looped: Some((0.01, 1.0)), seam: 5.0, ..Trim::default() };
            assert_eq!(made(&samples, near, true).channels[0][..48_000 - 480], samples[..48_000 - 480]);
        }
    }
}
