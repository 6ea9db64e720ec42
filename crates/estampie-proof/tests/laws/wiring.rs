//! What the game tells and what follows: formulas, measures, conditions that count and last, actions that wait.

use crate::support::{Bench, GAME, compile_with, program, program_with};
use estampie_engine::engine::{InputKind, NOW};
use estampie_engine::names::NameKey;
use estampie_engine::telemetry::{Happening, Notice, What};
use estampie_engine::vocabulary::{Binary, Function};
use estampie_project::language::{Expression, formula};
use proptest::prelude::*;

fn key(name: &str) -> NameKey {
    NameKey::of(name)
}

const A: &str = "[a]\ntakes = [\"audio/low.wav\"]\n";

/// The frames on which reactions acted.
fn acted(happenings: &[Happening]) -> Vec<u64> {
    happenings.iter().filter(|h| matches!(h.what, What::Reaction { .. })).map(|h| h.frame).collect()
}

fn notices(happenings: &[Happening]) -> Vec<Notice> {
    happenings.iter().filter_map(|h| if let What::Notice(n) = h.what { Some(n) } else { None }).collect()
}

/// A formula worked out the plain way.
fn reference(e: &Expression, strain: f32, depth: f32, deck: &str) -> f32 {
    let of = |e: &Expression| reference(e, strain, depth, deck);
    match e {
        Expression::Number(n) => *n as f32,
        Expression::Parameter(word) => match word.text.as_str() {
            "strain" => strain,
            _ => depth,
        },
        Expression::State(_, value, is) => f32::from(u8::from((value.text == deck) == *is)),
        Expression::Negative(e) => -of(e),
        Expression::Binary(operator, a, b) => {
            let (a, b) = (of(a), of(b));
            let truth = |t: bool| f32::from(u8::from(t));
            match operator {
                Binary::Add => a + b,
                Binary::Subtract => a - b,
                Binary::Multiply => a * b,
                Binary::Divide => a / b,
                Binary::Less => truth(a < b),
                Binary::More => truth(b < a),
                Binary::AtMost => truth(a <= b),
                Binary::AtLeast => truth(b <= a),
                Binary::And => truth(a != 0.0) * truth(b != 0.0),
                Binary::Or => truth(!(a == 0.0 && b == 0.0)),
            }
        }
        Expression::Call(function, list) => {
            let x: Vec<f32> = list.iter().map(of).collect();
            match function {
                Function::Min | Function::Max | Function::Clamp if x.iter().any(|v| v.is_nan()) => f32::NAN,
                Function::Min => [x[0], x[1]].into_iter().reduce(|a, b| if b < a { b } else { a }).unwrap(),
                Function::Max => [x[0], x[1]].into_iter().reduce(|a, b| if b > a { b } else { a }).unwrap(),
                Function::Clamp => {
                    let raised = if x[0] < x[1] { x[1] } else { x[0] };
                    if raised > x[2] { x[2] } else { raised }
                }
                Function::Mix => x[0] + (x[1] - x[0]) * x[2],
                Function::SmoothStep => {
                    let t = ((x[2] - x[0]) / (x[1] - x[0])).clamp(0.0, 1.0);
                    t * t * (3.0 - 2.0 * t)
                }
                Function::Abs => x[0].abs(),
                Function::Sqrt if x[0] < 0.0 => f32::NAN,
                Function::Sqrt => x[0].powf(0.5),
                Function::Power => x[0].powf(x[1]),
                Function::Rate => 0.0,
                Function::If => {
                    if x[0] != 0.0 {
                        x[1]
                    } else {
                        x[2]
                    }
                }
                Function::Not => truth_of(x[0] == 0.0),
            }
        }
    }
}

fn truth_of(t: bool) -> f32 {
    if t { 1.0 } else { 0.0 }
}

fn expressions() -> impl Strategy<Value = String> {
    let leaf = prop_oneof![
        (0u32..400).prop_map(|n| format!("{}", f64::from(n) / 8.0)),
        Just("strain".to_owned()),
        Just("depth".to_owned()),
        Just("deck is grate".to_owned()),
        Just("deck is not plank".to_owned()),
    ];
    leaf.prop_recursive(4, 30, 3, |inner| {
        prop_oneof![
            (inner.clone(), prop::sample::select(vec!["+", "-", "*", "/", "<", ">", "<=", ">=", "and", "or"]), inner.clone())
                .prop_map(|(a, o, b)| format!("({a}) {o} ({b})")),
            (prop::sample::select(vec!["min", "max", "power"]), inner.clone(), inner.clone()).prop_map(|(f, a, b)| format!("{f}({a}, {b})")),
            (prop::sample::select(vec!["clamp", "mix", "smooth-step", "if"]), inner.clone(), inner.clone(), inner.clone())
                .prop_map(|(f, a, b, c)| format!("{f}({a}, {b}, {c})")),
            (prop::sample::select(vec!["abs", "sqrt", "not", "-"]), inner).prop_map(|(f, a)| format!("{f}({a})")),
        ]
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    #[test]
    fn formulas_equal_a_plain_evaluation(text in expressions(), strain in 0.0f32..=1.0, depth in 0.0f32..=100.0, deck in prop::sample::select(vec!["plank", "grate", "silt"])) {
        let game = format!("{GAME}[formulas]\nf = {{ is = \"{text}\", range = \"-1000000000..1000000000\" }}\n");
        let program = program_with(&[("game.toml", &game)]);
        let mut bench = Bench::new(&program, 1);
        bench.parameter("strain", strain);
        bench.parameter("depth", depth);
        bench.state("deck", deck);
        bench.render(64);
        bench.render(64);
        let expression = formula::parse(&Default::default(), &text).unwrap();
        let wanted = reference(&expression, strain, depth, deck);
        let index = program.find_parameter.get(key("f")).unwrap();
        let got = bench.status.as_ref().unwrap().parameters[index].value;
        let said = notices(&bench.happenings).iter().any(|n| matches!(n, Notice::NoNumber { .. }));
        if wanted.is_finite() {
            let wanted = wanted.clamp(-1e9, 1e9);
            prop_assert!((got - wanted).abs() <= wanted.abs() * 1e-4 + 1e-4, "{text}: {got} instead of {wanted}");
        } else {
            prop_assert!(got.is_finite() && said, "{text}: {got}, a fault was said: {said}");
        }
    }
}

#[test]
fn a_formula_that_divides_by_zero_holds_its_last_good_value_and_says_so_once() {
    let game = format!("{GAME}[formulas]\nf = \"10 / strain\"\n");
    let program = program_with(&[("game.toml", &game)]);
    let mut bench = Bench::new(&program, 1);
    let at = program.find_parameter.get(key("f")).unwrap();
    bench.parameter("strain", 0.5);
    bench.render(640);
    assert_eq!(bench.status.as_ref().unwrap().parameters[at].value, 20.0);
    bench.happenings.clear();
    bench.parameter("strain", 0.0);
    bench.render(6_400);
    assert_eq!(bench.status.as_ref().unwrap().parameters[at].value, 20.0);
    assert_eq!(notices(&bench.happenings), [Notice::NoNumber { parameter: key("f"), kept: 20.0 }]);
    bench.parameter("strain", 1.0);
    bench.render(640);
    assert_eq!(bench.status.as_ref().unwrap().parameters[at].value, 10.0);
}

#[test]
fn formulas_in_a_circle_are_refused_by_name_and_others_work() {
    let game = format!("{GAME}[formulas]\na = \"b + 1\"\nb = \"max(c, 2)\"\nc = \"a * 2\"\nd = \"e + 1\"\ne = \"strain * 2\"\n");
    let (program, faults) = compile_with(&[("game.toml", &game)]);
    assert_eq!(faults.len(), 1, "{faults:?}");
    assert!(faults[0].contains("in a circle: a ⟶ b ⟶ c ⟶ a"), "{faults:?}");
    let mut bench = Bench::new(&program, 1);
    bench.parameter("strain", 0.5);
    bench.render(128);
    let value = |name: &str| bench.status.as_ref().unwrap().parameters[program.find_parameter.get(key(name)).unwrap()].value;
    assert_eq!((value("e"), value("d"), value("a")), (1.0, 2.0, 0.0), "d is worked out after e although it stands before it");
}

#[test]
fn mistakes_between_each_and_all_are_named() {
    let game = format!("{GAME}[formulas]\nf = \"loudness * 2\"\n");
    let (_, faults) = compile_with(&[
        ("game.toml", &game),
        ("modulation.toml", "[[modulation]]\nfrom = \"loudness\"\nmoves = \"bus main level\"\ncurve = [\"0: 0 dB\"]\n"),
        ("playthroughs/p.play", "0 strain on bell 0.5\n"),
        ("reactions.est", "When hit\n  set loudness to 1\nWhen hit\n  add 1 to loudness\n"),
    ]);
    let told = faults.join("\n");
    assert_eq!(told.matches("every emitter has a loudness of its own").count(), 4, "{told}");
    assert!(told.contains("strain is one for all"), "{told}");
    let program = program("", "", "", "");
    let mut bench = Bench::new(&program, 1);
    bench.parameter("loudness", 0.5);
    bench.send(NOW, InputKind::Parameter { parameter: key("strain"), value: 0.5, emitter: key("bell") });
    bench.render(64);
    assert_eq!(notices(&bench.happenings), [Notice::NeedsEmitter(key("loudness")), Notice::ForAll(key("strain"))]);
    assert_eq!(bench.status.as_ref().unwrap().parameters[program.find_parameter.get(key("strain")).unwrap()].value, 0.5);
}

#[test]
fn what_is_measured_needs_no_game_code() {
    let game = format!(
        "{GAME}[parameters.near]\nmeasure = \"distance to eel\"\n[parameters.side]\nmeasure = \"bearing of eel\"\n[parameters.fast]\nmeasure = \"speed of eel\"\n[parameters.high]\nmeasure = \"height of eel\"\n[parameters.many]\nmeasure = \"count of shrimp within 20 m\"\n[parameters.sinking]\nmeasure = \"rate of depth\"\n[parameters.since]\nmeasure = \"time since hit\"\n"
    );
    let reactions = "When near becomes under 5 m\n  play a at eel\n";
    let program = program_with(&[("game.toml", &game), ("sounds/all.toml", A), ("reactions.est", reactions)]);
    let mut bench = Bench::new(&program, 1);
    let place = |bench: &mut Bench, name: &str, kind: &str, at: [f32; 3], frames| {
        bench.send(NOW, InputKind::Place { emitter: key(name), kind: key(kind), at, facing: None, frames });
    };
    bench.send(NOW, InputKind::Place { emitter: key("listener"), kind: NameKey::NONE, at: [0.0; 3], facing: Some(0.0), frames: 0 });
    place(&mut bench, "eel", "eel", [30.0, 0.0, 40.0], 0);
    for n in 0..5 {
        place(&mut bench, &format!("s{n}"), "shrimp", [n as f32 * 8.0, 0.0, 0.0], 0);
    }
    bench.render(128);
    let value = |bench: &Bench, name: &str| bench.status.as_ref().unwrap().parameters[program.find_parameter.get(key(name)).unwrap()].value;
    assert_eq!((value(&bench, "near"), value(&bench, "side"), value(&bench, "high"), value(&bench, "many")), (50.0, 90.0, 40.0, 3.0));
    assert_eq!(value(&bench, "since"), 3600.0);
    bench.event(NOW, "hit");
    bench.send(NOW, InputKind::Glide { parameter: key("depth"), from: Some(0.0), to: 100.0, frames: 480_000 });
    place(&mut bench, "eel", "", [0.0, 0.0, 0.0], 48_000 * 5);
    bench.render(48_000);
    assert!((value(&bench, "fast") - 10.0).abs() < 0.1, "{}", value(&bench, "fast"));
    assert!((value(&bench, "sinking") - 10.0).abs() < 0.5, "{}", value(&bench, "sinking"));
    assert!((value(&bench, "since") - 1.0).abs() < 0.01);
    bench.render(48_000 * 4);
    let started: Vec<u64> = bench.happenings.iter().filter(|h| matches!(h.what, What::VoiceStart { .. })).map(|h| h.frame).collect();
    assert_eq!(started.len(), 1, "it came near once");
    assert!(started[0].abs_diff(128 + 48_000 * 5 * 9 / 10) < 200, "{started:?}");
}

#[test]
fn speed_turning_and_approach_are_those_of_the_formulas_and_are_followed() {
    let game = format!(
        "{GAME}[parameters.fast]\nmeasure = \"speed of eel\"\nrise = \"20 ms\"\nfall = \"20 ms\"\n[parameters.nearer]\nmeasure = \"approach of eel\"\nrise = \"20 ms\"\nfall = \"20 ms\"\n\
        [parameters.turn]\nmeasure = \"turning of listener\"\n[parameters.slow]\nmeasure = \"turning of listener\"\nrise = \"2 s\"\n"
    );
    let program = program_with(&[("game.toml", &game), ("sounds/all.toml", A), ("reactions.est", "When turn becomes over 200\n  play a\n")]);
    let mut bench = Bench::new(&program, 1);
    let value = |bench: &Bench, name: &str| bench.status.as_ref().unwrap().parameters[program.find_parameter.get(key(name)).unwrap()].value;
    let tell = |bench: &mut Bench, who: &str, at: [f32; 3], facing: f32| {
        bench.send(NOW, InputKind::Place { emitter: key(who), kind: NameKey::NONE, at, facing: Some(facing), frames: 0 });
        // Twelve blocks, so that what is told is even.
        bench.render(768);
    };
    // Round the listener at 10 m, 36 degrees a second, told 62.5 times a second.
    for n in 0..60u8 {
        let angle = (f32::from(n) * 0.576).to_radians();
        tell(&mut bench, "eel", [10.0 * angle.cos(), 10.0 * angle.sin(), 0.0], 0.0);
    }
    let round = 10.0 * 36f32.to_radians();
    assert!((value(&bench, "fast") - round).abs() < 0.1, "{}", value(&bench, "fast"));
    assert!(value(&bench, "nearer").abs() < 0.05, "{}", value(&bench, "nearer"));
    // Away from him at 6 m/s, and back at 3.
    for n in 0..60u8 {
        tell(&mut bench, "eel", [20.0 + f32::from(n) * 0.096, 0.0, 0.0], 0.0);
    }
    assert!((value(&bench, "nearer") + 6.0).abs() < 0.1, "{}", value(&bench, "nearer"));
    for n in 0..60u8 {
        tell(&mut bench, "eel", [26.0 - f32::from(n) * 0.048, 0.0, 0.0], 0.0);
    }
    assert!((value(&bench, "nearer") - 3.0).abs() < 0.05 && (value(&bench, "fast") - 3.0).abs() < 0.05);
    // He turns by 90 degrees a second to the left, across north.
    for n in 0..60u8 {
        tell(&mut bench, "listener", [0.0; 3], 45.0 - f32::from(n) * 1.44);
    }
    assert!((value(&bench, "turn") - 90.0).abs() < 2.0, "{}", value(&bench, "turn"));
    assert!((20.0..60.0).contains(&value(&bench, "slow")), "it rises in two seconds: {}", value(&bench, "slow"));
    assert_eq!(acted(&bench.happenings), [0u64; 0]);
    for n in 0..30u8 {
        tell(&mut bench, "listener", [0.0; 3], -45.0 + f32::from(n) * 6.0);
    }
    assert_eq!(acted(&bench.happenings).len(), 1, "about he goes");
    bench.render(48_000);
    assert!(value(&bench, "turn") < 0.5 && value(&bench, "fast") < 0.01);
}

#[test]
fn every_emitter_has_values_of_its_own() {
    let game = format!("{GAME}[parameters.far]\nmeasure = \"distance\"\nrange = \"0..100 m\"\n");
    let modulation = "[[modulation]]\nfrom = \"far\"\nmoves = \"a level\"\ncurve = [\"0 m: 0 dB\", \"100 m: -50 dB\"]\n[[modulation]]\nfrom = \"loudness\"\nmoves = \"a pitch\"\ncurve = [\"0: 0 st\", \"1: 12 st\"]\n";
    let reactions = "When hit and loudness over 0.5\n  play a at the emitter\nWhen loudness becomes over 0.8\n  send tick at the emitter\n";
    let program = program_with(&[("game.toml", &game), ("sounds/all.toml", A), ("modulation.toml", modulation), ("reactions.est", reactions)]);
    let mut bench = Bench::new(&program, 1);
    for (name, east, loudness) in [("near", 10.0, 0.75), ("far", 60.0, 0.6), ("shy", 1.0, 0.2)] {
        bench.send(NOW, InputKind::Place { emitter: key(name), kind: NameKey::NONE, at: [east, 0.0, 0.0], facing: None, frames: 0 });
        bench.send(NOW, InputKind::Parameter { parameter: key("loudness"), value: loudness, emitter: key(name) });
        bench.event_on(NOW, "hit", name);
    }
    bench.render(6_400);
    use estampie_engine::property::Property;
    let status = bench.status.as_ref().unwrap();
    let of = |name: &str, property| {
        status.voices.iter().find(|v| v.emitter == key(name)).map(|v| {
            status.terms_of(v).iter().filter(|t| t.property == property && t.kind == estampie_engine::ledger::TermKind::Moved).map(|t| t.value).sum::<f32>()
        })
    };
    let rounded = |name: &str| of(name, Property::Level).map(|v| (v * 100.0).round() / 100.0);
    assert_eq!((rounded("near"), rounded("far"), rounded("shy")), (Some(-5.0), Some(-30.0), None));
    assert_eq!(of("near", Property::Pitch), Some(9.0));
    bench.send(NOW, InputKind::Parameter { parameter: key("loudness"), value: 0.9, emitter: key("shy") });
    bench.render(64);
    assert!(bench.happenings.iter().any(|h| matches!(h.what, What::Event { event, emitter, .. } if event == key("tick") && emitter == key("shy"))));
}

#[test]
fn the_games_range_is_mapped_and_clamped_with_a_notice() {
    let game = format!("{GAME}[parameters.fuel]\nunit = \"l\"\nrange = \"0..40\"\nfrom-game = \"0..255\"\n");
    let program = program_with(&[("game.toml", &game)]);
    let mut bench = Bench::new(&program, 1);
    let at = program.find_parameter.get(key("fuel")).unwrap();
    bench.parameter("fuel", 51.0);
    bench.render(64);
    assert_eq!(bench.status.as_ref().unwrap().parameters[at].value, 8.0);
    bench.parameter("fuel", 300.0);
    bench.render(64);
    assert_eq!(bench.status.as_ref().unwrap().parameters[at].value, 40.0);
    assert!(matches!(notices(&bench.happenings)[..], [Notice::Clamped { .. }]));
    bench.send(NOW, InputKind::Hold { parameter: key("fuel"), value: Some(3.0) });
    bench.render(64);
}

#[test]
fn changes_must_last_cross_or_lie_between() {
    let reactions = "When depth becomes under 10 m for 1 s\n  play a\nWhen strain rises over 0.5\n  play a\nWhen hit and depth between 20 and 30 m\n  play a\n";
    let program = program(A, "", "", reactions);
    let mut bench = Bench::new(&program, 1);
    bench.parameter("depth", 50.0);
    bench.render(64);
    // It dips for half a second, then for good.
    bench.parameter("depth", 5.0);
    bench.render(24_000);
    bench.parameter("depth", 15.0);
    bench.render(24_000);
    assert_eq!(acted(&bench.happenings), [0u64; 0] as [u64; 0]);
    bench.send(100_000, InputKind::Parameter { parameter: key("depth"), value: 5.0, emitter: NameKey::NONE });
    bench.render(100_000);
    assert_eq!(acted(&bench.happenings), [148_000], "a second later, on the frame");
    bench.happenings.clear();
    for strain in [0.3, 0.5, 0.6, 0.9, 0.5, 0.7] {
        bench.parameter("strain", strain);
        bench.render(64);
    }
    assert_eq!(acted(&bench.happenings).len(), 2, "0.5 ⟶ 0.6 and 0.5 ⟶ 0.7");
    bench.happenings.clear();
    for depth in [19.0, 20.0, 25.0, 30.0, 31.0] {
        bench.parameter("depth", depth);
        bench.event(NOW, "hit");
        bench.render(64);
    }
    assert_eq!(acted(&bench.happenings).len(), 3);
}

#[test]
fn calls_are_counted_and_once_is_once() {
    let reactions =
        "When hit at the 3rd within 0.5 s\n  play a\nWhen tick every 4th\n  play a\nWhen loop once until deck is silt\n  play a\n  add 1 to strain\n";
    let program = program(A, "", "", reactions);
    let mut bench = Bench::new(&program, 1);
    for frame in [1_000u64, 12_000, 30_000, 36_500, 50_000] {
        bench.event(frame, "hit");
    }
    bench.render(60_000);
    // 30 000 is too late for 1 000; 36 500 too late for 12 000 by 500; 50 000 has 30 000 and 36 500.
    assert_eq!(acted(&bench.happenings), [50_000]);
    bench.happenings.clear();
    for _ in 0..9 {
        bench.event(NOW, "tick");
        bench.render(64);
    }
    assert_eq!(acted(&bench.happenings).len(), 2);
    bench.happenings.clear();
    for state in ["plank", "plank", "silt", "grate", "plank"] {
        bench.state("deck", state);
        bench.event(NOW, "loop");
        bench.event(NOW, "loop");
        bench.render(64);
    }
    assert_eq!(acted(&bench.happenings).len(), 2, "once at the start, once after silt");
    assert_eq!(bench.status.as_ref().unwrap().parameters[program.find_parameter.get(key("strain")).unwrap()].value, 1.0, "0 + 1, and clamped from 2");
}

#[test]
fn what_is_reset_is_as_at_the_beginning() {
    let program = program(A, "", "", "When hit\n  add 0.4 to strain\n  set deck to silt\nWhen tick\n  reset strain\n  reset deck\n");
    let (strain, deck) = (program.find_parameter.get(key("strain")).unwrap(), program.find_state.get(key("deck")).unwrap());
    let mut bench = Bench::new(&program, 1);
    let mut now = |event: &str| {
        bench.event(NOW, event);
        bench.render(64);
        let status = bench.status.as_ref().unwrap();
        (status.parameters[strain].value, status.states[deck])
    };
    let rest = (program.parameters[strain].rest, program.states[deck].start);
    assert_eq!(now("loop"), rest);
    assert_ne!(now("hit"), rest);
    assert_eq!(now("tick"), rest);
}

#[test]
fn actions_wait_and_draw_and_are_switched_off() {
    let reactions = "When hit\n  play a at the listener, after 0.25 s\n  send tick, after 0.5 s\nOff: When hit\n  play a\nWhen tick\n  stop a\nWhen loop\n  play a, chance 50 %\n";
    let program = program(A, "", "", reactions);
    let mut bench = Bench::new(&program, 3);
    bench.event(1_000, "hit");
    bench.render(48_000);
    let at = |what: fn(&What) -> bool| bench.happenings.iter().filter(|h| what(&h.what)).map(|h| h.frame).collect::<Vec<_>>();
    assert_eq!(at(|w| matches!(w, What::VoiceStart { emitter, .. } if *emitter == NameKey::of("listener"))), [13_000]);
    assert_eq!(at(|w| matches!(w, What::Event { event, .. } if *event == NameKey::of("tick"))), [25_000]);
    assert_eq!(at(|w| matches!(w, What::LetGo { count: 1, .. })), [25_000]);
    bench.happenings.clear();
    for _ in 0..200 {
        bench.event(NOW, "loop");
        bench.render(64);
    }
    let started = bench.happenings.iter().filter(|h| matches!(h.what, What::VoiceStart { .. })).count();
    assert!((70..=130).contains(&started), "{started}");
}

#[test]
fn a_clock_beats_while_its_conditions_hold_and_begins_anew_with_them() {
    let mut bench = Bench::new(&program(A, "", "", "When every 0.5 s while strain over 0.5 and deck is plank\n  play a\n"), 1);
    bench.render(48_000);
    assert_eq!(acted(&bench.happenings), [0u64; 0], "it stands");
    bench.parameter("strain", 0.9);
    bench.render(96_000);
    let first = acted(&bench.happenings);
    assert_eq!(first.len(), 3);
    assert!((72_000..=72_064).contains(&first[0]) && first.windows(2).all(|w| w[1] - w[0] == 24_000), "{first:?}");
    // It stands, and begins with a whole interval again.
    bench.state("deck", "grate");
    bench.render(40_000);
    bench.state("deck", "plank");
    bench.render(23_000);
    assert_eq!(acted(&bench.happenings).len(), 3);
    bench.render(2_000);
    let all = acted(&bench.happenings);
    assert!(all.len() == 4 && (208_000..=208_128).contains(&all[3]), "{all:?}");
}

#[test]
fn a_clock_draws_its_intervals_and_follows_a_parameter_at_once() {
    let game = format!("{GAME}[parameters.pace]\nunit = \"ms\"\nrange = \"0..9000\"\ndefault = \"4000\"\n");
    let build = |reactions: &str| program_with(&[("game.toml", &game), ("sounds/all.toml", A), ("reactions.est", reactions)]);
    let mut bench = Bench::new(&build("When every 100..300 ms\n  play a\n"), 3);
    bench.render(48_000 * 20);
    let drawn = acted(&bench.happenings);
    let gaps: Vec<u64> = drawn.windows(2).map(|w| w[1] - w[0]).collect();
    assert!(gaps.iter().all(|g| (4_800..=14_400).contains(g)) && gaps.iter().any(|g| *g < 6_000) && gaps.iter().any(|g| *g > 13_000));
    let mut bench = Bench::new(&build("When every pace\n  play a\n"), 3);
    bench.parameter("pace", 4_000.0);
    bench.render(48_000 * 3);
    assert_eq!(acted(&bench.happenings), [0u64; 0]);
    bench.parameter("pace", 500.0);
    bench.render(48_000);
    let beats = acted(&bench.happenings);
    assert!((144_000..=144_128).contains(&beats[0]) && beats[1] - beats[0] == 24_000, "{beats:?}");
    // However short it is made: fifty a second.
    bench.parameter("pace", 0.0);
    bench.render(48_000);
    assert!((49..=52).contains(&(acted(&bench.happenings).len() - beats.len())));
}

#[test]
fn something_is_done_some_time_after_an_event_if_it_did_not_come_again() {
    let mut bench = Bench::new(&program(A, "", "", "When hit since 1 s and strain under 0.5\n  play a\n"), 1);
    bench.event(100, "hit");
    bench.event(30_000, "hit");
    bench.parameter("strain", 0.9);
    bench.render(60_000);
    assert_eq!(acted(&bench.happenings), [0u64; 0], "it came again");
    // What counts is how things are then, not at the event.
    bench.parameter("strain", 0.1);
    bench.render(30_000);
    assert_eq!(acted(&bench.happenings), [78_000]);
    bench.render(96_000);
    assert_eq!(acted(&bench.happenings).len(), 1, "once for each event");
}

#[test]
fn what_people_write_from_habit_is_told_with_what_is_meant() {
    let game = format!(
        "{}[states.place]\nvalues = [\"street\", \"cave\"]\n[parameters.near]\nmeasure = \"distance of hound\"\n",
        GAME.replace("[emitters]\n", "[emitters]\nhound = \"barks\"\n")
    );
    let mix = "[snapshots.wet]\nwhile = \"cave\"\n";
    let only = |reactions: &str, sounds: &str, playthrough: &str, game: &str, mix: &str| {
        let sounds = format!("{A}{sounds}");
        let files =
            [("game.toml", game), ("sounds/all.toml", sounds.as_str()), ("reactions.est", reactions), ("playthroughs/p.play", playthrough), ("mix.toml", mix)];
        compile_with(&files).1.join("\n")
    };
    let plain = game.replace("[parameters.near]\nmeasure = \"distance of hound\"\n", "");
    for (reactions, sounds, playthrough, fix) in [
        ("When strain < 0.5\n  play a\n", "", "", "\"When strain becomes under 0.5\", or \"strain falls under 0.5\""),
        ("When strain over 0.3 and deck is plank\n  play a\n", "", "", "\"When strain becomes over 0.3\", or \"strain rises over 0.3\""),
        ("When depth >= 30 m\n  play a\n", "", "", "\"When depth becomes at least 30 m\""),
        ("When deck is grate\n  play a\n", "", "", "\"When deck becomes grate\""),
        ("When deck == grate\n  play a\n", "", "", "\"When deck becomes grate\""),
        ("When hit and strain > 0.5\n  play a\n", "", "", "\"strain over"),
        ("When hit\n  sweep a level to -6 dB over 1 s then stop\n", "", "", "then let go"),
        ("When hit\n  play a at houd\n", "", "", "hound?"),
        ("When hit\n  play a at cellar-door\n", "", "", "below [emitters]: cellar-door ="),
        ("When deck becomes plnk\n  play a\n", "", "", "plank? Its values are plank, grate, silt"),
        ("When deck becomes water\n  play a\n", "", "", "one of its values: plank, grate, silt"),
        ("", "[b]\ntakes = [\"audio/one.wav\"]\nrepeat = { every = \"5..10 ms\" }\n", "", "20 ms or more"),
        ("", "", "0.2 hit\n", "send hit"),
        ("", "", "0.2 hit on hound\n", "send hit on hound"),
        ("", "", "0.2 listener walks to 3, 4\n", "walk listener to"),
        ("", "", "0.2 hound walks to 3, 4\n", "walk hound to"),
    ] {
        let told = only(reactions, sounds, playthrough, &plain, "");
        assert!(told.lines().count() == 1 && told.contains(fix), "{reactions}{sounds}{playthrough}: {told}");
    }
    let told = only("", "", "", &game, mix);
    assert!(told.contains("distance to"), "{told}");
    let told = only("", "", "", &plain, mix);
    assert!(told.lines().count() == 1 && told.contains("place is cave"), "{told}");
}

#[test]
fn clocks_that_cannot_be_are_faults_with_a_fix() {
    let faults = |head: &str| compile_with(&[("sounds/all.toml", A), ("reactions.est", &format!("{head}\n  play a\n"))]).1;
    for (head, what, fix) in [
        ("When every 5 ms", "too short", "20 ms or more"),
        ("When every depth", "depth is not a time", "unit s, ms or min"),
        ("When every loudness", "of its own", "for all"),
        ("When every dpth", "dpth", "depth"),
        ("When every 3 s otherwise", "no \"otherwise\"", "second clock"),
        ("When every 9..3 s", "range", "8..12 s"),
    ] {
        let all = faults(head);
        assert!(all.len() == 1 && all[0].contains(what) && all[0].contains(fix), "{head}: {all:?}");
    }
}

#[test]
fn what_waits_survives_an_edit() {
    let reactions = "When hit\n  play a, after 0.5 s\nWhen depth becomes over 10 m for 0.5 s\n  play a\n";
    let (first, second) = (program(A, "", "", reactions), program(&format!("{A}level = \"-3 dB\"\n"), "", "", &format!("When tick\n  play a\n\n{reactions}")));
    let mut bench = Bench::new(&first, 1);
    bench.event(NOW, "hit");
    bench.parameter("depth", 20.0);
    bench.render(6_400);
    bench.remote.program(Box::new(estampie_engine::engine::Prepared::new(second, 1))).unwrap();
    bench.render(48_000);
    let started: Vec<u64> = bench.happenings.iter().filter(|h| matches!(h.what, What::VoiceStart { .. })).map(|h| h.frame).collect();
    assert_eq!(started, [24_000, 24_000]);
}

#[test]
fn zones_parse_and_say_that_they_come_later() {
    let (_, faults) = compile_with(&[("reactions.est", "When entering nave\n  send hit\nWhen leaving nave\n  send hit\n")]);
    assert_eq!(faults.len(), 2);
    assert!(faults[0].starts_with("reactions.est:1:15: there is no zone nave"), "{faults:?}");
}
