"""Ducks, followers and ghosts in the document: clocks, curves, targets, and patterns of clicks."""

from typing import Annotated, Literal

from pydantic import ConfigDict, Field

from gemischt.core.keys import DetectorFilter
from gemischt.core.parameters import HIGHEST_FREQUENCY_HZ, FrozenModel, level, parameter, trim
from gemischt.core.terms import Id, Name, Note, NoteLength, Tap


class Steps(FrozenModel):
    """Steps of one note value, over and over: 0 is none, 1 the loudest."""

    kind: Literal["steps"] = "steps"
    note: NoteLength = "1/4"
    steps: tuple[Annotated[float, Field(ge=0.0, le=1.0)], ...] = Field(default=(1.0,), min_length=1, max_length=64)
    offset_s: float = parameter(0.0, -10.0, 10.0, label="Offset", unit="s", stays=True)


class WrittenNotes(FrozenModel):
    """Notes of its own, and those of a note track."""

    kind: Literal["notes"] = "notes"
    notes: tuple[Note, ...] = Field(default=(), max_length=100_000)
    track: Id | None = None


class Click(FrozenModel):
    """What a ghost makes at each of its steps or notes; their velocity turns it down."""

    length_ms: float = parameter(5.0, 0.5, 100.0, label="Click length", unit="ms", stays=True)
    level_db: float = parameter(-6.0, -60.0, 0.0, label="Click level", unit="dB", stays=True)


class Repeat(FrozenModel):
    """A clock that ticks at every note value, counted from the first bar."""

    kind: Literal["repeat"] = "repeat"
    note: NoteLength = "1/4"
    offset_s: float = parameter(0.0, -10.0, 10.0, label="Offset", unit="s", stays=True)


class Hits(FrozenModel):
    """A clock that ticks where a signal reaches a threshold after it has been below it for ``rearm_ms``."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, populate_by_name=True)

    kind: Literal["hits"] = "hits"
    source: Id = Field(alias="from")
    tap: Tap = "pre-fader"
    gain_db: float = trim("Key gain")
    filter: DetectorFilter = DetectorFilter()
    threshold_db: float = parameter(-30.0, -80.0, 0.0, label="Hit threshold", unit="dB", stays=True)
    rearm_ms: float = parameter(60.0, 0.0, 5000.0, label="Re-arm", unit="ms", stays=True)


class FollowerTarget(FrozenModel):
    """A parameter that a follower moves towards ``to``."""

    id: Id
    target: Annotated[str, Field(min_length=1, max_length=400)]
    to: float | None
    on: bool = True


class Follower(FrozenModel):
    """The level of a strip as it moves parameters: not at all at the floor, all the way at the ceiling.

    ``bend`` shapes what lies between; attack and release are time constants of the way up and down.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, populate_by_name=True)

    id: Id
    name: Name
    on: bool = True
    source: Id = Field(alias="from")
    tap: Tap = "post-fader"
    gain_db: float = trim("Key gain")
    filter: DetectorFilter = DetectorFilter()
    detector: Literal["peak", "rms"] = "peak"
    floor_db: float = parameter(-40.0, -80.0, 0.0, label="Floor", unit="dB")
    ceiling_db: float = parameter(-10.0, -80.0, 0.0, label="Ceiling", unit="dB")
    bend: float = parameter(0.0, -1.0, 1.0, label="Bend")
    attack_ms: float = parameter(5.0, 0.0, 5000.0, label="Attack", unit="ms", scale="logarithmic")
    release_ms: float = parameter(200.0, 0.0, 10000.0, label="Release", unit="ms", scale="logarithmic")
    targets: tuple[FollowerTarget, ...] = Field(default=(), max_length=64)


class LengthMs(FrozenModel):
    """A length that does not follow the tempo."""

    ms: float = parameter(250.0, 1.0, 60_000.0, label="Length", unit="ms", scale="logarithmic", stays=True)


class CurveNode(FrozenModel):
    """How open a duck is at a share of its length, 0 down to 1 open; ``bend`` shapes the way to the next node."""

    at: float = Field(ge=0.0, le=1.0)
    open: float = Field(ge=0.0, le=1.0)
    bend: float = Field(default=0.0, ge=-1.0, le=1.0)


class DuckTarget(FrozenModel):
    """A strip that a duck turns: where on its way, how deep, and on which side of a crossover.

    ``before`` names a processor of its chain that the duck stands before; without one ``at`` says where it is.
    """

    id: Id
    strip: Id
    at: Tap = "pre-fader"
    before: Id | None = None
    depth_db: float | None = level(-12.0, label="Depth")
    band: Literal["all", "below", "above"] = "all"
    crossover_hz: float = parameter(
        120.0, 20.0, HIGHEST_FREQUENCY_HZ, label="Crossover", unit="Hz", scale="logarithmic", stays=True
    )
    on: bool = True


class Duck(FrozenModel):
    """A drawn gain curve that each tick of a clock starts again, for any number of targets."""

    id: Id
    name: Name
    on: bool = True
    clock: Annotated[Repeat | Hits | WrittenNotes, Field(discriminator="kind")] = Repeat()
    length: NoteLength | LengthMs = "1/4"
    curve: tuple[CurveNode, ...] = Field(
        default=(CurveNode(at=0.0, open=0.0), CurveNode(at=1.0, open=1.0)), min_length=1, max_length=64
    )
    targets: tuple[DuckTarget, ...] = Field(default=(), max_length=64)
