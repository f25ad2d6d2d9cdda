"""What a duck does, heard on the real signal: trigger, target before and after, gain over time, and figures of it.

All is read in grains of about a millisecond. A hit is where the trigger reaches the threshold after it has been below
it for a while, or a tick of a clock of the song.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.reports.duck_figures import (
    GRAINS_PER_S,
    DuckFigures,
    figures_of,
    gate_verdict,
    hits_of,
    late_hits,
    onsets_of,
    verdict_of,
)
from gemischt.core.analysis.reports.follower_report import FollowerHeard, hear_follower
from gemischt.core.analysis.reports.grains import GRAINS_PER_BLOCK, Grains, binned, joined, written
from gemischt.core.analysis.reports.relations import Relation, relations_of, step_of
from gemischt.core.analysis.sub_sessions.paths import isolate
from gemischt.core.analysis.sub_sessions.strip import InSong
from gemischt.core.engine import specs
from gemischt.core.engine.clocks import lengths_by_tempo, ticks_of
from gemischt.core.engine.duck_operations import DuckOperation
from gemischt.core.engine.hearing import apply_of, heard_by
from gemischt.core.engine.plan import Plan, Watcher
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.specs import OperationId
from gemischt.core.engine.tap_reader import Media, Report, Stretch, StretchS, no_report, run_stretch, stretch_of
from gemischt.core.errors import InvalidAction
from gemischt.core.routing.paths import steps_feeding
from gemischt.core.session.actions.base import Action
from gemischt.core.session.actions.chain import SetProcessor
from gemischt.core.session.actions.ducks import SetDuck
from gemischt.core.session.document import Compressor, Gate, Session
from gemischt.core.session.duck_curves import like_sound
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.edits import find_duck, find_processor
from gemischt.core.session.steps import DuckStep

GLANCE_BINS = 190


@dataclass(frozen=True)
class DuckReport:
    """What was heard, in bins of equal length: peaks as amplitudes, times in seconds of the song.

    ``hits_s`` is where it starts, ``onsets_s`` where what it hears begins. ``gain_db`` is the gain; of a follower, by
    how much the parameter it moves is another one, in ``unit``. ``like_trigger`` gives a curve that hits start the
    shape of what hits. Of a drawn duck ``others`` are its other targets, and ``length_s`` is how long its curve lasts.
    """

    relation: str
    target: str
    start_s: float
    end_s: float
    trigger: tuple[float, ...]
    before: tuple[float, ...]
    after: tuple[float, ...]
    gain_db: tuple[float, ...]
    unit: str
    hits_s: tuple[float, ...]
    onsets_s: tuple[float, ...]
    threshold_db: float | None
    figures: DuckFigures
    verdict: str
    cure: Action | None
    cure_text: str
    like_trigger: Action | None = None
    others: "tuple[OtherTarget, ...]" = ()
    length_s: float | None = None


@dataclass(frozen=True)
class OtherTarget:
    """What the same curve does to another target, in dB; None where it is silent."""

    strip: str
    gain_db: tuple[float, ...]


@dataclass(frozen=True)
class DuckGlance:
    """A relation over a stretch at a glance: how deep it goes, and its gain in few bins."""

    relation: str
    deepest_db: float
    gain_db: tuple[float, ...]


class _Listener:
    """A probe that listens at one step of a chain."""

    def __init__(self, strip: str, step: str, grains: Grains) -> None:
        self._strip = strip
        self._step = step
        self._grains = grains

    def watchers(self, plan: Plan) -> Mapping[OperationId, Watcher]:
        """Just before the step, and at it."""
        applied = apply_of(plan, self._strip, self._step)
        order = list(plan.operations)
        before = order[order.index(applied.id) - 1]
        buffer = plan.buffers[applied.buffer]
        heard = heard_by(plan, self._strip, self._step)
        grains = self._grains
        if isinstance(applied, specs.Apply):
            reduction = plan.signals[applied.reduction]

            def gain_db(n_samples: int) -> NDArray[np.float64]:
                streams = int(reduction.streams[0])
                return np.asarray(-reduction.rows[:streams, :n_samples].max(axis=0))

        else:
            operation = plan.operations[applied.id]
            assert isinstance(operation, DuckOperation)

            def gain_db(n_samples: int) -> NDArray[np.float64]:
                return np.asarray(20.0 * np.log10(np.maximum(operation.gains[:n_samples], 1e-6)))

        def see_before(_operation: Any, n_samples: int) -> None:
            grains.before.append(grains.peaks(buffer, n_samples))
            if heard is not None:
                source, levels = heard
                grains.trigger.append(grains.peaks(plan.buffers[source], n_samples))
                highest = -grains.lowest(-plan.signals[levels].rows[0], n_samples)
                grains.levels_db.append(highest)

        def see_after(_operation: Any, n_samples: int) -> None:
            grains.after.append(grains.peaks(buffer, n_samples))
            if isinstance(applied, specs.Duck):
                grains.open.append(grains.lowest(plan.signals[applied.openness].rows[0], n_samples))
            grains.gain_db.append(grains.lowest(gain_db(n_samples), n_samples))

        return {before: see_before, applied.id: see_after}


def report_duck(
    session: Session,
    media: Media,
    relation: Relation,
    *,
    target: str | None = None,
    stretch_s: StretchS | None = None,
    in_song: InSong | None = None,
    report: Report = no_report,
) -> DuckReport:
    """Hear a relation at one of its targets, the first one if none is named.

    Args:
        in_song: gives a strip alone, where what it plays was rendered before; without it all is rendered here.

    Raises:
        InvalidAction: it has no target, or what turns it is not at work.
    """
    if not relation.targets:
        raise InvalidAction("it has no target yet", where=relation.sentence, remedy="Add one.")
    strip_id, step = step_of(relation, target)
    stretch = stretch_of(session, media, stretch_s)
    resolved, media = in_song(strip_id) if in_song else (with_steps_in_chains(session), media)
    if relation.kind in ("band", "follower"):
        return _of_follower(session, relation, hear_follower(resolved, media, relation, stretch, report))
    rate = session.sample_rate_hz
    grain = max(1, rate // GRAINS_PER_S)
    feeding, sounding = steps_feeding(resolved, strip_id)
    alone = isolate(resolved, feeding, sounding)
    renderer = Renderer(alone, media, max_block=grain * GRAINS_PER_BLOCK)
    grains = Grains(grain)
    renderer.probe = _Listener(strip_id, step, grains)
    applied = apply_of(renderer.plan, strip_id, step).id
    renderer.unwanted = renderer.plan.steps_behind(applied)
    lag = renderer.plan.blueprint.lags_at[applied]
    grains.gather(run_stretch(renderer, stretch, lag_samples=lag, report=report))
    n_grains = -(-stretch.n_samples // grain)
    processor = find_processor(resolved.strip(strip_id), step)
    trace = {
        "trigger": joined(grains.trigger, n_grains),
        "before": joined(grains.before, n_grains),
        "after": joined(grains.after, n_grains),
        "gain_db": joined(grains.gain_db, n_grains),
    }
    threshold_db = _threshold_of(processor)
    levels_db = joined(grains.levels_db, n_grains)
    hits = hits_of(processor, levels_db, threshold_db, stretch, rate, grain)
    above = float(np.mean(levels_db >= threshold_db)) if threshold_db is not None and len(levels_db) else 0.0
    figures = figures_of(trace["gain_db"], hits, trace["trigger"], processor, above)
    onsets = onsets_of(levels_db) if threshold_db is not None and isinstance(processor, DuckStep) else hits
    figures = replace(figures, late=late_hits(onsets, hits))
    cure, cure_text = release_cure(strip_id, step, figures)
    bins = {name: binned(values, np.minimum if name == "gain_db" else np.maximum) for name, values in trace.items()}
    return DuckReport(
        relation=relation.id,
        target=strip_id,
        start_s=stretch.start_samples / rate,
        end_s=stretch.end_samples / rate,
        trigger=written(bins["trigger"], 4),
        before=written(bins["before"], 4),
        after=written(bins["after"], 4),
        gain_db=written(bins["gain_db"], 2),
        unit="dB",
        hits_s=_times_s(hits, stretch, grain, rate),
        onsets_s=_times_s(onsets, stretch, grain, rate),
        threshold_db=threshold_db,
        figures=figures,
        verdict=gate_verdict(figures) if isinstance(processor, Gate) else verdict_of(figures),
        cure=cure,
        cure_text=cure_text,
        like_trigger=_like_trigger(processor, hits, trace["trigger"], stretch, rate, grain),
        others=_others(session, relation, strip_id, joined(grains.open, n_grains)),
        length_s=_length_s(processor, stretch, rate),
    )


def _times_s(grains: NDArray[np.int64], stretch: Stretch, grain: int, rate: int) -> tuple[float, ...]:
    return tuple(round((stretch.start_samples + int(place) * grain) / rate, 4) for place in grains)


def _like_trigger(
    processor: Any,
    hits: NDArray[np.int64],
    trigger: NDArray[np.float64],
    stretch: Stretch,
    rate: int,
    grain: int,
) -> Action | None:
    """The curve that all hits together are like, over the length that the duck's curve has."""
    if not isinstance(processor, DuckStep) or processor.params.opening.clock.kind != "hits":
        return None
    opening = processor.params.opening
    changes, lengths = lengths_by_tempo(opening, rate)
    n_grains = max(2, int(lengths[np.searchsorted(changes, stretch.start_samples, side="right") - 1]) // grain)
    parts = [trigger[hit : hit + n_grains] for hit in hits.tolist() if hit + n_grains <= len(trigger)]
    return SetDuck(duck=opening.duck, curve=like_sound(np.mean(parts, axis=0))) if parts else None


def _others(
    session: Session, relation: Relation, heard_at: str, openness: NDArray[np.float64]
) -> tuple[OtherTarget, ...]:
    """The gains of a duck's other targets, which follow from how open it is."""
    if relation.kind != "duck":
        return ()
    shares = binned(openness, np.minimum)
    found = []
    for target in find_duck(session, relation.owner).targets:
        if target.strip != heard_at and target.on:
            silent = 20.0 * np.log10(np.maximum(shares, 1e-6))
            gain_db = silent if target.depth_db is None else target.depth_db * (1.0 - shares)
            found.append(OtherTarget(target.strip, written(gain_db, 2)))
    return tuple(found)


def _length_s(processor: Any, stretch: Stretch, rate: int) -> float | None:
    if not isinstance(processor, DuckStep):
        return None
    opening = processor.params.opening
    if opening.clock.kind == "hits":
        changes, lengths = lengths_by_tempo(opening, rate)
        return float(lengths[np.searchsorted(changes, stretch.start_samples, side="right") - 1]) / rate
    ticks, lengths = ticks_of(opening, rate, stretch.end_samples)
    here = np.flatnonzero(ticks >= stretch.start_samples)
    return float(lengths[here[0]]) / rate if len(here) else None


def _of_follower(session: Session, relation: Relation, heard: FollowerHeard) -> DuckReport:
    strip_id, _ = step_of(relation)
    rate = session.sample_rate_hz
    extreme = np.minimum if heard.figures.deepest_db < 0.0 else np.maximum
    return DuckReport(
        relation=relation.id,
        target=strip_id,
        start_s=heard.stretch.start_samples / rate,
        end_s=heard.stretch.end_samples / rate,
        trigger=written(binned(heard.trigger, np.maximum), 4),
        before=(),
        after=(),
        gain_db=written(binned(heard.moved, extreme), 3),
        unit=heard.unit,
        hits_s=(),
        onsets_s=(),
        threshold_db=heard.floor_db,
        figures=heard.figures,
        verdict=heard.verdict,
        cure=None,
        cure_text="",
    )


def glance_at_ducks(
    session: Session,
    media: Media,
    *,
    stretch_s: StretchS | None = None,
    in_song: InSong | None = None,
    report: Report = no_report,
) -> tuple[DuckGlance, ...]:
    """All relations that are at work, each at its first target."""
    found: list[DuckGlance] = []
    working = [relation for relation in relations_of(session) if relation.on and relation.targets]
    for done, relation in enumerate(working):

        def report_one(share: float, done: int = done) -> None:
            report((done + share) / len(working))

        heard = report_duck(session, media, relation, stretch_s=stretch_s, in_song=in_song, report=report_one)
        gain_db = binned(np.array(heard.gain_db), np.minimum, GLANCE_BINS)
        found.append(DuckGlance(relation.id, heard.figures.deepest_db, written(gain_db, 1)))
    return tuple(found)


def _threshold_of(processor: Any) -> float | None:
    if isinstance(processor, Compressor | Gate):
        return processor.params.threshold_db
    if isinstance(processor, DuckStep) and processor.params.opening.clock.kind == "hits":
        return processor.params.opening.clock.threshold_db
    return None


def release_cure(strip: str, processor: str, figures: DuckFigures) -> tuple[Action | None, str]:
    """The release that brings it back in time, if there is one, in words, too."""
    release_ms = figures.fitting_release_ms
    if release_ms is None:
        return None, ""
    cure = SetProcessor(strip=strip, processor=processor, params={"release_ms": release_ms})
    return cure, f"Release {release_ms:.0f} ms"
