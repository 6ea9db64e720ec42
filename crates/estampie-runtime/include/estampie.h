/* Estampie: plays a bundle inside a game. Written by cbindgen from src/c.rs.
 *
 * One thread renders: the audio thread. All other functions may be called from any other thread; where two are called at once, one waits for the
 * other, and the audio thread waits for neither. Nothing here calls back. No function gives more than it says: errors are codes with a text
 * (estampie_text), or a null pointer with a text in the memory that is given for it.
 *
 * Frames count from 0, the first that is rendered, at estampie_rate() a second. What is said for a frame that is past counts at the start of the next
 * block of 64: ESTAMPIE_NOW is always past. Keys are made of names once (estampie_key) and stay the same; 0 is none.
 * Places are metres to the east (x), to the north (y) and up (z); angles degrees clockwise from north.
 */

#pragma once

#include <math.h>
#include <stddef.h>
#include <stdint.h>

/* For numbers that stay as they were: where a glide begins, where an emitter looks. */
#define ESTAMPIE_AS_BEFORE NAN

/*
 All is well.
 */
#define ESTAMPIE_OK 0

/*
 Too much was said since the last buffer; nothing was said.
 */
#define ESTAMPIE_FULL 1

/*
 A pointer is null that may not be.
 */
#define ESTAMPIE_NULL 2

/*
 Something is broken in the runtime; nothing was done.
 */
#define ESTAMPIE_PANIC 3

/*
 The bundle has no such part, or the system gives no thread to load it with.
 */
#define ESTAMPIE_NO_PART 4

/*
 The frame that is always past.
 */
#define ESTAMPIE_NOW 0

/*
 A bundle that is played. Only pointers to it are handed out.
 */
typedef struct estampie estampie;

/*
 How a bundle is played.
 */
typedef struct estampie_options {
  /*
   Frames a second that the host plays; 0 is as the bundle has.
   */
  uint32_t rate;
  /*
   2 interleaved, or 1: both added up, halved; 0 is 2.
   */
  uint32_t channels;
  /*
   Of all random draws: the same seed and the same calls give the same samples.
   */
  uint64_t seed;
  /*
   The most at once, those that fade out included; 0 is 320.
   */
  uint32_t voices;
  /*
   That wait for their frame at most; 0 is 1024.
   */
  uint32_t inputs;
  /*
   1: the bundle's parts are not loaded with it, but by estampie_load_part.
   */
  uint32_t parts_apart;
  /*
   How audio that is streamed is read: 0 by a thread of its own, ahead of what is heard; 1 as it is needed, while estampie_render waits (only
   for what renders without being heard); 2 not at all: it is loaded whole.
   */
  uint32_t streaming;
  /*
   The most voices that stream at once without holes, 256 kB each if the bundle has anything to stream; 0 is 24.
   */
  uint32_t streams;
  /*
   That are somewhere, at most; what plays at one beyond them is not placed, and told; 0 is 1024.
   */
  uint32_t emitters;
} estampie_options;

#ifdef __cplusplus
extern "C" {
#endif // __cplusplus

/*
 Loads a bundle: reads and decodes all of it, which takes as long as that takes. On any thread but the audio thread.
 Null if it cannot be played; then why is in `error`, if that is not null, with its end in at most `size` bytes. `options` may be null.

 What the caller promises:
 `path` ends with a 0 byte; `options` is null or points to options; `error` is null or has room for `size` bytes.
 */
struct estampie *estampie_load(const char *path, const struct estampie_options *options, char *error, size_t size);

/*
 As estampie_load, of a bundle in memory, which is copied.

 What the caller promises:
 `bytes` points to `length` bytes; the rest as estampie_load.
 */
struct estampie *estampie_load_bytes(const uint8_t *bytes, size_t length, const struct estampie_options *options, char *error, size_t size);

/*
 Frees everything. No other thread may use it any more, the audio thread included. Null is nothing.

 What the caller promises:
 `all` is null or was loaded and not freed, and no other thread uses it.
 */
void estampie_free(struct estampie *all);

/*
 Fills `out` with `frames` frames, any number of them. On the audio thread: it allocates, locks and waits for nothing, and costs what sounds.

 What the caller promises:
 `all` was loaded and not freed; no two threads render at once; `out` has room for `frames` frames.
 */
int estampie_render(struct estampie *all, float *out, size_t frames);

/*
 Frames a second. Costs nothing.

 What the caller promises:
 `all` is null or was loaded and not freed. So it is for all that follow.
 */
uint32_t estampie_rate(const struct estampie *all);

/*
 The key of a name. Allocates once for each name: make keys beforehand. The header that `estampie bundle --names` writes has all names.

 What the caller promises:
 As estampie_rate; `name` is null or ends with a 0 byte.
 */
uint64_t estampie_key(const struct estampie *all, const char *name);

/*
 Something happens, perhaps at an emitter. Costs some nanoseconds and allocates nothing, like all that follow down to estampie_stop_all.

 What the caller promises:
 As estampie_rate.
 */
int estampie_event(const struct estampie *all, uint64_t frame, uint64_t event, uint64_t emitter);

/*
 A number is so much, perhaps that of an emitter.

 What the caller promises:
 As estampie_rate.
 */
int estampie_parameter(const struct estampie *all, uint64_t frame, uint64_t parameter, float value, uint64_t emitter);

/*
 A number goes in a straight line to another in so many frames; from where it is, if `from` is ESTAMPIE_AS_BEFORE.

 What the caller promises:
 As estampie_rate.
 */
int estampie_glide(const struct estampie *all, uint64_t frame, uint64_t parameter, float from, float to, uint64_t frames);

/*
 A state has a value.

 What the caller promises:
 As estampie_rate.
 */
int estampie_state(const struct estampie *all, uint64_t frame, uint64_t state, uint64_t value);

/*
 An emitter is there, or goes there in so many frames; its kind may be 0 once it has been said, and where it looks ESTAMPIE_AS_BEFORE.

 What the caller promises:
 As estampie_rate.
 */
int estampie_emitter(const struct estampie *all, uint64_t frame, uint64_t emitter, uint64_t kind, float x, float y, float z, float facing, uint64_t frames);

/*
 The listener is there, or goes there in so many frames.

 What the caller promises:
 As estampie_rate.
 */
int estampie_listener(const struct estampie *all, uint64_t frame, float x, float y, float z, float facing, uint64_t frames);

/*
 An emitter (0: the listener) walks at so many metres a second, looking where it goes.

 What the caller promises:
 As estampie_rate.
 */
int estampie_walk(const struct estampie *all, uint64_t frame, uint64_t emitter, float x, float y, float z, float speed);

/*
 An emitter is gone.

 What the caller promises:
 As estampie_rate.
 */
int estampie_remove(const struct estampie *all, uint64_t frame, uint64_t emitter);

/*
 The player sets a level, 0 to 10.

 What the caller promises:
 As estampie_rate.
 */
int estampie_player_level(const struct estampie *all, uint64_t frame, uint64_t level, float value);

/*
 Everything fades out over so many frames.

 What the caller promises:
 As estampie_rate.
 */
int estampie_stop_all(const struct estampie *all, uint64_t frame, uint64_t frames);

/*
 1 and the next thing that needs attention as a text (a name that means nothing, a value out of range), or 0. Frees what is done with: call it
 once a picture, even if you do not want to know.

 What the caller promises:
 As estampie_rate; `text` is null or has room for `size` bytes.
 */
int estampie_poll(const struct estampie *all, char *text, size_t size);

/*
 Writes which bundle it is: the project's name and the hash of what it was made of, for the game's log.

 What the caller promises:
 As estampie_rate; `text` is null or has room for `size` bytes.
 */
int estampie_bundle(const struct estampie *all, char *text, size_t size);

/*
 Loads a part of the bundle: it is read and decoded on a thread of its own, and taken in at a call of estampie_poll, between two blocks. What
 sounds goes on. That it cannot be read is told by estampie_poll. One that is there already is no fault.

 What the caller promises:
 As estampie_rate; `name` ends with a 0 byte.
 */
int estampie_load_part(const struct estampie *all, const char *name);

/*
 Unloads a part likewise: what it holds is refused from then on, and what sounds of it goes on to its end.

 What the caller promises:
 As estampie_load_part.
 */
int estampie_unload_part(const struct estampie *all, const char *name);

/*
 How it stands with a part: 0 it is not loaded, 1 it is on its way, 2 it is loaded, 3 it is there for a moment yet, -1 there is none of that name.

 What the caller promises:
 As estampie_load_part.
 */
int estampie_part(const struct estampie *all, const char *name);

/*
 Listens for a workshop, which then hears and changes what plays (a runtime built with the feature "live"; never ship one): on this machine (0
 takes any port). Starts a thread. Gives the port, or 0 and a text that says why not. Until the workshop leaves, and afterwards, everything stays
 as it last was.

 What the caller promises:
 As estampie_rate; `error` is null or has room for `size` bytes.
 */
uint16_t estampie_listen(const struct estampie *all, uint16_t port, char *error, size_t size);

/*
 What a code means. The text lasts for ever.
 */
const char *estampie_text(int code);

/*
 The version, like 0.1.0. The text lasts for ever.
 */
const char *estampie_version(void);

#ifdef __cplusplus
}  // extern "C"
#endif  // __cplusplus
