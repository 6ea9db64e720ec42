//! What is kept to look back at, held against all of it.

use super::*;
use estampie_engine::engine::Status;
use proptest::prelude::*;

const RATE: u32 = 48_000;

fn status(frame: u64, voices: &[u64]) -> Status {
    let voice = |voice: u64| VoiceStatus {
        voice,
        sound: NameKey::of("creak"),
        take: NameKey::NONE,
        emitter: NameKey::NONE,
        started: 0,
        at: 0,
        heard_db: -(voice as f32),
        rms_db: -20.0,
        placement: None,
        leaving: false,
        asleep: false,
        first: 0,
        count: 0,
    };
    Status { frame, peak: [0.5, 0.25], voices: voices.iter().map(|v| voice(*v)).collect(), ..Status::default() }
}

fn starts(frame: u64, voice: u64) -> Happening {
    let (sound, none) = (NameKey::of("creak"), NameKey::NONE);
    let what = What::VoiceStart { voice, sound, leaf: sound, take: none, emitter: none, at: None, level: 0.0, pitch: 0.0, drawn: Default::default(), by: none };
    Happening { frame, what }
}

const SOUNDS: [&str; 2] = ["creak", "knock"];

fn refused(frame: u64, sound: &str) -> Happening {
    let (emitter, by) = (NameKey::NONE, NameKey::NONE);
    Happening { frame, what: What::Refused { sound: NameKey::of(sound), emitter, reason: estampie_engine::telemetry::Reason::Playing, by } }
}

fn ends(frame: u64, voice: u64) -> Happening {
    Happening { frame, what: What::VoiceEnd { voice, sound: NameKey::of("creak"), cause: Cause::Stolen } }
}

/// Forty minutes of statuses, sixty a second.
fn forty_minutes() -> Kept {
    let mut kept = Kept::new(RATE);
    let program = Program::default();
    for at in 0..40 * 60 * 60u64 {
        kept.note_status(&status(at * 800, &[]), &program, Measured::default());
    }
    kept
}

#[test]
fn statuses_stand_wider_apart_with_their_age_and_go_after_half_an_hour() {
    let kept = forty_minutes();
    let now = kept.now();
    assert!(now - kept.begins() > kept.frames(KEPT.0 - 2.0) && now - kept.begins() <= kept.frames(KEPT.0));
    let far = |seconds: f64| {
        let frame = now - kept.frames(seconds);
        (frame - kept.at(frame).unwrap().frame) as f64 / f64::from(RATE)
    };
    for seconds in [0.1, 5.0, 59.0] {
        assert!(far(seconds) < 0.051, "{seconds}: {}", far(seconds));
    }
    assert!(far(70.0) < 0.26 && far(290.0) < 0.26 && far(400.0) < 1.02 && far(1_790.0) < 1.02);
    let count: usize = kept.statuses.iter().map(VecDeque::len).sum();
    assert!((1_200 + 960 + 1_500 - 90..1_200 + 960 + 1_500 + 90).contains(&count), "{count}");
    assert_eq!(kept.bytes, kept.statuses.iter().flatten().map(|s| bytes(s)).sum::<usize>());
    // Before all that is known stands the first that is.
    assert_eq!(kept.at(0).unwrap().frame, kept.begins());
    // A value that never changed is two of them.
    assert_eq!((kept.values(Track::Voices, 0, u64::MAX).len(), kept.value(Track::Voices, now)), (2, Some(0.0)));
}

#[test]
fn too_much_is_forgotten_from_the_oldest_on() {
    let mut kept = Kept::new(RATE);
    let program = Program::default();
    let mut big = status(0, &[]);
    big.cells = vec![0.0; 1 << 20].into();
    for at in 0..100 {
        big.frame = at * 48_000;
        kept.note_status(&big, &program, Measured::default());
    }
    assert!(kept.bytes <= STATUSES && kept.bytes > STATUSES - (5 << 20), "{}", kept.bytes);
    assert_eq!(kept.at(kept.now()).unwrap().frame, 99 * 48_000);
    assert!(kept.begins() > 70 * 48_000);
}

#[test]
fn voices_last_from_their_beginning_to_their_end_and_say_why() {
    let mut kept = Kept::new(RATE);
    for happening in [starts(100, 1), starts(5_000, 2), ends(9_000, 1)] {
        kept.note(&happening);
    }
    let program = Program::default();
    kept.note_status(&status(6_000, &[1, 2]), &program, Measured::default());
    kept.note_status(&status(12_000, &[2]), &program, Measured::default());
    let voices = |from, to| kept.bars(from, to).map(|b| b.voice).collect::<Vec<_>>();
    assert_eq!((voices(0, 50), voices(0, 4_999), voices(8_000, 9_500), voices(9_001, 20_000)), (vec![], vec![1], vec![1, 2], vec![2]));
    assert_eq!(kept.bars(0, 100).next().unwrap().end, Some((9_000, Cause::Stolen)));
    let loudest = kept.loudest(0, 20_000, |_| true).unwrap();
    assert_eq!((loudest.voice, loudest.loudest_db), (1, -1.0));
    assert_eq!(kept.loudest(101, 20_000, |_| true).unwrap().voice, 2, "what had begun before does not count");
    assert!(kept.loudest(0, 20_000, |b| b.voice > 2).is_none());
    assert_eq!(kept.last_of(NameKey::of("creak"), 8_999).unwrap().frame, 5_000);
    assert_eq!(kept.last_of(NameKey::of("creak"), 20_000).unwrap().frame, 9_000);
    assert!(kept.last_of(NameKey::of("hull"), 20_000).is_none());
    assert_eq!((kept.first_with(2, 0), kept.first_with(2, 6_001), kept.first_with(1, 6_001)), (Some(6_000), Some(12_000), None));
}

#[test]
fn what_has_ended_is_asked_by_how_long_ago_it_was() {
    let mut kept = Kept::new(RATE);
    for at in 1..=20u64 {
        let voice = status(0, &[at]).voices[0];
        kept.note_ended(Ended { voice, terms: Vec::new(), at: at * 48_000 });
    }
    let before = |second: u64, seconds| kept.ended_before(second * 48_000, seconds).map(|e| e.voice.voice).collect::<Vec<_>>();
    assert_eq!((before(3, 2.0), before(0, 9.0), before(20, 1.0), before(25, 6.0)), (vec![3, 2], vec![], vec![20], vec![20]));
}

proptest! {
    /// Of each stretch the greatest value (of several the last) and the last one are kept, whatever comes when.
    #[test]
    fn of_each_stretch_the_greatest_and_the_last_value_are_kept(steps in prop::collection::vec((1u64..40, -4i32..4), 1..120), stretch in 2u64..90) {
        let (mut frame, mut all, mut kept) = (0, Vec::new(), VecDeque::new());
        for (step, value) in steps {
            frame += step;
            all.push((frame, value as f32));
            put_coarse(&mut kept, (frame, value as f32), stretch, 0);
        }
        let mut wanted: Vec<(u64, f32)> = Vec::new();
        for part in all.chunk_by(|a, b| a.0 / stretch == b.0 / stretch) {
            let greatest = part.iter().copied().max_by(|a, b| a.1.total_cmp(&b.1)).unwrap();
            wanted.push(greatest);
            wanted.extend(part.last().filter(|last| last.0 != greatest.0));
        }
        prop_assert_eq!(kept.into_iter().collect::<Vec<_>>(), wanted);
    }

    /// Against a plain look through all of it.
    #[test]
    fn the_past_is_found_as_it_was(steps in prop::collection::vec((1u64..3_000, 0u32..5), 1..200), asked in prop::collection::vec((0u64..400_000, 0u64..400_000), 1..20)) {
        let mut kept = Kept::new(RATE);
        let program = Program::default();
        let (mut frame, mut all, mut statuses) = (0, Vec::new(), Vec::new());
        for (voice, (after, kind)) in steps.into_iter().enumerate() {
            frame += after;
            match kind {
                0 => { kept.note_status(&status(frame, &[voice as u64]), &program, Measured::default()); statuses.push(frame); }
                1 => { let h = ends(frame, voice as u64 / 2); kept.note(&h); all.push(h); }
                2 => { let h = refused(frame, SOUNDS[voice % 2]); kept.note(&h); all.push(h); }
                _ => {
                    let mut h = starts(frame, voice as u64);
                    if let What::VoiceStart { sound, .. } = &mut h.what { *sound = NameKey::of(SOUNDS[voice % 2]); }
                    kept.note(&h);
                    all.push(h);
                }
            }
        }
        // Statuses stand apart.
        let mut apart: Vec<u64> = Vec::new();
        for frame in statuses {
            if apart.last().is_none_or(|last| last + 2_400 <= frame) { apart.push(frame); }
        }
        for (a, b) in asked {
            let (from, to) = (a.min(b), a.max(b));
            let expected: Vec<Happening> = all.iter().filter(|h| h.frame >= from && h.frame <= to).copied().collect();
            prop_assert_eq!(kept.happened(from, to).copied().collect::<Vec<_>>(), expected);
            for name in SOUNDS {
                let sound = NameKey::of(name);
                let bars: Vec<Bar> = kept.bars(from, to).filter(|b| b.sound == sound).copied().collect();
                prop_assert_eq!(kept.bars_of(sound, from, to).copied().collect::<Vec<_>>(), bars);
                let frames: Vec<u64> = all.iter().filter(|h| matches!(h.what, What::Refused { sound: of, .. } if of == sound) && (from..=to).contains(&h.frame)).map(|h| h.frame).collect();
                prop_assert_eq!(kept.refused_of(sound, from, to).collect::<Vec<_>>(), frames);
            }
            let stood = apart.iter().rev().find(|f| **f <= from).or_else(|| apart.first());
            prop_assert_eq!(kept.at(from).map(|s| s.frame), stood.copied());
        }
    }
}
