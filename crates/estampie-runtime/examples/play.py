"""Plays a bundle from Python by ctypes: play.py LIBRARY BUNDLE OUT.f32 EVENT [SECONDS]

Writes what is heard as 32-bit floats, two interleaved channels. Needs nothing besides Python itself.
"""

import ctypes
import sys
from ctypes import POINTER, c_char_p, c_float, c_int, c_size_t, c_uint32, c_uint64, c_void_p


class Options(ctypes.Structure):
    """`estampie_options` of the header."""

    _fields_ = [("rate", c_uint32), ("channels", c_uint32), ("seed", c_uint64), ("voices", c_uint32), ("inputs", c_uint32), ("parts_apart", c_uint32),
                ("streaming", c_uint32), ("streams", c_uint32), ("emitters", c_uint32)]


def library(path):
    """The functions that are used here, with their types."""
    lib = ctypes.CDLL(path)
    lib.estampie_load.restype = c_void_p
    lib.estampie_load.argtypes = [c_char_p, POINTER(Options), c_char_p, c_size_t]
    lib.estampie_free.argtypes = [c_void_p]
    lib.estampie_rate.restype = c_uint32
    lib.estampie_rate.argtypes = [c_void_p]
    lib.estampie_key.restype = c_uint64
    lib.estampie_key.argtypes = [c_void_p, c_char_p]
    lib.estampie_event.argtypes = [c_void_p, c_uint64, c_uint64, c_uint64]
    lib.estampie_render.argtypes = [c_void_p, POINTER(c_float), c_size_t]
    lib.estampie_poll.argtypes = [c_void_p, c_char_p, c_size_t]
    lib.estampie_poll.restype = c_int
    return lib


def main():
    if len(sys.argv) < 5:
        sys.exit(__doc__)
    lib = library(sys.argv[1])
    seconds = float(sys.argv[5]) if len(sys.argv) > 5 else 5.0
    text = ctypes.create_string_buffer(400)
    sound = lib.estampie_load(sys.argv[2].encode(), Options(seed=1, streaming=1), text, len(text))
    if not sound:
        sys.exit(f"{sys.argv[2]}: {text.value.decode()}")
    lib.estampie_event(sound, 0, lib.estampie_key(sound, sys.argv[4].encode()), 0)
    buffer = (c_float * (2 * 512))()
    left = int(seconds * lib.estampie_rate(sound))
    with open(sys.argv[3], "wb") as out:
        while left > 0:
            frames = min(512, left)
            lib.estampie_render(sound, buffer, frames)
            out.write(bytes(buffer)[: frames * 8])
            left -= frames
            while lib.estampie_poll(sound, text, len(text)):
                print(text.value.decode(), file=sys.stderr)
    lib.estampie_free(sound)


if __name__ == "__main__":
    main()
