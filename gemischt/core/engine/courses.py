"""Courses: how moves lead a strip's operations over the song."""

from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.dsp.curves import thin_breakpoints
from gemischt.core.engine import specs
from gemischt.core.engine.resettling import Part
from gemischt.core.engine.settings import Settings
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.parameters import Value
from gemischt.core.processors.base import Along
from gemischt.core.routing.graph import walk_chain
from gemischt.core.routing.groups import strips_of_group
from gemischt.core.session.addresses import placed
from gemischt.core.session.document import Move, MovePoint, Session, Strip
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
        leads: the curves that lead each operation.
    """

    session: Session
    curves: tuple[Curve, ...]
    part: Part
    leads: Mapping[OperationId, tuple[Curve, ...]]

    @property
    def ids(self) -> tuple[OperationId, ...]:
        """The operations that are led."""
        return tuple(self.leads)

    @property
    def key(self) -> object:
        """What it depends on: courses with equal keys lead alike."""
        return self.session, self.curves, self.part.settings.closed

    def spec_at(self, id_: OperationId, sample: int) -> specs.Spec:
        """An operation's spec at a sample of the song; inside a jump that before it."""
        rate = self.session.sample_rate_hz
        values = {curve.target: self._value_at(curve, sample) for curve in self.leads[id_]}
        # What waits for others begins before the song does.
        return self.spec_with(id_, values, max(0.0, sample / rate))

    def at_unity(self, id_: OperationId) -> specs.Spec | None:
        """The spec at 0 dB of an operation that is only turned up and down; None for others."""
        curves = self.leads[id_]
        if not all(curve.parameter.unit == "dB" for curve in curves) or id_.role not in _TURNED:
            return None
        if id_.role is Role.PROCESSOR and not _is_gain(self.part.known[id_]):
            return None
        return self.spec_with(id_, {curve.target: 0.0 for curve in curves}, 0.0)

    def gains(self, id_: OperationId, samples: NDArray[np.int64]) -> NDArray[np.float64]:
        """By how much such an operation is turned at samples of the song."""
        gains = np.ones(len(samples))
        for curve in self.leads[id_]:
            own = curve.gains_at(self._times_s(curve, samples))
            gains *= self._with_jumps(curve, samples, own, curve.gains_before_steps)
        return gains

    def told_along(self, id_: OperationId, samples: NDArray[np.int64]) -> specs.ToldAlong | None:
        """What a processor that is told its own parameters only, and those as numbers, is told at samples of the song;
        None for all else."""
        if not all(curve.is_plain for curve in self.leads[id_]):
            return None
        along = {}
        for curve in self.leads[id_]:
            values = curve.values_at(self._times_s(curve, samples))
            along[curve.target] = self._with_jumps(curve, samples, values, curve.values_before_steps)
        return self.told_with(id_, along)

    def told_with(self, id_: OperationId, values: Mapping[str, Along]) -> specs.ToldAlong | None:
        """What such a processor is told where its parameters at some addresses, at least one, take other values."""
        processor = self._plain_processors.get(id_)
        if processor is None:
            return None
        own = _address_of(id_)
        along = {target.removeprefix(own): value for target, value in values.items() if target.startswith(own)}
        n_moments = len(next(iter(values.values())))
        on = along.pop("on", np.full(n_moments, float(processor.on)))
        return specs.ToldAlong(processor.params, on, along)

    def _times_s(self, curve: Curve, samples: NDArray[np.int64]) -> NDArray[np.float64]:
        """When a curve is read for samples of the song: for the one next to a corner at the corner itself, or what is
        flat on one side of it would take over a little of the other side's slope."""
        corners, corner_times_s = self._corners[curve.target]
        place = np.minimum(np.searchsorted(corners, samples), len(corners) - 1)
        times_s = np.maximum(samples / self.session.sample_rate_hz, 0.0)
        return np.where(corners[place] == samples, corner_times_s[place], times_s)

    @cached_property
    def _corners(self) -> dict[str, tuple[NDArray[np.int64], NDArray[np.float64]]]:
        """By what each curve moves: the samples next to its points, and when those are; of several the last."""
        rate = self.session.sample_rate_hz
        found = {}
        for curve in self.curves:
            times_s = {s_to_samples(point.at_s, rate): point.at_s for point in curve.points}
            found[curve.target] = np.array(list(times_s), np.int64), np.array(list(times_s.values()))
        return found

    def _with_jumps(self, curve: Curve, samples: NDArray[np.int64], along: Along, before: Along) -> Along:
        """What a curve says at samples of the song; inside a jump that before it."""
        jumps = self._jumps[curve.target]
        if len(jumps):
            place = np.searchsorted(jumps, samples, side="right") - 1
            inside = (place >= 0) & (samples < jumps[place] + self._step_samples)
            along[inside] = before[place[inside]]
        return along

    def led_by(self, curve: Curve) -> Iterator[OperationId]:
        """The operations among all of the strip's that a curve leads."""
        return self.led_by_values(curve.target, [point.value for point in _unlike(curve.points)])

    def led_by_values(self, address: str, values: Sequence[Value]) -> Iterator[OperationId]:
        """The operations among all of the strip's that some of a parameter's values change."""
        strip_id = self.session.strips[0].id
        changed = [self._with({address: value}) for value in values]
        for id_, known in self.part.known.items():
            settings = specs.settings_of(known)
            if id_.strip == strip_id and settings is not None:
                told = (part.spec_of(id_, strip, at_s=0.0) for part, strip in changed)
                if any(specs.settings_of(spec) != settings for spec in told):
                    yield id_

    def spec_with(self, id_: OperationId, values: Mapping[str, Value], at_s: float = 0.0) -> specs.Spec:
        """An operation's spec with other values at some addresses."""
        known = self.part.known[id_]
        if isinstance(known, specs.Process) and id_ in self._plain_processors:
            return self._process_with(known, values)
        part, strip = self._with(values)
        return part.spec_of(id_, strip, at_s=at_s)

    def _with(self, values: Mapping[str, Value]) -> tuple[Part, Strip]:
        """The strip with other values at some addresses, and its operations with its control groups so."""
        session = self.session
        for target, value in values.items():
            session = placed(session, target, value)
        part = self.part
        if session.control_groups is not self.session.control_groups:
            part = part.with_settings(part.settings.with_groups(session))
        return part, session.strips[0]

    def _process_with(self, known: specs.Process, values: Mapping[str, Value]) -> specs.Spec:
        """Of a processor that is told its own parameters and nothing else: worked out without the session around it,
        since that is done for every breakpoint."""
        processor = self._plain_processors[known.id]
        params, on = processor.params, processor.on
        own = _address_of(known.id)
        for target, value in values.items():
            if not target.startswith(own):
                continue
            name, *inner = target.removeprefix(own).split("/")
            if inner:
                part_id, inner_name = inner
                parts = tuple(
                    part.model_copy(update={inner_name: value}) if part.id == part_id else part
                    for part in getattr(params, name)
                )
                params = params.model_copy(update={name: parts})
            elif name == "on":
                on = bool(value)
            else:
                params = params.model_copy(update={name: value})
        return replace(known, told=((0, params),), on=on)

    @cached_property
    def _plain_processors(self) -> dict[OperationId, Any]:
        """Processors that are told by nobody else, by the operations that run them."""
        strip = self.session.strips[0]
        processors = {processor.id: processor for processor in walk_chain(strip.chain)}
        return {
            id_: processors[known.id.part[0]]
            for id_, known in self.part.known.items()
            if id_.strip == strip.id
            and isinstance(known, specs.Process)
            and id_.role is Role.PROCESSOR
            and processors[known.id.part[0]].type not in _TOLD_BY_OTHERS
        }

    @property
    def _step_samples(self) -> int:
        return ms_to_samples(STEP_MS, self.session.sample_rate_hz)

    @cached_property
    def _jumps(self) -> dict[str, NDArray[np.int64]]:
        """Samples at which each curve jumps, by what it moves."""
        rate = self.session.sample_rate_hz
        return {
            curve.target: np.array([s_to_samples(at_s, rate) for at_s in curve.steps_s], np.int64)
            for curve in self.curves
        }

    @cached_property
    def _jumps_of(self) -> dict[OperationId, list[int]]:
        """Samples at which anything that leads an operation jumps."""
        return {
            id_: sorted({int(jump) for curve in curves for jump in self._jumps[curve.target]})
            for id_, curves in self.leads.items()
        }

    def _value_at(self, curve: Curve, sample: int) -> Value:
        rate = self.session.sample_rate_hz
        place = bisect_right(curve.steps_s, (sample + 1) / rate) - 1
        if place >= 0:
            at_s = curve.steps_s[place]
            if 0 <= sample - s_to_samples(at_s, rate) < self._step_samples:
                return curve.value_before(at_s)
        return curve.value_at(float(self._times_s(curve, np.array([sample]))[0]))

    def breakpoints(self, id_: OperationId, from_sample: int, to_sample: int) -> NDArray[np.int64]:
        """Samples between which an operation goes straight, from the stretch's beginning or before to its end or
        behind."""
        rate, step, curves = self.session.sample_rate_hz, self._step_samples, self.leads[id_]
        jumps = self._jumps_of[id_]
        near = jumps[bisect_right(jumps, from_sample - step) : bisect_left(jumps, to_sample)]
        first = min([from_sample, *(jump for jump in near if jump < from_sample)])
        last = max([to_sample, *(jump + step for jump in near if jump + step > to_sample)])
        edges = np.array(sorted({first, last, *near, *(min(jump + step, last) for jump in near)}), np.int64)
        inside = np.array(near, np.int64)
        # A corner of a curve near the stretch's end is a corner all the same.
        points = (point for curve in curves for point in curve.near(first / rate, last / rate))
        corners = np.array(sorted({s_to_samples(point.at_s, rate) for point in points}), np.int64)
        fixed = _thinned(edges, inside, corners, are_corners=True)
        stretch_s, closest_s = (from_sample / rate, to_sample / rate), CLOSEST_SAMPLES / rate
        times_s = [curve.breakpoints_s(*stretch_s, closest_s=closest_s) for curve in curves]
        all_s = times_s[0] if len(times_s) == 1 else np.sort(np.concatenate(times_s))
        return _thinned(fixed, inside, np.rint(all_s * rate).astype(np.int64), are_corners=False)


_TOLD_BY_OTHERS = ("parallel", "delay")
"""Processes whose parameters the song has a say in, or that are no processor."""
_TURNED = (Role.INPUT, Role.OUTPUT, Role.SEND, Role.LANE, Role.PROCESSOR)


def _address_of(processor: OperationId) -> str:
    """What the addresses of a processor's parameters begin with."""
    return f"strips/{processor.strip}/chain/{processor.part[0]}/"


def _is_gain(spec: specs.Spec) -> bool:
    return isinstance(spec, specs.Process) and spec.kind == "gain" and spec.on


def _unlike(points: Sequence[MovePoint]) -> list[MovePoint]:
    """A few points that differ: enough to see what they change."""
    found: dict[Value, MovePoint] = {}
    for point in points:
        found.setdefault(point.value, point)
        if len(found) == 3:
            break
    return list(found.values())


def _thinned(
    edges: NDArray[np.int64], jumps: NDArray[np.int64], points: NDArray[np.int64], *, are_corners: bool
) -> NDArray[np.int64]:
    kept = np.empty(len(edges) + len(points), np.int64)
    return kept[: thin_breakpoints(edges, jumps, points, are_corners, CLOSEST_SAMPLES, kept)]


def strip_course(session: Session, strip: Strip, part: Part) -> Course:
    """A strip that is led by nothing yet."""
    nothing: dict[str, Any] = {"moves": (), "folders": (), "media": (), "sections": ()}
    alone = session.model_copy(update={"strips": (strip,), **nothing})
    return Course(alone, (), part, {})


def courses_of(
    session: Session, blueprint: specs.Blueprint, settings: Settings, before: Sequence[specs.Course] = ()
) -> tuple[Course, ...]:
    """The courses of a session's strips in its blueprint, without moves that lead nothing there.

    Args:
        before: those of a blueprint of the same structure; they stay where they lead alike.
    """
    found: list[Course] = []
    if not session.moves:
        return ()
    part = Part.of(blueprint, settings)
    known: dict[str, Course] = {}
    for course in before:
        assert isinstance(course, Course)
        known[course.session.strips[0].id] = course
    for strip_id, moves in moves_by_strip(session).items():
        unled = strip_course(session, session.strip(strip_id), part)
        course = replace(unled, curves=tuple(curve_of(session, move) for move in moves))
        if strip_id in known and known[strip_id].key == course.key:
            found.append(known[strip_id])
            continue
        leads: dict[OperationId, tuple[Curve, ...]] = {}
        for curve in course.curves:
            for id_ in course.led_by(curve):
                leads[id_] = (*leads.get(id_, ()), curve)
        if leads:
            found.append(replace(course, leads=leads))
    return tuple(found)
