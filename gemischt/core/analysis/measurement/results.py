"""What measuring a session gives: levels of every strip at every stage, and the mix over the song."""

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.cache.fingerprints import StripPrints
from gemischt.core.metering.loudness import STEPS_PER_S, hops_of_steps, integrated_and_range, lufs_to_powers
from gemischt.core.metering.stage_meter import StageLevels
from gemischt.core.metering.stereo import StereoLevels
from gemischt.core.units import db_to_gain, finite_or_none

FLOOR_LUFS = -150.0
StageName = Literal["source", "trim", "processor", "lane", "pre-fader", "post-fader"]


@dataclass(frozen=True)
class Stage:
    """A strip's signal at one stage.

    ``processor`` names it where the stage is what a processor leaves; a ``lane`` is measured after its level, and
    ``processor`` is the block that it belongs to.
    """

    name: StageName
    processor: str | None
    levels: StageLevels
    lane: str | None = None


@dataclass(frozen=True)
class Reduction:
    """How a compressor or limiter worked: deepest reduction, loudest level it heard, and how much of the time that it
    heard something it turned down by more than half a decibel."""

    processor: str
    deepest_db: float
    detected_dbfs: float
    working_share: float


@dataclass(frozen=True)
class StripMeasurement:
    """Everything measured of a strip, its stages in the order of the signal.

    ``noise_dbfs`` is the RMS before its first note, None if it begins at once; ``envelope_db`` the source's RMS in each
    twentieth of a second.
    """

    strip: str
    stages: tuple[Stage, ...]
    reductions: tuple[Reduction, ...]
    stereo: StereoLevels | None
    onset_s: float | None
    noise_dbfs: float | None
    envelope_db: tuple[float, ...]

    def stage(self, name: StageName, processor: str | None = None) -> StageLevels:
        """The levels at a stage; KeyError if there is no such stage."""
        for stage in self.stages:
            if stage.name == name and stage.processor == processor:
                return stage.levels
        raise KeyError((name, processor))

    @property
    def clips_at(self) -> int | None:
        """Which of the stages is the first after the source that goes above full scale: where clipping begins."""
        for index, stage in enumerate(self.stages):
            if stage.name != "source" and stage.levels.sample_peak_dbfs > 0.0:
                return index
        return None


@dataclass(frozen=True)
class MixCurve:
    """The mix over the song: in equal bins the highest magnitude, and short-term loudness at each bin's end; and its
    loudness in each 10 ms. Silence counts as -150 LUFS."""

    peaks: tuple[float, ...]
    short_term_lufs: tuple[float, ...]
    steps_lufs: tuple[float, ...]

    @classmethod
    def of(
        cls, peaks: NDArray[np.float64], short_term_lufs: NDArray[np.float64], steps_lufs: NDArray[np.float64]
    ) -> "MixCurve":
        """Rounded as far as nobody sees it."""
        return cls(
            tuple(np.round(peaks, 4).tolist()),
            tuple(rounded_lufs(short_term_lufs)),
            tuple(rounded_lufs(steps_lufs)),
        )

    def turned(self, peak_db: float, loudness_db: float) -> "MixCurve":
        """The curve of the mix turned up or down."""
        if peak_db == loudness_db == 0.0:
            return self
        levels = (np.array(lufs) + loudness_db for lufs in (self.short_term_lufs, self.steps_lufs))
        return MixCurve.of(np.array(self.peaks) * db_to_gain(peak_db), *levels)

    def integrated_lufs(self, start_s: float, end_s: float | None) -> float:
        """Integrated loudness of a stretch, as if it were all there is."""
        start, end = (None if time_s is None else round(time_s * STEPS_PER_S) for time_s in (start_s, end_s))
        return integrated_and_range(hops_of_steps(lufs_to_powers(np.array(self.steps_lufs[start:end]))))[0]


@dataclass(frozen=True)
class SongMeasurement:
    """A measured session.

    ``rendered`` counts strips that had to be rendered this time, with or without their chain; ``prints`` are the hashes
    of all that feeds each strip.
    """

    duration_s: float
    strips: dict[str, StripMeasurement]
    curve: MixCurve
    rendered: int
    prints: Mapping[str, StripPrints]


def rounded_lufs(levels_lufs: NDArray[np.float64], *, places: int = 2) -> list[float]:
    """Loudnesses as they are kept, silence as the floor."""
    kept: list[float] = np.round(np.maximum(levels_lufs, FLOOR_LUFS), places).tolist()
    return kept


def levels_to_json(levels: StageLevels | StereoLevels) -> dict[str, Any]:
    """Levels with null for minus infinity."""
    return {
        name: finite_or_none(value) if isinstance(value, float) else value
        for name, value in dataclasses.asdict(levels).items()
    }


def levels_from_json(figures: Mapping[str, Any]) -> StageLevels:
    """What levels_to_json wrote; further fields are passed over."""
    values = {field.name: figures[field.name] for field in dataclasses.fields(StageLevels)}
    for name, value in values.items():
        if value is None and name not in ("loudness_range_lu", "first_over_s"):
            values[name] = -np.inf
    return StageLevels(**values)
