//! What is streamed sounds as what is loaded whole, to the bit; what comes too late is a hole without a click, and told.
#![allow(clippy::unwrap_used, missing_docs)]

use assert_no_alloc::{AllocDisabler, assert_no_alloc};
use estampie_bundle::{Bundle, Info, Storing, content, write};
use estampie_engine::clip::{Clip, Samples, Streamed};
use estampie_engine::engine::{Engine, Notice, Options as EngineOptions, Prepared, What};
use estampie_engine::pages::{HEAD, PAGE, Page, Pages};
use estampie_engine::program::Program;
use estampie_project::assets::Assets;
use estampie_project::compile;
use estampie_project::document::{Document, Sources};
use estampie_runtime::{Control, Key, NOW, Options, Player, Streaming, load, load_bytes};
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;

#[global_allocator]
static ALLOCATOR: AllocDisabler = AllocDisabler;

type Piece = (&'static str, usize, usize, Option<(usize, usize)>);

/// Audio of the project: its name, channels, frames, and loop.
const AUDIO: [Piece; 5] = [
    ("once", 1, HEAD + 5 * PAGE + 77, None),
    ("round", 2, HEAD + 6 * PAGE, Some((HEAD + 2 * PAGE + 100, HEAD + 4 * PAGE + 2_000))),
    ("tight", 1, HEAD + 3 * PAGE, Some((HEAD + PAGE - 300, HEAD + PAGE + 900))),
    ("next", 2, HEAD + 2 * PAGE + 5, None),
    ("short", 1, 9_000, None),
];

/// Slow noise in 16 bits: no two places are alike, and no step is large.
fn samples(seed: u32, frames: usize) -> Vec<f32> {
    let (mut state, mut at) = (seed, 0.0f32);
    let mut next = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / (1u32 << 24) as f32 - 0.5
    };
    (0..frames)
        .map(|_| {
            at = at * 0.995 + next() * 0.02;
            (at * 32_768.0).round() / 32_768.0
        })
        .collect()
}

fn clip(at: usize) -> Clip {
    let (name, channels, frames, points) = AUDIO[at];
    Clip::new(&format!("audio/{name}.wav"), (0..channels).map(|c| samples((at * 7 + c) as u32, frames)).collect(), points)
}

fn program(clip: impl Fn(usize) -> Clip) -> Program {
    let sounds = "[once]\ntakes = [\"audio/once.wav\"]\n[bent]\npitch = \"3.3 st\"\ntakes = [\"audio/once.wav\"]\n[round]\nloop = true\ntakes = [\"audio/round.wav\"]\n[tight]\nloop = true\ntakes = [\"audio/tight.wav\"]\n[far]\ntakes = [\"audio/once.wav\"]\nvary = { from = \"700..900 ms\" }\n[chain]\nchain = [\"audio/next.wav, overlap 80 ms\", \"audio/short.wav, 2 times\", \"audio/once.wav\"]\n";
    let reactions =
        "When once\n  play once\nWhen bent\n  play bent\nWhen round\n  play round\nWhen tight\n  play tight\nWhen far\n  play far\nWhen chain\n  play chain\n";
    let game = "[events]\nonce = \"a\"\nbent = \"a\"\nround = \"a\"\ntight = \"a\"\nfar = \"a\"\nchain = \"a\"\n[parameters.loud]\nrange = \"0..1\"\ndefault = \"1\"\n";
    let wiring = "[[modulate]]\nsound = \"round\"\nby = \"loud\"\nlevel = { 0 = \"-100 dB\", 1 = \"0 dB\" }\n";
    let sources = Sources::from_texts([
        ("estampie.toml", "format = 1\nrate = 48000\nceiling = \"0 dB\""),
        ("sounds/a.toml", sounds),
        ("game.toml", game),
        ("wiring.toml", wiring),
        ("reactions.est", reactions),
    ]);
    let names = AUDIO.map(|(name, ..)| format!("audio/{name}.wav"));
    let (document, faults) = Document::read(&sources, &names.iter().cloned().collect());
    assert_eq!(faults, vec![]);
    let mut assets = Assets::default();
    names.iter().enumerate().for_each(|(at, name)| assets.insert(name, Ok(Arc::new(clip(at)))));
    let (program, faults) = compile::compile(&document, &assets);
    assert_eq!(faults, vec![]);
    program
}

fn bundle() -> Vec<u8> {
    let storing: BTreeMap<String, Storing> =
        AUDIO.iter().map(|(name, ..)| (format!("audio/{name}.wav"), Storing { streamed: true, ..Storing::default() })).collect();
    let info = Info { project: "Slipway".into(), sources: "0".into(), names: Vec::new(), parts: Vec::new(), storing };
    let mut out = std::io::Cursor::new(Vec::new());
    write(&program(clip), &info, &mut out).unwrap();
    out.into_inner()
}

/// Plays everything at once for ten seconds, a loop going to sleep and waking; `pause` after each buffer.
fn play((mut player, mut control): (Player, Control), pause: Duration) -> (Vec<f32>, Vec<String>) {
    let (mut heard, mut told) = (Vec::new(), Vec::new());
    let (loud, never) = (control.key("loud"), Key::NONE);
    assert!(never.is_none());
    for event in ["once", "bent", "round", "tight", "far", "chain"] {
        let event = control.key(event);
        control.event(NOW, event, None).unwrap();
    }
    for buffer in 0..1_000 {
        if let Some(to) = [(200, 0.0), (420, 1.0), (500, 0.0), (640, 1.0)].iter().find(|(at, _)| *at == buffer).map(|(_, to)| *to) {
            control.parameter(NOW, loud, to, None).unwrap();
        }
        let mut out = [0.0f32; 960];
        assert_no_alloc(|| player.render(&mut out));
        heard.extend(out);
        told.extend(std::iter::from_fn(|| control.poll()));
        std::thread::sleep(pause);
    }
    (heard, told)
}

fn differ(a: &[f32], b: &[f32]) -> Option<usize> {
    assert_eq!(a.len(), b.len());
    a.iter().zip(b).position(|(a, b)| a.to_bits() != b.to_bits())
}

#[test]
fn streamed_is_as_loaded_whole_to_the_bit() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("slipway.bundle");
    std::fs::write(&path, bundle()).unwrap();
    let options = |streaming| Options { streaming, ..Options::default() };
    let (whole, told) = play(load(&path, &options(Streaming::Whole)).unwrap(), Duration::ZERO);
    assert_eq!(told, Vec::<String>::new());
    assert!(whole[..9_600].iter().any(|s| s.abs() > 0.05) && whole[480_000..].iter().any(|s| s.abs() > 0.01));
    // A page is asked for 340 ms before it is heard, and this renders some twenty times as fast as it sounds.
    let (ahead, told) = play(load(&path, &options(Streaming::Ahead)).unwrap(), Duration::from_micros(500));
    if told.is_empty() {
        assert_eq!(differ(&whole, &ahead), None, "ahead");
    } else {
        // This machine stood still: that is what is to be told then, and nothing else.
        assert!(told.iter().all(|t| t.contains("was not read in time")), "{told:?}");
    }
    // From memory as well as from the file.
    for loaded in [load_bytes(bundle(), &Options { streaming: Streaming::Waits, streams: 12, ..Options::default() }), load(&path, &options(Streaming::Ahead))] {
        drop(loaded.unwrap());
    }
}

/// The same without the allocator's watch: whoever waits reads.
#[test]
fn who_waits_hears_the_same() {
    let render = |streaming| {
        let (mut player, mut control) = load_bytes(bundle(), &Options { streaming, ..Options::default() }).unwrap();
        for event in ["once", "bent", "round", "tight", "far", "chain"] {
            let event = control.key(event);
            control.event(NOW, event, None).unwrap();
        }
        let loud = control.key("loud");
        control.parameter(96_000, loud, 0.0, None).unwrap();
        control.parameter(200_000, loud, 1.0, None).unwrap();
        let mut out = vec![0.0f32; 2 * 480_000];
        player.render(&mut out);
        assert_eq!(control.poll(), None);
        out
    };
    assert_eq!(differ(&render(Streaming::Whole), &render(Streaming::Waits)), None);
}

#[test]
fn only_the_head_is_loaded_and_a_file_that_is_written_anew_is_not_mixed_with_the_old_one() {
    let manifest = Bundle::of_bytes(bundle()).unwrap().manifest().clone();
    for audio in &manifest.audio {
        let short = audio.name.contains("short");
        let frames = if short { 9_000 } else { HEAD as u64 };
        assert_eq!((audio.is_long(), audio.memory()), (!short, frames * u64::from(audio.channels) * if audio.sixteen { 2 } else { 4 }), "{}", audio.name);
    }
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("slipway.bundle");
    std::fs::write(&path, bundle()).unwrap();
    let loaded = load(&path, &Options { streaming: Streaming::Waits, ..Options::default() }).unwrap();
    // As a bundle is written: aside, and then in its place.
    std::fs::write(folder.path().join("new"), b"something else").unwrap();
    std::fs::rename(folder.path().join("new"), &path).unwrap();
    let (mut player, mut control) = loaded;
    let once = control.key("once");
    control.event(NOW, once, None).unwrap();
    let mut out = vec![0.0f32; 2 * 100_000];
    player.render(&mut out);
    assert_eq!(control.poll(), None);
    let wanted = samples(0, HEAD + 5 * PAGE + 77);
    // Equal power between two speakers, or as it is: one gain for all.
    let gain = out[2 * 40_000] / wanted[40_000 - lag(&out, &wanted)];
    let lag = lag(&out, &wanted);
    assert!((1_000..50_000).all(|i| (out[2 * (i + lag)] - wanted[i] * gain).abs() < 1e-3), "lag {lag}, gain {gain}");
}

/// What a workshop that joins compares: audio that is only half here, or came back otherwise, is still known as what it was.
#[test]
fn what_is_streamed_or_lossy_is_known_as_what_it_was() {
    let storing: BTreeMap<String, Storing> = AUDIO
        .iter()
        .enumerate()
        .map(|(at, (name, ..))| (format!("audio/{name}.wav"), Storing { streamed: at % 2 == 0, quality: (at < 3).then_some(3.0), original: None }))
        .collect();
    let info = Info { project: "Slipway".into(), sources: "0".into(), names: Vec::new(), parts: Vec::new(), storing };
    let mut out = std::io::Cursor::new(Vec::new());
    write(&program(clip), &info, &mut out).unwrap();
    for stream in [true, false] {
        let clips = Bundle::of_bytes(out.get_ref().clone()).unwrap().audio(|_| true, stream).unwrap();
        for at in 0..AUDIO.len() {
            let (was, is) = (clip(at), &clips[&clip(at).name]);
            assert_eq!((content(is), is.frames()), (content(&was), was.frames()), "{} {stream}", was.name);
            assert_eq!(is.streamed.is_some(), stream && at % 2 == 0 && was.frames() > HEAD, "{}", was.name);
        }
    }
}

/// How many frames later something is heard.
fn lag(out: &[f32], wanted: &[f32]) -> usize {
    (0..200).min_by_key(|lag| ((500..2_500).map(|i| (out[2 * (i + lag)] - wanted[i]).abs()).sum::<f32>() * 1e3) as u64).unwrap()
}

/// Gives what it is asked for so many calls later.
struct Slow {
    clips: Vec<Clip>,
    late: u32,
    waiting: Vec<(Box<Page>, u32)>,
}

impl Pages for Slow {
    fn ask(&mut self, mut page: Box<Page>) -> Result<(), Box<Page>> {
        let clip = &self.clips[page.stream as usize];
        let from = page.begin();
        for (side, to) in page.samples.iter_mut().enumerate() {
            let all = &clip.channels[side.min(clip.channels.len() - 1)];
            let have = all.len().saturating_sub(from).min(PAGE);
            to[..have].copy_from_slice(&all.stretch(from, from + have));
        }
        self.waiting.push((page, self.late));
        Ok(())
    }

    fn take(&mut self) -> Option<Box<Page>> {
        self.waiting.iter_mut().for_each(|(_, left)| *left = left.saturating_sub(1));
        let at = self.waiting.iter().position(|(_, left)| *left == 0)?;
        Some(self.waiting.swap_remove(at).0)
    }
}

/// Renders a sound from pages that come so many calls late; how often the engine said that they were late.
fn rendered(event: &str, late: Option<u32>, room: usize) -> (Vec<f32>, usize) {
    rendered_by(event, late, room, None)
}

/// The same with another reader after so many blocks, which is so many calls late.
fn rendered_by(event: &str, late: Option<u32>, room: usize, then: Option<(usize, u32)>) -> (Vec<f32>, usize) {
    let head = |at: usize| {
        let whole = clip(at);
        let channels = whole.channels.iter().map(|c| Samples::of(c.stretch(0, c.len().min(HEAD)))).collect();
        Clip::streamed(&whole.name, channels, Streamed { stream: at as u32, frames: whole.frames() }, whole.loop_points)
    };
    let program = if late.is_some() { program(head) } else { program(clip) };
    let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::new(program), 1), EngineOptions::default());
    let slow = |late: u32| Box::new(Slow { clips: (0..AUDIO.len()).map(clip).collect(), late, waiting: Vec::new() });
    if let Some(late) = late {
        engine.stream_from(slow(late), room, room);
    }
    remote
        .input(estampie_engine::engine::Input { frame: 0, what: estampie_engine::engine::InputKind::Event { event: Key::of(event), emitter: Key::NONE } })
        .unwrap();
    let (mut heard, mut said) = (Vec::new(), 0);
    for block in 0..3_000 {
        if let Some((_, late)) = then.filter(|(at, _)| *at == block) {
            engine.stream_from(slow(late), room, room);
        }
        let mut out = [0.0f32; 128];
        engine.render(&mut out);
        heard.extend(out.iter().step_by(2));
        while let Some(happening) = remote.happening() {
            said += usize::from(matches!(happening.what, What::Notice(Notice::Late(_))));
        }
    }
    (heard, said)
}

fn largest_step(samples: &[f32]) -> f32 {
    samples.windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0, f32::max)
}

#[test]
fn what_comes_late_is_a_hole_without_a_click_and_is_told() {
    for event in ["once", "bent", "round", "tight", "chain"] {
        let (whole, _) = rendered(event, None, 0);
        // 250 calls are 330 ms: in time, just.
        let (in_time, said) = rendered(event, Some(200), 16);
        assert_eq!((differ(&whole, &in_time), said), (None, 0), "{event}");
        let (late, said) = rendered(event, Some(400), 16);
        let differs = differ(&whole, &late);
        assert!(differs.is_some() && said > 0, "{event}: {said}");
        // As loud as it gets it may stop within 64 samples, and begin again.
        let peak = whole.iter().fold(0.0f32, |a, b| a.max(b.abs()));
        let (before, after) = (largest_step(&whole), largest_step(&late));
        assert!(after <= before + peak / 40.0, "{event}: a step of {after}, {before} where nothing is late");
        assert!(late.iter().all(|s| s.abs() <= peak * 1.0001), "{event}");
    }
}

/// What was rendered up to a moment unheard is heard from then on: its reader is another one, and nothing is missing.
#[test]
fn a_reader_that_takes_over_finds_what_was_read() {
    let (whole, _) = rendered("round", None, 0);
    for at in [1, 700, 1_300] {
        let (handed_over, said) = rendered_by("round", Some(1), 4, Some((at, 200)));
        assert_eq!((differ(&whole, &handed_over), said), (None, 0), "after {at} blocks");
    }
    let (whole, _) = rendered("once", None, 0);
    let (late, said) = rendered_by("once", Some(1), 4, Some((300, 400)));
    assert!(differ(&whole, &late).is_some() && said > 0, "one that is too slow would be heard");
}

/// A workshop's engine has as many pages as its voices need, and a thread that makes them; it plays more voices than are made with it, too.
#[test]
fn pages_come_as_they_are_needed_and_neither_they_nor_many_voices_are_allocated_while_it_renders() {
    let head = |at: usize| {
        let whole = clip(at);
        let channels = whole.channels.iter().map(|c| Samples::of(c.stretch(0, c.len().min(HEAD)))).collect();
        Clip::streamed(&whole.name, channels, Streamed { stream: at as u32, frames: whole.frames() }, whole.loop_points)
    };
    let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::new(Program { voices: 700, ..program(head) }), 1), EngineOptions::default());
    let clips: Vec<Clip> = (0..AUDIO.len()).map(clip).collect();
    let fill = move |page: &mut Page| {
        let all = &clips[page.stream as usize].channels;
        let from = page.begin();
        for (side, to) in page.samples.iter_mut().enumerate() {
            let all = &all[side.min(all.len() - 1)];
            let have = all.len().saturating_sub(from).min(PAGE);
            to[..have].copy_from_slice(&all.stretch(from, from + have));
        }
    };
    engine.stream_from(estampie_runtime::ahead(fill, 1024, 16).unwrap(), 0, 1024);
    let mut out = [0.0f32; 128];
    let mut holes = 0;
    for block in 0..900 {
        for _ in 0..if block < 200 { 3 } else { 0 } {
            let event = Key::of(["once", "round", "chain"][block % 3]);
            let what = estampie_engine::engine::InputKind::Event { event, emitter: Key::NONE };
            remote.input(estampie_engine::engine::Input { frame: 0, what }).unwrap();
        }
        assert_no_alloc(|| engine.render(&mut out));
        holes += std::iter::from_fn(|| remote.happening()).filter(|h| matches!(h.what, What::Notice(Notice::Late(_)))).count();
        std::thread::sleep(Duration::from_millis(1));
    }
    assert!(engine.voices() + engine.asleep() > 400, "{} {}", engine.voices(), engine.asleep());
    // A machine that stands still may be late; one that is not has all in time.
    assert!(holes < 5, "{holes} times something was late");
}

#[test]
fn with_too_few_pages_there_are_holes_and_nothing_worse() {
    let (whole, _) = rendered("round", None, 0);
    let (heard, _) = rendered("round", Some(1), 4);
    assert_eq!(differ(&whole, &heard), None, "one voice needs four");
    for event in ["chain", "round"] {
        let (heard, _) = rendered(event, Some(3_000_000), 8);
        // Nothing ever comes: the head is heard, and then nothing.
        assert!(heard[..10_000].iter().any(|s| s.abs() > 0.01));
        assert!(heard[HEAD + 3_000..HEAD + 9_000].iter().all(|s| *s == 0.0), "{event}");
    }
}
