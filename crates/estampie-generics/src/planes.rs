//! Decoded packets (of `symphonia`) as samples of 32 bits, a vector for each channel.

use symphonia::core::audio::{AudioBufferRef, SampleBuffer};

/// Where a packet is put together; its memory is kept for the next one.
#[derive(Default)]
pub struct Planes {
    buffer: Option<SampleBuffer<f32>>,
}

impl Planes {
    /// Adds the first frames of a packet, `most` of them at most, to a vector for each of its channels; full scale is ±1. Gives how many frames the packet has.
    pub fn add(&mut self, audio: AudioBufferRef<'_>, most: usize, into: &mut [Vec<f32>]) -> usize {
        let channels = audio.spec().channels.count().max(1);
        if self.buffer.as_ref().is_none_or(|b| b.capacity() < audio.capacity() * channels) {
            self.buffer = Some(SampleBuffer::new(audio.capacity() as u64, *audio.spec()));
        }
        let Some(buffer) = &mut self.buffer else { return 0 };
        buffer.copy_planar_ref(audio);
        let frames = buffer.len() / channels;
        if frames > 0 {
            for (channel, samples) in into.iter_mut().zip(buffer.samples().chunks(frames)) {
                channel.extend_from_slice(&samples[..frames.min(most)]);
            }
        }
        frames
    }
}
