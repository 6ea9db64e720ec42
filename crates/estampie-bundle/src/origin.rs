//! Where a bundle is: a file that is opened once, or memory. Several read from it at their own places.

use std::fs::File;
use std::io::{self, ErrorKind, Read, Seek, SeekFrom};
use std::path::Path;
use std::sync::{Arc, Mutex};

/// Where a bundle is. A file that is written anew meanwhile stays the one that was opened, where the system lets it.
#[derive(Debug, Clone)]
pub enum Origin {
    /// A file, and how many bytes it has.
    File(Arc<Mutex<File>>, u64),
    /// Memory.
    Memory(Arc<[u8]>),
}

impl Origin {
    /// Opens a file.
    ///
    /// # Errors
    /// When it cannot be.
    pub fn open(path: &Path) -> io::Result<Origin> {
        let file = File::open(path)?;
        let length = file.metadata()?.len();
        Ok(Origin::File(Arc::new(Mutex::new(file)), length))
    }

    /// A stretch of it, or as much of that as there is.
    #[must_use]
    pub fn span(&self, start: u64, length: u64) -> Span {
        let all = match self {
            Origin::File(_, length) => *length,
            Origin::Memory(bytes) => bytes.len() as u64,
        };
        let start = start.min(all);
        Span { origin: self.clone(), start, length: length.min(all - start), at: 0 }
    }

    /// All of it.
    #[must_use]
    pub fn whole(&self) -> Span {
        self.span(0, u64::MAX)
    }
}

/// A stretch of a bundle, read from a place of its own.
#[derive(Debug)]
pub struct Span {
    origin: Origin,
    start: u64,
    length: u64,
    at: u64,
}

impl Span {
    /// How many bytes it has.
    #[must_use]
    pub fn length(&self) -> u64 {
        self.length
    }
}

impl Read for Span {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let most = (into.len() as u64).min(self.length.saturating_sub(self.at)) as usize;
        if most == 0 {
            return Ok(0);
        }
        let from = self.start + self.at;
        let read = match &self.origin {
            Origin::Memory(bytes) => {
                into[..most].copy_from_slice(&bytes[from as usize..from as usize + most]);
                most
            }
            Origin::File(file, _) => {
                let mut file = file.lock().map_err(|_| io::Error::other("whoever read the file before broke"))?;
                file.seek(SeekFrom::Start(from))?;
                file.read(&mut into[..most])?
            }
        };
        self.at += read as u64;
        Ok(read)
    }
}

impl Seek for Span {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let at = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::End(by) => self.length.checked_add_signed(by),
            SeekFrom::Current(by) => self.at.checked_add_signed(by),
        };
        self.at = at.ok_or_else(|| io::Error::new(ErrorKind::InvalidInput, "a place before the beginning"))?;
        Ok(self.at)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::io::Write as _;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(200))]
        #[test]
        fn a_stretch_reads_like_those_bytes_alone(
            bytes in prop::collection::vec(any::<u8>(), 0..300), start in 0u64..350, length in 0u64..350,
            steps in prop::collection::vec((0usize..3, -40i64..340, 0usize..90), 1..12),
        ) {
            let mut file = tempfile::tempfile().unwrap();
            file.write_all(&bytes).unwrap();
            let long = bytes.len() as u64;
            let alone = &bytes[start.min(long) as usize..(start.saturating_add(length)).min(long) as usize];
            for origin in [Origin::Memory(bytes.clone().into()), Origin::File(Arc::new(Mutex::new(file)), long)] {
                let (mut span, mut plain) = (origin.span(start, length), io::Cursor::new(alone));
                prop_assert_eq!(span.length(), alone.len() as u64);
                for (kind, by, count) in &steps {
                    let to = [SeekFrom::Start(by.unsigned_abs()), SeekFrom::End(*by), SeekFrom::Current(*by)][*kind];
                    prop_assert_eq!(span.seek(to).ok(), plain.seek(to).ok());
                    let (mut a, mut b) = (vec![0; *count], vec![0; *count]);
                    prop_assert_eq!(span.read(&mut a).unwrap(), plain.read(&mut b).unwrap());
                    prop_assert_eq!(a, b);
                }
            }
        }
    }
}
