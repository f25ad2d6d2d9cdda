"""Where a print ends: what rings after the last clip, and when it has fallen silent."""

from collections.abc import Iterator

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.engine.resolving import told_over_time
from gemischt.core.engine.settings import band_of
from gemischt.core.processors.band import BandFilter
from gemischt.core.processors.registry import kind_of
from gemischt.core.routing.graph import processing_order
from gemischt.core.session.document import Lane, Parallel, Processor, Session
from gemischt.core.units import SILENCE_DB, db_to_gain, gain_to_db

SILENT_DBFS = -90.0
_END_GRAIN_SAMPLES = 1024
LONGEST_TAIL_S = 120.0
"""What rings longer after the last clip is cut."""


def tail_samples(session: Session) -> dict[str, int]:
    """How long each strip may ring after the last clip: the slowest way through effects that follow each other."""
    arriving: dict[str, int] = {strip.id: 0 for strip in session.strips}
    for strip_id in processing_order(session):
        strip = session.strip(strip_id)
        leaving = arriving[strip_id] + _chain_tail(session, strip.chain)
        for destination in (strip.output, *(send.to for send in strip.sends)):
            if destination is not None:
                arriving[destination] = max(arriving[destination], leaving)
        arriving[strip_id] = leaving
    return arriving


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


class Ending:
    """Blocks of a stretch without what falls silent at its end, nor, if that is not wanted, at its beginning.

    Attributes:
        ringing_dbfs: once all blocks have come, how loud it still was at the end of a stretch that was too short for it
            to fall silent: in the last quarter of what rings, since repeats have pauses between them. None if it was
            silent.
        skipped_samples: how many silent ones were left out at the beginning.
    """

    def __init__(self, least_samples: int, *, cut: bool, from_first_sound: bool = False) -> None:
        """So many samples are kept whatever they hold."""
        self._least_samples = least_samples
        self._cut = cut
        self._silent_so_far = from_first_sound
        self._done = 0
        self._held: list[Audio] = []
        self._ringing: list[float] = []
        self.ringing_dbfs: float | None = None
        self.skipped_samples = 0

    def take(self, block: Audio) -> Iterator[Audio]:
        """What goes on, once the next block has come; views of it, or of copies."""
        for part in self._parts(block):
            self._done += part.shape[1]
            if self._silent_so_far:
                part = self._from_first_sound(part)
                if not part.shape[1]:
                    continue
            if self._done > self._least_samples:
                level_dbfs = gain_to_db(float(np.abs(part).max()))
                self._ringing.append(level_dbfs)
                if level_dbfs < SILENT_DBFS:
                    self._held.append(part.copy())
                    continue
            yield from self._held
            self._held.clear()
            yield part

    def finish(self) -> Iterator[Audio]:
        """What goes on at the very end."""
        last_dbfs = max(self._ringing[-(1 + len(self._ringing) // 4) :], default=SILENCE_DB)
        if self._cut and last_dbfs >= SILENT_DBFS:
            self.ringing_dbfs = last_dbfs
            yield from self._held
        self._held.clear()

    def _from_first_sound(self, part: Audio) -> Audio:
        sounding = np.flatnonzero(np.abs(part).max(axis=0) >= db_to_gain(SILENT_DBFS))
        first = int(sounding[0]) if len(sounding) else part.shape[1]
        self._silent_so_far = not len(sounding)
        self.skipped_samples += first
        return part[:, first:]

    def _parts(self, block: Audio) -> Iterator[Audio]:
        """A block, cut small where the end may lie."""
        n_samples = block.shape[1]
        grain = n_samples if self._done + n_samples <= self._least_samples else _END_GRAIN_SAMPLES
        for start in range(0, n_samples, grain or 1):
            yield block[:, start : start + grain]
