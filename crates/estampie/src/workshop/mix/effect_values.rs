//! The values of an effect's settings, as they are edited and as they are now.

use super::super::app::App;
use estampie_engine::dsp::effects::{Kind, MOST_SETTINGS};
use estampie_engine::names::NameKey;

/// The values of an effect's settings as they are edited: those of the mix, or as the snapshot that is edited holds them.
pub(super) fn values_set(app: &App, bus: &str, effect: &str, kind: &Kind) -> Option<[f32; MOST_SETTINGS]> {
    if app.mix.target.is_some() {
        return values_now(app, bus, effect, kind);
    }
    let program = app.program();
    let spec = program.mix.buses.iter().flat_map(|b| &b.effects).find(|i| i.key == NameKey::of(&format!("{bus} {effect}")))?;
    let mut values = spec.values;
    for (value, cell) in values[..kind.settings.len()].iter_mut().zip(program.mix.cells.run(spec.first, kind.settings.len())) {
        *value = cell.unscaled(cell.rest);
    }
    Some(values)
}

/// The values of an effect's settings now: as they are moved and held, or else as they are set.
pub(super) fn values_now(app: &App, bus: &str, effect: &str, kind: &Kind) -> Option<[f32; MOST_SETTINGS]> {
    let program = app.program();
    let spec = program.mix.buses.iter().flat_map(|b| &b.effects).find(|i| i.key == NameKey::of(&format!("{bus} {effect}")))?;
    let mut values = spec.values;
    for (at, value) in values[..kind.settings.len()].iter_mut().enumerate() {
        let cell = &program.mix.cells[spec.first.plus(at)];
        let now = app.rehearsal.status.as_ref().filter(|s| s.program == program.id).and_then(|s| s.cells.of(spec.first.plus(at)).copied());
        *value = now.unwrap_or_else(|| cell.unscaled(cell.rest));
    }
    Some(values)
}
