"""The widener's parameter table."""

from typing import Literal

from gemischt.core.parameters import FrozenModel, parameter


class WidenerParams(FrozenModel):
    """*decorrelate* gives the sides ``amount`` of what all-passes make of the middle; *offset* lets the right side come
    ``offset_ms`` after the left one, or before it."""

    mode: Literal["decorrelate", "offset"] = "decorrelate"
    amount: float = parameter(0.7, 0.0, 1.0, label="Amount")
    offset_ms: float = parameter(12.0, -30.0, 30.0, label="Offset", unit="ms")

    @property
    def side_share(self) -> float:
        """How much of the middle goes to the sides as well."""
        return self.amount if self.mode == "decorrelate" else 0.0

    @property
    def delay_ms(self) -> float:
        """By how much the right side is later."""
        return self.offset_ms if self.mode == "offset" else 0.0
