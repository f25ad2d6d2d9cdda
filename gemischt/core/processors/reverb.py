"""The reverb: a feedback delay network behind pre-delay, cuts and diffusers.

Reference: see core.dsp.feedback_network. Line lengths and diffuser lengths are our own choice of primes.
"""

import dataclasses

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp import delay_line, early_reflections
from gemischt.core.dsp import feedback_network as network
from gemischt.core.dsp.mixing import apply_matrix, blend_wet, copy
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place, row
from gemischt.core.processors.delay import wet_gains
from gemischt.core.processors.eq import Equalizer
from gemischt.core.processors.eq_params import EqBand, EqParams
from gemischt.core.processors.reverb_params import ReverbParams
from gemischt.core.processors.room_wiring import Room, wiring_of
from gemischt.core.units import ms_to_samples

LENGTHS_MS = (26.1, 31.1, 35.4, 40.7, 44.3, 49.8, 54.2, 58.6, 64.6, 70.1, 75.0, 80.7, 86.2, 92.6, 98.9, 106.2)
"""Lines at full size; the shortest room is a fifth of it."""
DIFFUSERS_MS = (2.9, 4.3, 7.1, 10.3, 3.1, 4.7, 6.7, 10.9)
TURNS_HZ = (0.73, -1.07, 1.41, -1.79, 2.05, -2.41, 2.77, -3.13)
"""How fast pairs of lines are turned into each other."""
_OTHER_SIZES, _OTHER_TURNS = (1.0, 1.043, 0.961, 1.087), (1.0, 0.83, 1.13, 0.94)
"""Of the rooms of a bed, so that no two answer alike."""
_SMALLEST = 0.2
_STRONGEST_DIFFUSION = 0.7
_PREDELAY_MS = 500.0
_FADE_MS = 80.0
_DAMPED_SHARE = 0.08
"""With damping at 1 the highest frequencies decay in this share of the time."""


def line_lengths(size: float, decay_s: float, sample_rate_hz: int, room: int = 0) -> NDArray[np.int64]:
    """Samples of each line, (16,): distinct primes, so that no two lines repeat together; other ones in each room.

    A decay too short for the size makes the room smaller: no line is longer than a fifth of the decay.
    """
    scale = _SMALLEST + (1.0 - _SMALLEST) * size
    scale = max(_SMALLEST, min(scale, 200.0 * decay_s / LENGTHS_MS[-1]))
    scale *= _OTHER_SIZES[room]
    lengths: list[int] = []
    for length_ms in LENGTHS_MS:
        length = max(ms_to_samples(scale * length_ms, sample_rate_hz), lengths[-1] + 1 if lengths else 2)
        while any(length % divisor == 0 for divisor in range(2, int(length**0.5) + 1)):
            length += 1
        lengths.append(length)
    return np.array(lengths[::2] + lengths[1::2], np.int64)


def absorption(params: ReverbParams, lengths: NDArray[np.int64], sample_rate_hz: int) -> NDArray[np.float64]:
    """Gain, pole and output gain of the network, (33,).

    A line's gain makes it fall by 60 dB in ``decay_s`` at low frequencies; its pole shortens that at half the rate.
    The output gain keeps the energy of the answer the same whatever the decay.
    """
    gains = 10.0 ** (-3.0 * lengths / (params.decay_s * sample_rate_hz))
    damped_s = params.decay_s * (1.0 - params.damping * (1.0 - _DAMPED_SHARE))
    ratio = 10.0 ** (-3.0 * lengths / (damped_s * sample_rate_hz)) / gains
    poles = (1.0 - ratio) / (1.0 + ratio)
    returned = float(np.mean(gains**2))
    output = 0.25 * np.sqrt((1.0 - returned) / returned)
    return np.concatenate([gains, poles, [output]])


def diffusion_coefficient(params: ReverbParams) -> float:
    """Coefficient of the diffusers; in a short decay they must not ring longer than the room."""
    longest: float = 10.0 ** (-9.0 * max(DIFFUSERS_MS) / (1000.0 * params.decay_s))
    return min(_STRONGEST_DIFFUSION * params.diffusion, longest)


class Reverb(BlockProcessor):
    """Answers with a room; two channels in and out, or one that takes the middle.

    More channels are a bed: it has a room in front and one behind, for each layer if that is asked for, whose lines are
    of other lengths, and which answer through the corners; see room_wiring. The first reflections come from in front
    of the diffusers, and keep their side.

    State: the pre-delay, the cuts' filters, the rooms, and what the first reflections repeat.
    """

    def __init__(self, place: Place, audio: Audio) -> None:
        self._sample_rate_hz = rate = place.sample_rate_hz
        n_channels = max(2, len(audio))
        self._wiring = wiring_of(place.channels, each=place.room_samples > 1) if n_channels > 2 else None
        wired = (Room((0,)),) if self._wiring is None else self._wiring.rooms
        arriving = np.zeros((n_channels, place.max_block))
        self._cuts = Equalizer(dataclasses.replace(place, n_channels=n_channels, room_samples=0), arriving)
        predelay = np.zeros((n_channels, delay_line.ring_size(ms_to_samples(_PREDELAY_MS, rate))))
        predelay_line = delay_line.new_line(ms_to_samples(_FADE_MS, rate))
        waiting = Control(1, place.max_block, place.glide_samples, first_stepped=0)
        diffusion = Control(1, place.max_block, place.glide_samples)
        early = Control(1, place.max_block, place.glide_samples)
        blend = Control(3, place.max_block, place.glide_samples)
        self._rooms = [_SoundingRoom(place, number, room.n_outputs, diffusion) for number, room in enumerate(wired)]
        mixed = self._rooms if self._wiring else []
        entering = [Control(2 * n_channels, place.max_block, place.glide_samples) for _ in mixed]
        calls = [
            Call(copy, audio, arriving),
            Call(delay_line.run_delay, arriving, waiting.pieces, waiting.coefs, predelay, predelay_line),
            *self._cuts.calls,
        ]
        echoes: list[_Echoes] = []
        for number, (room, wiring) in enumerate(zip(self._rooms, wired, strict=True)):
            if entering:
                unmeasured, into = np.zeros((1, 2)), entering[number]
                measured = (unmeasured, False, unmeasured, False)
                calls.append(Call(apply_matrix, arriving, room.audio[:2], into.pieces, into.coefs, *measured))
            else:
                calls.append(Call(copy, arriving, room.audio))
            calls += room.calls
            for output, pair in enumerate(wiring.pairs):
                wet = room.audio[2 * output : 2 * output + 2]
                echoes.append(_Echoes(place, early))
                calls.append(echoes[-1].call(arriving[pair : pair + 2], wet))
                calls.append(Call(blend_wet, audio[pair : pair + 2], wet, blend.pieces, blend.coefs))
        nothing = np.zeros((2, place.max_block))
        for channel in self._wiring.dry if self._wiring else ():
            calls.append(Call(blend_wet, audio[channel : channel + 1], nothing, blend.pieces, blend.coefs))
        self.calls = tuple(calls)
        absorbing = [room.absorbing for room in self._rooms]
        self.controls = (waiting, *self._cuts.controls, diffusion, *absorbing, *entering, early, blend)
        heard = (state for room in self._rooms for state in room.state)
        self.state = ((predelay, predelay_line), *self._cuts.state, *heard, *(echo.state for echo in echoes))

    @staticmethod
    def room_of(params: ReverbParams, sample_rate_hz: int) -> int:
        """How many layers of a bed may have rooms of their own."""
        return 2 if params.layers == "each" else 1

    @staticmethod
    def tail_of(params: ReverbParams, sample_rate_hz: int) -> int:
        return ms_to_samples(1.4 * 1000.0 * params.decay_s + params.pre_delay_ms, sample_rate_hz)

    def coefs_of(self, params: ReverbParams, *, on: bool) -> tuple[Row, ...]:
        rate = self._sample_rate_hz
        bands = []
        if params.low_cut_hz is not None:
            bands.append(EqBand(shape="low-cut", frequency_hz=params.low_cut_hz))
        if params.high_cut_hz is not None:
            bands.append(EqBand(shape="high-cut", frequency_hz=params.high_cut_hz))
        entering = () if self._wiring is None else self._wiring.entering(params.exchange)
        return (
            row(ms_to_samples(params.pre_delay_ms, rate)),
            *self._cuts.coefs_of(EqParams(bands=tuple(bands)), on=True),
            row(diffusion_coefficient(params)),
            *(room.coefs_of(params) for room in self._rooms),
            *(matrix.ravel() for matrix in entering),
            row(params.early),
            wet_gains(params.wet if on else 0.0, params.width),
        )


class _SoundingRoom:
    """A network behind its diffusers, where ``audio`` (n_outputs, max_block) comes in by the first two channels.

    State: the diffusers, the network: its lines (16, longest), of which ``places`` says how much is used, what is
    absorbed behind them (16,), the angles that pairs of lines are turned by, and the tables of how far.
    """

    def __init__(self, place: Place, number: int, n_outputs: int, diffusion: Control) -> None:
        self._rate, self._number, self._n_outputs = place.sample_rate_hz, number, n_outputs
        fade = ms_to_samples(_FADE_MS, place.sample_rate_hz)
        self.audio = np.zeros((n_outputs, place.max_block))
        lengths = np.array([ms_to_samples(length_ms, self._rate) for length_ms in DIFFUSERS_MS], np.int64)
        diffusers = network.new_rings(2 * network.N_DIFFUSERS, delay_line.ring_size(int(lengths.max())))
        diffuser_write = np.zeros(1, np.int64)
        places = network.new_places(line_lengths(1.0, 20.0, self._rate, number))
        lines = network.new_rings(network.N_LINES, int(places[1].max()))
        taps, fading = np.zeros((2, network.N_LINES), np.int64), np.array([0, fade], np.int64)
        absorbed = np.zeros(network.N_LINES)
        turns = np.stack([np.ones(network.N_TURNS), np.zeros(network.N_TURNS)])
        tables = network.turn_tables(2.0 * np.pi * _OTHER_TURNS[number] * np.array(TURNS_HZ) / self._rate)
        # The absorption goes with the lengths.
        self.absorbing = Control(network.N_COEFS, place.max_block, fade, first_stepped=network.LENGTHS)
        lasting = (lines, places, taps, fading, absorbed, turns)
        self.state = ((diffusers, diffuser_write), lasting, (tables,))
        spread_out = (diffusion.pieces, diffusion.coefs, diffusers, lengths, diffuser_write)
        self.calls = (
            Call(network.diffuse, self.audio[:2], *spread_out),
            Call(network.run_network, self.audio, self.absorbing.pieces, self.absorbing.coefs, *lasting, tables),
        )

    def coefs_of(self, params: ReverbParams) -> Row:
        """Of its absorption, its turning and its lengths; the energy of its answer does not depend on its outputs."""
        lengths = line_lengths(params.size, params.decay_s, self._rate, self._number)
        absorbed = absorption(params, lengths, self._rate)
        absorbed[network.OUTPUT] *= (2.0 / self._n_outputs) ** 0.5
        return np.concatenate([absorbed, [2.0 * params.modulation], lengths])


class _Echoes:
    """The first reflections of a pair of channels. State: what they repeat."""

    def __init__(self, place: Place, level: Control) -> None:
        times_ms = early_reflections.TIMES_MS
        delays = np.array([ms_to_samples(ms, place.sample_rate_hz) for ms in times_ms], np.int64)
        ring = np.zeros((2, delay_line.ring_size(int(delays.max()) + place.max_block)))
        write = np.zeros(1, np.int64)
        self.state = (ring, write)
        self._repeating = (level.pieces, level.coefs, ring, write, delays, early_reflections.early_gains())

    def call(self, source: Audio, out: Audio) -> Call:
        """What adds them."""
        return Call(early_reflections.add_early, source, out, *self._repeating)
