"""Meters as tests use them."""

from gemischt.core.audio import Audio
from gemischt.core.metering import level_steps
from gemischt.core.metering.stage_meter import StageLevels, StageMeters
from gemischt.core.space.layout import Layout


class StageMeter:
    """Measures blocks of any size of one signal."""

    def __init__(self, sample_rate_hz: int, layout: Layout) -> None:
        self._meters = StageMeters(sample_rate_hz, (layout,))
        self._rows = self._meters.new_rows(0)

    def process(self, audio: Audio, n_samples: int) -> None:
        """Take in the next block, (n_channels, >= n_samples)."""
        if self._rows.shape[1] < n_samples + level_steps.SPARE_SAMPLES:
            self._rows = self._meters.new_rows(n_samples)
        self._rows[self._meters.rows_of(0), :n_samples] = audio[:, :n_samples]
        self._meters.process(self._rows, n_samples)

    def final_true_peak_dbtp(self) -> float:
        """True peak with the silence that follows the last sample; the meter stays as it is."""
        return self._meters.final_true_peak_dbtp(0)

    def levels(self) -> StageLevels:
        """What has been measured so far."""
        return self._meters.levels(0)
