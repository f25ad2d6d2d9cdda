"""The tracks as they are handed over: good playing, and the flaws of a real session."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from scipy import signal

from gemischt.demo import instruments, score
from gemischt.demo.instruments import RATE_HZ, Instrument, Wave

SEED = 1847
LENGTH_S = score.N_BARS * score.BAR_S
LATE_MICROPHONE_MS = 4.6


@dataclass(frozen=True)
class Part:
    """Who plays which notes, and how hot it was recorded (peak, dBFS)."""

    id: str
    name: str
    instrument: Instrument
    notes: Callable[[], list[score.Note]]
    peak_dbfs: float


PARTS: tuple[Part, ...] = (
    Part("frame-drum", "Frame drum", instruments.skin(0.28, 0.12, 0.5), score.frame_drum, -7.4),
    Part("floor-drum", "Floor drum", instruments.skin(0.42, 0.5, 0.25), score.floor_drum, -3.1),
    Part("low-tom", "Low tom", instruments.skin(0.35, 0.25, 0.3), lambda: score.toms(43, 4.5), -9.0),
    Part("mid-tom", "Mid tom", instruments.skin(0.3, 0.25, 0.3), lambda: score.toms(48, 3.0), -8.8),
    Part("hand-claps", "Hand claps", instruments.claps, score.hand_claps, -6.1),
    Part("shaker", "Shaker", instruments.shaker, score.shaker, -25.3),
    Part("upright-bass", "Upright bass", instruments.upright_bass, score.upright_bass, -10.6),
    Part("mandolin-left", "Mandolin left", instruments.mandolin, lambda: score.mandolin(True), -12.4),
    Part("mandolin-right", "Mandolin right", instruments.mandolin, lambda: score.mandolin(False), -21.8),
    Part("nylon-guitar", "Nylon guitar", instruments.nylon_guitar, score.nylon_guitar, -4.2),
    Part("accordion", "Accordion", instruments.accordion, score.accordion, -5.3),
    Part("glass-marimba", "Glass marimba", instruments.marimba, score.glass_marimba, -15.7),
    Part("muted-trumpet", "Muted trumpet", instruments.trumpet, score.muted_trumpet, -9.2),
    Part(
        "lead-voice",
        "Lead voice",
        instruments.voice,
        lambda: score.voice(0, ("Verse 1", "Refrain 1", "Verse 2", "Refrain 2"), 0.9),
        -13.6,
    ),
    Part(
        "harmony-voice-1",
        "Harmony voice 1",
        instruments.voice,
        lambda: score.voice(-5, ("Refrain 1", "Refrain 2"), 0.75),
        -12.2,
    ),
    Part(
        "harmony-voice-2",
        "Harmony voice 2",
        instruments.voice,
        lambda: score.voice(-9, ("Refrain 1", "Refrain 2"), 0.7),
        -17.7,
    ),
)


def tracks() -> Iterator[tuple[str, str, Wave]]:
    """Id, name and samples (n_channels, n_samples) of each of the 18 tracks."""
    frame_drum: Wave | None = None
    for number, part in enumerate(PARTS):
        rng = np.random.default_rng([SEED, number])
        wave = play(part, rng)[np.newaxis]
        if part.id == "upright-bass":
            wave = _too_wide(wave[0])
        wave = _at_peak(wave, part.peak_dbfs)
        if part.id == "frame-drum":
            frame_drum = wave
        yield part.id, part.name, wave
    assert frame_drum is not None
    yield "frame-drum-far", "Frame drum far", _late_microphone(frame_drum)
    yield "sea-ambience", "Sea ambience", _at_peak(instruments.sea(LENGTH_S, np.random.default_rng([SEED, 99])), -9.7)


def play(part: Part, rng: np.random.Generator) -> Wave:
    """One part from beginning to end, (n_samples,)."""
    out = np.zeros(int(LENGTH_S * RATE_HZ))
    for note in score.humanized(part.notes(), rng):
        start = int(note.start * score.EIGHTH_S * RATE_HZ)
        hz = instruments.pitch_to_hz(note.pitch)
        wave = part.instrument(hz, note.length * score.EIGHTH_S, note.strength, note.vowel, rng)
        end = min(len(out), start + len(wave))
        out[start:end] += wave[: end - start]
    return out


def _too_wide(mono: Wave) -> Wave:
    # Two copies a wandering few milliseconds apart: impressive alone, hollow in mono.
    n = len(mono)
    wander = 0.0035 * RATE_HZ * (1.0 + np.sin(2 * np.pi * 0.4 * np.arange(n) / RATE_HZ))
    late = np.interp(np.arange(n) - wander, np.arange(n), mono, left=0.0)
    return np.stack([0.5 * mono + 0.7 * late, 0.5 * mono - 0.7 * late])


def _late_microphone(near: Wave) -> Wave:
    late = round(LATE_MICROPHONE_MS * RATE_HZ / 1000.0)
    far = np.zeros_like(near)
    far[:, late:] = near[:, :-late]
    dull = signal.butter(1, 5000.0, fs=RATE_HZ, output="sos")
    filtered: Wave = 0.7 * signal.sosfilt(dull, far, axis=1)
    return filtered


def _at_peak(wave: Wave, peak_dbfs: float) -> Wave:
    scaled: Wave = wave * (10.0 ** (peak_dbfs / 20.0) / float(np.abs(wave).max()))
    return scaled
