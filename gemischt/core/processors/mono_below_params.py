"""What a strip whose lows are mono is told."""

from typing import Literal

from gemischt.core.parameters import FrozenModel, parameter


class MonoBelowParams(FrozenModel):
    """Below which frequency, and how steeply."""

    frequency_hz: float = parameter(120.0, 20.0, 1000.0, label="Mono below", unit="Hz", scale="logarithmic")
    slope_db_per_octave: Literal[12, 24] = 24
