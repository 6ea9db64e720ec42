//! How sound is cut into blocks.

/// Frames of a block.
pub const BLOCK: usize = 64;
