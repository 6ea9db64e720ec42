//! The rehearsal: an engine being played, what came out of it lately, and what of it is recorded.

mod back;
mod history;
mod visit;

use back::{Back, Marked};
pub(crate) use history::{Heard, History, LANES, LogLine, Misfit, MisfitKey};
pub(crate) use visit::Presence;
use visit::Visited;

use crate::levels::{self, Levels};
use crate::player::Player;
use crate::player::SOFT_START;
use estampie_engine::engine::{Engine, Input, InputKind, NOW, Options, Prepared, Remote, Status};
use estampie_engine::names::{NameKey, Names};
use estampie_engine::pages::Page;
use estampie_engine::program::{Parameter, Program, ValueFrom};
use estampie_engine::telemetry::Happening;
use estampie_engine::units::Seconds;
use estampie_link::{Clock, Link, ListenError};
use estampie_project::document::Document;
use estampie_project::language::Playthrough;
use estampie_proof::offline;
use estampie_proof::offline::Recorder;
use estampie_proof::trace::Label;
use estampie_proof::trace::kept::Kept;
use std::collections::{BTreeMap, BTreeSet, HashMap, VecDeque};
use std::sync::Arc;
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

/// Whether an emitter is one of a flock or of a one-shots.
pub(crate) fn is_member(program: &Program, emitter: NameKey) -> bool {
    program.world.is_member(emitter)
}

/// So much of what games send waits at most to be played: more than two seconds of the worst flood.
const LINKED: usize = 1 << 16;

/// A peak that stays for a while.
#[derive(Clone, Copy)]
pub(crate) struct HeldKey {
    pub(crate) now: f32,
    pub(crate) held: f32,
    since: Instant,
}

const HOLD: Duration = Duration::from_millis(1500);

/// What is pressed waits for the rest of the audio no longer than this.
const GATHERING: Duration = Duration::from_secs(1);

/// A playthrough being replayed.
pub(crate) struct Replay {
    pub(crate) name: String,
    pub(crate) frames: u64,
}

/// A replay that is being rendered up to the moment from which on it is to be heard.
struct Coming {
    arrives: Receiver<(Engine, Remote, Vec<Happening>)>,
    replay: Replay,
    from: Seconds,
    seed: u64,
    program: u64,
    /// Held for as long as it is waited for.
    _wanted: Arc<()>,
}

/// What begins in the midst rises in this time: no click, and nothing that begins there is lost.
const RISE: Seconds = Seconds(0.01);

/// How many programs are kept for looking back: those of a project of 5,000 sounds have 20 MB each.
fn most_kept(program: &Program) -> usize {
    (100_000 / program.things().max(1)).clamp(4, 64)
}

/// The engine being played and what is known of it.
pub(crate) struct Rehearsal {
    pub(crate) player: Player,
    remote: Remote,
    pub(crate) names: Names,
    pub(crate) program: Arc<Program>,
    /// Programs whose statuses may still come, newest last.
    programs: VecDeque<Arc<Program>>,
    pub(crate) seed: u64,
    /// How everything stands: now, or at the moment that is looked at.
    pub(crate) status: Option<Box<Status>>,
    back: Option<Back>,
    kept: Kept,
    /// What was heard before the last fresh start, to be compared with.
    before: Option<Arc<Kept>>,
    pub(crate) history: History,
    pub(crate) log: VecDeque<LogLine>,
    lines_written: u64,
    pub(crate) meters: HashMap<NameKey, HeldKey>,
    pub(crate) muted: BTreeSet<NameKey>,
    pub(crate) soloed: BTreeSet<NameKey>,
    pub(crate) only: Only,
    /// What the player of the game has set.
    pub(crate) levels: Levels,
    pub(crate) replay: Option<Replay>,
    /// The playthrough that was replayed since the beginning, also when it is over.
    pub(crate) replayed: Option<String>,
    coming: Option<Coming>,
    recorder: Option<Recorder>,
    /// Since when what is said in a joined game is recorded, and how everything stood then.
    marked: Option<Marked>,
    /// All that was said since the beginning, for comparisons.
    past: Recorder,
    /// With so many notes the oldest are forgotten.
    past_most: usize,
    /// The bus that is measured, or none.
    measured: NameKey,
    /// What was said before the audio was there.
    early: Vec<InputKind>,
    /// Until when it is gathered although the clock goes: what sounds by itself was loaded first, what the keys ask for is not there yet.
    gathers: Option<Instant>,
    /// A program that the engine had no room for yet (it is frozen, say).
    waiting: Option<Box<Prepared>>,
    /// What a running game sends comes by this.
    link: Option<Link>,
    /// What the link has been told of the clock.
    link_clock: Clock,
    /// The game whose engine is heard instead of this one.
    visit: Option<Visited>,
    /// What the games that said hello have been told does not fit.
    told: BTreeSet<MisfitKey>,
}

/// Notes of what was said: at sixty a second those of more than half an hour.
const PAST: usize = 131_072;

/// How a bus is heard alone.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum SoloStep {
    /// With what it has in the returns.
    InPlace,
    /// Without the returns.
    Dry,
    No,
}

/// Whether an input is what a game could say, or asks for something to be heard.
fn is_play(what: &InputKind) -> bool {
    matches!(
        what,
        InputKind::Event { .. }
            | InputKind::Parameter { .. }
            | InputKind::Hold { .. }
            | InputKind::Glide { .. }
            | InputKind::State { .. }
            | InputKind::Place { .. }
            | InputKind::Walk { .. }
            | InputKind::Remove { .. }
            | InputKind::Play { .. }
            | InputKind::StopAll { .. }
    )
}

/// What sets a parameter to a value in its own unit.
fn parameter_input(spec: &Parameter, value: f32) -> InputKind {
    if spec.source != ValueFrom::Game {
        return InputKind::Hold { parameter: spec.key, value: Some(value) };
    }
    InputKind::Parameter { parameter: spec.key, value: spec.to_game(value), emitter: NameKey::NONE }
}

/// What is changed for the rehearsal alone, besides muted and soloed buses. Never saved.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Only {
    /// Waits are a tenth.
    pub(crate) short_waits: bool,
    /// Chances are always (or never) taken.
    pub(crate) chances: Option<bool>,
    /// A sound that always picks one take.
    pub(crate) forced: Option<(NameKey, u16)>,
    /// Parameters that are worked out and held by hand.
    pub(crate) held: BTreeSet<NameKey>,
    pub(crate) muted_sounds: BTreeSet<NameKey>,
    pub(crate) soloed_sounds: BTreeSet<NameKey>,
    /// A click on every beat.
    pub(crate) metronome: bool,
    /// While buses are heard alone, returns are silent.
    pub(crate) solo_dry: bool,
    /// Effects that are bypassed, by bus and name; none is all of them.
    pub(crate) bypassed: BTreeSet<NameKey>,
    /// Snapshots of which there is so much (in percent), whatever the game says.
    pub(crate) by_hand: BTreeMap<NameKey, u8>,
    /// Layers brought in or taken out by hand, against how they begin.
    pub(crate) switched: BTreeMap<NameKey, bool>,
    /// The emitter that is heard alone.
    pub(crate) alone: Option<NameKey>,
    /// Placed sounds are heard with a head between the ears, or without, against what the project says.
    pub(crate) head: Option<bool>,
}

/// The most pages of streamed audio that are kept: 256 voices with four each, 67 MB; and how many are made ahead of being needed.
const MOST_PAGES: usize = 1024;
const SPARE_PAGES: usize = 16;

fn make(program: &Arc<Program>, seed: u64, schedule: Vec<Input>, player: &Levels) -> (Engine, Remote) {
    let options = Options { soft_start: SOFT_START, schedule: schedule.into(), tap_frames: program.rate as usize / 2, ..Options::default() };
    // The player's levels are in force before the first sample.
    Engine::new(Prepared::new(Arc::clone(program), seed).with_player_levels(&levels::keys(player)), options)
}

/// Lets an engine that is about to be heard have its streamed audio read ahead, by a thread; until then it reads where it sounds.
fn read_ahead(engine: &mut Engine, program: &Program) {
    let Some(mut fill) = program.reads.as_ref().map(|reads| reads.reader()) else { return };
    let fill = move |page: &mut Page| {
        if let Err(why) = fill(page) {
            tracing::warn!(why, "streamed audio cannot be read");
        }
    };
    // Without a thread it goes on reading where it sounds: slower, and no reason to be silent.
    if let Ok(pages) = estampie_runtime::ahead(fill, MOST_PAGES, SPARE_PAGES) {
        engine.stream_from(pages, 0, MOST_PAGES);
    }
}

impl Rehearsal {
    pub(crate) fn start(program: Arc<Program>, device: Option<String>, buffer_ms: u32, levels: Levels) -> Rehearsal {
        let (mut engine, mut remote) = make(&program, 1, Vec::new(), &levels);
        read_ahead(&mut engine, &program);
        let player = Player::start(engine, program.rate, device, buffer_ms);
        player.measure(remote.take_tap());
        Rehearsal {
            past: Recorder::new(&program, 1),
            past_most: PAST,
            measured: NameKey::NONE,
            player,
            remote,
            kept: Kept::new(program.rate),
            before: None,
            names: program.names.clone(),
            programs: VecDeque::from([Arc::clone(&program)]),
            program,
            seed: 1,
            status: None,
            back: None,
            history: History::default(),
            log: VecDeque::new(),
            lines_written: 0,
            meters: HashMap::new(),
            muted: BTreeSet::new(),
            soloed: BTreeSet::new(),
            only: Only::default(),
            levels,
            replay: None,
            replayed: None,
            coming: None,
            recorder: None,
            marked: None,
            early: Vec::new(),
            gathers: None,
            waiting: None,
            link: None,
            link_clock: Clock::Goes,
            visit: None,
            told: BTreeSet::new(),
        }
    }

    /// Listens to what running games send.
    ///
    /// # Errors
    /// When the address cannot be listened on.
    pub(crate) fn listen(&mut self, options: estampie_link::Options) -> Result<(), ListenError> {
        // What listened before has to leave its port first.
        self.link = None;
        let (ring, came) = rtrb::RingBuffer::new(LINKED);
        let link = Link::listen(options, ring)?;
        self.player.follow(came);
        (self.link_clock, self.link) = (Clock::Goes, Some(link));
        Ok(())
    }

    /// Listens no longer.
    pub(crate) fn end_listening(&mut self) {
        self.link = None;
    }

    /// The open link.
    pub(crate) fn link(&self) -> Option<&Link> {
        self.link.as_ref()
    }

    /// Names that came by the link: they are there before anything that is called so comes back from the engine.
    fn learn_names(&mut self) {
        let Some(link) = &self.link else { return };
        while let Some(name) = link.name() {
            self.names.add(&name);
        }
    }

    /// Names for which the game that is visited has keys, likewise.
    fn learn_visited(&mut self) {
        while let Some(name) = self.visit.as_ref().and_then(Visited::name) {
            self.names.add(&name);
        }
    }

    /// Lets the link stand still with the clock.
    fn hold_link(&mut self) {
        let clock = match (self.player.frozen() || self.visit.is_some(), self.player.held() || self.gathers.is_some()) {
            (true, _) => Clock::Frozen,
            (false, true) => Clock::Loading,
            (false, false) => Clock::Goes,
        };
        if let Some(link) = &self.link
            && clock != self.link_clock
        {
            link.clock(clock);
            self.link_clock = clock;
        }
    }

    /// The frame that is looked at: the present one, as far as is known, unless one looks back.
    pub(crate) fn frame(&self) -> u64 {
        self.back().unwrap_or_else(|| self.now())
    }

    /// Sends something for now. False if the engine takes nothing more.
    pub(crate) fn say(&mut self, what: InputKind) -> bool {
        if !self.visiting() && (self.player.held() || self.gathers.is_some_and(|until| Instant::now() < until)) {
            // What is pressed while the audio is loaded comes when it is there.
            self.early.push(what);
            return true;
        }
        // Who plays is in the present.
        if is_play(&what) {
            self.come_back();
        }
        self.remote.input(Input { frame: NOW, what }).is_ok()
    }

    /// Sets a parameter to a value in its own unit; one that is worked out is held there, for the rehearsal alone.
    pub(crate) fn parameter(&mut self, key: NameKey, value: f32) {
        let Some(spec) = self.program.find_parameter.get(key).map(|i| &self.program.parameters[i]) else { return };
        let what = parameter_input(spec, value);
        if matches!(what, InputKind::Hold { .. }) {
            self.only.held.insert(key);
        }
        self.say(what);
    }

    pub(crate) fn event(&mut self, name: &str) {
        let event = self.names.add(name);
        self.say(InputKind::Event { event, emitter: NameKey::NONE });
    }

    /// An edited project takes over while everything goes on.
    pub(crate) fn take_over(&mut self, program: Arc<Program>) {
        self.names.add_all(&program.names);
        self.programs.push_back(Arc::clone(&program));
        while self.programs.len() > most_kept(&program) {
            let old = self.programs.pop_front();
            // It takes several milliseconds to free that of a large project; without a thread it is done here.
            let _ = std::thread::Builder::new().name("free".into()).spawn(move || drop(old));
        }
        let prepared = Box::new(Prepared::new(Arc::clone(&program), self.seed).with_player_levels(&levels::keys(&self.levels)));
        self.program = program;
        // Only the newest waits: it has all that those before it had.
        self.waiting = Some(prepared);
        self.hand_over();
    }

    fn hand_over(&mut self) {
        if let Some(prepared) = self.waiting.take() {
            self.waiting = self.remote.program(prepared).err();
        }
    }

    /// Begins anew from silence with a schedule.
    fn begin(&mut self, seed: u64, schedule: Vec<Input>) {
        let (mut engine, remote) = make(&self.program, seed, schedule, &self.levels);
        read_ahead(&mut engine, &self.program);
        self.install(engine, remote, seed);
    }

    /// Goes over to an engine; nothing is known of it yet.
    fn install(&mut self, engine: Engine, remote: Remote, seed: u64) {
        self.visit = None;
        self.forget(remote, seed);
        self.player.freeze(false);
        self.player.rest(false);
        self.player.replace(engine);
        if let Some(link) = &self.link {
            link.say_again(self.program.rate);
        }
        self.say(InputKind::Tap { bus: self.measured });
        for what in self.only_inputs() {
            self.say(what);
        }
    }

    /// Nothing is known of the engine behind a remote.
    fn forget(&mut self, mut remote: Remote, seed: u64) {
        self.player.measure(remote.take_tap());
        self.coming = None;
        self.past = Recorder::new(&self.program, seed);
        self.past_most = PAST;
        self.seed = seed;
        self.remote = remote;
        self.waiting = None;
        (self.status, self.back) = (None, None);
        let kept = std::mem::replace(&mut self.kept, Kept::new(self.program.rate));
        if kept.now() > u64::from(self.program.rate) {
            self.before = Some(Arc::new(kept));
        }
        self.history = History::default();
        self.log.clear();
        (self.replay, self.replayed) = (None, None);
        (self.recorder, self.marked) = (None, None);
        self.told.clear();
        self.only.held.clear();
    }

    /// Measures a bus from now on, or none.
    pub(crate) fn measure(&mut self, bus: NameKey) {
        if bus != self.measured {
            self.measured = bus;
            self.say(InputKind::Tap { bus });
            self.player.measure_anew();
        }
    }

    /// All that was said since the beginning, up to now, and what is temporary.
    pub(crate) fn so_far(&self) -> (Playthrough, Seconds, Vec<Input>) {
        let inputs = self.only_inputs().into_iter().map(|what| Input { frame: 0, what }).collect();
        (self.past.clone().finish(self.now()), Seconds::of_frames(self.now(), self.program.rate), inputs)
    }

    /// Brings layers in or takes them out by hand.
    pub(crate) fn switch(&mut self, layer: NameKey, on: bool) {
        let music = &self.program.music;
        let Some(begins) = music.find_switch.get(layer).map(|at| music.switches[at].on) else { return };
        if on == begins {
            self.only.switched.remove(&layer);
        } else {
            self.only.switched.insert(layer, on);
        }
        self.say(InputKind::Switch { layer, on });
    }

    /// All that is temporary, as inputs.
    fn only_inputs(&self) -> Vec<InputKind> {
        let only = &self.only;
        let mut list = vec![
            InputKind::Waits { factor: if only.short_waits { 0.1 } else { 1.0 } },
            InputKind::Chances { always: only.chances },
            InputKind::Metronome { on: only.metronome },
            InputKind::SoloDry { on: only.solo_dry },
        ];
        list.extend(self.muted.iter().map(|bus| InputKind::Mute { bus: *bus, on: true }));
        list.extend(self.soloed.iter().map(|bus| InputKind::Solo { bus: *bus, on: true }));
        list.extend(only.switched.iter().map(|(layer, on)| InputKind::Switch { layer: *layer, on: *on }));
        list.extend(only.bypassed.iter().map(|effect| InputKind::Bypass { effect: *effect, on: true }));
        list.extend(only.by_hand.iter().map(|(snapshot, percent)| InputKind::ByHand { snapshot: *snapshot, share: Some(f32::from(*percent) / 100.0) }));
        list.push(InputKind::SoloEmitter { emitter: only.alone.unwrap_or(NameKey::NONE) });
        list.push(InputKind::Head { on: only.head });
        let (sound, take) = only.forced.unwrap_or((NameKey::NONE, 0));
        list.push(InputKind::ForceTake { sound, take });
        for (sounds, solo) in [(&only.muted_sounds, false), (&only.soloed_sounds, true)] {
            list.extend(sounds.iter().map(|sound| InputKind::GateSound { sound: *sound, solo, on: true }));
        }
        list
    }

    /// Tells the engine all that is temporary.
    fn say_only(&mut self) {
        // Layers are switched when they are, once.
        for what in self.only_inputs().into_iter().filter(|w| !matches!(w, InputKind::Switch { .. })) {
            self.say(what);
        }
    }

    /// Changes what is temporary.
    pub(crate) fn change_only(&mut self, change: impl FnOnce(&mut Only)) {
        let before = self.only.clone();
        change(&mut self.only);
        for (was, is, solo) in [(&before.muted_sounds, &self.only.muted_sounds, false), (&before.soloed_sounds, &self.only.soloed_sounds, true)] {
            let gone: Vec<NameKey> = was.difference(is).copied().collect();
            for sound in gone {
                let _ = self.remote.input(Input { frame: NOW, what: InputKind::GateSound { sound, solo, on: false } });
            }
        }
        for effect in before.bypassed.difference(&self.only.bypassed) {
            let _ = self.remote.input(Input { frame: NOW, what: InputKind::Bypass { effect: *effect, on: false } });
        }
        for snapshot in before.by_hand.keys().filter(|s| !self.only.by_hand.contains_key(s)) {
            let _ = self.remote.input(Input { frame: NOW, what: InputKind::ByHand { snapshot: *snapshot, share: None } });
        }
        for parameter in before.held.difference(&self.only.held) {
            let _ = self.remote.input(Input { frame: NOW, what: InputKind::Hold { parameter: *parameter, value: None } });
        }
        self.say_only();
    }

    /// Ends all that is temporary; true if there was anything.
    pub(crate) fn clear_only(&mut self) -> bool {
        let any = self.only != Only::default() || !self.muted.is_empty() || !self.soloed.is_empty();
        for (layer, on) in std::mem::take(&mut self.only.switched) {
            self.say(InputKind::Switch { layer, on: !on });
        }
        self.change_only(|only| *only = Only::default());
        for bus in std::mem::take(&mut self.muted) {
            self.say(InputKind::Mute { bus, on: false });
        }
        for bus in std::mem::take(&mut self.soloed) {
            self.say(InputKind::Solo { bus, on: false });
        }
        any
    }

    /// Begins from the first frame with the program that is there now, as soon as what sounds by itself is loaded: until then the clock
    /// stands still. Where a replay or a recording was asked for meanwhile, everything has to be there first.
    pub(crate) fn begin_with_the_first(&mut self) {
        if self.visiting() {
            // What plays is elsewhere, and there already.
            self.player.hold(false);
        } else if self.player.held() && self.replay.is_none() && self.recorder.is_none() {
            self.player.hold(false);
            self.begin(1, Vec::new());
            self.gathers = Some(Instant::now() + GATHERING);
        }
    }

    /// All audio is there: begins if nothing has begun yet, and says what was pressed meanwhile.
    pub(crate) fn begin_loaded(&mut self) {
        if self.player.held() {
            self.player.hold(false);
            // A replay or a recording that was asked for meanwhile stands at its first frame too.
            if self.replay.is_none() && self.recorder.is_none() && !self.visiting() {
                self.begin(1, Vec::new());
            }
        }
        self.gathers = None;
        self.say_early();
    }

    fn say_early(&mut self) {
        for what in std::mem::take(&mut self.early) {
            self.say(what);
        }
    }

    pub(crate) fn restart(&mut self) {
        self.begin(1, Vec::new());
    }

    pub(crate) fn replay(&mut self, name: &str, playthrough: &Playthrough) {
        let from = playthrough.heard_from();
        if from.0 > 0.0 {
            return self.replay_from(name, playthrough, from);
        }
        self.names.add_all(&offline::names_in(playthrough));
        let rate = self.program.rate;
        self.begin(playthrough.seed(), offline::inputs(playthrough, rate));
        self.replayed = Some(name.to_owned());
        self.replay = Some(Replay { name: name.to_owned(), frames: offline::frames(playthrough, rate) });
    }

    /// Replays a playthrough from a moment on: what lies before is rendered aside, unheard, so that everything is there as it would be.
    pub(crate) fn replay_from(&mut self, name: &str, playthrough: &Playthrough, from: Seconds) {
        self.names.add_all(&offline::names_in(playthrough));
        let rate = self.program.rate;
        let (mut engine, mut remote) = make(&self.program, playthrough.seed(), offline::inputs(playthrough, rate), &self.levels);
        let (tell, arrives) = channel();
        let upto = from.frames(rate);
        let program = Arc::clone(&self.program);
        let id = program.id;
        let wanted = Arc::new(());
        let waits = Arc::downgrade(&wanted);
        std::thread::spawn(move || {
            let mut happened = Vec::new();
            let mut out = [0.0; 2 * 1024];
            // As long as somebody waits for it.
            while engine.frame() < upto && waits.strong_count() > 0 {
                let count = (upto - engine.frame()).min(1024) as usize;
                engine.render(&mut out[..2 * count]);
                happened.extend(std::iter::from_fn(|| remote.happening()));
                if let Some(status) = remote.status() {
                    remote.give_back(status);
                }
            }
            engine.soften(RISE);
            read_ahead(&mut engine, &program);
            // Nobody waits for it any more if something else has begun meanwhile.
            let _ = tell.send((engine, remote, happened));
        });
        let replay = Replay { name: name.to_owned(), frames: offline::frames(playthrough, rate) };
        self.coming = Some(Coming { arrives, replay, from, seed: playthrough.seed(), program: id, _wanted: wanted });
    }

    /// The playthrough that is being rendered up to a moment, and that moment.
    pub(crate) fn coming(&self) -> Option<(&str, Seconds)> {
        self.coming.as_ref().map(|coming| (coming.replay.name.as_str(), coming.from))
    }

    /// Goes over to what was rendered up to its moment, if it is there.
    fn poll_coming(&mut self, document: &Document) -> bool {
        let Some((engine, remote, happened)) = self.coming.as_ref().and_then(|coming| coming.arrives.try_recv().ok()) else { return false };
        let Some(coming) = self.coming.take() else { return false };
        self.install(engine, remote, coming.seed);
        for happening in &happened {
            self.note(happening, document);
        }
        self.replayed = Some(coming.replay.name.clone());
        self.replay = Some(coming.replay);
        // What has been edited meanwhile counts from here on.
        if coming.program != self.program.id {
            self.take_over(Arc::clone(&self.program));
        }
        true
    }

    /// Begins anew with the present values and records what is said from then on; in a joined game, which goes on, from the present moment.
    pub(crate) fn record(&mut self) {
        if self.visiting() {
            self.come_back();
            self.marked = self.status_program().cloned().zip(self.status.clone());
            return;
        }
        let mut first = Vec::new();
        if let Some(status) = &self.status
            && status.program == self.program.id
        {
            for (spec, now) in self.program.parameters.iter().zip(&status.parameters) {
                if now.value != spec.rest && spec.source == ValueFrom::Game && spec.local.is_none() {
                    first.push(Input { frame: 0, what: parameter_input(spec, now.value) });
                }
            }
            for (spec, now) in self.program.states.iter().zip(&status.states) {
                if *now != spec.start {
                    first.push(Input { frame: 0, what: InputKind::State { state: spec.key, value: spec.values[usize::from(*now)] } });
                }
            }
        }
        self.begin(1, first);
        self.recorder = Some(Recorder::new(&self.program, self.seed));
    }

    pub(crate) fn recording(&self) -> bool {
        self.recorder.is_some() || self.marked.is_some()
    }

    /// What has been recorded up to now.
    pub(crate) fn recording_so_far(&self) -> Option<Playthrough> {
        if let Some(marked) = &self.marked {
            return Some(self.since(marked));
        }
        let frame = self.now();
        self.recorder.clone().map(|recorder| recorder.finish(frame))
    }

    /// Ends the recording and gives it as text.
    pub(crate) fn end_recording(&mut self) -> Option<Playthrough> {
        if let Some(marked) = self.marked.take() {
            return Some(self.since(&marked));
        }
        let frame = self.now();
        self.recorder.take().map(|recorder| recorder.finish(frame))
    }

    pub(crate) fn toggle_mute(&mut self, bus: NameKey) -> bool {
        let on = !self.muted.remove(&bus);
        if on {
            self.muted.insert(bus);
        }
        self.say(InputKind::Mute { bus, on });
        on
    }

    /// Hears a bus alone with what it has in the returns, then without, then no longer.
    pub(crate) fn step_solo(&mut self, bus: NameKey) -> SoloStep {
        let (now, next) = match (self.soloed.contains(&bus), self.only.solo_dry) {
            (false, _) => (SoloStep::InPlace, false),
            (true, false) => (SoloStep::Dry, true),
            (true, true) => (SoloStep::No, false),
        };
        let on = now != SoloStep::No;
        if on {
            self.soloed.insert(bus);
        } else {
            self.soloed.remove(&bus);
        }
        self.say(InputKind::Solo { bus, on });
        self.change_only(|only| only.solo_dry = next);
        now
    }

    /// The program that the status in hand belongs to.
    pub(crate) fn status_program(&self) -> Option<&Arc<Program>> {
        self.program_of(self.status.as_ref()?.program)
    }

    /// Takes what has come from the engine; true if there is something new to show.
    pub(crate) fn poll(&mut self, document: &Document) -> bool {
        self.player.drop_done();
        self.hold_link();
        self.learn_names();
        self.hand_over();
        let mut news = self.poll_visit() | self.poll_coming(document);
        if self.gathers.take_if(|until| Instant::now() >= *until).is_some() {
            self.say_early();
        }
        while let Some(happening) = self.remote.happening() {
            self.learn_names();
            self.learn_visited();
            self.note(&happening, document);
            news = true;
        }
        if let Some(status) = self.remote.status() {
            let old = match &mut self.back {
                Some(back) => back.live.take(),
                None => self.status.take(),
            };
            if let Some(old) = &old {
                self.note_ended(old, &status);
            }
            self.note_status(&status);
            match &mut self.back {
                Some(back) => back.live = Some(status),
                None => self.status = Some(status),
            }
            if let Some(old) = old {
                self.remote.give_back(old);
            }
            news = true;
        }
        let over = self.replay.as_ref().is_some_and(|r| self.now() > r.frames);
        if over && let Some(replay) = self.replay.take() {
            self.add_line(replay.frames, format!("the playthrough {} is over", replay.name), Label::Aside);
        }
        news
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fewer_programs_of_large_projects_are_kept_for_looking_back() {
        let of = |things: usize| {
            let mut program = Program::default();
            for n in 0..things {
                program.names.add(&format!("thing-{n}"));
            }
            most_kept(&program)
        };
        assert_eq!([0, 100, 1_562, 5_000, 20_000, 60_000].map(of), [64, 64, 64, 20, 5, 4]);
    }
}
