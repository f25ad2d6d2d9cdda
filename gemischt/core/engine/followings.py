"""Followings: how followers lead a strip's operations."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from gemischt.core.engine import specs
from gemischt.core.engine.buffer_names import signal_name
from gemischt.core.engine.courses import Course, strip_course
from gemischt.core.engine.resettling import Part
from gemischt.core.engine.settings import Settings
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import Parameter, Value
from gemischt.core.session.addresses import read
from gemischt.core.session.document import Session, Strip
from gemischt.core.session.edits import Chain
from gemischt.core.session.moves import Curve, curve_of
from gemischt.core.session.steps import FollowerStep, Pull, followers_in
from gemischt.core.units import db_to_gain, gain_to_db

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
        beside: moves of other parameters of the same processor.
    """

    course: Course
    operation: OperationId
    address: str
    pulls: tuple[tuple[str, Pull], ...]
    parameter: Parameter
    value: Value
    curve: Curve | None
    beside: tuple[Curve, ...]

    @property
    def key(self) -> object:
        """What it depends on: followings with equal keys lead alike."""
        return self.course.key, self.operation, self.address, self.pulls, self.value, self.curve, self.beside

    @property
    def values(self) -> list[Value]:
        """All that the parameter may be."""
        moved = [] if self.curve is None else [point.value for point in self.curve.points]
        return [self.value, *(pull.to for _, pull in self.pulls), *moved]

    def moves_as_in(self, session: Session) -> bool:
        """Whether the same moves are there."""
        beside = _moves_beside(session, self.operation, self.address)
        return self.curve == _curve_at(session, self.address) and self.beside == beside

    def reach(self, scale: Scale) -> tuple[float, float]:
        """How far all its followers together may lead it on its scale, inside its range."""
        rests = [scale.number(value) for value in self.values]
        goals = [scale.number(pull.to) for _, pull in self.pulls]
        low = min(rest + sum(min(0.0, goal - rest) for goal in goals) for rest in rests)
        high = max(rest + sum(max(0.0, goal - rest) for goal in goals) for rest in rests)
        limits = [scale.number(scale.value(number)) for number in (low, high)]
        return min(limits), max(limits)


def followings_of(
    session: Session, blueprint: specs.Blueprint, settings: Settings, before: Sequence[specs.Following] = ()
) -> tuple[Following, ...]:
    """All there are in a session whose followers are steps of chains.

    Args:
        before: those of a blueprint of the same structure; they stay where they lead alike.
    """
    followers = [(strip, steps) for strip in session.strips if (steps := followers_in(strip.chain))]
    if not followers:
        return ()
    part = Part.of(blueprint, settings)
    known: dict[str, list[Following]] = {}
    for following in before:
        assert isinstance(following, Following)
        known.setdefault(following.operation.strip, []).append(following)
    found: list[Following] = []
    for strip, steps in followers:
        course, kept = strip_course(session, strip, part), known.get(strip.id, [])
        if kept and kept[0].course.key == course.key and all(one.moves_as_in(session) for one in kept):
            found += kept
        else:
            found += _followings(session, course, strip, steps)
    return tuple(found)


def _followings(session: Session, course: Course, strip: Strip, steps: Chain) -> Iterator[Following]:
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
        curve = _curve_at(session, address)
        tried: list[Value] = [pull.to for _, pull in own]
        for operation in course.led_by_values(address, [led.value, *tried]):
            beside = _moves_beside(session, operation, address)
            yield Following(course, operation, address, tuple(own), led.parameter, led.value, curve, beside)


def _curve_at(session: Session, address: str) -> Curve | None:
    """The move of what stands at an address, if there is one."""
    move = next((move for move in session.moves if move.on and move.target == address), None)
    return None if move is None else curve_of(session, move)


def _moves_beside(session: Session, operation: OperationId, address: str) -> tuple[Curve, ...]:
    """The moves of what else a processor is told."""
    if operation.role is not Role.PROCESSOR:
        return ()
    own = f"strips/{operation.strip}/chain/{operation.part[0]}/"
    moves = (move for move in session.moves if move.on and move.target.startswith(own) and move.target != address)
    return tuple(curve_of(session, move) for move in moves)
