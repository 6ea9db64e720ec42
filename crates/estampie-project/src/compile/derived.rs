//! Compiling what parameters are worked out from: measures and formulas, and their order.

use super::Compiler;
use crate::document::{Document, Place, ValueOf, did_you_mean};
use crate::language::{Expression, Measure, StepAction, Word};
use estampie_engine::program::{Formula, Measured, Op, ValueFrom, Who};
use estampie_engine::world::emitters::LISTENER_NAME;
use std::collections::{BTreeSet, HashMap};

/// The emitters that a project knows: declared, in the world, or placed by a playthrough; and the listener.
fn emitter_names(document: &Document) -> BTreeSet<&str> {
    let mut known: BTreeSet<&str> = [LISTENER_NAME, estampie_engine::world::emitters::CAMERA_NAME].into();
    known.extend(document.emitters.iter().map(|e| e.name.as_str()));
    known.extend(document.world.emitters.iter().map(|e| e.name.as_str()));
    known.extend(document.world.one_shots.iter().map(|e| e.name.as_str()));
    known.extend(document.world.flocks.iter().map(|e| e.name.as_str()));
    for (step, _) in document.playthroughs.iter().flat_map(|(_, p)| p.steps()) {
        let emitter = match &step.action {
            StepAction::Send(_, emitter) => emitter.as_ref(),
            StepAction::ParameterOn(_, emitter, _) => Some(emitter),
            StepAction::Place(placing) => placing.emitter.as_ref(),
            StepAction::Walk(walking) => walking.emitter.as_ref(),
            _ => None,
        };
        known.extend(emitter.map(|e| e.text.as_str()));
    }
    known
}

impl Compiler<'_> {
    /// Measures and formulas, and the order in which they are worked out.
    pub(super) fn derived(&mut self) {
        let document = self.document;
        for (index, doc) in document.parameters.iter().enumerate() {
            let source = match &doc.source {
                ValueOf::Game => continue,
                ValueOf::Measure(measure) => self.measured(&measure.value).map(ValueFrom::Measured),
                ValueOf::Formula(formula) => {
                    let mut code = Vec::new();
                    self.steps(&formula.value, &mut code).map(|()| ValueFrom::Formula(Formula::new(code)))
                }
            };
            // What cannot be worked out stays at rest.
            if let Some(source) = source {
                self.program.parameters[index].source = source;
            }
        }
        self.order_derived();
    }

    /// Says when an emitter is named that neither the world nor a playthrough has, and that is not declared.
    pub(super) fn look_for_emitter(&mut self, name: &Word) {
        let document = self.document;
        let known = self.found.emitters.get_or_init(|| emitter_names(document));
        if !known.contains(name.text.as_str()) {
            let otherwise = format!("declare it in game.toml, below [emitters]: {} = \"what it is\"; or give it a place in world.toml", name.text);
            let fix = did_you_mean(&name.text, known.iter().copied(), &otherwise);
            self.fault(&name.place, format!("there is no emitter {}", name.text), fix);
        }
    }

    fn who(&mut self, name: Option<&Word>) -> Who {
        if let Some(name) = name {
            self.look_for_emitter(name);
        }
        name.map_or(Who::Each, |name| Who::Named(self.program.names.add(&name.text)))
    }

    fn measured(&mut self, measure: &Measure) -> Option<Measured> {
        Some(match measure {
            Measure::Distance(name) => Measured::Distance(self.who(name.as_ref())),
            Measure::Bearing(name) => Measured::Bearing(self.who(name.as_ref())),
            Measure::Speed(name) => Measured::Speed(self.who(name.as_ref())),
            Measure::Turning(name) => Measured::Turning(self.who(name.as_ref())),
            Measure::Approach(name) => Measured::Approach(self.who(name.as_ref())),
            Measure::Height(name) => Measured::Height(self.who(name.as_ref())),
            Measure::Count(kind, radius) => Measured::Count(self.program.names.add(&kind.text), *radius as f32),
            Measure::Walls(side, reach) => Measured::Walls(side.degrees(), *reach as f32),
            Measure::Rate(name) => {
                let parameter = self.parameter(&name.text, &name.place)?;
                self.one_for_all(parameter, &name.place)?;
                Measured::Rate(parameter)
            }
            Measure::Since(name) => Measured::Since(self.event_named(&name.text, &name.place)?),
        })
    }

    /// Says when a parameter has no one value because every emitter has its own.
    pub(super) fn one_for_all(&mut self, parameter: usize, place: &Place) -> Option<()> {
        if self.program.parameters[parameter].local.is_none() {
            return Some(());
        }
        let name = &self.document.parameters[parameter].name;
        self.fault(
            place,
            format!("every emitter has a {name} of its own, but here one value for all is needed"),
            "name the emitter in a measure of its own, or use another parameter",
        );
        None
    }

    /// The steps of a formula.
    fn steps(&mut self, expression: &Expression, code: &mut Vec<Op>) -> Option<()> {
        match expression {
            Expression::Number(number) => code.push(Op::Number(*number as f32)),
            Expression::Parameter(word) => {
                let parameter = self.parameter(&word.text, &word.place)?;
                self.one_for_all(parameter, &word.place)?;
                code.push(Op::Parameter(parameter as u32));
            }
            Expression::State(state, value, is) => {
                let document = self.document;
                let Some(index) = self.found.states.get(state.text.as_str()).copied() else {
                    let fix = did_you_mean(&state.text, document.states.iter().map(|s| s.name.as_str()), "add it to game.toml, or name another");
                    self.fault(&state.place, format!("there is no state {}", state.text), fix);
                    return None;
                };
                let value = self.state_value(index, value)?;
                code.push(Op::State(index as u32, value, *is));
            }
            Expression::Negative(inner) => {
                self.steps(inner, code)?;
                code.push(Op::Negative);
            }
            Expression::Binary(operator, a, b) => {
                self.steps(a, code)?;
                self.steps(b, code)?;
                code.push(Op::Binary(*operator));
            }
            Expression::Call(function, list) => {
                for inner in list {
                    self.steps(inner, code)?;
                }
                if *function == estampie_engine::vocabulary::Function::Rate {
                    code.push(Op::Rate(self.program.rates as u32));
                    self.program.rates += 1;
                } else {
                    code.push(Op::Call(*function, list.len() as u8));
                }
            }
        }
        Some(())
    }

    fn needs(&self, parameter: usize) -> Vec<usize> {
        match &self.program.parameters[parameter].source {
            ValueFrom::Measured(Measured::Rate(of)) => vec![*of],
            ValueFrom::Formula(formula) => formula.code().iter().filter_map(|op| if let Op::Parameter(p) = op { Some(*p as usize) } else { None }).collect(),
            _ => Vec::new(),
        }
    }

    /// Orders what is worked out after what it is worked out from; whatever is in a circle stays at rest.
    fn order_derived(&mut self) {
        let all: Vec<usize> = (0..self.program.parameters.len()).filter(|p| self.program.parameters[*p].source != ValueFrom::Game).collect();
        let mut done: BTreeSet<usize> = BTreeSet::new();
        // What each waits for, and what waits for it; of those that wait for nothing the first is next.
        let (mut waits, mut waiting): (HashMap<usize, usize>, HashMap<usize, Vec<usize>>) = (HashMap::new(), HashMap::new());
        let mut ready = BTreeSet::new();
        for parameter in &all {
            let needs: BTreeSet<usize> = self.needs(*parameter).into_iter().filter(|n| self.program.parameters[*n].source != ValueFrom::Game).collect();
            needs.iter().for_each(|n| waiting.entry(*n).or_default().push(*parameter));
            if needs.is_empty() {
                ready.insert(*parameter);
            }
            waits.insert(*parameter, needs.len());
        }
        while let Some(next) = ready.pop_first() {
            done.insert(next);
            self.program.derived.push(next as u32);
            for parameter in waiting.remove(&next).unwrap_or_default() {
                if let Some(left) = waits.get_mut(&parameter) {
                    *left -= 1;
                    if *left == 0 {
                        ready.insert(parameter);
                    }
                }
            }
        }
        // What is left is in a circle, or needs something that is.
        let left: Vec<usize> = all.iter().filter(|p| !done.contains(p)).copied().collect();
        let mut told: BTreeSet<usize> = BTreeSet::new();
        for start in &left {
            let mut way = vec![*start];
            while let Some(next) = self.needs(way[way.len() - 1]).into_iter().find(|n| left.contains(n)) {
                if let Some(first) = way.iter().position(|w| *w == next) {
                    let circle: Vec<usize> = way[first..].to_vec();
                    if circle.iter().all(|p| told.insert(*p)) {
                        let document = self.document;
                        let names: Vec<&str> = circle.iter().chain([&next]).map(|p| document.parameters[*p].name.as_str()).collect();
                        let place = document.parameters[next].place.clone();
                        self.fault(
                            &place,
                            format!("these are worked out from each other in a circle: {}", names.join(" ⟶ ")),
                            "let one of them do without the others",
                        );
                    }
                    break;
                }
                way.push(next);
            }
        }
        for parameter in left {
            self.program.parameters[parameter].source = ValueFrom::Game;
        }
    }
}
