"""Ducks and followers where they work: each target becomes a step in its strip's chain, so that whoever asks what a
strip hears, in which order and from whom, needs to know of chains only.
"""

from collections.abc import Iterable, Iterator
from typing import Any, cast

from gemischt.core.keys import Key
from gemischt.core.processors.mono_below_params import MonoBelowParams
from gemischt.core.routing.graph import walk_chain
from gemischt.core.routing.groups import strips_of_group
from gemischt.core.session.band_motions import with_band_motions
from gemischt.core.session.beds import with_beds_written
from gemischt.core.session.document import Move, NoteTrack, Processor, Session, Strip
from gemischt.core.session.ducks import Duck, DuckTarget, Hits, Repeat, WrittenNotes
from gemischt.core.session.edits import Chain, change_chain, find_duck, find_target, inserted, place_of
from gemischt.core.session.moves import leads_somewhere
from gemischt.core.session.steps import (
    DuckStep,
    DuckStepParams,
    FollowerStep,
    FollowerStepParams,
    MonoBelowStep,
    Opening,
    Pull,
    both_on,
    is_after_fader,
    step_id,
    switch_points,
)
from gemischt.core.terms import Note


def with_steps_in_chains(session: Session) -> Session:
    """The session that sounds the same with its ducks, its followers and what bands move by as steps of chains, and
    with the beds that strips are placed in written where they are."""
    session = with_band_motions(with_beds_written(session))
    if session.ducks or session.followers:
        session = _with_ducks(_with_followers(session))
    return _with_mono_lows(session)


def _with_mono_lows(session: Session) -> Session:
    if all(strip.mono_below_hz is None for strip in session.strips):
        return session
    return session.model_copy(update={"strips": tuple(_with_mono_low(strip) for strip in session.strips)})


def _with_mono_low(strip: Strip) -> Strip:
    if strip.mono_below_hz is None:
        return strip
    slope = strip.mono_below_slope_db_per_octave
    params = MonoBelowParams.model_construct(frequency_hz=strip.mono_below_hz, slope_db_per_octave=slope)
    step = MonoBelowStep.model_construct(id="mono-below:", type="mono-below", on=True, params=params)
    return strip.model_copy(update={"mono_below_hz": None, "chain": (*strip.chain, cast(Processor, step))})


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


def address_of_step(address: str) -> str:
    """Where the document has a parameter of a step: of a duck's step at its target, of all else where it is."""
    way = address.split("/")
    if way[0] == "strips" and way[2] == "chain" and way[3].startswith("duck:"):
        _, duck, target = way[3].split(":")
        return f"ducks/{duck}/targets/{target}/{way[4]}"
    return address


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
                points = both_on(switch_points(whole, duck.on), switch_points(switched, target.on))
                yield Move.model_construct(target=f"{step}/on", on=True, points=points)


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
