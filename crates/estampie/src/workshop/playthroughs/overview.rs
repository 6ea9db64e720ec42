//! What the view *Replay* shows of the chosen playthrough, worked out once for each state of the project: a recording may have tens of
//! thousands of lines, and a page is drawn many times a second.

use crate::workshop::app::App;
use estampie_engine::world::emitters::LISTENER_NAME;
use estampie_project::document::Document;
use estampie_project::language::playthrough::{Placing, PlaythroughLine};
use estampie_project::language::{Playthrough, StepAction};
use std::collections::HashMap;
use std::sync::{Arc, Weak};

/// The most lanes.
const LANES: usize = 9;

/// What happens to one thing over time: moments, and stretches in which it is on its way, from when to when in seconds.
#[derive(Debug)]
pub(super) struct Lane {
    pub(super) name: String,
    pub(super) spans: Vec<(f64, f64)>,
}

/// What is shown of a playthrough.
#[derive(Debug, Default)]
pub(super) struct Overview {
    /// Of which project, and of which playthrough it is.
    document: Weak<Document>,
    name: String,
    /// The length of every playthrough of the project, in seconds.
    pub(super) lengths: Vec<f64>,
    /// That of this one.
    pub(super) length: f64,
    pub(super) steps: usize,
    pub(super) seed: u64,
    pub(super) lanes: Vec<Lane>,
    /// The lines of the steps, counted from 0, with their times in seconds, in the order of the text.
    pub(super) times: Vec<(usize, f64)>,
}

impl App {
    /// Asks something of what is shown of the chosen playthrough; of an empty one if there is none.
    pub(super) fn of_playthrough<T>(&self, ask: impl FnOnce(&Overview) -> T) -> T {
        let document = self.workspace.document();
        let chosen = self.playthrough_chosen().map(|at| &document.playthroughs[at]);
        let shown = &self.playthroughs.shown;
        // Who asks may be asking already: it is only written to where it is not what is wanted.
        let same = |shown: &Overview| Weak::ptr_eq(&shown.document, &Arc::downgrade(document)) && chosen.map_or("", |(name, _)| name) == shown.name;
        if !same(&shown.borrow()) {
            let mut new = chosen.map_or_else(Overview::default, |(name, playthrough)| overview(name, playthrough));
            new.lengths = document.playthroughs.iter().map(|(_, p)| p.length().0).collect();
            new.document = Arc::downgrade(document);
            *shown.borrow_mut() = new;
        }
        ask(&self.playthroughs.shown.borrow())
    }
}

fn overview(name: &str, playthrough: &Playthrough) -> Overview {
    let steps = playthrough.lines.iter().filter_map(|line| if let PlaythroughLine::Step(step, place) = line { Some((step, place)) } else { None });
    let times: Vec<(usize, f64)> = steps.map(|(step, place)| ((place.0.line as usize).saturating_sub(1), step.at.0)).collect();
    Overview {
        name: name.to_owned(),
        length: playthrough.length().0,
        steps: times.len(),
        seed: playthrough.seed(),
        lanes: lanes(playthrough),
        times,
        ..Overview::default()
    }
}

/// A lane for all events, and one for each thing that is moved, in the order in which they begin; if they are too many, the busiest.
fn lanes(playthrough: &Playthrough) -> Vec<Lane> {
    let walks: HashMap<usize, f64> = playthrough.walks().into_iter().collect();
    let mut lanes: Vec<Lane> = Vec::new();
    let mut known: HashMap<String, usize> = HashMap::new();
    for (index, (step, _)) in playthrough.steps().into_iter().enumerate() {
        let at = step.at.0;
        let of = |emitter: &Option<estampie_project::language::Word>| emitter.as_ref().map_or(LISTENER_NAME, |e| &e.text).to_owned();
        let (name, end) = match &step.action {
            StepAction::Send(..) => ("events".to_owned(), at),
            StepAction::State(state, _) => (state.text.clone(), at),
            StepAction::Parameter(parameter, _) | StepAction::ParameterOn(parameter, ..) => (parameter.text.clone(), at),
            StepAction::Glide { parameter, over, .. } => (parameter.text.clone(), at + over.0),
            StepAction::Place(Placing { emitter, over, .. }) => (of(emitter), at + over.map_or(0.0, |o| o.0)),
            StepAction::Walk(walking) => (of(&walking.emitter), walks.get(&index).copied().unwrap_or(at)),
            StepAction::Remove(emitter) => (emitter.text.clone(), at),
            StepAction::PlayerLevel(level, _) => (format!("level {level}"), at),
            StepAction::Expect(expected) => ("expects".to_owned(), at + expected.within().map_or(0.0, |w| w.0)),
            StepAction::End => continue,
        };
        let lane = *known.entry(name).or_insert_with_key(|name| {
            lanes.push(Lane { name: name.clone(), spans: Vec::new() });
            lanes.len() - 1
        });
        lanes[lane].spans.push((at, end));
    }
    while lanes.len() > LANES {
        let least = (0..lanes.len()).rev().min_by_key(|at| lanes[*at].spans.len()).unwrap_or(0);
        lanes.remove(least);
    }
    lanes
}
