"""Operations whose coefficients followers lead: what they add to what is there without them.

A parameter's coefficients are read from a table over its values; bands of an equaliser are designed as they sound, see
core.engine.followed_bands.
"""

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Line, Stretch
from gemischt.core.dsp import following
from gemischt.core.dsp.mixing import copy, delay_in_place
from gemischt.core.dsp.table import Call
from gemischt.core.engine.courses import STEP_MS
from gemischt.core.engine.followings import Following, Scale
from gemischt.core.engine.operations import Operation
from gemischt.core.parameters import Value
from gemischt.core.processors.base import ControlSignal
from gemischt.core.session.moves import Curve
from gemischt.core.units import ms_to_samples

N_VALUES = 129
"""So many values of a parameter have their coefficients worked out."""
_REACH_SAMPLES = 65536


@dataclass(frozen=True)
class ScaledCurve:
    """A moved parameter in its own scale."""

    curve: Curve
    scale: Scale

    def number_at(self, sample: int, rate: int, step: int) -> float:
        """At a sample of the song; inside a jump, which takes ``step`` samples, that before it at its beginning."""
        for at_s in self.curve.steps_s:
            if round(at_s * rate) == sample:
                return self.scale.number(self.curve.value_before(at_s))
            if round(at_s * rate) < sample < round(at_s * rate) + step:
                return self.scale.number(self.curve.value_at(sample / rate))
        return self.scale.number(self.curve.value_at(sample / rate))


class ValuesLine(Line):
    """Parameters in their own scales, some of which move, in the time of an operation that lags."""

    def __init__(
        self, rest: NDArray[np.float64], curves: Mapping[int, ScaledCurve], sample_rate_hz: int, lag_samples: int
    ) -> None:
        """``rest`` (n,) holds all that does not move, ``curves`` the others by their place."""
        self._rest, self._curves = rest, curves
        self._rate, self._lag = sample_rate_hz, lag_samples
        self._step = ms_to_samples(STEP_MS, sample_rate_hz)

    def stretch(self, at: int) -> Stretch:
        begin, end, rate = at - self._lag, at - self._lag + _REACH_SAMPLES, self._rate
        edges = [begin, end]
        for one in self._curves.values():
            times_s = one.curve.breakpoints_s(begin / rate, end / rate, closest_s=64 / rate)
            edges += np.rint(times_s * rate).astype(np.int64).tolist()
            for step in (round(at_s * rate) for at_s in one.curve.steps_s):
                if begin - self._step < step < end:
                    edges += [step, step + self._step]
        samples = np.unique(np.array(edges, np.int64))
        samples = samples[(samples >= begin) & (samples <= end)]
        rows = np.tile(self._rest, (len(samples), 1))
        for place, one in self._curves.items():
            rows[:, place] = [one.number_at(int(sample), rate, self._step) for sample in samples]
        return samples + self._lag, rows


@dataclass(frozen=True)
class FollowedPlace:
    """Where an operation is that followers lead: in time, and on which machine."""

    signals: Mapping[str, ControlSignal]
    lag_samples: int
    share_lags: Mapping[str, int]
    sample_rate_hz: int
    glide_samples: int
    max_block: int


class Followed(ABC):
    """An operation whose coefficients followers lead: its controls lay out what is there without them, and its calls
    put what they add on top.

    State: what was added at the last grid points, and shares that wait for a slower operation.
    """

    def __init__(self, operation: Operation, place: FollowedPlace) -> None:
        self._operation, self._place = operation, place
        self._bound = list(operation.controls)
        self.bases = [
            Control(control.coefs.shape[1], place.max_block, place.glide_samples, first_stepped=control.first_stepped)
            for control in self._bound
        ]
        operation.controls = tuple(self.bases)
        self.values: list[Control] = []
        self.calls: list[Call] = []
        self.state: list[tuple[NDArray[Any], ...]] = []
        self._pulls: list[list[Audio]] = []
        self._pulled: list[Audio] = []

    @abstractmethod
    def _end_of(self, place: int) -> float:
        """Where a parameter is at the last block's end without followers, in its own scale."""

    def led_number(self, place: int, n_samples: int) -> float:
        """Where the parameter of one following is at the last block's end, in its own scale."""
        number, (goal, share) = self._end_of(place), self._pulled[place][:, n_samples - 1]
        return float(number + goal - share * number)

    @abstractmethod
    def aim(self, followings: Sequence[Following], *, glide: bool) -> None:
        """Go to the settings of followings of the same structure."""

    def take_over(self, other: "Followed") -> None:
        """Go on where the same operation of another plan is."""
        if len(self.state) == len(other.state):
            for own, before in zip(self.state, other.state, strict=True):
                for array, known in zip(own, before, strict=True):
                    if array.shape == known.shape:
                        array[...] = known

    def _pull(self, one: Following, pulled: Audio) -> None:
        """Let all followers of one parameter write what they do to it, (2, max_block), see core.dsp.following."""
        pulls = [np.zeros(2) for _ in one.pulls]
        for index, ((share, _), pull) in enumerate(zip(one.pulls, pulls, strict=True)):
            self.calls.append(Call(following.add_pull, self._share(share), pulled, pull, index == 0))
        self._pulls.append(pulls)
        self._pulled.append(pulled)

    def _share(self, share: str) -> Audio:
        """A follower's share; what is heard early waits for the slower operation."""
        rows = self._place.signals[share].rows
        late = max(0, self._place.lag_samples - self._place.share_lags[share])
        if not late:
            return rows
        waiting, ring, at = np.zeros_like(rows), np.zeros((1, late)), np.zeros(1, np.int64)
        self.state.append((ring, at))
        self.calls += [Call(copy, rows, waiting), Call(delay_in_place, waiting, ring, at)]
        return waiting

    def _aim_pulls(self, place: int, one: Following, scale: Scale) -> None:
        for (_, pull), told in zip(one.pulls, self._pulls[place], strict=True):
            told[:] = scale.number(pull.to), float(pull.on)

    def _line(self, rest: NDArray[np.float64], curves: Mapping[int, ScaledCurve]) -> ValuesLine | None:
        return ValuesLine(rest, curves, self._place.sample_rate_hz, self._place.lag_samples) if curves else None


class FollowedByTable(Followed):
    """Each parameter has a table of coefficients over its values."""

    def __init__(self, operation: Operation, followings: Sequence[Following], place: FollowedPlace) -> None:
        super().__init__(operation, place)
        self._tables: list[list[Call]] = []
        for index, one in enumerate(followings):
            value = Control(1, place.max_block, place.glide_samples)
            self.values.append(value)
            pulled = np.zeros((2, place.max_block))
            self._pull(one, pulled)
            leading: list[Call] = []
            for control, base in zip(self._bound, self.bases, strict=True):
                n_coefs = control.coefs.shape[1]
                deltas = np.zeros((2, n_coefs))
                self.state.append((deltas,))
                call = Call(
                    following.lead_coefs,
                    place.lag_samples,
                    base.pieces,
                    base.coefs,
                    value.pieces,
                    value.coefs,
                    pulled,
                    np.zeros((N_VALUES, n_coefs)),
                    np.zeros(2),
                    control.first_stepped,
                    index == 0,
                    len(followings) == 1,
                    control.pieces,
                    control.coefs,
                    deltas,
                )
                leading.append(call)
                self.calls.append(call)
            self._tables.append(leading)
        self.aim(followings, glide=False)

    def aim(self, followings: Sequence[Following], *, glide: bool) -> None:
        for place, (one, value, calls) in enumerate(zip(followings, self.values, self._tables, strict=True)):
            scale = Scale.of(one.parameter, one.values)
            low, high = one.reach(scale)
            self._aim_pulls(place, one, scale)
            values = [scale.value(number) for number in np.linspace(low, high, N_VALUES).tolist()]
            for table, call in zip(self._tables_of(one, values), calls, strict=True):
                call.put("table", np.ascontiguousarray(table))
                call.put("ends", np.array([low, high]))
            rest = np.array([scale.number(one.value)])
            value.aim(((0, rest),), glide=glide)
            value.lead(self._line(rest, {} if one.curve is None else {0: ScaledCurve(one.curve, scale)}), glide=glide)

    def _end_of(self, place: int) -> float:
        return float(self.values[place].at_end[0])

    def _tables_of(self, one: Following, values: list[Value]) -> Sequence[NDArray[np.float64]]:
        """The coefficients of each control for values of the parameter."""
        if None not in values:
            told = one.course.told_with(one.operation, {one.address: np.array(values, np.float64)})
            along = None if told is None else self._operation.coefs_along(told)
            if along is not None:
                return along
        rows = [self._operation.coefs_of(one.course.spec_with(one.operation, {one.address: value})) for value in values]
        return [np.array(column) for column in zip(*rows, strict=True)]
