//! The audio files of a project on the command line: what is wrong with them, new versions, other names, folders that come in, and what is made of their marks.

use super::output::{out, tell};
use crate::failure::Failure;
use crate::folders;
use crate::heard::Remembered;
use crate::project::Loaded;
use estampie_project::assets::{Facts, Fix};
use estampie_project::document::fits;
use estampie_project::progress::{Becomes, Finding, Heard, NewVersion, Remedy, WhenTaken, material, new_names, new_version};
use estampie_proof::cores::on_all_cores;
use indicatif::ProgressBar;
use serde_json::json;
use std::collections::{BTreeMap, BTreeSet};
use std::io::IsTerminal as _;
use std::path::Path;

/// What is done with files whose names others have.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub(super) enum Taken {
    /// They are left where they are
    Leave,
    /// They come in as later versions, and are played from then on
    Version,
}

fn bar(length: usize, quiet: bool) -> ProgressBar {
    if std::io::stderr().is_terminal() && !quiet { ProgressBar::new(length as u64) } else { ProgressBar::hidden() }
}

/// All audio files of the project, measured.
pub(super) fn heard(loaded: &Loaded, quiet: bool) -> Heard {
    let workspace = &loaded.workspace;
    let bar = bar(workspace.audio().len(), quiet);
    let mut known = Remembered::read(workspace.root(), folders::cache().as_deref());
    let heard = known.hear(workspace.root(), workspace.audio(), usize::MAX, || {
        bar.inc(1);
        true
    });
    bar.finish_and_clear();
    heard
}

fn findings(loaded: &Loaded, quiet: bool) -> Vec<Finding> {
    material(loaded.workspace.document(), loaded.workspace.audio(), &heard(loaded, quiet))
}

/// Tells what is wrong with all audio files.
pub(super) fn tell_all(loaded: &Loaded, as_json: bool) -> Result<(), Failure> {
    let found = findings(loaded, as_json);
    if as_json {
        let row = |f: &Finding| json!({ "file": f.file, "flaw": f.flaw.words(), "what": f.what, "fix": f.fix, "weight": f.flaw.weight(), "can be fixed": f.remedy.is_some() });
        out!("{}", serde_json::to_string_pretty(&found.iter().map(row).collect::<Vec<_>>()).map_err(|e| Failure::Fault(e.to_string()))?);
        return Ok(());
    }
    for finding in &found {
        out!("{}: {}; {}", finding.file, finding.what, finding.fix);
    }
    out!("{} files, {} findings", loaded.workspace.audio().len(), found.len());
    let can = |fits: fn(&Remedy) -> bool| found.iter().filter(|f| f.remedy.as_ref().is_some_and(fits)).count();
    let (versions, names) = (can(|r| matches!(r, Remedy::Version(_))), can(|r| matches!(r, Remedy::Name(_))));
    if versions > 0 {
        out!("{versions} can be fixed: estampie stock {} fix", loaded.workspace.root().display());
    }
    if names > 0 {
        out!("{names} can be renamed: estampie stock {} rename", loaded.workspace.root().display());
    }
    Ok(())
}

/// The files that patterns name; all current ones if there is no pattern.
fn named(loaded: &Loaded, patterns: &[String]) -> Result<BTreeSet<String>, Failure> {
    let current = loaded.workspace.current_audio();
    if let Some(none) = patterns.iter().find(|p| !current.iter().any(|f| fits(p, f))) {
        return Err(Failure::Use(format!("no audio file is called like {none}")));
    }
    Ok(current.into_iter().filter(|f| patterns.is_empty() || patterns.iter().any(|p| fits(p, f))).collect())
}

/// Writes new versions.
pub(super) fn fix(loaded: &mut Loaded, patterns: &[String], fixes: Option<&str>, dry: bool) -> Result<(), Failure> {
    let files = named(loaded, patterns)?;
    let fixes = fixes.map(Fix::read_all).transpose().map_err(|e| Failure::Use(e.to_string()))?;
    if fixes.is_some() && patterns.is_empty() {
        return Err(Failure::Use("name the files that it is to be done to: audio/* for those of a folder".into()));
    }
    let mut work: BTreeMap<String, Vec<Fix>> = BTreeMap::new();
    match fixes {
        Some(fixes) => work.extend(files.into_iter().map(|file| (file, fixes.clone()))),
        None => {
            for finding in findings(loaded, false) {
                if let Some(Remedy::Version(fixes)) = finding.remedy.filter(|_| files.contains(&finding.file)) {
                    work.entry(finding.file).or_default().extend(fixes);
                }
            }
        }
    }
    let workspace = &mut loaded.workspace;
    let (root, audio) = (workspace.root().to_owned(), workspace.audio().clone());
    let work: Vec<(String, Vec<Fix>)> = work.into_iter().collect();
    let bar = bar(work.len(), false);
    let made = on_all_cores(
        &work,
        |(file, fixes)| new_version(&root, file, fixes, &audio),
        |_| {
            bar.inc(1);
            true
        },
    );
    bar.finish_and_clear();
    let (mut versions, mut failed): (Vec<NewVersion>, usize) = (Vec::new(), 0);
    for ((file, _), made) in work.iter().zip(made) {
        match made {
            Ok(Some(version)) => {
                out!("{}: {}", version.file, version.did.join(", "));
                versions.push(version);
            }
            Ok(None) => out!("{file} is so already"),
            Err(why) => {
                tell(&why);
                failed += 1;
            }
        }
    }
    let count = versions.len();
    if count > 0 && !dry {
        let files = versions.into_iter().map(|v| (v.file, v.bytes)).collect();
        workspace.add_audio("new versions", files).map_err(|e| Failure::Fault(e.to_string()))?;
    }
    out!("{count} new versions{}", if dry { ", of which nothing was written" } else { "; what they were made from lies beside them" });
    if failed > 0 { Err(Failure::Fault(format!("{failed} files stay as they are"))) } else { Ok(()) }
}

/// Gives files other names.
pub(super) fn rename(loaded: &mut Loaded, names: Option<(&str, &str)>, dry: bool) -> Result<(), Failure> {
    let names: Vec<(String, String)> = match names {
        Some((from, to)) => vec![(from.to_owned(), to.to_owned())],
        None => new_names(&findings_by_name(loaded)),
    };
    if names.is_empty() {
        out!("all audio files are named by the rule, as far as one can tell a name that is");
        return Ok(());
    }
    for (from, to) in loaded.workspace.with_versions(&names) {
        out!("{from} is called {to}");
    }
    if dry {
        out!("nothing was renamed");
        return Ok(());
    }
    let count = loaded.workspace.rename_audio(&names).map_err(|e| Failure::Fault(e.to_string()))?;
    out!("{count} files renamed, with all that names them");
    Ok(())
}

/// What is wrong with names alone, for which nothing has to be measured.
fn findings_by_name(loaded: &Loaded) -> Vec<Finding> {
    material(loaded.workspace.document(), loaded.workspace.audio(), &Heard::new())
}

/// Copies what lies below a folder into the project.
pub(super) fn bring(loaded: &mut Loaded, folder: &Path, taken: Option<Taken>, dry: bool) -> Result<(), Failure> {
    let incoming = loaded.workspace.incoming(folder).map_err(|e| Failure::Use(format!("{} cannot be read: {e}", folder.display())))?;
    if incoming.is_empty() {
        return Err(Failure::Use(format!("no audio file lies below {}", folder.display())));
    }
    let (mut new, mut in_the_way) = (0, 0);
    for one in &incoming {
        let from = one.from.strip_prefix(folder).unwrap_or(&one.from).display();
        let item = if one.item { ", which the stock wants" } else { "" };
        match one.becomes {
            Becomes::New => {
                new += 1;
                out!("{from}: {}{item}", one.to);
            }
            Becomes::There => out!("{from}: lies there already, as {}", one.to),
            Becomes::Taken => {
                in_the_way += 1;
                out!("{from}: another recording is called {}", one.to);
            }
            Becomes::Nameless => out!("{from}: no name that fits the rule can be made of it"),
        }
    }
    if dry {
        out!("{new} would come in, {in_the_way} have names of others; nothing was copied");
        return Ok(());
    }
    if in_the_way > 0 && taken.is_none() {
        return Err(Failure::Fault(format!("{in_the_way} files have names of others; nothing was copied: say --taken leave or --taken version")));
    }
    let when = if taken == Some(Taken::Version) { WhenTaken::Version } else { WhenTaken::Leave };
    let count = loaded.workspace.bring(&incoming, when).map_err(|e| Failure::Fault(e.to_string()))?;
    out!("{count} files came in");
    Ok(())
}

/// The facts of one file.
fn facts_of(loaded: &Loaded, file: &str) -> Result<Facts, Failure> {
    let files: BTreeSet<String> = [file.to_owned()].into();
    let root = loaded.workspace.root();
    let heard = Remembered::read(root, None).hear(root, &files, 1, || true).remove(file);
    heard.unwrap_or_else(|| Err("it cannot be read".into())).map(|m| m.facts).map_err(|why| Failure::Fault(format!("{file}: {why}")))
}

/// Cuts a recording at its marks.
pub(super) fn cut(loaded: &mut Loaded, file: &str) -> Result<(), Failure> {
    let facts = facts_of(loaded, file)?;
    let (sound, count) = loaded.workspace.cut_at_marks(file, &facts).map_err(|e| Failure::Fault(e.to_string()))?;
    loaded.workspace.save(false).map_err(|e| Failure::Fault(e.to_string()))?;
    out!("{count} takes of {sound} are cut out of {file}");
    Ok(())
}

/// Makes markers of the marks in a recording.
pub(super) fn markers(loaded: &mut Loaded, file: &str) -> Result<(), Failure> {
    let facts = facts_of(loaded, file)?;
    let count = loaded.workspace.markers_from_marks(file, &facts).map_err(|e| Failure::Fault(e.to_string()))?;
    loaded.workspace.save(false).map_err(|e| Failure::Fault(e.to_string()))?;
    out!("{count} markers");
    Ok(())
}
