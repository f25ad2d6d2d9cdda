"""Lines along which controls are led: a course, worked out a stretch at a time as it is needed."""

import zlib
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from gemischt.core.control import Line, Stretch
from gemischt.core.engine.courses import STRETCH_SAMPLES
from gemischt.core.engine.operations import Operation
from gemischt.core.engine.specs import Course, OperationId

_TOGETHER, _ONE_BY_ONE = 32, 4
"""So many stretches are worked out at once: of what is worked out for many moments together, and of all else."""
_KEPT = 5
"""Stretches: operations of a strip lag apart, and loops come back."""


class Lines:
    """The coefficients of every operation that a course leads."""

    def __init__(self, course: Course, operations: Mapping[OperationId, Operation]) -> None:
        self.course = course
        self._operations = {id_: operations[id_] for id_ in course.ids}
        at_unity = {id_: course.at_unity(id_) for id_ in course.ids}
        self._at_unity = {id_: operations[id_].coefs_of(spec) for id_, spec in at_unity.items() if spec is not None}
        together = all(id_ in self._at_unity or self._along(id_, np.zeros(1, np.int64)) for id_ in course.ids)
        self._length = STRETCH_SAMPLES * (_TOGETHER if together else _ONE_BY_ONE)
        # Not all strips' stretches end with the same block.
        self._offset = zlib.crc32(course.ids[0].strip.encode()) % self._length
        self._stretches: dict[int, Mapping[OperationId, list[Stretch]]] = {}

    @property
    def reach(self) -> int:
        """So far before its end a stretch is followed by the next, so that blocks lie within one."""
        return self._length // 2

    def leads_alike(self, course: Course, operations: Mapping[OperationId, Operation]) -> bool:
        """Whether another course does the same to the same operations."""
        same = all(operations.get(id_) is operation for id_, operation in self._operations.items())
        return same and course.ids == self.course.ids and course.key == self.course.key

    def stretch(self, id_: OperationId, control: int, sample: int) -> Stretch:
        """Of one control of an operation: around a sample of the song, and all that comes next."""
        number = (sample + self._offset) // self._length
        starts, rows = self._stretch(number)[id_][control]
        next_starts, next_rows = self._stretch(number + 1)[id_][control]
        # A jump may have its end, or its beginning, in both.
        behind = int(np.searchsorted(next_starts, starts[-1], side="right"))
        return np.concatenate([starts, next_starts[behind:]]), np.concatenate([rows, next_rows[behind:]])

    def _stretch(self, number: int) -> Mapping[OperationId, list[Stretch]]:
        found = self._stretches.get(number)
        if found is None:
            while len(self._stretches) >= _KEPT:
                self._stretches.pop(next(iter(self._stretches)))
            found = self._stretches[number] = self._work_out(number * self._length - self._offset)
        return found

    def _work_out(self, begin: int) -> Mapping[OperationId, list[Stretch]]:
        found: dict[OperationId, list[Stretch]] = {}
        for id_, operation in self._operations.items():
            starts = self.course.breakpoints(id_, begin, begin + self._length)
            unity = self._at_unity.get(id_)
            if unity is not None:
                gains = self.course.gains(id_, starts)[:, np.newaxis]
                found[id_] = [(starts, gains * row) for row in unity]
                continue
            along = self._along(id_, starts)
            if along is not None:
                found[id_] = [(starts, rows) for rows in along]
                continue
            # Row by row, one of each control.
            rows = [operation.coefs_of(self.course.spec_at(id_, int(start))) for start in starts]
            found[id_] = [(starts, np.array(column)) for column in zip(*rows, strict=True)]
        return found

    def _along(self, id_: OperationId, samples: NDArray[np.int64]) -> Sequence[NDArray[np.float64]] | None:
        """Coefficients of each control at samples of the song, if they are worked out together."""
        told = self.course.told_along(id_, samples)
        return None if told is None else self._operations[id_].coefs_along(told)


class ControlLine(Line):
    """The line of one control of an operation that works so late behind the song. State: the stretch that was asked for
    last, as it is in the plan's time."""

    def __init__(self, lines: Lines, id_: OperationId, control: int, lag_samples: int) -> None:
        self._lines = lines
        self._id = id_
        self._control = control
        self._lag_samples = lag_samples
        self._stretch: Stretch = np.zeros(1, np.int64), np.zeros((1, 0))

    def stretch(self, at: int) -> Stretch:
        starts, _ = self._stretch
        if not starts[0] <= at < starts[-1] - self._lines.reach:
            starts, rows = self._lines.stretch(self._id, self._control, at - self._lag_samples)
            self._stretch = starts + self._lag_samples, np.ascontiguousarray(rows)
        return self._stretch
