"""Meters at the steps of a plan while one strip is measured, and what they have seen in the end."""

from collections.abc import Callable
from typing import Any

import numpy as np

from gemischt.core.analysis.arriving import Arriving
from gemischt.core.analysis.measurement import levels_to_json
from gemischt.core.analysis.renders import RenderStore
from gemischt.core.audio import Audio
from gemischt.core.dsp.mixing import to_frames
from gemischt.core.engine.blueprint import work_buffer
from gemischt.core.engine.operations import ProcessOperation
from gemischt.core.engine.plan import Plan
from gemischt.core.engine.specs import MixInto
from gemischt.core.metering.stage_meter import StageMeter
from gemischt.core.metering.stereo import StereoMeter
from gemischt.core.processors.compressor import DynamicsProcessor
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.document import Strip

BLOCK_SAMPLES = 16384
"""Also the grain in which a compressor counts as working."""
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
        self.arriving = Arriving(self._writer.samples)

    def take(self, audio: Audio, n_samples: int) -> None:
        """The buffer's next block."""
        skipped = min(self._skip, n_samples)
        self._skip -= skipped
        if skipped < n_samples:
            frames = np.empty((n_samples - skipped, len(audio)), np.float32)
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
    """What a compressor or limiter did, block by block."""

    def __init__(self) -> None:
        self._deepest_db = 0.0
        self._detected_dbfs = -200.0
        self._hearing = 0
        self._working = 0

    def take(self, operation: ProcessOperation, n_samples: int) -> None:
        assert operation.dynamics is not None
        reduction_db = operation.dynamics.deepest_reduction_db(n_samples)
        processor = operation.processor
        detected = processor.loudest_detected_db(n_samples) if isinstance(processor, DynamicsProcessor) else 0.0
        self._deepest_db = max(self._deepest_db, reduction_db)
        self._detected_dbfs = max(self._detected_dbfs, detected)
        if detected > _HEARING_DBFS:
            self._hearing += 1
            self._working += reduction_db > _WORKING_DB

    def figures(self) -> tuple[float, float, float]:
        return self._deepest_db, self._detected_dbfs, self._working / self._hearing if self._hearing else 0.0


class CurveMeter:
    """Highest magnitude in each of the bins of a song."""

    def __init__(self, length: int) -> None:
        self._length = max(1, length)
        self._peaks = np.zeros(N_BINS)
        self._done = 0

    def take(self, audio: Audio, n_samples: int) -> None:
        bins = np.minimum(((self._done + np.arange(n_samples)) * N_BINS) // self._length, N_BINS - 1)
        np.maximum.at(self._peaks, bins, np.abs(audio[:, :n_samples]).max(axis=0))
        self._done += n_samples

    def figures(self, meter: StageMeter) -> dict[str, Any]:
        loudness = meter.short_term_lufs()
        ends = (np.arange(1, N_BINS + 1) * len(loudness)) // N_BINS - 1
        shown = np.maximum(loudness[np.maximum(ends, 0)], FLOOR_LUFS) if len(loudness) else np.full(N_BINS, FLOOR_LUFS)
        return {
            "peaks": [round(float(peak), 4) for peak in self._peaks],
            "short_term_lufs": [round(float(level), 1) for level in shown],
        }


Taken = list[tuple[Callable[[Audio, int], None], Audio]]
"""What meters of a block have still to see, in order."""


def see(taken: Taken, n_samples: int) -> None:
    """Show meters what was taken for them."""
    for meter, audio in taken:
        meter(audio, n_samples)


class Watching:
    """Meters at the steps of a plan that measure one strip.

    What they are to see is copied while a block runs; ``see`` shows it to them, on any thread, while the next block
    runs. There are two copies of everything, in turn.
    """

    def __init__(self, plan: Plan, strip: Strip, sample_rate_hz: int) -> None:
        self._plan = plan
        self._strip = strip.id
        self._rate = sample_rate_hz
        self._work = plan.buffers[work_buffer(strip.id)]
        self._post = plan.buffers[f"{strip.id}/post-fader"]
        self.watchers: dict[tuple[str, ...], Callable[[Any, int], None]] = {(strip.id, "output"): self._at_output}
        self.meters: dict[str, StageMeter] = {}
        self.reductions: dict[str, ReductionMeter] = {}
        self.curve: CurveMeter | None = None
        self.keepers: list[Keeper] = []
        self._taken: Taken = []
        self._copies: list[dict[str, Audio]] = [{}, {}]
        self._stereo: StereoMeter | None = None
        self._post_stereo: StereoMeter | None = None

    @property
    def n_channels(self) -> int:
        """Channels the strip's chain works on."""
        return int(self._work.shape[0])

    def stereo_figures(self) -> dict[str, Any] | None:
        """What its two channels do before the fader; None for one channel."""
        return _stereo_to_json(self._stereo)

    def post_stereo_figures(self) -> dict[str, Any] | None:
        """What they do after it."""
        return _stereo_to_json(self._post_stereo)

    def chain(self, strip: Strip, *, measures_trim: bool, late: bool) -> None:
        """Measure source, trim, and what each processor leaves."""
        source = self._plan.buffers[f"{strip.id}/source"]
        self._meter("source", source)
        if measures_trim:
            self._meter("trim", self._work)
        if late:
            self._meter("late", self._work)
        if self.n_channels == 2:
            self._stereo = StereoMeter(self._rate)

        def at_input(_operation: Any, n_samples: int) -> None:
            self._take("source", source)
            if measures_trim:
                self._take("trim", self._work)

        self.watchers[strip.id, "input"] = at_input
        for processor in walk_chain(strip.chain):
            operation = self._plan.operations.get((strip.id, processor.id))
            if isinstance(operation, ProcessOperation):
                self._watch_processor(processor.id, operation)
            for lane in processor.lanes if processor.type == "parallel" else ():
                self._watch_lane(processor.id, lane.id)

    def output(self, *, curve: bool, length: int) -> None:
        """Measure what leaves the fader."""
        self._meter("post-fader", self._post)
        self._post_stereo = StereoMeter(self._rate)
        self.curve = CurveMeter(length) if curve else None

    def taken(self) -> Taken:
        """What has been copied since it was last asked for, and what keepers are to write."""
        for index, keeper in enumerate(self.keepers):
            self._taken.append((keeper.take, self._copy(f"keeper {index}", keeper.buffer)))
        taken, self._taken = self._taken, []
        self._copies.reverse()
        return taken

    def _take(self, name: str, buffer: Audio) -> None:
        self._taken.append((self.meters[name].process, self._copy(name, buffer)))

    def _copy(self, name: str, buffer: Audio) -> Audio:
        copies = self._copies[0]
        if name not in copies:
            copies[name] = np.empty_like(buffer)
        np.copyto(copies[name], buffer)
        return copies[name]

    def _at_output(self, _operation: Any, n_samples: int) -> None:
        if "late" in self.meters:
            self._take("late", self._work)
        if self._stereo is not None:
            self._taken.append((self._stereo.process, self._copy("stereo", self._work)))
        if self._post_stereo is None:
            return
        post = self._copy("post-fader", self._post)
        self._taken.append((self.meters["post-fader"].process, post))
        self._taken.append((self._post_stereo.process, post))
        if self.curve is not None:
            self._taken.append((self.curve.take, post))

    def _meter(self, name: str, buffer: Audio) -> None:
        self.meters[name] = StageMeter(self._rate, buffer.shape[0])

    def _watch_processor(self, processor_id: str, operation: ProcessOperation) -> None:
        self._meter(processor_id, operation.buffer)
        if operation.dynamics is not None:
            self.reductions[processor_id] = ReductionMeter()

        def after(done: ProcessOperation, n_samples: int) -> None:
            self._take(processor_id, done.buffer)
            if processor_id in self.reductions:
                self.reductions[processor_id].take(done, n_samples)

        self.watchers[self._strip, processor_id] = after

    def _watch_lane(self, block_id: str, lane_id: str) -> None:
        """Measure a lane as it is added to the others; a block that is off has none."""
        identity = (self._strip, block_id, lane_id)
        spec = next((spec for spec in self._plan.blueprint.specs if spec.identity == identity), None)
        if not isinstance(spec, MixInto):
            return
        lane, gain = self._plan.buffers[spec.source], spec.gain
        name = lane_name(block_id, lane_id)
        self._meter(name, lane)

        def at_sum(_operation: Any, n_samples: int) -> None:
            self._take(name, lane)
            self._taken[-1][1][:] *= gain

        self.watchers[identity] = at_sum


def lane_name(block_id: str, lane_id: str) -> str:
    """What a lane's meter is called among those of processors."""
    return f"{block_id}/{lane_id}"


def onset_of(meter: StageMeter) -> tuple[float | None, float]:
    """When the first note begins, and the RMS before it: it stands 30 dB under the loudest 10 ms. Common practice, no
    source."""
    powers = meter.step_powers()
    if not len(powers) or powers.max() == 0.0:
        return None, -np.inf
    first = int(np.argmax(powers > powers.max() * 1e-3))
    # A note's own rise belongs to it.
    before = powers[: max(0, first - 5)]
    noise = 10.0 * float(np.log10(before.mean())) if len(before) and before.mean() > 0.0 else -np.inf
    return first / 100.0, noise


def envelope_of(meter: StageMeter) -> list[float]:
    """RMS in each twentieth of a second, dB."""
    powers = meter.step_powers()
    whole = len(powers) // ENVELOPE_STEPS * ENVELOPE_STEPS
    means = powers[:whole].reshape(-1, ENVELOPE_STEPS).mean(axis=1)
    return [round(float(level), 1) for level in 10.0 * np.log10(np.maximum(means, 1e-12))]


def _stereo_to_json(meter: StereoMeter | None) -> dict[str, Any] | None:
    return None if meter is None else levels_to_json(meter.levels())
