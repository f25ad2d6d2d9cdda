"""What a detector hears: a strip at a tap, at a gain, through a filter."""

from typing import Annotated

from pydantic import AfterValidator, ConfigDict, Field

from gemischt.core.parameters import FrozenModel, cut, trim
from gemischt.core.processors.filter_band import MAX_BANDS, FilterBand, with_ids
from gemischt.core.terms import Id, Tap


class DetectorFilter(FrozenModel):
    """Cuts in front of a detector, null leaves that side open, and a curve that weighs what it hears."""

    low_cut_hz: float | None = cut("Low cut", 10.0)
    high_cut_hz: float | None = cut("High cut", 20.0)
    bands: Annotated[tuple[FilterBand, ...], AfterValidator(with_ids)] = Field(default=(), max_length=MAX_BANDS)

    @property
    def cuts_off(self) -> bool:
        """Whether a side is not open."""
        return self.low_cut_hz is not None or self.high_cut_hz is not None


class Key(FrozenModel):
    """What a detector listens to; ``from`` null is the strip's own signal."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, populate_by_name=True)

    source: Id | None = Field(default=None, alias="from")
    tap: Tap = "pre-fader"
    gain_db: float = trim("Key gain")
    filter: DetectorFilter = DetectorFilter()
