//! Playing: an engine on a thread of its own, paced by the sound device or, without one, by the clock.
//!
//! The engine's thread fills a ring a little ahead of the device (the buffer of the command line); the device's callback
//! only empties it. So the engine outlives its device: when that vanishes, the thread goes on by the silent clock, and when
//! a device comes back it is filled again. Only this thread ever waits; [`Engine::render`] never does.

pub(crate) mod device;
mod loudness;

pub(crate) use loudness::{HISTORY, Loudness};

use estampie_engine::engine::{Engine, Input};
use estampie_engine::units::Seconds;
use estampie_link::{Arrived, Timing};
use rtrb::{Consumer, Producer, RingBuffer};
use std::sync::atomic::{AtomicBool, AtomicU32, AtomicU64, Ordering};
use std::sync::mpsc::{Sender, channel};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// The workshop's soft start.
pub(crate) const SOFT_START: Seconds = Seconds(0.4);

/// What the threads of the player share; nothing of it is touched inside `render`.
pub(crate) struct Shared {
    quit: AtomicBool,
    frozen: AtomicBool,
    /// Nothing is rendered, since another engine is heard elsewhere.
    resting: AtomicBool,
    /// Nothing is rendered yet: what is to sound is still being loaded.
    held: AtomicBool,
    /// Share of real time that rendering takes, as bits of an `f32`.
    load: AtomicU32,
    /// Blocks of the device that found the ring empty.
    underruns: AtomicU64,
    /// How often sound came later on the silent clock than a device with this buffer would have waited for it.
    late: AtomicU64,
    /// The device that is wanted; "none" for the silent clock.
    wanted: Mutex<Option<String>>,
    /// A new wish: the present device is given up.
    changed: AtomicBool,
    /// What plays, in words.
    output: Mutex<Output>,
    loudness: Mutex<Loudness>,
    /// What is heard is turned by this gain (at most 1) after it was measured, as bits of an `f32`.
    trim: AtomicU32,
    /// The ring of a device that has just been opened.
    opened: Mutex<Option<Producer<f32>>>,
    /// The most frames that the device asked for at once: so many must be ready besides the buffer.
    largest: AtomicU32,
    /// Counts calls of the device; when it stands still, the device is gone.
    pulls: AtomicU64,
    /// The device said that it is gone.
    failed: AtomicBool,
    /// Frames from the arrival of what the game sends to its sound at the device, as far as is made ahead here.
    delay: AtomicU32,
}

/// Why the silent clock plays when nothing is wrong.
pub(crate) const BY_CHOICE: &str = "by choice";

/// What the sound goes to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Output {
    /// A device, by name.
    Device(String),
    /// The silent clock, and why.
    Silent(String),
}

/// What the player's thread is done with: it is dropped elsewhere.
enum Done {
    Engine(#[allow(dead_code, reason = "it is only dropped")] Box<Engine>),
    Game(#[allow(dead_code, reason = "it is only dropped")] Consumer<Arrived>),
}

enum PlayerOrder {
    Engine(Box<Engine>),
    /// What a game sends comes through this ring from now on.
    Game(Consumer<Arrived>),
}

/// The player as the workshop holds it.
pub(crate) struct Player {
    shared: Arc<Shared>,
    orders: Producer<PlayerOrder>,
    done: Consumer<Done>,
    measuring: Sender<loudness::MeterOrder>,
    threads: Vec<JoinHandle<()>>,
}

impl Player {
    /// Starts playing, held at the first frame until [`Player::hold`] lets it go. `buffer_ms` of sound are made ahead.
    pub(crate) fn start(engine: Engine, rate: u32, device: Option<String>, buffer_ms: u32) -> Player {
        let shared = Arc::new(Shared::new(device));
        let (orders, order_out) = RingBuffer::new(8);
        let (done_in, done) = RingBuffer::new(8);
        let (tap, tap_out) = RingBuffer::new(rate as usize * 2);
        let paced = Paced::new(Arc::clone(&shared), engine, order_out, (done_in, tap), rate);
        let mut threads = threads(&shared, paced, rate, buffer_ms);
        let for_loudness = Arc::clone(&shared);
        let (measuring, measured) = channel();
        let measures = std::thread::Builder::new().name("loudness".into());
        threads.extend(measures.spawn(move || loudness::run(&for_loudness.quit, &for_loudness.loudness, tap_out, &measured, rate)).ok());
        Player { shared, orders, done, measuring, threads }
    }

    /// Goes over to another engine; the one before fades out.
    pub(crate) fn replace(&mut self, engine: Engine) {
        let _ = self.orders.push(PlayerOrder::Engine(Box::new(engine)));
        self.drop_done();
    }

    /// Plays what comes through the ring of a link from now on.
    pub(crate) fn follow(&mut self, game: Consumer<Arrived>) {
        let _ = self.orders.push(PlayerOrder::Game(game));
    }

    /// How many frames after its arrival what the game sends sounds.
    pub(crate) fn delay(&self) -> u32 {
        self.shared.delay.load(Ordering::Relaxed)
    }

    /// Drops engines that are done with, here, where it hurts nobody.
    pub(crate) fn drop_done(&mut self) {
        while self.done.pop().is_ok() {}
    }

    pub(crate) fn freeze(&self, on: bool) {
        self.shared.frozen.store(on, Ordering::Relaxed);
    }

    /// Falls silent as long as an engine elsewhere is heard, or goes on.
    pub(crate) fn rest(&self, on: bool) {
        self.shared.resting.store(on, Ordering::Relaxed);
    }

    /// Lets the clock stand at its first frame, or go.
    pub(crate) fn hold(&self, on: bool) {
        self.shared.held.store(on, Ordering::Relaxed);
    }

    pub(crate) fn held(&self) -> bool {
        self.shared.held.load(Ordering::Relaxed)
    }

    pub(crate) fn frozen(&self) -> bool {
        self.shared.frozen.load(Ordering::Relaxed)
    }

    /// The share of real time that rendering takes.
    pub(crate) fn load(&self) -> f32 {
        f32::from_bits(self.shared.load.load(Ordering::Relaxed))
    }

    /// How often the device found nothing to play.
    pub(crate) fn underruns(&self) -> u64 {
        self.shared.underruns.load(Ordering::Relaxed)
    }

    /// How often sound came later on the silent clock than a device would have waited for it.
    pub(crate) fn late(&self) -> u64 {
        self.shared.late.load(Ordering::Relaxed)
    }

    pub(crate) fn output(&self) -> Output {
        self.shared.output()
    }

    pub(crate) fn loudness(&self) -> Loudness {
        self.shared.loudness.lock().map(|l| l.clone()).unwrap_or_default()
    }

    /// Measures what comes through the ring of a new engine: the bus that it is told to hand out.
    pub(crate) fn measure(&self, ring: Consumer<f32>) {
        let _ = self.measuring.send(loudness::MeterOrder::Engine(ring));
    }

    /// Measures as the output what comes through a ring, until there is a new engine here.
    pub(crate) fn measure_elsewhere(&self, output: Consumer<f32>) {
        let _ = self.measuring.send(loudness::MeterOrder::Output(output));
    }

    /// Measures another bus from now on: what the engine has just been told to hand out.
    pub(crate) fn measure_anew(&self) {
        let _ = self.measuring.send(loudness::MeterOrder::Bus);
    }

    /// Turns what is heard down by so many decibels (0 or less) from now on; what is measured stays.
    pub(crate) fn trim(&self, by: f32) {
        let gain = 10f32.powf(by.min(0.0) / 20.0);
        self.shared.trim.store(gain.to_bits(), Ordering::Relaxed);
    }

    /// Plays through another device from now on; "none" for the silent clock.
    pub(crate) fn choose_device(&self, name: &str) {
        if let Ok(mut wanted) = self.shared.wanted.lock() {
            *wanted = Some(name.to_owned());
        }
        self.shared.changed.store(true, Ordering::Relaxed);
    }
}

impl Drop for Player {
    fn drop(&mut self) {
        self.shared.end(&mut self.threads);
    }
}

impl Shared {
    fn new(device: Option<String>) -> Shared {
        let silent = Output::Silent(if device::BUILT_IN { "looking for a device".into() } else { "built without devices".into() });
        Shared {
            quit: AtomicBool::new(false),
            frozen: AtomicBool::new(false),
            resting: AtomicBool::new(false),
            held: AtomicBool::new(true),
            load: AtomicU32::new(0),
            underruns: AtomicU64::new(0),
            late: AtomicU64::new(0),
            wanted: Mutex::new(device),
            changed: AtomicBool::new(false),
            output: Mutex::new(silent),
            loudness: Mutex::new(Loudness::default()),
            trim: AtomicU32::new(1f32.to_bits()),
            opened: Mutex::new(None),
            largest: AtomicU32::new(0),
            pulls: AtomicU64::new(0),
            failed: AtomicBool::new(false),
            delay: AtomicU32::new(0),
        }
    }

    /// What plays, in words.
    fn output(&self) -> Output {
        self.output.lock().map_or_else(|_| Output::Silent("the player failed".into()), |o| o.clone())
    }

    fn end(&self, threads: &mut Vec<JoinHandle<()>>) {
        self.quit.store(true, Ordering::Relaxed);
        for thread in threads.drain(..) {
            let _ = thread.join();
        }
    }

    pub(super) fn set_output(&self, output: Output) {
        if let Ok(mut now) = self.output.lock() {
            *now = output;
        }
    }
}

/// What makes sound on the player's thread.
pub(crate) trait Maker: Send {
    /// Before it is looked whether anything is to be made.
    fn before(&mut self) {}

    /// So many frames are made and not yet taken by the device.
    fn queued(&mut self, _frames: usize) {}

    /// Makes so many frames (at most [`STEP`]) of two interleaved channels.
    fn make(&mut self, count: usize) -> &[f32];
}

/// Something that plays, and nothing more: the rest of it is with whoever made its maker. Dropped, it ends.
pub(crate) struct Playing {
    shared: Arc<Shared>,
    threads: Vec<JoinHandle<()>>,
}

impl Playing {
    /// Starts to play. `buffer_ms` of sound are made ahead.
    pub(crate) fn start(maker: impl Maker + 'static, rate: u32, device: Option<String>, buffer_ms: u32) -> Playing {
        let shared = Arc::new(Shared::new(device));
        let threads = threads(&shared, maker, rate, buffer_ms);
        Playing { shared, threads }
    }

    /// What it plays through.
    pub(crate) fn output(&self) -> Output {
        self.shared.output()
    }
}

impl Drop for Playing {
    fn drop(&mut self) {
        self.shared.end(&mut self.threads);
    }
}

/// The threads of whatever plays: one makes sound, one looks after the device.
fn threads(shared: &Arc<Shared>, maker: impl Maker + 'static, rate: u32, buffer_ms: u32) -> Vec<JoinHandle<()>> {
    let buffer = (rate as usize * buffer_ms as usize / 1000).max(64);
    let named = |name: &str| std::thread::Builder::new().name(name.into());
    let (for_engine, for_device) = (Arc::clone(shared), Arc::clone(shared));
    let engine = named("engine").spawn(move || paced(&for_engine, rate, buffer, maker));
    let device = named("device").spawn(move || device::run(&for_device, rate, buffer));
    [engine, device].into_iter().flatten().collect()
}

/// Lets sound be made as a device asks for it, or without one as the clock goes, until it is quit.
fn paced(shared: &Shared, rate: u32, buffer: usize, mut maker: impl Maker) {
    let mut device: Option<Producer<f32>> = None;
    let mut clock = Instant::now();
    let mut late = false;
    // Frames that the present device has been given, as long as it rises.
    let mut risen = 0;
    let rise = rate as usize * RISE_MS / 1000;
    let mut last_pull = (0, Instant::now());
    while !shared.quit.load(Ordering::Relaxed) {
        maker.before();
        if let Ok(mut opened) = shared.opened.try_lock()
            && let Some(ring) = opened.take()
        {
            device = Some(ring);
            risen = 0;
            last_pull = (shared.pulls.load(Ordering::Relaxed), Instant::now());
        }
        let pulls = shared.pulls.load(Ordering::Relaxed);
        if pulls != last_pull.0 {
            last_pull = (pulls, Instant::now());
        } else if device.is_some() && last_pull.1.elapsed() > GONE && !shared.failed.swap(true, Ordering::Relaxed) {
            tracing::warn!("the device has asked for nothing for {} s", GONE.as_secs());
        }
        if device.is_some() && shared.failed.load(Ordering::Relaxed) {
            device = None;
            clock = Instant::now();
        }
        match &mut device {
            Some(ring) => {
                let queued = (ring.buffer().capacity() - ring.slots()) / 2;
                let wanted = buffer + shared.largest.load(Ordering::Relaxed) as usize;
                maker.queued(queued);
                if queued < wanted {
                    let count = (wanted - queued).min(STEP);
                    for frame in maker.make(count).chunks(2) {
                        let gain = if risen < rise { risen as f32 / rise as f32 } else { 1.0 };
                        risen = (risen + 1).min(rise);
                        frame.iter().for_each(|sample| {
                            let _ = ring.push(sample * gain);
                        });
                    }
                    continue;
                }
                clock = Instant::now();
            }
            None => {
                let due = (clock.elapsed().as_secs_f64() * f64::from(rate)) as usize;
                // It is counted once, until it has caught up.
                let was_late = late;
                late = due > buffer + STEP || late && due >= STEP;
                if late && !was_late {
                    shared.late.fetch_add(1, Ordering::Relaxed);
                }
                // After a long stop (a suspended machine) the clock does not run after the time lost.
                if due > rate as usize {
                    clock = Instant::now();
                } else if due >= STEP {
                    maker.make(STEP);
                    clock += Duration::from_secs_f64(STEP as f64 / f64::from(rate));
                    continue;
                }
            }
        }
        std::thread::sleep(Duration::from_millis(2));
    }
}

/// The engine's thread.
struct Paced {
    shared: Arc<Shared>,
    engine: Box<Engine>,
    orders: Consumer<PlayerOrder>,
    done: Producer<Done>,
    /// The engine before, while it fades out; with its gain.
    leaving: Option<(Box<Engine>, f32)>,
    tap: Producer<f32>,
    /// What a game sends.
    game: Consumer<Arrived>,
    timing: Timing,
    /// Frames that are made and not yet taken by the device.
    queued: usize,
    rate: u32,
    /// 1, or on its way to 0 while frozen.
    gain: f32,
    /// The gain that was asked for last, on its way there.
    trim: f32,
    samples: Vec<f32>,
    other: Vec<f32>,
}

/// A device that has not asked for so long is gone.
const GONE: Duration = Duration::from_secs(2);
/// What a device is given when it comes (back) begins from silence, and has risen after so many milliseconds: whatever sounds at that moment is no burst.
const RISE_MS: usize = 20;
const STEP: usize = 128;
/// What the game has sent is given to the engine in such parts.
const MOST_AT_ONCE: usize = 2048;
/// So many inputs of the workshop always have room beside what the game sends.
const ROOM_FOR_HANDS: usize = 512;

impl Maker for Paced {
    fn before(&mut self) {
        self.follow_orders();
    }

    fn queued(&mut self, frames: usize) {
        self.queued = frames;
    }

    fn make(&mut self, count: usize) -> &[f32] {
        self.render(count);
        &self.samples[..count * 2]
    }
}

impl Paced {
    fn new(shared: Arc<Shared>, engine: Engine, orders: Consumer<PlayerOrder>, (done, tap): (Producer<Done>, Producer<f32>), rate: u32) -> Paced {
        let samples = || vec![0.0; 2 * 512];
        let engine = Box::new(engine);
        let (game, timing) = (RingBuffer::new(0).1, Timing::new(rate));
        Paced { shared, engine, orders, done, tap, game, timing, queued: 0, rate, leaving: None, gain: 1.0, trim: 1.0, samples: samples(), other: samples() }
    }

    fn follow_orders(&mut self) {
        while let Ok(order) = self.orders.pop() {
            let engine = match order {
                PlayerOrder::Engine(engine) => engine,
                PlayerOrder::Game(game) => {
                    let before = std::mem::replace(&mut self.game, game);
                    self.give_back(Done::Game(before));
                    continue;
                }
            };
            self.timing.anew();
            let old = std::mem::replace(&mut self.engine, engine);
            // The new one starts softly by itself; the old one fades out. One that is still fading when a third comes has to go.
            if let Some((older, _)) = self.leaving.replace((old, 1.0)) {
                self.give_back(Done::Engine(older));
            }
        }
    }

    /// Engines and rings are dropped by the other side, where it hurts nobody.
    fn give_back(&mut self, done: Done) {
        if let Err(rtrb::PushError::Full(done)) = self.done.push(done) {
            drop(done);
        }
    }

    /// Adds what the engine before still gives, falling to nothing in 20 ms.
    fn fade_out(&mut self, count: usize) {
        let Some((mut old, mut gain)) = self.leaving.take() else { return };
        let out = &mut self.other[..count * 2];
        old.render(out);
        let step = 1.0 / (0.02 * self.rate as f32);
        for (to, from) in self.samples.chunks_mut(2).zip(out.chunks(2)) {
            gain = (gain - step).max(0.0);
            to.iter_mut().zip(from).for_each(|(to, from)| *to += from * gain);
        }
        if gain > 0.0 { self.leaving = Some((old, gain)) } else { self.give_back(Done::Engine(old)) }
    }

    /// Gives the engine what the game has sent, each on the frame of its moment.
    fn hear_the_game(&mut self, now: Instant) {
        let frame = self.timing.frame(now);
        let ahead = frame.saturating_sub(self.engine.frame()) as usize + self.queued;
        self.shared.delay.store(ahead as u32, Ordering::Relaxed);
        // So many and no more at once, and hands keep their room: what is left has its turn 128 frames later.
        let room = self.engine.input_room().saturating_sub(ROOM_FOR_HANDS);
        for _ in 0..room.min(MOST_AT_ONCE) {
            let Ok(arrived) = self.game.peek().copied() else { return };
            // What was said for an engine that has just come is not for the one before.
            if !self.orders.is_empty() {
                return;
            }
            let _ = self.game.pop();
            self.engine.input(Input { frame: self.timing.frame(arrived.at), what: arrived.what });
        }
    }

    /// Makes `count` frames into `samples`, silence while frozen, and taps them for the loudness.
    fn render(&mut self, count: usize) {
        let frozen = self.shared.frozen.load(Ordering::Relaxed) || self.shared.resting.load(Ordering::Relaxed);
        let out = &mut self.samples[..count * 2];
        if frozen && self.gain == 0.0 || self.shared.held.load(Ordering::Relaxed) {
            out.fill(0.0);
            // Frames stand still: which is that of a moment has to be found anew.
            self.timing.anew();
            return;
        }
        let begun = Instant::now();
        self.hear_the_game(begun);
        let out = &mut self.samples[..count * 2];
        self.engine.render(out);
        self.timing.made(begun, self.engine.frame());
        self.fade_out(count);
        let out = &mut self.samples[..count * 2];
        let spent = begun.elapsed().as_secs_f64() * f64::from(self.rate) / count as f64;
        let before = f32::from_bits(self.shared.load.load(Ordering::Relaxed));
        self.shared.load.store((before + (spent as f32 - before) * 0.02).to_bits(), Ordering::Relaxed);
        // 99 % of the way in 20 ms: at once for the ear, without a click.
        let (trim, glide) = (f32::from_bits(self.shared.trim.load(Ordering::Relaxed)), 1.0 - (-4.6 / (0.02 * self.rate as f32)).exp());
        if (trim - self.trim).abs() < 1e-5 {
            self.trim = trim;
        }
        let step = if frozen { -1.0 } else { 1.0 } / (0.01 * self.rate as f32);
        for frame in out.chunks_mut(2) {
            if (frozen && self.gain > 0.0) || (!frozen && self.gain < 1.0) {
                self.gain = (self.gain + step).clamp(0.0, 1.0);
            }
            self.trim += (trim - self.trim) * glide;
            for sample in frame {
                *sample *= self.gain;
                let _ = self.tap.push(*sample);
                *sample *= self.trim;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use estampie_engine::clip::Clip;
    use estampie_engine::engine::{Input, InputKind, NOW, Options, Prepared, Remote};
    use estampie_engine::names::NameKey;
    use estampie_project::assets::Assets;
    use estampie_project::compile;
    use estampie_project::document::{Document, Sources};

    /// An engine in which a constant of one half sounds without end.
    fn constant() -> (Engine, Remote) {
        let sounds = "[a]\nloop = true\ntakes = [\"audio/dc.wav\"]\n";
        let sources = Sources::from_texts([("estampie.toml", "format = 1\nceiling = \"0 dB\""), ("sounds/a.toml", sounds)]);
        let (document, faults) = Document::read(&sources, &["audio/dc.wav".to_owned()].into());
        assert_eq!(faults, vec![]);
        let mut assets = Assets::default();
        assets.insert("audio/dc.wav", Ok(Arc::new(Clip::new("audio/dc.wav", vec![vec![0.5; 48_000]], None))));
        let (program, faults) = compile::compile(&document, &assets);
        assert_eq!(faults, vec![]);
        let (engine, mut remote) = Engine::new(Prepared::new(Arc::new(program), 1), Options::default());
        remote.input(Input { frame: NOW, what: InputKind::Play { sound: NameKey::of("a"), emitter: NameKey::NONE } }).unwrap();
        (engine, remote)
    }

    #[test]
    fn a_link_that_comes_and_goes_two_hundred_times_is_not_heard() {
        use estampie_link::stand_in::Sender;
        use estampie_link::{Link, Said};
        let (engine, remote) = constant();
        let (mut orders, order_out) = RingBuffer::new(8);
        let (done_in, mut done) = RingBuffer::new(8);
        let (tap, mut tapped) = RingBuffer::new(1 << 20);
        let shared = Arc::new(Shared::new(Some("none".into())));
        shared.held.store(false, Ordering::Relaxed);
        let mut paced = Paced::new(shared, engine, order_out, (done_in, tap), 48_000);
        let (mut heard, mut rings, mut came) = (Vec::<f32>::new(), 0, 0);
        let mut make = |paced: &mut Paced, steps: usize| {
            for _ in 0..steps {
                paced.before();
                heard.extend(paced.make(STEP).iter().step_by(2));
                while tapped.pop().is_ok() {}
            }
        };
        make(&mut paced, 10);
        for round in 0..200u64 {
            let (ring, out) = RingBuffer::new(256);
            let options = estampie_link::Options { address: ([127, 0, 0, 1], 0).into(), allow: Vec::new(), rate: 48_000, greeting: String::new() };
            let link = Link::listen(options, ring).unwrap();
            assert!(orders.push(PlayerOrder::Game(out)).is_ok());
            let game = Sender::to(link.address()).unwrap();
            game.tell(&[Said::Parameter { name: "depth".into(), value: round as f32, emitter: None }]).unwrap();
            // Some end before what was sent has come.
            if round % 2 == 0 {
                let begun = Instant::now();
                while link.with_facts(|f| f.messages) == 0 {
                    assert!(begun.elapsed() < Duration::from_secs(20), "nothing comes");
                    make(&mut paced, 1);
                }
                came += 1;
            }
            make(&mut paced, 2);
            drop(link);
            make(&mut paced, 1);
            rings += std::iter::from_fn(|| done.pop().ok()).count();
        }
        make(&mut paced, 10);
        drop(remote);
        assert_eq!((came, rings), (100, 200), "each ring is given back, to be dropped elsewhere");
        let steady = &heard[4800.min(heard.len() / 2)..];
        assert!(steady.iter().all(|s| (s - 0.5).abs() < 1e-6), "{:?}", steady.iter().find(|s| (*s - 0.5).abs() >= 1e-6));
    }

    #[test]
    fn what_comes_later_than_its_buffer_is_counted_on_the_silent_clock() {
        /// Takes as long as it is told, once.
        struct Slow {
            once: Option<Duration>,
            calls: u32,
            shared: Arc<Shared>,
        }
        impl Maker for Slow {
            fn make(&mut self, count: usize) -> &[f32] {
                static NOTHING: [f32; 2 * STEP] = [0.0; 2 * STEP];
                self.calls += 1;
                if let Some(long) = self.once.take() {
                    std::thread::sleep(long);
                } else if self.calls > 20 {
                    self.shared.quit.store(true, Ordering::Relaxed);
                }
                &NOTHING[..2 * count]
            }
        }
        // A second of buffer is never too short for what takes no time; 64 frames are for what takes 40 ms.
        for (buffer, once, expected) in [(48_000, None, 0), (64, Some(Duration::from_millis(40)), 1)] {
            let shared = Arc::new(Shared::new(Some("none".into())));
            paced(&shared, 48_000, buffer, Slow { once, calls: 0, shared: Arc::clone(&shared) });
            let late = shared.late.load(Ordering::Relaxed);
            assert!(late >= expected && (expected > 0 || late == 0), "{late} at a buffer of {buffer}");
        }
    }

    #[test]
    fn what_a_device_is_given_first_rises_from_silence() {
        struct Constant {
            calls: u32,
            shared: Arc<Shared>,
        }
        impl Maker for Constant {
            fn make(&mut self, count: usize) -> &[f32] {
                static HALF: [f32; 2 * STEP] = [0.5; 2 * STEP];
                self.calls += 1;
                if self.calls >= 30 {
                    self.shared.quit.store(true, Ordering::Relaxed);
                }
                &HALF[..2 * count]
            }
        }
        let shared = Arc::new(Shared::new(Some("none".into())));
        let (ring, mut out) = RingBuffer::new(2 * 48_000);
        *shared.opened.lock().unwrap() = Some(ring);
        paced(&shared, 48_000, 48_000, Constant { calls: 0, shared: Arc::clone(&shared) });
        let heard: Vec<f32> = std::iter::from_fn(|| out.pop().ok()).step_by(2).collect();
        assert_eq!((heard.len(), heard[0], heard[480], heard[960]), (30 * STEP, 0.0, 0.25, 0.5));
        assert!(heard.windows(2).all(|w| w[1] >= w[0] && w[1] - w[0] < 6e-4), "in a straight line");
    }

    #[test]
    fn a_restart_fades_what_sounded_over_twenty_milliseconds_without_a_step() {
        let (engine, _remote) = constant();
        let (mut orders, order_out) = RingBuffer::new(8);
        let (done_in, mut done) = RingBuffer::new(8);
        let (tap, _tap_out) = RingBuffer::new(96_000);
        let shared = Arc::new(Shared::new(Some("none".into())));
        shared.held.store(false, Ordering::Relaxed);
        let mut paced = Paced::new(shared, engine, order_out, (done_in, tap), 48_000);
        let make = |paced: &mut Paced, steps: usize| -> Vec<f32> {
            let mut out = Vec::new();
            for _ in 0..steps {
                paced.follow_orders();
                paced.render(STEP);
                out.extend(paced.samples[..STEP * 2].iter().step_by(2));
            }
            out
        };
        let before = make(&mut paced, 100);
        assert!((before[before.len() - 1] - 0.5).abs() < 1e-3);
        // A new engine that is silent: what is heard is the old one that fades.
        let (silent, _other) = {
            let (document, _) = Document::read(&Sources::from_texts([("estampie.toml", "format = 1")]), &Default::default());
            let (program, _) = compile::compile(&document, &Assets::default());
            Engine::new(Prepared::new(Arc::new(program), 1), Options::default())
        };
        assert!(orders.push(PlayerOrder::Engine(Box::new(silent))).is_ok());
        let after = make(&mut paced, 16);
        let joined: Vec<f32> = before[before.len() - 1..].iter().chain(&after).copied().collect();
        let step = joined.windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0f32, f32::max);
        assert!(step < 1e-3, "a step of {step}");
        assert!((after[480] - 0.25).abs() < 0.01, "half the way after 10 ms: {}", after[480]);
        assert!(after[960..].iter().all(|s| *s == 0.0));
        assert!(done.pop().is_ok(), "the old engine is given back, to be dropped elsewhere");
    }
}
