//! Edits, undo, saving, and what others do to the files meanwhile.

use super::*;
use std::time::SystemTime;

const MIX: &str = "# the mix of Brinewick\n\n[buses.music]   # what the viols play\nlevel = \"-4 dB\"  # agreed in May\n\n[buses.steps]\ninto = \"main\"\n";

fn project() -> (tempfile::TempDir, Workspace) {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("estampie.toml"), "format = 1\nname = \"t\"\n").unwrap();
    std::fs::write(folder.path().join("mix.toml"), MIX).unwrap();
    let workspace = Workspace::open(folder.path()).unwrap();
    (folder, workspace)
}

#[test]
fn an_edit_keeps_comments_and_order() {
    let (folder, mut workspace) = project();
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
    workspace.set_value("level of steps", "mix.toml", &["buses", "steps", "level"], "-3 dB").unwrap();
    assert_eq!(workspace.unsaved(), 1);
    assert_eq!(workspace.save(false).unwrap(), 1);
    let text = std::fs::read_to_string(folder.path().join("mix.toml")).unwrap();
    assert_eq!(text, MIX.replace("-4 dB", "-7 dB").replace("into = \"main\"\n", "into = \"main\"\nlevel = \"-3 dB\"\n"));
    assert_eq!(workspace.unsaved(), 0);
}

#[test]
fn undo_and_redo_are_named_and_exact() {
    let (_folder, mut workspace) = project();
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-8 dB").unwrap();
    let edited = workspace.sources().clone();
    assert_eq!(workspace.undo_name(), Some("level of music"));
    assert_eq!(workspace.undo().unwrap().as_deref(), Some("level of music"));
    assert_eq!(workspace.sources().get("mix.toml").map(|t| &**t), Some(MIX), "a drag is one edit");
    assert_eq!(workspace.unsaved(), 0);
    assert_eq!(workspace.redo().unwrap().as_deref(), Some("level of music"));
    assert_eq!(*workspace.sources(), edited);
    assert_eq!(workspace.undo().unwrap().as_deref(), Some("level of music"));
    assert_eq!(workspace.undo(), Ok(None));
}

#[test]
fn outside_edits_are_taken_in_unless_both_sides_changed() {
    let (folder, mut workspace) = project();
    let later = MIX.replace("-4 dB", "-9 dB");
    std::fs::write(folder.path().join("mix.toml"), &later).unwrap();
    filetime_forward(&folder.path().join("mix.toml"));
    assert_eq!(workspace.look_outside().0, vec!["mix.toml"]);
    assert_eq!(workspace.document().buses[1].level.0, -9.0);
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-1 dB").unwrap();
    std::fs::write(folder.path().join("mix.toml"), MIX).unwrap();
    assert_eq!(workspace.look_outside().1, vec!["mix.toml"]);
    assert_eq!(workspace.document().buses[1].level.0, -1.0, "what was edited here is not lost");
}

#[test]
fn what_somebody_else_wrote_is_never_written_over() {
    let (folder, mut workspace) = project();
    let path = folder.path().join("mix.toml");
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
    // Within the same second, before anything has looked.
    let theirs = MIX.replace("into = \"main\"", "into = \"main\"\nlevel = \"-2 dB\"");
    std::fs::write(&path, &theirs).unwrap();
    assert!(matches!(workspace.save(false), Err(SaveError::Contested(files)) if files == ["mix.toml"]));
    assert_eq!(std::fs::read_to_string(&path).unwrap(), theirs);
    assert!(workspace.contest("mix.toml").contains("+level = \"-2 dB\""), "{}", workspace.contest("mix.toml"));
    // Both, since they do not meet.
    assert_eq!(workspace.decide("mix.toml", Keep::Both).unwrap(), None);
    assert_eq!(workspace.save(false).unwrap(), 1);
    assert_eq!(std::fs::read_to_string(&path).unwrap(), theirs.replace("-4 dB", "-7 dB"));
    // Where they meet, one is chosen and the other stays beside it.
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-8 dB").unwrap();
    std::fs::write(&path, theirs.replace("-4 dB", "-9 dB")).unwrap();
    assert!(workspace.save(false).is_err());
    assert!(workspace.decide("mix.toml", Keep::Both).is_err());
    assert_eq!(workspace.decide("mix.toml", Keep::Mine).unwrap().as_deref(), Some("mix.toml.theirs"));
    assert_eq!(workspace.save(false).unwrap(), 1);
    assert!(std::fs::read_to_string(folder.path().join("mix.toml.theirs")).unwrap().contains("-9 dB"));
    assert!(std::fs::read_to_string(&path).unwrap().contains("-8 dB"));
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-3 dB").unwrap();
    std::fs::write(&path, &theirs).unwrap();
    assert!(workspace.save(false).is_err());
    assert_eq!(workspace.decide("mix.toml", Keep::Theirs).unwrap().as_deref(), Some("mix.toml.mine"));
    assert_eq!((workspace.unsaved(), workspace.document().buses[1].level.0), (0, -4.0));
    assert_eq!(workspace.undo().unwrap().as_deref(), Some("the other version of mix.toml"));
    assert_eq!(workspace.document().buses[1].level.0, -3.0);
}

#[test]
fn undo_takes_back_ones_own_edit_and_nothing_else() {
    let (folder, mut workspace) = project();
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
    workspace.save(false).unwrap();
    let path = folder.path().join("mix.toml");
    let theirs = std::fs::read_to_string(&path).unwrap().replace("into = \"main\"", "into = \"main\"\nlevel = \"-2 dB\"");
    std::fs::write(&path, &theirs).unwrap();
    filetime_forward(&path);
    assert_eq!(workspace.look_outside().0, ["mix.toml"]);
    assert_eq!(workspace.undo().unwrap().as_deref(), Some("level of music"));
    assert_eq!(workspace.sources().get("mix.toml").unwrap().to_string(), theirs.replace("-7 dB", "-4 dB"));
    assert_eq!(workspace.redo().unwrap().as_deref(), Some("level of music"));
    assert_eq!(workspace.sources().get("mix.toml").unwrap().to_string(), theirs);
    // Changed at the very place: it says so and leaves all as it is.
    std::fs::write(&path, theirs.replace("-7 dB", "-5 dB")).unwrap();
    filetime_forward(&path);
    workspace.look_outside();
    let refused = workspace.undo().unwrap_err();
    assert!(refused.to_string().contains("somebody else has changed mix.toml"), "{refused}");
    assert!(workspace.sources().get("mix.toml").unwrap().contains("-5 dB"));
}

#[test]
fn returns_marks_and_protection_are_kept() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("estampie.toml"), "\u{feff}format = 1\r\nname = \"t\"\r\n").unwrap();
    let path = folder.path().join("mix.toml");
    std::fs::write(&path, MIX.replace('\n', "\r\n")).unwrap();
    let mut workspace = Workspace::open(folder.path()).unwrap();
    assert!(workspace.faults().is_empty(), "{:?}", workspace.faults());
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
    let mut rights = std::fs::metadata(&path).unwrap().permissions();
    rights.set_readonly(true);
    std::fs::set_permissions(&path, rights).unwrap();
    assert!(matches!(workspace.save(false), Err(SaveError::Protected(files)) if files == ["mix.toml"]));
    assert_eq!(workspace.save(true).unwrap(), 1);
    assert_eq!(std::fs::read_to_string(&path).unwrap(), MIX.replace("-4 dB", "-7 dB").replace('\n', "\r\n"));
    assert!(std::fs::metadata(&path).unwrap().permissions().readonly());
}

#[test]
fn a_project_that_was_moved_away_is_not_made_anew() {
    let (folder, mut workspace) = project();
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
    std::fs::rename(folder.path(), folder.path().with_extension("moved")).unwrap();
    let error = workspace.save(false).unwrap_err().to_string();
    assert!(error.contains("was it moved"), "{error}");
    assert!(!folder.path().exists() && workspace.unsaved() == 1);
    std::fs::rename(folder.path().with_extension("moved"), folder.path()).unwrap();
    assert_eq!(workspace.save(false).unwrap(), 1);
}

#[test]
fn edits_that_were_not_saved_come_back() {
    let (folder, mut workspace) = project();
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
    workspace.replace("a take", "playthroughs/take-1.play", "0 end\n");
    let unsaved = workspace.unsaved_texts();
    assert_eq!(unsaved.len(), 2);
    let mut again = Workspace::open(folder.path()).unwrap();
    again.bring_back(unsaved.clone());
    assert_eq!((again.unsaved(), again.document().buses[1].level.0), (2, -7.0));
    assert_eq!(again.undo().unwrap().as_deref(), Some("edits that were not saved"));
    // Changed on disk since: both are there, and it is asked.
    std::fs::write(folder.path().join("mix.toml"), MIX.replace("-4 dB", "-1 dB")).unwrap();
    let mut later = Workspace::open(folder.path()).unwrap();
    later.bring_back(unsaved);
    assert_eq!(later.contested().collect::<Vec<_>>(), ["mix.toml"]);
    assert!(matches!(later.save(false), Err(SaveError::Contested(_))));
}

fn filetime_forward(path: &Path) {
    let file = std::fs::File::options().write(true).open(path).unwrap();
    file.set_modified(SystemTime::now() + Duration::from_secs(2)).unwrap();
}

#[test]
fn values_find_their_place_in_any_form_of_table() {
    let (_folder, mut workspace) = project();
    workspace.set_value("level of new", "mix.toml", &["buses", "new", "level"], "-1 dB").unwrap();
    assert!(workspace.document().buses.iter().any(|b| b.name == "new" && b.level.0 == -1.0));
    workspace.replace("rewrite", "mix.toml", "buses = { music = { level = \"-4 dB\" } }\n");
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-5 dB").unwrap();
    assert_eq!(workspace.sources().get("mix.toml").map(|t| &**t), Some("buses = { music = { level = \"-5 dB\" } }\n"));
    workspace.replace("damage", "mix.toml", "[buses.music\n");
    let refused = workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-6 dB").unwrap_err();
    assert!(refused.to_string().contains("until it is fixed"), "{refused}");
    workspace.replace("other damage", "mix.toml", "buses = 3\n");
    assert!(workspace.set_value("level", "mix.toml", &["buses", "music", "level"], "-6 dB").is_err());
}

#[test]
fn a_disk_that_refuses_loses_nothing() {
    let (folder, mut workspace) = project();
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
    // A folder stands where the file should go.
    std::fs::remove_file(folder.path().join("mix.toml")).unwrap();
    std::fs::create_dir(folder.path().join("mix.toml")).unwrap();
    std::fs::write(folder.path().join("mix.toml/x"), "").unwrap();
    assert!(workspace.save(false).is_err());
    assert_eq!(workspace.unsaved(), 1);
    assert_eq!(workspace.document().buses[1].level.0, -7.0);
}

#[test]
fn a_folder_without_a_project_says_how_to_make_one() {
    let folder = tempfile::tempdir().unwrap();
    let error = Workspace::open(folder.path()).err().unwrap().to_string();
    assert!(error.contains("estampie new"), "{error}");
}

#[test]
fn a_look_that_began_before_a_save_or_a_later_look_is_not_taken_in() {
    let (folder, mut workspace) = project();
    let before = Look::at(folder.path(), workspace.stamps());
    workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
    let unsaved = Look::at(folder.path(), &Stamps::new());
    assert_eq!(workspace.save(false).unwrap(), 1);
    assert_eq!(workspace.take_in(unsaved), None, "it would bring back what was there before");
    assert_eq!(workspace.document().buses[1].level.0, -7.0);
    // Looked again: nothing is new. Then a file comes, and an earlier look does not take it out again.
    assert_eq!(workspace.take_in(Look::at(folder.path(), before.stamps())), Some((vec![], vec![])));
    let early = Look::at(folder.path(), workspace.stamps());
    std::fs::create_dir(folder.path().join("audio")).unwrap();
    std::fs::write(folder.path().join("audio/bell.wav"), b"").unwrap();
    assert_eq!(workspace.look_outside().0, ["audio"]);
    assert!(early.audio().is_empty() && workspace.take_in(early).is_none());
    assert!(workspace.audio().contains("audio/bell.wav"));
}
