//! Sends events as fast as is asked, to see what a link bears: `cargo run --release -p estampie-link --example flood -- PORT A-SECOND SECONDS`.

use rosc::{OscMessage, OscPacket, OscType, encoder};
use std::net::UdpSocket;
use std::time::{Duration, Instant};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut arguments = std::env::args().skip(1);
    let mut next = |what: &str| arguments.next().ok_or_else(|| format!("say {what}: PORT A-SECOND SECONDS"));
    let port: u16 = next("the port")?.parse()?;
    let rate: u32 = next("how many a second")?.parse()?;
    let seconds: u32 = next("for how many seconds")?.parse()?;
    let socket = UdpSocket::bind("127.0.0.1:0")?;
    socket.connect(("127.0.0.1", port))?;
    // A value that is set and changes nothing else, so that what is measured is the way and not what follows from it.
    let packets: Vec<Vec<u8>> = (0..100)
        .map(|n| {
            let args = vec![OscType::String("oxygen".into()), OscType::Float(0.5 + n as f32 * 1e-3)];
            encoder::encode(&OscPacket::Message(OscMessage { addr: "/estampie/parameter".into(), args }))
        })
        .collect::<Result<_, _>>()?;
    let (begun, all) = (Instant::now(), u64::from(rate) * u64::from(seconds));
    let (mut sent, mut refused, mut latest) = (0u64, 0u64, Duration::ZERO);
    while sent < all {
        let due = (begun.elapsed().as_secs_f64() * f64::from(rate)) as u64;
        while sent < due.min(all) {
            refused += u64::from(socket.send(&packets[(sent % 100) as usize]).is_err());
            sent += 1;
        }
        latest = latest.max(begun.elapsed().saturating_sub(Duration::from_secs_f64(sent as f64 / f64::from(rate))));
        std::thread::sleep(Duration::from_micros(200));
    }
    println!("{sent} sent in {:.2} s, {refused} refused by the system, at most {:.1} ms late", begun.elapsed().as_secs_f64(), latest.as_secs_f64() * 1e3);
    Ok(())
}
