//! Any bytes as an audio file of a project, of the kind that the first byte chooses: refused with a reason, or a clip of finite samples.
#![no_main]

#[path = "../guards.rs"]
mod guards;

use libfuzzer_sys::fuzz_target;
use std::sync::LazyLock;

/// A folder of this run's own, in memory where the system has one for that.
static ROOT: LazyLock<std::path::PathBuf> = LazyLock::new(|| {
    let base = std::path::Path::new("/dev/shm");
    let root = if base.is_dir() { base.to_owned() } else { std::env::temp_dir() }.join(format!("estampie-fuzz-{}", std::process::id()));
    std::fs::create_dir_all(root.join("audio")).expect("a folder to try in");
    root
});

fuzz_target!(
    init: guards::only_beyond(),
    |bytes: &[u8]| {
    let Some((kind, bytes)) = bytes.split_first() else { return };
    let name = ["audio/a.wav", "audio/a.aiff", "audio/a.flac", "audio/a.ogg", "audio/a.mp3"][usize::from(*kind) % 5];
    std::fs::write(ROOT.join(name), bytes).expect("it can be written");
    if let Ok(clip) = estampie_project::assets::load(&ROOT, name, 48_000, &estampie_project::assets::Goes::Once) {
        assert!(clip.channels.iter().all(|c| c.iter().all(f32::is_finite)));
    }
    }
);
