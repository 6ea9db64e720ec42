//! Exploring: made-up play is the same for a seed, shards come to what one run does, what is made small still shows its problem, and planted problems
//! are found, each of them, and little else.

use crate::support::{assets, read_and_compile};
use estampie_engine::program::Program;
use estampie_project::document::{Document, Sources};
use estampie_project::language::{StepAction, playthrough};
use estampie_proof::explore::{self, Ending, Explored, Looking, Plan, SETTLE, draw, each_once, minimise_all, signature};
use proptest::prelude::*;
use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::sync::Arc;

/// A project by its parts.
#[derive(Default)]
struct Parts {
    game: String,
    sounds: String,
    mix: String,
    music: String,
    world: String,
    reactions: String,
    checks: String,
    explore: String,
}

impl Parts {
    fn compile(&self) -> (Arc<Program>, Document) {
        let files = [
            ("game.toml", self.game.as_str()),
            ("sounds/all.toml", &self.sounds),
            ("mix.toml", &self.mix),
            ("music/all.toml", &self.music),
            ("world.toml", &self.world),
            ("reactions.est", &self.reactions),
            ("checks.est", &self.checks),
            ("explore.toml", &self.explore),
        ];
        let (program, document, faults) = read_and_compile(&files);
        assert_eq!(faults, Vec::<String>::new());
        (program, document)
    }
}

/// Something of each kind, in which nothing is wrong.
fn well() -> Parts {
    Parts {
        game: "[events]\nhit = \"a\"\nbegin = \"b\"\nend = \"c\"\nlift = \"d\"\n[emitters]\nbell = \"\"\n[parameters.strain]\nrange = \"0..1\"\n[parameters.pace]\nrange = \"0..1\"\n[states.deck]\nvalues = [\"plank\", \"grate\"]\n".into(),
        sounds: "[hit]\nlevel = \"-6 dB\"\ntakes = [\"audio/stroke.wav\", \"audio/late.wav\"]\nlimit = { in-all = 3 }\n[run]\nlevel = \"-14 dB\"\nchain = [\"audio/low.wav, loop\"]\nlimit = { in-all = 1, when-full = \"refuse\" }\nre-trigger = \"ignore\"\nfade-in = \"20 ms\"\n[bed]\nlevel = \"-20 dB\"\nchain = [\"audio/low.wav, loop\"]\nfade-in = \"50 ms\"\n[step]\nlevel = \"-10 dB\"\ntakes.plank = [\"audio/stroke.wav\"]\ntakes.grate = [\"audio/late.wav\"]\npick = \"by deck\"\nlimit = { in-all = 2 }\n".into(),
        mix: "[buses.x]\n[snapshots.low]\nrise = \"0.2 s\"\n[snapshots.low.hold]\n\"bus x level\" = \"by -6 dB\"\n".into(),
        music: "[piece.p]\nlevel = \"-20 dB\"\ntempo = \"120\"\nfollows = { deck = { plank = \"a\", grate = \"b\" } }\n[piece.p.section.a]\nbars = 2\n[piece.p.section.a.layer.l]\nfile = \"audio/low.wav\"\n[piece.p.section.b]\nbars = 2\n[piece.p.section.b.layer.l]\nfile = \"audio/low.wav\"\n[[piece.p.transition]]\nfrom = \"any\"\nto = \"any\"\nleave = \"next bar\"\nfade-out = \"1 beat\"\nfade-in = \"1 beat\"\n".into(),
        world: "[zones.yard]\nat = \"0, 0\"\nradius = \"8 m\"\nambience = \"bed\"\n[zones.hall]\nat = \"0, 20\"\nradius = \"6 m\"\n".into(),
        reactions: "When hit and strain over 0.5\n  play hit\n\nWhen hit otherwise\n  play step\n\nWhen begin\n  play run\n\nWhen end\n  stop run over 0.2 s\n\nWhen lift\n  raise snapshot low for 2 s\n\nWhen pace rises over 0.7\n  play step\n\nWhen entering hall\n  play hit\n".into(),
        checks: "always expect no silence over 20 s\n".into(),
        explore: "length = \"40 s\"\n".into(),
    }
}

fn run(program: &Arc<Program>, document: &Document, plan: &Plan, seed: u64, numbers: &[u64]) -> Explored {
    explore::explore(&Looking::new(program, document, plan), seed, numbers, usize::MAX, |_| true)
}

fn told(program: &Program, document: &Document, plan: &Plan, explored: &Explored) -> BTreeSet<String> {
    explored.shown.keys().cloned().chain(explored.together(program, document, plan).iter().map(explore::Find::signature)).collect()
}

#[test]
fn a_project_in_which_nothing_is_wrong_has_no_problems_and_all_of_it_is_heard() {
    let (program, document) = well().compile();
    let plan = Plan::of(&document, &program);
    let explored = run(&program, &document, &plan, 1, &(0..30).collect::<Vec<_>>());
    assert_eq!(told(&program, &document, &plan, &explored), BTreeSet::new());
    for (word, _) in &explored.coverage.kinds {
        assert_eq!(explored.coverage.never(word).1, Vec::<&str>::new(), "{word}");
    }
}

#[test]
fn play_is_the_same_for_a_seed_ends_as_it_began_and_keeps_to_its_plan() {
    let mut parts = well();
    parts.explore = "length = \"30 s\"\n[[event]]\nevent = \"hit\"\nevery = \"1..3 s\"\non = [\"bell\"]\n[[event]]\nevent = \"end\"\nafter = \"begin\"\nwithin = \"1..2 s\"\n[[event]]\nevent = \"lift\"\nnever = true\n[[parameter]]\nparameter = \"strain\"\nrange = \"0.2..0.8\"\nspeed = \"0.1..0.4\"\njumps = \"0 %\"\n[[parameter]]\nparameter = \"pace\"\nwith = \"strain\"\n[[emitter]]\nemitter = \"gull\"\nkind = \"bell\"\nwithin = \"2..10 m\"\n".into();
    let (program, document) = parts.compile();
    let plan = Plan::of(&document, &program);
    let free = Plan { goals: Vec::new(), ..plan.clone() };
    let mut differ = BTreeSet::new();
    for number in 0..12 {
        let play = draw(&plan, 7, number);
        assert_eq!(play, draw(&plan, 7, number));
        differ.insert(play.with_end(&plan, Ending::Settled).to_string());
        let text = draw(&free, 7, number).with_end(&plan, Ending::Settled).to_string();
        let (read, faults) = playthrough::parse("", &text);
        assert_eq!(faults, vec![], "{text}");
        let steps = read.steps();
        let done: Vec<&StepAction> = steps.iter().map(|(s, _)| &s.action).collect();
        assert!(!text.contains("send lift") && text.contains("walk listener to"), "{text}");
        let hits = done.iter().filter(|a| matches!(a, StepAction::Send(e, on) if e.text == "hit" && on.as_ref().is_some_and(|o| o.text == "bell"))).count();
        assert!((3..60).contains(&hits), "{hits}\n{text}");
        // An event that follows another comes after each of it, besides the end.
        let count = |name: &str| text.lines().filter(|l| l.contains(&format!("send {name}"))).count();
        assert!(count("end") <= count("begin") + 1, "{text}");
        // The parameter that goes with another is where that one is.
        let to = |name: &str| done.iter().filter(|a| matches!(a, StepAction::Glide { parameter, .. } if parameter.text == name)).count();
        assert_eq!(to("pace"), to("strain"), "{text}");
        for action in &done {
            if let StepAction::Glide { parameter, to, .. } = action
                && parameter.text == "strain"
            {
                assert!((0.2..=0.8).contains(to), "{to}");
            }
        }
        // At the end everything is as it was, and it is waited.
        let end = read.length().0;
        let last = steps.iter().filter(|(s, _)| s.action != StepAction::End).map(|(s, _)| s.at.0).fold(0.0, f64::max);
        assert!((end - last - SETTLE).abs() < 0.002, "{end} {last}");
        let back = text.lines().filter(|l| l.ends_with("strain 0")).count();
        assert!(
            (back >= 1 || !text.contains("strain to")) && (!text.contains("deck is grate") || text.contains("deck is plank")) && text.contains("remove gull"),
            "{text}"
        );
    }
    assert_eq!(differ.len(), 12);
}

#[test]
fn the_manual_lists_every_kind_of_problem() {
    let manual = include_str!("../../../../docs/explore.md");
    for (kind, says) in explore::kinds() {
        assert!(manual.contains(&format!("| `{kind}` | {says} |")), "{kind}: {says}");
    }
}

#[test]
fn a_guess_is_written_as_it_is_read() {
    let (program, document) = well().compile();
    let plan = Plan::of(&document, &program);
    let mut parts = well();
    parts.explore = plan.to_toml();
    let (program, document) = parts.compile();
    assert_eq!(Plan::of(&document, &program).to_toml(), plan.to_toml());
}

/// The same with some things wrong.
fn wrong() -> Parts {
    let mut parts = well();
    parts.game = parts.game.replace("[emitters]", "stay = \"e\"\ntwin = \"f\"\n[emitters]");
    parts.sounds += "[stay]\nlevel = \"-20 dB\"\nchain = [\"audio/low.wav, loop\"]\nfade-in = \"20 ms\"\nre-trigger = \"ignore\"\nlimit = { in-all = 1 }\n[twin]\nlevel = \"-20 dB\"\ntakes = [\"audio/stroke.wav\"]\n";
    parts.reactions += "\nWhen stay and strain over 0.3\n  play stay\n\nWhen twin\n  play twin\n\nWhen twin and deck is grate\n  play twin\n";
    parts
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(2))]
    #[test]
    fn shards_come_to_what_one_run_does(seed in 1u64..1000, of in 2u64..5) {
        let (program, document) = wrong().compile();
        let plan = Plan::of(&document, &program);
        let whole: Vec<u64> = explore::numbers(&plan, 6.0, (1, 1));
        let one = run(&program, &document, &plan, seed, &whole);
        let mut merged: Option<Explored> = None;
        for shard in (1..=of).rev() {
            let own = run(&program, &document, &plan, seed, &explore::numbers(&plan, 6.0, (shard, of)));
            // As another machine sends it.
            let text = serde_json::to_string(&own.to_json()).unwrap();
            let read = Explored::from_json(&program, &document, &serde_json::from_str(&text).unwrap()).unwrap();
            prop_assert_eq!(&read.shown, &own.shown);
            match &mut merged {
                None => merged = Some(read),
                Some(all) => all.merge(read).unwrap(),
            }
        }
        let merged = merged.unwrap();
        prop_assert_eq!(&merged.numbers, &one.numbers);
        prop_assert_eq!(&merged.shown, &one.shown);
        prop_assert_eq!(&merged.coverage, &one.coverage);
        prop_assert!((merged.seconds - one.seconds).abs() < 1e-6);
        let mut again = merged.clone();
        prop_assert!(again.merge(one.clone()).unwrap_err().contains("two of them have played play"));
    }

    #[test]
    fn what_is_made_small_still_shows_its_problem(seed in 1u64..1000) {
        let (program, document) = wrong().compile();
        let plan = Plan::of(&document, &program);
        let explored = run(&program, &document, &plan, seed, &(0..8).collect::<Vec<_>>());
        let shown: Vec<_> = explored.shown.values().map(|s| (s.number, s.find.clone())).collect();
        let names: Vec<String> = shown.iter().map(|(_, f)| f.signature()).collect();
        prop_assert_eq!(&names, &[signature("no end", "stay"), signature("twice", "twin")]);
        for (small, (number, find)) in minimise_all(&Looking::new(&program, &document, &plan), seed, &shown, usize::MAX, || true).into_iter().zip(&shown) {
            prop_assert!(small.is_some(), "{find:?}\n{}", draw(&plan, seed, *number).with_end(&plan, Ending::SettledFor(&find.about, 40.0)));
            let small = small.unwrap();
            let text = small.playthrough.to_string();
            prop_assert!(small.inputs <= 3, "{} inputs of {}\n{text}", small.inputs, draw(&plan, seed, *number).steps.len());
            prop_assert!(small.playthrough.length().0 < 45.0, "{text}");
            // As a designer has it: read from its file, as part of the project, it is known and still there.
            let (mut sources, mut parts) = (Sources::default(), wrong());
            parts.explore = plan.to_toml();
            for (file, content) in [("estampie.toml", "format = 1\nceiling = \"0 dB\"\n"), ("game.toml", &parts.game), ("sounds/all.toml", &parts.sounds), ("mix.toml", &parts.mix), ("music/all.toml", &parts.music), ("world.toml", &parts.world), ("reactions.est", &parts.reactions), ("explore.toml", &parts.explore), ("playthroughs/found/x.play", &text)] {
                sources.set(file, content);
            }
            let audio = ["stroke", "late", "low"].map(|n| format!("audio/{n}.wav")).into();
            let (read, faults) = Document::read(&sources, &audio);
            prop_assert!(faults.is_empty(), "{faults:?}");
            prop_assert_eq!(explore::known(&read).remove(&find.signature()), Some("found/x".to_owned()));
            let still = explore::still(&Looking::new(&program, &read, &plan));
            prop_assert!(still.len() == 1 && still[0].1.is_some(), "{text}");
            // With the cause gone it is gone.
            let mended = parts.reactions.replace("play stay\n", "play run\n").replace("When twin and deck is grate\n  play twin\n", "");
            sources.set("reactions.est", &mended);
            let (read, _) = Document::read(&sources, &audio);
            let (program, _) = estampie_project::compile::compile(&read, &assets());
            prop_assert_eq!(explore::still(&Looking::new(&Arc::new(program), &read, &plan)), [(find.signature(), None)]);
        }
    }
}

/// A project with many things wrong, and what they are.
fn planted() -> (Parts, BTreeSet<String>) {
    let mut parts = well();
    parts.game =
        "[emitters]\nbell = \"\"\n[parameters.strain]\nrange = \"0..1\"\n[parameters.pace]\nrange = \"0..1\"\n[states.deck]\nvalues = [\"plank\", \"grate\"]\n"
            .into();
    let mut events = vec!["hit".to_owned(), "begin".into(), "end".into(), "lift".into()];
    let mut wrong = BTreeSet::new();
    let mut add = |kind: &str, about: String| {
        wrong.insert(signature(kind, &about));
    };
    let (sounds, mix, music, reactions, game) = (&mut parts.sounds, &mut parts.mix, &mut parts.music, &mut parts.reactions, &mut parts.game);
    let loops =
        "chain = [\"audio/low.wav, loop\"]\nfade-in = \"20 ms\"\nlevel = \"-30 dB\"\nlimit = { in-all = 1, when-full = \"refuse\" }\nre-trigger = \"ignore\"\n";
    let stroke = "takes = [\"audio/stroke.wav\"]\nlevel = \"-30 dB\"\n";
    for n in 1..=4 {
        // A loop that nothing stops.
        events.push(format!("stuck{n}"));
        let _ = write!(sounds, "[stuck{n}]\n{loops}");
        let _ = write!(reactions, "\nWhen stuck{n} and strain over 0.{n}\n  play stuck{n}\n");
        add("no end", format!("stuck{n}"));
    }
    for n in 1..=3 {
        // A snapshot that is never lowered, a sound that nobody plays, a reaction that cannot be, a parameter for nothing.
        events.extend([format!("hold{n}"), format!("dead{n}")]);
        let _ = write!(mix, "[snapshots.held{n}]\n[snapshots.held{n}.hold]\n\"bus x level\" = \"by -1 dB\"\n");
        let _ = write!(reactions, "\nWhen hold{n}\n  raise snapshot held{n}\n");
        add("snapshot stays", format!("held{n}"));
        let _ = write!(sounds, "[lost{n}]\n{stroke}");
        add("never heard", format!("lost{n}"));
        let _ = write!(reactions, "\nWhen dead{n} and strain over 0.9 and strain under 0.{n}\n  play step\n");
        add("never acts", format!("When dead{n} and strain over 0.9 and strain under 0.{n}"));
        let _ = write!(game, "[parameters.idle{n}]\nrange = \"0..1\"\n");
        add("no effect", format!("idle{n}"));
        // One event, the same sound twice.
        events.push(format!("pair{n}"));
        let _ = write!(sounds, "[pair{n}]\n{stroke}");
        let _ = write!(reactions, "\nWhen pair{n}\n  play pair{n}\n\nWhen pair{n} and deck is grate\n  play pair{n}\n");
        add("twice", format!("pair{n}"));
    }
    for n in 1..=2usize {
        events.extend(["tune", "mute", "crowd", "flood", "loud", "ring", "echo", "two", "wood"].map(|name| format!("{name}{n}")));
        // Music that nothing ends.
        let section = |name: &str, bars: u32| {
            format!("[piece.tune{n}.section.{name}]\nbars = {bars}\n[piece.tune{n}.section.{name}.layer.l]\nfile = \"audio/low.wav\"\n")
        };
        let _ = write!(music, "[piece.tune{n}]\nlevel = \"-40 dB\"\n{}", section("a", 1));
        let _ = write!(reactions, "\nWhen tune{n}\n  go tune{n} to a at once\n");
        add("music goes on", format!("tune{n}"));
        // A section that nothing goes to, and an event that nothing hears.
        let _ = write!(music, "{}", section("lost", 1));
        add("never played", format!("tune{n}/lost"));
        add("no reaction", format!("mute{n}"));
        // So many of a sound that it steals from itself, and so many that are refused.
        let _ = write!(sounds, "[crowd{n}]\n{stroke}limit = {{ in-all = 1 }}\n[flood{n}]\n{stroke}limit = {{ in-all = 1, when-full = \"refuse\" }}\n");
        let _ = write!(reactions, "\nWhen crowd{n}\n{}", (0..16).map(|i| format!("  play crowd{n}, after {} ms\n", i * 40)).collect::<String>());
        let _ = write!(reactions, "\nWhen flood{n}\n{}", (0..20).map(|i| format!("  play flood{n}, after {} ms\n", i * 30)).collect::<String>());
        add("stolen", format!("crowd{n}"));
        add("refused", format!("flood{n}"));
        // Far too loud.
        let _ = writeln!(mix, "[buses.loud{n}]");
        let _ = write!(sounds, "[loud{n}]\nbus = \"loud{n}\"\ntakes = [\"audio/one.wav\"]\nlevel = \"24 dB\"\nfade-in = \"30 ms\"\nlimit = {{ in-all = 1 }}\n");
        let _ = write!(reactions, "\nWhen loud{n}\n  play loud{n}\n");
        add("ceiling", format!("loud{n}"));
        // A section so long that its end is waited for in vain.
        let _ = write!(music, "[piece.slow{n}]\nlevel = \"-40 dB\"\ntempo = \"20\"\nfollows = {{ deck = {{ plank = \"a\", grate = \"b\" }} }}\n");
        for name in ["a", "b"] {
            let _ = write!(music, "[piece.slow{n}.section.{name}]\nbars = 400\n[piece.slow{n}.section.{name}.layer.l]\nsound = \"hit\"\nlevel = \"-40 dB\"\n");
        }
        let _ = write!(
            music,
            "[[piece.slow{n}.transition]]\nfrom = \"a\"\nto = \"b\"\nleave = \"section end\"\n[[piece.slow{n}.transition]]\nfrom = \"b\"\nto = \"a\"\nleave = \"at once\"\n"
        );
        add("waits", format!("slow{n}"));
        // And so that section is never played.
        add("never played", format!("slow{n}/b"));
        // A stinger that comes far too late.
        let _ = write!(music, "[stinger.ring{n}]\nsound = \"hit\"\npiece = \"slow{n}\"\non = \"every 8 bars\"\n");
        let _ = write!(reactions, "\nWhen ring{n}\n  sting ring{n}\n");
        add("late stinger", format!("ring{n}"));
        // Two events that send each other.
        let _ = write!(reactions, "\nWhen echo{n}\n  send back{n}\n\nWhen back{n}\n  send echo{n}\n");
        events.push(format!("back{n}"));
        // A formula that divides by nothing.
        let _ = write!(game, "[formulas.odd{n}]\nis = \"{n} / strain\"\n");
        let _ = write!(reactions, "\nWhen odd{n} rises over {}\n  play {}\n", n + 2, ["step", "hit"][n - 1]);
        add("no number", format!("odd{n}"));
        // More than there may be.
        let _ = write!(sounds, "[two{n}]\n{stroke}");
        let _ = write!(reactions, "\nWhen two{n}\n  play two{n}\n  play two{n}, after 100 ms\n");
        let _ = writeln!(parts.checks, "always expect never more than 1 of two{n}");
        add("expected", format!("never more than 1 of two{n}"));
        // No take for one of the values.
        let _ = write!(sounds, "[wood{n}]\nlevel = \"-30 dB\"\ntakes.plank = [\"audio/stroke.wav\"]\npick = \"by deck\"\n");
        let _ = write!(reactions, "\nWhen wood{n}\n  play wood{n}\n");
        add("no take", format!("wood{n}"));
        // Cut into a tone without a rise.
        events.push(format!("snap{n}"));
        let _ = write!(sounds, "[snap{n}]\ntakes = [\"audio/one.wav, from 0.00{n}25 s\"]\n");
        let _ = write!(reactions, "\nWhen snap{n}\n  play snap{n}\n");
        add("click", format!("snap{n}"));
        // Never what it was asked for: no music plays.
        events.push(format!("mourn{n}"));
        let _ = write!(
            music,
            "[piece.none{n}]\n[piece.none{n}.section.a]\nbars = 1\n[piece.none{n}.section.a.layer.l]\nfile = \"audio/low.wav\"\n[stinger.mourn{n}]\nsound = \"hit\"\npiece = \"none{n}\"\n"
        );
        let _ = write!(reactions, "\nWhen mourn{n}\n  sting mourn{n}\n");
        add("always refused", format!("mourn{n}"));
        add("never played", format!("none{n}/a"));
    }
    // Two clocks that pull at one piece.
    let _ = write!(music, "[piece.torn]\nlevel = \"-40 dB\"\n");
    for name in ["a", "b"] {
        let _ = write!(music, "[piece.torn.section.{name}]\nbars = 1\n[piece.torn.section.{name}.layer.l]\nfile = \"audio/low.wav\"\n");
    }
    let _ = write!(music, "[[piece.torn.transition]]\nfrom = \"any\"\nto = \"any\"\nleave = \"at once\"\nfade-in = \"30 ms\"\n");
    let _ = write!(reactions, "\nWhen every 2 s while deck is grate\n  go torn to a\n  go torn to b, after 1 s\n");
    add("back and forth", "torn".into());
    add("music goes on", "torn".into());
    parts.explore = "length = \"26 s\"\n".into();
    let list: String = events.iter().map(|e| format!("{e} = \"\"\n")).collect();
    parts.game = format!("[events]\n{list}{}", parts.game);
    for n in 1..=2 {
        wrong.insert(signature("endless", &format!("When back{n}")));
    }
    // What is far too loud is over full scale, too.
    wrong.insert(signature("true peak", "output"));
    (parts, wrong)
}

/// What takes longer than is allowed is found where it is measured, and not looked for where nothing is said.
#[test]
fn work_is_measured_where_a_limit_is_said() {
    let found = |explore: &str| {
        let (program, document) = Parts { explore: format!("length = \"12 s\"\n{explore}"), ..well() }.compile();
        let plan = Plan::of(&document, &program);
        assert_eq!(Plan::of(&document, &program).to_toml().contains("load "), !explore.is_empty());
        let explored = run(&program, &document, &plan, 1, &[0, 1]);
        explored.shown.values().filter(|s| s.find.kind == "load").map(|s| s.find.words.clone()).collect::<Vec<_>>()
    };
    // A hundredth of a percent is a tenth of a millisecond, which anything takes.
    let words = found("load = \"0.01 %\"\n");
    assert!(!words.is_empty() && words.iter().all(|w| w.starts_with("this second takes ") && w.ends_with(" % of a core")), "{words:?}");
    assert_eq!((found(""), found("load = \"100 %\"\n")), (vec![], vec![]));
}

/// With fifty and more problems planted, nearly all are found, next to nothing else is, and each is made small.
#[test]
fn planted_problems_are_found_and_little_else() {
    let (parts, wrong) = planted();
    let (program, document) = parts.compile();
    let plan = Plan::of(&document, &program);
    let plays = 3 * plan.goals.len() as u64 + 3;
    let explored = run(&program, &document, &plan, 3, &(0..plays).collect::<Vec<_>>());
    let shown: Vec<_> = explored.shown.values().map(|s| (s.number, s.find.clone())).collect();
    let small = each_once(minimise_all(&Looking::new(&program, &document, &plan), 3, &shown, usize::MAX, || true));
    let together = explored.together(&program, &document, &plan);
    let found: BTreeSet<String> = small.iter().map(|s| s.find.signature()).chain(together.iter().map(explore::Find::signature)).collect();
    let (missed, none): (Vec<_>, Vec<_>) = (wrong.difference(&found).collect(), found.difference(&wrong).collect());
    let kinds: BTreeSet<&str> = wrong.iter().filter_map(|w| w.split(':').next()).collect();
    assert!(wrong.len() >= 50 && kinds.len() >= 20, "{} of {} kinds", wrong.len(), kinds.len());
    assert!(missed.len() <= 2 && none.len() <= 2, "missed {missed:#?}\nand found what is none: {none:#?}");
    let large: Vec<String> = small.iter().filter(|s| s.inputs > 12).map(|s| s.playthrough.to_string()).collect();
    assert!(large.is_empty(), "{large:#?}");
    // Each small playthrough shows what it was kept for.
    for one in &small {
        let text = one.playthrough.to_string();
        assert!(text.starts_with(&format!("# problem: {}\n", one.find.signature())), "{text}");
    }
}
