//! `estampie bundle` as its users run it.

use crate::support::Story;
use std::path::Path;
use std::process::{Command, Output};

fn bundle(project: &Path, arguments: &[&str]) -> (Output, String) {
    let out = Command::new(env!("CARGO_BIN_EXE_estampie")).arg("bundle").arg(project).args(arguments).output().unwrap();
    let told = String::from_utf8_lossy(&out.stdout).into_owned() + &String::from_utf8_lossy(&out.stderr);
    (out, told)
}

#[test]
fn a_bundle_says_what_is_in_it_what_changed_and_what_the_games_code_may_say() {
    let folder = tempfile::tempdir().unwrap();
    let project = folder.path().join("harbour");
    assert!(Command::new(env!("CARGO_BIN_EXE_estampie")).arg("new").arg(&project).output().unwrap().status.success());
    let audio = std::fs::read_dir(project.join("audio")).unwrap().next().unwrap().unwrap().path();
    let file = folder.path().join("harbour.bundle");
    let names = folder.path().join("names");
    let arguments = ["-o", file.to_str().unwrap(), "--names", names.to_str().unwrap()];
    let (out, told) = bundle(&project, &arguments);
    assert!(out.status.success() && told.contains("a piece of audio") && told.contains("by bus: effects"), "{told}");
    let first = std::fs::read(&file).unwrap();
    let header = std::fs::read_to_string(names.join("estampie_names.h")).unwrap();
    assert!(header.contains("#define ESTAMPIE_EVENT_HELLO \"hello\" /* something to hear */"), "{header}");
    assert!(header.contains("#define ESTAMPIE_PARAMETER_DISTANCE \"distance\" /* 0 to 50 m */"), "{header}");
    assert!(std::fs::read_to_string(names.join("estampie_names.rs")).unwrap().contains("pub const EVENT_HELLO: &str = \"hello\";"));
    // The same project gives the same bytes.
    let (out, told) = bundle(&project, &arguments);
    assert!(out.status.success() && told.contains("the same as before") && std::fs::read(&file).unwrap() == first, "{told}");
    let check = ["-o", file.to_str().unwrap(), "--check"];
    let (out, told) = bundle(&project, &check);
    assert!(out.status.success() && told.contains("is of the project as it is"), "{told}");
    // What changed is told, and names that are gone.
    std::fs::copy(Story::demo().join("audio/step/grate_01.flac"), audio.with_file_name("grate.flac")).unwrap();
    let game = std::fs::read_to_string(project.join("game.toml")).unwrap();
    std::fs::write(project.join("game.toml"), game.replace("hello = \"something to hear\"", "hallo = \"something to hear\"")).unwrap();
    std::fs::write(project.join("reactions.est"), "When hallo\n  play grate\n").unwrap();
    std::fs::write(project.join("sounds/more.toml"), "[grate]\ntakes = [\"audio/grate.flac\"]\n").unwrap();
    let (out, told) = bundle(&project, &check);
    assert!(out.status.code() == Some(1) && told.contains("is stale") && std::fs::read(&file).unwrap() == first, "{told}");
    let (out, told) = bundle(&project, &arguments);
    assert!(
        out.status.success()
            && told.contains("new: audio/grate.flac")
            && told.contains("that are gone: hello")
            && told.contains("what is done with it has changed"),
        "{told}"
    );
    // A project with faults is refused, and a file that is no bundle is not written over.
    std::fs::write(project.join("reactions.est"), "When hallo\n  play nothing-such\n").unwrap();
    let kept = std::fs::read(&file).unwrap();
    let (out, told) = bundle(&project, &arguments);
    assert!(out.status.code() == Some(1) && told.contains("--anyway") && std::fs::read(&file).unwrap() == kept, "{told}");
    let (out, told) = bundle(&project, &["-o", file.to_str().unwrap(), "--anyway"]);
    assert!(out.status.code() == Some(1) && told.contains("bundled without") && std::fs::read(&file).unwrap() != kept, "{told}");
    let other = folder.path().join("other.bundle");
    std::fs::write(&other, "mine").unwrap();
    let (out, told) = bundle(&project, &["-o", other.to_str().unwrap(), "--anyway"]);
    assert!(out.status.code() == Some(2) && told.contains("is no bundle") && std::fs::read(&other).unwrap() == b"mine", "{told}");
}

#[test]
fn what_is_expected_is_checked_told_written_as_junit_and_kept_out_of_a_bundle_if_broken() {
    let folder = tempfile::tempdir().unwrap();
    let project = folder.path().join("harbour");
    assert!(Command::new(env!("CARGO_BIN_EXE_estampie")).arg("new").arg(&project).output().unwrap().status.success());
    let sound = std::fs::read_to_string(project.join("reactions.est")).unwrap().split_whitespace().skip_while(|w| *w != "play").nth(1).unwrap().to_owned();
    std::fs::create_dir_all(project.join("playthroughs")).unwrap();
    let play = |text: &str| std::fs::write(project.join("playthroughs/hello.play"), text).unwrap();
    play(&format!("1 send hello\n1 expect {sound} heard within 0.5 s\n2 end\n"));
    std::fs::write(project.join("checks.est"), "always expect true peak under 0 dBTP\n").unwrap();
    let junit = folder.path().join("out.xml");
    let check = || {
        let out = Command::new(env!("CARGO_BIN_EXE_estampie")).arg("check").arg(&project).arg("--junit").arg(&junit).output().unwrap();
        (out.status.code(), String::from_utf8_lossy(&out.stdout).into_owned() + &String::from_utf8_lossy(&out.stderr), std::fs::read_to_string(&junit).unwrap())
    };
    let (code, told, xml) = check();
    assert!(code == Some(0) && told.contains("2 expectations of 1 playthrough: all kept"), "{told}");
    assert!(xml.contains("<testsuite name=\"playthrough hello\" tests=\"2\"") && xml.contains("failures=\"0\""), "{xml}");
    let file = folder.path().join("harbour.bundle");
    let (out, told) = bundle(&project, &["-o", file.to_str().unwrap()]);
    assert!(out.status.success() && file.exists(), "{told}");
    // It comes too early for what is expected now.
    play(&format!("1 send hello\n1.2 expect {sound} heard\n2 end\n"));
    let (code, told, xml) = check();
    assert!(code == Some(1) && told.contains("playthroughs/hello.play:2:1: hello, from 1.20 s") && told.contains("it began 0.20 s before"), "{told}");
    assert!(told.contains("one expectation is not kept") && xml.contains("failures=\"1\"") && xml.contains("it began 0.20 s before"), "{told} {xml}");
    let before = std::fs::read(&file).unwrap();
    let (out, told) = bundle(&project, &["-o", file.to_str().unwrap()]);
    assert!(out.status.code() == Some(1) && told.contains("an expectation is not kept; --anyway") && std::fs::read(&file).unwrap() == before, "{told}");
    for how in ["--anyway", "--unchecked"] {
        let (out, told) = bundle(&project, &["-o", file.to_str().unwrap(), how]);
        assert!(out.status.success(), "{how}: {told}");
    }
}
