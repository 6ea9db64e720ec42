//! Formulas as code for a small stack machine: worked out in every block without allocating.

use crate::ground::vocabulary::{Binary, Function};

/// One step.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Op {
    /// Puts a number on the stack.
    Number(f32),
    /// Puts a parameter's value on the stack.
    Parameter(u32),
    /// Puts 1 on the stack if a state has a value (or has it not), else 0.
    State(u32, u16, bool),
    /// The other sign.
    Negative,
    /// Two values become one.
    Binary(Binary),
    /// One, two or three values become one.
    Call(Function, u8),
    /// A value becomes its change in a second; the number says which memory is its.
    Rate(u32),
}

/// The most values that wait on the stack: more than the deepest formula needs.
const STACK: usize = 80;

/// A compiled formula.
#[derive(Debug, Clone, PartialEq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Formula(Vec<Op>);

impl Formula {
    /// A formula of these steps, which leave one value.
    #[must_use]
    pub fn new(code: Vec<Op>) -> Formula {
        Formula(code)
    }

    /// Its steps.
    #[must_use]
    pub fn code(&self) -> &[Op] {
        &self.0
    }

    /// The value. `parameter`, `state` and `rate` give what the steps ask for. A stack that runs over or empty gives NaN.
    pub fn value(&self, parameter: impl Fn(u32) -> f32, state: impl Fn(u32) -> u16, mut rate: impl FnMut(u32, f32) -> f32) -> f32 {
        let mut stack = [0.0f32; STACK];
        let mut top = 0;
        for op in &self.0 {
            let needs = match op {
                Op::Number(_) | Op::Parameter(_) | Op::State(..) => 0,
                Op::Negative | Op::Rate(_) => 1,
                Op::Binary(_) => 2,
                Op::Call(_, count) => usize::from(*count).min(3),
            };
            if top < needs || top - needs >= STACK {
                return f32::NAN;
            }
            let mut x = [0.0; 3];
            x[..needs].copy_from_slice(&stack[top - needs..top]);
            top -= needs;
            stack[top] = match op {
                Op::Number(value) => *value,
                Op::Parameter(index) => parameter(*index),
                Op::State(index, value, is) => f32::from(u8::from((state(*index) == *value) == *is)),
                Op::Negative => -x[0],
                Op::Binary(operator) => operator.of(x[0], x[1]),
                Op::Call(function, _) => function.of(x),
                Op::Rate(memory) => rate(*memory, x[0]),
            };
            top += 1;
        }
        if top == 1 { stack[0] } else { f32::NAN }
    }
}
