//! Tells the program which commit it is built from, for `--version` and reports.

use std::process::Command;

fn git(arguments: &[&str]) -> Option<String> {
    let out = Command::new("git").args(arguments).output().ok().filter(|out| out.status.success())?;
    Some(String::from_utf8(out.stdout).ok()?.trim().to_owned())
}

fn main() {
    // Whoever builds without the repository says it.
    println!("cargo:rerun-if-env-changed=ESTAMPIE_COMMIT");
    if let Some(folder) = git(&["rev-parse", "--absolute-git-dir"]) {
        println!("cargo:rerun-if-changed={folder}/HEAD");
        println!("cargo:rerun-if-changed={folder}/logs/HEAD");
    }
    let said = std::env::var("ESTAMPIE_COMMIT").ok().filter(|commit| !commit.is_empty());
    let commit = said.or_else(|| git(&["rev-parse", "--short=12", "HEAD"])).unwrap_or_else(|| "no commit".to_owned());
    println!("cargo:rustc-env=ESTAMPIE_COMMIT={commit}");
}
