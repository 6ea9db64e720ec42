//! Which audio belongs to which part, by what plays it.

use crate::manifest::{Audio, Part};
use estampie_engine::index::{ByIndex, PieceIndex, SoundIndex};
use estampie_engine::program::{Program, Sound, TakeOf};
use std::collections::{BTreeMap, BTreeSet};

/// A part, as it is asked for.
#[derive(Debug, Clone)]
pub struct PartInfo {
    /// Its name.
    pub name: String,
    /// The names of the sounds that it holds.
    pub sounds: Vec<String>,
    /// The names of the pieces that it holds.
    pub pieces: Vec<String>,
    /// How many bytes its audio may take in memory, if there is a limit.
    pub budget: Option<u64>,
}

/// By audio: the parts that need it; empty if something needs it that is in no part.
type Owners = BTreeMap<String, Option<BTreeSet<usize>>>;

/// The parts with their audio.
pub(crate) fn parts(program: &Program, wanted: &[PartInfo], audio: &[Audio]) -> Vec<Part> {
    let owners = owners(program, wanted);
    let memory: BTreeMap<&str, u64> = audio.iter().map(|a| (a.name.as_str(), a.memory())).collect();
    let mut parts: Vec<Part> = wanted
        .iter()
        .enumerate()
        .map(|(at, info)| {
            let held = owners.iter().filter(|(_, parts)| parts.as_ref().is_some_and(|p| p.contains(&at)));
            let audio: Vec<String> = held.map(|(name, _)| name.clone()).collect();
            let memory = audio.iter().filter_map(|name| memory.get(name.as_str())).sum();
            Part { name: info.name.clone(), audio, memory, budget: info.budget }
        })
        .collect();
    parts.sort_by(|a, b| a.name.cmp(&b.name));
    parts
}

fn owners(program: &Program, wanted: &[PartInfo]) -> Owners {
    let mut owners = Owners::new();
    let mut needs = |name: &str, parts: &BTreeSet<usize>| {
        let all = owners.entry(name.to_owned()).or_insert_with(|| Some(BTreeSet::new()));
        match all {
            Some(all) if !parts.is_empty() => all.extend(parts),
            // Something that is always there needs it.
            _ => *all = None,
        }
    };
    let music = &program.music;
    let of_piece = |piece: PieceIndex| holding(wanted, |info| &info.pieces, program.names.get(music.pieces[piece].key));
    let mut of_sounds: ByIndex<SoundIndex, BTreeSet<usize>> = program
        .sounds
        .iter()
        .map(|sound| match sound.layer {
            Some(place) => of_piece(place.piece),
            None => holding(wanted, |info| &info.sounds, program.names.get(sound.key)),
        })
        .collect();
    // What only layers of a piece play belongs to the piece, too.
    for (at, sound) in program.sounds.with_places().filter(|(_, s)| s.layer.is_some()) {
        for inner in within(program, sound) {
            let parts = of_sounds[at].clone();
            of_sounds[inner].extend(parts);
        }
    }
    for (sound, parts) in program.sounds.iter().zip(&of_sounds) {
        for recipe in sound.groups.iter().flat_map(|g| &g.takes).filter_map(|t| if let TakeOf::Recipe(recipe) = &t.of { Some(recipe) } else { None }) {
            recipe.parts.iter().flat_map(|p| &p.clips).for_each(|(clip, _)| needs(&clip.name, parts));
        }
    }
    for (at, instrument) in music.instruments.iter().enumerate() {
        let layers = music.layers.iter().filter(|layer| layer.notes.is_some_and(|n| music.notes[n as usize].instrument as usize == at));
        let parts = layers.flat_map(|layer| of_piece(layer.piece)).collect();
        instrument.takes.iter().for_each(|zone| needs(&zone.clip.name, &parts));
    }
    owners
}

fn holding(wanted: &[PartInfo], of: impl Fn(&PartInfo) -> &Vec<String>, name: &str) -> BTreeSet<usize> {
    wanted.iter().enumerate().filter(|(_, info)| of(info).iter().any(|held| held == name)).map(|(at, _)| at).collect()
}

/// The sounds that a sound leads to, however far.
fn within(program: &Program, sound: &Sound) -> BTreeSet<SoundIndex> {
    let (mut found, mut left) = (BTreeSet::new(), vec![sound]);
    while let Some(sound) = left.pop() {
        for take in sound.groups.iter().flat_map(|g| &g.takes) {
            if let TakeOf::Sound(inner) = take.of
                && found.insert(inner)
            {
                left.push(&program.sounds[inner]);
            }
        }
    }
    found
}
