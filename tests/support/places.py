"""A processor on its own: a plan of nothing else."""

import dataclasses
from typing import Any

from gemischt.core.audio import Audio
from gemischt.core.engine import specs
from gemischt.core.engine.plan import Plan
from gemischt.core.engine.settings import Turning, process_spec
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.processors.base import GainShaper
from gemischt.core.processors.registry import kind_of
from gemischt.core.session.document import Compressor, Gate, Keyed
from gemischt.core.space.layout import LAYOUTS, Layout, LayoutName
from tests.support.signals import RATE_HZ

_PROCESSOR = OperationId("strip", Role.PROCESSOR, ("processor",))
_KEYED: dict[str, type[Keyed]] = {"compressor": Compressor, "gate": Gate}


def _of_channels(count: int) -> Layout:
    """So many channels, whether there is a name for them or not."""
    return dataclasses.replace(LAYOUTS["7.1.4"], channels=LAYOUTS["7.1.4"].channels[:count])


class Alone:
    """A processor at work in ``audio``; with ``n_detected`` channels of a key, it listens to those instead."""

    def __init__(
        self,
        kind: str,
        *,
        rate_hz: int = RATE_HZ,
        n_channels: int = 2,
        layout: LayoutName | None = None,
        max_block: int = 96000,
        n_detected: int | None = None,
    ) -> None:
        self.kind = kind
        self._layout = _of_channels(n_channels) if layout is None else LAYOUTS[layout]
        self._buffers = [("audio", self._layout.n_channels)] + ([] if n_detected is None else [("key", n_detected)])
        self._rate_hz = rate_hz
        self._max_block = max_block
        self.plan: Any = None

    def set(self, params: Any, *, on: bool = True, glide: bool = False) -> None:
        """The first settings decide how late it is and how much memory it has."""
        blueprint = self._blueprint(params, on)
        if self.plan is None:
            self.plan = Plan(blueprint, {}, max_block=self._max_block)
        elif glide:
            self.plan.set(blueprint)
        else:
            for spec in blueprint.specs:
                self.plan.operations[spec.id].aim(spec, glide=False)

    @property
    def audio(self) -> Audio:
        buffer: Audio = self.plan.buffers["audio"]
        return buffer

    @property
    def processor(self) -> Any:
        """What works on blocks of audio."""
        return self.plan.operations[_PROCESSOR].processor

    @property
    def reducer(self) -> Any:
        """What turns down."""
        return self.plan.reducers[("strip", "processor")]

    def reduction_db(self) -> Audio:
        """Of the first channel in the last block."""
        rows: Audio = self.plan.signals["strip/processor/reduction"].rows[0]
        return rows

    def process(self, audio: Audio, detector: Audio, n_samples: int) -> None:
        """Work on ``audio`` in place; ``detector`` counts if there is a key."""
        self.audio[:, :n_samples] = audio[:, :n_samples]
        if "key" in self.plan.buffers:
            self.plan.buffers["key"][:, :n_samples] = detector[:, :n_samples]
        self.run(n_samples)
        audio[:, :n_samples] = self.audio[:, :n_samples]

    def run(self, n_samples: int) -> None:
        """Work on what is in ``audio``."""
        self.plan.run(0, n_samples)

    def _blueprint(self, params: Any, on: bool) -> specs.Blueprint:
        made, lookahead = self._specs(params, on)
        channels = dict(self._buffers)
        return specs.Blueprint(
            sample_rate_hz=self._rate_hz,
            buffers=(("audio", self._layout), *((name, _of_channels(count)) for name, count in self._buffers[1:])),
            signals=(("levels", self._buffers[-1][1]), ("strip/processor/reduction", channels["audio"])),
            specs=made,
            strips=("strip",),
            output="audio",
            latency_samples=lookahead,
            length_samples=0,
            lags={},
            lags_at={},
        )

    def _specs(self, params: Any, on: bool) -> tuple[tuple[specs.Spec, ...], int]:
        if not issubclass(kind_of(self.kind).worker, GainShaper):
            told = ((0, params),)
            spec = process_spec(_PROCESSOR, self.kind, "audio", told, on=on, sample_rate_hz=self._rate_hz)
            return (spec,), spec.latency_samples
        keyed = _KEYED[self.kind].model_validate({"id": "processor", "on": on, "params": params})
        turning = Turning("strip", keyed, "audio", self._rate_hz)
        shape = turning.shape("levels")
        heard, n_heard = self._buffers[-1]
        pairs = n_heard == self._buffers[0][1]
        detect = specs.Detect(turning.id_of(Role.DETECT), heard, "levels", pairs, turning.detection)
        wait = specs.Delay(turning.id_of(Role.LOOKAHEAD), "audio", shape.lookahead_samples)
        waits = [wait] if shape.lookahead_samples else []
        return (detect, shape, *waits, turning.apply(shape.reduction)), shape.lookahead_samples
