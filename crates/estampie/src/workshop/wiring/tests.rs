//! Keys of the view *Wiring*, and what its right column tells, as values.

use crate::workshop::view_tests::Desk;
use estampie_engine::engine::InputKind;
use estampie_engine::names::NameKey;

#[test]
fn modulations_of_one_property_are_shown_with_their_sum() {
    let mut desk = Desk::with(|folder| {
        let text = "[[modulation]]\nfrom = \"strain\"\nmoves = \"hull/groan level\"\ncurve = [\"0: -12 dB\", \"1: 0 dB\"]\n\n[[modulation]]\nfrom = \"depth\"\nmoves = \"hull/groan level\"\ncurve = [\"0 m: 0 dB\", \"40 m: -8 dB\"]\n";
        std::fs::write(folder.join("modulation.toml"), text).unwrap();
    });
    desk.app.rehearsal.say(InputKind::Parameter { parameter: NameKey::of("depth"), value: 20.0, emitter: NameKey::NONE });
    desk.app.rehearsal.say(InputKind::Parameter { parameter: NameKey::of("strain"), value: 0.5, emitter: NameKey::NONE });
    desk.keys("2 tab");
    let there = |app: &crate::workshop::app::App| app.rehearsal.status.as_ref().is_some_and(|s| s.parameters.iter().any(|p| (p.smooth - 20.0).abs() < 0.01));
    desk.poll_until("the parameters are there", there);
    for _ in 0..30 {
        if desk.page().contains("2 add up") {
            break;
        }
        desk.keys("down");
    }
    let page = desk.page();
    assert!(page.contains("2 add up"), "{page}");
    let told = |name: &str| page.lines().filter(|l| l.contains(name)).map(|l| l.rsplit('│').next().unwrap_or_default().trim().to_owned()).collect::<Vec<_>>();
    assert!(told("together").iter().any(|l| l.ends_with("−10 dB")), "{page}");
    assert!(told("strain").iter().any(|l| l.ends_with("−6 dB")) && told("depth").iter().any(|l| l.ends_with("−4 dB")), "{page}");
}

#[test]
fn a_state_is_shown_over_the_last_seconds() {
    let mut desk = Desk::new();
    desk.keys("2");
    desk.poll_until("some time has gone", |app| app.rehearsal.frame() > 9_600);
    desk.app.rehearsal.say(InputKind::State { state: NameKey::of("watch"), value: NameKey::of("alarm") });
    let changed = |app: &crate::workshop::app::App| app.rehearsal.state_lately(NameKey::of("watch")).iter().any(|(_, v)| *v == NameKey::of("alarm"));
    desk.poll_until("it has changed", changed);
    let at = desk.app.rehearsal.frame();
    desk.poll_until("it has been so for a while", |app| app.rehearsal.frame() > at + 9_600);
    let list = desk.app.rehearsal.state_lately(NameKey::of("watch"));
    assert!(list.windows(2).all(|w| w[0].0 <= w[1].0) && list[0].1 == NameKey::of("calm"), "{list:?}");
    assert_eq!(desk.app.rehearsal.state_lately(NameKey::of("nothing")), []);
    for _ in 0..30 {
        if desk.page().contains("watch a state") {
            break;
        }
        desk.keys("down");
    }
    let page = desk.page();
    let row = |value: &str| page.lines().find(|l| l.contains(value) && l.contains('━')).map(|l| l.matches('━').count()).unwrap_or_default();
    assert!(page.contains("the last 20 s") && row("calm") > 0 && row("alarm") > 0, "{page}");
}

#[test]
fn a_reaction_an_action_and_a_modulation_are_copied_below() {
    let mut desk = Desk::new();
    desk.keys("2 tab");
    let go = |desk: &mut Desk, words: &str| {
        for _ in 0..40 {
            if desk.page().lines().any(|l| l.contains('▌') && l.contains(words)) {
                return;
            }
            desk.keys("down");
        }
        panic!("{words} cannot be chosen:\n{}", desk.page());
    };
    go(&mut desk, "When step");
    desk.keys("d");
    assert_eq!(desk.text("reactions.est").matches("When step\n  play steps/deck").count(), 2, "{}", desk.text("reactions.est"));
    desk.keys("u home");
    go(&mut desk, "play hull/groan");
    desk.keys("d");
    assert!(desk.text("reactions.est").contains("play hull/groan\n  play hull/groan\n"), "{}", desk.text("reactions.est"));
    desk.keys("u");
    go(&mut desk, "hull/groan level");
    desk.keys("d");
    assert_eq!(desk.text("modulation.toml").matches("[[modulation]]").count(), 2);
    desk.keys("u");
    assert_eq!(desk.text("modulation.toml").matches("[[modulation]]").count(), 1);
}

#[test]
fn letters_leave_what_has_them_on_both_sides() {
    let mut desk = Desk::new();
    desk.keys("2 /");
    desk.type_text("step");
    desk.keys("enter");
    let page = desk.page();
    assert!(page.contains("with \"step\"") && page.contains("When step") && page.contains("play steps/deck"), "{page}");
    assert!(
        !page.contains("When hull.struck") && !page.contains("# the hull") && !page.contains("hull/groan level") && page.contains("none has these letters"),
        "{page}"
    );
    // The keys go over what is shown alone.
    desk.keys("tab down down down");
    let chosen = desk.page().lines().find(|l| l.contains('▌')).unwrap().to_owned();
    assert!(chosen.contains("play steps/deck"), "{chosen}");
    desk.keys("up up");
    assert!(desk.page().lines().any(|l| l.contains('▌') && l.contains("When step")));
    desk.keys("esc");
    assert!(desk.page().contains("When hull.struck") && desk.page().contains("hull/groan level"));
    // What is gone to is never hidden.
    desk.keys("/");
    desk.type_text("zzz");
    desk.keys("enter");
    assert!(desk.page().contains("none has these letters"));
    desk.app.go_to_reaction(1);
    assert!(desk.app.wiring.filter.is_empty());
}

#[test]
fn in_wiring_a_reaction_is_written_moved_switched_off_and_taken_out() {
    let mut desk = Desk::new();
    desk.keys("2 tab");
    desk.keys("n");
    desk.type_text("When step");
    desk.keys("enter");
    desk.type_text("set strain to 1");
    desk.keys("enter esc");
    assert!(desk.text("reactions.est").contains("When step\n  set strain to 1"), "{}", desk.text("reactions.est"));
    desk.keys("O");
    let off = desk.text("reactions.est");
    desk.keys("O");
    assert_ne!(off, desk.text("reactions.est"));
    desk.keys("u");
    assert_eq!(off, desk.text("reactions.est"), "each is an edit that is undone by itself");
    for _ in 0..8 {
        desk.keys("u");
    }
    assert_eq!(desk.app.workspace.unsaved(), 0);
}
