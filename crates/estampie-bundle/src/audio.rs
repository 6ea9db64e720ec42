//! Audio in a bundle: FLAC where that loses nothing, 32-bit floats where it would.

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

/// Encodes a clip.
#[cfg(feature = "write")]
pub(crate) fn encode(clip: &Clip, rate: u32) -> (Encoding, Vec<u8>) {
    let frames = clip.frames();
    let interleaved = (0..frames).flat_map(|frame| clip.channels.iter().map(move |c| c[frame]));
    if let Some(bits) = bits(clip).filter(|_| frames >= SHORTEST) {
        let scale = (1u32 << (bits - 1)) as f32;
        let samples: Vec<i32> = interleaved.clone().map(|s| (s * scale) as i32).collect();
        // What does not come back as it was is not stored so.
        let whole = |bytes: &Vec<u8>| decode_flac(bytes.clone(), clip.channels.len()).is_ok_and(|back| back.into_iter().eq(interleaved.clone()));
        if let Some(bytes) = flac(&samples, clip.channels.len(), bits as usize, rate).filter(whole) {
            return (Encoding::Flac, bytes);
        }
    }
    (Encoding::F32, interleaved.flat_map(f32::to_le_bytes).collect())
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
        Encoding::Flac => decode_flac(bytes, channels)?,
    };
    if interleaved.len() as u64 != audio.frames * u64::from(audio.channels) || interleaved.iter().any(|s| !s.is_finite()) {
        return Err("it is not as long as it should be, or has samples that are no numbers".into());
    }
    let channel = |at: usize| interleaved.iter().skip(at).step_by(channels).copied().collect();
    Ok(Clip::new(&audio.name, (0..channels).map(channel).collect(), audio.loop_points))
}

fn decode_flac(bytes: Vec<u8>, channels: usize) -> Result<Vec<f32>, String> {
    let words = |error: Error| error.to_string();
    let stream = MediaSourceStream::new(Box::new(std::io::Cursor::new(bytes)), Default::default());
    let probed = symphonia::default::get_probe().format(Hint::new().with_extension("flac"), stream, &FormatOptions::default(), &MetadataOptions::default());
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

    fn there_and_back(clip: &Clip) -> (Encoding, Clip) {
        let (encoding, bytes) = encode(clip, 48_000);
        let audio = Audio {
            name: clip.name.clone(),
            entry: String::new(),
            encoding,
            channels: clip.channels.len() as u32,
            frames: clip.frames() as u64,
            loop_points: clip.loop_points,
            bytes: bytes.len() as u64,
        };
        (encoding, decode(&audio, bytes).unwrap())
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(60))]
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
            let (encoding, back) = there_and_back(&clip);
            prop_assert_eq!(encoding == Encoding::Flac, kind < 2 && frames >= SHORTEST);
            prop_assert_eq!(back.loop_points, clip.loop_points);
            prop_assert_eq!(back.level_db.to_bits(), clip.level_db.to_bits());
            for (a, b) in back.channels.iter().zip(&clip.channels) {
                prop_assert!(a.iter().map(|s| s.to_bits()).eq(b.iter().map(|s| s.to_bits())));
            }
        }
    }
}
