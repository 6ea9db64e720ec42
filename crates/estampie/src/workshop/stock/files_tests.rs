//! The pages *Files* and *Budget* as values: what is wrong and what mends it, folders that come in, marks, costs.

use crate::workshop::app::App;
use crate::workshop::view_tests::Desk;
use std::path::Path;

/// Writes a WAV file of a second at 48 kHz with marks, each with how long it is (0 for a point): a tone between two silences.
fn wave(path: &Path, channels: u16, (head, tail): (usize, usize), marks: &[(u32, u32)]) {
    std::fs::create_dir_all(path.parent().unwrap()).unwrap();
    let spec = hound::WavSpec { channels, sample_rate: 48_000, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
    let mut writer = hound::WavWriter::create(path, spec).unwrap();
    for i in 0..48_000usize {
        let sounds = (head..48_000 - tail).contains(&i);
        let sample = if sounds { ((i as f64 * 0.07).sin() * 6_000.0) as i16 } else { 0 };
        (0..channels).for_each(|_| writer.write_sample(sample).unwrap());
    }
    writer.finalize().unwrap();
    if marks.is_empty() {
        return;
    }
    let words = |all: &[u32]| all.iter().flat_map(|w| w.to_le_bytes()).collect::<Vec<u8>>();
    let chunk = |id: &[u8], body: Vec<u8>| [id.to_vec(), words(&[body.len() as u32]), body].concat();
    let points: Vec<u8> = marks.iter().zip(1..).flat_map(|((at, _), n)| words(&[n, 0, 0, 0, 0, *at])).collect();
    let lengths: Vec<u8> = marks.iter().zip(1..).flat_map(|((_, length), n)| chunk(b"ltxt", words(&[n, *length, 0, 0, 0]))).collect();
    let mut bytes = std::fs::read(path).unwrap();
    bytes.extend(chunk(b"cue ", [words(&[marks.len() as u32]), points].concat()));
    bytes.extend(chunk(b"LIST", [b"adtl".to_vec(), lengths].concat()));
    let length = bytes.len() as u32 - 8;
    bytes[4..8].copy_from_slice(&length.to_le_bytes());
    std::fs::write(path, bytes).unwrap();
}

/// Waits until what is worked out aside is known.
fn settle(desk: &mut Desk) {
    desk.poll_until("the files are known", App::files_are_known);
}

/// A workshop whose project has one more file, on the page *Files*.
fn desk(make: impl Fn(&Path)) -> Desk {
    let mut desk = Desk::new();
    make(desk.app.workspace.root());
    desk.app.workspace.look_outside();
    desk.app.compile();
    desk.keys("7 v");
    settle(&mut desk);
    desk
}

fn add(desk: &mut Desk, file: &str, text: &str) {
    desk.app.workspace.replace("more", file, text);
    desk.app.recompile();
    settle(desk);
}

#[test]
fn what_is_wrong_with_a_file_is_mended_by_a_version_beside_it_and_taken_back() {
    let mut desk = desk(|root| wave(&root.join("audio/quay/bell_01.wav"), 2, (9_600, 0), &[]));
    add(&mut desk, "sounds/bell.toml", "[bell]\ntakes = [\"audio/quay/bell_*.wav\"]\n");
    add(&mut desk, "stock.csv", "name,kind,channels\nquay/bell,one-shot,mono\n");
    let page = desk.page();
    for words in
        ["silence at head", "mono or stereo", "it begins with 200 ms of silence", "f: make it mono (mono)", "16 bit, stereo, 48000 Hz", "played by bell"]
    {
        assert!(page.contains(words), "{words}: {page}");
    }
    // Both at once: everything that is shown of it. The names a.wav and b.wav fit no rule, and are another matter.
    desk.click("mono or stereo");
    desk.keys("right f");
    settle(&mut desk);
    assert!(desk.page().contains("bell_01.v2.wav: 2 channels became one"), "{}", desk.page());
    let playing = |desk: &Desk| estampie_project::compile::wanted_audio(desk.app.document()).into_keys().filter(|f| f.contains("bell")).collect::<Vec<_>>();
    assert_eq!(playing(&desk), ["audio/quay/bell_01.v2.wav"]);
    assert!(!desk.page().contains("mono or stereo"), "{}", desk.page());
    // The next is made of that one; what was typed is done, too.
    desk.click("silence at head");
    desk.keys("right o");
    desk.type_text("trim head, quiet");
    desk.keys("enter");
    assert!(desk.page().contains("\"quiet\" is not"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("trim head, level -6 dB");
    desk.keys("enter");
    settle(&mut desk);
    assert_eq!(playing(&desk), ["audio/quay/bell_01.v3.wav"]);
    desk.poll_until("it is loaded", |app| app.loading().is_none());
    assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
    desk.keys("u u");
    assert_eq!(playing(&desk), ["audio/quay/bell_01.wav"]);
    assert!(!desk.app.workspace.root().join("audio/quay/bell_01.v2.wav").exists());
}

#[test]
fn files_are_named_anew_with_all_that_names_them() {
    let mut desk = desk(|root| {
        wave(&root.join("audio/Quay/Bell 1.wav"), 1, (0, 0), &[]);
        wave(&root.join("audio/Quay/Bell 2.wav"), 1, (0, 480), &[]);
    });
    add(&mut desk, "sounds/bell.toml", "[bell]\ntakes = [\"audio/Quay/Bell *.wav, level -3 dB\"]\n");
    desk.click("name  ");
    desk.keys("right /");
    desk.type_text("bell");
    desk.keys("enter F");
    assert!(desk.page().contains("2 files are named anew"), "{}", desk.page());
    assert_eq!(desk.text("sounds/bell.toml"), "[bell]\ntakes = [\"audio/quay/bell_*.wav, level -3 dB\"]\n");
    assert!(desk.app.workspace.root().join("audio/quay/bell_02.wav").exists() && desk.app.workspace.unsaved() == 0);
    desk.keys("u");
    assert!(desk.app.workspace.root().join("audio/Quay/Bell 2.wav").exists() && desk.text("sounds/bell.toml").contains("Quay/Bell *"));
    // One by itself, by a name that is typed; one that there is is refused.
    settle(&mut desk);
    desk.keys("r ctrl-u");
    desk.type_text("audio/a.wav");
    desk.keys("enter");
    assert!(desk.page().contains("audio/a.wav is there already"), "{}", desk.page());
}

#[test]
fn a_folder_comes_in_after_a_look_at_what_becomes_of_each_file() {
    let team = tempfile::tempdir().unwrap();
    wave(&team.path().join("Buoy 1.wav"), 1, (0, 960), &[]);
    wave(&team.path().join("quay/bell_01.wav"), 1, (0, 480), &[]);
    let mut desk = desk(|root| wave(&root.join("audio/quay/bell_01.wav"), 1, (0, 0), &[]));
    desk.keys("i");
    desk.type_text(&format!("{}/nowhere", team.path().display()));
    desk.keys("enter");
    assert!(desk.page().contains("there is no folder"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text(&team.path().display().to_string());
    desk.keys("enter");
    settle(&mut desk);
    let page = desk.page();
    assert!(page.contains("it is copied to") && page.contains("the stock has no item for it"), "{page}");
    assert!(page.contains("1 of 2 are new") && page.contains("name of another: audio/quay/bell_01.wav") && page.contains("buoy_01.wav"), "{page}");
    desk.keys("esc");
    assert!(!desk.page().contains("Coming in"));
    desk.keys("i");
    desk.type_text(&team.path().display().to_string());
    desk.keys("enter");
    settle(&mut desk);
    desk.keys("enter");
    assert!(desk.page().contains("one file has the name of another recording"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("version");
    desk.keys("enter");
    settle(&mut desk);
    assert!(desk.page().contains("2 files came in"), "{}", desk.page());
    assert!(desk.app.workspace.audio().contains("audio/quay/bell_01.v2.wav"));
    desk.keys("u");
    assert!(!desk.app.workspace.audio().contains("audio/quay/bell_01.v2.wav"));
}

#[test]
fn marks_cut_takes_and_make_markers() {
    let mut desk = desk(|root| wave(&root.join("audio/quay/planks_01.wav"), 1, (0, 0), &[(0, 12_000), (24_000, 6_000)]));
    add(&mut desk, "sounds/planks.toml", "[planks]\ntakes = [\"audio/quay/planks_01.wav\"]\n");
    desk.click("all files");
    desk.keys("right end");
    assert!(desk.page().contains("2: c 2 takes, M markers"), "{}", desk.page());
    desk.keys("c");
    assert!(desk.page().contains("2 takes of planks are cut out of it"), "{}", desk.page());
    assert_eq!(
        desk.text("sounds/planks.toml"),
        "[planks]\ntakes = [\"audio/quay/planks_01.wav, from 0 s, to 0.25 s\", \"audio/quay/planks_01.wav, from 0.5 s, to 0.625 s\"]\n"
    );
    desk.poll_until("they are loaded", |app| app.loading().is_none());
    assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
    let name = "audio/quay/planks_01.wav from 0.5 s to 0.625 s";
    assert_eq!(desk.app.assets.get(name).unwrap().as_ref().unwrap().frames(), 6_000);
    desk.keys("M");
    assert!(desk.page().contains("no section plays"), "{}", desk.page());
    let music = desk.text("music/deck.toml").replace("audio/a.wav", "audio/quay/planks_01.wav");
    add(&mut desk, "music/deck.toml", &music);
    desk.keys("M");
    assert!(
        desk.page().contains("2 markers in the sections that play it") && desk.text("music/deck.toml").contains("mark-2 = \"1.2\""),
        "{}",
        desk.text("music/deck.toml")
    );
}

#[test]
fn the_budget_says_what_all_costs_and_what_would_be_saved() {
    let mut desk = desk(|root| wave(&root.join("audio/quay/air_01.wav"), 2, (0, 40_000), &[]));
    add(&mut desk, "sounds/air.toml", "[air]\nbus = \"hull\"\ntakes = [\"audio/quay/air_01.wav\"]\n");
    desk.poll_until("it is loaded", |app| app.loading().is_none());
    desk.keys("v");
    settle(&mut desk);
    let page = desk.page();
    // Two seconds of channels at two bytes, as 16 bits are kept; a.wav and b.wav have a tenth of one each.
    for words in ["quay/air_01.wav: mono", "96 kB", "quay/air_01.wav: tail trimmed by 0.8 s", "no limits are set", "211 kB"] {
        assert!(page.contains(words), "{words}: {page}");
    }
    desk.keys("> >");
    assert!(desk.page().contains("¶ Sounds") && desk.page().contains("hull/groan"), "{}", desk.page());
    // A limit that is exceeded is told, here and wherever the project is checked if that is wanted.
    let project = desk.text("estampie.toml");
    add(&mut desk, "estampie.toml", &format!("{project}[budget]\nmemory = \"100 kB\"\nover = \"refuse\"\n"));
    assert!(desk.page().contains("211 kB of 100 kB"), "{}", desk.page());
    assert_eq!(desk.app.faults.len(), 1, "{:?}", desk.app.faults);
    assert!(desk.app.faults[0].what.contains("audio takes 0.2 MB of memory, and the budget has 0.1 MB"), "{:?}", desk.app.faults);
    desk.keys("< < enter");
    assert!(desk.app.shows("Sounds") && desk.page().contains("air_01.wav"), "{}", desk.page());
}

#[test]
fn what_is_wrong_with_takes_together_leads_to_their_item_and_the_page_fits_a_small_window() {
    let mut desk = desk(|root| wave(&root.join("audio/quay/bell_01.wav"), 1, (0, 0), &[]));
    add(&mut desk, "stock.csv", "name,variations\nquay/other,1\nquay/bell,3\n");
    desk.click("variations");
    desk.keys("right");
    assert!(desk.page().contains("1 recordings of it are there, and 3 are wanted"), "{}", desk.page());
    desk.size = (80, 24);
    let small = desk.page();
    assert!(small.contains("¶ Files") && !small.contains("items"), "{small}");
    desk.size = (160, 47);
    desk.keys("enter");
    assert!(desk.page().contains("¶ Stock 2 items") && desk.page().contains("¶ quay/bell what is wanted of it"), "{}", desk.page());
}
