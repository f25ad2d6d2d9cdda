"""Where two strips meet, and which way of making room is proposed."""

import unittest

import numpy as np

from gemischt.core.analysis.reports.overlap import (
    CENTRES_HZ,
    N_THIRDS,
    RoomProposal,
    measure_overlap,
    propose_room,
    third_octave_powers,
)
from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions import apply_action
from gemischt.core.session.document import Compressor, Eq, Parallel
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, Signal, noise, sine, steps

# IEC 61260-1:2014, table E.1: nominal mid-band frequencies of third octaves.
NOMINAL_HZ = (31.5, 40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600, 2000, 2500,
              3150, 4000, 5000, 6300, 8000, 10000, 12500, 16000)  # fmt: skip


def hits(wave: Signal, *, every_s: float = 0.5, for_s: float = 0.12) -> Signal:
    """A wave that sounds for a moment again and again."""
    at = np.arange(wave.shape[1]) % round(every_s * RATE_HZ)
    return wave * (at < for_s * RATE_HZ)


def proposed(target: Signal, trigger: Signal) -> RoomProposal:
    bench = bench_of(target, trigger)
    return propose_room(bench.session(), bench.media, "target", "trigger")


def bench_of(target: Signal, trigger: Signal) -> Bench:
    bench = Bench()
    bench.track("target", target)
    bench.track("trigger", trigger)
    return bench


class ThirdOctavesTest(unittest.TestCase):
    def test_they_are_those_of_the_standard(self) -> None:
        np.testing.assert_allclose(CENTRES_HZ, NOMINAL_HZ, rtol=0.02)

    def test_a_tone_has_its_power_in_its_own(self) -> None:
        for index in (0, 4, 15, 27):
            powers = third_octave_powers(sine(float(CENTRES_HZ[index]), -6.0, 1.0, channels=1), RATE_HZ)
            middle_db = 10.0 * np.log10(np.maximum(powers[len(powers) // 2], 1e-20))
            with self.subTest(hz=NOMINAL_HZ[index]):
                self.assertAlmostEqual(middle_db[index], -6.0 - 3.0103, delta=0.2)
                others = np.delete(middle_db, [max(0, index - 1), index, min(N_THIRDS - 1, index + 1)])
                self.assertLess(others.max(), -40.0)

    def test_white_noise_has_a_decibel_more_in_each(self) -> None:
        powers = third_octave_powers(noise(8.0, channels=2, seed=3), RATE_HZ).mean(axis=0)
        rise_db = np.diff(10.0 * np.log10(powers))[6:]
        np.testing.assert_allclose(rise_db.mean(), 1.0, atol=0.05)


class ProposalTest(unittest.TestCase):
    def test_what_meets_in_the_lows_only_makes_room_there(self) -> None:
        bass = sine(63.0, -12.0, 6.0) + sine(1000.0, -12.0, 6.0)
        found = proposed(bass, hits(sine(63.0, -10.0, 6.0)))
        self.assertEqual((found.way, found.meets), ("lows-alone", True))
        self.assertIn("nowhere else", found.why)
        bench = bench_of(bass, hits(sine(63.0, -10.0, 6.0)))
        made = apply_action(bench.session(), found.edit).strip("target").chain[0]
        assert isinstance(made, Parallel)
        inner = made.lanes[0].chain[0]
        assert isinstance(inner, Compressor)
        # 12 dB under what is heard of the drum: a sine of -10 dBFS has an RMS of -13.
        self.assertAlmostEqual(inner.params.threshold_db, -25.0, delta=3.0)

    def test_what_meets_in_one_range_gets_a_band_there(self) -> None:
        guitar = sine(200.0, -12.0, 6.0) + sine(2500.0, -20.0, 6.0)
        voice = steps((-18.0, 2.0), (-80.0, 1.0), (-18.0, 3.0), frequency_hz=2520.0)
        found = proposed(guitar, voice)
        self.assertEqual(found.way, "one-band")
        self.assertAlmostEqual(found.edit.at_hz, 2500.0, delta=100.0)
        made = apply_action(bench_of(guitar, voice).session(), found.edit).strip("target").chain[0]
        assert isinstance(made, Eq)
        motion = made.params.bands[0].motion
        assert motion is not None
        self.assertEqual(motion.key.source, "trigger")
        # 3 dB under the RMS of a sine of -18 dBFS.
        self.assertAlmostEqual(motion.full_level_db, -18.0 - 3.0 - 3.0, delta=0.5)

    def test_what_meets_everywhere_turns_the_whole(self) -> None:
        self.assertEqual(proposed(noise(6.0), hits(noise(6.0, seed=2))).way, "pump")
        self.assertEqual(proposed(noise(6.0), noise(6.0, seed=2)).way, "make-room-for-fills")

    def test_what_does_not_meet_is_told_so(self) -> None:
        found = proposed(sine(100.0, -12.0, 4.0), sine(4000.0, -12.0, 4.0))
        self.assertFalse(found.meets)
        self.assertIn("hardly meet", found.why)

    def test_only_the_time_in_which_the_trigger_sounds_counts(self) -> None:
        """The target is there in the gaps only: it covers nothing."""
        gaps = steps((-90.0, 1.0), (-12.0, 1.0), (-90.0, 1.0), (-12.0, 1.0))
        sounds = steps((-12.0, 1.0), (-90.0, 1.0), (-12.0, 1.0), (-90.0, 1.0))
        self.assertFalse(proposed(gaps, sounds).meets)
        self.assertTrue(proposed(sounds, sounds).meets)

    def test_faders_count(self) -> None:
        bench = bench_of(noise(4.0), noise(4.0, seed=2))
        bench.strips[0]["fader_db"] = -20.0
        found = measure_overlap(bench.session(), bench.media, "target", "trigger")
        self.assertEqual(len(found.meets()), 0)

    def test_silence_and_strangers(self) -> None:
        self.assertFalse(proposed(noise(1.0), np.zeros((2, RATE_HZ))).meets)
        bench = bench_of(noise(1.0), noise(1.0))
        with self.assertRaises(InvalidAction):
            propose_room(bench.session(), bench.media, "target", "nobody")


if __name__ == "__main__":
    unittest.main()
