"""One strip as a session of its own, everything it hears played from audio rendered before."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import TypeAlias

from gemischt.core.analysis.cache.fingerprints import StripPrints
from gemischt.core.analysis.cache.renders import RenderStore
from gemischt.core.engine.placement import centre_gain
from gemischt.core.engine.tap_reader import Media
from gemischt.core.keys import Key
from gemischt.core.routing.graph import keyed_processors
from gemischt.core.routing.solo import with_solo_applied
from gemischt.core.session.document import Clip, Keyed, Move, Pan, Processor, Send, Session, Strip, StripTap
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.edits import Chain, find_strip
from gemischt.core.session.kinds import is_wide, traits_of
from gemischt.core.session.moves import without_lost_moves
from gemischt.core.session.steps import FollowerStep, Pull, followers_in, sounding_steps, split_at_fader
from gemischt.core.terms import Tap
from gemischt.core.units import finite_or_none, gain_to_db

RAW = "~raw"
"""Marks a ghost that plays what a strip is before its chain."""


@dataclass(frozen=True)
class Alone:
    """The small session; ``taps`` maps its media ids to the (strip, tap) whose audio they play."""

    session: Session
    taps: Mapping[str, StripTap]


def strip_alone(session: Session, strip: Strip, prints: Mapping[str, StripPrints]) -> Alone:
    """A strip with its sources and chain, fed and keyed by ghosts that play rendered audio."""
    ghosts = _Ghosts(session, prints)
    for other in session.strips:
        if other.id != strip.id:
            ghosts.feed(other, strip)
    own = prints[strip.id]
    target = strip.model_copy(
        update={
            "chain": ghosts.keyed(strip, strip.chain),
            "fader_db": strip.fader_db if own.led else finite_or_none(gain_to_db(own.heard_gain)),
            "mute": strip.mute and own.led,
            "solo": False,
            "output": None,
            "late": False,
            "sends": (),
        }
    )
    return ghosts.alone(target, with_chain=True)


InSong: TypeAlias = Callable[[str], tuple[Session, Media]]
"""From a strip's id to a session and media in which it sounds as in the song."""


def strip_in_song(
    session: Session, media: Media, prints: Mapping[str, StripPrints], store: RenderStore, strip_id: str
) -> tuple[Session, Media]:
    """A strip alone, with all that it plays; the whole session if the store has not all of that."""
    session = with_steps_in_chains(with_solo_applied(session))
    alone = strip_alone(session, find_strip(session, strip_id), prints)
    played = {media_id: store.audio(prints[heard].at(point)) for media_id, (heard, point) in alone.taps.items()}
    found = {media_id: samples for media_id, samples in played.items() if samples is not None}
    return (alone.session, {**media, **found}) if len(found) == len(played) else (session, media)


def strip_from_its_fader(session: Session, strip: Strip, prints: Mapping[str, StripPrints]) -> Alone:
    """A strip that plays its own pre-fader audio: what an edit of fader, pan or mute leaves as it is."""
    ghosts = _Ghosts(session, prints)
    return ghosts.alone(ghosts.of(strip, "pre-fader"), with_chain=False)


class _Ghosts:
    """Stand-ins for strips, each playing one tap, made as they are asked for."""

    def __init__(self, session: Session, prints: Mapping[str, StripPrints]) -> None:
        self._session = session
        self._prints = prints
        self._centre_db = gain_to_db(centre_gain(session.pan_law_db))
        self._made: dict[str, Strip] = {}
        self._moves = {move.target: move for move in session.moves if move.on}
        self._taps: dict[str, StripTap] = {}

    def of(self, source: Strip, tap: Tap) -> Strip:
        """A track with the source's place in the mix that plays one of its taps."""
        prints = self._prints[source.id]
        fader_db = source.fader_db if prints.led else finite_or_none(gain_to_db(prints.heard_gain))
        if fader_db is not None and _is_mono_bus(source):
            # The pan law does not turn a mono bus down; a track it would.
            fader_db -= self._centre_db
        behind_fader = () if tap == "pre-chain" else split_at_fader(source.chain)[1]
        plays_itself = traits_of(source).plays_clips and (tap == "pre-chain" or not sounding_steps(source.chain))
        fields = ["control_groups/", "sends/", *(f"chain/{step.id}/" for step in behind_fader)]
        fields += () if tap == "pre-chain" else ("fader_db", "pan/", "width")
        fields += ("trim_db",) if plays_itself else ()
        ghost = Strip.model_construct(
            id=source.id + (RAW if tap == "pre-chain" else ""),
            kind="track",
            name=source.name,
            fader_db=fader_db,
            mute=source.mute and prints.led,
            pan=source.pan if tap != "pre-chain" else Pan(),
            width=source.width,
            width_level_db=source.width_level_db,
            layout=source.layout if is_wide(source) else None,
            chain=self.keyed(source, (*self._leading(source, tuple(fields)), *behind_fader)),
            output=None,
        )
        if plays_itself:
            own = ("layout", "clips", "pattern", "click", "input", "trim_db", "polarity_inverted")
            return ghost.model_copy(update={name: getattr(source, name) for name in own})
        media_id = f"{tap} of {source.id}"
        self._taps[media_id] = (source.id, tap)
        return ghost.model_copy(update={"clips": (Clip.model_construct(media=media_id),)})

    def feed(self, other: Strip, strip: Strip) -> None:
        """Let a strip's output and sends reach ``strip`` as they do in the session."""
        sends = [send for send in other.sends if send.to == strip.id and self._is_open(other, send)]
        plain = tuple(self._send(other, send) for send in sends if send.tap != "pre-chain")
        raw = tuple(self._send(other, send) for send in sends if send.tap == "pre-chain")
        if other.output == strip.id or plain:
            output = {"output": strip.id, "late": other.late} if other.output == strip.id else {}
            self._keep(self.of(other, "pre-fader").model_copy(update={**output, "sends": plain}))
        if raw:
            self._keep(self.of(other, "pre-chain").model_copy(update={"sends": raw}))

    def keyed(self, strip: Strip, chain: Chain) -> Chain:
        """A chain whose detectors hear ghosts."""
        changed: list[Processor] = []
        for processor in chain:
            if processor.type == "parallel":
                lanes = tuple(
                    lane.model_copy(update={"chain": self.keyed(strip, lane.chain)}) for lane in processor.lanes
                )
                changed.append(processor.model_copy(update={"lanes": lanes}))
            elif isinstance(processor, Keyed) and processor.key.source not in (None, strip.id):
                changed.append(processor.model_copy(update={"key": self._key(processor)}))
            else:
                changed.append(processor)
        return tuple(changed)

    def alone(self, target: Strip, *, with_chain: bool) -> Alone:
        """The session of the ghosts and a strip, which is itself or a stand-in, too."""
        strips = [*self._made.values(), target]
        if target.kind != "mix":
            strips.append(Strip(id="mix.alone", kind="mix", name="Mix"))
        led = {strip.id for strip in strips if strip.id in self._prints and self._prints[strip.id].led}
        groups = tuple(
            group.model_copy(update={"members": tuple(m for m in group.members if m not in self._prints or m in led)})
            for group in self._session.control_groups
        )
        whole = target if with_chain else None
        moves = tuple(move for strip in strips for move in self._moves_of(strip, whole))
        moves += tuple(move for move in self._moves.values() if move.target.startswith("control_groups/"))
        update = {"strips": tuple(strips), "control_groups": groups if led else (), "folders": (), "moves": moves}
        return Alone(without_lost_moves(self._session.model_copy(update=update)), self._taps)

    def _moves_of(self, strip: Strip, whole: Strip | None) -> Iterator[Move]:
        """The moves that still lead a strip here: of a stand-in what happens behind what it plays."""
        source_id = strip.id.removesuffix(RAW)
        fields = ["sends/", *(() if strip.id != source_id else ("fader_db", "mute", "pan/", "width"))]
        fields += [f"chain/{step.id}/" for step in strip.chain if strip is not whole]
        if strip.clips and strip.clips[0].media not in self._taps:
            fields += ["trim_db", "polarity_inverted"]
        for move in self._moves.values():
            _, _, field = move.target.removeprefix("strips/").partition("/")
            if move.target.startswith(f"strips/{source_id}/") and (strip is whole or field.startswith(tuple(fields))):
                by_db = 0.0 if strip is whole else self._correction_db(self._session.strip(source_id), field)
                yield _turned(move, f"strips/{strip.id}/{field}", by_db)

    def _correction_db(self, source: Strip, field: str) -> float:
        """What a level of a stand-in has to differ by: a track's pan law turns down what a mono bus's does not."""
        before_fader = {f"sends/{send.id}/level_db" for send in source.sends if send.tap != "post-fader"}
        return -self._centre_db if _is_mono_bus(source) and field in {"fader_db", *before_fader} else 0.0

    def _leading(self, source: Strip, fields: tuple[str, ...]) -> Chain:
        """A strip's followers with no more than what moves some of its fields, as its stand-in has to be moved."""
        found: list[Processor] = []
        for step in followers_in(source.chain):
            assert isinstance(step, FollowerStep)
            pulls = tuple(self._pull(source, pull) for pull in step.params.pulls if pull.field.startswith(fields))
            if pulls:
                params = step.params.model_copy(update={"pulls": pulls})
                found.append(step.model_copy(update={"params": params}))
        return tuple(found)

    def _pull(self, source: Strip, pull: Pull) -> Pull:
        by_db = self._correction_db(source, pull.field)
        return pull if pull.to is None or by_db == 0.0 else pull.model_copy(update={"to": pull.to + by_db})

    def _is_open(self, strip: Strip, send: Send) -> bool:
        moves = any(f"strips/{strip.id}/sends/{send.id}/{field}" in self._moves for field in ("level_db", "on"))
        return moves or (send.on and send.level_db is not None)

    def _key(self, processor: Keyed) -> Key:
        key = processor.key
        source = self._session.strip(key.source or "")
        ghost = self.of(source, "pre-chain" if key.tap == "pre-chain" else "pre-fader")
        if ghost.id not in self._made:
            self._keep(ghost)
        # What a ghost plays is its own pre-fader tap.
        return key.model_copy(update={"source": ghost.id, "tap": _ghost_tap(key.tap)})

    def _send(self, other: Strip, send: Send) -> Send:
        level_db = send.level_db or 0.0
        if send.tap != "post-fader" and _is_mono_bus(other):
            level_db -= self._centre_db
        return send.model_copy(update={"level_db": level_db, "tap": _ghost_tap(send.tap)})

    def _keep(self, ghost: Strip) -> None:
        self._made[ghost.id] = ghost


def _turned(move: Move, target: str, by_db: float) -> Move:
    """A move of another target, its levels turned."""
    points = tuple(
        point if by_db == 0.0 or point.value is None else point.model_copy(update={"value": point.value + by_db})
        for point in move.points
    )
    return move.model_copy(update={"target": target, "points": points})


def _ghost_tap(tap: Tap) -> Tap:
    return "pre-fader" if tap == "pre-chain" else tap


def _is_mono_bus(strip: Strip) -> bool:
    return traits_of(strip).takes_signals and strip.input not in ("as-is", "swap")


def pre_chain_taps(session: Session) -> set[str]:
    """Strips whose audio before the chain others hear."""
    wanted = {strip.id for strip in session.strips for send in strip.sends if send.tap == "pre-chain"}
    for strip in session.strips:
        for processor in keyed_processors(strip):
            if processor.key.source not in (None, strip.id) and processor.key.tap == "pre-chain":
                wanted.add(processor.key.source or "")
    return wanted
