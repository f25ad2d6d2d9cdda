"""What is played: 6/8, a dotted quarter at 96 bpm, in D minor, for a sextet from a harbour town."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

BPM = 96.0
EIGHTH_S = 60.0 / BPM / 3.0
EIGHTHS_PER_BAR = 6
BAR_S = EIGHTHS_PER_BAR * EIGHTH_S

SECTIONS: tuple[tuple[str, int, int], ...] = (
    ("Ebb", 0, 4),
    ("Verse 1", 4, 16),
    ("Refrain 1", 16, 24),
    ("Verse 2", 24, 36),
    ("Slack water", 36, 44),
    ("Refrain 2", 44, 56),
    ("Out", 56, 64),
)
N_BARS = SECTIONS[-1][2]

# Chords as pitch classes above D (62): root, third, fifth; a bar each.
_CHORDS = {"Dm": (0, 3, 7), "C": (-2, 2, 5), "Bb": (-4, 0, 3), "F": (3, 7, 10), "Gm": (5, 8, 12), "Am": (-5, -2, 2)}
_VERSE = ("Dm", "Dm", "C", "C", "Bb", "F", "Gm", "Am")
_REFRAIN = ("F", "C", "Dm", "Bb", "F", "C", "Gm", "Am")
_BRIDGE = ("Bb", "Bb", "Gm", "Gm", "Dm", "Dm", "Am", "Am")
TONIC = 62


@dataclass(frozen=True)
class Note:
    """A note: start and length in eighths, MIDI pitch, strength 0 to 1, and a vowel if it is sung."""

    start: float
    length: float
    pitch: float
    strength: float
    vowel: str = "a"


def section_of(bar: int) -> str:
    """Name of the section a bar lies in."""
    return next(name for name, first, last in SECTIONS if first <= bar < last)


def chord_of(bar: int) -> tuple[int, int, int]:
    """Pitches of a bar's chord, near D4."""
    name = section_of(bar)
    table = _REFRAIN if name.startswith("Refrain") else _BRIDGE if name == "Slack water" else _VERSE
    first = next(start for section, start, _ in SECTIONS if section == name)
    root, third, fifth = _CHORDS[table[(bar - first) % 8]]
    return TONIC + root, TONIC + third, TONIC + fifth


def loudness_of(bar: int) -> float:
    """How strongly the band plays."""
    strength = {"Ebb": 0.55, "Slack water": 0.6, "Out": 0.6}.get(section_of(bar), 0.75)
    return 0.95 if section_of(bar).startswith("Refrain") else strength


def _pattern(bars: range, hits: tuple[tuple[float, float], ...], pitch: float, length: float = 1.0) -> list[Note]:
    notes: list[Note] = []
    for bar in bars:
        for at, strength in hits:
            notes.append(Note(bar * EIGHTHS_PER_BAR + at, length, pitch, strength * loudness_of(bar)))
    return notes


def _bars(*names: str) -> Iterator[int]:
    for name, first, last in SECTIONS:
        if name in names:
            yield from range(first, last)


def frame_drum() -> list[Note]:
    lilt = ((0.0, 1.0), (2.0, 0.35), (3.0, 0.75), (5.0, 0.5))
    return _pattern(range(2, 62), lilt, 50)


def floor_drum() -> list[Note]:
    return _pattern(range(4, 60), ((0.0, 1.0), (3.0, 0.8)), 33) + _pattern(range(16, 24), ((4.5, 0.6),), 33)


def toms(pitch: float, at: float) -> list[Note]:
    fills = [bar for _, _, last in SECTIONS[:-1] for bar in (last - 1,)]
    notes: list[Note] = []
    for bar in fills:
        for step in range(3):
            notes.append(Note(bar * EIGHTHS_PER_BAR + at + step * 0.5, 1.0, pitch, 0.7 + 0.1 * step))
    return notes


def hand_claps() -> list[Note]:
    notes: list[Note] = []
    for bar in _bars("Refrain 1", "Refrain 2"):
        notes.append(Note(bar * EIGHTHS_PER_BAR + 3.0, 0.5, 60, 0.9))
    return notes


def shaker() -> list[Note]:
    swing = tuple((float(step), 0.9 if step % 3 == 0 else 0.5) for step in range(6))
    return _pattern(range(8, 56), swing, 70, 0.5)


def upright_bass() -> list[Note]:
    notes: list[Note] = []
    for bar in range(4, 63):
        root, _, fifth = chord_of(bar)
        at = bar * EIGHTHS_PER_BAR
        strength = loudness_of(bar)
        notes.append(Note(at, 2.6, root - 24, strength))
        notes.append(Note(at + 3.0, 1.8, root - 24, 0.8 * strength))
        notes.append(Note(at + 5.0, 0.9, fifth - 24 if fifth - 24 < 45 else fifth - 36, 0.6 * strength))
    return notes


def mandolin(high: bool) -> list[Note]:
    order = (0, 1, 2, 1, 2, 1) if high else (0, 2, 1, 2, 1, 0)
    notes: list[Note] = []
    for bar in range(2 if high else 8, 60):
        chord = chord_of(bar)
        for step, member in enumerate(order):
            pitch = chord[member] + (12 if high else 0)
            strength = (0.8 if step in (0, 3) else 0.5) * loudness_of(bar)
            notes.append(Note(bar * EIGHTHS_PER_BAR + step, 1.4, pitch, strength))
    return notes


def nylon_guitar() -> list[Note]:
    notes: list[Note] = []
    for bar in range(63):
        root, third, fifth = chord_of(bar)
        at = bar * EIGHTHS_PER_BAR
        for step, pitch in enumerate((root - 12, fifth - 12, root, third, fifth, third)):
            notes.append(Note(at + step + 0.02 * step, 3.0, pitch, (0.85 if step == 0 else 0.6) * loudness_of(bar)))
    return notes


def accordion() -> list[Note]:
    notes: list[Note] = []
    for bar in _bars("Verse 2", "Refrain 1", "Refrain 2", "Slack water"):
        for pitch in chord_of(bar):
            notes.append(Note(bar * EIGHTHS_PER_BAR, 5.7, pitch, 0.7 * loudness_of(bar)))
            notes.append(Note(bar * EIGHTHS_PER_BAR, 5.7, pitch + 12, 0.45 * loudness_of(bar)))
    return notes


def glass_marimba() -> list[Note]:
    scale = (0, 2, 3, 5, 7, 8, 10, 12)
    run = (0, 2, 4, 5, 7, 5)
    notes: list[Note] = []
    for count, bar in enumerate(_bars("Refrain 1", "Slack water", "Refrain 2", "Out")):
        for step, degree in enumerate(run):
            if count % 4 == 3 and step > 2:
                continue
            pitch = TONIC + 12 + scale[(degree + count) % 8]
            notes.append(Note(bar * EIGHTHS_PER_BAR + step, 2.0, pitch, 0.8 if step in (0, 3) else 0.55))
    return notes


_TUNE: tuple[tuple[float, float, int, str], ...] = (
    (0.0, 2.8, 7, "a"), (3.0, 2.0, 10, "o"), (5.0, 1.0, 7, "e"), (6.0, 5.0, 5, "a"),
    (12.0, 2.0, 3, "o"), (14.0, 1.0, 5, "i"), (15.0, 2.0, 7, "a"), (17.0, 1.0, 5, "e"), (18.0, 5.5, 2, "o"),
    (24.0, 2.8, 3, "a"), (27.0, 2.0, 7, "e"), (29.0, 1.0, 8, "i"), (30.0, 5.0, 7, "a"),
    (36.0, 2.0, 8, "o"), (38.0, 1.0, 7, "e"), (39.0, 3.0, 5, "a"), (42.0, 5.5, 2, "u"),
)  # fmt: skip


def voice(transpose: int, sections: tuple[str, ...], strength: float) -> list[Note]:
    notes: list[Note] = []
    for name, first, last in SECTIONS:
        if name not in sections:
            continue
        lift = 5 if name.startswith("Refrain") else 0
        for bar in range(first, last, 8):
            for at, length, degree, vowel in _TUNE:
                start = bar * EIGHTHS_PER_BAR + at
                if start + length <= last * EIGHTHS_PER_BAR:
                    pitch = TONIC + degree + lift + transpose
                    notes.append(Note(start, length, pitch, strength * loudness_of(bar), vowel))
    return notes


def muted_trumpet() -> list[Note]:
    notes: list[Note] = []
    answers = ((1.0, 1.5, 12), (3.0, 0.9, 10), (4.0, 1.8, 7))
    for bar in _bars("Verse 2", "Slack water", "Out"):
        if bar % 2:
            for at, length, degree in answers:
                notes.append(Note(bar * EIGHTHS_PER_BAR + at, length, TONIC + 5 + degree, 0.7))
    return notes


def humanized(notes: list[Note], rng: np.random.Generator) -> list[Note]:
    """The same notes as hands play them: a few milliseconds off, never quite the same strength."""
    return [
        Note(
            max(0.0, note.start + rng.normal(0.0, 0.025)),
            note.length,
            note.pitch,
            float(np.clip(note.strength * rng.normal(1.0, 0.07), 0.1, 1.0)),
            note.vowel,
        )
        for note in notes
    ]
