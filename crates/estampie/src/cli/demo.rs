//! `estampie demo`: Brinewick Salvage in a copy of the user's own, so that edits persist and the original stays.

use super::output::out;
use crate::failure::Failure;
use crate::workshop;
use std::path::{Path, PathBuf};

/// Where the demo is found: told by the environment, beside the program, or where it was built.
fn original() -> Option<PathBuf> {
    let told = std::env::var_os("ESTAMPIE_DEMO").map(PathBuf::from);
    // In the sources, or below the folder that it is installed in.
    let places = |folder: &Path| ["examples/brinewick", "share/estampie/brinewick"].map(|place| folder.join(place));
    let beside = std::env::current_exe().ok().and_then(|exe| exe.ancestors().flat_map(places).find(|p| p.is_dir()));
    let built = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick");
    told.into_iter().chain(beside).chain([built]).find(|p| p.join("estampie.toml").is_file())
}

fn copy_all(from: &Path, to: &Path) -> std::io::Result<()> {
    std::fs::create_dir_all(to)?;
    for entry in std::fs::read_dir(from)? {
        let entry = entry?;
        let target = to.join(entry.file_name());
        if entry.file_type()?.is_dir() {
            copy_all(&entry.path(), &target)?;
        } else {
            std::fs::copy(entry.path(), target)?;
        }
    }
    Ok(())
}

pub(super) fn run(restore: bool, path: bool, options: &workshop::Options) -> Result<(), Failure> {
    let folders = directories::ProjectDirs::from("", "", "estampie")
        .ok_or_else(|| Failure::Fault("there is no home folder for your copy of the demo; set HOME".into()))?;
    let copy = folders.data_dir().join("brinewick");
    if path {
        out!("{}", copy.display());
        return Ok(());
    }
    let there = copy.join("estampie.toml").is_file();
    if restore && there {
        let kept = (1..).map(|n| folders.data_dir().join(format!("brinewick-before-{n}"))).find(|p| !p.exists());
        if let Some(kept) = kept {
            std::fs::rename(&copy, &kept)?;
            out!("your copy is kept as {}", kept.display());
        }
    }
    if restore || !there {
        let original = original()
            .ok_or_else(|| Failure::Fault("the demo's files are not found; set ESTAMPIE_DEMO to the folder examples/brinewick of the sources".into()))?;
        copy_all(&original, &copy)?;
    }
    if restore {
        out!("the demo is as it was, in {}", copy.display());
        return Ok(());
    }
    workshop::open(&copy, options)
}
