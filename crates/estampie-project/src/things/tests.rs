use super::*;
use crate::assets::Assets;
use crate::compile::compile;
use crate::document::Fault;
use std::path::Path;

fn demo() -> Workspace {
    Workspace::open(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick")).unwrap()
}

fn faults(workspace: &Workspace) -> Vec<Fault> {
    workspace.faults().iter().cloned().chain(compile(workspace.document(), &Assets::default()).1).collect()
}

fn texts(workspace: &Workspace) -> BTreeMap<String, String> {
    workspace.sources().texts().map(|(file, text)| (file.to_owned(), text.to_owned())).collect()
}

/// A few things of every kind.
fn some(workspace: &Workspace) -> impl Iterator<Item = Thing> {
    KINDS.iter().flat_map(|kind| {
        let all = workspace.things(kind);
        let step = (all.len() / 2).max(1);
        all.into_iter().step_by(step).collect::<Vec<_>>()
    })
}

#[test]
fn the_things_are_those_that_the_document_has() {
    let workspace = demo();
    let document = workspace.document();
    let count = counts(&workspace);
    let sections = document.music.pieces.iter().flat_map(|p| &p.sections);
    let wanted = [
        ("event", document.events.len()),
        ("sound", document.sounds.len()),
        ("state", document.states.len()),
        ("bus", document.buses.iter().filter(|b| b.name != crate::document::ROOT_BUS).count()),
        ("effect", document.buses.iter().map(|b| b.effects.len()).sum()),
        ("snapshot", document.snapshots.len()),
        ("modulation", document.modulations.len()),
        ("piece", document.music.pieces.len()),
        ("section", sections.clone().count()),
        ("layer", sections.map(|s| s.layers.len()).sum()),
        ("zone", document.world.zones.len() - count["shelter"]),
        ("trail", document.world.emitters.len() - ["emitter", "area", "bearing"].iter().map(|word| count[word]).sum::<usize>()),
        ("project", 1),
    ];
    for (word, wanted) in wanted {
        let main = usize::from(word == "bus" && workspace.thing_named(kind_of("bus").unwrap(), crate::document::ROOT_BUS).is_some());
        assert_eq!(count[word] - main, wanted, "{word}");
    }
    assert_eq!(count["parameter"] + count["formula"], document.parameters.len());
}

#[test]
fn a_field_set_to_what_it_is_changes_nothing() {
    let mut workspace = demo();
    let before = texts(&workspace);
    for thing in some(&demo()) {
        for row in workspace.rows(&thing) {
            if let Some(now) = row.now.clone().filter(|now| !now.is_empty()) {
                let set = workspace.set_row(&thing, &row, &now, false);
                assert_eq!(set, Ok(()), "{} of {}", row.key, workspace.called(&thing));
                let same = workspace.rows(&thing).into_iter().find(|r| r.key == row.key).and_then(|r| r.now);
                assert_eq!(same.as_deref(), Some(now.as_str()), "{} of {}", row.key, workspace.called(&thing));
            }
        }
    }
    // A list of one and a single text read the same; all else is as it was.
    let plain = |text: &str| text.chars().filter(|c| !c.is_whitespace() && !"[],".contains(*c)).collect::<String>();
    for (file, text) in texts(&workspace) {
        assert_eq!(plain(&text), plain(&before[&file]), "{file}");
    }
}

#[test]
fn whatever_is_renamed_takes_all_that_name_it_along_and_one_undo_brings_it_back() {
    let mut workspace = demo();
    let (before, known) = (texts(&workspace), faults(&workspace).len());
    let mut named = 0;
    for thing in some(&demo()).filter(|thing| thing.kind.named() && thing.kind.names.is_none()) {
        let called = workspace.called(&thing);
        let uses = workspace.uses(&thing);
        // The kind of an effect or of an instrument may be its very name.
        let (renamed, count) = match workspace.rename(&thing, "zz-other") {
            Ok(done) => done,
            Err(what) => panic!("{called}: {what}"),
        };
        assert_eq!(count, uses.len(), "{called}");
        named += count;
        assert_eq!(faults(&workspace).len(), known, "{called}: {:?}", faults(&workspace));
        assert_eq!(renamed.name(), "zz-other");
        assert!(workspace.things(thing.kind).contains(&renamed), "{called}");
        assert!(!workspace.things(thing.kind).contains(&thing), "{called}");
        workspace.undo().unwrap();
        assert_eq!(texts(&workspace), before, "{called}");
    }
    assert!(named > 60, "{named} names were changed");
}

#[test]
fn every_kind_can_be_made_duplicated_and_deleted() {
    let mut workspace = demo();
    let known = faults(&workspace).len();
    for kind in KINDS.iter().filter(|kind| kind.several()) {
        let owner = kind.owner().and_then(|kind| workspace.things(kind).into_iter().next());
        let before = (texts(&workspace), workspace.things(kind).len());
        let name = if kind.names.is_some() { "customs-house" } else { "zz-new" };
        let made = workspace.make(kind, owner.as_ref(), name).unwrap_or_else(|what| panic!("{}: {what}", kind.word));
        assert_eq!(workspace.things(kind).len(), before.1 + 1, "{}", kind.word);
        assert_eq!(faults(&workspace).len(), known, "a new {}: {:?}", kind.word, faults(&workspace));
        assert!(
            kind.begins
                .iter()
                .all(|(field, _)| field.contains('.') || field.is_empty() || workspace.rows(&made).iter().any(|r| r.key == *field && r.now.is_some()))
        );
        if kind.names.is_some() {
            assert!(workspace.duplicate(&made).is_err(), "two for one {}", kind.word);
            workspace.undo().unwrap();
            continue;
        }
        let copy = workspace.duplicate(&made).unwrap_or_else(|what| panic!("{}: {what}", kind.word));
        assert_eq!(workspace.things(kind).len(), before.1 + 2, "{}", kind.word);
        assert_eq!(workspace.rows(&copy).iter().map(|r| &r.now).collect::<Vec<_>>(), workspace.rows(&made).iter().map(|r| &r.now).collect::<Vec<_>>());
        workspace.delete(&copy).unwrap();
        workspace.delete(&made).unwrap();
        assert_eq!(workspace.things(kind).len(), before.1, "{}", kind.word);
        assert_eq!(faults(&workspace).len(), known, "{} deleted", kind.word);
        // Two deletions are two undos.
        for _ in 0..4 {
            workspace.undo().unwrap();
        }
        assert_eq!(texts(&workspace), before.0, "{}", kind.word);
        if kind.named() {
            assert!(workspace.make(kind, owner.as_ref(), "no name").is_err());
            let taken = workspace.things(kind).into_iter().find(|thing| workspace.owner_of(thing) == owner).map(|thing| thing.name());
            if let Some(taken) = taken {
                assert!(workspace.make(kind, owner.as_ref(), &taken).is_err(), "{} {taken}", kind.word);
            }
        }
    }
}

#[test]
fn a_name_that_means_nothing_is_taken_only_if_one_insists() {
    let mut workspace = demo();
    let sound = workspace.things(kind_of("sound").unwrap()).remove(0);
    let row = workspace.rows(&sound).into_iter().find(|row| row.key == "bus").unwrap();
    let wrong = workspace.set_row(&sound, &row, "watr", false).unwrap_err();
    assert!(wrong.to_string().contains("there is no bus watr") && wrong.to_string().contains("water?"), "{wrong}");
    assert_eq!(workspace.edits(), 0);
    workspace.set_row(&sound, &row, "watr", true).unwrap();
    assert_eq!(workspace.edits(), 1);
}

#[test]
fn names_with_a_text_and_tables_within_are_lines_of_their_own() {
    let mut workspace = demo();
    let sound = workspace.thing_named(kind_of("sound").unwrap(), "sonar/ping").unwrap();
    let set = |workspace: &mut Workspace, key: &str, text: &str| {
        let row = workspace.rows(&sound).into_iter().find(|row| row.key == key).unwrap_or_else(|| panic!("no {key}"));
        workspace.set_row(&sound, &row, text, false)
    };
    let now = |workspace: &Workspace, key: &str| workspace.rows(&sound).into_iter().find(|row| row.key == key).and_then(|row| row.now);
    set(&mut workspace, "send", "pipe: -9 dB").unwrap();
    assert_eq!(now(&workspace, "send.pipe").as_deref(), Some("-9 dB"));
    set(&mut workspace, "send.pipe", "").unwrap();
    assert_eq!(now(&workspace, "send.pipe"), None);
    assert!(set(&mut workspace, "send", "-9 dB").is_err());
    set(&mut workspace, "vary.pitch", "-1..1 st").unwrap();
    assert_eq!(now(&workspace, "vary.pitch").as_deref(), Some("-1..1 st"));
    set(&mut workspace, "priority", "70").unwrap();
    assert_eq!(now(&workspace, "priority").as_deref(), Some("70"));
    assert!(set(&mut workspace, "loop", "perhaps").is_err());
}

#[test]
fn what_has_no_name_can_be_moved_in_its_list() {
    let mut workspace = demo();
    let kind = kind_of("duck").unwrap();
    let ducks = |workspace: &Workspace| workspace.things(kind).iter().map(|duck| workspace.summary(duck)).collect::<Vec<_>>();
    let before = ducks(&workspace);
    assert!(before.len() > 1);
    let first = workspace.things(kind).remove(0);
    let moved = workspace.shift(&first, 1).unwrap();
    assert_eq!(moved.name(), "2");
    let after = ducks(&workspace);
    assert_eq!((&after[0], &after[1], &after[2..]), (&before[1], &before[0], &before[2..]));
    assert_eq!(workspace.shift(&first, -1).unwrap(), first, "nothing is before the first");
}

#[test]
fn every_field_of_the_registry_is_a_line_of_some_thing() {
    let mut workspace = demo();
    for kind in &KINDS {
        let owner = kind.owner().and_then(|kind| workspace.things(kind).into_iter().next());
        let thing = match workspace.things(kind).into_iter().next() {
            Some(thing) => thing,
            None => workspace.make(kind, owner.as_ref(), "zz-new").unwrap(),
        };
        let rows = workspace.rows(&thing);
        for field in kind.table().into_iter().flat_map(|table| table.fields) {
            let own = !matches!(field.holds, Holds::Named(_) | Holds::Tables(_));
            let there = rows.iter().any(|row| row.path.first().is_some_and(|first| first == field.name));
            assert_eq!(there, own, "{} of {}", field.name, kind.word);
        }
    }
}

#[test]
fn a_piece_is_renamed_in_the_heads_of_tables_too() {
    let mut workspace = demo();
    let piece = |workspace: &Workspace, name: &str| workspace.thing_named(kind_of("piece").unwrap(), name).unwrap();
    let lullaby = piece(&workspace, "lullaby");
    workspace.make(kind_of("piece turned down").unwrap(), Some(&lullaby), "tidewalk").unwrap();
    assert!(workspace.sources().get(&lullaby.file).unwrap().contains("[piece.lullaby.ducks.tidewalk]"));
    let (_, count) = workspace.rename(&piece(&workspace, "tidewalk"), "ebb").unwrap();
    assert!(count > 3, "{count}");
    assert_eq!(faults(&workspace), []);
    assert!(workspace.sources().get(&lullaby.file).unwrap().contains("[piece.lullaby.ducks.ebb]"));
}

#[test]
fn a_value_of_a_state_takes_all_that_name_it_along_and_one_undo_brings_it_back() {
    let mut workspace = demo();
    let before = texts(&workspace);
    let mut named = 0;
    for state in workspace.things(kind_of("state").unwrap()) {
        for value in workspace.document().states.iter().find(|s| s.name == state.name()).unwrap().values.clone() {
            let value = value.value;
            named += workspace.rename_value(&state, &value, "otherworldly").unwrap();
            assert_eq!(faults(&workspace), vec![], "{} of {}", value, state.name());
            let left = texts(&workspace).values().filter(|text| text.contains("otherworldly")).count();
            assert!(left >= 1, "{value}");
            assert!(workspace.undo().is_ok());
            assert_eq!(texts(&workspace), before, "{} of {}", value, state.name());
        }
    }
    assert!(named > 20, "the demo names its values in many places: {named}");
    let state = workspace.thing_named(kind_of("state").unwrap(), "deck").unwrap();
    for (old, new, why) in [("plank", "silt", "taken"), ("plank", "two words", "no name"), ("nothing", "x", "missing")] {
        assert!(workspace.rename_value(&state, old, new).is_err(), "{why}");
        assert_eq!(texts(&workspace), before, "{why}");
    }
}

#[test]
fn names_of_the_game_are_filled_from_a_table_in_one_edit() {
    let folder = tempfile::tempdir().unwrap();
    let state = "[states.deck]\nvalues = [\"plank\", \"grate\", \"silt\"]\nfrom-game = { wood = \"plank\" } # agreed\n";
    for (file, text) in [
        ("estampie.toml", "format = 1\nname = \"t\"\n"),
        ("game.toml", state),
        ("materials.csv", "wood,grate\nmud,silt\n\"wet mesh\",grate\n"),
        ("wrong.csv", "wood,plank\nsnow,powder\n"),
    ] {
        std::fs::write(folder.path().join(file), text).unwrap();
    }
    let mut workspace = Workspace::open(folder.path()).unwrap();
    let deck = workspace.thing_named(kind_of("state").unwrap(), "deck").unwrap();
    let row = workspace.rows(&deck).into_iter().find(|row| row.key == "from-game").unwrap();
    workspace.set_row(&deck, &row, "materials.csv", true).unwrap();
    let state = &workspace.document().states[0];
    assert_eq!(state.dictionary, [("wood".to_owned(), 1), ("mud".to_owned(), 2), ("wet mesh".to_owned(), 1)]);
    assert!(texts(&workspace)["game.toml"].contains("# agreed"));
    assert_eq!(workspace.undo().unwrap().as_deref(), Some("from-game of state deck from materials.csv"));
    assert_eq!(workspace.document().states[0].dictionary, [("wood".to_owned(), 0)], "one undo");
    // What is at fault changes nothing.
    for (file, said) in [("wrong.csv", "powder"), ("none.csv", "none.csv"), ("../materials.csv", "materials.csv")] {
        let before = texts(&workspace);
        assert!(workspace.set_row(&deck, &row, file, true).unwrap_err().to_string().contains(said), "{file}");
        assert_eq!(texts(&workspace), before);
    }
}

#[test]
fn a_name_within_a_key_of_several_names_follows_too() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir_all(folder.path().join("music")).unwrap();
    std::fs::write(folder.path().join("estampie.toml"), "format = 1\n").unwrap();
    std::fs::write(folder.path().join("game.toml"), "[states.watch]\nvalues = [\"calm\", \"alarm\"]\n").unwrap();
    let music = "[piece.p]\ntempo = \"100\"\n[piece.p.section.a]\nbars = 2\nchords = [\"1: Dm\"]\nchords-by.watch.alarm = [\"1: A\"]\n";
    std::fs::write(folder.path().join("music/p.toml"), music).unwrap();
    let mut workspace = Workspace::open(folder.path()).unwrap();
    let state = workspace.thing_named(kind_of("state").unwrap(), "watch").unwrap();
    workspace.rename_value(&state, "alarm", "danger").unwrap();
    let (_, count) = workspace.rename(&state, "guard").unwrap();
    assert_eq!((count, faults(&workspace)), (1, vec![]));
    assert!(workspace.sources().get("music/p.toml").unwrap().contains("chords-by.guard.danger = [\"1: A\"]"));
}
