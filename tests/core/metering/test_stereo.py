"""The stereo meter against a general library's filter and what levels must do."""

import unittest

import numpy as np
from scipy import signal as scipy_signal

from gemischt.core.metering.stereo import LOWS_HZ, StereoLevels, StereoMeter
from tests.support.signals import RATE_HZ, Signal, noise, sine


def measured(audio: Signal, *, block_samples: int = 1000) -> StereoLevels:
    meter = StereoMeter(RATE_HZ)
    for start in range(0, audio.shape[1], block_samples):
        block = audio[:, start : start + block_samples].astype(np.float32)
        meter.process(np.ascontiguousarray(block), block.shape[1])
    return meter.levels()


def db(power: float) -> float:
    return 10.0 * float(np.log10(power))


class StereoTest(unittest.TestCase):
    def test_mono_loss_of_equal_unrelated_and_opposed_channels(self) -> None:
        one = noise(4.0, seed=1)[0]
        other = noise(4.0, seed=2)[0]
        self.assertAlmostEqual(measured(np.stack([one, one])).mono_loss_db, 0.0, places=6)
        # Powers of unrelated signals add: half of what both have is left. Arithmetic.
        self.assertAlmostEqual(measured(np.stack([one, other])).mono_loss_db, 3.01, delta=0.05)
        self.assertGreater(measured(np.stack([one, -one])).mono_loss_db, 100.0)

    def test_lows_against_a_filter_of_scipy(self) -> None:
        left = sine(60, -12, 2.0)[0] + noise(2.0, seed=3)[0]
        right = 0.5 * left + 0.2 * noise(2.0, seed=4)[0]
        low_pass = scipy_signal.butter(4, LOWS_HZ, fs=RATE_HZ, output="sos")
        middle, side = (scipy_signal.sosfilt(low_pass, 0.5 * (left + sign * right)) for sign in (1.0, -1.0))
        found = measured(np.stack([left, right]))
        # What is still inside the filter at the end, three samples of it, is not counted.
        self.assertAlmostEqual(found.lows_width_db, db(float((side**2).sum() / (middle**2).sum())), delta=1e-3)
        self.assertAlmostEqual(found.lows_rms_dbfs, db(float((middle**2 + side**2).mean())), delta=1e-3)

    def test_it_does_not_matter_where_blocks_end(self) -> None:
        audio = noise(0.5, seed=5)
        whole = measured(audio, block_samples=audio.shape[1])
        for block_samples in (1, 255, 256, 257):
            found = measured(audio[:, :3000], block_samples=block_samples)
            expected = measured(audio[:, :3000], block_samples=3000)
            self.assertAlmostEqual(found.lows_rms_dbfs, expected.lows_rms_dbfs, places=9)
        self.assertAlmostEqual(measured(audio, block_samples=4096).lows_width_db, whole.lows_width_db, places=9)

    def test_silence_and_narrow_lows(self) -> None:
        silent = measured(np.zeros((2, 4800)))
        self.assertEqual(silent.mono_loss_db, 0.0)
        self.assertLess(silent.lows_rms_dbfs, -150.0)
        narrow = measured(np.stack([sine(60, -12, 1.0)[0]] * 2))
        self.assertLess(narrow.lows_width_db, -150.0)
        wide = measured(np.stack([sine(60, -12, 1.0)[0], -sine(60, -12, 1.0)[0]]))
        self.assertGreater(wide.lows_width_db, 100.0)


if __name__ == "__main__":
    unittest.main()
