"""Edits of what moves over the song."""

import math
from itertools import pairwise
from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import FrozenModel, Parameter
from gemischt.core.session import drawing
from gemischt.core.session.actions.base import Action
from gemischt.core.session.addresses import name_of, read, write
from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.document import Move, MovePoint, Session
from gemischt.core.session.moves import Curve, curve_or_rest, with_points
from gemischt.core.terms import SongTime

Address = str
MOST_STROKE_POINTS = 60_000
"""A quarter of an hour without rest."""


class SetMoves(Action):
    """Draw parameters over the song, each anew: what its curve was is replaced."""

    type: Literal["set-moves"] = "set-moves"
    moves: tuple[Move, ...] = Field(min_length=1, max_length=256)

    def apply(self, session: Session) -> Session:
        for move in self.moves:
            # What leads nowhere is refused here: of what is known it would be taken for lost.
            read(session, move.target)
        drawn = {move.target: move for move in self.moves}
        kept = tuple(drawn.pop(move.target, move) for move in session.moves)
        return session.model_copy(update={"moves": (*kept, *drawn.values())})

    def describe(self, session: Session) -> str:
        if len(self.moves) > 1:
            return f"Draw {len(self.moves)} parameters over the song"
        move = self.moves[0]
        before = next((known for known in session.moves if known.target == move.target), None)
        name = name_of(session, move.target)
        if before is not None and before.points == move.points:
            return f"{name}: move {'on' if move.on else 'off'}"
        if before is not None and (words := _point_words(session, before, move)):
            return f"{name}: {words}"
        count = len(move.points)
        return f"{name}: drawn over the song, {count} point{'' if count == 1 else 's'}"


def _point_words(session: Session, before: Move, after: Move) -> str | None:
    """What became of one point; None if more than one is another."""
    old, new = before.points, after.points
    same = next((index for index, pair in enumerate(zip(old, new, strict=False)) if pair[0] != pair[1]), None)
    place = min(len(old), len(new)) if same is None else same
    behind_old, behind_new = old[place + (len(old) >= len(new)) :], new[place + (len(new) >= len(old)) :]
    if abs(len(new) - len(old)) > 1 or behind_old != behind_new or old == new:
        return None
    point = old[place] if len(old) > len(new) else new[place]
    where = f"bar {BeatGrid(session.tempo).place(point.at_s)}"
    value = read(session, after.target).parameter.show(point.value)
    if len(new) > len(old):
        return f"a point of {value} at {where}"
    if len(new) < len(old):
        return f"no point at {where}"
    if point.bend != old[place].bend:
        return f"bent from {where} on"
    return f"a point to {value} at {where}"


class SectionStretch(FrozenModel):
    """From when to when; no end goes on to the end."""

    from_s: SongTime
    to_s: SongTime | None = None


class OnlyIn(Action):
    """Let a switch be on in some stretches only, or everywhere else; none at all lets it rest, on."""

    type: Literal["only-in"] = "only-in"
    target: Address
    stretches: tuple[SectionStretch, ...] = Field(default=(), max_length=256)
    left_out: bool = False

    def apply(self, session: Session) -> Session:
        if read(session, self.target).parameter.kind != "switch":
            raise InvalidAction("only a switch is on in some stretches", where=name_of(session, self.target))
        kept = tuple(move for move in session.moves if move.target != self.target)
        session = session.model_copy(update={"moves": kept})
        if not self.stretches:
            return write(session, self.target, True)
        inside = not self.left_out
        points = [MovePoint(at_s=0.0, value=not inside)]
        for stretch in sorted(self.stretches, key=lambda item: item.from_s):
            if stretch.to_s is not None and stretch.to_s <= stretch.from_s:
                raise InvalidAction("a stretch must end after it begins", where=name_of(session, self.target))
            if points[-1].at_s == stretch.from_s:
                points.pop()
            points.append(MovePoint(at_s=stretch.from_s, value=inside))
            if stretch.to_s is not None:
                points.append(MovePoint(at_s=stretch.to_s, value=not inside))
        return session.model_copy(update={"moves": (*kept, Move(target=self.target, points=tuple(points)))})

    def describe(self, session: Session) -> str:
        if not self.stretches:
            return f"{name_of(session, self.target)}: everywhere"
        named = [_named_stretch(session, stretch) for stretch in self.stretches]
        return f"{name_of(session, self.target)}: {'not' if self.left_out else 'only'} in {', '.join(named)}"


def _named_stretch(session: Session, stretch: SectionStretch) -> str:
    for section in session.sections:
        if (section.start_s, section.end_s) == (stretch.from_s, stretch.to_s):
            return section.name
    if stretch.to_s is None:
        return f"what follows bar {BeatGrid(session.tempo).place(stretch.from_s)}"
    return _stretch_words(session, stretch.from_s, stretch.to_s).removeprefix("in ")


class RemoveMoves(Action):
    """Let parameters rest where the document says."""

    type: Literal["remove-moves"] = "remove-moves"
    targets: tuple[str, ...] = Field(min_length=1, max_length=1024)

    def apply(self, session: Session) -> Session:
        known = {move.target for move in session.moves}
        for target in self.targets:
            if target not in known:
                raise InvalidAction("nothing moves here", where=target)
        kept = tuple(move for move in session.moves if move.target not in self.targets)
        return session.model_copy(update={"moves": kept})

    def describe(self, session: Session) -> str:
        if len(self.targets) > 1:
            return f"Remove {len(self.targets)} moves"
        return f"{name_of(session, self.targets[0])}: rests"


class Stroke(FrozenModel):
    """What was drawn or recorded of one parameter, in order of time."""

    target: Address
    points: tuple[MovePoint, ...] = Field(min_length=2, max_length=MOST_STROKE_POINTS)


class DrawMoves(Action):
    """Draw stretches freehand or record them: each is thinned and takes the place of what was there, no more."""

    type: Literal["draw-moves"] = "draw-moves"
    strokes: tuple[Stroke, ...] = Field(min_length=1, max_length=256)
    recorded: bool = False
    return_s: float = Field(default=0.0, ge=0.0, le=10.0)
    """How long after a stroke the old curve is reached again."""

    def apply(self, session: Session) -> Session:
        for stroke in self.strokes:
            curve = curve_or_rest(session, stroke.target)
            _check_stroke(stroke, curve.parameter)
            thin = drawing.thinned(stroke.points, curve.parameter)
            session = with_points(session, stroke.target, drawing.replaced(curve, thin, return_s=self.return_s))
        return session

    def describe(self, session: Session) -> str:
        how = "recorded" if self.recorded else "drawn"
        targets = list(dict.fromkeys(stroke.target for stroke in self.strokes))
        if len(targets) > 1:
            return f"{len(targets)} parameters {how} over the song"
        times_s = [point.at_s for stroke in self.strokes for point in stroke.points]
        return f"{name_of(session, targets[0])}: {how} {_stretch_words(session, min(times_s), max(times_s))}"


class ReshapeMoves(Action):
    """Shift or scale what is drawn, over a stretch or all of it."""

    type: Literal["reshape-moves"] = "reshape-moves"
    targets: tuple[Address, ...] = Field(min_length=1, max_length=256)
    from_s: SongTime | None = None
    to_s: SongTime | None = None
    by: float = Field(default=0.0, ge=-1e5, le=1e5)
    """In dB, in octaves of what is logarithmic, else in the parameter's unit."""
    times: float = Field(default=1.0, ge=-10.0, le=10.0)
    """How many times as far from the middle."""

    def apply(self, session: Session) -> Session:
        if self.from_s is not None and self.to_s is not None:
            _check_stretch(self.from_s, self.to_s)
        for target in self.targets:
            curve = _moving(session, target)
            if curve.parameter.kind == "switch":
                raise InvalidAction(
                    "a switch is on or off: it can be neither shifted nor scaled",
                    where=name_of(session, target),
                    remedy="Draw it instead.",
                )
            points = drawing.reshaped(curve, self.from_s, self.to_s, by=self.by, times=self.times)
            session = with_points(session, target, points)
        return session

    def describe(self, session: Session) -> str:
        names = ", ".join(name_of(session, target) for target in self.targets[:2])
        more = f" and {len(self.targets) - 2} more" if len(self.targets) > 2 else ""
        words = [f"scaled to {100.0 * self.times:.0f} %"] if self.times != 1.0 else []
        if self.by or not words:
            words.append(f"shifted by {_distance_words(read(session, self.targets[0]).parameter, self.by)}")
        if self.from_s is not None and self.to_s is not None:
            words.append(_stretch_words(session, self.from_s, self.to_s))
        return f"{names}{more}: {' '.join(words)}"


class MoveCopy(FrozenModel):
    """Of which move a stretch is taken, and where it goes: to which parameter, to what time of the song."""

    source: Address
    target: Address
    at_s: SongTime


class CopyMoves(Action):
    """Copy a stretch of curves to other places, other strips, or other parameters of the same unit. It keeps its note
    values where the tempo is another there."""

    type: Literal["copy-moves"] = "copy-moves"
    from_s: SongTime
    to_s: SongTime
    copies: tuple[MoveCopy, ...] = Field(min_length=1, max_length=1024)

    def apply(self, session: Session) -> Session:
        _check_stretch(self.from_s, self.to_s)
        grid = BeatGrid(session.tempo)
        sources = {copy.source: _moving(session, copy.source) for copy in self.copies}
        begin = grid.quarters_at(self.from_s)
        for copy in self.copies:
            source, into = sources[copy.source], curve_or_rest(session, copy.target)
            _check_same_unit(session, source, into)
            shift = grid.quarters_at(copy.at_s) - begin

            def carried_to(at_s: float, shift: float = shift) -> float:
                return grid.time_of_quarters(grid.quarters_at(at_s) + shift)

            points = drawing.copied(source, self.from_s, self.to_s, into, carried_to)
            session = with_points(session, copy.target, points)
        return session

    def describe(self, session: Session) -> str:
        first = self.copies[0]
        stretch = _stretch_words(session, self.from_s, self.to_s)
        if len(self.copies) > 1:
            return f"{name_of(session, first.source)}: {stretch} copied to {len(self.copies)} places"
        grid = BeatGrid(session.tempo)
        where = "" if first.source == first.target else f"{name_of(session, first.target)} "
        return f"{name_of(session, first.source)}: {stretch} copied to {where}bar {grid.place(first.at_s)}"


def _moving(session: Session, target: Address) -> Curve:
    """The curve of what moves; InvalidAction if it rests."""
    read(session, target)
    if all(move.target != target for move in session.moves):
        raise InvalidAction("nothing moves here", where=name_of(session, target), remedy="Draw it first.")
    return curve_or_rest(session, target)


def _check_stroke(stroke: Stroke, parameter: Parameter) -> None:
    for index, point in enumerate(stroke.points):
        if reason := parameter.refusal(point.value):
            raise InvalidAction(reason, where=f"{stroke.target}/points/{index}")
    for index, (before, after) in enumerate(pairwise(stroke.points)):
        if after.at_s < before.at_s:
            raise InvalidAction(
                "must not be earlier than the point before", where=f"{stroke.target}/points/{index + 1}"
            )


def _check_stretch(from_s: float, to_s: float) -> None:
    if to_s <= from_s:
        raise InvalidAction("a stretch must end after it begins", where=f"{from_s:g} to {to_s:g} s")


def _check_same_unit(session: Session, source: Curve, into: Curve) -> None:
    one, other = source.parameter, into.parameter
    if (one.kind, one.unit) != (other.kind, other.unit):
        raise InvalidAction(
            f"cannot take a curve of {name_of(session, source.target)}: "
            f"{_unit_words(one)} do not fit {_unit_words(other)}",
            where=name_of(session, into.target),
        )


def _unit_words(parameter: Parameter) -> str:
    return "switches" if parameter.kind == "switch" else parameter.unit or "plain numbers"


def _distance_words(parameter: Parameter, by: float) -> str:
    if parameter.unit == "dB":
        return f"{by:+.1f} dB"
    return f"{by:+.2f} octaves" if drawing.is_logarithmic(parameter) else f"{by:+.3g} {parameter.unit}".strip()


def _stretch_words(session: Session, from_s: float, to_s: float) -> str:
    """ "in bars 17 to 24"."""
    grid = BeatGrid(session.tempo)
    first = math.floor(grid.bars_at(from_s) + 1e-3) + 1
    last = max(first, math.ceil(grid.bars_at(to_s) - 1e-3))
    return f"in bar {first}" if first == last else f"in bars {first} to {last}"
