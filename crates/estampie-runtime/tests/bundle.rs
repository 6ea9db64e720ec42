//! A bundle plays in a game as the project plays in the workshop, to the bit; what is no bundle is refused.
#![allow(clippy::unwrap_used, missing_docs)]

use estampie_bundle::{Bundle, Info, ReadError, Storing, write};
use estampie_engine::engine::{Input, InputKind, LISTENER_NAME};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_project::document::Workspace;
use estampie_project::language::Playthrough;
use estampie_project::{assets, compile};
use estampie_proof::offline;
use estampie_runtime::{Control, LoadError, Options, Player, Streaming, load, load_bytes};
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::{Arc, OnceLock};

/// The demo: its program, a playthrough, and its bundle.
struct Demo {
    program: Arc<Program>,
    first_dive: Arc<Playthrough>,
    bundle: Vec<u8>,
}

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick")
}

fn compiled(folder: &Path) -> (Arc<Program>, Workspace) {
    let workspace = Workspace::open(folder).unwrap();
    let document = workspace.document();
    let wanted: Vec<_> = compile::wanted_audio(document).into_iter().collect();
    let assets = assets::load_all(folder, &wanted, document.manifest.rate);
    let (program, faults) = compile::compile(document, &assets);
    assert_eq!(faults, vec![]);
    (Arc::new(program), workspace)
}

/// All that is long is streamed.
fn info(program: &Program) -> Info {
    let mut storing = BTreeMap::new();
    program.each_clip(|clip| drop(storing.insert(clip.name.clone(), Storing { streamed: true, ..Storing::default() })));
    Info { project: "Brinewick Salvage".into(), sources: "0".into(), names: Vec::new(), parts: Vec::new(), storing }
}

fn bundled(program: &Program) -> Vec<u8> {
    let mut out = std::io::Cursor::new(Vec::new());
    write(program, &info(program), &mut out).unwrap();
    out.into_inner()
}

fn demo() -> &'static Demo {
    static DEMO: OnceLock<Demo> = OnceLock::new();
    DEMO.get_or_init(|| {
        let (program, workspace) = compiled(&folder());
        let first_dive = workspace.document().playthroughs.iter().find(|(name, _)| name == "first-dive").unwrap().1.clone();
        Demo { bundle: bundled(&program), program, first_dive }
    })
}

/// The inputs of the demo's playthrough, and the name behind each key that they have.
fn inputs() -> (Vec<Input>, impl Fn(NameKey) -> String) {
    let demo = demo();
    let mut names = demo.program.names.clone();
    names.add_all(&offline::names_in(&demo.first_dive));
    (offline::inputs(&demo.first_dive, demo.program.rate), move |key: NameKey| names.get(key).to_owned())
}

/// Says all of it to a game's control.
fn say(control: &mut Control, inputs: &[Input]) {
    let some = |key: NameKey| (!key.is_none()).then_some(key);
    let listener = NameKey::of(LISTENER_NAME);
    for input in inputs {
        let frame = input.frame;
        let done = match input.what {
            InputKind::Event { event, emitter } => control.event(frame, event, some(emitter)),
            InputKind::Parameter { parameter, value, emitter } => control.parameter(frame, parameter, value, some(emitter)),
            InputKind::Glide { parameter, from, to, frames } => control.glide(frame, parameter, from, to, frames),
            InputKind::State { state, value } => control.state(frame, state, value),
            InputKind::Place { emitter, at, facing, frames, .. } if emitter == listener => control.listener(frame, at, facing, frames),
            InputKind::Place { emitter, kind, at, facing, frames } => control.emitter(frame, emitter, some(kind), at, facing, frames),
            InputKind::Walk { emitter, to, speed } => control.walk(frame, (emitter != listener).then_some(emitter), to, speed),
            InputKind::Remove { emitter } => control.remove(frame, emitter),
            InputKind::PlayerLevel { level, value } => control.player_level(frame, level, value),
            InputKind::StopAll { frames } => control.stop_all(frame, frames),
            other => panic!("{other:?} is not said by a game"),
        };
        done.unwrap();
    }
}

fn same(a: &[f32], b: &[f32]) -> Option<usize> {
    assert_eq!(a.len(), b.len());
    a.iter().zip(b).position(|(a, b)| a.to_bits() != b.to_bits())
}

#[test]
fn a_bundle_plays_what_the_project_plays_to_the_bit() {
    let demo = demo();
    let played = |channels: u32, size: usize, streaming: Streaming| {
        let (inputs, _) = inputs();
        let options = Options { channels, streaming, seed: demo.first_dive.seed(), voices: 4352, inputs: 4096, ..Options::default() };
        let (mut player, mut control) = load_bytes(demo.bundle.clone(), &options).unwrap();
        say(&mut control, &inputs);
        let frames = offline::heard(&demo.first_dive, demo.program.rate).1 as usize;
        let mut heard = vec![0.0f32; frames * channels as usize];
        for part in heard.chunks_mut(size * channels as usize) {
            player.render(part);
            while control.poll().is_some() {}
        }
        assert_eq!(player.frame(), frames as u64);
        heard
    };
    let variants = [(2u32, 1000usize, Streaming::Waits), (2, 64, Streaming::Whole), (1, 333, Streaming::Waits)];
    let (wanted, all_heard) = std::thread::scope(|scope| {
        let playing: Vec<_> = variants.map(|(channels, size, streaming)| scope.spawn(move || played(channels, size, streaming))).into_iter().collect();
        let (wanted, _) = offline::render(&demo.program, &demo.first_dive, None);
        (wanted, playing.into_iter().map(|heard| heard.join().unwrap()).collect::<Vec<_>>())
    });
    for ((channels, size, _), heard) in variants.into_iter().zip(all_heard) {
        let wanted: Vec<f32> = if channels == 2 { wanted.clone() } else { wanted.chunks_exact(2).map(|f| (f[0] + f[1]) * 0.5).collect() };
        let differs = same(&heard, &wanted);
        assert_eq!(differs, None, "{channels} channels in parts of {size}");
        assert!(wanted.iter().any(|s| s.abs() > 0.1), "something is heard");
    }
}

#[test]
fn the_same_project_gives_the_same_bytes_and_all_of_it_can_be_read_by_anybody() {
    let demo = demo();
    let (again, _) = compiled(&folder());
    assert!(bundled(&again) == demo.bundle, "compiled twice, bundled twice");
    let bundle = Bundle::of_bytes(demo.bundle.clone()).unwrap();
    let manifest = bundle.manifest().clone();
    assert_eq!((manifest.format, manifest.project.as_str(), manifest.rate), (1, "Brinewick Salvage", 48_000));
    assert!(manifest.audio.len() > 100 && manifest.audio.is_sorted_by_key(|a| a.name.clone()));
    // Without loss, and smaller than what is loaded.
    let (stored, loaded): (u64, u64) = manifest.audio.iter().fold((0, 0), |sum, a| (sum.0 + a.bytes, sum.1 + a.frames * u64::from(a.channels) * 4));
    assert!(stored * 3 < loaded, "{stored} of {loaded}");
    let program = bundle.load().unwrap();
    let mut wanted = Vec::new();
    demo.program.each_clip(|clip| wanted.push(Arc::clone(clip)));
    let mut at = 0;
    program.each_clip(|clip| {
        let is = &wanted[at];
        assert!(clip.name == is.name && clip.channels == is.channels && clip.loop_points == is.loop_points && clip.level_db == is.level_db, "{}", clip.name);
        at += 1;
    });
    assert_eq!(at, wanted.len());
}

#[test]
fn what_cannot_be_played_is_refused_with_a_sentence() {
    let bundle = &demo().bundle;
    let refused = |options: &Options| load_bytes(bundle.clone(), options).map(|_| ()).unwrap_err();
    assert!(refused(&Options { channels: 6, ..Options::default() }).to_string().contains("6 channels"));
    assert!(matches!(load_bytes(b"RIFF".to_vec(), &Options::default()), Err(LoadError::Read(ReadError::NoBundle(_)))));
    assert!(matches!(load(Path::new("nowhere.bundle"), &Options::default()), Err(LoadError::Read(ReadError::File(_)))));
    // One of another format or with other tables says so before anything else of it is read.
    let at = bundle.windows(11).position(|w| w == b"\"format\": 1").unwrap();
    let mut other = bundle.clone();
    other[at + 10] = b'9';
    let error = crc_mended(other).map(|b| Bundle::of_bytes(b).map(|_| ()).unwrap_err().to_string());
    assert_eq!(error.as_deref(), Some("the bundle is of format 9, and this program plays format 1: write it again with the estampie that belongs to it"));
}

/// A bundle with its first entry's text changed, as a tool that knows the format would change it.
fn crc_mended(bundle: Vec<u8>) -> Option<Vec<u8>> {
    // The entry is stored: its checksum stands in its header and in the directory.
    let length = u32::from_le_bytes(bundle.get(22..26)?.try_into().ok()?) as usize;
    let name = u16::from_le_bytes(bundle.get(26..28)?.try_into().ok()?) as usize;
    let extra = u16::from_le_bytes(bundle.get(28..30)?.try_into().ok()?) as usize;
    let old: [u8; 4] = bundle.get(14..18)?.try_into().ok()?;
    let data = bundle.get(30 + name + extra..30 + name + extra + length)?;
    let mut crc = u32::MAX;
    for byte in data {
        crc ^= u32::from(*byte);
        for _ in 0..8 {
            crc = (crc >> 1) ^ (0xedb8_8320 & 0u32.wrapping_sub(crc & 1));
        }
    }
    let new = (!crc).to_le_bytes();
    let mut mended = bundle;
    mended[14..18].copy_from_slice(&new);
    let tail = mended.len() - 60_000.min(mended.len());
    let at = mended[tail..].windows(4).position(|w| w == old)? + tail;
    mended[at..at + 4].copy_from_slice(&new);
    Some(mended)
}

/// A project of one sound, so that many bundles of it can be tried.
fn small() -> Vec<u8> {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir_all(folder.path().join("audio")).unwrap();
    std::fs::create_dir_all(folder.path().join("sounds")).unwrap();
    let spec = hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
    let mut wave = hound::WavWriter::create(folder.path().join("audio/a.wav"), spec).unwrap();
    (0..2_000).for_each(|i| wave.write_sample(((f64::from(i) * 0.1).sin() * 9_000.0) as i16).unwrap());
    wave.finalize().unwrap();
    std::fs::write(folder.path().join("estampie.toml"), "format = 1\n").unwrap();
    std::fs::write(folder.path().join("game.toml"), "[events]\nhit = \"\"\n").unwrap();
    std::fs::write(folder.path().join("sounds/a.toml"), "[a]\ntakes = [\"audio/a.wav\"]\n").unwrap();
    std::fs::write(folder.path().join("reactions.est"), "When hit\n  play a\n").unwrap();
    bundled(&compiled(folder.path()).0)
}

/// Bundles that were written once are played by every later version that reads their format. Whoever changes what is written raises `FORMAT`, and keeps
/// reading the last one, or says why not: `ESTAMPIE_BUNDLES=write` writes the one of the present format.
#[test]
fn bundles_of_before_are_played() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("tests/bundles/format-{}.bundle", estampie_bundle::FORMAT));
    if std::env::var("ESTAMPIE_BUNDLES").is_ok_and(|v| v == "write") {
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(&path, small()).unwrap();
    }
    let (mut kept, mut now) = (Bundle::open(&path).unwrap(), Bundle::of_bytes(small()).unwrap());
    assert_eq!(kept.program().unwrap(), now.program().unwrap(), "what is written has changed: raise FORMAT");
    let mut heard = Vec::new();
    for file in std::fs::read_dir(path.parent().unwrap()).unwrap().map(|f| f.unwrap().path()) {
        let (mut player, mut control) = load(&file, &Options::default()).unwrap();
        let hit = control.key("hit");
        control.event(0, hit, None).unwrap();
        let mut out = vec![0.0f32; 9_600];
        player.render(&mut out);
        assert!(out.iter().any(|s| s.abs() > 0.1), "{}", file.display());
        heard.push(out);
    }
    assert!(heard.iter().all(|h| *h == heard[0]), "and sound the same");
}

/// Numbers below others, from a seed on.
fn numbers(mut state: u32) -> impl FnMut(usize) -> usize {
    move |most| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as usize % most
    }
}

/// Loads a bundle and plays what comes of an event, or the words that it is refused in.
fn hit(bundle: Vec<u8>, options: &Options) -> Result<(Player, Control, Vec<f32>), String> {
    match load_bytes(bundle, options) {
        Err(error) => Err(error.to_string()),
        Ok((mut player, mut control)) => {
            let hit = control.key("hit");
            control.event(0, hit, None).unwrap();
            let mut out = vec![1.0; 2_048];
            player.render(&mut out);
            Ok((player, control, out))
        }
    }
}

#[test]
fn damaged_bundles_are_refused_and_never_a_panic() {
    let whole = small();
    let mut random = numbers(12_345);
    let (mut refused, mut played) = (0, 0);
    // More of them for who has the time: ESTAMPIE_CASES=100000.
    let rounds = std::env::var("ESTAMPIE_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(3_000);
    for round in 0..rounds {
        let mut damaged = whole.clone();
        match round % 3 {
            0 => (0..1 + random(4)).for_each(|_| {
                let at = random(damaged.len());
                damaged[at] = random(256) as u8;
            }),
            1 => damaged.truncate(random(whole.len())),
            _ => {
                let (from, length) = (random(whole.len()), random(200));
                damaged.drain(from..(from + length).min(whole.len()));
            }
        }
        match hit(damaged, &Options { voices: 8, inputs: 8, ..Options::default() }) {
            // Not because something broke over it.
            Err(why) => {
                assert!(!why.is_empty() && !why.contains("breaks what is made of it"), "{why}");
                refused += 1;
            }
            // What was damaged says nothing to the sound: a note, a name for people.
            Ok((player, _, out)) => {
                assert!(out.iter().all(|s| s.is_finite()) && !player.broken());
                played += 1;
            }
        }
    }
    assert!(refused > rounds / 3 * 2, "{refused} refused, {played} played");
}

/// The bundle of a project of generators, with buses, a reverb, a snapshot, a duck, a parameter and a state.
fn made() -> Vec<u8> {
    let folder = tempfile::tempdir().unwrap();
    for (name, text) in [
        ("estampie.toml", "format = 1\n"),
        ("game.toml", "[events]\nhit = \"\"\nalarm = \"\"\n\n[parameters.depth]\nrange = \"0..100\"\n\n[states.place]\nvalues = [\"calm\", \"hunt\"]\n"),
        ("shared.toml", "[generator.bell]\nkind = \"modal\"\n\n[generator.gale]\nkind = \"wind\"\n"),
        (
            "sounds/a.toml",
            "[a]\ntakes = [\"generator bell\"]\nbus = \"effects\"\nlimit = 4\n\n[b]\ntakes = [\"generator gale\"]\nbus = \"air\"\n\n[c]\ntakes = [\"a\", \"generator bell\"]\n",
        ),
        (
            "mix.toml",
            "[buses.effects]\nlevel = \"-3 dB\"\nsend = { hall = \"-12 dB\" }\n\n[buses.air]\n\n[buses.hall]\nreturn = true\n\n[buses.hall.effect.reverb]\n\n[[duck]]\nsidechain = \"bus effects\"\nducks = \"air\"\nby = \"-6 dB\"\n\n[snapshots.under]\nwhile = \"place is hunt\"\n[snapshots.under.hold]\n\"bus air level\" = \"by -9 dB\"\n",
        ),
        ("reactions.est", "When hit\n  play a\n  play b\n\nWhen alarm\n  play c\n"),
    ] {
        let path = folder.path().join(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    }
    bundled(&compiled(folder.path()).0)
}

/// The bundle with another program in it, and with that one's hash and checksums: forged instead of damaged.
fn forged(whole: &[u8], program: &[u8]) -> Vec<u8> {
    use std::io::{Read as _, Write as _};
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(whole)).unwrap();
    let mut out = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for at in 0..archive.len() {
        let mut entry = archive.by_index(at).unwrap();
        let (name, mut bytes) = (entry.name().unwrap().into_owned(), Vec::new());
        entry.read_to_end(&mut bytes).unwrap();
        if name == "program" {
            bytes = program.to_vec();
        } else if name == "bundle.json" {
            let mut manifest: serde_json::Value = serde_json::from_slice(&bytes).unwrap();
            manifest["program"] = format!("{:032x}", xxhash_rust::xxh3::xxh3_128(program)).into();
            bytes = serde_json::to_vec(&manifest).unwrap();
        }
        out.start_file(name, zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored)).unwrap();
        out.write_all(&bytes).unwrap();
    }
    out.finish().unwrap().into_inner()
}

#[test]
fn forged_programs_are_refused_or_play_and_never_take_the_game_along() {
    let (small, large) = (small(), made());
    let rounds = std::env::var("ESTAMPIE_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(600);
    let mut random = numbers(77);
    let (mut refused, mut played, mut broke) = (0, 0, 0);
    for (whole, rounds) in [(&small, rounds), (&large, rounds)] {
        let program = Bundle::of_bytes(whole.clone()).unwrap().program().unwrap();
        for _ in 0..rounds {
            let mut other = program.clone();
            for _ in 0..1 + random(3) {
                let at = random(other.len());
                other[at] = if random(2) == 0 { other[at] ^ (1 << random(8)) } else { random(256) as u8 };
            }
            match hit(forged(whole, &other), &Options { voices: 8, inputs: 64, emitters: 16, ..Options::default() }) {
                Err(why) => {
                    assert!(!why.is_empty());
                    refused += 1;
                }
                Ok((player, mut control, out)) if player.broken() => {
                    assert!(out.iter().all(|s| *s == 0.0));
                    assert!(control.poll().unwrap().contains("loaded anew"));
                    broke += 1;
                }
                Ok(_) => played += 1,
            }
        }
    }
    println!("{refused} refused, {played} played, {broke} broke");
    assert!(refused > rounds / 4 && played > rounds / 4 && broke < rounds / 20, "{refused} refused, {played} played, {broke} broke");
}

#[test]
fn what_a_game_says_wrongly_comes_back_in_words() {
    let (mut player, mut control) = load_bytes(small(), &Options::default()).unwrap();
    let (wrong, hit) = (control.key("hitt"), control.key("hit"));
    control.event(0, wrong, None).unwrap();
    control.event(100, hit, None).unwrap();
    let mut out = [0.0f32; 4_096];
    player.render(&mut out);
    assert_eq!(control.poll().as_deref(), Some("unknown event hitt"));
    assert_eq!(control.poll(), None);
    assert!(out[..200].iter().all(|s| *s == 0.0) && out[200..].iter().any(|s| s.abs() > 0.1), "on its frame");
    // What has no room is said at once.
    let full = (0..10_000).find(|_| control.event(0, hit, None).is_err());
    assert!(full.is_some_and(|n| n >= 4_000), "{full:?}");
}

/// The list of calls that the C program reads.
fn calls(inputs: &[Input], name: impl Fn(NameKey) -> String, end: u64) -> String {
    let or = |key: NameKey| if key.is_none() { "-".to_owned() } else { name(key) };
    let number = |value: Option<f32>| value.map_or("-".to_owned(), |v| v.to_string());
    let mut text = String::new();
    for Input { frame, what } in inputs {
        let call = match *what {
            InputKind::Event { event, emitter } => format!("event {} {}", or(event), or(emitter)),
            InputKind::Parameter { parameter, value, emitter } => format!("parameter {} {value} {}", or(parameter), or(emitter)),
            InputKind::Glide { parameter, from, to, frames } => format!("glide {} {} {to} {frames}", or(parameter), number(from)),
            InputKind::State { state, value } => format!("state {} {}", or(state), or(value)),
            InputKind::Place { emitter, kind, at: [x, y, z], facing, frames } if name(emitter) == LISTENER_NAME => {
                assert!(kind.is_none());
                format!("listener {x} {y} {z} {} {frames}", number(facing))
            }
            InputKind::Place { emitter, kind, at: [x, y, z], facing, frames } => {
                format!("emitter {} {} {x} {y} {z} {} {frames}", or(emitter), or(kind), number(facing))
            }
            InputKind::Walk { emitter, to: [x, y, z], speed } => {
                let who = if name(emitter) == LISTENER_NAME { "-".into() } else { or(emitter) };
                format!("walk {who} {x} {y} {z} {speed}")
            }
            InputKind::Remove { emitter } => format!("remove {}", or(emitter)),
            InputKind::PlayerLevel { level, value } => format!("level {} {value}", or(level)),
            InputKind::StopAll { frames } => format!("fade {frames}"),
            other => panic!("{other:?} is not said by a game"),
        };
        let _ = writeln!(text, "{frame} {call}");
    }
    let _ = writeln!(text, "{end} end");
    text
}

/// The static library that was built with these tests.
fn library() -> PathBuf {
    let deps = std::env::current_exe().unwrap().parent().unwrap().to_owned();
    let found = std::fs::read_dir(&deps).unwrap().chain(std::fs::read_dir(deps.join("..")).unwrap()).map(|e| e.unwrap().path());
    let libraries = found.filter(|p| p.extension().is_some_and(|e| e == "a") && p.file_name().unwrap().to_string_lossy().starts_with("libestampie_runtime"));
    libraries.max_by_key(|p| p.metadata().unwrap().modified().unwrap()).expect("the library is built with its tests")
}

#[test]
fn a_c_program_plays_the_demo_to_the_bit() {
    let demo = demo();
    let work = tempfile::tempdir().unwrap();
    let path = |name: &str| work.path().join(name);
    let here = Path::new(env!("CARGO_MANIFEST_DIR"));
    let mut compiler = Command::new("cc");
    compiler.args(["-std=c11", "-Wall", "-Wextra", "-Werror", "-O1"]).arg("-I").arg(here.join("include")).arg(here.join("examples/play.c"));
    let built = compiler.arg(library()).args(["-lpthread", "-ldl", "-lm"]).arg("-o").arg(path("play")).output().unwrap();
    assert!(built.status.success(), "{}", String::from_utf8_lossy(&built.stderr));
    std::fs::write(path("demo.bundle"), &demo.bundle).unwrap();
    let (wanted, _) = offline::render(&demo.program, &demo.first_dive, Some(7));
    let (inputs, name) = inputs();
    std::fs::write(path("calls"), calls(&inputs, name, wanted.len() as u64 / 2)).unwrap();
    let ran = Command::new(path("play")).args([path("demo.bundle"), path("calls"), path("out.f32")]).output().unwrap();
    assert!(ran.status.success(), "{}", String::from_utf8_lossy(&ran.stderr));
    assert_eq!(String::from_utf8_lossy(&ran.stderr), "", "nothing needs attention");
    let heard: Vec<f32> = std::fs::read(path("out.f32")).unwrap().chunks_exact(4).map(|b| f32::from_le_bytes(b.try_into().unwrap())).collect();
    let differs = same(&heard, &wanted);
    assert_eq!(differs, None, "from C as from the workshop");
    // What cannot be loaded says why.
    let refused = Command::new(path("play")).args([path("calls"), path("calls"), path("none")]).output().unwrap();
    assert!(
        !refused.status.success() && String::from_utf8_lossy(&refused.stderr).contains("this is no bundle"),
        "{}",
        String::from_utf8_lossy(&refused.stderr)
    );
}

#[test]
fn the_header_has_every_function_and_no_other() {
    let header = include_str!("../include/estampie.h");
    let source = include_str!("../src/c.rs");
    let of_source: std::collections::BTreeSet<&str> = source.split("extern \"C\" fn ").skip(1).filter_map(|rest| rest.split('(').next()).collect();
    let of_header: std::collections::BTreeSet<&str> = header
        .lines()
        .filter(|line| line.contains("estampie_") && line.contains('(') && line.ends_with(';') && !line.starts_with([' ', '#']))
        .filter_map(|line| line.split('(').next()?.rsplit([' ', '*']).next())
        .collect();
    assert_eq!(of_source, of_header);
    assert!(of_source.len() > 15);
}
