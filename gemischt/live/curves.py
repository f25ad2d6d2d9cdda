"""What there is to draw of the watched strip's processors."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.engine.resolving import delay_in_time, detector_curve, detector_cuts
from gemischt.core.keys import DetectorFilter
from gemischt.core.processors.curves import (
    CURVE_FREQUENCIES_HZ,
    CURVE_INPUTS_DB,
    CURVE_LEVELS,
    bend_curve,
    eq_curve_db,
    gate_curve_db,
    transfer_curve_db,
)
from gemischt.core.processors.eq_params import EqParams
from gemischt.core.session.band_motions import moving_bands
from gemischt.core.session.document import Eq, Keyed, Processor, Session


def curve_of(processor: Processor, session: Session) -> dict[str, Any]:
    """What there is to draw: nothing for most."""
    told: dict[str, Any] = {}
    match processor.type:
        case "eq":
            axis, curve = CURVE_FREQUENCIES_HZ, eq_curve_db(processor.params, session.sample_rate_hz)
            if moved := _all_the_way(processor):
                told["moved"] = eq_curve_db(moved, session.sample_rate_hz)
        case "compressor":
            axis, curve = CURVE_INPUTS_DB, transfer_curve_db(processor.params)
        case "gate":
            axis, curve = CURVE_INPUTS_DB, gate_curve_db(processor.params)
        case "saturator":
            axis, curve = CURVE_LEVELS, bend_curve(processor.params)
        case "delay" if processor.params.note is not None:
            return {"axis": [], "curve": [], "time_ms": delay_in_time(processor.params, session).time_ms}
        case _:
            return {"axis": [], "curve": []}
    if isinstance(processor, Keyed):
        told["heard_axis"] = _rounded(CURVE_FREQUENCIES_HZ)
        told["heard"] = _heard_db(processor.key.filter, session.sample_rate_hz)
    return {"axis": _rounded(axis), "curve": curve, **told}


def _rounded(axis: NDArray[np.float64]) -> list[float]:
    return [round(float(x), 3) for x in axis]


def _all_the_way(eq: Eq) -> EqParams | None:
    """An equaliser with all that moves it at its end; None if nothing does."""
    moving = {band.id: motion.to_db for band, motion in moving_bands(eq) if motion.on}
    if not moving:
        return None
    bands = tuple(band.model_copy(update={"gain_db": moving.get(band.id, band.gain_db)}) for band in eq.params.bands)
    return eq.params.model_copy(update={"bands": bands})


def _heard_db(heard: DetectorFilter, sample_rate_hz: int) -> list[float]:
    """Gain in front of a detector, its cuts and its curve together."""
    parts = (eq_curve_db(params, sample_rate_hz) for params in (detector_cuts(heard), detector_curve(heard)))
    return [round(cuts + curve, 3) for cuts, curve in zip(*parts, strict=True)]
