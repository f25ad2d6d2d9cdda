"""Measuring a whole session: every strip at every stage, rendering only what an edit has changed.

Strips are rendered one by one in the order of the signal. What a strip is before its fader is kept; a strip further on
plays it again instead of rendering it. What was measured is kept under the fingerprint of all that feeds it.
"""

import dataclasses
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, Executor, Future, wait
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from gemischt.core.analysis.alone import Alone, StripTap, pre_chain_taps, strip_alone, strip_from_its_fader
from gemischt.core.analysis.fingerprints import SILENCE, StripPrints, fingerprints
from gemischt.core.analysis.listening import Media, Report, no_report
from gemischt.core.analysis.renders import RenderStore
from gemischt.core.audio import Audio, MediaSamples
from gemischt.core.engine.blueprint import draw_blueprint, work_buffer
from gemischt.core.engine.operations import ProcessOperation
from gemischt.core.engine.plan import Plan
from gemischt.core.metering.stage_meter import StageLevels, StageMeter
from gemischt.core.metering.stereo import StereoLevels, StereoMeter
from gemischt.core.processors.compressor import DynamicsProcessor
from gemischt.core.routing.graph import edges_of, walk_chain
from gemischt.core.session.document import Session, Strip

BLOCK_SAMPLES = 2048
StageName = Literal["source", "trim", "processor", "pre-fader", "post-fader"]


@dataclass(frozen=True)
class Stage:
    """A strip's signal at one stage; ``processor`` names it where the stage is what a processor leaves."""

    name: StageName
    processor: str | None
    levels: StageLevels


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
    """Everything measured of a strip; ``noise_dbfs`` is the RMS before its first note, None if it begins at once."""

    strip: str
    stages: tuple[Stage, ...]
    reductions: tuple[Reduction, ...]
    stereo: StereoLevels | None
    onset_s: float | None
    noise_dbfs: float | None

    def stage(self, name: StageName, processor: str | None = None) -> StageLevels:
        """The levels at a stage; KeyError if there is no such stage."""
        for stage in self.stages:
            if stage.name == name and stage.processor == processor:
                return stage.levels
        raise KeyError((name, processor))


@dataclass(frozen=True)
class MixCurve:
    """The mix over the song in equal bins: highest magnitude, and short-term loudness at each bin's end."""

    peaks: tuple[float, ...]
    short_term_lufs: tuple[float, ...]


@dataclass(frozen=True)
class SongMeasurement:
    """A measured session. ``rendered`` counts strips that had to be rendered this time, with or without their chain."""

    duration_s: float
    strips: dict[str, StripMeasurement]
    curve: MixCurve
    rendered: int
