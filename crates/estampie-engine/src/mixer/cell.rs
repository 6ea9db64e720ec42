//! What a value of the mix comes to at work.

/// A value of the mix.
#[derive(Debug, Clone, Copy)]
pub(crate) struct CellState {
    /// What it is set to, gliding after edits.
    pub(crate) set: f32,
    /// What snapshots add to that, and modulation.
    pub(crate) held: f32,
    pub(crate) moved: f32,
    /// All together, in its scale.
    pub(crate) now: f32,
}

impl CellState {
    /// As it is set, and nothing moves it.
    pub(super) fn at(rest: f32) -> CellState {
        CellState { set: rest, held: 0.0, moved: 0.0, now: rest }
    }
}
