//! Stories of a running game that plays the workshop.

use crate::support::Story;
use estampie_link::Said;
use estampie_link::stand_in::Sender;
use std::net::UdpSocket;
use std::process::{Command, Stdio};
use std::time::Duration;

/// A port that is free.
fn free_port() -> u16 {
    UdpSocket::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port()
}

/// A game's end of the link to a port.
fn game_at(port: u16) -> Sender {
    Sender::to(([127, 0, 0, 1], port).into()).unwrap()
}

/// Something happens.
fn event(name: &str) -> Said {
    Said::Event { name: name.into(), emitter: None }
}

#[test]
fn a_running_game_plays_and_what_it_misspells_is_fixed_by_one_key() {
    let story = Story::new("game");
    let port = free_port();
    story.open(&format!("demo --device none --listen {port}"));
    story.loaded(|s| s.contains(&format!("game ○ on {port}")));
    let game = game_at(port);
    let send = |name: &str| game.tell(&[event(name)]).unwrap();
    game.hello("Brinewick Salvage").unwrap();
    send("sonar.ping");
    story.heard("sonar/ping");
    // A misspelt event is said at once, and is ours by one key.
    story.keys(&["I"]);
    send("sonar.png");
    story.wait_until("it does not fit", |s| s.contains("unknown event sonar.png ×1") && s.contains("▶ sonar.png is sonar.ping"));
    story.keys(&["Enter"]);
    story.wait_for("sonar.png is sonar.ping; u undoes it");
    story.wait_until("nothing is left that does not fit", |s| !s.contains("Does not fit") && s.contains("◆ 1 unsaved"));
    send("sonar.png");
    story
        .wait_until("it has come as ours", |s| s.lines().any(|l| l.contains("sonar.ping") && l.contains("¶").eq(&false) && l.contains("sonar.png").eq(&false)));
    story.keys(&["Escape"]);
    story.heard("sonar/ping");
    // What the game sends is recorded like what hands do.
    story.keys(&["R"]);
    story.wait_for("● recording");
    send("hull.struck");
    story.heard("hull/struck");
    story.keys(&["R"]);
    story.wait_for("recorded as take-1");
    story.keys(&["C-s"]);
    story.wait_for("● saved");
    let text = std::fs::read_to_string(story.copy().join("playthroughs/take-1.play")).unwrap();
    assert!(text.lines().any(|l| l.ends_with("send hull.struck")), "{text}");
    let game_file = std::fs::read_to_string(story.copy().join("game.toml")).unwrap();
    assert!(game_file.contains("\"sonar.png\" = \"sonar.ping\""), "{game_file}");
    // A game that falls silent is said to be.
    story.wait_until("it is silent", |s| s.contains("game ○ silent"));
}

/// Whether a program is here; ./test installs what it can.
fn there_is(program: &str, argument: &str) -> bool {
    Command::new(program).arg(argument).stdout(Stdio::null()).stderr(Stdio::null()).status().is_ok()
}

/// Python with the package that sends, if there is one.
fn python() -> Option<Command> {
    let own = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target/python");
    let mut python = Command::new("python3");
    python.env("PYTHONPATH", own);
    let known = Command::new("python3").env("PYTHONPATH", python.get_envs().next()?.1?).args(["-c", "import pythonosc"]).stderr(Stdio::null()).status();
    known.is_ok_and(|s| s.success()).then_some(python)
}

#[test]
fn clients_of_others_are_understood_without_a_screen() {
    let folder = tempfile::tempdir().unwrap();
    let kept = folder.path().join("kept.play");
    let port = free_port();
    let log = folder.path().join("said");
    let out = std::fs::File::create(&log).unwrap();
    let mut listening = Command::new(env!("CARGO_BIN_EXE_estampie"))
        .args(["listen", Story::demo().to_str().unwrap(), &port.to_string(), "--device", "none", "--record", kept.to_str().unwrap()])
        .env("XDG_CACHE_HOME", env!("CARGO_TARGET_TMPDIR"))
        .stdout(out.try_clone().unwrap())
        .stderr(out)
        .spawn()
        .unwrap();
    let said = || std::fs::read_to_string(&log).unwrap();
    let until = |words: &str| {
        let begun = std::time::Instant::now();
        while !said().contains(words) {
            assert!(begun.elapsed() < Duration::from_secs(300), "{words} is not said:\n{}", said());
            std::thread::sleep(Duration::from_millis(30));
        }
    };
    until(&format!("listening on 127.0.0.1:{port}"));
    if there_is("oscsend", "--help") {
        let oscsend = |arguments: &[&str]| assert!(Command::new("oscsend").args(arguments).status().unwrap().success());
        oscsend(&["127.0.0.1", &port.to_string(), "/estampie/event", "ss", "hull.struck", "bell"]);
        until("hull.struck on bell");
        oscsend(&[&format!("osc.tcp://127.0.0.1:{port}"), "/estampie/parameter", "sd", "depth", "41.5"]);
        until("depth is 41.5");
        oscsend(&["127.0.0.1", &port.to_string(), "/estampie/event", "i", "7"]);
    } else {
        eprintln!("oscsend (Debian: liblo-tools) is not here: that part is left out");
    }
    if let Some(mut python) = python() {
        let script = format!(
            "from pythonosc.udp_client import SimpleUDPClient\nc = SimpleUDPClient('127.0.0.1', {port})\nc.send_message('/estampie/state', ['place', 'nave'])\nc.send_message('/estampie/emitter', [12, 'eel', 1.0, [2.0, -3.0]])\nc.send_message('/estampie/parameter', ['hatch', True])\n"
        );
        assert!(python.args(["-c", &script]).status().unwrap().success());
        until("place quay ⟶ nave");
        until("hatch is 1");
    } else {
        eprintln!("python-osc is not here: that part is left out");
    }
    // One that is always here.
    game_at(port).tell(&[event("sonar.png")]).unwrap();
    until("unknown event sonar.png");
    assert!(Command::new("kill").args(["-INT", &listening.id().to_string()]).status().unwrap().success());
    assert!(listening.wait().unwrap().success(), "{}", said());
    let (text, kept) = (said(), std::fs::read_to_string(kept).unwrap());
    assert!(kept.starts_with("seed 1\n") && kept.trim_end().ends_with("end"), "{kept}");
    assert!(text.contains("messages in"), "{text}");
    if there_is("oscsend", "--help") {
        assert!(text.contains("the name must be a text, and a whole number was sent ×1"), "{text}");
        assert!(kept.contains("send hull.struck on bell") && kept.contains("depth 41.5"), "{kept}");
    }
    assert!(python().is_none() || kept.contains("emitter id-12 a eel at 1, 2, -3"), "{kept}");
}

#[test]
fn a_port_in_use_and_an_open_address_are_refused_with_the_fix() {
    let taken = UdpSocket::bind("127.0.0.1:0").unwrap();
    let port = taken.local_addr().unwrap().port().to_string();
    let demo = Story::demo();
    let listen = |address: &str| {
        let out = Command::new(env!("CARGO_BIN_EXE_estampie")).args(["listen", demo.to_str().unwrap(), address, "--device", "none"]).output().unwrap();
        (out.status.code(), String::from_utf8_lossy(&out.stderr).into_owned())
    };
    let (code, text) = listen(&port);
    assert!(code == Some(1) && text.contains("cannot be listened on by UDP") && text.contains("choose another port"), "{text}");
    let (code, text) = listen("0.0.0.0:9");
    assert!(code == Some(2) && text.contains("--allow ADDRESS"), "{text}");
    let (code, text) = listen("nowhere");
    assert!(code == Some(2) && text.contains("write a port, an address, or both"), "{text}");
}

/// What a step of the stand-in tells is known to the demo, with its values and ranges.
#[test]
fn all_that_the_stand_in_tells_fits_the_demo() {
    use estampie_link::stand_in::{Dive, Pilot};
    use estampie_project::document::{ValueOf, Workspace};
    let workspace = Workspace::open(&Story::demo()).unwrap();
    let document = workspace.document();
    let fits = |said: &Said| match said {
        Said::Event { name, .. } => document.events.iter().any(|e| e.name == *name),
        Said::Parameter { name, value, emitter } => {
            let found = document.parameters.iter().find(|p| p.name == *name);
            found.is_some_and(|p| p.source == ValueOf::Game && (p.low..=p.high).contains(value) && p.of_each == emitter.is_some())
        }
        Said::State { name, value, emitter } => {
            let found = document.states.iter().find(|s| s.name == *name);
            let known =
                |value: &String| found.is_some_and(|s| s.values.iter().any(|v| v.value == *value) || s.dictionary.iter().any(|(theirs, _)| theirs == value));
            emitter.is_none() && known(value)
        }
        Said::Emitter { id, .. } | Said::Remove { id } => document.emitters.iter().any(|e| e.name == *id),
        Said::Listener { .. } | Said::Hello { .. } => true,
    };
    for seed in 1..4 {
        let (mut dive, mut pilot) = (Dive::new(seed), Pilot::new(seed));
        for _ in 0..30 * 60 * 20 {
            let (wants, hands) = pilot.play(&dive, 1.0 / 30.0);
            hands.into_iter().for_each(|hand| dive.act(hand, |said| assert!(fits(&said), "{said:?}")));
            dive.step(1.0 / 30.0, wants, |said| assert!(fits(&said), "{said:?}"));
        }
    }
}

#[test]
fn the_stand_in_plays_by_itself_and_the_stage_follows() {
    let story = Story::new("stand-in");
    let port = free_port();
    story.open(&format!("demo --device none --listen {port}"));
    story.loaded(|s| s.contains(&format!("game ○ on {port}")));
    let game = |arguments: &[&str]| {
        Command::new(env!("CARGO_BIN_EXE_estampie")).args(["game", "--to", &port.to_string()]).args(arguments).stdout(Stdio::piped()).spawn().unwrap()
    };
    let plays = game(&["--auto", "7", "--no-screen", "--seconds", "25"]);
    story.keys(&["I"]);
    story.wait_until("it plays, and all fits", |s| {
        s.contains("Brinewick Salvage (stand-in)")
            && s.contains("event       step")
            && s.contains("parameter   depth")
            && s.contains("emitter     eel")
            && !s.contains("Does not fit")
    });
    story.keys(&["M"]);
    story.heard("step/boot");
    let ended = plays.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&ended.stdout);
    assert!(ended.status.success() && said.contains("info: estampie") && said.contains("messages in"), "greeted: {said}");
    // With a game's usual mistakes there is something to say.
    let mut clumsy = game(&["--auto", "7", "--no-screen", "--clumsy"]);
    story.keys(&["I"]);
    story.wait_until("mistakes are told", |s| s.contains("Does not fit") || s.contains("Not understood"));
    let _ = clumsy.kill();
    let _ = clumsy.wait();
}

#[test]
fn the_stand_in_is_played_by_keys_and_ends_with_its_terminal() {
    let story = Story::new("stand-in-keys");
    let listening = UdpSocket::bind("127.0.0.1:0").unwrap();
    listening.set_read_timeout(Some(Duration::from_millis(200))).unwrap();
    let command = format!("exec '{}' game --to {}", env!("CARGO_BIN_EXE_estampie"), listening.local_addr().unwrap().port());
    assert!(story.tmux(&["new-session", "-d", "-x", "110", "-y", "40", &command]).status.success());
    story.wait_until("the map is there", |s| s.contains("QUAY") && s.contains("you play") && s.contains("depth"));
    let pid = String::from_utf8_lossy(&story.tmux(&["list-panes", "-F", "#{pane_pid}"]).stdout).trim().to_owned();
    story.keys(&["l"]);
    story.wait_for("out");
    // What hands do is told: the lamp, steps.
    let mut told = Vec::new();
    let begun = std::time::Instant::now();
    let has = |told: &[u8], name: &str| told.windows(name.len()).any(|w| w == name.as_bytes());
    while !(has(&told, "lamp.out") && has(&told, "step") && has(&told, "/estampie/hello")) {
        assert!(begun.elapsed() < Duration::from_secs(60), "lamp, steps and a hello are not told");
        story.keys(&["Right"]);
        let mut packet = [0; 4096];
        while let Ok(length) = listening.recv(&mut packet) {
            told.extend_from_slice(&packet[..length]);
            if told.len() > 1 << 20 || begun.elapsed() > Duration::from_secs(60) || has(&told, "step") {
                break;
            }
        }
    }
    story.tmux(&["kill-server"]);
    let begun = std::time::Instant::now();
    while std::path::Path::new(&format!("/proc/{pid}")).exists() && cfg!(target_os = "linux") {
        assert!(begun.elapsed() < Duration::from_secs(20), "it goes on without a terminal");
        std::thread::sleep(Duration::from_millis(50));
    }
}

/// The root mean square of seconds of a recording, in dB below full scale.
fn level(samples: &[f32], from: f64, to: f64) -> f64 {
    let part = &samples[(from * 96_000.0) as usize..(to * 96_000.0) as usize];
    10.0 * (part.iter().map(|s| f64::from(*s).powi(2)).sum::<f64>() / part.len() as f64).log10()
}

#[test]
fn an_edit_is_heard_in_the_game_that_plays_its_bundle() {
    let story = Story::new("joined");
    let (bundle, heard) = (story.home.path().join("game.bundle"), story.home.path().join("heard.wav"));
    let estampie = || Command::new(env!("CARGO_BIN_EXE_estampie"));
    let demo = Story::demo();
    let wrote = estampie().args(["bundle", demo.to_str().unwrap(), "-o", bundle.to_str().unwrap(), "--unchecked"]).output().unwrap();
    assert!(wrote.status.success(), "{}", String::from_utf8_lossy(&wrote.stderr));
    let port = free_port();
    let mut game = estampie()
        .args(["game", "--auto", "3", "--no-screen", "--device", "none", "--live", &port.to_string()])
        .args(["--bundle", bundle.to_str().unwrap(), "--record", heard.to_str().unwrap()])
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    story.open(&format!("demo --device none --join {port}"));
    story.wait_until_it_stays("it is in the game", |s| s.contains("game ● up to date") && s.contains("▶ in the game") && !s.contains("loading audio"));
    // What the game does is on the page.
    story.wait_until("it follows the game", |s| s.contains("step on pilot") || s.contains("step/boot"));
    let clock = |screen: &str| -> f64 {
        let text = screen.lines().next().unwrap().split_whitespace().last().unwrap();
        let (minutes, seconds) = text.split_once(':').unwrap();
        minutes.parse::<f64>().unwrap() * 60.0 + seconds.parse::<f64>().unwrap()
    };
    story.wait_until("two seconds have been heard", |s| clock(s) > 3.0);
    story.keys(&["5", "e"]);
    story.wait_for("level of bus main");
    let before = clock(&story.screen());
    story.type_text("-60");
    story.keys(&["Enter"]);
    let screen = story.wait_until("the game has the edit", |s| s.contains("◆ 1 unsaved") && s.contains("game ● up to date"));
    let after = clock(&screen);
    story.wait_until("two more have been heard", |s| clock(s) > after + 3.0);
    // The workshop leaves: the game goes on with what it has.
    story.keys(&["1", "J"]);
    story.wait_until("back here", |s| s.contains("▶ live") && !s.contains("game ●"));
    assert!(Command::new("kill").args(["-INT", &game.id().to_string()]).status().unwrap().success());
    assert!(game.wait().unwrap().success());
    let samples: Vec<f32> = hound::WavReader::open(&heard).unwrap().into_samples::<f32>().map(Result::unwrap).collect();
    let (loud, quiet) = (level(&samples, 1.0, before - 0.1), level(&samples, after + 1.0, after + 3.0));
    assert!(loud > -50.0 && quiet < loud - 40.0, "{loud:.1} dB before, {quiet:.1} dB after");
    let end = samples.len() as f64 / 96_000.0;
    assert!(level(&samples, end - 0.5, end) < loud - 40.0, "and so it stays");
}
