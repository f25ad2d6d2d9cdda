"""Ducks, followers and ghosts at work: a clock's curve as a signal, audio it turns, shares of the way, clicks."""

from collections.abc import Mapping, Sequence

import numpy as np

from gemischt.core.audio import Audio, Counts
from gemischt.core.control import Control, Told
from gemischt.core.dsp import biquad, ducking, following
from gemischt.core.dsp.table import Call
from gemischt.core.engine import specs
from gemischt.core.engine.clocks import lengths_by_tempo, ticks_of
from gemischt.core.engine.operations import Operation
from gemischt.core.processors.base import ControlSignal, ReducesGain, row
from gemischt.core.session.ducks import CurveNode, Hits
from gemischt.core.session.moves import steepness
from gemischt.core.units import gain_to_db, ms_to_samples, time_constant_to_coefficient

WAY_MS = 1.0
"""How long the way to a curve is that begins anew."""
_MOST_NODES = 64
_BUTTERWORTH_Q = 0.5**0.5
_BANDS = {"all": ducking.ALL, "below": ducking.BELOW, "above": ducking.ABOVE}


class OpenOperation(Operation):
    """How open a duck is. State: its clock and its curve, see core.dsp.ducking."""

    def __init__(
        self, spec: specs.Open, signals: Mapping[str, ControlSignal], sample_rate_hz: int, max_block: int
    ) -> None:
        self._sample_rate_hz = sample_rate_hz
        self._until_samples = spec.until_samples
        state, way = np.zeros(ducking.N_STATE, np.int64), np.ones(2)
        state[ducking.NEXT], state[ducking.SINCE], state[ducking.VERSION] = ducking.UNKNOWN, -1, -1
        quiet = np.full(1, 1 << 40, np.int64)
        self._nodes, self._shape = np.zeros((3, _MOST_NODES)), np.zeros(2, np.int64)
        self._settings = np.zeros(2)
        found = np.zeros((1 + max_block, 2), np.int64)
        nothing = np.zeros(0, np.int64)
        way_samples = ms_to_samples(WAY_MS, sample_rate_hz)
        self.state = ((state,), (way,), (quiet,))
        if spec.levels is None:
            self._clock = Call(ducking.find_ticks, nothing, nothing, spec.lag_samples, found, state)
        else:
            heard = signals[spec.levels].rows
            self._clock = Call(
                ducking.find_hits, heard, nothing, nothing, self._settings, spec.lag_samples, found, quiet, state
            )
        opened = signals[spec.openness].rows
        curve = Call(ducking.open_along_curve, self._nodes, self._shape, way_samples, found, state, way, opened)
        self.calls = (self._clock, curve)

    def aim(self, spec: specs.Open, *, glide: bool) -> None:
        opening, rate = spec.opening, self._sample_rate_hz
        if spec.levels is None:
            ticks, lengths = ticks_of(opening, rate, self._until_samples)
            self._clock.put("ticks", ticks)
        else:
            assert isinstance(opening.clock, Hits)
            changes, lengths = lengths_by_tempo(opening, rate)
            self._clock.put("changes", changes)
            rearm = ms_to_samples(opening.clock.rearm_ms, rate)
            self._settings[:] = opening.clock.threshold_db, rearm
        self._clock.put("lengths", lengths)
        shortest = int(lengths.min()) if len(lengths) else rate
        nodes = _nodes_of(opening.curve, ms_to_samples(WAY_MS, rate) / shortest)
        self._nodes[:, : nodes.shape[1]] = nodes
        self._shape[0] = nodes.shape[1]
        if glide:
            self._shape[1] += 1

    def take_over(self, other: Operation) -> None:
        super().take_over(other)
        if isinstance(other, OpenOperation):
            self._shape[1] = other._shape[1]


def _nodes_of(curve: Sequence[CurveNode], step: float) -> Audio:
    """A curve's nodes in the order of core.dsp.ducking; from one to another at the same place it takes a step's share
    of the length."""
    nodes = np.array([(node.at, node.open, steepness(node.bend)) for node in curve]).T
    for k in range(1, nodes.shape[1]):
        nodes[ducking.AT, k] = max(nodes[ducking.AT, k], nodes[ducking.AT, k - 1] + step)
    return nodes


class DuckOperation(Operation, ReducesGain):
    """Audio that a duck turns. State: its crossover's sections."""

    def __init__(
        self,
        spec: specs.Duck,
        buffers: Mapping[str, Audio],
        signals: Mapping[str, ControlSignal],
        sample_rate_hz: int,
        glide_samples: int,
    ) -> None:
        self._sample_rate_hz = sample_rate_hz
        self.buffer = buffers[spec.buffer]
        n_channels, max_block = self.buffer.shape
        control = Control(ducking.N_COEFS, max_block, glide_samples)
        self._gains = np.ones(max_block)
        sections = np.zeros((n_channels, 4, 2))
        self.controls = (control,)
        self.state = ((sections,),)
        opened = signals[spec.openness].rows
        turned = (self.buffer, opened, _BANDS[spec.band], control.pieces, control.coefs, self._gains, sections)
        self.calls = (Call(ducking.turn_by_openness, *turned),)

    def _told(self, spec: specs.Duck) -> Sequence[Told]:
        depth, crossover_hz = spec.depth, spec.depth.crossover_hz
        low = biquad.low_pass(crossover_hz, _BUTTERWORTH_Q, self._sample_rate_hz)
        high = biquad.high_pass(crossover_hz, _BUTTERWORTH_Q, self._sample_rate_hz)
        silent = depth.depth_db is None
        level = (0.0 if depth.depth_db is None else depth.depth_db, float(silent), float(depth.on))
        return (((0, row(*level, *low[:3], *high)),),)

    def loudest_detected_db(self, n_samples: int, first: int = 0) -> None:
        return None

    def deepest_reduction_db(self, n_samples: int, first: int = 0) -> float:
        return max(0.0, -gain_to_db(max(1e-6, float(self._gains[first:n_samples].min(initial=1.0)))))

    @property
    def gains(self) -> Audio:
        """Of each sample of the last block, linear, (max_block,)."""
        return self._gains


class FollowOperation(Operation):
    """The share of the way that a follower moves parameters. State: its last share."""

    def __init__(
        self,
        spec: specs.Follow,
        signals: Mapping[str, ControlSignal],
        sample_rate_hz: int,
        max_block: int,
        glide_samples: int,
    ) -> None:
        self._sample_rate_hz = sample_rate_hz
        control = Control(following.N_COEFS, max_block, glide_samples)
        last = np.zeros(1)
        self.controls = (control,)
        self.state = ((last,),)
        levels, share = signals[spec.levels].rows, signals[spec.share].rows
        self.calls = (Call(following.follow_level, levels, share, control.pieces, control.coefs, last),)

    def _told(self, spec: specs.Follow) -> Sequence[Told]:
        params, rate = spec.params, self._sample_rate_hz
        feedback = (time_constant_to_coefficient(ms, rate) for ms in (params.attack_ms, params.release_ms))
        bend = steepness(params.bend)
        return (((0, row(params.floor_db, params.ceiling_db, bend, *feedback, float(spec.on))),),)


class ClicksOperation(Operation):
    """A ghost's clicks, added to what its clips play."""

    def __init__(self, spec: specs.Clicks, buffers: Mapping[str, Audio]) -> None:
        starts: Counts = np.array(spec.starts, np.int64)
        velocities, wave = np.array(spec.velocities), np.array(spec.wave)
        self.calls = (Call(ducking.add_clicks, buffers[spec.buffer], starts, velocities, wave),)
