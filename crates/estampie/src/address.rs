//! Addresses as people write them.

use std::net::{IpAddr, Ipv4Addr, SocketAddr};

/// A port, an address, or both; what is left out is this machine, and the usual port.
///
/// # Errors
/// A sentence that says what to write.
pub(crate) fn parse(text: &str, usual: u16) -> Result<SocketAddr, String> {
    let here = IpAddr::V4(Ipv4Addr::LOCALHOST);
    let text = text.trim().replace("localhost", "127.0.0.1");
    if text.is_empty() {
        return Ok(SocketAddr::new(here, usual));
    }
    let port = text.parse().ok().map(|port| SocketAddr::new(here, port));
    let address = || text.parse().ok().map(|address| SocketAddr::new(address, usual));
    port.or_else(address).or_else(|| text.parse().ok()).ok_or_else(|| format!("write a port, an address, or both, like {usual} or 127.0.0.1:{usual}"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_port_an_address_or_both_are_understood() {
        for (text, is) in [
            ("", "127.0.0.1:7"),
            (" 9461 ", "127.0.0.1:9461"),
            ("10.0.0.2", "10.0.0.2:7"),
            ("localhost:80", "127.0.0.1:80"),
            ("[::1]:5", "[::1]:5"),
            ("::1", "[::1]:7"),
        ] {
            assert_eq!(parse(text, 7).map(|a| a.to_string()), Ok(is.to_owned()), "{text}");
        }
        assert_eq!(parse("nowhere", 7), Err("write a port, an address, or both, like 7 or 127.0.0.1:7".into()));
        assert!(parse("70000", 7).is_err());
    }
}
