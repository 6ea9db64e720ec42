//! Keys of the view *Sounds*, and a take in its recording by keys and mouse, as values: what is written, heard and shown.

use super::handles::Handle;
use crate::workshop::app::App;
use crate::workshop::view_tests::Desk;
use estampie_engine::names::NameKey;
use ratatui::crossterm::event::{Event, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};

/// A second of a tone of 100 Hz with a quarter of a second of silence at both ends.
fn desk(sounds: &str) -> Desk {
    let desk = Desk::with(|folder| {
        let spec = hound::WavSpec { channels: 2, sample_rate: 48_000, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
        for name in ["rope_01", "rope_02"] {
            let mut wave = hound::WavWriter::create(folder.join(format!("audio/{name}.wav")), spec).unwrap();
            for i in 0..72_000 {
                let sounds = (12_000..60_000).contains(&i);
                let sample = if sounds { (f64::from(i) * std::f64::consts::TAU / 480.0).cos() * 9_000.0 } else { 0.0 };
                (0..2).for_each(|_| wave.write_sample(sample as i16).unwrap());
            }
            wave.finalize().unwrap();
        }
        std::fs::write(folder.join("sounds/rope.toml"), sounds).unwrap();
    });
    let mut desk = opened(desk, "rope");
    desk.page();
    desk
}

/// Opens the first take of a sound.
fn opened(mut desk: Desk, sound: &str) -> Desk {
    desk.poll_until("all is loaded", |app| app.loading().is_none());
    desk.keys("3");
    desk.app.sounds.selected = sound.to_owned();
    desk.keys("o");
    desk.poll_until("the recording is read", |app| app.sounds.opened.as_ref().is_some_and(|o| o.recording.is_some()));
    desk
}

/// Chooses a handle.
fn choose(desk: &mut Desk, handle: Handle) {
    let left = Handle::ALL.iter().position(|h| *h == handle).unwrap();
    let at = desk.app.handles().iter().position(|h| *h == desk.app.sounds.opened.as_ref().unwrap().handle).unwrap();
    for _ in 0..(left + desk.app.handles().len() - at) % desk.app.handles().len() {
        desk.keys("tab");
    }
    assert_eq!(desk.app.sounds.opened.as_ref().unwrap().handle, handle);
}

fn written(desk: &Desk) -> String {
    desk.text("sounds/rope.toml").lines().find(|l| l.starts_with("takes")).unwrap_or_default().to_owned()
}

#[test]
fn a_take_is_trimmed_by_keys_and_heard_as_it_is_written() {
    let mut desk = desk("[rope]\ntakes = [\"audio/rope_*.wav, level -3 dB\"]\npick = \"cycle\"\n");
    let page = desk.page();
    assert!(page.contains("rope_01.wav") && page.contains("take 1 of 2 of rope") && page.contains("1.500 s, plays 1.500 s"), "{page}");
    assert!(!page.contains("Seam") && !page.contains("loop begin"), "what does not loop has no loop");
    // A hundredth of what is in sight, written when the hand rests; the pattern is given up for it, and that is said.
    desk.keys("right right");
    assert!(written(&desk).contains("rope_*.wav"));
    desk.poll_until("it is written", |app| app.workspace.unsaved() > 0);
    assert_eq!(written(&desk), "takes = [\"audio/rope_01.wav, level -3 dB, from 0.03 s\", \"audio/rope_02.wav, level -3 dB\"]");
    assert!(desk.app.message.as_ref().unwrap().text.contains("audio/rope_*.wav is named file by file"));
    // Typed; what cannot be is said and asked again.
    choose(&mut desk, Handle::End);
    desk.keys("e");
    desk.type_text("9 s");
    desk.keys("enter");
    assert!(desk.page().contains("the end can be at 1.5 s at the most"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("750 ms");
    desk.keys("enter");
    assert!(written(&desk).contains("from 0.03 s, to 0.75 s"), "{}", written(&desk));
    // Silence at its head is trimmed off; the fade is a length.
    desk.keys("t");
    assert!(written(&desk).contains("rope_01.wav, level -3 dB, from 0.248 s, to 1.26 s"), "{}", written(&desk));
    choose(&mut desk, Handle::FadeOut);
    desk.keys("left left");
    desk.poll_until("it is written", |app| app.sounds.opened.as_ref().unwrap().trim.fade_out > 0.0 && app.workspace.undo_name() == Some("trim of rope 1"));
    desk.poll_until("all of it is", |app| app.workspace.sources().get("sounds/rope.toml").unwrap().contains("fade-out 0.03 s"));
    // Heard from the second before the fade, as it is now.
    desk.keys("g");
    let name = "audio/rope_01.wav from 0.248 s to 1.26 s out 0.03 s";
    desk.poll_until("it is heard", |app| app.rehearsal.status.as_ref().is_some_and(|s| s.voices.iter().any(|v| v.take == NameKey::of(name))));
    desk.poll_until("its place is known", |app| app.heard_at().is_some_and(|at| (0.25..1.26).contains(&at)));
    assert!(desk.page().contains('╎'), "where it is heard is shown");
    // Undo goes back in the picture, too; and the take before stays what it was.
    desk.keys("u");
    desk.poll_until("what is undone is shown", |app| app.sounds.opened.as_ref().unwrap().trim.fade_out == 0.0);
    desk.keys(">");
    desk.poll_until("the other is open", |app| app.sounds.opened.as_ref().unwrap().file.ends_with("rope_02.wav"));
    assert_eq!(desk.app.sounds.opened.as_ref().unwrap().trim.from, 0.0);
    desk.keys("esc");
    assert!(desk.app.sounds.opened.is_none() && desk.page().contains("Varies each time"));
}

#[test]
fn a_loop_is_set_by_ear_and_closes_best_where_its_samples_meet() {
    let mut desk = desk("[rope]\nloop = true\ntakes = [\"audio/rope_01.wav, loop 0.5..0.9037 s\"]\n");
    let page = desk.page();
    assert!(page.contains("Seam") && page.contains("clicks: a step of") && page.contains("loop 0.404 s"), "{page}");
    desk.keys("b");
    // Periods of 10 ms: whole ones lie between.
    assert!(written(&desk).contains("loop 0.5..0.9 s"), "{}", written(&desk));
    assert!(desk.page().contains("closes: a step of"), "{}", desk.page());
    assert!(desk.app.message.as_ref().unwrap().text.contains("ends 3.7 ms earlier"));
    choose(&mut desk, Handle::Seam);
    desk.keys("e");
    desk.type_text("20 ms");
    desk.keys("enter");
    assert!(written(&desk).contains("loop 0.5..0.9 s, seam 0.02 s"), "{}", written(&desk));
    desk.keys("0");
    assert!(written(&desk).ends_with("loop 0.5..0.9 s\"]"));
    choose(&mut desk, Handle::LoopBegin);
    desk.keys("0");
    assert_eq!(written(&desk), "takes = [\"audio/rope_01.wav\"]");
    assert!(desk.page().contains("loop 1.500 s"), "all of it goes round");
}

#[test]
fn the_mouse_drags_handles_and_hears_elsewhere_and_the_wheel_zooms() {
    let mut desk = desk("[rope]\nloop = true\ntakes = [\"audio/rope_01.wav\"]\n");
    let send = |desk: &mut Desk, kind, (column, row): (u16, u16)| {
        desk.app.event(&Event::Mouse(MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE }));
        desk.page();
    };
    // The picture begins at column 39 and ends at 158: 1.5 s.
    let (left, right) = (39u16, 158u16);
    let column = |seconds: f64| left + ((seconds / 1.5) * f64::from(right - left)) as u16;
    send(&mut desk, MouseEventKind::Down(MouseButton::Left), (right - 1, 12));
    assert_eq!(desk.app.sounds.opened.as_ref().unwrap().handle, Handle::Seam, "of those that lie together the last");
    send(&mut desk, MouseEventKind::Drag(MouseButton::Left), (column(1.2), 12));
    send(&mut desk, MouseEventKind::Up(MouseButton::Left), (column(1.2), 12));
    // Nothing lies before the loop that could be faded in.
    let trim = desk.app.sounds.opened.as_ref().unwrap().trim;
    assert_eq!(trim.seam, 0.0);
    send(&mut desk, MouseEventKind::Down(MouseButton::Left), (column(0.75), 12));
    desk.poll_until("it is heard from there", |app| app.heard_at().is_some_and(|at| (0.7..1.5).contains(&at)));
    let wide = |desk: &Desk| desk.app.sounds.opened.as_ref().map(|o| o.sight.1 - o.sight.0).unwrap();
    send(&mut desk, MouseEventKind::ScrollUp, (column(0.75), 12));
    assert_eq!(wide(&desk), 0.75);
    desk.keys("+ + + + + + + + + + + + +");
    assert!((wide(&desk) - 64.0 / 48_000.0).abs() < 1e-9, "down to single samples");
    desk.page();
    desk.keys("- - - - - - - - - - - - - -");
    assert_eq!(wide(&desk), 1.5);
    desk.keys("v");
    let drawn = |app: &App| app.sounds.opened.as_ref().unwrap().image.is_some();
    desk.poll_until("the spectrogram is there", drawn);
    let page = desk.page();
    assert!(page.contains('█') || page.contains('▓') || page.contains('▀'), "{page}");
    // Another sound is another page; what was open is closed.
    desk.click("groan");
    desk.poll_until("it is closed", |app| app.sounds.opened.is_none());
    assert!(desk.page().contains("Varies each time"), "{}", desk.page());
    desk.app.sounds.selected = "rope".into();
    desk.keys("o");
    desk.poll_until("it is open again", |app| app.sounds.opened.as_ref().is_some_and(|o| o.recording.is_some()));
    // Any size is drawn.
    for size in [(80, 24), (100, 30), (200, 60), (60, 16), (20, 5)] {
        desk.size = size;
        desk.page();
    }
}

#[test]
fn what_has_no_recording_is_not_opened() {
    let desk = Desk::with(|folder| std::fs::write(folder.join("sounds/rope.toml"), "[rope]\ntakes = [\"hull/groan\"]\n").unwrap());
    let mut desk = desk;
    desk.keys("3");
    desk.app.sounds.selected = "rope".into();
    desk.keys("o");
    assert!(desk.app.sounds.opened.is_none() && desk.app.message.as_ref().unwrap().text.contains("only a take from an audio file"));
}

#[test]
fn lines_are_a_table_and_a_chain_lies_over_time() {
    let lines = "[rope]\nlines = { character = \"bosun\", rank = 30 }\npick = \"by watch\"\ntakes = { calm = [\"audio/rope_01.wav\"], alarm = [\"audio/rope_02.wav\"] }\ntexts = { rope_01 = \"Make fast.\" }\n";
    let mut desk = desk(lines);
    desk.keys("esc");
    desk.poll_until("all is measured", |app| app.facts.contains_key("audio/rope_02.wav"));
    let page = desk.page();
    let row = |page: &str, name: &str| page.lines().find(|l| l.contains(name)).map(|l| l.split_whitespace().collect::<Vec<_>>().join(" ")).unwrap_or_default();
    assert!(page.contains("rank 30 of 100"), "{page}");
    assert!(row(&page, "rope_01.wav").contains("calm rope_01.wav 1.50 s") && row(&page, "rope_01.wav").contains("Make fast."), "{page}");
    assert!(row(&page, "rope_02.wav").contains("alarm rope_02.wav 1.50 s") && row(&page, "rope_02.wav").contains('–'), "{page}");
    // A line is opened like any take.
    desk.app.sounds.column = super::Column::Takes;
    desk.keys("down o");
    assert!(desk.app.sounds.opened.as_ref().is_some_and(|o| o.file == "audio/rope_02.wav"));
    let chain = "[rope]\nchain = [\"audio/rope_01.wav\", \"audio/rope_*.wav, 2..4 times, overlap 40 ms\", \"audio/rope_02.wav, loop\"]\n";
    let mut desk = Desk::with(|folder| {
        std::fs::write(folder.join("sounds/rope.toml"), chain).unwrap();
        for name in ["rope_01", "rope_02"] {
            std::fs::copy(folder.join("audio/a.wav"), folder.join(format!("audio/{name}.wav"))).unwrap();
        }
    });
    desk.keys("3");
    desk.app.sounds.selected = "rope".into();
    desk.poll_until("all is measured", |app| app.facts.contains_key("audio/rope_02.wav"));
    desk.keys("o");
    assert!(desk.app.sounds.opened.is_none() && desk.app.message.as_ref().unwrap().text.contains("a part of a chain plays its file as it is"));
    let page = desk.page();
    assert!(page.contains("Over time") && page.contains("rope_01.wav or 1 more, 2 to 4 ×") && page.contains("rope_02.wav, until let go"), "{page}");
}

#[test]
fn all_that_are_marked_are_copied_by_one_edit() {
    let mut desk = Desk::with(|folder| {
        std::fs::write(
            folder.join("sounds/rope.toml"),
            "# ropes\n[rope]\ntakes = [\"audio/a.wav\"]\n[rope.texts]\na = \"Heave.\"\n\n[rope-2]\ntakes = [\"audio/b.wav\"]\n",
        )
        .unwrap();
    });
    desk.keys("3");
    desk.app.sounds.marked = ["rope", "rope-2", "steps/deck"].map(String::from).into();
    desk.keys("d");
    assert_eq!(desk.app.sounds.marked, ["rope-3", "rope-2-2", "steps/deck-2"].map(String::from).into());
    let text = desk.text("sounds/rope.toml");
    assert!(text.starts_with("# ropes\n") && text.contains("[rope-3]\ntakes = [\"audio/a.wav\"]") && text.contains("[rope-3.texts]\na = \"Heave.\""), "{text}");
    assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
    desk.keys("u");
    assert!(!desk.text("sounds/rope.toml").contains("rope-3") && !desk.text("sounds/all.toml").contains("deck-2"), "one undo takes all back");
}

#[test]
fn a_file_is_measured_and_heard_before_it_is_taken() {
    let mut desk = Desk::with(|folder| {
        let spec = hound::WavSpec { channels: 1, sample_rate: 44_100, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
        for name in ["oar_01", "oar_02"] {
            let mut wave = hound::WavWriter::create(folder.join(format!("audio/{name}.wav")), spec).unwrap();
            (0..22_050).for_each(|i| wave.write_sample(((f64::from(i) * 0.1).sin() * 9_000.0) as i16).unwrap());
            wave.finalize().unwrap();
        }
        std::fs::write(folder.join("audio/broken.wav"), "RIFFnothing").unwrap();
    });
    desk.poll_until("all is loaded", |app| app.loading().is_none());
    let (before, sounds) = (desk.app.workspace.edits(), desk.app.program().sounds.len());
    desk.keys("3 n /");
    desk.type_text("OAR");
    desk.keys("enter");
    desk.poll_until("they are measured", |app| app.facts.contains_key("audio/oar_01.wav") && app.facts.contains_key("audio/oar_02.wav"));
    let page = desk.page();
    let row = page.lines().find(|l| l.contains("oar_01.wav")).unwrap();
    assert!(row.contains("0.50 s") && row.contains("LUFS") && row.contains("new") && !page.contains("broken.wav"), "{page}");
    desk.keys("down p");
    desk.poll_until("it is heard", |app| app.auditioned() == Some("audio/oar_02.wav"));
    assert!(desk.page().contains('▶'));
    // It stands nowhere, and is gone when it has ended.
    assert!(desk.app.workspace.edits() == before && desk.app.workspace.unsaved() == 0 && desk.app.faults.is_empty());
    desk.poll_until("it has ended", |app| app.auditioned().is_none() && app.program().sounds.len() == sounds);
    // What cannot be heard says why, and is no fault of the project.
    desk.keys("esc /");
    desk.type_text("broken");
    desk.keys("enter p");
    desk.poll_until("it is told", |app| app.message.as_ref().is_some_and(|m| m.text.contains("broken.wav cannot be heard")));
    assert!(desk.app.faults.is_empty());
    desk.keys("esc / o a r enter a enter");
    assert!(
        desk.app.workspace.edits() > before && desk.text("sounds/oar.toml").contains("oar_*.wav") || desk.text("sounds/all.toml").contains("oar_*.wav"),
        "{}",
        desk.page()
    );
}

#[test]
fn in_sounds_fields_are_typed_for_all_that_are_marked_and_saved() {
    let mut desk = Desk::new();
    desk.keys("3");
    desk.click("groan");
    desk.keys("x down x");
    desk.click("level");
    desk.keys("e");
    let page = desk.page();
    assert!(page.contains("level of 2 sounds") && page.contains("its level: −120 to 24 dB; 0 dB if unsaid"), "{page}");
    desk.type_text("-9 dB");
    desk.keys("enter");
    let text = desk.text("sounds/all.toml");
    assert_eq!(text.matches("level = \"-9 dB\"").count(), 2, "{text}");
    assert!(desk.page().contains("1 unsaved"));
    desk.keys("ctrl-s");
    assert!(desk.page().contains("● saved"));
    assert_eq!(std::fs::read_to_string(desk.path("sounds/all.toml")).unwrap(), text);
}

#[test]
fn in_sounds_the_filter_works_while_it_is_typed_and_esc_shows_all() {
    let mut desk = Desk::new();
    desk.keys("3 /");
    desk.type_text("gro");
    let page = desk.page();
    assert!(page.contains("groan") && !page.contains("deck"), "{page}");
    desk.keys("esc");
    assert!(desk.page().contains("deck"));
}

#[test]
fn in_sounds_a_sound_is_renamed_wherever_it_is_named() {
    let mut desk = Desk::new();
    desk.keys("3");
    desk.click("groan");
    desk.keys("r");
    for _ in 0.."hull/groan".len() {
        desk.keys("backspace");
    }
    desk.type_text("hull/moan");
    desk.keys("enter");
    assert!(desk.text("reactions.est").contains("play hull/moan") && desk.text("modulation.toml").contains("hull/moan level"));
    desk.keys("u");
    assert!(desk.text("reactions.est").contains("play hull/groan") && desk.text("modulation.toml").contains("hull/groan level"), "one undo takes all back");
}

/// Eleven seconds as 32-bit floats, with one sample that may be no number.
fn long_wave(path: &std::path::Path, odd: Option<usize>) {
    let spec = hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: 32, sample_format: hound::SampleFormat::Float };
    let mut wave = hound::WavWriter::create(path, spec).unwrap();
    for i in 0..528_000usize {
        let sample = if odd == Some(i) { f32::NAN } else { 0.25 * (i as f32 * 0.05).sin() };
        wave.write_sample(sample).unwrap();
    }
    wave.finalize().unwrap();
}

#[test]
fn a_long_file_is_read_while_it_plays_and_what_is_broken_behind_its_head_is_a_fault_once_it_is_measured() {
    let mut desk = Desk::with(|folder| long_wave(&folder.join("audio/a.wav"), None));
    desk.poll_until("all is loaded and measured", |app| app.loading().is_none() && app.facts.contains_key("audio/a.wav"));
    let clip = std::sync::Arc::clone(desk.app.assets.get("audio/a.wav").unwrap().as_ref().unwrap());
    assert!(clip.streamed.is_some() && clip.channels[0].len() < 20_000 && clip.frames() == 528_000);
    let facts = &desk.app.facts["audio/a.wav"];
    assert!((facts.seconds - 11.0).abs() < 1e-9 && (facts.peak + 12.04).abs() < 0.01 && facts.wave.iter().all(|(low, high)| *low < -0.2 && *high > 0.2));
    assert!(desk.app.faults.iter().all(|f| !f.what.contains("a.wav")), "{:?}", desk.app.faults);
    // It is exported anew, and now one sample in its ninth second is no number.
    long_wave(&desk.path("audio/a.wav"), Some(400_000));
    desk.app.load_missing();
    desk.poll_until("what is broken is told", |app| app.faults.iter().any(|f| f.what.contains("audio/a.wav") && f.what.contains("not numbers")));
}
