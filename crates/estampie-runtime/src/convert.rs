//! Another rate than the bundle's: the engine renders at its own, and what it gives is converted (by `rubato`) as it is asked for.

use crate::live;
use estampie_engine::engine::Engine;
use rubato::{Resampler as _, SincFixedOut, SincInterpolationParameters, SincInterpolationType, WindowFunction};

/// Frames of the host that are made at once.
const CHUNK: usize = 64;

/// Length of the kernel in frames of the engine: images and aliases stay 100 dB below what is heard.
const KERNEL: usize = 128;

/// Converts what an engine renders: the kernel reads half its length ahead, so that the host's frame is the engine's of the same moment. All of it is allocated when it is made.
pub(crate) struct Converter {
    kernel: SincFixedOut<f32>,
    rendered: Vec<f32>,
    channels_in: [Vec<f32>; 2],
    channels_out: [Vec<f32>; 2],
    /// Frames of the present chunk that have been handed out.
    used: usize,
    /// The host's frames that have been handed out.
    pub(crate) frame: u64,
}

impl Converter {
    /// From the engine's rate to the host's; `None` if there is no such converter.
    pub(crate) fn new(engine: u32, host: u32) -> Option<Converter> {
        let parameters = SincInterpolationParameters {
            sinc_len: KERNEL,
            f_cutoff: 0.95,
            oversampling_factor: 512,
            interpolation: SincInterpolationType::Cubic,
            window: WindowFunction::BlackmanHarris2,
        };
        let kernel = SincFixedOut::new(f64::from(host) / f64::from(engine), 1.0, parameters, CHUNK, 2).ok()?;
        let most = kernel.input_frames_max();
        let channels_in = [vec![0.0; most], vec![0.0; most]];
        Some(Converter { kernel, rendered: vec![0.0; 2 * most], channels_in, channels_out: [vec![0.0; CHUNK], vec![0.0; CHUNK]], used: CHUNK, frame: 0 })
    }

    /// Fills `out` with frames of two interleaved channels. An odd last sample is set to 0. Never allocates, frees, locks or waits.
    pub(crate) fn render(&mut self, engine: &mut Engine, live: &mut live::Inner, out: &mut [f32]) {
        for frame in out.chunks_mut(2) {
            let [left, right] = frame else {
                frame.fill(0.0);
                continue;
            };
            if self.used == CHUNK {
                self.next(engine, live);
            }
            (*left, *right) = (self.channels_out[0][self.used], self.channels_out[1][self.used]);
            self.used += 1;
            self.frame += 1;
        }
    }

    /// Makes the next chunk.
    fn next(&mut self, engine: &mut Engine, live: &mut live::Inner) {
        let count = self.kernel.input_frames_next();
        let rendered = &mut self.rendered[..2 * count];
        live.render(engine, rendered);
        let [left, right] = &mut self.channels_in;
        for ((frame, left), right) in rendered.chunks_exact(2).zip(left.iter_mut()).zip(right.iter_mut()) {
            (*left, *right) = (frame[0], frame[1]);
        }
        let given = [&left[..count], &right[..count]];
        if self.kernel.process_into_buffer(&given, &mut self.channels_out, None).is_err() {
            // It says so only where a buffer is too short, and none is.
            self.channels_out.iter_mut().for_each(|c| c.fill(0.0));
        }
        self.used = 0;
    }
}
