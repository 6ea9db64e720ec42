//! Loading audio aside. What sounds by itself in the first second comes first, and with it the clock begins; the rest follows while it
//! plays, and last of all everything is measured for the lists.

use super::app::App;
use super::sounds::{Remembered, TakeFacts};
use estampie_engine::clip::Clip;
use estampie_engine::engine::{Engine, Options, Prepared};
use estampie_engine::names::NameKey;
use estampie_engine::telemetry::What;
use estampie_project::assets::{self, Assets, AudioError, Goes, Long};
use estampie_project::compile;
use estampie_project::document::{Document, Stamps};
use estampie_project::stock::{Cut, file_of};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant, SystemTime};

/// What the thread that loads gives.
enum Loaded {
    File(String, Result<Arc<Clip>, AudioError>),
    /// All that is needed first has been given.
    First,
    Facts(String, TakeFacts),
    /// What is streamed cannot be read to its end.
    Broken(String, AudioError),
}

/// Audio that is being loaded aside.
pub(super) struct Loading {
    results: Receiver<Loaded>,
    sender: Sender<Loaded>,
    /// When each file that was asked for had last been written, and how it is played.
    asked: BTreeMap<String, (Option<SystemTime>, Goes)>,
    /// How many files have come so far.
    pub(super) came: u64,
    left: usize,
    total: usize,
    compiled: Instant,
    opened: Instant,
    remembered: Remembered,
    /// Files that were measured although nothing plays them.
    measured: BTreeSet<String>,
    /// How often audio had been written from here when it was looked last.
    written: u64,
    /// What was compiled since may want other audio.
    due: bool,
}

/// From where it is known when files were last written.
enum Written<'a> {
    /// It is looked.
    Looked,
    /// It was found so.
    At(&'a Stamps),
    /// As when they were asked for; only of others it is looked.
    AsBefore,
}

impl Loading {
    pub(super) fn new(cache: Option<&Path>) -> Loading {
        let (sender, results) = channel();
        let remembered = Remembered::within(cache);
        let now = Instant::now();
        Loading {
            results,
            sender,
            asked: BTreeMap::new(),
            came: 0,
            left: 0,
            total: 0,
            compiled: now,
            opened: now,
            remembered,
            measured: BTreeSet::new(),
            written: 0,
            due: false,
        }
    }

    /// What has just been read may want other audio.
    pub(super) fn may_want_other(&mut self) {
        self.due = true;
    }

    /// What is there has just been compiled.
    pub(super) fn compiled(&mut self) {
        self.compiled = Instant::now();
    }
}

/// Whether a name is that of a piece of a file: each one that is tried is loaded, and none is kept beyond its time.
fn is_piece(name: &str) -> bool {
    Cut::read(name).is_some()
}

impl App {
    /// Files that are loaded, and all that were asked for, until the engine has them all.
    pub(crate) fn loading(&self) -> Option<(usize, usize)> {
        let Loading { left, total, .. } = self.loading;
        let adopted = || {
            self.rehearsal.visiting() || !self.rehearsal.player.held() && self.rehearsal.status_program().is_some_and(|p| p.sounds.iter().all(|s| !s.loading))
        };
        (left > 0 || (total > 0 && !adopted())).then_some((total - left, total))
    }

    /// Loads all audio as the project opens.
    pub(super) fn load_first(&mut self) {
        self.load(true, &Written::Looked);
        if self.loading.left == 0 {
            self.rehearsal.begin_loaded();
        }
    }

    /// Loads audio that is wanted and not there.
    pub(super) fn load_missing(&mut self) {
        self.loading.due = false;
        let written = self.workspace.audio_written();
        // Whoever else writes a file is noticed (see outside); what is written from here may be loaded at once.
        let same = std::mem::replace(&mut self.loading.written, written) == written;
        self.load(false, if same { &Written::AsBefore } else { &Written::Looked });
    }

    /// The same of audio that was written at these times, as it was found.
    pub(super) fn load_written(&mut self, written: &Stamps) {
        self.load(false, &Written::At(written));
    }

    fn load(&mut self, opening: bool, known: &Written<'_>) {
        let wanted = compile::wanted_audio(&self.heard_document());
        let root = self.workspace.root().to_owned();
        let looked = |name: &str| std::fs::metadata(root.join(file_of(name))).and_then(|m| m.modified()).ok();
        let written = |name: &str, before: Option<&(Option<SystemTime>, Goes)>| match (known, before) {
            (Written::AsBefore, Some((at, _))) => *at,
            (Written::At(written), _) => written.get(file_of(name)).copied().unwrap_or_else(|| looked(name)),
            (Written::AsBefore | Written::Looked, _) => looked(name),
        };
        self.assets.forget_pieces(|name| wanted.contains_key(name));
        self.loading.asked.retain(|name, _| !is_piece(name) || wanted.contains_key(name));
        // New ones, and those that were written again since: a file that is exported anew is heard anew.
        let asked = &mut self.loading.asked;
        let mut names: Vec<(String, Goes)> = wanted
            .into_iter()
            .filter(|(name, goes)| {
                let now = (written(name, asked.get(name)), goes.clone());
                asked.insert(name.clone(), now.clone()) != Some(now)
            })
            .collect();
        if names.is_empty() {
            return;
        }
        if self.loading.left == 0 {
            self.loading.total = 0;
        }
        self.loading.left += names.len();
        self.loading.total += names.len();
        let (sender, rate, remembered) = (self.loading.sender.clone(), self.document().manifest.rate, self.loading.remembered.clone());
        let document = Arc::clone(self.workspace.document());
        let (streams, whole) = (self.assets.streams().clone(), compile::whole_audio(&self.heard_document()));
        std::thread::spawn(move || {
            let long = Some(Long { streams: &streams, but: &whole, thorough: false });
            let clips = Mutex::new(Vec::new());
            let give = |name: &str, file: Result<Arc<Clip>, AudioError>| {
                if let (Ok(clip), Ok(mut clips)) = (&file, clips.lock()) {
                    clips.push((name.to_owned(), Arc::clone(clip)));
                }
                let _ = sender.send(Loaded::File(name.to_owned(), file));
            };
            if opening {
                let needed = compile::audio_of(&document, &needed_first(&document));
                let (first, rest) = names.into_iter().partition::<Vec<_>, _>(|(name, _)| needed.contains(name));
                assets::load_each(&root, &first, rate, long, give);
                let _ = sender.send(Loaded::First);
                names = rest;
            }
            assets::load_each(&root, &names, rate, long, give);
            // Measuring takes longer than loading: all can be heard before it begins.
            for (name, clip) in clips.into_inner().unwrap_or_default() {
                match remembered.facts(&clip, rate, &streams) {
                    Ok(facts) => drop(sender.send(Loaded::Facts(name, facts))),
                    // Its head could be read, and the rest cannot.
                    Err(why) => drop(sender.send(Loaded::Broken(name, why))),
                }
            }
            remembered.tidy();
        });
    }

    /// Measures files that nothing plays, aside; each once, until it is written anew.
    pub(crate) fn measure(&mut self, files: impl Iterator<Item = String>) {
        let wanted: Vec<String> = files.filter(|f| !self.facts.contains_key(f) && self.loading.measured.insert(f.clone())).collect();
        if wanted.is_empty() {
            return;
        }
        let (sender, rate, remembered) = (self.loading.sender.clone(), self.document().manifest.rate, self.loading.remembered.clone());
        let (root, streams) = (self.workspace.root().to_owned(), self.assets.streams().clone());
        std::thread::spawn(move || {
            for name in wanted {
                let facts = assets::load_long(&root, &name, rate, &streams).and_then(|clip| remembered.facts(&clip, rate, &streams));
                if let Ok(facts) = facts {
                    let _ = sender.send(Loaded::Facts(name, facts));
                }
            }
        });
    }

    /// Takes in what has been loaded; true if there is something new to show.
    pub(super) fn poll_loading(&mut self) -> bool {
        if self.loading.due && self.loading.compiled.elapsed() > SETTLED {
            self.load_missing();
        }
        let (mut arrived, mut first, mut news) = (false, false, false);
        while let Ok(loaded) = self.loading.results.try_recv() {
            match loaded {
                Loaded::File(name, file) => {
                    self.assets.insert(&name, file);
                    self.loading.came += 1;
                    self.loading.left = self.loading.left.saturating_sub(1);
                    arrived = true;
                }
                Loaded::Broken(name, why) => {
                    self.assets.insert(&name, Err(why));
                    arrived = true;
                }
                Loaded::First => first = true,
                Loaded::Facts(name, facts) => {
                    self.facts.insert(name, facts);
                    news = true;
                }
            }
        }
        for (file, why) in self.assets.streams().failed() {
            // What is written anew is loaded anew.
            if !matches!(why, AudioError::Changed) {
                self.alarm(format!("{file} is silent: {why}"));
                news = true;
            }
        }
        let all = self.loading.left == 0;
        if first || (arrived && (all || self.loading.compiled.elapsed() > Duration::from_millis(300))) {
            self.compile();
            let ms = self.loading.opened.elapsed().as_millis() as u64;
            if first {
                self.rehearsal.begin_with_the_first();
                tracing::info!(ms, "what sounds by itself is loaded");
            }
            if all {
                self.rehearsal.begin_loaded();
                self.remember_audio();
                tracing::info!(ms, files = self.loading.total, bytes = self.assets.bytes(), "all audio is loaded");
            }
            news = true;
        }
        news
    }
}

/// After so long without a further edit what has been compiled is looked through for audio that it wants.
const SETTLED: Duration = Duration::from_millis(250);

/// How far is looked ahead for what sounds by itself, in seconds. Looking costs little: nothing sounds meanwhile.
const SOON: u32 = 1;

/// What would sound within the first second if nobody did anything, by the names of sounds and layers: it is tried out with a tenth of a
/// second of silence in the place of each file.
fn needed_first(document: &Document) -> BTreeSet<NameKey> {
    let rate = document.manifest.rate;
    let mut stand_ins = Assets::default();
    for name in compile::wanted_audio(document).into_keys() {
        stand_ins.insert(&name, Ok(Arc::new(Clip::new(&name, vec![vec![0.0; rate as usize / 10]], None))));
    }
    let (program, _) = compile::compile(document, &stand_ins);
    let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::new(program), 1), Options::default());
    let mut needed = BTreeSet::new();
    let mut out = [0.0; 2 * 512];
    for _ in 0..SOON * rate / 512 {
        engine.render(&mut out);
        while let Some(happening) = remote.happening() {
            match happening.what {
                What::VoiceStart { sound, leaf, .. } => needed.extend([sound, leaf]),
                What::Note { layer, .. } => drop(needed.insert(layer)),
                _ => {}
            }
        }
        if let Some(status) = remote.status() {
            remote.give_back(status);
        }
    }
    needed
}

#[cfg(test)]
mod tests {
    use super::*;
    use estampie_project::document::Sources;

    #[test]
    fn what_sounds_by_itself_is_needed_first_and_what_waits_for_the_game_is_not() {
        let texts = [
            ("estampie.toml", "format = 1"),
            ("game.toml", "[events]\n\"begun\" = \"the rehearsal begins\"\nknock = \"at the door\"\n[states.watch]\nvalues = [\"calm\", \"alarm\"]\n"),
            (
                "sounds/s.toml",
                "[\"knock\"]\ntakes = [\"audio/1.wav\"]\n[\"hum\"]\ntakes = [\"audio/2.wav\"]\nloop = true\n[\"drip\"]\ntakes = [\"audio/3.wav\"]\nrepeat = { every = \"1.5 s\" }\n",
            ),
            (
                "music/m.toml",
                "[piece.deck]\ntempo = \"120\"\nfollows = { watch = { calm = \"low\", alarm = \"high\" } }\n[piece.deck.section.low]\nbars = 2\n[piece.deck.section.low.layer.drum]\nfile = \"audio/4.wav\"\n[piece.deck.section.high]\nbars = 2\n[piece.deck.section.high.layer.drum]\nfile = \"audio/5.wav\"\n",
            ),
            ("world.toml", "[emitters.boiler]\nat = \"1, 2\"\nplays = \"hum\"\n[emitters.pipe]\nat = \"1, 3\"\nplays = \"drip\"\n"),
            ("reactions.est", "When knock\n  play knock\n"),
        ];
        let files = (1..=5).map(|n| format!("audio/{n}.wav")).collect();
        let (document, faults) = Document::read(&Sources::from_texts(texts), &files);
        assert_eq!(faults, vec![]);
        let needed = needed_first(&document);
        assert_eq!(compile::audio_of(&document, &needed), ["audio/2.wav", "audio/3.wav", "audio/4.wav"].map(str::to_owned).into());
    }
}
