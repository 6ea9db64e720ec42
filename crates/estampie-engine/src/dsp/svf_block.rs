//! A state-variable filter worked out eight samples at a time.
//!
//! A filter of two states is a chain: each sample waits for the one before. While its coefficients stand still, eight steps can be
//! multiplied out beforehand: outputs and states after eight samples are sums of the eight inputs and the two states before
//! (block state-space form; C. W. Barnes and S. Shinnaka 1980, *Block-shift invariance and block implementation of
//! discrete-time filters*). The chain is then one link for eight samples, and the sums are done side by side.

use super::widest::{self, Columns, Instructions};
use wide::{f32x4, f32x8};

/// Eight steps of a filter of two states, multiplied out.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Eight {
    instructions: Instructions,
    columns: Columns,
}

impl Eight {
    /// For the section by the topology-preserving transform with update a₁, a₂, a₃ whose output is m₀ times the input, m₁ times the
    /// band and m₂ times the low output.
    pub(crate) fn of(a: [f64; 3], m: [f64; 3]) -> Eight {
        let step = |state: &mut [f64; 2], x: f64| {
            let difference = x - state[1];
            let band = a[0] * state[0] + a[1] * difference;
            let low = state[1] + a[1] * state[0] + a[2] * difference;
            *state = [2.0 * band - state[0], 2.0 * low - state[1]];
            m[0] * x + m[1] * band + m[2] * low
        };
        // It is linear: what one input or one state alone does is its column.
        let column = |mut state: [f64; 2], input: Option<usize>| {
            let out: [f32; 8] = std::array::from_fn(|i| step(&mut state, f64::from(u8::from(input == Some(i)))) as f32);
            (out, state.map(|s| s as f32))
        };
        let mut response = [0.0; 16];
        response[8..].copy_from_slice(&column([0.0; 2], Some(0)).0);
        let [one, two] = [column([1.0, 0.0], None), column([0.0, 1.0], None)];
        let next = |at| column([0.0; 2], Some(at)).1;
        let columns = Columns {
            response,
            states: [one.0, two.0],
            next_inputs: std::array::from_fn(|i| [next(i)[0], next(i)[1], next(i + 4)[0], next(i + 4)[1]]),
            next_states: [one.1, two.1].map(|[one, two]| [one, two, 0.0, 0.0]),
        };
        Eight { instructions: Instructions::best(), columns }
    }

    /// Filters as many whole eights as there are, in place; gives the samples that are left.
    #[inline(always)]
    pub(crate) fn process<'a>(&self, state: &mut [f32; 2], samples: &'a mut [f32]) -> &'a mut [f32] {
        let (eights, rest) = samples.as_chunks_mut::<8>();
        if !widest::filter(self.instructions, &self.columns, state, eights) {
            self.process_eights(state, eights);
        }
        rest
    }

    fn process_eights(&self, state: &mut [f32; 2], eights: &mut [[f32; 8]]) {
        let inputs: [f32x8; 8] = std::array::from_fn(|i| f32x8::from(std::array::from_fn::<f32, 8, _>(|at| self.columns.response[8 - i + at])));
        let states = self.columns.states.map(f32x8::from);
        let (next_inputs, next_states) = (self.columns.next_inputs.map(f32x4::from), self.columns.next_states.map(f32x4::from));
        let [mut one, mut two] = *state;
        for eight in eights {
            let x = *eight;
            let entered: [f32x4; 4] = std::array::from_fn(|i| next_inputs[i] * f32x4::from([x[i], x[i], x[i + 4], x[i + 4]]));
            let direct: [f32x8; 8] = std::array::from_fn(|i| inputs[i] * f32x8::splat(x[i]));
            let direct = ((direct[0] + direct[1]) + (direct[2] + direct[3])) + ((direct[4] + direct[5]) + (direct[6] + direct[7]));
            *eight = (direct + (states[0] * f32x8::splat(one) + states[1] * f32x8::splat(two))).to_array();
            let [a, b, c, d] = ((entered[0] + entered[1]) + (entered[2] + entered[3])).to_array();
            let entered = f32x4::from([a + c, b + d, 0.0, 0.0]);
            [one, two, ..] = (entered + (next_states[0] * f32x4::splat(one) + next_states[1] * f32x4::splat(two))).to_array();
        }
        *state = [one, two];
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn eight_steps_at_once_are_eight_steps(
            g in 0.0005f64..8.0, k in 0.05f64..2.0, m in prop::array::uniform3(-2.0f64..2.0), samples in prop::collection::vec(-1.0f32..1.0, 0..70)
        ) {
            let a1 = 1.0 / (1.0 + g * (g + k));
            let a = [a1, g * a1, g * g * a1];
            let (mut state, mut expected) = ([0.3f64, -0.2], Vec::new());
            for x in &samples {
                let difference = f64::from(*x) - state[1];
                let (band, low) = (a[0] * state[0] + a[1] * difference, state[1] + a[1] * state[0] + a[2] * difference);
                state = [2.0 * band - state[0], 2.0 * low - state[1]];
                expected.push(m[0] * f64::from(*x) + m[1] * band + m[2] * low);
            }
            let (mut now, mut out) = ([0.3f32, -0.2], samples.clone());
            let filter = Eight::of(a, m);
            let left = filter.process(&mut now, &mut out).len();
            prop_assert_eq!(left, samples.len() % 8);
            // The same to the bit by whatever instructions.
            let (mut again, mut baseline) = ([0.3f32, -0.2], samples.clone());
            Eight { instructions: Instructions::BASELINE, ..filter }.process(&mut again, &mut baseline);
            let bits = |of: &[f32]| of.iter().map(|s| s.to_bits()).collect::<Vec<_>>();
            prop_assert_eq!((bits(&now), bits(&out)), (bits(&again), bits(&baseline)));
            let done = samples.len() - left;
            for (y, expected) in out[..done].iter().zip(&expected) {
                prop_assert!((f64::from(*y) - expected).abs() < 1e-3 * (1.0 + expected.abs()), "{} {}", y, expected);
            }
            prop_assert_eq!(&out[done..], &samples[done..], "what is left is as it was");
        }
    }
}
