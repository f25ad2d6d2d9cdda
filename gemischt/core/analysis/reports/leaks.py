"""What still sounds of a strip or bus when its fader is down, and how to bring that down too."""

from dataclasses import dataclass

from gemischt.core.analysis.sub_sessions.paths import isolate
from gemischt.core.engine.tap_reader import Media, Report, StretchS, no_report, read_levels, stretch_of
from gemischt.core.routing.paths import Way, steps_feeding, tap_of, ways_to_mix
from gemischt.core.session.actions import AddGroup, SetSends, SingleAction, Together
from gemischt.core.session.actions.route import SendSettings
from gemischt.core.session.document import Session, Strip
from gemischt.core.session.edits import find_strip, replace_strip
from gemischt.core.session.kinds import traits_of


@dataclass(frozen=True)
class Leak:
    """A track that is still heard: its signal leaves at a strip by one of its sends, before or after that fader."""

    strip: str
    at: str
    send: str | None
    through: tuple[str, ...]
    before_fader: bool


@dataclass(frozen=True)
class Leaks:
    """What is left of ``strip`` when its fader is down: peak and RMS at the mix over the stretch, and the cure.

    The cure leaves the mix as it is; afterwards the group's level silences everything.
    """

    strip: str
    leaks: tuple[Leak, ...]
    peak_dbfs: float
    rms_dbfs: float
    cure: Together | None
    cure_text: str


def find_leaks(
    session: Session,
    media: Media,
    strip_id: str,
    *,
    stretch_s: StretchS | None = None,
    report: Report = no_report,
) -> Leaks:
    """Follow everything that feeds a strip past it to the mix, and measure what arrives there."""
    strip = find_strip(session, strip_id)
    silenced = replace_strip(session, strip.model_copy(update={"fader_db": None}))
    left = _left_ways(session, strip_id)
    leaks, cure, text = leaks_of(session, strip)
    steps = {step for ways in left.values() for way in ways for step in way}
    sounding = [source for source, ways in left.items() if ways]
    levels = read_levels(
        isolate(silenced, steps, sounding), media, stretch_of(session, media, stretch_s), report=report
    )
    return Leaks(
        strip=strip_id,
        leaks=leaks,
        peak_dbfs=levels.peak_db(session.mix.id, "post-fader"),
        rms_dbfs=levels.rms_db(session.mix.id, "post-fader"),
        cure=cure,
        cure_text=text,
    )


def leaks_of(session: Session, strip: Strip) -> tuple[tuple[Leak, ...], Together | None, str]:
    """What would still be heard of a strip with its fader down, and the cure with its words; nothing is rendered."""
    left = _left_ways(session, strip.id)
    leaks = tuple(_leak(session, way, strip.id) for ways in left.values() for way in ways)
    return leaks, *_cure(session, strip, leaks)


def _left_ways(session: Session, strip_id: str) -> dict[str, list[Way]]:
    """Per track that feeds a strip, its ways to the mix that do not pass the strip's fader."""
    _, feeding = steps_feeding(session, strip_id)
    return {
        source.id: [way for way in ways_to_mix(session, source.id) if not _passes_fader(session, way, strip_id)]
        for source in session.strips
        if source.id in feeding and traits_of(source).plays_clips
    }


def _passes_fader(session: Session, way: Way, strip_id: str) -> bool:
    strip = session.strip(strip_id)
    return any(step.strip == strip_id and tap_of(strip, step) == "post-fader" for step in way)


def _leak(session: Session, way: Way, strip_id: str) -> Leak:
    leaving = next((step for step in way if step.send is not None), way[0])
    before = tap_of(session.strip(leaving.strip), leaving) != "post-fader"
    through = tuple(step.to for step in way[:-1] if step.to != strip_id)
    return Leak(way[0].strip, leaving.strip, leaving.send, through, before_fader=before)


def _cure(session: Session, strip: Strip, leaks: tuple[Leak, ...]) -> tuple[Together | None, str]:
    """Sends before a fader move behind it; what leaves before the strip is held by a control group with it."""
    if not leaks:
        return None, ""
    early = {(leak.at, leak.send) for leak in leaks if leak.before_fader and leak.send is not None}
    actions: list[SingleAction] = []
    words: list[str] = []
    if early:
        changes = tuple(SendSettings(strip=at, send=send, tap="post-fader") for at, send in sorted(early))
        actions.append(SetSends(changes=changes))
        words.append(f"move {len(early)} send{'' if len(early) == 1 else 's'} behind the fader")
    members = list(dict.fromkeys(leak.strip for leak in leaks if leak.at != strip.id))
    if members:
        name = f"All {strip.name}"
        actions.append(AddGroup(name=name, members=(*members, strip.id)))
        words.append(f"hold {strip.name} and {len(members)} strips in the control group {name}")
    text = " and ".join(words)
    return Together(title=f"{strip.name}: {text}", actions=tuple(actions)), text[:1].upper() + text[1:]
