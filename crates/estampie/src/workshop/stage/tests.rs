//! Keys of the Stage, as values.

use super::Item;
use crate::workshop::view_tests::Desk;

#[test]
fn on_the_stage_a_parameter_is_moved_typed_and_put_back() {
    let mut desk = Desk::new();
    assert!(desk.page().contains("strain"));
    desk.keys("e");
    assert!(desk.page().contains("strain is"));
    desk.type_text("2");
    desk.keys("enter");
    assert!(desk.page().contains("strain goes from 0 to 1"), "what cannot be is told: {}", desk.page());
    desk.keys("backspace");
    desk.type_text("0.5");
    desk.keys("enter");
    assert!(!desk.page().contains("strain is"));
    // Below it lie states and events.
    desk.keys("down down");
    assert!(matches!(desk.app.selected_item(), Some(Item::State(0))));
    desk.keys("end home");
    assert!(matches!(desk.app.selected_item(), Some(Item::Parameter(0))));
    assert_eq!(desk.app.workspace.unsaved(), 0, "nothing here is an edit");
}

#[test]
fn what_is_soloed_at_an_emitter_and_the_headphones_are_temporary_and_end_together() {
    let mut desk = Desk::new();
    desk.keys("E");
    assert!(desk.page().contains("temporary:"), "the status line tells it: {}", desk.page());
    desk.keys("\\");
    assert!(!desk.page().contains("temporary:"), "{}", desk.page());
    assert!(desk.app.rehearsal.only.head.is_none());
}
