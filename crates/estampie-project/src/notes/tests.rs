//! Notes, over many of them.

use super::*;
use estampie_engine::music::{Map, Metre};
use proptest::prelude::*;

fn dorian() -> Mode {
    read_key("D dorian").unwrap()
}

fn note(at: (i64, i64), pitch: u8) -> ScoreNote {
    ScoreNote { at: Beats::new(at.0, at.1), length: Beats::new(1, 2), pitch, velocity: 80, channel: 0 }
}

fn notes() -> impl Strategy<Value = Vec<ScoreNote>> {
    let note = (0i64..64, 1i64..9, 24u8..100, 1u8..128).prop_map(|(at, length, pitch, velocity)| ScoreNote {
        at: Beats::new(at, 4),
        length: Beats::new(length, 4),
        pitch,
        velocity,
        channel: 3,
    });
    prop::collection::vec(note, 0..24)
}

fn modes() -> impl Strategy<Value = Mode> {
    prop::sample::select(vec!["C major", "D dorian", "A harmonic minor", "F# phrygian", "B♭ mixolydian"]).prop_map(|k| read_key(k).unwrap())
}

const CHORDS: [&str; 9] = ["Dm", "C", "G7", "B♭maj7", "F#m7b5", "Asus4", "E5", "C/G", "A♭"];

fn chords() -> impl Strategy<Value = Chord> {
    prop::sample::select(CHORDS.to_vec()).prop_map(|c| read_chord(c).unwrap())
}

proptest! {
    #[test]
    fn up_and_down_again_is_where_it_was(notes in notes(), mode in modes(), steps in -7i32..8) {
        let mut moved = notes.clone();
        transpose(&mut moved, mode, steps);
        for (before, after) in notes.iter().zip(&moved) {
            let outside = |n: &ScoreNote| degree(mode, i32::from(n.pitch));
            prop_assert_eq!(outside(after).0 - outside(before).0, steps + if outside(after).1 < outside(before).1 { 1 } else { 0 });
        }
        transpose(&mut moved, mode, -steps);
        // What lies outside a mode may lie where two steps are nearer together, and be one of them.
        for (before, after) in notes.iter().zip(&moved) {
            if degree(mode, i32::from(before.pitch)).1 == 0 {
                prop_assert_eq!(before, after);
            }
        }
    }

    #[test]
    fn turned_round_twice_it_is_as_it_was(notes in notes(), mode in modes()) {
        let inside: Vec<ScoreNote> = notes.into_iter().filter(|n| degree(mode, i32::from(n.pitch)).1 == 0 && (50..75).contains(&n.pitch)).collect();
        let mut turned = inside.clone();
        invert(&mut turned, mode);
        prop_assert!(turned.iter().all(|n| degree(mode, i32::from(n.pitch)).1 == 0), "it stays in the mode");
        // The first one is what it is turned about, as long as none that begins with it lies lower.
        let first = inside.iter().map(|n| n.at).min();
        if inside.iter().filter(|n| Some(n.at) == first).count() == 1 {
            invert(&mut turned, mode);
            prop_assert_eq!(turned, inside);
        }
    }

    #[test]
    fn strokes_of_a_ratchet_fill_what_the_note_was(notes in notes(), count in 1u8..9) {
        for note in notes {
            let strokes = ratchet(note, count);
            prop_assert_eq!(strokes.len(), usize::from(count));
            let mut at = note.at;
            for stroke in strokes {
                prop_assert_eq!(stroke.at, at);
                at += stroke.length;
            }
            prop_assert_eq!(at, note.at + note.length);
        }
    }

    #[test]
    fn what_is_quantised_lies_on_the_grid_and_never_moves_by_more_than_half_of_it(notes in notes(), by in 1i64..7, share in 0u8..=100) {
        let grid = Beats::new(by, 3);
        let (mut all, mut some) = (notes.clone(), notes.clone());
        quantise(&mut all, grid, 1.0);
        quantise(&mut some, grid, f32::from(share) / 100.0);
        for ((note, all), some) in notes.iter().zip(&all).zip(&some) {
            prop_assert!((all.at / grid).is_integer());
            let (off, part) = (all.at - note.at, some.at - note.at);
            prop_assert!(off * 2 <= grid && off * 2 >= -grid);
            prop_assert_eq!(part, off * Beats::new(i64::from(share), 100));
        }
    }

    #[test]
    fn another_like_it_is_the_same_for_the_same_seed_and_keeps_what_is_strong(notes in notes(), mode in modes(), seed in any::<u64>()) {
        let weak = |n: &ScoreNote| if n.at.is_integer() { 0.0 } else { 0.8 };
        let step = Beats::new(1, 4);
        let first = varied(&notes, mode, step, seed, weak);
        prop_assert_eq!(&first, &varied(&notes, mode, step, seed, weak));
        for strong in notes.iter().filter(|n| n.at.is_integer()) {
            prop_assert!(first.contains(strong));
        }
        prop_assert!(first.iter().all(|n| (1..=127).contains(&n.velocity) && n.length > Beats::from_integer(0)));
    }

    #[test]
    fn over_the_chord_it_was_written_for_a_note_is_itself_and_over_another_a_tone_is_a_tone(pitch in 30u8..90, from in chords(), to in chords(), mode in modes()) {
        for follow in [Follow::Root, Follow::Nearest] {
            prop_assert_eq!(through(pitch, &from, &from, mode, follow), pitch);
            let there = through(pitch, &from, &to, mode, follow);
            prop_assert!((i32::from(there) - i32::from(pitch)).abs() <= 12, "{} to {}", pitch, there);
            if follow == Follow::Nearest && from.tones.iter().any(|t| (i32::from(pitch) - i32::from(from.root) - i32::from(*t)).rem_euclid(12) == 0) {
                prop_assert!(to.tones.iter().any(|t| (i32::from(there) - i32::from(to.root) - i32::from(*t)).rem_euclid(12) == 0));
                prop_assert!((i32::from(there) - i32::from(pitch)).abs() <= 4);
            }
        }
        // The root goes to the root.
        let root = 48 + from.root;
        prop_assert_eq!(through(root, &from, &to, mode, Follow::Root) % 12, to.root);
    }

    #[test]
    fn what_is_made_from_chords_fills_the_section_with_tones_of_its_chords(list in prop::collection::vec(chords(), 1..5), bars in 1u32..6, which in 0usize..4, count in 2u32..7) {
        let map = Map::new(bars, &[(1, Metre { count, note: 4 })], &[(1, Beats::from_integer(100))], 48_000);
        let chords: Vec<(Beats, Chord)> = list.into_iter().enumerate().map(|(n, c)| (Beats::from_integer(n as i64 * 3), c)).collect();
        let (figure, _) = FIGURES[which];
        let made = from_chords(figure, &chords, &map, Beats::new(1, 2), 50);
        for note in &made {
            let (from, chord) = chords.iter().rev().find(|(at, _)| *at <= note.at).unwrap();
            let until = chords.iter().map(|(at, _)| *at).find(|at| at > from).unwrap_or(map.length()).min(map.length());
            prop_assert!(note.length > Beats::from_integer(0) && note.at + note.length <= until, "{:?}", note);
            let tone = |t: u8| (i32::from(note.pitch) - i32::from(t)).rem_euclid(12) == 0;
            prop_assert!(tone(chord.bass) || chord.tones.iter().any(|t| tone((chord.root + t) % 12)));
            prop_assert!((i32::from(note.pitch) - 50).abs() <= 26, "{}", note.pitch);
        }
        prop_assert!(!made.is_empty());
    }
}

#[test]
fn pitches_are_read_as_they_are_printed() {
    assert!((0..128).all(|p| read_pitch(&print_pitch(p)) == Some(p)));
    assert_eq!((read_pitch("C4"), read_pitch("A4"), read_pitch("62"), read_pitch("H2"), read_pitch("C12")), (Some(60), Some(69), Some(62), None, None));
}

#[test]
fn chords_are_read_as_they_are_written() {
    let chord = |text: &str| read_chord(text).map(|c| (c.root, c.tones, c.bass));
    assert_eq!(chord("Dm"), Some((2, vec![0, 3, 7], 2)));
    assert_eq!(chord("B♭7/F"), Some((10, vec![0, 4, 7, 10], 5)));
    assert_eq!(chord("CM7"), chord("Cmaj7"));
    assert_eq!(chord("F#m7♭5"), Some((6, vec![0, 3, 6, 10], 6)));
    for no in ["", "H", "Dx", "calm", "C/", "C/calm", "m"] {
        assert_eq!(chord(no), None, "{no}");
    }
}

#[test]
fn a_tune_over_another_chord_goes_along() {
    let (dm, c, g) = (read_chord("Dm").unwrap(), read_chord("C").unwrap(), read_chord("G").unwrap());
    let follow = |pitches: &[u8], to: &Chord, how| pitches.iter().map(|p| through(*p, &dm, to, dorian(), how)).collect::<Vec<_>>();
    // D E F A: root, second, third, fifth of D minor; over C they are C D E G, a step lower.
    assert_eq!(follow(&[62, 64, 65, 69], &c, Follow::Root), [60, 62, 64, 67]);
    // G is nearer from above than from below: G A B D.
    assert_eq!(follow(&[62, 64, 65, 69], &g, Follow::Root), [67, 69, 71, 74]);
    // Nearest: D stays as near as it can.
    assert_eq!(follow(&[62, 65, 69], &g, Follow::Nearest), [62, 67, 67]);
}

#[test]
fn what_is_weak_goes_first_and_what_is_slurred_reaches_the_next() {
    let list = [note((0, 1), 60), note((1, 4), 62), note((1, 2), 64), note((1, 1), 65)];
    let weak = |n: &ScoreNote| {
        if n.at.is_integer() {
            0.0
        } else if (n.at * 2).is_integer() {
            0.5
        } else {
            0.9
        }
    };
    let once = thinned(&list, weak);
    assert_eq!(once.iter().map(|n| n.pitch).collect::<Vec<_>>(), [60, 64, 65]);
    let twice = thinned(&once, weak);
    assert_eq!(twice.iter().map(|n| n.pitch).collect::<Vec<_>>(), [60, 65]);
    assert_eq!(thinned(&twice, weak), twice, "what is all alike stays");
    let mut slurred = list;
    slur(&mut slurred, Beats::from_integer(4));
    assert_eq!(slurred.map(|n| n.length), [Beats::new(1, 4), Beats::new(1, 4), Beats::new(1, 2), Beats::from_integer(3)]);
    let mut loud = list;
    velocities(&mut loud, 40, 100);
    assert_eq!(loud.map(|n| n.velocity), [40, 55, 70, 100]);
}
