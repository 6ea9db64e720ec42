//! How much of each frequency there is over time, as a picture of a recording.

use std::ops::Range;

/// The frequencies that a spectrogram shows, in Hz.
pub const LOWEST: f64 = 40.0;
/// See [`LOWEST`].
pub const HIGHEST: f64 = 18_000.0;
/// What is this much below full scale, or more, is as dark as silence, in dB.
pub const DARKEST: f64 = -96.0;

/// No more frames are looked at for one column.
pub const LONGEST_WINDOW: usize = 8_192;

/// A picture of a range of samples at a rate in Hz: so many columns of so many rows, shares from 0 (silent) to 1 (a sine of full scale), the lowest frequency first. Frequencies
/// are spaced by octaves from [`LOWEST`] to [`HIGHEST`]; each row shows the greatest level within it.
#[must_use]
pub fn spectrogram(samples: &[f32], rate: u32, range: Range<usize>, (columns, rows): (usize, usize)) -> Vec<Vec<f32>> {
    // A window as long as what a column stands for, so that nothing is left out, within what tells pitches and moments apart.
    let step = range.len() as f64 / columns.max(1) as f64;
    let window = (step as usize).next_power_of_two().clamp(1_024, LONGEST_WINDOW);
    let transform = estampie_generics::forward(window);
    let hann: Vec<f32> = (0..window).map(|i| 0.5 - 0.5 * (std::f32::consts::TAU * (i as f32 + 0.5) / window as f32).cos()).collect();
    let edge = |row: usize| {
        let hz = LOWEST * (HIGHEST / LOWEST).powf(row as f64 / rows.max(1) as f64);
        (hz * window as f64 / f64::from(rate)).min(window as f64 / 2.0)
    };
    let (mut input, mut output) = (transform.make_input_vec(), transform.make_output_vec());
    (0..columns)
        .map(|column| {
            let from = (range.start as f64 + (column as f64 + 0.5) * step) as isize - window as isize / 2;
            for (i, (slot, gain)) in input.iter_mut().zip(&hann).enumerate() {
                let at = from + i as isize;
                *slot = usize::try_from(at).ok().and_then(|at| samples.get(at)).copied().unwrap_or(0.0) * gain;
            }
            // Lengths fit: they come from the transform itself.
            let _ = transform.process(&mut input, &mut output);
            (0..rows)
                .map(|row| {
                    let (low, high) = (edge(row), edge(row + 1));
                    let bins = (low.floor() as usize)..(high.ceil() as usize).max(low.floor() as usize + 1).min(output.len());
                    let most = output[bins].iter().map(estampie_generics::num_complex::Complex::norm_sqr).fold(0.0f32, f32::max);
                    // A sine of full scale comes to a quarter of the window.
                    let level = 10.0 * f64::from(most).max(1e-20).log10() - 20.0 * (window as f64 / 4.0).log10();
                    ((level - DARKEST) / -DARKEST).clamp(0.0, 1.0) as f32
                })
                .collect()
        })
        .collect()
}

/// The frequency in the middle of a row, in Hz.
#[must_use]
pub fn row_hz(row: f64, rows: usize) -> f64 {
    LOWEST * (HIGHEST / LOWEST).powf((row + 0.5) / rows.max(1) as f64)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::f64::consts::TAU;

    proptest! {
        #[test]
        fn a_tone_is_brightest_in_its_row_and_by_its_level(hz in 200.0..12_000.0f64, gain in 0.001..1.0f64) {
            let tone: Vec<f32> = (0..24_000).map(|i| (gain * (TAU * hz * f64::from(i) / 48_000.0).sin()) as f32).collect();
            let picture = spectrogram(&tone, 48_000, 0..24_000, (20, 30));
            prop_assert_eq!((picture.len(), picture[0].len()), (20, 30));
            for column in &picture[2..18] {
                let brightest = (0..30).max_by(|a, b| column[*a].total_cmp(&column[*b])).unwrap();
                // Within the row or at its edge.
                prop_assert!((row_hz(brightest as f64, 30) / hz).log2().abs() < 0.6 * (HIGHEST / LOWEST).log2() / 30.0 + 0.15);
                let level = f64::from(column[brightest]) * -DARKEST + DARKEST;
                prop_assert!((level - 20.0 * gain.log10()).abs() < 1.6, "{level} for {}", 20.0 * gain.log10());
            }
        }
    }

    #[test]
    fn silence_is_dark_and_what_happens_is_where_it_happens() {
        assert!(spectrogram(&[0.0; 10_000], 48_000, 0..10_000, (10, 8)).iter().flatten().all(|share| *share == 0.0));
        assert!(spectrogram(&[], 48_000, 0..0, (4, 4)).iter().flatten().all(|share| *share == 0.0));
        let mut click = vec![0.0; 96_000];
        click[72_000] = 1.0;
        let picture = spectrogram(&click, 48_000, 0..96_000, (40, 8));
        let bright = |column: usize| picture[column].iter().sum::<f32>();
        assert!((0..40).max_by(|a, b| bright(*a).total_cmp(&bright(*b))).is_some_and(|at| (29..=30).contains(&at)));
        assert_eq!(bright(10), 0.0);
        // A part of it is as that part of the whole.
        let part = spectrogram(&click, 48_000, 60_000..84_000, (10, 8));
        assert_eq!(part, picture[25..35]);
    }
}
