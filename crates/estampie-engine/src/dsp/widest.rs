//! The widest instructions that the processor at hand has, chosen once; the one place of the engine with unsafe code.
//!
//! All is built for any processor of its family; on x86-64 that means four numbers at once. What costs most is built once more here for
//! AVX2, which has eight. Both add up in the same order and nothing is fused, so that they give the same to the bit: a project sounds the
//! same on every machine (tests beside [`Interpolator`](super::Interpolator)).

/// Which instructions work is done with. Nobody can make one that the processor does not have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Instructions {
    /// AVX2 on x86-64: eight numbers at once.
    avx2: bool,
}

impl Instructions {
    /// Those that every processor of its family has.
    pub const BASELINE: Instructions = Instructions { avx2: false };

    /// What they are called.
    #[must_use]
    pub fn name(self) -> &'static str {
        if self.avx2 { "AVX2" } else { "baseline" }
    }

    /// The widest that the processor at hand has.
    #[must_use]
    pub fn best() -> Instructions {
        #[cfg(target_arch = "x86_64")]
        return Instructions { avx2: std::arch::is_x86_feature_detected!("avx2") };
        #[cfg(not(target_arch = "x86_64"))]
        Instructions::BASELINE
    }
}

/// How a source is gone through.
#[derive(Clone, Copy)]
pub(super) struct Way<'a> {
    pub(super) source: &'a [f32],
    /// Where the first output lies in the source, and how far each lies behind the one before, in 32.32 fixed point.
    pub(super) fraction: u64,
    pub(super) advance: u64,
}

#[cfg(target_arch = "x86_64")]
#[allow(unsafe_code)]
mod avx2 {
    use super::Way;
    use crate::dsp::interpolate::{LongRows, PHASE_SHIFT, PHASES, Row, SHORT, between};
    use crate::dsp::svf_block::Eight;
    use std::arch::x86_64::{
        __m128, __m256, _mm_add_ps, _mm_cvtss_f32, _mm_loadu_ps, _mm_movehl_ps, _mm_movelh_ps, _mm_mul_ps, _mm_set1_ps, _mm_setzero_ps, _mm_shuffle_ps,
        _mm_storeu_ps, _mm_unpackhi_ps, _mm_unpacklo_ps, _mm256_add_ps, _mm256_broadcastss_ps, _mm256_castps256_ps128, _mm256_extractf128_ps, _mm256_loadu_ps,
        _mm256_mul_ps, _mm256_set1_ps, _mm256_setzero_ps, _mm256_storeu_ps, _mm256_zextps128_ps256,
    };

    #[inline]
    #[target_feature(enable = "avx2")]
    fn eight(from: &[f32; 8]) -> __m256 {
        // SAFETY: eight numbers can be read where eight lie; they need not be aligned.
        unsafe { _mm256_loadu_ps(from.as_ptr()) }
    }

    #[inline]
    #[target_feature(enable = "avx2")]
    fn quarter(from: &[f32; 4]) -> __m128 {
        // SAFETY: as above, of four.
        unsafe { _mm_loadu_ps(from.as_ptr()) }
    }

    /// Four numbers, and four times nothing.
    #[inline]
    #[target_feature(enable = "avx2")]
    fn four(from: &[f32; 4]) -> __m256 {
        _mm256_zextps128_ps256(quarter(from))
    }

    /// Lanes four apart together.
    #[inline]
    #[target_feature(enable = "avx2")]
    fn halves(of: __m256) -> __m128 {
        _mm_add_ps(_mm256_castps256_ps128(of), _mm256_extractf128_ps::<1>(of))
    }

    /// Each of four times four lanes a b c d as (a + c) + (b + d), side by side.
    #[inline]
    #[target_feature(enable = "avx2")]
    fn sums(lanes: [__m128; 4], out: &mut [f32; 4]) {
        let [one, two, three, four] = lanes;
        let (low, high) = (_mm_unpacklo_ps(one, two), _mm_unpackhi_ps(one, two));
        let (other_low, other_high) = (_mm_unpacklo_ps(three, four), _mm_unpackhi_ps(three, four));
        let (a, b) = (_mm_movelh_ps(low, other_low), _mm_movehl_ps(other_low, low));
        let (c, d) = (_mm_movelh_ps(high, other_high), _mm_movehl_ps(other_high, high));
        let sum = _mm_add_ps(_mm_add_ps(a, c), _mm_add_ps(b, d));
        // SAFETY: four numbers can be written where four lie.
        unsafe { _mm_storeu_ps(out.as_mut_ptr(), sum) }
    }

    /// Outputs of the short kernel, four at a time; gives how many were filled.
    #[target_feature(enable = "avx2")]
    pub(super) fn fill_short(table: &[Row; PHASES + 1], way: Way<'_>, out: &mut [f32]) -> usize {
        let mut at = way.fraction;
        let (fours, _) = out.as_chunks_mut::<4>();
        let count = fours.len() * 4;
        for four in fours {
            let mut lanes = [_mm_setzero_ps(); 4];
            for lane in &mut lanes {
                let phase = (((at & 0xffff_ffff) + (1 << (PHASE_SHIFT - 1))) >> PHASE_SHIFT) as usize;
                let taps = way.source[(at >> 32) as usize..].first_chunk::<SHORT>().unwrap_or(&[0.0; SHORT]);
                *lane = halves(_mm256_mul_ps(eight(taps), eight(&table[phase.min(PHASES)].0)));
                at += way.advance;
            }
            sums(lanes, four);
        }
        count
    }

    /// Outputs of a long kernel, four at a time; gives how many were filled.
    #[target_feature(enable = "avx2")]
    pub(super) fn fill_long(rows: LongRows<'_>, way: Way<'_>, out: &mut [f32]) -> usize {
        // So many taps as there are kernels with: known beforehand, their sums need no loop.
        match rows.taps {
            20 => fill_taps::<20>(rows, way, out),
            24 => fill_taps::<24>(rows, way, out),
            28 => fill_taps::<28>(rows, way, out),
            32 => fill_taps::<32>(rows, way, out),
            36 => fill_taps::<36>(rows, way, out),
            40 => fill_taps::<40>(rows, way, out),
            44 => fill_taps::<44>(rows, way, out),
            48 => fill_taps::<48>(rows, way, out),
            52 => fill_taps::<52>(rows, way, out),
            56 => fill_taps::<56>(rows, way, out),
            _ => 0,
        }
    }

    #[target_feature(enable = "avx2")]
    fn fill_taps<const TAPS: usize>(rows: LongRows<'_>, way: Way<'_>, out: &mut [f32]) -> usize {
        let mut at = way.fraction;
        let (fours, _) = out.as_chunks_mut::<4>();
        let count = fours.len() * 4;
        for four in fours {
            // Without closures: what is built for these instructions is not put into what is not.
            let mut lanes = [_mm_setzero_ps(); 4];
            for lane in &mut lanes {
                let taps = way.source[(at >> 32) as usize..].first_chunk::<TAPS>();
                let (near, differences) = rows.of(at);
                if let (Some(taps), Some(near), Some(differences)) = (taps, near.first_chunk(), differences.first_chunk()) {
                    *lane = weigh_long::<TAPS>(taps, near, differences, at);
                }
                at += way.advance;
            }
            sums(lanes, four);
        }
        count
    }

    #[inline]
    #[target_feature(enable = "avx2")]
    fn weigh_long<const TAPS: usize>(taps: &[f32; TAPS], near: &[f32; TAPS], differences: &[f32; TAPS], at: u64) -> __m128 {
        let (mut sum, mut more) = (_mm256_setzero_ps(), _mm256_setzero_ps());
        let ((taps, taps_left), (near, near_left)) = (taps.as_chunks::<8>(), near.as_chunks::<8>());
        let (differences, differences_left) = differences.as_chunks::<8>();
        for ((taps, near), difference) in taps.iter().zip(near).zip(differences) {
            let taps = eight(taps);
            sum = _mm256_add_ps(sum, _mm256_mul_ps(taps, eight(near)));
            more = _mm256_add_ps(more, _mm256_mul_ps(taps, eight(difference)));
        }
        if let (Some(taps), Some(near), Some(difference)) = (taps_left.first_chunk(), near_left.first_chunk(), differences_left.first_chunk()) {
            let taps = four(taps);
            sum = _mm256_add_ps(sum, _mm256_mul_ps(taps, four(near)));
            more = _mm256_add_ps(more, _mm256_mul_ps(taps, four(difference)));
        }
        halves(_mm256_add_ps(sum, _mm256_mul_ps(more, _mm256_set1_ps(between(at)))))
    }

    /// Whole eights of a filter: see `Eight::process_eights`.
    #[target_feature(enable = "avx2")]
    pub(super) fn filter(of: &Eight, state: &mut [f32; 2], eights: &mut [[f32; 8]]) {
        let mut inputs = [_mm256_setzero_ps(); 8];
        for (i, input) in inputs.iter_mut().enumerate() {
            *input = eight(of.response[8 - i..].first_chunk().unwrap_or(&[0.0; 8]));
        }
        let states = [eight(&of.states[0]), eight(&of.states[1])];
        let mut next_inputs = [_mm_setzero_ps(); 4];
        for (next, of) in next_inputs.iter_mut().zip(&of.next_inputs) {
            *next = quarter(of);
        }
        let next_states = [quarter(&of.next_states[0]), quarter(&of.next_states[1])];
        let (mut one, mut two) = (_mm_set1_ps(state[0]), _mm_set1_ps(state[1]));
        for x in eights {
            let (low, high) = (quarter(x.first_chunk().unwrap_or(&[0.0; 4])), quarter(x.last_chunk().unwrap_or(&[0.0; 4])));
            let entered = [
                _mm_mul_ps(next_inputs[0], _mm_shuffle_ps::<0x00>(low, high)),
                _mm_mul_ps(next_inputs[1], _mm_shuffle_ps::<0x55>(low, high)),
                _mm_mul_ps(next_inputs[2], _mm_shuffle_ps::<0xaa>(low, high)),
                _mm_mul_ps(next_inputs[3], _mm_shuffle_ps::<0xff>(low, high)),
            ];
            let entered = _mm_add_ps(_mm_add_ps(entered[0], entered[1]), _mm_add_ps(entered[2], entered[3]));
            let entered = _mm_add_ps(entered, _mm_movehl_ps(_mm_setzero_ps(), entered));
            let mut direct = [_mm256_setzero_ps(); 8];
            for (i, direct) in direct.iter_mut().enumerate() {
                *direct = _mm256_mul_ps(inputs[i], _mm256_set1_ps(x[i]));
            }
            let first = _mm256_add_ps(_mm256_add_ps(direct[0], direct[1]), _mm256_add_ps(direct[2], direct[3]));
            let last = _mm256_add_ps(_mm256_add_ps(direct[4], direct[5]), _mm256_add_ps(direct[6], direct[7]));
            let kept = _mm256_add_ps(_mm256_mul_ps(states[0], _mm256_broadcastss_ps(one)), _mm256_mul_ps(states[1], _mm256_broadcastss_ps(two)));
            let out = _mm256_add_ps(_mm256_add_ps(first, last), kept);
            let next = _mm_add_ps(entered, _mm_add_ps(_mm_mul_ps(next_states[0], one), _mm_mul_ps(next_states[1], two)));
            (one, two) = (_mm_shuffle_ps::<0x00>(next, next), _mm_shuffle_ps::<0x55>(next, next));
            // SAFETY: eight numbers can be written where eight lie.
            unsafe { _mm256_storeu_ps(x.as_mut_ptr(), out) }
        }
        *state = [_mm_cvtss_f32(one), _mm_cvtss_f32(two)];
    }

    /// What is in `from`, each with a gain that goes in straight lines, added to two sides: the loop of the baseline, built for eight at once.
    #[target_feature(enable = "avx2")]
    pub(super) fn add_to_both(left: &mut [f32], right: &mut [f32], from: &[f32], gains: [(f32, f32); 2]) {
        crate::dsp::smooth::both(left, right, from, gains);
    }
}

/// Outputs of the short kernel, as many as there are wide instructions for: gives how many were filled. The source reaches beyond all of them.
#[inline]
pub(super) fn fill_short(
    instructions: Instructions,
    table: &[super::interpolate::Row; super::interpolate::PHASES + 1],
    way: Way<'_>,
    out: &mut [f32],
) -> usize {
    #[cfg(target_arch = "x86_64")]
    if instructions.avx2 {
        // SAFETY: `Instructions::best` has found AVX2 on this processor, and nobody else can say that it is there.
        #[allow(unsafe_code)]
        return unsafe { avx2::fill_short(table, way, out) };
    }
    0
}

/// The same of a long kernel.
#[inline]
pub(super) fn fill_long(instructions: Instructions, rows: super::interpolate::LongRows<'_>, way: Way<'_>, out: &mut [f32]) -> usize {
    #[cfg(target_arch = "x86_64")]
    if instructions.avx2 {
        // SAFETY: as above.
        #[allow(unsafe_code)]
        return unsafe { avx2::fill_long(rows, way, out) };
    }
    0
}

/// Whole eights of a filter; false if there are no wide instructions for it.
#[inline]
pub(super) fn filter(instructions: Instructions, of: &super::svf_block::Eight, state: &mut [f32; 2], eights: &mut [[f32; 8]]) -> bool {
    #[cfg(target_arch = "x86_64")]
    if instructions.avx2 {
        // SAFETY: as above.
        #[allow(unsafe_code)]
        unsafe {
            avx2::filter(of, state, eights);
        }
    }
    instructions.avx2
}

/// Adds samples to two sides, each with a gain that goes in a straight line.
#[inline]
pub(super) fn add_to_both(left: &mut [f32], right: &mut [f32], from: &[f32], gains: [(f32, f32); 2]) {
    #[cfg(target_arch = "x86_64")]
    if Instructions::best().avx2 {
        // SAFETY: as above.
        #[allow(unsafe_code)]
        return unsafe { avx2::add_to_both(left, right, from, gains) };
    }
    super::smooth::both(left, right, from, gains);
}
