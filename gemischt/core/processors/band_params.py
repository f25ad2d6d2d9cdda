"""What one band of a split signal is told."""

from gemischt.core.parameters import FrozenModel

MOST_SPLITS = 4


class BandParams(FrozenModel):
    """Which band, counted from the lowest, and where the signal is split."""

    index: int
    crossovers_hz: tuple[float, ...]
