"""Meters at the steps of a plan while one strip is measured, and what they have seen in the end."""

import dataclasses
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.cache.renders import RenderStore
from gemischt.core.analysis.measurement.gain_shift import GainShift, turned, turned_stereo
from gemischt.core.analysis.measurement.results import MixCurve
from gemischt.core.analysis.measurement.team import Team
from gemischt.core.audio import Audio, Single
from gemischt.core.dsp.mixing import to_frames, to_single
from gemischt.core.engine.buffer_names import strip_buffer, work_buffer
from gemischt.core.engine.duck_operations import DuckOperation
from gemischt.core.engine.operations import ApplyOperation, ProcessOperation
from gemischt.core.engine.plan import Plan
from gemischt.core.engine.specs import MixInto, OperationId, Role
from gemischt.core.metering.loudness import STEPS_PER_S, powers_to_lufs
from gemischt.core.metering.song_curve import SongCurve
from gemischt.core.metering.stage_meter import StageLevels, StageMeters
from gemischt.core.metering.stereo import StereoLevels, StereoMeter
from gemischt.core.processors.base import ReducesGain
from gemischt.core.session.document import Lane, Strip
from gemischt.core.session.edits import Chain
from gemischt.core.session.steps import DuckStep, sounding_steps, split_at_fader
from gemischt.core.units import db_to_gain, gain_to_db

BLOCK_SAMPLES = 32768
WORKING_GRAIN_SAMPLES = 16384
"""The grain in which a compressor counts as working."""
N_BINS = 1200
_HEARING_DBFS = -60.0
_WORKING_DB = 0.5


class Keeper:
    """Writes one buffer of a plan to the store, its lag taken off."""

    def __init__(
        self, store: RenderStore, team: Team, fingerprint: str, plan: Plan, buffer: str, total_samples: int
    ) -> None:
        self.fingerprint = fingerprint
        self.buffer = plan.buffers[buffer]
        self._skip = plan.blueprint.lags[buffer]
        self._writer = store.writer(fingerprint, max(0, total_samples - self._skip), self.buffer.shape[0])
        self._frames = np.empty((plan.max_block, self.buffer.shape[0]), np.float32)
        self.arriving = team.growing(self._writer.samples)

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

    def __init__(self, reducer: ReducesGain) -> None:
        self._reducer = reducer
        self._deepest_db = 0.0
        self._detected_dbfs = -200.0
        self._hearing = 0
        self._working = 0

    def take(self, n_samples: int) -> None:
        """The next block; none but the last is shorter than a whole number of grains."""
        for first in range(0, n_samples, WORKING_GRAIN_SAMPLES):
            end = min(n_samples, first + WORKING_GRAIN_SAMPLES)
            reduction_db = self._reducer.deepest_reduction_db(end, first)
            heard_db = self._reducer.loudest_detected_db(end, first) or 0.0
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


@dataclass(frozen=True)
class _Turned:
    """A stage that is a signal through a gain, and its place among those: arithmetic but for its overs."""

    index: int
    signal: str
    gain: float

    @property
    def turn(self) -> GainShift:
        """What the gain does to figures."""
        return GainShift.by_db(gain_to_db(self.gain))


@dataclass(frozen=True)
class _Curve:
    """What is followed over the song: a signal, to be turned by so much."""

    peaks: SongCurve
    signal: str
    gain_db: float


@dataclass(frozen=True)
class Taken:
    """Copies of one block of all signals, and those of each."""

    rows: Single
    of: Mapping[str, Single]


class StripMeters:
    """Meters at the steps of a plan that measure one strip.

    What they are to see is copied while a block runs; ``see`` shows it to them, on any thread, while the next block
    runs. There are two copies of everything, in turn. A stage that is no more than another one through a gain is not
    copied: its figures follow.
    """

    def __init__(self, plan: Plan, strip: Strip, sample_rate_hz: int) -> None:
        self._plan = plan
        self._strip = strip.id
        self._rate_hz = sample_rate_hz
        self._work = plan.buffers[work_buffer(strip.id)]
        points = (strip_buffer(strip.id, "source"), work_buffer(strip.id), strip_buffer(strip.id, "post-fader"))
        layouts = [plan.blueprint.layout_of(name) for name in points]
        # All that is measured of a strip is one of these.
        self._layouts = {layout.n_channels: layout for layout in layouts}
        self._signals: dict[str, _Signal] = {}
        self._turned: dict[str, _Turned] = {}
        self._at_output: list[str] = []
        self._readers: list[tuple[Callable[[Single, int], None], str]] = []
        self._output = OperationId(strip.id, Role.OUTPUT)
        self.watchers: dict[OperationId, Callable[[Any, int], None]] = {self._output: self._take_output}
        self.reductions: dict[str, ReductionMeter] = {}
        self.keepers: list[Keeper] = []
        # What is before the fader: a signal and its gain.
        self._before_fader = ("", 1.0)
        self._curve: _Curve | None = None
        self._stereo: StereoMeter | None = None
        self._post_stereo: StereoMeter | None = None

    @property
    def n_channels(self) -> int:
        """Channels the strip's chain works on."""
        return int(self._work.shape[0])

    @property
    def unneeded(self) -> tuple[OperationId, ...]:
        """Steps of the plan that nobody reads."""
        return () if "post-fader" in self._signals else (self._output,)

    def chain(self, strip: Strip, *, late: bool, trim_moves: bool) -> None:
        """Measure source, trim if there is any, what each processor leaves, and what else is before the fader.

        Args:
            late: whether feeds join behind the chain.
            trim_moves: whether the trim moves over the song.
        """
        at_input = ["source"]
        self._signal("source", self._plan.buffers[strip_buffer(strip.id, "source")])
        trim = -db_to_gain(strip.trim_db) if strip.polarity_inverted else db_to_gain(strip.trim_db)
        entering = ("source", trim)
        if strip.input != "as-is" or trim_moves:
            self._signal("trim", self._work)
            at_input.append("trim")
            entering = ("trim", 1.0)
        elif strip.trim_db != 0.0:
            self._turn("trim", *entering)
        self.watchers[OperationId(strip.id, Role.INPUT)] = lambda _operation, n_samples: self._take(at_input, n_samples)
        chain, behind_fader = split_at_fader(sounding_steps(strip.chain))
        self._before_fader = self._watch_chain(chain, entering)
        self._watch_chain(behind_fader, entering)
        if late:
            self._signal("pre-fader", self._work)
            self._at_output.append("pre-fader")
            self._before_fader = ("pre-fader", 1.0)
        elif not chain:
            self._turn("pre-fader", *self._before_fader)
        if self.n_channels == 2:
            self._stereo = StereoMeter(self._rate_hz)
            self._readers.append((self._stereo.process, self._before_fader[0]))

    def keep(self, keeper: Keeper) -> None:
        """Let a keeper write what it keeps."""
        name, gain = self._before_fader
        if keeper.buffer is not self._work or gain != 1.0:
            name = keeper.fingerprint
            self._signal(name, keeper.buffer)
            self._at_output.append(name)
        self.keepers.append(keeper)
        self._readers.append((keeper.take, name))

    def output(self) -> None:
        """Measure what leaves the fader."""
        post_fader = self._plan.buffers[strip_buffer(self._strip, "post-fader")]
        self._signal("post-fader", post_fader)
        self._at_output.append("post-fader")
        if len(post_fader) == 2:
            self._post_stereo = StereoMeter(self._rate_hz)
            self._readers.append((self._post_stereo.process, "post-fader"))

    def turned_output(self, turn: GainShift) -> None:
        """What leaves the fader follows from what is before it."""
        signal, gain = self._before_fader
        self._turn("post-fader", signal, gain * db_to_gain(turn.peak_db))

    def curve(self, length_samples: int, *, at_output: bool) -> None:
        """Follow what leaves the fader over the song, or what is before it."""
        name, gain = ("post-fader", 1.0) if at_output else self._before_fader
        self._curve = _Curve(SongCurve(length_samples, N_BINS), name, gain_to_db(gain))
        self._readers.append((self._curve.peaks.process, name))

    def begin(self) -> None:
        """All that is to be measured has been said."""
        layouts = [self._layouts[len(signal.buffer)] for signal in self._signals.values()]
        pairs = [(self._signals[stage.signal].index, stage.gain) for stage in self._turned.values()]
        self._meters = StageMeters(self._rate_hz, layouts, pairs)
        self._taking, self._shown = self._new_copies(), self._new_copies()

    def taken(self) -> Taken:
        """What has been copied in the last block."""
        self._taking, self._shown = self._shown, self._taking
        return self._shown

    def see(self, taken: Taken, n_samples: int) -> None:
        """Show the meters what was taken for them."""
        self._meters.process(taken.rows, n_samples)
        for read, name in self._readers:
            read(taken.of[name], n_samples)

    def measures(self, name: str) -> bool:
        """Whether there is such a stage: source, trim, pre-fader, post-fader, a processor's or a lane's name."""
        return name in self._signals or name in self._turned

    def levels(self, name: str) -> StageLevels:
        """What was measured at a stage."""
        stage = self._turned.get(name)
        if stage is None:
            return self._meters.levels(self._signals[name].index)
        index = self._signals[stage.signal].index
        levels = turned(self._meters.levels(index), stage.turn, self._meters.hop_powers(index))
        overs, first_over_s = self._meters.turned_overs(stage.index)
        return dataclasses.replace(levels, overs=overs, first_over_s=first_over_s)

    def source_powers(self) -> NDArray[np.float64]:
        """Mean square in each 10 ms of the source."""
        return self._meters.step_powers(self._signals["source"].index)

    def hop_powers(self) -> NDArray[np.float64]:
        """K-weighted mean squares in each 100 ms before the fader, channels added up."""
        signal, gain = self._before_fader
        return gain * gain * self._meters.hop_powers(self._signals[signal].index)

    def stereo_levels(self) -> StereoLevels | None:
        """What its two channels do before the fader; None for one channel."""
        turn = GainShift.by_db(gain_to_db(self._before_fader[1]))
        return None if self._stereo is None else turned_stereo(self._stereo.levels(), turn)

    def post_stereo_levels(self) -> StereoLevels | None:
        """What they do after it."""
        if self._post_stereo is not None:
            return self._post_stereo.levels()
        return None if self._stereo is None else turned_stereo(self._stereo.levels(), self._turned["post-fader"].turn)

    def mix_curve(self) -> MixCurve | None:
        """What was followed over the song, if anything was."""
        if self._curve is None:
            return None
        signal = self._signals[self._curve.signal].index
        loudness = self._meters.short_term_lufs(signal)
        ends = (np.arange(1, N_BINS + 1) * len(loudness)) // N_BINS - 1
        shown = loudness[np.maximum(ends, 0)] if len(loudness) else np.full(N_BINS, -np.inf)
        lag_s = self._plan.blueprint.lags[work_buffer(self._strip)] / self._rate_hz
        steps = self._meters.weighted_powers(signal)[round(lag_s * STEPS_PER_S) :]
        curve = MixCurve.of(self._curve.peaks.peaks, shown, powers_to_lufs(steps))
        return curve.turned(self._curve.gain_db, self._curve.gain_db)

    def _signal(self, name: str, buffer: Audio) -> None:
        self._signals[name] = _Signal(len(self._signals), buffer)

    def _turn(self, name: str, signal: str, gain: float) -> None:
        self._turned[name] = _Turned(len(self._turned), signal, abs(gain))

    def _new_copies(self) -> Taken:
        rows = self._meters.new_rows(self._plan.max_block)
        return Taken(rows, {name: rows[self._meters.rows_of(signal.index)] for name, signal in self._signals.items()})

    def _take(self, names: Sequence[str], n_samples: int) -> None:
        for name in names:
            to_single(self._signals[name].buffer, n_samples, self._taking.of[name])

    def _take_output(self, _operation: Any, n_samples: int) -> None:
        self._take(self._at_output, n_samples)

    def _watch_chain(self, chain: Chain, entering: tuple[str, float]) -> tuple[str, float]:
        """Measure what processors leave; what comes in and what goes out are signals and their gains."""
        for processor in chain:
            for lane in processor.lanes if processor.type == "parallel" else ():
                split = self._watch_split(processor.id, lane) or entering
                self._watch_lane(processor.id, lane, self._watch_chain(lane.chain, split))
            role = Role.DUCK if isinstance(processor, DuckStep) else Role.PROCESSOR
            id_ = OperationId(self._strip, role, (processor.id,))
            operation = self._plan.operations.get(id_)
            if isinstance(operation, ProcessOperation | ApplyOperation | DuckOperation):
                self._watch_processor(id_, operation)
                entering = (processor_name(processor.id), 1.0)
        return entering

    def _watch_processor(self, id_: OperationId, operation: ProcessOperation | ApplyOperation | DuckOperation) -> None:
        (processor_id,) = id_.part
        name = processor_name(processor_id)
        self._signal(name, operation.buffer)
        reducer = self._plan.reducers.get((self._strip, processor_id))
        if reducer is not None:
            self.reductions[processor_id] = ReductionMeter(reducer)

        def after(_operation: Any, n_samples: int) -> None:
            self._take((name,), n_samples)
            if processor_id in self.reductions:
                self.reductions[processor_id].take(n_samples)

        self.watchers[id_] = after

    def _watch_split(self, block_id: str, lane: Lane) -> tuple[str, float] | None:
        """What of the signal a lane gets, if it is a band."""
        id_ = OperationId(self._strip, Role.LANE_BAND, (block_id, lane.id))
        operation = self._plan.operations.get(id_)
        if not isinstance(operation, ProcessOperation):
            return None
        name = f"band:{block_id}/{lane.id}"
        self._signal(name, operation.buffer)
        self.watchers[id_] = lambda _operation, n_samples: self._take((name,), n_samples)
        return name, 1.0

    def _watch_lane(self, block_id: str, lane: Lane, leaving: tuple[str, float]) -> None:
        """Measure a lane as it is added to the others; a block that is off has none."""
        adding = OperationId(self._strip, Role.LANE, (block_id, lane.id))
        spec = next((spec for spec in self._plan.blueprint.specs if spec.id == adding), None)
        if not isinstance(spec, MixInto):
            return
        name = lane_name(block_id, lane.id)
        if not self._plan.leads(adding):
            signal, gain = leaving
            self._turn(name, signal, gain * spec.gain)
            return
        added = np.zeros_like(self._plan.buffers[spec.source])
        self._signal(name, added)

        def take_added(operation: Any, n_samples: int) -> None:
            operation.added(added, n_samples)
            self._take((name,), n_samples)

        self.watchers[adding] = take_added


def processor_name(processor_id: str) -> str:
    """What a processor's meter is called: no id can be mistaken for a stage."""
    return f"processor:{processor_id}"


def lane_name(block_id: str, lane_id: str) -> str:
    """What a lane's meter is called."""
    return f"lane:{block_id}/{lane_id}"
