//! Reading the texts of a project: each file once for as long as it stays as it is, so that an edit costs what it touches.

use super::available::{Available, StandIns};
use super::fields::Reading;
use super::{BusDoc, Document, Fault, LayerOf, Manifest, PieceDoc, Place, SectionDoc, Sources, explore, game, mix, music, settings, sounds, world};
use crate::fault::Lines;
use crate::language::{expect, playthrough, reactions};
use crate::midi::{ScoreFile, is_score};
use crate::stock::{self, Placeholder, Rule, Stock};
use estampie_engine::music::exact::Beats;
use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;

/// What was read of each file, and the audio files that there were.
#[derive(Debug, Default)]
pub struct Reader {
    available: Available,
    files: BTreeMap<String, Read>,
    stock: Option<StockRead>,
}

/// The stock as it was read, and by what.
#[derive(Debug)]
struct StockRead {
    text: Arc<str>,
    columns: BTreeMap<String, String>,
    naming: Rule,
    stock: Arc<Stock>,
    faults: Vec<Fault>,
}

/// A file as it was read.
#[derive(Debug)]
struct Read {
    text: Arc<str>,
    /// What it adds to the project.
    part: Document,
    faults: Vec<Fault>,
}

impl Reader {
    /// Reads a project's texts; those that are as they were are not read again. `audio` lists the audio files there are, as paths relative
    /// to the project.
    pub fn read(&mut self, sources: &Sources, audio: &BTreeSet<String>) -> (Document, Vec<Fault>) {
        let project = sources.get("estampie.toml");
        let read = self.files.get("estampie.toml").filter(|read| project.is_some_and(|text| read.text == *text));
        let manifest = match (read, project) {
            (Some(read), _) => read.part.manifest.clone(),
            (None, Some(text)) => read_file("estampie.toml", text, &Available::default()).part.manifest,
            (None, None) => Manifest::default(),
        };
        let known = self.read_stock(sources, &manifest);
        if !known || !self.available.is_of(audio) {
            let stand_ins = self.stock.as_ref().map(|s| StandIns::of(&s.stock.items, audio, &s.naming)).unwrap_or_default();
            if !self.available.is_the_same(audio, &stand_ins) {
                // Patterns in all files may stand for other files now.
                self.files.clear();
                self.available = Available::new(audio.clone(), stand_ins);
            }
        }
        let (stock, stock_faults) = self.stock.as_ref().map(|s| (Arc::clone(&s.stock), s.faults.clone())).unwrap_or_default();
        self.files.retain(|file, _| sources.get(file).is_some());
        let mut document = Document { stock, ..Document::default() };
        let mut faults = Vec::new();
        let mut first = Firsts::default();
        for (file, text) in sources.files() {
            let kept = self.files.get(file).is_some_and(|read| Arc::ptr_eq(&read.text, text) || read.text == *text);
            if !kept {
                self.files.insert(file.to_owned(), read_file(file, text, &self.available));
            }
        }
        for (file, _) in sources.files() {
            let Some(read) = self.files.get(file) else { continue };
            faults.extend(read.faults.iter().cloned());
            add(&mut document, file, &read.part, &mut first, &mut faults);
        }
        if document.buses.is_empty() {
            document.buses.push(BusDoc::root());
        }
        faults.extend(stock_faults);
        keep_time(&mut document);
        mix::know_what_is_moved(&mut document);
        document.improve(&mut faults);
        (document, faults)
    }
}

impl Reader {
    /// Reads the stock, unless it is as it was; true if it is.
    fn read_stock(&mut self, sources: &Sources, manifest: &Manifest) -> bool {
        let Some(text) = sources.get(stock::FILE) else { return self.stock.take().is_none() };
        let same = |s: &StockRead| s.text == *text && s.columns == manifest.stock_columns && s.naming == manifest.naming;
        if self.stock.as_ref().is_some_and(same) {
            return true;
        }
        let (stock, faults) = stock::read(text, &manifest.stock_columns);
        let (columns, naming) = (manifest.stock_columns.clone(), manifest.naming.clone());
        self.stock = Some(StockRead { text: Arc::clone(text), columns, naming, stock: Arc::new(stock), faults });
        false
    }
}

/// Lets what stands in for a layer of music be as long as its section, with a click on each of its beats.
fn keep_time(document: &mut Document) {
    for piece in &mut document.music.pieces {
        let mut named: Vec<(usize, usize, String)> = Vec::new();
        for (at, section) in piece.sections.iter().enumerate() {
            for (of, layer) in section.layers.iter().enumerate() {
                let LayerOf::File(file) = &layer.of else { continue };
                let Some(placeholder) = Placeholder::read(&file.value) else { continue };
                let (seconds, count) = long(piece, section);
                let beats = f64::from(section.bars) * f64::from(count);
                named.push((at, of, placeholder.in_time(seconds, beats * 60.0 / seconds.max(0.01), count).name()));
            }
        }
        for (section, layer, name) in named {
            if let LayerOf::File(file) = &mut piece.sections[section].layers[layer].of {
                file.value = name;
            }
        }
    }
}

/// How long a section is in seconds, and how many beats its first bar has.
fn long(piece: &PieceDoc, section: &SectionDoc) -> (f64, u32) {
    let number = |beats: Beats| *beats.numer() as f64 / *beats.denom() as f64;
    let (mut seconds, mut tempo, mut metre) = (0.0, piece.tempo, piece.metre);
    for bar in 1..=section.bars {
        tempo = section.tempo.iter().find(|(at, _)| *at == bar).map_or(tempo, |(_, tempo)| *tempo);
        metre = section.metre.iter().find(|(at, _)| *at == bar).map_or(metre, |(_, metre)| *metre);
        seconds += number(metre.bar() / metre.beat()) * 60.0 / number(tempo).max(1.0);
    }
    (seconds, section.metre.iter().find(|(at, _)| *at == 1).map_or(piece.metre.count, |(_, metre)| metre.count))
}

/// Where each name that several files may give stands first.
#[derive(Default)]
struct Firsts<'a>(HashMap<(&'static str, &'a str), &'a Place>);

impl<'a> Firsts<'a> {
    /// Whether a name is new; else a fault.
    fn is(&mut self, kind: &'static str, name: &'a str, place: &'a Place, faults: &mut Vec<Fault>) -> bool {
        if let Some(first) = self.0.get(&(kind, name)) {
            let what = format!("there is a {kind} {name} already, at {first}");
            faults.push(Fault::new(place, what, "give one of them another name; the first one counts"));
            return false;
        }
        self.0.insert((kind, name), place);
        true
    }
}

/// Reads one file, as if it were all there is.
fn read_file(file: &str, text: &Arc<str>, audio: &Available) -> Read {
    let faults = RefCell::new(Vec::new());
    let mut part = Document::default();
    let reading = Reading { file, text, lines: Lines::of(text), faults: &faults };
    match file {
        "estampie.toml" => part.manifest = game::read_manifest(&reading),
        "game.toml" => game::read_game(&reading, &mut part),
        "shared.toml" => part.shared = settings::read_shared(&reading),
        "mix.toml" => mix::read_mix(&reading, &mut part),
        "modulation.toml" => part.modulations = mix::read_modulations(&reading),
        "world.toml" => part.world = world::read_world(&reading),
        "explore.toml" => part.explore = explore::read_explore(&reading),
        "reactions.est" => {
            let (list, found) = reactions::parse(file, text);
            part.reactions = list.into_iter().map(Arc::new).collect();
            faults.borrow_mut().extend(found);
        }
        "checks.est" => {
            let (list, found) = expect::parse(file, text);
            part.checks = list;
            faults.borrow_mut().extend(found);
        }
        _ if file.starts_with("sounds/") => sounds::read_sounds(&reading, audio, &mut part.sounds),
        _ if is_score(file) => match ScoreFile::of_text(text).and_then(|score| score.score()) {
            Ok(score) => part.scores.push((file.to_owned(), Arc::new(score))),
            Err(why) => faults.borrow_mut().push(Fault::new(&Place::whole(file), why.to_string(), "take the file from another program, or as it was kept")),
        },
        _ if file.starts_with("music/") => music::read_music(&reading, audio, &mut part.music),
        _ if file.starts_with("playthroughs/") => {
            let (played, found) = playthrough::parse(file, text);
            let name = file.trim_start_matches("playthroughs/").trim_end_matches(".play");
            part.playthroughs.push((name.to_owned(), Arc::new(played)));
            faults.borrow_mut().extend(found);
        }
        _ => {}
    }
    Read { text: Arc::clone(text), part, faults: RefCell::into_inner(faults) }
}

/// Adds what a file holds to the project. A name that stands in a file before is a fault, and the first one counts.
fn add<'a>(document: &mut Document, file: &str, part: &'a Document, first: &mut Firsts<'a>, faults: &mut Vec<Fault>) {
    match file {
        "estampie.toml" => document.manifest = part.manifest.clone(),
        "game.toml" => {
            document.events.clone_from(&part.events);
            document.emitters.clone_from(&part.emitters);
            document.parameters.clone_from(&part.parameters);
            document.states.clone_from(&part.states);
            document.from_game.clone_from(&part.from_game);
            document.pads.clone_from(&part.pads);
            document.midi.clone_from(&part.midi);
        }
        "shared.toml" => document.shared = part.shared.clone(),
        "mix.toml" => {
            document.buses.clone_from(&part.buses);
            document.snapshots.clone_from(&part.snapshots);
            document.ducks.clone_from(&part.ducks);
            document.player_levels.clone_from(&part.player_levels);
        }
        "modulation.toml" => document.modulations.clone_from(&part.modulations),
        "world.toml" => document.world = part.world.clone(),
        "explore.toml" => document.explore = part.explore.clone(),
        "reactions.est" => document.reactions.clone_from(&part.reactions),
        "checks.est" => document.checks.clone_from(&part.checks),
        _ => {}
    }
    document.sounds.extend(part.sounds.iter().filter(|s| first.is("sound", &s.name, &s.place, faults)).cloned());
    let (music, more) = (&mut document.music, &part.music);
    music.pieces.extend(more.pieces.iter().filter(|p| first.is("piece", &p.name, &p.place, faults)).cloned());
    music.stingers.extend(more.stingers.iter().filter(|s| first.is("stinger", &s.name, &s.place, faults)).cloned());
    music.lists.extend(more.lists.iter().filter(|l| first.is("playlist", &l.name, &l.place, faults)).cloned());
    music.instruments.extend(more.instruments.iter().filter(|i| first.is("instrument", &i.name, &i.place, faults)).cloned());
    document.scores.extend(part.scores.iter().cloned());
    document.playthroughs.extend(part.playthroughs.iter().cloned());
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_stock_is_read_again_only_when_it_or_what_its_columns_are_called_has_changed() {
        let mut reader = Reader::default();
        let mut read = |stock: &str, project: &str| {
            let sources = Sources::from_texts([("stock.csv", stock), ("estampie.toml", project), ("sounds/a.toml", "[a]\ntakes = [\"audio/a/b_*\"]\n")]);
            let (document, faults) = reader.read(&sources, &BTreeSet::new());
            (Arc::clone(&document.stock), faults.len(), document.sounds[0].groups.iter().map(|(_, takes)| takes.len()).sum::<usize>())
        };
        let project = "format = 1\n";
        let (first, faults, takes) = read("name,variations\na/b,2\n", project);
        assert_eq!((first.items.len(), faults, takes), (1, 0, 2));
        assert!(Arc::ptr_eq(&first, &read("name,variations\na/b,2\n", project).0));
        // Another number of takes, another naming, another name of the column: read again, and the sound's takes follow.
        assert_eq!(read("name,variations\na/b,3\n", project).2, 3);
        assert_eq!(read("name,variations\na/b,3\n", "format = 1\nnaming = \"place/thing_NNN\"\n").2, 3);
        let (renamed, faults, takes) = read("item,variations\na/b,4\n", "format = 1\nstock-columns = { item = \"name\" }\n");
        assert_eq!((renamed.items.len(), faults, takes), (1, 0, 4));
        // Gone: what stood in is missing again.
        let sources = Sources::from_texts([("estampie.toml", project), ("sounds/a.toml", "[a]\ntakes = [\"audio/a/b_*\"]\n")]);
        let (document, faults) = reader.read(&sources, &BTreeSet::new());
        assert!(document.stock.items.is_empty() && faults.iter().any(|f| f.what.contains("no file is named like audio/a/b_*")), "{faults:?}");
    }
}
