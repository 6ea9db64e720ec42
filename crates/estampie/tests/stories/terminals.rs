//! Stories of terminals that are no comfort: one whose window is never still, and one at the end of a slow line.

use crate::support::Story;
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{Winsize, tcsetwinsize};
use std::ffi::OsStr;
use std::fs::File;
use std::io::{Read as _, Write as _};
use std::os::unix::ffi::OsStrExt as _;
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};

#[test]
fn a_storm_of_resizing_leaves_the_page_whole() {
    let story = Story::new("storm");
    story.open_demo();
    // From smaller than any page fits in to larger than most screens, while the views go by.
    let mut state = 7u32;
    let mut next = |below: u32| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) % below
    };
    for round in 0..120 {
        let (width, height) = (20 + next(220), 5 + next(60));
        story.tmux(&["resize-window", "-x", &width.to_string(), "-y", &height.to_string()]);
        if round % 3 == 0 {
            story.tmux(&["send-keys", &(1 + next(9)).to_string(), "Down"]);
        }
    }
    story.tmux(&["resize-window", "-x", "160", "-y", "47"]);
    story.wait_until("there is room for the page", |s| s.contains("? help"));
    story.keys(&["Escape", "1"]);
    let screen = story.wait_until("the Stage is there, whole", |s| s.contains("1 cell =") && s.contains("? help") && s.contains("short-term"));
    assert!(!screen.contains("left with"), "{screen}");
}

/// The level of the bus main in a project's mix, in dB.
fn level_of_main(folder: &Path) -> f32 {
    let text = std::fs::read_to_string(folder.join("mix.toml")).unwrap();
    let level = text.lines().skip_while(|l| !l.contains("main")).find_map(|l| l.strip_prefix("level = \"")).unwrap();
    level.trim_end_matches("dB\"").trim().parse().unwrap()
}

#[test]
fn over_a_slow_line_pictures_are_left_out_and_keys_are_not() {
    let home = tempfile::tempdir().unwrap();
    let folder = home.path().join("far-away");
    let program = env!("CARGO_BIN_EXE_estampie");
    assert!(Command::new(program).args(["new", folder.to_str().unwrap()]).output().unwrap().status.success());
    let near = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY).unwrap();
    grantpt(&near).unwrap();
    unlockpt(&near).unwrap();
    let name = ptsname(&near, Vec::new()).unwrap();
    tcsetwinsize(&near, Winsize { ws_row: 47, ws_col: 160, ws_xpixel: 0, ws_ypixel: 0 }).unwrap();
    let far = File::options().read(true).write(true).open(OsStr::from_bytes(name.to_bytes())).unwrap();
    let end = || Stdio::from(far.try_clone().unwrap());
    // In a session of its own, so that this terminal is its terminal.
    let mut workshop = Command::new("setsid")
        .args(["--ctty", "--wait", program, folder.to_str().unwrap(), "--device", "none"])
        .envs(["XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"].map(|variable| (variable, home.path())))
        .env("COLORTERM", "truecolor")
        .stdin(end())
        .stdout(end())
        .stderr(end())
        .spawn()
        .unwrap();
    drop(far);
    // 20 kB a second come through: a first picture takes more than one.
    let (mut near, mut keys) = (File::from(near.try_clone().unwrap()), File::from(near));
    let (came, over) = (Arc::new(AtomicUsize::new(0)), Arc::new(AtomicBool::new(false)));
    let (counted, ended) = (Arc::clone(&came), Arc::clone(&over));
    let line = std::thread::spawn(move || {
        let mut bytes = [0; 512];
        while let Ok(count @ 1..) = near.read(&mut bytes) {
            counted.fetch_add(count, Ordering::Relaxed);
            if !ended.load(Ordering::Relaxed) {
                std::thread::sleep(Duration::from_millis(25));
            }
        }
    });
    let begun = Instant::now();
    let wait = |what: &str, holds: &mut dyn FnMut() -> bool| {
        while !holds() {
            assert!(begun.elapsed() < Duration::from_secs(120), "waited in vain until {what}; {} bytes came", came.load(Ordering::Relaxed));
            std::thread::sleep(Duration::from_millis(20));
        }
    };
    wait("a picture comes", &mut || came.load(Ordering::Relaxed) > 2_000);
    // The view Mix, and forty steps down of half a decibel each; further on to the next page and back, twenty times; and it is saved.
    assert_eq!(level_of_main(&folder), 0.0);
    keys.write_all(b"5").unwrap();
    for _ in 0..40 {
        keys.write_all(b"\x1b[D").unwrap();
        std::thread::sleep(Duration::from_millis(10));
    }
    for _ in 0..20 {
        keys.write_all(b"25").unwrap();
    }
    keys.write_all(b"\x13").unwrap();
    wait("it is saved", &mut || level_of_main(&folder) != 0.0);
    assert_eq!(level_of_main(&folder), -20.0, "no key is lost");
    let seconds = begun.elapsed().as_secs_f64();
    keys.write_all(b"q").unwrap();
    // The rest comes quickly.
    over.store(true, Ordering::Relaxed);
    wait("it ends", &mut || workshop.try_wait().unwrap().is_some());
    assert!(workshop.wait().unwrap().success());
    drop(keys);
    line.join().unwrap();
    // It tells in its log how many pictures it drew: at thirty in a second there would have been far more.
    let drawn = std::fs::read_dir(home.path().join("estampie")).unwrap().flatten().find_map(|file| {
        let text = std::fs::read_to_string(file.path()).ok()?;
        text.rsplit("frames=").next().filter(|_| text.contains("frames="))?.split_whitespace().next()?.parse::<f64>().ok()
    });
    let drawn = drawn.expect("the log says how many pictures were drawn");
    assert!(drawn >= 1.0 && drawn < seconds * 20.0, "{drawn} pictures in {seconds:.1} s");
}
