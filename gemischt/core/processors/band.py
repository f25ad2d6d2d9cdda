"""One band of a signal that is split at crossovers: the bands add up to what went in, turned in phase only.

Reference: S. H. Linkwitz, "Active crossover networks for noncoincident drivers", JAES 24(1), 1976: two Butterworth
sections in series either side, 24 dB/oct, whose sum is an all-pass. A band that a crossover does not border on passes
its all-pass, so that all bands meet in phase.
"""

from typing import Any

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.control import Row
from gemischt.core.dsp import biquad
from gemischt.core.dsp.band_design import BUTTERWORTH_Q
from gemischt.core.processors.band_params import MOST_SPLITS, BandParams
from gemischt.core.processors.base import Place
from gemischt.core.processors.cascade import Cascade, ring_samples

_N_SECTIONS = 2 * MOST_SPLITS


def band_sections(params: BandParams, sample_rate_hz: float) -> list[biquad.Section]:
    """The sections that one band passes, in order of the crossovers."""
    found: list[biquad.Section] = []
    for place, crossover_hz in enumerate(params.crossovers_hz):
        if place > params.index:
            found.append(biquad.all_pass(crossover_hz, BUTTERWORTH_Q, sample_rate_hz))
        else:
            side = biquad.low_pass if place == params.index else biquad.high_pass
            found += 2 * [side(crossover_hz, BUTTERWORTH_Q, sample_rate_hz)]
    return found


class BandFilter(Cascade):
    """The sections of one band in series."""

    def __init__(self, place: Place, audio: Audio) -> None:
        self._sample_rate_hz = place.sample_rate_hz
        super().__init__(place, audio, _N_SECTIONS)

    @staticmethod
    def tail_of(params: Any, sample_rate_hz: int) -> int:
        return ring_samples(np.array(band_sections(params, sample_rate_hz)))

    def coefs_of(self, params: Any, *, on: bool) -> tuple[Row, ...]:
        sections = band_sections(params, self._sample_rate_hz) if on else []
        return (np.array([*sections, *[biquad.IDENTITY] * (_N_SECTIONS - len(sections))]).ravel(),)
