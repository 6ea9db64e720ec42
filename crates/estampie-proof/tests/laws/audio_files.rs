//! Audio files of all kinds, whole and broken.

use estampie_engine::reads::held;
use estampie_engine::units::Seconds;
use estampie_project::assets::{AudioError, Goes, LONG, decode, facts, load, load_all, load_to_play};
use estampie_project::compile;
use estampie_proof::offline::Rendering;
use rand::{Rng as _, SeedableRng as _};
use std::f64::consts::TAU;
use std::path::{Path, PathBuf};
use std::sync::Arc;

fn data(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data").join(name)
}

fn sample(i: usize) -> f64 {
    0.5 * (TAU * 480.0 * i as f64 / 48_000.0).sin()
}

/// A WAV file of 4800 frames, mono, with an optional `smpl` loop (end inclusive).
fn wav(path: &Path, bits: u16, float: bool, loops: Option<(u32, u32)>) {
    let sample_format = if float { hound::SampleFormat::Float } else { hound::SampleFormat::Int };
    let mut writer = hound::WavWriter::create(path, hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: bits, sample_format }).unwrap();
    for i in 0..4800 {
        if float {
            writer.write_sample(sample(i) as f32).unwrap();
        } else {
            writer.write_sample((sample(i) * ((1i64 << (bits - 1)) - 1) as f64).round() as i32).unwrap();
        }
    }
    writer.finalize().unwrap();
    if let Some((start, end)) = loops {
        let mut bytes = std::fs::read(path).unwrap();
        let mut words = vec![0u32; 9];
        words[7] = 1;
        words.extend([0, 0, start, end, 0, 0]);
        bytes.extend(b"smpl");
        bytes.extend(60u32.to_le_bytes());
        bytes.extend(words.iter().flat_map(|w| w.to_le_bytes()));
        let size = bytes.len() as u32 - 8;
        bytes[4..8].copy_from_slice(&size.to_le_bytes());
        std::fs::write(path, bytes).unwrap();
    }
}

#[test]
fn wav_of_every_width_is_read() {
    let folder = tempfile::tempdir().unwrap();
    for (bits, float, error) in [(8, false, 0.008), (16, false, 4e-5), (24, false, 2e-7), (32, false, 1e-7), (32, true, 1e-7)] {
        let path = folder.path().join("tone.wav");
        wav(&path, bits, float, Some((960, 1919)));
        let decoded = decode(&path).unwrap();
        assert_eq!((decoded.rate, decoded.channels.len(), decoded.channels[0].len()), (48_000, 1, 4800));
        assert_eq!(decoded.loop_points, Some((960, 1920)), "the end of a smpl loop is inclusive");
        let worst = decoded.channels[0].iter().enumerate().map(|(i, s)| (f64::from(*s) - sample(i)).abs()).fold(0.0, f64::max);
        assert!(worst < error, "{bits} bits: {worst}");
        // 960 frames are 9.6 periods, 1920 are 19.2: the seam steps by what the sine says.
        let seam = (sample(960) - sample(1919)).abs();
        assert!((facts(&decoded).seam_step - seam).abs() < error * 2.0);
    }
}

#[test]
fn the_other_kinds_are_read_too() {
    for (name, kind, channels, seconds) in [("tone.ogg", "Ogg Vorbis", 2, 0.5), ("tone.mp3", "MP3", 1, 0.5), ("tone.aiff", "AIFF", 1, 0.25)] {
        let decoded = decode(&data(name)).unwrap();
        let facts = facts(&decoded);
        assert_eq!((facts.kind.as_str(), facts.channels, facts.rate), (kind, channels, 44_100));
        let length = facts.frames as f64 / 44_100.0;
        assert!((length - seconds).abs() < 0.06, "{name}: {length} s");
        assert!((facts.sample_peak + 12.0).abs() < 0.7, "{name}: {} dB", facts.sample_peak);
        let clip = load(data("").as_path(), name, 48_000, &Goes::Once).unwrap();
        assert!((clip.frames() as f64 / 48_000.0 - length).abs() < 0.001);
    }
    let chime = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick/audio/relic/chime_01.flac");
    let facts = facts(&decode(&chime).unwrap());
    assert_eq!((facts.kind.as_str(), facts.bits, facts.channels, facts.rate), ("FLAC", Some(16), 1, 48_000));
}

#[test]
fn the_padding_of_an_ogg_file_is_left_out() {
    // Half a second of a tone, as its last page says, though the blocks hold more.
    let decoded = decode(&data("tone.ogg")).unwrap();
    assert_eq!(decoded.channels.iter().map(Vec::len).collect::<Vec<_>>(), [22_050, 22_050]);
}

#[test]
fn a_damaged_file_is_a_fault_and_never_a_panic() {
    for (name, part) in [("rate-0.aiff", "damaged"), ("damaged-codebook.ogg", "codebook")] {
        let error = decode(&data(name)).unwrap_err().to_string();
        assert!(error.contains(part), "{name}: {error}");
    }
}

#[test]
fn a_pipe_or_a_device_is_refused_without_waiting() {
    #[cfg(unix)]
    {
        let folder = tempfile::tempdir().unwrap();
        let pipe = folder.path().join("pipe.wav");
        assert!(std::process::Command::new("mkfifo").arg(&pipe).status().unwrap().success());
        assert!(decode(&pipe).unwrap_err().to_string().contains("a pipe or a device"));
        assert!(decode(Path::new("/dev/zero")).unwrap_err().to_string().contains("a pipe or a device"));
    }
}

#[test]
fn what_cannot_be_played_says_why() {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, bytes: &[u8]| {
        let path = folder.path().join(name);
        std::fs::write(&path, bytes).unwrap();
        decode(&path).unwrap_err()
    };
    let good = folder.path().join("good.wav");
    wav(&good, 16, false, None);
    let good = std::fs::read(good).unwrap();
    assert!(matches!(put("empty.wav", b""), AudioError::Empty));
    assert!(matches!(put("text.wav", b"this is no sound at all"), AudioError::Unknown));
    assert!(matches!(put("none.wav", &good[..44]), AudioError::Truncated(_)));
    let cut = put("cut.wav", &good[..5000]);
    assert!(cut.to_string().contains("of 9600 bytes of samples are missing"), "{cut}");
    assert_eq!(put("tone.flac", &good).to_string(), "it is named .flac but holds WAV; rename it to .wav");
    let flac = std::fs::read(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick/audio/relic/chime_01.flac")).unwrap();
    let cut = put("cut.flac", &flac[..flac.len() / 2]);
    assert!(matches!(cut, AudioError::Truncated(_) | AudioError::Broken(_)), "{cut}");
    let mut broken = flac;
    let middle = broken.len() / 2;
    broken[middle..middle + 4000].fill(0x55);
    let error = put("broken.flac", &broken);
    assert!(matches!(error, AudioError::Truncated(_) | AudioError::Broken(_)), "{error}");
    assert!(matches!(decode(&folder.path().join("nowhere.wav")).unwrap_err(), AudioError::Io(_)));
    let float = folder.path().join("nan.wav");
    let mut writer =
        hound::WavWriter::create(&float, hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: 32, sample_format: hound::SampleFormat::Float })
            .unwrap();
    for i in 0..100 {
        writer.write_sample(if i == 50 { f32::NAN } else { 0.0 }).unwrap();
    }
    writer.finalize().unwrap();
    assert!(matches!(decode(&float).unwrap_err(), AudioError::NotFinite));
}

/// Damages a good file of one kind again and again, in its head and anywhere, cut short or not: it is refused, or a clip of finite samples, in no time, and
/// takes no more memory than its bytes can stand for. More of it for who has the time: ESTAMPIE_CASES=100000.
fn damage(good: &Path) {
    // What the guard is there for is not worth a backtrace each.
    static QUIET: std::sync::Once = std::sync::Once::new();
    QUIET.call_once(|| {
        let told = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |panic| {
            if !estampie_project::assets::guarded() {
                told(panic);
            }
        }));
    });
    let cases = std::env::var("ESTAMPIE_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(150);
    let folder = tempfile::Builder::new().tempdir_in(if Path::new("/dev/shm").is_dir() { PathBuf::from("/dev/shm") } else { std::env::temp_dir() }).unwrap();
    let path = folder.path().join("damaged").with_extension(good.extension().unwrap());
    let good = std::fs::read(good).unwrap();
    let mut random = rand_pcg::Pcg32::seed_from_u64(7);
    let mut below = |n: usize| random.random_range(0..n);
    let (mut read, mut longest) = (0, std::time::Duration::ZERO);
    for _ in 0..cases {
        let mut bytes = good.clone();
        let most = if below(4) == 0 { 20 } else { 4 };
        for _ in 0..1 + below(most) {
            let at = if below(2) == 0 { below(bytes.len().min(400)) } else { below(bytes.len()) };
            bytes[at] = match below(4) {
                0 => 0,
                1 => 255,
                _ => below(256) as u8,
            };
        }
        if below(4) == 0 {
            bytes.truncate(below(bytes.len()) + 1);
        }
        if path.extension().is_some_and(|e| e == "ogg") && below(4) > 0 {
            mend_pages(&mut bytes);
        }
        std::fs::write(&path, &bytes).unwrap();
        let from = std::time::Instant::now();
        if let Ok(decoded) = decode(&path) {
            read += 1;
            assert!(facts(&decoded).frames > 0);
            assert!(decoded.channels.iter().flatten().all(|s| s.is_finite()));
            let taken = decoded.channels.iter().map(|c| c.len() * 4).sum::<usize>();
            assert!(taken <= good.len() * 256 + (64 << 20), "{} bytes became {taken}", bytes.len());
        }
        longest = longest.max(from.elapsed());
    }
    println!("{}: {cases} damaged, {read} of them read, {longest:?} at most", path.display());
    assert!(read > 0 && read < cases, "{read} of {cases}");
    assert!(longest.as_secs() < 5, "{longest:?}");
    assert!(!estampie_project::assets::guarded(), "the guard ends with the file");
}

/// Gives the pages of an Ogg file the checksums of what they hold (RFC 3533), so that damage gets as far as the decoder.
fn mend_pages(bytes: &mut [u8]) {
    let mut at = 0;
    while bytes.get(at..at + 4) == Some(b"OggS") && at + 27 <= bytes.len() {
        let segments = usize::from(bytes[at + 26]);
        let sizes = bytes.get(at + 27..at + 27 + segments).unwrap_or_default();
        let end = at + 27 + segments + sizes.iter().map(|s| usize::from(*s)).sum::<usize>();
        let Some(page) = bytes.get_mut(at..end) else { return };
        page[22..26].fill(0);
        let sum = page
            .iter()
            .fold(0u32, |sum, byte| (0..8).fold(sum ^ u32::from(*byte) << 24, |sum, _| if sum >> 31 == 1 { sum << 1 ^ 0x04c1_1db7 } else { sum << 1 }));
        page[22..26].copy_from_slice(&sum.to_le_bytes());
        at = end;
    }
}

#[test]
fn damaged_wav_never_panics() {
    let folder = tempfile::tempdir().unwrap();
    let good = folder.path().join("good.wav");
    wav(&good, 16, false, Some((0, 99)));
    damage(&good);
}

#[test]
fn damaged_aiff_never_panics() {
    damage(&data("tone.aiff"));
}

#[test]
fn damaged_flac_never_panics() {
    damage(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick/audio/relic/chime_01.flac"));
}

#[test]
fn damaged_ogg_never_panics() {
    damage(&data("tone.ogg"));
}

#[test]
fn damaged_mp3_never_panics() {
    damage(&data("tone.mp3"));
}

/// All that is long in the demo is streamed for playing, and its dives sound the same to the bit as from memory.
#[test]
fn what_is_streamed_sounds_the_same_as_from_memory() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick");
    let workspace = estampie_project::document::Workspace::open(&folder).unwrap();
    let document = workspace.document();
    let wanted: Vec<_> = compile::wanted_audio(document).into_iter().collect();
    let rate = document.manifest.rate;
    let whole = load_all(&folder, &wanted, rate);
    let streaming = load_to_play(&folder, &wanted, rate, &compile::whole_audio(document), false);
    let mut long = 0;
    for (name, _) in &wanted {
        let (a, b) = (whole.get(name).unwrap().as_ref().unwrap(), streaming.get(name).unwrap().as_ref().unwrap());
        long += usize::from(b.streamed.is_some());
        assert_eq!(b.streamed.is_some(), a.frames() > LONG as usize * rate as usize && !name.starts_with("placeholder"), "{name}");
        let held = held(streaming.streams(), b, usize::MAX).unwrap();
        assert!(a.channels == held.channels && a.loop_points == b.loop_points && a.frames() == b.frames(), "{name}");
    }
    assert!(long >= 12 && 2 * streaming.bytes() < whole.bytes(), "{long} are streamed, and {} of {} bytes are held", streaming.bytes(), whole.bytes());
    let [a, b] = [&whole, &streaming].map(|assets| Arc::new(compile::compile(document, assets).0));
    for (name, playthrough) in &document.playthroughs {
        let [mut a, mut b] = [&a, &b].map(|program| Rendering::new(program, playthrough, None, Seconds(0.0)));
        let (mut from_memory, mut streamed) = (Vec::new(), Vec::new());
        loop {
            a.next(48_000, &mut from_memory, |_| {});
            b.next(48_000, &mut streamed, |_| {});
            assert!(from_memory.iter().map(|s| s.to_bits()).eq(streamed.iter().map(|s| s.to_bits())), "{name}");
            if from_memory.is_empty() {
                break;
            }
        }
    }
    assert!(streaming.streams().failed().is_empty());
}
