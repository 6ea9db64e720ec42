//! Keys of the view *Music*, and what it asks of the recordings, as values.

use crate::workshop::view_tests::Desk;

#[test]
fn in_music_a_field_of_a_transition_is_typed() {
    let mut desk = Desk::new();
    desk.keys("4 tab tab tab");
    assert!(desk.page().contains("¶ low ⟶ high"), "{}", desk.page());
    desk.click("fade-out");
    desk.keys("e");
    let page = desk.page();
    assert!(page.contains("low ⟶ high, fade-out:") && page.contains("how the old section goes"), "{page}");
    desk.type_text("1 beat");
    desk.keys("enter");
    assert!(desk.text("music/deck.toml").contains("fade-out = \"1 beat\""), "{}", desk.text("music/deck.toml"));
}

#[test]
fn transitions_are_not_judged_by_audio_that_is_not_there_yet() {
    let mut desk = Desk::new();
    // Nothing is taken in before it is asked for.
    desk.keys("4 p");
    assert!(desk.page().contains("the audio is still being loaded, 0 of 2 files") && !desk.page().contains("Every transition"), "{}", desk.page());
    desk.poll_until("all is loaded", |app| app.loading().is_none());
    desk.keys("p");
    assert!(desk.page().contains("Every transition"), "{}", desk.page());
}

#[test]
fn in_music_tempo_and_bars_come_from_the_recording_and_a_marker_from_what_sounds() {
    // Eight strokes in 4.8 seconds: two bars of four at 100 beats a minute, where the piece has 120.
    let mut desk = Desk::with(|folder| {
        let spec = hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
        let mut wave = hound::WavWriter::create(folder.join("audio/a.wav"), spec).unwrap();
        (0..230_400u32).for_each(|i| wave.write_sample(if i % 28_800 < 900 { ((i * 7_919 % 331) as i16 - 165) * 60 } else { 0 }).unwrap());
        wave.finalize().unwrap();
    });
    desk.keys("4 tab F");
    assert!(desk.page().contains("the audio is still being loaded"), "{}", desk.page());
    desk.poll_until("all is listened to", |app| app.loading().is_none() && app.music.beside.listened(app.program()));
    desk.keys("F");
    let page = desk.page();
    assert!(page.contains("whose recording is 4.80 s long") && page.contains("100, 2 bars") && page.contains("100 % of what is struck"), "{page}");
    desk.keys("enter");
    assert!(desk.text("music/deck.toml").contains("[piece.deck.section.low]\nbars = 2\ntempo = \"100\"\n"), "{}", desk.text("music/deck.toml"));
    desk.keys("u");
    assert!(!desk.text("music/deck.toml").contains("100"), "one undo takes both back");
    // Typed by hand, what cannot be is told and stays open; the piece's own tempo needs no line of the section's.
    desk.poll_until("all is listened to", |app| app.loading().is_none() && app.music.beside.listened(app.program()));
    desk.keys("F");
    for _ in 0..20 {
        desk.keys("backspace");
    }
    for (text, said) in [("fast, 2", "tempo"), ("100", "like 92, 8 bars"), ("120, 0", "bars")] {
        desk.type_text(text);
        desk.keys("enter");
        assert!(desk.page().contains(said) && desk.page().contains("tempo and bars of low"), "{text}: {}", desk.page());
        for _ in 0..20 {
            desk.keys("backspace");
        }
    }
    desk.type_text("120, 4 bars");
    desk.keys("enter");
    assert!(desk.text("music/deck.toml").contains("[piece.deck.section.low]\nbars = 4\n[piece"), "{}", desk.text("music/deck.toml"));
    // Nothing sounds, so there is no bar to mark; then there is.
    desk.keys("b");
    assert!(desk.page().contains("deck does not play"), "{}", desk.page());
    desk.keys("enter");
    desk.poll_until("the piece plays", |app| app.piece_now(estampie_engine::index::PieceIndex::new(0)).is_some_and(|now| now.sequencer.pass().is_some()));
    desk.keys("b");
    assert!(desk.page().contains("new marker on bar 1 of low"), "{}", desk.page());
    desk.type_text("turn");
    desk.keys("enter");
    assert!(desk.text("music/deck.toml").contains("turn = \"1\""), "{}", desk.text("music/deck.toml"));
    desk.keys("b");
    desk.type_text("turn");
    desk.keys("enter");
    assert!(desk.page().contains("low has a marker turn already"), "{}", desk.page());
}

#[test]
fn what_is_selected_stays_selected_when_somebody_else_adds_a_piece_above_it() {
    let mut desk = Desk::with(|folder| {
        let file = folder.join("music/deck.toml");
        let text = std::fs::read_to_string(&file).unwrap();
        std::fs::write(file, text + "[stinger.bell]\nsound = \"steps/deck\"\n[stinger.gong]\nsound = \"steps/deck\"\n").unwrap();
    });
    desk.keys("4 down down");
    let gong = Some(("stinger", "gong".to_owned()));
    assert_eq!(desk.app.view().selected(&desk.app), gong);
    std::fs::write(desk.path("music/air.toml"), "[piece.air]\ntempo = \"60\"\n[piece.air.section.a]\nbars = 1\n").unwrap();
    desk.poll_until("it is taken in", |app| app.music_doc().pieces.len() == 2);
    assert_eq!(desk.app.view().selected(&desk.app), gong);
    std::fs::remove_file(desk.path("music/air.toml")).unwrap();
    desk.poll_until("it is gone", |app| app.music_doc().pieces.len() == 1);
    assert_eq!(desk.app.view().selected(&desk.app), gong);
}
