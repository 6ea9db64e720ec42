//! Files and their texts, over any of them.

use super::*;
use proptest::prelude::*;

proptest! {
    #[test]
    fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..400)) {
        let _ = Score::read(&bytes);
        let mut begun = b"MThd\0\0\0\x06\0\x01\0\x02\x01\xe0MTrk\0\0\0\x40".to_vec();
        begun.extend(&bytes);
        let _ = Score::read(&begun);
    }
}

/// Found by the fuzzer: the reader negates the byte of frames a second, which has no opposite.
#[test]
fn a_division_that_its_reader_cannot_bear_is_refused() {
    for frames in [0x80, 0xe7] {
        let bytes = [b"MThd".as_slice(), &[0, 0, 0, 6, 0, 0, 0, 1, frames, 0]].concat();
        assert!(Score::of_bytes(&bytes).is_err() && ScoreFile::of_bytes(&bytes).is_err(), "{frames}");
    }
}

#[test]
fn what_is_no_midi_is_said() {
    assert!(matches!(Score::read(b"hello"), Err(ScoreError::Unknown(_))));
    assert!(Score::read(b"").is_err());
    let film = b"MThd\0\0\0\x06\0\0\0\x01\xe7\x28MTrk\0\0\0\x04\0\xff\x2f\0";
    assert!(matches!(Score::read(film), Err(ScoreError::Frames)));
    let empty = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x04\0\xff\x2f\0";
    assert_eq!(Score::read(empty), Err(ScoreError::NoNotes));
}

/// Any event but a note.
fn other() -> impl Strategy<Value = What> {
    prop_oneof![
        "[a-z][a-z ]{0,8}[a-z]".prop_map(What::Name),
        (1u32..1 << 24).prop_map(What::Tempo),
        (1u8..20, 0u8..6, 1u8..99, Just(8u8)).prop_map(|(a, b, c, d)| What::Metre(a, b, c, d)),
        (-7i8..8, any::<bool>()).prop_map(|(sharps, minor)| What::Key(sharps, minor)),
        (0u8..16, 0u8..128).prop_map(|(c, p)| What::Program(c, p)),
        (0u8..16, 0u8..128, 0u8..128).prop_map(|(c, n, v)| What::Control(c, n, v)),
        (0u8..16, -8192i16..8192).prop_map(|(c, w)| What::Bend(c, w)),
        (0u8..16, 0u8..128, 0u8..128).prop_map(|(c, n, v)| What::Aftertouch(c, n, v)),
        (0u8..16, 0u8..128).prop_map(|(c, p)| What::Pressure(c, p)),
        prop::collection::vec(any::<u8>(), 0..9).prop_map(|b| What::Meta(1, b)),
        prop::collection::vec(any::<u8>(), 0..9).prop_map(What::SysEx),
    ]
}

fn note() -> impl Strategy<Value = ScoreNote> {
    let beats = || (0i64..64, prop::sample::select(vec![1i64, 2, 3, 4, 5, 7, 8, 12, 16])).prop_map(|(n, d)| Beats::new(n, d));
    (beats(), beats(), 0u8..128, 1u8..128, 0u8..16).prop_map(|(at, length, pitch, velocity, channel)| ScoreNote {
        at,
        length: length + Beats::new(1, 16),
        pitch,
        velocity,
        channel,
    })
}

/// A file of any events and notes of which none sounds twice at once.
fn file() -> impl Strategy<Value = ScoreFile> {
    let track = (prop::collection::vec((0u32..9_000, other()), 0..12), prop::collection::vec(note(), 0..20));
    (any::<bool>(), prop::sample::select(vec![96u16, 480, 960]), prop::collection::vec(track, 1..4)).prop_map(|(single, division, tracks)| {
        let mut file = ScoreFile { single: false, division, tracks: Vec::new() };
        for (events, notes) in tracks.into_iter().take(if single { 1 } else { 9 }) {
            let mut list: Vec<Event> = events.into_iter().map(|(tick, what)| Event { time: tick, what }).collect();
            list.sort_by_key(|e| e.time);
            file.tracks.push(FileTrack { end: list.last().map_or(0, |e| e.time), events: list });
            let last = file.tracks.len() - 1;
            file.set_notes(last, &notes);
        }
        file.single = single;
        file
    })
}

/// What a file says, in an order that does not depend on how notes are written: what is no note as it comes, then notes.
fn said(file: &ScoreFile) -> Vec<(Vec<Event>, Vec<Event>, u32)> {
    let is_note = |e: &&Event| matches!(e.what, What::Note { .. });
    file.tracks
        .iter()
        .map(|t| (t.events.iter().filter(|e| !is_note(e)).cloned().collect(), t.events.iter().filter(is_note).cloned().collect(), t.end))
        .collect()
}

proptest! {
    #[test]
    fn a_file_comes_back_from_its_bytes_and_from_its_text(file in file()) {
        let again = ScoreFile::of_bytes(&file.to_bytes()).unwrap();
        prop_assert_eq!(said(&again), said(&file));
        prop_assert_eq!((again.single, again.division), (file.single, file.division));
        prop_assert_eq!(&ScoreFile::of_text(&file.to_text()).unwrap(), &file);
        // Written again it is the same to the byte, whatever wrote it first.
        prop_assert_eq!(again.to_bytes(), ScoreFile::of_bytes(&again.to_bytes()).unwrap().to_bytes());
    }

    #[test]
    fn notes_that_are_written_are_those_that_are_read(notes in prop::collection::vec(note(), 0..30), file in file()) {
        let mut file = file;
        file.split();
        let others = said(&file).into_iter().map(|(others, ..)| others.len()).sum::<usize>();
        file.add_track("new");
        let at = file.tracks.len() - 1;
        file.set_notes(at, &notes);
        let read = file.notes(at);
        // None sounds twice at once; each is one that was asked for, cut where its pitch is struck again.
        for (n, note) in read.iter().enumerate() {
            let same = |other: &&ScoreNote| (other.pitch, other.channel) == (note.pitch, note.channel);
            prop_assert!(read.iter().skip(n + 1).filter(same).all(|later| later.at >= note.at + note.length));
            let near = |a: Beats, b: Beats| (a - b) * i64::from(file.division) <= Beats::from_integer(1) && (b - a) * i64::from(file.division) <= Beats::from_integer(1);
            prop_assert!(notes.iter().any(|o| near(o.at, note.at) && o.pitch == note.pitch && o.velocity == note.velocity && note.length <= o.length + Beats::new(1, i64::from(file.division))));
        }
        for note in &notes {
            prop_assert!(read.iter().any(|r| (r.pitch, r.channel) == (note.pitch, note.channel)));
        }
        prop_assert_eq!(said(&file).into_iter().map(|(others, ..)| others.len()).sum::<usize>(), others + 1);
        // Once more changes nothing, and the bytes say the same.
        let before = file.clone();
        file.set_notes(at, &read);
        prop_assert_eq!(&before, &file);
        let again = ScoreFile::of_bytes(&file.to_bytes()).unwrap();
        prop_assert_eq!(again.notes(at), read);
    }

    #[test]
    fn no_text_makes_reading_panic(text in "(midi [0-9]{1,3} [0-9]{1,6}\n|track\n|[0-9]{1,10} (note|end|bend|meta|name|sysex|key) ?[-0-9a-f ]{0,20}\n){0,9}") {
        if let Ok(file) = ScoreFile::of_text(&text) {
            prop_assert!(ScoreFile::of_bytes(&file.to_bytes()).is_ok());
        }
    }
}

#[test]
fn a_position_that_is_no_tick_gets_more_ticks_and_all_stay_where_they_are() {
    let mut file = ScoreFile { division: 96, ..ScoreFile::new() };
    file.add_track("a");
    let at = |n, d| ScoreNote { at: Beats::new(n, d), length: Beats::new(1, 4), pitch: 60, velocity: 90, channel: 0 };
    file.set_notes(0, &[at(1, 4)]);
    file.set_notes(0, &[at(1, 4), at(6, 5), at(13, 7)]);
    assert_eq!((file.division, file.notes(0)), (96 * 35, vec![at(1, 4), at(6, 5), at(13, 7)]));
    // What would need more than there can be goes to the nearest.
    let mut list = file.notes(0);
    list.push(at(100, 11 * 13));
    file.set_notes(0, &list);
    assert!(file.division <= 32_767);
    let off = file.notes(0)[1].at - Beats::new(100, 11 * 13);
    assert!(off * i64::from(file.division) * 2 <= Beats::from_integer(1), "{off}");
}

#[test]
fn a_file_of_one_track_is_split_by_channel_under_the_names_that_its_notes_are_found_by() {
    let mut file = ScoreFile { single: true, ..ScoreFile::new() };
    file.add_track("all");
    let note = |pitch, channel| ScoreNote { at: Beats::from_integer(1), length: Beats::from_integer(1), pitch, velocity: 80, channel };
    file.set_notes(0, &[note(60, 0), note(36, 9)]);
    file.begin_with(What::Tempo(500_000));
    let before = file.score().unwrap();
    assert_eq!(before.tracks.iter().map(|t| t.name.as_str()).collect::<Vec<_>>(), ["channel 1", "channel 10"]);
    file.split();
    assert_eq!(file.score().unwrap().tracks, before.tracks);
    assert_eq!((file.track("channel 10"), file.tracks.len(), file.channel(2)), (Some(2), 3, 9));
}

#[test]
fn the_notes_of_a_score_are_those_of_the_file_that_is_made_of_it() {
    let note = |at: i64, pitch| ScoreNote { at: Beats::new(at, 3), length: Beats::new(1, 3), pitch, velocity: 90, channel: 2 };
    let bends = vec![Bend { at: Beats::from_integer(1), channel: 2, semitones: 5.0 }, Bend { at: Beats::from_integer(2), channel: 2, semitones: -0.5 }];
    let track = Track { name: "tune".into(), notes: vec![note(0, 60), note(1, 64)], bends };
    let metres = vec![(Beats::from_integer(0), Metre { count: 6, note: 8 })];
    let score = Score { tracks: vec![track], tempos: vec![(Beats::from_integer(0), 500_000)], metres, length: Beats::from_integer(4), ..Score::default() };
    assert_eq!(ScoreFile::of(&score).score().unwrap(), score);
}

#[test]
fn a_note_that_stays_what_it_is_is_let_go_as_it_was() {
    let mut file = ScoreFile::of_text("midi 1 480\ntrack\n0 note 1 67 90 480 10\n0 note 1 60 90 480 20\n480 note 1 60 90 480\n960 end\n").unwrap();
    let notes = file.notes(0);
    file.set_notes(0, &notes);
    let off = |file: &ScoreFile| file.to_text().lines().filter(|l| l.contains("note")).map(str::to_owned).collect::<Vec<_>>();
    assert_eq!(off(&file), ["0 note 1 60 90 480 20", "0 note 1 67 90 480 10", "480 note 1 60 90 480"]);
    file.set_notes(0, &notes.iter().map(|n| ScoreNote { velocity: 50, ..*n }).collect::<Vec<_>>());
    assert!(off(&file).iter().all(|l| l.ends_with(" 50 480")), "another note is let go plainly");
}
