//! Tables of coefficients by which samples are weighed between two of them, as they are read by whatever instructions; [`Interpolator`](super::Interpolator)
//! makes them.

/// Taps of the short kernel.
pub(super) const SHORT: usize = 8;
/// Its phases: a table of 32 KB stays near the processor.
pub(super) const PHASES: usize = 1024;
const PHASE_SHIFT: u32 = 22;
/// Phases of a long kernel, between two of which is a straight line.
pub(super) const LONG_PHASES: usize = 128;
const LONG_SHIFT: u32 = 25;

/// How a source is gone through.
#[derive(Clone, Copy)]
pub(super) struct Way<'a> {
    pub(super) source: &'a [f32],
    /// Where the first output lies in the source, and how far each lies behind the one before, in 32.32 fixed point.
    pub(super) fraction: u64,
    pub(super) advance: u64,
}

/// The coefficients of a phase, where a processor reads them in one go.
#[derive(Debug, Clone, Copy)]
#[repr(align(32))]
pub(super) struct Row(pub(super) [f32; SHORT]);

/// The short kernel.
#[derive(Debug)]
pub(super) struct ShortRows(pub(super) Box<[Row; PHASES + 1]>);

impl ShortRows {
    /// The coefficients of the phase nearest to a position.
    #[inline(always)]
    pub(super) fn of(&self, position: u64) -> &[f32; SHORT] {
        let phase = (((position & 0xffff_ffff) + (1 << (PHASE_SHIFT - 1))) >> PHASE_SHIFT) as usize;
        &self.0[phase.min(PHASES)].0
    }
}

/// A long kernel: for each phase its coefficients, and then what those of the next phase are more.
#[derive(Debug)]
pub(super) struct LongRows {
    pub(super) taps: usize,
    pub(super) rows: Box<[f32]>,
}

impl LongRows {
    /// The coefficients of the phase at a position, and what those of the next phase are more.
    #[inline(always)]
    pub(super) fn of(&self, position: u64) -> (&[f32], &[f32]) {
        let phase = ((position & 0xffff_ffff) >> LONG_SHIFT) as usize;
        self.rows[phase * 2 * self.taps..][..2 * self.taps].split_at(self.taps)
    }
}

/// How far a position lies between two phases of a long kernel, 0 to 1.
#[inline(always)]
pub(super) fn between(position: u64) -> f32 {
    (position & ((1 << LONG_SHIFT) - 1)) as f32 / (1u64 << LONG_SHIFT) as f32
}
