"""What processors are told. Delay times of note values: 60 000 / bpm ms to the quarter (arithmetic; any table of delay
times in a mixing handbook)."""

import unittest

import numpy as np

from gemischt.core.engine.resolving import delay_in_time, detector_cuts
from gemischt.core.keys import DetectorFilter
from gemischt.core.processors.delay_params import DelayParams
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ


class DelayInTimeTest(unittest.TestCase):
    def test_the_table_at_120_bpm(self) -> None:
        session = Bench(tempo=[{"bpm": 120.0}]).session()
        table = {"1/4": 500.0, "1/8": 250.0, "1/8.": 375.0, "1/8T": 500.0 / 3.0, "1/16": 125.0, "1/2": 1000.0}
        for note, time_ms in table.items():
            with self.subTest(note):
                told = delay_in_time(DelayParams(note=note), session)
                self.assertAlmostEqual(told.time_ms, time_ms, places=9)
                self.assertIsNone(told.note)

    def test_slower_songs_wait_longer(self) -> None:
        slow, fast = (
            delay_in_time(DelayParams(note="1/4"), Bench(tempo=[{"bpm": bpm}]).session()).time_ms
            for bpm in (60.0, 180.0)
        )
        self.assertAlmostEqual(slow, 1000.0)
        self.assertAlmostEqual(fast, 1000.0 / 3.0)

    def test_the_beat_that_is_counted_may_be_another_note(self) -> None:
        # 6/8 at 80 dotted quarters a minute: 750 ms each, an eighth a third of it.
        session = Bench(tempo=[{"bpm": 80.0, "beat": "1/4.", "metre": "6/8"}]).session()
        self.assertAlmostEqual(delay_in_time(DelayParams(note="1/8"), session).time_ms, 250.0)

    def test_the_first_tempo_counts(self) -> None:
        session = Bench(tempo=[{"bpm": 100.0}, {"at_s": 10.0, "bpm": 150.0}]).session()
        self.assertAlmostEqual(delay_in_time(DelayParams(note="1/4"), session).time_ms, 600.0)


class ChangeTest(unittest.TestCase):
    def test_an_echo_follows_the_tempo_from_its_change_on(self) -> None:
        echo = {"id": "d", "type": "delay", "params": {"note": "1/4", "feedback": 0.0, "wet": 1.0, "ping_pong": False}}
        for tempo in ([{"bpm": 120.0}, {"at_s": 2.0, "bpm": 60.0}], [{"at_s": 0.3, "bpm": 120.0}]):
            bench = Bench(tempo=tempo)
            hits = np.zeros((2, 4 * RATE_HZ))
            hits[:, [RATE_HZ // 2, 5 * RATE_HZ // 2]] = 0.5
            bench.track("a", hits, chain=[echo])
            out = np.abs(bench.render(4 * RATE_HZ)[0])
            echoes_s = [float(np.argmax(half)) / RATE_HZ for half in (out[: 2 * RATE_HZ], out[2 * RATE_HZ :])]
            slower = len(tempo) > 1
            with self.subTest(slower=slower):
                self.assertAlmostEqual(echoes_s[0], 1.0, delta=0.001)
                self.assertAlmostEqual(echoes_s[1], 1.5 if slower else 1.0, delta=0.001)


class DetectorEqTest(unittest.TestCase):
    def test_cuts_become_bands(self) -> None:
        told = detector_cuts(DetectorFilter(low_cut_hz=80.0, high_cut_hz=5000.0))
        self.assertEqual(
            [(band.shape, band.frequency_hz) for band in told.bands], [("low-cut", 80.0), ("high-cut", 5000.0)]
        )

    def test_an_open_side_has_a_band_that_is_off(self) -> None:
        for low_hz, high_hz in ((None, None), (40.0, None), (None, 900.0), (40.0, 900.0)):
            bands = detector_cuts(DetectorFilter(low_cut_hz=low_hz, high_cut_hz=high_hz)).bands
            wanted = [("low-cut", low_hz is not None), ("high-cut", high_hz is not None)]
            self.assertEqual([(band.shape, band.on) for band in bands], wanted)
