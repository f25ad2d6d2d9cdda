"""Where a print ends: what rings after the last clip, and when it has fallen silent."""

from collections.abc import Iterable, Iterator

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.resolving import told_over_time
from gemischt.core.engine.settings import band_of
from gemischt.core.engine.tap_reader import Stretch
from gemischt.core.processors.band import BandFilter
from gemischt.core.processors.registry import kind_of
from gemischt.core.routing.graph import processing_order
from gemischt.core.session.document import Lane, Parallel, Processor, Session
from gemischt.core.units import SILENCE_DB, gain_to_db, s_to_samples

SILENT_DBFS = -90.0
_END_GRAIN_SAMPLES = 1024
LONGEST_TAIL_S = 120.0
"""What rings longer after the last clip is cut."""


def tail_samples(session: Session) -> int:
    """How long the mix may ring after the last clip: the slowest way through effects that follow each other."""
    arriving: dict[str, int] = {strip.id: 0 for strip in session.strips}
    for strip_id in processing_order(session):
        strip = session.strip(strip_id)
        leaving = arriving[strip_id] + _chain_tail(session, strip.chain)
        for destination in (strip.output, *(send.to for send in strip.sends)):
            if destination is not None:
                arriving[destination] = max(arriving[destination], leaving)
        arriving[strip_id] = leaving
    return arriving[session.mix.id]


def _lane_tail(session: Session, block: Parallel, lane: Lane) -> int:
    band = band_of(block, lane.id)
    splitting = 0 if band is None else BandFilter.tail_of(band, session.sample_rate_hz)
    return splitting + _chain_tail(session, lane.chain)


def _chain_tail(session: Session, chain: tuple[Processor, ...]) -> int:
    total = 0
    for processor in chain:
        if processor.type == "parallel":
            total += max((_lane_tail(session, processor, lane) for lane in processor.lanes), default=0)
        elif processor.on:
            tail_of = kind_of(processor.type).worker.tail_of
            total += max(tail_of(params, session.sample_rate_hz) for _, params in told_over_time(processor, session))
    return total


def whole_stretch(session: Session, renderer: Renderer, from_s: float | None, to_s: float | None) -> Stretch:
    """The stretch to render; without an end, to the last clip's end and what may ring after it."""
    rate = session.sample_rate_hz
    start = s_to_samples(from_s or 0.0, rate)
    ringing = min(tail_samples(session), s_to_samples(LONGEST_TAIL_S, rate))
    end = renderer.length_samples + ringing if to_s is None else s_to_samples(to_s, rate)
    return Stretch(start, max(start, end))


class Ending:
    """Blocks of a stretch without what falls silent at its end.

    ``ringing_dbfs`` is, once all blocks have come, how loud it still was at the end of a stretch that was too short for
    it to fall silent: in the last quarter of what rings, since repeats have pauses between them. None if it was silent.
    """

    def __init__(self, blocks: Iterable[Audio], least_samples: int, *, cut: bool) -> None:
        """So many samples are kept whatever they hold."""
        self._blocks = blocks
        self._least_samples = least_samples
        self._cut = cut
        self.ringing_dbfs: float | None = None

    def _parts(self) -> Iterator[Audio]:
        """Blocks, cut small where the end may lie."""
        done = 0
        for block in self._blocks:
            n_samples = block.shape[1]
            grain = n_samples if done + n_samples <= self._least_samples else _END_GRAIN_SAMPLES
            for start in range(0, n_samples, grain):
                yield block[:, start : start + grain]
            done += n_samples

    def __iter__(self) -> Iterator[Audio]:
        done = 0
        held: list[Audio] = []
        ringing: list[float] = []
        for block in self._parts():
            done += block.shape[1]
            level_dbfs = gain_to_db(float(np.abs(block).max()))
            if done > self._least_samples:
                ringing.append(level_dbfs)
                if level_dbfs < SILENT_DBFS:
                    held.append(block.copy())
                    continue
            yield from held
            held.clear()
            yield block
        last_dbfs = max(ringing[-(1 + len(ringing) // 4) :], default=SILENCE_DB)
        if self._cut and last_dbfs >= SILENT_DBFS:
            self.ringing_dbfs = last_dbfs
            yield from held
