//! The chunks of a RIFF file that the decoder does not tell of: loop points, and whether the file is whole.

/// What the chunks say.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Chunks {
    /// First frame of the first loop and the one after its last (`smpl`, whose end is inclusive).
    pub(super) loop_points: Option<(u64, u64)>,
    /// How many bytes the `data` chunk lacks.
    pub(super) missing: u64,
    /// How many bytes of samples there are.
    pub(super) data: u64,
}

fn word(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(bytes.get(at..at + 4)?.try_into().ok()?))
}

/// Walks the chunks of `bytes`, which begin with `RIFF`.
pub(super) fn chunks(bytes: &[u8]) -> Chunks {
    let mut found = Chunks::default();
    let mut at = 12usize;
    while let (Some(id), Some(size)) = (bytes.get(at..at + 4), word(bytes, at + 4)) {
        let body = at + 8;
        let left = (bytes.len() - body) as u64;
        match id {
            b"data" => {
                found.data = u64::from(size).min(left);
                // Writers that stream leave the size open; then the file's end is the end.
                found.missing = if size == u32::MAX { 0 } else { u64::from(size).saturating_sub(left) };
            }
            b"smpl" => {
                if word(bytes, body + 28).is_some_and(|loops| loops > 0)
                    && let (Some(start), Some(end)) = (word(bytes, body + 36 + 8), word(bytes, body + 36 + 12))
                    && start < end
                {
                    found.loop_points = Some((u64::from(start), u64::from(end) + 1));
                }
            }
            _ => {}
        }
        let step = 8 + size as usize + (size as usize & 1);
        let Some(next) = at.checked_add(step) else { break };
        at = next;
    }
    found
}
