"""What differs between two sessions, in words, strip by strip."""

from collections.abc import Iterator, Mapping

from gemischt.core.parameters import FrozenModel
from gemischt.core.processors.registry import label_of
from gemischt.core.session.actions.level import describe_pan
from gemischt.core.session.addresses import name_of, parameters_in
from gemischt.core.session.document import ControlGroup, Processor, Session, Strip
from gemischt.core.session.edits import Chain, show_db


class Difference(FrozenModel):
    """One difference: the strip it lies on, None for the session, and how it reads from ``before`` to ``after``."""

    strip: str | None
    words: str


def differences(before: Session, after: Session) -> tuple[Difference, ...]:
    """Everything that differs, in the order of the strips."""
    return tuple(_differences(before, after))


def _differences(before: Session, after: Session) -> Iterator[Difference]:
    old = {strip.id: strip for strip in before.strips}
    new = {strip.id: strip for strip in after.strips}
    for strip in before.strips:
        if strip.id not in new:
            yield Difference(strip=strip.id, words=f"{strip.name} is gone")
    for strip in after.strips:
        if strip.id not in old:
            yield Difference(strip=strip.id, words=f"{strip.name} is new")
            continue
        for words in _strip_words(before, after, old[strip.id], strip):
            yield Difference(strip=strip.id, words=f"{strip.name} {words}")
    for words in _group_words(before.control_groups, after.control_groups):
        yield Difference(strip=None, words=words)
    yield from _duck_words(before, after)
    yield from _move_words(before, after)
    if before.tempo != after.tempo:
        yield Difference(strip=None, words="Tempo changed")
    if before.pan_law_db != after.pan_law_db:
        yield Difference(strip=None, words=f"Pan law {after.pan_law_db:g} dB")
    if before.vu_reference_dbfs != after.vu_reference_dbfs:
        yield Difference(strip=None, words=f"0 VU at {show_db(after.vu_reference_dbfs)}FS")


def _duck_words(before: Session, after: Session) -> Iterator[Difference]:
    known = {duck.id: duck for duck in before.ducks}
    for duck in after.ducks:
        earlier = known.pop(duck.id, None)
        if earlier is None:
            yield Difference(strip=None, words=f"Duck {duck.name} added")
        elif earlier.on != duck.on:
            yield Difference(strip=None, words=f"Duck {duck.name} {'on' if duck.on else 'off'}")
        elif earlier != duck:
            yield Difference(strip=None, words=f"Duck {duck.name} changed")
    for duck in known.values():
        yield Difference(strip=None, words=f"Duck {duck.name} removed")
    following = {follower.id: follower for follower in before.followers}
    for follower in after.followers:
        earlier_one = following.pop(follower.id, None)
        if earlier_one != follower:
            what = "added" if earlier_one is None else "changed"
            yield Difference(strip=None, words=f"Follower {follower.name} {what}")
    for follower in following.values():
        yield Difference(strip=None, words=f"Follower {follower.name} removed")


def _move_words(before: Session, after: Session) -> Iterator[Difference]:
    old = {move.target: move for move in before.moves}
    new = {move.target: move for move in after.moves}
    for target in old.keys() - new.keys():
        yield Difference(strip=_strip_of(target), words=f"{name_of(before, target)} rests")
    for target, move in new.items():
        if move != old.get(target):
            words = "drawn anew over the song" if target in old else "drawn over the song"
            yield Difference(strip=_strip_of(target), words=f"{name_of(after, target)} {words}")


def _strip_of(target: str) -> str | None:
    kind, owner, *_ = target.split("/")
    return owner if kind == "strips" else None


def _strip_words(before: Session, after: Session, old: Strip, new: Strip) -> Iterator[str]:
    for field, label in (("fader_db", "fader"), ("trim_db", "trim")):
        yield from _level_words(label, getattr(old, field), getattr(new, field))
    for field, on, off in (
        ("mute", "muted", "unmuted"),
        ("solo", "soloed", "no longer soloed"),
        ("polarity_inverted", "polarity inverted", "polarity as recorded"),
    ):
        if getattr(old, field) != getattr(new, field):
            yield on if getattr(new, field) else off
    if old.pan != new.pan:
        yield f"pan {describe_pan(new.pan)}"
    if old.width != new.width:
        yield f"width {round(100 * new.width)} %"
    if old.width_level_db != new.width_level_db:
        yield f"width level {show_db(new.width_level_db)}"
    if old.mono_below_hz != new.mono_below_hz:
        yield "lows as they are" if new.mono_below_hz is None else f"mono below {new.mono_below_hz:.0f} Hz"
    if old.name != new.name:
        yield f"was {old.name}"
    if (old.output, old.late) != (new.output, new.late):
        yield f"plays to {_name(after, new.output)}{', late' if new.late else ''}"
    if old.clips != new.clips:
        yield "clips changed"
    for field in ("color", "folder", "input", "solo_safe", "pattern", "click"):
        if getattr(old, field) != getattr(new, field):
            yield f"{field.replace('_', ' ')} changed"
    yield from _chain_words(old.chain, new.chain)
    yield from _send_words(before, after, old, new)


def _level_words(label: str, old: float | None, new: float | None) -> Iterator[str]:
    if old == new:
        return
    if old is None or new is None:
        yield f"{label} {show_db(new)}"
    else:
        yield f"{label} {show_db(round(new - old, 2))}"


def _chain_words(old: Chain, new: Chain) -> Iterator[str]:
    before = {processor.id: processor for processor in old}
    after = {processor.id: processor for processor in new}
    for processor in old:
        if processor.id not in after:
            yield f"{label_of(processor.type)} removed"
    for processor in new:
        known = before.get(processor.id)
        if known is None:
            yield f"{label_of(processor.type)} added"
        elif known != processor:
            yield f"{label_of(processor.type)} {_processor_words(known, processor)}"
    kept_before = [processor.id for processor in old if processor.id in after]
    kept_after = [processor.id for processor in new if processor.id in before]
    if kept_before != kept_after:
        yield "chain in another order"


def _processor_words(old: Processor, new: Processor) -> str:
    if old.on != new.on:
        return "switched on" if new.on else "bypassed"
    lanes = {lane.id: lane.name for lane in new.lanes} if new.type == "parallel" else {}
    before = {item.address: item.value for item in parameters_in(old)}
    words = [
        " ".join([*_lane_name(item.address, lanes), item.parameter.describe(item.value)])
        for item in parameters_in(new)
        if item.address in before and before[item.address] != item.value
    ]
    return ", ".join(words) or "changed"


def _lane_name(address: str, lanes: Mapping[str, str]) -> list[str]:
    steps = address.split("/")
    return [lanes.get(steps[1], steps[1])] if steps[0] == "lanes" else []


def _send_words(before: Session, after: Session, old: Strip, new: Strip) -> Iterator[str]:
    known = {send.id: send for send in old.sends}
    kept = {send.id for send in new.sends}
    for send in old.sends:
        if send.id not in kept:
            yield f"send to {_name(before, send.to)} removed"
    for send in new.sends:
        earlier = known.get(send.id)
        if earlier is None:
            yield f"send to {_name(after, send.to)} added"
        elif earlier.level_db != send.level_db:
            yield from _level_words(f"send to {_name(after, send.to)}", earlier.level_db, send.level_db)
        elif earlier != send:
            yield f"send to {_name(after, send.to)} changed"


def _group_words(old: tuple[ControlGroup, ...], new: tuple[ControlGroup, ...]) -> Iterator[str]:
    before = {group.id: group for group in old}
    for group in new:
        known = before.pop(group.id, None)
        if known is None:
            yield f"Control group {group.name} added"
        elif known.level_db != group.level_db:
            for words in _level_words("level", known.level_db, group.level_db):
                yield f"Control group {group.name} {words}"
        elif known != group:
            yield f"Control group {group.name} changed"
    for group in before.values():
        yield f"Control group {group.name} removed"


def _name(session: Session, strip_id: str | None) -> str:
    return "nowhere" if strip_id is None else session.strip(strip_id).name
