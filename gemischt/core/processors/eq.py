"""The equaliser: cookbook filters in series, gliding while they are moved."""

import math

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.dsp import biquad
from gemischt.core.dsp.mixing import start_ramp
from gemischt.core.processors.base import Place
from gemischt.core.processors.eq_params import BUTTERWORTH_Q, MAX_BANDS, EqBand, EqParams

SECTIONS_PER_BAND = 2
_N_SECTIONS = MAX_BANDS * SECTIONS_PER_BAND


def band_sections(band: EqBand, sample_rate_hz: float) -> list[biquad.Section]:
    """The band as one or two sections.

    A cut of 24 dB/oct is a fourth-order Butterworth; ``q`` scales the resonance of its last section.
    """
    if not band.on:
        return []
    frequency_hz, q = band.frequency_hz, band.q
    if band.shape in ("low-cut", "high-cut"):
        design = biquad.high_pass if band.shape == "low-cut" else biquad.low_pass
        if band.slope_db_per_octave == 12:
            return [design(frequency_hz, q, sample_rate_hz)]
        gentle, resonant = biquad.butterworth_qs(4)
        return [
            design(frequency_hz, gentle, sample_rate_hz),
            design(frequency_hz, resonant * q / BUTTERWORTH_Q, sample_rate_hz),
        ]
    if band.shape == "notch":
        return [biquad.notch(frequency_hz, q, sample_rate_hz)]
    if band.gain_db == 0.0:
        return []
    shelf_or_bell = {"bell": biquad.bell, "low-shelf": biquad.low_shelf, "high-shelf": biquad.high_shelf}
    return [shelf_or_bell[band.shape](frequency_hz, band.gain_db, q, sample_rate_hz)]


def design_sections(params: EqParams, sample_rate_hz: float) -> NDArray[np.float64]:
    """Coefficients of every band, shape (16, 5); slots without use are the identity."""
    sections = np.empty((_N_SECTIONS, 5))
    sections[:] = biquad.IDENTITY
    for index, band in enumerate(params.bands):
        for offset, section in enumerate(band_sections(band, sample_rate_hz)):
            sections[SECTIONS_PER_BAND * index + offset] = section
    return sections


def response_db(params: EqParams, frequencies_hz: NDArray[np.float64], sample_rate_hz: float) -> NDArray[np.float64]:
    """Gain of the whole equaliser at each frequency, dB."""
    return biquad.response_db(design_sections(params, sample_rate_hz), frequencies_hz, sample_rate_hz)


class Equalizer:
    """Filters one or two channels in place.

    State: ``_state`` (16, 2, 2) holds each section's two delayed sums per channel; ``_ramp`` (2, 16, 5) the target
    coefficients and the step per sample towards them; a section is active while either end of its ramp does anything.
    """

    def __init__(self, place: Place) -> None:
        self._sample_rate_hz = place.sample_rate_hz
        self._glide_samples = place.glide_samples
        self._ramp = np.zeros((2, _N_SECTIONS, 5))
        self._ramp[0] = biquad.IDENTITY
        self._remaining = np.zeros(1, np.int64)
        self._state = np.zeros((_N_SECTIONS, 2, 2))
        self._active = np.zeros(_N_SECTIONS, np.int64)
        self._n_active = 0

    @staticmethod
    def latency_of(params: EqParams, sample_rate_hz: int) -> int:
        return 0

    @staticmethod
    def tail_of(params: EqParams, sample_rate_hz: int) -> int:
        return ring_samples(design_sections(params, sample_rate_hz))

    def set(self, params: EqParams, *, on: bool, glide: bool) -> None:
        """Aim at new parameters; off is flat."""
        target = design_sections(params if on else EqParams(), self._sample_rate_hz)
        before = self._ramp[0] - self._ramp[1] * self._remaining[0]
        start_ramp(self._ramp, self._remaining, target, self._glide_samples if glide else 0)
        idle = (target == biquad.IDENTITY).all(axis=1) & (before == biquad.IDENTITY).all(axis=1)
        ringing = self._state.any(axis=(1, 2))
        active = np.flatnonzero(~idle | ringing)
        self._n_active = len(active)
        self._active[: self._n_active] = active

    def process(self, audio: Audio, detector: Audio, n_samples: int) -> None:
        """Filter ``audio`` (1 or 2, >= n_samples) in place."""
        if self._n_active:
            biquad.run_sections(
                audio, n_samples, self._ramp, self._remaining, self._state, self._active, self._n_active
            )

    def take_over(self, other: "Equalizer") -> None:
        """Continue where another instance of this equaliser is."""
        self._ramp[:] = other._ramp
        self._remaining[:] = other._remaining
        self._state[:] = other._state
        self._active[:] = other._active
        self._n_active = other._n_active


def ring_samples(sections: NDArray[np.float64]) -> int:
    """Samples until the slowest pole has decayed by 120 dB."""
    slowest = 0.0
    for _, _, _, a1, a2 in sections:
        slowest = max(slowest, float(np.max(np.abs(np.roots([1.0, a1, a2]))))) if a2 != 0.0 or a1 != 0.0 else slowest
    if slowest <= 0.0:
        return 0
    return math.ceil(-6.0 / math.log10(min(slowest, 0.999999)))
