"""Hashes of all that feeds a point of a strip: equal hashes, equal sound.

They let measurements and rendered audio be used again after an edit that lies elsewhere.
"""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from gemischt.core.engine.courses import moves_by_strip
from gemischt.core.engine.resolving import told_over_time
from gemischt.core.routing.graph import processing_order, walk_chain
from gemischt.core.routing.groups import group_gains
from gemischt.core.session.document import Keyed, Move, Processor, Session, Strip
from gemischt.core.session.ducking import notes_of
from gemischt.core.session.ducks import WrittenNotes
from gemischt.core.session.kinds import traits_of
from gemischt.core.session.steps import FollowerStep, split_at_fader, strip_followers
from gemischt.core.terms import Tap
from gemischt.core.units import db_to_gain

SILENCE = "silence"


@dataclass(frozen=True)
class StripPrints:
    """Hashes along one strip; ``chain`` has one after each processor of its own chain.

    ``heard_gain`` is what fader, groups and mute come to, linear; ``led`` whether any of that, pan or width moves over
    the song, or something works behind the fader.
    """

    source: str
    pre_chain: str
    chain: tuple[str, ...]
    pre_fader: str
    post_fader: str
    heard_gain: float
    led: bool

    def at(self, tap: Tap) -> str:
        """The hash at a tap."""
        return {"pre-chain": self.pre_chain, "pre-fader": self.pre_fader, "post-fader": self.post_fader}[tap]


def fingerprints(session: Session, media_hashes: Mapping[str, str], length_samples: int) -> dict[str, StripPrints]:
    """Hashes of every strip of a session in which nothing is soloed.

    Args:
        media_hashes: hash of the content of each media id.
        length_samples: how much of the song is measured.
    """
    found: dict[str, StripPrints] = {}
    gains = group_gains(session)
    moves = moves_by_strip(session)
    base = _hash(session.sample_rate_hz, session.pan_law_db, length_samples)
    for strip_id in processing_order(session):
        strip = session.strip(strip_id)
        gain = 0.0 if strip.mute else db_to_gain(strip.fader_db) * gains.get(strip_id, 1.0)
        found[strip_id] = _strip_prints(session, strip, found, media_hashes, base, gain, moves.get(strip_id, ()))
    return found


def _strip_prints(
    session: Session,
    strip: Strip,
    found: Mapping[str, StripPrints],
    media_hashes: Mapping[str, str],
    base: str,
    gain: float,
    moves: Sequence[Move],
) -> StripPrints:
    early, late = _feeds(session, strip, found)
    clips = [[media_hashes[clip.media], clip.model_dump(mode="json", exclude={"media"})] for clip in strip.clips]
    source = _hash(base, traits_of(strip).plays_clips, strip.layout, clips, _clicks_print(session, strip), early)
    trimming = _moves_of(moves, strip, "trim_db", "polarity_inverted")
    following = [_processor_print(session, strip, step, found, source) for step in strip_followers(strip.chain)]
    following += [_moves_of(moves, strip, f"chain/{step.id}/") for step in strip_followers(strip.chain)]
    # What follows may lead anything of the strip.
    pre_chain = _hash(source, strip.input, strip.trim_db, strip.polarity_inverted, trimming, following)
    chain: list[str] = []
    at = pre_chain
    before_fader, behind_fader = split_at_fader(strip.chain)
    for processor in before_fader:
        led_inside = _moves_of(moves, strip, *(f"chain/{inner.id}/" for inner in walk_chain((processor,))))
        at = _hash(at, _processor_print(session, strip, processor, found, pre_chain), led_inside)
        if not isinstance(processor, FollowerStep):
            chain.append(at)
    pre_fader = at = _hash(at, late) if late else at
    for processor in behind_fader:
        led_inside = _moves_of(moves, strip, f"chain/{processor.id}/")
        at = _hash(at, _processor_print(session, strip, processor, found, pre_chain), led_inside)
        chain.append(at)
    mono_bus = traits_of(strip).takes_signals
    post_fader = SILENCE
    leading = _moves_of(moves, strip, "fader_db", "mute", "pan/", "width")
    leading += [_written(move) for move in moves if move.target.startswith("control_groups/")]
    leading += following
    if leading:
        # What is silent at rest need not be where it moves.
        leading += [strip.fader_db, strip.mute, group_gains(session).get(strip.id, 1.0)]
    if gain > 0.0 or leading:
        width = strip.width, strip.width_level_db
        post_fader = _hash(at, gain, strip.pan.model_dump(mode="json"), width, mono_bus, leading)
    return StripPrints(source, pre_chain, tuple(chain), pre_fader, post_fader, gain, bool(leading or behind_fader))


def _clicks_print(session: Session, strip: Strip) -> Any:
    """When and how a ghost clicks."""
    if strip.pattern is None:
        return None
    tempo = [change.model_dump(mode="json") for change in session.tempo]
    notes = notes_of(strip.pattern, session.note_tracks) if isinstance(strip.pattern, WrittenNotes) else ()
    written = [note.model_dump(mode="json") for note in notes]
    return [strip.pattern.model_dump(mode="json"), strip.click.model_dump(mode="json"), tempo, written]


def _moves_of(moves: Sequence[Move], strip: Strip, *fields: str) -> list[Any]:
    """The moves among some of a strip's parameters."""
    addresses = tuple(f"strips/{strip.id}/{field}" for field in fields)
    return [_written(move) for move in moves if move.target.startswith(addresses)]


def _written(move: Move) -> Any:
    return move.model_dump(mode="json")


def _feeds(session: Session, strip: Strip, found: Mapping[str, StripPrints]) -> tuple[list[Any], list[Any]]:
    early: list[Any] = []
    late: list[Any] = []
    for other in session.strips:
        prints = found.get(other.id)
        if prints is None:
            continue
        if other.output == strip.id and prints.post_fader != SILENCE:
            (late if other.late else early).append([prints.post_fader])
        for send in other.sends:
            leading = _moves_of(session.moves, other, f"sends/{send.id}/")
            leading += [prints.pre_chain] if strip_followers(other.chain) else []
            is_open = (send.on and send.level_db is not None) or bool(leading)
            if send.to == strip.id and is_open and prints.at(send.tap) != SILENCE:
                early.append([prints.at(send.tap), send.level_db, leading])
    return early, late


def _processor_print(
    session: Session, strip: Strip, processor: Processor, found: Mapping[str, StripPrints], pre_chain: str
) -> Any:
    if processor.type == "parallel":
        empty = tuple(lane.model_copy(update={"chain": ()}) for lane in processor.lanes)
        document = processor.model_copy(update={"lanes": empty}).model_dump(mode="json")
        for lane, written in zip(processor.lanes, document["lanes"], strict=True):
            written["chain"] = [_processor_print(session, strip, inner, found, pre_chain) for inner in lane.chain]
        return document
    document = processor.model_dump(mode="json", by_alias=True)
    if isinstance(processor, Keyed) and processor.key.source is not None:
        own = processor.key.source == strip.id
        document["key"]["from"] = pre_chain if own else found[processor.key.source].at(processor.key.tap)
    elif processor.type == "delay" and processor.params.note is not None:
        over_time = told_over_time(processor, session)
        document["params"] = [[at_s, params.model_dump(mode="json")] for at_s, params in over_time]
    return document


def _hash(*parts: Any) -> str:
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()[:32]
