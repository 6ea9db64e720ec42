//! MIDI files written here are read by programs of others, and theirs here: the same notes, names, tempos, metres, keys, programs and bends.

use estampie_engine::music::Metre;
use estampie_engine::music::exact::Beats;
use estampie_project::midi::{Score, ScoreFile, ScoreNote, What, metre_event};
use rand::{Rng as _, SeedableRng as _};
use rand_pcg::Pcg32;
use std::path::Path;
use std::process::Command;

/// A note as it is compared: channel, pitch, velocity, tick, length.
type Told = (u8, u8, u8, u32, u32);

fn random_note(random: &mut Pcg32, channel: u8) -> ScoreNote {
    let part = [1, 2, 3, 4, 6, 8, 5, 12][random.random_range(0..8)];
    ScoreNote {
        at: Beats::new(random.random_range(0..32 * part), part),
        length: Beats::new(random.random_range(1..=2 * part), part),
        pitch: random.random_range(0..128),
        velocity: random.random_range(1..128),
        channel,
    }
}

/// A file as the workshop writes one, with its notes by track.
fn random_file(seed: u64) -> ScoreFile {
    let mut random = Pcg32::seed_from_u64(seed);
    let mut file = ScoreFile::new();
    file.add_track("quay calm");
    file.begin_with(What::Tempo(random.random_range(200_000..1_500_000)));
    file.begin_with(metre_event(Metre { count: random.random_range(2..13), note: [2, 4, 8, 16][random.random_range(0..4)] }));
    file.begin_with(What::Key(random.random_range(-6..7), random.random()));
    for channel in 0..random.random_range(1..5u8) {
        file.add_track(&format!("line {channel}"));
        let track = file.tracks.len() - 1;
        file.program(track, channel, random.random_range(0..128));
        for tick in [120, 480, 2_000] {
            let event = estampie_project::midi::Event { time: tick, what: What::Bend(channel, random.random_range(-8192..8192)) };
            let at = file.tracks[track].events.partition_point(|e| e.time <= tick);
            file.tracks[track].events.insert(at, event);
        }
        let notes: Vec<ScoreNote> = (0..random.random_range(1..40)).map(|_| random_note(&mut random, channel)).collect();
        file.set_notes(track, &notes);
    }
    file
}

fn told(file: &ScoreFile) -> Vec<Vec<Told>> {
    let of = |track: &estampie_project::midi::FileTrack| {
        let mut list: Vec<Told> = track
            .events
            .iter()
            .filter_map(
                |e| if let What::Note { channel, pitch, velocity, length, .. } = e.what { Some((channel, pitch, velocity, e.time, length)) } else { None },
            )
            .collect();
        list.sort_unstable();
        list
    };
    file.tracks.iter().map(of).collect()
}

/// What is no note: names, tempo, metre, key, program, bends, as words.
fn besides(file: &ScoreFile) -> Vec<String> {
    let words = |(track, tick, what): (usize, u32, &What)| match what {
        What::Name(name) => Some(format!("{track} {tick} name {name}")),
        What::Tempo(tempo) => Some(format!("{track} {tick} tempo {tempo}")),
        What::Metre(count, note, ..) => Some(format!("{track} {tick} metre {count} {}", 1u32 << note)),
        What::Program(channel, program) => Some(format!("{track} {tick} program {channel} {program}")),
        What::Bend(channel, wheel) => Some(format!("{track} {tick} bend {channel} {wheel}")),
        _ => None,
    };
    let mut list: Vec<String> = file.tracks.iter().enumerate().flat_map(|(n, t)| t.events.iter().filter_map(move |e| words((n, e.time, &e.what)))).collect();
    list.sort();
    list
}

/// Prints every file of a folder as lines: `file FILE`, then each note and each other event; notes are put together as the format says.
const SCRIPT: &str = "
import mido, sys, pathlib
for path in sorted(pathlib.Path(sys.argv[1]).glob('*.mid')):
    print('file', path.name)
    for n, track in enumerate(mido.MidiFile(path).tracks):
        tick, open = 0, {}
        for m in track:
            tick += m.time
            if m.type == 'note_on' and m.velocity > 0:
                open.setdefault((m.channel, m.note), []).append((tick, m.velocity))
            elif m.type in ('note_off', 'note_on'):
                begin, velocity = open[(m.channel, m.note)].pop(0)
                print('note', n, m.channel, m.note, velocity, begin, tick - begin)
            elif m.type == 'track_name': print('event', n, tick, 'name', m.name)
            elif m.type == 'set_tempo': print('event', n, tick, 'tempo', m.tempo)
            elif m.type == 'time_signature': print('event', n, tick, 'metre', m.numerator, m.denominator)
            elif m.type == 'program_change': print('event', n, tick, 'program', m.channel, m.program)
            elif m.type == 'pitchwheel': print('event', n, tick, 'bend', m.channel, m.pitch)
";

/// Writes a file of each seed below a folder as that program writes them: running status, note-ons of velocity 0, one track.
const THEIRS: &str = "
import mido, sys, random
for seed in range(20):
    random.seed(seed)
    file = mido.MidiFile(type=seed % 2, ticks_per_beat=[96, 480, 960][seed % 3])
    track = mido.MidiTrack(); file.tracks.append(track)
    track.append(mido.MetaMessage('track_name', name='theirs'))
    lines = []
    for i in range(30):
        pitch, velocity, length = 30 + i * 2, random.randint(1, 127), random.randint(1, 900)
        track.append(mido.Message('note_on', channel=i % 3, note=pitch, velocity=velocity, time=random.randint(0, 300)))
        track.append(mido.Message('note_on', channel=i % 3, note=pitch, velocity=0, time=length))
        track.append(mido.Message('control_change', channel=i % 3, control=64, value=0))
    file.save(f'{sys.argv[1]}/{seed:02}.mid')
";

fn mido() -> Option<Command> {
    let own = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target/python");
    let known = Command::new("python3").env("PYTHONPATH", &own).args(["-c", "import mido"]).stderr(std::process::Stdio::null()).status();
    let mut python = Command::new("python3");
    python.env("PYTHONPATH", own);
    known.is_ok_and(|s| s.success()).then_some(python)
}

#[test]
fn files_written_here_are_read_by_others_as_what_the_workshop_shows() {
    let folder = tempfile::tempdir().unwrap();
    let files: Vec<ScoreFile> = (0..60).map(random_file).collect();
    for (n, file) in files.iter().enumerate() {
        std::fs::write(folder.path().join(format!("{n:02}.mid")), file.to_bytes()).unwrap();
    }
    if let Some(mut python) = mido() {
        let said = String::from_utf8(python.args(["-c", SCRIPT]).arg(folder.path()).output().unwrap().stdout).unwrap();
        let parts: Vec<&str> = said.split("file ").skip(1).collect();
        assert_eq!(parts.len(), files.len(), "{said}");
        for (file, part) in files.iter().zip(parts) {
            let mut notes = vec![Vec::new(); file.tracks.len()];
            let mut events = Vec::new();
            for line in part.lines().skip(1) {
                if let Some(event) = line.strip_prefix("event ") {
                    events.push(event.to_owned());
                } else if let Some(note) = line.strip_prefix("note ") {
                    let n: Vec<u32> = note.split(' ').map(|n| n.parse().unwrap()).collect();
                    notes[n[0] as usize].push((n[1] as u8, n[2] as u8, n[3] as u8, n[4], n[5]));
                }
            }
            notes.iter_mut().for_each(|list| list.sort_unstable());
            events.sort();
            assert_eq!(notes, told(file));
            assert_eq!(events, besides(file));
        }
    } else {
        eprintln!("mido is not here: that part is left out");
    }
    // Another one, of another hand: lines of track, tick, kind and values; tracks from 1.
    if Command::new("midicsv").arg("-u").output().is_ok() {
        for (n, file) in files.iter().enumerate() {
            let out = Command::new("midicsv").arg(folder.path().join(format!("{n:02}.mid"))).output().unwrap();
            let text = String::from_utf8_lossy(&out.stdout);
            let mut notes = vec![Vec::new(); file.tracks.len()];
            let mut open: Vec<(usize, u8, u8, u8, u32)> = Vec::new();
            let mut keys = Vec::new();
            for line in text.lines() {
                let parts: Vec<&str> = line.split(", ").collect();
                let number = |at: usize| parts[at].trim().parse::<u32>().unwrap();
                match parts.get(2).map(|kind| kind.trim()) {
                    Some("Note_on_c") => open.push((number(0) as usize - 1, number(3) as u8, number(4) as u8, number(5) as u8, number(1))),
                    Some("Note_off_c") => {
                        let at = open.iter().position(|(t, c, p, ..)| (*t, *c, *p) == (number(0) as usize - 1, number(3) as u8, number(4) as u8)).unwrap();
                        let (track, channel, pitch, velocity, begin) = open.remove(at);
                        notes[track].push((channel, pitch, velocity, begin, number(1) - begin));
                    }
                    Some("Key_signature") => keys.push((parts[3].trim().parse::<i8>().unwrap(), parts[4].contains("minor"))),
                    _ => {}
                }
            }
            notes.iter_mut().for_each(|list| list.sort_unstable());
            assert_eq!(notes, told(file), "{text}");
            let ours: Vec<(i8, bool)> = file
                .tracks
                .iter()
                .flat_map(|t| &t.events)
                .filter_map(|e| if let What::Key(sharps, minor) = e.what { Some((sharps, minor)) } else { None })
                .collect();
            assert_eq!(keys, ours);
        }
    } else {
        eprintln!("midicsv is not here: that part is left out");
    }
}

#[test]
fn files_of_others_are_read_here_and_come_back_unharmed() {
    let Some(mut python) = mido() else { return eprintln!("mido is not here: this is left out") };
    let folder = tempfile::tempdir().unwrap();
    assert!(python.args(["-c", THEIRS]).arg(folder.path()).status().unwrap().success());
    for n in 0..20 {
        let bytes = std::fs::read(folder.path().join(format!("{n:02}.mid"))).unwrap();
        let file = ScoreFile::of_bytes(&bytes).unwrap();
        assert_eq!(told(&file).iter().map(Vec::len).sum::<usize>(), 30, "{n}");
        assert_eq!(Score::of_bytes(&file.to_bytes()).unwrap(), Score::of_bytes(&bytes).unwrap(), "{n}: what is written again says the same");
        assert_eq!(ScoreFile::of_text(&file.to_text()).unwrap(), file);
    }
}
