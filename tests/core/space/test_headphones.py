"""Loudspeakers as two ears hear them, against models of a spherical head."""

import unittest

import numpy as np
from scipy.signal import butter, resample_poly, sosfilt

from gemischt.core.space.headphones import Headphones, ears_of, equalised_head, measured_head
from gemischt.core.space.layout import LAYOUTS
from gemischt.core.space.vector_panning import vectors_of
from tests.support.signals import Signal, noise

HEAD_RADIUS_M, SOUND_M_PER_S = 0.0875, 343.0
RATE_HZ = 44100


def ears_at(azimuth_deg: float) -> tuple[Signal, Signal]:
    """Near ear and far ear of a direction at the level of the ears."""
    head = equalised_head()
    near, far = (
        head.responses[int(np.argmax(head.directions @ vectors_of(side * azimuth_deg, 0.0)))] for side in (1.0, -1.0)
    )
    return near, far


def delay_ms(near: Signal, far: Signal, low_hz: float, high_hz: float) -> float:
    """By how much the far ear is later, in a band: where both are most alike."""
    band = butter(2, (low_hz, high_hz), "bandpass", fs=RATE_HZ, output="sos")
    one, other = (resample_poly(sosfilt(band, np.pad(ear, (0, 200))), 8, 1) for ear in (near, far))
    alike = np.correlate(other, one, "full")
    return float(np.argmax(alike) - len(one) + 1) / 8 / RATE_HZ * 1e3


def level_db(ear: Signal, low_hz: float, high_hz: float) -> float:
    spectrum = np.abs(np.fft.rfft(ear, 4096)) ** 2
    lines = np.fft.rfftfreq(4096, 1.0 / RATE_HZ)
    return float(10.0 * np.log10(spectrum[(lines >= low_hz) & (lines < high_hz)].mean()))


class HeadTest(unittest.TestCase):
    def test_the_far_ear_is_later_as_on_a_sphere(self) -> None:
        """R. S. Woodworth: a / c (angle + sin angle), for what is not much longer than the head; from memory."""
        for azimuth in (0.0, 15.0, 30.0, 45.0, 60.0, 75.0, 90.0):
            angle = np.deg2rad(azimuth)
            expected_ms = HEAD_RADIUS_M / SOUND_M_PER_S * (angle + np.sin(angle)) * 1e3
            self.assertAlmostEqual(delay_ms(*ears_at(azimuth), 1500.0, 8000.0), expected_ms, delta=0.08)

    def test_lows_are_later_by_half_as_much_again(self) -> None:
        """G. F. Kuhn, JASA 62, 1977: 3 a / c sin angle where waves are long, from memory."""
        for azimuth in (30.0, 60.0):
            angle = np.deg2rad(azimuth)
            expected_ms = 3.0 * HEAD_RADIUS_M / SOUND_M_PER_S * np.sin(angle) * 1e3
            low_ms = delay_ms(*ears_at(azimuth), 100.0, 1000.0)
            self.assertGreater(low_ms, delay_ms(*ears_at(azimuth), 1500.0, 8000.0))
            self.assertLess(low_ms, expected_ms + 0.02)

    def test_the_head_shadows_highs_and_not_lows(self) -> None:
        """C. P. Brown, R. O. Duda, "A structural model for binaural sound synthesis", 1998, from memory: beside the
        head its shadow takes next to nothing of the lows and most of the highs."""
        near, far = ears_at(90.0)
        self.assertLess(level_db(near, 40.0, 200.0) - level_db(far, 40.0, 200.0), 4.0)
        self.assertGreater(level_db(near, 4000.0, 12000.0) - level_db(far, 4000.0, 12000.0), 15.0)
        shadows = [
            level_db(a, 2000.0, 8000.0) - level_db(b, 2000.0, 8000.0) for a, b in map(ears_at, (0.0, 20.0, 50.0))
        ]
        self.assertEqual(shadows, sorted(shadows))
        self.assertEqual(shadows[0], 0.0)

    def test_all_directions_together_are_even(self) -> None:
        head = equalised_head()
        power = (np.abs(np.fft.rfft(head.responses, 4096)) ** 2).mean(axis=0)
        lines = np.fft.rfftfreq(4096, 1.0 / RATE_HZ)
        for low_hz in (50.0, 100.0, 200.0, 400.0, 800.0, 1600.0, 3200.0, 6400.0):
            octave = power[(lines >= low_hz) & (lines < 2.0 * low_hz)]
            self.assertLess(abs(10.0 * np.log10(octave.mean())), 3.0, low_hz)

    def test_the_measurement_is_whole(self) -> None:
        self.assertEqual(measured_head().responses.shape, (710, 256))
        for name, layout in LAYOUTS.items():
            for channel in layout.channels:
                way = vectors_of(channel.azimuth_deg, channel.elevation_deg)
                nearest = float((measured_head().directions @ way).max())
                self.assertLess(np.rad2deg(np.arccos(min(1.0, nearest))), 6.0, f"{name} {channel.label}")


class HeadphonesTest(unittest.TestCase):
    def test_what_is_heard_is_each_channel_through_its_ears(self) -> None:
        for rate_hz in (44100, 48000, 96000):
            taps = ears_of("5.1.4", rate_hz)
            sound = noise(0.1, level=0.1, seed=3, channels=10)
            expected = sum(
                np.array([np.convolve(channel, ear)[: len(channel)] for ear in pair])
                for channel, pair in zip(sound, taps, strict=True)
            )
            whole = Headphones("5.1.4", rate_hz).process(sound)
            np.testing.assert_allclose(whole, expected, atol=1e-12)

    def test_however_it_is_cut(self) -> None:
        sound = noise(0.1, level=0.1, seed=4, channels=8)
        whole = Headphones("4+4", 48000).process(sound)
        for size in (1, 7, 64, 513):
            heard = Headphones("4+4", 48000)
            parts = [heard.process(sound[:, at : at + size]) for at in range(0, 1026, size)]
            np.testing.assert_allclose(np.concatenate(parts, axis=1)[:, :1026], whole[:, :1026], atol=1e-12)

    def test_left_and_right_are_mirrored_and_low_effects_left_out(self) -> None:
        taps = ears_of("7.1.4", 48000)
        np.testing.assert_array_equal(taps[0, 0], taps[1, 1])
        np.testing.assert_array_equal(taps[2, 0], taps[2, 1])
        self.assertFalse(np.any(taps[3]))


if __name__ == "__main__":
    unittest.main()
