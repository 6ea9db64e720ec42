//! Signal processing without knowledge of sounds, buses or games.
//!
//! Everything here works on plain sample slices, allocates only when it is made, and never in its `process`.

pub mod effects;
mod envelope;
mod filter;
pub mod generators;
pub mod instrument;
mod interpolate;
mod kernels;
mod limiter;
pub(crate) mod oscillator;
mod smooth;
mod svf_block;
mod widest;

pub(crate) use effects::DelayLine;
pub use envelope::{Envelope, Shaping};
pub use filter::{BlockCoefficients, Filter, HighPass, HighPassCoefficients, LowPass, LowPassCoefficients};
pub use interpolate::{Interpolator, LEAD, ONE, TAPS, advance_of};
pub use limiter::Limiter;
pub(crate) use smooth::add_ramped;
pub use smooth::{Fade, Swell, block_coefficient};
pub use widest::Instructions;
pub(crate) use widest::add_to_both;
