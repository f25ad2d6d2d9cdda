"""A lane that comes late combs: notches at (2 k + 1) / (2 d), peaks at k / d, as deep and high as the copy is strong.

Levels are arithmetic: 20 log (1 + g) at the peaks, 20 log (1 - g) in the notches.
"""

import unittest

import numpy as np

from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, impulse

LENGTH = RATE_HZ  # A second: bins of 1 Hz.


def response_db(delay_ms: float, copy_db: float) -> np.ndarray:
    """What a block of a dry lane and one that is late does, dB by Hz."""
    bench = Bench()
    lanes = [
        {"id": "dry", "name": "Dry"},
        {"id": "late", "name": "Late", "shift_ms": delay_ms, "level_db": copy_db},
    ]
    bench.track("click", impulse(LENGTH, channels=2), chain=[{"id": "block", "type": "parallel", "lanes": lanes}])
    out = bench.render(LENGTH)[0]
    return 20 * np.log10(np.maximum(np.abs(np.fft.rfft(out)), 1e-9))  # type: ignore[no-any-return]


class CombTest(unittest.TestCase):
    def test_first_and_second_notch(self) -> None:
        for delay_ms, first_hz, second_hz in (
            (0.25, 2000, 6000),
            (0.5, 1000, 3000),
            (1.0, 500, 1500),
            (2.0, 250, 750),
            (5.0, 100, 300),
            (10.0, 50, 150),
            (20.0, 25, 75),
        ):
            with self.subTest(delay_ms=delay_ms):
                response = response_db(delay_ms, 0.0)
                for notch_hz in (first_hz, second_hz):
                    self.assertLess(response[notch_hz], -60.0)
                # Between two notches it is twice as much as alone.
                self.assertAlmostEqual(response[round(1000 / delay_ms)], 6.0206, delta=0.001)
                self.assertGreater(response[first_hz // 5 : first_hz].min(), -60.0)

    def test_weaker_copies_comb_less(self) -> None:
        for copy_db, peak_db, notch_db in (
            (-1.0, 5.53, -19.27),
            (-3.0, 4.65, -10.69),
            (-6.0, 3.53, -6.04),
            (-10.0, 2.39, -3.30),
            (-20.0, 0.83, -0.92),
        ):
            with self.subTest(copy_db=copy_db):
                response = response_db(1.0, copy_db)
                self.assertAlmostEqual(response[1000], peak_db, delta=0.01)
                self.assertAlmostEqual(response[500], notch_db, delta=0.03)
