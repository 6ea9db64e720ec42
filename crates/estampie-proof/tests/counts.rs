//! What work costs in instructions, against docs/counts.txt: that is the same on a busy machine, and a loop that is not worked out side by side any more
//! shows in it. scripts/counts writes the file anew, so that a change shows what it cost.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::Command;

/// By so much a count may grow until the file is written anew.
const GROWTH: f64 = 1.03;

/// The program whose work is counted, built with this test.
fn counted() -> PathBuf {
    let here = std::env::current_exe().unwrap();
    here.parent().unwrap().parent().unwrap().join("examples/counted")
}

/// Instructions of one time of a scene.
fn count(scene: &str) -> f64 {
    let out = Command::new("valgrind")
        .args(["--tool=callgrind", "--callgrind-out-file=/dev/null", "--toggle-collect=*one_time*"])
        .arg(counted())
        .args([scene, "1"])
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&out.stderr).into_owned();
    let collected = said.lines().find_map(|line| line.split_once("Collected : ")).unwrap_or_else(|| panic!("{scene}: {said}")).1;
    let count = collected.trim().parse().unwrap();
    assert!(count > 0.0, "{scene}: `one_time` was not found: {said}");
    count
}

#[test]
fn no_work_costs_more_than_is_written_down() {
    // ./test installs it, and says so where it cannot.
    if Command::new("valgrind").arg("--version").output().is_err() {
        return;
    }
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/counts.txt");
    let text = std::fs::read_to_string(file).unwrap();
    // Another compiler makes other instructions of the same, and another processor has others: there is nothing to hold them against.
    let said = |command: &mut Command| command.output().map(|out| String::from_utf8_lossy(&out.stdout).trim().to_owned()).unwrap_or_default();
    let compiler = said(Command::new("rustc").arg("--version"));
    let instructions = said(Command::new(counted()).arg("instructions"));
    if !text.contains(&format!("# {compiler}, {instructions}\n")) {
        println!("docs/counts.txt is not of {compiler}, {instructions}: nothing is compared");
        return;
    }
    let known: BTreeMap<&str, f64> = text
        .lines()
        .filter(|line| !line.starts_with('#') && !line.is_empty())
        .map(|line| {
            let mut words = line.split_whitespace();
            (words.next().unwrap(), words.next().unwrap().replace(',', "").parse().unwrap())
        })
        .collect();
    let listed = String::from_utf8(Command::new(counted()).output().unwrap().stdout).unwrap();
    let scenes: Vec<&str> = listed.lines().map(|line| line.split('\t').next().unwrap()).collect();
    assert_eq!(scenes.iter().copied().collect::<std::collections::BTreeSet<_>>(), known.keys().copied().collect(), "run scripts/counts");
    let found: Vec<(&str, f64)> = std::thread::scope(|scope| {
        let counting: Vec<_> = scenes.iter().map(|scene| (*scene, scope.spawn(|| count(scene)))).collect();
        counting.into_iter().map(|(scene, count)| (scene, count.join().unwrap())).collect()
    });
    let grown: Vec<String> = found
        .iter()
        .filter(|(scene, now)| *now > known[scene] * GROWTH)
        .map(|(scene, now)| format!("{scene}: {now:.0} instructions, {:.1} % more than docs/counts.txt says", (now / known[scene] - 1.0) * 100.0))
        .collect();
    assert!(grown.is_empty(), "{}; where that is meant, scripts/counts writes the file anew", grown.join("; "));
}
