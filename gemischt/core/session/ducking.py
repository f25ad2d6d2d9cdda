"""Ducks and followers where they work: each target becomes a step in its strip's chain, so that whoever asks what a
strip hears, in which order and from whom, needs to know of chains only.
"""

from collections.abc import Iterable, Iterator
from typing import Any, Literal, cast

from gemischt.core.parameters import FrozenModel, same_as
from gemischt.core.routing.graph import walk_chain
from gemischt.core.routing.groups import strips_of_group
from gemischt.core.session.document import Key, Keyed, Move, MovePoint, NoteTrack, Processor, Session, Strip, Tempo
from gemischt.core.session.ducks import CurveNode, Duck, DuckTarget, Hits, LengthMs, Repeat, WrittenNotes
from gemischt.core.session.edits import Chain, change_chain, find_duck, find_target, inserted, place_of
from gemischt.core.session.moves import leads_somewhere
from gemischt.core.session.terms import Note


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


def is_after_fader(processor: Processor) -> bool:
    """Whether a step of a chain works behind its strip's fader."""
    return isinstance(processor, DuckStep) and processor.params.after_fader


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
    """A follower at work on a strip. It leaves what passes as it is; documents hold none."""

    type: Literal["follower"] = "follower"
    params: FollowerStepParams


def sounding_steps(chain: Chain) -> Chain:
    """A chain without what only follows."""
    return tuple(step for step in chain if not isinstance(step, FollowerStep))


def followers_in(chain: Chain) -> Chain:
    """What of a chain only follows."""
    return tuple(step for step in chain if isinstance(step, FollowerStep))


def step_id(duck: str, target: str) -> str:
    """The id of a target's step; no processor of a document can have it."""
    return f"duck:{duck}:{target}"


def with_steps_in_chains(session: Session) -> Session:
    """The session that sounds the same with its ducks and followers as steps of their targets' chains."""
    return _with_ducks(_with_followers(session)) if session.ducks or session.followers else session


def _with_followers(session: Session) -> Session:
    strips = {strip.id: strip for strip in session.strips}
    moves = list(session.moves)
    for follower in session.followers:
        pulls: dict[str, list[Pull]] = {}
        for target in follower.targets:
            for strip_id, field in _led_fields(session, target.target):
                pulls.setdefault(strip_id, []).append(Pull.model_construct(field=field, to=target.to, on=target.on))
        switched = next((move for move in moves if move.on and move.target == f"followers/{follower.id}/on"), None)
        for strip_id, own in pulls.items():
            step = FollowerStep.model_construct(
                id=f"follower:{follower.id}",
                type="follower",
                on=follower.on,
                params=FollowerStepParams.model_construct(
                    follower=follower.id,
                    detector=follower.detector,
                    floor_db=follower.floor_db,
                    ceiling_db=follower.ceiling_db,
                    bend=follower.bend,
                    attack_ms=follower.attack_ms,
                    release_ms=follower.release_ms,
                    pulls=tuple(own),
                ),
                key=Key(source=follower.source, tap=follower.tap, gain_db=follower.gain_db, filter=follower.filter),
            )
            strip = strips[strip_id]
            strips[strip_id] = strip.model_copy(update={"chain": (cast(Processor, step), *strip.chain)})
            if switched:
                address = f"strips/{strip_id}/chain/{step.id}/on"
                moves.append(switched.model_copy(update={"target": address}))
    kept = tuple(move for move in moves if not move.target.startswith("followers/"))
    return session.model_copy(update={"strips": tuple(strips.values()), "followers": (), "moves": kept})


def _led_fields(session: Session, address: str) -> Iterator[tuple[str, str]]:
    """The strips that a parameter leads, and its address on each: from the strip on, or a control group's whole."""
    kind, owner, *rest = address.split("/")
    if kind == "strips":
        yield owner, "/".join(rest)
    elif kind == "control_groups":
        for strip_id in strips_of_group(session, owner):
            yield strip_id, address
    elif kind == "ducks":
        target = find_target(find_duck(session, owner), rest[1])
        yield target.strip, f"chain/{step_id(owner, target.id)}/{rest[2]}"


def _with_ducks(session: Session) -> Session:
    if not session.ducks:
        return session
    strips = {strip.id: strip for strip in session.strips}
    for duck in session.ducks:
        opening = _opening(session, duck)
        for target in duck.targets:
            strip = strips[target.strip]
            step = DuckStep.model_construct(
                id=step_id(duck.id, target.id),
                type="duck",
                on=duck.on and target.on,
                params=DuckStepParams.model_construct(
                    opening=opening,
                    after_fader=target.at == "post-fader" and target.before is None,
                    depth_db=target.depth_db,
                    band=target.band,
                    crossover_hz=target.crossover_hz,
                ),
                key=_key(duck.clock),
            )
            strips[strip.id] = _with_step(strip, target, cast(Processor, step))
    moves = (*(move for move in session.moves if not move.target.startswith("ducks/")), *_step_moves(session))
    return session.model_copy(update={"strips": tuple(strips.values()), "ducks": (), "moves": moves})


def _opening(session: Session, duck: Duck) -> Opening:
    clock = duck.clock
    if isinstance(clock, WrittenNotes):
        clock = WrittenNotes.model_construct(notes=notes_of(clock, session.note_tracks))
    in_notes = isinstance(clock, Repeat) or isinstance(duck.length, str)
    tempo = session.tempo if in_notes else ()
    return Opening.model_construct(duck=duck.id, clock=clock, length=duck.length, curve=duck.curve, tempo=tempo)


def notes_of(written: WrittenNotes, tracks: Iterable[NoteTrack]) -> tuple[Note, ...]:
    """All notes that are meant, in order of time."""
    of_track = next((track.notes for track in tracks if track.id == written.track), ())
    return tuple(sorted((*written.notes, *of_track), key=lambda note: note.at_s))


def _key(clock: Repeat | Hits | WrittenNotes) -> Key:
    if not isinstance(clock, Hits):
        return Key()
    return Key(source=clock.source, tap=clock.tap, gain_db=clock.gain_db, filter=clock.filter)


def _with_step(strip: Strip, target: DuckTarget, step: Processor) -> Strip:
    beside = target.before
    if beside is not None and any(processor.id == beside for processor in walk_chain(strip.chain)):
        return change_chain(strip, place_of(strip, beside), lambda chain: _before(chain, beside, step))
    place = None
    if target.at != "post-fader":
        # Behind those that stand there already, in the order of the document.
        before_chain, chain = target.at == "pre-chain", enumerate(strip.chain)
        own = (DuckStep, FollowerStep)
        ends = (k for k, step in chain if is_after_fader(step) or (before_chain and not isinstance(step, own)))
        place = next(ends, None)
    return strip.model_copy(update={"chain": inserted(strip.chain, (step,), place)})


def _before(chain: Chain, processor_id: str, step: Processor) -> Chain:
    place = next(k for k, processor in enumerate(chain) if processor.id == processor_id)
    return inserted(chain, (step,), place)


def _step_moves(session: Session) -> Iterator[Move]:
    """The moves of ducks as moves of their steps."""
    moves = {move.target: move for move in session.moves if move.on}
    for duck in session.ducks:
        whole = moves.get(f"ducks/{duck.id}/on")
        for target in duck.targets:
            own = f"ducks/{duck.id}/targets/{target.id}"
            step = f"strips/{target.strip}/chain/{step_id(duck.id, target.id)}"
            if depth := moves.get(f"{own}/depth_db"):
                yield depth.model_copy(update={"target": f"{step}/depth_db"})
            switched = moves.get(f"{own}/on")
            if whole or switched:
                points = _both_on(_points(whole, duck.on), _points(switched, target.on))
                yield Move.model_construct(target=f"{step}/on", on=True, points=points)


def _points(move: Move | None, rest: bool) -> tuple[MovePoint, ...]:
    return move.points if move else (MovePoint(at_s=0.0, value=rest),)


def _both_on(one: tuple[MovePoint, ...], other: tuple[MovePoint, ...]) -> tuple[MovePoint, ...]:
    """On where both switches are."""
    times_s = sorted({point.at_s for point in (*one, *other)})
    return tuple(MovePoint(at_s=at_s, value=_is_on(one, at_s) and _is_on(other, at_s)) for at_s in times_s)


def _is_on(points: tuple[MovePoint, ...], at_s: float) -> bool:
    before = [point for point in points if point.at_s <= at_s]
    return bool((before[-1] if before else points[0]).value)


def without_lost_ducks(session: Session) -> Session:
    """The session without ducks and followers whose trigger is gone, and without targets that are; what stood before a
    processor that is gone stands at its place on the strip's way."""
    if not session.ducks and not session.followers:
        return session
    strips = {strip.id: strip for strip in session.strips}
    ducks = tuple(
        _without_lost(duck, strips)
        for duck in session.ducks
        if not isinstance(duck.clock, Hits) or duck.clock.source in strips
    )
    session = session if ducks == session.ducks else session.model_copy(update={"ducks": ducks})
    followers = tuple(
        follower.model_copy(
            update={"targets": tuple(target for target in follower.targets if leads_somewhere(session, target.target))}
        )
        for follower in session.followers
        if follower.source in strips
    )
    return session if followers == session.followers else session.model_copy(update={"followers": followers})


def _without_lost(duck: Duck, strips: dict[str, Strip]) -> Duck:
    targets = []
    for target in duck.targets:
        if target.strip in strips:
            found = {processor.id for processor in walk_chain(strips[target.strip].chain)}
            lost = target.before is not None and target.before not in found
            targets.append(target.model_copy(update={"before": None}) if lost else target)
    return duck if tuple(targets) == duck.targets else duck.model_copy(update={"targets": tuple(targets)})


def without_track(session: Session, track: str) -> Session:
    """The session in which no clock and no ghost listens to a note track."""

    def deaf(written: Any) -> Any:
        is_meant = isinstance(written, WrittenNotes) and written.track == track
        return written.model_copy(update={"track": None}) if is_meant else written

    ducks = tuple(duck.model_copy(update={"clock": deaf(duck.clock)}) for duck in session.ducks)
    strips = tuple(
        strip if strip.pattern is None else strip.model_copy(update={"pattern": deaf(strip.pattern)})
        for strip in session.strips
    )
    return session.model_copy(update={"ducks": ducks, "strips": strips})
