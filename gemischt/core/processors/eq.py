"""The equaliser: cookbook filters in series, gliding while they are moved."""

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.control import Row
from gemischt.core.dsp import band_design, biquad
from gemischt.core.processors.base import Along, Place
from gemischt.core.processors.cascade import Cascade, ring_samples
from gemischt.core.processors.eq_params import EqParams
from gemischt.core.processors.filter_band import MAX_BANDS, BandShape

SHAPES: dict[BandShape, int] = {
    "bell": band_design.BELL,
    "low-shelf": band_design.LOW_SHELF,
    "high-shelf": band_design.HIGH_SHELF,
    "tilt": band_design.TILT,
    "low-cut": band_design.LOW_CUT,
    "high-cut": band_design.HIGH_CUT,
    "band-pass": band_design.BAND_PASS,
    "notch": band_design.NOTCH,
}
_COLUMNS = {
    "on": band_design.ON,
    "frequency_hz": band_design.FREQUENCY_HZ,
    "gain_db": band_design.GAIN_DB,
    "q": band_design.Q,
}
_FEW_SECTIONS, _MOST_SECTIONS = 2, 4
"""Of each band: more only where a cut is steeper than 24 dB/oct."""


def band_rows(params: EqParams) -> NDArray[np.float64]:
    """The bands as numbers, shape (MAX_BANDS, N_COLUMNS); those that are not there are off."""
    rows = np.zeros((MAX_BANDS, band_design.N_COLUMNS))
    for row, band in zip(rows, params.bands, strict=False):
        row[:] = (
            SHAPES[band.shape],
            band.on,
            band.frequency_hz,
            band.gain_db,
            band.q,
            band.slope_db_per_octave,
            params.near_nyquist == "analogue",
        )
    return rows


def sections_per_band(params: EqParams) -> int:
    """How many the steepest of its bands needs."""
    steep = any(band.shape in ("low-cut", "high-cut") and band.slope_db_per_octave > 24 for band in params.bands)
    return _MOST_SECTIONS if steep else _FEW_SECTIONS


def design_sections(params: EqParams, sample_rate_hz: float) -> NDArray[np.float64]:
    """Coefficients of every band, shape (n_sections, 5); slots without use are the identity."""
    sections: NDArray[np.float64] = _designed(band_rows(params)[np.newaxis], sample_rate_hz, sections_per_band(params))[
        0
    ]
    return sections


def _designed(rows: NDArray[np.float64], sample_rate_hz: float, per_band: int) -> NDArray[np.float64]:
    sections = np.empty((len(rows), MAX_BANDS * per_band, 5))
    band_design.design_bands(rows, sample_rate_hz, per_band, sections)
    return sections


def response_db(params: EqParams, frequencies_hz: NDArray[np.float64], sample_rate_hz: float) -> NDArray[np.float64]:
    """Gain of the whole equaliser at each frequency, dB."""
    return biquad.response_db(design_sections(params, sample_rate_hz), frequencies_hz, sample_rate_hz)


class Equalizer(Cascade):
    """Bands in series; there is room for so many sections a band."""

    def __init__(self, place: Place, audio: Audio) -> None:
        self._sample_rate_hz = place.sample_rate_hz
        self._per_band = max(place.room_samples, _FEW_SECTIONS)
        super().__init__(place, audio, MAX_BANDS * self._per_band)

    @property
    def sections_per_band(self) -> int:
        """How many there is room for."""
        return self._per_band

    @staticmethod
    def room_of(params: EqParams, sample_rate_hz: int) -> int:
        return sections_per_band(params)

    @staticmethod
    def tail_of(params: EqParams, sample_rate_hz: int) -> int:
        return ring_samples(design_sections(params, sample_rate_hz))

    def coefs_of(self, params: EqParams, *, on: bool) -> tuple[Row, ...]:
        rows = band_rows(params if on else EqParams())[np.newaxis]
        return (_designed(rows, self._sample_rate_hz, self._per_band).ravel(),)

    def coefs_along(self, params: EqParams, on: Along, values: Mapping[str, Along]) -> Sequence[NDArray[np.float64]]:
        places = {band.id: place for place, band in enumerate(params.bands)}
        rows = np.repeat(band_rows(params)[np.newaxis], len(on), axis=0)
        for field, along in values.items():
            _, band_id, name = field.split("/")
            rows[:, places[band_id], _COLUMNS[name]] = along
        rows[:, :, band_design.ON] *= on[:, np.newaxis]
        return (_designed(rows, self._sample_rate_hz, self._per_band).reshape(len(on), -1),)
