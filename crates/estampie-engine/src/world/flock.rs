//! Flocks: many small emitters kept around the listener, as many as live there, nearest first, no two beginning together.

use crate::ground::random::Stream;
use crate::world::spec::Flock;

/// One emitter of a flock.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
struct Member {
    /// Which of the places it fills.
    place: Option<u16>,
    /// When it sounded last, or came, and the seconds drawn from there to its next sound.
    last: u64,
    drawn: f32,
}

impl Member {
    /// When it sounds next; what the pace is now counts at once.
    fn due(&self, pace: f32, rate: u32) -> u64 {
        self.last.saturating_add(frames(self.drawn * pace, rate))
    }
}

/// What a flock does.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Move {
    /// A member goes to a place.
    Fill(usize, [f32; 3]),
    /// A member sounds, on a frame.
    Sound(usize, u64),
    /// A member leaves.
    Leave(usize),
}

/// A flock at work.
#[derive(Debug, Clone)]
pub(crate) struct FlockState {
    members: Vec<Member>,
    /// Places within reach that nobody fills, with their distances.
    free: Vec<(f32, u16)>,
    draws: Stream,
    /// When one began last.
    began: Option<u64>,
}

/// A place is left when the density falls this far below what it needs.
const BELOW: f32 = 0.03;

impl FlockState {
    pub(crate) fn new(spec: &Flock, seed: u64) -> FlockState {
        FlockState {
            members: vec![Member::default(); spec.members.len()],
            free: Vec::with_capacity(spec.places.len()),
            draws: Stream::new(seed, spec.key, 6),
            began: None,
        }
    }

    /// How many members are somewhere.
    pub(crate) fn count(&self) -> usize {
        self.members.iter().filter(|m| m.place.is_some()).count()
    }

    /// Where those that are somewhere are.
    #[cfg(test)]
    pub(crate) fn places(&self) -> impl Iterator<Item = u16> + '_ {
        self.members.iter().filter_map(|m| m.place)
    }

    /// Whoever is somewhere begins anew: the program has changed.
    pub(crate) fn take_over(&mut self, old: &FlockState) {
        self.draws = old.draws.clone();
        self.began = old.began;
    }

    /// Fills and leaves places around a point, and tells who sounds in the frames from `begin` to `end`.
    pub(crate) fn follow(&mut self, spec: &Flock, ear: [f32; 3], (density, pace): (f32, f32), (begin, end): (u64, u64), rate: u32, mut each: impl FnMut(Move)) {
        let apart = |place: u16| {
            let at = spec.places[usize::from(place)].0;
            (0..3).map(|i| (at[i] - ear[i]).powi(2)).sum::<f32>().sqrt()
        };
        // So that a density that wavers does not flicker; where it is nothing, nobody stays.
        let below = BELOW.min(density.max(0.0));
        for (at, member) in self.members.iter_mut().enumerate() {
            if let Some(place) = member.place {
                let gone = apart(place) > spec.range_metres + spec.margin_metres || spec.places[usize::from(place)].1 >= density + below;
                if gone {
                    member.place = None;
                    each(Move::Leave(at));
                }
            }
        }
        self.free.clear();
        for (place, (_, needs)) in spec.places.iter().enumerate() {
            let place = place as u16;
            let far = apart(place);
            if *needs < density && far <= spec.range_metres && !self.members.iter().any(|m| m.place == Some(place)) {
                self.free.push((far, place));
            }
        }
        self.free.sort_unstable_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        let mut next = 0;
        for at in 0..self.members.len() {
            if self.members[at].place.is_none()
                && let Some((_, place)) = self.free.get(next).copied()
            {
                next += 1;
                let drawn = spec.every.map_or(0.0, |e| self.draws.between((0.0, e.1)));
                self.members[at] = Member { place: Some(place), last: begin, drawn };
                each(Move::Fill(at, spec.places[usize::from(place)].0));
            }
        }
        // The earliest first, so that whoever waits for another has waited least.
        while let Some(at) = (0..self.members.len()).filter(|m| self.members[*m].place.is_some()).min_by_key(|m| self.members[*m].due(pace, rate)) {
            let due = self.members[at].due(pace, rate).max(begin).max(self.began.map_or(0, |b| b + spec.gap));
            if due >= end {
                break;
            }
            self.began = Some(due);
            each(Move::Sound(at, due));
            let member = &mut self.members[at];
            // Without an interval it sounds as long as it is there.
            (member.last, member.drawn) = (due, spec.every.map_or(f32::INFINITY, |every| self.draws.between(every)));
            if member.due(pace, rate) == due {
                member.last += 1;
            }
        }
    }
}

fn frames(seconds: f32, rate: u32) -> u64 {
    (f64::from(seconds.max(0.0)) * f64::from(rate)).round() as u64
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ground::names::NameKey;
    use crate::world::spec::Amount;
    use proptest::prelude::*;

    fn flock(places: usize, most: usize, every: Option<(f32, f32)>) -> Flock {
        let spot = |n: usize| [(n % 20) as f32 * 4.0, (n / 20) as f32 * 4.0, 0.0];
        Flock {
            key: NameKey::of("shrimp"),
            sound: crate::ground::index::SoundIndex::new(0),
            places: (0..places).map(|n| (spot(n), ((n as f64 + 0.5) * 0.618_033_988_75).fract() as f32)).collect(),
            density: Amount::Fixed(1.0),
            range_metres: 15.0,
            margin_metres: 3.0,
            every,
            pace: Amount::Fixed(1.0),
            gap: 576,
            members: (0..most as u64).map(NameKey).collect(),
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 12, ..ProptestConfig::default() })]
        /// 10,000 s of a random walk in steps of 21 ms would be half a million; steps of a tenth of a second see as much.
        #[test]
        fn a_flock_never_exceeds_its_cap_nor_leaks(seed: u64, most in 1usize..9, lasting: bool) {
            let spec = flock(200, most, (!lasting).then_some((0.3, 1.2)));
            let mut state = FlockState::new(&spec, seed);
            let mut draws = Stream::new(seed, NameKey::of("walk"), 1);
            let mut here: Vec<Option<[f32; 3]>> = vec![None; most];
            let (mut ear, mut density, mut last) = ([30.0, 20.0, 0.0], 1.0f32, None);
            let mut sounded = 0u64;
            for step in 0..100_000u64 {
                ear[0] = (ear[0] + draws.between((-1.5, 1.5))).clamp(-20.0, 100.0);
                ear[1] = (ear[1] + draws.between((-1.5, 1.5))).clamp(-20.0, 60.0);
                if step % 500 == 0 {
                    density = draws.unit();
                }
                let (begin, end) = (step * 4800, (step + 1) * 4800);
                let mut wrong = Vec::new();
                state.follow(&spec, ear, (density, 1.0), (begin, end), 48_000, |what| match what {
                    Move::Fill(at, place) => {
                        if here[at].replace(place).is_some() { wrong.push("filled twice"); }
                    }
                    Move::Leave(at) => {
                        if here[at].take().is_none() { wrong.push("left without being there"); }
                    }
                    Move::Sound(at, frame) => {
                        if here[at].is_none() { wrong.push("sounds from nowhere"); }
                        if frame < begin || frame >= end { wrong.push("sounds at another time"); }
                        if last.is_some_and(|l| frame < l + spec.gap) { wrong.push("two begin together"); }
                        last = Some(frame);
                        sounded += 1;
                    }
                });
                prop_assert_eq!(wrong, Vec::<&str>::new());
                prop_assert_eq!(here.iter().flatten().count(), state.count());
                prop_assert!(state.count() <= most);
                let mut places: Vec<u16> = state.places().collect();
                places.sort_unstable();
                places.dedup();
                prop_assert_eq!(places.len(), state.count(), "two at one place");
                for at in here.iter().flatten() {
                    let far = (0..2).map(|i| (at[i] - ear[i]).powi(2)).sum::<f32>().sqrt();
                    prop_assert!(far <= spec.range_metres + spec.margin_metres + 1e-3);
                }
            }
            prop_assert!(sounded > 0);
        }
    }

    #[test]
    fn the_nearest_places_are_filled_first_and_density_thins_them() {
        let spec = flock(100, 5, None);
        let mut state = FlockState::new(&spec, 1);
        let ear = [10.0, 6.0, 0.0];
        state.follow(&spec, ear, (1.0, 1.0), (0, 64), 48_000, |_| {});
        let far = |p: u16| {
            let a = spec.places[usize::from(p)].0;
            (a[0] - ear[0]).hypot(a[1] - ear[1])
        };
        let farthest = state.places().map(far).fold(0.0, f32::max);
        let filled: Vec<u16> = state.places().collect();
        assert_eq!(filled.len(), 5);
        assert!((0..100u16).filter(|p| !filled.contains(p)).all(|p| far(p) >= farthest));
        // Nobody lives where nothing grows.
        state.follow(&spec, ear, (0.0, 1.0), (64, 128), 48_000, |_| {});
        assert_eq!(state.places().count(), 0);
        let lived = |density: f32| spec.places.iter().filter(|p| p.1 < density).count();
        assert!((28..=32).contains(&lived(0.3)) && (68..=72).contains(&lived(0.7)), "{} {}", lived(0.3), lived(0.7));
    }
}
