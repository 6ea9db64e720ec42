//! Tunes: steps with notes by the degrees of a scale, and how curves hold them.

use crate::ground::curve::{Curve, Point, Shape};

/// The most steps of a tune, and the most notes of one step.
pub const MOST_TUNE_STEPS: usize = 64;
/// See [`MOST_TUNE_STEPS`].
pub const MOST_CHORD: usize = 4;
/// The most steps of a scale that a degree counts, two octaves of the longest.
pub const MOST_DEGREE: u8 = 24;
/// A note of a tune, by the scale it is in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct TuneNote {
    /// The step of the scale: 1, the tonic, to [`MOST_DEGREE`].
    pub degree: u8,
    /// Octaves above (or below), −3 to 3.
    pub octave: i8,
    /// Semitones above (or below) the step: −1, 0 or 1.
    pub altered: i8,
}

/// What a tune has at a step.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct TuneStep {
    /// The notes that begin.
    pub notes: [Option<TuneNote>; MOST_CHORD],
    /// Whether they are accented.
    pub accented: bool,
    /// Whether those before are held on instead.
    pub held: bool,
}

/// Where there is no note in a curve.
const NONE: f32 = -1_000.0;

impl TuneNote {
    fn value(self) -> f32 {
        f32::from(self.octave) * 32.0 + f32::from(self.degree - 1) + f32::from(self.altered) * 0.25
    }

    fn read(value: f32) -> Option<TuneNote> {
        if value <= NONE {
            return None;
        }
        let octave = ((value + 0.5) / 32.0).floor();
        let step = value - octave * 32.0;
        let degree = step.round();
        Some(TuneNote {
            degree: degree.clamp(0.0, f32::from(MOST_DEGREE) - 1.0) as u8 + 1,
            octave: octave as i8,
            altered: ((step - degree) * 4.0).round() as i8,
        })
    }

    /// Semitones above the tonic.
    pub(super) fn semitones(self, scale: &[u8]) -> f32 {
        let (count, step) = (scale.len(), usize::from(self.degree - 1));
        f32::from(self.octave + (step / count) as i8) * 12.0 + f32::from(scale[step % count]) + f32::from(self.altered)
    }
}

/// The curves of a tune: what its steps are, and then their notes.
#[must_use]
pub fn tune_curves(steps: &[TuneStep]) -> Vec<Curve> {
    let kind = |step: &TuneStep| if step.held { 3.0 } else { f32::from(u8::from(step.notes[0].is_some()) + u8::from(step.accented)) };
    let of =
        |value: &dyn Fn(&TuneStep) -> f32| Curve::new(steps.iter().enumerate().map(|(at, step)| Point { x: at as f32, y: value(step), shape: Shape::Held }));
    let mut curves = vec![of(&kind)];
    curves.extend((0..MOST_CHORD).map(|n| of(&|step: &TuneStep| step.notes[n].map_or(NONE, TuneNote::value))));
    curves
}

/// The steps of a tune, from its curves.
pub fn tune_steps(curves: &[Curve]) -> impl Iterator<Item = TuneStep> + '_ {
    let kinds = curves.first().map_or(&[][..], Curve::points);
    kinds.iter().enumerate().map(|(at, kind)| TuneStep {
        notes: std::array::from_fn(|n| {
            curves.get(n + 1).and_then(|c| c.points().get(at)).filter(|_| (0.5..2.5).contains(&kind.y)).and_then(|p| TuneNote::read(p.y))
        }),
        accented: (1.5..2.5).contains(&kind.y),
        held: kind.y >= 2.5,
    })
}
