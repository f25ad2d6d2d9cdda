"""Rules between the parts of a session, and reading one from JSON."""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from itertools import pairwise
from typing import Any

from pydantic import ValidationError

from gemischt.core.errors import Fault, InvalidAction, InvalidSession
from gemischt.core.processors.delay_params import LONGEST_NOTE_S
from gemischt.core.processors.registry import kind_of, label_of
from gemischt.core.routing.graph import find_loop, keys_of, walk_chain
from gemischt.core.session.addresses import read
from gemischt.core.session.beds import bed_of, destination_of, is_around
from gemischt.core.session.document import FORMAT_NAME, FORMAT_VERSION, Pan, Parallel, Session, Strip
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.ducks import Hits, WrittenNotes
from gemischt.core.session.kinds import traits_of
from gemischt.core.session.moves import is_movable, moves_faults
from gemischt.core.space.layout import LAYOUTS, MONO
from gemischt.core.units import note_to_s


def parse_session(document: object, *, where: str = "") -> Session:
    """Read a session from parsed JSON.

    Raises:
        InvalidSession: with every fault found, each with its path.
    """
    if not isinstance(document, dict):
        raise InvalidSession([Fault("", "a session is a JSON object")], where=where)
    version = document.get("version", FORMAT_VERSION)
    if document.get("format", FORMAT_NAME) != FORMAT_NAME:
        raise InvalidSession([Fault("format", f'must be "{FORMAT_NAME}"')], where=where)
    if isinstance(version, int) and version > FORMAT_VERSION:
        reason = f"this file is of version {version}, newer than this program reads ({FORMAT_VERSION}); update Gemischt"
        raise InvalidSession([Fault("version", reason)], where=where)
    try:
        session = Session.model_validate(document)
    except ValidationError as error:
        raise InvalidSession(faults_of(error, document), where=where) from None
    check_session(session, where=where)
    return session


def faults_of(error: ValidationError, document: object = None) -> list[Fault]:
    """Pydantic's findings as paths and reasons; where the document has ids, paths are addresses."""
    return [
        Fault(_path(item["loc"], document), item["msg"].removeprefix("Value error, "))
        for item in error.errors(include_url=False, include_context=False)
    ]


def dump_session(session: Session) -> dict[str, Any]:
    """The session as JSON holds it."""
    return session.model_dump(mode="json", by_alias=True)


def check_session(session: Session, *, where: str = "") -> None:
    """Raise InvalidSession unless all references resolve, ids are unique and nothing loops."""
    faults = list(_faults(session)) or list(_bed_faults(session))
    if not faults and (loop := find_loop(with_steps_in_chains(session))):
        faults.append(Fault("strips", f"a loop: {spell_loop(session, loop)}"))
    if faults:
        raise InvalidSession(faults, where=where)


def spell_loop(session: Session, loop: list[str]) -> str:
    """A loop in names: "Toms -> Drums -> Toms"."""
    return " -> ".join(session.strip(strip_id).name for strip_id in loop)


def _faults(session: Session) -> Iterator[Fault]:
    mixes = [strip.id for strip in session.strips if strip.kind == "mix"]
    if len(mixes) != 1:
        yield Fault("strips", f"exactly one strip must be of kind mix, found {len(mixes)}")
    yield from _repeated("strips", (strip.id for strip in session.strips))
    yield from _repeated("media", (media.id for media in session.media))
    yield from _repeated("folders", (folder.id for folder in session.folders))
    yield from _repeated("control_groups", (group.id for group in session.control_groups))
    yield from _strip_faults(session)
    yield from _folder_faults(session)
    yield from _group_faults(session)
    yield from _duck_faults(session)
    yield from moves_faults(session)
    for index, section in enumerate(session.sections):
        if section.end_s <= section.start_s:
            yield Fault(f"sections/{index}", "must end after it starts")
    times = [tempo.at_s for tempo in session.tempo]
    if not times or any(later <= earlier for earlier, later in pairwise(times)):
        yield Fault("tempo", "must say at least one tempo, and be in order of time")
    yield from _print_faults(session)
    yield from _repeated("note_tracks", (track.id for track in session.note_tracks))
    for track in session.note_tracks:
        if any(later.at_s < earlier.at_s for earlier, later in pairwise(track.notes)):
            yield Fault(f"note_tracks/{track.id}", "notes must be in order of time")


def _print_faults(session: Session) -> Iterator[Fault]:
    strips = {strip.id for strip in session.strips}
    yield from _repeated("prints", (item.id for item in session.prints))
    yield from _repeated("targets", (target.id for target in session.targets))
    for item in session.prints:
        for strip_id in (*item.strips, *item.of):
            if strip_id not in strips:
                yield Fault(f"prints/{item.id}/strips", f'no strip "{strip_id}"')


def _strip_faults(session: Session) -> Iterator[Fault]:
    strips = {strip.id: strip for strip in session.strips}
    media = {item.id for item in session.media}
    folders = {folder.id for folder in session.folders}
    for strip in session.strips:
        path = f"strips/{strip.id}"
        if strip.output is not None:
            yield from _destination_faults(f"{path}/output", strip.output, strips)
            if strip.kind == "mix":
                yield Fault(f"{path}/output", "the mix plays out; it has no output strip")
            elif not traits_of(strip).has_output:
                yield Fault(f"{path}/output", f"a {strip.kind} is only heard by keys; it has no output")
        elif strip.late:
            yield Fault(f"{path}/late", "only a strip that plays to another one can join it late")
        if strip.folder is not None and strip.folder not in folders:
            yield Fault(f"{path}/folder", f'no folder "{strip.folder}"')
        if strip.sends and not traits_of(strip).is_heard:
            yield Fault(f"{path}/sends", f"a {strip.kind} is only heard by keys; it has no sends")
        if strip.clips and not traits_of(strip).plays_clips:
            yield Fault(f"{path}/clips", f"a {strip.kind} plays no clips")
        for index, clip in enumerate(strip.clips):
            if clip.media not in media:
                yield Fault(f"{path}/clips/{index}/media", f'no media "{clip.media}"')
        yield from _repeated(f"{path}/sends", (send.id for send in strip.sends))
        for send in strip.sends:
            yield from _destination_faults(f"{path}/sends/{send.id}/to", send.to, strips)
        yield from _layout_faults(path, strip)
        processors = list(walk_chain(strip.chain))
        yield from _repeated(f"{path}/chain", (processor.id for processor in processors))
        for processor in processors:
            if processor.type == "parallel":
                yield from _lanes_faults(f"{path}/chain/{processor.id}", processor)
            if processor.type == "delay" and processor.params.note is not None:
                yield from _note_faults(f"{path}/chain/{processor.id}/note", processor.params.note, session)
            for at, key in keys_of(processor):
                if key.source not in (None, *strips):
                    yield Fault(f"{path}/chain/{processor.id}/{at}/from", f'no strip "{key.source}"')


def _lanes_faults(path: str, block: Parallel) -> Iterator[Fault]:
    yield from _repeated(path, (lane.id for lane in block.lanes))
    yield from _repeated(f"{path}/splits", (split.id for split in block.splits))
    if block.splits and len(block.lanes) != len(block.splits) + 1:
        wanted = len(block.splits) + 1
        yield Fault(f"{path}/lanes", f"{len(block.splits)} splits make {wanted} bands, got {len(block.lanes)} lanes")
    for lower, split in pairwise(block.splits):
        if split.frequency_hz < lower.frequency_hz:
            yield Fault(f"{path}/splits/{split.id}", f"must not lie below the one before, {lower.frequency_hz:g} Hz")


def _layout_faults(path: str, strip: Strip) -> Iterator[Fault]:
    """What stands for two sides has none to work on where there are more channels, or one."""
    if strip.layout is None:
        return
    layout = LAYOUTS[strip.layout]
    if layout == MONO and not traits_of(strip).plays_clips:
        yield Fault(f"{path}/layout", f"a {strip.kind} has two channels or more; let its input sum them")
    if layout.n_channels <= 2:
        return
    channels = f"{layout.name} has {layout.n_channels} channels"
    if strip.input != "as-is":
        yield Fault(f"{path}/input", f"{strip.input} is for two channels, and {channels}; set the input to as-is")
    if strip.pan != Pan() or (strip.width, strip.width_level_db) != (1.0, 0.0):
        yield Fault(f"{path}/pan", f"pan and width are for one or two channels, and {channels}; set both back first")
    if strip.mono_below_hz is not None:
        yield Fault(f"{path}/mono_below_hz", f"mono lows are for two channels, and {channels}; switch them off")
    for processor in walk_chain(strip.chain):
        if processor.type == "parallel":
            continue
        most = kind_of(processor.type).most_channels
        if most is not None and layout.n_channels > most:
            label = label_of(processor.type)
            yield Fault(
                f"{path}/chain/{processor.id}",
                f"{label} works on {most} channels at most, and {channels}; "
                "let it stand on a strip of two that is placed around",
            )
        if processor.type == "gain" and processor.params.has_sides:
            reason = f"sides can be swapped and turned of two channels only, and {channels}"
            yield Fault(f"{path}/chain/{processor.id}", reason)


def _bed_faults(session: Session) -> Iterator[Fault]:
    """What is placed around has to have a bed."""
    for strip in session.strips:
        if is_around(strip) and bed_of(session, strip).n_channels <= 2:
            to = destination_of(session, strip)
            reason = f'around is a place among more than two channels, and "{to.name}", where it plays to, has two'
            remedy = "pan it by balance, fold or two-handed, or let it play into a bed"
            yield Fault(f"strips/{strip.id}/pan/mode", f'"{strip.name}": {reason}; {remedy}')


def _destination_faults(path: str, destination: str, strips: Mapping[str, Strip]) -> Iterator[Fault]:
    strip = strips.get(destination)
    if strip is None:
        yield Fault(path, f'no strip "{destination}"')
    elif not traits_of(strip).takes_signals:
        yield Fault(path, f'"{destination}" is a {strip.kind}; only a bus, a return or the mix takes signals in')


def _folder_faults(session: Session) -> Iterator[Fault]:
    parents = {folder.id: [folder.parent] if folder.parent else [] for folder in session.folders}
    buses = {strip.id for strip in session.strips if strip.kind == "bus"}
    for folder in session.folders:
        if folder.parent is not None and folder.parent not in parents:
            yield Fault(f"folders/{folder.id}/parent", f'no folder "{folder.parent}"')
        if folder.bus is not None and folder.bus not in buses:
            yield Fault(f"folders/{folder.id}/bus", f'no bus "{folder.bus}"')
    for inside_itself in _in_circles(parents):
        yield Fault(f"folders/{inside_itself}/parent", "a folder cannot lie inside itself")


def _group_faults(session: Session) -> Iterator[Fault]:
    strips = {strip.id for strip in session.strips}
    groups = {group.id: list(group.members) for group in session.control_groups}
    for group in session.control_groups:
        path = f"control_groups/{group.id}"
        if group.id in strips:
            yield Fault(path, "a strip has the same id")
        for member in group.members:
            if member not in strips and member not in groups:
                yield Fault(f"{path}/members", f'no strip or group "{member}"')
        yield from _repeated(f"{path}/members", group.members)
    for inside_itself in _in_circles(groups):
        yield Fault(f"control_groups/{inside_itself}/members", "a group cannot be a member of itself")


def _duck_faults(session: Session) -> Iterator[Fault]:
    strips = {strip.id: strip for strip in session.strips}
    yield from _repeated("ducks", (duck.id for duck in session.ducks))
    for duck in session.ducks:
        path = f"ducks/{duck.id}"
        yield from _repeated(f"{path}/targets", (target.id for target in duck.targets))
        if isinstance(duck.clock, Hits) and duck.clock.source not in strips:
            yield Fault(f"{path}/clock/from", f'no strip "{duck.clock.source}"')
        if isinstance(duck.clock, WrittenNotes):
            yield from _track_faults(f"{path}/clock/track", duck.clock, session)
        for index, (before, node) in enumerate(pairwise(duck.curve), start=1):
            if node.at < before.at:
                yield Fault(f"{path}/curve/{index}", "must not stand before the node before it")
            if index > 1 and node.at == duck.curve[index - 2].at:
                yield Fault(f"{path}/curve/{index}", "no more than two nodes can stand at one place")
        for target in duck.targets:
            strip = strips.get(target.strip)
            if strip is None:
                yield Fault(f"{path}/targets/{target.id}/strip", f'no strip "{target.strip}"')
            elif target.before is not None and all(item.id != target.before for item in walk_chain(strip.chain)):
                reason = f'no processor "{target.before}" on {strip.name}'
                yield Fault(f"{path}/targets/{target.id}/before", reason)
    yield from _follower_faults(session, strips)
    for strip in session.strips:
        if strip.pattern is not None and strip.kind != "ghost":
            yield Fault(f"strips/{strip.id}/pattern", f"a {strip.kind} clicks on no pattern; only a ghost does")
        if isinstance(strip.pattern, WrittenNotes):
            yield from _track_faults(f"strips/{strip.id}/pattern/track", strip.pattern, session)


def _follower_faults(session: Session, strips: Mapping[str, Strip]) -> Iterator[Fault]:
    yield from _repeated("followers", (follower.id for follower in session.followers))
    for follower in session.followers:
        path = f"followers/{follower.id}"
        yield from _repeated(f"{path}/targets", (target.id for target in follower.targets))
        if follower.source not in strips:
            yield Fault(f"{path}/from", f'no strip "{follower.source}"')
        if follower.ceiling_db <= follower.floor_db:
            yield Fault(f"{path}/ceiling_db", "must lie above the floor")
        for target in follower.targets:
            where = f"{path}/targets/{target.id}"
            try:
                parameter = read(session, target.target).parameter
            except InvalidAction as error:
                yield Fault(where, f"moves nothing: {error.what}" + (f" at {error.where}" if error.where else ""))
                continue
            if parameter.kind != "number" or not is_movable(target.target, parameter):
                yield Fault(where, f"{parameter.label.lower()} cannot be moved by a follower")
            elif reason := parameter.refusal(target.to):
                yield Fault(f"{where}/to", reason)
            elif target.target == f"strips/{follower.source}/trim_db":
                yield Fault(where, "a follower cannot move the trim of what it hears; let it move the fader")


def _track_faults(path: str, written: WrittenNotes, session: Session) -> Iterator[Fault]:
    if written.track is not None and all(track.id != written.track for track in session.note_tracks):
        yield Fault(path, f'no note track "{written.track}"')


def _in_circles(following: Mapping[str, list[str]]) -> Iterator[str]:
    """Names from which a walk comes back to where it began."""
    for start in following:
        reached: set[str] = set()
        waiting = list(following[start])
        while waiting:
            step = waiting.pop()
            if step not in reached:
                reached.add(step)
                waiting.extend(following.get(step, ()))
        if start in reached:
            yield start


def _repeated(path: str, ids: Iterable[str]) -> Iterator[Fault]:
    for name, count in Counter(ids).items():
        if count > 1:
            yield Fault(path, f'the id "{name}" is used {count} times')


def _path(location: tuple[int | str, ...], document: object) -> str:
    """Steps into the document; a part with an id goes by that, and what only says which kind of part it is is no step.

    A processor's parameters are addressed without a step of their own.
    """
    steps: list[str] = []
    part = document
    for step in location:
        if isinstance(part, list) and isinstance(step, int) and step < len(part):
            part = part[step]
            named = part.get("id") if isinstance(part, dict) else None
            steps.append(named if isinstance(named, str) and "/" not in named else str(step))
        elif isinstance(part, dict) and step in part:
            part = part[step]
            steps.append(str(step))
        elif not (isinstance(part, dict) and part.get("type") == step):
            part = None
            steps.append(str(step))
    return "/".join(step for step in steps if step != "params" or document is None)


def _note_faults(path: str, note: str, session: Session) -> Iterator[Fault]:
    """A delay that would have to wait longer than it can."""
    for tempo in session.tempo:
        length_s = note_to_s(note, bpm=tempo.bpm, beat=tempo.beat)
        if length_s > LONGEST_NOTE_S:
            reason = (
                f"a {note} note lasts {length_s:.0f} s at {tempo.bpm:g} bpm; a delay reaches {LONGEST_NOTE_S:.0f} s"
            )
            yield Fault(path, reason)
