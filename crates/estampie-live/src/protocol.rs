//! What goes over the line: frames of a length and as many bytes. The first of each side is a text ([`Hello`]) that any version can read; those after
//! it are [`ToGame`] and [`FromGame`] in postcard's wire format, which only the same version can.

use crate::clips::Hash;
use estampie_bundle::{FORMAT, Tables};
use estampie_engine::engine::{Happening, Input, Status};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::io::{self, ErrorKind, Read, Write};

/// The version: it grows whenever a frame could be read wrongly by one of before.
pub const PROTOCOL: u32 = 5;

/// The port unless another is said.
pub const PORT: u16 = 9461;

/// The longest frame, in bytes: twenty minutes of stereo.
const LARGEST: usize = 1 << 29;

/// What a workshop sends.
#[derive(Debug, PartialEq, Serialize, Deserialize)]
pub enum ToGame {
    /// Inputs, which count at once.
    Inputs(Vec<Input>),
    /// An edited project.
    Program {
        /// Its number with the workshop.
        id: u64,
        /// The program as in a bundle.
        program: Vec<u8>,
        /// All audio that it plays: its name, and what it is.
        audio: Vec<(String, Hash)>,
    },
    /// Audio that the game lacks.
    Audio {
        /// Its name.
        name: String,
        /// Its channels, one or two.
        channels: Vec<Vec<f32>>,
        /// The first frame of its loop and the one after its last.
        loop_points: Option<(usize, usize)>,
    },
}

/// What a game sends.
#[derive(Debug, PartialEq, Serialize, Deserialize)]
pub enum FromGame {
    /// Names that its keys stand for.
    Names(Vec<String>),
    /// What happened.
    Happened(Vec<Happening>),
    /// How everything is. The number of its program is the workshop's; 0 is that of the bundle.
    Status(Box<Status>),
    /// Frames of the output, and of the tapped bus, interleaved; and the share of real time that making them takes.
    Heard {
        /// The output.
        output: Vec<f32>,
        /// The tapped bus.
        tap: Vec<f32>,
        /// The share.
        load: f32,
    },
    /// A program waits for audio that is to be sent.
    Lacks {
        /// The program.
        id: u64,
        /// The names of the audio.
        audio: Vec<String>,
    },
    /// A program is not taken.
    Refuses {
        /// The program.
        id: u64,
        /// Why.
        why: String,
    },
}

/// The first frame of each side, as lines of text: `estampie-live`, the version, what programs it reads, and words of its own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hello {
    /// The version.
    pub protocol: u32,
    /// The format of programs and the hash of the engine's tables.
    pub programs: String,
    /// The game's: frames a second.
    pub rate: u32,
    /// The game's: the hash of the texts and audio that its bundle was made of.
    pub sources: String,
    /// Who it is: the project, or the workshop's version.
    pub name: String,
    /// The workshop's: what a game asks for that listens beyond its own machine; else empty.
    pub token: String,
}

impl Hello {
    /// That of this program.
    #[must_use]
    pub fn here(name: &str, rate: u32, sources: &str) -> Hello {
        let plain = |text: &str| text.replace(['\n', '\r'], " ");
        let tables = xxhash_rust::xxh3::xxh3_64(format!("{:?}", Tables::here()).as_bytes());
        Hello { protocol: PROTOCOL, programs: format!("{FORMAT}-{tables:016x}"), rate, sources: plain(sources), name: plain(name), token: String::new() }
    }

    /// With a token, as it was typed.
    #[must_use]
    pub fn with_token(self, token: &str) -> Hello {
        Hello { token: token.replace(['\n', '\r'], " ").trim().to_lowercase(), ..self }
    }

    fn text(&self) -> String {
        format!("estampie-live\n{}\n{}\n{}\n{}\n{}\n{}\n", self.protocol, self.programs, self.rate, self.sources, self.name, self.token)
    }

    fn of_text(text: &str) -> Option<Hello> {
        let mut lines = text.lines();
        if lines.next()? != "estampie-live" {
            return None;
        }
        let mut line = || lines.next().map(str::to_owned);
        let (protocol, programs, rate, sources, name) = (line()?.parse().ok()?, line()?, line()?.parse().ok()?, line()?, line()?);
        // A version before knew no tokens, and is told by its number.
        Some(Hello { protocol, programs, rate, sources, name, token: line().unwrap_or_default() })
    }

    /// Why two cannot speak with each other, if they cannot.
    #[must_use]
    pub fn against(&self, other: &Hello) -> Option<String> {
        if self.protocol != other.protocol {
            return Some(format!(
                "the game speaks version {} of live edits and the workshop version {}: build both from one version",
                self.protocol, other.protocol
            ));
        }
        (self.programs != other.programs)
            .then(|| "the game's engine has other effects, generators, actions or programs than the workshop's: build both from one version".into())
    }
}

/// The answer of a game that does not take a workshop.
const REFUSED: &str = "refused\n";

/// What came as a first frame.
pub(crate) enum First {
    Hello(Hello),
    Refused(String),
}

pub(crate) fn write_hello(out: &mut impl Write, hello: &Hello) -> io::Result<()> {
    write_text(out, &hello.text())
}

pub(crate) fn write_refusal(out: &mut impl Write, why: &str) -> io::Result<()> {
    write_text(out, &format!("{REFUSED}{why}"))
}

pub(crate) fn read_hello(from: &mut impl Read) -> io::Result<First> {
    let wrong = || io::Error::new(ErrorKind::InvalidData, "whoever is there speaks something else");
    // Nobody's first words are long; what speaks another protocol is not waited for.
    let bytes = read_frame(from, 4096)?;
    let text = String::from_utf8(bytes).map_err(|_| wrong())?;
    match text.strip_prefix(REFUSED) {
        Some(why) => Ok(First::Refused(why.to_owned())),
        None => Hello::of_text(&text).map(First::Hello).ok_or_else(wrong),
    }
}

/// Room for a frame's length, before what is in it.
const HEAD: usize = 4;

/// Writes what stands behind the room for its length, in one piece.
fn write_frame(out: &mut impl Write, mut bytes: Vec<u8>) -> io::Result<()> {
    let length = u32::try_from(bytes.len() - HEAD).ok().filter(|n| *n as usize <= LARGEST);
    let length = length.ok_or_else(|| io::Error::new(ErrorKind::InvalidInput, "more than fits into a frame"))?;
    bytes[..HEAD].copy_from_slice(&length.to_le_bytes());
    out.write_all(&bytes)
}

fn write_text(out: &mut impl Write, text: &str) -> io::Result<()> {
    write_frame(out, [&[0; HEAD], text.as_bytes()].concat())
}

fn read_frame(from: &mut impl Read, most: usize) -> io::Result<Vec<u8>> {
    let mut length = [0; HEAD];
    from.read_exact(&mut length)?;
    let length = u32::from_le_bytes(length) as usize;
    if length > most {
        return Err(io::Error::new(ErrorKind::InvalidData, "a frame is longer than any may be"));
    }
    // Room is made as bytes come: a length alone costs nothing.
    let mut bytes = Vec::with_capacity(length.min(1 << 20));
    from.take(length as u64).read_to_end(&mut bytes)?;
    if bytes.len() < length { Err(ErrorKind::UnexpectedEof.into()) } else { Ok(bytes) }
}

/// Writes a message.
pub(crate) fn write<T: Serialize>(out: &mut impl Write, message: &T) -> io::Result<()> {
    let bytes = postcard::to_extend(message, vec![0; HEAD]).map_err(|e| io::Error::new(ErrorKind::InvalidInput, e.to_string()))?;
    write_frame(out, bytes)
}

/// Reads a message.
pub(crate) fn read<T: DeserializeOwned>(from: &mut impl Read) -> io::Result<T> {
    let bytes = read_frame(from, LARGEST)?;
    postcard::from_bytes(&bytes).map_err(|e| io::Error::new(ErrorKind::InvalidData, format!("what came is not understood: {e}")))
}

#[cfg(test)]
mod tests {
    use super::*;
    use estampie_engine::engine::{EmitterStatus, InputKind, Notice, ParameterStatus, VoiceStatus, What};
    use estampie_engine::names::NameKey;
    use proptest::prelude::*;

    fn messages() -> (ToGame, FromGame) {
        let input = Input { frame: 7, what: InputKind::Parameter { parameter: NameKey::of("depth"), value: 2.5, emitter: NameKey::NONE } };
        let happening = Happening { frame: 9, what: What::Notice(Notice::Program(3)) };
        (ToGame::Inputs(vec![input]), FromGame::Happened(vec![happening]))
    }

    #[test]
    fn what_is_written_is_read() {
        let (to, from) = messages();
        let mut line = Vec::new();
        write(&mut line, &to).unwrap();
        write(&mut line, &from).unwrap();
        let mut rest = line.as_slice();
        assert_eq!(read::<ToGame>(&mut rest).unwrap(), to);
        assert_eq!(read::<FromGame>(&mut rest).unwrap(), from);
        assert!(rest.is_empty());
    }

    #[test]
    fn hellos_are_read_and_versions_told_apart() {
        let hello = Hello::here("Brinewick\nSalvage", 48_000, "00ff");
        let mut line = Vec::new();
        write_hello(&mut line, &hello).unwrap();
        let Ok(First::Hello(read)) = read_hello(&mut line.as_slice()) else { panic!("a hello") };
        assert_eq!((&read, read.name.as_str()), (&hello, "Brinewick Salvage"));
        assert_eq!(read.against(&hello), None);
        let asked = hello.clone().with_token(" K7QM-2xvp\n");
        let mut line = Vec::new();
        write_hello(&mut line, &asked).unwrap();
        assert!(matches!(read_hello(&mut line.as_slice()), Ok(First::Hello(read)) if read.token == "k7qm-2xvp" && read.name == hello.name));
        let newer = Hello { protocol: PROTOCOL + 1, ..hello.clone() };
        let told = format!("version {} of live edits and the workshop version {PROTOCOL}", PROTOCOL + 1);
        assert!(newer.against(&hello).unwrap().contains(&told));
        let other = Hello { programs: "1-0".into(), ..hello.clone() };
        assert!(other.against(&hello).unwrap().contains("other effects"));
        let mut line = Vec::new();
        write_refusal(&mut line, "another workshop is here").unwrap();
        assert!(matches!(read_hello(&mut line.as_slice()), Ok(First::Refused(why)) if why == "another workshop is here"));
        // Somebody else's port.
        let error = read_hello(&mut b"HTTP/1.1 400 Bad Request\r\n\r\n".as_slice()).err().unwrap();
        assert!(error.to_string().contains("longer than any may be"), "{error}");
    }

    /// Whoever changes what goes over the line raises [`PROTOCOL`], and writes the new numbers here.
    #[test]
    fn the_version_stands_for_these_bytes() {
        let (to, from) = messages();
        let emitter =
            EmitterStatus { emitter: NameKey::of("eel"), kind: NameKey::of("fish"), of_project: true, at: [1.0, 2.0, 3.0], metres: 4.0, facing_degrees: 5.0 };
        let parameters = vec![ParameterStatus { value: 0.5, smooth: 0.25 }];
        let (key, none) = (NameKey::of("hum"), NameKey::NONE);
        let voices = vec![VoiceStatus {
            voice: 7,
            sound: key,
            take: key,
            emitter: none,
            started: 4_800,
            at: 960,
            heard_db: -12.0,
            rms_db: -20.0,
            placement: Some((90.0, 3.0, 0.1)),
            leaving: false,
            asleep: true,
            first: 0,
            count: 2,
        }];
        let status = FromGame::Status(Box::new(Status { emitters: vec![emitter], parameters, voices, ..Status::default() }));
        let mut bytes = postcard::to_allocvec(&to).unwrap();
        bytes.extend([&from, &status].into_iter().flat_map(|message| postcard::to_allocvec(message).unwrap()));
        assert_eq!((PROTOCOL, bytes.len(), xxhash_rust::xxh3::xxh3_64(&bytes)), (5, 160, 7_626_180_958_378_699_010));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(3000))]
        #[test]
        fn damaged_frames_are_refused_and_never_a_panic(at in any::<prop::sample::Index>(), with in any::<u8>(), bytes in prop::collection::vec(any::<u8>(), 0..80)) {
            let (to, from) = messages();
            for mut line in [{ let mut l = Vec::new(); write(&mut l, &to).unwrap(); l }, { let mut l = Vec::new(); write(&mut l, &from).unwrap(); l }, bytes] {
                if !line.is_empty() {
                    let at = at.index(line.len());
                    line[at] = with;
                }
                let _ = read::<ToGame>(&mut line.as_slice());
                let _ = read::<FromGame>(&mut line.as_slice());
                let _ = read_hello(&mut line.as_slice());
            }
        }
    }
}
