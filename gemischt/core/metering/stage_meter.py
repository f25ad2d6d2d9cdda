"""Everything the gain ladder says of a signal, in one pass.

Reference: ITU-R BS.1770-5 (loudness, true peak), EBU Tech 3341 and 3342 (maxima, range), IEC 60268-17 (VU: 99 % of a
steady tone in 300 ms, overshoot 1 to 1.5 %; as a second-order low-pass on the rectified signal with the damping and
frequency below, which reach 99 % after 300 ms with 1.25 %).
"""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Counts, Single
from gemischt.core.data import bs1770
from gemischt.core.dsp.decibels import flushed
from gemischt.core.dsp.fma import fma
from gemischt.core.dsp.jit import AUDIO, COUNTS, INT, SINGLE_AUDIO, VECTOR, inline_kernel, measuring_kernel
from gemischt.core.dsp.magnitude import highest_magnitude, highest_single
from gemischt.core.metering.loudness import STEPS_PER_S, gated_lufs, k_weighting, power_to_lufs, range_lu
from gemischt.core.metering.true_peak import N_TAPS, PHASES
from gemischt.core.units import SILENCE_DB, gain_to_db, power_to_db

VU_DAMPING, VU_HZ = 0.8127, 2.1505
SINE_OVER_MEAN = math.pi / 2.0
"""Peak of a sine over the mean of its magnitude: VU meters are calibrated with sines."""
_SEGMENT = 256
_LONGEST_HOP = 160
"""How many samples at most the needle waits for, a few milliseconds: it needs a hundred to move visibly."""
_MOST_GAIN = float(np.abs(PHASES).sum(axis=1).max())
_SINGLE_PHASES = PHASES.astype(np.float32)
# Places in the meter's state.
_PEAK, _TRUE_PEAK, _VU = range(3)
_SUM_A, _SUM_B, _SQUARE_A, _SQUARE_B = range(3, 7)
_PEAK_AT, _TRUE_PEAK_AT, _OVERS, _FIRST_OVER = range(4)


@dataclass(frozen=True)
class StageLevels:
    """Levels of a signal over a stretch; silence is ``-inf``, times are seconds from the start of the stretch.

    ``rms_dbfs`` is the plain RMS of the louder channel (a full-scale sine reads -3.01); ``vu_dbfs`` the highest VU
    reading as the peak level of the sine that reads the same; ``dc`` the larger mean of a channel, linear; ``overs``
    samples above full scale, any channel. Loudness of one channel is that of one front speaker.
    """

    sample_peak_dbfs: float
    sample_peak_at_s: float
    true_peak_dbtp: float
    true_peak_at_s: float
    rms_dbfs: float
    vu_dbfs: float
    integrated_lufs: float
    max_short_term_lufs: float
    max_momentary_lufs: float
    loudness_range_lu: float | None
    crest_db: float
    dc: float
    overs: int
    first_over_s: float | None

    @property
    def silent(self) -> bool:
        """Whether nothing at all was there."""
        return self.sample_peak_dbfs == SILENCE_DB


@inline_kernel
def _weighted_energy(left: Audio, right: Audio, sections: Audio, weighting: Audio) -> tuple[float, float]:
    """K-weighted energy of two channels, in one loop so that their recursions' latencies overlap."""
    b0, b1, b2, a1, a2 = sections[0, 0], sections[0, 1], sections[0, 2], -sections[0, 3], -sections[0, 4]
    c1, c2 = -sections[1, 3], -sections[1, 4]
    u, v, m, n = weighting[0, 0], weighting[0, 1], weighting[0, 2], weighting[0, 3]
    p, q, r, s = weighting[1, 0], weighting[1, 1], weighting[1, 2], weighting[1, 3]
    energy_left = 0.0
    energy_right = 0.0
    for i in range(left.size):
        x = left[i]
        y = fma(b0, x, u)
        u = fma(a1, y, fma(b1, x, v))
        v = fma(a2, y, b2 * x)
        k = y + m
        m = fma(c1, k, fma(-2.0, y, n))
        n = fma(c2, k, y)
        energy_left = fma(k, k, energy_left)
        x = right[i]
        y = fma(b0, x, p)
        p = fma(a1, y, fma(b1, x, q))
        q = fma(a2, y, b2 * x)
        k = y + r
        r = fma(c1, k, fma(-2.0, y, s))
        s = fma(c2, k, y)
        energy_right = fma(k, k, energy_right)
    # Decays must not reach the denormal range, which is slow; what follows silence is not changed by it.
    weighting[0, 0], weighting[0, 1], weighting[0, 2], weighting[0, 3] = flushed(u), flushed(v), flushed(m), flushed(n)
    weighting[1, 0], weighting[1, 1], weighting[1, 2], weighting[1, 3] = flushed(p), flushed(q), flushed(r), flushed(s)
    return energy_left, energy_right


@inline_kernel
def _move_needle(mean: float, vu: Audio, needle: Audio) -> float:
    """One reading of the needle; its state is (sum, two of the section)."""
    y = vu[0] * mean + needle[1]
    needle[1] = flushed(vu[1] * mean + needle[2] - vu[3] * y)
    needle[2] = flushed(vu[2] * mean - vu[4] * y)
    return float(y)


@measuring_kernel(AUDIO, INT, INT, INT, INT, AUDIO, AUDIO, VECTOR, AUDIO, VECTOR, VECTOR, VECTOR)
def _measure_steps(
    audio: Audio,
    n_samples: int,
    offset_samples: int,
    step_samples: int,
    hop_samples: int,
    sections: Audio,
    weighting: Audio,
    vu: Audio,
    needle: Audio,
    state: Audio,
    energies: Audio,
    powers: Audio,
) -> None:
    """K-weighted and plain energy of each 10 ms step, VU needle, sums and squares.

    Args:
        hop_samples: how often the needle moves; a part of a step.
        weighting: (2, 4) two sums of each of the two sections per channel.
        vu: (5,) the needle's section; needle: (n_channels, 3) its sum since it moved, and its state.
        energies, powers: one entry a step touched by this block, added to.
    """
    n_channels = audio.shape[0]
    first = offset_samples // step_samples
    i = 0
    while i < n_samples:
        step = (offset_samples + i) // step_samples
        end = min(n_samples, (step + 1) * step_samples - offset_samples)
        energy_left, energy_right = _weighted_energy(audio[0, i:end], audio[n_channels - 1, i:end], sections, weighting)
        energies[step - first] += energy_left + (energy_right if n_channels == 2 else 0.0)
        loudest = 0.0
        for channel in range(n_channels):
            row = audio[channel, i:end]
            total = 0.0
            square = 0.0
            for j in range(row.size):
                total += row[j]
                square += row[j] * row[j]
            state[_SUM_A + channel] += total
            state[_SQUARE_A + channel] += square
            loudest = max(loudest, square)
            j = i
            while j < end:
                hop_end = min(end, ((offset_samples + j) // hop_samples + 1) * hop_samples - offset_samples)
                part = audio[channel, j:hop_end]
                rectified = 0.0
                for k in range(part.size):
                    rectified += abs(part[k])
                needle[channel, 0] += rectified
                if (offset_samples + hop_end) % hop_samples == 0:
                    reading = _move_needle(needle[channel, 0] / hop_samples, vu, needle[channel])
                    state[_VU] = max(state[_VU], reading)
                    needle[channel, 0] = 0.0
                j = hop_end
        powers[step - first] += loudest
        i = end


@inline_kernel
def _find(row: NDArray[Any], magnitude: float) -> int:
    """Where a magnitude that is known to be there is first."""
    for i in range(row.size):
        if abs(row[i]) == magnitude:
            return i
    return 0


@inline_kernel
def _interpolate(out: Single, other_out: Single, part: Single, taps: Single, other_taps: Single) -> None:
    """Two phases between the samples, which share their loads; ``part`` begins eleven samples early."""
    t = taps
    t0, t1, t2, t3, t4, t5 = t[0], t[1], t[2], t[3], t[4], t[5]
    t6, t7, t8, t9, t10, t11 = t[6], t[7], t[8], t[9], t[10], t[11]
    u = other_taps
    u0, u1, u2, u3, u4, u5 = u[0], u[1], u[2], u[3], u[4], u[5]
    u6, u7, u8, u9, u10, u11 = u[6], u[7], u[8], u[9], u[10], u[11]
    for i in range(out.size):
        p0, p1, p2, p3, p4, p5 = part[i], part[i + 1], part[i + 2], part[i + 3], part[i + 4], part[i + 5]
        p6, p7, p8, p9, p10, p11 = part[i + 6], part[i + 7], part[i + 8], part[i + 9], part[i + 10], part[i + 11]
        early = fma(t5, p5, fma(t4, p4, fma(t3, p3, fma(t2, p2, fma(t1, p1, t0 * p0)))))
        out[i] = early + fma(t11, p11, fma(t10, p10, fma(t9, p9, fma(t8, p8, fma(t7, p7, t6 * p6)))))
        early = fma(u5, p5, fma(u4, p4, fma(u3, p3, fma(u2, p2, fma(u1, p1, u0 * p0)))))
        other_out[i] = early + fma(u11, p11, fma(u10, p10, fma(u9, p9, fma(u8, p8, fma(u7, p7, u6 * p6)))))


@inline_kernel
def _raise_sample_peak(fresh: Audio, at_samples: int, peak: float, state: Audio, counts: Counts) -> None:
    """Take the peak of a segment that begins at a place, and count what is above full scale."""
    if peak > state[_PEAK]:
        state[_PEAK] = peak
        counts[_PEAK_AT] = at_samples + _find(fresh, peak)
        if peak > state[_TRUE_PEAK]:
            state[_TRUE_PEAK] = peak
            counts[_TRUE_PEAK_AT] = counts[_PEAK_AT]
    if peak > 1.0:
        for i in range(fresh.size):
            if abs(fresh[i]) > 1.0:
                counts[_OVERS] += 1
                if counts[_FIRST_OVER] < 0 or at_samples + i < counts[_FIRST_OVER]:
                    counts[_FIRST_OVER] = at_samples + i


@measuring_kernel(AUDIO, INT, INT, SINGLE_AUDIO, AUDIO, VECTOR, COUNTS)
def _measure_peaks(
    audio: Audio,
    n_samples: int,
    offset_samples: int,
    phases: Single,
    history: Audio,
    state: Audio,
    counts: Counts,
) -> None:
    # Between the samples single precision is enough. A place is looked for only when a segment raises the peak.
    keep = 11
    n_segments = (n_samples + _SEGMENT - 1) // _SEGMENT
    peaks = np.empty(n_segments + 1)
    scratch = np.empty(keep + _SEGMENT, np.float32)
    interpolated = np.empty((2, _SEGMENT), np.float32)
    for channel in range(audio.shape[0]):
        row = audio[channel, :n_samples]
        peaks[0] = highest_magnitude(history[channel])
        for segment in range(n_segments):
            peaks[segment + 1] = highest_magnitude(row[segment * _SEGMENT : min(n_samples, (segment + 1) * _SEGMENT)])
        for segment in range(n_segments):
            peak = peaks[segment + 1]
            # The interpolator's gain is bounded: what is far below the highest true peak so far cannot raise it.
            if max(peak, peaks[segment]) * _MOST_GAIN <= state[_TRUE_PEAK] and peak <= 1.0:
                continue
            start = segment * _SEGMENT
            fresh = row[start : min(n_samples, start + _SEGMENT)]
            _raise_sample_peak(fresh, offset_samples + start, peak, state, counts)
            for i in range(keep):
                scratch[i] = history[channel, i] if segment == 0 else row[start - keep + i]
            for i in range(fresh.size):
                scratch[keep + i] = fresh[i]
            for pair in range(2):
                _interpolate(
                    interpolated[0, : fresh.size],
                    interpolated[1, : fresh.size],
                    scratch,
                    phases[2 * pair],
                    phases[2 * pair + 1],
                )
                for phase in range(2):
                    between = interpolated[phase, : fresh.size]
                    top = highest_single(between)
                    if top > state[_TRUE_PEAK]:
                        state[_TRUE_PEAK] = top
                        counts[_TRUE_PEAK_AT] = max(0, offset_samples + start + _find(between, top) - 6)
        kept = min(keep, n_samples)
        for i in range(keep - kept):
            history[channel, i] = history[channel, i + kept]
        for i in range(kept):
            history[channel, keep - kept + i] = row[n_samples - kept + i]


class StageMeter:
    """Measures blocks of any size, one or two channels.

    State: filters' memories, running maxima and sums in ``_state`` and ``_counts``, and the energies of finished 10 ms
    steps, K-weighted and plain.
    """

    def __init__(self, sample_rate_hz: int, n_channels: int) -> None:
        self._sample_rate_hz = sample_rate_hz
        self._n_channels = n_channels
        self._step_samples = sample_rate_hz // STEPS_PER_S
        self._sections = k_weighting(sample_rate_hz)
        self._hop_samples = _largest_part(self._step_samples, _LONGEST_HOP)
        self._vu = needle_section(sample_rate_hz / self._hop_samples)
        self._weighting = np.zeros((2, 4))
        self._needle = np.zeros((n_channels, 3))
        self._history = np.zeros((n_channels, N_TAPS - 1))
        self._state = np.zeros(7)
        self._counts = np.array([0, 0, 0, -1], np.int64)
        self._energies: list[NDArray[np.float64]] = []
        self._powers: list[NDArray[np.float64]] = []
        self._samples = 0

    def process(self, audio: Audio, n_samples: int) -> None:
        """Take in the next block, (n_channels, >= n_samples)."""
        if n_samples == 0:
            return
        first = self._samples // self._step_samples
        touched = (self._samples + n_samples - 1) // self._step_samples - first + 1
        energies, powers = np.zeros(touched), np.zeros(touched)
        _measure_steps(
            audio,
            n_samples,
            self._samples,
            self._step_samples,
            self._hop_samples,
            self._sections,
            self._weighting,
            self._vu,
            self._needle,
            self._state,
            energies,
            powers,
        )
        _measure_peaks(audio, n_samples, self._samples, _SINGLE_PHASES, self._history, self._state, self._counts)
        if self._samples % self._step_samples and self._energies:
            self._energies[-1][-1] += energies[0]
            self._powers[-1][-1] += powers[0]
            energies, powers = energies[1:], powers[1:]
        if len(energies):
            self._energies.append(energies)
            self._powers.append(powers)
        self._samples += n_samples

    def step_powers(self) -> NDArray[np.float64]:
        """Mean square of the louder channel in each 10 ms, (n_steps,)."""
        if not self._powers:
            return np.zeros(0)
        steps: NDArray[np.float64] = np.concatenate(self._powers) / self._step_samples
        return steps

    def short_term_lufs(self) -> NDArray[np.float64]:
        """Short-term loudness at the end of each 10 ms, growing windows at the start, ``-inf`` for silence."""
        powers = self._window_powers(bs1770.SHORT_TERM_S, partial=True)
        with np.errstate(divide="ignore"):
            return np.asarray(bs1770.OFFSET_LU + 10.0 * np.log10(powers))

    def final_true_peak_dbtp(self) -> float:
        """True peak with the silence that follows the last sample; the meter stays as it is."""
        state, counts = self._state.copy(), self._counts.copy()
        quiet = np.zeros((self._n_channels, N_TAPS))
        _measure_peaks(quiet, N_TAPS, self._samples, _SINGLE_PHASES, self._history.copy(), state, counts)
        return gain_to_db(float(state[_TRUE_PEAK]))

    def levels(self) -> StageLevels:
        """What has been measured so far."""
        n = max(1, self._samples)
        square = max(float(self._state[_SQUARE_A]), float(self._state[_SQUARE_B])) / n
        peak_db = gain_to_db(float(self._state[_PEAK]))
        rms_db = power_to_db(square)
        momentary = self._window_powers(bs1770.MOMENTARY_S)
        short_term = self._window_powers(bs1770.SHORT_TERM_S)
        every = round(bs1770.GATING_STEP_S * STEPS_PER_S)
        # Gating blocks end at multiples of 100 ms; the first full window ends at 400 ms.
        gating = self._window_powers(bs1770.GATING_BLOCK_S)[::every]
        overs = int(self._counts[_OVERS])
        rate = self._sample_rate_hz
        return StageLevels(
            sample_peak_dbfs=peak_db,
            sample_peak_at_s=int(self._counts[_PEAK_AT]) / rate,
            true_peak_dbtp=gain_to_db(float(self._state[_TRUE_PEAK])),
            true_peak_at_s=int(self._counts[_TRUE_PEAK_AT]) / rate,
            rms_dbfs=rms_db,
            vu_dbfs=gain_to_db(SINE_OVER_MEAN * float(self._state[_VU])),
            integrated_lufs=gated_lufs(gating),
            max_short_term_lufs=power_to_lufs(float(short_term.max())) if len(short_term) else SILENCE_DB,
            max_momentary_lufs=power_to_lufs(float(momentary.max())) if len(momentary) else SILENCE_DB,
            loudness_range_lu=range_lu(short_term[::every]),
            crest_db=peak_db - rms_db if rms_db > SILENCE_DB else 0.0,
            dc=max(abs(float(self._state[_SUM_A])), abs(float(self._state[_SUM_B]))) / n,
            overs=overs,
            first_over_s=int(self._counts[_FIRST_OVER]) / rate if overs else None,
        )

    def _window_powers(self, window_s: float, *, partial: bool = False) -> NDArray[np.float64]:
        """Mean weighted power of each window that ends on a finished step."""
        whole = self._samples // self._step_samples
        energies = np.concatenate(self._energies)[:whole] if self._energies else np.zeros(0)
        window = round(window_s * STEPS_PER_S)
        sums = np.concatenate([[0.0], np.cumsum(energies)])
        if partial:
            starts = np.maximum(np.arange(1, len(sums)) - window, 0)
            spans = sums[1:] - sums[starts]
        else:
            spans = sums[window:] - sums[:-window] if len(sums) > window else np.zeros(0)
        # A difference of running totals can miss zero by a rounding error; 1e-15 lies below -150 LUFS.
        powers = spans / (window * self._step_samples)
        return np.where(powers > 1e-15, powers, 0.0)


def _largest_part(whole: int, limit: int) -> int:
    return next(part for part in range(limit, 0, -1) if whole % part == 0)


def needle_section(sample_rate_hz: float) -> NDArray[np.float64]:
    """The VU needle as one low-pass section, (5,): (b0, b1, b2, a1, a2), bilinear with its own frequency kept."""
    k = math.tan(math.pi * VU_HZ / sample_rate_hz)
    a0 = 1.0 + 2.0 * VU_DAMPING * k + k * k
    return np.array(
        [k * k / a0, 2.0 * k * k / a0, k * k / a0, 2.0 * (k * k - 1.0) / a0, (1.0 - 2.0 * VU_DAMPING * k + k * k) / a0]
    )
