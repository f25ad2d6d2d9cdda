"""Detectors: the time over which the RMS is taken."""

import math
import unittest

import numpy as np

from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ


class RmsTimeTest(unittest.TestCase):
    def test_the_level_of_a_step_rises_with_the_time_constant(self) -> None:
        # A constant of -20 dBFS: its mean square reaches 1 - e^(-t / tau); what is over -60 dB is taken off.
        for rms_ms in (10.0, 100.0, 400.0):
            bench = Bench(pan_law_db=0.0)
            settings = {"threshold_db": -60.0, "ratio": None, "knee_db": 0.0, "attack_ms": 0.0, "release_ms": 0.0}
            chain = [compressor(**settings, detector="rms", rms_ms=rms_ms)]
            bench.track("a", np.full((2, 2 * RATE_HZ), 0.1), chain=chain)
            out = bench.render(2 * RATE_HZ)[0]
            for times in (0.5, 1.0, 3.0):
                at = round(times * rms_ms * RATE_HZ / 1000)
                level_db = -20.0 + 10.0 * math.log10(1.0 - math.exp(-times))
                with self.subTest(rms_ms=rms_ms, times=times):
                    self.assertAlmostEqual(20 * math.log10(out[at]), -20.0 - (level_db + 60.0), delta=0.03)


if __name__ == "__main__":
    unittest.main()
