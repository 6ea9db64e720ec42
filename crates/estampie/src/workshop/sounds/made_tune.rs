//! The tune of a generator that plays notes: its steps by keys and the mouse.

use super::super::app::App;
use super::made::Focus;
use estampie_engine::dsp::generators::{GeneratorKind, MOST_CHORD, MOST_TUNE_STEPS, TuneNote, TuneStep, scale_size, tune_curves, tune_steps};

/// How far a note goes up and down, in octaves.
const OCTAVES: std::ops::RangeInclusive<i32> = -3..=3;
/// The first note of a step, where there is none to go by.
const TONIC: TuneNote = TuneNote { degree: 1, octave: 0, altered: 0 };

/// How many steps of the scale a note lies above the tonic.
pub(super) fn row_of(note: TuneNote, steps: i32) -> i32 {
    i32::from(note.octave) * steps + i32::from(note.degree) - 1
}

/// The note so many steps of the scale above the tonic; `None` further than notes go.
pub(super) fn note_at(row: i32, steps: i32) -> Option<TuneNote> {
    let (octave, degree) = (row.div_euclid(steps), row.rem_euclid(steps) + 1);
    OCTAVES.contains(&octave).then_some(TuneNote { degree: degree as u8, octave: octave as i8, altered: 0 })
}

impl App {
    fn tune(&self, kind: &'static GeneratorKind, drawing: usize) -> Option<Vec<TuneStep>> {
        Some(tune_steps(&self.drawn(kind, drawing)?).collect())
    }

    fn scale_steps(&self, kind: &'static GeneratorKind) -> i32 {
        self.sounds.made.as_ref().and_then(|m| m.doc(self)).map_or(7, |(doc, _)| scale_size(&doc.values(kind)) as i32)
    }

    fn put_tune(&mut self, kind: &'static GeneratorKind, drawing: usize, steps: &[TuneStep]) {
        if steps.iter().all(|s| s.notes[0].is_none()) {
            return self.say("a tune has a note at least");
        }
        self.draw_made(kind, drawing, &tune_curves(steps));
    }

    /// A step is none, a note, an accented one, held on, and none again.
    pub(super) fn next_of_tune(&mut self, kind: &'static GeneratorKind) {
        let Some(Focus::Point(drawing, point)) = self.sounds.made.as_ref().filter(|m| m.on_tune(self)).map(|m| m.focus) else { return };
        let Some(mut steps) = self.tune(kind, drawing) else { return };
        let before = note_before(&steps, point);
        let Some(step) = steps.get_mut(point) else { return };
        *step = match (step.notes[0], step.accented, step.held) {
            (Some(_), false, _) => TuneStep { accented: true, ..*step },
            (Some(_), true, _) => TuneStep { held: true, ..TuneStep::default() },
            (None, _, true) => TuneStep::default(),
            (None, ..) => TuneStep { notes: [Some(before), None, None, None], ..TuneStep::default() },
        };
        self.put_tune(kind, drawing, &steps);
    }

    /// Across to another step; up and down moves its notes by steps of the scale, or begins one.
    pub(super) fn move_in_tune(&mut self, kind: &'static GeneratorKind, drawing: usize, point: usize, (across, up): (f32, f32)) {
        let Some(mut steps) = self.tune(kind, drawing) else { return };
        let count = steps.len() as isize;
        if across != 0.0 {
            let next = (point as isize + across.signum() as isize).rem_euclid(count.max(1)) as usize;
            if let Some(made) = &mut self.sounds.made {
                made.focus = Focus::Point(drawing, next);
            }
            return;
        }
        let (scale, by) = (self.scale_steps(kind), if up > 0.0 { 1 } else { -1 });
        let before = note_before(&steps, point);
        let Some(step) = steps.get_mut(point) else { return };
        if step.notes[0].is_none() {
            *step = TuneStep { notes: [Some(before), None, None, None], ..TuneStep::default() };
        } else {
            for note in step.notes.iter_mut().flatten() {
                let Some(next) = note_at(row_of(*note, scale) + by, scale) else { return self.say("notes go no further") };
                *note = TuneNote { altered: note.altered, ..next };
            }
        }
        self.put_tune(kind, drawing, &steps);
    }

    /// One more step after a step.
    pub(super) fn add_to_tune(&mut self, kind: &'static GeneratorKind, drawing: usize, point: usize) {
        let Some(mut steps) = self.tune(kind, drawing).filter(|s| s.len() < MOST_TUNE_STEPS) else { return };
        steps.insert((point + 1).min(steps.len()), TuneStep::default());
        if let Some(made) = &mut self.sounds.made {
            made.focus = Focus::Point(drawing, point + 1);
        }
        self.put_tune(kind, drawing, &steps);
    }

    /// Begins a note at a step so many steps of the scale above the tonic, or takes it away if it is there.
    pub(super) fn touch_tune(&mut self, kind: &'static GeneratorKind, (point, row): (usize, i32)) {
        let Some(mut steps) = self.tune(kind, 0) else { return };
        let scale = self.scale_steps(kind);
        let (Some(step), Some(note)) = (steps.get_mut(point), note_at(row, scale)) else { return };
        if let Some(made) = &mut self.sounds.made {
            made.focus = Focus::Point(0, point);
        }
        let mut notes: Vec<TuneNote> = step.notes.iter().flatten().copied().collect();
        match notes.iter().position(|n| row_of(*n, scale) == row) {
            Some(at) => {
                notes.remove(at);
            }
            None if notes.len() == MOST_CHORD => return self.say(format!("no more than {MOST_CHORD} notes begin together")),
            None => notes.push(note),
        }
        let mut all = [None; MOST_CHORD];
        all.iter_mut().zip(&notes).for_each(|(to, note)| *to = Some(*note));
        *step = TuneStep { notes: all, accented: step.accented && !notes.is_empty(), held: false };
        self.put_tune(kind, 0, &steps);
    }
}

/// The note that a new one at a step goes by: the last one before it, or the tonic.
fn note_before(steps: &[TuneStep], point: usize) -> TuneNote {
    steps[..point.min(steps.len())].iter().rev().find_map(|s| s.notes[0]).unwrap_or(TONIC)
}
