//! What the mouse points at, and what a typed value is for.

use super::app::Item;
use super::curve::Editor;
use super::keys::View;
use estampie_project::document::ThingId;

/// What a place on the screen means to the mouse.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum ClickTarget {
    View(View),
    Item(Item),
    /// The bar of a parameter: its left end and its width.
    Bar(usize),
    StateValue(usize, usize),
    Voice(u64),
    Bus(usize),
    /// The level line of a bus.
    Level(usize),
    /// A send of a bus to a return; what a snapshot holds of its level.
    Send(usize, usize),
    Held(usize, usize),
    Setting(usize),
    PlayerLevel(usize),
    SnapshotField(usize, &'static str),
    Sound(String),
    Take(usize),
    Field(usize),
    /// A modulation, by its place in the file.
    Modulation(usize),
    Told(usize),
    Wiring(usize),
    MusicItem(usize),
    Stave(usize),
    Way(usize, usize),
    WayField(usize),
    /// The plot of the curve's editor.
    Plot,
    /// The map of the Stage.
    Map,
}

/// What a typed value is for.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Prompt {
    Parameter(String),
    BusLevel(String),
    SoundLevel(String),
    /// A field of sounds.
    Field(Vec<String>, &'static str),
    /// The takes of a sound for one value.
    Takes(String, String),
    /// A field of a shared setting.
    Shared {
        kind: String,
        name: String,
        key: String,
    },
    Rename(String),
    Filter,
    /// The event that is to play a sound.
    Wire(String),
    NewModulation,
    Formula(String),
    /// The time a modulation takes to follow.
    Smooth(usize),
    /// A field of the way from a section to another.
    Transition {
        piece: String,
        from: String,
        to: String,
        field: &'static str,
    },
    LayerLevel {
        piece: String,
        section: String,
        layer: String,
    },
    Send {
        bus: String,
        to: String,
    },
    /// A setting of an effect.
    Setting {
        bus: String,
        effect: String,
        word: String,
    },
    /// What a snapshot holds of a value.
    Held {
        snapshot: String,
        what: String,
    },
    /// The kind of a new effect on a bus.
    NewEffect(String),
    NewSnapshot,
    SnapshotField {
        snapshot: String,
        field: &'static str,
    },
    PlayerLevel(String),
    /// The name of a snapshot of what is unsaved in the mix.
    UnsavedSnapshot,
    LoudnessTarget,
    /// A field of a thing of the world.
    Thing(ThingId),
    /// A new thing of the world.
    NewThing,
    /// A point of the curve being edited.
    Point(Box<Editor>),
}
