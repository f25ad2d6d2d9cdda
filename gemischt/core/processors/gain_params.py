"""The gain processor's parameter table."""

from typing import Literal

from gemischt.core.parameters import FrozenModel, level

Channels = Literal["as-is", "swap", "mono", "left", "right"]


class GainParams(FrozenModel):
    """A level, a turn of polarity per side, and which side goes where. ``level_db`` null is silence."""

    level_db: float | None = level(highest_db=36.0)
    channels: Channels = "as-is"
    left_inverted: bool = False
    right_inverted: bool = False

    @property
    def has_sides(self) -> bool:
        """Whether more than the level is set."""
        return self.channels != "as-is" or self.left_inverted or self.right_inverted
