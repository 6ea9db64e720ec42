"""Writes the MIDI files that tests read, with another package (mido), and what is in them as JSON.

Run by hand when the files are to change: python3 make_midi.py
"""

import json
import random
from fractions import Fraction

import mido


def make(name, kind, division, seed, tracks):
    random.seed(seed)
    midi = mido.MidiFile(type=kind, ticks_per_beat=division)
    expected = {"tempos": [], "metres": [], "tracks": []}
    events = []
    tempo_events = [(0, mido.MetaMessage("time_signature", numerator=3, denominator=4)), (0, mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(93.7)))]
    tempo_events += [(division * 3, mido.MetaMessage("time_signature", numerator=6, denominator=8)), (division * 6, mido.MetaMessage("set_tempo", tempo=500000))]
    for at, message in tempo_events:
        if message.type == "set_tempo":
            expected["tempos"].append([str(Fraction(at, division)), message.tempo])
        else:
            expected["metres"].append([str(Fraction(at, division)), f"{message.numerator}/{message.denominator}"])
    for index in range(tracks):
        notes = []
        for pitch in random.sample(range(36, 96), 12):
            at = 0
            for _ in range(random.randint(1, 6)):
                at += random.randint(0, 2 * division)
                length = random.randint(1, 2 * division)
                notes.append((at, length, pitch, random.randint(1, 127)))
                at += length
        label = f"part {index + 1}"
        channel = [0, 9, 3, 15][index]
        name_of = f"channel {channel + 1}" if kind == 0 else label
        entry = sorted([Fraction(a, division), p, Fraction(n, division), v] for a, n, p, v in notes)
        expected["tracks"].append({"name": name_of, "notes": [[str(a), str(n), p, v] for a, p, n, v in entry]})
        own = []
        for at, length, pitch, velocity in notes:
            own.append((at, 1, mido.Message("note_on", channel=channel, note=pitch, velocity=velocity)))
            off = "note_off" if index % 2 == 0 else "note_on"
            own.append((at + length, 0, mido.Message(off, channel=channel, note=pitch, velocity=0)))
        events.append((label, own))
    lists = []
    if kind == 0:
        lists.append([(at, 0, m) for at, m in tempo_events] + [e for _, own in events for e in own])
    else:
        lists.append([(at, 0, m) for at, m in tempo_events])
        for label, own in events:
            lists.append([(0, -1, mido.MetaMessage("track_name", name=label))] + own)
    for messages in lists:
        track = mido.MidiTrack()
        last = 0
        for at, _, message in sorted(messages, key=lambda e: (e[0], e[1])):
            track.append(message.copy(time=at - last))
            last = at
        midi.tracks.append(track)
    midi.save(f"{name}.mid")
    if kind == 0:
        expected["tracks"].sort(key=lambda t: int(t["name"].split()[1]))
    with open(f"{name}.json", "w", encoding="utf-8") as file:
        json.dump(expected, file, indent=1)


make("format0", 0, 96, 1, 3)
make("format1", 1, 480, 2, 4)
make("odd-division", 1, 7 * 13, 3, 2)
