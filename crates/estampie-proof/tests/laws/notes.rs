//! Music made of notes: files as they were written, notes on their frames, tempo and key that move.

use crate::support::{Bench, compile_and_load, level};
use estampie_engine::engine::{InputKind, NOW, Prepared};
use estampie_engine::index::PieceIndex;
use estampie_engine::music::Metre;
use estampie_engine::music::exact::Beats;
use estampie_engine::music::spec::Bend;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::telemetry::What;
use estampie_project::midi::{Score, ScoreFile, ScoreNote, Track};
use std::sync::Arc;

fn fraction(text: &str) -> Beats {
    estampie_engine::music::exact::read(text).unwrap_or_else(|| panic!("{text} is a fraction"))
}

#[test]
fn files_written_by_another_program_are_read_to_the_same_notes_and_times() {
    for name in ["format0", "format1", "odd-division"] {
        let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data");
        let score = Score::read(&std::fs::read(folder.join(format!("{name}.mid"))).unwrap()).unwrap();
        let expected: serde_json::Value = serde_json::from_slice(&std::fs::read(folder.join(format!("{name}.json"))).unwrap()).unwrap();
        let text = |v: &serde_json::Value| v.as_str().unwrap().to_owned();
        let tracks = expected["tracks"].as_array().unwrap();
        assert_eq!(score.tracks.len(), tracks.len(), "{name}");
        for (found, wanted) in score.tracks.iter().zip(tracks) {
            assert_eq!(found.name, text(&wanted["name"]), "{name}");
            let mut notes: Vec<_> = found.notes.iter().map(|n| (n.at, n.pitch, n.length, n.velocity)).collect();
            notes.sort_unstable();
            let number = |v: &serde_json::Value| v.as_u64().unwrap() as u8;
            let wanted: Vec<_> =
                wanted["notes"].as_array().unwrap().iter().map(|n| (fraction(&text(&n[0])), number(&n[2]), fraction(&text(&n[1])), number(&n[3]))).collect();
            assert_eq!(notes, wanted, "{name} {}", found.name);
        }
        let tempos: Vec<_> = expected["tempos"].as_array().unwrap().iter().map(|t| (fraction(&text(&t[0])), t[1].as_u64().unwrap() as u32)).collect();
        let metres: Vec<_> = expected["metres"].as_array().unwrap().iter().map(|m| (fraction(&text(&m[0])), Metre::read(&text(&m[1])).unwrap())).collect();
        assert_eq!((score.tempos, score.metres), (tempos, metres), "{name}");
    }
}

/// A file of format 0 with 480 ticks to a quarter, from events of delta time and bytes.
fn file(events: &[(u32, &[u8])]) -> Vec<u8> {
    let mut track = Vec::new();
    for (delta, bytes) in events {
        // Variable-length quantities, two bytes at most.
        if *delta > 127 {
            track.push(0x80 | (delta >> 7) as u8);
        }
        track.push((delta & 127) as u8);
        track.extend_from_slice(bytes);
    }
    track.extend_from_slice(&[0, 0xff, 0x2f, 0]);
    let mut whole = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk".to_vec();
    whole.extend_from_slice(&(track.len() as u32).to_be_bytes());
    whole.extend_from_slice(&track);
    whole
}

#[test]
fn the_pedal_holds_notes_the_wheel_bends_and_what_is_not_taken_is_said() {
    let score = Score::read(&file(&[
        (0, &[0xb0, 7, 100]),
        (0, &[0xc0, 4]),
        (0, &[0x90, 60, 100]),
        (240, &[0xb0, 64, 127]),
        (240, &[0x80, 60, 0]),
        // Struck again under the pedal, and let go.
        (480, &[0x90, 60, 90]),
        (240, &[0x80, 60, 0]),
        // Another note, still held when the pedal comes up.
        (0, &[0x90, 64, 80]),
        (240, &[0xb0, 64, 0]),
        (480, &[0x80, 64, 0]),
        // The wheel: a semitone up of two; then its reach is an octave.
        (0, &[0xe0, 0, 96]),
        (0, &[0xb0, 101, 0]),
        (0, &[0xb0, 100, 0]),
        (0, &[0xb0, 6, 12]),
        (480, &[0xe0, 0, 0]),
        (0, &[0xe0, 0, 64]),
        (0, &[0xd0, 5]),
        (0, &[0xb0, 7, 90]),
    ]))
    .unwrap();
    let track = &score.tracks[0];
    let notes: Vec<_> = track.notes.iter().map(|n| (n.pitch, n.at, n.length)).collect();
    let quarter = |n: i64| Beats::new(n, 2);
    assert_eq!(notes, [(60, quarter(0), quarter(4)), (60, quarter(4), quarter(2)), (64, quarter(5), quarter(3))]);
    let bends: Vec<f32> = track.bends.iter().map(|b| b.semitones).collect();
    assert_eq!(bends, [1.0, 6.0, -12.0, 0.0]);
    assert_eq!(score.not_taken(), "aftertouch, program change, volume (2 times)");
}

#[test]
fn a_note_sounds_as_far_from_its_pitch_as_the_wheel_is_and_a_section_begins_with_where_it_stands() {
    // Bar 1 is another section's: there the wheel goes to a semitone up and stays; in bar 2 it goes down again on the second beat.
    let notes = vec![note((4, 1), (4, 1), 69, 127)];
    let bend = |at: i64, semitones| Bend { at: Beats::from_integer(at), channel: 0, semitones };
    let bends = vec![bend(2, 1.0), bend(5, -2.0), bend(9, 5.0)];
    let score = Score { tracks: vec![Track { name: "hits".into(), notes, bends }], length: Beats::from_integer(8), ..Score::default() };
    let text = PIECE.replace("instrument = \"drum\"\n", "instrument = \"pure\"\nfrom-bar = 2\n").replace("tempo = \"100\"", "tempo = \"60\"");
    let program = compile_and_load(&[("music/all.toml", &text), ("music/d.mid", &ScoreFile::of(&score).to_text())], vec![]);
    let mut bench = Bench::new(&program, 1);
    bench.send(0, InputKind::Go { piece: NameKey::of("dance"), section: NameKey::of("a"), on: None });
    let (out, _) = bench.render(48_000 * 2);
    // Frequency by rising zeros over half a second.
    let hertz = |from: usize| {
        let rises: Vec<usize> = (from..from + 24_000).filter(|i| out[*i] <= 0.0 && out[*i + 1] > 0.0).collect();
        (rises.len() - 1) as f32 * 48_000.0 / (rises[rises.len() - 1] - rises[0]) as f32
    };
    let told: Vec<_> = bench
        .happenings
        .iter()
        .filter_map(|h| if let What::Note { pitch, velocity, length, .. } = h.what { Some((h.frame, pitch, velocity, length)) } else { None })
        .collect();
    assert_eq!(told, [(0, 70.0, 127, 192_000)], "each note is told on its frame");
    let expected = |semitones: f32| 440.0 * (semitones / 12.0).exp2();
    assert!((hertz(10_000) - expected(1.0)).abs() < 0.5, "{}", hertz(10_000));
    assert!((hertz(60_000) - expected(-2.0)).abs() < 0.5, "{}", hertz(60_000));
}

fn note(at: (i64, i64), length: (i64, i64), pitch: u8, velocity: u8) -> ScoreNote {
    ScoreNote { at: Beats::new(at.0, at.1), length: Beats::new(length.0, length.1), pitch, velocity, channel: 0 }
}

/// Short drum strokes at given positions, and further tracks.
fn score(strokes: &[(i64, i64)]) -> Score {
    let hits = strokes.iter().map(|at| note(*at, (1, 8), 60, 127)).collect();
    let busy = (0..16).map(|i| note((i, 4), (1, 16), 72, 127)).collect();
    let chord = (0..12).map(|i| note((0, 1), (4, 1), 40 + 3 * i, 100)).collect();
    let held = vec![note((0, 1), (3, 1), 69, 127)];
    let track = |name: &str, notes| Track { name: name.to_owned(), notes, ..Track::default() };
    Score {
        tracks: vec![track("hits", hits), track("busy", busy), track("chord", chord), track("held", held)],
        length: Beats::from_integer(8),
        ..Score::default()
    }
}

const PIECE: &str = "[instrument.drum]\nkind = \"frame drum\"\nattack = \"0 s\"\ndecay = \"30 ms\"\nrelease = \"10 ms\"\n[instrument.pure]\nkind = \"synth\"\nwave = \"sine\"\ndetune = \"0 st\"\nattack = \"1 ms\"\nrelease = \"5 ms\"\nsustain = \"100 %\"\nbrightness = \"100 %\"\npolyphony = 4\n\
[piece.dance]\ntempo = \"100\"\nkey = \"C major\"\n[piece.dance.section.a]\nbars = 2\n[piece.dance.section.a.layer.x]\nnotes = \"music/d.mid\"\ntrack = \"hits\"\ninstrument = \"drum\"\n";

fn program(text: &str, modulation: &str, strokes: &[(i64, i64)]) -> Arc<Program> {
    let score = ScoreFile::of(&score(strokes)).to_text();
    compile_and_load(&[("music/all.toml", text), ("modulation.toml", modulation), ("music/d.mid", &score)], vec![])
}

fn start(program: &Arc<Program>) -> Bench {
    let mut bench = Bench::new(program, 1);
    bench.send(0, InputKind::Go { piece: NameKey::of("dance"), section: NameKey::of("a"), on: None });
    bench
}

/// The frames on which something begins after silence.
fn onsets(samples: &[f32]) -> Vec<usize> {
    let loud = |at: usize| samples[at].abs() > 1e-5;
    (0..samples.len()).filter(|at| loud(*at) && samples[at.saturating_sub(400)..*at].iter().all(|s| s.abs() <= 1e-5)).collect()
}

#[test]
fn a_chord_that_takes_the_place_of_another_is_whole() {
    // Four voices; chords of four, each while the one before still sounds, of every kind.
    for kind in ["plucked string", "bells", "synth", "bowed string", "drone"] {
        let chord = |at: (i64, i64), from: u8, velocity: u8| (0..4).map(move |i| note(at, (4, 1), from + 4 * i, velocity));
        let notes = chord((0, 1), 50, 127).chain(chord((1, 1), 53, 60)).chain(chord((2, 1), 49, 90)).collect();
        let score = Score { tracks: vec![Track { name: "hits".into(), notes, ..Track::default() }], length: Beats::from_integer(8), ..Score::default() };
        let text =
            PIECE.replace("kind = \"frame drum\"\nattack = \"0 s\"\ndecay = \"30 ms\"\nrelease = \"10 ms\"", &format!("kind = \"{kind}\"\npolyphony = 4"));
        let program = compile_and_load(&[("music/all.toml", &text), ("music/d.mid", &ScoreFile::of(&score).to_text())], vec![]);
        let (left, _) = start(&program).render(28_800 * 3 + 20_000);
        // Each note of the chord that sounds is there, and none of the one before.
        let part = |beat: usize| &left[28_800 * beat + 9_000..28_800 * beat + 27_000];
        let power = |samples: &[f32], pitch: u8| {
            let turn = std::f64::consts::TAU * 440.0 * ((f64::from(pitch) - 69.0) / 12.0).exp2() / 48_000.0;
            let (mut s, mut c) = (0.0, 0.0);
            for (i, x) in samples.iter().enumerate() {
                let hann = 0.5 - 0.5 * (std::f64::consts::TAU * i as f64 / samples.len() as f64).cos();
                s += hann * f64::from(*x) * (turn * i as f64).sin();
                c += hann * f64::from(*x) * (turn * i as f64).cos();
            }
            (s * s + c * c) / (samples.len() as f64).powi(2)
        };
        for (beat, from) in [(0, 50u8), (1, 53), (2, 49)] {
            let sounding: Vec<f64> = (0..4).map(|i| power(part(beat), from + 4 * i)).collect();
            let strongest = sounding.iter().fold(0.0f64, |a, b| a.max(*b));
            assert!(sounding.iter().all(|p| *p > strongest * 0.02), "{kind}, chord {beat}: {sounding:?}");
        }
    }
}

#[test]
fn notes_begin_on_their_exact_frames_round_after_round() {
    let strokes = [(0, 1), (4, 3), (17, 7), (5, 1), (13, 2)];
    // At 93.7 no bar is a whole number of frames: a round that begins a part of a frame late loses nothing.
    for (tempo, beat) in [("100", 28_800.0), ("93.7", 2_880_000.0 / 93.7), ("187/2", 2_880_000.0 / 93.5)] {
        let program = program(&PIECE.replace("\"100\"", &format!("\"{tempo}\"")), "", &strokes);
        let (left, _) = start(&program).render(2_000_000);
        let all = (0..9).flat_map(|round| strokes.map(|(n, d)| (f64::from(round * 8) + n as f64 / d as f64) * beat));
        let expected: Vec<usize> = all.map(|f| f.round() as usize).filter(|f| *f < 1_990_000).collect();
        let found: Vec<usize> = onsets(&left).into_iter().filter(|f| *f < 1_990_000).collect();
        assert_eq!(found.len(), expected.len(), "at {tempo}: {found:?}");
        for (found, expected) in found.iter().zip(&expected) {
            // A stroke's first sample may be nothing: a sine begins at 0.
            assert!((*expected..expected + 3).contains(found), "{found} for {expected} at {tempo}");
        }
    }
}

#[test]
fn a_tempo_that_steps_up_does_so_on_the_bar_without_a_seam() {
    let strokes: Vec<(i64, i64)> = (0..8).map(|b| (b, 1)).collect();
    let modulation = "[[modulation]]\nfrom = \"strain\"\nmoves = \"piece dance tempo\"\ncurve = [\"0: 100 %\", \"1: 150 %\"]\n";
    let program = program(PIECE, modulation, &strokes);
    let mut bench = start(&program);
    let (mut left, _) = bench.render(64 * 500);
    bench.parameter("strain", 1.0);
    left.extend(bench.render(400_000).0);
    let found = onsets(&left);
    // 28,800 frames a beat up to bar 2, then 19,200.
    let expected: Vec<usize> = (0..4).map(|b| b * 28_800).chain((0..10).map(|b| 4 * 28_800 + b * 19_200)).collect();
    for (found, expected) in found.iter().zip(&expected) {
        assert!((*expected..expected + 3).contains(found), "{found} for {expected}: {found:?}");
    }
    assert!(found.len() >= 14, "{found:?}");
}

fn pitch_of(samples: &[f32]) -> f32 {
    let crossings: Vec<f32> = samples.windows(2).enumerate().filter(|(_, w)| w[0] <= 0.0 && w[1] > 0.0).map(|(i, w)| i as f32 + w[0] / (w[0] - w[1])).collect();
    let period = (crossings[crossings.len() - 1] - crossings[0]) / (crossings.len() - 1) as f32;
    69.0 + 12.0 * (48_000.0 / period / 440.0).log2()
}

#[test]
fn a_key_that_moves_is_taken_on_the_bar_and_stays_in_the_mode_if_asked() {
    let held = PIECE.replace("track = \"hits\"\ninstrument = \"drum\"", "track = \"held\"\ninstrument = \"pure\"").replace("bars = 2", "bars = 1");
    let modulation = "[[modulation]]\nfrom = \"strain\"\nmoves = \"piece dance transposition\"\ncurve = [\"0: 0 st\", \"1: 4 st\"]\n";
    for (text, wanted) in [(held.clone(), 73.0), (held.replace("key = \"C major\"", "key = \"C major\"\nin-mode = true"), 72.0)] {
        let program = program(&text, modulation, &[]);
        let mut bench = start(&program);
        let (left, _) = bench.render(64 * 600);
        assert!((pitch_of(&left[9_600..30_000]) - 69.0).abs() < 0.05);
        bench.parameter("strain", 1.0);
        let (left, _) = bench.render(64 * 600);
        assert!((pitch_of(&left[2_000..30_000]) - 69.0).abs() < 0.05, "it waits for the bar");
        let (left, _) = bench.render(64 * 1200);
        let at = 115_200 - 64 * 1200 + 9_600;
        let found = pitch_of(&left[at..at + 20_000]);
        assert!((found - wanted).abs() < 0.05, "{found} for {wanted}");
    }
    let gliding = held.replace("key = \"C major\"", "step = \"gliding\"");
    let program = program(&gliding, modulation, &[]);
    let mut bench = start(&program);
    bench.render(64 * 200);
    bench.parameter("strain", 0.5);
    let (left, _) = bench.render(64 * 600);
    let found = pitch_of(&left[9_600..30_000]);
    assert!((found - 71.0).abs() < 0.05, "a held note bends: {found}");
}

#[test]
fn what_the_status_says_of_the_key_is_what_is_played() {
    let held = PIECE.replace("track = \"hits\"\ninstrument = \"drum\"", "track = \"held\"\ninstrument = \"pure\"").replace("bars = 2", "bars = 1");
    let modulation = "[[modulation]]\nfrom = \"strain\"\nmoves = \"piece dance transposition\"\ncurve = [\"0: 0 st\", \"1: 4 st\"]\n";
    let program = program(&held, modulation, &[]);
    let mut bench = start(&program);
    bench.parameter("strain", 1.0);
    bench.render(64 * 100);
    let said = |bench: &Bench| bench.status.as_ref().unwrap().pieces[PieceIndex::new(0)].transposition_semitones;
    // The first bar began in the key as it was; the next one takes the new.
    let first = said(&bench);
    let (left, _) = bench.render(64 * 300);
    assert!((pitch_of(&left[2_000..]) - 69.0 - first).abs() < 0.05);
    bench.render(64 * 1_500);
    assert_eq!(said(&bench), 4.0);
}

#[test]
fn a_layer_of_notes_is_silent_while_it_is_muted() {
    let held = PIECE.replace("track = \"hits\"\ninstrument = \"drum\"", "track = \"held\"\ninstrument = \"pure\"").replace("bars = 2", "bars = 1");
    let mut bench = start(&program(&held, "", &[]));
    let (left, _) = bench.render(9600);
    assert!(left[4800..].iter().any(|s| s.abs() > 0.01));
    let sound = NameKey::of("dance/a x");
    bench.send(estampie_engine::engine::NOW, InputKind::GateSound { sound, solo: false, on: true });
    let (left, right) = bench.render(9600);
    assert!(left[4800..].iter().chain(&right[4800..]).all(|s| *s == 0.0), "after 10 ms nothing of it is left");
    bench.send(estampie_engine::engine::NOW, InputKind::GateSound { sound, solo: false, on: false });
    assert!(bench.render(9600).0[4800..].iter().any(|s| s.abs() > 0.01), "and it goes on");
}

#[test]
fn recordings_are_played_at_the_pitch_of_each_note() {
    // A recording of 1,250 Hz is taken for the note nearest to it; its take is chosen by key.
    let root = (69.0 + 12.0 * (1250.0f32 / 440.0).log2()).round();
    let takes = format!("[instrument.t]\nkind = \"takes\"\ntakes = [\"audio/low.wav, 43, 0..60\", \"audio/two.wav, {root}, 61..127\"]\n");
    let text = takes + &PIECE.replace("track = \"hits\"\ninstrument = \"drum\"", "track = \"held\"\ninstrument = \"t\"").replace("bars = 2", "bars = 1");
    let program = program(&text, "", &[]);
    let (left, _) = start(&program).render(30_000);
    let found = pitch_of(&left[4_800..28_000]);
    // The note is 69; the recording is a few cents beside the note it is taken for.
    let wanted = 69.0 + (69.0 + 12.0 * (1250.0f32 / 440.0).log2()) - root;
    assert!((found - wanted).abs() < 0.02, "{found} for {wanted}");
}

#[test]
fn a_gliding_tempo_goes_with_its_parameter_and_loses_no_note() {
    let strokes: Vec<(i64, i64)> = (0..8).map(|b| (b, 1)).collect();
    let text = PIECE.replace("key = \"C major\"", "step = \"gliding\"");
    let modulation = "[[modulation]]\nfrom = \"strain\"\nmoves = \"piece dance tempo\"\ncurve = [\"0: 100 %\", \"1: 200 %\"]\n";
    let program = program(&text, modulation, &strokes);
    let mut bench = start(&program);
    bench.send(0, InputKind::Glide { parameter: NameKey::of("strain"), from: Some(0.0), to: 1.0, frames: 288_000 });
    let (left, _) = bench.render(400_000);
    let found = onsets(&left);
    // With the tempo rising in a straight line, beats(t) = (t + t² / 2 T) / 28,800 up to T.
    let total = 288_000.0f64;
    let expected: Vec<f64> = (0..15).map(|beat| total * ((1.0 + 2.0 * f64::from(beat) * 28_800.0 / total).sqrt() - 1.0)).filter(|f| *f < total).collect();
    assert!(found.len() >= expected.len(), "{found:?}");
    for (found, expected) in found.iter().zip(&expected) {
        assert!((*found as f64 - expected).abs() < 400.0, "{found} for {expected}");
    }
}

#[test]
fn density_leaves_out_what_is_weak_and_rising_danger_makes_it_busier() {
    let busy = PIECE.replace("track = \"hits\"", "track = \"busy\"").replace("bars = 2", "bars = 1");
    let modulation = "[[modulation]]\nfrom = \"strain\"\nmoves = \"layer dance/x density\"\ncurve = [\"0: 0 %\", \"1: 100 %\"]\n";
    let program = program(&busy, modulation, &[]);
    let mut last = 0;
    for (strain, wanted) in [(0.0, 1), (0.3, 2), (0.5, 4), (0.7, 8), (1.0, 16)] {
        let mut bench = Bench::new(&program, 1);
        bench.parameter("strain", strain);
        bench.send(64, InputKind::Go { piece: NameKey::of("dance"), section: NameKey::of("a"), on: None });
        let (left, _) = bench.render(115_000);
        let count = onsets(&left).len();
        assert_eq!(count, wanted, "at {strain}");
        assert!(count > last);
        last = count;
    }
}

#[test]
fn chances_leave_out_their_share() {
    let text = PIECE
        .replace("track = \"hits\"", "track = \"busy\"\nchances = [\"softer than 127: 0 %\", \"1.2: 0 %\", \"1.3: 50 %\"]")
        .replace("bars = 2", "bars = 1");
    let program = program(&text, "", &[]);
    let (left, _) = start(&program).render(115_200 * 40);
    let per_beat = |beat: usize| (0..40).map(|round| onsets(&left[round * 115_200 + beat * 28_800..][..28_700]).len()).sum::<usize>();
    assert_eq!((per_beat(0), per_beat(1), per_beat(3)), (160, 0, 160));
    assert!((50..110).contains(&per_beat(2)), "about half of 160: {}", per_beat(2));
}

#[test]
fn a_state_chooses_the_variation_and_polyphony_is_a_limit() {
    let text = PIECE
        .replace(
            "track = \"hits\"\ninstrument = \"drum\"",
            "track = [\"held\", \"chord\"]\nby = \"deck\"\nvalues = [\"plank\", \"grate\"]\ninstrument = \"pure\"",
        )
        .replace("bars = 2", "bars = 1");
    let program = program(&text, "", &[]);
    let mut bench = start(&program);
    let (one, _) = bench.render(64 * 300);
    bench.state("deck", "grate");
    bench.render(115_200 - 64 * 300);
    let (four, _) = bench.render(20_000);
    let more = level(&four[4_800..]) - level(&one[4_800..]);
    // Four of the twelve notes of the chord sound, each at (100/127)² of the held one: 6 dB more, 4.2 less.
    assert!((0.8..3.0).contains(&more), "{more} dB");
}

#[test]
fn notes_and_recordings_share_a_clock_and_an_edit_keeps_the_place() {
    let text = format!("{PIECE}[piece.dance.section.a.layer.y]\nfile = \"audio/long.wav\"\nlevel = \"-96 dB\"\n");
    let strokes: Vec<(i64, i64)> = (0..8).map(|b| (b, 1)).collect();
    let before = program(&text, "", &strokes);
    let after = program(&text.replace("decay = \"30 ms\"", "decay = \"31 ms\""), "", &strokes);
    let mut bench = start(&before);
    let (mut left, _) = bench.render(64 * 1000);
    bench.remote.program(Box::new(Prepared::new(after, 1))).unwrap();
    left.extend(bench.render(64 * 6000).0);
    let found: Vec<usize> = (0..15).map(|b| b * 28_800).filter(|at| left[*at..at + 200].iter().any(|s| s.abs() > 0.05)).collect();
    assert_eq!(found.len(), 15, "no stroke is lost or doubled by the edit");
    let takes = bench.happenings.iter().filter(|h| matches!(h.what, What::VoiceStart { .. })).map(|h| h.frame % 230_400).collect::<Vec<_>>();
    assert!(takes.iter().all(|f| *f == 0), "both begin with the section: {takes:?}");
}

#[test]
fn what_is_wrong_with_notes_is_said() {
    let (_, faults) = crate::support::compile_with(&[(
        "music/all.toml",
        "[instrument.i]\nkind = \"kazoo\"\n[instrument.t]\nkind = \"takes\"\n[piece.p]\nkey = \"D dorian\"\n[piece.p.section.s]\nbars = 1\n[piece.p.section.s.layer.a]\nnotes = \"music/x.mid\"\n[piece.p.section.s.layer.b]\nnotes = \"music/x.mid\"\ntrack = [\"a\", \"b\"]\nby = \"deck\"\nvalues = [\"plank\"]\ninstrument = \"i\"\n[piece.p.section.s.layer.c]\nnotes = \"music/x.mid\"\ntrack = \"a\"\ninstrument = \"q\"\nchances = [\"now and then\"]\n",
    )]);
    for wanted in [
        "\"kazoo\" is not a kind",
        "the instrument t has no takes",
        "not which or with what",
        "has 2 tracks but values for 1",
        "there is no instrument q",
        "\"now and then\" is not a chance",
    ] {
        assert!(faults.iter().any(|f| f.contains(wanted)), "{wanted}: {faults:#?}");
    }
    let recorded = "[piece.p]\n[piece.p.section.s]\nbars = 1\n[piece.p.section.s.layer.a]\nfile = \"audio/long.wav\"\n";
    let modulation = "[[modulation]]\nfrom = \"strain\"\nmoves = \"piece p tempo\"\ncurve = [\"0: 100 %\", \"1: 150 %\"]\n";
    let (_, faults) = crate::support::compile_with(&[("music/all.toml", recorded), ("modulation.toml", modulation)]);
    assert!(faults.iter().any(|f| f.contains("has recorded layers, so its tempo cannot be moved")), "{faults:#?}");
}

/// The notes that began, as frame and pitch.
fn begun(bench: &Bench) -> Vec<(u64, f32)> {
    bench.happenings.iter().filter_map(|h| if let What::Note { pitch, .. } = h.what { Some((h.frame, pitch)) } else { None }).collect()
}

#[test]
fn a_tune_goes_along_with_the_chords_that_a_state_asks_for_from_the_next_bar_on() {
    let text = PIECE
        .replace("bars = 2\n", "bars = 2\nchords = [\"1: C\", \"2: F\"]\nchords-by = { deck = { silt = [\"1: Am\", \"2: G\"] } }\n")
        .replace("instrument = \"drum\"\n", "instrument = \"pure\"\nfollow-chords = \"root\"\n");
    // Root and third on each beat: C E of the first bar, F A of the second.
    let tune = [60u8, 64, 60, 64, 65, 69, 65, 69];
    let notes = tune.iter().enumerate().map(|(n, pitch)| note((n as i64, 1), (1, 4), *pitch, 100)).collect();
    let score = Score { tracks: vec![Track { name: "hits".into(), notes, ..Track::default() }], length: Beats::from_integer(8), ..Score::default() };
    let program = compile_and_load(&[("music/all.toml", &text), ("music/d.mid", &ScoreFile::of(&score).to_text())], vec![]);
    let mut bench = start(&program);
    let beat = 28_800;
    // As written; the state changes on the third beat: the first bar stays what it was, the second goes over G; round two is over A minor and G.
    bench.render(2 * beat + 100);
    bench.send(NOW, InputKind::State { state: NameKey::of("deck"), value: NameKey::of("silt") });
    bench.render(14 * beat - 200);
    let pitches: Vec<f32> = begun(&bench).iter().map(|(_, pitch)| *pitch).collect();
    // F to G is a step up, C to A minor three down: A C, the third of a minor chord.
    assert_eq!(pitches, [60.0, 64.0, 60.0, 64.0, 67.0, 71.0, 67.0, 71.0, 57.0, 60.0, 57.0, 60.0, 67.0, 71.0, 67.0, 71.0]);
}

#[test]
fn swing_makes_every_second_eighth_late_by_its_share() {
    let program =
        program(&PIECE.replace("instrument = \"drum\"\n", "instrument = \"drum\"\nswing = \"60 %\"\n"), "", &[(0, 1), (1, 2), (1, 1), (3, 2), (7, 4)]);
    let mut bench = start(&program);
    bench.render(200_000);
    let frames: Vec<u64> = begun(&bench).iter().map(|(frame, _)| *frame).take(5).collect();
    // A pair of eighths takes 28,800 frames, the first of it 60 %; what lies halfway through the second half stays halfway in it.
    assert_eq!(frames, [0, 17_280, 28_800, 28_800 + 17_280, 28_800 + 17_280 + 5_760]);
}

#[test]
fn one_note_has_a_chance_of_its_own_and_its_neighbours_are_played_always() {
    let program =
        program(&PIECE.replace("instrument = \"drum\"\n", "instrument = \"drum\"\nchances = [\"1.2 1/2 C4: 30 %\"]\n"), "", &[(0, 1), (3, 2), (2, 1)]);
    let mut bench = start(&program);
    let rounds = 200;
    bench.render(rounds * 8 * 28_800 - 100);
    let beat = |frame: u64| (frame as f64 / 28_800.0) % 8.0;
    let count = |at: f64| begun(&bench).iter().filter(|(frame, _)| (beat(*frame) - at).abs() < 0.01).count();
    assert_eq!((count(0.0), count(2.0)), (rounds, rounds));
    let sometimes = count(1.5);
    // Within four deviations of a draw of 200.
    assert!((34..=86).contains(&sometimes), "{sometimes}");
}
