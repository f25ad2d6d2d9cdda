"""Meters at the steps of a plan while one strip is measured, and what they have seen in the end."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.arriving import Arriving
from gemischt.core.analysis.measurement import levels_to_json
from gemischt.core.analysis.renders import RenderStore
from gemischt.core.audio import Audio, Single
from gemischt.core.dsp.mixing import to_frames, to_single
from gemischt.core.engine.blueprint import work_buffer
from gemischt.core.engine.operations import ProcessOperation
from gemischt.core.engine.plan import Plan
from gemischt.core.engine.specs import MixInto
from gemischt.core.metering.song_curve import SongCurve
from gemischt.core.metering.stage_meter import StageLevels, StageMeters
from gemischt.core.metering.stereo import StereoMeter
from gemischt.core.processors.compressor import DynamicsProcessor
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.document import Strip

BLOCK_SAMPLES = 32768
WORKING_GRAIN_SAMPLES = 16384
"""The grain in which a compressor counts as working."""
N_BINS = 1200
ENVELOPE_STEPS = 5
FLOOR_LUFS = -150.0
_HEARING_DBFS = -60.0
_WORKING_DB = 0.5


class Keeper:
    """Writes one buffer of a plan to the store, its lag taken off."""

    def __init__(self, store: RenderStore, fingerprint: str, plan: Plan, buffer: str, total_samples: int) -> None:
        self.fingerprint = fingerprint
        self.buffer = plan.buffers[buffer]
        self._skip = plan.blueprint.lags[buffer]
        self._writer = store.writer(fingerprint, max(0, total_samples - self._skip), self.buffer.shape[0])
        self._frames = np.empty((plan.max_block, self.buffer.shape[0]), np.float32)
        self.arriving = Arriving(self._writer.samples)

    def take(self, audio: Single, n_samples: int) -> None:
        """The buffer's next block."""
        skipped = min(self._skip, n_samples)
        self._skip -= skipped
        if skipped < n_samples:
            frames = self._frames[: n_samples - skipped]
            to_frames(audio, skipped, n_samples, frames)
            self._writer.write(frames)
            self.arriving.advance(len(frames))

    def finish(self) -> None:
        """All is written."""
        self._writer.finish()

    def discard(self) -> None:
        """It will not be finished."""
        self._writer.discard()
        self.arriving.fail()


class ReductionMeter:
    """What a compressor or limiter did, grain by grain."""

    def __init__(self) -> None:
        self._deepest_db = 0.0
        self._detected_dbfs = -200.0
        self._hearing = 0
        self._working = 0

    def take(self, operation: ProcessOperation, n_samples: int) -> None:
        """The next block; none but the last is shorter than a whole number of grains."""
        assert operation.dynamics is not None
        processor = operation.processor
        for first in range(0, n_samples, WORKING_GRAIN_SAMPLES):
            end = min(n_samples, first + WORKING_GRAIN_SAMPLES)
            reduction_db = operation.dynamics.deepest_reduction_db(end, first)
            heard_db = processor.loudest_detected_db(end, first) if isinstance(processor, DynamicsProcessor) else 0.0
            self._deepest_db = max(self._deepest_db, reduction_db)
            self._detected_dbfs = max(self._detected_dbfs, heard_db)
            if heard_db > _HEARING_DBFS:
                self._hearing += 1
                self._working += reduction_db > _WORKING_DB

    def figures(self) -> tuple[float, float, float]:
        return self._deepest_db, self._detected_dbfs, self._working / self._hearing if self._hearing else 0.0


@dataclass(frozen=True)
class _Signal:
    """A buffer of the plan that is copied at some moment of a block, and its place among what is measured."""

    index: int
    buffer: Audio
    gain: float = 1.0


class Watching:
    """Meters at the steps of a plan that measure one strip.

    What they are to see is copied while a block runs; ``see`` shows it to them, on any thread, while the next block
    runs. There are two copies of everything, in turn.
    """

    def __init__(self, plan: Plan, strip: Strip, sample_rate_hz: int) -> None:
        self._plan = plan
        self._strip = strip.id
        self._rate_hz = sample_rate_hz
        self._work = plan.buffers[work_buffer(strip.id)]
        self._signals: dict[str, _Signal] = {}
        self._at_output: list[str] = []
        self._readers: list[tuple[Callable[[Single, int], None], str]] = []
        self.watchers: dict[tuple[str, ...], Callable[[Any, int], None]] = {(strip.id, "output"): self._take_output}
        self.reductions: dict[str, ReductionMeter] = {}
        self.keepers: list[Keeper] = []
        self._before_fader = ""
        self._curve: SongCurve | None = None
        self._stereo: StereoMeter | None = None
        self._post_stereo: StereoMeter | None = None

    @property
    def n_channels(self) -> int:
        """Channels the strip's chain works on."""
        return int(self._work.shape[0])

    @property
    def unneeded(self) -> tuple[tuple[str, ...], ...]:
        """Steps of the plan that nobody reads."""
        return () if self.measures("post-fader") else ((self._strip, "output"),)

    def chain(self, strip: Strip, *, measures_trim: bool, late: bool) -> None:
        """Measure source, trim, what each processor leaves, and what is before the fader if that is something else.

        Args:
            late: whether feeds join behind the chain.
        """
        at_input = ["source", "trim"] if measures_trim else ["source"]
        self._signal("source", self._plan.buffers[f"{strip.id}/source"])
        if measures_trim:
            self._signal("trim", self._work)
        self.watchers[strip.id, "input"] = lambda _operation, n_samples: self._take(at_input, n_samples)
        for processor in walk_chain(strip.chain):
            operation = self._plan.operations.get((strip.id, processor.id))
            if isinstance(operation, ProcessOperation):
                self._watch_processor(processor.id, operation)
            for lane in processor.lanes if processor.type == "parallel" else ():
                self._watch_lane(processor.id, lane.id)
        self._before_fader = strip.chain[-1].id if strip.chain and not late else "pre-fader"
        if self._before_fader == "pre-fader":
            self._signal("pre-fader", self._work)
            self._at_output.append("pre-fader")
        if self.n_channels == 2:
            self._stereo = StereoMeter(self._rate_hz)
            self._readers.append((self._stereo.process, self._before_fader))

    def keep(self, keeper: Keeper) -> None:
        """Let a keeper write what it keeps."""
        name = self._before_fader
        if keeper.buffer is not self._work:
            name = keeper.fingerprint
            self._signal(name, keeper.buffer)
            self._at_output.append(name)
        self.keepers.append(keeper)
        self._readers.append((keeper.take, name))

    def output(self, *, curve: bool, length: int) -> None:
        """Measure what leaves the fader."""
        self._signal("post-fader", self._plan.buffers[f"{self._strip}/post-fader"])
        self._at_output.append("post-fader")
        self._post_stereo = StereoMeter(self._rate_hz)
        self._readers.append((self._post_stereo.process, "post-fader"))
        if curve:
            self._curve = SongCurve(length, N_BINS)
            self._readers.append((self._curve.process, "post-fader"))

    def begin(self) -> None:
        """All that is to be measured has been said."""
        channels = [len(signal.buffer) for signal in self._signals.values()]
        self._meters = StageMeters(self._rate_hz, channels)
        self._rows, self._shown = (self._meters.new_rows(self._plan.max_block) for _ in range(2))

    def taken(self) -> Single:
        """What has been copied in the last block."""
        self._rows, self._shown = self._shown, self._rows
        return self._shown

    def see(self, rows: Single, n_samples: int) -> None:
        """Show the meters what was taken for them."""
        self._meters.process(rows, n_samples)
        for read, name in self._readers:
            read(rows[self._meters.rows_of(self._signals[name].index)], n_samples)

    def measures(self, name: str) -> bool:
        """Whether there is such a stage: source, trim, pre-fader, post-fader, a processor's id, a lane's name."""
        return name in self._signals

    def levels(self, name: str) -> StageLevels:
        """What was measured at a stage."""
        return self._meters.levels(self._signals[name].index)

    def step_powers(self, name: str) -> NDArray[np.float64]:
        """Mean square in each 10 ms at a stage."""
        return self._meters.step_powers(self._signals[name].index)

    def stereo_figures(self) -> dict[str, Any] | None:
        """What its two channels do before the fader; None for one channel."""
        return _stereo_to_json(self._stereo)

    def post_stereo_figures(self) -> dict[str, Any] | None:
        """What they do after it."""
        return _stereo_to_json(self._post_stereo)

    def curve_figures(self) -> dict[str, Any] | None:
        """The song line's curve, if it was asked for."""
        if self._curve is None:
            return None
        loudness = self._meters.short_term_lufs(self._signals["post-fader"].index)
        ends = (np.arange(1, N_BINS + 1) * len(loudness)) // N_BINS - 1
        shown = np.maximum(loudness[np.maximum(ends, 0)], FLOOR_LUFS) if len(loudness) else np.full(N_BINS, FLOOR_LUFS)
        return {
            "peaks": [round(float(peak), 4) for peak in self._curve.peaks],
            "short_term_lufs": [round(float(level), 1) for level in shown],
        }

    def _signal(self, name: str, buffer: Audio, gain: float = 1.0) -> None:
        self._signals[name] = _Signal(len(self._signals), buffer, gain)

    def _take(self, names: Sequence[str], n_samples: int) -> None:
        for name in names:
            signal = self._signals[name]
            to_single(signal.buffer, n_samples, signal.gain, self._rows[self._meters.rows_of(signal.index)])

    def _take_output(self, _operation: Any, n_samples: int) -> None:
        self._take(self._at_output, n_samples)

    def _watch_processor(self, processor_id: str, operation: ProcessOperation) -> None:
        self._signal(processor_id, operation.buffer)
        if operation.dynamics is not None:
            self.reductions[processor_id] = ReductionMeter()

        def after(done: ProcessOperation, n_samples: int) -> None:
            self._take((processor_id,), n_samples)
            if processor_id in self.reductions:
                self.reductions[processor_id].take(done, n_samples)

        self.watchers[self._strip, processor_id] = after

    def _watch_lane(self, block_id: str, lane_id: str) -> None:
        """Measure a lane as it is added to the others; a block that is off has none."""
        identity = (self._strip, block_id, lane_id)
        spec = next((spec for spec in self._plan.blueprint.specs if spec.identity == identity), None)
        if not isinstance(spec, MixInto):
            return
        name = lane_name(block_id, lane_id)
        self._signal(name, self._plan.buffers[spec.source], spec.gain)
        self.watchers[identity] = lambda _operation, n_samples: self._take((name,), n_samples)


def lane_name(block_id: str, lane_id: str) -> str:
    """What a lane's meter is called among those of processors."""
    return f"{block_id}/{lane_id}"


def onset_of(powers: NDArray[np.float64]) -> tuple[float | None, float]:
    """When the first note begins, and the RMS before it: it stands 30 dB under the loudest 10 ms. Common practice, no
    source.

    Args:
        powers: mean square in each 10 ms.
    """
    if not len(powers) or powers.max() == 0.0:
        return None, -np.inf
    first = int(np.argmax(powers > powers.max() * 1e-3))
    # A note's own rise belongs to it.
    before = powers[: max(0, first - 5)]
    noise = 10.0 * float(np.log10(before.mean())) if len(before) and before.mean() > 0.0 else -np.inf
    return first / 100.0, noise


def envelope_of(powers: NDArray[np.float64]) -> list[float]:
    """RMS in each twentieth of a second, dB; from the mean square in each 10 ms."""
    whole = len(powers) // ENVELOPE_STEPS * ENVELOPE_STEPS
    means = powers[:whole].reshape(-1, ENVELOPE_STEPS).mean(axis=1)
    return [round(float(level), 1) for level in 10.0 * np.log10(np.maximum(means, 1e-12))]


def _stereo_to_json(meter: StereoMeter | None) -> dict[str, Any] | None:
    return None if meter is None else levels_to_json(meter.levels())
