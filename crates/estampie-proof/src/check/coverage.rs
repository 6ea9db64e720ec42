//! Coverage: what of a project its playthroughs come by, how often, and what none of them does.

use super::observe::{Looks, Observed, observe};
use super::stood::{self, Standing, Stood};
use crate::cores::on_all_cores;
use estampie_engine::mixer::spec::MOST_NESTED;
use estampie_engine::names::NameKey;
use estampie_engine::program::{Program, Reaction, TakeOf};
use estampie_engine::telemetry::{Reason, What};
use estampie_project::document::{ANY, Between, Document, SILENCE};
use estampie_project::language::Playthrough;
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;

/// A kind of thing that is come by.
struct Kind {
    word: &'static str,
    /// All of it that a project has.
    all: fn(&Program, &Document) -> Vec<String>,
    /// How it is come by.
    by: By,
}

/// How something is come by.
enum By {
    /// Something happens: what of it that is.
    Happening(fn(&What, &Within<'_>) -> Vec<String>),
    /// It stands so for a while; each while counts once.
    Standing(&'static Standing),
    /// A condition of a reaction is asked for, and holds or fails.
    Asked,
}

fn text(within: &Within<'_>, key: NameKey) -> Vec<String> {
    if key.is_none() { Vec::new() } else { vec![within.program.names.get(key).to_owned()] }
}

/// One row for each kind: whoever adds one adds a row.
const KINDS: &[Kind] = &[
    Kind {
        word: "events",
        all: |_, document| document.events.iter().map(|e| e.name.clone()).collect(),
        by: By::Happening(|what, within| if let What::Event { event, .. } = what { text(within, *event) } else { Vec::new() }),
    },
    Kind {
        word: "reactions",
        all: |program, _| program.reactions.iter().filter(|r| !r.off).map(|r| program.names.get(r.key).to_owned()).collect(),
        by: By::Happening(|what, within| if let What::Reaction { reaction } = what { text(within, *reaction) } else { Vec::new() }),
    },
    Kind {
        word: "conditions",
        all: |program, document| {
            let each = program.reactions.iter().filter(|r| !r.off);
            each.flat_map(|r| (0..r.conditions.len()).flat_map(move |at| [false, true].map(|holds| condition(document, r, at, holds)))).collect()
        },
        by: By::Asked,
    },
    Kind {
        word: "sounds",
        all: |_, document| document.sounds.iter().map(|s| s.name.clone()).collect(),
        by: By::Happening(|what, within| match what {
            What::VoiceStart { sound, leaf, .. } => within.between(*sound, *leaf, MOST_NESTED).into_iter().collect(),
            _ => Vec::new(),
        }),
    },
    Kind {
        word: "takes",
        all: |program, _| {
            let mut takes = BTreeSet::new();
            program.each_clip(|clip| {
                takes.insert(clip.name.clone());
            });
            takes.into_iter().collect()
        },
        by: By::Happening(|what, within| match what {
            // Of a chain all parts count as heard, though one may be let go before its end.
            What::VoiceStart { take, .. } => within.chains.get(take).cloned().unwrap_or_else(|| text(within, *take)),
            _ => Vec::new(),
        }),
    },
    Kind {
        word: "sections",
        all: |_, document| document.music.pieces.iter().flat_map(|p| p.sections.iter().map(move |s| format!("{}/{}", p.name, s.name))).collect(),
        by: By::Happening(|what, within| match what {
            What::Section { piece, section, .. } if !section.is_none() => {
                vec![format!("{}/{}", within.program.names.get(*piece), within.program.names.get(*section))]
            }
            _ => Vec::new(),
        }),
    },
    Kind {
        word: "transitions",
        all: |_, document| ways(document).into_iter().map(|(.., name)| name).collect(),
        by: By::Happening(|what, within| match what {
            What::Section { piece, section, before, .. } => within.ways.get(&(*piece, *before, *section)).cloned().unwrap_or_default(),
            _ => Vec::new(),
        }),
    },
    Kind {
        word: "stingers",
        all: |_, document| document.music.stingers.iter().map(|s| s.name.clone()).collect(),
        by: By::Happening(|what, within| if let What::Sting { stinger, .. } = what { text(within, *stinger) } else { Vec::new() }),
    },
    Kind {
        word: "snapshots",
        all: |_, document| document.snapshots.iter().map(|s| s.name.clone()).collect(),
        by: By::Happening(|what, within| if let What::Snapshot { snapshot, up: true, .. } = what { text(within, *snapshot) } else { Vec::new() }),
    },
    Kind {
        word: "zones",
        all: |program, _| program.world.zones.iter().filter(|z| !z.shelter).map(|z| program.names.get(z.key).to_owned()).collect(),
        by: By::Happening(|what, within| if let What::Zone { zone, entered: true } = what { text(within, *zone) } else { Vec::new() }),
    },
    Kind { word: "doorways", all: |_, document| document.world.doorways.iter().map(|d| d.name.clone()).collect(), by: By::Standing(&stood::DOORWAYS) },
    Kind {
        word: "effects",
        all: |program, document| {
            let in_use: BTreeSet<NameKey> = program.mix.buses.iter().flat_map(|b| &b.effects).filter(|e| !e.off).map(|e| e.key).collect();
            let all = document.buses.iter().flat_map(|b| b.effects.iter().map(move |e| format!("{} {}", b.name, e.name)));
            all.filter(|name| in_use.contains(&NameKey::of(name))).collect()
        },
        by: By::Standing(&stood::EFFECTS),
    },
];

/// A condition of a reaction, holding or failing, in words.
fn condition(document: &Document, reaction: &Reaction, at: usize, holds: bool) -> String {
    let Some(written) = document.reactions.get(reaction.written as usize) else { return String::new() };
    let condition = written.conditions.get(at).map_or(String::new(), |c| format!("{} {}", c.subject, c.test));
    format!("{condition} {} in {}", if holds { "holds" } else { "fails" }, written.head())
}

/// The transitions between two sections that are written and allowed: piece, the section that is left and the first that comes then (none is silence), and
/// what each is called. Those from or to any section are not told apart.
fn ways(document: &Document) -> Vec<(NameKey, NameKey, NameKey, String)> {
    let key = |section: &str| if section == SILENCE { NameKey::NONE } else { NameKey::of(section) };
    let mut all = Vec::new();
    for piece in &document.music.pieces {
        for way in piece.transitions.iter().filter(|t| t.allowed && t.from.value != ANY && t.to.value != ANY) {
            let close = || piece.sections.iter().find(|s| s.name == way.from.value).and_then(|s| s.close.as_ref()).map(|c| c.value.clone());
            let first = match &way.way {
                Between::Straight => way.to.value.clone(),
                Between::Section(section) => section.value.clone(),
                Between::CloseEnding => close().unwrap_or_else(|| way.to.value.clone()),
            };
            all.push((NameKey::of(&piece.name), key(&way.from.value), key(&first), format!("{} {} ⟶ {}", piece.name, way.from.value, way.to.value)));
        }
    }
    all
}

/// How often something was come by, in each playthrough.
pub type Counts = BTreeMap<String, u64>;

/// What was come by.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Coverage {
    /// Of each kind, by its word, everything that there is, with how often in which playthrough.
    pub kinds: Vec<(&'static str, BTreeMap<String, Counts>)>,
    /// What was refused and why, with how often in which playthrough.
    pub refused: BTreeMap<(String, String), Counts>,
}

impl Coverage {
    /// With nothing come by.
    #[must_use]
    pub fn nothing(program: &Program, document: &Document) -> Coverage {
        let all = |kind: &Kind| (kind.all)(program, document).into_iter().map(|name| (name, Counts::new())).collect();
        Coverage { kinds: KINDS.iter().map(|kind| (kind.word, all(kind))).collect(), refused: BTreeMap::new() }
    }

    /// How often something of a kind was come by, by its word and name; `None` of what there is not.
    #[must_use]
    pub fn count(&self, word: &str, name: &str) -> Option<u64> {
        let (_, all) = self.kinds.iter().find(|(w, _)| *w == word)?;
        Some(all.get(name)?.values().sum())
    }

    /// How many there are of a kind, and the names of those that no playthrough comes by.
    #[must_use]
    pub fn never(&self, word: &str) -> (usize, Vec<&str>) {
        let Some((_, all)) = self.kinds.iter().find(|(w, _)| *w == word) else { return (0, Vec::new()) };
        (all.len(), all.iter().filter(|(_, counts)| counts.is_empty()).map(|(name, _)| name.as_str()).collect())
    }

    /// As JSON: of each kind a list, what is never come by first, and then the rarest.
    #[must_use]
    pub fn to_json(&self) -> Value {
        let list = |all: &BTreeMap<String, Counts>| {
            let mut rows: Vec<_> = all.iter().map(|(name, counts)| (counts.values().sum::<u64>(), name, counts)).collect();
            rows.sort_by(|a, b| (a.0, a.1).cmp(&(b.0, b.1)));
            let row = |(count, name, counts): &(u64, &String, &Counts)| json!({ "name": name, "count": count, "playthroughs": counts });
            Value::Array(rows.iter().map(row).collect())
        };
        let mut object: serde_json::Map<String, Value> = self.kinds.iter().map(|(word, all)| ((*word).to_owned(), list(all))).collect();
        let refused = self
            .refused
            .iter()
            .map(|((sound, why), counts)| json!({ "sound": sound, "why": why, "count": counts.values().sum::<u64>(), "playthroughs": counts }));
        object.insert("refused".into(), Value::Array(refused.collect()));
        Value::Object(object)
    }

    /// Takes in what [`Coverage::to_json`] gave; `None` if it is something else.
    pub(crate) fn read_json(&mut self, value: &Value) -> Option<()> {
        let counts = |row: &Value| -> Option<Counts> {
            let all = row["playthroughs"].as_object()?;
            all.iter().map(|(name, count)| Some((name.clone(), count.as_u64()?))).collect()
        };
        for (word, all) in &mut self.kinds {
            for row in value[*word].as_array()? {
                // What this project no longer has is left out.
                if let Some(own) = all.get_mut(row["name"].as_str()?) {
                    counts(row)?.into_iter().for_each(|(name, count)| *own.entry(name).or_default() += count);
                }
            }
        }
        for row in value["refused"].as_array()? {
            let why = (row["sound"].as_str()?.to_owned(), row["why"].as_str()?.to_owned());
            let own = self.refused.entry(why).or_default();
            counts(row)?.into_iter().for_each(|(name, count)| *own.entry(name).or_default() += count);
        }
        Some(())
    }

    /// What one playthrough comes by.
    pub(crate) fn of(seen: &Observed, within: &Within<'_>, document: &Document, playthrough: &str) -> Coverage {
        let mut own = Coverage::nothing(within.program, document);
        seen.happened.iter().for_each(|happening| own.note(&happening.what, within, playthrough));
        own.note_stood(&seen.stood, (within.program, document), playthrough);
        own
    }

    fn note(&mut self, what: &What, within: &Within<'_>, playthrough: &str) {
        let names = &within.program.names;
        for (kind, (_, all)) in KINDS.iter().zip(&mut self.kinds) {
            let By::Happening(of) = kind.by else { continue };
            for name in of(what, within) {
                // What the project does not have is told elsewhere.
                if let Some(counts) = all.get_mut(&name) {
                    *counts.entry(playthrough.to_owned()).or_default() += 1;
                }
            }
        }
        if let What::Refused { sound, reason, .. } = what {
            let why = (names.get(*sound).to_owned(), why(reason).to_owned());
            *self.refused.entry(why).or_default().entry(playthrough.to_owned()).or_default() += 1;
        }
    }

    /// Takes in what stood for a while, and how conditions came out.
    fn note_stood(&mut self, stood: &Stood, (program, document): (&Program, &Document), playthrough: &str) {
        let mut conditions: Vec<(String, u64)> = Vec::new();
        let each = program.reactions.iter().flat_map(|r| (0..r.conditions.len()).map(move |at| (r, at)));
        for ((reaction, at), [failed, held]) in each.zip(&stood.asked) {
            conditions.push((condition(document, reaction, at, false), u64::from(*failed)));
            conditions.push((condition(document, reaction, at, true), u64::from(*held)));
        }
        for (kind, (_, all)) in KINDS.iter().zip(&mut self.kinds) {
            let counts: Vec<(String, u64)> = match kind.by {
                By::Happening(_) => continue,
                By::Standing(of) => all.keys().map(|name| (name.clone(), stood.count(of, NameKey::of(name)))).collect(),
                By::Asked => std::mem::take(&mut conditions),
            };
            for (name, count) in counts.into_iter().filter(|(_, count)| *count > 0) {
                if let Some(counts) = all.get_mut(&name) {
                    *counts.entry(playthrough.to_owned()).or_default() += count;
                }
            }
        }
    }

    /// Adds what other playthroughs come by.
    pub fn add(&mut self, other: Coverage) {
        let add = |to: &mut Counts, from: Counts| from.into_iter().for_each(|(name, count)| *to.entry(name).or_default() += count);
        for ((_, to), (_, from)) in self.kinds.iter_mut().zip(other.kinds) {
            from.into_iter().for_each(|(name, counts)| add(to.entry(name).or_default(), counts));
        }
        other.refused.into_iter().for_each(|(why, counts)| add(self.refused.entry(why).or_default(), counts));
    }
}

/// Why something was refused, in a word or two: what it was just then is in the trace.
fn why(reason: &Reason) -> &'static str {
    match reason {
        Reason::Each { .. } => "limit of each emitter",
        Reason::All { .. } => "limit in all",
        Reason::Voices { .. } | Reason::Unimportant { .. } => "all voices sound",
        Reason::Generators { .. } => "all generators sound",
        Reason::Chance { .. } => "chance",
        Reason::AgainAfter { .. } => "it began just now",
        Reason::Playing => "it is playing already",
        Reason::Group { .. } => "limit of its group",
        Reason::Stale { .. } => "the line waited too long",
        Reason::Passed { .. } => "the moment had passed",
        Reason::Queue { .. } => "too many lines wait",
        Reason::NoRange { .. } | Reason::NoTake { .. } => "no take for what was so",
        Reason::NoMusic => "no music plays",
        Reason::Stingers { .. } => "it waits or sounds already",
        Reason::Nothing => "it has nothing to play",
        Reason::Loading | Reason::NotLoaded => "it is not loaded",
    }
}

/// Which sounds are takes of which, to find those between the one that was asked for and the one whose take is heard.
pub(crate) struct Within<'a> {
    program: &'a Program,
    takes: HashMap<NameKey, Vec<NameKey>>,
    /// Which transitions a section that follows another in a piece belongs to.
    ways: HashMap<(NameKey, NameKey, NameKey), Vec<String>>,
    /// The files of each chain.
    chains: HashMap<NameKey, Vec<String>>,
}

impl Within<'_> {
    pub(crate) fn new<'a>(program: &'a Program, document: &Document) -> Within<'a> {
        let mut of: HashMap<_, Vec<String>> = HashMap::new();
        for (piece, from, first, name) in ways(document) {
            of.entry((piece, from, first)).or_default().push(name);
        }
        let inner = |sound: &estampie_engine::program::Sound| {
            let takes = sound.groups.iter().flat_map(|g| &g.takes);
            takes.filter_map(|t| if let TakeOf::Sound(inner) = &t.of { Some(program.sounds[*inner].key) } else { None }).collect()
        };
        let recipes = program.sounds.iter().flat_map(|s| &s.groups).flat_map(|g| &g.takes);
        let chains = recipes.filter_map(|t| match &t.of {
            TakeOf::Recipe(recipe) if !recipe.parts.is_empty() => {
                Some((recipe.name, recipe.parts.iter().flat_map(|p| &p.clips).map(|(clip, _)| clip.name.clone()).collect()))
            }
            _ => None,
        });
        Within { program, ways: of, chains: chains.collect(), takes: program.sounds.iter().map(|s| (s.key, inner(s))).collect() }
    }

    /// The sounds on the ways from one down to another, both included.
    fn between(&self, from: NameKey, to: NameKey, deep: usize) -> BTreeSet<String> {
        let mut found = BTreeSet::new();
        let name = |key: NameKey| self.program.names.get(key).to_owned();
        if from == to {
            found.insert(name(from));
        } else if deep > 0 {
            for inner in self.takes.get(&from).into_iter().flatten() {
                found.extend(self.between(*inner, to, deep - 1));
            }
            if !found.is_empty() {
                found.insert(name(from));
            }
        }
        found
    }
}

/// Renders all playthroughs of a project on all cores, and counts what they come by. `done` is told of each by its name; it may stop the rest by giving
/// false.
#[must_use]
pub fn coverage(program: &Arc<Program>, document: &Document, done: impl Fn(&str) -> bool + Sync) -> Coverage {
    let within = Within::new(program, document);
    let each = |(name, playthrough): &(String, Arc<Playthrough>)| {
        let seen = observe(program, playthrough, Looks::default(), &|| true).unwrap_or_default();
        Coverage::of(&seen, &within, document, name)
    };
    let mut all = Coverage::nothing(program, document);
    on_all_cores(&document.playthroughs, each, |(name, _)| done(name)).into_iter().for_each(|own| all.add(own));
    all
}
