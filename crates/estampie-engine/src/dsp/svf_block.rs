//! A state-variable filter worked out four samples at a time.
//!
//! A filter of two states is a chain: each sample waits for the one before. While its coefficients stand still, four steps can be
//! multiplied out beforehand: outputs and states after four samples are sums of the four inputs and the two states before
//! (block state-space form; C. W. Barnes and S. Shinnaka 1980, *Block-shift invariance and block implementation of
//! discrete-time filters*). The chain is then one link for four samples, and the sums are done side by side.

use wide::f32x4;

/// Four steps of a filter of two states, multiplied out.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Four {
    /// What each input and each state adds to the four outputs.
    inputs: [f32x4; 4],
    states: [f32x4; 2],
    /// What each of them adds to the two states after the four.
    next_inputs: [f32x4; 4],
    next_states: [f32x4; 2],
}

impl Four {
    /// For the section by the topology-preserving transform with update a₁, a₂, a₃ whose output is m₀ times the input, m₁ times the
    /// band and m₂ times the low output.
    pub(crate) fn of(a: [f64; 3], m: [f64; 3]) -> Four {
        let step = |state: &mut [f64; 2], x: f64| {
            let difference = x - state[1];
            let band = a[0] * state[0] + a[1] * difference;
            let low = state[1] + a[1] * state[0] + a[2] * difference;
            *state = [2.0 * band - state[0], 2.0 * low - state[1]];
            m[0] * x + m[1] * band + m[2] * low
        };
        // It is linear: what one input or one state alone does is its column.
        let column = |mut state: [f64; 2], input: Option<usize>| {
            let out: [f32; 4] = std::array::from_fn(|i| step(&mut state, f64::from(u8::from(input == Some(i)))) as f32);
            (f32x4::from(out), f32x4::from([state[0] as f32, state[1] as f32, 0.0, 0.0]))
        };
        let inputs: [_; 4] = std::array::from_fn(|i| column([0.0; 2], Some(i)));
        let states = [column([1.0, 0.0], None), column([0.0, 1.0], None)];
        Four { inputs: inputs.map(|c| c.0), states: states.map(|c| c.0), next_inputs: inputs.map(|c| c.1), next_states: states.map(|c| c.1) }
    }

    /// Filters as many whole fours as there are, in place; gives the samples that are left.
    #[inline(always)]
    pub(crate) fn process<'a>(&self, state: &mut [f32; 2], samples: &'a mut [f32]) -> &'a mut [f32] {
        let (fours, rest) = samples.as_chunks_mut::<4>();
        let mut now = *state;
        for four in fours {
            let x = [f32x4::splat(four[0]), f32x4::splat(four[1]), f32x4::splat(four[2]), f32x4::splat(four[3])];
            let (one, two) = (f32x4::splat(now[0]), f32x4::splat(now[1]));
            let entered = (self.next_inputs[0] * x[0] + self.next_inputs[1] * x[1]) + (self.next_inputs[2] * x[2] + self.next_inputs[3] * x[3]);
            let direct = (self.inputs[0] * x[0] + self.inputs[1] * x[1]) + (self.inputs[2] * x[2] + self.inputs[3] * x[3]);
            *four = (direct + (self.states[0] * one + self.states[1] * two)).to_array();
            let next = (entered + (self.next_states[0] * one + self.next_states[1] * two)).to_array();
            now = [next[0], next[1]];
        }
        *state = now;
        rest
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn four_steps_at_once_are_four_steps(
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
            let left = Four::of(a, m).process(&mut now, &mut out).len();
            prop_assert_eq!(left, samples.len() % 4);
            let done = samples.len() - left;
            for (y, expected) in out[..done].iter().zip(&expected) {
                prop_assert!((f64::from(*y) - expected).abs() < 1e-3 * (1.0 + expected.abs()), "{} {}", y, expected);
            }
            prop_assert_eq!(&out[done..], &samples[done..], "what is left is as it was");
        }
    }
}
