"""What a follower does, heard on the real signal: by how much it moves the first of its parameters."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.reports.duck_figures import GRAINS_PER_S, DuckFigures
from gemischt.core.analysis.reports.grains import GRAINS_PER_BLOCK, Grains, joined
from gemischt.core.analysis.reports.relations import Relation, step_of
from gemischt.core.analysis.sub_sessions.paths import isolate
from gemischt.core.engine import specs
from gemischt.core.engine.followings import Scale
from gemischt.core.engine.plan import Plan, Watcher
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.engine.tap_reader import Media, Report, Stretch, run_stretch
from gemischt.core.session.addresses import read
from gemischt.core.session.document import Session
from gemischt.core.session.edits import find_processor
from gemischt.core.session.steps import FollowerStep


@dataclass(frozen=True)
class FollowerHeard:
    """Peaks of what it hears, and by how much the parameter is another one, grain by grain, in its ``unit``."""

    stretch: Stretch
    trigger: NDArray[np.float64]
    moved: NDArray[np.float64]
    unit: str
    floor_db: float
    figures: DuckFigures
    verdict: str


class _FollowerListener:
    """A probe that listens at a follower's step."""

    def __init__(self, operation: OperationId, grains: Grains) -> None:
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


def hear_follower(
    resolved: Session, media: Media, relation: Relation, stretch: Stretch, report: Report
) -> FollowerHeard:
    """How far a follower, or what moves a band, moves its first parameter, in a session with steps in its chains."""
    strip_id, step_id = step_of(relation)
    step = find_processor(resolved.strip(strip_id), step_id)
    assert isinstance(step, FollowerStep)
    first = step.params.pulls[0]
    of_group = first.field.startswith("control_groups/")
    found = read(resolved, first.field if of_group else f"strips/{strip_id}/{first.field}")
    scale = Scale.of(found.parameter, [found.value, first.to])
    rate = resolved.sample_rate_hz
    grain = max(1, rate // GRAINS_PER_S)
    renderer = Renderer(isolate(resolved, set(), {strip_id}), media, max_block=grain * GRAINS_PER_BLOCK)
    grains = Grains(grain)
    operation = OperationId(strip_id, Role.FOLLOW, (step_id,))
    renderer.probe = _FollowerListener(operation, grains)
    renderer.unwanted = renderer.plan.steps_behind(operation)
    lag = renderer.plan.blueprint.lags_at[operation]
    grains.gather(run_stretch(renderer, stretch, lag_samples=lag, report=report))
    n_grains = -(-stretch.n_samples // grain)
    shares, trigger = joined(grains.gain_db, n_grains), joined(grains.trigger, n_grains)
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
    return FollowerHeard(
        stretch=stretch,
        trigger=trigger,
        moved=moved,
        unit=found.parameter.unit,
        floor_db=step.params.floor_db,
        figures=figures,
        verdict=f"Moves by up to {100.0 * float(shares.max(initial=0.0)):.0f} % of the way" if moves else "Never moves",
    )
