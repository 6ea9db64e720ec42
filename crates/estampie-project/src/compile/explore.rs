//! Made-up play is looked through: what it names has to be there.

use super::Compiler;
use crate::document::{Located, did_you_mean};

impl Compiler<'_> {
    /// Names in `explore.toml` that nothing in the project has.
    pub(super) fn explored(&mut self) {
        let document = self.document;
        let explore = &document.explore;
        let events: Vec<&str> = document.events.iter().map(|e| e.name.as_str()).collect();
        let parameters: Vec<&str> = document.parameters.iter().map(|p| p.name.as_str()).collect();
        let states: Vec<&str> = document.states.iter().map(|s| s.name.as_str()).collect();
        for made in &explore.events {
            for event in std::iter::once(&made.event).chain(&made.after) {
                self.known_in_play("event", event, &events);
            }
        }
        for made in &explore.parameters {
            for parameter in std::iter::once(&made.parameter).chain(&made.with) {
                self.known_in_play("parameter", parameter, &parameters);
            }
        }
        for made in &explore.states {
            self.known_in_play("state", &made.state, &states);
            let Some(state) = document.states.iter().find(|s| s.name == made.state.value) else { continue };
            let values: Vec<&str> = state.values.iter().map(|v| v.value.as_str()).collect();
            for (from, to) in &made.goes {
                self.known_in_play("value", from, &values);
                for (value, _) in to {
                    self.known_in_play("value", &Located { value: value.clone(), place: from.place.clone() }, &values);
                }
            }
        }
        let kinds: Vec<&str> = document.emitters.iter().map(|e| e.name.as_str()).collect();
        for kind in explore.emitters.iter().filter_map(|e| e.kind.as_ref()) {
            self.known_in_play("kind of emitter", kind, &kinds);
        }
    }

    fn known_in_play(&mut self, kind: &str, name: &Located<String>, known: &[&str]) {
        if !known.contains(&name.value.as_str()) {
            let fix = did_you_mean(&name.value, known.iter().copied(), "name one that there is");
            self.fault(&name.place, format!("there is no {kind} {}", name.value), fix);
        }
    }
}
