//! The kinds of things that a project is made of, a line each: where they stand in its files, and what a new one begins with.

use crate::document::registry::{
    ACCEPTED, AREA, BEARING, BUNDLE_PART, BUS, DOORWAY, DUCK, EFFECT, EMITTER, ENCODING, EXPLORE, FALLOFF, FLOCK, FORMULA, GENERATOR, INSTRUMENT, LAYER, LIMIT,
    LINES, MADE_EMITTER, MADE_EVENT, MADE_PARAMETER, MADE_STATE, MODULATION, ONE_SHOTS, PARAMETER, PIECE, PIECE_DUCK, PLAYLIST, PROJECT, SECTION, SHAPE,
    SNAPSHOT, SOUND, STATE, STINGER, TRAIL, TRANSITION, Table, VARY, WALL, WORLD, ZONE,
};
use std::hash::{Hash, Hasher};

/// In which files things of a kind stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Files {
    /// In this one.
    One(&'static str),
    /// In any file of a folder.
    In(&'static str),
}

/// How a thing is written.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Form {
    /// As a table under its name.
    Named(&'static Table),
    /// As a table in a list, without a name.
    Numbered(&'static Table),
    /// As a name with one text, which is what is said here.
    Pair(&'static str),
    /// As the head of a file: there is always one.
    Whole(&'static Table),
}

/// A kind of thing. Two are the same when they are called the same.
#[derive(Debug, Clone, Copy)]
pub struct ThingKind {
    /// What one of them is called.
    pub word: &'static str,
    /// What several are called.
    pub many: &'static str,
    /// The part of the project it belongs to.
    pub area: &'static str,
    /// Where it stands.
    pub files: Files,
    /// The tables around it, from the outside in; `*` stands for the name of what it belongs to.
    pub path: &'static [&'static str],
    /// How it is written.
    pub form: Form,
    /// The fields that a new one begins with; of a pair its text, under no name. `@KIND` stands for the name of the first thing of a kind.
    pub begins: &'static [(&'static str, &'static str)],
    /// The kind of thing that its name is the name of; `None` if it has one of its own.
    pub names: Option<&'static str>,
}

impl PartialEq for ThingKind {
    fn eq(&self, other: &Self) -> bool {
        self.word == other.word
    }
}

impl Eq for ThingKind {}

impl Hash for ThingKind {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.word.hash(state);
    }
}

impl ThingKind {
    /// The table of its fields; `None` if it has none.
    #[must_use]
    pub fn table(&self) -> Option<&'static Table> {
        match self.form {
            Form::Named(table) | Form::Numbered(table) | Form::Whole(table) => Some(table),
            Form::Pair(_) => None,
        }
    }

    /// Whether there can be more than one, made and deleted.
    #[must_use]
    pub fn several(&self) -> bool {
        !matches!(self.form, Form::Whole(_))
    }

    /// Whether its things have names.
    #[must_use]
    pub fn named(&self) -> bool {
        matches!(self.form, Form::Named(_) | Form::Pair(_))
    }

    /// The kind of thing that these belong to; `None` if they stand by themselves.
    #[must_use]
    pub fn owner(&self) -> Option<&'static ThingKind> {
        let at = self.path.iter().rposition(|step| *step == "*")?;
        KINDS.iter().find(|kind| kind.files == self.files && kind.path == &self.path[..at] && kind.named())
    }
}

const fn kind(area: &'static str, (word, many): (&'static str, &'static str), files: Files, path: &'static [&'static str], form: Form) -> ThingKind {
    ThingKind { word, many, area, files, path, form, begins: &[], names: None }
}

const fn begins(kind: ThingKind, begins: &'static [(&'static str, &'static str)]) -> ThingKind {
    ThingKind { begins, ..kind }
}

const GAME: Files = Files::One("game.toml");
const MIX: Files = Files::One("mix.toml");
const WORLD_FILE: Files = Files::One("world.toml");
const SHARED: Files = Files::One("shared.toml");
const EXPLORE_FILE: Files = Files::One("explore.toml");
const MUSIC: Files = Files::In("music");

/// All kinds, by the parts of a project.
pub static KINDS: [ThingKind; 49] = [
    kind("project", ("project", "the project"), Files::One("estampie.toml"), &[], Form::Whole(&PROJECT)),
    begins(
        kind("project", ("part of the bundle", "parts of the bundle"), Files::One("estampie.toml"), &["bundles"], Form::Named(&BUNDLE_PART)),
        &[("holds", "@sound")],
    ),
    begins(
        kind("project", ("encoding", "encodings"), Files::One("estampie.toml"), &["encoding"], Form::Named(&ENCODING)),
        &[("files", "audio/*"), ("as", "vorbis 6")],
    ),
    kind("game", ("event", "events"), GAME, &["events"], Form::Pair("what happens")),
    begins(kind("game", ("parameter", "parameters"), GAME, &["parameters"], Form::Named(&PARAMETER)), &[("range", "0..1")]),
    begins(kind("game", ("formula", "formulas"), GAME, &["formulas"], Form::Named(&FORMULA)), &[("is", "0")]),
    begins(kind("game", ("state", "states"), GAME, &["states"], Form::Named(&STATE)), &[("values", "off; on")]),
    kind("game", ("emitter of the game", "emitters of the game"), GAME, &["emitters"], Form::Pair("what it is")),
    begins(kind("game", ("name in the game", "names in the game"), GAME, &["from-game"], Form::Pair("what is called so here")), &[("", "@event")]),
    begins(
        kind("game", ("modulation", "modulations"), Files::One("modulation.toml"), &["modulation"], Form::Numbered(&MODULATION)),
        &[("from", "@parameter"), ("moves", "@sound level"), ("curve", "0: -6 dB; 1: 0 dB")],
    ),
    begins(kind("sounds", ("sound", "sounds"), Files::In("sounds"), &[], Form::Named(&SOUND)), &[("takes", "@file")]),
    kind("sounds", ("shared vary", "shared vary"), SHARED, &["vary"], Form::Named(&VARY)),
    kind("sounds", ("shared shape", "shared shapes"), SHARED, &["shape"], Form::Named(&SHAPE)),
    kind("sounds", ("shared limit", "shared limits"), SHARED, &["limit"], Form::Named(&LIMIT)),
    kind("sounds", ("shared falloff", "shared falloffs"), SHARED, &["falloff"], Form::Named(&FALLOFF)),
    kind("sounds", ("shared lines", "shared lines"), SHARED, &["lines"], Form::Named(&LINES)),
    kind("sounds", ("group", "groups"), SHARED, &["group"], Form::Named(&LIMIT)),
    begins(kind("sounds", ("generator", "generators"), SHARED, &["generator"], Form::Named(&GENERATOR)), &[("kind", "noise")]),
    begins(kind("music", ("piece", "pieces"), MUSIC, &["piece"], Form::Named(&PIECE)), &[("section.a.bars", "8")]),
    begins(kind("music", ("section", "sections"), MUSIC, &["piece", "*", "section"], Form::Named(&SECTION)), &[("bars", "8")]),
    begins(kind("music", ("layer", "layers"), MUSIC, &["piece", "*", "section", "*", "layer"], Form::Named(&LAYER)), &[("sound", "@sound")]),
    begins(kind("music", ("transition", "transitions"), MUSIC, &["piece", "*", "transition"], Form::Numbered(&TRANSITION)), &[("from", "any"), ("to", "any")]),
    ThingKind { names: Some("piece"), ..kind("music", ("piece turned down", "pieces turned down"), MUSIC, &["piece", "*", "ducks"], Form::Named(&PIECE_DUCK)) },
    begins(kind("music", ("stinger", "stingers"), MUSIC, &["stinger"], Form::Named(&STINGER)), &[("sound", "@sound")]),
    begins(kind("music", ("playlist", "playlists"), MUSIC, &["playlist"], Form::Named(&PLAYLIST)), &[("pieces", "@piece")]),
    begins(kind("music", ("instrument", "instruments"), MUSIC, &["instrument"], Form::Named(&INSTRUMENT)), &[("kind", "plucked string")]),
    kind("mix", ("bus", "buses"), MIX, &["buses"], Form::Named(&BUS)),
    begins(kind("mix", ("effect", "effects"), MIX, &["buses", "*", "effect"], Form::Named(&EFFECT)), &[("kind", "eq")]),
    begins(kind("mix", ("shared effect", "shared effects"), SHARED, &["effect"], Form::Named(&EFFECT)), &[("kind", "eq")]),
    kind("mix", ("snapshot", "snapshots"), MIX, &["snapshots"], Form::Named(&SNAPSHOT)),
    begins(kind("mix", ("duck", "ducks"), MIX, &["duck"], Form::Numbered(&DUCK)), &[("sidechain", "sound @sound"), ("ducks", "@bus")]),
    begins(kind("mix", ("player level", "player levels"), MIX, &["player-levels"], Form::Pair("the bus it is for")), &[("", "main")]),
    kind("world", ("world", "the world"), WORLD_FILE, &[], Form::Whole(&WORLD)),
    begins(kind("world", ("zone", "zones"), WORLD_FILE, &["zones"], Form::Named(&ZONE)), &[("at", "0, 0"), ("radius", "5 m")]),
    begins(kind("world", ("shelter", "shelters"), WORLD_FILE, &["shelters"], Form::Named(&ZONE)), &[("at", "0, 0"), ("radius", "5 m")]),
    begins(kind("world", ("doorway", "doorways"), WORLD_FILE, &["doorways"], Form::Named(&DOORWAY)), &[("between", "@zone; outside"), ("line", "0, 0; 2, 0")]),
    begins(kind("world", ("wall", "walls"), WORLD_FILE, &["walls"], Form::Named(&WALL)), &[("line", "0, 0; 4, 0")]),
    begins(kind("world", ("emitter", "emitters"), WORLD_FILE, &["emitters"], Form::Named(&EMITTER)), &[("at", "0, 0")]),
    begins(kind("world", ("trail", "trails"), WORLD_FILE, &["trails"], Form::Named(&TRAIL)), &[("line", "0, 0; 10, 0")]),
    begins(kind("world", ("area", "areas"), WORLD_FILE, &["areas"], Form::Named(&AREA)), &[("at", "0, 0"), ("radius", "5 m")]),
    begins(kind("world", ("bearing", "bearings"), WORLD_FILE, &["bearings"], Form::Named(&BEARING)), &[("bearing", "0 deg")]),
    begins(kind("world", ("one-shots", "one-shots"), WORLD_FILE, &["one-shots"], Form::Named(&ONE_SHOTS)), &[("plays", "@sound")]),
    begins(kind("world", ("flock", "flocks"), WORLD_FILE, &["flocks"], Form::Named(&FLOCK)), &[("plays", "@sound"), ("points", "0, 0")]),
    kind("exploring", ("exploring", "exploring"), EXPLORE_FILE, &[], Form::Whole(&EXPLORE)),
    begins(kind("exploring", ("made-up event", "made-up events"), EXPLORE_FILE, &["event"], Form::Numbered(&MADE_EVENT)), &[("event", "@event")]),
    begins(
        kind("exploring", ("made-up parameter", "made-up parameters"), EXPLORE_FILE, &["parameter"], Form::Numbered(&MADE_PARAMETER)),
        &[("parameter", "@parameter")],
    ),
    begins(kind("exploring", ("made-up state", "made-up states"), EXPLORE_FILE, &["state"], Form::Numbered(&MADE_STATE)), &[("state", "@state")]),
    begins(kind("exploring", ("made-up emitter", "made-up emitters"), EXPLORE_FILE, &["emitter"], Form::Numbered(&MADE_EMITTER)), &[("emitter", "visitor")]),
    begins(
        kind("exploring", ("accepted problem", "accepted problems"), EXPLORE_FILE, &["accepted"], Form::Numbered(&ACCEPTED)),
        &[("problem", "none"), ("reason", "none yet")],
    ),
];

/// The kind of a word.
#[must_use]
pub fn kind_of(word: &str) -> Option<&'static ThingKind> {
    KINDS.iter().find(|kind| kind.word == word)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::registry::{FILES, Holds};
    use std::collections::BTreeSet;

    /// All paths of things that the registry has, `*` for names.
    fn paths(table: &Table, way: &[&'static str], found: &mut BTreeSet<Vec<&'static str>>) {
        for field in table.fields {
            let here: Vec<&'static str> = way.iter().copied().chain([field.name]).collect();
            match field.holds {
                Holds::Named(inner) => {
                    found.insert(here.clone());
                    let inside: Vec<&'static str> = here.into_iter().chain(["*"]).collect();
                    paths(inner, &inside, found);
                }
                Holds::Tables(_) => {
                    found.insert(here);
                }
                _ => {}
            }
        }
    }

    #[test]
    fn every_table_of_the_registry_that_there_can_be_several_of_is_a_kind_of_thing() {
        let mut found = BTreeSet::new();
        for (name, table) in FILES {
            paths(table, &[], &mut found);
            assert!(name == "sounds" || name == "shared" || !table.fields.is_empty());
        }
        let known: BTreeSet<Vec<&str>> = KINDS.iter().map(|k| k.path.to_vec()).collect();
        let left: Vec<_> = found.iter().filter(|path| !known.contains(*path)).collect();
        assert_eq!(left, Vec::<&Vec<&str>>::new());
    }

    #[test]
    fn what_a_new_thing_begins_with_are_fields_of_its_table() {
        for kind in &KINDS {
            for (field, _) in kind.begins.iter().filter(|(field, _)| !field.is_empty()) {
                let first = field.split('.').next().unwrap();
                assert!(kind.table().unwrap().field(first).is_some(), "{} begins with {field}", kind.word);
            }
            let needed = kind.table().into_iter().flat_map(|t| t.fields).filter(|f| f.unsaid == "!" && kind.several());
            for field in needed {
                assert!(kind.begins.iter().any(|(name, _)| name.split('.').next() == Some(field.name)), "a new {} needs {}", kind.word, field.name);
            }
        }
    }

    #[test]
    fn what_belongs_to_something_knows_to_what() {
        let owner = |word: &str| kind_of(word).unwrap().owner().map(|k| k.word);
        assert_eq!(owner("layer"), Some("section"));
        assert_eq!(owner("section"), Some("piece"));
        assert_eq!(owner("transition"), Some("piece"));
        assert_eq!(owner("effect"), Some("bus"));
        assert_eq!(owner("piece"), None);
        assert_eq!(owner("event"), None);
    }
}
