//! Made-up play: a playthrough drawn from a plan and a seed. The same seed gives the same play.

use super::plan::{Ends, Goal, Plan};
use estampie_engine::units::Seconds;
use estampie_engine::world::geometry::Form;
use estampie_project::language::playthrough::{Placing, PlaythroughLine, Walking};
use estampie_project::language::{PlaceOf, Playthrough, Step, StepAction, Word};
use rand::{Rng as _, SeedableRng as _};
use rand_pcg::Pcg64Mcg;
use std::collections::BTreeSet;

/// At the end everything goes back to how it was, what can be ended is ended, and so long nothing more is done: what still sounds then does not end.
pub const SETTLE: f64 = 12.0;

/// A play that shows what does not end is given so long before it is believed: what only takes its time is none.
pub(super) const SETTLE_LONG: f64 = 40.0;

/// What was begun is ended so many seconds after everything has gone back to how it was: going back may begin something, too.
const THEN_END: f64 = 0.4;

/// Before anything is done it is listened so long.
const BEFORE: f64 = 0.5;

/// What was done, without its end.
#[derive(Debug, Clone, PartialEq)]
pub struct Play {
    /// The seed of the engine's draws.
    pub seed: u64,
    /// In order of time.
    pub steps: Vec<Step>,
}

/// How a play is brought to its end.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Ending<'a> {
    /// At once, so many seconds after its beginning.
    At(f64),
    /// Everything goes back, everything that can be is ended, and it settles.
    Settled,
    /// Likewise, for so many seconds; of what ends something only what ends this one.
    SettledFor(&'a str, f64),
}

fn rounded(seconds: f64) -> Seconds {
    Seconds((seconds * 1e3).round() / 1e3)
}

fn step(at: f64, action: StepAction) -> Step {
    Step { at: rounded(at), action }
}

impl Play {
    /// As a playthrough, with its end.
    #[must_use]
    pub fn with_end(&self, plan: &Plan, ending: Ending<'_>) -> Playthrough {
        let mut steps = self.steps.clone();
        let end = match ending {
            Ending::At(at) => at,
            Ending::Settled | Ending::SettledFor(..) => {
                let (only, settles) = if let Ending::SettledFor(name, settles) = ending { (Some(name), settles) } else { (None, SETTLE) };
                let last = steps.iter().map(|s| s.at.0).fold(0.0, f64::max) + 0.5;
                let (back, ends) = self.closing(plan, only);
                let then = last + THEN_END;
                // One after another, so that none is lost in a crowd.
                let count = ends.len();
                steps.extend(back.into_iter().map(|action| step(last, action)));
                steps.extend(ends.into_iter().enumerate().map(|(at, action)| step(then + 0.02 * at as f64, action)));
                let over = if count == 0 { last } else { then + 0.02 * (count - 1) as f64 };
                over + settles
            }
        };
        steps.push(step(end, StepAction::End));
        let mut lines = vec![PlaythroughLine::Seed(self.seed)];
        lines.extend(steps.into_iter().map(|step| PlaythroughLine::Step(step, PlaceOf::default())));
        Playthrough { lines }
    }

    /// What takes back all that was done, and what ends what was begun.
    fn closing(&self, plan: &Plan, only: Option<&str>) -> (Vec<StepAction>, Vec<StepAction>) {
        let (mut actions, mut ends) = (Vec::new(), Vec::new());
        // What was sent from an emitter is ended from it.
        let mut from: BTreeSet<Option<String>> = BTreeSet::new();
        let (mut states, mut parameters, mut emitters, mut moved) = (BTreeSet::new(), BTreeSet::new(), BTreeSet::new(), false);
        for step in &self.steps {
            match &step.action {
                StepAction::Send(_, on) => {
                    from.insert(on.as_ref().map(|o| o.text.clone()));
                }
                StepAction::State(state, _) => {
                    states.insert(state.text.clone());
                }
                StepAction::Parameter(parameter, _) | StepAction::Glide { parameter, .. } => {
                    parameters.insert((parameter.text.clone(), None));
                }
                StepAction::ParameterOn(parameter, on, _) => {
                    parameters.insert((parameter.text.clone(), Some(on.text.clone())));
                }
                StepAction::Place(Placing { emitter: Some(emitter), .. }) | StepAction::Walk(Walking { emitter: Some(emitter), .. }) => {
                    emitters.insert(emitter.text.clone());
                }
                StepAction::Place(_) | StepAction::Walk(_) => moved = true,
                _ => {}
            }
        }
        for (event, ended) in &plan.ends {
            if only.is_some_and(|name| !ended.contains(name)) {
                continue;
            }
            let event = &plan.events[*event];
            let own: Vec<Option<String>> = if event.on.is_empty() { vec![None] } else { event.on.iter().cloned().map(Some).collect() };
            for on in own.iter().filter(|on| on.is_none() || from.contains(*on)) {
                ends.push(StepAction::Send(Word::new(&event.name), on.as_deref().map(Word::new)));
            }
        }
        for state in plan.states.iter().filter(|s| states.contains(&s.name)) {
            actions.push(StepAction::State(Word::new(&state.name), Word::new(&state.values[state.start])));
        }
        for parameter in &plan.parameters {
            for (_, on) in parameters.iter().filter(|(name, _)| *name == parameter.name) {
                actions.push(match on {
                    None => StepAction::Parameter(Word::new(&parameter.name), parameter.rest),
                    Some(on) => StepAction::ParameterOn(Word::new(&parameter.name), Word::new(on), parameter.rest),
                });
            }
        }
        actions.extend(emitters.iter().map(|emitter| StepAction::Remove(Word::new(emitter))));
        if moved {
            actions.push(StepAction::Place(Placing { emitter: None, kind: None, at: [plan.start[0], plan.start[1], 0.0], facing: None, over: None }));
        }
        (actions, ends)
    }
}

/// Draws a play.
struct Drawing<'a> {
    plan: &'a Plan,
    random: Pcg64Mcg,
    steps: Vec<Step>,
    /// Where parameters are.
    values: Vec<f64>,
    states: Vec<usize>,
    /// Where the listener goes.
    listener: [f64; 2],
}

/// Draws the play of a number: every third is free, the others are steered towards one goal after another.
#[must_use]
pub fn draw(plan: &Plan, seed: u64, number: u64) -> Play {
    let own = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) ^ number.wrapping_mul(0xD1B5_4A32_D192_ED03);
    let mut drawing = Drawing {
        plan,
        random: Pcg64Mcg::seed_from_u64(own),
        steps: Vec::new(),
        values: plan.parameters.iter().map(|p| p.rest).collect(),
        states: plan.states.iter().map(|s| s.start).collect(),
        listener: plan.start,
    };
    let goal = if number.is_multiple_of(3) || plan.goals.is_empty() { None } else { plan.goals.get((number - number / 3 - 1) as usize % plan.goals.len()) };
    drawing.play(goal);
    let mut steps = drawing.steps;
    steps.sort_by(|a, b| a.at.0.total_cmp(&b.at.0));
    Play { seed: own >> 12, steps }
}

/// How many goals are tried by so many plays, each counted as often as it is.
#[must_use]
pub fn tries(plan: &Plan, plays: u64) -> u64 {
    let steered = plays - plays.div_ceil(3);
    steered / (plan.goals.len() as u64).max(1)
}

impl Drawing<'_> {
    fn between(&mut self, (low, high): Ends) -> f64 {
        if high > low { self.random.random_range(low..high) } else { low }
    }

    /// A wait between two ends, small ones as likely as great ones.
    fn wait(&mut self, (low, high): Ends) -> f64 {
        let (low, high) = (low.max(0.01), high.max(0.01));
        let share: f64 = self.random.random();
        low * (high / low).powf(share)
    }

    fn add(&mut self, at: f64, action: StepAction) {
        self.steps.push(step(at, action));
    }

    fn play(&mut self, goal: Option<&Goal>) {
        let length = (self.plan.length - SETTLE).max(3.0);
        let idle = self.pauses(length);
        let still = |at: f64| idle.iter().any(|(from, to)| (*from..*to).contains(&at));
        self.place_emitters(length);
        self.walk_about(length);
        for at in 0..self.plan.parameters.len() {
            self.move_parameter(at, length);
        }
        for at in 0..self.plan.states.len() {
            self.change_state(at, length);
        }
        for at in 0..self.plan.events.len() {
            self.send_events(at, length);
        }
        self.steps.retain(|s| !still(s.at.0) && s.at.0 <= length);
        if let Some(goal) = goal {
            let mut at = 2.0 + self.between((0.0, 3.0));
            while at < length - 2.0 {
                self.aim(goal, at);
                at += self.wait((5.0, 20.0));
            }
        }
    }

    /// Stretches in which nothing is done.
    fn pauses(&mut self, length: f64) -> Vec<Ends> {
        let mut left = self.plan.idle * length;
        let mut found = Vec::new();
        while left > 1.0 {
            let long = self.wait((2.0, 12.0)).min(left);
            let at = self.between((0.0, (length - long).max(0.1)));
            found.push((at, at + long));
            left -= long;
        }
        found
    }

    fn place_emitters(&mut self, length: f64) {
        for emitter in self.plan.emitters.clone() {
            let place = |drawing: &mut Self| {
                let (far, angle) = (drawing.wait(emitter.within), drawing.between((0.0, std::f64::consts::TAU)));
                let around = drawing.listener;
                [(around[0] + far * angle.cos()).round(), (around[1] + far * angle.sin()).round(), 0.0]
            };
            let first = place(self);
            let word = Word::new(&emitter.name);
            let kind = emitter.kind.as_deref().map(Word::new);
            let mut at = BEFORE + self.between((0.0, 1.0));
            self.add(at, StepAction::Place(Placing { emitter: Some(word.clone()), kind, at: first, facing: None, over: None }));
            loop {
                at += self.wait((4.0, 20.0));
                if at >= length {
                    break;
                }
                let to = place(self);
                let speed = (self.between(emitter.speed).max(0.1) * 10.0).round() / 10.0;
                self.add(at, StepAction::Walk(Walking { emitter: Some(word.clone()), to, speed: speed.max(0.1) }));
            }
        }
    }

    /// A place in a form.
    fn inside(&mut self, form: &Form) -> [f64; 2] {
        let (low, high) = match form {
            Form::Circle(centre, radius) => ([centre[0] - radius, centre[1] - radius], [centre[0] + radius, centre[1] + radius]),
            Form::Outline(points) => points
                .iter()
                .fold(([f32::MAX; 2], [f32::MIN; 2]), |(low, high), p| ([low[0].min(p[0]), low[1].min(p[1])], [high[0].max(p[0]), high[1].max(p[1])])),
        };
        let mut at = [0.0; 2];
        for _ in 0..40 {
            at = std::array::from_fn(|i| (self.between((f64::from(low[i]), f64::from(high[i]))) * 10.0).round() / 10.0);
            if form.contains(at.map(|v| v as f32)) {
                break;
            }
        }
        at
    }

    fn walk_about(&mut self, length: f64) {
        let zones = &self.plan.zones;
        if zones.is_empty() && self.plan.emitters.is_empty() {
            return;
        }
        let mut at = BEFORE + self.between((0.0, 3.0));
        while at < length {
            let to = if zones.is_empty() {
                let around = self.plan.start;
                [around[0] + self.between((-30.0, 30.0)).round(), around[1] + self.between((-30.0, 30.0)).round()]
            } else {
                let zone = self.random.random_range(0..zones.len());
                let form = zones[zone].1.clone();
                self.inside(&form)
            };
            at += self.go(at, to);
            at += self.between(self.plan.stays);
        }
    }

    /// Walks somewhere; gives how long it takes.
    fn go(&mut self, at: f64, to: [f64; 2]) -> f64 {
        let speed = ((self.between(self.plan.walk) * 10.0).round() / 10.0).max(0.1);
        let way = ((to[0] - self.listener[0]).powi(2) + (to[1] - self.listener[1]).powi(2)).sqrt();
        self.listener = to;
        self.add(at, StepAction::Walk(Walking { emitter: None, to: [to[0], to[1], 0.0], speed }));
        way / speed
    }

    fn move_parameter(&mut self, index: usize, length: f64) {
        let plan = self.plan.parameters[index].clone();
        let span = (plan.range.1 - plan.range.0).abs().max(1e-9);
        let grain = 10f64.powf((span / 1e3).log10().floor());
        // A tenth is written as one: divided by ten, and not multiplied by what is nearly a tenth.
        let rounded = |value: f64| if grain < 1.0 { (value / grain).round() / (1.0 / grain).round() } else { (value / grain).round() * grain };
        let word = Word::new(&plan.name);
        if let Some(with) = plan.with {
            // It goes wherever the other one goes.
            let other = self.plan.parameters[with].clone();
            let share = |value: f64| plan.range.0 + (value - other.range.0) / (other.range.1 - other.range.0).abs().max(1e-9) * (plan.range.1 - plan.range.0);
            let follows: Vec<Step> = self
                .steps
                .iter()
                .filter_map(|s| {
                    let action = match &s.action {
                        StepAction::Parameter(p, value) if p.text == other.name => StepAction::Parameter(word.clone(), rounded(share(*value))),
                        StepAction::Glide { parameter, from, to, over } if parameter.text == other.name => {
                            StepAction::Glide { parameter: word.clone(), from: from.map(|f| rounded(share(f))), to: rounded(share(*to)), over: *over }
                        }
                        _ => return None,
                    };
                    Some(Step { at: s.at, action })
                })
                .collect();
            self.steps.extend(follows);
            return;
        }
        let owners: Vec<Option<String>> = if plan.on.is_empty() { vec![None] } else { plan.on.iter().cloned().map(Some).collect() };
        for owner in owners {
            let mut at = BEFORE + self.wait((0.2, 8.0));
            let mut value = self.values[index];
            while at < length {
                let to = rounded(self.between(plan.range));
                if let Some(owner) = &owner {
                    self.add(at, StepAction::ParameterOn(word.clone(), Word::new(owner), to));
                } else if self.random.random_bool(plan.jumps.clamp(0.0, 1.0)) {
                    self.add(at, StepAction::Parameter(word.clone(), to));
                } else {
                    let speed = self.between(plan.speed).max(span / 1e3);
                    let over = ((to - value).abs() / speed).clamp(0.05, 60.0);
                    self.add(at, StepAction::Glide { parameter: word.clone(), from: None, to, over: super::play::rounded(over) });
                    at += over;
                }
                value = to;
                at += self.wait((0.5, 15.0));
            }
        }
    }

    fn change_state(&mut self, index: usize, length: f64) {
        let plan = self.plan.states[index].clone();
        let mut at = BEFORE + self.wait((0.5, plan.lasts.1.max(0.6)));
        while at < length {
            let now = self.states[index];
            let goes = &plan.goes[now];
            let next = if goes.is_empty() {
                (now + self.random.random_range(1..plan.values.len())) % plan.values.len()
            } else {
                let mut drawn = self.between((0.0, goes.iter().map(|g| g.1).sum()));
                goes.iter()
                    .find(|(_, weight)| {
                        drawn -= weight;
                        drawn < 0.0
                    })
                    .or(goes.last())
                    .map_or(now, |g| g.0)
            };
            self.states[index] = next;
            self.add(at, StepAction::State(Word::new(&plan.name), Word::new(&plan.values[next])));
            at += self.wait(plan.lasts);
        }
    }

    fn send(&mut self, index: usize, at: f64) {
        let plan = &self.plan.events[index];
        let on = if plan.on.is_empty() { None } else { Some(Word::new(&plan.on[self.random.random_range(0..plan.on.len())])) };
        let event = Word::new(&plan.name);
        let again = if self.random.random_bool(self.plan.spam.clamp(0.0, 1.0)) { self.random.random_range(4..12) } else { 0 };
        let apart = self.between((0.06, 0.2));
        for time in 0..=again {
            self.add(at + f64::from(time) * apart, StepAction::Send(event.clone(), on.clone()));
        }
        // What follows it.
        for follows in 0..self.plan.events.len() {
            if let Some((_, within)) = self.plan.events[follows].after.filter(|(first, _)| *first == index && follows != index) {
                let later = at + self.between(within);
                // No circles: an event that follows is sent once.
                let plan = &self.plan.events[follows];
                let on = if plan.on.is_empty() { on.clone() } else { Some(Word::new(&plan.on[self.random.random_range(0..plan.on.len())])) };
                self.add(later, StepAction::Send(Word::new(&plan.name), on));
            }
        }
    }

    fn send_events(&mut self, index: usize, length: f64) {
        let Some(every) = self.plan.events[index].every else { return };
        let mut at = BEFORE + self.wait((0.1, every.1.max(0.2)));
        while at < length {
            self.send(index, at);
            at += self.wait(every);
        }
    }

    /// Brings about what a reaction needs, and calls it.
    fn aim(&mut self, goal: &Goal, at: f64) {
        for (state, value) in &goal.states {
            let plan = &self.plan.states[*state];
            // A change is one only if it was otherwise before.
            let other = (value + 1) % plan.values.len();
            let (name, before, then) = (Word::new(&plan.name), Word::new(&plan.values[other]), Word::new(&plan.values[*value]));
            self.add(at - 0.6, StepAction::State(name.clone(), before));
            self.add(at - 0.1, StepAction::State(name, then));
        }
        for (parameter, value) in &goal.parameters {
            let plan = &self.plan.parameters[*parameter];
            let away = if (value - plan.range.0).abs() > (value - plan.range.1).abs() { plan.range.0 } else { plan.range.1 };
            let name = Word::new(&plan.name);
            let of = |value: f64| match plan.on.first() {
                Some(on) => StepAction::ParameterOn(name.clone(), Word::new(on), value),
                None => StepAction::Parameter(name.clone(), value),
            };
            let (before, then) = (of(away), of(*value));
            self.add(at - 0.6, before);
            self.add(at - 0.1, then);
        }
        let mut at = at;
        if let Some(zone) = goal.zone {
            let form = self.plan.zones[zone].1.clone();
            let to = self.inside(&form);
            self.add(at, StepAction::Place(Placing { emitter: None, kind: None, at: [to[0], to[1], 0.0], facing: None, over: None }));
            self.listener = to;
            at += 0.5;
        }
        if let Some(event) = goal.event {
            self.send(event, at + 0.05);
        }
    }
}
