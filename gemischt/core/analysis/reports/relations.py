"""What makes room for what, as sentences made of words, each of which may be a parameter or name a strip."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from gemischt.core.analysis.reports.relation_words import (
    SEPARATOR,
    Word,
    db_words,
    hz_words,
    parameter_word,
    place_words,
    range_words,
    when_words,
)
from gemischt.core.errors import InvalidAction
from gemischt.core.keys import Key
from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.processors.eq_params import BandMotion, EqBand
from gemischt.core.processors.gate_params import GateParams
from gemischt.core.processors.registry import label_of
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.addresses import name_of, read
from gemischt.core.session.band_motions import motion_step_id, moving_bands
from gemischt.core.session.document import Eq, Keyed, LanePlace, Session, Strip
from gemischt.core.session.ducks import Duck, DuckTarget, Follower, Hits, LengthMs, Repeat
from gemischt.core.session.edits import find_block, find_duck, find_processor, find_target, place_of
from gemischt.core.session.steps import step_id
from gemischt.core.terms import note_words

RelationKind = Literal["compressor", "gate", "band", "duck", "follower"]


@dataclass(frozen=True)
class Relation:
    """One thing that makes room for another.

    Attributes:
        kind: by which mechanism: a keyed compressor, a keyed gate, an equaliser band that a key moves, a drawn duck,
            or a follower.
        targets: strips that are turned, in order; ``steps`` are the ids of what turns each in its chain.
        trigger: the strip that decides, None for a clock of the song.
        owner: the processor or the duck.
        switch: the address that turns it on and off.
        band: the block and the lane it stands in, if that is a band; or the equaliser and its band.
    """

    id: str
    kind: RelationKind
    on: bool
    targets: tuple[str, ...]
    steps: tuple[str, ...]
    trigger: str | None
    owner: str
    switch: str
    words: tuple[Word, ...]
    band: tuple[str, str] | None = None

    @property
    def sentence(self) -> str:
        """All of its words."""
        return "".join(word.text for word in self.words)


def relations_of(session: Session) -> tuple[Relation, ...]:
    """Every relation of a session: compressors in the order of the strips, then ducks."""
    return tuple(_relations(session))


def find_relation(session: Session, relation_id: str) -> Relation:
    """The relation of this id, or InvalidAction."""
    for relation in relations_of(session):
        if relation.id == relation_id:
            return relation
    raise InvalidAction(
        "nothing makes room like this any more", where=relation_id, remedy="It may have been deleted; reload."
    )


def _relations(session: Session) -> Iterator[Relation]:
    known = {strip.id for strip in session.strips}
    for strip in session.strips:
        for processor in walk_chain(strip.chain):
            if isinstance(processor, Keyed) and _hears_others(strip, processor.key, known):
                yield _of_keyed(session, strip, processor)
            elif isinstance(processor, Eq):
                for band, motion in moving_bands(processor):
                    if _hears_others(strip, motion.key, known):
                        yield _of_band(session, strip, processor, band, motion)
    for duck in session.ducks:
        yield _of_duck(session, duck)
    for follower in session.followers:
        yield _of_follower(session, follower)


def _hears_others(strip: Strip, key: Key, known: set[str]) -> bool:
    """Whether a key hears another strip, or what feeds its own."""
    return key.source in known and (key.source != strip.id or key.tap == "pre-chain")


def _trigger_word(session: Session, strip: Strip, source: str) -> Word:
    return Word("what feeds it" if source == strip.id else session.strip(source).name, "trigger", source)


def _of_keyed(session: Session, strip: Strip, processor: Keyed) -> Relation:
    at, params, key = f"strips/{strip.id}/chain/{processor.id}", processor.params, processor.key
    assert key.source is not None
    target = Word(strip.name, "target", strip.id)
    trigger = _trigger_word(session, strip, key.source)
    words: list[Word] = []
    if isinstance(params, CompressorParams):
        words += [
            target,
            Word(" makes room for "),
            trigger,
            Word(SEPARATOR),
            Word(_part_of(strip, place_of(strip, processor.id)), "part"),
        ]
        words += [Word(SEPARATOR), *_amount_words(params, at), Word(SEPARATOR + "back in ")]
    elif isinstance(params, GateParams):
        words += [target, Word(" opens with "), trigger, Word(SEPARATOR + "from ")]
        words += [parameter_word(params, "threshold_db", "amount", at), Word(SEPARATOR + "else ")]
        shut = "silent" if params.range_db is None else f"{db_words(params.range_db)} down"
        words += [Word(shut, "amount", address=f"{at}/range_db"), Word(SEPARATOR + "closes in ")]
    words.append(parameter_word(params, "release_ms", "recovery", at))
    low, high = key.filter.low_cut_hz, key.filter.high_cut_hz
    if low is not None or high is not None:
        words.append(Word(f"{SEPARATOR}hearing {range_words(low, high)}", "plain"))
    words += place_words(strip, processor.id)
    words += when_words(session, f"{at}/on")
    return Relation(
        id=f"{strip.id}/{processor.id}",
        kind="gate" if isinstance(params, GateParams) else "compressor",
        on=processor.on,
        targets=(strip.id,),
        steps=(processor.id,),
        trigger=key.source,
        owner=processor.id,
        switch=f"{at}/on",
        words=tuple(words),
        band=_band(strip, place_of(strip, processor.id)),
    )


def _of_band(session: Session, strip: Strip, eq: Eq, band: EqBand, motion: BandMotion) -> Relation:
    at = f"strips/{strip.id}/chain/{eq.id}/bands/{band.id}"
    assert motion.key.source is not None
    around = {"low-shelf": "below", "high-shelf": "above"}.get(band.shape, "around")
    words = [
        Word(strip.name, "target", strip.id),
        Word(" makes room for " if motion.to_db < band.gain_db else " comes up with "),
        _trigger_word(session, strip, motion.key.source),
        Word(f"{SEPARATOR}{around} "),
        Word(hz_words(band.frequency_hz), "part", address=f"{at}/frequency_hz"),
        Word(f"{SEPARATOR}goes to "),
        parameter_word(motion, "to_db", "amount", f"{at}/motion"),
        Word(SEPARATOR + "back in "),
        parameter_word(motion, "release_ms", "recovery", f"{at}/motion"),
        *place_words(strip, eq.id),
        *when_words(session, f"{at}/motion/on"),
    ]
    return Relation(
        id=f"{strip.id}/{eq.id}/{band.id}",
        kind="band",
        on=eq.on and band.on and motion.on,
        targets=(strip.id,),
        steps=(motion_step_id(eq.id, band.id),),
        trigger=motion.key.source,
        owner=eq.id,
        switch=f"{at}/motion/on",
        words=tuple(words),
        band=(eq.id, band.id),
    )


def _band(strip: Strip, place: LanePlace | None) -> tuple[str, str] | None:
    is_band = place is not None and find_block(strip, place.block).splits
    return (place.block, place.lane) if place is not None and is_band else None


def _part_of(strip: Strip, place: LanePlace | None) -> str:
    """What of the signal is worked on at a place: all, or the band that it is."""
    if place is None or _band(strip, place) is None:
        return "the whole signal"
    block = find_block(strip, place.block)
    index = next(index for index, lane in enumerate(block.lanes) if lane.id == place.lane)
    edges = [None, *(split.frequency_hz for split in block.splits), None]
    return range_words(edges[index], edges[index + 1])


def _amount_words(params: CompressorParams, at: str) -> Iterator[Word]:
    if params.range_db is not None:
        yield Word("at most ")
        yield Word(db_words(params.range_db), "amount", address=f"{at}/range_db")
        return
    ratio = "endless" if params.ratio is None else f"{params.ratio:.3g}:1"
    yield Word(ratio, "amount", address=f"{at}/ratio")
    yield Word(" above ")
    yield parameter_word(params, "threshold_db", "amount", at)


def _of_duck(session: Session, duck: Duck) -> Relation:
    words: list[Word] = []
    for index, target in enumerate(duck.targets):
        if index:
            words.append(Word(" and " if index == len(duck.targets) - 1 else ", "))
        words.append(Word(session.strip(target.strip).name, "target", target.strip))
    if not duck.targets:
        words.append(Word("Nothing yet", "target"))
    many = len(duck.targets) > 1
    words.append(Word(f" follow{'' if many else 's'} the curve {duck.name}, "))
    clock = duck.clock
    trigger = None
    if isinstance(clock, Hits):
        trigger = clock.source
        source = session.strip(trigger)
        own = "what feeds it" if any(target.strip == trigger for target in duck.targets) else source.name
        words += [Word("restarted by "), Word(own, "trigger", trigger)]
        if source.kind == "ghost":
            words.append(Word(" (never heard)"))
    elif isinstance(clock, Repeat):
        words.append(Word(f"again each {note_words(clock.note)}", "clock"))
    else:
        words.append(Word("restarted by written notes", "clock"))
    words.append(Word(SEPARATOR + "lasts "))
    lasts = f"{duck.length.ms:g} ms" if isinstance(duck.length, LengthMs) else note_words(duck.length)
    words.append(Word(lasts, "recovery"))
    words += _depth_words(duck)
    words += _part_words(duck)
    if len(duck.targets) == 1:
        words += _target_place_words(session, duck.targets[0])
    words += when_words(session, f"ducks/{duck.id}/on")
    return Relation(
        id=f"ducks/{duck.id}",
        kind="duck",
        on=duck.on,
        targets=tuple(target.strip for target in duck.targets),
        steps=tuple(step_id(duck.id, target.id) for target in duck.targets),
        trigger=trigger,
        owner=duck.id,
        switch=f"ducks/{duck.id}/on",
        words=tuple(words),
    )


def _of_follower(session: Session, follower: Follower) -> Relation:
    at = f"followers/{follower.id}"
    words: list[Word] = []
    targets: dict[str, None] = {}
    for index, target in enumerate(follower.targets):
        owner = _strip_of(session, target.target)
        targets[owner] = None
        parameter = read(session, target.target).parameter
        words.append(Word(" and " if index else ""))
        words.append(Word(name_of(session, target.target), "target", owner))
        words.append(Word(" goes to "))
        words.append(Word(parameter.show(target.to), "amount"))
    words += [
        Word(" with " if words else "Nothing follows "),
        Word(session.strip(follower.source).name, "trigger", follower.source),
        Word(f"{SEPARATOR}from "),
        parameter_word(follower, "floor_db", "amount", at),
        Word(" to "),
        parameter_word(follower, "ceiling_db", "amount", at),
        Word(f"{SEPARATOR}back in "),
        parameter_word(follower, "release_ms", "recovery", at),
        *when_words(session, f"{at}/on"),
    ]
    return Relation(
        id=f"followers/{follower.id}",
        kind="follower",
        on=follower.on,
        targets=tuple(targets),
        steps=tuple(f"follower:{follower.id}" for _ in targets),
        trigger=follower.source,
        owner=follower.id,
        switch=f"{at}/on",
        words=tuple(word for word in words if word.text),
    )


def _strip_of(session: Session, address: str) -> str:
    """The strip a parameter is on; the mix, of a control group."""
    kind, owner, *rest = address.split("/")
    if kind == "ducks":
        return find_target(find_duck(session, owner), rest[1]).strip
    return owner if kind == "strips" else session.mix.id


def _depth_words(duck: Duck) -> Iterator[Word]:
    depths = {target.depth_db for target in duck.targets}
    if len(depths) > 1:
        yield Word(f"{SEPARATOR}{len(depths)} depths")
    elif duck.targets:
        target = duck.targets[0]
        text = "to silence" if target.depth_db is None else db_words(-target.depth_db)
        address = f"ducks/{duck.id}/targets/{target.id}/depth_db" if len(duck.targets) == 1 else None
        yield Word(SEPARATOR)
        yield Word(text, "amount", address=address)


def _part_words(duck: Duck) -> Iterator[Word]:
    parts = {part_words(target) for target in duck.targets}
    if len(parts) == 1:
        yield Word(SEPARATOR)
        yield Word(parts.pop(), "part")


def part_words(target: DuckTarget) -> str:
    """ "the whole signal", "below 120 Hz"."""
    return "the whole signal" if target.band == "all" else f"{target.band} {hz_words(target.crossover_hz)}"


def _target_place_words(session: Session, target: DuckTarget) -> Iterator[Word]:
    strip = session.strip(target.strip)
    if target.before is not None:
        processor = find_processor(strip, target.before)
        yield Word(f"{SEPARATOR}before its {label_of(processor.type)}", "place")
    elif target.at == "post-fader":
        yield Word(f"{SEPARATOR}after its fader", "place")
    elif strip.chain:
        label = label_of(strip.chain[0 if target.at == "pre-chain" else -1].type)
        yield Word(f"{SEPARATOR}{'before' if target.at == 'pre-chain' else 'after'} its {label}", "place")


def step_of(relation: Relation, target: str | None = None) -> tuple[str, str]:
    """The strip and the id of the step that turn a target, the first one if none is named; in resolved chains."""
    index = relation.targets.index(target) if target is not None else 0
    return relation.targets[index], relation.steps[index]
