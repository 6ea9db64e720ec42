//! The widest instructions that the processor at hand has, chosen once; the one place of the engine with unsafe code.
//!
//! All is built for any processor of its family; on x86-64 that means four numbers at once. What costs most is built once more here for
//! AVX2, which has eight. Both add up in the same order and nothing is fused, so that they give the same to the bit: a project sounds the
//! same on every machine (tests beside [`Interpolator`](super::Interpolator)).

#![cfg_attr(not(target_arch = "x86_64"), allow(unused_variables, dead_code))]

use super::kernels::{LongRows, ShortRows, Way};
use super::smooth::FRAMES;
use wide::f32x8;

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

/// A filter of two states, eight steps of it multiplied out (see `svf_block`).
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Columns {
    /// What an input adds to the outputs from itself on, behind eight times nothing: what the input of step `i` adds to the eight begins at `8 - i`.
    pub(super) response: [f32; 16],
    /// What each state adds to the eight outputs.
    pub(super) states: [[f32; 8]; 2],
    /// What the inputs of steps `i` and `i + 4` add to the two states after the eight, side by side.
    pub(super) next_inputs: [[f32; 4]; 4],
    /// What each state adds to them.
    pub(super) next_states: [[f32; 4]; 2],
}

/// EightFilters state-variable filters side by side, in straight lines from one look to the next (see `generators::stepped`).
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct EightFilters {
    /// a₁, a₂, a₃, and what of the input, the band and the low output is heard: now, and by a sample.
    pub(super) now: [[f32; 8]; 6],
    pub(super) step: [[f32; 8]; 6],
    pub(super) states: [[f32; 8]; 2],
}

impl EightFilters {
    /// The sum of what all give for each sample of their inputs.
    fn run(&mut self, inputs: &[[f32; 8]], out: &mut [f32]) {
        let (mut now, step) = (self.now.map(f32x8::from), self.step.map(f32x8::from));
        let [mut one, mut two] = self.states.map(f32x8::from);
        for (input, out) in inputs.iter().zip(out) {
            now.iter_mut().zip(&step).for_each(|(now, step)| *now += *step);
            let [a1, a2, a3, dry, of_band, of_low] = now;
            let input = f32x8::from(*input);
            let difference = input - two;
            let band = a1 * one + a2 * difference;
            let low = two + a2 * one + a3 * difference;
            one = band + band - one;
            two = low + low - two;
            *out = total((dry * input + of_band * band + of_low * low).to_array());
        }
        (self.now, self.states) = (now.map(f32x8::to_array), [one, two].map(f32x8::to_array));
    }
}

/// EightFilters numbers together, in the same order whatever it is built for.
fn total([a, b, c, d, e, f, g, h]: [f32; 8]) -> f32 {
    ((a + e) + (c + g)) + ((b + f) + (d + h))
}

/// EightFilters partials as pairs that turn, each with a gain that goes in a straight line.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct EightPartials {
    /// Cosine and sine of each.
    pub(super) pair: [[f32; 8]; 2],
    /// Those of what it turns by in a sample.
    pub(super) by: [[f32; 8]; 2],
    /// How loud it is, and by how much that changes in a sample.
    pub(super) gain: [f32; 8],
    pub(super) step: [f32; 8],
}

impl EightPartials {
    /// Adds the sines of the next samples to what is there, lane by lane.
    fn add(&mut self, sums: &mut [[f32; 8]]) {
        let ([mut c, mut s], [bc, bs]) = (self.pair.map(f32x8::from), self.by.map(f32x8::from));
        let (mut gain, step) = (f32x8::from(self.gain), f32x8::from(self.step));
        for sum in sums {
            gain += step;
            *sum = (f32x8::from(*sum) + s * gain).to_array();
            (c, s) = (c * bc - s * bs, c * bs + s * bc);
        }
        (self.pair, self.gain) = ([c, s].map(f32x8::to_array), gain.to_array());
    }
}

#[cfg(target_arch = "x86_64")]
#[allow(unsafe_code)]
mod avx2 {
    use super::{Columns, EightFilters, EightPartials};
    use crate::dsp::kernels::{LongRows, ShortRows, Way, between};
    use std::arch::x86_64::{
        __m128, __m256, _mm_add_ps, _mm_cvtss_f32, _mm_loadu_ps, _mm_movehl_ps, _mm_movelh_ps, _mm_mul_ps, _mm_set1_ps, _mm_setzero_ps, _mm_shuffle_ps,
        _mm_storeu_ps, _mm_unpackhi_ps, _mm_unpacklo_ps, _mm256_add_ps, _mm256_broadcastss_ps, _mm256_castps256_ps128, _mm256_extractf128_ps, _mm256_loadu_ps,
        _mm256_mul_ps, _mm256_set1_ps, _mm256_setzero_ps, _mm256_storeu_ps, _mm256_sub_ps, _mm256_zextps128_ps256,
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

    /// Fills outputs, four at a time, each by the lanes of the taps at its place; gives how many were filled. No closure: what is built for these
    /// instructions is not put into what is not.
    macro_rules! fill {
        ($way:ident, $out:ident, |$taps:ident, $at:ident| $lanes:expr) => {{
            let mut $at = $way.fraction;
            let (fours, _) = $out.as_chunks_mut::<4>();
            let count = fours.len() * 4;
            for four in fours {
                let mut lanes = [_mm_setzero_ps(); 4];
                for lane in &mut lanes {
                    if let Some($taps) = $way.source[($at >> 32) as usize..].first_chunk() {
                        *lane = $lanes;
                    }
                    $at += $way.advance;
                }
                sums(lanes, four);
            }
            count
        }};
    }

    /// Outputs of the short kernel.
    #[target_feature(enable = "avx2")]
    pub(super) fn fill_short(rows: &ShortRows, way: Way<'_>, out: &mut [f32]) -> usize {
        fill!(way, out, |taps, at| halves(_mm256_mul_ps(eight(taps), eight(rows.of(at)))))
    }

    /// Outputs of a long kernel.
    #[target_feature(enable = "avx2")]
    pub(super) fn fill_long(rows: &LongRows, way: Way<'_>, out: &mut [f32]) -> usize {
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
    fn fill_taps<const TAPS: usize>(rows: &LongRows, way: Way<'_>, out: &mut [f32]) -> usize {
        fill!(way, out, |taps, at| {
            let (near, differences) = rows.of(at);
            match (near.first_chunk(), differences.first_chunk()) {
                (Some(near), Some(differences)) => weigh_long::<TAPS>(taps, near, differences, at),
                _ => _mm_setzero_ps(),
            }
        })
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

    /// Whole eights of a filter.
    #[target_feature(enable = "avx2")]
    pub(super) fn filter(of: &Columns, state: &mut [f32; 2], eights: &mut [[f32; 8]]) {
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

    /// EightFilters numbers together, in the order of the baseline.
    #[inline]
    #[target_feature(enable = "avx2")]
    fn total(of: __m256) -> f32 {
        let four = halves(of);
        let pair = _mm_add_ps(four, _mm_movehl_ps(four, four));
        _mm_cvtss_f32(_mm_add_ps(pair, _mm_shuffle_ps::<0x55>(pair, pair)))
    }

    /// The sines of partials that turn, added lane by lane.
    #[target_feature(enable = "avx2")]
    pub(super) fn turn(of: &mut EightPartials, sums: &mut [[f32; 8]]) {
        let EightPartials { pair: [c, s], by: [bc, bs], gain, step } = &*of;
        let (mut c, mut s, mut gain) = (eight(c), eight(s), eight(gain));
        let (bc, bs, step) = (eight(bc), eight(bs), eight(step));
        for sum in sums {
            gain = _mm256_add_ps(gain, step);
            let added = _mm256_add_ps(eight(sum), _mm256_mul_ps(s, gain));
            // SAFETY: eight numbers can be written where eight lie.
            unsafe { _mm256_storeu_ps(sum.as_mut_ptr(), added) }
            let turned = _mm256_sub_ps(_mm256_mul_ps(c, bc), _mm256_mul_ps(s, bs));
            s = _mm256_add_ps(_mm256_mul_ps(c, bs), _mm256_mul_ps(s, bc));
            c = turned;
        }
        for (to, from) in of.pair.iter_mut().chain([&mut of.gain]).zip([c, s, gain]) {
            // SAFETY: as above.
            unsafe { _mm256_storeu_ps(to.as_mut_ptr(), from) }
        }
    }

    /// A bank of filters.
    #[target_feature(enable = "avx2")]
    pub(super) fn bank(of: &mut EightFilters, inputs: &[[f32; 8]], out: &mut [f32]) {
        let [n1, n2, n3, n4, n5, n6] = &of.now;
        let (mut a1, mut a2, mut a3) = (eight(n1), eight(n2), eight(n3));
        let (mut dry, mut of_band, mut of_low) = (eight(n4), eight(n5), eight(n6));
        let [s1, s2, s3, s4, s5, s6] = &of.step;
        let steps = [eight(s1), eight(s2), eight(s3), eight(s4), eight(s5), eight(s6)];
        let (mut one, mut two) = (eight(&of.states[0]), eight(&of.states[1]));
        for (input, out) in inputs.iter().zip(out) {
            (a1, a2, a3) = (_mm256_add_ps(a1, steps[0]), _mm256_add_ps(a2, steps[1]), _mm256_add_ps(a3, steps[2]));
            (dry, of_band, of_low) = (_mm256_add_ps(dry, steps[3]), _mm256_add_ps(of_band, steps[4]), _mm256_add_ps(of_low, steps[5]));
            let input = eight(input);
            let difference = _mm256_sub_ps(input, two);
            let held = _mm256_mul_ps(a2, one);
            let band = _mm256_add_ps(_mm256_mul_ps(a1, one), _mm256_mul_ps(a2, difference));
            let low = _mm256_add_ps(_mm256_add_ps(two, held), _mm256_mul_ps(a3, difference));
            one = _mm256_sub_ps(_mm256_add_ps(band, band), one);
            two = _mm256_sub_ps(_mm256_add_ps(low, low), two);
            let sum = _mm256_add_ps(_mm256_mul_ps(dry, input), _mm256_mul_ps(of_band, band));
            *out = total(_mm256_add_ps(sum, _mm256_mul_ps(of_low, low)));
        }
        for (to, from) in of.now.iter_mut().chain(&mut of.states).zip([a1, a2, a3, dry, of_band, of_low, one, two]) {
            // SAFETY: eight numbers can be written where eight lie.
            unsafe { _mm256_storeu_ps(to.as_mut_ptr(), from) }
        }
    }

    /// What is in `from`, each with a gain that goes in straight lines, added to two sides: the loop of the baseline, built for eight at once.
    #[target_feature(enable = "avx2")]
    pub(super) fn add_to_both(left: &mut [f32], right: &mut [f32], from: &[f32], gains: [(f32, f32); 2]) {
        super::both(left, right, from, gains);
    }
}

/// Outputs of the short kernel, as many as there are wide instructions for: gives how many were filled. The source reaches beyond all of them.
#[inline]
pub(super) fn fill_short(instructions: Instructions, rows: &ShortRows, way: Way<'_>, out: &mut [f32]) -> usize {
    #[cfg(target_arch = "x86_64")]
    if instructions.avx2 {
        // SAFETY: `Instructions::best` has found AVX2 on this processor, and nobody else can say that it is there.
        #[allow(unsafe_code)]
        return unsafe { avx2::fill_short(rows, way, out) };
    }
    0
}

/// The same of a long kernel.
#[inline]
pub(super) fn fill_long(instructions: Instructions, rows: &LongRows, way: Way<'_>, out: &mut [f32]) -> usize {
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
pub(super) fn filter(instructions: Instructions, of: &Columns, state: &mut [f32; 2], eights: &mut [[f32; 8]]) -> bool {
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

/// The sum of what a bank of filters gives for each sample of their inputs.
#[inline]
pub(super) fn bank(of: &mut EightFilters, inputs: &[[f32; 8]], out: &mut [f32]) {
    #[cfg(target_arch = "x86_64")]
    if Instructions::best().avx2 {
        // SAFETY: as above.
        #[allow(unsafe_code)]
        return unsafe { avx2::bank(of, inputs, out) };
    }
    of.run(inputs, out);
}

/// What partials that turn give in the next samples, together.
#[inline]
pub(super) fn partials(of: &mut [EightPartials], out: &mut [f32]) {
    let mut sums = [[0.0; 8]; 32];
    for out in out.chunks_mut(32) {
        let sums = &mut sums[..out.len()];
        sums.fill([0.0; 8]);
        for eight in &mut *of {
            #[cfg(target_arch = "x86_64")]
            if Instructions::best().avx2 {
                // SAFETY: as above.
                #[allow(unsafe_code)]
                unsafe {
                    avx2::turn(eight, sums);
                }
                continue;
            }
            eight.add(sums);
        }
        out.iter_mut().zip(sums).for_each(|(out, sum)| *out = total(*sum));
    }
}

/// Adds samples to two sides in one go, each with a gain that goes from one value to another in a straight line; at most 64 frames.
#[inline]
pub(crate) fn add_to_both(left: &mut [f32], right: &mut [f32], from: &[f32], gains: [(f32, f32); 2]) {
    #[cfg(target_arch = "x86_64")]
    if Instructions::best().avx2 {
        // SAFETY: as above.
        #[allow(unsafe_code)]
        return unsafe { avx2::add_to_both(left, right, from, gains) };
    }
    both(left, right, from, gains);
}

/// The same, built for whatever instructions it is put among.
#[inline(always)]
fn both(left: &mut [f32], right: &mut [f32], from: &[f32], [(left_begin, left_end), (right_begin, right_end)]: [(f32, f32); 2]) {
    let share = 1.0 / from.len().max(1) as f32;
    let (left_step, right_step) = ((left_end - left_begin) * share, (right_end - right_begin) * share);
    let sides = left.iter_mut().zip(right).zip(from);
    if left_step == 0.0 && right_step == 0.0 {
        sides.for_each(|((left, right), from)| {
            *left += from * left_end;
            *right += from * right_end;
        });
    } else {
        sides.zip(&FRAMES).for_each(|(((left, right), from), frame)| {
            *left += from * (left_begin + left_step * frame);
            *right += from * (right_begin + right_step * frame);
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn eights(count: usize) -> impl Strategy<Value = Vec<[f32; 8]>> {
        prop::collection::vec(prop::array::uniform8(-0.7f32..0.7), count)
    }

    proptest! {
        #[test]
        fn banks_and_partials_are_the_same_to_the_bit_on_every_processor(start in eights(14), inputs in eights(32)) {
            let six = |at: usize| std::array::from_fn::<[f32; 8], 6, _>(|i| start[at + i]);
            let mut wide = EightFilters { now: six(0), step: six(6).map(|step| step.map(|s| s / 1_000.0)), states: [start[12], start[13]] };
            let mut plain = wide;
            let [mut heard, mut wanted] = [[0.0f32; 32]; 2];
            bank(&mut wide, &inputs, &mut heard);
            plain.run(&inputs, &mut wanted);
            prop_assert_eq!(heard.map(f32::to_bits), wanted.map(f32::to_bits));
            prop_assert_eq!((wide.now, wide.states), (plain.now, plain.states));

            let mut wide = [EightPartials { pair: [start[0], start[1]], by: [start[2], start[3]], gain: start[4], step: start[5] }; 2];
            wide[1].gain = start[6];
            let mut plain = wide;
            let mut heard = [0.0f32; 32];
            partials(&mut wide, &mut heard);
            let mut sums = [[0.0; 8]; 32];
            plain.iter_mut().for_each(|of| of.add(&mut sums));
            prop_assert_eq!(heard.map(f32::to_bits), sums.map(total).map(f32::to_bits));
            prop_assert_eq!(wide.map(|of| (of.pair, of.gain)), plain.map(|of| (of.pair, of.gain)));
        }
    }
}
