//! What a file says of itself, looked at before a decoder believes it: a damaged header may ask for gigabytes.

use super::AudioError;
use std::io::{Read, Seek, SeekFrom};
use symphonia::core::io::MediaSource;

fn broken(what: &str) -> AudioError {
    AudioError::Broken(what.to_owned())
}

/// The most numbers that one codebook of an Ogg Vorbis file may unfold to; usual ones have less than a hundredth.
const MOST_VALUES: u64 = 1 << 22;

fn little(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(bytes.get(at..at.checked_add(4)?)?.try_into().ok()?))
}

/// A FLAC file whose descriptions (pictures, comments, tables) count as padding: they are not needed, and their inner lengths may be false.
pub(super) struct BareFlac<R> {
    file: R,
    length: u64,
    at: u64,
    /// Bytes that are others than those of the file, by their places.
    padded: Vec<(u64, u8)>,
}

impl<R: Read + Seek> BareFlac<R> {
    /// # Errors
    /// When a description is longer than the file, or it cannot be read.
    pub(super) fn new(mut file: R) -> Result<BareFlac<R>, AudioError> {
        let length = file.seek(SeekFrom::End(0))?;
        let (mut at, mut head, mut padded) = (4u64, [0u8; 4], Vec::new());
        loop {
            file.seek(SeekFrom::Start(at))?;
            file.read_exact(&mut head).map_err(|_| broken("its descriptions do not end"))?;
            let (last, kind) = (head[0] & 0x80, head[0] & 0x7f);
            let long = u64::from(u32::from_be_bytes([0, head[1], head[2], head[3]]));
            if at + 4 + long > length {
                return Err(broken(&format!("a description says that it has {long} bytes, which are not there")));
            }
            if kind != 0 {
                padded.push((at, last | 1));
            }
            if last != 0 {
                file.rewind()?;
                return Ok(BareFlac { file, length, at: 0, padded });
            }
            at += 4 + long;
        }
    }
}

impl<R: Read> Read for BareFlac<R> {
    fn read(&mut self, into: &mut [u8]) -> std::io::Result<usize> {
        let got = self.file.read(into)?;
        let here = self.at..self.at + got as u64;
        for (at, byte) in self.padded.iter().filter(|(at, _)| here.contains(at)) {
            into[(at - here.start) as usize] = *byte;
        }
        self.at = here.end;
        Ok(got)
    }
}

impl<R: Seek> Seek for BareFlac<R> {
    fn seek(&mut self, to: SeekFrom) -> std::io::Result<u64> {
        self.at = self.file.seek(to)?;
        Ok(self.at)
    }
}

impl<R: Read + Seek + Send + Sync> MediaSource for BareFlac<R> {
    fn is_seekable(&self) -> bool {
        true
    }

    fn byte_len(&self) -> Option<u64> {
        Some(self.length)
    }
}

/// The packets of an Ogg stream's head, and how many frames it says that there are in all.
struct Ogg {
    packets: Vec<Vec<u8>>,
    frames: Option<u64>,
}

/// Walks the pages of the first stream.
fn pages(bytes: &[u8]) -> Ogg {
    let mut found = Ogg { packets: Vec::new(), frames: None };
    let (mut at, mut serial, mut open) = (0usize, None, Vec::new());
    while let Some(head) = bytes.get(at..at + 27).filter(|h| h.starts_with(b"OggS")) {
        let table = usize::from(head[26]);
        let Some(lengths) = bytes.get(at + 27..at + 27 + table) else { break };
        let own = little(head, 14);
        let mut body = at + 27 + table;
        if *serial.get_or_insert(own) == own {
            let position = i64::from_le_bytes(head[6..14].try_into().unwrap_or_default());
            if position > 0 {
                found.frames = Some(position as u64);
            }
            for length in lengths {
                let end = (body + usize::from(*length)).min(bytes.len());
                if found.packets.len() < 3 {
                    open.extend_from_slice(&bytes[body.min(end)..end]);
                    if *length < 255 {
                        found.packets.push(std::mem::take(&mut open));
                    }
                }
                body = end;
            }
        } else {
            body += lengths.iter().map(|l| usize::from(*l)).sum::<usize>();
        }
        at = body;
    }
    found
}

/// Bits of a packet, the lowest of each byte first.
struct Bits<'a> {
    bytes: &'a [u8],
    at: usize,
}

impl Bits<'_> {
    fn take(&mut self, count: u32) -> Option<u64> {
        let mut value = 0;
        for bit in 0..count {
            let byte = self.bytes.get(self.at / 8)?;
            value |= u64::from(byte >> (self.at % 8) & 1) << bit;
            self.at += 1;
        }
        Some(value)
    }
}

/// The greatest whole number whose power does not exceed `entries` (Vorbis I specification, 9.2.3).
fn root_of(entries: u64, dimensions: u64) -> u64 {
    let mut value = (entries as f64).powf(1.0 / dimensions as f64).floor() as u64 + 1;
    while u32::try_from(dimensions).ok().and_then(|d| value.checked_pow(d)).is_none_or(|p| p > entries) && value > 0 {
        value -= 1;
    }
    value
}

/// How many numbers the codebooks of a setup packet unfold to, each (Vorbis I specification, 3.2.1); `None` if it cannot be read.
fn codebooks(setup: &[u8]) -> Option<u64> {
    let mut bits = Bits { bytes: setup, at: 7 * 8 };
    let count = bits.take(8)? + 1;
    let mut most = 0;
    for _ in 0..count {
        if bits.take(24)? != 0x56_4342 {
            return None;
        }
        let (dimensions, entries) = (bits.take(16)?, bits.take(24)?);
        if dimensions == 0 {
            return None;
        }
        most = most.max(dimensions * entries);
        if most > MOST_VALUES {
            return Some(most);
        }
        if bits.take(1)? == 0 {
            let sparse = bits.take(1)? == 1;
            for _ in 0..entries {
                if !sparse || bits.take(1)? == 1 {
                    bits.take(5)?;
                }
            }
        } else {
            let mut done = 0;
            bits.take(5)?;
            while done < entries {
                done += bits.take(64 - (entries - done).leading_zeros())?;
            }
            if done > entries {
                return None;
            }
        }
        match bits.take(4)? {
            0 => {}
            kind @ (1 | 2) => {
                bits.take(32)?;
                bits.take(32)?;
                let width = bits.take(4)? as u32 + 1;
                bits.take(1)?;
                let values = if kind == 1 { root_of(entries, dimensions) } else { entries * dimensions };
                for _ in 0..values {
                    bits.take(width)?;
                }
            }
            _ => return None,
        }
    }
    Some(most)
}

/// Whether an Ogg Vorbis file's head asks for no more than it can hold; gives how many frames there are in all, if it says so.
pub(super) fn sound_ogg(bytes: &[u8]) -> Result<Option<u64>, AudioError> {
    let ogg = pages(bytes);
    if let Some(comments) = ogg.packets.get(1) {
        let long = |at: usize| little(comments, at).map(|l| l as usize);
        let mut at = 7usize;
        let vendor = long(at).ok_or_else(|| broken("its comments are cut off"))?;
        at = at.saturating_add(4).saturating_add(vendor);
        let count = long(at).ok_or_else(|| broken("its comments are longer than the file"))?;
        at += 4;
        for _ in 0..count {
            let length = long(at).ok_or_else(|| broken("its comments are longer than the file"))?;
            at = at.saturating_add(4).saturating_add(length);
        }
        if at > comments.len() {
            return Err(broken("its comments are longer than the file"));
        }
    }
    if let Some(setup) = ogg.packets.get(2) {
        match codebooks(setup) {
            Some(values) if values > MOST_VALUES => return Err(broken(&format!("a codebook asks for {values} numbers"))),
            Some(_) => {}
            None => return Err(broken("its codebooks cannot be read")),
        }
    }
    Ok(ogg.frames)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Cursor;

    #[test]
    fn roots_are_those_of_the_specification() {
        for (entries, dimensions, root) in [(6561, 8, 3), (6560, 8, 2), (81, 4, 3), (16, 1, 16), (1, 5, 1), (0, 3, 0), (1 << 24, 65_535, 1)] {
            assert_eq!(root_of(entries, dimensions), root, "{entries} {dimensions}");
        }
    }

    #[test]
    fn bits_come_lowest_first() {
        let mut bits = Bits { bytes: &[0b1010_0110, 0b0000_0011], at: 1 };
        assert_eq!((bits.take(3), bits.take(6), bits.take(7)), (Some(3), Some(0b11_1010), None));
    }

    #[test]
    fn descriptions_of_a_flac_file_become_padding() {
        let bytes = b"fLaC\x00\x00\x00\x02ab\x04\x00\x00\x03abc\x86\x00\x00\x01xrest".to_vec();
        let mut padded = bytes.clone();
        (padded[10], padded[17]) = (1, 0x81);
        // However it is read: in pieces, and from any place.
        for piece in 1..bytes.len() {
            let mut bare = BareFlac::new(Cursor::new(&bytes)).unwrap();
            for from in [0, piece, bytes.len() - 1] {
                bare.seek(SeekFrom::Start(from as u64)).unwrap();
                let mut read: Vec<u8> = Vec::new();
                let mut part = vec![0; piece];
                while let Ok(got @ 1..) = bare.read(&mut part) {
                    read.extend(&part[..got]);
                }
                assert_eq!(read, padded[from..], "{piece} {from}");
            }
        }
        let false_length = b"fLaC\x00\x00\x00\x02ab\x86\xff\xff\xffx";
        assert!(BareFlac::new(Cursor::new(false_length)).err().unwrap().to_string().contains("not there"));
        assert!(BareFlac::new(Cursor::new(b"fLaC\x00\x00\x00\x02ab")).err().unwrap().to_string().contains("do not end"));
    }
}
