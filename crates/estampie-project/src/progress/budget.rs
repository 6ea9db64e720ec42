//! What a project's audio costs, against what it may cost: files, memory, the bundle; by file, sound, bus and part; and what would be saved.

use super::Heard;
use crate::compile::{files_of, wanted_audio};
use crate::document::{Document, Manifest, StoredAs, storing_of};
use crate::stock::{Cut, Placeholder, file_of, is_placeholder};
use estampie_engine::pages::HEAD;
use std::collections::{BTreeMap, BTreeSet};

/// What is limited.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Limited {
    /// How many pieces of audio are played.
    Files,
    /// How many bytes they take when all are loaded.
    Memory,
    /// How many bytes they take in the bundle.
    Bundle,
    /// How many voices sound at once.
    Voices,
}

/// How much there is of something, and how much there may be.
#[derive(Debug, Clone, PartialEq)]
pub struct Bar {
    /// What: files, memory, bundle, voices, or the memory of a part.
    pub name: String,
    /// What of it is limited.
    pub of: Limited,
    /// How much there is; `None` if that is not known yet.
    pub is: Option<u64>,
    /// How much there may be, if that is said.
    pub may: Option<u64>,
}

impl Bar {
    /// Whether there is more than there may be.
    #[must_use]
    pub fn over(&self) -> bool {
        matches!((self.is, self.may), (Some(is), Some(may)) if is > may)
    }
}

/// What a piece of audio costs.
#[derive(Debug, Clone, PartialEq)]
pub struct Cost {
    /// What it is called: a file, or a piece of one.
    pub name: String,
    /// How long it is, in seconds; 0 as long as it is not measured.
    pub seconds: f64,
    /// Channels.
    pub channels: u32,
    /// How many bytes it takes when it is loaded.
    pub memory: u64,
    /// How many bytes it takes in the bundle, once it is packed.
    pub bundle: Option<u64>,
    /// Whether only its head is loaded.
    pub streamed: bool,
    /// The sounds and layers that play it.
    pub users: Vec<String>,
}

/// What would be saved.
#[derive(Debug, Clone, PartialEq)]
pub struct Saving {
    /// The piece of audio.
    pub name: String,
    /// What would have to be done.
    pub by: String,
    /// How many bytes of memory less.
    pub memory: u64,
    /// How many bytes of the bundle less, where that is known.
    pub bundle: u64,
}

/// A name with what it costs: bytes of memory, and of the bundle as far as that is known.
pub type Share = (String, u64, u64);

/// What all costs.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Budget {
    /// Against what it may.
    pub bars: Vec<Bar>,
    /// Each piece of audio, the most memory first.
    pub costs: Vec<Cost>,
    /// Each sound and layer; what several play counts for each.
    pub sounds: Vec<Share>,
    /// Each bus, likewise.
    pub buses: Vec<Share>,
    /// What would be saved, the most first.
    pub savings: Vec<Saving>,
    /// How many bytes are there once though several play them: what it would take more if each had its own.
    pub shared: u64,
}

/// How a piece of audio is packed, by its name: as the project says, and as Ogg Vorbis.
pub type Packed = BTreeMap<String, (u64, Option<u64>)>;

/// The quality of Ogg Vorbis that is proposed.
pub const QUALITY: f32 = 5.0;

/// More silence at an end than this is worth trimming, in seconds.
const TAIL: f64 = 0.1;
/// What is longer, and not streamed, might be, in seconds.
const STREAM: f64 = 10.0;
/// What comes round in a longer time might do so sooner, in seconds.
const ROUND: f64 = 30.0;
/// Less is not worth a line, in bytes.
const LEAST: u64 = 2_000;

/// What everything costs. `heard` has the files as they were measured, `packed` what is packed so far, `voices` the most that were seen to sound at once.
#[must_use]
pub fn budget(document: &Document, heard: &Heard, packed: &Packed, voices: Option<u64>) -> Budget {
    let manifest = &document.manifest;
    let wanted = wanted_audio(document);
    let players = players(document);
    let mut costs: Vec<Cost> = Vec::new();
    let mut savings = Vec::new();
    for (name, goes) in &wanted {
        let (stored, streamed) = storing_of(&manifest.encodings, file_of(name));
        let Some(size) = size_of(name, heard, manifest.rate) else {
            costs.push(Cost { name: name.clone(), seconds: 0.0, channels: 0, memory: 0, bundle: None, streamed, users: used_by(&players, name) });
            continue;
        };
        let streamed = streamed && size.frames > HEAD as u64;
        let bytes = |frames: u64| frames * u64::from(size.channels) * if size.sixteen { 2 } else { 4 };
        let memory = bytes(if streamed { HEAD as u64 } else { size.frames });
        let (bundle, vorbis) = packed.get(name).map_or((None, None), |(now, vorbis)| (Some(*now), *vorbis));
        let cost = Cost {
            name: name.clone(),
            seconds: size.frames as f64 / f64::from(manifest.rate),
            channels: size.channels,
            memory,
            bundle,
            streamed,
            users: used_by(&players, name),
        };
        let in_bundle = |share: f64| bundle.map_or(0, |b| (b as f64 * share) as u64);
        let mut save = |by: String, memory: u64, bundle: u64| {
            if memory.max(bundle) >= LEAST {
                savings.push(Saving { name: name.clone(), by, memory, bundle });
            }
        };
        if size.channels == 2 {
            save("mono".into(), memory / 2, in_bundle(0.5));
        }
        if !goes.goes_round() && size.tail > TAIL && !is_placeholder(name) {
            let frames = (size.tail * f64::from(manifest.rate)) as u64;
            save(format!("tail trimmed by {:.1} s", size.tail), if streamed { 0 } else { bytes(frames) }, 0);
        }
        if !streamed && cost.seconds > STREAM {
            save("streamed".into(), memory - bytes(HEAD as u64).min(memory), 0);
        }
        if matches!(goes, crate::assets::Goes::Round) && cost.seconds > ROUND {
            let share = 1.0 - ROUND / cost.seconds;
            save(format!("a loop of {ROUND:.0} s"), if streamed { 0 } else { (memory as f64 * share) as u64 }, in_bundle(share));
        }
        if let (Some(now), Some(vorbis)) = (bundle, vorbis.filter(|_| !matches!(stored, StoredAs::Vorbis(_)))) {
            save(format!("as Vorbis {QUALITY}"), 0, now.saturating_sub(vorbis));
        }
        costs.push(cost);
    }
    let shared = costs.iter().map(|c| c.memory * (c.users.len().max(1) as u64 - 1)).sum();
    let (sounds, buses) = shares(document, &costs);
    let bars = bars(document, &costs, voices);
    costs.sort_by(|a, b| (std::cmp::Reverse(a.memory), &a.name).cmp(&(std::cmp::Reverse(b.memory), &b.name)));
    savings.sort_by(|a, b| (std::cmp::Reverse(a.memory + a.bundle), &a.name, &a.by).cmp(&(std::cmp::Reverse(b.memory + b.bundle), &b.name, &b.by)));
    Budget { bars, costs, sounds, buses, savings, shared }
}

/// How large a piece of audio is at the project's rate.
struct Size {
    frames: u64,
    channels: u32,
    /// Seconds of silence at its end.
    tail: f64,
    /// Whether it is kept as 16 bits.
    sixteen: bool,
}

/// As it was measured; what stands in for what is not made yet is as large as that is to be. `None` if it is not known.
fn size_of(name: &str, heard: &Heard, rate: u32) -> Option<Size> {
    let frames = |seconds: f64| (seconds * f64::from(rate)).ceil() as u64;
    if let Some(placeholder) = Placeholder::read(name) {
        let (seconds, channels) = placeholder.size();
        return Some(Size { frames: frames(seconds), channels, tail: 0.0, sixteen: false });
    }
    let facts = &heard.get(file_of(name))?.as_ref().ok()?.facts;
    let seconds = facts.frames as f64 / f64::from(facts.rate.max(1));
    let channels = facts.channels as u32;
    match Cut::read(name) {
        // Its ends are faded.
        Some(Cut { trim, .. }) => {
            let seconds = (trim.to.map_or(seconds, |to| to.min(seconds)) - trim.from).max(0.0);
            Some(Size { frames: frames(seconds), channels, tail: 0.0, sixteen: false })
        }
        // What is converted to another rate is in no steps any more.
        None => {
            let sixteen = facts.rate == rate && facts.bits.is_some_and(|bits| bits <= 16);
            Some(Size { frames: frames(seconds), channels, tail: facts.silence_tail, sixteen })
        }
    }
}

/// By the name of a piece of audio: what plays it. Instruments and effects count as that.
fn players(document: &Document) -> BTreeMap<String, BTreeSet<String>> {
    let mut players: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (player, _, file) in files_of(document) {
        players.entry(file).or_default().insert(player);
    }
    players
}

fn used_by(players: &BTreeMap<String, BTreeSet<String>>, name: &str) -> Vec<String> {
    players.get(name).into_iter().flatten().cloned().collect()
}

/// What each player and each bus costs, the most first.
fn shares(document: &Document, costs: &[Cost]) -> (Vec<Share>, Vec<Share>) {
    let by_name: BTreeMap<&str, &Cost> = costs.iter().map(|c| (c.name.as_str(), c)).collect();
    let (mut sounds, mut buses): (BTreeMap<String, BTreeSet<String>>, BTreeMap<String, BTreeSet<String>>) = Default::default();
    for (player, bus, file) in files_of(document) {
        sounds.entry(player).or_default().insert(file.clone());
        buses.entry(bus).or_default().insert(file);
    }
    let sum = |all: BTreeMap<String, BTreeSet<String>>| -> Vec<Share> {
        let one = |(name, files): (String, BTreeSet<String>)| {
            let of = || files.iter().filter_map(|f| by_name.get(f.as_str()));
            (name, of().map(|c| c.memory).sum(), of().filter_map(|c| c.bundle).sum())
        };
        let mut list: Vec<Share> = all.into_iter().map(one).collect();
        list.sort_by(|a, b| (std::cmp::Reverse(a.1), &a.0).cmp(&(std::cmp::Reverse(b.1), &b.0)));
        list
    };
    (sum(sounds), sum(buses))
}

fn bars(document: &Document, costs: &[Cost], voices: Option<u64>) -> Vec<Bar> {
    let manifest = &document.manifest;
    let limits = &manifest.budget;
    let known = costs.iter().all(|c| c.channels > 0);
    let memory = costs.iter().map(|c| c.memory).sum::<u64>();
    let bundle: Option<u64> = costs.iter().map(|c| c.bundle).sum();
    let bar = |name: &str, of: Limited, is: Option<u64>, may: Option<u64>| Bar { name: name.to_owned(), of, is, may };
    let mut bars = vec![
        bar("files", Limited::Files, Some(costs.len() as u64), limits.files),
        bar("memory", Limited::Memory, known.then_some(memory), limits.memory),
        bar("bundle", Limited::Bundle, bundle, limits.bundle),
        bar("voices", Limited::Voices, voices, limits.voices.or(Some(u64::from(manifest.voices)))),
    ];
    for part in &manifest.parts {
        let held = files_of(document).into_iter().filter(|(player, ..)| holds(part, player)).map(|(.., file)| file).collect::<BTreeSet<String>>();
        let of = costs.iter().filter(|c| held.contains(&c.name));
        bars.push(bar(&part.name, Limited::Memory, known.then(|| of.map(|c| c.memory).sum()), part.budget.as_ref().map(|b| b.value)));
    }
    bars
}

/// Whether a part holds what plays something: a sound, or a layer of a piece.
fn holds(part: &crate::document::BundlePartDoc, player: &str) -> bool {
    match player.split_once(' ') {
        Some((section, _)) => part.holds_piece(section.rsplit_once('/').map_or(section, |(piece, _)| piece)),
        None => part.holds_sound(player),
    }
}

/// What of a project goes over its budget, in words: of what is known. A part's own budget is held by the bundle.
#[must_use]
pub fn over(budget: &Budget, manifest: &Manifest) -> Vec<String> {
    let bars = budget.bars.iter().take(4).filter(|bar| bar.over() && (bar.of != Limited::Voices || manifest.budget.voices.is_some()));
    let words = |bar: &Bar| {
        let (is, may) = (said(bar.of, bar.is.unwrap_or(0)), said(bar.of, bar.may.unwrap_or(0)));
        let what = match bar.of {
            Limited::Files => format!("{is} pieces of audio are played"),
            Limited::Memory => format!("audio takes {is} of memory"),
            Limited::Bundle => format!("audio takes {is} in the bundle"),
            Limited::Voices => format!("{is} voices sound at once"),
        };
        format!("{what}, and the budget has {may}")
    };
    bars.map(words).collect()
}

/// An amount as people say it: sizes in thousands.
#[must_use]
pub fn said(of: Limited, amount: u64) -> String {
    match of {
        Limited::Files | Limited::Voices => amount.to_string(),
        Limited::Memory | Limited::Bundle => match amount as f64 {
            b if b < 1e4 => format!("{b:.0} bytes"),
            b if b < 1e6 => format!("{:.0} kB", b / 1e3),
            b => format!("{:.1} MB", b / 1e6),
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::assets::{Decoded, Measured, Notes, facts};
    use crate::document::Sources;

    /// A file of so many seconds at 24 kHz, the last of them silent.
    fn file(seconds: f64, channels: usize, silent: f64) -> Result<Measured, String> {
        let frames = (seconds * 24_000.0) as usize;
        let loud = frames - (silent * 24_000.0) as usize;
        let samples: Vec<f32> = (0..frames).map(|i| if i < loud { 0.1 } else { 0.0 }).collect();
        let decoded = Decoded { rate: 24_000, channels: vec![samples; channels], loop_points: None, kind: "WAV", bits: Some(16), notes: Notes::default() };
        Ok(Measured { facts: facts(&decoded), content: 0, print: None })
    }

    const SOUNDS: &str = "[a]\ntakes = [\"audio/a.wav\", \"audio/b.wav, from 1 s, to 1.5 s\"]\nbus = \"water\"\n[b]\ntakes = [\"audio/a.wav\"]\n[long]\nloop = true\ntakes = [\"audio/long.wav\"]\n[new]\ntakes = [\"audio/new/thing.wav\"]\n";
    const PROJECT: &str =
        "format = 1\n[budget]\nfiles = 4\nmemory = \"8 MB\"\nover = \"warn\"\n[bundles.first]\nholds = [\"a\", \"new\"]\nbudget = \"100 kB\"\n";

    fn read(project: &str) -> (Document, Heard) {
        let heard: Heard = [("audio/a.wav", file(2.0, 2, 0.5)), ("audio/b.wav", file(3.0, 1, 0.0)), ("audio/long.wav", file(40.0, 1, 0.0))]
            .into_iter()
            .map(|(name, m)| (name.to_owned(), m))
            .collect();
        let sources = Sources::from_texts([
            ("estampie.toml", project),
            ("sounds/s.toml", SOUNDS),
            ("mix.toml", "[buses.water]\n"),
            ("stock.csv", "name,kind,channels,length\nnew/thing,one-shot,stereo,0.5 s\n"),
        ]);
        let (document, faults) = Document::read(&sources, &heard.keys().cloned().collect());
        assert_eq!(faults, vec![]);
        (document, heard)
    }

    #[test]
    fn what_all_costs_is_what_its_samples_take() {
        let (document, heard) = read(PROJECT);
        let all = budget(&document, &heard, &Packed::new(), Some(7));
        let costs: Vec<(&str, u64, usize)> = all.costs.iter().map(|c| (c.name.as_str(), c.memory, c.users.len())).collect();
        let placeholder = "audio/new/thing.placeholder (one-shot, 0.5 s, -20 LUFS, stereo)";
        // At 48 kHz, four bytes a sample.
        assert_eq!(costs[0], ("audio/long.wav", 40 * 192_000, 1));
        assert_eq!(costs[1], ("audio/a.wav", 2 * 2 * 192_000, 2));
        assert_eq!((costs[3].0, costs[3].1), ("audio/b.wav from 1 s to 1.5 s", 96_000));
        assert!(costs[2].0.starts_with("audio/new/thing") && costs[2].1 == 2 * 96_000, "{placeholder} {costs:?}");
        assert_eq!(all.shared, 2 * 2 * 192_000, "it would be there twice if each had its own");
        let bars: Vec<(&str, Option<u64>, Option<u64>, bool)> = all.bars.iter().map(|b| (b.name.as_str(), b.is, b.may, b.over())).collect();
        let memory = 192_000 * 44 + 96_000 * 3;
        assert_eq!(bars[0], ("files", Some(4), Some(4), false));
        assert_eq!(bars[1], ("memory", Some(memory), Some(8_000_000), true));
        assert_eq!(bars[2], ("bundle", None, None, false), "nothing is packed yet");
        assert_eq!(bars[3], ("voices", Some(7), Some(256), false));
        assert_eq!(bars[4], ("first", Some(4 * 192_000 + 96_000 * 3), Some(100_000), true));
        assert_eq!(over(&all, &document.manifest), [format!("audio takes {:.1} MB of memory, and the budget has 8.0 MB", memory as f64 / 1e6)]);
        assert_eq!(all.sounds[0], ("long".to_owned(), 40 * 192_000, 0));
        let buses: Vec<(&str, u64)> = all.buses.iter().map(|(name, memory, _)| (name.as_str(), *memory)).collect();
        assert_eq!(buses, [("main", 40 * 192_000 + 4 * 192_000 + 2 * 96_000), ("water", 4 * 192_000 + 96_000)]);
    }

    #[test]
    fn what_would_be_saved_is_told_by_what_would_be_done() {
        let (document, heard) = read(PROJECT);
        let packed: Packed = [("audio/a.wav".to_owned(), (100_000, Some(30_000))), ("audio/long.wav".to_owned(), (900_000, None))].into();
        let all = budget(&document, &heard, &packed, None);
        let of = |name: &str| -> Vec<(&str, u64, u64)> {
            let mut list: Vec<_> = all.savings.iter().filter(|s| s.name == name).map(|s| (s.by.as_str(), s.memory, s.bundle)).collect();
            list.sort_unstable();
            list
        };
        assert_eq!(of("audio/a.wav"), [("as Vorbis 5", 0, 70_000), ("mono", 384_000, 50_000), ("tail trimmed by 0.5 s", 192_000, 0)]);
        assert_eq!(of("audio/long.wav"), [("a loop of 30 s", 10 * 192_000, 225_000), ("streamed", 40 * 192_000 - 4 * HEAD as u64, 0)]);
        // Streamed already it takes no memory that could be saved.
        let streamed = format!("{PROJECT}[encoding.l]\nfiles = [\"audio/long.wav\"]\nstreamed = true\n");
        let (document, heard) = read(&streamed);
        let all = budget(&document, &heard, &packed, None);
        let long: Vec<(&str, u64)> = all.savings.iter().filter(|s| s.name == "audio/long.wav").map(|s| (s.by.as_str(), s.memory)).collect();
        assert_eq!(long, [("a loop of 30 s", 0)]);
        assert!(!all.bars[1].over() && all.costs.iter().any(|c| c.streamed && c.memory == 4 * HEAD as u64));
    }
}
