//! The chunks of a RIFF file that the decoder does not tell of: loop points, marks and descriptions, and whether the file is whole.
//!
//! Sources: Multimedia Programming Interface and Data Specifications 1.0 (`cue `, `LIST adtl`, `LIST INFO`), EBU Tech 3285 (`bext`), and the sampler chunk
//! (`smpl`) of the RIFF registry.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::io::{Read, Seek, SeekFrom};

/// A mark in a file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Mark {
    /// The frame on which it stands.
    pub frame: usize,
    /// How many frames it goes on, if it is of a region.
    pub frames: Option<usize>,
    /// What it is called; empty if it has no name.
    pub name: String,
}

/// What a file says of itself besides its sound.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Notes {
    /// Its marks, by their frames.
    pub marks: Vec<Mark>,
    /// What is written about it, each with what it is: description, originator, date, title …
    pub texts: Vec<(String, String)>,
}

/// What the chunks say.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Chunks {
    /// First frame of the first loop and the one after its last (`smpl`, whose end is inclusive).
    pub(super) loop_points: Option<(u64, u64)>,
    /// How many bytes the `data` chunk lacks.
    pub(super) missing: u64,
    /// How many bytes of samples there are.
    pub(super) data: u64,
    /// Marks and descriptions.
    pub(super) notes: Notes,
}

/// The most marks that are read of one file, and the longest text in bytes: a damaged file may claim any number.
const MOST_MARKS: usize = 10_000;
const LONGEST: usize = 4_096;

fn word(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(bytes.get(at..at.checked_add(4)?)?.try_into().ok()?))
}

/// A text up to its first zero, in UTF-8 or Latin-1.
fn text(bytes: &[u8]) -> String {
    let bytes = &bytes[..bytes.len().min(LONGEST)];
    let bytes = bytes.split(|b| *b == 0).next().unwrap_or_default();
    let text = std::str::from_utf8(bytes).map_or_else(|_| bytes.iter().map(|b| char::from(*b)).collect(), str::to_owned);
    text.trim().to_owned()
}

/// The chunks of a list, with their bodies; what is cut off is as long as what is there.
fn bodies(bytes: &[u8]) -> impl Iterator<Item = (&[u8], u32, &[u8])> {
    let mut at = 0usize;
    std::iter::from_fn(move || {
        let (id, size) = (bytes.get(at..at.checked_add(4)?)?, word(bytes, at + 4)?);
        let body = at + 8;
        let end = body.saturating_add(size as usize).min(bytes.len());
        at = body.saturating_add(size as usize).saturating_add(size as usize & 1);
        Some((id, size, &bytes[body..end]))
    })
}

/// What `LIST INFO` calls things, and what they are.
const INFO: [(&[u8; 4], &str); 7] =
    [(b"INAM", "title"), (b"IART", "artist"), (b"ICMT", "comment"), (b"ICRD", "date"), (b"ISFT", "software"), (b"ICOP", "copyright"), (b"IKEY", "keywords")];

/// Where the texts of `bext` stand, how long they may be, and what they are.
const BEXT: [(usize, usize, &str); 4] = [(0, 256, "description"), (256, 32, "originator"), (288, 32, "reference"), (320, 10, "date")];

/// A chunk of a file: its name, how long it says that it is, how many bytes are there, and its body, if it is not of samples.
struct Chunk {
    id: [u8; 4],
    size: u32,
    left: u64,
    body: Vec<u8>,
}

/// So much of a chunk is looked at, in bytes.
const MOST_BODY: u64 = 1 << 22;

/// The chunks of a file, which begin behind its first twelve bytes; they end where it cannot be read.
fn walk(file: &mut (impl Read + Seek)) -> Vec<Chunk> {
    let mut all = Vec::new();
    let Ok(length) = file.seek(SeekFrom::End(0)) else { return all };
    let mut at = 12u64;
    let mut head = [0u8; 8];
    while at.saturating_add(8) <= length && file.seek(SeekFrom::Start(at)).and_then(|_| file.read_exact(&mut head)).is_ok() {
        let [a, b, c, d, size @ ..] = head;
        let (id, size) = ([a, b, c, d], u32::from_le_bytes(size));
        let left = u64::from(size).min(length - at - 8);
        let mut body = Vec::new();
        if id != *b"data" && file.by_ref().take(left.min(MOST_BODY)).read_to_end(&mut body).is_err() {
            break;
        }
        all.push(Chunk { id, size, left, body });
        // Chunks begin on even bytes.
        at += 8 + u64::from(size) + u64::from(size & 1);
    }
    all
}

/// Walks the chunks of a file that begins with `RIFF`.
pub(super) fn chunks(file: &mut (impl Read + Seek)) -> Chunks {
    let mut found = Chunks::default();
    // By the numbers that the chunks refer to them by.
    let mut marks: BTreeMap<u32, Mark> = BTreeMap::new();
    let (mut names, mut lengths): (BTreeMap<u32, String>, BTreeMap<u32, usize>) = Default::default();
    let mut add = |what: &str, said: String| {
        if !said.is_empty() {
            found.notes.texts.push((what.to_owned(), said));
        }
    };
    for Chunk { id, size, left, body } in walk(file) {
        let body = &body[..];
        match &id {
            b"data" => {
                found.data = u64::from(size).min(left);
                // Writers that stream leave the size open; then the file's end is the end.
                found.missing = if size == u32::MAX { 0 } else { u64::from(size).saturating_sub(left) };
            }
            b"smpl" => {
                if word(body, 28).is_some_and(|loops| loops > 0)
                    && let (Some(start), Some(end)) = (word(body, 36 + 8), word(body, 36 + 12))
                    && start < end
                {
                    found.loop_points = Some((u64::from(start), u64::from(end) + 1));
                }
            }
            b"cue " => {
                for at in (4..body.len()).step_by(24).take(MOST_MARKS) {
                    // Its number, and its frame within the samples.
                    if let (Some(number), Some(frame)) = (word(body, at), word(body, at + 20)) {
                        marks.insert(number, Mark { frame: frame as usize, frames: None, name: String::new() });
                    }
                }
            }
            b"bext" => BEXT.iter().for_each(|(from, most, what)| add(what, text(body.get(*from..).map_or(&[][..], |b| &b[..b.len().min(*most)])))),
            b"LIST" if body.starts_with(b"adtl") => {
                for (id, _, body) in bodies(&body[4..]).take(3 * MOST_MARKS) {
                    let Some(number) = word(body, 0) else { continue };
                    match id {
                        b"labl" => drop(names.insert(number, text(&body[4..]))),
                        b"ltxt" => drop(word(body, 4).map(|frames| lengths.insert(number, frames as usize))),
                        _ => {}
                    }
                }
            }
            b"LIST" if body.starts_with(b"INFO") => {
                for (id, _, body) in bodies(&body[4..]).take(64) {
                    if let Some((_, what)) = INFO.iter().find(|(known, _)| *known == id) {
                        add(what, text(body));
                    }
                }
            }
            _ => {}
        }
    }
    for (number, mark) in &mut marks {
        mark.name = names.remove(number).unwrap_or_default();
        mark.frames = lengths.get(number).copied().filter(|frames| *frames > 0);
    }
    found.notes.marks = marks.into_values().collect();
    found.notes.marks.sort_by_key(|m| m.frame);
    found
}

/// A chunk of a RIFF file.
fn chunk(id: &[u8; 4], body: &[u8]) -> Vec<u8> {
    let mut all = id.to_vec();
    all.extend((body.len() as u32).to_le_bytes());
    all.extend(body);
    // Chunks begin on even bytes.
    all.resize(all.len() + body.len() % 2, 0);
    all
}

/// A whole WAV file with loop points (first frame, and the one after the last) and a comment added to it.
pub(super) fn noted(mut wav: Vec<u8>, loop_points: Option<(usize, usize)>, comment: &str) -> Vec<u8> {
    if let Some((start, end)) = loop_points {
        let mut body = [0u8; 60];
        for (at, value) in [(12, 60u32), (28, 1), (44, start as u32), (48, end.saturating_sub(1) as u32)] {
            body[at..at + 4].copy_from_slice(&value.to_le_bytes());
        }
        wav.extend(chunk(b"smpl", &body));
    }
    let mut info = b"INFO".to_vec();
    let mut said = comment.as_bytes().to_vec();
    said.push(0);
    info.extend(chunk(b"ICMT", &said));
    wav.extend(chunk(b"LIST", &info));
    let length = (wav.len() - 8) as u32;
    wav[4..8].copy_from_slice(&length.to_le_bytes());
    wav
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::io::Cursor;

    fn wave(chunks: &[Vec<u8>]) -> Vec<u8> {
        let body: Vec<u8> = chunks.concat();
        let mut all = b"RIFF".to_vec();
        all.extend((body.len() as u32 + 4).to_le_bytes());
        all.extend(b"WAVE");
        all.extend(body);
        all
    }

    fn words(words: &[u32]) -> Vec<u8> {
        words.iter().flat_map(|w| w.to_le_bytes()).collect()
    }

    fn labelled(number: u32, name: &[u8]) -> Vec<u8> {
        chunk(b"labl", &[&words(&[number])[..], name, b"\0"].concat())
    }

    #[test]
    fn marks_regions_and_descriptions_are_read() {
        let cues = [&words(&[2])[..], &words(&[7, 0, 0x6174_6164, 0, 0, 900]), &words(&[3, 0, 0x6174_6164, 0, 0, 100])].concat();
        let lists = [b"adtl".to_vec(), labelled(3, b"plank 1"), labelled(7, b"pi\xe8ce"), chunk(b"ltxt", &words(&[3, 250, 0, 0, 0]))].concat();
        let mut bext = vec![0u8; 602];
        bext[..9].copy_from_slice(b"on board ");
        bext[320..330].copy_from_slice(b"2026-11-30");
        let info = [b"INFO".to_vec(), chunk(b"INAM", b"Planks\0"), chunk(b"IXYZ", b"?\0")].concat();
        let all = wave(&[chunk(b"cue ", &cues), chunk(b"LIST", &lists), chunk(b"bext", &bext), chunk(b"LIST", &info), chunk(b"data", &[0; 8])]);
        let found = chunks(&mut Cursor::new(all));
        let mark = |frame, frames, name: &str| Mark { frame, frames, name: name.to_owned() };
        assert_eq!(found.notes.marks, [mark(100, Some(250), "plank 1"), mark(900, None, "pièce")]);
        let texts: Vec<(&str, &str)> = found.notes.texts.iter().map(|(a, b)| (a.as_str(), b.as_str())).collect();
        assert_eq!(texts, [("description", "on board"), ("date", "2026-11-30"), ("title", "Planks")]);
        assert_eq!((found.data, found.missing), (8, 0));
    }

    #[test]
    fn what_is_added_is_read_again() {
        for (length, comment) in [(7, "from a"), (8, "from ab")] {
            let plain = wave(&[chunk(b"data", &vec![1; length])]);
            let found = chunks(&mut Cursor::new(noted(plain, Some((3, 6)), comment)));
            assert_eq!(found.loop_points, Some((3, 6)));
            assert_eq!(found.notes.texts, [("comment".to_owned(), comment.to_owned())]);
            assert_eq!((found.data, found.missing), (length as u64, 0));
        }
    }

    proptest! {
        /// Whatever the bytes are, nothing panics, and no more is told than there can be.
        #[test]
        fn any_bytes_are_walked(bytes in prop::collection::vec(prop::sample::select(b"RIFFWAVEcue LISTadtllabltxINFObext\0\x01\x08\xff".to_vec()), 0..300)) {
            let found = chunks(&mut Cursor::new(&bytes));
            prop_assert!(found.notes.marks.len() <= bytes.len() / 24 + 1 && found.data as usize <= bytes.len());
        }
    }
}
