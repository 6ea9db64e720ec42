//! Conversion between two rates.

pub use rubato::VecResampler;
use rubato::{FftFixedIn, ResamplerConstructionError};

/// Converts from a rate to another, both in Hz, `chunk` frames or a few less at a time. What comes out is late by its `output_delay`.
///
/// # Errors
/// When there is no such conversion, as from a rate of 0.
pub fn between(from: u32, to: u32, chunk: usize, channels: usize) -> Result<Box<dyn VecResampler<f32>>, ResamplerConstructionError> {
    Ok(Box::new(FftFixedIn::<f32>::new(from as usize, to as usize, chunk, 1, channels)?))
}
