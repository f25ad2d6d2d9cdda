"""A closer look at one strip: what each processor of its chain hears and leaves."""

from functools import partial

import numpy as np
from numpy.typing import NDArray

from gemischt.core.dsp.mixing import measure_level
from gemischt.core.engine.buffer_names import strip_buffer
from gemischt.core.engine.operations import ApplyOperation, ProcessOperation
from gemischt.core.engine.plan import Plan, Watcher
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.metering.ballistics import FLOOR_DB, Levels, MeterBank
from gemischt.core.metering.scope import StereoScope
from gemischt.core.metering.spectrum import SpectrumMeter
from gemischt.core.processors.base import ReducesGain
from gemischt.core.processors.eq import Equalizer
from gemischt.core.session.document import Processor
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.layout import STEREO


class StripProbe:
    """Readings of one strip's processors, taken right after each has run.

    ``spectrum`` holds the output of the last equaliser. State: per processor its meter since the last reading, and
    the loudest detected level and deepest reduction of the last block.
    """

    def __init__(self, strip_id: str, sample_rate_hz: int) -> None:
        self.strip_id = strip_id
        self.spectrum = SpectrumMeter(sample_rate_hz)
        self._sample_rate_hz = sample_rate_hz
        self._meters: dict[str, np.ndarray[tuple[int, int], np.dtype[np.float64]]] = {}
        self._dynamics: dict[str, tuple[float, float]] = {}
        self._bank = MeterBank(1, 0, sample_rate_hz)
        self._scope = StereoScope(sample_rate_hz)
        # A new plan has a probe of its own.
        self._fold: NDArray[np.float64] | None = None

    def watchers(self, plan: Plan) -> dict[OperationId, Watcher]:
        """Where in a plan to look."""
        return {
            id_: partial(self.read, id_.part[0], plan.reducers.get((id_.strip, id_.part[0])))
            for id_ in plan.operations
            if id_.strip == self.strip_id and id_.role is Role.PROCESSOR
        }

    def read(
        self,
        processor_id: str,
        reducer: ReducesGain | None,
        operation: ProcessOperation | ApplyOperation,
        n_samples: int,
    ) -> None:
        """Measure the operation's buffer as it is now."""
        meter = self._meters.setdefault(processor_id, np.zeros((len(operation.buffer), 2)))
        measure_level(operation.buffer, n_samples, meter)
        reduction_db = 0.0 if reducer is None else reducer.deepest_reduction_db(n_samples)
        detected_db = None if reducer is None else reducer.loudest_detected_db(n_samples)
        self._dynamics[processor_id] = (FLOOR_DB if detected_db is None else detected_db, reduction_db)
        if isinstance(operation, ProcessOperation) and isinstance(operation.processor, Equalizer):
            self.spectrum.process(operation.buffer, n_samples)

    def readings(self, n_samples: int) -> Levels:
        """Per processor in order of the chain, (n, 3): held peak after it, detected level, reduction, in dB."""
        if self._bank.shape != (1, len(self._meters)):
            self._bank = MeterBank(1, len(self._meters), self._sample_rate_hz)
        out = np.zeros((len(self._meters), 3), np.float32)
        if self._meters:
            meters = np.stack(list(self._meters.values()))[np.newaxis]
            out[:, 0] = self._bank.advance(meters, n_samples)[0, :, 1]
            out[:, 1:] = list(self._dynamics.values())
        for meter in self._meters.values():
            meter[:] = 0.0
        return out

    def seen(self, plan: Plan, n_samples: int) -> NDArray[np.float32]:
        """What a goniometer shows of the strip behind its fader, folded down to two channels: see StereoScope. Empty
        for a strip that is nowhere in the plan."""
        name = strip_buffer(self.strip_id, "post-fader")
        sound = plan.buffers.get(name)
        if sound is None:
            return np.zeros(0, np.float32)
        if self._fold is None:
            self._fold = matrix_between(dict(plan.blueprint.buffers)[name], STEREO)
        return self._scope.process(self._fold @ sound[:, :n_samples])


def probed_processors(chain: tuple[Processor, ...]) -> list[Processor]:
    """A chain's processors in the order of a probe's readings: what stands in lanes comes before their block."""
    probed: list[Processor] = []
    for processor in chain:
        if processor.type == "parallel" and processor.on:
            for lane in processor.lanes:
                probed.extend(probed_processors(lane.chain))
        probed.append(processor)
    return probed
