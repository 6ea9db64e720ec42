//! WAV files of any length: as RIFF, and beyond four gigabytes as RF64 (EBU Tech 3306, ITU-R BS.2088), for which room is left at the start.

use std::io::{self, Seek, SeekFrom, Write};

/// How samples are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Bits {
    /// Whole numbers of 16 bits, with triangular dither of two steps.
    Sixteen,
    /// Whole numbers of 24 bits.
    TwentyFour,
    /// Floating point of 32 bits.
    Float,
}

impl Bits {
    pub(super) fn read(text: &str) -> Bits {
        match text {
            "16" => Bits::Sixteen,
            "32" => Bits::Float,
            _ => Bits::TwentyFour,
        }
    }

    fn bytes(self) -> u64 {
        match self {
            Bits::Sixteen => 2,
            Bits::TwentyFour => 3,
            Bits::Float => 4,
        }
    }
}

/// Bytes before the samples: the head, room for the long sizes, the format, and the name and size of the samples.
const HEAD: u64 = 12 + 36 + 8 + 16 + 8;

/// The head of a file of so many channels with so many bytes of samples.
fn head(bits: Bits, channels: u16, rate: u32, data: u64) -> Vec<u8> {
    let riff = HEAD - 8 + data + (data & 1);
    let long = riff > u64::from(u32::MAX);
    let short = |size: u64| if long { u32::MAX } else { size as u32 }.to_le_bytes();
    let frame = u64::from(channels) * bits.bytes();
    let mut head = Vec::with_capacity(HEAD as usize);
    head.extend(if long { b"RF64" } else { b"RIFF" });
    head.extend(short(riff));
    head.extend(b"WAVE");
    head.extend(if long { b"ds64" } else { b"JUNK" });
    head.extend(28u32.to_le_bytes());
    head.extend(if long { [riff, data, data / frame].map(u64::to_le_bytes).concat() } else { vec![0; 24] });
    head.extend(0u32.to_le_bytes());
    head.extend(b"fmt ");
    head.extend(16u32.to_le_bytes());
    head.extend(if bits == Bits::Float { 3u16 } else { 1 }.to_le_bytes());
    head.extend(channels.to_le_bytes());
    head.extend(rate.to_le_bytes());
    head.extend((rate * frame as u32).to_le_bytes());
    head.extend((frame as u16).to_le_bytes());
    head.extend((8 * bits.bytes() as u16).to_le_bytes());
    head.extend(b"data");
    head.extend(short(data));
    head
}

/// A file being written.
pub(super) struct Wave<W: Write + Seek> {
    out: W,
    bits: Bits,
    channels: u16,
    rate: u32,
    data: u64,
    /// For dither: the same file each time.
    seed: u64,
}

impl<W: Write + Seek> Wave<W> {
    /// Of two channels.
    pub(super) fn new(out: W, rate: u32, bits: Bits) -> io::Result<Wave<W>> {
        Wave::with_channels(out, 2, rate, bits)
    }

    /// Of as many channels as are said.
    pub(super) fn with_channels(mut out: W, channels: u16, rate: u32, bits: Bits) -> io::Result<Wave<W>> {
        out.write_all(&head(bits, channels, rate, 0))?;
        Ok(Wave { out, bits, channels, rate, data: 0, seed: 0x2545_f491_4f6c_dd1d })
    }

    /// A number from 0 to 1, even (xorshift64*, S. Vigna 2016).
    fn even(&mut self) -> f32 {
        self.seed ^= self.seed >> 12;
        self.seed ^= self.seed << 25;
        self.seed ^= self.seed >> 27;
        (self.seed.wrapping_mul(0x2545_f491_4f6c_dd1d) >> 40) as f32 / (1 << 24) as f32
    }

    /// Writes interleaved samples, full scale ±1.
    pub(super) fn write(&mut self, samples: &[f32]) -> io::Result<()> {
        let mut bytes = Vec::with_capacity(samples.len() * 4);
        for sample in samples {
            match self.bits {
                Bits::Sixteen => {
                    // Triangular between −1 and 1 steps (S. Lipshitz, R. Wannamaker and J. Vanderkooy 1992); digital silence stays silence.
                    let dither = if *sample == 0.0 { 0.0 } else { self.even() - self.even() };
                    bytes.extend(((sample * 32_767.0 + dither).round().clamp(-32_768.0, 32_767.0) as i16).to_le_bytes());
                }
                Bits::TwentyFour => bytes.extend(&((sample * 8_388_607.0).round().clamp(-8_388_608.0, 8_388_607.0) as i32).to_le_bytes()[..3]),
                Bits::Float => bytes.extend(sample.to_le_bytes()),
            }
        }
        self.data += bytes.len() as u64;
        self.out.write_all(&bytes)
    }

    /// Writes the sizes, and gives what was written to.
    pub(super) fn finish(mut self) -> io::Result<W> {
        if self.data & 1 == 1 {
            self.out.write_all(&[0])?;
        }
        self.out.seek(SeekFrom::Start(0))?;
        self.out.write_all(&head(self.bits, self.channels, self.rate, self.data))?;
        self.out.flush()?;
        Ok(self.out)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Cursor;

    #[test]
    fn files_are_read_back_as_they_were_written() {
        let samples: Vec<f32> = (0..960).map(|i| (i as f32 * 0.01).sin() * 0.7).collect();
        for (bits, error) in [(Bits::Sixteen, 5e-5), (Bits::TwentyFour, 1e-7), (Bits::Float, 0.0)] {
            let mut wave = Wave::new(Cursor::new(Vec::new()), 44_100, bits).unwrap();
            wave.write(&samples).unwrap();
            let bytes = wave.finish().unwrap().into_inner();
            let mut reader = hound::WavReader::new(Cursor::new(bytes)).unwrap();
            let spec = reader.spec();
            assert_eq!((spec.channels, spec.sample_rate, u64::from(spec.bits_per_sample)), (2, 44_100, 8 * bits.bytes()));
            let back: Vec<f32> = if bits == Bits::Float {
                reader.samples::<f32>().map(Result::unwrap).collect()
            } else {
                let full = ((1i64 << (spec.bits_per_sample - 1)) - 1) as f32;
                reader.samples::<i32>().map(|s| s.unwrap() as f32 / full).collect()
            };
            assert_eq!(back.len(), samples.len());
            assert!(back.iter().zip(&samples).all(|(a, b)| (a - b).abs() <= error), "{bits:?}");
        }
    }

    #[test]
    fn what_is_beyond_four_gigabytes_says_so_in_64_bits() {
        let data = 5_000_000_004u64;
        let head = head(Bits::TwentyFour, 2, 48_000, data);
        assert_eq!(head.len() as u64, HEAD);
        assert_eq!((&head[..4], &head[4..8], &head[12..16]), (&b"RF64"[..], &[0xff; 4][..], &b"ds64"[..]));
        let long = |at: usize| u64::from_le_bytes(head[at..at + 8].try_into().unwrap());
        assert_eq!((long(20), long(28), long(36)), (HEAD - 8 + data, data, data / 6));
        assert_eq!(&head[HEAD as usize - 4..], [0xff; 4]);
        assert_eq!(&super::head(Bits::Sixteen, 2, 48_000, 8)[..4], b"RIFF");
    }

    #[test]
    fn soft_tones_survive_sixteen_bits_and_silence_stays_silent() {
        // Half a step of a tone: without dither nothing would be left of it.
        let samples: Vec<f32> = (0..96_000).flat_map(|i| [(0.5 / 32_767.0) * (0.06 * i as f32).sin(), 0.0]).collect();
        let mut wave = Wave::new(Cursor::new(Vec::new()), 48_000, Bits::Sixteen).unwrap();
        wave.write(&samples).unwrap();
        let mut reader = hound::WavReader::new(Cursor::new(wave.finish().unwrap().into_inner())).unwrap();
        let all: Vec<i32> = reader.samples::<i32>().map(Result::unwrap).collect();
        let found: f64 = all.iter().step_by(2).enumerate().map(|(i, s)| f64::from(*s) * (0.06 * i as f64).sin()).sum::<f64>() * 2.0 / 96_000.0;
        assert!((found - 0.5).abs() < 0.03, "{found}");
        assert!(all.iter().skip(1).step_by(2).all(|s| *s == 0));
    }
}
