"""Followings: how followers lead a strip's operations, and the tables that say what coefficients become."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Line, Stretch
from gemischt.core.dsp import following
from gemischt.core.dsp.mixing import copy, delay_in_place
from gemischt.core.dsp.table import Call
from gemischt.core.engine import specs
from gemischt.core.engine.buffer_names import signal_name
from gemischt.core.engine.courses import STEP_MS, Course, strip_course
from gemischt.core.engine.operations import Operation
from gemischt.core.engine.resettling import Part
from gemischt.core.engine.settings import Settings
from gemischt.core.engine.specs import OperationId
from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import Parameter, Value
from gemischt.core.processors.base import ControlSignal
from gemischt.core.session.addresses import read
from gemischt.core.session.document import Session, Strip
from gemischt.core.session.ducking import FollowerStep, Pull, followers_in
from gemischt.core.session.edits import Chain
from gemischt.core.session.moves import Curve, curve_of
from gemischt.core.units import db_to_gain, gain_to_db, ms_to_samples

N_VALUES = 129
"""So many values of a parameter have their coefficients worked out."""
_REACH_SAMPLES = 65536

ScaleKind = Literal["linear", "logarithmic", "amplitude"]


@dataclass(frozen=True)
class Scale:
    """A parameter's own scale as a number: levels in dB, or in amplitude where silence is among them."""

    kind: ScaleKind
    parameter: Parameter

    @classmethod
    def of(cls, parameter: Parameter, values: list[Value]) -> "Scale":
        """The scale in which a parameter goes through some values."""
        if parameter.unit == "dB" and None in values:
            return cls("amplitude", parameter)
        positive = all(value is None or float(value) > 0.0 for value in values)
        return cls("logarithmic" if parameter.scale == "logarithmic" and positive else "linear", parameter)

    def number(self, value: Value) -> float:
        """Where on the scale a value is."""
        if self.kind == "amplitude":
            return db_to_gain(None if value is None else float(value))
        plain = float(self.parameter.maximum or 0.0) if value is None else float(value)
        return math.log(plain) if self.kind == "logarithmic" else plain

    def value(self, number: float) -> Value:
        """What stands there, inside the parameter's range."""
        if self.kind == "amplitude":
            return None if number <= 0.0 else self._held(gain_to_db(number))
        return self._held(math.exp(number) if self.kind == "logarithmic" else number)

    def _held(self, value: float) -> float:
        low, high = self.parameter.minimum, self.parameter.maximum
        return float(np.clip(value, -math.inf if low is None else low, math.inf if high is None else high))


@dataclass(frozen=True)
class Following:
    """What follows at one operation by one parameter.

    Attributes:
        course: gives the operation's spec for any value of the parameter.
        pulls: the signal of each follower's share, and what it does.
        curve: the parameter's move, if it has one.
    """

    course: Course
    operation: OperationId
    address: str
    pulls: tuple[tuple[str, Pull], ...]
    parameter: Parameter
    value: Value
    curve: Curve | None

    @property
    def key(self) -> object:
        """What it depends on: followings with equal keys lead alike."""
        return self.course.key, self.operation, self.address, self.pulls, self.value, self.curve

    @property
    def values(self) -> list[Value]:
        """All that the parameter may be."""
        moved = [] if self.curve is None else [point.value for point in self.curve.points]
        return [self.value, *(pull.to for _, pull in self.pulls), *moved]

    def reach(self, scale: Scale) -> tuple[float, float]:
        """How far all its followers together may lead it on its scale, inside its range."""
        rests = [scale.number(value) for value in self.values]
        goals = [scale.number(pull.to) for _, pull in self.pulls]
        low = min(rest + sum(min(0.0, goal - rest) for goal in goals) for rest in rests)
        high = max(rest + sum(max(0.0, goal - rest) for goal in goals) for rest in rests)
        limits = [scale.number(scale.value(number)) for number in (low, high)]
        return min(limits), max(limits)


def followings_of(session: Session, blueprint: specs.Blueprint, settings: Settings) -> tuple[Following, ...]:
    """All there are in a session whose followers are steps of chains."""
    followers = [(strip, steps) for strip in session.strips if (steps := followers_in(strip.chain))]
    if not followers:
        return ()
    part = Part.of(blueprint, settings)
    return tuple(found for strip, steps in followers for found in _followings(session, part, strip, steps))


def _followings(session: Session, part: Part, strip: Strip, steps: Chain) -> Iterator[Following]:
    course = strip_course(session, strip, part)
    pulls: dict[str, list[tuple[str, Pull]]] = {}
    for step in steps:
        assert isinstance(step, FollowerStep)
        for pull in step.params.pulls:
            address = pull.field if pull.field.startswith("control_groups/") else f"strips/{strip.id}/{pull.field}"
            pulls.setdefault(address, []).append((signal_name(strip.id, step.id, "share"), pull))
    for address, own in pulls.items():
        try:
            led = read(course.session, address)
        except InvalidAction:
            # A part of a session need not hold all that its followers move.
            continue
        move = next((move for move in session.moves if move.on and move.target == address), None)
        curve = None if move is None else curve_of(session, move)
        tried: list[Value] = [pull.to for _, pull in own]
        for operation in course.led_by_values(address, [led.value, *tried]):
            yield Following(course, operation, address, tuple(own), led.parameter, led.value, curve)


class _ValueLine(Line):
    """A moved parameter in its own scale, in the time of an operation that lags."""

    def __init__(self, curve: Curve, scale: Scale, sample_rate_hz: int, lag_samples: int) -> None:
        self._curve, self._scale = curve, scale
        self._rate, self._lag = sample_rate_hz, lag_samples
        self._step = ms_to_samples(STEP_MS, sample_rate_hz)

    def stretch(self, at: int) -> Stretch:
        begin, end = at - self._lag, at - self._lag + _REACH_SAMPLES
        times_s = self._curve.breakpoints_s(begin / self._rate, end / self._rate, closest_s=64 / self._rate)
        steps = [round(at_s * self._rate) for at_s in self._curve.steps_s]
        inside = np.rint(times_s * self._rate).astype(np.int64)
        near = [edge for step in steps if begin - self._step < step < end for edge in (step, step + self._step)]
        samples = np.unique(np.concatenate([[begin, end], inside[(inside > begin) & (inside < end)], near]))
        samples = samples[(samples >= begin) & (samples <= end)].astype(np.int64)
        numbers = [self._scale.number(self._value_at(int(sample), steps)) for sample in samples]
        return samples + self._lag, np.array(numbers)[:, np.newaxis]

    def _value_at(self, sample: int, steps: list[int]) -> Value:
        for step, at_s in zip(steps, self._curve.steps_s, strict=True):
            if step <= sample < step + self._step:
                return self._curve.value_before(at_s) if sample == step else self._curve.value_at(sample / self._rate)
        return self._curve.value_at(sample / self._rate)


class Followed:
    """An operation whose coefficients followers lead: its controls lay out what is there without them, and its calls
    put what they add on top.

    State: what was added at the last grid points, and shares that wait for a slower operation.
    """

    def __init__(
        self,
        operation: Operation,
        followings: list[Following],
        signals: dict[str, ControlSignal],
        *,
        lag_samples: int,
        share_lags: dict[str, int],
        sample_rate_hz: int,
        glide_samples: int,
        max_block: int,
    ) -> None:
        self._operation = operation
        self._rate, self._lag = sample_rate_hz, lag_samples
        self._glide_samples = glide_samples
        bound = list(operation.controls)
        self.bases = [
            Control(control.coefs.shape[1], max_block, glide_samples, first_stepped=control.first_stepped)
            for control in bound
        ]
        operation.controls = tuple(self.bases)
        self.values = [Control(1, max_block, glide_samples) for _ in followings]
        self.calls: list[Call] = []
        self.state: list[tuple[NDArray[Any], ...]] = []
        self._pulls: list[list[Audio]] = []
        self._tables: list[list[Call]] = []
        for place, (one, value) in enumerate(zip(followings, self.values, strict=True)):
            pulled = np.zeros((2, max_block))
            pulls = [np.zeros(2) for _ in one.pulls]
            for index, ((share, _), pull) in enumerate(zip(one.pulls, pulls, strict=True)):
                rows = signals[share].rows
                late = max(0, lag_samples - share_lags[share])
                if late:
                    # What is heard early waits for the slower operation.
                    waiting, ring, at = np.zeros_like(rows), np.zeros((1, late)), np.zeros(1, np.int64)
                    self.state.append((ring, at))
                    self.calls += [Call(copy, rows, waiting), Call(delay_in_place, waiting, ring, at)]
                    rows = waiting
                self.calls.append(Call(following.add_pull, rows, pulled, pull, index == 0))
            self._pulls.append(pulls)
            leading: list[Call] = []
            for control, base in zip(bound, self.bases, strict=True):
                n_coefs = control.coefs.shape[1]
                deltas = np.zeros((2, n_coefs))
                self.state.append((deltas,))
                call = Call(
                    following.lead_coefs,
                    lag_samples,
                    base.pieces,
                    base.coefs,
                    value.pieces,
                    value.coefs,
                    pulled,
                    np.zeros((N_VALUES, n_coefs)),
                    np.zeros(2),
                    control.first_stepped,
                    place == 0,
                    len(followings) == 1,
                    control.pieces,
                    control.coefs,
                    deltas,
                )
                leading.append(call)
                self.calls.append(call)
            self._tables.append(leading)
        self.aim(followings, glide=False)

    def aim(self, followings: list[Following], *, glide: bool) -> None:
        """Go to the settings of followings of the same structure."""
        for one, value, pulls, calls in zip(followings, self.values, self._pulls, self._tables, strict=True):
            scale = Scale.of(one.parameter, one.values)
            low, high = one.reach(scale)
            for (_, pull), told in zip(one.pulls, pulls, strict=True):
                told[:] = scale.number(pull.to), float(pull.on)
            values = [scale.value(number) for number in np.linspace(low, high, N_VALUES).tolist()]
            for table, call in zip(self._tables_of(one, values), calls, strict=True):
                call.put("table", np.ascontiguousarray(table))
                call.put("ends", np.array([low, high]))
            value.aim(((0, np.array([scale.number(one.value)])),), glide=glide)
            line = None if one.curve is None else _ValueLine(one.curve, scale, self._rate, self._lag)
            value.lead(line, glide=glide)

    def _tables_of(self, one: Following, values: list[Value]) -> Sequence[NDArray[np.float64]]:
        """The coefficients of each control for values of the parameter."""
        if None not in values:
            told = one.course.told_with(one.operation, {one.address: np.array(values, np.float64)})
            along = None if told is None else self._operation.coefs_along(told)
            if along is not None:
                return along
        rows = [self._operation.coefs_of(one.course.spec_with(one.operation, {one.address: value})) for value in values]
        return [np.array(column) for column in zip(*rows, strict=True)]

    def take_over(self, other: "Followed") -> None:
        """Go on where the same operation of another plan is."""
        if len(self.state) == len(other.state):
            for own, before in zip(self.state, other.state, strict=True):
                for array, known in zip(own, before, strict=True):
                    if array.shape == known.shape:
                        array[...] = known
