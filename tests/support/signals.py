"""Signals to test with, shape (n_channels, n_samples)."""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.units import db_to_gain

Signal = NDArray[np.float64]
RATE_HZ = 48000


def sine(
    frequency_hz: float, level_dbfs: float, length_s: float, *, channels: int = 2, phase_deg: float = 0.0
) -> Signal:
    """A sine whose peak is at a level, the same in all channels."""
    times = np.arange(round(length_s * RATE_HZ)) / RATE_HZ
    wave = db_to_gain(level_dbfs) * np.sin(2 * np.pi * frequency_hz * times + np.deg2rad(phase_deg))
    return np.tile(wave, (channels, 1))


def faded_sine(frequency_hz: float, *, rate_hz: int = RATE_HZ, phase_rad: float = 0.0, length_s: float = 0.2) -> Signal:
    """A sine of full scale under raised-cosine fades: a hard edge would have overshoots of its own."""
    times = np.arange(round(length_s * rate_hz)) / rate_hz
    fade = np.clip(np.minimum(times, length_s - times) / 0.05, 0.0, 1.0)
    wave = np.sin(2 * np.pi * frequency_hz * times + phase_rad) * 0.5 * (1 - np.cos(np.pi * fade))
    return np.asarray(wave)[np.newaxis]


def noise(length_s: float, *, channels: int = 2, level: float = 0.1, seed: int = 1) -> Signal:
    """White noise of a given RMS."""
    return level * np.random.default_rng(seed).standard_normal((channels, round(length_s * RATE_HZ)))


def impulse(n_samples: int, *, channels: int = 1, at: int = 0) -> Signal:
    """One at a sample, the first unless said otherwise."""
    wave = np.zeros((channels, n_samples))
    wave[:, at] = 1.0
    return wave


def steps(*levels_and_lengths: tuple[float, float], frequency_hz: float = 1000.0, channels: int = 2) -> Signal:
    """A sine that changes its peak level: (dBFS, seconds) one after the other, phase running on; -inf is silence."""
    levels = np.concatenate([np.full(round(s * RATE_HZ), db_to_gain(db)) for db, s in levels_and_lengths])
    times = np.arange(len(levels)) / RATE_HZ
    return np.tile(levels * np.sin(2 * np.pi * frequency_hz * times), (channels, 1))


def clicks(bpm: float, *, first_s: float = 0.0, length_s: float = 16.0, rate_hz: int = RATE_HZ) -> Signal:
    """A short ringing click on every beat, one channel."""
    wave = np.zeros((1, int(length_s * rate_hz)))
    ring_s = np.arange(int(0.027 * rate_hz)) / rate_hz
    ring = np.exp(-ring_s / 0.005) * np.sin(2.0 * np.pi * 1000.0 * ring_s)
    for at_s in np.arange(first_s, length_s - 0.1, 60.0 / bpm):
        start = round(at_s * rate_hz)
        wave[0, start : start + len(ring)] += ring
    return wave


def peak_db(signal: Signal) -> float:
    """Highest sample magnitude in dBFS."""
    return float(20 * np.log10(np.max(np.abs(signal))))
