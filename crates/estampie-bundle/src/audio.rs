//! Audio in a bundle: FLAC where that loses nothing, 32-bit floats where it would, Ogg Vorbis where it may.

use crate::manifest::{Audio, Encoding};
use estampie_engine::clip::Clip;
use symphonia::core::audio::SampleBuffer;
use symphonia::core::codecs::DecoderOptions;
use symphonia::core::errors::Error;
use symphonia::core::formats::FormatOptions;
use symphonia::core::io::MediaSourceStream;
use symphonia::core::meta::MetadataOptions;
use symphonia::core::probe::Hint;

/// The bits of a sample that FLAC can have without loss; `None` if floats are needed.
#[cfg(feature = "write")]
fn bits(clip: &Clip) -> Option<u32> {
    let fits = |bits: u32| {
        let scale = (1u32 << (bits - 1)) as f32;
        clip.channels.iter().flat_map(|c| c.iter()).all(|s| {
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

/// Encodes a clip: without loss, or as Ogg Vorbis of a quality from 0 to 10.
#[cfg(feature = "write")]
pub(crate) fn encode(clip: &Clip, rate: u32, quality: Option<f32>) -> (Encoding, Vec<u8>) {
    let frames = clip.frames();
    // What does not come back with all its frames is not stored so: loops and cuts are counted in them.
    let long = |bytes: &Vec<u8>| decode_stream(bytes.clone(), "ogg", clip.channels.len()).is_ok_and(|back| back.len() >= frames * clip.channels.len());
    if let Some(bytes) = quality.filter(|_| frames >= SHORTEST).and_then(|quality| vorbis(clip, rate, quality)).filter(long) {
        return (Encoding::Vorbis, bytes);
    }
    let interleaved = (0..frames).flat_map(|frame| clip.channels.iter().map(move |c| c[frame]));
    if let Some(bits) = bits(clip).filter(|_| frames >= SHORTEST) {
        let scale = (1u32 << (bits - 1)) as f32;
        let samples: Vec<i32> = interleaved.clone().map(|s| (s * scale) as i32).collect();
        // What does not come back as it was is not stored so.
        let whole = |bytes: &Vec<u8>| decode_stream(bytes.clone(), "flac", clip.channels.len()).is_ok_and(|back| back.into_iter().eq(interleaved.clone()));
        if let Some(bytes) = flac(&samples, clip.channels.len(), bits as usize, rate).filter(whole) {
            return (Encoding::Flac, bytes);
        }
    }
    (Encoding::F32, interleaved.flat_map(f32::to_le_bytes).collect())
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
        let part: Vec<&[f32]> = clip.channels.iter().map(|c| &c[start..(start + 4096).min(c.len())]).collect();
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

/// Decodes what stands in an entry; what is wrong with it, if something is.
pub(crate) fn decode(audio: &Audio, bytes: Vec<u8>) -> Result<Clip, String> {
    let channels = audio.channels as usize;
    if !(1..=2).contains(&channels) {
        return Err(format!("it has {channels} channels"));
    }
    let interleaved = match audio.encoding {
        Encoding::F32 => bytes.chunks_exact(4).filter_map(|b| b.try_into().ok()).map(f32::from_le_bytes).collect(),
        Encoding::Flac => decode_stream(bytes, "flac", channels)?,
        Encoding::Vorbis if !cfg!(feature = "vorbis") => {
            return Err("it is Ogg Vorbis, and this was built without that: build it with --features vorbis".into());
        }
        Encoding::Vorbis => {
            // Its last block is whole; how much of it counts is known here.
            let mut whole = decode_stream(bytes, "ogg", channels)?;
            whole.truncate(usize::try_from(audio.frames).unwrap_or(usize::MAX).saturating_mul(channels));
            whole
        }
    };
    if interleaved.len() as u64 != audio.frames * u64::from(audio.channels) || interleaved.iter().any(|s| !s.is_finite()) {
        return Err("it is not as long as it should be, or has samples that are no numbers".into());
    }
    let channel = |at: usize| interleaved.iter().skip(at).step_by(channels).copied().collect();
    Ok(Clip::new(&audio.name, (0..channels).map(channel).collect(), audio.loop_points))
}

fn decode_stream(bytes: Vec<u8>, ending: &str, channels: usize) -> Result<Vec<f32>, String> {
    let words = |error: Error| error.to_string();
    let options = FormatOptions::default();
    let stream = MediaSourceStream::new(Box::new(std::io::Cursor::new(bytes)), Default::default());
    let probed = symphonia::default::get_probe().format(Hint::new().with_extension(ending), stream, &options, &MetadataOptions::default());
    let mut format = probed.map_err(words)?.format;
    let track = format.default_track().ok_or("it has no audio")?;
    if track.codec_params.channels.map(symphonia::core::audio::Channels::count) != Some(channels) {
        return Err("it has another number of channels".into());
    }
    let mut decoder = symphonia::default::get_codecs().make(&track.codec_params, &DecoderOptions::default()).map_err(words)?;
    let mut samples = Vec::new();
    loop {
        let packet = match format.next_packet() {
            Ok(packet) => packet,
            // That is how an end is told.
            Err(Error::IoError(error)) if error.kind() == std::io::ErrorKind::UnexpectedEof => return Ok(samples),
            Err(error) => return Err(words(error)),
        };
        let decoded = decoder.decode(&packet).map_err(words)?;
        let mut buffer = SampleBuffer::<f32>::new(decoded.capacity() as u64, *decoded.spec());
        buffer.copy_interleaved_ref(decoded);
        samples.extend_from_slice(buffer.samples());
    }
}

#[cfg(test)]
#[cfg(feature = "write")]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn there_and_back(clip: &Clip, quality: Option<f32>) -> (Encoding, Clip, usize) {
        let (encoding, bytes) = encode(clip, 48_000, quality);
        let audio = Audio {
            name: clip.name.clone(),
            entry: String::new(),
            encoding,
            channels: clip.channels.len() as u32,
            frames: clip.frames() as u64,
            loop_points: clip.loop_points,
            bytes: bytes.len() as u64,
        };
        let bytes_long = bytes.len();
        (encoding, decode(&audio, bytes).unwrap(), bytes_long)
    }

    /// How far what comes back lies from what was, in dB below that.
    fn noise(a: &Clip, b: &Clip) -> f64 {
        let all = |clip: &Clip| clip.channels.iter().flat_map(|c| c.iter()).map(|s| f64::from(*s)).collect::<Vec<f64>>();
        let (a, b) = (all(a), all(b));
        let power = a.iter().map(|s| s * s).sum::<f64>();
        10.0 * (a.iter().zip(&b).map(|(a, b)| (a - b).powi(2)).sum::<f64>() / power).log10()
    }

    #[test]
    fn as_vorbis_it_is_smaller_as_long_and_larger_with_its_quality() {
        let tone =
            |hertz: f64, frames: usize| (0..frames).map(|i| (0.4 * (i as f64 * hertz * std::f64::consts::TAU / 48_000.0).sin()) as f32).collect::<Vec<f32>>();
        let clip = Clip::new("audio/x.wav", vec![tone(440.0, 48_001), tone(523.3, 48_001)], Some((1_000, 40_000)));
        let (_, _, lossless) = there_and_back(&clip, None);
        let mut before = 0;
        for quality in [0.0, 5.0, 10.0] {
            let (encoding, back, bytes) = there_and_back(&clip, Some(quality));
            let apart = noise(&clip, &back);
            assert!(encoding == Encoding::Vorbis && bytes < lossless / 4 && back.frames() == 48_001 && back.loop_points == Some((1_000, 40_000)));
            assert!(apart < -25.0, "quality {quality}: {apart} dB");
            assert!(bytes > before, "quality {quality}: {bytes} bytes");
            before = bytes;
        }
        assert_eq!(encode(&clip, 48_000, Some(4.0)), encode(&clip, 48_000, Some(4.0)), "the same bytes each time");
        assert_eq!(there_and_back(&Clip::new("a", vec![vec![0.5; 10]], None), Some(5.0)).0, Encoding::F32, "what is very short stays as it is");
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(60))]
        #[test]
        fn as_vorbis_every_length_comes_back(frames in 64usize..20_000, stereo in any::<bool>(), quality in 0.0f32..10.0, rate in prop::sample::select(vec![22_050u32, 44_100, 48_000, 96_000])) {
            let channels = (0..1 + usize::from(stereo)).map(|c| (0..frames).map(|i| 0.3 * ((i * (c + 3)) as f32 * 0.01).sin()).collect()).collect();
            let clip = Clip::new("audio/x.wav", channels, None);
            let (encoding, bytes) = encode(&clip, rate, Some(quality));
            prop_assert_eq!(encoding, Encoding::Vorbis);
            // Its blocks are whole, and begin with the first sample.
            let back = decode_stream(bytes, "ogg", clip.channels.len()).unwrap();
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
            let (encoding, back, _) = there_and_back(&clip, None);
            prop_assert_eq!(encoding == Encoding::Flac, kind < 2 && frames >= SHORTEST);
            prop_assert_eq!(back.loop_points, clip.loop_points);
            prop_assert_eq!(back.level_db.to_bits(), clip.level_db.to_bits());
            for (a, b) in back.channels.iter().zip(&clip.channels) {
                prop_assert!(a.iter().map(|s| s.to_bits()).eq(b.iter().map(|s| s.to_bits())));
            }
        }
    }
}
