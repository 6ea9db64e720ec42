//! What the engine costs is measured by this crate's benches: `cargo bench -p estampie-bench`.
