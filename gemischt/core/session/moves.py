"""Moves: parameters drawn over the song. What may move, a move's value at any time, and what is wrong with one."""

import math
from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from gemischt.core.dsp.curves import find_breakpoints, read_curve, read_level_curve
from gemischt.core.errors import Fault, InvalidAction
from gemischt.core.parameters import Parameter, Value
from gemischt.core.session.addresses import name_of, parameters_of, read
from gemischt.core.session.document import Move, MovePoint, Session
from gemischt.core.units import db_to_gain, gain_to_db

SWITCHES = ("on", "mute", "polarity_inverted")
"""What is either on or off and may move; solos concern other strips, too."""
BEND = 8.0
_FINE_DB = 0.2
_FINE_OCTAVES = 1.0 / 12.0
_FINE_SHARE = 1.0 / 256.0
"""A curve is straight between breakpoints that are no further apart than this: of levels, of frequencies and times, and
of a range."""
SILENT_PARTS = 64
"""In so many parts goes what comes from silence or goes there."""


def is_movable(address: str, parameter: Parameter) -> bool:
    """Whether a parameter may be drawn over the song: what changes how late a strip is must stay."""
    if (address.startswith("followers/") or "/motion/" in address) and not address.endswith("/on"):
        return False
    if "/clock/" in address or "/click/" in address or "/pattern/" in address:
        return False
    if parameter.kind == "switch":
        return parameter.name in SWITCHES
    return parameter.kind == "number" and not parameter.stays


@dataclass(frozen=True)
class Movable:
    """A parameter that may be drawn over the song, by its name for people, and its value in the document."""

    address: str
    name: str
    parameter: Parameter
    value: Value


def movables(session: Session) -> Iterator[Movable]:
    """All there are, in the order of the document."""
    for item in parameters_of(session):
        if is_movable(item.address, item.parameter):
            yield Movable(item.address, name_of(session, item.address), item.parameter, item.value)


def moves_faults(session: Session) -> Iterator[Fault]:
    """What is wrong with a session's moves, each with its path."""
    seen: set[str] = set()
    for move in session.moves:
        path = f"moves/{move.target}"
        if move.target in seen:
            yield Fault(path, "moves twice; put all its points into one move")
        seen.add(move.target)
        try:
            parameter = read(session, move.target).parameter
        except InvalidAction as error:
            yield Fault(path, f"moves nothing: {error.what}" + (f" at {error.where}" if error.where else ""))
            continue
        if not is_movable(move.target, parameter):
            yield Fault(path, f"{parameter.label.lower()} cannot move over the song")
            continue
        yield from _points_faults(path, move, parameter)


def _points_faults(path: str, move: Move, parameter: Parameter) -> Iterator[Fault]:
    for index, point in enumerate(move.points):
        where = f"{path}/points/{index}"
        if index and point.at_s < move.points[index - 1].at_s:
            yield Fault(where, "must not be earlier than the point before")
        if index > 1 and point.at_s == move.points[index - 2].at_s:
            yield Fault(where, "no more than two points can stand at one time")
        if reason := parameter.refusal(point.value):
            yield Fault(where, reason)


def without_lost_moves(session: Session) -> Session:
    """The session without moves of what is no longer there."""
    kept = tuple(move for move in session.moves if leads_somewhere(session, move.target))
    return session if len(kept) == len(session.moves) else session.model_copy(update={"moves": kept})


def leads_somewhere(session: Session, address: str) -> bool:
    """Whether there is a parameter at an address."""
    try:
        read(session, address)
    except InvalidAction:
        return False
    return True


def bent(share: float, bend: float) -> float:
    """A segment's shape: (e^(k x) - 1) / (e^k - 1) with k = 8 bend, straight at 0.

    >>> bent(0.5, 0.0), round(bent(0.5, 0.25), 4)
    (0.5, 0.2689)
    """
    k = steepness(bend)
    return share if k == 0.0 else math.expm1(k * share) / math.expm1(k)


def steepness(bend: float) -> float:
    """The k of a bend; so small a one that nobody tells it from straight is 0."""
    return BEND * bend if abs(bend) > 1e-9 else 0.0


@dataclass(frozen=True)
class Curve:
    """A move of a parameter, to be read at any time. Before its first point the first value holds, after the last the
    last; of two points at one time the later one counts from there on."""

    target: str
    points: tuple[MovePoint, ...]
    parameter: Parameter

    @cached_property
    def _times_s(self) -> list[float]:
        return [point.at_s for point in self.points]

    @cached_property
    def _times(self) -> NDArray[np.float64]:
        return np.array(self._times_s)

    @cached_property
    def _segments(self) -> NDArray[np.float64]:
        """Of each point time, value (a level of silence is minus infinity), a level's gain, and how its segment bends,
        (4, n)."""
        levels = [-math.inf if point.value is None else float(point.value) for point in self.points]
        bends = [steepness(point.bend) for point in self.points]
        gains = [db_to_gain(level) if self.parameter.unit == "dB" else 0.0 for level in levels]
        return np.array([self._times_s, levels, gains, bends])

    def gains_at(self, times_s: NDArray[np.float64]) -> NDArray[np.float64]:
        """Of a level, the gains at many times."""
        gains = np.empty(len(times_s))
        read_level_curve(self._segments, times_s, gains)
        return gains

    @cached_property
    def is_plain(self) -> bool:
        """Whether all its values are numbers, or switches: none is silent, or endless."""
        return all(point.value is not None for point in self.points)

    def values_at(self, times_s: NDArray[np.float64]) -> NDArray[np.float64]:
        """The values of a plain curve at many times; of a switch 0 or 1."""
        values = np.empty(len(times_s))
        holds, logarithmic = self.parameter.kind == "switch", self.parameter.scale == "logarithmic"
        read_curve(self._segments, holds, logarithmic, times_s, values)
        return values

    def value_at(self, at_s: float) -> Value:
        """The parameter's value."""
        place = bisect_right(self._times_s, at_s) - 1
        if place < 0:
            return self.points[0].value
        begin = self.points[place]
        if place == len(self.points) - 1 or self.parameter.kind == "switch":
            return begin.value
        end = self.points[place + 1]
        share = bent((at_s - begin.at_s) / (end.at_s - begin.at_s), begin.bend)
        return self._between(begin.value, end.value, share)

    def value_before(self, at_s: float) -> Value:
        """The value just before a point at this time."""
        place = bisect_left(self._times_s, at_s) - 1
        if place < 0 or place == len(self.points) - 1 or self.parameter.kind == "switch":
            return self.points[max(0, place)].value
        return self.points[place + 1].value

    def _between(self, begin: Value, end: Value, share: float) -> Value:
        """Straight in the parameter's own scale; a level with a silent end in amplitude."""
        if begin is None or end is None:
            if self.parameter.unit != "dB":
                return begin
            gain = (1.0 - share) * gain_of(begin) + share * gain_of(end)
            return None if gain == 0.0 else gain_to_db(gain)
        one, other = float(begin), float(end)
        if self.parameter.scale == "logarithmic" and one > 0.0 and other > 0.0:
            return float(one * (other / one) ** share)
        return one + share * (other - one)

    @cached_property
    def steps_s(self) -> list[float]:
        """When it jumps."""
        return [self._times_s[index] for index in self._steps]

    @cached_property
    def gains_before_steps(self) -> NDArray[np.float64]:
        """Of a level, the gain just before each of its jumps."""
        return np.array([gain_of(self.value_before(at_s)) for at_s in self.steps_s])

    @cached_property
    def values_before_steps(self) -> NDArray[np.float64]:
        """Of a plain curve, the value just before each of its jumps."""
        return np.array([float(self.value_before(at_s) or 0.0) for at_s in self.steps_s])

    @cached_property
    def _steps(self) -> list[int]:
        """Points that it jumps to."""
        pairs = enumerate(pairwise(self.points), start=1)
        if self.parameter.kind == "switch":
            return [index for index, (begin, end) in pairs if begin.value != end.value]
        return [index for index, (begin, end) in pairs if begin.at_s == end.at_s and begin.value != end.value]

    def near(self, from_s: float, to_s: float) -> tuple[MovePoint, ...]:
        """Its points in a stretch."""
        return self.points[bisect_left(self._times_s, from_s) : bisect_right(self._times_s, to_s)]

    def breakpoints_s(self, from_s: float, to_s: float, *, closest_s: float = 1e-6) -> NDArray[np.float64]:
        """Times in a stretch, or near it, between which it is as good as straight, (n,); within a segment no closer
        together than they may be."""
        if self.parameter.kind == "switch" or len(self.points) < 2:
            return np.zeros(0)
        near = self._parts[max(0, bisect_right(self._times_s, from_s) - 1) : bisect_right(self._times_s, to_s)]
        found = np.empty(int(near.sum()) + 2)
        return found[: find_breakpoints(self._times, self._parts, from_s, to_s, closest_s, found)]

    @cached_property
    def _parts(self) -> NDArray[np.int64]:
        """In how many equal parts each segment is straight in each, (n - 1,)."""
        return np.array([self._parts_between(begin, end) for begin, end in pairwise(self.points)], np.int64)

    def _parts_between(self, begin: MovePoint, end: MovePoint) -> int:
        if begin.value == end.value or begin.at_s == end.at_s:
            return 1
        if begin.value is None or end.value is None:
            return SILENT_PARTS
        one, other = float(begin.value), float(end.value)
        if self.parameter.unit == "dB":
            parts = abs(other - one) / _FINE_DB
        elif self.parameter.scale == "logarithmic" and one > 0.0 and other > 0.0:
            parts = abs(math.log2(other / one)) / _FINE_OCTAVES
        else:
            span = (self.parameter.maximum or 1.0) - (self.parameter.minimum or 0.0)
            parts = abs(other - one) / (span * _FINE_SHARE)
        k = abs(steepness(begin.bend))
        steepest = 1.0 if k == 0.0 else k / -math.expm1(-k)
        return max(1, math.ceil(parts * steepest))


def gain_of(level_db: Value) -> float:
    """The gain of a level's value."""
    return db_to_gain(None if level_db is None else float(level_db))


def curve_of(session: Session, move: Move) -> Curve:
    """A valid session's move, to be read."""
    return Curve(move.target, move.points, read(session, move.target).parameter)


def curve_or_rest(session: Session, address: str) -> Curve:
    """A parameter over the song: its move, or the value it rests at.

    Raises:
        InvalidAction: there is no such parameter.
    """
    for move in session.moves:
        if move.target == address:
            return curve_of(session, move)
    found = read(session, address)
    return Curve(address, (MovePoint(at_s=0.0, value=found.value),), found.parameter)


def with_points(session: Session, address: str, points: tuple[MovePoint, ...]) -> Session:
    """The session with another curve of a parameter, its switch left as it is."""
    known = next((move for move in session.moves if move.target == address), None)
    if known is None:
        return session.model_copy(update={"moves": (*session.moves, Move(target=address, points=points))})
    changed = known.model_copy(update={"points": points})
    moves = tuple(changed if move is known else move for move in session.moves)
    return session.model_copy(update={"moves": moves})
