"""A plan: the buffers and operations of one blueprint, run as one table of kernel calls."""

from collections.abc import Callable, Collection, Iterator, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, MediaSamples
from gemischt.core.control import Control
from gemischt.core.dsp.table import Call, run_table, table_of
from gemischt.core.engine import operations, specs
from gemischt.core.engine.buffer_names import STAGES
from gemischt.core.engine.duck_operations import ClicksOperation, DuckOperation, FollowOperation, OpenOperation
from gemischt.core.engine.followed import Followed, FollowedByTable, FollowedPlace
from gemischt.core.engine.followed_bands import FollowedBands
from gemischt.core.engine.followings import Following
from gemischt.core.engine.led_controls import LedControls
from gemischt.core.engine.lines import ControlLine, Lines
from gemischt.core.engine.operations import Operation, ProcessOperation, ShapeOperation
from gemischt.core.engine.specs import OperationId
from gemischt.core.processors.base import ControlSignal, ReducesGain
from gemischt.core.processors.eq import Equalizer
from gemischt.core.units import ms_to_samples

Watcher = Callable[[Any, int], None]
"""Called with an operation that has just run and the number of samples."""


class Plan:
    """Runs the operations of a blueprint over its own buffers.

    ``meters`` (n_strips, 3 stages, n_channels, 2) collects peak and sum of squares until it is cleared, of as
    many channels as the widest buffer has.
    """

    def __init__(self, blueprint: specs.Blueprint, media: Mapping[str, MediaSamples], *, max_block: int) -> None:
        self.blueprint = blueprint
        self.max_block = max_block
        self._layouts = dict(blueprint.buffers)
        self.buffers = {name: np.zeros((layout.n_channels, max_block)) for name, layout in blueprint.buffers}
        self.signals = {name: ControlSignal(n_channels, max_block) for name, n_channels in blueprint.signals}
        widest = max(layout.n_channels for _, layout in blueprint.buffers)
        self.meters = np.zeros((len(blueprint.strips), len(STAGES), widest, 2))
        self.operations = {spec.id: self._operation(spec, media) for spec in blueprint.specs}
        for spec in blueprint.specs:
            self.operations[spec.id].aim(spec, glide=False)
        self.followed = self._find_followed()
        """What followers lead, with what leads it in the same order as ``followings``."""
        self._lines: dict[OperationId, Lines] = {}
        self._led = LedControls()
        self._follow_courses()
        calls: list[Call] = []
        self._calls_of: dict[OperationId, tuple[int, int]] = {}
        for id_, operation in self.operations.items():
            own = [*(self.followed[id_].calls if id_ in self.followed else ()), *operation.calls]
            self._calls_of[id_] = len(calls), len(calls) + len(own)
            calls.extend(own)
        self._table = table_of(calls)
        self._moving = self._found_moving()
        self._index = {strip_id: place for place, strip_id in enumerate(blueprint.strips)}
        self.reducers = dict(self._found_reducers())
        """What turns down what is loud, by strip and processor."""

    @property
    def output(self) -> Audio:
        """The mix of the last block, (n_channels, max_block)."""
        return self.buffers[self.blueprint.output]

    def steps_behind(self, id_: OperationId) -> list[OperationId]:
        """What comes after a step."""
        order = list(self.operations)
        return order[order.index(id_) + 1 :]

    def run(self, position_samples: int, n_samples: int) -> None:
        """Render ``n_samples`` <= max_block from a place in the song."""
        self._lay_out(position_samples, n_samples)
        self._run_calls(0, len(self._table), position_samples, n_samples)

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
        self._lay_out(position_samples, n_samples)
        done = 0
        concerned = [id_ for id_ in {*watchers, *leave_out} if id_ in self._calls_of]
        for id_ in sorted(concerned, key=self._calls_of.__getitem__):
            first, last = self._calls_of[id_]
            self._run_calls(done, first if id_ in leave_out else last, position_samples, n_samples)
            done, watcher = last, watchers.get(id_)
            if watcher is not None:
                watcher(self.operations[id_], n_samples)
        self._run_calls(done, len(self._table), position_samples, n_samples)

    def _run_calls(self, first: int, last: int, position_samples: int, n_samples: int) -> None:
        if first == last:
            return
        failed = run_table(self._table, first, last, n_samples, position_samples)
        if failed >= 0:
            id_ = next(id_ for id_, (begin, end) in self._calls_of.items() if begin <= failed < end)
            raise RuntimeError(f"{id_.role.value} of {id_.strip} could not work on a block of {n_samples} samples")

    def _lay_out(self, position_samples: int, n_samples: int) -> None:
        """Let what moves have its coefficients for the next block."""
        if not self._led.lay_out(position_samples, n_samples):
            self._moving += self._led.release()
        if not self._moving:
            return
        for control in self._moving:
            control.fill(position_samples, n_samples)
        self._led.add([control for control in self._moving if control.is_led], position_samples + n_samples)
        self._moving = [control for control in self._moving if control.moves and not control.is_led]

    def _follow_courses(self) -> None:
        """Let operations be led by the blueprint's courses; who goes on being led alike notices nothing."""
        before, self._lines = self._lines, {}
        for course in self.blueprint.courses:
            known = next((before[id_] for id_ in course.ids if id_ in before), None)
            same = known is not None and known.leads_alike(course, self.operations)
            lines = known if known is not None and same else Lines(course, self.operations)
            self._lines.update(dict.fromkeys(course.ids, lines))
        for id_ in before.keys() | self._lines.keys():
            led, led_before = self._lines.get(id_), before.get(id_)
            if led is not led_before:
                alike = led is not None and led_before is not None and led.course.key == led_before.course.key
                for index, control in enumerate(self.operations[id_].controls):
                    lag = self.blueprint.lags_at[id_]
                    control.lead(ControlLine(led, id_, index, lag) if led else None, glide=not alike)

    def _found_moving(self) -> list[Control]:
        controls = [control for operation in self.operations.values() for control in operation.controls]
        controls += [control for followed in self.followed.values() for control in followed.values]
        return [control for control in controls if control.moves]

    def leads(self, id_: OperationId) -> bool:
        """Whether a move or a follower leads an operation over the song."""
        return id_ in self._lines or id_ in self.followed

    def _find_followed(self) -> dict[OperationId, Followed]:
        """Operations that followers lead, whose controls from now on say what is there without them."""
        blueprint = self.blueprint
        lags = {spec.share: blueprint.lags_at[spec.id] for spec in blueprint.specs if isinstance(spec, specs.Follow)}
        found: dict[OperationId, Followed] = {}
        for id_, followings in self.followings.items():
            place = FollowedPlace(
                signals=self.signals,
                lag_samples=blueprint.lags_at[id_],
                share_lags=lags,
                sample_rate_hz=blueprint.sample_rate_hz,
                glide_samples=ms_to_samples(operations.GLIDE_MS, blueprint.sample_rate_hz),
                max_block=self.max_block,
            )
            operation = self.operations[id_]
            if isinstance(operation, ProcessOperation) and isinstance(operation.processor, Equalizer):
                found[id_] = FollowedBands(operation, operation.processor, followings, place)
            else:
                found[id_] = FollowedByTable(operation, followings, place)
        known = {spec.id: spec for spec in blueprint.specs}
        for id_ in found:
            self.operations[id_].aim(known[id_], glide=False)
        return found

    @property
    def followings(self) -> dict[OperationId, list[Following]]:
        """What followers do, by the operation that they lead."""
        found: dict[OperationId, list[Following]] = {}
        for one in self.blueprint.followings:
            assert isinstance(one, Following)
            found.setdefault(one.operation, []).append(one)
        return found

    def _found_reducers(self) -> Iterator[tuple[tuple[str, str], ReducesGain]]:
        for id_, operation in self.operations.items():
            if isinstance(operation, ShapeOperation | DuckOperation):
                yield (id_.strip, id_.part[0]), operation
            elif isinstance(operation, ProcessOperation) and isinstance(operation.processor, ReducesGain):
                yield (id_.strip, id_.part[0]), operation.processor

    def reductions_db(self, n_samples: int) -> NDArray[np.float32]:
        """Deepest gain reduction per strip in the last block, its compressors added up, (n_strips,)."""
        reductions = np.zeros(len(self.blueprint.strips), np.float32)
        for (strip_id, _), reducer in self.reducers.items():
            reductions[self._index[strip_id]] += reducer.deepest_reduction_db(n_samples)
        return reductions

    def reductions_by_processor(self, n_samples: int) -> Iterator[tuple[tuple[str, str], float]]:
        """Deepest gain reduction of each compressor and limiter in the last block, by strip and processor."""
        for place, reducer in self.reducers.items():
            yield place, reducer.deepest_reduction_db(n_samples)

    def set(self, blueprint: specs.Blueprint) -> None:
        """Glide to the settings of a blueprint with the same structure."""
        self._led.release()
        for before, spec in zip(self.blueprint.specs, blueprint.specs, strict=True):
            if before is not spec and specs.settings_of(before) != specs.settings_of(spec):
                self.operations[spec.id].aim(spec, glide=True)
        before_followings, self.blueprint = self.followings, blueprint
        for id_, followings in self.followings.items():
            if [one.key for one in followings] != [one.key for one in before_followings[id_]]:
                self.followed[id_].aim(followings, glide=True)
        self._follow_courses()
        self._moving = self._found_moving()

    def take_over(self, other: "Plan") -> None:
        """Continue with the state of the operations that another plan shares with this one."""
        wanted = {spec.id: spec for spec in self.blueprint.specs}
        other._moving += other._led.release()
        for id_, operation in self.operations.items():
            before = other.operations.get(id_)
            if before is not None and operation.is_like(before):
                operation.take_over(before)
                operation.aim(wanted[id_], glide=True)
                if id_ in self.followed and id_ in other.followed:
                    self.followed[id_].take_over(other.followed[id_])
        self._lines = {id_: lines for id_, lines in other._lines.items() if id_ in self.operations}
        self._follow_courses()
        self._moving = self._found_moving()

    def _operation(self, spec: specs.Spec, media: Mapping[str, MediaSamples]) -> Operation:
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
                return operations.MixIntoOperation(spec, buffers, glide)
            case specs.Delay():
                return operations.DelayOperation(spec, buffers)
            case specs.Process():
                return ProcessOperation(spec, buffers, self._layouts[spec.buffer], rate, self.max_block, glide)
            case specs.Detect():
                return operations.DetectOperation(spec, buffers, self.signals, rate, glide)
            case specs.Shape():
                return ShapeOperation(spec, self.signals, rate, glide)
            case specs.Apply():
                return operations.ApplyOperation(spec, buffers, self.signals, glide)
            case specs.Open():
                return OpenOperation(spec, self.signals, rate, self.max_block)
            case specs.Duck():
                return DuckOperation(spec, buffers, self.signals, rate, glide)
            case specs.Follow():
                return FollowOperation(spec, self.signals, rate, self.max_block, glide)
            case specs.Clicks():
                return ClicksOperation(spec, buffers)
