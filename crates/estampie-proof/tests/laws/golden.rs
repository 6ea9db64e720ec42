//! Renderings held to the bit: a change of the structure may not change a sample.
//!
//! `tests/data/renderings.txt` holds a hash of all samples (32 bits) of every playthrough of the demo and of small projects that together
//! use what can be written. Where a change is meant to be heard, `ESTAMPIE_RENDERINGS=write` writes the file anew, and the difference shows
//! in the commit what has changed. Its first line says by what mathematics it was written: sines and powers come from the system's
//! library, and another one rounds otherwise; then only what it is compared with is said, and nothing is held.

use crate::support::{Bench, GAME, compile_and_load, program_with};
use estampie_engine::engine::{InputKind, NOW};
use estampie_engine::music::Kind;
use estampie_engine::music::exact::Beats;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_project::midi::{Score, ScoreFile, ScoreNote, Track};
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::Arc;

/// FNV-1a over the bits of all samples.
pub(crate) fn hash<'a>(samples: impl IntoIterator<Item = &'a f32>) -> u64 {
    samples.into_iter().fold(0xcbf2_9ce4_8422_2325, |hash, s| (hash ^ u64::from(s.to_bits())).wrapping_mul(0x0100_0000_01b3))
}

/// What the system's library makes of sines, powers and logarithms.
fn mathematics() -> u64 {
    let values: Vec<f32> = (1..4_000)
        .flat_map(|n| {
            let x = n as f32 * 0.013;
            [x.sin(), x.cos(), x.exp2(), (-x).exp(), x.ln(), x.log10(), x.powf(1.7), x.tan(), x.atan2(2.0)]
        })
        .collect();
    hash(&values)
}

fn file() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/data/renderings.txt")
}

/// Holds renderings to what is written, or writes them.
pub(crate) fn hold(list: &[(String, u64)]) {
    let text = std::fs::read_to_string(file()).unwrap_or_default();
    let mut kept: BTreeMap<String, String> = text.lines().filter_map(|l| l.split_once("  ")).map(|(n, h)| (n.trim().to_owned(), h.trim().to_owned())).collect();
    let own = format!("{:016x}", mathematics());
    if std::env::var("ESTAMPIE_RENDERINGS").is_ok_and(|v| v == "write") {
        kept.insert("mathematics".into(), own);
        kept.extend(list.iter().map(|(name, hash)| (name.clone(), format!("{hash:016x}"))));
        let text: String = kept.iter().map(|(name, hash)| format!("{name:<28}  {hash}\n")).collect();
        std::fs::write(file(), text).unwrap();
        return;
    }
    if kept.get("mathematics") != Some(&own) {
        eprintln!("the renderings were written by a machine with other mathematics: nothing is held");
        return;
    }
    let wrong: Vec<&str> = list.iter().filter(|(name, hash)| kept.get(name) != Some(&format!("{hash:016x}"))).map(|(name, _)| name.as_str()).collect();
    assert!(wrong.is_empty(), "these are no longer the same to the bit: {}", wrong.join(", "));
}

/// A small project: its name, and its files besides the usual ones.
type Small = (&'static str, &'static [(&'static str, &'static str)]);

const MIX: &str = "mix.toml";
const SOUNDS: &str = "sounds/all.toml";
const ON: &str = "reactions.est";
const HUM: &str =
    "[x]\nbus = \"a\"\nloop = true\ntakes = [\"audio/low.wav\"]\n[y]\nbus = \"a\"\ntakes = [\"audio/one.wav\", \"audio/two.wav\", \"audio/three.wav\"]\n";
const PLAY: &str = "When hit\n  play x\nWhen tick\n  play y at the emitter\nWhen loop\n  stop x\n";

/// A bus with one effect at work, and a voice on it.
macro_rules! effect {
    ($name:literal, $settings:literal) => {
        (
            concat!("effect ", $name),
            &[(SOUNDS, HUM), (ON, PLAY), (MIX, concat!("[buses.a]\nlevel = \"-6 dB\"\n[buses.a.effect.", $name, "]\n", $settings))] as &[(&str, &str)],
        )
    };
}

const SMALL: &[Small] = &[
    ("sound plain", &[(SOUNDS, HUM), (ON, PLAY), (MIX, "[buses.a]\n")]),
    (
        "sound varied",
        &[
            (
                SOUNDS,
                "[x]\ntakes = [\"audio/one.wav, weight 3\", \"audio/two.wav, level -3 dB, pitch 2 st, after 0..50 ms, from 0.2 s\"]\npick = \"weighted, not the last\"\nvary = { level = \"-6..0 dB, centred\", pitch = \"-3..3 st\", low-pass = \"800 Hz..9 kHz\", high-pass = \"30 Hz..300 Hz\", pan = \"80 % left..80 % right\", after = \"0..30 ms\", from = \"0..0.1 s\" }\n[y]\ntakes = [\"x\"]\nchance = \"70 %\"\n",
            ),
            (ON, "When hit\n  play x\nWhen tick\n  play y\n"),
        ],
    ),
    (
        "sound shape",
        &[
            (
                SOUNDS,
                "[x]\nloop = true\ntakes = [\"audio/dc.wav\"]\nshape = { delay = \"20 ms\", attack = \"0.2 s\", hold = \"0.1 s\", decay = \"0.3 s\", sustain = \"-9 dB\", release = \"0.4 s\", curve = \"power 2\" }\nlow-pass = \"2 kHz\"\nhigh-pass = \"50 Hz\"\npitch = \"5 st\"\n",
            ),
            (ON, PLAY_X),
        ],
    ),
    (
        "sound chain",
        &[
            (
                SOUNDS,
                "[x]\nchain = [\"audio/intro.wav, gap 40 ms\", \"audio/body.wav, 2..3 times, overlap 10 ms\", \"audio/one.wav, loop\", \"audio/two.wav\"]\n",
            ),
            (ON, "When hit\n  play x\nWhen loop\n  finish x\n"),
        ],
    ),
    (
        "sound repeat",
        &[
            (
                SOUNDS,
                "[x]\ntakes = [\"audio/one.wav\", \"audio/two.wav\"]\npick = \"cycle\"\nrepeat = { every = \"50..200 ms\", times = \"9..14\", length = \"70 ms\" }\nshape = { attack = \"5 ms\", release = \"30 ms\" }\n",
            ),
            ("modulation.toml", "[[modulation]]\nfrom = \"strain\"\nmoves = \"x every\"\ncurve = [\"0: 0 s\", \"1: 0.2 s\"]\n"),
            (ON, PLAY_X),
        ],
    ),
    (
        "sound limits",
        &[
            (
                SOUNDS,
                "[x]\ntakes = [\"audio/low.wav\"]\nlimit = { each = 1, in-all = 2, when-full = \"quietest\" }\n[y]\ntakes = [\"audio/one.wav\"]\ncooldown = \"0.3 s\"\nre-trigger = \"restart\"\npriority = { near = 70, far = 20, at = \"9 m\" }\n",
            ),
            (ON, "When hit\n  play x at the emitter\n  play y\nWhen tick\n  play x\n  play y\n"),
        ],
    ),
    (
        "sound by state and across",
        &[
            (
                SOUNDS,
                "[x]\nloop = true\npick = \"across strain, equal power\"\ntakes = { \"0\" = [\"audio/low.wav\"], \"0.5\" = [\"audio/one.wav\"], \"1\" = [\"audio/two.wav\"] }\n[y]\npick = \"by deck\"\ntakes = { plank = [\"audio/one.wav\"], grate = [\"audio/two.wav\"], silt = [\"audio/three.wav\"] }\n",
            ),
            (ON, PLAY),
        ],
    ),
    (
        "lines",
        &[
            (
                SOUNDS,
                "[x]\ntakes = [\"audio/one.wav\", \"audio/two.wav\"]\nlines = { like = \"radio\", rank = 20 }\n[y]\ntakes = [\"audio/three.wav\"]\nlines = { like = \"radio\", rank = 60, cuts-in = true }\n",
            ),
            ("shared.toml", "[lines.radio]\ncharacter = \"radio\"\ngap = \"0.1..0.3 s\"\n"),
            (ON, "When hit\n  say x\nWhen tick\n  say y\nWhen loop\n  say x, first\n"),
        ],
    ),
    (
        "modulations",
        &[
            (SOUNDS, HUM),
            (MIX, "[buses.a]\n"),
            (
                "modulation.toml",
                "[[modulation]]\nfrom = \"strain\"\nmoves = \"x level\"\ncurve = [\"0: -12 dB, smooth\", \"1: 0 dB\"]\n[[modulation]]\nfrom = \"depth\"\nmoves = \"x pitch\"\ncurve = [\"0 m: 0 st, power 2\", \"100 m: -7 st\"]\nsmooth = \"0.2 s\"\n[[modulation]]\nfrom = \"depth\"\nmoves = \"x low-pass\"\ncurve = [\"0 m: 0 oct\", \"100 m: 400 Hz\"]\n[[modulation]]\nfrom = \"strain\"\nmoves = \"y chance\"\ncurve = [\"0: 0 %\", \"1: -60 %\"]\n",
            ),
            (ON, PLAY),
        ],
    ),
    (
        "sweeps",
        &[
            (SOUNDS, HUM),
            (MIX, "[buses.a]\n"),
            (
                ON,
                "When hit\n  play x\nWhen tick\n  sweep x pitch to 7 st over 0.5 s, smooth then let go\n  sweep x low-pass to 500 Hz over 0.3 s\n  sweep x pan to 60 % left over 0.2 s\n",
            ),
        ],
    ),
    (
        "formulas and clocks",
        &[
            ("game.toml", FORMULAS),
            (SOUNDS, HUM),
            (MIX, "[buses.a]\n"),
            ("modulation.toml", "[[modulation]]\nfrom = \"danger\"\nmoves = \"y level\"\ncurve = [\"0: -9 dB\", \"1: 0 dB\"]\n"),
            (ON, "When every 130..260 ms while danger over 0.2\n  play y\nWhen hit since 0.4 s\n  play x\nWhen strain rises over 0.6\n  play y, after 0.1 s\n"),
        ],
    ),
    (
        "sends and returns",
        &[
            (SOUNDS, HUM),
            (
                MIX,
                "[buses.a]\nsend = { r = \"-6 dB, pre-fader\" }\nlow-pass = \"5 kHz\"\nhigh-pass = \"80 Hz\"\npan = \"30 % left\"\n[buses.r]\nreturn = true\n[buses.r.effect.reverb]\npreset = \"nave\"\n",
            ),
            (ON, PLAY),
        ],
    ),
    (
        "snapshots",
        &[
            (SOUNDS, HUM),
            (
                MIX,
                "[buses.a]\n[buses.a.effect.tone]\nkind = \"eq\"\nlow-gain = \"3 dB\"\n[snapshots.wet]\nrise = \"0.3 s, smooth\"\nfall = \"0.2 s\"\nwhile = \"strain over 0.5\"\n[snapshots.wet.hold]\n\"bus a level\" = \"by -6 dB\"\n\"bus a pan\" = \"to 50 % right\"\n\"bus a tone low-gain\" = \"to -9 dB\"\n[snapshots.off]\nfall = \"0.1 s\"\norder = 2\n[snapshots.off.hold]\n\"bus a level\" = \"to silent\"\n",
            ),
            (ON, "When hit\n  play x\nWhen tick\n  raise off for 0.3 s\n"),
        ],
    ),
    (
        "ducks",
        &[
            (SOUNDS, "[x]\nbus = \"a\"\nloop = true\ntakes = [\"audio/low.wav\"]\n[y]\nbus = \"b\"\ntakes = [\"audio/one.wav\"]\n"),
            (
                MIX,
                "[buses.a]\n[buses.b]\n[[duck]]\nsidechain = \"bus b\"\nducks = \"a\"\nby = \"-12 dB\"\nover = \"-50 dB\"\nattack = \"20 ms\"\nhold = \"0.1 s\"\nrelease = \"0.3 s\"\n",
            ),
            (ON, PLAY),
        ],
    ),
    ("player levels", &[(SOUNDS, HUM), (MIX, "[player-levels]\nfx = \"a\"\n[buses.a]\n"), (ON, PLAY)]),
    (
        "world flat and placed",
        &[
            (SOUNDS, PLACED),
            (
                "world.toml",
                "start = \"0, 0\"\n[emitters.lamp]\nat = \"3, 8\"\nplays = \"x\"\n[emitters.cart]\npath = [\"-5, 2\", \"9, 2\"]\nspeed = \"3 m/s\"\nplays = \"x\"\n",
            ),
            (ON, "When tick\n  play y at the emitter\n"),
        ],
    ),
    (
        "world zones and doorways",
        &[
            (SOUNDS, PLACED),
            (MIX, "[buses.r]\nreturn = true\n[buses.r.effect.reverb]\nwet = \"100 %\"\n"),
            (
                "world.toml",
                "start = \"1, 1\"\n[zones.hall]\noutline = [\"0, 0\", \"9, 0\", \"9, 6\", \"0, 6\"]\nreverb = { r = \"-9 dB\" }\noutside = { level = \"-9 dB\", low-pass = \"900 Hz\" }\n[zones.yard]\nat = \"14, 3\"\nradius = \"5 m\"\nambience = \"y\"\nsets = \"deck is grate\"\n[doorways.gate]\nbetween = [\"hall\", \"yard\"]\nline = [\"9, 2\", \"9, 4\"]\nopen = { from = \"strain\", curve = [\"0: 20 %\", \"1: 100 %\"] }\n[emitters.lamp]\nat = \"15, 3\"\nplays = \"x\"\n",
            ),
        ],
    ),
    (
        "world trails walls one-shots",
        &[
            (SOUNDS, PLACED),
            (
                "world.toml",
                "start = \"0, 0\"\n[trails.stream]\nline = [\"-6, 3\", \"0, 4\", \"8, 3\"]\nplays = \"x\"\n[walls.pier]\nline = [\"2, -4\", \"2, 5\"]\nlevel = \"-9 dB\"\nlow-pass = \"1 kHz\"\n[one-shots.drip]\nplays = \"y\"\nevery = \"0.1..0.4 s\"\naround = \"2..6 m\"\n[zones.reeds]\nat = \"3, 3\"\nradius = \"9 m\"\n[flocks.f]\nplays = \"y\"\nwithin = \"reeds\"\nplaces = 12\nmost = 4\nrange = \"20 m\"\nevery = \"0.2..0.6 s\"\n",
            ),
        ],
    ),
    (
        "world headphones",
        &[
            (SOUNDS, PLACED),
            ("world.toml", "start = \"0, 0\"\nheard-by = \"headphones\"\n[emitters.lamp]\nat = \"5, 1\"\nplays = \"x\"\n"),
            (ON, "When tick\n  play y at the emitter\n"),
        ],
    ),
    (
        "emitters that go",
        &[
            (
                SOUNDS,
                "[x]\nloop = true\nwhen-emitter-goes = \"stays\"\ntakes = [\"audio/low.wav\"]\nfalloff = { level = \"inverse from 1 m to 40 m\", doppler = \"100 %\" }\n[y]\ntakes = [\"audio/one.wav\"]\nfalloff = { level = [\"0 m: 0 dB\", \"30 m: -30 dB\"], cone = [\"40 deg: 0 dB\", \"150 deg: -9 dB\"] }\n",
            ),
            (ON, "When hit\n  play x at the emitter\nWhen tick\n  play y at the emitter\n"),
        ],
    ),
    ("music layers", &[("music/all.toml", MUSIC), (ON, GO)]),
    (
        "music notes",
        &[
            (
                "music/all.toml",
                "[instrument.lute]\nkind = \"plucked string\"\nwidth = \"50 %\"\npan = \"20 % left\"\n[stinger.s]\nsound = \"y\"\non = \"next beat\"\nduck = { by = \"-6 dB\" }\n[piece.dance]\ntempo = \"140\"\n[piece.dance.section.a]\nbars = 1\n[piece.dance.section.a.layer.l]\nsound = \"y\"\n",
            ),
            (SOUNDS, "[y]\ntakes = [\"audio/one.wav\"]\n"),
            (ON, "When hit\n  go dance\nWhen tick\n  sting s\n"),
        ],
    ),
    effect!("low-pass", "cutoff = \"900 Hz\"\nslope = \"24 dB\"\n"),
    effect!("high-pass", "cutoff = \"400 Hz\"\n"),
    effect!("eq", "low-gain = \"4 dB\"\nband-1-gain = \"-6 dB\"\nband-1-freq = \"500 Hz\"\nhigh-gain = \"3 dB\"\n"),
    effect!("gain", "level = \"-3 dB\"\n"),
    effect!("width", "width = \"150 %\"\n"),
    effect!("tremolo", "depth = \"60 %\"\nrate = \"7 Hz\"\n"),
    effect!("auto-pan", "depth = \"80 %\"\n"),
    effect!("chorus", "wet = \"60 %\"\n"),
    effect!("flanger", "wet = \"60 %\"\nfeedback = \"50 %\"\n"),
    effect!("phaser", "wet = \"70 %\"\n"),
    effect!("compressor", "threshold = \"-30 dB\"\nratio = \"4\"\n"),
    effect!("expander", "threshold = \"-20 dB\"\nratio = \"5\"\n"),
    effect!("limiter", "ceiling = \"-12 dB\"\n"),
    effect!("saturation", "drive = \"12 dB\"\n"),
    effect!("crush", "bits = \"6\"\nrate = \"8 kHz\"\n"),
    effect!("ring", "depth = \"50 %\"\n"),
    effect!("echo", "wet = \"40 %\"\nfeedback = \"60 %\"\n"),
    effect!("reverb", "wet = \"50 %\"\n"),
    effect!("pitch-shift", "pitch = \"5 st\"\n"),
    effect!("radio", "grit = \"40 %\"\n"),
    effect!("transient", "attack = \"9 dB\"\nsustain = \"-6 dB\"\n"),
    effect!("convolution", "wet = \"50 %\"\nfile = \"audio/flam.wav\"\n"),
    (
        "sound width",
        &[
            (
                SOUNDS,
                "[x]\nloop = true\nwidth = \"40 %\"\nvary = { width = \"-30..30 %\" }\ntakes = [\"audio/stereo.wav\"]\n[y]\nwidth = \"180 %\"\ntakes = [\"audio/stereo.wav\"]\n",
            ),
            (ON, PLAY),
        ],
    ),
    (
        "sound generators",
        &[
            (
                "shared.toml",
                "[generator.pink]\nkind = \"noise\"\ncolour = \"pink\"\nchannels = \"stereo\"\n[generator.brown]\nkind = \"noise\"\ncolour = \"brown\"\nends-after = \"0.3 s\"\n[generator.tone]\nwave = \"pulse\"\nfrequency = \"220 Hz\"\npulse-width = \"20 %\"\nends-after = \"0.2 s\"\n",
            ),
            (
                SOUNDS,
                "[x]\ntakes = [\"generator pink\"]\nlow-pass = \"3 kHz\"\n[y]\ntakes = [\"generator brown\", \"generator tone, pitch 7 st\", \"audio/one.wav\"]\nvary = { pitch = \"-3..3 st\" }\n",
            ),
            (ON, PLAY),
        ],
    ),
    (
        "sound generators that are moved",
        &[
            (
                "shared.toml",
                "[generator.gale]\nkind = \"wind\"\npreset = \"mast in a gale\"\n[generator.fin]\nkind = \"pass-by\"\npreset = \"fin\"\nvary = { duration = \"-3..3 st\" }\n[generator.pump]\nkind = \"pulses\"\npreset = \"bilge pump\"\n[generator.rain]\nkind = \"crackle\"\npreset = \"rain on water\"\n[generator.motor]\nkind = \"hum\"\npreset = \"thruster\"\n[generator.plate]\nkind = \"modal\"\npreset = \"hull plate\"\n[generator.key]\nkind = \"blip\"\nanother = \"7\"\n[generator.engines]\nkind = \"tone\"\npreset = \"two engines\"\n[generator.chest]\nkind = \"notes\"\npreset = \"chest\"\n",
            ),
            (
                SOUNDS,
                "[x]\npick = \"together\"\ntakes = [\"generator gale\", \"generator rain\", \"generator motor\", \"generator engines\"]\n[y]\npick = \"together\"\ntakes = [\"generator fin\", \"generator pump\", \"generator plate\", \"generator key\", \"generator chest\"]\n",
            ),
            (
                "modulation.toml",
                "[[modulation]]\nfrom = \"strain\"\nmoves = \"generator gale speed\"\ncurve = [\"0: 6\", \"1: 30\"]\n[[modulation]]\nfrom = \"strain\"\nmoves = \"generator motor revolutions\"\ncurve = [\"0: 12 Hz\", \"1: 60 Hz\"]\n",
            ),
            (ON, PLAY),
        ],
    ),
];

const PLAY_X: &str = "When hit\n  play x\nWhen loop\n  stop x\n";
const PLACED: &str = "[x]\nloop = true\ntakes = [\"audio/low.wav\"]\nfalloff = { level = [\"0 m: 0 dB, smooth\", \"30 m: -40 dB\"], low-pass = [\"0 m: 0 oct\", \"30 m: -3 oct\"], width = [\"0 m: 60 %\", \"9 m: 10 %\"] }\n[y]\ntakes = [\"audio/one.wav\"]\nfalloff = { level = [\"1 m: 0 dB\", \"30 m: -50 dB\"] }\nlevel = \"-6 dB\"\n";
const FORMULAS: &str = "[events]\nhit = \"a\"\ntick = \"b\"\nloop = \"c\"\n[emitters]\nbell = \"d\"\n[parameters.strain]\nrange = \"0..1\"\nrise = \"50 ms\"\n[parameters.depth]\nrange = \"0..100 m\"\nunit = \"m\"\n[parameters.near]\nmeasure = \"distance to bell\"\n[formulas]\ndanger = \"clamp(strain + (1 - near / 40) * 0.2, 0, 1)\"\n[states.deck]\nvalues = [\"plank\", \"grate\", \"silt\"]\n";
const MUSIC: &str = "[piece.dance]\ntempo = \"150\"\n[piece.dance.section.a]\nbars = 2\n[piece.dance.section.a.layer.x]\nfile = \"audio/long.wav\"\npan = \"40 % left\"\n[piece.dance.section.a.layer.z]\nfile = \"audio/low.wav\"\nwhen = \"strain over 0.5\"\non = \"next beat\"\nfade = \"1 beat, smooth\"\n[piece.dance.section.b]\nbars = 1\nthen = \"a\"\n[piece.dance.section.b.layer.x]\nfile = \"audio/level.wav\"\n[[piece.dance.transition]]\nfrom = \"a\"\nto = \"b\"\nleave = \"next bar\"\nfade-out = \"2 beats, equal power\"\nfade-in = \"1 beat, equal power\"\n";
const GO: &str = "When hit\n  go dance\nWhen tick\n  go dance to b\nWhen loop\n  go dance to silence\n";

/// A project for each kind of instrument: chords, quick notes, a bend, a track of its own.
fn with_notes() -> Vec<(String, Arc<Program>)> {
    let note = |at: i64, step: i64, channel| ScoreNote {
        at: Beats::new(at, 4),
        length: Beats::new(1 + at % 3, 3),
        pitch: (50 + at * step % 31) as u8,
        velocity: (60 + at * 7 % 60) as u8,
        channel,
    };
    let melody = Track { name: "melody".into(), notes: (0..16).map(|at| note(at, 5, 0)).collect(), ..Track::default() };
    let chords = (0..4).flat_map(|at| (0..3).map(move |voice| (at * 4, 4 + voice)));
    let chords = Track { name: "chords".into(), notes: chords.map(|(at, step)| note(at, step, 1)).collect(), ..Track::default() };
    let score = ScoreFile::of(&Score { tracks: vec![melody, chords], ..Score::default() }).to_text();
    let list = Kind::ALL.iter().map(|(_, word)| {
        let takes = if *word == "takes" { "takes = [\"audio/one.wav, C5\"]\n" } else { "" };
        let music = format!(
            "[instrument.i]\nkind = \"{word}\"\n{takes}[piece.dance]\ntempo = \"150\"\n[piece.dance.section.a]\nbars = 1\n[piece.dance.section.a.layer.l]\nnotes = \"music/d.mid\"\ntrack = \"melody\"\ninstrument = \"i\"\n[piece.dance.section.b]\nbars = 1\n[piece.dance.section.b.layer.l]\nnotes = \"music/d.mid\"\ntrack = \"chords\"\ninstrument = \"i\"\n"
        );
        let moved = "[[modulation]]\nfrom = \"strain\"\nmoves = \"piece dance transposition\"\ncurve = [\"0: 0 st\", \"1: 5 st\"]\n";
        let files = [("music/all.toml", music.as_str()), (ON, GO), ("modulation.toml", moved), ("music/d.mid", &score)];
        (format!("notes {word}"), compile_and_load(&files, vec![]))
    });
    list.collect()
}

/// Four seconds of the same made-up game for all.
fn render(program: &Arc<Program>) -> u64 {
    let mut bench = Bench::new(program, 11);
    let place = |bench: &mut Bench, who: &str, at: [f32; 3], over: u64| {
        bench.send(NOW, InputKind::Place { emitter: NameKey::of(who), kind: NameKey::of("thing"), at, facing: Some(40.0), frames: over });
    };
    place(&mut bench, "bell", [2.0, 6.0, 0.0], 0);
    bench.event_on(100, "hit", "bell");
    let mut samples = Vec::new();
    let mut next = |bench: &mut Bench, frames: usize| {
        let (left, right) = bench.render(frames);
        samples.extend(left.into_iter().zip(right).flat_map(|(l, r)| [l, r]));
    };
    next(&mut bench, 9_600);
    bench.send(NOW, InputKind::Glide { parameter: NameKey::of("strain"), from: Some(0.0), to: 1.0, frames: 96_000 });
    bench.send(NOW, InputKind::Glide { parameter: NameKey::of("depth"), from: Some(0.0), to: 80.0, frames: 144_000 });
    bench.send(NOW, InputKind::Walk { emitter: NameKey::of("listener"), to: [13.0, 3.0, 0.0], speed: 4.0 });
    place(&mut bench, "bell", [-6.0, 2.0, 0.0], 96_000);
    for at in 0..14u64 {
        bench.event_on(9_600 + at * 7_001, if at % 5 == 4 { "hit" } else { "tick" }, if at % 2 == 0 { "bell" } else { "" });
    }
    next(&mut bench, 60_000);
    bench.state("deck", "grate");
    bench.send(NOW, InputKind::PlayerLevel { level: NameKey::of("fx"), value: 6.0 });
    next(&mut bench, 50_000);
    bench.send(NOW, InputKind::Remove { emitter: NameKey::of("bell") });
    bench.state("deck", "silt");
    bench.event(NOW, "loop");
    next(&mut bench, 72_000);
    assert!(samples.iter().any(|s| *s != 0.0), "nothing sounds");
    hash(&samples)
}

#[test]
fn small_projects_that_use_everything_sound_as_they_did() {
    assert!(SMALL.len() >= 40 && GAME.contains("[emitters]"));
    let list = SMALL.iter().map(|(name, files)| ((*name).to_owned(), program_with(files)));
    let list: Vec<(String, u64)> = list.chain(with_notes()).map(|(name, program)| (name, render(&program))).collect();
    let mut hashes: Vec<u64> = list.iter().map(|(_, h)| *h).collect();
    hashes.sort_unstable();
    hashes.dedup();
    assert_eq!(hashes.len(), list.len(), "each of them sounds otherwise");
    hold(&list);
}
