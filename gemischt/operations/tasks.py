"""Tasks that render whole songs: what each needs, and what it gives as JSON.

They cross over to a process of their own (``task_process``), so what they need is data, too.
"""

from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, TypeAdapter

from gemischt.core.analysis.reports.duck_report import glance_at_ducks, report_duck
from gemischt.core.analysis.reports.lane_alignment import report_block
from gemischt.core.analysis.reports.leaks import find_leaks
from gemischt.core.analysis.reports.overlap import propose_room
from gemischt.core.analysis.reports.path_ledger import path_ledger
from gemischt.core.analysis.reports.reference_level import Figure, Place, bring_to_reference
from gemischt.core.analysis.reports.relations import find_relation
from gemischt.core.metering.ballistics import FLOOR_DB
from gemischt.core.metering.bands import CENTRES_HZ
from gemischt.core.session.beds import bed_of
from gemischt.core.session.document import Session
from gemischt.core.session.kinds import is_wide
from gemischt.core.space.layout import LAYOUTS
from gemischt.core.terms import Id
from gemischt.core.units import heard_or_none
from gemischt.operations.handing_over import HandedOver, hand_over
from gemischt.operations.print_lists import run_list
from gemischt.operations.reports import report_to_json
from gemischt.operations.session_measuring import (
    examine_session,
    finding_to_json,
    measure_session,
    measurement_to_json,
    mix_loudness_lufs,
    stage_of_session,
    strips_in_song,
)
from gemischt.operations.tempo_estimating import estimate_strip
from gemischt.operations.workspace import Workspace
from gemischt.storage.audio_files import Progress

StretchS = tuple[float, float]


class MeasureSong(BaseModel):
    """Every strip at every stage, the mix over the song, and what was found; only what an edit changed is rendered."""

    task: Literal["measure-song"] = "measure-song"
    session: Session

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        measurement = measure_session(workspace, self.session, lambda share: progress(share / 2))
        found = examine_session(workspace, self.session, measurement, lambda share: progress((1 + share) / 2))
        return measurement_to_json(self.session, measurement) | {"findings": [finding_to_json(item) for item in found]}


class ReferenceOrder(BaseModel):
    """What to bring where; ``target`` in the figure's own unit."""

    strips: list[Id] = Field(min_length=1, max_length=512)
    figure: Figure = "peak"
    target: float = Field(default=-18.0, ge=-80.0, le=20.0)
    place: Place = "trim"
    together: bool = False
    compensate: bool = False


class PlanReference(BaseModel):
    """What bringing strips to a reference would change, and the edit that does it."""

    task: Literal["plan-reference"] = "plan-reference"
    session: Session
    order: ReferenceOrder

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        order = self.order
        plan = bring_to_reference(
            self.session,
            measure_session(workspace, self.session, progress),
            order.strips,
            figure=order.figure,
            target=order.target,
            place=order.place,
            together=order.together,
            compensate=order.compensate,
        )
        return _written(plan)


class MatchLoudness(BaseModel):
    """Loudness of the mix and of what it is compared with, and what makes the latter as loud."""

    task: Literal["match-loudness"] = "match-loudness"
    session: Session
    other: Session
    stretch_s: StretchS | None

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        measured = measure_session(workspace, self.session, lambda share: progress(0.5 * share))
        other_measured = measure_session(workspace, self.other, lambda share: progress(0.5 + 0.5 * share))
        here = mix_loudness_lufs(self.session, measured, self.stretch_s)
        there = mix_loudness_lufs(self.other, other_measured, self.stretch_s)
        audible = min(here, there) > FLOOR_DB
        return {
            "lufs": heard_or_none(here),
            "other_lufs": heard_or_none(there),
            "matching_db": here - there if audible else 0.0,
        }


class _OfStrip(BaseModel):
    """What is asked about one strip, over a stretch or the whole song."""

    session: Session
    strip: Id
    stretch_s: StretchS | None


class MeasureLedger(_OfStrip):
    """Every way of a strip to the mix, measured."""

    task: Literal["measure-ledger"] = "measure-ledger"

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        media = workspace.open_media(self.session).samples
        return _written(path_ledger(self.session, media, self.strip, stretch_s=self.stretch_s, report=progress))


class FindLeaks(_OfStrip):
    """What is left of a strip when its fader is down."""

    task: Literal["find-leaks"] = "find-leaks"

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        media = workspace.open_media(self.session).samples
        return _written(find_leaks(self.session, media, self.strip, stretch_s=self.stretch_s, report=progress))


class ReportBlock(_OfStrip):
    """What a parallel block adds up to, and whether its lanes comb."""

    task: Literal["report-block"] = "report-block"
    block: Id

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        session = self.session
        media = workspace.open_media(session).samples
        return _written(
            report_block(
                session,
                media,
                self.strip,
                self.block,
                stretch_s=self.stretch_s,
                in_song=strips_in_song(workspace, session, media),
                report=progress,
            )
        )


class ReportDuck(BaseModel):
    """What something that makes room does, heard at one of its targets."""

    task: Literal["report-duck"] = "report-duck"
    session: Session
    relation: str
    target: Id | None = None
    stretch_s: StretchS | None

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        relation = find_relation(self.session, self.relation)
        media = workspace.open_media(self.session).samples
        heard = report_duck(
            self.session,
            media,
            relation,
            target=self.target,
            stretch_s=self.stretch_s,
            in_song=strips_in_song(workspace, self.session, media),
            report=progress,
        )
        return _written(heard)


class GlanceAtDucks(BaseModel):
    """What everything that makes room does, at a glance."""

    task: Literal["glance-at-ducks"] = "glance-at-ducks"
    session: Session
    stretch_s: StretchS | None

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        media = workspace.open_media(self.session).samples
        in_song = strips_in_song(workspace, self.session, media)
        glances = glance_at_ducks(self.session, media, stretch_s=self.stretch_s, in_song=in_song, report=progress)
        return {"glances": report_to_json(glances)}


class ProposeRoom(BaseModel):
    """How one strip had best make room for another, from what is heard of both."""

    task: Literal["propose-room"] = "propose-room"
    session: Session
    target: Id
    trigger: Id

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        media = workspace.open_media(self.session).samples
        in_song = strips_in_song(workspace, self.session, media)
        proposed = propose_room(self.session, media, self.target, self.trigger, in_song=in_song, report=progress)
        return _written(proposed)


class MeasureStage(BaseModel):
    """Where each strip is heard, and which bed each of one or two channels can be placed in."""

    task: Literal["measure-stage"] = "measure-stage"
    session: Session

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        found = stage_of_session(workspace, self.session, progress)
        places = [{"strip": strip, **_written(place)} for strip, place in found.items()]
        beds = {strip.id: bed_of(self.session, strip) for strip in self.session.strips if not is_wide(strip)}
        named = {strip: bed.name for strip, bed in beds.items() if bed.n_channels > 2}
        layouts = {name: [asdict(channel) for channel in layout.channels] for name, layout in LAYOUTS.items()}
        return {"places": places, "bands_hz": CENTRES_HZ.tolist(), "beds": named, "layouts": layouts}


class EstimateTempo(BaseModel):
    """How fast a strip is, and how sure that is."""

    task: Literal["estimate-tempo"] = "estimate-tempo"
    session: Session
    strip: Id

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        return estimate_strip(self.session, workspace.open_media(self.session).samples, self.strip, progress)


class PrintRun(BaseModel):
    """All files of a run of prints that are not there yet."""

    task: Literal["print-run"] = "print-run"
    run_id: str

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        files = run_list(workspace, self.run_id, progress)
        return {"run": self.run_id, "files": {file.id: file.state for file in files}}


class HandOver(BaseModel):
    """The song for somebody else, among the prints."""

    task: Literal["hand-over"] = "hand-over"
    session: Session
    kind: HandedOver

    def run(self, workspace: Workspace, progress: Progress) -> dict[str, Any]:
        path = hand_over(workspace, self.session, self.kind, progress)
        return {"file_name": path.name, "size_bytes": path.stat().st_size}


Task = Annotated[
    MeasureSong
    | PlanReference
    | MatchLoudness
    | MeasureLedger
    | FindLeaks
    | ReportBlock
    | ReportDuck
    | GlanceAtDucks
    | ProposeRoom
    | MeasureStage
    | EstimateTempo
    | PrintRun
    | HandOver,
    Field(discriminator="task"),
]
TASK: TypeAdapter[Task] = TypeAdapter(Task)


def _written(report: object) -> dict[str, Any]:
    written: dict[str, Any] = report_to_json(report)
    return written
