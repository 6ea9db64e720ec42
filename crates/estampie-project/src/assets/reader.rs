//! A file that is being decoded, by `symphonia`: packet after packet, and from any place where that gives the same samples.

use super::error::AudioError;
use super::headers::{self, BareFlac};
use super::{Notes, riff};
use crate::door;
use estampie_generics::planes::Planes;
use std::fs::File;
use std::io::{Cursor, Read as _, Seek as _};
use std::path::Path;
use symphonia::core::codecs::{Decoder, DecoderOptions};
use symphonia::core::errors::Error as DecoderError;
use symphonia::core::formats::{FormatOptions, FormatReader, SeekMode, SeekTo};
use symphonia::core::io::{MediaSource, MediaSourceStream};
use symphonia::core::meta::MetadataOptions;
use symphonia::core::probe::Hint;

/// Kind, right endings; by the first bytes.
fn kind_of(head: &[u8]) -> Option<(&'static str, &'static [&'static str])> {
    match head {
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'A', b'V', b'E', ..] => Some(("WAV", &["wav", "wave"])),
        [b'F', b'O', b'R', b'M', _, _, _, _, b'A', b'I', b'F', b'F' | b'C', ..] => Some(("AIFF", &["aiff", "aif"])),
        [b'f', b'L', b'a', b'C', ..] => Some(("FLAC", &["flac"])),
        [b'O', b'g', b'g', b'S', ..] => Some(("Ogg Vorbis", &["ogg", "oga"])),
        [b'I', b'D', b'3', ..] => Some(("MP3", &["mp3"])),
        [0xff, second, ..] if second & 0xe0 == 0xe0 && second & 0x06 != 0 => Some(("MP3", &["mp3"])),
        _ => None,
    }
}

/// An open file.
pub(super) struct Reader {
    format: Box<dyn FormatReader>,
    decoder: Box<dyn Decoder>,
    track: u32,
    planes: Planes,
    /// The kind of file, as people say it.
    pub(super) kind: &'static str,
    /// Frames a second.
    pub(super) rate: u32,
    /// How long the file is.
    bytes: u64,
    /// Channels, if its head says so.
    pub(super) channels: Option<usize>,
    /// Bits of a sample, where the format has such.
    pub(super) bits: Option<u32>,
    /// How many frames its head says that it has; it may have fewer.
    pub(super) said: Option<u64>,
    /// Behind this frame nothing counts (the last block of a Vorbis stream is longer than what is left of the sound).
    pub(super) end: Option<u64>,
    /// First frame of the loop and the one after its last, if it says so; not held against its length.
    pub(super) loop_points: Option<(usize, usize)>,
    /// What it says of itself besides its sound.
    pub(super) notes: Notes,
    /// The frame that it gives next.
    pub(super) at: usize,
}

fn broken(error: impl std::fmt::Display) -> AudioError {
    AudioError::Broken(error.to_string())
}

impl Reader {
    /// Opens a file at its first frame. It may panic where a file is damaged: to be called where that is caught.
    ///
    /// # Errors
    /// With the reason why it cannot be decoded.
    pub(super) fn open(path: &Path) -> Result<Reader, AudioError> {
        door::regular(path)?;
        let mut head = [0u8; 12];
        let mut file = File::open(path)?;
        let bytes = file.metadata()?.len();
        if bytes == 0 {
            return Err(AudioError::Empty);
        }
        let got = file.read(&mut head)?;
        let (kind, endings) = kind_of(&head[..got]).ok_or(AudioError::Unknown)?;
        let ending = path.extension().and_then(|e| e.to_str()).unwrap_or_default().to_ascii_lowercase();
        if !endings.contains(&ending.as_str()) {
            return Err(AudioError::Mislabelled { named: ending, holds: if kind == "Ogg Vorbis" { "Ogg" } else { kind }, ending: endings[0] });
        }
        let (mut loop_points, mut notes, mut end) = (None, Notes::default(), None);
        file.rewind()?;
        let stream: Box<dyn MediaSource> = match kind {
            "WAV" => {
                let chunks = riff::chunks(&mut file);
                if chunks.missing > 0 {
                    return Err(AudioError::Truncated(format!("{} of {} bytes of samples are missing", chunks.missing, chunks.missing + chunks.data)));
                }
                loop_points = chunks.loop_points.map(|(start, end)| (start as usize, end as usize));
                notes = chunks.notes;
                file.rewind()?;
                Box::new(file)
            }
            // Their heads are looked at first: what they ask for has no measure but what they say.
            "FLAC" => Box::new(BareFlac::new(file)?),
            "Ogg Vorbis" => {
                let mut all = Vec::new();
                file.read_to_end(&mut all)?;
                end = headers::sound_ogg(&all)?;
                Box::new(Cursor::new(all))
            }
            _ => Box::new(file),
        };
        let mut hint = Hint::new();
        hint.with_extension(&ending);
        let stream = MediaSourceStream::new(stream, Default::default());
        let options = FormatOptions { enable_gapless: true, ..Default::default() };
        let format = symphonia::default::get_probe().format(&hint, stream, &options, &MetadataOptions::default()).map_err(broken)?.format;
        let track = format.default_track().ok_or_else(|| broken("it has no sound track"))?;
        let parameters = &track.codec_params;
        let rate = parameters.sample_rate.filter(|r| (1_000..=768_000).contains(r)).ok_or_else(|| broken("its rate is not said"))?;
        let decoder = symphonia::default::get_codecs().make(parameters, &DecoderOptions { verify: false }).map_err(broken)?;
        let (channels, bits, said) = (parameters.channels.map(symphonia::core::audio::Channels::count), parameters.bits_per_sample, parameters.n_frames);
        Ok(Reader { track: track.id, format, decoder, planes: Planes::default(), kind, rate, bytes, channels, bits, said, end, loop_points, notes, at: 0 })
    }

    /// Decodes the next packet and adds it to what is given, a vector for each channel; false at the end.
    ///
    /// # Errors
    /// With what is broken, and where.
    pub(super) fn packet(&mut self, into: &mut Vec<Vec<f32>>) -> Result<bool, AudioError> {
        let packet = loop {
            match self.format.next_packet() {
                Ok(packet) if packet.track_id() == self.track => break packet,
                Ok(_) => {}
                // That is how an end is told.
                Err(DecoderError::IoError(e)) if e.kind() == std::io::ErrorKind::UnexpectedEof => return Ok(false),
                Err(error) => return Err(broken(error)),
            }
        };
        let audio = match self.decoder.decode(&packet) {
            Ok(audio) => audio,
            Err(DecoderError::IoError(e)) if e.kind() == std::io::ErrorKind::UnexpectedEof => return Ok(false),
            Err(error) => return Err(broken(format!("{error}, {:.2} s from the start", self.at as f64 / f64::from(self.rate)))),
        };
        let count = audio.spec().channels.count();
        if into.is_empty() {
            into.resize(count, Vec::new());
        } else if into.len() != count {
            return Err(broken("its number of channels changes"));
        }
        // What lies behind the end does not count.
        let most = self.end.map_or(usize::MAX, |end| usize::try_from(end).unwrap_or(usize::MAX).saturating_sub(self.at));
        self.at += self.planes.add(audio, most, into);
        Ok(true)
    }

    /// Goes to a frame, or to one before it from which it is decoded the same: that at which it is then. What has been left over from before is nobody's.
    ///
    /// # Errors
    /// When the file does not let it.
    pub(super) fn seek(&mut self, frame: usize) -> Result<usize, AudioError> {
        if frame == self.at {
            return Ok(frame);
        }
        // A Vorbis block overlaps the one before: it comes back the same from the beginning only.
        let exact = if self.kind == "Ogg Vorbis" { 0 } else { frame };
        let to = SeekTo::TimeStamp { ts: exact as u64, track_id: self.track };
        let seeked = self.format.seek(SeekMode::Accurate, to).map_err(broken)?;
        self.decoder.reset();
        self.at = seeked.actual_ts as usize;
        Ok(self.at)
    }

    /// Room for all that its head says it has: a vector that grew would have taken twice as much. A head that claims more than a file of that size has is not
    /// believed.
    pub(super) fn room(&self) -> Vec<Vec<f32>> {
        let (Some(channels @ 1..=2), Some(said)) = (self.channels, self.said) else { return Vec::new() };
        let believed = usize::try_from(said.min(self.bytes.saturating_mul(8))).unwrap_or(0);
        (0..channels).map(|_| Vec::with_capacity(believed)).collect()
    }

    /// Whether the same samples come from any place, and its head tells how many there are.
    pub(super) fn streams(&self) -> bool {
        self.kind != "MP3"
    }

    /// How many frames there are, found by decoding the last second.
    ///
    /// # Errors
    /// When its head does not say how many there should be, or the end is broken.
    pub(super) fn length(&mut self) -> Result<usize, AudioError> {
        if let Some(end) = self.end {
            return Ok(usize::try_from(end).unwrap_or(usize::MAX));
        }
        let said = usize::try_from(self.said.ok_or_else(|| broken("its length is not said"))?).unwrap_or(usize::MAX);
        self.seek(said.saturating_sub(self.rate as usize))?;
        let mut last = Vec::new();
        while self.packet(&mut last)? {
            last.iter_mut().for_each(Vec::clear);
        }
        Ok(self.at)
    }
}
