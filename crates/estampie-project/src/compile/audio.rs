//! Which audio a document needs: all of it, and that of single sounds.

use super::music::{label_of, map_of};
use crate::assets::Goes;
use crate::document::{Document, LayerDoc, LayerOf, SoundDoc, TakeDoc};
use estampie_engine::names::NameKey;
use estampie_engine::vocabulary::Rounds;
use std::collections::{BTreeMap, BTreeSet};

/// The audio files that a document needs, each once, and how they are played.
#[must_use]
pub fn wanted_audio(document: &Document) -> BTreeMap<String, Goes> {
    let mut wanted: BTreeMap<String, Goes> = BTreeMap::new();
    let mut want = |file: &str, goes: Goes| {
        let goes = match wanted.remove(file) {
            Some(before) => before.and(goes),
            None => goes,
        };
        wanted.insert(file.to_owned(), goes);
    };
    let looped = |yes: bool| if yes { Goes::Round } else { Goes::Once };
    for sound in &document.sounds {
        for take in sound.groups.iter().flat_map(|(_, t)| t) {
            if let TakeDoc::File(file) = &take.value.take {
                want(file, looped(sound.looped));
            }
        }
        for part in &sound.chain {
            for file in &part.files {
                want(&file.value, looped(part.rounds != Rounds::Times(1, 1)));
            }
        }
    }
    for piece in &document.music.pieces {
        for section in &piece.sections {
            let map = map_of(piece, section, document.manifest.rate);
            let seconds = estampie_engine::music::exact::number(map.time(map.length())) / f64::from(document.manifest.rate);
            for layer in &section.layers {
                match &layer.of {
                    LayerOf::File(file) => want(&file.value, Goes::RoundIf(vec![seconds])),
                    LayerOf::Notes(_) | LayerOf::Sound(_) | LayerOf::Nothing => {}
                }
            }
        }
    }
    let effects = document.buses.iter().flat_map(|b| &b.effects).chain(&document.shared.effect);
    effects.filter_map(|e| e.file.as_ref()).for_each(|file| want(&file.value, Goes::Once));
    for file in document.music.instruments.iter().flat_map(|i| &i.takes).map(|zone| &zone.file) {
        want(&file.value, Goes::Once);
    }
    wanted
}

/// Audio that has to be in memory as a whole: what instruments play at any pitch and place at once, and impulse responses.
#[must_use]
pub fn whole_audio(document: &Document) -> BTreeSet<String> {
    let effects = document.buses.iter().flat_map(|b| &b.effects).chain(&document.shared.effect).filter_map(|e| e.file.as_ref());
    let zones = document.music.instruments.iter().flat_map(|i| &i.takes).map(|zone| &zone.file);
    effects.chain(zones).map(|file| file.value.clone()).collect()
}

/// What plays audio, by its name (`piece/section layer` of a layer, `instrument NAME`, `effects of BUS`), the bus that it goes to, and the file or the piece of one.
#[must_use]
pub fn files_of(document: &Document) -> Vec<(String, String, String)> {
    const MAIN: &str = "main";
    let mut all: Vec<(String, String, String)> = Vec::new();
    for sound in &document.sounds {
        let bus = sound.bus.as_ref().map_or(MAIN, |b| &b.value);
        let takes = sound.groups.iter().flat_map(|(_, takes)| takes).filter_map(|t| if let TakeDoc::File(file) = &t.value.take { Some(file) } else { None });
        let parts = sound.chain.iter().flat_map(|part| &part.files).map(|file| &file.value);
        all.extend(takes.chain(parts).map(|file| (sound.name.clone(), bus.to_owned(), file.clone())));
    }
    for piece in &document.music.pieces {
        for section in &piece.sections {
            for layer in &section.layers {
                if let LayerOf::File(file) = &layer.of {
                    let bus = layer.bus.as_ref().or(piece.bus.as_ref()).map_or(MAIN, |b| &b.value);
                    all.push((label_of(&piece.name, &section.name, &layer.name), bus.to_owned(), file.value.clone()));
                }
            }
        }
    }
    for instrument in &document.music.instruments {
        all.extend(instrument.takes.iter().map(|zone| (format!("instrument {}", instrument.name), MAIN.to_owned(), zone.file.value.clone())));
    }
    for bus in &document.buses {
        let files = bus.effects.iter().filter_map(|e| e.file.as_ref());
        all.extend(files.map(|file| (format!("effects of {}", bus.name), bus.name.clone(), file.value.clone())));
    }
    all.extend(document.shared.effect.iter().filter_map(|e| e.file.as_ref()).map(|file| ("shared effects".to_owned(), MAIN.to_owned(), file.value.clone())));
    all
}

/// The files without which these sounds and layers, by the keys of their names, cannot be heard as they are meant, and those of all effects.
#[must_use]
pub fn audio_of(document: &Document, keys: &BTreeSet<NameKey>) -> BTreeSet<String> {
    let mut files = BTreeSet::new();
    let mut seen = BTreeSet::new();
    for sound in document.sounds.iter().filter(|s| keys.contains(&NameKey::of(&s.name))) {
        files_of_sound(document, sound, &mut seen, &mut files);
    }
    for piece in &document.music.pieces {
        for section in &piece.sections {
            let layers = section.layers.iter().filter(|l| keys.contains(&NameKey::of(&label_of(&piece.name, &section.name, &l.name))));
            layers.for_each(|layer| files_of_layer(document, layer, &mut seen, &mut files));
        }
    }
    let effects = document.buses.iter().flat_map(|b| &b.effects).chain(&document.shared.effect);
    files.extend(effects.filter_map(|e| Some(e.file.as_ref()?.value.clone())));
    files
}

/// The files of a sound and of all that it may come to.
fn files_of_sound<'a>(document: &'a Document, sound: &'a SoundDoc, seen: &mut BTreeSet<&'a str>, files: &mut BTreeSet<String>) {
    if !seen.insert(&sound.name) {
        return;
    }
    files.extend(sound.chain.iter().flat_map(|part| &part.files).map(|f| f.value.clone()));
    for take in sound.groups.iter().flat_map(|(_, takes)| takes) {
        match &take.value.take {
            TakeDoc::File(file) => drop(files.insert(file.clone())),
            TakeDoc::Sound(name) => named(document, name, seen, files),
            TakeDoc::Generator(_) => {}
        }
    }
}

fn files_of_layer<'a>(document: &'a Document, layer: &'a LayerDoc, seen: &mut BTreeSet<&'a str>, files: &mut BTreeSet<String>) {
    match &layer.of {
        LayerOf::File(file) => drop(files.insert(file.value.clone())),
        LayerOf::Sound(name) => named(document, &name.value, seen, files),
        LayerOf::Notes(notes) => {
            let instrument = document.music.instruments.iter().find(|i| i.name == notes.instrument.value);
            files.extend(instrument.iter().flat_map(|i| &i.takes).map(|zone| zone.file.value.clone()));
        }
        LayerOf::Nothing => {}
    }
}

fn named<'a>(document: &'a Document, name: &str, seen: &mut BTreeSet<&'a str>, files: &mut BTreeSet<String>) {
    if let Some(sound) = document.sounds.iter().find(|s| s.name == name) {
        files_of_sound(document, sound, seen, files);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::Sources;

    #[test]
    fn what_one_sound_or_layer_needs_is_told_with_all_that_it_comes_to() {
        let sounds = "[\"a\"]\ntakes = [\"audio/1.wav\", \"b\"]\n[\"b\"]\ntakes = [\"audio/2.wav\", \"a\"]\n[\"c\"]\nchain = [\"audio/3.wav\", \"audio/4.wav\"]\n[\"d\"]\ntakes = [\"audio/5.wav\"]\n";
        let music = "[piece.deck]\ntempo = \"120\"\n[piece.deck.section.low]\nbars = 2\n[piece.deck.section.low.layer.drum]\nfile = \"audio/6.wav\"\n[piece.deck.section.low.layer.step]\nsound = \"d\"\n[piece.deck.section.low.layer.tune]\nnotes = \"music/t.mid\"\ntrack = \"x\"\ninstrument = \"bell\"\n[instrument.bell]\nkind = \"takes\"\ntakes = [\"audio/7.wav, D3\"]\n";
        let mix = "[buses.hall]\n[buses.hall.effect.convolution]\nfile = \"audio/8.wav\"\n";
        let texts = [("estampie.toml", "format = 1"), ("sounds/s.toml", sounds), ("music/m.toml", music), ("mix.toml", mix)];
        let files: Vec<String> = (1..=8).map(|n| format!("audio/{n}.wav")).collect();
        let (document, faults) = Document::read(&Sources::from_texts(texts), &files.iter().cloned().collect());
        assert_eq!(faults, vec![]);
        let of = |names: &[&str]| -> String {
            let all = audio_of(&document, &names.iter().map(|n| NameKey::of(n)).collect());
            all.iter().filter_map(|f| f.strip_prefix("audio/")?.strip_suffix(".wav")).collect()
        };
        // The impulse response is part of the mix, whatever sounds.
        assert_eq!(of(&[]), "8");
        assert_eq!(of(&["a"]), "128", "sounds that come to each other are gone through once");
        assert_eq!(of(&["c", "deck/low drum"]), "3468");
        assert_eq!(of(&["deck/low step"]), "58");
        assert_eq!(of(&["deck/low tune"]), "78");
        // What plays what is all of it but the notes.
        let played: BTreeSet<String> = files_of(&document).into_iter().map(|(.., file)| file).collect();
        assert_eq!(played, wanted_audio(&document).into_keys().collect());
        // All of them are what is wanted at all.
        let all: BTreeSet<NameKey> = ["a", "c", "d", "deck/low drum", "deck/low tune"].map(NameKey::of).into();
        assert_eq!(audio_of(&document, &all), wanted_audio(&document).into_keys().collect());
    }
}
