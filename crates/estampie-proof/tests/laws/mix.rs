//! The mix: sends and returns, effects, snapshots, ducks and player levels.

use crate::support::{Bench, compile_and_load, compile_with, largest_step, level, program, program_with};
use estampie_engine::clip::Clip;
use estampie_engine::engine::{InputKind, NOW, Options, Prepared};
use estampie_engine::index::BusIndex;
use estampie_engine::ledger::TermKind;
use estampie_engine::mixer::spec::player_level_db;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::property::Property;
use proptest::prelude::*;
use std::sync::Arc;

const DC: &str = "[one]\nbus = \"a\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n";
const HIT: &str = "When hit\n  play one\n";
/// An echo that is a plain delay of 10 ms.
const DELAY: &str = "[buses.r]\nreturn = true\n[buses.r.effect.echo]\ntime = \"10 ms\"\nfeedback = \"0 %\"\n";

fn run(program: &Arc<Program>) -> Bench {
    let mut bench = Bench::new(program, 1);
    bench.event(NOW, "hit");
    bench
}

fn gain(db: f32) -> f32 {
    10f32.powf(db / 20.0)
}

fn last(bench: &mut Bench, frames: usize) -> f32 {
    *bench.render(frames).0.last().unwrap()
}

#[test]
fn a_send_leaves_before_or_after_the_level() {
    for (text, from) in [("-12 dB", -6.0f32), ("-12 dB, pre-fader", 0.0)] {
        let mix = format!("[buses.a]\nlevel = \"-6 dB\"\nsend = {{ r = \"{text}\" }}\n{DELAY}");
        let out = last(&mut run(&program(DC, &mix, "", HIT)), 4800);
        let expected = 0.5 * (gain(-6.0) + gain(from - 12.0));
        assert!((out - expected).abs() < 1e-4, "{text}: {out} for {expected}");
    }
    // The wet sound comes 10 ms after the dry.
    let mix = format!("[buses.a]\nsend = {{ r = \"0 dB\" }}\n{DELAY}");
    let (left, _) = run(&program(DC, &mix, "", HIT)).render(1200);
    assert!((left[479] - 0.5).abs() < 0.01 && (left[800] - 1.0).abs() < 0.01, "{} {}", left[479], left[800]);
}

#[test]
fn pans_add_up_move_and_are_held_at_constant_power() {
    let sounds =
        "[one]\nbus = \"a\"\nloop = true\npan = \"20 % left\"\ntakes = [\"two\"]\n[two]\nloop = true\npan = \"50 % right\"\ntakes = [\"audio/dc.wav\"]\n";
    let mix = "[buses.a]\n[snapshots.aside]\nrise = \"0.1 s\"\nfall = \"0.1 s\"\n[snapshots.aside.hold]\n\"bus a pan\" = \"to 100 % left\"\n";
    let modulation = "[[modulation]]\nfrom = \"strain\"\nmoves = \"one pan\"\ncurve = [\"0: centre\", \"1: 80 % left\"]\n[[modulation]]\nfrom = \"depth\"\nmoves = \"bus a pan\"\ncurve = [\"0 m: centre\", \"100 m: 40 % right\"]\n";
    let mut bench =
        run(&program(sounds, mix, modulation, "When hit\n  play one\nWhen tick\n  raise aside\nWhen loop\n  sweep one pan to 20 % left over 0.1 s\n"));
    let sides = |bench: &mut Bench| {
        let (left, right) = bench.render(24_000);
        assert!(largest_step(&left[9_600..]) < 1e-3 && largest_step(&right[9_600..]) < 1e-3);
        (*left.last().unwrap(), *right.last().unwrap())
    };
    let at = |pan: f32| [((pan + 1.0) * std::f32::consts::FRAC_PI_4).cos(), ((pan + 1.0) * std::f32::consts::FRAC_PI_4).sin()].map(|g| g * 0.5 * 2f32.sqrt());
    let near = |(left, right): (f32, f32), [l, r]: [f32; 2]| assert!((left - l).abs() < 2e-3 && (right - r).abs() < 2e-3, "{left} {right}, not {l} {r}");
    near(sides(&mut bench), at(0.3));
    bench.event(NOW, "loop");
    near(sides(&mut bench), at(0.1));
    bench.parameter("strain", 0.5);
    near(sides(&mut bench), at(-0.3));
    // The bus is two channels: the side away from it falls as a cosine.
    bench.parameter("depth", 50.0);
    let [left, right] = at(-0.3);
    near(sides(&mut bench), [left * (0.2 * std::f32::consts::FRAC_PI_2).cos(), right]);
    bench.parameter("depth", 0.0);
    bench.event(NOW, "tick");
    bench.render(24_000);
    near(sides(&mut bench), [left, 0.0]);
}

#[test]
fn a_pan_that_is_drawn_stays_and_what_is_placed_is_heard_by_its_bearing() {
    let sounds = "[one]\nbus = \"a\"\nvary = { pan = \"60 % left..60 % right\" }\ntakes = [\"audio/dc.wav\"]\n[there]\nbus = \"a\"\npan = \"100 % left\"\nloop = true\ntakes = [\"audio/dc.wav\"]\nfalloff = { width = [\"0 m: 0 %\"] }\n";
    let program = program(sounds, "[buses.a]\n", "", "When hit\n  play one\nWhen tick\n  play there at the emitter\n");
    let mut places = Vec::new();
    for seed in 0..20 {
        let mut bench = Bench::new(&program, seed);
        bench.event(NOW, "hit");
        let (left, right) = bench.render(4_800);
        assert!((left[4_000].powi(2) + right[4_000].powi(2) - 0.5).abs() < 1e-3, "its power is the same wherever it stands");
        assert_eq!((left[3_000], right[3_000]), (left[4_000], right[4_000]));
        places.push(right[4_000] - left[4_000]);
    }
    assert!(places.iter().any(|p| *p > 0.2) && places.iter().any(|p| *p < -0.2), "{places:?}");
    let mut bench = Bench::new(&program, 1);
    bench.send(NOW, InputKind::Place { emitter: NameKey::of("bell"), kind: NameKey::NONE, at: [3.0, 0.0, 0.0], facing: None, frames: 0 });
    bench.event_on(NOW, "tick", "bell");
    let (left, right) = bench.render(4_800);
    assert!(left[4_000].abs() < 1e-3 && right[4_000] > 0.5, "{} {}", left[4_000], right[4_000]);
}

#[test]
fn widths_add_up_move_and_leave_one_channel_and_placed_sounds_alone() {
    // Of the left channel alone, a width of w leaves (1 + w) / 2 on the left and (1 - w) / 2 on the right.
    let sounds = |own: &str, inner: &str| {
        format!(
            "[one]\nbus = \"a\"\nloop = true\n{own}\ntakes = [\"two\"]\n[two]\nloop = true\n{inner}\ntakes = [\"audio/stereo.wav\"]\n[mono]\nbus = \"a\"\nloop = true\nwidth = \"0 %\"\ntakes = [\"audio/dc.wav\"]\n"
        )
    };
    let modulation = "[[modulation]]\nfrom = \"strain\"\nmoves = \"one width\"\ncurve = [\"0: 0 %\", \"1: -100 %\"]\n";
    let reactions = "When hit\n  play one\nWhen loop\n  sweep one width to 100 % over 0.1 s\nWhen tick\n  play mono\n";
    let shares = |bench: &mut Bench| {
        let (left, right) = bench.render(24_000);
        // By the correlation with the tone, so that a side that is turned round is seen as such.
        let tone = |samples: &[f32]| samples[12_000..].iter().zip(&left[12_000..]).map(|(s, l)| f64::from(*s) * f64::from(*l)).sum::<f64>();
        assert!(largest_step(&left[2_400..]) < 0.06 && largest_step(&right[2_400..]) < 0.06, "nothing clicks");
        tone(&right) / tone(&left)
    };
    let wide = |w: f64| (1.0 - w) / (1.0 + w);
    for (own, inner, width) in [("", "", 1.0), ("width = \"0 %\"", "", 0.0), ("width = \"200 %\"", "", 2.0), ("width = \"150 %\"", "width = \"50 %\"", 1.0)] {
        let mut bench = run(&program(&sounds(own, inner), "[buses.a]\n", modulation, reactions));
        assert!((shares(&mut bench) - wide(width)).abs() < 1e-3, "{own} {inner}");
        bench.parameter("strain", 0.5);
        bench.render(4_800);
        let moved: f64 = (width - 0.5f64).clamp(0.0, 2.0);
        assert!((shares(&mut bench) - wide(moved)).abs() < 1e-3, "{own} {inner}, moved");
        bench.event(NOW, "loop");
        bench.render(9_600);
        assert!((shares(&mut bench) - wide((width + 0.5f64).clamp(0.0, 2.0))).abs() < 1e-3, "{own} {inner}, swept");
    }
    let mut bench = Bench::new(&program(&sounds("", ""), "[buses.a]\n", "", reactions), 1);
    bench.event(NOW, "tick");
    let (left, right) = bench.render(4_800);
    assert_eq!((left[4_000], right[4_000]), (0.5, 0.5));
}

#[test]
fn an_echo_that_comes_late_comes_however_long_its_bus_was_silent() {
    for rate in ["48 kHz", "96 kHz", "192 kHz"] {
        let frames: usize = rate.trim_end_matches(" kHz").parse::<usize>().unwrap() * 1000;
        // Four beats at 20 in a minute are 12 s; nothing sounds between.
        let echo = "[buses.a.effect.echo]\nbeats = \"4\"\nfeedback = \"0 %\"\nlow-pass = \"20 kHz\"\nhigh-pass = \"20 Hz\"\n";
        let piece = "[piece.dance]\ntempo = \"20\"\nwaits-to-begin = true\n[piece.dance.section.a]\nbars = 8\n";
        let manifest = format!("format = 1\nrate = \"{rate}\"\n");
        let program = program_with(&[
            ("estampie.toml", &manifest),
            ("mix.toml", &format!("[buses.a]\n{echo}")),
            ("music/all.toml", piece),
            ("sounds/all.toml", "[one]\nbus = \"a\"\ntakes = [\"audio/stroke.wav\"]\n"),
            ("reactions.est", HIT),
        ]);
        let mut bench = Bench::new(&program, 1);
        bench.send(0, InputKind::Go { piece: NameKey::of("dance"), section: NameKey::of("a"), on: None });
        bench.render(frames / 10);
        bench.event(NOW, "hit");
        let (left, _) = bench.render(frames * 14);
        let heard = left.iter().position(|s| s.abs() > 0.01).unwrap();
        assert!((heard as f64 / frames as f64 - 12.0).abs() < 0.1, "{rate}: {:.2} s", heard as f64 / frames as f64);
    }
}

#[test]
fn an_echo_that_is_set_to_more_beats_while_it_plays_comes_as_late_as_one_that_always_was() {
    let at = |beats: &str| {
        let echo = format!("[buses.a.effect.echo]\nbeats = \"{beats}\"\ntime = \"1 s\"\nfeedback = \"0 %\"\nlow-pass = \"20 kHz\"\nhigh-pass = \"20 Hz\"\n");
        program_with(&[
            ("mix.toml", &format!("[buses.a]\n{echo}")),
            ("music/all.toml", "[piece.dance]\ntempo = \"20\"\nwaits-to-begin = true\n[piece.dance.section.a]\nbars = 8\n"),
            ("sounds/all.toml", "[one]\nbus = \"a\"\ntakes = [\"audio/stroke.wav\"]\n"),
            ("reactions.est", HIT),
        ])
    };
    for (before, then, seconds) in [("0", "0.75", 2.25), ("0.75", "0.8", 2.4), ("0.75", "4", 12.0), ("4", "1.5", 4.5)] {
        let mut bench = Bench::new(&at(before), 1);
        bench.send(0, InputKind::Go { piece: NameKey::of("dance"), section: NameKey::of("a"), on: None });
        bench.render(4_800);
        bench.remote.program(Box::new(Prepared::new(at(then), 1))).unwrap();
        bench.render(4_800);
        bench.event(NOW, "hit");
        let (left, _) = bench.render(48_000 * 13);
        let heard = left.iter().position(|s| s.abs() > 0.01).unwrap() as f64 / 48_000.0;
        assert!((heard - seconds).abs() < 0.05, "{before} to {then}: {heard:.2} s");
    }
}

#[test]
fn sounds_send_too_and_sends_are_moved() {
    let sounds = format!("{DC}send = {{ r = \"-6 dB\" }}\n");
    let out = last(&mut run(&program(&sounds, &format!("[buses.a]\n{DELAY}"), "", HIT)), 4800);
    assert!((out - 0.5 * (1.0 + gain(-6.0))).abs() < 1e-4, "{out}");
    let moves = "[[modulation]]\nfrom = \"strain\"\nmoves = \"sound one send r\"\ncurve = [\"0: -12 dB\", \"1: 0 dB\"]\n";
    let mut bench = run(&program(&sounds, &format!("[buses.a]\n{DELAY}"), moves, HIT));
    assert!((last(&mut bench, 4800) - 0.5 * (1.0 + gain(-18.0))).abs() < 1e-4);
    bench.parameter("strain", 1.0);
    assert!((last(&mut bench, 4800) - 0.5 * (1.0 + gain(-6.0))).abs() < 1e-4);
    // A muted bus is silent in its returns as well; a sound that is silent there is still heard through its send.
    let mix = format!("[buses.a]\nlevel = \"silent\"\nsend = {{ r = \"0 dB, pre-fader\" }}\n{DELAY}");
    let mut bench = run(&program(DC, &mix, "", HIT));
    assert!((last(&mut bench, 9600) - 0.5).abs() < 1e-4, "it does not fall asleep");
    bench.send(NOW, InputKind::Mute { bus: NameKey::of("a"), on: true });
    assert!(last(&mut bench, 9600).abs() < 1e-4);
}

#[test]
fn what_would_feed_back_is_refused_with_its_loop() {
    let mix = "[buses.echo]\nreturn = true\nsend = { nave = \"-6 dB\" }\n[buses.echo.effect.echo]\n[buses.nave]\nreturn = true\nsend = { echo = \"-6 dB\" }\n[buses.nave.effect.reverb]\n";
    let (_, faults) = compile_with(&[("mix.toml", mix)]);
    assert_eq!(faults.len(), 1, "{faults:?}");
    assert!(faults[0].contains("nave ⟶ echo ⟶ nave") && faults[0].starts_with("mix.toml:7:"), "{faults:?}");
    let into = "[buses.room]\ninto = \"wet\"\nsend = { wet = \"0 dB\" }\n[buses.wet]\nreturn = true\nsend = { wet = \"0 dB\" }\n[buses.wet.effect.reverb]\n";
    assert!(compile_with(&[("mix.toml", into)]).1[0].contains("wet ⟶ wet"));
}

#[test]
fn returns_say_when_they_let_dry_sound_through() {
    let fault = |effect: &str| compile_with(&[("mix.toml", &format!("[buses.r]\nreturn = true\n{effect}"))]).1.join("");
    assert!(fault("").contains("lets dry sound through: no effect"));
    assert!(fault("[buses.r.effect.eq]\n").contains("no effect on it makes it wet"));
    assert!(fault("[buses.r.effect.reverb]\nwet = \"40 %\"\n").contains("not all wet"));
    assert_eq!(fault("[buses.r.effect.eq]\n[buses.r.effect.reverb]\n"), "");
    let (_, faults) = compile_with(&[("mix.toml", "[buses.b]\n[buses.a]\nsend = { b = \"-3 dB\", n = \"x\" }\n")]);
    assert!(faults.iter().any(|f| f.contains("b is no return")) && faults.iter().any(|f| f.contains("\"x\" is not a level")), "{faults:?}");
}

#[test]
fn mistakes_in_effects_have_place_and_fix() {
    let mix = "[buses.a.effect.squash]\nkind = \"compresor\"\n[buses.a.effect.comp]\nkind = \"compressor\"\nthreshold = \"6 dB\"\nsize = \"3\"\nratio = \"4:1\"\nsidechain = \"nowhere\"\n[buses.a.effect.room]\nkind = \"reverb\"\npreset = \"hall\"\nlike = \"none\"\n[buses.a.effect.convolution]\n[buses.b.effect.eq]\nfile = \"audio/one.wav\"\nsidechain = \"a\"\npreset = \"nave\"\n";
    let (program, faults) = compile_with(&[("mix.toml", mix)]);
    for part in [
        "compressor?",
        "6 dB of threshold is out of range",
        "compressor has no setting size",
        "there is no bus nowhere",
        "reverb has no preset hall",
        "no shared effect none",
        "no impulse response",
        "eq takes no file",
        "eq takes no sidechain",
        "eq has no preset nave; take it out",
    ] {
        assert!(faults.iter().any(|f| f.contains(part)), "{part}: {faults:?}");
    }
    assert_eq!(program.mix.buses[BusIndex::new(1)].effects.len(), 3, "the others work");
    assert_eq!(program.mix.cells[program.mix.find_cell.get(NameKey::of("bus a comp ratio")).unwrap()].rest, 4.0);
}

#[test]
fn shared_effects_are_like_and_overridden() {
    let shared = "[effect.squeeze]\nkind = \"compressor\"\nthreshold = \"-30 dB\"\nratio = \"2\"\n";
    let mix = "[buses.a.effect.one]\nlike = \"squeeze\"\n[buses.b.effect.two]\nlike = \"squeeze\"\nratio = \"8\"\nwet = \"50 %\"\n[buses.c.effect.squeeze]\nlike = \"squeeze\"\n[buses.d.effect.reverb]\npreset = \"pipe\"\n";
    let program = program_with(&[("shared.toml", shared), ("mix.toml", mix)]);
    let value = |name: &str| {
        let cell = &program.mix.cells[program.mix.find_cell.get(NameKey::of(name)).unwrap()];
        cell.unscaled(cell.rest)
    };
    assert_eq!((value("bus a one threshold"), value("bus a one ratio")), (-30.0, 2.0));
    assert_eq!((value("bus b two threshold"), value("bus b two ratio"), value("bus b two wet")), (-30.0, 8.0, 0.5));
    assert!((value("bus d reverb size") - 0.7).abs() < 1e-6, "the preset's");
}

#[test]
fn routes_that_look_ahead_stay_together() {
    let sounds = "[one]\nbus = \"a\"\ntakes = [\"audio/long.wav\"]\n[two]\nbus = \"b\"\ntakes = [\"audio/minus.wav\"]\n";
    let play = "When hit\n  play one\n  play two\n";
    for mix in [
        "[buses.a]\n[buses.a.effect.saturation]\nwet = \"0 %\"\n[buses.b]\n",
        "[buses.g]\n[buses.g.effect.limiter]\nwet = \"0 %\"\n[buses.a]\ninto = \"g\"\n[buses.b]\n",
        "[buses.a]\n[buses.a.effect.limiter]\nwet = \"0 %\"\noff = true\n[buses.b]\n[buses.b.effect.radio]\nwet = \"0 %\"\n",
    ] {
        let (left, _) = run(&program(sounds, mix, "", play)).render(48_000);
        assert!(left.iter().all(|s| s.abs() < 1e-6), "{mix}: {}", left.iter().fold(0.0f32, |p, s| p.max(s.abs())));
    }
}

#[test]
fn an_effect_comes_and_goes_without_a_click_and_keeps_what_it_heard() {
    let sounds = "[one]\nbus = \"a\"\nloop = true\ntakes = [\"audio/low.wav\"]\n";
    let with = |effect: &str| program(sounds, &format!("[buses.a]\n{effect}"), "", HIT);
    let plain = with("");
    let eq = with("[buses.a.effect.tone]\nkind = \"eq\"\nlow-gain = \"-20 dB\"\nlow-freq = \"400 Hz\"\n");
    let mut bench = run(&plain);
    let mut out = bench.render(9600).0;
    let quiet = largest_step(&out[2400..]);
    for next in [&eq, &plain, &eq, &plain] {
        bench.remote.program(Box::new(Prepared::new(Arc::clone(next), 1))).unwrap();
        out.extend(bench.render(9600).0);
        let loud = level(&out[out.len() - 4800..]);
        assert!((loud - if Arc::ptr_eq(next, &eq) { -35.0 } else { -15.05 }).abs() < 0.6, "{loud}");
    }
    assert!(largest_step(&out[2400..]) < quiet * 1.2, "{} against {quiet}", largest_step(&out[2400..]));
    // An edit elsewhere does not cut a tail.
    let room = |level: &str| {
        program(
            "[one]\nbus = \"a\"\ntakes = [\"audio/one.wav\"]\n",
            &format!("[buses.a]\nlevel = \"{level}\"\n[buses.a.effect.reverb]\ndecay = \"4 s\"\n[buses.b]\nlevel = \"{level}\"\n"),
            "",
            HIT,
        )
    };
    let (first, other) = (room("0 dB"), room("-1 dB"));
    let mut untouched = run(&first);
    let mut edited = run(&first);
    untouched.render(57_600);
    edited.render(57_600);
    // The same once more, and another level: to the bit as if nothing had been edited, and a decibel less.
    edited.remote.program(Box::new(Prepared::new(Arc::clone(&first), 1))).unwrap();
    assert_eq!(untouched.render(4800), edited.render(4800));
    edited.remote.program(Box::new(Prepared::new(other, 1))).unwrap();
    let (a, b) = (untouched.render(24_000).0, edited.render(24_000).0);
    assert!((level(&b[12_000..]) - level(&a[12_000..]) + 1.0).abs() < 0.01 && level(&b) > -40.0);
}

#[test]
fn a_bypass_cross_fades_and_only_what_is_meant() {
    let mix = "[buses.a]\n[buses.a.effect.down]\nkind = \"gain\"\nlevel = \"-12 dB\"\n[buses.a.effect.more]\nkind = \"gain\"\nlevel = \"-6 dB\"\n";
    let mut bench = run(&program(DC, mix, "", HIT));
    assert!((last(&mut bench, 2400) - 0.5 * gain(-18.0)).abs() < 1e-5);
    bench.send(NOW, InputKind::Bypass { effect: NameKey::of("a down"), on: true });
    let (left, _) = bench.render(2400);
    assert!((left[2399] - 0.5 * gain(-6.0)).abs() < 1e-5 && largest_step(&left) < 0.002);
    bench.send(NOW, InputKind::Bypass { effect: NameKey::NONE, on: true });
    assert!((last(&mut bench, 2400) - 0.5).abs() < 1e-5);
    bench.send(NOW, InputKind::Bypass { effect: NameKey::NONE, on: false });
    assert!((last(&mut bench, 2400) - 0.5 * gain(-18.0)).abs() < 1e-5);
}

#[test]
fn a_send_is_left_out_and_stays_so_over_an_edit() {
    let mix = format!("[buses.a]\nsend = {{ r = \"0 dB\" }}\n{DELAY}");
    let mut bench = run(&program(DC, &mix, "", HIT));
    assert!((last(&mut bench, 4800) - 1.0).abs() < 1e-4);
    bench.send(NOW, InputKind::Bypass { effect: NameKey::of("bus a send r"), on: true });
    let (left, _) = bench.render(4800);
    assert!((left[4799] - 0.5).abs() < 1e-4 && largest_step(&left) < 0.02, "{}", largest_step(&left));
    let edited = program(DC, &mix.replace("0 dB", "-1 dB"), "", HIT);
    bench.remote.program(Box::new(Prepared::new(edited, 1))).unwrap();
    assert!((last(&mut bench, 4800) - 0.5).abs() < 1e-4);
    bench.send(NOW, InputKind::Bypass { effect: NameKey::of("bus a send r"), on: false });
    assert!((last(&mut bench, 4800) - 0.5 * (1.0 + gain(-1.0))).abs() < 1e-3);
}

#[test]
fn a_response_that_was_recorded_anew_is_taken_over_and_one_that_is_the_same_goes_on() {
    let with = |samples: Vec<f32>, level: &str| {
        let mix = format!("[buses.a]\n[buses.a.effect.convolution]\nfile = \"audio/flam.wav\"\nlevel = \"{level}\"\n");
        let clip = Arc::new(Clip::new("audio/flam.wav", vec![samples], None));
        compile_and_load(&[("sounds/all.toml", DC), ("mix.toml", &mix), ("reactions.est", HIT)], vec![("audio/flam.wav", clip)])
    };
    let late = |at: usize| (0..=at).map(|n| f32::from(n == at)).collect::<Vec<f32>>();
    let mut bench = run(&with(late(4_000), "0 dB"));
    assert!(last(&mut bench, 3_200).abs() < 1e-5 && (last(&mut bench, 3_200) - 0.5).abs() < 1e-3, "4,000 frames late");
    // The same samples and another level: it goes on, and nothing is late once more.
    bench.remote.program(Box::new(Prepared::new(with(late(4_000), "-6 dB"), 1))).unwrap();
    let (left, _) = bench.render(3_200);
    assert!(left.iter().all(|s| *s > 0.5 * gain(-6.0) - 1e-3), "{}", left.iter().copied().fold(1.0, f32::min));
    // The file was recorded anew, the other way up.
    bench.remote.program(Box::new(Prepared::new(with(vec![-1.0], "0 dB"), 1))).unwrap();
    assert!((last(&mut bench, 9_600) + 0.5).abs() < 1e-3);
}

#[test]
fn settings_are_moved_and_held() {
    let mix = "[buses.a]\n[buses.a.effect.down]\nkind = \"gain\"\nlevel = \"-12 dB\"\n[snapshots.s]\nrise = \"at once\"\nwhile = \"deck is silt\"\nhold = { \"bus a down level\" = \"by -3 dB\", \"bus a low-pass\" = \"to 900 Hz\" }\n";
    let moves = "[[modulation]]\nfrom = \"strain\"\nmoves = \"bus a down level\"\ncurve = [\"0: -20 dB\", \"1: 0 dB\"]\n";
    let mut bench = run(&program(DC, mix, moves, HIT));
    assert!((last(&mut bench, 4800) - 0.5 * gain(-20.0)).abs() < 1e-4, "the curve gives the value itself");
    bench.parameter("strain", 0.5);
    assert!((last(&mut bench, 4800) - 0.5 * gain(-10.0)).abs() < 1e-4);
    bench.state("deck", "silt");
    assert!((last(&mut bench, 4800) - 0.5 * gain(-13.0)).abs() < 1e-4, "the snapshot lies over it");
    let status = bench.status.as_ref().unwrap();
    let program = bench_program(mix, moves);
    let cell = program.mix.find_cell.get(NameKey::of("bus a low-pass")).unwrap();
    assert!((status.cells[cell] - (900.0f32 / 20_000.0).log2()).abs() < 1e-4);
}

fn bench_program(mix: &str, moves: &str) -> Arc<Program> {
    program(DC, mix, moves, HIT)
}

/// The value in dB that the ledger and the output agree on.
fn heard(bench: &mut Bench) -> f32 {
    let out = last(bench, 64);
    let status = bench.status.as_ref().unwrap();
    let told = status.voices[0].heard_db;
    let measured = 20.0 * out.abs().max(1e-9).log10();
    if measured > -80.0 {
        assert!((told - measured).abs() < 0.1, "ledger {told:.3}, output {measured:.3}");
    }
    measured + 6.0206
}

#[test]
fn snapshots_blend_by_order_and_amount() {
    let mix = "[buses.a]\nlevel = \"-4 dB\"\n[snapshots.over]\norder = 2\nrise = \"at once\"\nfall = \"at once\"\namount = \"50 %\"\nhold = { \"bus a level\" = \"to -20 dB\" }\n[snapshots.under]\norder = 1\nrise = \"at once\"\nfall = \"at once\"\nhold = { \"bus a level\" = \"by -6 dB\" }\n[snapshots.gone]\norder = 3\nrise = \"at once\"\nfall = \"at once\"\nhold = { \"bus a level\" = \"to silent\" }\n";
    let reactions = "When hit\n  play one\nWhen tick and deck is plank\n  raise over\n  raise under\nWhen tick and deck is grate\n  raise under\n  raise over\nWhen tick and deck is silt\n  raise gone\n";
    let program = program(DC, mix, "", reactions);
    for deck in ["plank", "grate"] {
        let mut bench = run(&program);
        bench.state("deck", deck);
        bench.render(4800);
        assert!((heard(&mut bench) + 4.0).abs() < 0.05);
        bench.event(NOW, "tick");
        bench.render(4800);
        // −4 − 6 = −10, and half of the way from there to −20, whichever came first.
        assert!((heard(&mut bench) + 15.0).abs() < 0.05, "{}", heard(&mut bench));
        let status = bench.status.as_ref().unwrap();
        let terms: Vec<_> =
            status.terms_of(&status.voices[0]).iter().filter(|t| t.kind == TermKind::Snapshot && t.property == Property::Level).map(|t| t.value).collect();
        assert_eq!(terms, [-6.0, -5.0], "who adds what is in the ledger");
    }
    let mut bench = run(&program);
    bench.state("deck", "silt");
    bench.event(NOW, "tick");
    assert_eq!(last(&mut bench, 4800), 0.0);
    bench.send(NOW, InputKind::ByHand { snapshot: NameKey::of("gone"), share: Some(0.5) });
    bench.render(640);
    assert!((heard(&mut bench) + 10.02).abs() < 0.1, "half of silence is half the gain");
    bench.send(NOW, InputKind::ByHand { snapshot: NameKey::NONE, share: Some(0.0) });
    bench.render(640);
    assert!((heard(&mut bench) + 4.0).abs() < 0.05, "heard without it");
}

#[test]
fn a_snapshot_stays_while_any_reason_stays_and_neither_jumps() {
    let mix = "[buses.a]\n[snapshots.s]\nrise = \"200 ms, linear\"\nfall = \"400 ms, linear\"\nwhile = \"deck is silt\"\nhold = { \"bus a level\" = \"by -20 dB\" }\n";
    let reactions = "When hit\n  play one\nWhen tick\n  raise s for 0.3 s\nWhen loop\n  lower s\nWhen strain becomes over 0.5\n  raise s\n";
    let mut bench = run(&program(DC, mix, "", reactions));
    bench.render(4800);
    bench.event(NOW, "tick");
    let (left, _) = bench.render(4800);
    assert!(largest_step(&left) < 0.001, "it comes in its time");
    assert!((heard(&mut bench) + 10.0).abs() < 0.4);
    bench.render(4800 - 64);
    assert!((heard(&mut bench) + 20.0).abs() < 0.1);
    // A second reason before the first is gone: it does not let go.
    bench.state("deck", "silt");
    bench.render(24_000);
    assert!((heard(&mut bench) + 20.0).abs() < 0.01, "the time is long over, the state is not");
    bench.parameter("strain", 0.9);
    bench.render(640);
    bench.state("deck", "plank");
    bench.render(24_000);
    assert!((heard(&mut bench) + 20.0).abs() < 0.01, "raised until it is lowered");
    bench.event(NOW, "loop");
    bench.render(9600);
    let half = heard(&mut bench);
    assert!((half + 10.0).abs() < 0.4, "{half}");
    // Raised again in its fall it rises from where it is.
    bench.event(NOW, "tick");
    let (left, _) = bench.render(9600);
    assert!(largest_step(&left) < 0.001);
    assert!((heard(&mut bench) + 20.0).abs() < 0.1);
    bench.render(48_000);
    assert!(heard(&mut bench).abs() < 0.001, "and the mix beneath is as it was");
}

#[test]
fn a_parameter_raises_by_its_curve() {
    let mix = "[buses.a]\n[snapshots.s]\nrise = \"at once\"\nfall = \"at once\"\nhold = { \"bus a level\" = \"by -10 dB\" }\n";
    let moves = "[[modulation]]\nfrom = \"strain\"\nmoves = \"snapshot s amount\"\ncurve = [\"0: 0 %\", \"1: 100 %\"]\n";
    let mut bench = run(&program(DC, mix, moves, HIT));
    for (strain, expected) in [(0.0, 0.0), (0.3, -3.0), (1.0, -10.0), (0.0, 0.0)] {
        bench.parameter("strain", strain);
        bench.render(4800);
        assert!((heard(&mut bench) - expected).abs() < 0.02, "{strain}");
    }
}

#[test]
fn a_bus_or_a_sound_holds_another_down() {
    let sounds = "[one]\nbus = \"a\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n[two]\nbus = \"b\"\ntakes = [\"audio/one.wav\"]\n";
    for key in ["bus b", "sound two"] {
        let mix = format!(
            "[buses.a]\n[buses.b]\nlevel = \"-60 dB\"\n[[duck]]\nsidechain = \"{key}\"\nducks = \"a\"\nby = \"-9 dB\"\nover = \"{}\"\nattack = \"100 ms\"\nhold = \"200 ms\"\nrelease = \"400 ms\"\n",
            if key == "bus b" { "-90 dB" } else { "-40 dB" }
        );
        let program = program(sounds, &mix, "", "When hit\n  play one\nWhen tick\n  play two\n");
        let mut bench = run(&program);
        bench.render(4800);
        bench.event(NOW, "tick");
        bench.render(2400);
        assert!((heard(&mut bench) + 4.5).abs() < 0.3, "{key}: half way down after half of the attack: {}", heard(&mut bench));
        bench.render(4800);
        assert!((heard(&mut bench) + 9.0).abs() < 0.05);
        let status = bench.status.as_ref().unwrap();
        let terms = status.terms_of(&status.voices[0]);
        assert!(terms.iter().any(|t| t.kind == TermKind::DuckedBus && t.value == -9.0 && t.of == NameKey::of(key.split(' ').nth(1).unwrap())), "{terms:?}");
        // The sound lasts a second; then it stays for 200 ms and comes back in 400.
        bench.render(48_000 - 7200);
        bench.render(8640);
        assert!((heard(&mut bench) + 9.0).abs() < 0.3, "it stays");
        bench.render(9600);
        assert!((heard(&mut bench) + 4.5).abs() < 0.9, "{}", heard(&mut bench));
        bench.render(12_000);
        assert!(heard(&mut bench).abs() < 0.01);
    }
    let (_, faults) =
        compile_with(&[("mix.toml", "[buses.a]\n[[duck]]\nsidechain = \"bus a\"\nducks = \"a\"\n[[duck]]\nsidechain = \"a\"\nducks = \"a\"\n[[duck]]\n")]);
    for part in ["a cannot duck itself", "\"a\" is neither a bus nor a sound", "a duck has no field sidechain"] {
        assert!(faults.iter().any(|f| f.contains(part)), "{part}: {faults:?}");
    }
}

#[test]
fn a_player_level_is_in_force_before_the_first_sample() {
    let program = program(DC, "[player-levels]\nmusic = \"a\"\n[buses.a]\n", "", HIT);
    for seed in 0..4 {
        let prepared = Prepared::new(Arc::clone(&program), seed).with_player_levels(&[(NameKey::of("music"), 0.0), (NameKey::of("other"), 3.0)]);
        let (engine, remote) = estampie_engine::engine::Engine::new(prepared, Options::default());
        let mut bench = Bench { engine, remote, happenings: Vec::new(), status: None, names: Default::default() };
        bench.event(NOW, "hit");
        let (left, right) = bench.render(48_000);
        assert!(left.iter().chain(&right).all(|s| *s == 0.0), "digital silence");
        // An edit does not forget it.
        bench.remote.program(Box::new(Prepared::new(Arc::clone(&program), seed))).unwrap();
        assert!(bench.render(48_000).0.iter().all(|s| *s == 0.0));
    }
    let mut bench = run(&program);
    for (set, counts) in [(7.04, 7.0), (-3.0, 0.0), (99.0, 10.0), (f32::NAN, 10.0), (0.1, 0.1), (5.0, 5.0)] {
        bench.send(NOW, InputKind::PlayerLevel { level: NameKey::of("music"), value: set });
        let (left, _) = bench.render(38_400);
        assert!(largest_step(&left) < 0.01);
        let expected = 0.5 * if counts > 0.0 { gain(player_level_db(counts)) } else { 0.0 };
        assert!((left[38_399] - expected).abs() < 2e-4, "{set}: {} for {expected}", left[38_399]);
    }
    assert_eq!(player_level_db(10.0), 0.0);
    assert!((player_level_db(5.0) - player_level_db(10.0) + 10.0).abs() < 0.1, "half the number is half as loud: 10 dB");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Whatever is raised and lowered, when all reasons are gone the mix beneath is what it was, to the bit.
    #[test]
    fn any_storm_ends_at_the_mix_beneath(storm in prop::collection::vec((0usize..6, 64usize..6000), 1..40)) {
        let mix = "[buses.a]\nlevel = \"-3 dB\"\n[snapshots.s]\nrise = \"80 ms\"\nfall = \"120 ms\"\norder = 1\nhold = { \"bus a level\" = \"to silent\" }\n[snapshots.t]\nrise = \"30 ms\"\nfall = \"300 ms, power 2\"\nwhile = \"deck is silt\"\nhold = { \"bus a level\" = \"by -7.3 dB\", \"bus a low-pass\" = \"to 500 Hz\" }\n";
        let reactions = "When hit\n  play one\nWhen tick\n  raise s for 0.05 s\nWhen loop\n  raise s\n  raise t\nWhen strain becomes over 0.5\n  lower s\n  lower t\n";
        let mut bench = run(&program(DC, mix, "", reactions));
        bench.render(4800);
        let before = bench.status.as_ref().unwrap().cells.clone();
        let sample = last(&mut bench, 64);
        for (what, frames) in storm {
            match what {
                0 => bench.event(NOW, "tick"),
                1 => bench.event(NOW, "loop"),
                2 => bench.parameter("strain", 1.0),
                3 => bench.parameter("strain", 0.0),
                4 => bench.state("deck", "silt"),
                _ => bench.state("deck", "grate"),
            }
            let (left, _) = bench.render(frames);
            prop_assert!(left.iter().all(|s| s.is_finite()));
            let told = bench.status.as_ref().unwrap().voices[0].heard_db;
            let measured = 20.0 * left[frames / 64 * 64 - 1].abs().max(1e-9).log10();
            // With the bus's low-pass open for a while the two agree.
            if measured > -60.0 && bench.status.as_ref().unwrap().snapshots.iter().all(|s| s.share == 0.0 || s.share == 1.0) && frames > 5000 && frames % 64 == 0 {
                prop_assert!((told - measured).abs() < 0.1, "ledger {}, output {}", told, measured);
            }
        }
        bench.parameter("strain", 0.0);
        bench.render(64);
        bench.parameter("strain", 1.0);
        bench.state("deck", "plank");
        bench.render(48_000);
        prop_assert_eq!(&bench.status.as_ref().unwrap().cells, &before);
        prop_assert_eq!(last(&mut bench, 64), sample);
    }

    /// Any graph of routes is refused with its loop or renders finite sound.
    #[test]
    fn any_routes_are_refused_or_finite(sends in prop::collection::vec((0usize..6, 0usize..6, -20i32..6), 0..14), intos in prop::collection::vec(0usize..7, 6)) {
        let mut mix = String::new();
        let mut seen = std::collections::BTreeSet::new();
        for (bus, into) in intos.iter().enumerate() {
            let into = if *into == 6 { "main".to_owned() } else { format!("r{into}") };
            mix.push_str(&format!("[buses.r{bus}]\nreturn = true\ninto = \"{into}\"\n[buses.r{bus}.effect.echo]\ntime = \"7 ms\"\nfeedback = \"80 %\"\n[buses.r{bus}.send]\n"));
            for (from, to, level) in &sends {
                if *from == bus && seen.insert((*from, *to)) {
                    mix.push_str(&format!("r{to} = \"{level} dB\"\n"));
                }
            }
        }
        let (program, faults) = compile_with(&[("sounds/all.toml", "[one]\nbus = \"r0\"\ntakes = [\"audio/one.wav\"]\n"), ("mix.toml", &mix), ("reactions.est", HIT)]);
        for fault in &faults {
            prop_assert!(fault.contains("would feed back: ") || fault.contains("run in a circle"), "{}", fault);
            prop_assert!(fault.contains(" ⟶ "));
        }
        // Every bus is worked out before those it feeds.
        let place = |bus: BusIndex| program.mix.order.iter().position(|b| *b == bus).unwrap();
        for (at, bus) in program.mix.buses.with_places() {
            prop_assert!(at == BusIndex::ROOT || place(at) < place(bus.into));
            prop_assert!(bus.sends.iter().all(|s| place(at) < place(s.to)));
        }
        let (left, right) = run(&program).render(24_000);
        prop_assert!(left.iter().chain(&right).all(|s| s.is_finite() && s.abs() <= 1.0));
    }
}

/// The effects in `docs/project-format.md`, as the registry has them.
#[test]
fn the_manual_names_every_effect_and_setting() {
    use estampie_engine::dsp::effects::KINDS;
    use estampie_engine::property::Unit;
    let manual = include_str!("../../../../docs/project-format.md").replace("\r\n", "\n");
    let mut table = String::from("| effect | what it does | settings: range, at rest |\n|---|---|---|\n");
    for kind in KINDS {
        let settings: Vec<String> = kind
            .settings
            .iter()
            .map(|s| match s.unit {
                Unit::Choice(words) => format!("`{}` {}", s.word, words.join(" / ")),
                unit => format!("`{}` {} to {}, {}{}", s.word, unit.print(s.low), unit.print(s.high), unit.print(s.rest), if s.fixed { ", fixed" } else { "" }),
            })
            .collect();
        table.push_str(&format!("| `{}` | {} | {} |\n", kind.word, kind.says, settings.join("; ")));
    }
    assert!(manual.contains(&table), "put this into docs/project-format.md:\n{table}");
}

#[test]
fn a_compressor_listens_to_another_bus_wherever_it_stands_in_the_row() {
    let sounds = format!("{DC}[two]\nbus = \"b\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n");
    let many: String = (0..9).map(|n| format!("[buses.a.effect.g{n}]\nkind = \"gain\"\n")).collect();
    let mix = format!(
        "[buses.a]\nlevel = \"-20 dB\"\n{many}[buses.a.effect.hold]\nkind = \"compressor\"\nsidechain = \"b\"\nthreshold = \"-46 dB\"\nratio = \"2\"\nknee = \"0 dB\"\nattack = \"1 ms\"\n[buses.b]\nlevel = \"-20 dB\"\n"
    );
    let mut bench = run(&program(&sounds, &mix, "", "When hit\n  play one\nWhen tick\n  play two\n"));
    assert!((last(&mut bench, 4800) - 0.05).abs() < 1e-5, "b is silent");
    bench.event(NOW, "tick");
    // b comes to −26 dB, 20 over: ten down.
    let expected = 0.05 * gain(-10.0103) + 0.05;
    assert!((last(&mut bench, 9600) - expected).abs() < 2e-4, "{expected}");
}
