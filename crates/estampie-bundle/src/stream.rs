//! Audio that is read as it is needed: pages of it, decoded where the bundle lies.

use crate::audio::{Decoding, apart, guarded};
use crate::manifest::{Audio, Encoding};
use crate::origin::{Origin, Span};
use estampie_engine::clip::Samples;
use estampie_engine::pages::{PAGE, Page};
use std::io::{Read, Seek, SeekFrom};

/// Pieces of audio that are kept open: each voice that streams reads on where it was.
const MOST_OPEN: usize = 32;

/// What is skipped by decoding instead of by looking for the place.
const NEAR: usize = 4 * PAGE;

/// Where a piece of audio is, and how it is stored.
#[derive(Debug, Clone)]
pub(crate) struct Stored {
    pub(crate) audio: Audio,
    /// Its first byte in the bundle.
    pub(crate) start: u64,
}

impl Stored {
    fn span(&self, origin: &Origin) -> Span {
        origin.span(self.start, self.audio.bytes)
    }

    /// Its first frames, channel by channel; fewer if it is shorter.
    pub(crate) fn head(&self, origin: &Origin, frames: usize) -> Result<Vec<Samples>, String> {
        let channels = self.audio.channels as usize;
        match Reading::open(self, origin)? {
            Reading::Decoded(decoding) => decoding.channels(frames),
            mut plain => {
                let interleaved = plain.frames(frames, channels)?;
                Ok(apart(&interleaved, channels))
            }
        }
    }
}

/// Audio that is being read.
enum Reading {
    /// 32-bit floats, from a place on.
    Plain(Span),
    /// What has to be decoded.
    Decoded(Box<Decoding>),
}

impl Reading {
    fn open(stored: &Stored, origin: &Origin) -> Result<Reading, String> {
        let span = stored.span(origin);
        Ok(match stored.audio.encoding {
            Encoding::F32 => Reading::Plain(span),
            encoding => Reading::Decoded(Box::new(Decoding::open(span, encoding, stored.audio.channels as usize)?)),
        })
    }

    /// The next frames, interleaved; fewer at the end.
    fn frames(&mut self, count: usize, channels: usize) -> Result<Vec<f32>, String> {
        match self {
            Reading::Plain(span) => {
                let mut bytes = Vec::new();
                span.take((count * channels * 4) as u64).read_to_end(&mut bytes).map_err(|e| e.to_string())?;
                Ok(bytes.chunks_exact(4).filter_map(|b| b.try_into().ok()).map(f32::from_le_bytes).collect())
            }
            Reading::Decoded(decoding) => decoding.frames(count),
        }
    }

    /// Goes to a frame, from another; gives that at which it is then, which lies before it or on it.
    fn seek(&mut self, frame: usize, channels: usize) -> Result<usize, String> {
        match self {
            Reading::Plain(span) => span.seek(SeekFrom::Start((frame * channels * 4) as u64)).map(|_| frame).map_err(|e| e.to_string()),
            Reading::Decoded(decoding) => decoding.seek(frame),
        }
    }
}

/// One that is open.
struct Open {
    stream: u32,
    /// The frame that it gives next.
    at: usize,
    /// When it was used last.
    used: u64,
    reading: Reading,
}

/// All audio of a bundle that is streamed.
pub struct Streams {
    origin: Origin,
    stored: Vec<Option<Stored>>,
    open: Vec<Open>,
    clock: u64,
}

impl Streams {
    pub(crate) fn new(origin: Origin, stored: Vec<Option<Stored>>) -> Streams {
        Streams { origin, stored, open: Vec::with_capacity(MOST_OPEN), clock: 0 }
    }

    /// Whether there is any.
    #[must_use]
    pub fn any(&self) -> bool {
        self.stored.iter().any(Option::is_some)
    }

    /// Fills a page with what it names; with silence where it cannot.
    ///
    /// # Errors
    /// With the audio's name and what is wrong.
    pub fn fill(&mut self, page: &mut Page) -> Result<(), String> {
        page.samples.iter_mut().for_each(|s| s.fill(0.0));
        let Some(Some(stored)) = self.stored.get(page.stream as usize) else { return Err("a stream that the bundle does not have was asked for".into()) };
        let (name, channels) = (stored.audio.name.clone(), stored.audio.channels as usize);
        let interleaved = self.read(page.stream, page.begin(), channels).map_err(|why| format!("{name}: {why}"))?;
        for (at, side) in page.samples.iter_mut().enumerate().take(channels) {
            // What is no number is silence: it was looked at when the bundle was written, and the file may have been damaged since.
            let samples = interleaved.iter().skip(at).step_by(channels).map(|s| if s.is_finite() { *s } else { 0.0 });
            side.iter_mut().zip(samples).for_each(|(to, s)| *to = s);
        }
        Ok(())
    }

    fn read(&mut self, stream: u32, from: usize, channels: usize) -> Result<Vec<f32>, String> {
        self.clock += 1;
        // Whoever came from the page before is at the right place; another that was there goes on as it was.
        let at = match self.open.iter().position(|o| (o.stream, o.at) == (stream, from)) {
            Some(at) => at,
            None => guarded(|| self.go_to(stream, from, channels))?,
        };
        let open = &mut self.open[at];
        open.used = self.clock;
        match guarded(|| open.reading.frames(PAGE, channels)) {
            Ok(samples) => {
                open.at += samples.len() / channels;
                Ok(samples)
            }
            Err(why) => {
                // It may be anywhere.
                self.open.swap_remove(at);
                Err(why)
            }
        }
    }

    /// Opens what is not open at this place, or takes the one that nobody has used for longest.
    fn go_to(&mut self, stream: u32, frame: usize, channels: usize) -> Result<usize, String> {
        let Some(Some(stored)) = self.stored.get(stream as usize) else { return Err("it is not streamed".into()) };
        if self.open.len() >= MOST_OPEN
            && let Some(oldest) = (0..self.open.len()).min_by_key(|at| self.open[*at].used)
        {
            self.open.swap_remove(oldest);
        }
        let mut open = Open { stream, at: 0, used: self.clock, reading: Reading::open(stored, &self.origin)? };
        if frame > NEAR {
            open.at = open.reading.seek(frame, channels)?;
        }
        while open.at < frame {
            let passed = open.reading.frames((frame - open.at).min(PAGE), channels)?.len() / channels;
            if passed == 0 {
                return Err("it is shorter than it should be".into());
            }
            open.at += passed;
        }
        self.open.push(open);
        Ok(self.open.len() - 1)
    }
}

#[cfg(test)]
#[cfg(feature = "write")]
mod tests {
    use super::*;
    use crate::audio::{Storing, encode};
    use estampie_engine::clip::Clip;
    use estampie_engine::pages::HEAD;
    use proptest::prelude::*;

    /// Noise of so many frames, in 16 bits or as floats.
    fn noise(frames: usize, channels: usize, coarse: bool) -> Clip {
        let mut state = 7u32;
        let mut sample = || {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let whole = (state >> 20) as f32 - 2_048.0;
            if coarse { whole / 32_768.0 } else { whole / 7_777.7 }
        };
        Clip::new("audio/x.wav", (0..channels).map(|_| (0..frames).map(|_| sample()).collect()).collect(), None)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(10))]
        #[test]
        fn pages_in_any_order_are_what_decoding_it_whole_gives(
            frames in HEAD + 1..12 * PAGE, stereo in any::<bool>(), kind in 0usize..3, order in prop::collection::vec(0u32..10, 1..8), again in 1u32..4,
        ) {
            let clip = noise(frames, 1 + usize::from(stereo), kind == 0);
            let storing = Storing { quality: (kind == 2).then_some(1.0), ..Storing::default() };
            let (encoding, bytes) = encode(&clip, 48_000, &storing);
            prop_assert_eq!(encoding, [Encoding::Flac, Encoding::F32, Encoding::Vorbis][kind]);
            let channels = clip.channels.len() as u32;
            let audio = Audio { name: "x".into(), entry: String::new(), encoding, channels, frames: frames as u64, loop_points: None, bytes: bytes.len() as u64, streamed: true, sixteen: false, content: None };
            let whole = crate::audio::decode(&audio, bytes.clone()).unwrap();
            // It lies somewhere in the bundle.
            let origin = Origin::Memory([&[9; 77][..], &bytes, &[8; 5]].concat().into());
            let stored = Stored { audio, start: 77 };
            let head = stored.head(&origin, HEAD).unwrap();
            let mut streams = Streams::new(origin, vec![None, Some(stored)]);
            for (side, samples) in whole.channels.iter().enumerate() {
                prop_assert!(head[side].to_vec() == samples.stretch(0, HEAD));
            }
            let last = ((frames - HEAD).div_ceil(PAGE) - 1) as u32;
            // Each place is read on from, as a voice does.
            for number in order.iter().flat_map(|from| *from..*from + again).map(|n| n.min(last)) {
                let mut page = Page::empty();
                (page.stream, page.number) = (1, number);
                streams.fill(&mut page).unwrap();
                let from = page.begin();
                let until = frames.min(from + PAGE);
                for (side, samples) in whole.channels.iter().enumerate() {
                    prop_assert!(page.samples[side][..until - from] == samples.stretch(from, until), "page {}", number);
                }
            }
            prop_assert!(streams.any() && streams.open.len() <= MOST_OPEN);
        }
    }

    #[test]
    fn what_cannot_be_read_is_silence_and_said() {
        let clip = noise(HEAD + 3 * PAGE, 1, true);
        let (encoding, bytes) = encode(&clip, 48_000, &Storing::default());
        let audio = Audio {
            name: "audio/x.wav".into(),
            entry: String::new(),
            encoding,
            channels: 1,
            frames: (HEAD + 3 * PAGE) as u64,
            loop_points: None,
            bytes: bytes.len() as u64,
            streamed: true,
            sixteen: false,
            content: None,
        };
        // Half of it is there.
        let origin = Origin::Memory(bytes[..bytes.len() / 2].into());
        let mut streams = Streams::new(origin, vec![Some(Stored { audio, start: 0 })]);
        let mut page = Page::empty();
        (page.stream, page.number) = (0, 2);
        page.samples[0].fill(1.0);
        assert!(streams.fill(&mut page).unwrap_err().starts_with("audio/x.wav: "));
        assert!(page.samples.iter().all(|s| s.iter().all(|s| *s == 0.0)));
        page.stream = 3;
        assert!(streams.fill(&mut page).unwrap_err().contains("does not have"));
    }
}
