"""Prints rendered: what several files need is rendered once, and each gets its own stretch of it, to its own end."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import reduce
from typing import Protocol

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.engine.buffer_names import point_buffer
from gemischt.core.engine.endings import LONGEST_TAIL_S, Ending, tail_samples
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.tap_reader import (
    BLOCK_SAMPLES,
    LONGEST_RUN_UP_S,
    Media,
    Report,
    Stretch,
    no_report,
    stretch_of,
)
from gemischt.core.errors import BadAudio
from gemischt.core.printing.files import PrintFile, Variant, stretch_s_of, variant_session
from gemischt.core.printing.limiting import Limiting, LimitingMeter, limiters_of
from gemischt.core.session.document import Session
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.folding import Folding
from gemischt.core.space.layout import Layout
from gemischt.core.units import s_to_samples

_WORTH_RUNNING_ON_S = 2.0 * LONGEST_RUN_UP_S
"""Files whose stretches are no further apart are rendered in one go."""


class Sink(Protocol):
    """Where a file's samples go."""

    def write(self, block: Audio) -> None:
        """The next samples, (n_channels, n); they are overwritten later."""

    def finish(self, written: "Written") -> None:
        """There are no more."""


@dataclass(frozen=True)
class Written:
    """How a file turned out.

    Attributes:
        start_samples: where in the song it begins.
        ringing_dbfs: how loud it still rang where it was cut; None if it had fallen silent, or was to be cut.
        limiting: what the limiters of its strip did; None where there are none.
    """

    start_samples: int
    n_samples: int
    ringing_dbfs: float | None
    limiting: Limiting | None


OpenSink = Callable[[PrintFile, Layout, int], Sink]
"""Of a file, its layout, and how many samples it may get at the most."""


def render_files(
    session: Session, media: Media, files: Sequence[PrintFile], open_sink: OpenSink, *, report: Report = no_report
) -> None:
    """Render files to their sinks, each opened when its first samples are there.

    A file that goes on until it is silent is under -90 dBFS then, or is cut LONGEST_TAIL_S after its stretch; clips end
    with its stretch.

    Raises:
        BadAudio: a stretch is empty.
    """
    renders = list(_renders(session, media, files))
    total = sum(render.n_samples for render in renders)
    done = 0
    for render in renders:
        for n_samples in render.run(session, media, open_sink):
            done += n_samples
            report(done / total)


def _renders(session: Session, media: Media, files: Sequence[PrintFile]) -> Iterator["_Render"]:
    """Files that share what is rendered, those whose stretches lie together in one go."""
    tails: dict[Variant, dict[str, int]] = {}
    placed = sorted((_placed(session, media, file, tails) for file in files), key=lambda one: one.least.start_samples)
    apart = s_to_samples(_WORTH_RUNNING_ON_S, session.sample_rate_hz)
    groups: list[list[_Placed]] = []
    for one in placed:
        end = max((other.most.end_samples for other in groups[-1]), default=0) if groups else 0
        together = groups and one.least.start_samples <= end + apart
        if together and _variants(groups[-1]) & one.file.variants:
            groups[-1].append(one)
        else:
            groups.append([one])
    for group in groups:
        yield _Render(tuple(group))


@dataclass(frozen=True)
class _Placed:
    """A file with the stretch it holds at least, and the one that may have to be rendered for it."""

    file: PrintFile
    least: Stretch
    most: Stretch
    cut_ringing: bool


def _variants(group: list[_Placed]) -> set[Variant]:
    return {variant for one in group for variant in one.file.variants}


def _placed(session: Session, media: Media, file: PrintFile, tails: dict[Variant, dict[str, int]]) -> _Placed:
    rate = session.sample_rate_hz
    least = stretch_of(session, media, stretch_s_of(session, file.order))
    if least.n_samples <= 0:
        raise BadAudio("there is nothing to print", where=session.name, remedy="Bring in tracks or widen the stretch.")
    if file.order.ends == "cut":
        return _Placed(file, least, least, False)
    ringing = 0
    for variant, point, _ in file.sources:
        if variant not in tails:
            tails[variant] = tail_samples(variant_session(session, variant))
        ringing = max(ringing, tails[variant][point.strip])
    longest = s_to_samples(LONGEST_TAIL_S, rate)
    most = Stretch(least.start_samples, least.end_samples + min(ringing, longest))
    return _Placed(file, least, most, ringing > longest)


@dataclass(frozen=True)
class _Render:
    """Files that are rendered in one go."""

    placed: tuple[_Placed, ...]

    @property
    def start(self) -> int:
        return min(one.most.start_samples for one in self.placed)

    @property
    def end(self) -> int:
        return max(one.most.end_samples for one in self.placed)

    @property
    def n_samples(self) -> int:
        return self.end - self.start

    def run(self, session: Session, media: Media, open_sink: OpenSink) -> Iterator[int]:
        """Render all of it; how many samples were done each time."""
        variants = sorted(_variants(list(self.placed)), key=repr)
        points = {
            variant: {source.point for one in self.placed for source in one.file.sources if source.variant == variant}
            for variant in variants
        }
        renderers = {
            variant: Renderer(
                variant_session(session, variant), media, max_block=BLOCK_SAMPLES, points=tuple(points[variant])
            )
            for variant in variants
        }
        readers = [_FileReader(session, one, renderers, open_sink) for one in self.placed]
        run_up = min(self.start, s_to_samples(LONGEST_RUN_UP_S, session.sample_rate_hz))
        position = self.start - run_up
        for renderer in renderers.values():
            renderer.position_samples = position
        last = self.end + max(reader.latest_lag for reader in readers)
        while position < last:
            n_samples = min(BLOCK_SAMPLES, last - position)
            for renderer in renderers.values():
                renderer.render_block(n_samples)
            for reader in readers:
                reader.read(position, n_samples)
            yield max(0, min(position + n_samples, self.end) - max(position, self.start))
            position += n_samples
        for reader in readers:
            reader.finish()


class _FileReader:
    """Takes a file's samples from what is rendered, aligned to the song.

    State: per source what has come but waits for the others.
    """

    def __init__(
        self, session: Session, placed: _Placed, renderers: dict[Variant, Renderer], open_sink: OpenSink
    ) -> None:
        self._placed = placed
        self._taps = []
        for variant, point, gain in placed.file.sources:
            plan = renderers[variant].plan
            name = point_buffer(point)
            layout = dict(plan.blueprint.buffers)[name]
            self._taps.append((plan.buffers[name], plan.blueprint.lags[name], layout, gain))
        layouts = [layout for _, _, layout, _ in self._taps]
        layout = layouts[0] if len(set(layouts)) == 1 else _joined(layouts)
        self._matrices = [
            None if one == layout and gain == 1.0 else gain * matrix_between(one, layout)
            for (_, _, one, gain) in self._taps
        ]
        self._waiting: list[Audio] = [np.zeros((layout.n_channels, 0)) for _ in self._taps]
        self._folding = Folding(placed.file.order.channels, layout, session.sample_rate_hz)
        order = placed.file.order
        until_silent = order.ends == "silent"
        least = 0 if order.only_sound else placed.least.n_samples
        self._ending = Ending(least, cut=until_silent and placed.cut_ringing, from_first_sound=order.only_sound)
        self._is_cut = not until_silent and not order.only_sound
        self._sink = open_sink(placed.file, self._folding.layout, placed.most.n_samples)
        limiters = limiters_of(session, placed.file)
        plan = renderers[placed.file.sources[0].variant].plan
        self._limiting = LimitingMeter(plan, limiters) if limiters else None
        self._n_written = 0

    @property
    def latest_lag(self) -> int:
        """By how much later than the song its latest source comes."""
        return max(lag for _, lag, _, _ in self._taps)

    def read(self, position: int, n_samples: int) -> None:
        """Take what belongs to the file from a block that was rendered at a position."""
        wanted = self._placed.most
        for place, (buffer, lag, _, _) in enumerate(self._taps):
            first = max(wanted.start_samples - (position - lag), 0)
            end = min(wanted.end_samples - (position - lag), n_samples)
            if first >= end:
                continue
            if self._limiting is not None:
                self._limiting.read(n_samples)
            part, matrix = buffer[:, first:end], self._matrices[place]
            part = part if matrix is None else matrix @ part
            if len(self._taps) == 1:
                self._take(part)
            else:
                self._waiting[place] = np.concatenate([self._waiting[place], part], axis=1)
        if len(self._taps) > 1:
            ready = min(waiting.shape[1] for waiting in self._waiting)
            if ready:
                self._take(reduce(np.add, (waiting[:, :ready] for waiting in self._waiting)))
                self._waiting = [waiting[:, ready:] for waiting in self._waiting]

    def _take(self, block: Audio) -> None:
        folded = self._folding.process(block)
        for part in (folded,) if self._is_cut else self._ending.take(folded):
            self._write(part)

    def _write(self, part: Audio) -> None:
        self._sink.write(part)
        self._n_written += part.shape[1]

    def finish(self) -> None:
        """All has come."""
        for part in self._ending.finish():
            self._write(part)
        start = self._placed.least.start_samples + self._ending.skipped_samples
        limiting = None if self._limiting is None else self._limiting.finish()
        self._sink.finish(Written(start, self._n_written, self._ending.ringing_dbfs, limiting))


def _joined(layouts: Sequence[Layout]) -> Layout:
    """The widest of several: all others have a place in it."""
    return max(layouts, key=lambda layout: layout.n_channels)
