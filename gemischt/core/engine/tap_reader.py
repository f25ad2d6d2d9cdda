"""The one way to hear a part of a session: a stretch is run up to, run, and read at any of its taps.

A part of a session is a session, too: see analysis.sub_sessions.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from gemischt.core.audio import Audio, MediaSamples
from gemischt.core.engine.buffer_names import POST_FADER, PRE_FADER, SOURCE
from gemischt.core.engine.clip_placing import song_length_samples
from gemischt.core.engine.renderer import Renderer
from gemischt.core.session.document import Session
from gemischt.core.terms import Tap
from gemischt.core.units import gain_to_db, power_to_db, s_to_samples

BLOCK_SAMPLES = 4096
"""Large enough that what happens between blocks hardly counts, small enough for the cache."""
LONGEST_RUN_UP_S = 10.0
Media = Mapping[str, MediaSamples]
Report = Callable[[float], None]
StretchS = tuple[float, float | None]
"""Start and end in seconds; without an end, to the end of the song."""


def no_report(_share: float) -> None:
    """For callers who do not watch."""


_STAGE_OF_TAP: dict[Tap, int] = {"pre-chain": SOURCE, "pre-fader": PRE_FADER, "post-fader": POST_FADER}


@dataclass(frozen=True)
class Stretch:
    """A part of a song, half open, in samples."""

    start_samples: int
    end_samples: int

    @property
    def n_samples(self) -> int:
        return self.end_samples - self.start_samples


def stretch_of(session: Session, media: Media, stretch_s: StretchS | None) -> Stretch:
    """A stretch in samples; None, or an end of None, goes on to the end of the last clip."""
    start_s, end_s = stretch_s or (0.0, None)
    start = s_to_samples(start_s, session.sample_rate_hz)
    if end_s is not None:
        return Stretch(start, s_to_samples(end_s, session.sample_rate_hz))
    return Stretch(start, max(start, song_length_samples(session, media)))


class StripLevels:
    """Levels of every strip over a stretch, the louder channel."""

    def __init__(self, strips: tuple[str, ...], meters: Audio, n_samples: int) -> None:
        self._index = {strip_id: place for place, strip_id in enumerate(strips)}
        self._meters = meters
        self._n_samples = max(1, n_samples)

    def peak_db(self, strip_id: str, tap: Tap | None) -> float:
        """Highest sample; tap None is the source. The pre-chain tap reads the source, before its trim."""
        return gain_to_db(float(self._meters[self._index[strip_id], _stage(tap), :, 0].max()))

    def rms_db(self, strip_id: str, tap: Tap | None) -> float:
        """Plain RMS; tap None is the source. The pre-chain tap reads the source, before its trim."""
        return power_to_db(float(self._meters[self._index[strip_id], _stage(tap), :, 1].max()) / self._n_samples)


def _stage(tap: Tap | None) -> int:
    return SOURCE if tap is None else _STAGE_OF_TAP[tap]


def read_tap(renderer: Renderer, stretch: Stretch, buffer: str, *, report: Report = no_report) -> Iterator[Audio]:
    """Blocks of the signal in one of the plan's buffers over a stretch, aligned to the song; each is overwritten by the
    next. What waits for the end of the block before it is what was run: nothing else may run the renderer."""
    lag = renderer.plan.blueprint.lags[buffer]
    for n_samples in run_stretch(renderer, stretch, lag_samples=lag, report=report):
        yield renderer.plan.buffers[buffer][:, :n_samples]


def read_mix(session: Session, media: Media, stretch: Stretch) -> Iterator[Audio]:
    """Blocks of the mix over a stretch, as they will be printed."""
    renderer = Renderer(session, media, max_block=BLOCK_SAMPLES)
    return read_tap(renderer, stretch, renderer.plan.blueprint.output)


def read_levels(session: Session, media: Media, stretch: Stretch, *, report: Report = no_report) -> StripLevels:
    """Every strip's levels over a stretch."""
    renderer = Renderer(session, media, max_block=BLOCK_SAMPLES)
    for _ in run_stretch(renderer, stretch, report=report):
        pass
    return StripLevels(renderer.plan.blueprint.strips, renderer.plan.meters, stretch.n_samples)


def read_reductions_db(
    session: Session, media: Media, stretch: Stretch, *, report: Report = no_report
) -> dict[tuple[str, str], float]:
    """Deepest gain reduction of every compressor and limiter over a stretch, by strip and processor."""
    renderer = Renderer(session, media, max_block=BLOCK_SAMPLES)
    deepest: dict[tuple[str, str], float] = {}
    for n_samples in run_stretch(renderer, stretch, report=report):
        for place, reduction_db in renderer.plan.reductions_by_processor(n_samples):
            deepest[place] = max(deepest.get(place, 0.0), reduction_db)
    return deepest


def read_buffers(
    session: Session, media: Media, stretch: Stretch, buffers: Iterable[str], *, report: Report = no_report
) -> dict[str, Audio]:
    """Signals in some of the plan's buffers over a stretch, each (channels, n), as they pass: not aligned."""
    renderer = Renderer(session, media, max_block=BLOCK_SAMPLES)
    held = renderer.plan.buffers
    captured = {name: np.zeros((held[name].shape[0], stretch.n_samples)) for name in buffers}
    done = 0
    for n_samples in run_stretch(renderer, stretch, report=report):
        for name, signal in captured.items():
            signal[:, done : done + n_samples] = held[name][:, :n_samples]
        done += n_samples
    return captured


def run_stretch(
    renderer: Renderer, stretch: Stretch, *, lag_samples: int = 0, report: Report = no_report
) -> Iterator[int]:
    """Run a stretch of the song block by block, meters cleared at its start; yields how long each block is.

    A stretch that begins inside the song is run up to, so that compressors and filters are where they would be.

    Args:
        lag_samples: by how much later than the song what is read comes out.
    """
    rate = renderer.plan.blueprint.sample_rate_hz
    run_up = min(stretch.start_samples, s_to_samples(LONGEST_RUN_UP_S, rate))
    renderer.position_samples = stretch.start_samples - run_up
    before = run_up + lag_samples
    while before > 0:
        before -= renderer.render_block(min(renderer.max_block, before)).shape[1]
    renderer.plan.meters[:] = 0.0
    done = 0
    while done < stretch.n_samples:
        n_samples = renderer.render_block(min(renderer.max_block, stretch.n_samples - done)).shape[1]
        yield n_samples
        done += n_samples
        report(done / stretch.n_samples)
