//! The runtime in programs that are not Rust: installed as a package, found by pkg-config and by CMake, played by SDL2's callback and by Python.
//! What is not on a machine is said and left out, but for the C compiler, which Rust needs anyway.
#![allow(clippy::unwrap_used, missing_docs)]

use estampie_bundle::{Info, write};
use estampie_engine::clip::Clip;
use estampie_project::assets::Assets;
use estampie_project::compile;
use estampie_project::document::{Document, Sources};
use estampie_runtime::{NOW, Options, load};
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::{Arc, OnceLock};

/// A folder with a bundle, and the runtime installed below it.
struct Installed {
    folder: tempfile::TempDir,
}

impl Installed {
    fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }
}

/// A bundle in which `begin` plays a tone of three seconds.
fn bundle() -> Vec<u8> {
    let sources = Sources::from_texts([
        ("estampie.toml", "format = 1\nrate = 48000"),
        ("sounds/a.toml", "[tone]\nvary.pitch = \"-2..2 st\"\ntakes = [\"audio/tone.wav\"]\n"),
        ("game.toml", "[events]\nbegin = \"it begins\"\n"),
        ("reactions.est", "When begin\n  play tone\n"),
    ]);
    let (document, faults) = Document::read(&sources, &["audio/tone.wav".to_owned()].into());
    assert_eq!(faults, vec![]);
    let tone: Vec<f32> = (0..144_000).map(|i| (0.25 * (std::f64::consts::TAU * 440.0 * f64::from(i) / 48_000.0).sin()) as f32).collect();
    let mut assets = Assets::default();
    assets.insert("audio/tone.wav", Ok(Arc::new(Clip::new("audio/tone.wav", vec![tone], None))));
    let (program, faults) = compile::compile(&document, &assets);
    assert_eq!(faults, vec![]);
    let mut out = std::io::Cursor::new(Vec::new());
    write(&program, &Info { project: "Slipway".into(), sources: "0".into(), names: Vec::new(), parts: Vec::new(), storing: Default::default() }, &mut out)
        .unwrap();
    out.into_inner()
}

/// The folder with the newest libraries: they are built with these tests.
fn built() -> PathBuf {
    let deps = std::env::current_exe().unwrap().parent().unwrap().to_owned();
    let written = |folder: &Path| folder.join("libestampie_runtime.a").metadata().and_then(|m| m.modified()).ok();
    [deps.clone(), deps.join("..")].into_iter().filter(|f| written(f).is_some()).max_by_key(|f| written(f)).expect("the library is built with its tests")
}

fn installed() -> &'static Installed {
    static INSTALLED: OnceLock<Installed> = OnceLock::new();
    INSTALLED.get_or_init(|| {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("a.bundle"), bundle()).unwrap();
        let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../scripts/install-runtime");
        well(Command::new(script).arg(folder.path()).arg("--from").arg(built()));
        Installed { folder }
    })
}

fn well(command: &mut Command) -> Output {
    let out = command.output().unwrap_or_else(|e| panic!("{command:?}: {e}"));
    assert!(out.status.success(), "{command:?}: {}{}", String::from_utf8_lossy(&out.stdout), String::from_utf8_lossy(&out.stderr));
    out
}

fn there_is(program: &str, arguments: &[&str]) -> bool {
    let found = Command::new(program).args(arguments).output().is_ok_and(|out| out.status.success());
    if !found {
        eprintln!("{program} {} is not here: what needs it is left out", arguments.join(" "));
    }
    found
}

fn example(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("examples").join(name)
}

/// The arguments that pkg-config gives for packages, the installed one among them.
fn by_pkg_config(arguments: &[&str]) -> Vec<String> {
    let out = well(Command::new("pkg-config").env("PKG_CONFIG_PATH", installed().path("lib/pkgconfig")).args(arguments));
    String::from_utf8(out.stdout).unwrap().split_whitespace().map(str::to_owned).collect()
}

#[test]
fn python_plays_a_bundle_to_the_bit() {
    if !there_is("python3", &["--version"]) {
        return;
    }
    let at = installed();
    let library = ["so", "dylib"].map(|ending| at.path(&format!("lib/libestampie_runtime.{ending}"))).into_iter().find(|p| p.exists()).unwrap();
    let said = well(Command::new("python3").arg(example("play.py")).arg(library).arg(at.path("a.bundle")).arg(at.path("python.f32")).args(["begin", "2"]));
    assert!(said.stderr.is_empty(), "{}", String::from_utf8_lossy(&said.stderr));
    let heard: Vec<f32> = std::fs::read(at.path("python.f32")).unwrap().chunks_exact(4).map(|b| f32::from_le_bytes(b.try_into().unwrap())).collect();
    let (mut player, mut control) = load(&at.path("a.bundle"), &Options::default()).unwrap();
    let begin = control.key("begin");
    control.event(NOW, begin, None).unwrap();
    let mut wanted = vec![0.0f32; 2 * 96_000];
    player.render(&mut wanted);
    assert!(wanted.iter().any(|s| s.abs() > 0.1));
    assert_eq!(heard.len(), wanted.len());
    assert!(heard.iter().zip(&wanted).all(|(a, b)| a.to_bits() == b.to_bits()));
    // What cannot be loaded says why.
    let refused =
        Command::new("python3").arg(example("play.py")).arg(at.path("lib/libestampie_runtime.so")).args(["none.bundle", "x", "begin"]).output().unwrap();
    assert!(!refused.status.success());
}

#[test]
fn the_package_is_found_by_pkg_config() {
    if !there_is("pkg-config", &["--version"]) {
        return;
    }
    assert_eq!(by_pkg_config(&["--modversion", "estampie"]), [env!("CARGO_PKG_VERSION")]);
    let at = installed();
    let flags = by_pkg_config(&["--cflags", "--libs", "estampie"]);
    well(Command::new("cc").arg(example("play.c")).args(flags).arg("-o").arg(at.path("play")));
    std::fs::write(at.path("calls"), "0 event begin -\n48000 end\n").unwrap();
    well(Command::new(at.path("play")).env("LD_LIBRARY_PATH", at.path("lib")).args([at.path("a.bundle"), at.path("calls"), at.path("shared.f32")]));
    assert_eq!(std::fs::metadata(at.path("shared.f32")).unwrap().len(), 48_000 * 8);
}

#[test]
fn the_package_is_found_by_cmake() {
    if !there_is("cmake", &["--version"]) {
        return;
    }
    let at = installed();
    let source = at.path("game");
    std::fs::create_dir_all(&source).unwrap();
    std::fs::copy(example("play.c"), source.join("play.c")).unwrap();
    let text = "cmake_minimum_required(VERSION 3.10)\nproject(game C)\nfind_package(estampie 0.1.0 REQUIRED)\nforeach(kind static shared)\n  add_executable(play_${kind} play.c)\n  target_link_libraries(play_${kind} estampie::${kind})\nendforeach()\n";
    std::fs::write(source.join("CMakeLists.txt"), text).unwrap();
    let built = at.path("game/built");
    well(Command::new("cmake").arg("-S").arg(&source).arg("-B").arg(&built).arg(format!("-DCMAKE_PREFIX_PATH={}", at.folder.path().display())));
    well(Command::new("cmake").arg("--build").arg(&built));
    std::fs::write(at.path("calls-cmake"), "0 event begin -\n4800 end\n").unwrap();
    let play = |kind: &str| {
        let out = at.path(&format!("{kind}-cmake.f32"));
        well(Command::new(built.join(format!("play_{kind}"))).args([at.path("a.bundle"), at.path("calls-cmake"), out.clone()]));
        std::fs::read(out).unwrap()
    };
    assert_eq!(play("static"), play("shared"));
}

#[test]
fn the_callback_of_sdl_plays_at_its_own_rate() {
    if !there_is("pkg-config", &["--exists", "sdl2"]) {
        return;
    }
    let at = installed();
    let flags = by_pkg_config(&["--cflags", "--libs", "estampie", "sdl2"]);
    well(Command::new("cc").args(["-Wall", "-Wextra", "-Werror"]).arg(example("sdl.c")).args(flags).arg("-lm").arg("-o").arg(at.path("sdl")));
    let mut runs = Command::new(at.path("sdl"));
    runs.env("LD_LIBRARY_PATH", at.path("lib")).env("SDL_AUDIODRIVER", "dummy").arg(at.path("a.bundle")).args(["begin", "1.5"]);
    let said = well(&mut runs);
    let text = String::from_utf8_lossy(&said.stdout).into_owned();
    let words: Vec<&str> = text.split_whitespace().collect();
    assert!(said.stderr.is_empty() && words[3] == "44100,", "{text}{}", String::from_utf8_lossy(&said.stderr));
    let (frames, peak): (f64, f64) = (words[0].parse().unwrap(), words[5].parse().unwrap());
    // The dummy device keeps time as well as the machine lets it.
    assert!(frames > 20_000.0 && (peak - 0.25).abs() < 0.01, "{text}");
}

#[test]
fn under_address_sanitizer_a_c_program_is_clean() {
    let at = installed();
    let mut compiler = Command::new("cc");
    compiler.args(["-g", "-fsanitize=address,undefined", "-fno-sanitize-recover=all", "-I"]).arg(at.path("include")).arg(example("play.c"));
    compiler.arg(at.path("lib/libestampie_runtime.a")).args(["-lpthread", "-ldl", "-lm"]).arg("-o").arg(at.path("sanitized"));
    if !compiler.output().is_ok_and(|out| out.status.success()) {
        return eprintln!("this C compiler has no address sanitizer: what needs it is left out");
    }
    std::fs::write(
        at.path("calls-many"),
        "0 event begin -\n100 event nothing -\n200 emitter x y 1 2 3 - 0\n300 event begin x\n400 remove x\n500 fade 4800\n48000 end\n",
    )
    .unwrap();
    for bundle in ["a.bundle", "calls-many", "nowhere"] {
        let run = |leaks: &str| {
            let mut ran = Command::new(at.path("sanitized"));
            ran.env("ASAN_OPTIONS", format!("detect_leaks={leaks}")).args([at.path(bundle), at.path("calls-many"), at.path("s.f32")]).output().unwrap()
        };
        let mut ran = run("1");
        // Leaks are looked for by tracing oneself, which not every container allows.
        if String::from_utf8_lossy(&ran.stderr).contains("LeakSanitizer has encountered a fatal error") {
            eprintln!("leaks cannot be looked for here: that is left out");
            ran = run("0");
        }
        let said = String::from_utf8_lossy(&ran.stderr);
        assert!(!said.contains("Sanitizer") && !said.contains("runtime error"), "{bundle}: {said}");
        assert_eq!(ran.status.success(), bundle == "a.bundle", "{bundle}: {said}");
    }
}
