"""The reverb: a feedback delay network behind pre-delay, cuts and diffusers.

Reference: see core.dsp.feedback_network. Line lengths and diffuser lengths are our own choice of primes.
"""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio
from gemischt.core.dsp import delay_line
from gemischt.core.dsp import feedback_network as network
from gemischt.core.dsp.mixing import blend_wet, start_ramp
from gemischt.core.processors.base import Place
from gemischt.core.processors.delay import wet_gains
from gemischt.core.processors.eq import Equalizer
from gemischt.core.processors.eq_params import EqBand, EqParams
from gemischt.core.processors.reverb_params import ReverbParams
from gemischt.core.units import ms_to_samples

LENGTHS_MS = (26.1, 31.1, 35.4, 40.7, 44.3, 49.8, 54.2, 58.6, 64.6, 70.1, 75.0, 80.7, 86.2, 92.6, 98.9, 106.2)
"""Lines at full size; the shortest room is a fifth of it."""
DIFFUSERS_MS = (2.9, 4.3, 7.1, 10.3, 3.1, 4.7, 6.7, 10.9)
TURNS_HZ = (0.73, -1.07, 1.41, -1.79, 2.05, -2.41, 2.77, -3.13)
"""How fast pairs of lines are turned into each other."""
_SMALLEST = 0.2
_STRONGEST_DIFFUSION = 0.7
_PREDELAY_MS = 500.0
_FADE_MS = 80.0
_DAMPED_SHARE = 0.08
"""With damping at 1 the highest frequencies decay in this share of the time."""


def line_lengths(size: float, decay_s: float, sample_rate_hz: int) -> NDArray[np.int64]:
    """Samples of each line, (16,): distinct primes, so that no two lines repeat together.

    A decay too short for the size makes the room smaller: no line is longer than a fifth of the decay.
    """
    scale = _SMALLEST + (1.0 - _SMALLEST) * size
    scale = max(_SMALLEST, min(scale, 200.0 * decay_s / LENGTHS_MS[-1]))
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


class Reverb:
    """Answers with a room, in place; two channels in and out, or one that takes the middle.

    State: ``_predelay`` and ``_diffusers`` rings, ``_rings`` (16, longest) the network's lines, of which ``_places``
    says how much is used, with ``_absorbed`` (16,) behind them, ``_turns`` the angles that pairs of lines are turned
    by, and the cuts' filters.
    """

    def __init__(self, place: Place) -> None:
        self._place = place
        rate = place.sample_rate_hz
        self._cuts = Equalizer(
            Place(
                sample_rate_hz=rate,
                glide_samples=place.glide_samples,
                n_channels=2,
                max_block=place.max_block,
                latency_samples=0,
            )
        )
        self._predelay = np.zeros((2, delay_line.ring_size(ms_to_samples(_PREDELAY_MS, rate))))
        self._predelay_line = delay_line.new_line()
        lengths = [ms_to_samples(length_ms, rate) for length_ms in DIFFUSERS_MS]
        self._diffuser_lengths = np.array(lengths, np.int64)
        self._diffusers = np.zeros((2 * network.N_DIFFUSERS, delay_line.ring_size(max(lengths))))
        self._diffuser_write = np.zeros(1, np.int64)
        self._diffusion = np.zeros(2)
        self._diffusion_remaining = np.zeros(1, np.int64)
        self._places = network.new_places(line_lengths(1.0, 20.0, rate))
        self._rings = np.zeros((network.N_LINES, self._places[1].max()))
        self._taps = np.zeros((2, network.N_LINES), np.int64)
        self._fade = np.array([0, 1], np.int64)
        self._turns = np.stack([np.ones(network.N_TURNS), np.zeros(network.N_TURNS)])
        self._turn_tables = network.turn_tables(2.0 * np.pi * np.array(TURNS_HZ) / rate)
        self._wanted: NDArray[np.int64] | None = None
        self._absorbed = np.zeros(network.N_LINES)
        self._ramp = np.zeros((2, 2 * network.N_LINES + 1))
        self._remaining = np.zeros(1, np.int64)
        self._blend = np.zeros((2, 3))
        self._blend_remaining = np.zeros(1, np.int64)
        self._wet = np.zeros((2, place.max_block))

    @staticmethod
    def latency_of(params: ReverbParams, sample_rate_hz: int) -> int:
        return 0

    @staticmethod
    def tail_of(params: ReverbParams, sample_rate_hz: int) -> int:
        return ms_to_samples(1.4 * 1000.0 * params.decay_s + params.pre_delay_ms, sample_rate_hz)

    def set(self, params: ReverbParams, *, on: bool, glide: bool) -> None:
        rate = self._place.sample_rate_hz
        samples = self._place.glide_samples if glide else 0
        fade = ms_to_samples(_FADE_MS, rate) if glide else 0
        lengths = line_lengths(params.size, params.decay_s, rate)
        self._aim_lengths(lengths, fade)
        start_ramp(self._ramp, self._remaining, absorption(params, lengths, rate), max(samples, fade))
        start_ramp(self._diffusion, self._diffusion_remaining, diffusion_coefficient(params), samples)
        delay_line.aim_line(self._predelay_line, ms_to_samples(params.pre_delay_ms, rate), fade)
        bands = []
        if params.low_cut_hz is not None:
            bands.append(EqBand(shape="low-cut", frequency_hz=params.low_cut_hz))
        if params.high_cut_hz is not None:
            bands.append(EqBand(shape="high-cut", frequency_hz=params.high_cut_hz))
        self._cuts.set(EqParams(bands=tuple(bands)), on=True, glide=glide)
        gains = wet_gains(params.wet if on else 0.0, params.width)
        start_ramp(self._blend, self._blend_remaining, np.array(gains), samples)

    def process(self, audio: Audio, detector: Audio, n_samples: int) -> None:
        if self._wanted is not None and self._fade[0] == 0:
            wanted, self._wanted = self._wanted, None
            self._aim_lengths(wanted, int(self._fade[1]))
        wet = self._wet
        wet[:, :n_samples] = audio[:, :n_samples]
        delay_line.run_delay(wet, n_samples, self._predelay, self._predelay_line)
        self._cuts.process(wet, wet, n_samples)
        network.diffuse(
            wet,
            n_samples,
            self._diffusers,
            self._diffuser_lengths,
            self._diffuser_write,
            self._diffusion,
            self._diffusion_remaining,
        )
        network.run_network(
            wet,
            n_samples,
            self._rings,
            self._places,
            self._taps,
            self._fade,
            self._ramp,
            self._remaining,
            self._absorbed,
            self._turns,
            self._turn_tables,
        )
        blend_wet(audio, wet, n_samples, self._blend, self._blend_remaining)

    def take_over(self, other: "Reverb") -> None:
        self._cuts.take_over(other._cuts)
        for own, before in (
            (self._predelay, other._predelay),
            (self._predelay_line, other._predelay_line),
            (self._diffusers, other._diffusers),
            (self._diffuser_write, other._diffuser_write),
            (self._diffusion, other._diffusion),
            (self._diffusion_remaining, other._diffusion_remaining),
            (self._rings, other._rings),
            (self._places, other._places),
            (self._taps, other._taps),
            (self._fade, other._fade),
            (self._absorbed, other._absorbed),
            (self._turns, other._turns),
            (self._ramp, other._ramp),
            (self._remaining, other._remaining),
            (self._blend, other._blend),
            (self._blend_remaining, other._blend_remaining),
        ):
            own[:] = before
        self._wanted = other._wanted

    def _aim_lengths(self, lengths: NDArray[np.int64], fade_samples: int) -> None:
        if fade_samples == 0:
            self._taps[:] = lengths
            self._fade[0] = 0
        elif self._fade[0] > 0:
            self._wanted = lengths
        elif not np.array_equal(self._taps[1], lengths):
            self._taps[1] = lengths
            self._fade[:] = fade_samples
