"""Rendering a stretch to measure it: levels of every strip, or the signals in some buffers."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from gemischt.core.audio import Audio, MediaSamples
from gemischt.core.engine.blueprint import draw_blueprint
from gemischt.core.engine.buffer_names import POST_FADER, PRE_FADER, SOURCE
from gemischt.core.engine.offline import LONGEST_RUN_UP_S
from gemischt.core.engine.renderer import Renderer
from gemischt.core.session.document import Session, Tap
from gemischt.core.units import gain_to_db, power_to_db, s_to_samples

BLOCK_SAMPLES = 1024
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
    return Stretch(start, max(start, draw_blueprint(session, media).length_samples))


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


def listen(session: Session, media: Media, stretch: Stretch, *, report: Report = no_report) -> StripLevels:
    """Render a stretch and read every strip's levels. Filters and detectors are run up to its start."""
    renderer = Renderer(session, media, max_block=BLOCK_SAMPLES)
    for _ in _blocks(renderer, stretch, report):
        pass
    return StripLevels(renderer.plan.blueprint.strips, renderer.plan.meters, stretch.n_samples)


def deepest_reductions_db(
    session: Session, media: Media, stretch: Stretch, *, report: Report = no_report
) -> dict[tuple[str, str], float]:
    """Deepest gain reduction of every compressor and limiter over a stretch, by strip and processor."""
    renderer = Renderer(session, media, max_block=BLOCK_SAMPLES)
    deepest: dict[tuple[str, str], float] = {}
    for n_samples in _blocks(renderer, stretch, report):
        for place, reduction_db in renderer.plan.reductions_by_processor(n_samples):
            deepest[place] = max(deepest.get(place, 0.0), reduction_db)
    return deepest


def capture(
    session: Session, media: Media, stretch: Stretch, buffers: Iterable[str], *, report: Report = no_report
) -> dict[str, Audio]:
    """Signals in some of the plan's buffers over a stretch, each (channels, n), as they pass: not aligned."""
    renderer = Renderer(session, media, max_block=BLOCK_SAMPLES)
    held = renderer.plan.buffers
    captured = {name: np.zeros((held[name].shape[0], stretch.n_samples)) for name in buffers}
    done = 0
    for n_samples in _blocks(renderer, stretch, report):
        for name, signal in captured.items():
            signal[:, done : done + n_samples] = held[name][:, :n_samples]
        done += n_samples
    return captured


def _blocks(renderer: Renderer, stretch: Stretch, report: Report) -> Iterator[int]:
    """Run a stretch block by block, meters cleared at its start; yields how long each block is."""
    run_up = min(stretch.start_samples, s_to_samples(LONGEST_RUN_UP_S, renderer.plan.blueprint.sample_rate_hz))
    renderer.position_samples = stretch.start_samples - run_up
    while run_up > 0:
        run_up -= renderer.render_block(min(BLOCK_SAMPLES, run_up)).shape[1]
    renderer.plan.meters[:] = 0.0
    done = 0
    while done < stretch.n_samples:
        n_samples = renderer.render_block(min(BLOCK_SAMPLES, stretch.n_samples - done)).shape[1]
        yield n_samples
        done += n_samples
        report(done / stretch.n_samples)
