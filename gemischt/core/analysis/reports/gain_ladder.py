"""The gain ladder: every strip's levels from its source to the mix.

What a strip is at its bus and at the mix follows from what the strips on its way make of their input as a whole, RMS
out over RMS in: exact where they are linear, the mean where they are not.
"""

from dataclasses import dataclass

from gemischt.core.analysis.measurement.results import SongMeasurement
from gemischt.core.session.document import Session, Strip
from gemischt.core.units import SILENCE_DB


@dataclass(frozen=True)
class LadderEnd:
    """Gains from after the fader to what the strip's bus and the mix put out; None where it does not get there."""

    to_bus_db: float | None
    to_mix_db: float | None


def ladder_ends(session: Session, measurement: SongMeasurement) -> dict[str, LadderEnd]:
    """For every strip, by way of its outputs alone."""
    return {strip.id: _end_of(session, measurement, strip) for strip in session.strips}


def _end_of(session: Session, measurement: SongMeasurement, strip: Strip) -> LadderEnd:
    total = 0.0
    to_bus: float | None = None
    at = strip
    while at.output is not None:
        gain = _gain_db(measurement, at)
        if gain is None:
            return LadderEnd(to_bus, None)
        total += gain
        at = session.strip(at.output)
        if to_bus is None and at.kind != "mix":
            to_bus = total
    return LadderEnd(to_bus, total if at.kind == "mix" else None)


def _gain_db(measurement: SongMeasurement, strip: Strip) -> float | None:
    """What the strip that another plays to makes of it; a late one meets only the fader."""
    assert strip.output is not None
    goal = measurement.strips[strip.output]
    arriving = goal.stage("pre-fader" if strip.late else "source").rms_dbfs
    leaving = goal.stage("post-fader").rms_dbfs
    if arriving == SILENCE_DB or leaving == SILENCE_DB:
        return None
    return leaving - arriving
