//! The rehearsal: an engine being played, what came out of it lately, and what of it is recorded.

mod back;
mod history;
mod only;
mod replaying;
mod visit;

use back::{Back, Marked};
pub(crate) use history::{Heard, History, LANES, LogLine, Misfit, MisfitKey};
pub(crate) use only::Only;
use replaying::Coming;
pub(crate) use replaying::Replay;
pub(crate) use visit::Presence;
use visit::Visited;

use crate::levels::{self, Levels};
use crate::player::Player;
use crate::player::SOFT_START;
use estampie_engine::engine::{Engine, Input, InputKind, NOW, Options, Prepared, Remote, Status};
use estampie_engine::names::{NameKey, Names};
use estampie_engine::pages::Page;
use estampie_engine::program::{Parameter, Program, ValueFrom};
use estampie_engine::units::Seconds;
use estampie_link::{Clock, Link, ListenError};
use estampie_project::document::Document;
use estampie_project::language::Playthrough;
use estampie_proof::offline::Recorder;
use estampie_proof::trace::Label;
use estampie_proof::trace::kept::Kept;
use std::collections::{BTreeSet, HashMap, VecDeque};
use std::sync::Arc;
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
    /// Whether half an hour is kept to be looked back at: 200 MB in a busy one.
    pub(crate) keeps: bool,
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

/// The most pages of streamed audio that are kept: 256 voices with four each, 67 MB; and how many are made ahead of being needed.
const MOST_PAGES: usize = 1024;
const SPARE_PAGES: usize = 16;

/// What a program's memory is made for: draws, and levels that the player sets.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct MadeFor {
    seed: u64,
    levels: Vec<(NameKey, f32)>,
}

impl MadeFor {
    /// Makes the memory of a program, on any thread.
    pub(crate) fn prepare(&self, program: Arc<Program>) -> Box<Prepared> {
        Box::new(Prepared::new(program, self.seed).with_player_levels(&self.levels))
    }
}

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
            keeps: true,
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
        self.take_prepared(self.made_for().prepare(program));
    }

    /// What the memory of a program that takes over now is made for.
    pub(crate) fn made_for(&self) -> MadeFor {
        MadeFor { seed: self.seed, levels: levels::keys(&self.levels) }
    }

    /// Lets a program take over whose memory is made, for what [`Rehearsal::made_for`] says.
    pub(crate) fn take_prepared(&mut self, prepared: Box<Prepared>) {
        let program = Arc::clone(prepared.program());
        self.names.add_all(&program.names);
        self.programs.push_back(Arc::clone(&program));
        while self.programs.len() > most_kept(&program) {
            let old = self.programs.pop_front();
            // It takes several milliseconds to free that of a large project; without a thread it is done here.
            let _ = std::thread::Builder::new().name("free".into()).spawn(move || drop(old));
        }
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
