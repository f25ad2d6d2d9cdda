"""Figures as they are kept: JSON, under the fingerprint of what was measured."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from gemischt.core.analysis.cache.fingerprints import SILENCE, StripPrints
from gemischt.core.analysis.measurement.gain_shift import GainShift, turned_stereo
from gemischt.core.analysis.measurement.results import Stage, StageName, levels_from_json, levels_to_json
from gemischt.core.analysis.measurement.strip_meters import StripMeters, lane_name, processor_name
from gemischt.core.metering.stage_meter import StageLevels
from gemischt.core.metering.stereo import StereoLevels
from gemischt.core.session.document import Processor


def inside_to_json(processor: Processor, watching: StripMeters) -> list[dict[str, Any]]:
    """The stages inside a parallel block in the order of the signal; none in other processors."""
    written: list[dict[str, Any]] = []
    for lane in processor.lanes if processor.type == "parallel" else ():
        for inner in lane.chain:
            written.extend(inside_to_json(inner, watching))
            name = processor_name(inner.id)
            if watching.measures(name):
                written.append(stage_to_json("processor", inner.id, None, watching.levels(name)))
        name = lane_name(processor.id, lane.id)
        if watching.measures(name):
            written.append(stage_to_json("lane", processor.id, lane.id, watching.levels(name)))
    return written


def stage_to_json(name: StageName, processor: str, lane: str | None, levels: StageLevels) -> dict[str, Any]:
    """Levels of a stage with its name."""
    return levels_to_json(levels) | {"name": name, "processor": processor, "lane": lane}


def stage_from(written: Mapping[str, Any]) -> Stage:
    """A stage from what stage_to_json wrote."""
    return Stage(written["name"], written["processor"], levels_from_json(written), written["lane"])


def stereo_to_json(levels: StereoLevels | None) -> dict[str, Any] | None:
    """Stereo figures; None for one channel."""
    return None if levels is None else levels_to_json(levels)


def stereo_from(figures: Mapping[str, Any] | None, turn: GainShift | None) -> StereoLevels | None:
    """Stereo figures after the fader; None for one channel, which has no width, wherever it is panned."""
    if figures is None:
        return None
    levels = StereoLevels(**{name: -np.inf if value is None else float(value) for name, value in figures.items()})
    return levels if turn is None else turned_stereo(levels, turn)


def pre_key(prints: StripPrints) -> str:
    """Where the figures of a strip before its fader are kept."""
    return f"{prints.pre_fader}-pre"


def post_key(prints: StripPrints) -> str:
    """Where those behind its fader are kept."""
    # Every closed fader leaves the same silence, but of signals of different kinds.
    return prints.post_fader if prints.post_fader != SILENCE else f"{prints.pre_fader}-closed"
