//! `render` neither allocates nor frees, whatever is thrown at it.

use crate::support::program;
use assert_no_alloc::{AllocDisabler, assert_no_alloc};
use estampie_engine::engine::{Engine, Input, InputKind, NOW, Options, Prepared};
use estampie_engine::music::exact::Beats;
use estampie_engine::music::spec::When;
use estampie_engine::names::NameKey;
use estampie_project::midi::{Score, ScoreFile, ScoreNote, Track};
use rand::{Rng as _, SeedableRng as _};
use rand_pcg::Pcg32;
use std::sync::Arc;

#[global_allocator]
static ALLOCATOR: AllocDisabler = AllocDisabler;

const SOUNDS: &str = "[a]\nbus = \"x\"\ntakes = [\"b\", \"audio/two.wav\", \"audio/stereo.wav\"]\nvary = { level = \"-3..3 dB\", pitch = \"-12..12 st\" }\nlow-pass = \"2 kHz\"\nlimit = { each = 3, in-all = 9 }\n\
[b]\npick = \"by deck\"\ntakes = { plank = [\"audio/one.wav\"], grate = [\"audio/three.wav\", \"audio/four.wav\"] }\n\
[c]\nchain = [\"audio/intro.wav\", \"audio/body.wav, loop\", \"audio/one.wav\"]\nfade-in = \"5 ms\"\nlimit = { in-all = 4, when-full = \"refuse\" }\n";
/// What repeats, speaks, cross-fades, is placed, shared and limited as a group.
const FURTHER: &str = "[r]\ngroup = \"g\"\ntakes = [\"a\", \"audio/low.wav, weight 2\"]\npick = \"weighted\"\nrepeat = { every = \"20..90 ms\", length = \"50 ms\" }\nlimit = { each = 2, when-full = \"quietest\" }\ncooldown = \"50 ms\"\nwhen-refused = \"tick\"\n\
[x]\npick = \"across strain\"\nloop = true\ntakes = { \"0\" = [\"audio/one.wav\"], \"0.5\" = [\"generator hiss, level -9 dB\"], \"1\" = [\"audio/stereo.wav\"] }\nre-trigger = \"restart\"\n\
[t]\ngroup = \"g\"\npick = \"together\"\ntakes = [\"audio/one.wav, after 0..40 ms\", \"r\"]\nchance = \"70 %, always when strain over 0.9\"\npriority = { near = 90, far = 5, at = \"50 m\" }\nsend = { wet = \"-20 dB\" }\nfalloff = { level = [\"1 m: 0 dB\", \"60 m: -100 dB\"], width = [\"0 m: 100 %\", \"9 m: 0 %\"], send = [\"0 m: 0 dB\", \"60 m: 12 dB\"], high-pass = [\"0 m: 20 Hz\", \"60 m: 400 Hz\"] }\nlimit = { in-all = 3, when-full = \"farthest\" }\n\
[l]\ntakes = [\"audio/two.wav\", \"audio/intro.wav\"]\nlines = { character = \"s\", gap = \"10..90 ms\", expires-after = \"1 s\" }\n";
const GENERATORS: &str = "[generator.gale]\nkind = \"wind\"\nchannels = \"stereo\"\nvary = { slit = \"-5..5 st\" }\n[generator.swing]\nkind = \"pass-by\"\nduration = \"300 ms\"\n[generator.pump]\nkind = \"pulses\"\ninterval = \"60 ms\"\npattern = \"Xx.\"\n[generator.fire]\nkind = \"crackle\"\ndensity = \"200\"\n[generator.motor]\nkind = \"hum\"\n[generator.tune]\nkind = \"notes\"\nplays = \"i\"\ntune = \"1 3+5! - . b7,\"\nrounds = \"3\"\nwidth = \"40 %\"\n[generator.plate]\nkind = \"modal\"\nring = \"300 ms\"\n[generator.key]\nkind = \"blip\"\n[generator.lamp]\nkind = \"tone\"\nwave = \"saw\"\npartials = \"6\"\nvary = { frequency = \"-12..12 st\" }\nends-after = \"400 ms\"\n";
const GENERATED: &str = "[g]\npick = \"together\"\nlimit = { each = 2, in-all = 5 }\ntakes = [\"generator gale\", \"generator swing\", \"generator pump\", \"generator fire\", \"generator motor\", \"generator plate\", \"generator key\", \"generator lamp\"]\n";
const MOVED: &str = "[[modulation]]\nfrom = \"strain\"\nmoves = \"generator gale speed\"\ncurve = [\"0: 0\", \"1: 40\"]\n[[modulation]]\nfrom = \"loudness\"\nmoves = \"generator motor revolutions\"\ncurve = [\"0: 10 Hz\", \"1: 300 Hz\"]\n";
const SHARED: &str = "[generator.hiss]\nkind = \"noise\"\ncolour = \"pink\"\n[group.g]\nin-all = 6\nwhen-full = \"least important\"\n";
const DERIVED: &str = "[parameters.near]\nmeasure = \"distance to bell\"\n[parameters.far]\nmeasure = \"distance\"\n[parameters.many]\nmeasure = \"count of thing within 30 m\"\n[formulas]\nf = \"max(strain, rate(depth)) / (strain - 0.5)\"\n";
const FURTHER_REACTIONS: &str = "When hit at the 2nd within 1 s\n  say l, first\n  play t at the emitter, after 0.05 s\nWhen tick\n  say l, cutting in\n  play r at the emitter\n  sweep a pitch to -9 st over 0.2 s, smooth then let go\nWhen near becomes under 20 m for 0.1 s once until strain over 0.9\n  play x\nWhen f rises over 1\n  finish r\n  add 0.1 to strain\nWhen far becomes under 9 m\n  play t at the emitter\n";

const MIX: &str = "[player-levels]\nloud = \"x\"\n[buses.x]\nlevel = \"-6 dB\"\nsend = { wet = \"-9 dB\" }\n[buses.y]\ninto = \"x\"\nsend = { wet = \"-3 dB, pre-fader\" }\n[buses.wet]\nreturn = true\n[buses.wet.effect.reverb]\n[snapshots.s]\nwhile = \"deck is silt\"\n[snapshots.s.hold]\n\"bus x level\" = \"to silent\"\n\"bus x low-pass\" = \"to 500 Hz\"\n\"bus wet reverb decay\" = \"to 9 s\"\n[snapshots.t]\n[snapshots.t.hold]\n\"bus y send wet\" = \"by 9 dB\"\n[[duck]]\nsidechain = \"bus y\"\nducks = \"x\"\n[[duck]]\nsidechain = \"sound a\"\nducks = \"y\"\n";

/// Every kind of effect, one after another on the bus x; listened to from y where that can be.
fn every_effect() -> String {
    let mut text = String::new();
    for kind in estampie_engine::dsp::effects::KINDS {
        text.push_str(&format!("[buses.x.effect.{}]\nwet = \"50 %\"\n", kind.word));
        match kind.word {
            "convolution" => text.push_str("file = \"audio/stereo.wav\"\n"),
            "compressor" | "expander" => text.push_str("sidechain = \"y\"\n"),
            _ => {}
        }
    }
    text
}
const MODULATION: &str = "[[modulation]]\nfrom = \"strain\"\nmoves = \"a level\"\ncurve = [\"0: -20 dB, smooth\", \"1: 6 dB\"]\n[[modulation]]\nfrom = \"depth\"\nmoves = \"bus x level\"\ncurve = [\"0 m: 0 dB\", \"100 m: -9 dB\"]\nsmooth = \"90 ms\"\n";
const REACTIONS: &str = "When hit and strain over 0.3\n  play a at the emitter\nWhen hit otherwise\n  play a, chance 50 %\nWhen tick\n  play c\n  set deck to silt\nWhen deck becomes silt\n  finish c\n  send hit\nWhen depth becomes over 50 m\n  stop a over 30 ms\nWhen loop\n  send tick\n  send loop\n  raise t for 0.2 s\n  lower s\nWhen strain becomes over 0.8\n  raise s\n  raise t\n";

/// Two pieces that hold each other down, one of notes; stingers; a playlist.
const MUSIC: &str = "[instrument.i]\nkind = \"plucked string\"\n[instrument.t]\nkind = \"takes\"\ntakes = [\"audio/one.wav, D5\"]\npolyphony = 3\n[piece.p]\ntempo = \"190\"\nfollows = { deck = { plank = \"a\", grate = \"b\", silt = \"silence\" } }\n[piece.p.section.a]\nbars = 1\npick-up = \"1 beat\"\n[piece.p.section.a.layer.x]\nfile = \"audio/one.wav\"\n[piece.p.section.a.layer.y]\nsound = \"r\"\nwhen = \"strain over 0.5\"\n[piece.p.section.b]\nbars = 2\nthen = \"a\"\n[piece.p.section.b.layer.x]\nfile = \"audio/stereo.wav\"\n[[piece.p.transition]]\nfrom = \"any\"\nto = \"any\"\nleave = \"next beat\"\nfade-out = \"1 beat\"\n\
[piece.q]\ntempo = \"240\"\nstep = \"gliding\"\nducks = { p = { by = \"-9 dB\" } }\n[piece.q.section.s]\nbars = 1\nchords = [\"1: C\"]\nchords-by = { deck = { silt = [\"1: Am\", \"1.3: G7\"] } }\n[piece.q.section.s.layer.x]\nnotes = \"music/d.mid\"\ntrack = [\"k\", \"l\"]\ninstrument = \"i\"\n[piece.q.section.s.layer.y]\nnotes = \"music/d.mid\"\ntrack = \"k\"\ninstrument = \"t\"\nfollow-chords = \"nearest\"\nswing = \"60 %\"\n[stinger.h]\nsound = \"b\"\non = \"next beat\"\nduck = { by = \"-6 dB\" }\nwithout-music = \"play anyway\"\n[playlist.e]\npieces = [\"p\", \"q\"]\n";
const MUSIC_MODULATION: &str = "[[modulation]]\nfrom = \"depth\"\nmoves = \"piece q tempo\"\ncurve = [\"0 m: 80 %\", \"100 m: 180 %\"]\n[[modulation]]\nfrom = \"strain\"\nmoves = \"piece q transposition\"\ncurve = [\"0: 0 st\", \"1: 7 st\"]\n";

fn score() -> Score {
    let note = |i: i64| ScoreNote { at: Beats::new(i, 8), length: Beats::new(1, 4), pitch: 50 + (i * 5 % 40) as u8, velocity: 90, channel: 0 };
    let track = |name: &str, step: usize| Track { name: name.to_owned(), notes: (0..32).step_by(step).map(note).collect(), ..Track::default() };
    Score { tracks: vec![track("k", 1), track("l", 3)], ..Score::default() }
}

fn random_input(random: &mut Pcg32, frame: u64) -> Input {
    let key = NameKey::of;
    let pick = |random: &mut Pcg32, names: &[&str]| key(names[random.random_range(0..names.len())]);
    let what = match random.random_range(0..37) {
        0..=4 => InputKind::Event { event: pick(random, &["hit", "tick", "loop", "unknown"]), emitter: pick(random, &["", "bell", "winch"]) },
        5 => {
            InputKind::Parameter { parameter: pick(random, &["strain", "depth", "nothing"]), value: random.random_range(-200.0..400.0), emitter: NameKey::NONE }
        }
        6 => InputKind::Parameter { parameter: key("strain"), value: f32::NAN, emitter: NameKey::NONE },
        7 => InputKind::Glide {
            parameter: pick(random, &["strain", "depth"]),
            from: None,
            to: random.random_range(0.0..120.0),
            frames: random.random_range(0..9000),
        },
        8 => InputKind::State { state: key("deck"), value: pick(random, &["plank", "grate", "silt", "wood", "glass"]) },
        9 => InputKind::Play { sound: pick(random, &["a", "b", "c", "d"]), emitter: key("bell") },
        36 => InputKind::Strike {
            layer: pick(random, &["p/s x", "q/s x", "q/s y", "nothing"]),
            pitch: random.random(),
            velocity: random.random(),
            // Now and then notes are let go.
            frames: if random.random_range(0..4) == 0 { 0 } else { random.random_range(0..60_000) },
        },
        10 => InputKind::Stop { sound: pick(random, &["a", "b", "c", "d"]) },
        11 => InputKind::Mute { bus: pick(random, &["x", "y", "main", "z"]), on: random.random() },
        12 => InputKind::Solo { bus: pick(random, &["x", "y", "z"]), on: random.random() },
        13 | 14 => InputKind::Place {
            emitter: pick(random, &["listener", "bell", "winch", "eel", "reef"]),
            kind: pick(random, &["", "thing"]),
            at: std::array::from_fn(|_| random.random_range(-60.0..60.0)),
            facing: random.random::<bool>().then_some(90.0),
            frames: if random.random() { 0 } else { random.random_range(0..20_000) },
        },
        15 => InputKind::Remove { emitter: pick(random, &["bell", "eel", "nobody"]) },
        16 => InputKind::PlayTake {
            sound: pick(random, &["a", "r", "x", "t"]),
            group: random.random_range(0..3),
            take: random.random_range(0..4),
            from_seconds: [0.0, 0.3, -1.0, f32::NAN, 1e30][random.random_range(0..5)],
        },
        17 => InputKind::Hold { parameter: pick(random, &["f", "near", "strain"]), value: random.random::<bool>().then_some(3.0) },
        18 => InputKind::Waits { factor: random.random_range(-1.0..2.0) },
        19 => InputKind::Chances { always: [None, Some(true), Some(false)][random.random_range(0..3)] },
        20 => InputKind::GateSound { sound: pick(random, &["a", "r", "l"]), solo: random.random(), on: random.random() },
        21 => InputKind::Parameter { parameter: key("loudness"), value: random.random(), emitter: pick(random, &["bell", "eel", ""]) },
        22 => InputKind::Play { sound: pick(random, &["r", "x", "t", "l", "g", "g"]), emitter: pick(random, &["", "bell", "eel"]) },
        23 | 24 => InputKind::Go {
            piece: pick(random, &["p", "q", "z"]),
            section: pick(random, &["a", "b", "s", ""]),
            on: [None, Some(When::AtOnce), Some(When::Beat)][random.random_range(0..3)],
        },
        25 => InputKind::Jump { piece: pick(random, &["p", "q"]), section: pick(random, &["a", "b", "s"]), bar: random.random_range(0..4) },
        26 => InputKind::Sting { stinger: pick(random, &["h", "nothing"]) },
        27 => InputKind::Switch { layer: pick(random, &["p/x", "q/x", "p/w"]), on: random.random() },
        29 => InputKind::PlayerLevel { level: pick(random, &["loud", "nothing"]), value: random.random_range(-3.0..14.0) },
        30 => InputKind::ByHand { snapshot: pick(random, &["s", "t", ""]), share: random.random::<bool>().then(|| random.random()) },
        31 | 32 => InputKind::Bypass { effect: pick(random, &["x reverb", "x limiter", "wet reverb", "bus x send wet", ""]), on: random.random() },
        33 | 34 => InputKind::Tap { bus: pick(random, &["x", "wet", "main", "nothing", ""]) },
        35 => InputKind::SoloDry { on: random.random() },
        28 if random.random() => InputKind::List { list: key("e"), on: random.random() },
        _ => InputKind::StopAll { frames: random.random_range(0..500) },
    };
    Input { frame: if random.random() { NOW } else { frame + random.random_range(0..2000) }, what }
}

#[test]
fn a_storm_of_ten_thousand_inputs_and_edits_allocates_nothing_and_stays_finite_and_limited() {
    let programs: Vec<_> = [SOUNDS.to_owned(), SOUNDS.replace("-3..3 dB", "-9..0 dB"), format!("{SOUNDS}[d]\ntakes = [\"audio/low.wav\"]\n")]
        .iter()
        .map(|sounds| {
            let swept = "When tick\n  play g at the emitter\n  sweep g frequency to 7 st over 0.2 s\n";
            let (sounds, reactions) = (format!("{sounds}{FURTHER}{GENERATED}"), format!("{REACTIONS}{FURTHER_REACTIONS}{swept}"));
            // What is made is made otherwise in every other program.
            let shared = format!("{SHARED}{}", if sounds.contains("-9..0 dB") { GENERATORS.replace("fire", "ember").replace("200", "20") } else { GENERATORS.to_owned() });
            let sounds = if shared.contains("ember") { sounds.replace("generator fire", "generator ember") } else { sounds };
            let modulation = format!("{MODULATION}{MUSIC_MODULATION}{MOVED}[[modulation]]\nfrom = \"loudness\"\nmoves = \"t pitch\"\ncurve = [\"0: 0 st\", \"1: 5 st\"]\n[[modulation]]\nfrom = \"strain\"\nmoves = \"bus wet reverb size\"\ncurve = [\"0: 30 %\", \"1: 150 %\"]\n[[modulation]]\nfrom = \"depth\"\nmoves = \"snapshot t amount\"\ncurve = [\"0 m: 0 %\", \"100 m: 100 %\"]\n[[modulation]]\nfrom = \"f\"\nmoves = \"r every\"\ncurve = [\"0: 0 s\", \"1: 0.2 s\"]\n");
            // The effects of x come and go with every other program.
            let mix = if sounds.contains("-9..0 dB") { MIX.to_owned() } else { format!("{MIX}{}", every_effect()) };
            let game = format!("{}{DERIVED}", crate::support::GAME);
            let notes = ScoreFile::of(&score()).to_text();
            let files = [("game.toml", game.as_str()), ("shared.toml", shared.as_str()), ("sounds/all.toml", &sounds), ("mix.toml", &mix), ("modulation.toml", &modulation), ("reactions.est", &reactions)];
            let files: Vec<_> = files.into_iter().chain([("music/all.toml", MUSIC), ("music/d.mid", notes.as_str())]).collect();
            crate::support::compile_and_load(&files, vec![])
        })
        .chain([program("[a]\ntakes = [\"audio/one.wav\"]\n", "", "", "When hit\n  play a\n")])
        .collect();
    let mut random = Pcg32::seed_from_u64(42);
    let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::clone(&programs[0]), 1), Options { tap_frames: 4096, ..Options::default() });
    // Taken now and then: mostly it is full.
    let mut tap = remote.take_tap();
    let mut tapped = 0;
    let mut out = vec![0.0f32; 2 * 1024];
    let (mut sent, mut heard) = (0, 0.0f32);
    while sent < 10_000 {
        for _ in 0..random.random_range(0..8) {
            if remote.input(random_input(&mut random, engine.frame())).is_ok() {
                sent += 1;
            }
        }
        if random.random_range(0..12) == 0 {
            let next = &programs[random.random_range(0..programs.len())];
            let _ = remote.program(Box::new(Prepared::new(Arc::clone(next), 1)));
        }
        let frames = random.random_range(1..1024);
        let part = &mut out[..frames * 2];
        assert_no_alloc(|| engine.render(part));
        assert!(part.iter().all(|s| s.is_finite() && s.abs() <= 1.0));
        heard = part.iter().fold(heard, |h, s| h.max(s.abs()));
        if random.random_range(0..20) == 0 {
            tapped += std::iter::from_fn(|| tap.pop().ok()).inspect(|s| assert!(s.is_finite())).count();
        }
        // The other side is now and then away for a while.
        if random.random_range(0..5) > 0 {
            while remote.happening().is_some() {}
            if let Some(status) = remote.status() {
                remote.give_back(status);
            }
        }
    }
    assert!(heard > 0.1 && tapped > 10_000, "the storm was heard and handed out: {heard}, {tapped}");
}
