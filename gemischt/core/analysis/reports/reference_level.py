"""Bringing strips to a reference level: what would change, and the one edit that changes it."""

from dataclasses import dataclass
from typing import Literal

from gemischt.core.analysis.measurement.results import SongMeasurement
from gemischt.core.metering.stage_meter import StageLevels
from gemischt.core.session.actions import SetClips, SetStrips, SingleAction, StripSettings, Together
from gemischt.core.session.actions.clips import ClipSettings
from gemischt.core.session.document import Session, Strip
from gemischt.core.session.edits import find_strip, names_of
from gemischt.core.units import SILENCE_DB

Figure = Literal["peak", "rms", "vu", "loudness"]
Place = Literal["trim", "clip gain"]
THERE_DB = 0.05


@dataclass(frozen=True)
class Proposal:
    """One strip: its level after the trim now, the change, and the level then; ``remark`` says why it stays."""

    strip: str
    now: float
    change_db: float
    then: float
    remark: str


@dataclass(frozen=True)
class ReferencePlan:
    """What bringing to reference would do; ``edit`` is None if nothing would change."""

    proposals: tuple[Proposal, ...]
    edit: Together | None


def figure_of(levels: StageLevels, figure: Figure, vu_reference_dbfs: float) -> float:
    """One figure of a stage: dBFS, dBFS, VU or LUFS."""
    match figure:
        case "peak":
            return levels.sample_peak_dbfs
        case "rms":
            return levels.rms_dbfs
        case "vu":
            return levels.vu_dbfs - vu_reference_dbfs
        case "loudness":
            return levels.integrated_lufs


def bring_to_reference(
    session: Session,
    measurement: SongMeasurement,
    strip_ids: list[str],
    *,
    figure: Figure,
    target: float,
    place: Place = "trim",
    together: bool = False,
    compensate: bool = False,
) -> ReferencePlan:
    """Plan to bring strips' levels after the trim to a target.

    Args:
        together: all by the same amount, so that the loudest meets the target and their balance stays.
        compensate: turn each fader the other way; what is heard stays the same where the chain is linear.

    Raises:
        InvalidAction: a strip is not there.
    """
    strips = [find_strip(session, strip_id) for strip_id in strip_ids]
    zero_vu = session.vu_reference_dbfs
    now = {strip.id: figure_of(measurement.strips[strip.id].stage("trim"), figure, zero_vu) for strip in strips}
    heard = [level for level in now.values() if level > SILENCE_DB]
    shared = target - max(heard) if together and heard else None
    proposals = tuple(_propose(strip, now[strip.id], target, shared, place) for strip in strips)
    actions: list[SingleAction] = []
    for strip, proposal in zip(strips, proposals, strict=True):
        if proposal.change_db != 0.0:
            actions.extend(_changes(strip, proposal.change_db, place, compensate=compensate))
    if not actions:
        return ReferencePlan(proposals, None)
    title = f"{names_of(session, strip_ids)}: {figure} to {target:g}"
    return ReferencePlan(proposals, Together(title=title, actions=tuple(actions)))


def _propose(strip: Strip, now: float, target: float, shared: float | None, place: Place) -> Proposal:
    if now == SILENCE_DB:
        return Proposal(strip.id, now, 0.0, now, "silent")
    if place == "clip gain" and not strip.clips:
        return Proposal(strip.id, now, 0.0, now, "has no clips")
    change = round(target - now if shared is None else shared, 2)
    if abs(change) < THERE_DB:
        return Proposal(strip.id, now, 0.0, now, "is there already")
    if place == "trim" and abs(strip.trim_db + change) > 60.0:
        return Proposal(strip.id, now, 0.0, now, "is further away than a trim reaches")
    return Proposal(strip.id, now, change, now + change, "")


def _changes(strip: Strip, change_db: float, place: Place, *, compensate: bool) -> list[SingleAction]:
    actions: list[SingleAction] = []
    if place == "trim":
        actions.append(SetStrips(changes=(StripSettings(strip=strip.id, trim_db=round(strip.trim_db + change_db, 2)),)))
    else:
        clips = tuple(
            ClipSettings(strip=strip.id, clip=index, gain_db=round((clip.gain_db or 0.0) + change_db, 2))
            for index, clip in enumerate(strip.clips)
        )
        actions.append(SetClips(changes=clips))
    if compensate and strip.fader_db is not None:
        fader = round(strip.fader_db - change_db, 2)
        actions.append(SetStrips(changes=(StripSettings(strip=strip.id, fader_db=min(24.0, max(-120.0, fader))),)))
    return actions
