//! The past: what is kept tells what was seen, lanes hold what happened, and a playthrough from a moment on renders what was heard.

use crate::support::{Bench, program};
use estampie_engine::engine::{BLOCK, Engine, Input, InputKind, NOW, Options, Prepared, Status};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::units::Seconds;
use estampie_project::language::{Playthrough, playthrough};
use estampie_proof::keep::{From, keep, parted};
use estampie_proof::offline::{Recorder, Rendering};
use estampie_proof::trace::kept::{Kept, Measured, Track};
use estampie_proof::trace::lanes::{Content, Follows, Group, Lane, Wanted, content, lanes, touches};
use proptest::prelude::*;
use rand::{Rng as _, SeedableRng as _};
use std::sync::Arc;

const SOUNDS: &str = "[a]\ntakes = [\"audio/one.wav\", \"audio/two.wav\"]\nvary = { level = \"-6..0 dB\", pitch = \"-5..5 st\" }\nfalloff = { level = [\"1 m: 0 dB\", \"30 m: -24 dB\"] }\n[run]\nchain = [\"audio/low.wav, loop\"]\nlimit = { in-all = 1, when-full = \"refuse\" }\n[plain]\nbus = \"x\"\ntakes = [\"audio/three.wav\"]\n";
const MIX: &str = "[buses.x]\nlevel = \"-3 dB\"\n[snapshots.low]\nrise = \"0.2 s\"\n[snapshots.low.hold]\n\"bus x level\" = \"by -6 dB\"\n";
const REACTIONS: &str = "When hit\n  play a at the emitter\n\nWhen tick and strain over 0.5\n  play run\n\nWhen tick\n  play plain\n\nWhen strain rises over 0.8\n  set deck to grate\n\nWhen deck becomes silt\n  stop run over 0.1 s\n  raise snapshot low for 0.5 s\n";

fn render(program: &Arc<Program>, text: &str) -> Vec<f32> {
    let (playthrough, faults) = playthrough::parse("kept.play", text);
    assert_eq!(faults, vec![], "{text}");
    let mut rendering = Rendering::new(program, &playthrough, None, Seconds(0.0));
    let (mut all, mut part) = (Vec::new(), Vec::new());
    while rendering.left() > 0 {
        rendering.next(4_321, &mut part, |_| {});
        all.extend_from_slice(&part);
    }
    all
}

/// What a rehearsal with drawn inputs came to.
struct Rehearsed {
    program: Arc<Program>,
    said: Playthrough,
    heard: Vec<f32>,
    kept: Kept,
    /// What was seen, at every status.
    seen: Vec<Status>,
}

fn rehearse(seed: u64, steps: usize, draw: impl Fn(&mut rand_pcg::Pcg32) -> Option<InputKind>) -> Rehearsed {
    let program = program(SOUNDS, MIX, "[[modulation]]\nfrom = \"strain\"\nmoves = \"plain level\"\ncurve = [\"0: -12 dB\", \"1: 0 dB\"]\n", REACTIONS);
    let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::clone(&program), seed), Options { status_every: 8, ..Options::default() });
    let mut random = rand_pcg::Pcg32::seed_from_u64(seed);
    let (mut recorder, mut kept, mut heard, mut seen) = (Recorder::new(&program, seed), Kept::new(48_000), Vec::new(), Vec::new());
    let mut names = program.names.clone();
    names.add("bell");
    for _ in 0..steps {
        if let Some(what) = draw(&mut random) {
            remote.input(Input { frame: NOW, what }).unwrap();
        }
        for _ in 0..random.random_range(10..60) {
            let mut part = vec![0.0f32; 2 * BLOCK];
            engine.render(&mut part);
            heard.extend(part);
            while let Some(happening) = remote.happening() {
                recorder.note(&happening, &names);
                kept.note(&happening);
            }
            if let Some(status) = remote.status() {
                kept.note_status(&status, &program, Measured::default());
                seen.push((*status).clone());
                remote.give_back(status);
            }
        }
    }
    let said = recorder.finish(heard.len() as u64 / 2);
    Rehearsed { program, said, heard, kept, seen }
}

fn anything(random: &mut rand_pcg::Pcg32) -> Option<InputKind> {
    let key = NameKey::of;
    Some(match random.random_range(0..8) {
        0 | 1 => InputKind::Event { event: key("hit"), emitter: key(if random.random() { "bell" } else { "" }) },
        2 | 3 => InputKind::Event { event: key("tick"), emitter: NameKey::NONE },
        4 => InputKind::Glide { parameter: key("strain"), from: None, to: random.random_range(0.0..1.0), frames: random.random_range(0..20_000) },
        5 => InputKind::Place {
            emitter: key("bell"),
            kind: NameKey::NONE,
            at: std::array::from_fn(|_| random.random_range(-20.0..20.0)),
            facing: None,
            frames: random.random_range(0..9_000),
        },
        6 => InputKind::State { state: key("deck"), value: key(["plank", "silt", "grate"][random.random_range(0..3)]) },
        _ => return None,
    })
}

#[test]
fn kept_with_all_that_came_before_it_renders_what_was_heard_to_the_bit() {
    for seed in 1..8u64 {
        let it = rehearse(seed, 60, anything);
        let mut random = rand_pcg::Pcg32::seed_from_u64(seed + 100);
        let frame = random.random_range(0..it.heard.len() as u64 / 2 - 20_000);
        let kept = keep(&it.said, None, &it.program.names, frame, 48_000, From::Beginning).to_string();
        let rendered = render(&it.program, &kept);
        let heard = &it.heard[2 * frame as usize..];
        let differs = heard.iter().zip(&rendered).position(|(a, b)| a.to_bits() != b.to_bits());
        assert_eq!(differs, None, "seed {seed} from {frame}: {differs:?} of {}", heard.len());
        assert!(rendered.len() >= heard.len() && heard.iter().any(|s| s.abs() > 0.02));
    }
}

#[test]
fn kept_from_a_quiet_moment_it_renders_the_same_once_what_stood_is_set() {
    for seed in 1..8u64 {
        // Nothing drawn at random, and no loop: what sounds after a silence hangs on what stands alone.
        let calm = |random: &mut rand_pcg::Pcg32| {
            let key = NameKey::of;
            Some(match random.random_range(0..4) {
                0 => InputKind::Parameter { parameter: key("strain"), value: random.random_range(0.0..0.49), emitter: NameKey::NONE },
                1 => InputKind::State { state: key("deck"), value: key(["plank", "grate"][random.random_range(0..2)]) },
                _ => InputKind::Event { event: key("tick"), emitter: NameKey::NONE },
            })
        };
        let it = rehearse(seed, 60, calm);
        // The last block border before a long silence has an end.
        let silent = |at: usize| it.heard[2 * at..2 * (at + BLOCK)].iter().all(|s| *s == 0.0);
        let blocks = it.heard.len() / 2 / BLOCK;
        let Some(block) = (200..blocks - 100).find(|b| silent(b * BLOCK) && silent((b - 1) * BLOCK) && it.seen.iter().any(|s| s.frame == (b * BLOCK) as u64))
        else {
            continue;
        };
        let frame = (block * BLOCK) as u64;
        let stood = it.seen.iter().find(|s| s.frame == frame).unwrap();
        let text = keep(&it.said, Some((stood, &it.program)), &it.program.names, frame, 48_000, From::Here).to_string();
        let rendered = render(&it.program, &text);
        let heard = &it.heard[2 * frame as usize..];
        let differs = heard.iter().zip(&rendered).position(|(a, b)| a.to_bits() != b.to_bits());
        assert_eq!(differs, None, "seed {seed} from {frame}: {differs:?} of {}\n{text}", heard.len());
    }
}

#[test]
fn what_stands_at_a_moment_is_what_the_first_lines_say() {
    let said = "seed 3\n0 depth 10\n1 depth 10 to 50 over 4 s\n1 deck is silt\n2 emitter bell a bell at 1, 2 facing 90\n2.5 emitter bell at 5, 2 over 1 s\n2.5 loudness on bell 0.5\n2.8 player level music 4\n3 walk listener to 10, 0 at 2 m/s\n3.2 emitter eel at 1, 1\n3.4 remove eel\n3.5 send hit\n6 send tick\n9 end\n";
    let (said, faults) = playthrough::parse("", said);
    assert_eq!(faults, vec![]);
    let text = |at: f64| keep(&said, None, &Default::default(), (at * 48_000.0) as u64, 48_000, From::Here).to_string();
    let rows = |at: f64| text(at).lines().map(|l| l.split_whitespace().collect::<Vec<_>>().join(" ")).collect::<Vec<_>>();
    // A glide goes on from where it was; so does who is on the way. Events of before are over, and what is gone is gone.
    assert_eq!(
        rows(3.0),
        [
            "seed 3",
            "0 depth 30 to 50 over 2 s",
            "0 deck is silt",
            "0 emitter bell a bell at 3, 2 facing 90",
            "0 loudness on bell 0.5",
            "0 player level music 4",
            "0 emitter bell at 5, 2 over 0.5 s",
            "0 walk listener to 10, 0 at 2 m/s",
            "0.2 emitter eel at 1, 1",
            "0.4 remove eel",
            "0.5 send hit",
            "3 send tick",
            "6 end",
        ]
    );
    assert_eq!(
        rows(5.5)[1..7],
        ["0 depth 50", "0 deck is silt", "0 emitter bell a bell at 5, 2 facing 90", "0 loudness on bell 0.5", "0 player level music 4", "0 listener at 10, 0"]
    );
    // The walk of the listener began where nobody had said: he is there, and does not go anywhere.
    assert_eq!(rows(5.5)[7..], ["0.5 send tick", "3.5 end"]);
    assert_eq!(parted(&said, Seconds(0.0)).0, vec![]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]
    #[test]
    fn the_past_tells_what_was_seen_when_it_was_the_present(seed in 1u64..10_000) {
        let it = rehearse(seed, 40, anything);
        for status in &it.seen {
            let found = it.kept.at(status.frame).unwrap();
            prop_assert!(found.frame <= status.frame && status.frame - found.frame <= 2_400 + 512, "{} at {}", found.frame, status.frame);
            // Why of the past is why as it was seen, to the last figure.
            let seen = it.seen.iter().find(|s| s.frame == found.frame).unwrap();
            prop_assert_eq!(found, seen);
            for voice in &found.voices {
                let sum: f32 = found.terms_of(voice).iter().filter(|t| t.property == estampie_engine::property::Property::Level).map(|t| t.value).sum();
                prop_assert!((sum - voice.heard_db).abs() < 0.01, "terms add up: {sum} is {}", voice.heard_db);
            }
        }
        // Values at their frames, against the statuses.
        let strain = it.program.find_parameter.get(NameKey::of("strain")).unwrap();
        for status in it.seen.iter().step_by(7) {
            let value = it.kept.value(Track::Parameter(NameKey::of("strain")), status.frame).unwrap();
            let near = it.seen.iter().filter(|s| s.frame + 2_112 >= status.frame && s.frame <= status.frame + 2_112).map(|s| s.parameters[strain].value);
            prop_assert!(near.clone().any(|v| v == value), "{value} is none of {:?}", near.collect::<Vec<_>>());
        }
        // Every voice that was seen lies on a lane of its sound, over the frame at which it was seen.
        let whole = (0, it.kept.now());
        let all = lanes(&it.kept, &it.program, &it.program.names, whole, &Wanted::default());
        for status in it.seen.iter().step_by(5) {
            for voice in &status.voices {
                let lane = all.iter().find(|l| l.follows == Follows::Sound && l.key == voice.sound).unwrap();
                let Content::Bars(bars, _) = content(lane, &it.kept, &it.program, &it.program.names, whole) else { panic!("a lane of bars") };
                prop_assert!(bars.iter().any(|(from, to, _)| *from <= status.frame && *to + 64 >= status.frame));
            }
        }
        // The states lie over the whole time without a gap, as they were seen.
        let deck = all.iter().find(|l| l.follows == Follows::State).unwrap();
        let Content::Stretches(list) = content(deck, &it.kept, &it.program, &it.program.names, whole) else { panic!("a lane of stretches") };
        prop_assert!(list.windows(2).all(|w| w[0].1 == w[1].0) && list.last().unwrap().1 == whole.1);
        let state = it.program.find_state.get(NameKey::of("deck")).unwrap();
        for status in &it.seen {
            let is = it.program.names.get(it.program.states[state].values[usize::from(status.states[state])]);
            let lies = list.iter().find(|(from, to, _)| *from <= status.frame && *to > status.frame).or(list.last()).unwrap();
            prop_assert_eq!(&lies.2, is, "at {}", status.frame);
        }
    }
}

#[test]
fn lanes_are_folded_chosen_and_only_those_that_matter() {
    let program = program(SOUNDS, MIX, "", REACTIONS);
    let mut bench = Bench::new(&program, 1);
    let mut kept = Kept::new(48_000);
    let mut go = |bench: &mut Bench, blocks: usize| {
        for _ in 0..blocks {
            bench.render(64);
            bench.happenings.drain(..).for_each(|h| kept.note(&h));
            if let Some(status) = &bench.status {
                kept.note_status(status, &program, Measured::default());
            }
        }
    };
    go(&mut bench, 100);
    bench.parameter("strain", 0.7);
    bench.event(NOW, "tick");
    go(&mut bench, 200);
    bench.event(NOW, "tick");
    bench.event(NOW, "hit");
    go(&mut bench, 200);
    bench.state("deck", "silt");
    go(&mut bench, 200);
    let window = (0, kept.now());
    let named = |wanted: &Wanted| lanes(&kept, &program, &program.names, window, wanted).into_iter().map(|l| l.name).collect::<Vec<_>>();
    let key = NameKey::of;
    assert_eq!(named(&Wanted::default()), ["events", "deck", "strain", "low", "a", "plain", "run", "main", "x", "loudness", "peak", "voices", "dsp"]);
    assert_eq!(named(&Wanted { refused: true, ..Wanted::default() }), ["run"], "it was asked for again while it played");
    let folded = [Group::Game, Group::Buses, Group::Output].into();
    assert_eq!(named(&Wanted { folded, ..Wanted::default() }), ["low", "a", "plain", "run"]);
    let only = |name: &str| {
        let only = Some(touches(&kept, &program, key(name)));
        named(&Wanted { only, folded: [Group::Output].into(), ..Wanted::default() })
    };
    // What leads to it and what it leads to, not what has the same cause.
    assert_eq!(only("run"), ["events", "deck", "strain", "run", "main"]);
    assert_eq!(only("plain"), ["events", "deck", "low", "plain", "main", "x"], "the snapshot takes some of it, and the state raises that");
    assert_eq!(only("x"), ["events", "plain", "x"]);
    assert_eq!(only("deck"), ["events", "deck", "low", "plain", "run"]);
    let run = Lane { group: Group::Sounds, follows: Follows::Sound, key: key("run"), name: "run".into() };
    let Content::Bars(bars, refused) = content(&run, &kept, &program, &program.names, window) else { panic!("a lane of bars") };
    assert_eq!((bars.len(), refused.len(), bars[0].2), (1, 1, false), "it was stopped by the state");
}

#[test]
fn effects_that_turn_down_and_lines_that_wait_have_lanes_while_they_do() {
    let sounds = "[loud]\nbus = \"x\"\ntakes = [\"audio/low.wav\"]\nloop = true\nfade-in = \"10 ms\"\n[\"guide/one\"]\nlines = { character = \"guide\", gap = \"0.1 s\" }\ntakes = [\"audio/one.wav\"]\n";
    let mix = "[buses.x]\n[buses.x.effect.limiter]\nceiling = \"-30 dB\"\n[buses.x.effect.eq]\n";
    let program = program(sounds, mix, "", "When hit\n  play loud\n\nWhen tick\n  say guide/one\n");
    let mut bench = Bench::new(&program, 1);
    let mut kept = Kept::new(48_000);
    let (mut most, mut waited) = (0.0f32, 0);
    for block in 0..400 {
        match block {
            100 => bench.event(NOW, "hit"),
            200 | 210 | 220 => bench.event(NOW, "tick"),
            _ => {}
        }
        bench.render(64);
        bench.happenings.drain(..).for_each(|h| kept.note(&h));
        if let Some(status) = &bench.status {
            kept.note_status(status, &program, Measured::default());
            most = most.max(status.reductions.iter().map(|(_, db)| -db).fold(0.0, f32::max));
            waited = waited.max(status.lines.iter().filter(|l| !l.speaking).count());
        }
    }
    let named = |window: (u64, u64)| lanes(&kept, &program, &program.names, window, &Wanted::default());
    let quiet: Vec<String> = named((0, 90 * 64)).into_iter().map(|l| l.name).collect();
    assert!(!quiet.iter().any(|name| name == "x limiter" || name == "guide waits"), "{quiet:?}");
    let whole = (0, kept.now());
    let all = named(whole);
    assert!(!all.iter().any(|l| l.name == "x eq"), "what does not turn down has none");
    let greatest = |name: &str| {
        let lane = all.iter().find(|l| l.name == name).unwrap_or_else(|| panic!("no lane {name}"));
        let Content::Values { points, .. } = content(lane, &kept, &program, &program.names, whole) else { panic!("a lane of values") };
        points.iter().map(|p| p.1).fold(0.0, f32::max)
    };
    assert!(most > 6.0 && (greatest("x limiter") - most).abs() < 1e-4, "{most}");
    assert!(waited >= 2 && greatest("guide waits") == waited as f32, "{waited}");
}
