//! What is wrong with a project's audio files: against what is wanted of them, against the naming rule, and by how they are recorded; each with what mends it.

use crate::assets::{Fix, Goes, Measured, alike, made_from};
use crate::compile::wanted_audio;
use crate::document::Document;
use crate::stock::{Column, Item, Kind, file_of, older, thing_of, version_of};
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// In which way a file is not as it should be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Flaw {
    /// It cannot be read or played.
    Unplayable,
    /// It touches full scale.
    FullScale,
    /// It was exported again after a version was made of it.
    Outdated,
    /// Mono where stereo is wanted, or the other way round.
    Channels,
    /// Where it comes round it steps.
    Seam,
    /// It has the samples of another.
    Twice,
    /// It sounds like another.
    Alike,
    /// Its middle lies off zero.
    Dc,
    /// A one-shot begins with silence.
    Late,
    /// Longer than is wanted.
    Long,
    /// Louder or softer than is wanted.
    Loudness,
    /// Takes of one thing lie apart.
    Spread,
    /// There are fewer or more recordings of an item than are wanted.
    Count,
    /// It ends with much silence.
    Tail,
    /// It is not named by the rule.
    Name,
    /// Nothing plays it.
    Unused,
    /// The stock does not list it.
    Unlisted,
    /// Its rate is not the project's.
    Rate,
}

impl Flaw {
    /// All, what matters most first, each with how much it matters (9 most, 1 least) and in words.
    pub const ALL: [(Flaw, u8, &'static str); 18] = [
        (Flaw::Unplayable, 9, "cannot be played"),
        (Flaw::FullScale, 8, "at full scale"),
        (Flaw::Outdated, 8, "version out of date"),
        (Flaw::Channels, 7, "mono or stereo"),
        (Flaw::Seam, 6, "step at the seam"),
        (Flaw::Twice, 6, "the same twice"),
        (Flaw::Alike, 5, "sounds the same"),
        (Flaw::Dc, 5, "DC"),
        (Flaw::Late, 5, "silence at head"),
        (Flaw::Long, 4, "too long"),
        (Flaw::Loudness, 3, "loudness"),
        (Flaw::Spread, 3, "takes apart"),
        (Flaw::Count, 2, "variations"),
        (Flaw::Tail, 2, "silence at tail"),
        (Flaw::Name, 2, "name"),
        (Flaw::Unused, 1, "not used"),
        (Flaw::Unlisted, 1, "not in the stock"),
        (Flaw::Rate, 1, "rate"),
    ];

    fn row(self) -> (Flaw, u8, &'static str) {
        Flaw::ALL.into_iter().find(|(flaw, ..)| *flaw == self).unwrap_or(Flaw::ALL[0])
    }

    /// How much it matters: 9 most, 1 least.
    #[must_use]
    pub fn weight(self) -> u8 {
        self.row().1
    }

    /// In words.
    #[must_use]
    pub fn words(self) -> &'static str {
        self.row().2
    }
}

/// What mends a file.
#[derive(Debug, Clone, PartialEq)]
pub enum Remedy {
    /// A new version of it, with these fixes.
    Version(Vec<Fix>),
    /// Another name: its path below `audio/`, without the ending.
    Name(String),
}

/// Something that is wrong with a file.
#[derive(Debug, Clone, PartialEq)]
pub struct Finding {
    /// The file; of what is wrong with takes together, their thing.
    pub file: String,
    /// In which way.
    pub flaw: Flaw,
    /// What, in words.
    pub what: String,
    /// What to do.
    pub fix: String,
    /// What does it, if the program can.
    pub remedy: Option<Remedy>,
}

/// The names that findings have for files: each with the path that it is to have.
#[must_use]
pub fn new_names(found: &[Finding]) -> Vec<(String, String)> {
    let one = |finding: &Finding| {
        let Some(Remedy::Name(stem)) = &finding.remedy else { return None };
        let ending = finding.file.rsplit_once('.').map_or("wav", |(_, ending)| ending);
        Some((finding.file.clone(), format!("audio/{stem}.{ending}")))
    };
    found.iter().filter_map(one).collect()
}

/// A one-shot that begins with more silence comes too late, in seconds.
const LATE: f64 = 0.04;
/// So much silence at the end is memory for nothing, in seconds.
const TAIL: f64 = 1.0;
/// A mean farther from 0 takes headroom and clicks at edges, as a share of full scale.
const OFF_ZERO: f64 = 0.003;
/// A seam that steps by more is heard, as a share of full scale.
const SEAM: f64 = 0.03;
/// How long what comes round is cross-faded to mend that, in seconds.
const OVER: f64 = 0.05;
/// From so many dB below full scale on a sample counts as cut off: the highest of 16 bits lies 0.0003 dB below.
const FULL: f64 = -0.001;
/// Farther from what is wanted is worth a word, in LU; and takes of one thing that lie farther apart.
const LOUDNESS: f64 = 3.0;
const SPREAD: f64 = 6.0;
/// So many times as long as is wanted is too long.
const LONG: f64 = 2.0;

/// Each file, measured, or why it cannot be played.
pub type Heard = BTreeMap<String, Result<Measured, String>>;

/// All that is wrong, what matters most first. What was not measured yet is looked at by its name alone; older versions are not looked at.
#[must_use]
pub fn material(document: &Document, audio: &BTreeSet<String>, heard: &Heard) -> Vec<Finding> {
    let items: HashMap<&str, &Item> = document.stock.items.iter().map(|item| (item.name.as_str(), item)).collect();
    let mut wanted: HashMap<String, Goes> = HashMap::new();
    for (name, goes) in wanted_audio(document) {
        let file = file_of(&name).to_owned();
        // A piece that comes round has its seam where it is cut, not where the file has.
        let goes = if file == name { goes } else { Goes::Once };
        let both = wanted.remove(&file).map_or(goes.clone(), |before| before.and(goes));
        wanted.insert(file, both);
    }
    let older = older(audio.iter());
    let current: Vec<&String> = audio.iter().filter(|file| !older.contains_key(file.as_str())).collect();
    let mut found: Vec<Finding> = Vec::new();
    let mut add = |file: &str, flaw: Flaw, what: String, fix: &str, remedy: Option<Remedy>| {
        found.push(Finding { file: file.to_owned(), flaw, what, fix: fix.to_owned(), remedy });
    };
    for file in &current {
        let item = items.get(thing_of(file)).copied();
        let path = file.strip_prefix("audio/").unwrap_or(file);
        let (stem, _) = version_of(path);
        let rule = &document.manifest.naming;
        if !rule.fits(stem) {
            let better = rule.tidied(stem);
            let fix = better.as_ref().map_or_else(|| "rename it, or say another rule in estampie.toml: naming".to_owned(), |name| format!("call it {name}"));
            add(file, Flaw::Name, format!("it is not named like {}", rule.text()), &fix, better.map(Remedy::Name));
        }
        if !wanted.contains_key(file.as_str()) {
            add(file, Flaw::Unused, "nothing plays it".into(), "make a sound of it, or take it away", None);
        }
        if item.is_none() && !items.is_empty() {
            add(file, Flaw::Unlisted, format!("the stock has no item {}", thing_of(file)), "add it, or give the file an item's name", None);
        }
        match heard.get(*file) {
            Some(Ok(measured)) => {
                let (is, should) = (measured.facts.rate, document.manifest.rate);
                if is != should {
                    let what = format!("it has {is} Hz, and is converted to {should} Hz each time it is loaded");
                    add(file, Flaw::Rate, what, "export it at the project's rate, or let it be converted once", Some(Remedy::Version(vec![Fix::Rate(should)])));
                }
                of_recording(file, measured, item, wanted.get(file.as_str()), &mut add);
            }
            Some(Err(why)) => add(file, Flaw::Unplayable, format!("it cannot be played: {why}"), "export it again", None),
            None => {}
        }
    }
    twice(&current, heard, &mut add);
    outdated(&current, &older, heard, &mut add);
    let mut counts: HashMap<&str, u32> = HashMap::new();
    current.iter().for_each(|file| *counts.entry(thing_of(file)).or_default() += 1);
    // What has no recording at all is not made yet, and nothing is wrong with that.
    for item in &document.stock.items {
        if let Some(count) = counts.get(item.name.as_str()).filter(|count| **count != item.variations.max(1)) {
            let what = format!("{count} recordings of it are there, and {} are wanted", item.variations.max(1));
            add(&format!("audio/{}", item.name), Flaw::Count, what, "make those that are missing, or change what is wanted", None);
        }
    }
    for (thing, spread) in spreads(&current, heard) {
        let what = format!("its takes lie {spread:.1} LU apart");
        add(&format!("audio/{thing}"), Flaw::Spread, what, "bring them together: a jump from take to take is heard as another thing", None);
    }
    found.sort_by(|a, b| (std::cmp::Reverse(a.flaw.weight()), a.flaw, &a.file, &a.what).cmp(&(std::cmp::Reverse(b.flaw.weight()), b.flaw, &b.file, &b.what)));
    found
}

type Add<'a> = dyn FnMut(&str, Flaw, String, &str, Option<Remedy>) + 'a;

/// What is wrong with one recording, by how it is recorded and against what is wanted of it.
fn of_recording(file: &str, measured: &Measured, item: Option<&Item>, goes: Option<&Goes>, add: &mut Add<'_>) {
    let facts = &measured.facts;
    let version = |fix: Fix| Some(Remedy::Version(vec![fix]));
    if facts.sample_peak >= FULL {
        add(file, Flaw::FullScale, "it touches full scale: its peaks may be cut off".into(), "export it 1 dB softer from the recording", None);
    }
    if facts.dc.abs() > OFF_ZERO {
        add(file, Flaw::Dc, format!("its middle lies {:.1} % off zero", facts.dc.abs() * 100.0), "bring its middle to zero", version(Fix::Dc));
    }
    if matches!(goes, Some(Goes::Round)) && facts.loop_points.is_none() && facts.seam_step > SEAM {
        let what = format!("where it comes round it steps by {:.0} % of full scale", facts.seam_step * 100.0);
        add(file, Flaw::Seam, what, "cross-fade its end into its beginning", version(Fix::Round(OVER)));
    }
    // What comes round is as long as it is for a reason.
    if !goes.is_some_and(Goes::goes_round) && facts.loop_points.is_none() && facts.silence_tail > TAIL {
        let what = format!("it ends with {:.1} s of silence, which takes memory", facts.silence_tail);
        add(file, Flaw::Tail, what, "trim its tail", version(Fix::TrimTail));
    }
    let Some(item) = item else { return };
    let seconds = facts.frames as f64 / f64::from(facts.rate.max(1));
    if let Some(wanted) = item.channels.filter(|wanted| usize::from(*wanted) != facts.channels) {
        let word = |n: usize| if n == 1 { "mono" } else { "stereo" };
        let (fix, remedy) = if wanted == 1 { ("make it mono", version(Fix::Mono)) } else { ("export it so, or change what is wanted", None) };
        add(file, Flaw::Channels, format!("it is {}, and {} is wanted", word(facts.channels), word(usize::from(wanted))), fix, remedy);
    }
    if matches!(item.kind, Kind::OneShot | Kind::Stinger) && facts.silence_head > LATE {
        let what = format!("it begins with {:.0} ms of silence, and comes so much too late", facts.silence_head * 1e3);
        add(file, Flaw::Late, what, "trim its head", version(Fix::TrimHead));
    }
    if item.seconds.is_some_and(|wanted| seconds > LONG * wanted) {
        let what = format!("it is {seconds:.2} s long, and {} is wanted", item.text(Column::Length));
        let fix = item.seconds.filter(|_| facts.loop_points.is_none() && !goes.is_some_and(Goes::goes_round));
        add(file, Flaw::Long, what, "shorten it, or change what is wanted", fix.map(|s| Remedy::Version(vec![Fix::Shorten(s)])));
    }
    let wanted = item.lufs.filter(|_| facts.loudness.is_finite());
    if let Some((apart, wanted)) = wanted.map(|wanted| (facts.loudness - wanted, wanted)).filter(|(apart, _)| apart.abs() > LOUDNESS) {
        let way = if apart > 0.0 { "louder" } else { "softer" };
        let what = format!("it is {:.1} LU {way} than is wanted", apart.abs());
        add(file, Flaw::Loudness, what, "bring it to its loudness, or set the level of its sound", version(Fix::Loudness(wanted)));
    }
}

/// Recordings that there are twice: by their samples, and by what they sound like.
fn twice(current: &[&String], heard: &Heard, add: &mut Add<'_>) {
    let measured: Vec<(&str, &Measured)> = current.iter().filter_map(|file| Some((file.as_str(), heard.get(*file)?.as_ref().ok()?))).collect();
    let mut contents: HashMap<u64, &str> = HashMap::new();
    let mut prints = Vec::new();
    for (file, measured) in measured {
        match contents.get(&measured.content) {
            Some(first) => {
                add(file, Flaw::Twice, format!("it is the same recording as {first}"), "take one of them away: a take that comes twice is heard to", None);
            }
            None => {
                contents.insert(measured.content, file);
                prints.extend(measured.print.as_ref().map(|print| (file, print)));
            }
        }
    }
    let all: Vec<_> = prints.iter().map(|(_, print)| *print).collect();
    for (later, first) in alike(&all) {
        let what = format!("it sounds like {}: perhaps the same recording, exported otherwise", prints[first].0);
        add(prints[later].0, Flaw::Alike, what, "listen to both, and take one of them away", None);
    }
}

/// Versions of recordings that have changed since.
fn outdated(current: &[&String], older: &BTreeMap<&str, &str>, heard: &Heard, add: &mut Add<'_>) {
    for file in current {
        let Some(Ok(measured)) = heard.get(*file) else { continue };
        let Some(from) = made_from(&measured.facts.notes) else { continue };
        let mut sources = older.iter().filter(|(_, latest)| *latest == file).map(|(source, _)| *source).peekable();
        let known = |source: &str| heard.get(source).and_then(|m| m.as_ref().ok()).is_none_or(|m| m.content == from);
        if let Some(source) = sources.peek().copied().filter(|_| !sources.clone().any(known)) {
            let what = format!("{source} is no longer what this version was made from");
            add(file, Flaw::Outdated, what, "make the version anew, or take it away", None);
        }
    }
}

/// The things whose takes lie far apart in loudness, with how far.
fn spreads<'a>(current: &[&'a String], heard: &Heard) -> Vec<(&'a str, f64)> {
    let mut of: BTreeMap<&str, (f64, f64)> = BTreeMap::new();
    for file in current {
        let loudness = heard.get(*file).and_then(|m| m.as_ref().ok()).map(|m| m.facts.loudness);
        if let Some(loudness) = loudness.filter(|l| l.is_finite()) {
            let (least, most) = of.entry(thing_of(file)).or_insert((loudness, loudness));
            (*least, *most) = (least.min(loudness), most.max(loudness));
        }
    }
    of.into_iter().map(|(thing, (least, most))| (thing, most - least)).filter(|(_, spread)| *spread > SPREAD).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::assets::{Facts, Notes, Print};
    use crate::document::Sources;

    fn facts() -> Facts {
        Facts {
            kind: "WAV".to_owned(),
            bits: Some(16),
            channels: 1,
            rate: 48_000,
            frames: 24_000,
            loop_points: None,
            sample_peak: -6.0,
            true_peak: -6.0,
            loudness: -20.0,
            loudness_range: 0.0,
            greatest_short_term: f64::NEG_INFINITY,
            silence_head: 0.0,
            silence_tail: 0.0,
            dc: 0.0,
            seam_step: 0.0,
            notes: Notes::default(),
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
        material(&document, &audio, &[(file.to_owned(), Ok(Measured { facts, content: 1, print: None }))].into())
            .into_iter()
            .map(|f| format!("{} {}", f.flaw.weight(), f.what))
            .collect()
    }

    #[test]
    fn each_fault_of_a_recording_is_told_by_itself_and_just_below_its_limit_none() {
        assert_eq!(told(|_| ()), Vec::<String>::new());
        type Change = fn(&mut Facts);
        let cases: [(Change, Change, &str); 7] = [
            (|f| f.sample_peak = 0.0, |f| f.sample_peak = -0.01, "8 it touches full scale: its peaks may be cut off"),
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
        let measured = |loudness: f64, content: u64| Ok(Measured { facts: Facts { loudness, ..facts() }, content, print: None });
        let heard = [(files[0], measured(-20.0, 1)), (files[1], measured(-20.0, 2)), (files[2], measured(-29.0, 2)), (files[3], Err("it is empty".to_owned()))];
        let found = material(&document, &audio, &heard.map(|(file, m)| (file.to_owned(), m)).into());
        let told: Vec<String> = found.iter().map(|f| format!("{} {}: {}; {}", f.flaw.weight(), f.file, f.what, f.fix)).collect();
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
    #[test]
    fn every_flaw_has_a_row_of_its_own() {
        let all: BTreeSet<Flaw> = Flaw::ALL.iter().map(|(flaw, ..)| *flaw).collect();
        assert_eq!(all.len(), Flaw::ALL.len());
        assert!(Flaw::ALL.windows(2).all(|pair| pair[0].1 >= pair[1].1), "what matters most comes first");
        assert_eq!((Flaw::Unlisted.words(), Flaw::Seam.weight()), ("not in the stock", 6));
    }

    #[test]
    fn another_rate_is_told_and_how_many_recordings_there_are() {
        let other = measured(1, |f| f.rate = 44_100);
        let told = of_files("[step]\ntakes = [\"audio/step/*\"]\n", &[("audio/step/a_01.wav", other)]);
        assert_eq!((told.len(), told[0].flaw, told[0].remedy.clone()), (1, Flaw::Rate, Some(Remedy::Version(vec![Fix::Rate(48_000)]))));
        let audio: BTreeSet<String> = ["audio/step/a_01.wav", "audio/step/a_02.wav", "audio/step/b.wav"].map(str::to_owned).into();
        let sources = Sources::from_texts([
            ("estampie.toml", "format = 1\n"),
            ("sounds/a.toml", "[step]\ntakes = [\"audio/step/*\"]\n"),
            ("stock.csv", "name,variations\nstep/a,3\nstep/b,1\nstep/c,2\n"),
        ]);
        let (document, _) = Document::read(&sources, &audio);
        let told: Vec<String> = material(&document, &audio, &Heard::new()).into_iter().map(|f| format!("{}: {}", f.file, f.what)).collect();
        assert_eq!(told, ["audio/step/a: 2 recordings of it are there, and 3 are wanted"]);
    }

    /// What is told of files by name, each with how it was measured.
    fn of_files(sounds: &str, files: &[(&str, Measured)]) -> Vec<Finding> {
        let audio: BTreeSet<String> = files.iter().map(|(file, _)| (*file).to_owned()).collect();
        let sources = Sources::from_texts([("estampie.toml", "format = 1\n"), ("sounds/a.toml", sounds)]);
        let (document, faults) = Document::read(&sources, &audio);
        assert!(faults.is_empty(), "{faults:?}");
        material(&document, &audio, &files.iter().map(|(file, m)| ((*file).to_owned(), Ok(m.clone()))).collect())
    }

    fn measured(content: u64, change: impl Fn(&mut Facts)) -> Measured {
        let mut facts = facts();
        change(&mut facts);
        Measured { facts, content, print: None }
    }

    #[test]
    fn a_version_is_told_when_what_it_was_made_from_has_changed_and_the_older_one_is_not_looked_at() {
        let made = |f: &mut Facts| f.notes.texts = vec![("comment".into(), format!("made from audio/step/plank_01.wav ({:016x}): mono", 7))];
        let sound = "[step]\ntakes = [\"audio/step/plank_*.wav\"]\n";
        let told = |content: u64| {
            let source = measured(content, |f| (f.dc, f.sample_peak) = (0.5, 0.0));
            of_files(sound, &[("audio/step/plank_01.v2.wav", measured(1, made)), ("audio/step/plank_01.wav", source)])
        };
        assert_eq!(told(7), vec![]);
        let outdated = told(8);
        assert_eq!((outdated.len(), outdated[0].flaw, outdated[0].file.as_str()), (1, Flaw::Outdated, "audio/step/plank_01.v2.wav"));
    }

    #[test]
    fn what_sounds_like_another_is_told_once_and_what_a_piece_is_cut_of_is_used() {
        let print = |seed: f32| Print::of(&[(0..20_000).map(|i| (i as f32 * seed).sin() * (-i as f32 / 4e3).exp()).collect()], 48_000);
        let one = |content, seed| Measured { print: print(seed), ..measured(content, |_| ()) };
        let sound = "[step]\ntakes = [\"audio/step/a_01.wav, from 0.1 s, to 0.2 s\", \"audio/step/a_02.wav\", \"audio/step/a_03.wav\"]\n";
        let told = of_files(sound, &[("audio/step/a_01.wav", one(1, 0.1)), ("audio/step/a_02.wav", one(2, 0.5)), ("audio/step/a_03.wav", one(3, 0.1))]);
        let words: Vec<(Flaw, &str)> = told.iter().map(|f| (f.flaw, f.file.as_str())).collect();
        assert_eq!(words, [(Flaw::Alike, "audio/step/a_03.wav")]);
        assert!(told[0].what.starts_with("it sounds like audio/step/a_01.wav"), "{}", told[0].what);
    }

    #[test]
    fn what_the_program_can_mend_has_its_remedy() {
        let sound = "[step]\ntakes = [\"audio/step/*\"]\n";
        let told = of_files(sound, &[("audio/step/A 1.wav", measured(1, |f| (f.dc, f.silence_tail) = (0.1, 1.1)))]);
        let remedies: Vec<Option<Remedy>> = told.into_iter().map(|f| f.remedy).collect();
        assert_eq!(remedies, [Some(Remedy::Version(vec![Fix::Dc])), Some(Remedy::Version(vec![Fix::TrimTail])), Some(Remedy::Name("step/a_01".into()))]);
    }
}
