//! How far each item of the stock is: made (its files are there), built (a sound plays them), hooked (the game reaches that sound); each with its evidence.

use crate::document::{Document, LayerOf, TakeDoc, uses_of_all};
use crate::stock::{Item, file_of, older, thing_of};
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// How far a stage is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub enum Done {
    /// Nothing of it.
    #[default]
    No,
    /// Some of it.
    Partly,
    /// All of it.
    Yes,
}

/// A stage, with what it is known by.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Evidence {
    /// How far it is.
    pub done: Done,
    /// Files; sounds and layers; what reaches them.
    pub by: Vec<String>,
}

impl Evidence {
    fn of(by: Vec<String>, whole: bool) -> Evidence {
        let done = match (by.is_empty(), whole) {
            (true, _) => Done::No,
            (false, true) => Done::Yes,
            (false, false) => Done::Partly,
        };
        Evidence { done, by }
    }
}

/// The three stages of an item.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Stages {
    /// Its files are there, as many as are wanted.
    pub made: Evidence,
    /// Sounds or layers of music play its files, or what stands in for them.
    pub built: Evidence,
    /// The game reaches those.
    pub hooked: Evidence,
}

impl Stages {
    /// All three, with their words.
    #[must_use]
    pub fn all(&self) -> [(&'static str, &Evidence); 3] {
        [("made", &self.made), ("built", &self.built), ("hooked", &self.hooked)]
    }
}

/// What is looked up for all items at once.
#[derive(Debug, Default)]
pub struct Index {
    /// The files of each thing.
    files: HashMap<String, Vec<String>>,
    /// By the thing that their takes are of: sounds and layers of music, with the files of it that they play.
    players: HashMap<String, BTreeMap<String, BTreeSet<String>>>,
    /// By sound or layer: what reaches it.
    reached: HashMap<String, Vec<String>>,
}

impl Index {
    /// Of a project, with the audio files that there are.
    #[must_use]
    pub fn new(document: &Document, audio: &BTreeSet<String>) -> Index {
        let mut index = Index::default();
        // What a later version takes the place of counts no more.
        let older = older(audio.iter());
        for file in audio.iter().filter(|file| !older.contains_key(file.as_str())) {
            index.files.entry(thing_of(file).to_owned()).or_default().push(file.clone());
        }
        let mut plays = |player: &str, file: &str| {
            let of = index.players.entry(thing_of(file).to_owned()).or_default();
            of.entry(player.to_owned()).or_default().insert(file_of(file).to_owned());
        };
        for sound in &document.sounds {
            for take in sound.groups.iter().flat_map(|(_, takes)| takes) {
                if let TakeDoc::File(file) = &take.value.take {
                    plays(&sound.name, file);
                }
            }
            sound.chain.iter().flat_map(|part| &part.files).for_each(|file| plays(&sound.name, &file.value));
        }
        let mut layers: Vec<(String, &str)> = Vec::new();
        for piece in &document.music.pieces {
            for section in &piece.sections {
                for layer in &section.layers {
                    if let LayerOf::File(file) = &layer.of {
                        let name = format!("{}/{} {}", piece.name, section.name, layer.name);
                        plays(&name, &file.value);
                        layers.push((name, &piece.name));
                    }
                }
            }
        }
        index.reached = uses_of_all(document);
        for (layer, piece) in layers {
            let by = pieces_begun(document, piece);
            index.reached.insert(layer, by);
        }
        // A sound within another is reached with it.
        let within: Vec<(String, String)> = document
            .sounds
            .iter()
            .flat_map(|outer| {
                let takes = outer.groups.iter().flat_map(|(_, takes)| takes);
                takes.filter_map(|t| if let TakeDoc::Sound(inner) = &t.value.take { Some((inner.clone(), outer.name.clone())) } else { None })
            })
            .collect();
        // As deep as sounds lie within each other.
        for _ in 0..8 {
            let mut more = false;
            for (inner, outer) in &within {
                if index.reached.get(outer).is_some_and(|by| !by.is_empty()) {
                    let words = format!("take of {outer}");
                    let by = index.reached.entry(inner.clone()).or_default();
                    if !by.contains(&words) {
                        by.push(words);
                        more = true;
                    }
                }
            }
            if !more {
                break;
            }
        }
        index
    }

    /// The files of a thing.
    #[must_use]
    pub fn files(&self, name: &str) -> &[String] {
        self.files.get(name).map_or(&[], Vec::as_slice)
    }

    /// The sounds and layers that play files of a thing, or what stands in for them.
    pub fn players(&self, name: &str) -> impl Iterator<Item = &str> {
        self.players.get(name).into_iter().flat_map(|of| of.keys().map(String::as_str))
    }

    /// How far an item is.
    #[must_use]
    pub fn stages(&self, item: &Item) -> Stages {
        let files = self.files(&item.name);
        let players = self.players.get(&item.name);
        let played: BTreeSet<&String> = players.into_iter().flat_map(BTreeMap::values).flatten().collect();
        let all_played = files.iter().all(|file| played.contains(file));
        let players: Vec<String> = self.players(&item.name).map(str::to_owned).collect();
        let reached: Vec<String> = players
            .iter()
            .filter_map(|p| Some((p, self.reached.get(p).filter(|by| !by.is_empty())?)))
            .flat_map(|(p, by)| by.iter().map(move |by| format!("{p}: {by}")))
            .collect();
        let all_reached = players.iter().all(|p| self.reached.get(p).is_some_and(|by| !by.is_empty()));
        Stages {
            made: Evidence::of(files.to_vec(), files.len() >= item.variations as usize),
            built: Evidence::of(players, all_played),
            hooked: Evidence::of(reached, all_reached),
        }
    }
}

/// What begins a piece.
fn pieces_begun(document: &Document, piece: &str) -> Vec<String> {
    let Some(of) = document.music.pieces.iter().find(|p| p.name == piece) else { return Vec::new() };
    let mut by: Vec<String> = Vec::new();
    if let Some(follows) = of.follows.as_ref().filter(|_| !of.waits) {
        by.push(format!("{piece} follows {}", follows.subject.value));
    }
    let words = [format!(" {piece} "), format!(" {piece}\n"), format!(" {piece},")];
    for reaction in &document.reactions {
        let text = format!("{reaction}\n");
        if text.lines().skip(1).any(|line| words.iter().any(|w| format!("{line}\n").contains(w.as_str()))) {
            by.push(reaction.head());
        }
    }
    by.extend(document.music.lists.iter().filter(|l| l.pieces.iter().any(|p| p.value == piece)).map(|l| format!("playlist {}", l.name)));
    by
}
