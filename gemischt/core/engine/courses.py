"""Courses: how moves lead a strip's operations over the song."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from gemischt.core.engine import specs
from gemischt.core.engine.resettling import Part
from gemischt.core.engine.settings import Settings
from gemischt.core.engine.specs import OperationId
from gemischt.core.parameters import Value
from gemischt.core.routing.groups import strips_of_group
from gemischt.core.session.addresses import placed
from gemischt.core.session.document import Move, Session, Strip
from gemischt.core.session.moves import Curve, curve_of
from gemischt.core.units import ms_to_samples, s_to_samples

STEP_MS = 5.0
"""How long a jump takes."""
CLOSEST_SAMPLES = 64
"""So far apart are breakpoints at least, but those of jumps; see core.control."""
STRETCH_SAMPLES = 4096
"""So much of a course is worked out at a time."""


def moves_by_strip(session: Session) -> dict[str, list[Move]]:
    """The moves that lead each strip, those of control groups that hold it included."""
    found: dict[str, list[Move]] = {}
    for move in session.moves:
        if move.on:
            kind, owner, *_ = move.target.split("/")
            led = [owner] if kind == "strips" else strips_of_group(session, owner)
            for strip_id in led:
                found.setdefault(strip_id, []).append(move)
    return found


@dataclass(frozen=True)
class Course:
    """How one strip is led: at any time its specs follow from the strip with moved values.

    Attributes:
        session: the strip alone, with the control groups and the tempo.
        ids: the operations that are led.
    """

    strip: Strip
    session: Session
    curves: tuple[Curve, ...]
    part: Part
    ids: tuple[OperationId, ...]

    @property
    def key(self) -> object:
        """What it depends on: courses with equal keys lead alike."""
        return self.session, self.curves, self.part.settings.closed

    def specs_at(self, sample: int) -> Mapping[OperationId, specs.Spec]:
        """The strip's specs at a sample of the song; inside a jump those before it."""
        rate = self.session.sample_rate_hz
        values = {curve.target: _value_at(curve, sample, rate) for curve in self.curves}
        # What waits for others begins before the song does.
        return self._specs_with(values, max(0.0, sample / rate))

    def _specs_with(self, values: Mapping[str, Value], at_s: float) -> Mapping[OperationId, specs.Spec]:
        session = self.session
        for target, value in values.items():
            session = placed(session, target, value)
        part = self.part
        if session.control_groups is not self.session.control_groups:
            part = part.with_settings(part.settings.with_groups(session))
        made = part.resettled(self.strip, session.strips[0], at_s=at_s)
        assert made is not None, "what moves has been checked to be a setting"
        return made

    def breakpoints(self, from_sample: int, to_sample: int) -> NDArray[np.int64]:
        """Samples between which all is straight, from the stretch's beginning or before to its end or behind."""
        rate = self.session.sample_rate_hz
        step = ms_to_samples(STEP_MS, rate)
        jumps = sorted({s_to_samples(at_s, rate) for curve in self.curves for at_s in curve.steps_s()})
        near = [jump for jump in jumps if jump < to_sample and jump + step > from_sample]
        first = min([from_sample, *(jump for jump in near if jump < from_sample)])
        last = max([to_sample, *(jump + step for jump in near if jump + step > to_sample)])
        fixed = sorted({first, last, *near, *(min(jump + step, last) for jump in near)})
        between = sorted(
            {
                round(at_s * rate)
                for curve in self.curves
                for at_s in curve.breakpoints_s(from_sample / rate, to_sample / rate)
            }
        )
        return np.array(list(_thinned(fixed, [(jump, jump + step) for jump in near], between)), np.int64)


def _value_at(curve: Curve, sample: int, rate_hz: int) -> Value:
    step = ms_to_samples(STEP_MS, rate_hz)
    for at_s in curve.steps_s():
        jump = s_to_samples(at_s, rate_hz)
        if jump <= sample < jump + step:
            return curve.value_before(at_s)
    return curve.value_at(sample / rate_hz)


def _thinned(fixed: Sequence[int], jumps: Sequence[tuple[int, int]], between: Sequence[int]) -> Iterator[int]:
    """The fixed points, and of the others those that are far enough from all, and not inside a jump."""
    kept = fixed[0]
    yield kept
    for here, there in pairwise(fixed):
        if (here, there) not in jumps:
            for point in between:
                if point - kept >= CLOSEST_SAMPLES and there - point >= CLOSEST_SAMPLES and here < point < there:
                    kept = point
                    yield kept
        kept = there
        yield kept


def courses_of(session: Session, blueprint: specs.Blueprint, settings: Settings) -> tuple[Course, ...]:
    """The courses of a session's strips in its blueprint, without moves that lead nothing there."""
    found: list[Course] = []
    if not session.moves:
        return ()
    part = Part.of(blueprint, settings)
    for strip_id, moves in moves_by_strip(session).items():
        strip = session.strip(strip_id)
        alone = session.model_copy(update={"strips": (strip,), "moves": (), "folders": (), "media": (), "sections": ()})
        curves = tuple(curve_of(session, move) for move in moves)
        course = Course(strip, alone, curves, part, ())
        ids = tuple(dict.fromkeys(id_ for curve in curves for id_ in _led_by(course, curve)))
        if ids:
            found.append(Course(strip, alone, curves, part, ids))
    return tuple(found)


def _led_by(course: Course, curve: Curve) -> Iterator[OperationId]:
    """The operations that a curve leads."""
    known = course.part.known
    for value in dict.fromkeys(point.value for point in curve.points):
        for id_, spec in course._specs_with({curve.target: value}, 0.0).items():
            if id_ in known and specs.settings_of(spec) != specs.settings_of(known[id_]):
                yield id_
