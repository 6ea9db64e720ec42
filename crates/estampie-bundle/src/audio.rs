//! Audio in a bundle: FLAC where that loses nothing, 32-bit floats where it would, Ogg Vorbis where it may.

use crate::manifest::{Audio, Encoding};
use crate::origin::Span;
use estampie_engine::clip::{Clip, Samples, all_finite};
use std::io::{Read, Seek, SeekFrom};
use symphonia::core::audio::{AudioBufferRef, SampleBuffer, Signal as _};
use symphonia::core::codecs::{CodecRegistry, Decoder, DecoderOptions};
use symphonia::core::conv::FromSample as _;
use symphonia::core::errors::Error;
use symphonia::core::formats::{FormatOptions, FormatReader, Packet, SeekMode, SeekTo};
use symphonia::core::io::{MediaSource, MediaSourceStream};
use symphonia::core::meta::MetadataOptions;
use symphonia::core::probe::{Hint, Probe};
use symphonia::default::codecs::FlacDecoder;
use symphonia::default::formats::FlacReader;
use xxhash_rust::xxh3::Xxh3;

/// The bits of a sample that FLAC can have without loss; `None` if floats are needed.
#[cfg(feature = "write")]
fn bits(clip: &Clip) -> Option<u32> {
    let fits = |bits: u32| {
        let scale = (1u32 << (bits - 1)) as f32;
        clip.channels.iter().flat_map(estampie_engine::clip::Samples::iter).all(|s| {
            let scaled = s * scale;
            // A negative zero is none in whole numbers.
            scaled == scaled.round() && (-scale..scale).contains(&scaled) && s.to_bits() != (-0.0f32).to_bits()
        })
    };
    [16, 24].into_iter().find(|bits| fits(*bits))
}

/// What is shorter is stored as floats: FLAC would win nothing.
#[cfg(feature = "write")]
const SHORTEST: usize = 64;

/// How a piece of audio is to be stored.
#[cfg(feature = "write")]
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Storing {
    /// As Ogg Vorbis of a quality from 0 to 10.
    pub quality: Option<f32>,
    /// As the bytes of its file, where those can be read in a game and give the same samples.
    pub original: Option<Vec<u8>>,
    /// It is read as it is needed, and only its head is loaded.
    pub streamed: bool,
}

/// The samples of a clip, frame by frame.
#[cfg(feature = "write")]
fn interleaved(clip: &Clip) -> impl Iterator<Item = f32> + '_ {
    (0..clip.frames()).flat_map(|frame| clip.channels.iter().map(move |c| c.all().get(frame).unwrap_or(0.0)))
}

/// Encodes a clip: without loss unless something is said.
#[cfg(feature = "write")]
pub(crate) fn encode(clip: &Clip, rate: u32, storing: &Storing) -> (Encoding, Vec<u8>) {
    let frames = clip.frames();
    let same = |bytes: &[u8], encoding: Encoding| {
        let samples = || interleaved(clip).map(f32::to_bits);
        decode_stream(bytes.to_vec(), encoding, clip.channels.len()).is_ok_and(|back| back.iter().map(|s| s.to_bits()).eq(samples()))
    };
    if let Some(bytes) = &storing.original {
        let known = match stripped(bytes) {
            Some(flac) => Some((Encoding::Flac, flac)),
            None => bytes.starts_with(b"OggS").then(|| (Encoding::Vorbis, bytes.clone())),
        };
        // One at another rate was converted, and is not the same.
        if let Some(original) = known.filter(|(encoding, bytes)| same(bytes, *encoding)) {
            return original;
        }
    }
    let quality = storing.quality;
    // What does not come back with all its frames is not stored so: loops and cuts are counted in them.
    let long =
        |bytes: &Vec<u8>| decode_stream(bytes.clone(), Encoding::Vorbis, clip.channels.len()).is_ok_and(|back| back.len() >= frames * clip.channels.len());
    if let Some(bytes) = quality.filter(|_| frames >= SHORTEST).and_then(|quality| vorbis(clip, rate, quality)).filter(long) {
        return (Encoding::Vorbis, bytes);
    }
    if let Some(bits) = bits(clip).filter(|_| frames >= SHORTEST) {
        let scale = (1u32 << (bits - 1)) as f32;
        let samples: Vec<i32> = interleaved(clip).map(|s| (s * scale) as i32).collect();
        // What does not come back as it was is not stored so.
        if let Some(bytes) = flac(&samples, clip.channels.len(), bits as usize, rate).filter(|bytes| same(bytes, Encoding::Flac)) {
            return (Encoding::Flac, bytes);
        }
    }
    (Encoding::F32, interleaved(clip).flat_map(f32::to_le_bytes).collect())
}

/// How many bytes a clip takes in a bundle, at a rate in Hz.
#[cfg(feature = "write")]
#[must_use]
pub fn packed_size(clip: &Clip, rate: u32, storing: &Storing) -> u64 {
    encode(clip, rate, storing).1.len() as u64
}

/// As Ogg Vorbis; `None` if the encoder does not take it.
#[cfg(feature = "write")]
fn vorbis(clip: &Clip, rate: u32, quality: f32) -> Option<Vec<u8>> {
    use std::num::{NonZeroU8, NonZeroU32};
    use vorbis_rs::{VorbisBitrateManagementStrategy, VorbisEncoderBuilder};
    let (rate, channels) = (NonZeroU32::new(rate)?, NonZeroU8::new(clip.channels.len() as u8)?);
    let strategy = VorbisBitrateManagementStrategy::QualityVbr { target_quality: (quality / 10.0).clamp(0.0, 1.0) };
    // The number of the stream is always the same, so that the same project gives the same bytes.
    let mut encoder = VorbisEncoderBuilder::new_with_serial(rate, channels, Vec::new(), 1).bitrate_management_strategy(strategy).build().ok()?;
    for start in (0..clip.frames()).step_by(4096) {
        let part: Vec<Vec<f32>> = clip.channels.iter().map(|c| c.stretch(start, (start + 4096).min(c.len()))).collect();
        encoder.encode_audio_block(&part).ok()?;
    }
    encoder.finish().ok()
}

#[cfg(feature = "write")]
fn flac(samples: &[i32], channels: usize, bits: usize, rate: u32) -> Option<Vec<u8>> {
    use flacenc::component::BitRepr as _;
    use flacenc::error::Verify as _;
    let config = flacenc::config::Encoder::default().into_verified().ok()?;
    let source = flacenc::source::MemSource::from_samples(samples, channels, bits, rate as usize);
    let stream = flacenc::encode_with_fixed_block_size(&config, source, config.block_size).ok()?;
    let mut sink = flacenc::bitsink::ByteSink::new();
    stream.write(&mut sink).ok()?;
    let mut bytes = sink.into_inner();
    // The least block size of the head does not count the last block (RFC 9639, 8.2): decoders that take the stream as one of fixed blocks want both
    // sizes equal.
    if let Some([.., low_a, low_b, high_a, high_b]) = bytes.get_mut(..12) {
        (*low_a, *low_b) = (*high_a, *high_b);
    }
    Some(bytes)
}

/// Decodes where a panic of the decoder (over bytes that were damaged) is what is wrong with the audio, and no more.
pub(crate) fn guarded<T>(work: impl FnOnce() -> Result<T, String>) -> Result<T, String> {
    std::panic::catch_unwind(std::panic::AssertUnwindSafe(work)).unwrap_or_else(|_| Err("it is damaged so that its decoder breaks off".into()))
}

/// Decodes what stands in an entry; what is wrong with it, if something is.
pub(crate) fn decode(audio: &Audio, bytes: Vec<u8>) -> Result<Clip, String> {
    let channels = audio.channels as usize;
    if !(1..=2).contains(&channels) {
        return Err(format!("it has {channels} channels"));
    }
    let frames = usize::try_from(audio.frames).map_err(|_| "it is longer than any may be")?;
    let samples: Vec<Samples> = match audio.encoding {
        Encoding::F32 => {
            let interleaved: Vec<f32> = bytes.chunks_exact(4).filter_map(|b| b.try_into().ok()).map(f32::from_le_bytes).collect();
            apart(&interleaved, channels)
        }
        // One frame more, so that what is longer than it should be is seen.
        Encoding::Flac => opened(bytes, Encoding::Flac, channels)?.channels(frames.saturating_add(1))?,
        // Its last block is whole; how much of it counts is known here.
        Encoding::Vorbis => opened(bytes, Encoding::Vorbis, channels)?.channels(frames)?,
    };
    whole(&samples, frames)?;
    Ok(Clip { content: audio.content(), ..Clip::of_samples(&audio.name, samples, audio.loop_points) })
}

/// The channels of interleaved samples.
pub(crate) fn apart(interleaved: &[f32], channels: usize) -> Vec<Samples> {
    (0..channels).map(|at| Samples::of(interleaved.iter().skip(at).step_by(channels).copied().collect())).collect()
}

/// Refuses channels that are not as long as they should be, or hold what is no number.
pub(crate) fn whole(channels: &[Samples], frames: usize) -> Result<(), String> {
    let finite = |c: &Samples| match c {
        Samples::Sixteen(_) => true,
        Samples::Float(samples) => all_finite(samples),
    };
    if channels.iter().all(|c| c.len() == frames && finite(c)) {
        return Ok(());
    }
    Err("it is not as long as it should be, or has samples that are no numbers".into())
}

/// A channel that is being decoded: of 16 bits as long as nothing finer came.
enum Growing {
    Sixteen(Vec<i16>),
    Float(Vec<f32>),
}

impl Growing {
    fn len(&self) -> usize {
        match self {
            Growing::Sixteen(samples) => samples.len(),
            Growing::Float(samples) => samples.len(),
        }
    }

    /// Goes on with samples of 32 bits.
    fn push_whole(&mut self, more: &[i32]) {
        if let Growing::Sixteen(samples) = self
            && more.iter().fold(0, |bits, s| bits | s) & 0xffff == 0
        {
            return samples.extend(more.iter().map(|s| (s >> 16) as i16));
        }
        self.push(more.iter().map(|s| f32::from_sample(*s)));
    }

    /// Goes on with floats.
    fn push(&mut self, more: impl Iterator<Item = f32>) {
        if let Growing::Sixteen(samples) = self {
            *self = Growing::Float(samples.iter().map(|s| f32::from_sample(*s)).collect());
        }
        if let Growing::Float(samples) = self {
            samples.extend(more);
        }
    }

    /// So many of them, or all.
    fn done(self, frames: usize) -> Samples {
        match self {
            Growing::Sixteen(mut samples) => {
                samples.truncate(frames);
                Samples::Sixteen(samples.into())
            }
            Growing::Float(mut samples) => {
                samples.truncate(frames);
                Samples::of(samples)
            }
        }
    }
}

/// The hash of what a clip holds, whatever it is called: its channels, its loop and all its samples; of one that is not what it was, what it was.
#[must_use]
pub fn content(clip: &Clip) -> u128 {
    if let Some(content) = clip.content {
        return content;
    }
    let mut hasher = Xxh3::new();
    let (start, end) = clip.loop_points.map_or((u64::MAX, 0), |(start, end)| (start as u64, end as u64));
    for number in [start, end, clip.channels.len() as u64, clip.frames() as u64] {
        hasher.update(&number.to_le_bytes());
    }
    let mut bytes = [0u8; 4 * 1024];
    for channel in &clip.channels {
        for begin in (0..channel.len()).step_by(1024) {
            let part = channel.stretch(begin, (begin + 1024).min(channel.len()));
            for (to, sample) in bytes.chunks_exact_mut(4).zip(&part) {
                to.copy_from_slice(&sample.to_le_bytes());
            }
            hasher.update(&bytes[..part.len() * 4]);
        }
    }
    hasher.digest128()
}

/// Blocks of a FLAC stream's head that say something of its audio (RFC 9639, 8.1): what it is, room, and where to seek.
const OF_AUDIO: [u8; 3] = [0, 1, 3];

/// Refuses a FLAC stream with pictures, comments or the like: nothing writes them into a bundle, and a picture that claims to have four gigabytes
/// would be given them.
fn only_audio(bytes: &mut (impl Read + Seek)) -> Result<(), String> {
    let mut read = || -> std::io::Result<Option<u8>> {
        let mut head = [0; 4];
        bytes.read_exact(&mut head)?;
        // A decoder would look for the beginning further on.
        if head != *b"fLaC" {
            return Ok(Some(u8::MAX));
        }
        loop {
            bytes.read_exact(&mut head)?;
            let [kind, length @ ..] = head;
            if !OF_AUDIO.contains(&(kind & 0x7f)) {
                return Ok(Some(kind & 0x7f));
            }
            if kind & 0x80 != 0 {
                return Ok(None);
            }
            bytes.seek(SeekFrom::Current(i64::from(u32::from_be_bytes([0, length[0], length[1], length[2]]))))?;
        }
    };
    // What is too short is told by whoever reads it.
    let other = read().ok().flatten();
    bytes.rewind().map_err(|e| e.to_string())?;
    match other {
        None => Ok(()),
        Some(u8::MAX) => Err("it is no FLAC stream".into()),
        Some(kind) => Err(format!("it has a block of kind {kind} before its audio, which no bundle has")),
    }
}

/// A FLAC stream without what is not its audio; `None` if it is none.
#[cfg(feature = "write")]
fn stripped(flac: &[u8]) -> Option<Vec<u8>> {
    let mut kept: Vec<&[u8]> = Vec::new();
    let mut rest = flac.strip_prefix(b"fLaC")?;
    loop {
        let length = 4 + u32::from_be_bytes([0, *rest.get(1)?, *rest.get(2)?, *rest.get(3)?]) as usize;
        let (block, after) = rest.split_at_checked(length)?;
        if OF_AUDIO.contains(&(block[0] & 0x7f)) {
            kept.push(block);
        }
        rest = after;
        if block[0] & 0x80 != 0 {
            break;
        }
    }
    let mut out = b"fLaC".to_vec();
    for (at, block) in kept.iter().enumerate() {
        out.push(block[0] & 0x7f | if at + 1 == kept.len() { 0x80 } else { 0 });
        out.extend_from_slice(&block[1..]);
    }
    out.extend_from_slice(rest);
    Some(out)
}

/// What is being decoded, frame after frame.
pub(crate) struct Decoding {
    format: Box<dyn FormatReader>,
    decoder: Box<dyn Decoder>,
    channels: usize,
    /// Interleaved samples that have been decoded and not been given, from a place on.
    samples: Vec<f32>,
    given: usize,
    /// Whether it is at its beginning: some encodings come back otherwise after a seek, and begin anew instead.
    seeks: bool,
}

/// What a bundle may hold, and nothing else that the decoders know.
fn probe() -> Probe {
    let mut probe = Probe::default();
    probe.register_all::<FlacReader>();
    #[cfg(feature = "vorbis")]
    probe.register_all::<symphonia::default::formats::OggReader>();
    probe
}

fn codecs() -> CodecRegistry {
    let mut codecs = CodecRegistry::new();
    codecs.register_all::<FlacDecoder>();
    #[cfg(feature = "vorbis")]
    codecs.register_all::<symphonia::default::codecs::VorbisDecoder>();
    codecs
}

fn words(error: impl std::fmt::Display) -> String {
    format!("{error}")
}

/// A source for the decoder.
struct Bytes<R>(R, u64);

impl<R: Read> Read for Bytes<R> {
    fn read(&mut self, into: &mut [u8]) -> std::io::Result<usize> {
        self.0.read(into)
    }
}

impl<R: Seek> Seek for Bytes<R> {
    fn seek(&mut self, to: SeekFrom) -> std::io::Result<u64> {
        self.0.seek(to)
    }
}

impl<R: Read + Seek + Send + Sync> MediaSource for Bytes<R> {
    fn is_seekable(&self) -> bool {
        true
    }

    fn byte_len(&self) -> Option<u64> {
        Some(self.1)
    }
}

impl Decoding {
    /// Begins to decode audio of so many channels.
    pub(crate) fn open(span: Span, encoding: Encoding, channels: usize) -> Result<Decoding, String> {
        let length = span.length();
        Decoding::of(span, length, encoding, channels)
    }

    fn of(mut bytes: impl Read + Seek + Send + Sync + 'static, length: u64, encoding: Encoding, channels: usize) -> Result<Decoding, String> {
        if encoding == Encoding::Vorbis && !cfg!(feature = "vorbis") {
            return Err("it is Ogg Vorbis, and this was built without that: build it with --features vorbis".into());
        }
        let ending = if encoding == Encoding::Vorbis { "ogg" } else { "flac" };
        if encoding == Encoding::Flac {
            only_audio(&mut bytes)?;
        }
        let stream = MediaSourceStream::new(Box::new(Bytes(bytes, length)), Default::default());
        let probed = probe().format(Hint::new().with_extension(ending), stream, &FormatOptions::default(), &MetadataOptions::default());
        let format = probed.map_err(words)?.format;
        let track = format.default_track().ok_or("it has no audio")?;
        if track.codec_params.channels.map(symphonia::core::audio::Channels::count) != Some(channels) {
            return Err("it has another number of channels".into());
        }
        let decoder = codecs().make(&track.codec_params, &DecoderOptions::default()).map_err(words)?;
        Ok(Decoding { format, decoder, channels, samples: Vec::new(), given: 0, seeks: encoding == Encoding::Flac })
    }

    /// The next frames, interleaved; fewer at the end.
    pub(crate) fn frames(&mut self, count: usize) -> Result<Vec<f32>, String> {
        let wanted = count.saturating_mul(self.channels);
        self.samples.drain(..self.given);
        self.given = 0;
        while self.samples.len() < wanted && self.decode()? {}
        self.given = wanted.min(self.samples.len());
        Ok(self.samples[..self.given].to_vec())
    }

    /// The next frames, channel by channel; fewer at the end. What is decoded beyond them is lost.
    pub(crate) fn channels(mut self, count: usize) -> Result<Vec<Samples>, String> {
        // Whoever claims to be long is not believed before it comes.
        let room = count.min(1 << 16);
        let mut grown: Vec<Growing> = (0..self.channels).map(|_| Growing::Sixteen(Vec::with_capacity(room))).collect();
        while grown[0].len() < count {
            let Some(packet) = self.packet()? else { break };
            match self.decoder.decode(&packet).map_err(words)? {
                AudioBufferRef::S32(buffer) => grown.iter_mut().enumerate().for_each(|(at, channel)| channel.push_whole(buffer.chan(at))),
                AudioBufferRef::F32(buffer) => grown.iter_mut().enumerate().for_each(|(at, channel)| channel.push(buffer.chan(at).iter().copied())),
                _ => return Err("its samples are neither whole numbers of 32 bits nor floats".into()),
            }
        }
        Ok(grown.into_iter().map(|channel| channel.done(count)).collect())
    }

    /// The next packet; `None` at the end.
    fn packet(&mut self) -> Result<Option<Packet>, String> {
        match self.format.next_packet() {
            Ok(packet) => Ok(Some(packet)),
            // That is how an end is told.
            Err(Error::IoError(error)) if error.kind() == std::io::ErrorKind::UnexpectedEof => Ok(None),
            Err(error) => Err(words(error)),
        }
    }

    /// Decodes a packet more; false at the end.
    fn decode(&mut self) -> Result<bool, String> {
        let Some(packet) = self.packet()? else { return Ok(false) };
        let decoded = self.decoder.decode(&packet).map_err(words)?;
        let mut buffer = SampleBuffer::<f32>::new(decoded.capacity() as u64, *decoded.spec());
        buffer.copy_interleaved_ref(decoded);
        self.samples.extend_from_slice(buffer.samples());
        Ok(true)
    }

    /// Goes to a frame, from the beginning; gives the one at which it is then, which lies before it or on it. What does not come back the same after that
    /// stays at its beginning.
    pub(crate) fn seek(&mut self, frame: usize) -> Result<usize, String> {
        if !self.seeks {
            return Ok(0);
        }
        let seeked = self.format.seek(SeekMode::Accurate, SeekTo::TimeStamp { ts: frame as u64, track_id: 0 }).map_err(words)?;
        self.decoder.reset();
        self.samples.clear();
        self.given = 0;
        Ok(seeked.actual_ts as usize)
    }
}

fn opened(bytes: Vec<u8>, encoding: Encoding, channels: usize) -> Result<Decoding, String> {
    let length = bytes.len() as u64;
    Decoding::of(std::io::Cursor::new(bytes), length, encoding, channels)
}

#[cfg(feature = "write")]
fn decode_stream(bytes: Vec<u8>, encoding: Encoding, channels: usize) -> Result<Vec<f32>, String> {
    opened(bytes, encoding, channels)?.frames(usize::MAX)
}

#[cfg(test)]
#[cfg(feature = "write")]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn as_vorbis(quality: f32) -> Storing {
        Storing { quality: Some(quality), ..Storing::default() }
    }

    fn there_and_back(clip: &Clip, storing: &Storing) -> (Encoding, Clip, usize) {
        let (encoding, bytes) = encode(clip, 48_000, storing);
        let audio = Audio {
            name: clip.name.clone(),
            entry: String::new(),
            encoding,
            channels: clip.channels.len() as u32,
            frames: clip.frames() as u64,
            loop_points: clip.loop_points,
            bytes: bytes.len() as u64,
            streamed: false,
            sixteen: false,
            content: None,
        };
        let bytes_long = bytes.len();
        (encoding, decode(&audio, bytes).unwrap(), bytes_long)
    }

    /// How far what comes back lies from what was, in dB below that.
    fn noise(a: &Clip, b: &Clip) -> f64 {
        let all = |clip: &Clip| clip.channels.iter().flat_map(estampie_engine::clip::Samples::iter).map(f64::from).collect::<Vec<f64>>();
        let (a, b) = (all(a), all(b));
        let power = a.iter().map(|s| s * s).sum::<f64>();
        10.0 * (a.iter().zip(&b).map(|(a, b)| (a - b).powi(2)).sum::<f64>() / power).log10()
    }

    #[test]
    fn as_vorbis_it_is_smaller_as_long_and_larger_with_its_quality() {
        let tone =
            |hertz: f64, frames: usize| (0..frames).map(|i| (0.4 * (i as f64 * hertz * std::f64::consts::TAU / 48_000.0).sin()) as f32).collect::<Vec<f32>>();
        let clip = Clip::new("audio/x.wav", vec![tone(440.0, 48_001), tone(523.3, 48_001)], Some((1_000, 40_000)));
        let (_, _, lossless) = there_and_back(&clip, &Storing::default());
        let mut before = 0;
        for quality in [0.0, 5.0, 10.0] {
            let (encoding, back, bytes) = there_and_back(&clip, &as_vorbis(quality));
            let apart = noise(&clip, &back);
            assert!(encoding == Encoding::Vorbis && bytes < lossless / 4 && back.frames() == 48_001 && back.loop_points == Some((1_000, 40_000)));
            assert!(apart < -25.0, "quality {quality}: {apart} dB");
            assert!(bytes > before, "quality {quality}: {bytes} bytes");
            before = bytes;
        }
        assert_eq!(encode(&clip, 48_000, &as_vorbis(4.0)), encode(&clip, 48_000, &as_vorbis(4.0)), "the same bytes each time");
        assert_eq!(there_and_back(&Clip::new("a", vec![vec![0.5; 10]], None), &as_vorbis(5.0)).0, Encoding::F32, "what is very short stays as it is");
    }

    #[test]
    fn an_original_is_stored_as_it_is_without_its_pictures_if_it_gives_the_same_samples() {
        let samples: Vec<f32> = (0..4_000).map(|i| ((i * 37 % 4_001) as f32 - 2_000.0).floor() / 32_768.0).collect();
        let clip = Clip::new("audio/x.flac", vec![samples.clone()], None);
        let whole: Vec<i32> = samples.iter().map(|s| (s * 32_768.0) as i32).collect();
        let plain = flac(&whole, 1, 16, 48_000).unwrap();
        // A picture of 300 bytes after the first block.
        let first = 4 + 4 + 34;
        let mut pictured = plain[..first].to_vec();
        pictured[4] &= 0x7f;
        pictured.extend([0x86, 0, 1, 44]);
        pictured.extend([7; 300]);
        pictured.extend(&plain[first..]);
        let storing = |bytes: &[u8]| Storing { original: Some(bytes.to_vec()), quality: Some(2.0), streamed: false };
        assert_eq!(encode(&clip, 48_000, &storing(&pictured)), (Encoding::Flac, plain.clone()));
        assert!(decode_stream(pictured.clone(), Encoding::Flac, 1).unwrap_err().contains("a block of kind 6"));
        // Ogg Vorbis that decodes to what the project has.
        let ogg = vorbis(&clip, 48_000, 3.0).unwrap();
        let lossy = Clip::new("audio/x.ogg", vec![decode_stream(ogg.clone(), Encoding::Vorbis, 1).unwrap()], None);
        assert_eq!(encode(&lossy, 48_000, &storing(&ogg)), (Encoding::Vorbis, ogg));
        // Other samples, no such file, nothing: as is said besides.
        for other in [&flac(&whole[1..], 1, 16, 48_000).unwrap()[..], b"RIFF", b"fLaC\0\0", b""] {
            assert_eq!(encode(&clip, 48_000, &storing(other)).1, vorbis(&clip, 48_000, 2.0).unwrap());
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(60))]
        #[test]
        fn as_vorbis_every_length_comes_back(frames in 64usize..20_000, stereo in any::<bool>(), quality in 0.0f32..10.0, rate in prop::sample::select(vec![22_050u32, 44_100, 48_000, 96_000])) {
            let channels = (0..1 + usize::from(stereo)).map(|c| (0..frames).map(|i| 0.3 * ((i * (c + 3)) as f32 * 0.01).sin()).collect()).collect();
            let clip = Clip::new("audio/x.wav", channels, None);
            let (encoding, bytes) = encode(&clip, rate, &as_vorbis(quality));
            prop_assert_eq!(encoding, Encoding::Vorbis);
            // Its blocks are whole, and begin with the first sample.
            let back = decode_stream(bytes, Encoding::Vorbis, clip.channels.len()).unwrap();
            prop_assert!(back.len() >= frames * clip.channels.len() && back.len() < (frames + 8192) * clip.channels.len(), "{} of {}", back.len(), frames);
        }

        #[test]
        fn every_sample_comes_back_to_the_bit(
            kind in 0u32..3, stereo in any::<bool>(), frames in 0usize..9000, seed in any::<u32>(), looped in any::<bool>(),
        ) {
            let scale = [32_768.0f32, 8_388_608.0, 1e7][kind as usize];
            let mut state = seed | 1;
            let mut sample = || {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                let whole = ((state >> 7) as f32 / (1u32 << 25) as f32 * 2.0 - 1.0) * scale;
                if kind == 2 { whole / scale } else { whole.floor().clamp(-scale, scale - 1.0) / scale }
            };
            let channels: Vec<Vec<f32>> = (0..1 + usize::from(stereo)).map(|_| (0..frames).map(|_| sample()).collect()).collect();
            let clip = Clip::new("audio/x.flac", channels, looped.then_some((frames / 4, frames / 2)));
            let (encoding, back, _) = there_and_back(&clip, &Storing::default());
            prop_assert_eq!(encoding == Encoding::Flac, kind < 2 && frames >= SHORTEST);
            prop_assert_eq!(back.loop_points, clip.loop_points);
            prop_assert_eq!(back.level_db.to_bits(), clip.level_db.to_bits());
            for (a, b) in back.channels.iter().zip(&clip.channels) {
                prop_assert!(a.iter().map(f32::to_bits).eq(b.iter().map(f32::to_bits)));
            }
        }
    }
}
