"""The stage: where strips are heard, against closed forms and against what is rendered."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.cache.renders import MemoryRenders
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.analysis.reports.stage import stage_of
from gemischt.core.analysis.reports.stage_place import StagePlace, place_of
from gemischt.core.analysis.sub_sessions.strip import strip_in_song
from gemischt.core.engine.placement import pan_matrix, width_matrix
from gemischt.core.metering.bands import CENTRES_HZ, band_powers, hz_to_erb_rate, turned
from gemischt.core.session.document import Pan
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, Signal, noise, sine


def placed(audio: Signal) -> StagePlace:
    found = place_of(band_powers(audio, RATE_HZ))
    assert found is not None
    return found


def stage(bench: Bench) -> dict[str, StagePlace]:
    session, store = bench.session(), MemoryRenders()
    hashes = {item.id: item.id for item in session.media}
    measurement = measure_song(session, bench.media, hashes, store)

    def in_song(strip: str) -> Any:
        return strip_in_song(session, bench.media, measurement.prints, store, strip)

    return stage_of(session, bench.media, measurement, store, in_song)


class BandsTest(unittest.TestCase):
    def test_the_erb_rate_is_the_published_one(self) -> None:
        # 21.4 log10(1 + 0.00437 f), worked out by hand for three frequencies.
        for hz, rate in ((100.0, 3.37), (1000.0, 15.62), (10000.0, 35.31)):
            self.assertAlmostEqual(hz_to_erb_rate(hz), rate, delta=0.06)

    def test_powers_add_up_to_the_signal(self) -> None:
        powers = band_powers(sine(1000.0, -6.0, 2.0), RATE_HZ)[5]
        self.assertAlmostEqual(10 * np.log10(powers[:, 0].sum()), -9.01, delta=0.05)

    def test_gains_turn_powers_as_they_turn_the_signal(self) -> None:
        pair = np.stack([noise(2.0, channels=1)[0], noise(2.0, channels=1, seed=2)[0]])
        pair[1] += 0.5 * pair[0]
        rng = np.random.default_rng(3)
        for _ in range(5):
            matrix = rng.normal(size=(2, 2))
            np.testing.assert_allclose(
                turned(band_powers(pair, RATE_HZ), matrix), band_powers(matrix @ pair, RATE_HZ), atol=1e-9, rtol=1e-5
            )


class WidthTest(unittest.TestCase):
    def test_what_width_does_to_loudness_is_said_and_made_up_for(self) -> None:
        """Unrelated sides of equal level: 10 log((1 + w^2) / 2) (identity); and what is measured agrees."""
        pair = np.stack([noise(4.0, channels=1, level=0.1)[0], noise(4.0, channels=1, seed=2, level=0.1)[0]])
        lufs = {}
        for width, made_up in ((1.0, 0.0), (2.0, 0.0), (0.0, 0.0), (2.0, -3.979), (0.0, 3.010)):
            bench = Bench()
            bench.track("pad", pair, width=width, width_level_db=made_up)
            found = stage(bench)["pad"]
            self.assertAlmostEqual(found.width_lu or 0.0, 10.0 * np.log10((1.0 + width**2) / 2.0), delta=0.1)
            session = bench.session()
            song = measure_song(session, bench.media, {"pad": "pad"}, MemoryRenders())
            lufs[width, made_up] = song.strips["mix"].stage("post-fader").integrated_lufs
        self.assertAlmostEqual(lufs[2.0, 0.0] - lufs[1.0, 0.0], 3.979, delta=0.15)
        for made_up in ((2.0, -3.979), (0.0, 3.010)):
            self.assertAlmostEqual(lufs[made_up], lufs[1.0, 0.0], delta=0.15)


class PlaceTest(unittest.TestCase):
    def test_what_is_panned_by_constant_power_is_where_it_was_panned(self) -> None:
        source = noise(2.0, channels=1)
        for position in (-1.0, -0.6, -0.25, 0.0, 0.5, 0.9, 1.0):
            with self.subTest(position):
                found = placed(pan_matrix(Pan(position=position), 1, -3.0) @ source)
                self.assertAlmostEqual(found.position, position, places=6)
                self.assertAlmostEqual(found.reach, 0.0, places=3)

    def test_unrelated_sides_reach_from_one_to_the_other(self) -> None:
        pair = np.stack([noise(8.0, channels=1)[0], noise(8.0, channels=1, seed=2)[0]])
        found = placed(pair)
        self.assertAlmostEqual(found.position, 0.0, delta=0.02)
        self.assertEqual(found.reach, 1.0)
        self.assertAlmostEqual(found.correlation or 0.0, 0.0, delta=0.02)
        # Unrelated channels lose 3.01 dB (identity).
        self.assertAlmostEqual(found.mono_loss_db, 3.01, delta=0.1)

    def test_lows_alike_and_highs_opposed_are_told_apart(self) -> None:
        low, high = sine(100.0, -12.0, 2.0, channels=1)[0], sine(5000.0, -12.0, 2.0, channels=1)[0]
        found = placed(np.stack([low + high, low - high]))
        self.assertAlmostEqual(found.correlation or 0.0, 0.0, delta=0.01)
        by_band = dict(zip(CENTRES_HZ, found.band_correlations, strict=True))
        for hz, correlation in ((100.0, 1.0), (5000.0, -1.0)):
            nearest = min(CENTRES_HZ, key=lambda centre, hz=hz: abs(np.log(centre / hz)))
            self.assertAlmostEqual(by_band[nearest] or 0.0, correlation, delta=0.01)
        # Where nothing sounds nothing is said.
        silent = min(CENTRES_HZ, key=lambda centre: abs(np.log(centre / 700.0)))
        self.assertIsNone(by_band[silent])

    def test_width_of_unrelated_sides_is_the_closed_form(self) -> None:
        """Of width w the correlation is (1 - w^2) / (1 + w^2), and a reach sqrt(3 (1 - correlation)) of that."""
        pair = np.stack([noise(20.0, channels=1)[0], noise(20.0, channels=1, seed=2)[0]])
        for width in (0.0, 0.2, 0.4):
            with self.subTest(width):
                correlation = (1 - width**2) / (1 + width**2)
                found = placed(width_matrix(width) @ pair)
                self.assertAlmostEqual(found.correlation or 0.0, correlation, delta=0.02)
                # Short moments of noise are never quite alike: they spread a little of themselves.
                self.assertAlmostEqual(found.reach, np.sqrt(3 * (1 - correlation)), delta=0.06)

    def test_opposed_sides_are_wide_and_lost_in_mono(self) -> None:
        wave = noise(2.0, channels=1)[0]
        found = placed(np.stack([wave, -wave]))
        self.assertEqual(found.reach, 1.0)
        self.assertAlmostEqual(found.correlation or 0.0, -1.0, places=6)
        self.assertGreater(found.mono_loss_db, 60.0)

    def test_shares_outside_the_middle_are_those_of_each_range(self) -> None:
        low, high = sine(100.0, -12.0, 2.0, channels=1), sine(8000.0, -12.0, 2.0, channels=1)
        found = placed(np.concatenate([low, low]) + np.concatenate([high, np.zeros_like(high)]))
        self.assertAlmostEqual(found.outside[0], 0.0, places=3)
        self.assertAlmostEqual(found.outside[2], 1.0, places=2)

    def test_silence_is_nowhere(self) -> None:
        self.assertIsNone(place_of(band_powers(np.zeros((2, RATE_HZ)), RATE_HZ)))


class StageTest(unittest.TestCase):
    def test_each_strip_is_where_its_sound_is(self) -> None:
        """Worked out from what is before the fader; compared with what each strip plays."""
        strips: dict[str, dict[str, Any]] = {
            "mono": {"pan": {"position": 0.4}},
            "pair": {"pan": {"mode": "fold", "position": -0.5}, "width": 0.6},
            "hands": {"pan": {"mode": "two-handed", "left": -0.2, "right": 0.7}},
            "balance": {"pan": {"position": 0.3}, "width": 1.4, "chain": [{"id": "g", "type": "gain"}]},
        }
        signals = {name: noise(2.0, channels=1 if name == "mono" else 2, seed=len(name)) for name in strips}
        bench = Bench()
        for name, fields in strips.items():
            bench.track(name, signals[name], **fields)
        found = stage(bench)
        for name, fields in strips.items():
            alone = Bench()
            alone.track(name, signals[name], **fields)
            wanted = placed(alone.render(2 * RATE_HZ))
            with self.subTest(name):
                self.assertAlmostEqual(found[name].position, wanted.position, places=3)
                self.assertAlmostEqual(found[name].reach, wanted.reach, places=3)
                self.assertAlmostEqual(found[name].rms_dbfs, wanted.rms_dbfs, places=2)

    def test_what_moves_is_heard_behind_its_fader(self) -> None:
        points = [{"at_s": 0.0, "value": -1.0}, {"at_s": 1.0, "value": -1.0}, {"at_s": 1.0, "value": 1.0}]
        bench = Bench(moves=[{"target": "strips/mono/pan/position", "points": points}])
        bench.track("mono", noise(2.0, channels=1))
        found = stage(bench)["mono"]
        self.assertAlmostEqual(found.position, 0.0, delta=0.15)
        self.assertGreater(found.reach, 0.9)

    def test_how_wet_a_strip_is_follows_from_its_send_and_what_the_return_makes_of_it(self) -> None:
        bench = Bench()
        bench.track("voice", noise(2.0), sends=[{"id": "s", "to": "hall", "level_db": -8.0}])
        bench.track("dry", noise(2.0, seed=2))
        bench.bus("hall", "return", chain=[{"id": "g", "type": "gain", "params": {"level_db": -4.0}}])
        found = stage(bench)
        self.assertAlmostEqual(found["voice"].wet_db or 0.0, -12.0, delta=0.05)
        self.assertIsNone(found["dry"].wet_db)


if __name__ == "__main__":
    unittest.main()
