"""A plan: the buffers and operations of one blueprint."""

from collections.abc import Callable, Collection, Iterator, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, MediaSamples
from gemischt.core.engine import operations, specs
from gemischt.core.engine.blueprint import STAGES
from gemischt.core.engine.operations import ProcessOperation
from gemischt.core.engine.specs import OperationId
from gemischt.core.units import ms_to_samples

Watcher = Callable[[Any, int], None]
"""Called with an operation that has just run and the number of samples."""


class Plan:
    """Runs the operations of a blueprint over its own buffers.

    ``meters`` (n_strips, 3 stages, 2 channels, 2) collects peak and sum of squares until it is cleared.
    """

    def __init__(self, blueprint: specs.Blueprint, media: Mapping[str, MediaSamples], *, max_block: int) -> None:
        self.blueprint = blueprint
        self.max_block = max_block
        self.buffers = {name: np.zeros((n_channels, max_block)) for name, n_channels in blueprint.buffers}
        self.meters = np.zeros((len(blueprint.strips), len(STAGES), 2, 2))
        self.operations: dict[OperationId, Any] = {spec.id: self._operation(spec, media) for spec in blueprint.specs}
        self._order: list[operations.Operation] = list(self.operations.values())
        index = {strip_id: place for place, strip_id in enumerate(blueprint.strips)}
        self._reducing = [
            (index[id_.strip], id_, operation.dynamics)
            for id_, operation in self.operations.items()
            if isinstance(operation, ProcessOperation) and operation.dynamics
        ]

    @property
    def output(self) -> Audio:
        """The mix of the last block, (2, max_block)."""
        return self.buffers[self.blueprint.output]

    def run(self, position_samples: int, n_samples: int) -> None:
        """Render ``n_samples`` <= max_block from a place in the song."""
        for operation in self._order:
            operation.run(position_samples, n_samples)

    def run_watched(
        self,
        position_samples: int,
        n_samples: int,
        watchers: Mapping[OperationId, Watcher],
        *,
        leave_out: Collection[OperationId] = (),
    ) -> None:
        """Render like ``run``; what is watched is shown right after it has run, before later steps overwrite it.

        Args:
            leave_out: steps whose work nobody wants; they count as run.
        """
        for id_, operation in self.operations.items():
            if id_ not in leave_out:
                operation.run(position_samples, n_samples)
            watcher = watchers.get(id_)
            if watcher is not None:
                watcher(operation, n_samples)

    def reductions_db(self, n_samples: int) -> NDArray[np.float32]:
        """Deepest gain reduction per strip in the last block, its compressors added up, (n_strips,)."""
        reductions = np.zeros(len(self.blueprint.strips), np.float32)
        for index, _, dynamics in self._reducing:
            reductions[index] += dynamics.deepest_reduction_db(n_samples)
        return reductions

    def reductions_by_processor(self, n_samples: int) -> Iterator[tuple[tuple[str, str], float]]:
        """Deepest gain reduction of each compressor and limiter in the last block, by strip and processor."""
        for _, id_, dynamics in self._reducing:
            yield (id_.strip, id_.part[0]), dynamics.deepest_reduction_db(n_samples)

    def set(self, blueprint: specs.Blueprint) -> None:
        """Glide to the settings of a blueprint with the same structure."""
        for before, spec in zip(self.blueprint.specs, blueprint.specs, strict=True):
            if _settings(before) != _settings(spec):
                self.operations[spec.id].set(spec, glide=True)
        self.blueprint = blueprint

    def take_over(self, other: "Plan") -> None:
        """Continue with the state of the operations that another plan shares with this one."""
        wanted = {spec.id: spec for spec in self.blueprint.specs}
        for id_, operation in self.operations.items():
            before = other.operations.get(id_)
            if before is not None and type(before) is type(operation) and hasattr(operation, "take_over"):
                operation.take_over(before)
                if hasattr(operation, "set"):
                    operation.set(wanted[id_], glide=True)

    def _operation(self, spec: specs.Spec, media: Mapping[str, MediaSamples]) -> operations.Operation:
        rate = self.blueprint.sample_rate_hz
        glide = ms_to_samples(operations.GLIDE_MS, rate)
        buffers = self.buffers
        match spec:
            case specs.PlayClips():
                return operations.PlayClipsOperation(spec, buffers, media)
            case specs.Clear():
                return operations.ClearOperation(spec, buffers)
            case specs.Copy():
                return operations.CopyOperation(spec, buffers)
            case specs.ApplyMatrix():
                return operations.ApplyMatrixOperation(spec, buffers, self.meters, glide)
            case specs.MixInto():
                return operations.MixIntoOperation(spec, buffers, self.max_block, glide)
            case specs.Delay():
                return operations.DelayOperation(spec, buffers)
            case specs.Process():
                return ProcessOperation(spec, buffers, rate, self.max_block, glide)


def _settings(spec: specs.Spec) -> object:
    match spec:
        case specs.ApplyMatrix():
            return spec.matrix.tolist()
        case specs.MixInto():
            return spec.gain
        case specs.Process():
            return spec.told, spec.on
        case _:
            return None
