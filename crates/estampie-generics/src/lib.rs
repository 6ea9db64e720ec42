//! What generic packages of others do with samples, for the numbers Estampie has: Fourier transforms of real signals (by `realfft`), conversion between rates that works on
//! spectra (by `rubato`), decoded packets as samples (of `symphonia`).
//!
//! They have code for each kind of number, processor and length: whoever uses them is compiled together with all of it, which was two thirds of the
//! engine. Here it is compiled once, with optimisation where tests are built too, and behind functions that are not generic it stays here.

#[cfg(feature = "planes")]
pub mod planes;
#[cfg(feature = "rates")]
pub mod rates;

use realfft::RealFftPlanner;
pub use realfft::num_complex;
pub use realfft::{ComplexToReal, RealToComplex};
use std::sync::Arc;

/// The spectrum of `frames` real numbers: `frames / 2 + 1` complex ones, not scaled.
#[must_use]
pub fn forward(frames: usize) -> Arc<dyn RealToComplex<f32>> {
    RealFftPlanner::<f32>::new().plan_fft_forward(frames)
}

/// `frames` real numbers of their spectrum; after [`forward`], `frames` times as large.
#[must_use]
pub fn inverse(frames: usize) -> Arc<dyn ComplexToReal<f32>> {
    RealFftPlanner::<f32>::new().plan_fft_inverse(frames)
}

/// Like [`forward`], of 64 bits.
#[must_use]
pub fn forward_64(frames: usize) -> Arc<dyn RealToComplex<f64>> {
    RealFftPlanner::<f64>::new().plan_fft_forward(frames)
}

/// Like [`inverse`], of 64 bits.
#[must_use]
pub fn inverse_64(frames: usize) -> Arc<dyn ComplexToReal<f64>> {
    RealFftPlanner::<f64>::new().plan_fft_inverse(frames)
}
