"""A session reduced to some ways of some signals, so that what they bring can be heard and measured alone.

Compressors on the ways go on hearing what they hear in the whole mix: whatever feeds their keys is kept as unheard
shadows beside the ways.
"""

from collections.abc import Iterable

from gemischt.core.routing.graph import edges_of, walk_chain
from gemischt.core.routing.paths import Step
from gemischt.core.routing.solo import with_solo_applied
from gemischt.core.session.document import ControlGroup, Keyed, Move, Processor, Session, Strip
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.edits import Chain
from gemischt.core.session.moves import without_lost_moves

SHADOW = "~"


def isolate(session: Session, steps: Iterable[Step], sounding: Iterable[str]) -> Session:
    """The session with nothing but the given steps and the strips they join.

    Only the strips in ``sounding`` play their clips; the others pass on what comes in. What a solo
    closes is closed here, too.
    """
    session = with_steps_in_chains(with_solo_applied(session))
    taken = {(step.strip, step.send): step for step in steps}
    starts = set(sounding)
    real = starts | {session.mix.id} | {end for step in taken.values() for end in (step.strip, step.to)}
    kept = [strip for strip in session.strips if strip.id in real]
    sources = {
        processor.key.source
        for strip in kept
        for processor in walk_chain(strip.chain)
        if isinstance(processor, Keyed) and processor.key.source is not None
    }
    shadows = _upstream(session, sources)
    strips = [
        strip.model_copy(
            update={
                "clips": strip.clips if strip.id in starts else (),
                "pattern": strip.pattern if strip.id in starts else None,
                "chain": _rekeyed(strip.chain, shadows),
                "output": strip.output if (strip.id, None) in taken else None,
                "late": strip.late and (strip.id, None) in taken,
                "sends": tuple(send for send in strip.sends if (strip.id, send.id) in taken),
            }
        )
        for strip in kept
    ]
    strips.extend(_shadow(session.strip(strip_id), shadows) for strip_id in sorted(shadows))
    groups = tuple(_shadowed(group) for group in session.control_groups)
    moves = (*session.moves, *(_shadowed_move(move, shadows) for move in session.moves))
    update = {"strips": tuple(strips), "control_groups": groups, "folders": (), "moves": moves}
    return without_lost_moves(session.model_copy(update=update))


def _shadowed_move(move: Move, shadows: set[str]) -> Move:
    """The same move of a strip's shadow; of what has none, something that is not there."""
    kind, owner, field = move.target.split("/", 2)
    shadow = owner + SHADOW if kind == "strips" and owner in shadows else SHADOW
    return move.model_copy(update={"target": f"{kind}/{shadow}/{field}"})


def _upstream(session: Session, wanted: set[str]) -> set[str]:
    feeding: dict[str, list[str]] = {}
    for edge in edges_of(session):
        feeding.setdefault(edge.destination, []).append(edge.source)
    reached = set(wanted)
    waiting = list(wanted)
    while waiting:
        for source in feeding.get(waiting.pop(), ()):
            if source not in reached:
                reached.add(source)
                waiting.append(source)
    return reached


def _shadow(strip: Strip, shadows: set[str]) -> Strip:
    return strip.model_copy(
        update={
            "id": strip.id + SHADOW,
            "kind": "bus" if strip.kind == "mix" else strip.kind,
            "chain": _rekeyed(strip.chain, shadows),
            "output": strip.output + SHADOW if strip.output in shadows else None,
            "late": strip.late and strip.output in shadows,
            "sends": tuple(
                send.model_copy(update={"to": send.to + SHADOW}) for send in strip.sends if send.to in shadows
            ),
        }
    )


def _shadowed(group: ControlGroup) -> ControlGroup:
    return group.model_copy(update={"members": (*group.members, *(member + SHADOW for member in group.members))})


def _rekeyed(chain: Chain, shadows: set[str]) -> Chain:
    changed: list[Processor] = []
    for processor in chain:
        if isinstance(processor, Keyed) and processor.key.source in shadows:
            key = processor.key.model_copy(update={"source": processor.key.source + SHADOW})
            changed.append(processor.model_copy(update={"key": key}))
        elif processor.type == "parallel":
            lanes = tuple(lane.model_copy(update={"chain": _rekeyed(lane.chain, shadows)}) for lane in processor.lanes)
            changed.append(processor.model_copy(update={"lanes": lanes}))
        else:
            changed.append(processor)
    return tuple(changed)
