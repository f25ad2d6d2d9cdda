"""Peak of the waveform between the samples, at four times the rate.

Reference: ITU-R BS.1770-5 Annex 2.
"""

import numpy as np

from gemischt.core.audio import Audio
from gemischt.core.data import bs1770
from gemischt.core.dsp.jit import AUDIO, INT, VECTOR, measuring_kernel
from gemischt.core.dsp.magnitude import highest_magnitude
from gemischt.core.units import gain_to_db

N_TAPS = 12
# Newest sample first in the tables; reversed here to run along the signal.
PHASES = np.ascontiguousarray(np.array(bs1770.TRUE_PEAK_PHASES)[:, ::-1])


@measuring_kernel(AUDIO, INT, AUDIO, AUDIO, VECTOR, VECTOR)
def _raise_peaks(audio: Audio, n_samples: int, phases: Audio, history: Audio, line: Audio, peaks: Audio) -> None:
    # ``line`` is scratch for the last eleven samples followed by the block; ``history`` (n_channels, 11) keeps them.
    keep = 11
    interpolated = np.empty(n_samples)
    for channel in range(audio.shape[0]):
        line[:keep] = history[channel]
        line[keep : keep + n_samples] = audio[channel, :n_samples]
        top = highest_magnitude(audio[channel, :n_samples])
        for phase in range(4):
            taps = phases[phase]
            t0, t1, t2, t3, t4, t5 = taps[0], taps[1], taps[2], taps[3], taps[4], taps[5]
            t6, t7, t8, t9, t10, t11 = taps[6], taps[7], taps[8], taps[9], taps[10], taps[11]
            for i in range(n_samples):
                first = t0 * line[i] + t1 * line[i + 1] + t2 * line[i + 2] + t3 * line[i + 3]
                middle = t4 * line[i + 4] + t5 * line[i + 5] + t6 * line[i + 6] + t7 * line[i + 7]
                last = t8 * line[i + 8] + t9 * line[i + 9] + t10 * line[i + 10] + t11 * line[i + 11]
                interpolated[i] = first + middle + last
            top = max(top, highest_magnitude(interpolated))
        peaks[channel] = max(peaks[channel], top)
        history[channel] = line[n_samples : n_samples + keep]


class TruePeakMeter:
    """Highest true peak of blocks of any size; never below the sample peak.

    State: ``_history`` (n_channels, 11) the samples before the next block; ``peaks`` (n_channels,) linear.
    """

    def __init__(self, n_channels: int, *, max_block: int) -> None:
        self._history = np.zeros((n_channels, N_TAPS - 1))
        self._line = np.zeros(max_block + N_TAPS - 1)
        self.peaks = np.zeros(n_channels)

    def process(self, audio: Audio, n_samples: int) -> None:
        """Take in the next block, n_samples <= max_block."""
        _raise_peaks(np.ascontiguousarray(audio), n_samples, PHASES, self._history, self._line, self.peaks)

    @property
    def max_dbtp(self) -> float:
        """Highest true peak of any channel so far."""
        return gain_to_db(float(self.peaks.max()))

    def reset(self) -> None:
        """Forget the highest peak; the filter runs on."""
        self.peaks[:] = 0.0
