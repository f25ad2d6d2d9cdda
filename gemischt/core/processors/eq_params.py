"""The equaliser's parameter table."""

from typing import Literal

from pydantic import Field

from gemischt.core.parameters import FrozenModel, parameter

BandShape = Literal["bell", "low-shelf", "high-shelf", "low-cut", "high-cut", "notch"]
MAX_BANDS = 8
BUTTERWORTH_Q = 0.7071067811865476


class EqBand(FrozenModel):
    """One band. ``slope_db_per_octave`` counts for cuts only, ``gain_db`` for bells and shelves only."""

    shape: BandShape = "bell"
    frequency_hz: float = parameter(1000.0, 10.0, 22000.0, label="Frequency", unit="Hz", scale="logarithmic")
    gain_db: float = parameter(0.0, -24.0, 24.0, label="Gain", unit="dB")
    q: float = parameter(BUTTERWORTH_Q, 0.1, 40.0, label="Q", scale="logarithmic")
    slope_db_per_octave: Literal[12, 24] = 12
    on: bool = True


class EqParams(FrozenModel):
    """Bands in series, up to eight."""

    bands: tuple[EqBand, ...] = Field(default=(), max_length=MAX_BANDS)
