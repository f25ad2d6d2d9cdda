"""One band of a filter: what equalisers and detectors are made of."""

from itertools import count
from typing import Literal, TypeVar

from pydantic import Field

from gemischt.core.parameters import HIGHEST_FREQUENCY_HZ, FrozenModel, parameter

BandShape = Literal["bell", "low-shelf", "high-shelf", "tilt", "low-cut", "high-cut", "band-pass", "notch"]
GAIN_SHAPES: tuple[BandShape, ...] = ("bell", "low-shelf", "high-shelf", "tilt")
"""Shapes that have a gain."""
MAX_BANDS = 8
BUTTERWORTH_Q = 0.7071067811865476


class FilterBand(FrozenModel):
    """One band. ``slope_db_per_octave`` counts for cuts only, ``gain_db`` for bells, shelves and tilts only, ``q`` for
    all but tilts and cuts of 6 dB/oct."""

    id: str = Field(default="", pattern=r"^([A-Za-z0-9][A-Za-z0-9_.-]{0,79})?$")
    shape: BandShape = "bell"
    frequency_hz: float = parameter(
        1000.0, 10.0, HIGHEST_FREQUENCY_HZ, label="Frequency", unit="Hz", scale="logarithmic"
    )
    gain_db: float = parameter(0.0, -24.0, 24.0, label="Gain", unit="dB")
    q: float = parameter(BUTTERWORTH_Q, 0.1, 40.0, label="Q", scale="logarithmic")
    slope_db_per_octave: Literal[6, 12, 18, 24, 36, 48] = 12
    on: bool = True


Band = TypeVar("Band", bound=FilterBand)


def with_ids(bands: tuple[Band, ...]) -> tuple[Band, ...]:
    """Give bands that have no id the first free one: "b1", "b2" ...

    Raises:
        ValueError: two bands have one id.
    """
    taken = [band.id for band in bands if band.id]
    if len(set(taken)) < len(taken):
        raise ValueError("two bands have the same id")
    free = (f"b{number}" for number in count(1) if f"b{number}" not in taken)
    return tuple(band if band.id else band.model_copy(update={"id": next(free)}) for band in bands)
