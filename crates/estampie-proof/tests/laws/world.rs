//! Places: zones, doorways, walls, shelters, trails, areas, one-shots, and what they do to sound, against direct formulas.

use crate::support::{Bench, compile_with, program_with};
use estampie_engine::engine::{InputKind, NOW, Prepared, VoiceStatus};
use estampie_engine::ledger::TermKind;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::telemetry::What;
use proptest::prelude::*;
use std::sync::Arc;

/// A lasting constant whose falloff is 1 dB for each metre, and a point.
const SOUNDS: &str = r#"
[hum]
bus = "a"
loop = true
takes = ["audio/dc.wav"]
falloff = { level = ["0 m: 0 dB", "60 m: -60 dB"], width = ["0 m: 0 %"] }
[bed]
bus = "a"
loop = true
takes = ["audio/dc.wav"]
[snap]
bus = "a"
takes = ["audio/late.wav"]
falloff = { level = ["0 m: 0 dB", "60 m: -60 dB"] }
"#;
const MIX: &str = "[buses.a]\n[buses.room]\nreturn = true\n[buses.room.effect.reverb]\nwet = \"100 %\"\n[snapshots.wet]\nrise = \"20 ms, linear\"\nfall = \"20 ms, linear\"\n[snapshots.wet.hold]\n\"bus a level\" = \"by -6 dB\"\n";
const GAME: &str = r#"
[events]
hit = "something hits"
[parameters.hatch]
range = "0..1"
[parameters.wind]
range = "0..360"
[parameters.left]
measure = "walls left within 10 m"
[states.place]
values = ["street", "nave", "crypt"]
"#;

fn world(text: &str, reactions: &str) -> Arc<Program> {
    program_with(&[("sounds/all.toml", SOUNDS), ("mix.toml", MIX), ("game.toml", GAME), ("world.toml", text), ("reactions.est", reactions)])
}

fn place(bench: &mut Bench, who: &str, at: [f32; 3], over: f64) {
    let frames = (over * 48_000.0) as u64;
    bench.send(NOW, InputKind::Place { emitter: NameKey::of(who), kind: NameKey::NONE, at, facing: None, frames });
}

/// The voice of a sound that lasts.
fn voice(bench: &Bench, sound: &str) -> Option<VoiceStatus> {
    bench.status.as_ref().unwrap().voices.iter().find(|v| v.sound == NameKey::of(sound)).copied()
}

/// The sum of the terms of a kind of a voice's level.
fn term(bench: &Bench, sound: &str, kind: TermKind) -> f32 {
    let status = bench.status.as_ref().unwrap();
    let voice = voice(bench, sound).unwrap();
    let level = estampie_engine::property::Property::Level;
    status.terms_of(&voice).iter().filter(|t| t.kind == kind && t.property == level).map(|t| t.value).sum()
}

/// What was told of zones, as `+nave` and `-nave`.
fn told(bench: &Bench) -> Vec<String> {
    let names = &bench.names;
    let text = |zone, entered| format!("{}{}", if entered { '+' } else { '-' }, names.get(zone));
    bench.happenings.iter().filter_map(|h| if let What::Zone { zone, entered } = h.what { Some(text(zone, entered)) } else { None }).collect()
}

const SQUARES: &str = r#"
[zones.street]
outline = ["0, 0", "20, 0", "20, 10", "0, 10"]
sets = "place is street"
ambience = "bed"
fade = "50 ms"
[zones.nave]
outline = ["20, 0", "40, 0", "40, 10", "20, 10"]
sets = "place is nave"
snapshot = "wet"
reverb = { room = "-6 dB" }
fade = "50 ms"
outside = { level = "-12 dB", low-pass = "1 kHz", time = "50 ms" }
inside = { level = "-15 dB", time = "50 ms" }
[zones.crypt]
at = "35, 5"
radius = "3 m"
height = "-5..-1 m"
order = 2
sets = "place is crypt"
"#;

#[test]
fn what_a_zone_sets_is_taken_back_on_leaving_unless_something_else_was_set() {
    let value = |bench: &Bench| bench.status.as_ref().unwrap().states[0];
    let zones = "[zones.nave]\noutline = [\"20, 0\", \"40, 0\", \"40, 10\", \"20, 10\"]\nsets = \"place is nave\"\n\
        [zones.crypt]\nat = \"35, 5\"\nradius = \"3 m\"\norder = 2\nsets = \"place is crypt\"\n";
    let mut bench = Bench::new(&world(&format!("start = \"5, 5\"\n{zones}"), "When hit\n  set place to crypt\n"), 1);
    let go = |bench: &mut Bench, x: f32| {
        place(bench, "listener", [x, 5.0, 0.0], 0.0);
        bench.render(640);
        value(bench)
    };
    assert_eq!([5.0, 25.0, 35.0, 25.0, 5.0, 35.0, 5.0].map(|x| go(&mut bench, x)), [0, 1, 2, 1, 0, 2, 0]);
    // What is set inside by anything else stays when he leaves, and is what the next zone gives back.
    go(&mut bench, 25.0);
    bench.event(NOW, "hit");
    bench.render(640);
    assert_eq!(value(&bench), 2);
    assert_eq!([5.0, 25.0, 5.0].map(|x| go(&mut bench, x)), [2, 1, 2]);
    // The game says inside what the zone says already: that stays too.
    go(&mut bench, 25.0);
    bench.state("place", "nave");
    bench.render(640);
    assert_eq!(go(&mut bench, 5.0), 1);
}

#[test]
fn starting_inside_counts_as_entering_and_a_jump_as_leaving_and_entering() {
    let reactions = "When entering street\n  play snap\nWhen leaving street\n  set place to crypt\n";
    let mut bench = Bench::new(&world(&format!("start = \"5, 5\"\n{SQUARES}"), reactions), 1);
    bench.render(64);
    assert_eq!(told(&bench), ["+street"], "before anyone says anything");
    assert!(voice(&bench, "snap").is_some() && voice(&bench, "bed").is_some(), "what waits for it has heard of it, and it has its bed");
    bench.render(4800);
    place(&mut bench, "listener", [30.0, 5.0, 0.0], 0.0);
    bench.render(4800 * 5);
    assert_eq!(told(&bench), ["+street", "-street", "+nave"]);
    assert!(voice(&bench, "bed").is_none(), "the bed ends with its zone");
    assert_eq!(bench.status.as_ref().unwrap().states[0], 1, "the zone has the last word: it was entered later");
    assert!(
        (bench.status.as_ref().unwrap().buses[estampie_engine::index::BusIndex::new(1)].level_db + 6.0).abs() < 0.01,
        "its snapshot is up: {:?}",
        bench.status.as_ref().unwrap().buses[estampie_engine::index::BusIndex::new(1)]
    );
    // Down into the crypt, which is of a higher order and beneath.
    place(&mut bench, "listener", [35.0, 5.0, -2.0], 0.5);
    bench.render(48_000);
    assert_eq!((told(&bench).last().unwrap().as_str(), bench.status.as_ref().unwrap().states[0]), ("+crypt", 2));
    place(&mut bench, "listener", [35.0, 5.0, 0.0], 0.5);
    bench.render(48_000);
    assert_eq!(bench.status.as_ref().unwrap().states[0], 1, "up again it is the nave that holds him");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 16, ..ProptestConfig::default() })]
    /// 200 m/s is 27 cm in a block; a thin zone is passed within one.
    #[test]
    fn no_zone_is_so_thin_that_one_gets_through_it_unseen(thick in 0.001f32..1.0, speed in 1.0f32..400.0, slant in -3.0f32..3.0, start in -9.0f32..-5.0) {
        let text = format!("start = \"{start}, 0\"\n[zones.film]\noutline = [\"0, -9\", \"{thick}, -9\", \"{thick}, 9\", \"0, 9\"]\n");
        let mut bench = Bench::new(&world(&text, ""), 1);
        bench.render(64);
        bench.send(NOW, InputKind::Walk { emitter: NameKey::of("listener"), to: [6.0, slant, 0.0], speed });
        let way = (6.0 - start).hypot(slant);
        bench.render((way / speed * 48_000.0) as usize + 640);
        prop_assert_eq!(told(&bench), ["+film", "-film"]);
    }

    /// No way through all of this makes a step of half a dB in a block, and its return is as the way there.
    #[test]
    fn levels_are_continuous_along_any_walk_and_the_same_on_the_way_back(points in prop::collection::vec((-5.0f32..45.0, -3.0f32..13.0), 2..4), open in 0.0f32..1.0) {
        let text = format!("{SQUARES}{DOOR}[walls.w]\nline = [\"10, 2\", \"10, 8\"]\nlevel = \"-9 dB\"\ntime = \"100 ms\"\n[shelters.awning]\nat = \"6, 6\"\nradius = \"2 m\"\noutside = {{ level = \"-5 dB\", time = \"100 ms\" }}\n[emitters.bell]\nat = \"30, 4\"\nplays = \"hum\"\n");
        let mut bench = Bench::new(&world(&text, ""), 1);
        bench.parameter("hatch", open);
        place(&mut bench, "listener", [points[0].0, points[0].1, 0.0], 0.0);
        bench.render(9600);
        let mut before = taken(&bench);
        let mut seen: Vec<f32> = Vec::new();
        let back: Vec<_> = points.iter().rev().skip(1).copied().collect();
        for (x, y) in points.iter().skip(1).chain(&back) {
            let from = bench.status.as_ref().unwrap().emitters[0].at;
            let way = (x - from[0]).hypot(y - from[1]);
            bench.send(NOW, InputKind::Walk { emitter: NameKey::of("listener"), to: [*x, *y, 0.0], speed: 8.0 });
            for _ in 0..(way / 8.0 * 750.0) as usize + 2 {
                bench.render(64);
                let now = taken(&bench);
                if let (Some(now), Some(before)) = (now, before) {
                    prop_assert!((now - before).abs() <= 0.5, "{before} to {now}");
                }
                before = now;
            }
            // At rest everything has followed.
            bench.render(48_000);
            before = taken(&bench);
            seen.push(before.unwrap_or(-99.0));
        }
        // The turning point is visited once, every other place twice.
        let there = seen.len() / 2;
        for n in 0..there.saturating_sub(1) {
            prop_assert!((seen[n] - seen[seen.len() - 2 - n]).abs() < 0.05, "{seen:?}");
        }
    }
}

/// All that place does to the level of the lasting sound.
fn taken(bench: &Bench) -> Option<f32> {
    voice(bench, "hum")?;
    let kinds = [TermKind::Distance, TermKind::Outside, TermKind::Inside, TermKind::Shelter, TermKind::Doorway, TermKind::Wall];
    Some(kinds.map(|kind| term(bench, "hum", kind)).iter().sum())
}

const DOOR: &str = "[doorways.hatch-way]\nbetween = [\"street\", \"nave\"]\nline = [\"20, 4\", \"20, 6\"]\nopen = \"hatch\"\nclosed = { level = \"-20 dB\", time = \"50 ms\" }\n";

#[test]
fn zones_take_what_they_say_in_each_direction() {
    let text = format!("start = \"5, 5\"\n{SQUARES}[emitters.bell]\nat = \"30, 5\"\nplays = \"hum\"\n");
    let mut bench = Bench::new(&world(&text, ""), 1);
    bench.render(9600);
    assert_eq!((term(&bench, "hum", TermKind::Inside), term(&bench, "hum", TermKind::Outside)), (-15.0, 0.0), "he outside, it inside");
    assert!((term(&bench, "hum", TermKind::Distance) + 25.0).abs() < 1e-3);
    place(&mut bench, "listener", [28.0, 5.0, 0.0], 0.0);
    place(&mut bench, "bell", [5.0, 5.0, 0.0], 0.0);
    bench.render(48_000);
    assert_eq!((term(&bench, "hum", TermKind::Inside), term(&bench, "hum", TermKind::Outside)), (0.0, -12.0), "he inside, it outside");
    place(&mut bench, "bell", [29.0, 5.0, 0.0], 0.0);
    bench.render(48_000);
    assert_eq!((term(&bench, "hum", TermKind::Inside), term(&bench, "hum", TermKind::Outside)), (0.0, 0.0), "both inside");
}

#[test]
fn the_ledger_adds_up_with_all_that_place_takes() {
    let text = "start = \"0, 0\"\n[zones.box]\nat = \"0, 10\"\nradius = \"4 m\"\ninside = { level = \"-6 dB\" }\n[shelters.roof]\nat = \"0, 0\"\nradius = \"2 m\"\noutside = { level = \"-3 dB\" }\n[walls.pier]\nline = [\"-20, 5\", \"20, 5\"]\nlevel = \"-4 dB\"\n[emitters.bell]\nat = \"3, 10\"\nplays = \"hum\"\n";
    let mut bench = Bench::new(&world(text, ""), 1);
    let (left, right) = bench.render(48_000);
    let power = 10.0 * ((left[47_990].powi(2) + right[47_990].powi(2)) / 2.0).log10();
    let heard = voice(&bench, "hum").unwrap().heard_db;
    assert!((power - heard).abs() < 0.1, "{power} {heard}");
    let expected = 20.0 * 0.5f32.log10() - 109f32.sqrt() - 6.0 - 3.0 - 4.0;
    assert!((heard - expected).abs() < 0.05, "{heard} {expected}");
}

#[test]
fn a_doorway_is_where_it_is_heard_from_and_its_openness_what_is_heard() {
    let text = format!("start = \"10, 1\"\n{SQUARES}{DOOR}[emitters.bell]\nat = \"30, 1\"\nplays = \"hum\"\n");
    let mut bench = Bench::new(&world(&text, ""), 1);
    for open in [0.0f32, 0.25, 0.5, 1.0] {
        bench.parameter("hatch", open);
        bench.render(96_000);
        let share = (open * std::f32::consts::FRAC_PI_2).sin();
        // Closed, 15 dB of the nave are less than the hatch's own 20: the walls let more through than the hatch.
        let taken = term(&bench, "hum", TermKind::Inside) + term(&bench, "hum", TermKind::Doorway);
        let expected = (-20.0 * (1.0 - share)).max(-15.0);
        assert!((taken - expected).abs() < 0.05, "{open}: {taken}, not {expected}");
        // By (20, 4), the corner of the gap: 2 × √(10² + 3²).
        let through = 2.0 * 109f32.sqrt();
        let (bearing, distance, _) = voice(&bench, "hum").unwrap().placement.unwrap();
        let way = 20.0 + (through - 20.0) * share;
        assert!((distance - way).abs() < 1e-2, "{open}: {distance}, not {way}");
        let gap = 10f32.atan2(3.0).to_degrees();
        let (s, c) = (gap.to_radians().sin() * share + (1.0 - share), gap.to_radians().cos() * share);
        assert!((bearing - s.atan2(c).to_degrees()).abs() < 0.1, "{open}: {bearing}");
    }
    // On the threshold of the open hatch both rooms are there.
    place(&mut bench, "listener", [19.9, 5.0, 0.0], 0.0);
    bench.render(48_000);
    let room = bench.status.as_ref().unwrap().rooms[0];
    assert!((room - 0.5 * 10f32.powf(-6.0 / 20.0)).abs() < 0.02, "{room}");
    bench.parameter("hatch", 0.0);
    bench.render(48_000);
    assert!(bench.status.as_ref().unwrap().rooms[0] < 0.01, "closed, the other room is not there");
}

#[test]
fn walls_take_as_much_as_they_stand_in_the_way() {
    let text = "[walls.pier]\nline = [\"-20, 5\", \"0, 5\"]\nlevel = \"-10 dB\"\ntime = \"10 ms\"\n[emitters.bell]\nat = \"0, 10\"\nplays = \"hum\"\n";
    let mut bench = Bench::new(&world(text, ""), 1);
    for (x, blocked) in [(-8.0, 1.0), (8.0, 0.0), (-0.01, 0.6)] {
        place(&mut bench, "listener", [x, 0.0, 0.0], 0.0);
        bench.render(24_000);
        let taken = term(&bench, "hum", TermKind::Wall);
        assert!((taken + 10.0 * blocked).abs() < 0.01, "at {x}: {taken}");
    }
}

#[test]
fn how_near_walls_are_is_measured_on_each_side() {
    let mut bench = Bench::new(&world("[walls.quay]\nline = [\"-4, -50\", \"-4, 50\"]\n", ""), 1);
    let left = |bench: &Bench| bench.status.as_ref().unwrap().parameters[2].value;
    bench.render(4800);
    assert!((left(&bench) - 0.6).abs() < 1e-3, "4 of 10 m: {}", left(&bench));
    bench.send(NOW, InputKind::Place { emitter: NameKey::of("listener"), kind: NameKey::NONE, at: [0.0; 3], facing: Some(180.0), frames: 0 });
    bench.render(4800);
    assert_eq!(left(&bench), 0.0, "looking south it is at his right");
}

#[test]
fn a_trail_sounds_from_its_nearest_point_and_an_area_all_around_inside() {
    let text = "[trails.cable]\nline = [\"0, 0\", \"40, 0\", \"40, 40\"]\nplays = \"hum\"\n[areas.lap]\nat = \"0, 50\"\nradius = \"5 m\"\nplays = \"snap\"\n";
    let mut bench = Bench::new(&world(text, ""), 1);
    for (at, far) in [([10.0, 7.0, 0.0], 7.0), ([46.0, 20.0, 0.0], 6.0), ([-3.0, -4.0, 0.0], 5.0), ([45.0, -12.0, 0.0], 13.0)] {
        place(&mut bench, "listener", at, 0.0);
        bench.render(24_000);
        assert!((term(&bench, "hum", TermKind::Distance) + far).abs() < 1e-2, "{at:?}");
    }
    let mut bench = Bench::new(&world(text, ""), 1);
    place(&mut bench, "listener", [1.0, 52.0, 0.0], 0.0);
    bench.render(640);
    let (_, distance, width) = voice(&bench, "snap").unwrap().placement.unwrap();
    assert_eq!((distance, width), (0.0, 1.0));
}

#[test]
fn several_points_are_as_loud_as_all_of_them_together() {
    let text = "[areas.chain]\npoints = [\"0, 10\", \"0, -10\", \"10, 0\", \"-10, 0\"]\nplays = \"hum\"\n";
    let mut bench = Bench::new(&world(text, ""), 1);
    bench.render(4800);
    // Four of −10 dB.
    let expected = -10.0 + 10.0 * 4f32.log10();
    assert!((term(&bench, "hum", TermKind::Distance) - expected).abs() < 1e-3);
    assert_eq!(bench.status.as_ref().unwrap().voices.len(), 1, "one voice");
}

#[test]
fn what_is_held_at_a_bearing_stays_there_however_one_walks() {
    let mut bench = Bench::new(&world("[bearings.gust]\nbearing = \"wind\"\ndistance = \"8 m\"\nplays = \"hum\"\n", ""), 1);
    for (wind, at) in [(90.0, [0.0; 3]), (90.0, [30.0, -20.0, 0.0]), (225.0, [30.0, -20.0, 0.0])] {
        bench.parameter("wind", wind);
        place(&mut bench, "listener", at, 0.0);
        bench.render(24_000);
        let (bearing, distance, _) = voice(&bench, "hum").unwrap().placement.unwrap();
        assert!(((bearing - wind + 180.0f32).rem_euclid(360.0) - 180.0).abs() < 0.1 && (distance - 8.0).abs() < 1e-3, "{bearing} {distance}");
    }
}

#[test]
fn a_path_is_gone_along_once_there_and_back_or_round() {
    for (pass, expected) in [("once", 10.0f32), ("there and back", 5.0), ("round", 5.0)] {
        let text = format!("[emitters.boat]\npath = [\"0, 0\", \"10, 0\"]\nspeed = \"5 m/s\"\npass = \"{pass}\"\nplays = \"hum\"\n");
        let mut bench = Bench::new(&world(&text, ""), 1);
        // 15 m in three seconds.
        bench.render(144_000);
        let at = bench.status.as_ref().unwrap().emitters[1].at[0];
        assert!((at - expected).abs() < 0.05, "{pass}: {at}");
    }
}

#[test]
fn the_cone_and_the_pitch_of_what_moves_are_those_of_the_formulas() {
    let sounds = "[horn]\nbus = \"a\"\nloop = true\ntakes = [\"audio/dc.wav\"]\nfalloff = { level = [\"0 m: 0 dB\"], cone = [\"30 deg: 0 dB\", \"90 deg: -12 dB\"], doppler = \"100 %\" }\n";
    let text = "speed-of-sound = \"340 m/s\"\n[emitters.bell]\nat = \"0, 10\"\nfacing = \"180 deg\"\nplays = \"horn\"\n";
    let program = program_with(&[("sounds/all.toml", sounds), ("mix.toml", "[buses.a]\n"), ("world.toml", text)]);
    for (at, expected) in [([0.0f32, 0.0, 0.0], 0.0f32), ([10.0, 10.0, 0.0], -12.0), ([0.0, 30.0, 0.0], -12.0), ([10.0 * 3f32.sqrt(), 0.0, 0.0], -6.0)] {
        let mut bench = Bench::new(&program, 1);
        place(&mut bench, "listener", at, 0.0);
        bench.render(640);
        assert!((term(&bench, "horn", TermKind::Cone) - expected).abs() < 0.01, "{at:?}: {}", term(&bench, "horn", TermKind::Cone));
    }
    let shift = |from: [f32; 3], to: [f32; 3], who: &str, speed: f32| {
        let mut bench = Bench::new(&program, 1);
        place(&mut bench, who, from, 0.0);
        bench.render(64);
        bench.send(NOW, InputKind::Walk { emitter: NameKey::of(who), to, speed });
        bench.render(14_400);
        let status = bench.status.as_ref().unwrap();
        let voice = voice(&bench, "horn").unwrap();
        status.terms_of(&voice).iter().find(|t| t.kind == TermKind::Doppler).unwrap().value
    };
    // The bell comes near at 20 m/s: c ÷ (c − v); the listener goes away at 34: (c − v) ÷ c.
    let coming = shift([0.0, 900.0, 0.0], [0.0, 0.0, 0.0], "bell", 20.0);
    assert!((coming - 12.0 * (340.0f32 / 320.0).log2()).abs() < 0.01, "{coming}");
    let leaving = shift([0.0, 0.0, 0.0], [0.0, -900.0, 0.0], "listener", 34.0);
    assert!((leaving - 12.0 * (0.9f32).log2()).abs() < 0.01, "{leaving}");
    assert!((shift([0.0, 900.0, 0.0], [0.0, 0.0, 0.0], "bell", 300.0) - 12.0).abs() < 1e-3, "it has a limit");
}

#[test]
fn single_sounds_are_strewn_around_within_their_ring_and_side() {
    let text =
        "[one-shots.creaks]\nplays = \"snap\"\nevery = \"0.1..0.3 s\"\naround = \"4..9 m\"\nbearing = \"20..70 deg\"\nmost = 8\nwhile = [\"place is nave\"]\n";
    let mut bench = Bench::new(&world(text, ""), 3);
    bench.render(96_000);
    assert_eq!(bench.status.as_ref().unwrap().voices.len(), 0, "not while it is the street");
    bench.state("place", "nave");
    let mut seen = Vec::new();
    for _ in 0..200 {
        bench.render(2400);
        seen.extend(bench.status.as_ref().unwrap().voices.iter().map(|v| (v.voice, v.placement.unwrap())));
    }
    seen.dedup_by_key(|s| s.0);
    assert!(seen.len() > 30, "{}", seen.len());
    assert!(seen.iter().all(|(_, (b, d, _))| (19.9..70.1).contains(b) && (3.99..9.01).contains(d)), "{seen:?}");
    let spread = seen.iter().map(|s| s.1.0).fold((90.0f32, 0.0f32), |(l, h), b| (l.min(b), h.max(b)));
    assert!(spread.0 < 30.0 && spread.1 > 60.0, "{spread:?}");
}

#[test]
fn a_flock_lives_where_it_may_and_sounds_from_there() {
    let text = "[zones.reef]\nat = \"0, 0\"\nradius = \"30 m\"\n[flocks.shrimp]\nplays = \"snap\"\nwithin = \"reef\"\nplaces = 80\nmost = 6\nrange = \"12 m\"\nmargin = \"2 m\"\nevery = \"0.3..0.9 s\"\ndensity = { from = \"wind\", curve = [\"0: 0 %\", \"100: 100 %\"] }\n";
    let mut bench = Bench::new(&world(text, ""), 5);
    bench.render(48_000);
    let alive = |bench: &Bench| bench.status.as_ref().unwrap().emitters.len() - 1;
    assert_eq!(alive(&bench), 0, "without density there is nobody");
    bench.parameter("wind", 100.0);
    bench.render(96_000);
    assert_eq!(alive(&bench), 6);
    assert!(bench.status.as_ref().unwrap().voices.len() > 2);
    let mut starts: Vec<u64> = bench.happenings.iter().filter(|h| matches!(h.what, What::VoiceStart { .. })).map(|h| h.frame).collect();
    starts.sort_unstable();
    assert!(starts.windows(2).all(|w| w[1] - w[0] >= 576), "no two begin together: {starts:?}");
    place(&mut bench, "listener", [90.0, 0.0, 0.0], 0.0);
    bench.render(96_000);
    assert_eq!((alive(&bench), bench.status.as_ref().unwrap().voices.len()), (0, 0), "far away they are gone");
}

#[test]
fn what_is_removed_fades_and_what_the_game_moves_follows_smoothly() {
    let mut bench = Bench::new(&world("", "When hit\n  play hum at the emitter\n"), 1);
    place(&mut bench, "bell", [0.0, 3.0, 0.0], 0.0);
    bench.event_on(NOW, "hit", "bell");
    bench.render(4800);
    // A game that tells sixty times a second where it is, 6 m/s.
    let mut out: Vec<f32> = Vec::new();
    for n in 1..=30u8 {
        place(&mut bench, "bell", [0.0, 3.0 + f32::from(n) * 0.1, 0.0], 0.0);
        out.extend(bench.render(800).0);
    }
    assert!(crate::support::largest_step(&out) < 3e-5, "no stairs: {}", crate::support::largest_step(&out));
    bench.send(NOW, InputKind::Remove { emitter: NameKey::of("bell") });
    let (left, _) = bench.render(9600);
    assert!(crate::support::largest_step(&left) < 1e-3 && left[9500] == 0.0, "{} {}", crate::support::largest_step(&left), left[9500]);
}

#[test]
fn what_plays_at_what_is_removed_stays_follows_or_fades() {
    // dc is a constant 0.5 of one second; each metre takes 1 dB.
    let level = |said: &str, looped: bool, moved: bool| {
        let text = SOUNDS.replacen("[hum]\n", &format!("[hum]\n{said}"), 1);
        let text = if looped { text } else { text.replacen("loop = true\n", "", 1) };
        let files = [
            ("sounds/all.toml", text.as_str()),
            ("mix.toml", MIX),
            ("game.toml", GAME),
            ("world.toml", ""),
            ("reactions.est", "When hit\n  play hum at the emitter\n"),
        ];
        let mut bench = Bench::new(&program_with(&files), 1);
        place(&mut bench, "bell", [0.0, 10.0, 0.0], 0.0);
        bench.event_on(NOW, "hit", "bell");
        bench.render(4_800);
        bench.send(NOW, InputKind::Remove { emitter: NameKey::of("bell") });
        let (out, _) = bench.render(9_600);
        assert!(crate::support::largest_step(&out) < 1e-3);
        if moved {
            place(&mut bench, "bell", [0.0, 40.0, 0.0], 0.0);
            let (out, _) = bench.render(9_600);
            assert!(crate::support::largest_step(&out) < 1e-2);
        }
        (crate::support::level(&bench.render(480).0) * 10.0).round() / 10.0
    };
    let near = level("when-emitter-goes = \"stays\"\n", true, false);
    assert!(near > -30.0, "it is heard: {near}");
    assert_eq!(level("when-emitter-goes = \"stays\"\n", true, true), near, "what has its name now is another thing");
    assert_eq!(level("when-emitter-goes = \"follows\"\n", true, false), near);
    assert_eq!(level("when-emitter-goes = \"follows\"\n", true, true), near - 30.0);
    assert!(level("when-emitter-goes = \"fades\"\n", false, false) < -150.0);
    assert_eq!(level("", false, false), near, "what ends by itself stays");
    assert!(level("", true, false) < -150.0, "a loop fades");
}

#[test]
fn what_stays_is_heard_from_there_as_one_walks_away_and_needs_no_more_places_than_voices() {
    let text = SOUNDS.replacen("loop = true\n", "when-emitter-goes = \"stays\"\nloop = true\nlimit = { in-all = 3 }\n", 1);
    let files = [("sounds/all.toml", text.as_str()), ("mix.toml", MIX), ("game.toml", GAME), ("reactions.est", "When hit\n  play hum at the emitter\n")];
    let mut bench = Bench::new(&program_with(&files), 1);
    for n in 0..40 {
        let name = format!("bell{n}");
        place(&mut bench, &name, [0.0, 5.0, 0.0], 0.0);
        bench.event_on(NOW, "hit", &name);
        bench.render(960);
        bench.send(NOW, InputKind::Remove { emitter: NameKey::of(&name) });
        bench.render(960);
    }
    let status = bench.status.as_ref().unwrap();
    assert_eq!(status.emitters.len(), 1, "none of them is there any more");
    assert_eq!(status.voices.len(), 3);
    let near = term(&bench, "hum", TermKind::Distance);
    place(&mut bench, "listener", [0.0, -15.0, 0.0], 0.0);
    bench.render(48_000);
    assert!((term(&bench, "hum", TermKind::Distance) - near + 15.0).abs() < 0.1);
}

#[test]
fn a_repeat_begins_nothing_more_where_its_emitter_has_gone() {
    let text = SOUNDS.replacen("[snap]\n", "[snap]\nrepeat = { every = \"100 ms\" }\n", 1);
    let files = [("sounds/all.toml", text.as_str()), ("mix.toml", MIX), ("game.toml", GAME), ("reactions.est", "When hit\n  play snap at the emitter\n")];
    let mut bench = Bench::new(&program_with(&files), 1);
    place(&mut bench, "bell", [0.0, 5.0, 0.0], 0.0);
    bench.event_on(NOW, "hit", "bell");
    bench.render(24_000);
    bench.send(NOW, InputKind::Remove { emitter: NameKey::of("bell") });
    bench.render(24_000);
    let starts: Vec<_> = bench.happenings.iter().filter_map(|h| if let What::VoiceStart { at, .. } = h.what { Some(at) } else { None }).collect();
    assert_eq!(starts, [Some([0.0, 5.0, 0.0]); 5], "each is told with where it is");
}

#[test]
fn a_camera_says_where_things_are_heard_and_the_listener_how_far_they_are() {
    let mut bench = Bench::new(&world("start = \"0, 0\"\n[emitters.bell]\nat = \"0, 10\"\nplays = \"hum\"\n", ""), 1);
    bench.render(4800);
    let placement = |bench: &Bench| voice(bench, "hum").unwrap().placement.unwrap();
    assert!(placement(&bench).0.abs() < 0.1 && (placement(&bench).1 - 10.0).abs() < 1e-3);
    // The camera stands at the right of the bell and looks north: the bell is at its left.
    place(&mut bench, "camera", [10.0, 10.0, 0.0], 0.0);
    bench.render(4800);
    assert!((placement(&bench).0 + 90.0).abs() < 0.1 && (placement(&bench).1 - 10.0).abs() < 1e-3, "{:?}", placement(&bench));
    bench.send(NOW, InputKind::Remove { emitter: NameKey::of("camera") });
    bench.render(4800);
    assert!(placement(&bench).0.abs() < 0.1);
}

#[test]
fn with_headphones_each_ear_hears_for_itself_and_what_is_ahead_is_in_the_middle() {
    let text = "start = \"0, 0\"\nheard-by = \"headphones\"\n[emitters.bell]\nat = \"5, 0\"\nplays = \"buzz\"\n";
    let sounds = "[buzz]\nbus = \"a\"\nloop = true\ntakes = [\"audio/long.wav\"]\nfalloff = { level = [\"0 m: 0 dB\"], width = [\"0 m: 0 %\"] }\n";
    let program = program_with(&[("sounds/all.toml", sounds), ("mix.toml", "[buses.a]\n"), ("world.toml", text)]);
    let mut bench = Bench::new(&program, 1);
    let (left, right) = bench.render(48_000);
    // The lag at which the sides are most alike: later at the left, by what the formula says.
    let alike = |lag: usize| left[20_000 + lag..40_000 + lag].iter().zip(&right[20_000..40_000]).map(|(a, b)| f64::from(a * b)).sum::<f64>();
    let best = (0..60).max_by(|a, b| alike(*a).total_cmp(&alike(*b))).unwrap();
    assert!((30..=33).contains(&best), "{best} frames");
    assert!(crate::support::level(&right[20_000..]) > crate::support::level(&left[20_000..]) + 3.0, "the near ear hears more of what is high");
    bench.send(NOW, InputKind::Place { emitter: NameKey::of("listener"), kind: NameKey::NONE, at: [0.0; 3], facing: Some(90.0), frames: 0 });
    let (left, right) = bench.render(48_000);
    assert!(left[24_000..].iter().zip(&right[24_000..]).all(|(a, b)| (a - b).abs() < 1e-5), "ahead both ears hear the same");
    // As speakers: the far side is silent.
    bench.send(NOW, InputKind::Head { on: Some(false) });
    bench.send(NOW, InputKind::Place { emitter: NameKey::of("listener"), kind: NameKey::NONE, at: [0.0; 3], facing: Some(0.0), frames: 0 });
    let (left, _) = bench.render(48_000);
    assert!(left[24_000..].iter().all(|s| s.abs() < 1e-6));
}

#[test]
fn one_emitter_is_heard_alone() {
    let text = "[emitters.bell]\nat = \"0, 2\"\nplays = \"hum\"\n[emitters.gong]\nat = \"0, 3\"\nplays = \"bed\"\n";
    let mut bench = Bench::new(&world(text, ""), 1);
    let level = |bench: &mut Bench| bench.render(9600).0[9500];
    let both = level(&mut bench);
    bench.send(NOW, InputKind::SoloEmitter { emitter: NameKey::of("bell") });
    let alone = level(&mut bench);
    assert!((alone - 0.5 * 10f32.powf(-2.0 / 20.0)).abs() < 1e-3, "{alone}");
    bench.send(NOW, InputKind::SoloEmitter { emitter: NameKey::NONE });
    assert!((level(&mut bench) - both).abs() < 1e-4);
}

#[test]
fn what_would_be_heard_elsewhere_is_what_is_heard_there() {
    use estampie_proof::listen_elsewhere::would_hear;
    let text = format!(
        "start = \"5, 5\"\n{SQUARES}{DOOR}[walls.w]\nline = [\"10, 2\", \"10, 8\"]\nlevel = \"-9 dB\"\n[emitters.bell]\nat = \"30, 4\"\nplays = \"hum\"\n"
    );
    let program = world(&text, "");
    let mut bench = Bench::new(&program, 1);
    bench.parameter("hatch", 0.3);
    bench.render(48_000);
    for at in [[12.0f32, 3.0], [28.0, 6.0], [-4.0, 5.0], [19.0, 9.0]] {
        let told = would_hear(&program, bench.status.as_ref().unwrap(), at)[0];
        let mut there = Bench::new(&program, 1);
        there.parameter("hatch", 0.3);
        place(&mut there, "listener", [at[0], at[1], 0.0], 0.0);
        there.render(96_000);
        let kinds = [TermKind::Bus, TermKind::Snapshot, TermKind::Ceiling, TermKind::Recorded];
        // What depends on the place alone, against the same there.
        let rest: f32 = kinds.iter().map(|k| term(&bench, "hum", *k)).sum();
        assert!((told.heard_db - rest - taken(&there).unwrap()).abs() < 0.1, "{at:?}: {} {}", told.heard_db - rest, taken(&there).unwrap());
    }
}

#[test]
fn mistakes_in_the_world_have_a_place_and_a_fix() {
    let text = "[zones.nave]\noutline = [\"0, 0\", \"1, 0\"]\n[zones.crypt]\nat = \"1, 1\"\nradius = \"3 m\"\nsets = \"plaice is nave\"\nreverb = { a = \"-3 dB\" }\n[doorways.d]\nbetween = [\"crypt\", \"krypt\"]\nline = [\"0, 0\", \"1, 1\"]\n[emitters.bell]\nplays = \"hum\"\n[emitters.crypt]\nat = \"0, 0, x\"\n[flocks.f]\nplays = \"hmu\"\nwithin = \"crypt\"\n";
    let (_, faults) = compile_with(&[
        ("sounds/all.toml", SOUNDS),
        ("mix.toml", MIX),
        ("game.toml", GAME),
        ("world.toml", text),
        ("reactions.est", "When entering nvae\n  play snap\n"),
    ]);
    for wanted in [
        "outline of the zone nave has 2 points",
        "there is no state plaice",
        "a is no return",
        "there is no zone krypt",
        "the emitter bell is nowhere",
        "\"0, 0, x\" is not a place",
        "there is no sound hmu",
        "there is no zone nvae",
    ] {
        assert!(faults.iter().any(|f| f.contains(wanted)), "{wanted}: {faults:#?}");
    }
    assert!(faults.iter().all(|f| f.starts_with("world.toml:") || f.starts_with("reactions.est:")), "{faults:#?}");
}

#[test]
fn what_an_emitter_plays_changes_with_an_edit_and_nothing_of_the_old_stays() {
    let emitter = |plays: &str| format!("[emitters.pump]\nat = \"0, 3\"\nplays = [{plays}]\n");
    let mut bench = Bench::new(&world(&emitter("\"hum\""), ""), 1);
    bench.render(4800);
    for plays in ["\"bed\"", "\"hum\"", "\"bed\", \"hum\"", "\"hum\""] {
        bench.remote.program(Box::new(Prepared::new(world(&emitter(plays), ""), 1))).unwrap();
        bench.render(48_000);
        let mut sounding: Vec<String> = bench.status.as_ref().unwrap().voices.iter().map(|v| format!("\"{}\"", bench.names.get(v.sound))).collect();
        sounding.sort();
        assert_eq!(sounding.join(", "), plays);
    }
}

#[test]
fn the_edge_of_a_shelter_comes_and_goes_by_fades() {
    let text = "[shelters.arch]\nat = \"0, 20\"\nradius = \"3 m\"\nfade = \"0.4 s\"\nedge = \"bed\"\n";
    let program = world(text, "");
    let mut bench = Bench::new(&program, 1);
    bench.render(9_600);
    place(&mut bench, "listener", [0.0, 20.0, 0.0], 0.0);
    let (coming, _) = bench.render(48_000);
    place(&mut bench, "listener", [0.0, 0.0, 0.0], 0.0);
    let (going, _) = bench.render(96_000);
    let peak = coming.iter().fold(0.0f32, |p, s| p.max(s.abs()));
    let steepest = crate::support::largest_step(&coming).max(crate::support::largest_step(&going));
    assert!(peak > 0.1 && steepest < peak * 0.03, "{peak}, in steps of {steepest}");
    // Half of the way takes tenths of a second, in and out.
    assert!((2_000..24_000).contains(&coming.iter().position(|s| s.abs() > peak / 2.0).unwrap()));
    assert!((2_000..48_000).contains(&going.iter().position(|s| s.abs() < peak / 2.0).unwrap()));
    assert_eq!(going[95_000], 0.0);
}
