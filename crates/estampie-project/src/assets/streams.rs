//! Long files, read as they are needed: in pages, at the project's rate, the same samples as when they are loaded whole.

use super::decode::{Converting, caught};
use super::error::AudioError;
use super::reader::Reader;
use super::{Goes, decode};
use estampie_engine::clip::{Clip, Samples, Streamed, copy_finite};
use estampie_engine::pages::{HEAD, PAGE, Page};
use estampie_engine::reads::{Fill, Reads};
use std::collections::BTreeMap;
use std::fs::File;
use std::io::Read as _;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::SystemTime;
use xxhash_rust::xxh3::Xxh3;

/// What is longer is streamed, in seconds.
pub const LONG: u32 = 10;

/// The most frames of a file that is streamed: twelve hours at 48 kHz.
const MOST_FRAMES: usize = 48_000 * 3_600 * 12;

/// Files that a reader keeps open: each voice that streams reads on where it was.
const MOST_OPEN: usize = 64;

/// A file that is streamed.
#[derive(Debug)]
struct Source {
    path: PathBuf,
    /// As it is told.
    name: String,
    channels: usize,
    /// Frames at the rate at which it is played.
    frames: usize,
    /// That rate, in Hz.
    rate: u32,
    /// When it was written, and how long it was then: a file that is written anew is another one.
    written: (Option<SystemTime>, u64),
}

fn written(path: &Path) -> std::io::Result<(Option<SystemTime>, u64)> {
    let facts = std::fs::metadata(path)?;
    Ok((facts.modified().ok(), facts.len()))
}

/// The hash of a file's bytes, read piece by piece.
///
/// # Errors
/// When it cannot be read.
pub fn hash_of_file(path: &Path) -> std::io::Result<u128> {
    let (mut file, mut hash, mut bytes) = (File::open(path)?, Xxh3::new(), vec![0u8; 1 << 18]);
    loop {
        match file.read(&mut bytes)? {
            0 => return Ok(hash.digest128()),
            got => hash.update(&bytes[..got]),
        }
    }
}

/// All files that are streamed, by the numbers that their clips have: for all copies together. A number is never given twice.
#[derive(Debug, Clone, Default)]
pub struct Streams(Arc<Mutex<Registered>>);

#[derive(Debug, Default)]
struct Registered {
    sources: Vec<Arc<Source>>,
    /// Why pages could not be read, by the names of their files.
    failed: BTreeMap<String, AudioError>,
}

impl Streams {
    /// A file as a clip of which only the head is in memory; `None` if it is to be loaded whole: it is short, or its samples would not be the same
    /// (MP3; at another rate what goes round or has loop points), or something is wrong with it.
    pub(super) fn clip(&self, path: &Path, name: &str, rate: u32, goes: &Goes) -> Option<Clip> {
        caught(|| self.opened(path, name, (rate, LONG as usize * rate as usize), goes)).ok().flatten()
    }

    /// The same of what is longer than so many frames.
    fn opened(&self, path: &Path, name: &str, (rate, long): (u32, usize), goes: &Goes) -> Result<Option<Clip>, AudioError> {
        let mut reader = Reader::open(path)?;
        let known = |reader: &Reader| reader.channels.filter(|count| (1..=2).contains(count));
        let Some(channels) = known(&reader).filter(|_| reader.streams() && reader.said.or(reader.end).is_some()) else { return Ok(None) };
        // It has no more than it says.
        let said = usize::try_from(reader.end.or(reader.said).unwrap_or_default()).unwrap_or(usize::MAX);
        if decode::converted_length(said.min(MOST_FRAMES), reader.rate, rate) <= long {
            return Ok(None);
        }
        let written = written(path)?;
        let length = reader.length()?;
        decode::whole(&reader, length)?;
        let loop_points = reader.loop_points.filter(|(_, end)| *end <= length);
        let same = reader.rate == rate || loop_points.is_none() && !goes.round(length as f64 / f64::from(reader.rate));
        let frames = decode::converted_length(length, reader.rate, rate);
        if !same || frames <= long || frames > MOST_FRAMES {
            return Ok(None);
        }
        let source = Arc::new(Source { path: path.to_owned(), name: name.to_owned(), channels, frames, rate, written });
        let mut head = vec![Vec::new(); channels];
        Opened::new(&source)?.frames(HEAD, &mut head)?;
        // A page is silent where samples are no numbers; whoever measures it tells.
        head.iter_mut().flatten().filter(|s| !s.is_finite()).for_each(|s| *s = 0.0);
        let mut all = self.all();
        all.sources.push(source);
        Ok(Some(Clip::streamed(name, head.into_iter().map(Samples::of).collect(), Streamed { stream: (all.sources.len() - 1) as u32, frames }, loop_points)))
    }

    fn all(&self) -> MutexGuard<'_, Registered> {
        // Nothing panics while it is held; what is in it would be whole even then.
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn source(&self, stream: u32) -> Option<Arc<Source>> {
        self.all().sources.get(stream as usize).cloned()
    }

    /// Why pages could not be read since this was last asked: each file with the last reason. They were silent.
    #[must_use]
    pub fn failed(&self) -> BTreeMap<String, AudioError> {
        std::mem::take(&mut self.all().failed)
    }

    /// The hash of the bytes of a streamed clip's file.
    ///
    /// # Errors
    /// When it cannot be read, or it is not streamed.
    pub fn file_hash(&self, clip: &Clip) -> Result<u128, AudioError> {
        let source = clip.streamed.and_then(|s| self.source(s.stream)).ok_or_else(|| AudioError::Broken("it is not streamed here".into()))?;
        Ok(hash_of_file(&source.path)?)
    }

    /// Reads the first frames of a clip in pieces, a slice for each channel; of one in memory as one piece.
    ///
    /// # Errors
    /// With the reason why it cannot be read.
    pub fn each_piece(&self, clip: &Clip, most: usize, mut piece: impl FnMut(&[&[f32]])) -> Result<(), AudioError> {
        let Some(streamed) = clip.streamed else {
            let whole: Vec<Vec<f32>> = clip.channels.iter().map(|c| c.stretch(0, c.len().min(most))).collect();
            piece(&whole.iter().map(Vec::as_slice).collect::<Vec<_>>());
            return Ok(());
        };
        let source = self.source(streamed.stream).ok_or_else(|| AudioError::Broken("it is not streamed here".into()))?;
        caught(|| {
            let mut opened = Opened::new(&source)?;
            let wanted = streamed.frames.min(most);
            let mut left = wanted;
            while left > 0 {
                let mut part = vec![Vec::new(); source.channels];
                opened.frames(left.min(PAGE), &mut part)?;
                if part.iter().flatten().any(|s| !s.is_finite()) {
                    return Err(AudioError::NotFinite);
                }
                let got = part[0].len();
                if got == 0 {
                    return Err(AudioError::Truncated(format!("{} of {} frames are there", wanted - left, streamed.frames)));
                }
                left -= got;
                piece(&part.iter().map(Vec::as_slice).collect::<Vec<_>>());
            }
            Ok(())
        })
    }
}

impl Reads for Streams {
    fn reader(&self) -> Fill {
        let mut reader = StreamReader { streams: self.clone(), open: Vec::new(), clock: 0 };
        Box::new(move |page| reader.fill(page))
    }

    fn samples(&self, clip: &Clip, most: usize) -> Result<Vec<Vec<f32>>, String> {
        let most = most.min(clip.frames());
        let mut channels = vec![Vec::with_capacity(most); clip.channels.len()];
        let read = self.each_piece(clip, most, |piece| channels.iter_mut().zip(piece).for_each(|(all, part)| all.extend_from_slice(part)));
        read.map_err(|why| format!("{}: {why}", clip.name))?;
        Ok(channels)
    }
}

/// A file that is read from some place on, at the rate at which it is played.
struct Opened {
    reader: Reader,
    converting: Option<Converting>,
    /// Samples of the file that have been decoded and not been taken.
    decoded: Vec<Vec<f32>>,
    /// The file has ended.
    ended: bool,
    /// The frame that comes next, at the rate at which it is played.
    at: usize,
    /// How many there are.
    length: usize,
}

impl Opened {
    fn new(source: &Source) -> Result<Opened, AudioError> {
        let reader = Reader::open(&source.path)?;
        let converting = if reader.rate == source.rate { None } else { Some(Converting::new(reader.rate, source.rate, source.channels)?) };
        Ok(Opened { reader, converting, decoded: vec![Vec::new(); source.channels], ended: false, at: 0, length: source.frames })
    }

    /// Goes to a frame.
    fn seek(&mut self, frame: usize) -> Result<(), AudioError> {
        if frame == self.at {
            return Ok(());
        }
        let (within, skip) = match &mut self.converting {
            None => (frame, 0),
            Some(converting) => converting.seek(frame)?,
        };
        self.decoded.iter_mut().for_each(Vec::clear);
        self.ended = false;
        let mut passed = within - self.reader.seek(within)?;
        while passed > 0 {
            self.ended |= !self.reader.packet(&mut self.decoded)?;
            let dropped = passed.min(self.decoded[0].len());
            self.decoded.iter_mut().for_each(|c| drop(c.drain(..dropped)));
            passed -= dropped;
            if dropped == 0 {
                return Err(AudioError::Truncated("it is shorter than it was".into()));
            }
        }
        if skip > 0 {
            let mut dropped = vec![Vec::new(); self.decoded.len()];
            self.take(skip, &mut dropped)?;
        }
        self.at = frame;
        Ok(())
    }

    /// Adds the next frames, fewer at the end.
    fn frames(&mut self, count: usize, into: &mut [Vec<f32>]) -> Result<(), AudioError> {
        let count = count.min(self.length.saturating_sub(self.at));
        self.take(count, into)?;
        self.at += count;
        Ok(())
    }

    fn take(&mut self, count: usize, into: &mut [Vec<f32>]) -> Result<(), AudioError> {
        let Opened { reader, converting, decoded, ended, .. } = self;
        let mut decode = |decoded: &mut Vec<Vec<f32>>, until: usize| -> Result<(), AudioError> {
            while decoded[0].len() < until && !*ended {
                *ended = !reader.packet(decoded)?;
            }
            Ok(())
        };
        let Some(converting) = converting else {
            decode(decoded, count)?;
            let there = count.min(decoded[0].len());
            for (to, from) in into.iter_mut().zip(decoded) {
                to.extend_from_slice(&from[..there]);
                from.drain(..there);
            }
            return Ok(());
        };
        while converting.ready() < count {
            decode(decoded, converting.needs())?;
            converting.process(decoded)?;
        }
        converting.take(count, into);
        Ok(())
    }
}

/// A reader of pages. What is open stays open where it was read.
struct StreamReader {
    streams: Streams,
    open: Vec<Open>,
    clock: u64,
}

struct Open {
    stream: u32,
    used: u64,
    opened: Opened,
}

impl StreamReader {
    /// Fills a page with what it names; with silence where it cannot.
    ///
    /// # Errors
    /// With the audio's name and what is wrong.
    fn fill(&mut self, page: &mut Page) -> Result<(), String> {
        page.samples.iter_mut().for_each(|s| s.fill(0.0));
        let source = self.streams.source(page.stream).ok_or("a stream that there is not was asked for")?;
        let mut part = vec![Vec::new(); source.channels];
        caught(|| self.read(&source, page.stream, page.begin(), &mut part)).map_err(|why| {
            let said = format!("{}: {why}", source.name);
            self.streams.all().failed.insert(source.name.clone(), why);
            said
        })?;
        for (side, samples) in page.samples.iter_mut().zip(&part) {
            copy_finite(side, samples);
        }
        Ok(())
    }

    fn read(&mut self, source: &Source, stream: u32, from: usize, into: &mut [Vec<f32>]) -> Result<(), AudioError> {
        self.clock += 1;
        // Whoever came from the page before is at the right place; another that was there goes on as it was.
        let there = self.open.iter().position(|o| (o.stream, o.opened.at) == (stream, from));
        let mut open = match there {
            Some(at) => self.open.swap_remove(at),
            None => {
                if written(&source.path)? != source.written {
                    return Err(AudioError::Changed);
                }
                let mut opened = Opened::new(source)?;
                opened.seek(from)?;
                Open { stream, used: 0, opened }
            }
        };
        // Where this fails it may be anywhere, and is closed.
        open.opened.frames(PAGE, into)?;
        open.used = self.clock;
        if self.open.len() >= MOST_OPEN
            && let Some(oldest) = (0..self.open.len()).min_by_key(|at| self.open[*at].used)
        {
            self.open.swap_remove(oldest);
        }
        self.open.push(open);
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::assets::load;
    use proptest::prelude::*;

    /// A WAV file of noise, with loop points if it is to have some.
    fn write(path: &Path, rate: u32, channels: u16, frames: usize, bits: u16, looped: Option<(usize, usize)>) {
        let float = bits == 32;
        let spec = hound::WavSpec {
            channels,
            sample_rate: rate,
            bits_per_sample: bits,
            sample_format: if float { hound::SampleFormat::Float } else { hound::SampleFormat::Int },
        };
        let mut out = hound::WavWriter::create(path, spec).unwrap();
        let mut state = 7u32;
        for _ in 0..frames * usize::from(channels) {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let sample = (state >> 16) as i32 - 32_768;
            if float { out.write_sample(sample as f32 / 40_000.0).unwrap() } else { out.write_sample(sample >> (16 - bits.min(16))).unwrap() }
        }
        out.finalize().unwrap();
        if looped.is_some() {
            let noted = crate::assets::riff::noted(std::fs::read(path).unwrap(), looped, "");
            std::fs::write(path, noted).unwrap();
        }
    }

    fn clip(streams: &Streams, path: &Path, goes: &Goes) -> Option<Clip> {
        caught(|| streams.opened(path, "a.wav", (48_000, HEAD), goes)).unwrap()
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]
        #[test]
        fn pages_in_any_order_are_what_loading_it_whole_gives(
            rate in prop::sample::select(vec![48_000u32, 44_100, 22_050, 96_000, 32_000, 47_999]), stereo in any::<bool>(),
            bits in prop::sample::select(vec![16u16, 32]), frames in 60_000usize..200_000, order in prop::collection::vec(0u32..20, 1..8), again in 1u32..4,
        ) {
            let folder = tempfile::tempdir().unwrap();
            let path = folder.path().join("a.wav");
            write(&path, rate, 1 + u16::from(stereo), frames, bits, None);
            let whole = load(folder.path(), "a.wav", 48_000, &Goes::Once).unwrap();
            let streams = Streams::default();
            let long = clip(&streams, &path, &Goes::Once).unwrap();
            let streamed = long.streamed.unwrap();
            prop_assert_eq!((streamed.frames, long.channels.len()), (whole.frames(), whole.channels.len()));
            for (head, all) in long.channels.iter().zip(&whole.channels) {
                prop_assert!(head.to_vec() == all.stretch(0, HEAD), "the head");
            }
            prop_assert!(streams.samples(&long, usize::MAX).unwrap().iter().zip(&whole.channels).all(|(a, b)| a[..] == b.to_vec()), "all of it");
            let mut fill = streams.reader();
            let last = ((whole.frames() - HEAD).div_ceil(PAGE) - 1) as u32;
            for number in order.iter().flat_map(|from| *from..*from + again).map(|n| n.min(last)) {
                let mut page = Page::empty();
                (page.stream, page.number) = (streamed.stream, number);
                fill(&mut page).unwrap();
                let (from, until) = (page.begin(), whole.frames().min(page.begin() + PAGE));
                for (side, all) in page.samples.iter().zip(&whole.channels) {
                    prop_assert!(side[..until - from] == all.stretch(from, until), "page {} of {} at {}", number, last, rate);
                }
            }
        }
    }

    #[test]
    fn what_would_not_be_the_same_is_loaded_whole() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.wav");
        let streamed = |rate, channels, frames, looped, goes: &Goes| {
            write(&path, rate, channels, frames, 16, looped);
            clip(&Streams::default(), &path, goes).and_then(|clip| Some((clip.streamed?.frames, clip.loop_points)))
        };
        assert_eq!(streamed(48_000, 1, 100_000, None, &Goes::Round), Some((100_000, None)));
        assert_eq!(streamed(48_000, 2, 100_000, Some((500, 90_000)), &Goes::Once), Some((100_000, Some((500, 90_000)))));
        assert_eq!(streamed(44_100, 1, 88_200, None, &Goes::RoundIf(vec![1.0])), Some((96_000, None)));
        // At another rate what goes round is converted as a circle.
        assert_eq!(streamed(44_100, 1, 88_200, None, &Goes::RoundIf(vec![2.0])), None);
        assert_eq!(streamed(44_100, 1, 88_200, None, &Goes::Round), None);
        assert_eq!(streamed(44_100, 1, 88_200, Some((500, 80_000)), &Goes::Once), None);
        assert_eq!(streamed(48_000, 1, HEAD, None, &Goes::Once), None, "as short as its head");
        assert_eq!(streamed(48_000, 3, 100_000, None, &Goes::Once), None, "more channels than there are sides");
        // What is cut off is told by whoever loads it whole.
        write(&path, 48_000, 1, 100_000, 16, None);
        let bytes = std::fs::read(&path).unwrap();
        std::fs::write(&path, &bytes[..bytes.len() / 2]).unwrap();
        assert!(Streams::default().clip(&path, "a.wav", 48_000, &Goes::Once).is_none());
        assert!(matches!(load(folder.path(), "a.wav", 48_000, &Goes::Once), Err(AudioError::Truncated(_))));
    }

    #[test]
    fn a_file_that_is_written_anew_is_not_mixed_with_the_old_one_and_what_cannot_be_read_is_told_once() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.wav");
        write(&path, 48_000, 1, 100_000, 16, None);
        let streams = Streams::default();
        let long = clip(&streams, &path, &Goes::Once).unwrap();
        let page = |number| {
            let mut page = Page::empty();
            (page.stream, page.number) = (long.streamed.unwrap().stream, number);
            page.samples[0].fill(1.0);
            page
        };
        write(&path, 48_000, 1, 100_001, 16, None);
        let mut fill = streams.reader();
        let mut asked = page(3);
        assert!(fill(&mut asked).unwrap_err().starts_with("a.wav: it was written anew"));
        assert!(asked.samples[0].iter().all(|s| *s == 0.0));
        assert_eq!(streams.failed().into_keys().collect::<Vec<_>>(), ["a.wav"]);
        assert!(streams.failed().is_empty());
        std::fs::remove_file(&path).unwrap();
        assert!(fill(&mut page(3)).is_err() && streams.failed().len() == 1);
        asked.stream = 77;
        assert!(fill(&mut asked).unwrap_err().contains("there is not"));
    }
}
