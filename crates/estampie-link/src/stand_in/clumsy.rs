//! A game's usual mistakes, one after another: what the workshop has to say something about.

use crate::addresses::Said;

/// Makes mistakes of what is told.
#[derive(Debug, Clone, Default)]
pub struct Clumsy {
    told: u64,
    silent: u32,
}

/// After so many things told the next mistake is made.
const EVERY: u64 = 400;
/// A pause without a word lasts so many steps.
const SILENCE: u32 = 90;

impl Clumsy {
    /// Whether nothing is told in this step at all: the game stands still without saying so. To be asked once a step.
    pub fn stands_still(&mut self) -> bool {
        self.silent = self.silent.saturating_sub(1);
        self.silent > 0
    }

    /// What is told instead of what should be.
    pub fn tell(&mut self, said: Said, mut tell: impl FnMut(Said)) {
        self.told += 1;
        let kind = self.told / EVERY % 6;
        let first = self.told.is_multiple_of(EVERY);
        match (kind, said) {
            // A letter is missing.
            (0, Said::Event { name, emitter }) if name == "hull.struck" || name == "sonar.ping" => {
                let name = if name == "hull.struck" { "hull.struk" } else { "sonar.png" };
                tell(Said::Event { name: name.into(), emitter });
            }
            // An event in every frame.
            (1, listener @ Said::Listener { .. }) => {
                tell(listener);
                tell(Said::Event { name: "step".into(), emitter: Some("pilot".into()) });
            }
            // The emitter goes while it sounds.
            (2, Said::Emitter { id, .. }) if id == "eel" => {
                if first || self.told.is_multiple_of(50) {
                    tell(Said::Remove { id });
                }
            }
            // A place that is none.
            (3, Said::Emitter { id, kind, at, yaw }) => {
                let at = if id == "bell" { [f32::NAN, at[1], at[2]] } else { at };
                tell(Said::Emitter { id, kind, at, yaw });
            }
            // Percent instead of a share; for all instead of one.
            (4, Said::Parameter { name, value, emitter }) if name == "strain" => {
                tell(Said::Parameter { name, value: value * 100.0 + 50.0, emitter });
            }
            (5, said) => {
                if first {
                    self.silent = SILENCE;
                }
                tell(said);
            }
            (_, said) => tell(said),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::stand_in::{Dive, Pilot};

    #[test]
    fn every_kind_of_mistake_is_made_within_minutes() {
        let (mut dive, mut pilot, mut clumsy) = (Dive::new(5), Pilot::new(5), Clumsy::default());
        let (mut misspelt, mut gone, mut nowhere, mut percent, mut still, mut steps) = (0, 0, 0, 0, 0, 0u64);
        for _ in 0..30 * 60 * 20 {
            let (wants, hands) = pilot.play(&dive, 1.0 / 30.0);
            let mut said = Vec::new();
            hands.into_iter().for_each(|hand| dive.act(hand, |s| said.push(s)));
            dive.step(1.0 / 30.0, wants, |s| said.push(s));
            if clumsy.stands_still() {
                still += 1;
                continue;
            }
            for s in said {
                clumsy.tell(s, |s| match s {
                    Said::Event { name, .. } if name == "hull.struk" || name == "sonar.png" => misspelt += 1,
                    Said::Event { name, .. } if name == "step" => steps += 1,
                    Said::Remove { .. } => gone += 1,
                    Said::Emitter { at, .. } if at[0].is_nan() => nowhere += 1,
                    Said::Parameter { name, value, .. } if name == "strain" && value > 1.0 => percent += 1,
                    _ => {}
                });
            }
        }
        assert!(misspelt > 2 && gone > 2 && nowhere > 2 && percent > 2 && still > 100, "{misspelt} {gone} {nowhere} {percent} {still}");
        assert!(steps > 3000, "a step in every frame for a while: {steps}");
    }
}
