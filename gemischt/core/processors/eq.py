"""The equaliser: cookbook filters in series, gliding while they are moved."""

import math

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp import biquad
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place
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


class Equalizer(BlockProcessor):
    """Filters in place. State: ``_state`` (16, n_channels, 2) holds each section's two delayed sums per channel."""

    def __init__(self, place: Place, audio: Audio) -> None:
        self._sample_rate_hz = place.sample_rate_hz
        control = Control(5 * _N_SECTIONS, place.max_block, place.glide_samples)
        state = np.zeros((_N_SECTIONS, place.n_channels, 2))
        self.controls = (control,)
        self.state = ((state,),)
        self.calls = (
            Call(biquad.run_sections, audio, control.pieces, control.coefs, state, *biquad.new_scratch(_N_SECTIONS)),
        )

    @staticmethod
    def tail_of(params: EqParams, sample_rate_hz: int) -> int:
        return ring_samples(design_sections(params, sample_rate_hz))

    def coefs_of(self, params: EqParams, *, on: bool) -> tuple[Row, ...]:
        return (design_sections(params if on else EqParams(), self._sample_rate_hz).ravel(),)


def ring_samples(sections: NDArray[np.float64]) -> int:
    """Samples until the slowest pole has decayed by 120 dB."""
    slowest = 0.0
    for _, _, _, a1, a2 in sections:
        slowest = max(slowest, float(np.max(np.abs(np.roots([1.0, a1, a2]))))) if a2 != 0.0 or a1 != 0.0 else slowest
    if slowest <= 0.0:
        return 0
    return math.ceil(-6.0 / math.log10(min(slowest, 0.999999)))
