"""A closer look at one strip: what each processor of its chain hears and leaves."""

import numpy as np

from gemischt.core.dsp.mixing import measure_level
from gemischt.core.engine.operations import CompressOperation, EqualizeOperation
from gemischt.core.metering.ballistics import FLOOR_DB
from gemischt.core.metering.spectrum import SpectrumMeter
from gemischt.core.units import gain_to_db

Probed = EqualizeOperation | CompressOperation


class StripProbe:
    """Readings of one strip's processors, taken right after each has run.

    ``levels`` maps a processor's id to (peak after it, detected level, reduction), all in dB of the last block;
    ``spectrum`` holds the output of the last equaliser.
    """

    def __init__(self, strip_id: str, sample_rate_hz: int) -> None:
        self.strip_id = strip_id
        self.levels: dict[str, tuple[float, float, float]] = {}
        self.spectrum = SpectrumMeter(sample_rate_hz)

    def read(self, processor_id: str, operation: Probed, n_samples: int) -> None:
        """Measure the operation's buffer as it is now."""
        meter = np.zeros((2, 2))
        measure_level(operation.buffer, n_samples, meter)
        peak_db = max(FLOOR_DB, gain_to_db(float(meter[:, 0].max())))
        detected_db, reduction_db = FLOOR_DB, 0.0
        if isinstance(operation, CompressOperation):
            detected_db = operation.dynamics.loudest_detected_db(n_samples)
            reduction_db = operation.dynamics.deepest_reduction_db(n_samples)
        else:
            self.spectrum.process(operation.buffer, n_samples)
        self.levels[processor_id] = (peak_db, detected_db, reduction_db)
