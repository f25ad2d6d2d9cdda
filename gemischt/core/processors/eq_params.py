"""The equaliser's parameter table."""

from typing import Annotated, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from gemischt.core.keys import Key
from gemischt.core.parameters import FrozenModel, parameter
from gemischt.core.processors.filter_band import MAX_BANDS, FilterBand, with_ids


class BandMotion(FrozenModel):
    """How a band moves: its gain goes to ``to_db`` as what it hears rises from one level to another.

    It hears what comes to the equaliser, or its key: of that the range the band itself is about, or all.
    """

    on: bool = True
    to_db: float = parameter(-6.0, -24.0, 24.0, label="Goes to", unit="dB", stays=True)
    from_level_db: float = parameter(-30.0, -80.0, 0.0, label="Starts at", unit="dB")
    full_level_db: float = parameter(-18.0, -80.0, 0.0, label="All the way at", unit="dB")
    attack_ms: float = parameter(5.0, 0.0, 5000.0, label="Attack", unit="ms", scale="logarithmic")
    release_ms: float = parameter(120.0, 0.0, 10000.0, label="Release", unit="ms", scale="logarithmic")
    detector: Literal["peak", "rms"] = "rms"
    hears: Literal["band", "all"] = "band"
    key: Key = Key()

    @model_validator(mode="after")
    def _check(self) -> Self:
        if self.full_level_db <= self.from_level_db:
            raise ValueError("all the way must lie above where it starts")
        if self.hears == "band" and len(self.key.filter.bands) == MAX_BANDS:
            raise ValueError(f"a band that hears its own range takes at most {MAX_BANDS - 1} bands in front of it")
        return self


class EqBand(FilterBand):
    """A band of an equaliser; one with a gain may move."""

    motion: BandMotion | None = None


class EqParams(FrozenModel):
    """Bands in series, up to eight; near half the sampling rate they follow the cookbook, which squeezes them, or their
    analogue prototypes."""

    bands: Annotated[tuple[EqBand, ...], AfterValidator(with_ids)] = Field(default=(), max_length=MAX_BANDS)
    near_nyquist: Literal["cookbook", "analogue"] = Field(default="cookbook", title="Near the top")
