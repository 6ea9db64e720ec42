//! Any world under any walk: finite, below the ceiling, the same every time, and its books in order.

use crate::support::{Bench, program_with};
use estampie_engine::engine::{InputKind, NOW, Prepared};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::property::Property;
use estampie_engine::telemetry::What;
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::sync::Arc;

const SOUNDS: &str = r#"
[hum]
bus = "a"
loop = true
level = "-12 dB"
takes = ["audio/low.wav"]
falloff = { level = "gentle from 1 m to 30 m", low-pass = ["0 m: 20 kHz", "30 m: 2 kHz"], cone = ["60 deg: 0 dB", "180 deg: -9 dB"], doppler = "100 %" }
[bed]
bus = "a"
loop = true
level = "-18 dB"
takes = ["audio/low.wav"]
[snap]
bus = "a"
level = "-12 dB"
takes = ["audio/stroke.wav"]
falloff = { level = "inverse from 1 m to 30 m" }
"#;
const MIX: &str = "[buses.a]\n[buses.room]\nreturn = true\n[buses.room.effect.reverb]\nwet = \"100 %\"\n[snapshots.wet]\n[snapshots.wet.hold]\n\"bus a level\" = \"by -6 dB\"\n";
const GAME: &str = "[events]\nhit = \"something hits\"\n[parameters.hatch]\nrange = \"0..1\"\n[parameters.wind]\nrange = \"0..360\"\n[states.place]\nvalues = [\"here\", \"there\"]\n";

/// The most of the flock, and of the one-shots.
const MOST: usize = 5;

/// Numbers from which a world is made.
#[derive(Debug, Clone)]
struct Seeds {
    zones: Vec<(f32, f32, f32, bool, bool, f32)>,
    walls: Vec<(f32, f32, f32, f32)>,
    emitters: Vec<(f32, f32, f32, u8)>,
    density: f32,
}

/// What happens, and how many blocks pass before the next.
#[derive(Debug, Clone)]
enum Step {
    Walk(f32, f32, f32),
    Jump(f32, f32, f32),
    Hatch(f32),
    Wind(f32),
    Place(u8, f32, f32),
    Remove(u8),
    Hit(u8),
    Head(bool),
    Alone(bool),
    Fade,
}

fn at() -> impl Strategy<Value = f32> {
    -25.0f32..25.0
}

fn seeds() -> impl Strategy<Value = Seeds> {
    (
        prop::collection::vec((at(), at(), 0.5f32..15.0, any::<bool>(), any::<bool>(), 0.0f32..4.0), 0..5),
        prop::collection::vec((at(), at(), at(), at()), 0..4),
        prop::collection::vec((at(), at(), 0.2f32..8.0, 0u8..6), 1..7),
        0.0f32..1.0,
    )
        .prop_map(|(zones, walls, emitters, density)| Seeds { zones, walls, emitters, density })
}

fn steps() -> impl Strategy<Value = Vec<(Step, usize)>> {
    let step = prop_oneof![
        4 => (at(), at(), 0.5f32..80.0).prop_map(|(x, y, v)| Step::Walk(x, y, v)),
        2 => (at(), at(), 0.0f32..360.0).prop_map(|(x, y, f)| Step::Jump(x, y, f)),
        1 => (0.0f32..1.0).prop_map(Step::Hatch),
        1 => (0.0f32..360.0).prop_map(Step::Wind),
        2 => (0u8..6, at(), at()).prop_map(|(e, x, y)| Step::Place(e, x, y)),
        1 => (0u8..6).prop_map(Step::Remove),
        2 => (0u8..6).prop_map(Step::Hit),
        1 => any::<bool>().prop_map(Step::Head),
        1 => any::<bool>().prop_map(Step::Alone),
        1 => Just(Step::Fade),
    ];
    prop::collection::vec((step, 1usize..120), 1..14)
}

/// The text of a world; every name that it needs is there.
fn text(seeds: &Seeds) -> String {
    let mut text = "start = \"0, 0\"\n".to_owned();
    for (n, (x, y, r, round, shelter, margin)) in seeds.zones.iter().enumerate() {
        let form = if *round {
            format!("at = \"{x}, {y}\"\nradius = \"{r} m\"")
        } else {
            format!("outline = [\"{x}, {y}\", \"{}, {y}\", \"{}, {}\", \"{x}, {}\"]", x + r, x + r * 1.2, y + r, y + r)
        };
        let muffle = "{ level = \"-9 dB\", low-pass = \"1 kHz\" }";
        if *shelter {
            write!(text, "[shelters.z{n}]\n{form}\noutside = {muffle}\nedge = \"hum\"\n").unwrap();
        } else {
            write!(text, "[zones.z{n}]\n{form}\nmargin = \"{margin} m\"\norder = {n}\nsets = \"place is there\"\nsnapshot = \"wet\"\nreverb = {{ room = \"-6 dB\" }}\nambience = \"bed\"\nfade = \"50 ms\"\noutside = {muffle}\ninside = {muffle}\n").unwrap();
            write!(
                text,
                "[doorways.d{n}]\nbetween = [\"z{n}\", \"outside\"]\nline = [\"{x}, {y}\", \"{}, {}\"]\nopen = \"hatch\"\nreach = \"4 m\"\n",
                x + 2.0,
                y + 0.5
            )
            .unwrap();
        }
    }
    for (n, (x, y, u, v)) in seeds.walls.iter().enumerate() {
        write!(text, "[walls.w{n}]\nline = [\"{x}, {y}\", \"{u}, {v}\"]\n").unwrap();
    }
    for (n, (x, y, r, kind)) in seeds.emitters.iter().enumerate() {
        let (u, v) = (x + r, y - r * 0.7 - 0.3);
        let thing = match kind {
            0 => format!("[emitters.e{n}]\nat = \"{x}, {y}, 1\"\nfacing = \"{} deg\"\n", r * 40.0),
            1 => format!("[emitters.e{n}]\npath = [\"{x}, {y}\", \"{u}, {v}\"]\nspeed = \"{r} m/s\"\npass = \"there and back\"\n"),
            2 => format!("[trails.e{n}]\nline = [\"{x}, {y}\", \"{u}, {v}\", \"{v}, {u}\"]\n"),
            3 => format!("[areas.e{n}]\nat = \"{x}, {y}\"\nradius = \"{r} m\"\n"),
            4 => format!("[areas.e{n}]\npoints = [\"{x}, {y}\", \"{u}, {v}\"]\n"),
            _ => format!("[bearings.e{n}]\nbearing = \"wind\"\ndistance = \"{r} m\"\n"),
        };
        writeln!(text, "{thing}plays = \"hum\"").unwrap();
    }
    write!(text, "[one-shots.s]\nplays = \"snap\"\nevery = \"0.02..0.2 s\"\naround = \"1..9 m\"\npassing = \"4 m\"\nmost = {MOST}\n").unwrap();
    let places: Vec<String> = (0..20).map(|n| format!("\"{}, {}\"", n * 2 - 20, (n * 7) % 30 - 15)).collect();
    write!(
        text,
        "[flocks.f]\nplays = \"snap\"\npoints = [{}]\ndensity = \"{:.0} %\"\nmost = {MOST}\nrange = \"12 m\"\nmargin = \"2 m\"\nevery = \"0.05..0.3 s\"\n",
        places.join(", "),
        seeds.density * 100.0
    )
    .unwrap();
    text
}

fn program(seeds: &Seeds) -> Arc<Program> {
    program_with(&[
        ("sounds/all.toml", SOUNDS),
        ("mix.toml", MIX),
        ("game.toml", GAME),
        ("world.toml", &text(seeds)),
        ("reactions.est", "When hit\n  play snap at the emitter\n"),
    ])
}

fn take(bench: &mut Bench, step: &Step) {
    let key = |n: &u8| NameKey::of(&format!("e{n}"));
    let listener = NameKey::of("listener");
    let what = match step {
        Step::Walk(x, y, speed) => InputKind::Walk { emitter: listener, to: [*x, *y, 0.0], speed: *speed },
        Step::Jump(x, y, facing) => InputKind::Place { emitter: listener, kind: NameKey::NONE, at: [*x, *y, 0.0], facing: Some(*facing), frames: 0 },
        Step::Hatch(value) => return bench.parameter("hatch", *value),
        Step::Wind(value) => return bench.parameter("wind", *value),
        Step::Place(n, x, y) => InputKind::Place { emitter: key(n), kind: NameKey::NONE, at: [*x, *y, 0.0], facing: None, frames: 480 },
        Step::Remove(n) => InputKind::Remove { emitter: key(n) },
        Step::Hit(n) => return bench.event_on(NOW, "hit", &format!("e{n}")),
        Step::Head(on) => InputKind::Head { on: Some(*on) },
        Step::Alone(on) => InputKind::SoloEmitter { emitter: if *on { NameKey::of("e0") } else { NameKey::NONE } },
        Step::Fade => InputKind::StopAll { frames: 960 },
    };
    bench.send(NOW, what);
}

/// Zones are entered before they are left, and left before they are entered again.
fn zones_alternate(bench: &Bench) -> Result<(), TestCaseError> {
    let mut inside: BTreeMap<u64, bool> = BTreeMap::new();
    for happening in &bench.happenings {
        if let What::Zone { zone, entered } = happening.what {
            let before = inside.insert(zone.0, entered).unwrap_or(false);
            prop_assert!(before != entered, "entered twice, or left without having been there");
        }
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]
    #[test]
    fn any_world_under_any_walk_is_finite_the_same_again_and_keeps_its_books(seeds in seeds(), steps in steps()) {
        let program = program(&seeds);
        let (mut one, mut other) = (Bench::new(&program, 3), Bench::new(&program, 3));
        let members: Vec<NameKey> = program.world.flocks[0].members.clone();
        prop_assert_eq!(members.len(), MOST);
        for (step, blocks) in &steps {
            take(&mut one, step);
            take(&mut other, step);
            let (left, right) = one.render(blocks * 64);
            let again = other.render(blocks * 64);
            prop_assert!(left.iter().chain(&right).all(|s| s.is_finite() && s.abs() <= 1.0), "{step:?}");
            prop_assert!(left.iter().zip(&again.0).chain(right.iter().zip(&again.1)).all(|(a, b)| a.to_bits() == b.to_bits()), "not the same again after {step:?}");
            let status = one.status.as_ref().unwrap();
            prop_assert!(status.emitters.iter().filter(|e| members.contains(&e.emitter)).count() <= MOST);
            for voice in &status.voices {
                let sum: f32 = status.terms_of(voice).iter().filter(|t| t.property == Property::Level).map(|t| t.value).sum();
                prop_assert!((sum - voice.heard_db).abs() < 0.01 || sum < -100.0 && voice.heard_db < -100.0, "{sum} is not {}", voice.heard_db);
                if let Some((bearing, distance, width)) = voice.placement {
                    prop_assert!((-180.0..=180.0).contains(&bearing) && distance >= 0.0 && distance.is_finite() && (0.0..=1.0).contains(&width));
                }
            }
            prop_assert!(status.zones.iter().all(|z| (0.0..=1.0).contains(&z.share)), "{:?}", status.zones);
        }
        zones_alternate(&one)?;
        // What the listener is in is what holds him.
        one.render(64);
        let status = one.status.as_ref().unwrap();
        let at = status.emitters[0].at;
        for (spec, now) in program.world.zones.iter().zip(&status.zones) {
            prop_assert_eq!(spec.contains(at), now.inside);
        }
    }

    /// An edit of the world while one walks through it: nothing is lost, nothing clicks louder than what sounds.
    #[test]
    fn a_world_that_is_edited_under_ones_feet_goes_on(seeds in seeds(), next in seeds(), steps in steps()) {
        let (first, second) = (program(&seeds), program(&next));
        let mut bench = Bench::new(&first, 3);
        for (at, (step, blocks)) in steps.iter().enumerate() {
            if at % 2 == 1 {
                let next = if at % 4 == 1 { &second } else { &first };
                bench.remote.program(Box::new(Prepared::new(Arc::clone(next), 3))).unwrap();
            }
            take(&mut bench, step);
            let (left, right) = bench.render(blocks * 64);
            prop_assert!(left.iter().chain(&right).all(|s| s.is_finite() && s.abs() <= 1.0));
        }
        bench.render(6400);
        let status = bench.status.as_ref().unwrap();
        prop_assert!(status.voices.len() <= 64, "voices do not pile up: {}", status.voices.len());
    }
}
