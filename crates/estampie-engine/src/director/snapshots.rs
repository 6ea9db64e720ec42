//! What keeps each snapshot of the mix up: states and parameters, zones, reactions.

use super::Directing;
use super::memory::holds;
use crate::ground::index::SnapshotIndex;
use crate::ground::names::NameKey;
use crate::ground::telemetry::What;
use crate::mixer::voice::NOWHERE;

impl Directing<'_> {
    /// Looks at what keeps each snapshot up, and lets it rise or fall.
    pub(crate) fn follow_snapshots(&mut self) {
        for (at, spec) in self.program.mix.snapshots.with_places() {
            let amount = if spec.modulations.is_empty() {
                spec.amount
            } else {
                let moved: f32 = spec.modulations.iter().map(|m| self.state.modulations[*m as usize]).sum();
                spec.amount * moved.clamp(0.0, 1.0)
            };
            let during = !spec.during.is_empty() && spec.during.iter().all(|test| holds(self.program, self.state, *test, NOWHERE, self.frame));
            // A parameter that gives it an amount is a reason by itself, unless others are given.
            let by_parameter = !spec.modulations.is_empty() && spec.during.is_empty() && amount > 0.0;
            let zone = self.depth_for(at);
            let now = &mut self.mix.snapshots[at];
            let otherwise = during || by_parameter || now.raised || now.until > self.frame;
            let was = now.up;
            now.follow(spec, amount, otherwise, zone, self.frame);
            if now.up != was {
                self.outlets.tell(self.frame, What::Snapshot { snapshot: spec.key, up: now.up, by: NameKey::NONE });
            }
        }
    }

    /// How deep the listener is in the zones that raise a snapshot, if he is in any.
    fn depth_for(&self, snapshot: SnapshotIndex) -> Option<f32> {
        let places = &self.state.places;
        let depth = |zone: &u16| {
            let spec = &self.program.world.zones[usize::from(*zone)];
            (spec.snapshot == Some(snapshot)).then(|| places.zones[usize::from(*zone)].depth)
        };
        places.near.zones().iter().filter_map(depth).reduce(f32::max)
    }

    /// Raises a snapshot on a frame of this block, for so many frames or until it is lowered; or takes back what raised it.
    pub(crate) fn raise(&mut self, index: SnapshotIndex, how: Option<Option<u64>>, frame: u64, by: NameKey) {
        let spec = &self.program.mix.snapshots[index];
        let now = &mut self.mix.snapshots[index];
        match how {
            Some(Some(frames)) => now.until = now.until.max(frame + frames),
            Some(None) => now.raised = true,
            None => (now.raised, now.until) = (false, 0),
        }
        if how.is_some() && !now.up {
            // It begins on its frame; what ends it is looked at block by block.
            now.go(spec, true, frame);
            self.outlets.tell(frame, What::Snapshot { snapshot: spec.key, up: true, by });
        }
    }
}
