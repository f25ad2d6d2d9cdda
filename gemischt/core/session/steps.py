"""Steps of chains that documents do not hold: ducks and followers where they work."""

from typing import Literal

from gemischt.core.parameters import FrozenModel, same_as
from gemischt.core.processors.mono_below_params import MonoBelowParams
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.document import Keyed, Move, MovePoint, Processor, Tempo
from gemischt.core.session.ducks import CurveNode, DuckTarget, Hits, LengthMs, Repeat, WrittenNotes
from gemischt.core.session.edits import Chain


class Opening(FrozenModel):
    """When a duck opens and how: what its targets share. ``tempo`` is there if note values have to be known."""

    duck: str
    clock: Repeat | Hits | WrittenNotes
    length: str | LengthMs
    curve: tuple[CurveNode, ...]
    tempo: tuple[Tempo, ...]


class DuckStepParams(FrozenModel):
    """What one target is told. After the fader it stands at the chain's end, where taps before the fader pass it by."""

    opening: Opening
    after_fader: bool = False
    depth_db: float | None = same_as(DuckTarget, "depth_db")
    band: Literal["all", "below", "above"] = "all"
    crossover_hz: float = same_as(DuckTarget, "crossover_hz")


class DuckStep(Keyed):
    """A duck at work in a chain. Documents hold none: they say where a target is."""

    type: Literal["duck"] = "duck"
    params: DuckStepParams


class MonoBelowStep(FrozenModel):
    """Lows without sides, at work behind a strip's fader. Documents hold none: strips say from where on."""

    id: str
    type: Literal["mono-below"] = "mono-below"
    on: bool = True
    params: MonoBelowParams


def is_after_fader(processor: Processor) -> bool:
    """Whether a step of a chain works behind its strip's fader."""
    return isinstance(processor, MonoBelowStep) or (isinstance(processor, DuckStep) and processor.params.after_fader)


def split_at_fader(chain: Chain) -> tuple[Chain, Chain]:
    """What works before the fader, and what behind it."""
    behind = tuple(processor for processor in chain if is_after_fader(processor))
    return chain[: len(chain) - len(behind)], behind


class Pull(FrozenModel):
    """What a follower moves: a field of the strip it stands on, or a control group's level, and where to."""

    field: str
    to: float | None
    on: bool


class FollowerStepParams(FrozenModel):
    """How a follower's level becomes a share of the way, and what it moves on one strip."""

    follower: str
    detector: Literal["peak", "rms"]
    floor_db: float
    ceiling_db: float
    bend: float
    attack_ms: float
    release_ms: float
    pulls: tuple[Pull, ...]


class FollowerStep(Keyed):
    """A follower at work on a strip. It leaves what passes as it is; documents hold none.

    Without a source in its key it hears what comes to its place in the chain.
    """

    type: Literal["follower"] = "follower"
    params: FollowerStepParams


def sounding_steps(chain: Chain) -> Chain:
    """A chain without what only follows."""
    return tuple(step for step in chain if not isinstance(step, FollowerStep))


def followers_in(chain: Chain) -> Chain:
    """What of a chain only follows, in its lanes, too."""
    return tuple(step for step in walk_chain(chain) if isinstance(step, FollowerStep))


def strip_followers(chain: Chain) -> Chain:
    """Those that hear a strip, and may lead anything of their own; the others lead what stands behind them."""
    return tuple(step for step in chain if isinstance(step, FollowerStep) and step.key.source is not None)


def step_id(duck: str, target: str) -> str:
    """The id of a target's step; no processor of a document can have it."""
    return f"duck:{duck}:{target}"


def switch_points(move: Move | None, rest: bool) -> tuple[MovePoint, ...]:
    """When a switch that may move is on."""
    return move.points if move else (MovePoint(at_s=0.0, value=rest),)


def both_on(one: tuple[MovePoint, ...], other: tuple[MovePoint, ...]) -> tuple[MovePoint, ...]:
    """On where both switches are."""
    times_s = sorted({point.at_s for point in (*one, *other)})
    return tuple(MovePoint(at_s=at_s, value=_is_on(one, at_s) and _is_on(other, at_s)) for at_s in times_s)


def _is_on(points: tuple[MovePoint, ...], at_s: float) -> bool:
    before = [point for point in points if point.at_s <= at_s]
    return bool((before[-1] if before else points[0]).value)
