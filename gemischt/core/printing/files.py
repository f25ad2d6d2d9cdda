"""Which files a print makes: what is read for each, from which variant of the session, and what it is called."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

from gemischt.core.engine.buffer_names import Point
from gemischt.core.engine.tap_reader import StretchS
from gemischt.core.errors import InvalidAction
from gemischt.core.routing.graph import edges_of
from gemischt.core.session.document import Clip, Processor, Session, Strip
from gemischt.core.session.edits import find_strip, fresh_id, with_strips
from gemischt.core.session.print_names import NameParts
from gemischt.core.session.prints import Every, FromTo, InSection, Print, WholeSong
from gemischt.core.terms import LONGEST_SONG_S, Tap

TAP_WORDS: dict[Tap, str] = {
    "pre-chain": "before its chain",
    "pre-fader": "after its chain",
    "post-fader": "after its fader",
}
_EVERY_WORDS: dict[Every, str] = {
    "stem": "plays into the mix", "track": "is a track", "bus": "is a bus", "return": "is a return",
}  # fmt: skip
_STEM = "stem-of-"


class Variant(NamedTuple):
    """The session as one print hears it.

    Attributes:
        moves: whether what moves moves.
        of: what is soloed; nothing: what the session says.
        stems: whether all that a strip brings to the mix goes through a bus of its own.
        without: the strip whose stem is silent.
        until_s: where all clips end, so that only what rings is left.
    """

    moves: bool = True
    of: tuple[str, ...] = ()
    stems: bool = False
    without: str | None = None
    until_s: float | None = None


class Source(NamedTuple):
    """A point of a variant that goes into a file, at a gain."""

    variant: Variant
    point: Point
    gain: float = 1.0


@dataclass(frozen=True)
class PrintFile:
    """One file of a print.

    Attributes:
        part: what tells it from the print's other files, whatever their names become.
        sources: what is added up in it.
        names: what its name is made of, but for number and date.
    """

    order: Print
    part: str
    sources: tuple[Source, ...]
    names: NameParts

    @property
    def variants(self) -> set[Variant]:
        """All that has to be rendered for it."""
        return {source.variant for source in self.sources}


def files_of(session: Session, order: Print) -> tuple[PrintFile, ...]:
    """The files of a print, in their order.

    Raises:
        InvalidAction: it names what is not there, or what cannot be.
    """
    strips = printed_strips(session, order)
    for strip_id in order.of:
        find_strip(session, strip_id)
    _check(session, order, strips)
    section = order.stretch.name if isinstance(order.stretch, InSection) else ""
    # Clips end with the stretch where only what rings is wanted after it.
    until_s = None if order.ends == "cut" else stretch_s_of(session, order)[1]
    base = Variant(order.moves, order.of, until_s=until_s)

    def named(what: str, strip: str = "", tap: str = "") -> NameParts:
        return NameParts(session.name, f"{what}{_manner(order)}", strip, tap, section)

    if order.every == "stem":
        parts = [(strip, tuple(_stem_sources(session, order, base, strip))) for strip in strips]
        return tuple(PrintFile(order, strip.id, sources, named(strip.name, strip.name)) for strip, sources in parts)
    points = [(strip, tap, Point(strip.id, tap, order.after)) for tap in order.taps for strip in strips]
    if order.summed and len(strips) > 1:
        what = " + ".join(strip.name for strip in strips)
        by_tap = {tap: tuple(Source(base, point) for _, at, point in points if at == tap) for tap in order.taps}
        return tuple(
            PrintFile(order, tap, sources, named(f"{what}{_at(order, tap)}", what, TAP_WORDS[tap]))
            for tap, sources in by_tap.items()
        )
    return tuple(
        PrintFile(
            order,
            f"{strip.id}/{tap}",
            (Source(base, point),),
            named(f"{strip.name}{_at(order, tap)}", strip.name, TAP_WORDS[tap]),
        )
        for strip, tap, point in points
    )


def printed_strips(session: Session, order: Print) -> list[Strip]:
    """The strips that a print names, or all of its sort."""
    if order.every is None:
        return [find_strip(session, strip_id) for strip_id in order.strips]
    return [strip for strip in session.strips if _is_one(session, strip, order.every)]


def _is_one(session: Session, strip: Strip, every: Every) -> bool:
    if every == "stem":
        to_mix = strip.output == session.mix.id or any(send.to == session.mix.id for send in strip.sends)
        return to_mix and strip.kind != "ghost"
    return strip.kind == every


def variant_session(session: Session, variant: Variant) -> Session:
    """The session as a variant has it."""
    if not variant.moves:
        session = session.model_copy(update={"moves": ()})
    if variant.of:
        soloed = [strip.model_copy(update={"solo": strip.id in variant.of}) for strip in session.strips]
        session = session.model_copy(update={"strips": tuple(soloed)})
    if variant.until_s is not None:
        session = with_strips(session, [_ended(session, strip, variant.until_s) for strip in session.strips])
    if not variant.stems:
        return session
    mix, strips, buses = session.mix, [], []
    for strip in session.strips:
        if not _is_one(session, strip, "stem"):
            strips.append(strip)
            continue
        bus = Strip(
            id=stem_bus(session, strip.id),
            kind="bus",
            name=strip.name,
            layout=mix.layout,
            output=mix.id,
            late=strip.late,
            solo_safe=True,
            mute=strip.id == variant.without,
        )
        sends = tuple(send.model_copy(update={"to": bus.id}) if send.to == mix.id else send for send in strip.sends)
        to_mix = strip.output == mix.id
        strips.append(
            strip.model_copy(
                update={"output": bus.id if to_mix else strip.output, "late": strip.late and not to_mix, "sends": sends}
            )
        )
        buses.append(bus)
    return with_strips(session, [*strips[:-1], *buses, strips[-1]])


def _ended(session: Session, strip: Strip, until_s: float) -> Strip:
    """A strip whose clips end at a time."""
    lengths = {media.id: media.duration_s for media in session.media}
    clips: list[Clip] = []
    for clip in strip.clips:
        room_s = until_s - clip.start_s
        duration_s = lengths.get(clip.media)
        natural_s = clip.length_s or (None if duration_s is None else duration_s - clip.offset_s)
        if room_s > 0.0:
            ends = natural_s is None or natural_s > room_s
            clips.append(clip.model_copy(update={"length_s": room_s, "fade_out_s": None}) if ends else clip)
    return strip.model_copy(update={"clips": tuple(clips)})


def stretch_s_of(session: Session, order: Print) -> StretchS:
    """What a print holds at least, in seconds of the song, whose sections it names are there; without an end, to the
    song's."""
    if isinstance(order.stretch, InSection):
        section = next(section for section in session.sections if section.name == order.stretch.name)
        return section.start_s, section.end_s
    return (0.0, None) if isinstance(order.stretch, WholeSong) else (order.stretch.from_s, order.stretch.to_s)


def stem_bus(session: Session, strip_id: str) -> str:
    """The id of the bus that all goes through that a strip brings to the mix."""
    return fresh_id(f"{_STEM}{strip_id}", (strip.id for strip in session.strips))


def _stem_sources(session: Session, order: Print, base: Variant, strip: Strip) -> Iterator[Source]:
    whole = base._replace(stems=True)
    if order.through_mix:
        yield Source(whole, Point(session.mix.id))
        yield Source(whole._replace(without=strip.id), Point(session.mix.id), -1.0)
    else:
        yield Source(whole, Point(stem_bus(session, strip.id)))


def _at(order: Print, tap: Tap) -> str:
    if order.after is not None:
        return f" after {order.after}"
    return "" if tap == "post-fader" else f" {TAP_WORDS[tap]}"


def _manner(order: Print) -> str:
    """What tells files apart that are the same otherwise."""
    words: list[str] = [] if order.channels == "as-is" else [order.channels]
    words += [*(["reversed"] if order.reversed else []), *([] if order.moves else ["without moves"])]
    return "".join(f", {word}" for word in words)


def _check(session: Session, order: Print, strips: list[Strip]) -> None:
    where = ", ".join(strip.name for strip in strips) or "print"
    if not strips and order.every is not None:
        raise InvalidAction(
            f"no strip {_EVERY_WORDS[order.every]}", where=session.name, remedy="Print other strips, or the mix."
        )
    if not strips:
        raise InvalidAction("nothing is chosen", where="print", remedy="Choose the mix, or strips.")
    if order.through_mix and order.every != "stem":
        raise InvalidAction("only stems go through the mix's chain", where=where, remedy="Print every stem.")
    if order.after is not None:
        if len(strips) != 1:
            raise InvalidAction(
                "a place in a chain is one strip's", where=where, remedy="Choose one strip, or a tap that all have."
            )
        if order.after not in set(_parts_of(strips[0].chain)):
            raise InvalidAction(
                f'there is no processor or lane "{order.after}" at work',
                where=strips[0].name,
                remedy="Switch on the block it stands in, or choose another place.",
            )
    if isinstance(order.stretch, FromTo) and (order.stretch.to_s or LONGEST_SONG_S) <= order.stretch.from_s:
        raise InvalidAction("the stretch ends before it begins", where=where, remedy="Choose another one.")
    for name in (order.stretch.name if isinstance(order.stretch, InSection) else None, order.lands):
        if name is not None and all(section.name != name for section in session.sections):
            raise InvalidAction(f'no section is called "{name}"', where=where, remedy="Choose another stretch.")
    if order.back == "in-place":
        _check_in_place(order, strips, where)
    if order.back == "track" and order.lands is None:
        _check_hears_itself(session, strips)


def _check_in_place(order: Print, strips: list[Strip], where: str) -> None:
    if len(strips) != 1 or strips[0].kind != "track" or order.every is not None or order.summed:
        raise InvalidAction(
            "only a track can play its print in place of its clips", where=where, remedy="Let it come back as a track."
        )
    if order.taps != ("pre-fader",) or order.after is not None:
        raise InvalidAction(
            "what it plays goes through its fader and pan again", where=where, remedy="Print it after its chain."
        )
    if order.reversed or order.channels not in ("as-is", "mono", "left", "right"):
        raise InvalidAction(
            "in place it plays what it played",
            where=where,
            remedy="Let what is reversed or folded come back as a track.",
        )


def _check_hears_itself(session: Session, strips: list[Strip]) -> None:
    """Refuse a print that comes back to where it would be heard in itself the next time."""
    printed = {strip.id for strip in strips}
    for track in session.strips:
        if track.print_of in printed and not track.mute:
            for heard in _reached_from(session, track.id) & printed:
                raise InvalidAction(
                    f'"{session.strip(heard).name}" would hear its own print: "{track.name}" plays into it',
                    where=session.strip(heard).name,
                    remedy=f"Mute {track.name}, or let it play elsewhere.",
                )


def _reached_from(session: Session, strip_id: str) -> set[str]:
    following: dict[str, list[str]] = {}
    for edge in edges_of(session):
        following.setdefault(edge.source, []).append(edge.destination)
    reached, waiting = {strip_id}, [strip_id]
    while waiting:
        for other in following.get(waiting.pop(), ()):
            if other not in reached:
                reached.add(other)
                waiting.append(other)
    return reached - {strip_id}


def _parts_of(chain: tuple[Processor, ...]) -> Iterator[str]:
    """Processors and lanes of a chain that are there to be read: those of a block that is off are not."""
    for processor in chain:
        yield processor.id
        if processor.type == "parallel" and processor.on:
            for lane in processor.lanes:
                yield lane.id
                yield from _parts_of(lane.chain)
