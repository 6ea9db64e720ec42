//! Whether an edit only changed values: then what was compiled before it can stand for what is written, until it is compiled anew.

use super::{BusDoc, Document, EffectDoc, ModulationDoc, SnapshotDoc, SoundDoc, Sources};
use std::sync::Arc;

/// In these files values may have changed; in all others nothing.
fn has_values(file: &str) -> bool {
    matches!(file, "mix.toml" | "modulation.toml" | "shared.toml") || file.starts_with("sounds/")
}

/// Whether two states of a project have the same things, with the same names, in the same places: sounds with as many takes, buses with the same effects and
/// sends, snapshots that hold the same, modulations of the same. `sources` are their texts, by which all that is neither sound nor mix is compared.
#[must_use]
pub fn differ_in_values(before: (&Document, &Sources), now: (&Document, &Sources)) -> bool {
    let texts_may = all(&before.1.texts().collect::<Vec<_>>(), &now.1.texts().collect::<Vec<_>>(), |a, b| a.0 == b.0 && (has_values(a.0) || a.1 == b.1));
    let (a, b) = (before.0, now.0);
    texts_may
        && all(&a.sounds, &b.sounds, |a, b| Arc::ptr_eq(a, b) || same_sound(a, b))
        && all(&a.buses, &b.buses, same_bus)
        && all(&a.snapshots, &b.snapshots, same_snapshot)
        && all(&a.modulations, &b.modulations, same_modulation)
        && all(&a.shared.effect, &b.shared.effect, same_effect)
        && all(&a.shared.generator, &b.shared.generator, |a, b| (&a.name, &a.kind, &a.preset, &a.plays) == (&b.name, &b.kind, &b.preset, &b.plays))
        && all(&a.shared.group, &b.shared.group, |a, b| a.name == b.name)
        && all(&a.player_levels, &b.player_levels, |a, b| a.name == b.name && a.bus == b.bus)
        && all(&a.ducks, &b.ducks, |a, b| a.key == b.key && a.ducks == b.ducks)
}

fn all<T>(a: &[T], b: &[T], same: impl Fn(&T, &T) -> bool) -> bool {
    a.len() == b.len() && a.iter().zip(b).all(|(a, b)| same(a, b))
}

fn same_sound(a: &SoundDoc, b: &SoundDoc) -> bool {
    a.name == b.name
        && a.bus == b.bus
        && a.group == b.group
        && a.looped == b.looped
        && a.repeat.is_some() == b.repeat.is_some()
        && a.lines.is_some() == b.lines.is_some()
        && all(&a.groups, &b.groups, |a, b| a.0 == b.0 && all(&a.1, &b.1, |a, b| a.value.take == b.value.take))
        && all(&a.chain, &b.chain, |a, b| a.files == b.files)
        && all(&a.sends, &b.sends, |a, b| a.to == b.to)
}

fn same_bus(a: &BusDoc, b: &BusDoc) -> bool {
    a.name == b.name && a.into == b.into && a.returns == b.returns && all(&a.effects, &b.effects, same_effect) && all(&a.sends, &b.sends, |a, b| a.to == b.to)
}

fn same_effect(a: &EffectDoc, b: &EffectDoc) -> bool {
    (&a.name, &a.kind, &a.like, &a.preset, &a.file, &a.key) == (&b.name, &b.kind, &b.like, &b.preset, &b.file, &b.key)
}

fn same_snapshot(a: &SnapshotDoc, b: &SnapshotDoc) -> bool {
    a.name == b.name && all(&a.holds, &b.holds, |a, b| a.what == b.what)
}

fn same_modulation(a: &ModulationDoc, b: &ModulationDoc) -> bool {
    (&a.from, &a.target, &a.word) == (&b.from, &b.target, &b.word)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    const TEXTS: [(&str, &str); 5] = [
        ("estampie.toml", "format = 1\n"),
        ("game.toml", "[parameters.depth]\nrange = \"0..40 m\"\n"),
        ("sounds/a.toml", "[\"hull/groan\"]\nlevel = \"-6 dB\"\ntakes = [\"audio/a.wav\"]\n"),
        ("shared.toml", "[generator.bell]\nkind = \"modal\"\nsize = \"1.2\"\n"),
        (
            "mix.toml",
            "[buses.hull]\nlevel = \"-3 dB\"\n[buses.hull.effect.reverb]\ndecay = \"1 s\"\n[snapshots.quiet.hold]\n\"bus hull level\" = \"by -9 dB\"\n",
        ),
    ];

    fn read(file: &str, from: &str, to: &str) -> (Document, Sources) {
        let texts = TEXTS.map(|(name, text)| (name, if name == file { text.replace(from, to) } else { text.to_owned() }));
        assert!(file.is_empty() || TEXTS.iter().any(|(name, text)| *name == file && text.contains(from)), "{file}: {from}");
        let sources = Sources::from_texts(texts.iter().map(|(name, text)| (*name, text.as_str())));
        let (document, _) = Document::read(&sources, &BTreeSet::from(["audio/a.wav".to_owned(), "audio/b.wav".to_owned()]));
        (document, sources)
    }

    #[test]
    fn values_may_differ_and_nothing_else() {
        let before = read("", "", "");
        let in_values = |file, from, to| {
            let now = read(file, from, to);
            differ_in_values((&before.0, &before.1), (&now.0, &now.1))
        };
        for (file, from, to) in [
            ("", "", ""),
            ("sounds/a.toml", "-6 dB", "-7 dB"),
            ("sounds/a.toml", "level = \"-6 dB\"\n", "pitch = \"-1 st\"\n"),
            ("shared.toml", "1.2", "1.3"),
            ("mix.toml", "-3 dB", "-4 dB"),
            ("mix.toml", "1 s", "2 s"),
            ("mix.toml", "by -9 dB", "to -9 dB"),
        ] {
            assert!(in_values(file, from, to), "{file}: {from} to {to}");
        }
        for (file, from, to) in [
            ("estampie.toml", "format = 1\n", "format = 1\nvoices = 16\n"),
            ("game.toml", "40", "50"),
            ("sounds/a.toml", "groan", "moan"),
            ("sounds/a.toml", "[\"audio/a.wav\"]", "[\"audio/a.wav\", \"audio/b.wav\"]"),
            ("sounds/a.toml", "a.wav", "b.wav"),
            ("sounds/a.toml", "level", "loop = true\nlevel"),
            ("sounds/a.toml", "level", "bus = \"hull\"\nlevel"),
            ("shared.toml", "modal", "hum"),
            ("shared.toml", "generator.bell", "generator.gong"),
            ("mix.toml", "[snapshots", "[buses.keel]\n[snapshots"),
            ("mix.toml", "buses.hull]", "buses.hull]\nreturn = true"),
            ("mix.toml", "effect.reverb", "effect.echo"),
            ("mix.toml", "snapshots.quiet", "snapshots.still"),
            ("mix.toml", "bus hull level", "bus main level"),
        ] {
            assert!(!in_values(file, from, to), "{file}: {from} to {to}");
        }
    }
}
