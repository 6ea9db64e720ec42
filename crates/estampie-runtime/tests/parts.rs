//! Parts of a bundle are loaded and unloaded while it plays: nothing that sounds is touched, and what is not there is refused with that reason.
#![allow(clippy::unwrap_used, missing_docs)]

use estampie_bundle::{Bundle, Info, PartInfo, write};
use estampie_engine::clip::Clip;
use estampie_project::assets::Assets;
use estampie_project::compile;
use estampie_project::document::{Document, Sources};
use estampie_runtime::{Control, Key, NOW, Options, PartError, PartState, Player, load, load_bytes};
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Frames of the long sounds.
const LONG: usize = 480_000;

/// A project with a tone that is always there, and three sounds in two parts; `shared` is in both, and a fourth sound shares its audio with a part.
fn bundle() -> Vec<u8> {
    let sounds = "[tone]\nloop = true\ntakes = [\"audio/tone.wav\"]\n\n[\"east/wind\"]\ntakes = [\"audio/wind.wav\"]\n\n[\"west/sea\"]\ntakes = [\"audio/sea.wav\"]\n\n[gull]\ntakes = [\"audio/gull.wav\"]\n\n[\"east/bell\"]\ntakes = [\"audio/bell.wav\"]\n\n[bell]\ntakes = [\"audio/bell.wav\"]\n";
    let music = "[piece.tide]\nwaits-to-begin = true\n[piece.tide.section.a]\nbars = 1\n[piece.tide.section.a.layer.low]\nfile = \"audio/low.wav\"\n";
    let reactions = "When tone\n  play tone\n\nWhen wind\n  play east/wind\n\nWhen sea\n  play west/sea\n\nWhen gull\n  play gull\n\nWhen tide\n  go tide\n";
    let events = ["tone", "wind", "sea", "gull", "tide"].map(|e| format!("{e} = \"it happens\"\n")).concat();
    let sources = Sources::from_texts([
        ("estampie.toml", "format = 1\nrate = 48000\nceiling = \"0 dB\""),
        ("sounds/a.toml", sounds),
        ("music/a.toml", music),
        ("game.toml", &format!("[events]\n{events}")),
        ("reactions.est", reactions),
    ]);
    let clips = ["tone", "wind", "sea", "gull", "bell", "low"].map(|name| format!("audio/{name}.wav"));
    let (document, faults) = Document::read(&sources, &clips.iter().cloned().collect());
    assert_eq!(faults, vec![]);
    let mut assets = Assets::default();
    for (at, name) in clips.iter().enumerate() {
        let frames = if at == 0 { 48_000 } else { LONG };
        assets.insert(name, Ok(Arc::new(Clip::new(name, vec![vec![0.1 * (at as f32 + 1.0); frames]], None))));
    }
    let (program, faults) = compile::compile(&document, &assets);
    assert_eq!(faults, vec![]);
    let part = |name: &str, sounds: &[&str], pieces: &[&str]| PartInfo {
        name: name.into(),
        sounds: sounds.iter().map(|s| (*s).to_owned()).collect(),
        pieces: pieces.iter().map(|s| (*s).to_owned()).collect(),
        budget: None,
    };
    let parts = vec![part("west", &["west/sea", "gull"], &["tide"]), part("east", &["east/wind", "east/bell", "gull"], &[])];
    let mut out = std::io::Cursor::new(Vec::new());
    write(&program, &Info { project: "Slipway".into(), sources: "0".into(), names: Vec::new(), parts, storing: Default::default() }, &mut out).unwrap();
    out.into_inner()
}

struct Game {
    player: Player,
    control: Control,
    /// The left channel of all that was rendered.
    heard: Vec<f32>,
    told: Vec<String>,
}

impl Game {
    fn new(apart: bool) -> Game {
        let (player, control) = load_bytes(bundle(), &Options { parts_apart: apart, ..Options::default() }).unwrap();
        Game { player, control, heard: Vec::new(), told: Vec::new() }
    }

    fn happens(&mut self, event: &str) {
        self.control.event(NOW, Key::of(event), None).unwrap();
    }

    fn plays(&mut self, frames: usize) {
        let mut out = vec![0.0; 2 * frames];
        self.player.render(&mut out);
        self.heard.extend(out.iter().step_by(2));
        self.told.extend(std::iter::from_fn(|| self.control.poll()));
    }

    fn state(&self, part: &str) -> PartState {
        self.control.parts()[part]
    }

    fn until(&mut self, part: &str, state: PartState) {
        let begun = Instant::now();
        while self.state(part) != state {
            assert!(begun.elapsed() < Duration::from_secs(60), "{part} stays {:?}: {:?}", self.state(part), self.told);
            self.plays(64);
            std::thread::sleep(Duration::from_millis(1));
        }
        // What was made ready takes over.
        self.plays(128);
        self.plays(128);
    }

    /// The greatest sample of the last frames.
    fn peak(&self, frames: usize) -> f32 {
        self.heard[self.heard.len() - frames..].iter().fold(0.0f32, |a, b| a.max(b.abs()))
    }
}

#[test]
fn what_plays_what_decides_which_audio_is_in_which_part() {
    let bundle = Bundle::of_bytes(bundle()).unwrap();
    let parts: Vec<(&str, Vec<&str>, u64)> =
        bundle.manifest().parts.iter().map(|p| (p.name.as_str(), p.audio.iter().map(String::as_str).collect(), p.memory / (4 * LONG as u64))).collect();
    // The bell's audio is that of a sound that is always there, too.
    assert_eq!(parts, [("east", vec!["audio/gull.wav", "audio/wind.wav"], 2), ("west", vec!["audio/gull.wav", "audio/low.wav", "audio/sea.wav"], 3)]);
}

#[test]
fn a_part_is_refused_heard_and_refused_again() {
    let mut game = Game::new(true);
    assert_eq!(game.control.parts().into_iter().collect::<Vec<_>>(), [("east", PartState::Unloaded), ("west", PartState::Unloaded)]);
    game.happens("wind");
    game.plays(4800);
    assert_eq!(game.peak(4800), 0.0);
    assert_eq!(game.told, ["east/wind was asked for, and the part of the bundle that it is in is not loaded"]);
    game.control.load_part("east").unwrap();
    game.control.load_part("east").unwrap();
    assert_ne!(game.state("east"), PartState::Unloaded);
    game.until("east", PartState::Loaded);
    game.happens("wind");
    game.plays(4800);
    assert!((game.peak(100) - 0.2).abs() < 1e-3, "{}", game.peak(100));
    // It is unloaded: what sounds goes on to its end, what is asked for anew is refused.
    game.control.unload_part("east").unwrap();
    game.until("east", PartState::Unloaded);
    game.plays(4800);
    assert!((game.peak(100) - 0.2).abs() < 1e-3);
    game.told.clear();
    game.happens("wind");
    game.plays(64);
    assert!(game.told.iter().any(|t| t.contains("not loaded")), "{:?}", game.told);
    game.plays(LONG);
    assert_eq!(game.peak(4800), 0.0, "it has ended");
    // A piece's audio is in its part; what two parts hold is there with one of them.
    game.control.load_part("west").unwrap();
    game.until("west", PartState::Loaded);
    game.happens("gull");
    game.plays(4800);
    assert!((game.peak(100) - 0.4).abs() < 1e-3, "{}", game.peak(100));
    game.happens("tide");
    game.plays(48_000);
    assert!(game.peak(100) > 0.8, "{}", game.peak(100));
}

#[test]
fn unless_they_are_apart_all_parts_are_there_and_a_bundle_is_read_again_from_its_file() {
    let mut game = Game::new(false);
    assert!(game.control.parts().values().all(|s| *s == PartState::Loaded));
    game.happens("wind");
    game.plays(4800);
    assert!(game.peak(100) > 0.19);
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.bundle");
    std::fs::write(&path, bundle()).unwrap();
    let (player, control) = load(&path, &Options { parts_apart: true, ..Options::default() }).unwrap();
    let mut game = Game { player, control, heard: Vec::new(), told: Vec::new() };
    assert!(matches!(game.control.load_part("north"), Err(PartError::Unknown { name, .. }) if name == "north"));
    assert!(game.control.unload_part("north").unwrap_err().to_string().contains("no part north; it has east, west"));
    game.control.load_part("east").unwrap();
    game.until("east", PartState::Loaded);
    // The file is cut off: that is told, and what is there stays there.
    let whole = std::fs::read(&path).unwrap();
    std::fs::write(&path, &whole[..whole.len() / 2]).unwrap();
    game.control.load_part("west").unwrap();
    game.until("west", PartState::Unloaded);
    assert!(game.told.iter().any(|t| t.starts_with("west cannot be loaded: ")), "{:?}", game.told);
    // It is whole again, and has another name: it is still the one that was opened.
    std::fs::write(&path, &whole).unwrap();
    std::fs::rename(&path, folder.path().join("b.bundle")).unwrap();
    game.control.load_part("west").unwrap();
    game.until("west", PartState::Loaded);
    game.happens("wind");
    game.plays(4800);
    assert!(game.peak(100) > 0.19);
}

/// Memory of this process in bytes, where the system says it.
fn resident() -> Option<usize> {
    let text = std::fs::read_to_string("/proc/self/statm").ok()?;
    Some(text.split_whitespace().nth(1)?.parse::<usize>().ok()? * 4096)
}

#[test]
fn a_thousand_times_in_and_out_and_nobody_hears_it() {
    let mut game = Game::new(true);
    game.happens("tone");
    game.plays(4800);
    let mut before = None;
    for round in 0..1000 {
        game.control.load_part("east").unwrap();
        if round % 2 == 0 {
            game.control.load_part("west").unwrap();
        }
        // Sometimes it is unloaded while it is still on its way.
        if round % 3 > 0 {
            game.until("east", PartState::Loaded);
        }
        game.control.unload_part("east").unwrap();
        game.control.unload_part("west").unwrap();
        game.until("east", PartState::Unloaded);
        if round == 50 {
            before = resident();
        }
    }
    let after = resident();
    if let (Some(before), Some(after)) = (before, after) {
        // Each time there are two to ten megabytes of audio.
        assert!(after < before + 60_000_000, "{before} bytes became {after}");
    }
    let mut alone = Game::new(true);
    alone.happens("tone");
    alone.plays(game.heard.len());
    assert!(alone.peak(1000) > 0.09);
    assert!(game.heard.iter().zip(&alone.heard).all(|(a, b)| a.to_bits() == b.to_bits()), "the tone is the same to the bit");
}

#[test]
#[allow(unsafe_code, reason = "the functions for C are what is tried")]
fn by_the_functions_for_c_as_well() {
    use estampie_runtime::c::{
        ESTAMPIE_NO_PART, ESTAMPIE_NULL, ESTAMPIE_OK, EstampieOptions, estampie_bundle, estampie_event, estampie_free, estampie_key, estampie_listen,
        estampie_load_bytes, estampie_load_part, estampie_part, estampie_poll, estampie_render, estampie_unload_part,
    };
    use std::ptr::{null, null_mut};
    let bytes = bundle();
    let options = EstampieOptions { seed: 1, parts_apart: 1, ..Default::default() };
    let mut text = [0u8; 300];
    let words = |text: &[u8; 300]| text.iter().take_while(|b| **b != 0).map(|b| *b as char).collect::<String>();
    // SAFETY: all that is given lives as long as it is used, names end with a 0 byte, and one thread uses it.
    unsafe {
        let all = estampie_load_bytes(bytes.as_ptr(), bytes.len(), &raw const options, null_mut(), 0);
        assert!(!all.is_null());
        let mut out = [0.0f32; 2 * 128];
        assert_eq!(estampie_bundle(all, text.as_mut_ptr().cast(), text.len()), ESTAMPIE_OK);
        assert_eq!(words(&text), "Slipway 0");
        assert_eq!((estampie_part(all, c"east".as_ptr()), estampie_part(all, c"north".as_ptr())), (0, -1));
        assert_eq!((estampie_load_part(all, c"north".as_ptr()), estampie_unload_part(all, c"north".as_ptr())), (ESTAMPIE_NO_PART, ESTAMPIE_NO_PART));
        assert_eq!((estampie_load_part(all, null()), estampie_load_part(null(), c"east".as_ptr())), (ESTAMPIE_NULL, ESTAMPIE_NULL));
        let wind = estampie_key(all, c"wind".as_ptr());
        let until = |state: i32, out: &mut [f32; 256]| {
            let begun = Instant::now();
            while estampie_part(all, c"east".as_ptr()) != state {
                assert!(begun.elapsed() < Duration::from_secs(60));
                estampie_render(all, out.as_mut_ptr(), 128);
                estampie_poll(all, null_mut(), 0);
                std::thread::sleep(Duration::from_millis(1));
            }
            for _ in 0..2 {
                estampie_render(all, out.as_mut_ptr(), 128);
                estampie_poll(all, null_mut(), 0);
            }
        };
        assert_eq!(estampie_load_part(all, c"east".as_ptr()), ESTAMPIE_OK);
        until(2, &mut out);
        estampie_event(all, NOW, wind, 0);
        estampie_render(all, out.as_mut_ptr(), 128);
        assert!((out[255] - 0.2).abs() < 1e-3, "{}", out[255]);
        assert_eq!(estampie_unload_part(all, c"east".as_ptr()), ESTAMPIE_OK);
        until(0, &mut out);
        estampie_event(all, NOW, wind, 0);
        estampie_render(all, out.as_mut_ptr(), 128);
        assert_eq!(estampie_poll(all, text.as_mut_ptr().cast(), text.len()), 1);
        assert!(words(&text).contains("east/wind was asked for"), "{}", words(&text));
        // Whether a workshop may join depends on how this was built; either way it is said.
        let port = estampie_listen(all, 0, text.as_mut_ptr().cast(), text.len());
        assert_eq!(port > 0, cfg!(feature = "live"), "{}", words(&text));
        if port > 0 {
            assert!(std::net::TcpStream::connect(("127.0.0.1", port)).is_ok());
            assert_eq!(estampie_listen(all, 0, text.as_mut_ptr().cast(), text.len()), 0);
            assert!(words(&text).contains("already"), "{}", words(&text));
        } else {
            assert!(words(&text).contains("built without live edits"), "{}", words(&text));
        }
        assert_eq!(estampie_listen(null(), 0, text.as_mut_ptr().cast(), text.len()), 0);
        assert!(words(&text).contains("a pointer is null"), "{}", words(&text));
        estampie_free(all);
    }
}
