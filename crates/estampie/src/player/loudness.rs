//! Loudness of the output by EBU R 128, measured aside from what plays.

use ebur128::{EbuR128, Mode};
use rtrb::Consumer;
use std::collections::VecDeque;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// What was measured last. LUFS and dBTP; minus infinity for silence.
#[derive(Debug, Clone)]
pub(crate) struct Loudness {
    /// Over 0.4 s.
    pub(crate) momentary: f64,
    /// Over 3 s.
    pub(crate) short_term: f64,
    /// Over the whole rehearsal.
    pub(crate) integrated: f64,
    /// Loudness range in LU.
    pub(crate) range: f64,
    /// The greatest true peak of the last 3 s.
    pub(crate) true_peak: f64,
    /// Short-term loudness, ten times a second, of the last 30 s.
    pub(crate) history: VecDeque<f32>,
}

impl Default for Loudness {
    fn default() -> Self {
        let silent = f64::NEG_INFINITY;
        Loudness { momentary: silent, short_term: silent, integrated: silent, range: 0.0, true_peak: silent, history: VecDeque::new() }
    }
}

/// Measures until told to quit.
pub(super) fn run(quit: &AtomicBool, out: &Mutex<Loudness>, mut tap: Consumer<f32>, rate: u32) {
    let Ok(mut meter) = EbuR128::new(2, rate, Mode::M | Mode::S | Mode::I | Mode::LRA | Mode::TRUE_PEAK | Mode::HISTOGRAM) else { return };
    let tenth = rate as usize / 10 * 2;
    let mut samples = Vec::with_capacity(tenth);
    let mut peaks: VecDeque<f64> = VecDeque::new();
    while !quit.load(Ordering::Relaxed) {
        while samples.len() < tenth {
            let Ok(sample) = tap.pop() else { break };
            samples.push(sample);
        }
        if samples.len() < tenth {
            std::thread::sleep(Duration::from_millis(15));
            continue;
        }
        if meter.add_frames_f32(&samples).is_err() {
            return;
        }
        samples.clear();
        let peak = (0..2).filter_map(|c| meter.prev_true_peak(c).ok()).fold(0.0, f64::max);
        peaks.push_back(peak);
        if peaks.len() > 30 {
            peaks.pop_front();
        }
        let silent = f64::NEG_INFINITY;
        if let Ok(mut now) = out.lock() {
            now.momentary = meter.loudness_momentary().unwrap_or(silent);
            now.short_term = meter.loudness_shortterm().unwrap_or(silent);
            now.integrated = meter.loudness_global().unwrap_or(silent);
            now.range = meter.loudness_range().unwrap_or(0.0);
            now.true_peak = 20.0 * peaks.iter().fold(0.0f64, |p, v| p.max(*v)).log10();
            let short = now.short_term as f32;
            now.history.push_back(short);
            if now.history.len() > 300 {
                now.history.pop_front();
            }
        }
    }
}
