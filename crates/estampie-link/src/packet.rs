//! From the bytes of a packet to its messages, each with the time tag of the bundle that it is in.

use crate::addresses::Wrong;
use rosc::{OscMessage, OscPacket, OscTime};
use std::time::{Duration, SystemTime};

/// The largest packet that is taken, in bytes: what one datagram can hold.
pub(crate) const LARGEST: usize = 65_536;
/// So many bundles in one packet and no more: the decoder goes into each by a call of its own.
const MOST_BUNDLES: usize = 256;
/// From 1900, where time tags begin, to 1970, in seconds.
const FROM_1900: u64 = 2_208_988_800;

/// Calls `take` for each message of a packet in order, with its time tag if it has one that is not "immediately".
///
/// # Errors
/// When the bytes are no packet; nothing of it was taken then.
pub(crate) fn messages(bytes: &[u8], mut take: impl FnMut(OscMessage, Option<SystemTime>)) -> Result<(), Wrong> {
    if bytes.len() > LARGEST {
        return Err(Wrong::Packet("it is longer than 65536 bytes"));
    }
    let bundles = bytes.chunks_exact(4).zip(bytes.chunks_exact(4).skip(1)).filter(|(a, b)| *a == b"#bun" && *b == b"dle\0").count();
    if bundles > MOST_BUNDLES {
        return Err(Wrong::Packet("it has more than 256 bundles"));
    }
    match rosc::decoder::decode_udp(bytes) {
        Ok(([], packet)) => {
            each(packet, None, &mut take);
            Ok(())
        }
        Ok(_) => Err(Wrong::Packet("it goes on after its end, or a bundle is cut")),
        Err(error) => Err(Wrong::Packet(match error {
            rosc::OscError::BadPacket(_) => "its address or its type tags are damaged",
            rosc::OscError::BadBundle(_) => "a bundle is shorter than it says",
            rosc::OscError::StringError(_) => "a text is not UTF-8",
            _ => "its arguments are damaged",
        })),
    }
}

/// The tag of an inner bundle counts for what is in it.
fn each(packet: OscPacket, tag: Option<SystemTime>, take: &mut impl FnMut(OscMessage, Option<SystemTime>)) {
    match packet {
        OscPacket::Message(message) => take(message, tag),
        OscPacket::Bundle(bundle) => {
            let own = moment(bundle.timetag);
            for inside in bundle.content {
                each(inside, own, take);
            }
        }
    }
}

/// The moment of a time tag: seconds since 1900 and parts of 2³². The tag 0, 1 is "immediately".
fn moment(tag: OscTime) -> Option<SystemTime> {
    if (tag.seconds, tag.fractional) == (0, 1) {
        return None;
    }
    let nanos = (u64::from(tag.fractional) * 1_000_000_000) >> 32;
    let since = Duration::new(u64::from(tag.seconds), nanos as u32);
    let from_1970 = since.checked_sub(Duration::from_secs(FROM_1900)).unwrap_or_default();
    SystemTime::UNIX_EPOCH.checked_add(from_1970)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rosc::{OscBundle, OscType, encoder};

    fn message(address: &str) -> OscPacket {
        OscPacket::Message(OscMessage { addr: address.into(), args: vec![OscType::Int(5), OscType::String("x".into())] })
    }

    fn bundle(tag: (u32, u32), content: Vec<OscPacket>) -> OscPacket {
        OscPacket::Bundle(OscBundle { timetag: tag.into(), content })
    }

    fn taken(bytes: &[u8]) -> Result<Vec<(String, Option<SystemTime>)>, Wrong> {
        let mut all = Vec::new();
        messages(bytes, |m, tag| all.push((m.addr, tag)))?;
        Ok(all)
    }

    #[test]
    fn messages_have_the_tag_of_the_innermost_bundle() {
        let at = |seconds: u64, nanos: u32| Some(SystemTime::UNIX_EPOCH + Duration::new(seconds, nanos));
        let half = 1u32 << 31;
        let inner = bundle((FROM_1900 as u32 + 7, half), vec![message("/c")]);
        let all = bundle((FROM_1900 as u32 + 5, 0), vec![message("/b"), inner, bundle((0, 1), vec![message("/d")])]);
        assert_eq!(
            taken(&encoder::encode(&all).unwrap()).unwrap(),
            [("/b".to_owned(), at(5, 0)), ("/c".to_owned(), at(7, 500_000_000)), ("/d".to_owned(), None)]
        );
        assert_eq!(taken(&encoder::encode(&message("/a")).unwrap()).unwrap(), [("/a".to_owned(), None)]);
    }

    #[test]
    fn what_is_no_packet_is_refused_whole() {
        assert!(taken(b"").is_err() && taken(b"abc").is_err() && taken(&[0; 16]).is_err());
        let whole = encoder::encode(&bundle((0, 1), vec![message("/a"), message("/b")])).unwrap();
        for cut in 1..whole.len() {
            // Between two whole messages a bundle is a whole bundle.
            let fine = taken(&whole[..cut]);
            assert!(fine.as_ref().is_ok_and(|m| m.len() < 2) || fine.is_err(), "{cut}: {fine:?}");
        }
        let mut longer = encoder::encode(&message("/a")).unwrap();
        longer.extend(b"/b\0\0");
        assert_eq!(taken(&longer), Err(Wrong::Packet("it goes on after its end, or a bundle is cut")));
    }

    #[test]
    fn bundles_in_bundles_without_end_are_refused() {
        let mut packet = message("/a");
        for _ in 0..200 {
            packet = bundle((0, 1), vec![packet]);
        }
        let deep = encoder::encode(&packet).unwrap();
        assert_eq!(std::thread::Builder::new().stack_size(crate::socket::STACK).spawn(move || taken(&deep)).unwrap().join().unwrap().unwrap().len(), 1);
        // As deep as a datagram can hold: by hand, since an encoder would go as deep itself.
        let mut bytes: Vec<u8> = Vec::new();
        for level in 0..3200u32 {
            bytes.extend(b"#bundle\0\0\0\0\0\0\0\0\x01");
            bytes.extend(((3200 - level) * 20).to_be_bytes());
        }
        assert_eq!(taken(&bytes), Err(Wrong::Packet("it has more than 256 bundles")));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(crate::cases(2000)))]
        #[test]
        fn damaged_packets_are_refused_or_read_but_never_a_panic(at in 0usize..200, with in any::<u8>(), cut in 0usize..200) {
            let whole = encoder::encode(&bundle((FROM_1900 as u32, 9), vec![message("/estampie/event"), bundle((0, 1), vec![message("/b")])])).unwrap();
            let mut damaged = whole.clone();
            let at = at % damaged.len();
            damaged[at] = with;
            damaged.truncate(whole.len() - cut % 40);
            let _ = taken(&damaged);
        }
    }
}
