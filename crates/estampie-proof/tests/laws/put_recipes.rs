//! Recipes: each goes into an empty project and into the demo without a fault, its playthrough keeps what it expects, and one undo takes it out without a trace.

use estampie_engine::clip::Clip;
use estampie_project::assets::{Assets, load};
use estampie_project::compile::{compile, wanted_audio};
use estampie_project::document::Workspace;
use estampie_project::recipes::{Recipe, all};
use estampie_proof::check::hold;
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

/// What is wrong once a recipe is in a project, in words.
fn wrong_in(workspace: &mut Workspace, recipe: &Recipe, loaded: &mut BTreeMap<String, Arc<Clip>>) -> Vec<String> {
    let before = workspace.sources().clone();
    let files = match workspace.put_recipe(recipe, &[]) {
        Ok(files) => files,
        Err(why) => return vec![format!("{}: {why}", recipe.name)],
    };
    let mut wrong: Vec<String> = workspace.faults().iter().map(|f| format!("{}: {f}", recipe.name)).collect();
    let document = Arc::clone(workspace.document());
    // What is loaded once is there for the next.
    let mut assets = Assets::default();
    for (name, goes) in wanted_audio(&document) {
        if let Some(clip) = loaded.get(&name) {
            assets.insert(&name, Ok(Arc::clone(clip)));
        } else {
            let clip = Arc::new(load(workspace.root(), &name, document.manifest.rate, &goes).unwrap());
            loaded.insert(name.clone(), Arc::clone(&clip));
            assets.insert(&name, Ok(clip));
        }
    }
    let (program, faults) = compile(&document, &assets);
    wrong.extend(faults.iter().map(|f| format!("{}: {f}", recipe.name)));
    let program = Arc::new(program);
    let shown: Vec<_> = document.playthroughs.iter().filter(|(name, _)| files.contains(&format!("playthroughs/{name}.play"))).collect();
    assert_eq!(shown.len(), 1, "{}: a playthrough shows it", recipe.name);
    for (name, playthrough) in shown {
        let broken = hold(&program, &document, (name, playthrough), &|| true).unwrap();
        // What the project expects of all playthroughs is its own business.
        wrong.extend(broken.iter().filter(|b| b.place.file.starts_with("playthroughs/")).map(|b| format!("{}: {b}", recipe.name)));
        assert!(estampie_proof::check::count(&document, playthrough) > 0, "{} expects something", recipe.name);
    }
    workspace.undo().unwrap();
    if *workspace.sources() != before {
        wrong.push(format!("{}: one undo leaves something", recipe.name));
    }
    wrong
}

#[test]
fn every_recipe_works_in_an_empty_project_and_is_taken_out_by_one_undo() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("estampie.toml"), "format = 1\n").unwrap();
    let mut workspace = Workspace::open(folder.path()).unwrap();
    let mut loaded = BTreeMap::new();
    let wrong: Vec<String> = all(None).0.iter().flat_map(|recipe| wrong_in(&mut workspace, recipe, &mut loaded)).collect();
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn every_recipe_works_in_the_demo() {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick");
    let folder = tempfile::tempdir().unwrap();
    copy(&demo, folder.path());
    let mut workspace = Workspace::open(folder.path()).unwrap();
    let list = all(None).0;
    let mut loaded = BTreeMap::new();
    let wrong: Vec<String> = list.iter().flat_map(|recipe| wrong_in(&mut workspace, recipe, &mut loaded)).collect();
    assert!(list.len() >= 20 && wrong.is_empty(), "{wrong:#?}");
}

/// The texts of a project, and its audio as links.
fn copy(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).unwrap();
    for entry in std::fs::read_dir(from).unwrap() {
        let entry = entry.unwrap();
        let target = to.join(entry.file_name());
        if entry.path().is_dir() {
            copy(&entry.path(), &target);
        } else {
            std::fs::copy(entry.path(), &target).unwrap();
        }
    }
}
