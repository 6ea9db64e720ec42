//! The check of transitions: what does not sound well is found, and what does is not.

use crate::music::music;
use crate::support::compile_with;
use estampie_engine::index::{PieceIndex, SectionIndex};
use estampie_proof::check::{Listening, ProblemKind, seam, transitions};

#[test]
fn what_is_wrong_with_a_way_is_heard() {
    let problems = |old: &str, new: &str, rule: &str| {
        let text = format!(
            "[piece.dance]\ntempo = \"120\"\n[piece.dance.section.a]\nbars = 2\n[piece.dance.section.a.layer.x]\n{old}\n[piece.dance.section.b]\nbars = 2\n[piece.dance.section.b.layer.x]\n{new}\n[[piece.dance.transition]]\nfrom = \"a\"\nto = \"b\"\n{rule}\n"
        );
        let mut heard = 0;
        let problems = transitions(&music(&text, ""), |seam| {
            heard += 1;
            assert_eq!(seam.samples[0].len(), seam.old.len());
            true
        });
        assert_eq!(heard, 2, "one way, from both bars");
        let kinds: Vec<ProblemKind> = problems.iter().map(|f| f.kind).collect();
        // Every find is a sentence with the way and its bar.
        assert!(problems.iter().all(|f| f.to_string().starts_with("dance a ⟶ b, asked in bar ")));
        kinds
    };
    let file = |name: &str| format!("file = \"audio/{name}.wav\"");
    assert_eq!(problems(&file("low"), &file("low"), "fade-out = \"1 beat\""), []);
    assert!(
        problems(&file("low"), &file("level"), "fade-out = \"1 beat\"").iter().any(|f| matches!(f, ProblemKind::Click(step, around) if step > around)),
        "it starts hard"
    );
    assert!(
        problems(&file("low"), &file("late"), "").iter().any(|f| matches!(f, ProblemKind::Gap(s) if (0.2..0.32).contains(s))),
        "300 ms of nothing, less the fall"
    );
    // A stroke of what is left and the first one of what comes; both strokes within one recording were played so.
    let tail = problems(&file("early"), &file("stroke"), "leave = \"section end\"");
    assert!(tail.iter().any(|f| matches!(f, ProblemKind::Doubled(s) if (0.035..0.045).contains(s))), "two strokes 40 ms apart: {tail:?}");
    assert!(!problems(&file("one"), &file("flam"), "").iter().any(|f| matches!(f, ProblemKind::Doubled(_))), "a flam is played so");
    assert!(!problems(&file("one"), &file("stroke"), "").iter().any(|f| matches!(f, ProblemKind::Doubled(_))), "one stroke is one");
    let jumps = problems(&file("low"), &format!("{}\nlevel = \"-9 dB\"", file("low")), "fade-out = \"10 ms\"");
    assert!(jumps.iter().any(|f| matches!(f, ProblemKind::Jump(lu) if (-9.6..-8.4).contains(lu))), "{jumps:?}");
}

#[test]
fn transitions_are_told_in_their_order_and_end_when_nobody_listens() {
    let mut text = String::from("[piece.dance]\ntempo = \"120\"\n");
    for (section, bars) in [("a", 4), ("b", 1), ("c", 2)] {
        text += &format!("[piece.dance.section.{section}]\nbars = {bars}\n[piece.dance.section.{section}.layer.x]\nfile = \"audio/low.wav\"\n");
    }
    for (from, to) in [("a", "b"), ("b", "c"), ("c", "a")] {
        text += &format!("[[piece.dance.transition]]\nfrom = \"{from}\"\nto = \"{to}\"\n");
    }
    let program = music(&text, "");
    let mut told = Vec::new();
    let all = transitions(&program, |seam| {
        told.push((seam.from.at(), seam.to.map(SectionIndex::at), seam.asked_in));
        true
    });
    assert_eq!(told, [(0, Some(1), 0), (0, Some(1), 2), (0, Some(1), 3), (1, Some(2), 0), (2, Some(0), 0), (2, Some(0), 1)]);
    // What is found does not depend on which core was first; nor does what one alone sounds like.
    let (mut once, mut samples) = (0, Vec::new());
    let again = transitions(&program, |seam| {
        once += 1;
        samples.clone_from(&seam.samples[0]);
        once < 4
    });
    assert_eq!(once, 4, "it was ended");
    assert_eq!(again[..], all[..again.len()]);
    let listening = Listening::new(&program);
    let alone = |piece, from, to: Option<usize>| seam(&listening, PieceIndex::new(piece), SectionIndex::new(from), to.map(SectionIndex::new), 0);
    assert_eq!(alone(0, 1, Some(2)).unwrap().samples[0], samples);
    assert!(alone(0, 7, Some(2)).is_none() && alone(3, 0, None).is_none());
}

#[test]
fn a_recording_that_begins_again_behind_its_section_is_found_and_can_be_accepted() {
    let text = |bars: u32, rule: &str| {
        format!(
            "[piece.dance]\ntempo = \"96\"\n[piece.dance.section.a]\nbars = {bars}\n[piece.dance.section.a.layer.x]\nfile = \"audio/twice.wav\"\n[piece.dance.section.b]\nbars = 2\n[piece.dance.section.b.layer.x]\nfile = \"audio/low.wav\"\n[[piece.dance.transition]]\nfrom = \"a\"\nto = \"b\"\nleave = \"section end\"\n{rule}\n"
        )
    };
    let again = |text: &str| transitions(&music(text, ""), |_| true).into_iter().find(|f| f.kind == ProblemKind::Again);
    // Two bars written twice into one file: as a section of four bars it is right, as one of two it sounds again.
    assert_eq!(again(&text(4, "")), None);
    let found = again(&text(2, "")).unwrap();
    assert!(found.accepted.is_none(), "{found}");
    assert_eq!(again(&text(2, "fade-out = \"1 beat\"")), None, "it falls");
    let found = again(&text(2, "accepted = \"an echo that we want\"")).unwrap();
    assert!(found.to_string().contains("accepted: an echo that we want"), "{found}");
    let (_, faults) = compile_with(&[("music/all.toml", &text(2, "accepted = \"\""))]);
    assert!(faults.iter().any(|f| f.contains("without a reason")), "{faults:?}");
}

#[test]
fn a_layer_that_is_out_does_not_count_in_the_loudness_of_a_transition() {
    let text = |when: &str| {
        format!(
            "[piece.dance]\ntempo = \"96\"\nfollows = {{ deck = {{ plank = \"a\", silt = \"b\" }} }}\n[piece.dance.section.a]\nbars = 2\n[piece.dance.section.a.layer.x]\nfile = \"audio/minus.wav\"\nlevel = \"-20 dB\"\n[piece.dance.section.a.layer.y]\nfile = \"audio/long.wav\"\n{when}\n[piece.dance.section.b]\nbars = 2\n[piece.dance.section.b.layer.x]\nfile = \"audio/minus.wav\"\nlevel = \"-20 dB\"\n[[piece.dance.transition]]\nfrom = \"a\"\nto = \"b\"\nfade-out = \"20 ms\"\n"
        )
    };
    let jump = |when: &str| transitions(&music(&text(when), ""), |_| true).iter().any(|f| matches!(f.kind, ProblemKind::Jump(_)));
    assert!(jump(""), "it is in while a plays");
    assert!(!jump("when = \"deck is plank\""), "it has gone when the section is left");
    assert!(!jump("when = \"strain over 0.5\"") && !jump("off = true"), "it is out while a plays");
}
