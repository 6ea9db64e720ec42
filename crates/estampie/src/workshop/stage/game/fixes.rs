//! How what does not fit is fixed: for each thing that was sent wrongly a few edits, the likeliest first.

use super::Row;
use crate::workshop::app::App;
use crate::workshop::rehearsal::Misfit;
use estampie_engine::names::NameKey;
use estampie_engine::telemetry::Notice;
use estampie_link::{Kind, Sent};
use estampie_project::document::{NewValue, nearest};
use estampie_project::language::lex::is_name;
use estampie_project::things::kind_of;

/// A value of a file and what it becomes.
type Change = (Vec<String>, NewValue);

/// A way to fix what does not fit.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Fix {
    /// What it does, in words: also what undo calls it.
    pub(super) words: String,
    does: Does,
}

#[derive(Debug, Clone, PartialEq)]
enum Does {
    /// Values of `game.toml` are set.
    Set(Vec<Change>),
    /// A thing of ours gets another name: kind, name, new name.
    Rename(&'static str, String, String),
}

fn path(steps: &[&str]) -> Vec<String> {
    steps.iter().map(|s| (*s).to_owned()).collect()
}

fn text(steps: &[&str], text: &str) -> Change {
    (path(steps), NewValue::Text(text.to_owned()))
}

/// Numbers that go so many times as far as the range are in another unit.
const OTHER_UNIT: f32 = 8.0;

/// In lower case, without marks that come as letters of their own (İ is two).
fn in_lower_case(c: char) -> impl Iterator<Item = char> {
    c.to_lowercase().filter(move |lower| *lower == c || lower.is_alphanumeric())
}

/// A name as they are here: in lower case, with `-` between words.
fn our_name(theirs: &str) -> String {
    let mut name = String::new();
    let mut before = ' ';
    for c in theirs.chars() {
        // Where a word begins within it: HullStruck, Deck2Oak.
        let begins = before.is_lowercase() || before.is_numeric();
        before = c;
        match c {
            c if c.is_uppercase() => {
                if begins {
                    name.push('-');
                }
                name.extend(in_lower_case(c));
            }
            c if c.is_alphanumeric() || "./".contains(c) => name.extend(in_lower_case(c)),
            _ if name.ends_with('-') || name.is_empty() => {}
            _ => name.push('-'),
        }
    }
    let name = name.trim_end_matches('-').to_owned();
    if is_name(&name) { name } else { format!("game-{name}") }
}

/// Round ends about the least and the greatest that came.
fn round_range(least: f32, greatest: f32) -> (f32, f32) {
    if !least.is_finite() || !greatest.is_finite() || (least >= 0.0 && greatest <= 1.0) {
        return (0.0, 1.0);
    }
    let out = |value: f32| {
        let size = 10f32.powf(value.abs().max(1e-6).log10().floor());
        [1.0, 2.0, 5.0, 10.0].into_iter().map(|step| step * size).find(|end| *end >= value.abs() * 0.9999).unwrap_or(value.abs()) * value.signum()
    };
    let low = if least < 0.0 { out(least) } else { 0.0 };
    let high = if greatest > 0.0 { out(greatest) } else { 0.0 };
    (low, high)
}

impl App {
    /// The fixes of a line of the page.
    pub(super) fn fixes(&self, row: Option<&Row>) -> Vec<Fix> {
        let misfit = match row {
            Some(Row::Misfit(key)) => self.rehearsal.history.misfits.get(key).copied(),
            _ => None,
        };
        misfit.map_or_else(Vec::new, |misfit| self.fixes_of(&misfit))
    }

    fn fixes_of(&self, misfit: &Misfit) -> Vec<Fix> {
        let name = |key: NameKey| self.rehearsal.names.get(key).to_owned();
        let document = self.document();
        match misfit.notice {
            Notice::UnknownEvent(key) => {
                let known: Vec<&str> = document.events.iter().map(|e| e.name.as_str()).collect();
                self.of_unknown(&name(key), "event", &known, |ours| vec![text(&["events", ours], "sent by the game")])
            }
            Notice::UnknownParameter(key) => {
                let theirs = name(key);
                let known: Vec<&str> = document.parameters.iter().map(|p| p.name.as_str()).collect();
                let (range, each) = self.sent_numbers(&theirs);
                self.of_unknown(&theirs, "parameter", &known, |ours| {
                    let each = each.then(|| text(&["parameters", ours, "of"], "each emitter"));
                    std::iter::once(text(&["parameters", ours, "range"], &range)).chain(each).collect()
                })
            }
            Notice::UnknownState(key) => {
                let theirs = name(key);
                let known: Vec<&str> = document.states.iter().map(|s| s.name.as_str()).collect();
                let values = self.sent_words(&theirs);
                self.of_unknown(&theirs, "state", &known, |ours| {
                    let list = values.iter().map(|value| our_name(value)).collect();
                    let others = values.iter().filter(|value| our_name(value) != **value);
                    let others = others.map(|value| text(&["states", ours, "from-game", value], &our_name(value)));
                    std::iter::once((path(&["states", ours, "values"]), NewValue::List(list))).chain(others).collect()
                })
            }
            Notice::UnknownValue { state, value } => self.of_value(&name(state), &name(value)),
            Notice::Clamped { parameter, .. } => self.of_range(&name(parameter), misfit.asked),
            Notice::NeedsEmitter(key) => {
                let changes = vec![(path(&["parameters", &name(key), "of"]), NewValue::Nothing)];
                vec![Fix { words: format!("make {} one for all", name(key)), does: Does::Set(changes) }]
            }
            Notice::ForAll(key) => {
                let changes = vec![text(&["parameters", &name(key), "of"], "each emitter")];
                vec![Fix { words: format!("give every emitter its own {}", name(key)), does: Does::Set(changes) }]
            }
            _ => Vec::new(),
        }
    }

    /// What may be done about a name that means nothing here: it is one of ours by another name, or a new one, or one of ours is to be called so.
    fn of_unknown(&self, theirs: &str, kind: &'static str, known: &[&str], declaration: impl Fn(&str) -> Vec<Change>) -> Vec<Fix> {
        let ours = our_name(theirs);
        let mut changes = declaration(&ours);
        if ours != theirs {
            changes.push(text(&["from-game", theirs], &ours));
        }
        let called = if ours == theirs { String::new() } else { format!(" as {ours}") };
        let declare = Fix { words: format!("declare the {kind} {theirs}{called}"), does: Does::Set(changes) };
        let near = nearest(theirs, known.iter().copied()).map(str::to_owned);
        let map = |ours: &str| Fix { words: format!("{theirs} is {ours}"), does: Does::Set(vec![text(&["from-game", theirs], ours)]) };
        let mut fixes = Vec::new();
        fixes.extend(near.as_deref().map(map));
        fixes.push(declare);
        if let Some(near) = near.as_ref().filter(|_| ours == theirs) {
            fixes.push(Fix { words: format!("rename {near} to {theirs}"), does: Does::Rename(kind, near.clone(), theirs.to_owned()) });
        }
        fixes.extend(known.iter().filter(|known| near.as_deref() != Some(**known)).map(|ours| map(ours)));
        fixes
    }

    /// A state has no such value.
    fn of_value(&self, state: &str, value: &str) -> Vec<Fix> {
        let Some(doc) = self.document().states.iter().find(|s| s.name == state) else { return Vec::new() };
        let values: Vec<&str> = doc.values.iter().map(|v| v.value.as_str()).collect();
        let map = |ours: &str| Fix { words: format!("{value} is {ours}"), does: Does::Set(vec![text(&["states", state, "from-game", value], ours)]) };
        let near = nearest(value, values.iter().copied());
        let new = our_name(value);
        let mut list: Vec<String> = values.iter().map(|v| (*v).to_owned()).collect();
        list.push(new.clone());
        let mut changes = vec![(path(&["states", state, "values"]), NewValue::List(list))];
        if new != value {
            changes.push(text(&["states", state, "from-game", value], &new));
        }
        let add = Fix { words: format!("add {new} to the values of {state}"), does: Does::Set(changes) };
        let others = values.iter().filter(|v| near != Some(**v)).map(|v| map(v));
        near.map(map).into_iter().chain([add]).chain(others).collect()
    }

    /// Numbers came that are out of the range.
    fn of_range(&self, parameter: &str, asked: (f32, f32)) -> Vec<Fix> {
        let Some(doc) = self.document().parameters.iter().find(|p| p.name == parameter) else { return Vec::new() };
        if !asked.0.is_finite() || !asked.1.is_finite() {
            return Vec::new();
        }
        let unit = if doc.unit.is_empty() { String::new() } else { format!(" {}", doc.unit) };
        let set = |field: &str, range: String, words: String| Fix { words, does: Does::Set(vec![text(&["parameters", parameter, field], &range)]) };
        if let Some((from, to)) = doc.from_game {
            let (low, high) = round_range(asked.0.min(from), asked.1.max(to));
            return vec![set("from-game", format!("{low}..{high}"), format!("the game's {parameter} goes from {low} to {high}"))];
        }
        let (low, high) = (round_range(asked.0, asked.1).0.min(doc.low), round_range(asked.0, asked.1).1.max(doc.high));
        let (from, to) = round_range(asked.0, asked.1);
        let wider = set("range", format!("{low}..{high}{unit}"), format!("let {parameter} go from {low} to {high}{unit}"));
        let mapped = set("from-game", format!("{from}..{to}"), format!("the game's {from} to {to} are our {} to {}{unit}", doc.low, doc.high));
        // What is many times too large is more likely in another unit, percent for shares.
        if to - from >= OTHER_UNIT * (doc.high - doc.low) { vec![mapped, wider] } else { vec![wider, mapped] }
    }

    /// The range of the numbers that came under a name, and whether they came for emitters.
    fn sent_numbers(&self, name: &str) -> (String, bool) {
        let found = self.rehearsal.link().and_then(|link| {
            link.with_facts(|facts| {
                let heard = facts.heard(Kind::Parameter, name)?;
                let Sent::Number { least, greatest, .. } = heard.sent else { return None };
                Some((round_range(least, greatest), heard.emitter.is_some()))
            })
        });
        let ((low, high), each) = found.unwrap_or(((0.0, 1.0), false));
        (format!("{low}..{high}"), each)
    }

    /// The values that came under a name.
    fn sent_words(&self, name: &str) -> Vec<String> {
        let found = self.rehearsal.link().and_then(|link| {
            link.with_facts(|facts| match &facts.heard(Kind::State, name)?.sent {
                Sent::Word { all, .. } => Some(all.iter().cloned().collect()),
                _ => None,
            })
        });
        found.unwrap_or_else(|| vec!["off".to_owned(), "on".to_owned()])
    }

    /// Does the chosen fix.
    pub(super) fn fix_misfit(&mut self) {
        let rows = self.game_rows();
        let Some(Row::Misfit(key)) = rows.get(self.game.row) else { return };
        let Some(fix) = self.fixes(rows.get(self.game.row)).into_iter().nth(self.game.fix) else {
            return self.say("nothing in the project would fix it: it is to be changed in the game");
        };
        let done = match &fix.does {
            Does::Set(changes) => {
                let values: Vec<(&str, Vec<&str>, NewValue)> =
                    changes.iter().map(|(path, value)| ("game.toml", path.iter().map(String::as_str).collect(), value.clone())).collect();
                self.workspace.set_values(&fix.words, &values)
            }
            Does::Rename(kind, old, new) => {
                let thing = kind_of(kind).and_then(|kind| self.workspace.thing_named(kind, old));
                match thing {
                    Some(thing) => self.workspace.rename(&thing, new).map(|_| ()),
                    None => Err(estampie_project::document::Refusal::missing(kind, old)),
                }
            }
        };
        match done {
            Ok(()) => {
                // It comes again if it still does not fit.
                self.rehearsal.history.misfits.remove(key);
                self.game.fix = 0;
                self.recompile();
                self.say(format!("{}; u undoes it", fix.words));
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn names_of_games_become_names_as_they_are_here() {
        let cases = [
            ("HullStruck", "hull-struck"),
            ("hull.struck", "hull.struck"),
            ("Play_Hull_02", "play-hull-02"),
            ("HP", "hp"),
            ("3d", "game-3d"),
            ("Oak Floor ", "oak-floor"),
            ("İskele", "iskele"),
        ];
        for (theirs, ours) in cases {
            assert_eq!(our_name(theirs), ours, "{theirs}");
        }
    }

    #[test]
    fn ranges_have_round_ends_about_what_came() {
        assert_eq!(round_range(0.2, 0.7), (0.0, 1.0));
        assert_eq!(round_range(3.0, 87.0), (0.0, 100.0));
        assert_eq!(round_range(-4.0, 12.0), (-5.0, 20.0));
        assert_eq!(round_range(-300.0, -200.0), (-500.0, 0.0));
        assert_eq!(round_range(f32::NAN, f32::NAN), (0.0, 1.0));
    }

    proptest! {
        #[test]
        fn any_name_becomes_one_and_any_range_holds_what_came(theirs in "\\PC{1,30}", a in -1e5f32..1e5, b in -1e5f32..1e5) {
            let ours = our_name(&theirs);
            prop_assert!(is_name(&ours) && ours == ours.to_lowercase(), "{} of {}", ours, theirs);
            let (low, high) = round_range(a.min(b), a.max(b));
            // Ends are round, and a rounding of their own is let through.
            let (least, greatest) = (a.min(b), a.max(b));
            prop_assert!(low < high);
            prop_assert!(low <= least + least.abs() * 1e-3);
            prop_assert!(high >= greatest - greatest.abs() * 1e-3);
        }
    }
}
