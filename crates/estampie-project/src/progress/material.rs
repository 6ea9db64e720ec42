//! What is wrong with a project's audio files: against what is wanted of them, against the naming rule, and by how they are recorded.

use crate::assets::{Facts, Goes};
use crate::compile::wanted_audio;
use crate::document::Document;
use crate::stock::{Column, Item, Kind, thing_of};
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// A file as it was measured.
#[derive(Debug, Clone)]
pub struct Measured {
    /// Facts of it.
    pub facts: Facts,
    /// The same for files whose samples are the same.
    pub content: u64,
}

/// Something that is wrong with a file.
#[derive(Debug, Clone, PartialEq)]
pub struct Finding {
    /// The file.
    pub file: String,
    /// What, in words.
    pub what: String,
    /// What to do.
    pub fix: String,
    /// How much it matters: 9 most, 1 least.
    pub weight: u8,
}

/// A one-shot that begins with more silence comes too late, in seconds.
const LATE: f64 = 0.04;
/// A mean farther from 0 takes headroom and clicks at edges, as a share of full scale.
const OFF_ZERO: f64 = 0.003;
/// A seam that steps by more is heard, as a share of full scale.
const SEAM: f64 = 0.03;
/// From so much of full scale on a sample counts as cut off.
const FULL: f64 = 0.9999;
/// Farther from what is wanted is worth a word, in LU; and takes of one thing that lie farther apart.
const LOUDNESS: f64 = 3.0;
const SPREAD: f64 = 6.0;
/// So many times as long as is wanted is too long.
const LONG: f64 = 2.0;

/// All that is wrong, what matters most first. `heard` has each file, or why it cannot be played.
#[must_use]
pub fn material(document: &Document, audio: &BTreeSet<String>, heard: &BTreeMap<String, Result<Measured, String>>) -> Vec<Finding> {
    let items: HashMap<&str, &Item> = document.stock.items.iter().map(|item| (item.name.as_str(), item)).collect();
    let wanted = wanted_audio(document);
    let mut found: Vec<Finding> = Vec::new();
    let mut add = |file: &str, weight: u8, what: String, fix: &str| found.push(Finding { file: file.to_owned(), what, fix: fix.to_owned(), weight });
    let mut contents: HashMap<u64, &str> = HashMap::new();
    for file in audio {
        let item = items.get(thing_of(file)).copied();
        let path = file.strip_prefix("audio/").unwrap_or(file);
        let stem = path.rsplit_once('.').map_or(path, |(stem, _)| stem);
        let rule = &document.manifest.naming;
        if !rule.fits(stem) {
            let fix = rule.tidied(stem).map_or_else(|| "rename it, or say another rule in estampie.toml: naming".to_owned(), |name| format!("call it {name}"));
            add(file, 2, format!("it is not named like {}", rule.text()), &fix);
        }
        if !wanted.contains_key(file) {
            add(file, 1, "nothing plays it".into(), "make a sound of it, or take it away");
        }
        if item.is_none() && !items.is_empty() {
            add(file, 1, format!("the stock has no item {}", thing_of(file)), "add it, or give the file an item's name");
        }
        let measured = match heard.get(file) {
            Some(Ok(measured)) => measured,
            Some(Err(why)) => {
                add(file, 9, format!("it cannot be played: {why}"), "export it again");
                continue;
            }
            None => continue,
        };
        match contents.get(&measured.content) {
            Some(first) => add(file, 6, format!("it is the same recording as {first}"), "take one of them away: a take that comes twice is heard to"),
            None => drop(contents.insert(measured.content, file)),
        }
        let facts = &measured.facts;
        if facts.sample_peak >= FULL {
            add(file, 8, "it touches full scale: its peaks may be cut off".into(), "export it 1 dB softer from the recording");
        }
        if facts.dc.abs() > OFF_ZERO {
            add(file, 5, format!("its middle lies {:.1} % off zero", facts.dc.abs() * 100.0), "high-pass it at 20 Hz before it is exported");
        }
        let round = matches!(wanted.get(file), Some(Goes::Round));
        if round && facts.loop_points.is_none() && facts.seam_step > SEAM {
            add(file, 6, format!("where it comes round it steps by {:.0} % of full scale", facts.seam_step * 100.0), "cross-fade its end into its beginning");
        }
        let Some(item) = item else { continue };
        let seconds = facts.frames as f64 / f64::from(facts.rate.max(1));
        if item.channels.is_some_and(|wanted| usize::from(wanted) != facts.channels) {
            let word = |n: usize| if n == 1 { "mono" } else { "stereo" };
            add(
                file,
                7,
                format!("it is {}, and {} is wanted", word(facts.channels), word(usize::from(item.channels.unwrap_or(1)))),
                "export it so, or change what is wanted",
            );
        }
        if matches!(item.kind, Kind::OneShot | Kind::Stinger) && facts.silence_head > LATE {
            add(file, 5, format!("it begins with {:.0} ms of silence, and comes so much too late", facts.silence_head * 1e3), "trim its head");
        }
        if item.seconds.is_some_and(|wanted| seconds > LONG * wanted) {
            add(file, 4, format!("it is {seconds:.2} s long, and {} is wanted", item.text(Column::Length)), "trim it, or change what is wanted");
        }
        let apart = item.lufs.filter(|_| facts.loudness.is_finite()).map(|wanted| facts.loudness - wanted);
        if let Some(apart) = apart.filter(|apart| apart.abs() > LOUDNESS) {
            let way = if apart > 0.0 { "louder" } else { "softer" };
            add(file, 3, format!("it is {:.1} LU {way} than is wanted", apart.abs()), "normalise it, or set the level of its sound");
        }
    }
    for (thing, spread) in spreads(heard) {
        add(
            &format!("audio/{thing}"),
            3,
            format!("its takes lie {spread:.1} LU apart"),
            "bring them together: a jump from take to take is heard as another thing",
        );
    }
    found.sort_by(|a, b| (std::cmp::Reverse(a.weight), &a.file, &a.what).cmp(&(std::cmp::Reverse(b.weight), &b.file, &b.what)));
    found
}

/// The things whose takes lie far apart in loudness, with how far.
fn spreads(heard: &BTreeMap<String, Result<Measured, String>>) -> Vec<(&str, f64)> {
    let mut of: BTreeMap<&str, (f64, f64)> = BTreeMap::new();
    for (file, measured) in heard {
        if let Some(loudness) = measured.as_ref().ok().map(|m| m.facts.loudness).filter(|l| l.is_finite()) {
            let (least, most) = of.entry(thing_of(file)).or_insert((loudness, loudness));
            (*least, *most) = (least.min(loudness), most.max(loudness));
        }
    }
    of.into_iter().map(|(thing, (least, most))| (thing, most - least)).filter(|(_, spread)| *spread > SPREAD).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::Sources;

    fn facts() -> Facts {
        Facts {
            kind: "WAV",
            bits: Some(16),
            channels: 1,
            rate: 48_000,
            frames: 24_000,
            loop_points: None,
            sample_peak: 0.5,
            true_peak: 0.5,
            loudness: -20.0,
            loudness_range: 0.0,
            greatest_short_term: f64::NEG_INFINITY,
            silence_head: 0.0,
            silence_tail: 0.0,
            dc: 0.0,
            seam_step: 0.0,
        }
    }

    /// What is told of one file that is played and wanted, measured as `change` has it.
    fn told(change: impl Fn(&mut Facts)) -> Vec<String> {
        let file = "audio/step/plank_01.wav";
        let audio = [file.to_owned()].into();
        let sources = Sources::from_texts([
            ("estampie.toml", "format = 1\n"),
            ("sounds/a.toml", "[step]\nloop = true\ntakes = [\"audio/step/plank_*\"]\n"),
            ("stock.csv", "name,kind,channels,length,loudness\nstep/plank,one-shot,mono,0.5 s,-20\n"),
        ]);
        let (document, faults) = Document::read(&sources, &audio);
        assert!(faults.is_empty(), "{faults:?}");
        let mut facts = facts();
        change(&mut facts);
        material(&document, &audio, &[(file.to_owned(), Ok(Measured { facts, content: 1 }))].into())
            .into_iter()
            .map(|f| format!("{} {}", f.weight, f.what))
            .collect()
    }

    #[test]
    fn each_fault_of_a_recording_is_told_by_itself_and_just_below_its_limit_none() {
        assert_eq!(told(|_| ()), Vec::<String>::new());
        type Change = fn(&mut Facts);
        let cases: [(Change, Change, &str); 7] = [
            (|f| f.sample_peak = 1.0, |f| f.sample_peak = 0.999, "8 it touches full scale: its peaks may be cut off"),
            (|f| f.dc = -0.004, |f| f.dc = 0.003, "5 its middle lies 0.4 % off zero"),
            (|f| f.seam_step = 0.05, |f| f.seam_step = 0.03, "6 where it comes round it steps by 5 % of full scale"),
            (|f| f.channels = 2, |f| f.channels = 1, "7 it is stereo, and mono is wanted"),
            (|f| f.silence_head = 0.045, |f| f.silence_head = 0.04, "5 it begins with 45 ms of silence, and comes so much too late"),
            (|f| f.frames = 48_001, |f| f.frames = 48_000, "4 it is 1.00 s long, and 0.5 s is wanted"),
            (|f| f.loudness = -23.5, |f| f.loudness = -23.0, "3 it is 3.5 LU softer than is wanted"),
        ];
        for (over, under, words) in cases {
            assert_eq!((told(over), told(under)), (vec![words.to_owned()], vec![]), "{words}");
        }
        // A loop with points of its own comes round there.
        assert_eq!(told(|f| (f.seam_step, f.loop_points) = (0.5, Some((10, 20)))), Vec::<String>::new());
    }

    #[test]
    fn names_twice_the_same_unused_unlisted_unreadable_and_far_apart_are_told_what_matters_most_first() {
        let files = ["audio/step/Plank 1.wav", "audio/step/plank_02.wav", "audio/step/plank_03.wav", "audio/odd.wav"];
        let audio: BTreeSet<String> = files.map(str::to_owned).into();
        let sources = Sources::from_texts([
            ("estampie.toml", "format = 1\n"),
            ("sounds/a.toml", "[step]\ntakes = [\"audio/step/*\"]\n"),
            ("stock.csv", "name\nstep/plank\n"),
        ]);
        let (document, _) = Document::read(&sources, &audio);
        let measured = |loudness: f64, content: u64| Ok(Measured { facts: Facts { loudness, ..facts() }, content });
        let heard = [(files[0], measured(-20.0, 1)), (files[1], measured(-20.0, 2)), (files[2], measured(-29.0, 2)), (files[3], Err("it is empty".to_owned()))];
        let found = material(&document, &audio, &heard.map(|(file, m)| (file.to_owned(), m)).into());
        let told: Vec<String> = found.iter().map(|f| format!("{} {}: {}; {}", f.weight, f.file, f.what, f.fix)).collect();
        for (at, words) in [
            (0, "9 audio/odd.wav: it cannot be played: it is empty"),
            (1, "6 audio/step/plank_03.wav: it is the same recording as audio/step/plank_02.wav"),
            (2, "3 audio/step/plank: its takes lie 9.0 LU apart"),
        ] {
            assert!(told[at].starts_with(words), "{told:#?}");
        }
        for words in [
            "2 audio/step/Plank 1.wav: it is not named like place/thing_NN; call it step/plank_01",
            "2 audio/odd.wav: it is not named like place/thing_NN; rename it",
            "1 audio/odd.wav: nothing plays it",
            "1 audio/odd.wav: the stock has no item odd",
        ] {
            assert!(told.iter().any(|t| t.starts_with(words)), "{words}: {told:#?}");
        }
    }
}
