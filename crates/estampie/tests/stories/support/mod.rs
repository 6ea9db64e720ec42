//! The harness of stories: a workshop in a terminal of its own, driven and read through tmux.
#![allow(dead_code, unreachable_pub, missing_docs)]

use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::time::{Duration, Instant};

/// A workshop in tmux, on a socket and with a home of its own.
pub struct Story {
    socket: String,
    pub home: tempfile::TempDir,
}

impl Story {
    pub fn new(name: &str) -> Story {
        Story { socket: format!("estampie-{name}-{}", std::process::id()), home: tempfile::tempdir().unwrap() }
    }

    pub fn tmux(&self, arguments: &[&str]) -> Output {
        Command::new("tmux").args(["-L", &self.socket, "-f", "/dev/null"]).args(arguments).output().expect("tmux is installed: ./test does that")
    }

    pub fn demo() -> PathBuf {
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick")
    }

    pub fn copy(&self) -> PathBuf {
        self.home.path().join("estampie/brinewick")
    }

    /// Opens the workshop with the given arguments in a window of 160 × 47.
    pub fn open(&self, arguments: &str) {
        let home = self.home.path().display();
        let demo = Self::demo();
        let command = format!(
            "env XDG_DATA_HOME='{home}' XDG_CONFIG_HOME='{home}/config' XDG_STATE_HOME='{home}' XDG_CACHE_HOME='{}' ESTAMPIE_DEMO='{}' ESTAMPIE_FAIL=1 COLORTERM=truecolor '{}' {arguments} --patient; printf '\\r\\nleft with %s\\n' $?; sleep 60",
            // What one story measured of the demo's audio the next need not measure again.
            env!("CARGO_TARGET_TMPDIR"),
            demo.display(),
            env!("CARGO_BIN_EXE_estampie")
        );
        // A server that was just ended may still be leaving its socket.
        for attempt in 0.. {
            let started = self.tmux(&["new-session", "-d", "-x", "160", "-y", "47", &command]);
            if started.status.success() {
                return;
            }
            assert!(attempt < 30, "{}", String::from_utf8_lossy(&started.stderr));
            std::thread::sleep(Duration::from_millis(100));
        }
    }

    pub fn open_demo(&self) {
        self.open("demo --device none");
        let screen = self.loaded(|s| s.contains("short-term") && s.contains("? help") && !s.contains("00:00.000"));
        // The clock went before all of it was there, but not before what sounds by itself.
        assert!(!screen.contains("still being loaded"), "{screen}");
    }

    /// Waits until the Stage is there with all audio, and something more holds.
    pub fn loaded(&self, more: impl Fn(&str) -> bool) -> String {
        self.wait_until_it_stays("the audio is loaded", |s| s.contains("1 cell =") && !s.contains("loading audio") && more(s))
    }

    /// For what is told by something missing: a screen that is read while it is being written may lack anything, so it counts when it holds three times.
    pub fn wait_until_it_stays(&self, what: &str, holds: impl Fn(&str) -> bool) -> String {
        let mut times = 0;
        self.wait_until(what, |s| {
            times = if holds(s) { times + 1 } else { 0 };
            times == 3
        })
    }

    pub fn screen(&self) -> String {
        String::from_utf8_lossy(&self.tmux(&["capture-pane", "-p"]).stdout).into_owned()
    }

    pub fn keys(&self, keys: &[&str]) {
        for key in keys {
            // To tmux a lone semicolon ends a command.
            self.tmux(&["send-keys", if *key == ";" { "\\;" } else { key }]);
            std::thread::sleep(Duration::from_millis(15));
        }
    }

    pub fn type_text(&self, text: &str) {
        self.tmux(&["send-keys", "-l", "--", text]);
    }

    pub fn wait_until(&self, what: &str, mut holds: impl FnMut(&str) -> bool) -> String {
        let begun = Instant::now();
        loop {
            let screen = self.screen();
            if holds(&screen) {
                return screen;
            }
            if begun.elapsed() > Duration::from_secs(240) {
                // What has happened meanwhile tells why: how it began, and what was refused.
                self.keys(&["Escape", "6", "End"]);
                std::thread::sleep(Duration::from_secs(1));
                let begun = self.screen();
                self.keys(&["x"]);
                std::thread::sleep(Duration::from_secs(1));
                panic!("waited in vain until {what}:\n{screen}\n{begun}\n{}", self.screen());
            }
            std::thread::sleep(Duration::from_millis(40));
        }
    }

    /// Waits until it is told that something plays, and goes back to the Stage. On the Stage itself the line would soon have gone by; in the
    /// Trace it stays.
    pub fn heard(&self, what: &str) {
        self.keys(&["6"]);
        self.wait_for(&format!("plays {what}"));
        self.keys(&["1"]);
        self.wait_for("1 cell =");
    }

    pub fn wait_for(&self, text: &str) -> String {
        let screen = self.wait_until(text, |s| s.contains(text));
        // It may have been read while it was being written: a moment later the rest of the page is there too.
        std::thread::sleep(Duration::from_millis(30));
        let whole = self.screen();
        if whole.contains(text) { whole } else { screen }
    }
}

impl Drop for Story {
    fn drop(&mut self) {
        self.tmux(&["kill-server"]);
    }
}

/// The first line that contains all the words.
pub fn line<'a>(screen: &'a str, words: &[&str]) -> Option<&'a str> {
    screen.lines().find(|l| words.iter().all(|w| l.contains(w)))
}

/// The first number after `word` in a line, `−` being a minus.
pub fn number_before(line: &str, word: &str) -> Option<f32> {
    let head = &line[..line.find(word)?];
    head.split_whitespace().rev().find_map(|w| w.replace('−', "-").parse().ok())
}

/// Runs the program to its end.
pub fn run(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_estampie")).args(arguments).output().unwrap()
}

/// All that it said, in both ways.
pub fn out(output: &Output) -> String {
    format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr))
}
