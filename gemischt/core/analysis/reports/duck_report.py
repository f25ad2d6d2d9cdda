"""What a duck does, heard on the real signal: trigger, target before and after, gain over time, and figures of it.

All is read in grains of about a millisecond. A hit is where the trigger reaches the threshold after it has been below
it for a while, or a tick of a clock of the song.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.reports.relations import Relation, relations_of, step_of
from gemischt.core.analysis.sub_sessions.paths import isolate
from gemischt.core.audio import Audio
from gemischt.core.engine import specs
from gemischt.core.engine.clocks import ticks_of
from gemischt.core.engine.duck_operations import DuckOperation
from gemischt.core.engine.followings import Scale
from gemischt.core.engine.hearing import apply_of, heard_by
from gemischt.core.engine.plan import Plan, Watcher
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.engine.tap_reader import Media, Report, Stretch, StretchS, no_report, run_stretch, stretch_of
from gemischt.core.errors import InvalidAction
from gemischt.core.routing.paths import steps_feeding
from gemischt.core.session.actions.base import Action
from gemischt.core.session.actions.chain import SetProcessor
from gemischt.core.session.addresses import read
from gemischt.core.session.document import Compressor, Gate, Session
from gemischt.core.session.ducking import DuckStep, with_steps_in_chains
from gemischt.core.session.edits import find_processor

BACK_DB = 0.5
"""Back is what is turned down by no more."""
DUCKED_DB = 1.0
REARM_MS = 60.0
_GRAINS_PER_S = 1000
_GRAINS_PER_BLOCK = 16
MOST_BINS = 1200
GLANCE_BINS = 190


@dataclass(frozen=True)
class DuckFigures:
    """Of a stretch.

    Attributes:
        hits: how many there are, and ``shortest_gap_ms`` between two.
        deepest_db: most of the gain, <= 0; ``typical_db`` the median of how deep each hit goes.
        down_ms: from a hit to half a decibel from its deepest, median.
        back_ms: from a hit to within half a decibel of open, median of those that come back.
        margin_ms: how long before the next hit it is back, at the hit where that is least.
        never_back: hits that come before it is back.
        ducked_share: of the time, how long it is down by more than a decibel.
        trigger_share: of the time, how long the trigger is above its threshold.
        fitting_release_ms: of a compressor that is not back in time, the release that would be.
    """

    hits: int
    deepest_db: float
    typical_db: float
    down_ms: float | None
    back_ms: float | None
    shortest_gap_ms: float | None
    margin_ms: float | None
    never_back: int
    ducked_share: float
    fitting_release_ms: float | None
    trigger_peak_dbfs: float | None
    trigger_share: float


@dataclass(frozen=True)
class DuckReport:
    """What was heard, in bins of equal length: peaks as amplitudes, times in seconds of the song.

    ``gain_db`` is the gain; of a follower, by how much the parameter it moves is another one, in ``unit``.
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
    threshold_db: float | None
    figures: DuckFigures
    verdict: str
    cure: Action | None
    cure_text: str


@dataclass(frozen=True)
class DuckGlance:
    """A relation over a stretch at a glance: how deep it goes, and its gain in few bins."""

    relation: str
    deepest_db: float
    gain_db: tuple[float, ...]


@dataclass
class _Grains:
    """Peaks and lowest gains, grain by grain."""

    grain: int
    trigger: list[NDArray[np.float64]] = field(default_factory=list)
    before: list[NDArray[np.float64]] = field(default_factory=list)
    after: list[NDArray[np.float64]] = field(default_factory=list)
    gain_db: list[NDArray[np.float64]] = field(default_factory=list)
    levels_db: list[NDArray[np.float64]] = field(default_factory=list)

    def clear(self) -> None:
        """Forget what has only been run up to."""
        for parts in (self.trigger, self.before, self.after, self.gain_db, self.levels_db):
            parts.clear()

    def peaks(self, audio: Audio, n_samples: int) -> NDArray[np.float64]:
        """Highest magnitude of any channel in each grain."""
        magnitudes = np.abs(audio[:, :n_samples]).max(axis=0)
        return np.asarray(np.maximum.reduceat(magnitudes, np.arange(0, n_samples, self.grain)))

    def lowest(self, values: NDArray[np.float64], n_samples: int) -> NDArray[np.float64]:
        """In each grain."""
        return np.asarray(np.minimum.reduceat(values[:n_samples], np.arange(0, n_samples, self.grain)))


class _Listener:
    """A probe that listens at one step of a chain."""

    def __init__(self, strip: str, step: str, grains: _Grains) -> None:
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
            grains.gain_db.append(grains.lowest(gain_db(n_samples), n_samples))

        return {before: see_before, applied.id: see_after}


def report_duck(
    session: Session,
    media: Media,
    relation: Relation,
    *,
    target: str | None = None,
    stretch_s: StretchS | None = None,
    report: Report = no_report,
) -> DuckReport:
    """Hear a relation at one of its targets, the first one if none is named.

    Raises:
        InvalidAction: it has no target, or what turns it is not at work.
    """
    if not relation.targets:
        raise InvalidAction("it has no target yet", where=relation.sentence, remedy="Add one.")
    if relation.kind == "follower":
        return _report_follower(session, media, relation, stretch_s, report)
    strip_id, step = step_of(session, relation, target)
    resolved = with_steps_in_chains(session)
    stretch = stretch_of(session, media, stretch_s)
    rate = session.sample_rate_hz
    grain = max(1, rate // _GRAINS_PER_S)
    feeding, sounding = steps_feeding(resolved, strip_id)
    alone = isolate(resolved, feeding, sounding)
    renderer = Renderer(alone, media, max_block=grain * _GRAINS_PER_BLOCK)
    grains = _Grains(grain)
    renderer.probe = _Listener(strip_id, step, grains)
    lag = renderer.plan.blueprint.lags_at[apply_of(renderer.plan, strip_id, step).id]
    begun = False
    blocks = run_stretch(renderer, stretch, lag_samples=lag, report=report)
    n_grains = -(-stretch.n_samples // grain)
    for _ in blocks:
        if not begun:
            # What was run up to has come first.
            for parts in (grains.trigger, grains.before, grains.after, grains.gain_db, grains.levels_db):
                del parts[:-1]
            begun = True
    processor = find_processor(resolved.strip(strip_id), step)
    trace = {
        "trigger": _joined(grains.trigger, n_grains),
        "before": _joined(grains.before, n_grains),
        "after": _joined(grains.after, n_grains),
        "gain_db": _joined(grains.gain_db, n_grains),
    }
    threshold_db = _threshold_of(processor)
    hits = _hits(processor, _joined(grains.levels_db, n_grains), threshold_db, stretch, rate, grain)
    levels_db = _joined(grains.levels_db, n_grains)
    above = float(np.mean(levels_db >= threshold_db)) if threshold_db is not None and len(levels_db) else 0.0
    figures = _figures(trace["gain_db"], hits, trace["trigger"], processor, above)
    cure, cure_text = _cure_of(strip_id, processor, figures)
    bins = {name: _binned(values, np.minimum if name == "gain_db" else np.maximum) for name, values in trace.items()}
    return DuckReport(
        relation=relation.id,
        target=strip_id,
        start_s=stretch.start_samples / rate,
        end_s=stretch.end_samples / rate,
        trigger=_written(bins["trigger"], 4),
        before=_written(bins["before"], 4),
        after=_written(bins["after"], 4),
        gain_db=_written(bins["gain_db"], 2),
        unit="dB",
        hits_s=tuple(round(stretch.start_samples / rate + float(hit) * grain / rate, 4) for hit in hits),
        threshold_db=threshold_db,
        figures=figures,
        verdict=_gate_verdict(figures) if isinstance(processor, Gate) else _verdict(figures),
        cure=cure,
        cure_text=cure_text,
    )


class _FollowerListener:
    """A probe that listens at a follower's step."""

    def __init__(self, operation: OperationId, grains: _Grains) -> None:
        self._operation = operation
        self._grains = grains

    def watchers(self, plan: Plan) -> Mapping[OperationId, Watcher]:
        """At the step."""
        known = {spec.id: spec for spec in plan.blueprint.specs}
        follow = known[self._operation]
        assert isinstance(follow, specs.Follow)
        detect = next(s for s in known.values() if isinstance(s, specs.Detect) and s.levels == follow.levels)
        heard, share, grains = plan.buffers[detect.source], plan.signals[follow.share], self._grains

        def see(_operation: Any, n_samples: int) -> None:
            grains.trigger.append(grains.peaks(heard, n_samples))
            grains.gain_db.append(-grains.lowest(-share.rows[0], n_samples))

        return {self._operation: see}


def _report_follower(
    session: Session, media: Media, relation: Relation, stretch_s: StretchS | None, report: Report
) -> DuckReport:
    """How far a follower moves its first parameter."""
    follower = next(item for item in session.followers if item.id == relation.owner)
    first = follower.targets[0]
    found = read(session, first.target)
    scale = Scale.of(found.parameter, [found.value, first.to])
    strip_id, step = step_of(session, relation)
    resolved = with_steps_in_chains(session)
    stretch, rate = stretch_of(session, media, stretch_s), session.sample_rate_hz
    grain = max(1, rate // _GRAINS_PER_S)
    renderer = Renderer(isolate(resolved, set(), {strip_id}), media, max_block=grain * _GRAINS_PER_BLOCK)
    grains = _Grains(grain)
    operation = OperationId(strip_id, Role.FOLLOW, (step,))
    renderer.probe = _FollowerListener(operation, grains)
    lag = renderer.plan.blueprint.lags_at[operation]
    begun = False
    for _ in run_stretch(renderer, stretch, lag_samples=lag, report=report):
        if not begun:
            del grains.trigger[:-1], grains.gain_db[:-1]
            begun = True
    n_grains = -(-stretch.n_samples // grain)
    shares, trigger = _joined(grains.gain_db, n_grains), _joined(grains.trigger, n_grains)
    rest, to = scale.number(found.value), scale.number(first.to)
    low = float(found.parameter.minimum or 0.0)
    values = [scale.value(rest + share * (to - rest)) for share in np.linspace(0.0, 1.0, 201).tolist()]
    plain = np.array([low if value is None else float(value) for value in values])
    moved = np.interp(shares, np.linspace(0.0, 1.0, 201), plain) - plain[0]
    extreme = float(moved[int(np.argmax(np.abs(moved)))]) if len(moved) else 0.0
    peak = float(trigger.max(initial=0.0))
    figures = DuckFigures(
        hits=0,
        deepest_db=extreme,
        typical_db=float(np.median(moved)) if len(moved) else 0.0,
        down_ms=None,
        back_ms=None,
        shortest_gap_ms=None,
        margin_ms=None,
        never_back=0,
        ducked_share=float(np.mean(shares > 0.1)) if len(shares) else 0.0,
        fitting_release_ms=None,
        trigger_peak_dbfs=20.0 * float(np.log10(max(peak, 1e-10))),
        trigger_share=0.0,
    )
    moves = shares.max(initial=0.0) > 0.01
    return DuckReport(
        relation=relation.id,
        target=strip_id,
        start_s=stretch.start_samples / rate,
        end_s=stretch.end_samples / rate,
        trigger=_written(_binned(trigger, np.maximum), 4),
        before=(),
        after=(),
        gain_db=_written(_binned(moved, np.minimum if extreme < 0.0 else np.maximum), 3),
        unit=found.parameter.unit,
        hits_s=(),
        threshold_db=follower.floor_db,
        figures=figures,
        verdict=f"Moves by up to {100.0 * float(shares.max(initial=0.0)):.0f} % of the way" if moves else "Never moves",
        cure=None,
        cure_text="",
    )


def glance_at_ducks(
    session: Session, media: Media, *, stretch_s: StretchS | None = None, report: Report = no_report
) -> tuple[DuckGlance, ...]:
    """All relations that are at work, each at its first target."""
    found: list[DuckGlance] = []
    working = [relation for relation in relations_of(session) if relation.on and relation.targets]
    for done, relation in enumerate(working):
        heard = report_duck(session, media, relation, stretch_s=stretch_s)
        gain_db = _binned(np.array(heard.gain_db), np.minimum, GLANCE_BINS)
        found.append(DuckGlance(relation.id, heard.figures.deepest_db, _written(gain_db, 1)))
        report((done + 1) / len(working))
    return tuple(found)


def _joined(parts: list[NDArray[np.float64]], n_grains: int) -> NDArray[np.float64]:
    return np.concatenate(parts)[:n_grains] if parts else np.zeros(0)


def _binned(values: NDArray[np.float64], extreme: np.ufunc, most: int = MOST_BINS) -> NDArray[np.float64]:
    if len(values) <= most:
        return values
    edges = (np.arange(most) * len(values)) // most
    return np.asarray(extreme.reduceat(values, edges))


def _written(values: NDArray[np.float64], places: int) -> tuple[float, ...]:
    return tuple(round(float(value), places) for value in values)


def _threshold_of(processor: Any) -> float | None:
    if isinstance(processor, Compressor | Gate):
        return processor.params.threshold_db
    if isinstance(processor, DuckStep) and processor.params.opening.clock.kind == "hits":
        return processor.params.opening.clock.threshold_db
    return None


def _hits(
    processor: Any,
    levels_db: NDArray[np.float64],
    threshold_db: float | None,
    stretch: Stretch,
    rate: int,
    grain: int,
) -> NDArray[np.int64]:
    """Grains in which hits begin."""
    if threshold_db is None:
        ticks, _ = ticks_of(processor.params.opening, rate, stretch.end_samples)
        inside = ticks[ticks >= stretch.start_samples] - stretch.start_samples
        return np.asarray(inside // grain, np.int64)
    rearm_ms = REARM_MS
    if isinstance(processor, DuckStep) and processor.params.opening.clock.kind == "hits":
        rearm_ms = processor.params.opening.clock.rearm_ms
    loud = np.flatnonzero(levels_db >= threshold_db)
    gaps = np.diff(loud, prepend=-(1 << 40))
    return np.asarray(loud[gaps > rearm_ms * _GRAINS_PER_S / 1000.0], np.int64)


def _figures(
    gain_db: NDArray[np.float64], hits: NDArray[np.int64], trigger: NDArray[np.float64], processor: Any, above: float
) -> DuckFigures:
    depths, downs, held, backs, margins = [], [], [], [], []
    never = 0
    ends = [*hits[1:].tolist(), len(gain_db)][: len(hits)]
    for begin, end in zip(hits.tolist(), ends, strict=True):
        part = gain_db[begin:end]
        if not len(part):
            continue
        deepest = float(part.min())
        depths.append(deepest)
        if deepest > -DUCKED_DB:
            continue
        downs.append(float(np.argmax(part <= deepest + BACK_DB)))
        held.append(float(np.flatnonzero(part <= deepest + BACK_DB)[-1]))
        bottom = int(np.argmin(part))
        open_again = np.flatnonzero(part[bottom:] >= -BACK_DB)
        if len(open_again):
            backs.append(float(bottom + open_again[0]))
            if end < len(gain_db):
                margins.append(end - begin - backs[-1])
        elif end < len(gain_db):
            never += 1
    gaps = np.diff(hits)
    shortest = float(gaps.min()) if len(gaps) else None
    peak = float(trigger.max(initial=0.0))
    return DuckFigures(
        hits=len(hits),
        deepest_db=float(gain_db.min(initial=0.0)),
        typical_db=float(np.median(depths)) if depths else 0.0,
        down_ms=float(np.median(downs)) if downs else None,
        back_ms=float(np.median(backs)) if backs else None,
        shortest_gap_ms=shortest,
        margin_ms=min(margins) if margins else None,
        never_back=never,
        ducked_share=float(np.mean(gain_db < -DUCKED_DB)) if len(gain_db) else 0.0,
        fitting_release_ms=_fitting_release_ms(
            processor, min(depths, default=0.0), max(held, default=0.0), shortest, never
        ),
        trigger_peak_dbfs=20.0 * float(np.log10(max(peak, 1e-10))) if len(trigger) else None,
        trigger_share=above,
    )


def _fitting_release_ms(
    processor: Any, depth_db: float, held_ms: float, gap_ms: float | None, never: int
) -> float | None:
    """An exponential way back from a depth to half a decibel takes tau ln(depth / 0.5). It begins when the trigger has
    let go, and a tenth of the gap is left."""
    if not isinstance(processor, Compressor) or gap_ms is None or never == 0 or depth_db > -2.0 * BACK_DB:
        return None
    left_ms = 0.9 * gap_ms - min(held_ms, 0.5 * gap_ms)
    fitting = left_ms / float(np.log(-depth_db / BACK_DB))
    return round(fitting, 0) if 1.0 <= fitting < processor.params.release_ms else None


def _gate_verdict(figures: DuckFigures) -> str:
    """How much of the time it lets something through, in words."""
    if figures.hits == 0:
        return "Never opens in this stretch"
    return f"Open {100 * (1 - figures.ducked_share):.0f} % of the time"


def _verdict(figures: DuckFigures) -> str:
    """Release against the gap, in words."""
    if figures.hits == 0:
        return "No hit in this stretch"
    if figures.deepest_db > -DUCKED_DB / 2:
        return "Hardly turned down at all"
    if figures.never_back:
        return f"Not back before the next hit: {figures.never_back} of {figures.hits}"
    if figures.margin_ms is not None:
        return f"Back {figures.margin_ms:.0f} ms before the next hit"
    return "Back before the end" if figures.back_ms is not None else "Stays down"


def _cure_of(strip: str, processor: Any, figures: DuckFigures) -> tuple[Action | None, str]:
    release_ms = figures.fitting_release_ms
    if release_ms is None:
        return None, ""
    cure = SetProcessor(strip=strip, processor=processor.id, params={"release_ms": release_ms})
    return cure, f"Release {release_ms:.0f} ms"
