//! How a project is played: what `explore.toml` says, and a guess at the rest from what the project has and how its playthroughs play it.

use estampie_engine::director::actions::ACTIONS;
use estampie_engine::names::NameKey;
use estampie_engine::program::{Edge, Filled, Interval, Program, Reaction, Trigger};
use estampie_engine::test::Test;
use estampie_engine::units::Seconds;
use estampie_engine::vocabulary::Comparison;
use estampie_engine::world::geometry::Form;
use estampie_project::document::{Document, MadeEmitter, ValueOf};
use estampie_project::language::StepAction;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

/// A lower and an upper end.
pub type Ends = (f64, f64);

/// How an event comes.
#[derive(Debug, Clone, PartialEq)]
pub struct EventPlan {
    /// Its name.
    pub name: String,
    /// Seconds from one to the next; `None` if it comes only after another.
    pub every: Option<Ends>,
    /// The emitters that it comes from; none if it comes from none.
    pub on: Vec<String>,
    /// What it follows (by index), and after how many seconds.
    pub after: Option<(usize, Ends)>,
}

/// How a parameter moves, in the game's numbers.
#[derive(Debug, Clone, PartialEq)]
pub struct ParameterPlan {
    /// Its name.
    pub name: String,
    /// Between which values.
    pub range: Ends,
    /// Where it is before anybody says.
    pub rest: f64,
    /// How much in a second.
    pub speed: Ends,
    /// How often it jumps.
    pub jumps: f64,
    /// The one that it goes with, by index.
    pub with: Option<usize>,
    /// The emitters whose own it is; none if it is for all.
    pub on: Vec<String>,
}

/// How a state changes.
#[derive(Debug, Clone, PartialEq)]
pub struct StatePlan {
    /// Its name.
    pub name: String,
    /// Its values.
    pub values: Vec<String>,
    /// The one at the start.
    pub start: usize,
    /// Seconds that a value lasts.
    pub lasts: Ends,
    /// From each value to which others, with weights; an empty list is any other.
    pub goes: Vec<Vec<(usize, f64)>>,
}

/// How an emitter of the game moves.
#[derive(Debug, Clone, PartialEq)]
pub struct EmitterPlan {
    /// Its name.
    pub name: String,
    /// Its kind.
    pub kind: Option<String>,
    /// Metres from the listener.
    pub within: Ends,
    /// Metres a second.
    pub speed: Ends,
}

/// What makes a reaction act: what has to hold, and what calls it. Play is steered towards one of them at a time.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Goal {
    /// Its sentence.
    pub reaction: String,
    /// States with a value that they have to have, by index.
    pub states: Vec<(usize, usize)>,
    /// Parameters with a value that they have to have, by index.
    pub parameters: Vec<(usize, f64)>,
    /// The event that calls it, by index.
    pub event: Option<usize>,
    /// The zone that has to be entered or left, by index.
    pub zone: Option<usize>,
}

/// How a project is played.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    /// Seconds of one made-up play.
    pub length: f64,
    /// The share of it in which nothing is done.
    pub idle: f64,
    /// How often what is sent is sent again and again.
    pub spam: f64,
    /// Metres a second.
    pub walk: Ends,
    /// Seconds that one stays.
    pub stays: Ends,
    /// Seconds of silence that are too much.
    pub silence: f64,
    /// Seconds that music may wait.
    pub waits: f64,
    /// The share of a core that a second may take; nothing is measured without.
    pub load: Option<f64>,
    /// Events that come.
    pub events: Vec<EventPlan>,
    /// Parameters that move.
    pub parameters: Vec<ParameterPlan>,
    /// States that change.
    pub states: Vec<StatePlan>,
    /// Emitters that move.
    pub emitters: Vec<EmitterPlan>,
    /// Zones, with where they are.
    pub zones: Vec<(String, Form)>,
    /// Where the listener is at first.
    pub start: [f64; 2],
    /// What play is steered towards.
    pub goals: Vec<Goal>,
    /// Events (by index) that stop sounds or lower snapshots, with the names of those.
    pub ends: Vec<(usize, BTreeSet<String>)>,
}

/// What the project's own playthroughs do.
#[derive(Debug, Default)]
struct Played {
    /// Seconds of all of them.
    seconds: f64,
    /// How often each event comes, and from which emitters.
    events: BTreeMap<String, (usize, BTreeSet<String>)>,
    /// Emitters that are placed, with their kinds.
    emitters: BTreeMap<String, Option<String>>,
    /// Parameters of emitters, with whose.
    locals: BTreeMap<String, BTreeSet<String>>,
    /// States that are set.
    states: BTreeSet<String>,
}

fn played(document: &Document) -> Played {
    let mut found = Played::default();
    for (name, playthrough) in &document.playthroughs {
        // What exploring has found is no way to play it.
        if name.starts_with(super::FOUND) {
            continue;
        }
        found.seconds += playthrough.length().0;
        for (step, _) in playthrough.steps() {
            match &step.action {
                StepAction::Send(event, on) => {
                    let entry = found.events.entry(event.text.clone()).or_default();
                    entry.0 += 1;
                    entry.1.extend(on.iter().map(|o| o.text.clone()));
                }
                StepAction::Place(placing) => {
                    if let Some(emitter) = &placing.emitter {
                        let kind = found.emitters.entry(emitter.text.clone()).or_default();
                        if let Some(said) = &placing.kind {
                            *kind = Some(said.text.clone());
                        }
                    }
                }
                StepAction::ParameterOn(parameter, emitter, _) => {
                    found.locals.entry(parameter.text.clone()).or_default().insert(emitter.text.clone());
                }
                StepAction::State(state, _) => {
                    found.states.insert(state.text.clone());
                }
                _ => {}
            }
        }
    }
    found
}

impl Plan {
    /// What `explore.toml` says, and a guess at the rest.
    #[must_use]
    pub fn of(document: &Document, program: &Program) -> Plan {
        let said = &document.explore;
        let played = played(document);
        let seconds = |span: estampie_engine::units::Span<Seconds>| (span.low.0, span.high.0);
        let mut emitters: Vec<EmitterPlan> = said.emitters.iter().map(emitter_plan).collect();
        let listener = estampie_engine::world::emitters::LISTENER_NAME;
        for (name, kind) in &played.emitters {
            let own = document.world.emitters.iter().any(|e| e.name == *name);
            if !own && name != listener && !emitters.iter().any(|e| e.name == *name) {
                emitters.push(EmitterPlan { name: name.clone(), kind: kind.clone(), within: (1.0, 80.0), speed: (0.5, 5.0) });
            }
        }
        let mut plan = Plan {
            length: said.length.0,
            idle: said.idle,
            spam: said.spam,
            walk: seconds(said.walk),
            stays: seconds(said.stays),
            silence: said.silence.0,
            waits: said.waits.0,
            load: said.load,
            events: Vec::new(),
            parameters: Vec::new(),
            states: Vec::new(),
            emitters,
            zones: document.world.zones.iter().map(|z| (z.name.clone(), z.form.clone())).collect(),
            start: [f64::from(document.world.start[0]), f64::from(document.world.start[1])],
            goals: Vec::new(),
            ends: Vec::new(),
        };
        plan.plan_events(document, &played);
        plan.plan_parameters(document, &played);
        plan.plan_states(document, &played);
        plan.goals = program.reactions.iter().filter(|r| !r.off).filter_map(|r| plan.goal(program, r)).collect();
        plan.ends = plan.endings(program);
        plan
    }

    fn plan_events(&mut self, document: &Document, played: &Played) {
        let said = &document.explore.events;
        let wanted = |name: &str| !said.iter().any(|e| e.event.value == name && e.never);
        for event in document.events.iter().filter(|e| wanted(&e.name)) {
            let of = said.iter().find(|e| e.event.value == event.name);
            let known = played.events.get(&event.name);
            let guess = known.map_or((3.0, 20.0), |(count, _)| {
                let mean = (played.seconds / (*count).max(1) as f64).clamp(0.4, 60.0);
                (mean * 0.5, mean * 2.0)
            });
            let said_every = of.and_then(|e| e.every).map(|s| (s.low.0.max(0.02), s.high.0.max(0.02)));
            let after = of.is_some_and(|e| e.after.is_some());
            let mut on: Vec<String> = of.map(|e| e.on.clone()).unwrap_or_default();
            if on.is_empty() {
                on = known.map(|(_, on)| on.iter().cloned().collect()).unwrap_or_default();
            }
            self.events.push(EventPlan {
                name: event.name.clone(),
                every: if after { said_every } else { Some(said_every.unwrap_or(guess)) },
                on,
                after: None,
            });
        }
        for made in said {
            let place = |name: &str, events: &[EventPlan]| events.iter().position(|e| e.name == name);
            let Some(at) = place(&made.event.value, &self.events) else { continue };
            let after = made.after.as_ref().and_then(|after| place(&after.value, &self.events));
            self.events[at].after = after.map(|first| (first, (made.within.low.0, made.within.high.0)));
        }
    }

    fn plan_parameters(&mut self, document: &Document, played: &Played) {
        let said = &document.explore.parameters;
        for doc in document.parameters.iter().filter(|p| matches!(p.source, ValueOf::Game)) {
            let of = said.iter().find(|p| p.parameter.value == doc.name);
            if of.is_some_and(|p| p.never) {
                continue;
            }
            let (low, high) = doc.from_game.unwrap_or((doc.low, doc.high));
            let whole = (f64::from(low), f64::from(high));
            let share = (doc.rest - doc.low) / (doc.high - doc.low).max(f32::MIN_POSITIVE);
            let range = of.and_then(|p| p.range).unwrap_or(whole);
            let span = (whole.1 - whole.0).abs();
            let on = match doc.of_each {
                true => played
                    .locals
                    .get(&doc.name)
                    .map(|on| on.iter().cloned().collect())
                    .unwrap_or_else(|| self.emitters.iter().map(|e| e.name.clone()).collect()),
                false => Vec::new(),
            };
            if doc.of_each && on.is_empty() {
                continue;
            }
            self.parameters.push(ParameterPlan {
                name: doc.name.clone(),
                range,
                rest: whole.0 + f64::from(share) * (whole.1 - whole.0),
                speed: of.and_then(|p| p.speed).unwrap_or((span / 20.0, span / 2.0)),
                jumps: of.and_then(|p| p.jumps).unwrap_or(0.1),
                with: None,
                on,
            });
        }
        for made in said {
            let place = |name: &str, all: &[ParameterPlan]| all.iter().position(|p| p.name == name);
            let Some(at) = place(&made.parameter.value, &self.parameters) else { continue };
            self.parameters[at].with = made.with.as_ref().and_then(|with| place(&with.value, &self.parameters)).filter(|with| *with != at);
        }
    }

    fn plan_states(&mut self, document: &Document, played: &Played) {
        let said = &document.explore.states;
        let by_zones: BTreeSet<&str> = document.world.zones.iter().filter_map(|z| Some(z.sets.as_ref()?.0.value.as_str())).collect();
        for doc in &document.states {
            let of = said.iter().find(|s| s.state.value == doc.name);
            let by_zone = by_zones.contains(doc.name.as_str()) && of.is_none() && !played.states.contains(&doc.name);
            if of.is_some_and(|s| s.never) || by_zone || doc.values.len() < 2 {
                continue;
            }
            let values: Vec<String> = doc.values.iter().map(|v| v.value.clone()).collect();
            let place = |name: &str| values.iter().position(|v| v == name);
            let goes = (0..values.len())
                .map(|from| {
                    let rows = of.iter().flat_map(|s| &s.goes).filter(|(f, _)| f.value == values[from]);
                    rows.flat_map(|(_, to)| to.iter().filter_map(|(name, weight)| Some((place(name)?, *weight)))).collect()
                })
                .collect();
            let lasts = of.and_then(|s| s.lasts).map_or((6.0, 30.0), |l| (l.low.0.max(0.05), l.high.0.max(0.05)));
            self.states.push(StatePlan { name: doc.name.clone(), start: doc.start, lasts, goes, values });
        }
    }

    /// What has to hold for a reaction, and what calls it; `None` if it is not known how (a clock, a measure).
    fn goal(&self, program: &Program, reaction: &Reaction) -> Option<Goal> {
        let mut goal = Goal { reaction: program.names.get(reaction.key).to_owned(), ..Goal::default() };
        let name = |key: NameKey| program.names.get(key);
        for test in &reaction.conditions {
            self.satisfy(program, &mut goal, *test);
        }
        match reaction.trigger {
            Trigger::Event(event) => {
                let event = name(program.events[event].key);
                goal.event = Some(self.events.iter().position(|e| e.name == event)?);
            }
            Trigger::Change(Edge::Holds(test)) => self.satisfy(program, &mut goal, test),
            Trigger::Change(Edge::Crosses(parameter, rises, number)) => {
                let spec = &program.parameters[parameter];
                let beyond = if rises { (number + spec.high) / 2.0 } else { (number + spec.low) / 2.0 };
                self.aim(program, &mut goal, parameter, beyond);
            }
            Trigger::Zone(zone, _) => {
                let zone = name(program.world.zones[zone as usize].key);
                goal.zone = self.zones.iter().position(|(n, _)| n == zone);
            }
            Trigger::Clock(Interval::Of(..) | Interval::Between(..)) => {}
        }
        // What only follows from something measured cannot be aimed at.
        (goal.event.is_some() || goal.zone.is_some() || !goal.states.is_empty() || !goal.parameters.is_empty()).then_some(goal)
    }

    /// Aims at a parameter's value, as the program has it.
    fn aim(&self, program: &Program, goal: &mut Goal, parameter: usize, value: f32) {
        let spec = &program.parameters[parameter];
        let named = program.names.get(spec.key);
        let Some(at) = self.parameters.iter().position(|p| p.name == named) else { return };
        let value = f64::from(spec.to_game(value));
        goal.parameters.retain(|(p, _)| *p != at);
        goal.parameters.push((at, value));
    }

    fn satisfy(&self, program: &Program, goal: &mut Goal, test: Test) {
        match test {
            Test::State(state, value, is) => {
                let spec = &program.states[state];
                let Some(at) = self.states.iter().position(|s| s.name == program.names.get(spec.key)) else {
                    // Set by a zone: the way is to go there.
                    let zone = program.world.zones.iter().position(|z| is && z.state == Some((state, value)));
                    goal.zone = goal.zone.or(zone);
                    return;
                };
                let named = program.names.get(spec.values[usize::from(value)]);
                let found = self.states[at].values.iter().position(|v| (v == named) == is);
                goal.states.retain(|(s, _)| *s != at);
                goal.states.extend(found.map(|value| (at, value)));
            }
            Test::Compare(parameter, comparison, number) => {
                let spec = &program.parameters[parameter];
                let beyond = match comparison {
                    Comparison::Over | Comparison::AtLeast => (number + spec.high) / 2.0,
                    Comparison::Under | Comparison::AtMost => (number + spec.low) / 2.0,
                };
                self.aim(program, goal, parameter, beyond);
            }
            Test::Between(parameter, low, high) => self.aim(program, goal, parameter, (low + high) / 2.0),
            Test::Equals(parameter, number, true) => self.aim(program, goal, parameter, number),
            Test::Equals(parameter, number, false) => {
                let spec = &program.parameters[parameter];
                self.aim(program, goal, parameter, if number == spec.high { spec.low } else { spec.high });
            }
        }
    }

    /// The events that end something, with what.
    fn endings(&self, program: &Program) -> Vec<(usize, BTreeSet<String>)> {
        let mut ends: BTreeMap<usize, BTreeSet<String>> = BTreeMap::new();
        for reaction in program.reactions.iter().filter(|r| !r.off) {
            let Trigger::Event(event) = reaction.trigger else { continue };
            let event = program.names.get(program.events[event].key);
            let Some(at) = self.events.iter().position(|e| e.name == event) else { continue };
            for act in &reaction.actions {
                let verb = ACTIONS[usize::from(act.action.kind)].verb;
                let to_silence = verb == "go" && act.action.slots.contains(&Filled::Section(None));
                if !(matches!(verb, "stop" | "finish" | "lower") || to_silence) {
                    continue;
                }
                let names = act.action.slots.iter().filter_map(|slot| match slot {
                    Filled::Sound(sound) => Some(program.sounds[*sound].key),
                    Filled::Piece(piece) if to_silence => Some(program.music.pieces[*piece].key),
                    Filled::Snapshot(snapshot) => Some(program.mix.snapshots[*snapshot].key),
                    _ => None,
                });
                ends.entry(at).or_default().extend(names.map(|key| program.names.get(key).to_owned()));
            }
        }
        ends.into_iter().collect()
    }

    /// The plan as `explore.toml` would say it.
    #[must_use]
    pub fn to_toml(&self) -> String {
        let n = |value: f64| format!("{}", (value * 1e3).round() / 1e3);
        let ends = |(low, high): Ends| format!("{}..{}", n(low), n(high));
        let mut text = String::from("# How the game is played, as guessed from the project: change what is not so, take out what is.\n\n");
        let _ = writeln!(text, "length  = \"{} s\"", n(self.length));
        let _ = writeln!(text, "idle    = \"{} %\"", n(self.idle * 100.0));
        let _ = writeln!(text, "spam    = \"{} %\"", n(self.spam * 100.0));
        let _ = writeln!(text, "walk    = \"{} m/s\"", ends(self.walk));
        let _ = writeln!(text, "stays   = \"{} s\"", ends(self.stays));
        let _ = writeln!(text, "silence = \"{} s\"", n(self.silence));
        let _ = writeln!(text, "waits   = \"{} s\"", n(self.waits));
        if let Some(load) = self.load {
            let _ = writeln!(text, "load    = \"{} %\"", n(load * 100.0));
        }
        let quoted = |names: &[String]| names.iter().map(|n| format!("\"{n}\"")).collect::<Vec<_>>().join(", ");
        for event in &self.events {
            let _ = writeln!(text, "\n[[event]]\nevent = \"{}\"", event.name);
            if let Some(every) = event.every {
                let _ = writeln!(text, "every = \"{} s\"", ends(every));
            }
            if !event.on.is_empty() {
                let _ = writeln!(text, "on    = [{}]", quoted(&event.on));
            }
            if let Some((after, within)) = event.after {
                let _ = writeln!(text, "after = \"{}\"\nwithin = \"{} s\"", self.events[after].name, ends(within));
            }
        }
        for parameter in &self.parameters {
            let _ = writeln!(
                text,
                "\n[[parameter]]\nparameter = \"{}\"\nrange = \"{}\"\nspeed = \"{}\"\njumps = \"{} %\"",
                parameter.name,
                ends(parameter.range),
                ends(parameter.speed),
                n(parameter.jumps * 100.0)
            );
            if let Some(with) = parameter.with {
                let _ = writeln!(text, "with = \"{}\"", self.parameters[with].name);
            }
        }
        for state in &self.states {
            let _ = writeln!(text, "\n[[state]]\nstate = \"{}\"\nlasts = \"{} s\"", state.name, ends(state.lasts));
            let rows: Vec<String> = state
                .goes
                .iter()
                .enumerate()
                .filter(|(_, to)| !to.is_empty())
                .map(|(from, to)| {
                    let to: Vec<String> = to.iter().map(|(value, weight)| format!("{} {}", state.values[*value], n(*weight))).collect();
                    format!("{} = \"{}\"", state.values[from], to.join(", "))
                })
                .collect();
            if !rows.is_empty() {
                let _ = writeln!(text, "goes = {{ {} }}", rows.join(", "));
            }
        }
        for emitter in &self.emitters {
            let _ = writeln!(text, "\n[[emitter]]\nemitter = \"{}\"", emitter.name);
            if let Some(kind) = &emitter.kind {
                let _ = writeln!(text, "kind = \"{kind}\"");
            }
            let _ = writeln!(text, "within = \"{} m\"\nspeed = \"{}\"", ends(emitter.within), ends(emitter.speed));
        }
        text
    }
}

fn emitter_plan(made: &MadeEmitter) -> EmitterPlan {
    EmitterPlan {
        name: made.emitter.value.clone(),
        kind: made.kind.as_ref().map(|k| k.value.clone()),
        within: (f64::from(made.within.low.0), f64::from(made.within.high.0)),
        speed: made.speed,
    }
}
