"""Everything the gain ladder says of a signal, in one pass.

Reference: ITU-R BS.1770-5 (loudness, true peak), EBU Tech 3341 and 3342 (maxima, range), IEC 60268-17 (VU: 99 % of a
steady tone in 300 ms, overshoot 1 to 1.5 %; as a second-order low-pass on the rectified signal with the damping and
frequency below, which reach 99 % after 300 ms with 1.25 %).
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Counts
from gemischt.core.data import bs1770
from gemischt.core.dsp.decibels import flushed
from gemischt.core.dsp.jit import AUDIO, COUNTS, INT, VECTOR, measuring_kernel
from gemischt.core.dsp.magnitude import highest_magnitude
from gemischt.core.metering.loudness import STEPS_PER_S, gated_lufs, k_weighting, power_to_lufs, range_lu
from gemischt.core.metering.true_peak import N_TAPS, PHASES
from gemischt.core.units import SILENCE_DB, gain_to_db, power_to_db

VU_DAMPING, VU_HZ = 0.8127, 2.1505
SINE_OVER_MEAN = math.pi / 2.0
"""Peak of a sine over the mean of its magnitude: VU meters are calibrated with sines."""
_SEGMENT = 256
_MOST_GAIN = float(np.abs(PHASES).sum(axis=1).max())
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


@measuring_kernel(AUDIO, INT, INT, INT, AUDIO, AUDIO, VECTOR, AUDIO, VECTOR, VECTOR, VECTOR)
def _measure_steps(
    audio: Audio,
    n_samples: int,
    offset_samples: int,
    step_samples: int,
    sections: Audio,
    weighting: Audio,
    vu: Audio,
    needle: Audio,
    state: Audio,
    energies: Audio,
    powers: Audio,
) -> None:
    """K-weighted and plain energy of each 10 ms step, VU needle, sums and squares.

    Two channels run in one loop, so that their recursions' latencies overlap; one channel counts once.

    Args:
        weighting: (2, 4) two sums of each of the two sections per channel.
        vu: (5,) the needle's section; needle: (2, 2) its state per channel.
        energies, powers: one entry a step touched by this block, added to.
    """
    last = audio.shape[0] - 1
    second = 1.0 if last == 1 else 0.0
    b0, b1, b2, a1, a2 = sections[0, 0], sections[0, 1], sections[0, 2], sections[0, 3], sections[0, 4]
    c1, c2 = sections[1, 3], sections[1, 4]
    v0, v1, v2, w1, w2 = vu[0], vu[1], vu[2], vu[3], vu[4]
    u, v, m, n = weighting[0, 0], weighting[0, 1], weighting[0, 2], weighting[0, 3]
    p, q, r, s = weighting[1, 0], weighting[1, 1], weighting[1, 2], weighting[1, 3]
    na, nb = needle[0, 0], needle[0, 1]
    oa, ob = needle[1, 0], needle[1, 1]
    top = state[_VU]
    first = offset_samples // step_samples
    i = 0
    while i < n_samples:
        step = (offset_samples + i) // step_samples
        end = min(n_samples, (step + 1) * step_samples - offset_samples)
        row_a = audio[0, i:end]
        row_b = audio[last, i:end]
        energy_a = 0.0
        energy_b = 0.0
        square_a = 0.0
        square_b = 0.0
        sum_a = 0.0
        sum_b = 0.0
        for j in range(row_a.size):
            x = row_a[j]
            z = row_b[j]
            y = b0 * x + u
            u = b1 * x + v - a1 * y
            v = b2 * x - a2 * y
            k = y + m
            m = n - 2.0 * y - c1 * k
            n = y - c2 * k
            energy_a += k * k
            y = b0 * z + p
            p = b1 * z + q - a1 * y
            q = b2 * z - a2 * y
            k = y + r
            r = s - 2.0 * y - c1 * k
            s = y - c2 * k
            energy_b += k * k
            sum_a += x
            sum_b += z
            square_a += x * x
            square_b += z * z
            h = abs(x)
            y = v0 * h + na
            na = v1 * h + nb - w1 * y
            nb = v2 * h - w2 * y
            h = abs(z)
            k = v0 * h + oa
            oa = v1 * h + ob - w1 * k
            ob = v2 * h - w2 * k
            top = max(top, max(y, k))
        energies[step - first] += energy_a + second * energy_b
        powers[step - first] += max(square_a, square_b)
        state[_SUM_A] += sum_a
        state[_SUM_B] += sum_b
        state[_SQUARE_A] += square_a
        state[_SQUARE_B] += square_b
        # Decays must not reach the denormal range, which is slow; what follows silence is not changed by it.
        u, v, m, n = flushed(u), flushed(v), flushed(m), flushed(n)
        p, q, r, s = flushed(p), flushed(q), flushed(r), flushed(s)
        na, nb, oa, ob = flushed(na), flushed(nb), flushed(oa), flushed(ob)
        i = end
    weighting[0, 0], weighting[0, 1], weighting[0, 2], weighting[0, 3] = u, v, m, n
    weighting[1, 0], weighting[1, 1], weighting[1, 2], weighting[1, 3] = p, q, r, s
    needle[0, 0], needle[0, 1] = na, nb
    needle[1, 0], needle[1, 1] = oa, ob
    state[_VU] = top


@measuring_kernel(AUDIO, INT, INT, AUDIO, AUDIO, VECTOR, VECTOR, COUNTS)
def _measure_peaks(
    audio: Audio,
    n_samples: int,
    offset_samples: int,
    phases: Audio,
    history: Audio,
    line: Audio,
    state: Audio,
    counts: Counts,
) -> None:
    # A place is looked for only when a block raises the peak.
    keep = 11
    interpolated = np.empty(_SEGMENT)
    for channel in range(audio.shape[0]):
        line[:keep] = history[channel]
        line[keep : keep + n_samples] = audio[channel, :n_samples]
        history[channel] = line[n_samples : n_samples + keep]
        row = line[keep : keep + n_samples]
        peak = highest_magnitude(row)
        if peak > state[_PEAK]:
            state[_PEAK] = peak
            for i in range(row.size):
                if abs(row[i]) == peak:
                    counts[_PEAK_AT] = offset_samples + i
                    break
        if peak > 1.0:
            for i in range(row.size):
                if abs(row[i]) > 1.0:
                    counts[_OVERS] += 1
                    if counts[_FIRST_OVER] < 0 or offset_samples + i < counts[_FIRST_OVER]:
                        counts[_FIRST_OVER] = offset_samples + i
        if peak > state[_TRUE_PEAK]:
            state[_TRUE_PEAK] = peak
            counts[_TRUE_PEAK_AT] = counts[_PEAK_AT]
        for start in range(0, n_samples, _SEGMENT):
            end = min(n_samples, start + _SEGMENT)
            part = line[start : end + keep]
            # The interpolator's gain is bounded: what is far below the highest true peak so far cannot raise it.
            if highest_magnitude(part) * _MOST_GAIN <= state[_TRUE_PEAK]:
                continue
            for phase in range(4):
                t = phases[phase]
                t0, t1, t2, t3, t4, t5 = t[0], t[1], t[2], t[3], t[4], t[5]
                t6, t7, t8, t9, t10, t11 = t[6], t[7], t[8], t[9], t[10], t[11]
                fresh = interpolated[: end - start]
                for i in range(fresh.size):
                    low = t0 * part[i] + t1 * part[i + 1] + t2 * part[i + 2] + t3 * part[i + 3]
                    middle = t4 * part[i + 4] + t5 * part[i + 5] + t6 * part[i + 6] + t7 * part[i + 7]
                    high = t8 * part[i + 8] + t9 * part[i + 9] + t10 * part[i + 10] + t11 * part[i + 11]
                    fresh[i] = low + middle + high
                peak = highest_magnitude(fresh)
                if peak > state[_TRUE_PEAK]:
                    state[_TRUE_PEAK] = peak
                    for i in range(fresh.size):
                        if abs(fresh[i]) == peak:
                            counts[_TRUE_PEAK_AT] = max(0, offset_samples + start + i - 6)
                            break


class StageMeter:
    """Measures blocks of any size, one or two channels.

    State: filters' memories, running maxima and sums in ``_state`` and ``_counts``, and the energies of finished 10 ms
    steps, K-weighted and plain.
    """

    def __init__(self, sample_rate_hz: int, n_channels: int, *, max_block: int) -> None:
        self._sample_rate_hz = sample_rate_hz
        self._n_channels = n_channels
        self._step_samples = sample_rate_hz // STEPS_PER_S
        self._sections = k_weighting(sample_rate_hz)
        self._vu = needle_section(sample_rate_hz)
        self._weighting = np.zeros((2, 4))
        self._needle = np.zeros((2, 2))
        self._history = np.zeros((n_channels, N_TAPS - 1))
        self._line = np.zeros(max_block + N_TAPS)
        self._state = np.zeros(7)
        self._counts = np.array([0, 0, 0, -1], np.int64)
        self._energies: list[NDArray[np.float64]] = []
        self._powers: list[NDArray[np.float64]] = []
        self._samples = 0

    def process(self, audio: Audio, n_samples: int) -> None:
        """Take in the next block, (n_channels, >= n_samples), n_samples <= max_block."""
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
            self._sections,
            self._weighting,
            self._vu,
            self._needle,
            self._state,
            energies,
            powers,
        )
        _measure_peaks(audio, n_samples, self._samples, PHASES, self._history, self._line, self._state, self._counts)
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
        line = np.zeros(2 * N_TAPS)
        _measure_peaks(quiet, N_TAPS, self._samples, PHASES, self._history.copy(), line, state, counts)
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


def needle_section(sample_rate_hz: float) -> NDArray[np.float64]:
    """The VU needle as one low-pass section, (5,): (b0, b1, b2, a1, a2), bilinear with its own frequency kept."""
    k = math.tan(math.pi * VU_HZ / sample_rate_hz)
    a0 = 1.0 + 2.0 * VU_DAMPING * k + k * k
    return np.array(
        [k * k / a0, 2.0 * k * k / a0, k * k / a0, 2.0 * (k * k - 1.0) / a0, (1.0 - 2.0 * VU_DAMPING * k + k * k) / a0]
    )
