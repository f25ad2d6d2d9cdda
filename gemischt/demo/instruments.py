"""How it sounds: each instrument turns one note into samples, shape (n_samples,)."""

from collections.abc import Callable
from functools import lru_cache
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from gemischt.core.dsp.jit import FLOAT, VECTOR, kernel

Wave: TypeAlias = NDArray[np.float64]
Instrument: TypeAlias = Callable[[float, float, float, str, np.random.Generator], Wave]
"""(frequency_hz, length_s, strength, vowel, rng) -> samples."""

RATE_HZ = 48000


def pitch_to_hz(pitch: float) -> float:
    """Equal temperament, A4 = 440 Hz."""
    return float(440.0 * 2.0 ** ((pitch - 69.0) / 12.0))


@kernel(VECTOR, VECTOR, FLOAT, FLOAT)
def _pluck_kernel(line: Wave, out: Wave, fraction: float, loss: float) -> None:
    # A string as a delay line whose end averages two neighbours (Karplus and Strong 1983).
    n = line.size
    at = 0
    for i in range(out.size):
        following = at + 1 if at + 1 < n else 0
        now = line[at]
        out[i] = now
        line[at] = loss * ((1.0 - fraction) * now + fraction * line[following])
        at = following


def _pluck(frequency_hz: float, length_s: float, decay_s: float, brightness: float, rng: np.random.Generator) -> Wave:
    period = RATE_HZ / frequency_hz
    n_line = max(8, int(period - 0.5))
    fraction = float(np.clip(period - n_line, 0.05, 0.95))
    burst = rng.uniform(-1.0, 1.0, n_line)
    alpha = float(np.clip(brightness, 0.05, 0.95))
    burst = signal.lfilter([alpha], [1.0, alpha - 1.0], np.concatenate([burst, burst]))[n_line:]
    line = np.ascontiguousarray(burst - burst.mean())
    out = np.zeros(int((length_s + 0.25) * RATE_HZ))
    _pluck_kernel(line, out, fraction, float(10.0 ** (-3.0 / (decay_s * frequency_hz))))
    fade = int(0.2 * RATE_HZ)
    out[-fade:] *= np.linspace(1.0, 0.0, fade) ** 2
    return out / max(1e-9, float(np.abs(out).max()))


def mandolin(frequency_hz: float, length_s: float, strength: float, vowel: str, rng: np.random.Generator) -> Wave:
    pair = _pluck(frequency_hz * 1.0012, length_s, 1.4, 0.5 + 0.4 * strength, rng)
    other = _pluck(frequency_hz * 0.9989, length_s, 1.4, 0.5 + 0.4 * strength, rng)
    n = min(len(pair), len(other))
    return strength * 0.6 * (pair[:n] + np.roll(other[:n], 150))


def nylon_guitar(frequency_hz: float, length_s: float, strength: float, vowel: str, rng: np.random.Generator) -> Wave:
    string = _pluck(frequency_hz, length_s, 2.6, 0.25 + 0.3 * strength, rng)
    body = signal.sosfilt(_resonance(118.0, 4.0), string) * 0.5 + signal.sosfilt(_resonance(2600.0, 1.2), string) * 0.9
    return strength * (string + body)


def upright_bass(frequency_hz: float, length_s: float, strength: float, vowel: str, rng: np.random.Generator) -> Wave:
    string = _pluck(frequency_hz, length_s, 1.6, 0.14 + 0.12 * strength, rng)
    times = np.arange(len(string)) / RATE_HZ
    low = np.sin(2 * np.pi * frequency_hz * times) * np.exp(-times * 2.2) * _attack(times, 0.008)
    thump = rng.normal(0, 0.05, len(string)) * np.exp(-times * 90.0)
    return strength * (0.8 * string + 0.7 * low + thump)


def marimba(frequency_hz: float, length_s: float, strength: float, vowel: str, rng: np.random.Generator) -> Wave:
    # Mode ratios of a tuned bar: 1, 4, 9.2.
    return strength * _modes(
        frequency_hz, ((1.0, 1.0, 0.55), (3.98, 0.4 * strength, 0.16), (9.2, 0.2 * strength, 0.05)), length_s + 0.5
    )


def skin(ratio_decay: float, drop: float, noise: float) -> Instrument:
    """A drum: membrane modes (ratios of an ideal skin), a pitch that drops, and the stick."""

    def strike(frequency_hz: float, length_s: float, strength: float, vowel: str, rng: np.random.Generator) -> Wave:
        times = np.arange(int((0.35 + ratio_decay) * RATE_HZ)) / RATE_HZ
        bend = 1.0 + drop * np.exp(-times * 28.0)
        phase = 2 * np.pi * frequency_hz * np.cumsum(bend) / RATE_HZ
        modes = ((1.0, 1.0, 1.0), (1.594, 0.5, 0.6), (2.136, 0.3, 0.45), (2.653, 0.2, 0.3))
        tone = sum(
            level * np.sin(ratio * phase) * np.exp(-times / (ratio_decay * decay)) for ratio, level, decay in modes
        )
        stick = signal.lfilter([0.6], [1, -0.4], rng.normal(0, 1, len(times))) * np.exp(-times * 130.0)
        return strength * (0.5 * np.asarray(tone) + noise * strength * stick) * _attack(times, 0.0008)

    return strike


def claps(frequency_hz: float, length_s: float, strength: float, vowel: str, rng: np.random.Generator) -> Wave:
    times = np.arange(int(0.28 * RATE_HZ)) / RATE_HZ
    out = np.zeros(len(times))
    for late_s in np.sort(rng.uniform(0.0, 0.03, 5)):
        start = int(late_s * RATE_HZ)
        burst = rng.normal(0, 1, len(times) - start) * np.exp(-times[: len(times) - start] * rng.uniform(45, 80))
        out[start:] += burst
    clapping: Wave = signal.sosfilt(_band(900.0, 3200.0), out)
    return strength * 0.25 * clapping


def shaker(frequency_hz: float, length_s: float, strength: float, vowel: str, rng: np.random.Generator) -> Wave:
    times = np.arange(int(0.13 * RATE_HZ)) / RATE_HZ
    shape = np.minimum(times / 0.02, 1.0) * np.exp(-np.maximum(times - 0.02, 0.0) * 60.0)
    beads: Wave = signal.sosfilt(_band(4500.0, 12000.0), rng.normal(0, 1, len(times)))
    shaken: Wave = strength * 0.5 * beads * shape
    return shaken


def accordion(frequency_hz: float, length_s: float, strength: float, vowel: str, rng: np.random.Generator) -> Wave:
    times = np.arange(int((length_s + 0.08) * RATE_HZ)) / RATE_HZ
    reeds = sum(
        _harmonics(frequency_hz * detune * np.ones(len(times)), _roll_off(22, 1.15), rng.uniform(0, 6.28))
        for detune in (0.9981, 1.0022)
    )
    shape = _attack(times, 0.05) * _release(times, length_s, 0.06) * (1.0 + 0.06 * np.sin(2 * np.pi * 5.1 * times))
    return strength * 0.35 * np.asarray(reeds) * shape


def trumpet(frequency_hz: float, length_s: float, strength: float, vowel: str, rng: np.random.Generator) -> Wave:
    times = np.arange(int((length_s + 0.1) * RATE_HZ)) / RATE_HZ
    vibrato = 1.0 + 0.006 * np.sin(2 * np.pi * 5.4 * times) * np.minimum(times / 0.35, 1.0)
    tone = _harmonics(frequency_hz * vibrato, _roll_off(18, 0.7), 0.0)
    breath = 0.03 * rng.normal(0, 1, len(times))
    muted = signal.sosfilt(_resonance(1500.0, 2.0), tone + breath)
    return strength * muted * _attack(times, 0.04) * _release(times, length_s, 0.08)


_FORMANTS_HZ = {
    "a": ((730, 1.0), (1090, 0.6), (2440, 0.28), (3400, 0.15)),
    "e": ((530, 1.0), (1840, 0.45), (2480, 0.3), (3500, 0.15)),
    "i": ((300, 1.0), (2290, 0.4), (3010, 0.3), (3600, 0.15)),
    "o": ((570, 1.0), (840, 0.6), (2410, 0.15), (3300, 0.08)),
    "u": ((320, 1.0), (870, 0.4), (2240, 0.1), (3200, 0.06)),
}


def voice(frequency_hz: float, length_s: float, strength: float, vowel: str, rng: np.random.Generator) -> Wave:
    times = np.arange(int((length_s + 0.12) * RATE_HZ)) / RATE_HZ
    drift = np.interp(times, np.linspace(0, times[-1], 8), rng.normal(0, 0.0018, 8))
    scoop = 1.0 - 0.03 * np.exp(-times * 22.0)
    vibrato = 1.0 + (0.009 * np.sin(2 * np.pi * 5.6 * times + rng.uniform(0, 6.28))) * np.clip(
        (times - 0.25) / 0.4, 0, 1
    )
    source = _harmonics(frequency_hz * (vibrato + drift) * scoop, _roll_off(36, 1.25), 0.0)
    source = source + 0.015 * rng.normal(0, 1, len(times))
    throat = sum(level * signal.sosfilt(_resonance(float(hz), 7.0), source) for hz, level in _FORMANTS_HZ[vowel])
    return strength * np.asarray(throat) * _attack(times, 0.06) * _release(times, length_s, 0.1)


def sea(length_s: float, rng: np.random.Generator) -> Wave:
    """Waves on a shore, shape (2, n_samples)."""
    n = int(length_s * RATE_HZ)
    times = np.arange(n) / RATE_HZ
    sides = []
    for phase in (0.0, 0.7):
        swell = 0.35 + 0.65 * np.clip(np.sin(2 * np.pi * times / 8.7 + phase), 0, 1) ** 2
        hiss = signal.sosfilt(_band(300.0, 5200.0), rng.normal(0, 1, n))
        rumble = signal.sosfilt(_band(45.0, 220.0), rng.normal(0, 1, n))
        sides.append(swell * hiss + 0.6 * rumble)
    return np.stack(sides)


def _modes(frequency_hz: float, modes: tuple[tuple[float, float, float], ...], length_s: float) -> Wave:
    times = np.arange(int(length_s * RATE_HZ)) / RATE_HZ
    out = np.zeros(len(times))
    for ratio, level, decay_s in modes:
        if frequency_hz * ratio < 0.45 * RATE_HZ:
            out += level * np.sin(2 * np.pi * frequency_hz * ratio * times) * np.exp(-times / decay_s)
    return out * _attack(times, 0.002)


def _roll_off(count: int, exponent: float) -> tuple[float, ...]:
    return tuple(1.0 / (k**exponent) for k in range(1, count + 1))


def _harmonics(frequency_hz: Wave, levels: tuple[float, ...], phase: float) -> Wave:
    angle = 2 * np.pi * np.cumsum(frequency_hz) / RATE_HZ + phase
    top_hz = float(frequency_hz.max())
    # Chebyshev recurrence: sin(k a) from its two predecessors, one multiplication each.
    twice_cosine = 2.0 * np.cos(angle)
    before, current = np.zeros(len(angle)), np.sin(angle)
    out = np.zeros(len(angle))
    for k, level in enumerate(levels, start=1):
        if k * top_hz > 0.4 * RATE_HZ:
            break
        out += level * current
        before, current = current, twice_cosine * current - before
    return out


def _attack(times: Wave, attack_s: float) -> Wave:
    return np.minimum(times / attack_s, 1.0)


def _release(times: Wave, length_s: float, release_s: float) -> Wave:
    return np.clip(1.0 - (times - length_s) / release_s, 0.0, 1.0)


@lru_cache(maxsize=128)
def _resonance(frequency_hz: float, q: float) -> Wave:
    b, a = signal.iirpeak(frequency_hz, q, fs=RATE_HZ)
    sos: Wave = np.concatenate([b, a])[np.newaxis]
    return sos


@lru_cache(maxsize=32)
def _band(low_hz: float, high_hz: float) -> Wave:
    sos: Wave = signal.butter(2, [low_hz, high_hz], btype="bandpass", fs=RATE_HZ, output="sos")
    return sos
