"""Figures of what a duck does: hits, depth, ways down and back, read in grains of about a millisecond.

A hit is where the trigger reaches the threshold after it has been below it for a while, or a tick of a song's clock.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from gemischt.core.engine.clocks import ticks_of
from gemischt.core.engine.tap_reader import Stretch
from gemischt.core.session.document import Compressor
from gemischt.core.session.steps import DuckStep

BACK_DB = 0.5
"""Back is what is turned down by no more."""
DUCKED_DB = 1.0
REARM_MS = 60.0
GRAINS_PER_S = 1000
ONSET_DB, ONSET_MS, HELD_MS = 6.0, 30, 25
LOUD_DB, FLOOR_DB = 20.0, -100.0
"""What begins further below the loudest than this does not count; common practice, no source."""
LATE_MS = 40
RISE_MS = 100


@dataclass(frozen=True)
class DuckFigures:
    """Of a stretch.

    Attributes:
        hits: how many there are, and ``shortest_gap_ms`` between two.
        deepest_db: most of the gain, <= 0; ``typical_db`` the median of how deep each hit goes.
        down_ms: from a hit to half a decibel from its deepest, median; ``rise_ms`` from a hit to the trigger's peak.
        back_ms: from a hit to within half a decibel of open, median of those that come back.
        margin_ms: how long before the next hit it is back, at the hit where that is least.
        never_back: hits that come before it is back.
        ducked_share: of the time, how long it is down by more than a decibel.
        trigger_share: of the time, how long the trigger is above its threshold.
        late: of what a clock of hits hears begin, how much it is not started by at once: what rang before was still
            above the threshold.
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
    late: int = 0
    rise_ms: float | None = None


def hits_of(
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
    return np.asarray(loud[gaps > rearm_ms * GRAINS_PER_S / 1000.0], np.int64)


def onsets_of(levels_db: NDArray[np.float64]) -> NDArray[np.int64]:
    """Grains in which something begins: where the level of 25 ms rises by 6 dB within 30 ms."""
    if len(levels_db) < 2 * ONSET_MS:
        return np.zeros(0, np.int64)
    since_before = np.concatenate([np.full(HELD_MS - 1, FLOOR_DB), np.maximum(levels_db, FLOOR_DB)])
    held = sliding_window_view(since_before, HELD_MS).max(axis=1)
    before = np.concatenate([np.full(ONSET_MS, FLOOR_DB), held[:-ONSET_MS]])
    rises = np.flatnonzero((held - before >= ONSET_DB) & (held > held.max() - LOUD_DB))
    return np.asarray(rises[np.diff(rises, prepend=-(1 << 40)) > REARM_MS], np.int64)


def late_hits(onsets: NDArray[np.int64], hits: NDArray[np.int64]) -> int:
    """How many onsets no hit begins with."""
    if not len(hits):
        return len(onsets)
    nearest = np.abs(onsets[:, np.newaxis] - hits[np.newaxis, :]).min(axis=1)
    return int(np.sum(nearest > LATE_MS))


def figures_of(
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
        rise_ms=_rise_ms(trigger, hits, ends),
    )


def _rise_ms(trigger: NDArray[np.float64], hits: NDArray[np.int64], ends: list[int]) -> float | None:
    """From a hit to where the trigger is as loud as it gets within the next 100 ms, median."""
    rises = [
        float(np.argmax(trigger[begin : min(end, begin + RISE_MS)]))
        for begin, end in zip(hits.tolist(), ends, strict=True)
        if len(trigger[begin : min(end, begin + RISE_MS)])
    ]
    return float(np.median(rises)) if rises else None


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


def gate_verdict(figures: DuckFigures) -> str:
    """How much of the time it lets something through, in words."""
    if figures.hits == 0:
        return "Never opens in this stretch"
    return f"Open {100 * (1 - figures.ducked_share):.0f} % of the time"


def verdict_of(figures: DuckFigures) -> str:
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
