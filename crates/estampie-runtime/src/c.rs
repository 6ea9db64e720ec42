//! The face for C. `include/estampie.h` is written by cbindgen from what stands here (`tests/header.rs`), comments included: they are read by those who
//! write games in C, and say what each function costs and whether it waits.
//!
//! This is the one module with `unsafe` code: it takes pointers from C, looks whether they are null, and trusts what the header asks of the caller
//! besides. No panic crosses the border: each function catches it and gives [`ESTAMPIE_PANIC`].

#![allow(unsafe_code, reason = "pointers come from C; each use says what the header promises about it")]

use crate::{Control, Key, LoadError, Options, Player, Streaming, load, load_bytes};
use std::cell::UnsafeCell;
use std::ffi::{CStr, c_char, c_int};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::sync::Mutex;

/// All is well.
pub const ESTAMPIE_OK: c_int = 0;
/// Too much was said since the last buffer; nothing was said.
pub const ESTAMPIE_FULL: c_int = 1;
/// A pointer is null that may not be.
pub const ESTAMPIE_NULL: c_int = 2;
/// Something is broken in the runtime; nothing was done.
pub const ESTAMPIE_PANIC: c_int = 3;
/// The bundle has no such part, or the system gives no thread to load it with.
pub const ESTAMPIE_NO_PART: c_int = 4;

/// The frame that is always past.
pub const ESTAMPIE_NOW: u64 = 0;

/// How a bundle is played.
#[repr(C)]
#[derive(Debug, Clone, Copy, Default)]
pub struct EstampieOptions {
    /// Frames a second that the host plays; 0 is as the bundle has.
    pub rate: u32,
    /// 2 interleaved, or 1: both added up, halved; 0 is 2.
    pub channels: u32,
    /// Of all random draws: the same seed and the same calls give the same samples.
    pub seed: u64,
    /// The most at once, those that fade out included; 0 is 320.
    pub voices: u32,
    /// That wait for their frame at most; 0 is 1024.
    pub inputs: u32,
    /// 1: the bundle's parts are not loaded with it, but by [`estampie_load_part`].
    pub parts_apart: u32,
    /// How audio that is streamed is read: 0 by a thread of its own, ahead of what is heard; 1 as it is needed, while [`estampie_render`] waits (only
    /// for what renders without being heard); 2 not at all: it is loaded whole.
    pub streaming: u32,
    /// The most voices that stream at once without holes, 256 kB each if the bundle has anything to stream; 0 is 24.
    pub streams: u32,
    /// That are somewhere, at most; what plays at one beyond them is not placed, and told; 0 is 1024.
    pub emitters: u32,
}

/// A bundle that is played. Only pointers to it are handed out.
pub struct Estampie {
    /// The audio thread's alone.
    player: UnsafeCell<Player>,
    /// The other threads', one after another.
    control: Mutex<Control>,
}

fn chosen(given: Option<&EstampieOptions>) -> Options {
    let usual = Options::default();
    let Some(given) = given else { return usual };
    let or = |number: u32, usual: usize| if number == 0 { usual } else { number as usize };
    Options {
        rate: given.rate,
        channels: if given.channels == 0 { 2 } else { given.channels },
        seed: given.seed,
        voices: or(given.voices, usual.voices),
        inputs: or(given.inputs, usual.inputs),
        parts_apart: given.parts_apart != 0,
        streaming: match given.streaming {
            1 => Streaming::Waits,
            2 => Streaming::Whole,
            _ => Streaming::Ahead,
        },
        streams: or(given.streams, usual.streams),
        emitters: or(given.emitters, usual.emitters),
    }
}

/// Writes a text with its end into memory of C, cut between letters where it has no room.
///
/// # Safety
/// `into` is null or has room for `size` bytes.
unsafe fn put(text: &str, into: *mut c_char, size: usize) {
    if into.is_null() || size == 0 {
        return;
    }
    let mut length = text.len().min(size - 1);
    while !text.is_char_boundary(length) {
        length -= 1;
    }
    // SAFETY: `length + 1` bytes have room, and the two do not overlap.
    unsafe {
        std::ptr::copy_nonoverlapping(text.as_ptr().cast(), into, length);
        *into.add(length) = 0;
    }
}

/// A text of C.
///
/// # Safety
/// `text` is null or ends with a 0 byte.
unsafe fn c_text<'a>(text: *const c_char) -> Option<&'a CStr> {
    // SAFETY: as the function asks.
    if text.is_null() { None } else { Some(unsafe { CStr::from_ptr(text) }) }
}

fn held(loaded: Result<(Player, Control), LoadError>) -> Result<*mut Estampie, String> {
    let (player, control) = loaded.map_err(|e| e.to_string())?;
    let all = Estampie { player: UnsafeCell::new(player), control: Mutex::new(control) };
    Ok(Box::into_raw(Box::new(all)))
}

/// Gives what was loaded, or null and why.
///
/// # Safety
/// As [`put`].
unsafe fn loaded(work: impl FnOnce() -> Result<*mut Estampie, String>, error: *mut c_char, size: usize) -> *mut Estampie {
    let done = catch_unwind(AssertUnwindSafe(work)).unwrap_or_else(|_| Err("something broke while the bundle was loaded".into()));
    match done {
        Ok(all) => all,
        Err(why) => {
            // SAFETY: as the function asks.
            unsafe { put(&why, error, size) };
            std::ptr::null_mut()
        }
    }
}

/// Loads a bundle: reads and decodes all of it, which takes as long as that takes. On any thread but the audio thread.
/// Null if it cannot be played; then why is in `error`, if that is not null, with its end in at most `size` bytes. `options` may be null.
///
/// # Safety
/// `path` ends with a 0 byte; `options` is null or points to options; `error` is null or has room for `size` bytes.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_load(path: *const c_char, options: *const EstampieOptions, error: *mut c_char, size: usize) -> *mut Estampie {
    // SAFETY: as the function asks.
    let (path, options) = unsafe { (c_text(path), options.as_ref()) };
    let work = || {
        let path = path.ok_or("no path was given")?.to_str().map_err(|_| "the path is not UTF-8")?;
        held(load(Path::new(path), &chosen(options)))
    };
    // SAFETY: as the function asks.
    unsafe { loaded(work, error, size) }
}

/// As [`estampie_load`], of a bundle in memory, which is copied.
///
/// # Safety
/// `bytes` points to `length` bytes; the rest as [`estampie_load`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_load_bytes(
    bytes: *const u8,
    length: usize,
    options: *const EstampieOptions,
    error: *mut c_char,
    size: usize,
) -> *mut Estampie {
    // SAFETY: as the function asks.
    let (bytes, options) = unsafe { (if bytes.is_null() { None } else { Some(std::slice::from_raw_parts(bytes, length)) }, options.as_ref()) };
    let work = || held(load_bytes(bytes.ok_or("no bytes were given")?.to_vec(), &chosen(options)));
    // SAFETY: as the function asks.
    unsafe { loaded(work, error, size) }
}

/// Frees everything. No other thread may use it any more, the audio thread included. Null is nothing.
///
/// # Safety
/// `all` is null or was loaded and not freed, and no other thread uses it.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_free(all: *mut Estampie) {
    if !all.is_null() {
        // SAFETY: it came from `Box::into_raw`, and is nobody else's.
        let all = unsafe { Box::from_raw(all) };
        let _ = catch_unwind(AssertUnwindSafe(|| drop(all)));
    }
}

/// Fills `out` with `frames` frames, any number of them. On the audio thread: it allocates, locks and waits for nothing, and costs what sounds.
///
/// # Safety
/// `all` was loaded and not freed; no two threads render at once; `out` has room for `frames` frames.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_render(all: *mut Estampie, out: *mut f32, frames: usize) -> c_int {
    // SAFETY: as the function asks.
    let Some(all) = (unsafe { all.as_ref() }) else { return ESTAMPIE_NULL };
    if out.is_null() {
        return ESTAMPIE_NULL;
    }
    // SAFETY: one thread renders, and nothing else touches it.
    let player = unsafe { &mut *all.player.get() };
    // SAFETY: as the function asks.
    let out = unsafe { std::slice::from_raw_parts_mut(out, frames * player.channels) };
    player.render(out);
    if player.broken() { ESTAMPIE_PANIC } else { ESTAMPIE_OK }
}

/// Does something with the game's part.
///
/// # Safety
/// `all` is null or was loaded and not freed.
unsafe fn with<T>(all: *const Estampie, otherwise: T, work: impl FnOnce(&mut Control) -> T) -> Result<T, (c_int, T)> {
    // SAFETY: as the function asks.
    let Some(all) = (unsafe { all.as_ref() }) else { return Err((ESTAMPIE_NULL, otherwise)) };
    let done = catch_unwind(AssertUnwindSafe(|| match all.control.lock() {
        Ok(mut control) => work(&mut control),
        Err(poisoned) => work(&mut poisoned.into_inner()),
    }));
    done.map_err(|_| (ESTAMPIE_PANIC, otherwise))
}

/// Says something.
///
/// # Safety
/// As [`with`].
unsafe fn say(all: *const Estampie, work: impl FnOnce(&mut Control) -> bool) -> c_int {
    // SAFETY: as the function asks.
    match unsafe { with(all, false, work) } {
        Ok(true) => ESTAMPIE_OK,
        Ok(false) => ESTAMPIE_FULL,
        Err((code, _)) => code,
    }
}

/// 0 is none.
fn key(key: u64) -> Option<Key> {
    if key == 0 { None } else { Some(estampie_engine::names::NameKey(key)) }
}

fn named(key: u64) -> Key {
    estampie_engine::names::NameKey(key)
}

/// What is no number is as before.
fn number(value: f32) -> Option<f32> {
    if value.is_nan() { None } else { Some(value) }
}

/// Frames a second. Costs nothing.
///
/// # Safety
/// `all` is null or was loaded and not freed. So it is for all that follow.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_rate(all: *const Estampie) -> u32 {
    // SAFETY: as the function asks.
    unsafe { with(all, 0, |control| control.rate()) }.unwrap_or(0)
}

/// The key of a name. Allocates once for each name: make keys beforehand. The header that `estampie bundle --names` writes has all names.
///
/// # Safety
/// As [`estampie_rate`]; `name` is null or ends with a 0 byte.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_key(all: *const Estampie, name: *const c_char) -> u64 {
    // SAFETY: as the function asks.
    let Some(name) = (unsafe { c_text(name) }) else { return 0 };
    // SAFETY: as the function asks.
    unsafe { with(all, 0, |control| control.key(&name.to_string_lossy()).0) }.unwrap_or(0)
}

/// Something happens, perhaps at an emitter. Costs some nanoseconds and allocates nothing, like all that follow down to [`estampie_stop_all`].
///
/// # Safety
/// As [`estampie_rate`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_event(all: *const Estampie, frame: u64, event: u64, emitter: u64) -> c_int {
    // SAFETY: as the function asks.
    unsafe { say(all, |control| control.event(frame, named(event), key(emitter)).is_ok()) }
}

/// A number is so much, perhaps that of an emitter.
///
/// # Safety
/// As [`estampie_rate`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_parameter(all: *const Estampie, frame: u64, parameter: u64, value: f32, emitter: u64) -> c_int {
    // SAFETY: as the function asks.
    unsafe { say(all, |control| control.parameter(frame, named(parameter), value, key(emitter)).is_ok()) }
}

/// A number goes in a straight line to another in so many frames; from where it is, if `from` is ESTAMPIE_AS_BEFORE.
///
/// # Safety
/// As [`estampie_rate`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_glide(all: *const Estampie, frame: u64, parameter: u64, from: f32, to: f32, frames: u64) -> c_int {
    // SAFETY: as the function asks.
    unsafe { say(all, |control| control.glide(frame, named(parameter), number(from), to, frames).is_ok()) }
}

/// A state has a value.
///
/// # Safety
/// As [`estampie_rate`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_state(all: *const Estampie, frame: u64, state: u64, value: u64) -> c_int {
    // SAFETY: as the function asks.
    unsafe { say(all, |control| control.state(frame, named(state), named(value)).is_ok()) }
}

/// An emitter is there, or goes there in so many frames; its kind may be 0 once it has been said, and where it looks ESTAMPIE_AS_BEFORE.
///
/// # Safety
/// As [`estampie_rate`].
#[unsafe(no_mangle)]
#[allow(clippy::too_many_arguments, reason = "C has no tuples")]
pub unsafe extern "C" fn estampie_emitter(
    all: *const Estampie,
    frame: u64,
    emitter: u64,
    kind: u64,
    x: f32,
    y: f32,
    z: f32,
    facing: f32,
    frames: u64,
) -> c_int {
    // SAFETY: as the function asks.
    unsafe { say(all, |control| control.emitter(frame, named(emitter), key(kind), [x, y, z], number(facing), frames).is_ok()) }
}

/// The listener is there, or goes there in so many frames.
///
/// # Safety
/// As [`estampie_rate`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_listener(all: *const Estampie, frame: u64, x: f32, y: f32, z: f32, facing: f32, frames: u64) -> c_int {
    // SAFETY: as the function asks.
    unsafe { say(all, |control| control.listener(frame, [x, y, z], number(facing), frames).is_ok()) }
}

/// An emitter (0: the listener) walks at so many metres a second, looking where it goes.
///
/// # Safety
/// As [`estampie_rate`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_walk(all: *const Estampie, frame: u64, emitter: u64, x: f32, y: f32, z: f32, speed: f32) -> c_int {
    // SAFETY: as the function asks.
    unsafe { say(all, |control| control.walk(frame, key(emitter), [x, y, z], speed).is_ok()) }
}

/// An emitter is gone.
///
/// # Safety
/// As [`estampie_rate`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_remove(all: *const Estampie, frame: u64, emitter: u64) -> c_int {
    // SAFETY: as the function asks.
    unsafe { say(all, |control| control.remove(frame, named(emitter)).is_ok()) }
}

/// The player sets a level, 0 to 10.
///
/// # Safety
/// As [`estampie_rate`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_player_level(all: *const Estampie, frame: u64, level: u64, value: f32) -> c_int {
    // SAFETY: as the function asks.
    unsafe { say(all, |control| control.player_level(frame, named(level), value).is_ok()) }
}

/// Everything fades out over so many frames.
///
/// # Safety
/// As [`estampie_rate`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_stop_all(all: *const Estampie, frame: u64, frames: u64) -> c_int {
    // SAFETY: as the function asks.
    unsafe { say(all, |control| control.stop_all(frame, frames).is_ok()) }
}

/// 1 and the next thing that needs attention as a text (a name that means nothing, a value out of range), or 0. Frees what is done with: call it
/// once a picture, even if you do not want to know.
///
/// # Safety
/// As [`estampie_rate`]; `text` is null or has room for `size` bytes.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_poll(all: *const Estampie, text: *mut c_char, size: usize) -> c_int {
    // SAFETY: as the function asks.
    let told = unsafe { with(all, None, Control::poll) };
    match told {
        Ok(Some(told)) => {
            // SAFETY: as the function asks.
            unsafe { put(&told, text, size) };
            1
        }
        _ => 0,
    }
}

/// Writes which bundle it is: the project's name and the hash of what it was made of, for the game's log.
///
/// # Safety
/// As [`estampie_rate`]; `text` is null or has room for `size` bytes.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_bundle(all: *const Estampie, text: *mut c_char, size: usize) -> c_int {
    let name = |control: &mut Control| format!("{} {}", control.bundle().project, control.bundle().sources);
    // SAFETY: as the function asks.
    match unsafe { with(all, String::new(), name) } {
        Ok(name) => {
            // SAFETY: as the function asks.
            unsafe { put(&name, text, size) };
            ESTAMPIE_OK
        }
        Err((code, _)) => code,
    }
}

/// Does something with a part by its name.
///
/// # Safety
/// As [`estampie_rate`]; `name` is null or ends with a 0 byte.
unsafe fn part(all: *const Estampie, name: *const c_char, work: impl FnOnce(&mut Control, &str) -> c_int) -> c_int {
    // SAFETY: as the function asks.
    let Some(name) = (unsafe { c_text(name) }) else { return ESTAMPIE_NULL };
    // SAFETY: as the function asks.
    unsafe { with(all, ESTAMPIE_PANIC, |control| work(control, &name.to_string_lossy())) }.unwrap_or_else(|(code, _)| code)
}

/// Loads a part of the bundle: it is read and decoded on a thread of its own, and taken in at a call of [`estampie_poll`], between two blocks. What
/// sounds goes on. That it cannot be read is told by [`estampie_poll`]. One that is there already is no fault.
///
/// # Safety
/// As [`estampie_rate`]; `name` ends with a 0 byte.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_load_part(all: *const Estampie, name: *const c_char) -> c_int {
    // SAFETY: as the function asks.
    unsafe { part(all, name, |control, name| if control.load_part(name).is_ok() { ESTAMPIE_OK } else { ESTAMPIE_NO_PART }) }
}

/// Unloads a part likewise: what it holds is refused from then on, and what sounds of it goes on to its end.
///
/// # Safety
/// As [`estampie_load_part`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_unload_part(all: *const Estampie, name: *const c_char) -> c_int {
    // SAFETY: as the function asks.
    unsafe { part(all, name, |control, name| if control.unload_part(name).is_ok() { ESTAMPIE_OK } else { ESTAMPIE_NO_PART }) }
}

/// How it stands with a part: 0 it is not loaded, 1 it is on its way, 2 it is loaded, 3 it is there for a moment yet, -1 there is none of that name.
///
/// # Safety
/// As [`estampie_load_part`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_part(all: *const Estampie, name: *const c_char) -> c_int {
    let state = |control: &mut Control, name: &str| control.parts().get(name).map_or(-1, |state| *state as c_int);
    // SAFETY: as the function asks.
    unsafe { part(all, name, state) }
}

/// Listens for a workshop, which then hears and changes what plays (a runtime built with the feature "live"; never ship one): on this machine (0
/// takes any port). Starts a thread. Gives the port, or 0 and a text that says why not. Until the workshop leaves, and afterwards, everything stays
/// as it last was.
///
/// # Safety
/// As [`estampie_rate`]; `error` is null or has room for `size` bytes.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn estampie_listen(all: *const Estampie, port: u16, error: *mut c_char, size: usize) -> u16 {
    let here = std::net::SocketAddr::from(([127, 0, 0, 1], port));
    let listens = |control: &mut Control| control.listen(here).map_err(|e| e.to_string());
    // SAFETY: as the function asks.
    let done = unsafe { with(all, Err(String::new()), listens) };
    let why = match done {
        Ok(Ok(address)) => return address.port(),
        Ok(Err(why)) => why,
        Err((code, _)) if code == ESTAMPIE_NULL => "a pointer is null that may not be".into(),
        Err(_) => "something is broken in the runtime".into(),
    };
    // SAFETY: as the function asks.
    unsafe { put(&why, error, size) };
    0
}

/// What a code means. The text lasts for ever.
#[unsafe(no_mangle)]
pub extern "C" fn estampie_text(code: c_int) -> *const c_char {
    match code {
        ESTAMPIE_OK => c"all is well",
        ESTAMPIE_FULL => c"too much was said since the last buffer; nothing was said",
        ESTAMPIE_NULL => c"a pointer is null that may not be",
        ESTAMPIE_NO_PART => c"the bundle has no such part, or the system gives no thread to load it with",
        ESTAMPIE_PANIC => c"something is broken in the runtime; nothing was done",
        _ => c"no such code",
    }
    .as_ptr()
}

/// The version, like 0.1.0. The text lasts for ever.
#[unsafe(no_mangle)]
pub extern "C" fn estampie_version() -> *const c_char {
    // It ends with a 0 byte of its own.
    concat!(env!("CARGO_PKG_VERSION"), "\0").as_ptr().cast()
}
