//! The sound device, on a thread of its own: opened, watched, opened again when it comes back.

#[cfg(feature = "device")]
use super::BY_CHOICE;
use super::{Output, Shared};
use std::sync::Arc;
#[cfg(feature = "device")]
use std::sync::atomic::Ordering;
#[cfg(feature = "device")]
use std::time::{Duration, Instant};

/// Whether devices were built in.
pub(crate) const BUILT_IN: bool = cfg!(feature = "device");

/// A device that could not be opened is tried again after this time.
#[cfg(feature = "device")]
const AGAIN: Duration = Duration::from_secs(1);

/// Why nothing can be played through a device.
#[cfg_attr(not(feature = "device"), allow(dead_code))]
#[derive(Debug, thiserror::Error)]
pub(crate) enum DeviceError {
    /// The machine has none.
    #[error("no sound device")]
    None,
    /// None of that name.
    #[error("no device is named {0}")]
    Unknown(String),
    /// The sound system does not say what there is.
    #[error("{0}")]
    System(String),
    /// It is there, and cannot be used.
    #[error("{name} does not {what}: {why}")]
    Unusable { name: String, what: &'static str, why: String },
}

/// The output devices by name, and whether each is the one used unless another is named.
#[cfg(feature = "device")]
pub(crate) fn list() -> Result<Vec<(String, bool)>, DeviceError> {
    use cpal::traits::HostTrait as _;
    let host = cpal::default_host();
    let default = host.default_output_device().map(|d| name_of(&d));
    let devices = host.output_devices().map_err(|e| DeviceError::System(e.to_string()))?;
    let mut names: Vec<String> = devices.map(|d| name_of(&d)).collect();
    names.dedup();
    Ok(names
        .into_iter()
        .map(|name| {
            let is_default = Some(&name) == default.as_ref();
            (name, is_default)
        })
        .collect())
}

#[cfg(not(feature = "device"))]
pub(crate) fn list() -> Result<Vec<(String, bool)>, DeviceError> {
    Ok(Vec::new())
}

#[cfg(feature = "device")]
fn name_of(device: &cpal::Device) -> String {
    use cpal::traits::DeviceTrait as _;
    device.description().map_or_else(|_| "unnamed".into(), |d| d.name().to_owned())
}

/// Without devices the silent clock is all there is.
#[cfg(not(feature = "device"))]
pub(super) fn run(shared: &Arc<Shared>, _rate: u32, _buffer: usize) {
    // What only a device reads is read here, so that the player is the same in both builds.
    let _ = (&shared.wanted, Output::Device(String::new()));
    shared.set_output(Output::Silent("built without devices".into()));
}

/// Keeps a device open for as long as there is one.
#[cfg(feature = "device")]
pub(super) fn run(shared: &Arc<Shared>, rate: u32, buffer: usize) {
    let mut stream: Option<cpal::Stream> = None;
    let mut tried: Option<Instant> = None;
    while !shared.quit.load(Ordering::Relaxed) {
        if shared.changed.swap(false, Ordering::Relaxed) {
            shared.failed.store(true, Ordering::Relaxed);
            tried = None;
        }
        if stream.is_some() && shared.failed.load(Ordering::Relaxed) {
            stream = None;
            shared.set_output(Output::Silent("the device is gone; waiting for it".into()));
            // Time for the engine's thread to let go of the old ring.
            std::thread::sleep(Duration::from_millis(20));
        }
        let wanted = shared.wanted.lock().ok().and_then(|w| w.clone());
        if wanted.as_deref() == Some("none") {
            shared.set_output(Output::Silent(BY_CHOICE.into()));
        } else if stream.is_none() && tried.is_none_or(|at| at.elapsed() > AGAIN) {
            tried = Some(Instant::now());
            match open(shared, wanted.as_deref(), rate, buffer) {
                Ok((opened, name)) => {
                    stream = Some(opened);
                    shared.set_output(Output::Device(name));
                }
                Err(why) => shared.set_output(Output::Silent(why.to_string())),
            }
        }
        std::thread::sleep(Duration::from_millis(50));
    }
}

#[cfg(feature = "device")]
fn open(shared: &Arc<Shared>, wanted: Option<&str>, rate: u32, buffer: usize) -> Result<(cpal::Stream, String), DeviceError> {
    use cpal::traits::{HostTrait as _, StreamTrait as _};
    let host = cpal::default_host();
    let device = match wanted {
        None => host.default_output_device().ok_or(DeviceError::None)?,
        Some(name) => {
            let mut devices = host.output_devices().map_err(|e| DeviceError::System(e.to_string()))?;
            devices.find(|d| name_of(d) == name).ok_or_else(|| DeviceError::Unknown(name.to_owned()))?
        }
    };
    let name = name_of(&device);
    let unusable = |what, why| DeviceError::Unusable { name: name.clone(), what, why };
    // The device's own buffer is as long as ours if it lets us choose.
    let own = cpal::BufferSize::Fixed(u32::try_from(buffer).unwrap_or(u32::MAX));
    let (stream, ring) =
        build(shared, &device, rate, buffer, own).or_else(|_| build(shared, &device, rate, buffer, cpal::BufferSize::Default)).map_err(|e| match e.kind() {
            cpal::ErrorKind::DeviceNotAvailable | cpal::ErrorKind::HostUnavailable => DeviceError::None,
            _ => unusable("open", e.to_string()),
        })?;
    stream.play().map_err(|e| unusable("play", e.to_string()))?;
    shared.failed.store(false, Ordering::Relaxed);
    shared.largest.store(0, Ordering::Relaxed);
    shared.underruns.store(0, Ordering::Relaxed);
    if let Ok(mut opened) = shared.opened.lock() {
        *opened = Some(ring);
    }
    Ok((stream, name))
}

/// Whether an error ends a stream. From all others it goes on (a sound server under load tells of many), and is only heard as a dropout; one that does not go
/// on asks for nothing any more, which is seen within [`super::GONE`].
#[cfg(feature = "device")]
fn ends(kind: cpal::ErrorKind) -> bool {
    matches!(kind, cpal::ErrorKind::DeviceNotAvailable | cpal::ErrorKind::HostUnavailable | cpal::ErrorKind::StreamInvalidated)
}

/// A stream that empties a ring, and the ring's other end.
#[cfg(feature = "device")]
fn build(
    shared: &Arc<Shared>,
    device: &cpal::Device,
    rate: u32,
    buffer: usize,
    size: cpal::BufferSize,
) -> Result<(cpal::Stream, rtrb::Producer<f32>), cpal::Error> {
    use cpal::traits::DeviceTrait as _;
    let config = cpal::StreamConfig { channels: 2, sample_rate: rate, buffer_size: size };
    // Room for the buffer and for whatever the device asks for at once, up to a second.
    let (ring, mut sound) = rtrb::RingBuffer::<f32>::new((buffer + rate as usize) * 2);
    let mut calls = 0u32;
    let (pulls, told) = (Arc::clone(shared), Arc::clone(shared));
    let fill = move |out: &mut [f32], _: &cpal::OutputCallbackInfo| {
        pulls.pulls.fetch_add(1, Ordering::Relaxed);
        pulls.largest.fetch_max(out.len() as u32 / 2, Ordering::Relaxed);
        calls = calls.saturating_add(1);
        let there = sound.slots().min(out.len());
        for sample in &mut out[..there] {
            *sample = sound.pop().unwrap_or(0.0);
        }
        out[there..].fill(0.0);
        // The first calls find a ring that is only just being filled.
        if there < out.len() && calls > 16 {
            pulls.underruns.fetch_add(1, Ordering::Relaxed);
        }
    };
    let failed = move |error: cpal::Error| match error.kind() {
        cpal::ErrorKind::DeviceChanged | cpal::ErrorKind::RealtimeDenied => {}
        kind if ends(kind) => {
            // The stream is over: nothing sounds on this thread any more, so it may say why, once.
            if !told.failed.swap(true, Ordering::Relaxed) {
                tracing::warn!(?kind, %error, "the device failed");
            }
        }
        _ => {
            told.underruns.fetch_add(1, Ordering::Relaxed);
        }
    };
    let stream = device.build_output_stream(config, fill, failed, None)?;
    Ok((stream, ring))
}

#[cfg(all(test, feature = "device"))]
mod tests {
    use super::ends;
    use cpal::ErrorKind;

    #[test]
    fn what_a_stream_goes_on_from_does_not_end_it() {
        for kind in [ErrorKind::Xrun, ErrorKind::BackendError, ErrorKind::DeviceBusy, ErrorKind::ResourceExhausted, ErrorKind::RealtimeDenied] {
            assert!(!ends(kind), "{kind:?}");
        }
        for kind in [ErrorKind::DeviceNotAvailable, ErrorKind::HostUnavailable, ErrorKind::StreamInvalidated] {
            assert!(ends(kind), "{kind:?}");
        }
    }
}
