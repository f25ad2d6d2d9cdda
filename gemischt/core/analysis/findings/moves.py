"""Findings about what is drawn over the song: moves that do nothing, and moves that jump where something sounds."""

import math
from collections.abc import Iterator

from gemischt.core.analysis.findings.base import Finding, Situation, db
from gemischt.core.parameters import LOWEST_LEVEL_DB
from gemischt.core.session.actions import RemoveMoves, SetMoves, SetParameters, Together
from gemischt.core.session.actions.parameters import ParameterValue
from gemischt.core.session.addresses import name_of
from gemischt.core.session.document import Move, MovePoint
from gemischt.core.session.moves import Curve, curve_of

JUMP_DB = 6.0
JUMP_S = 0.001
SOFTENED_S = 0.01
_SOUNDS_DB = -60.0
_ENVELOPES_PER_S = 20.0


def idle_moves(situation: Situation) -> Iterator[Finding]:
    """Moves that have one value all through the song."""
    session, end_s = situation.session, situation.measurement.duration_s
    for move in session.moves:
        curve = curve_of(session, move)
        values = {curve.value_at(0.0), curve.value_at(end_s)} | {
            point.value for point in move.points if point.at_s <= end_s
        }
        if not move.on or len(values) > 1:
            continue
        value = values.pop()
        assert not isinstance(value, str)
        outside = len({point.value for point in move.points}) > 1
        where = "All that changes lies outside the song." if outside else "Its curve is flat."
        rest = SetParameters(values=(ParameterValue(address=move.target, value=value),))
        yield Finding(
            kind="idle-move",
            strip=_strip_of(situation, move),
            subject=move.target,
            title=f"{name_of(session, move.target)} moves, but never changes",
            evidence=f"{where} It stays at {curve.parameter.show(value)}.",
            why="A curve that does nothing hides that the value can be set as any other.",
            figures={},
            cure=Together(
                title=f"{name_of(session, move.target)}: rests at {curve.parameter.show(value)}",
                actions=(rest, RemoveMoves(targets=(move.target,))),
            ),
            cure_text="Let it rest at that value",
        )


def jumping_moves(situation: Situation) -> Iterator[Finding]:
    """Levels drawn so that they jump by more than 6 dB within a millisecond while something sounds."""
    session = situation.session
    for move in session.moves:
        curve = curve_of(session, move)
        if not move.on or curve.parameter.unit != "dB":
            continue
        jumps = [jump for jump in _jumps(curve) if _sounds(situation, move, jump[0])]
        if not jumps:
            continue
        at_s, jump_db = max(jumps, key=lambda jump: jump[1])
        yield Finding(
            kind="jumping-move",
            strip=_strip_of(situation, move),
            subject=move.target,
            title=f"{name_of(session, move.target)} jumps",
            evidence=f"It changes by {db(jump_db)} dB within a millisecond at {at_s:.2f} s, while something sounds"
            + (f"; {len(jumps)} such jumps in all." if len(jumps) > 1 else "."),
            why="A level that jumps while something sounds is heard as a click.",
            figures={"jump_db": jump_db},
            at_s=at_s,
            cure=SetMoves(moves=(move.model_copy(update={"points": _softened(curve)}),)),
            cure_text=f"Let each jump take {1000.0 * SOFTENED_S:.0f} ms",
        )


def _jumps(curve: Curve) -> Iterator[tuple[float, float]]:
    """When, and by how much."""
    for begin, end in zip(curve.points[:-1], curve.points[1:], strict=True):
        if _jumps_between(begin, end):
            yield begin.at_s, abs(_level(end) - _level(begin))


def _jumps_between(begin: MovePoint, end: MovePoint) -> bool:
    return abs(_level(end) - _level(begin)) > JUMP_DB * max(1.0, (end.at_s - begin.at_s) / JUMP_S)


def _level(point: MovePoint) -> float:
    return LOWEST_LEVEL_DB if point.value is None else float(point.value)


def _softened(curve: Curve) -> tuple[MovePoint, ...]:
    """Each jump begins earlier, or later where the point before is too near."""
    points = list(curve.points)
    for at in range(len(points) - 1):
        begin, end = points[at], points[at + 1]
        if not _jumps_between(begin, end):
            continue
        before_s = points[at - 1].at_s if at else 0.0
        earlier_s = end.at_s - SOFTENED_S
        if earlier_s >= before_s:
            points[at] = begin.model_copy(update={"at_s": earlier_s})
        else:
            later_s = begin.at_s + SOFTENED_S
            behind_s = points[at + 2].at_s if at + 2 < len(points) else math.inf
            points[at + 1] = end.model_copy(update={"at_s": min(later_s, behind_s)})
    return tuple(points)


def _sounds(situation: Situation, move: Move, at_s: float) -> bool:
    """Whether the strip's source sounds about then; of a control group, whether the mix does."""
    envelope = situation.measurement.strips[_strip_of(situation, move)].envelope_db
    place = int(at_s * _ENVELOPES_PER_S)
    return max(envelope[max(0, place - 1) : place + 2], default=-math.inf) > _SOUNDS_DB


def _strip_of(situation: Situation, move: Move) -> str:
    """The strip it is on; the mix, of a control group."""
    kind, owner, *_ = move.target.split("/")
    return owner if kind == "strips" else situation.session.mix.id
