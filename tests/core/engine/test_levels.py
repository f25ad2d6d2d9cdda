"""What the graph does to levels: series, parallel, taps, pan, width, fader, mute, polarity."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.engine import placement
from gemischt.core.engine.buffer_names import POST_FADER, PRE_FADER, SOURCE
from gemischt.core.session.document import Pan
from tests.support.sessions import Bench, eq
from tests.support.signals import RATE_HZ, Signal, noise, peak_db, sine

N = RATE_HZ // 2


def meter_db(bench: Bench, strip: str, stage: int) -> float:
    renderer = bench.renderer()
    renderer.render(N)
    index = renderer.plan.blueprint.strips.index(strip)
    return float(20 * np.log10(renderer.plan.meters[index, stage, :, 0].max()))


class SeriesAndParallelTest(unittest.TestCase):
    def test_tone_in_series_reads_the_same_on_track_bus_and_mix(self) -> None:
        bench = Bench()
        bench.track("tone", sine(200, -12, 1), output="bus")
        bench.bus("bus")
        for strip in ("tone", "bus", "mix"):
            for stage in (SOURCE, PRE_FADER, POST_FADER):
                with self.subTest(strip=strip, stage=stage):
                    self.assertAlmostEqual(meter_db(bench, strip, stage), -12.0, places=4)

    def test_output_plus_unity_send_adds_6_02_db(self) -> None:
        # Identity: two equal coherent signals sum to +6.0206 dB.
        bench = Bench()
        bench.track("tone", sine(200, -12, 1), sends=[{"id": "s", "to": "mix"}])
        self.assertAlmostEqual(peak_db(bench.render(N)), -5.9794, places=3)

    def test_coherent_sums_of_n_tracks(self) -> None:
        # 20 log N.
        for n, gain_db in ((2, 6.021), (3, 9.542), (4, 12.041), (8, 18.062), (16, 24.082)):
            with self.subTest(n=n):
                bench = Bench()
                for k in range(n):
                    bench.track(f"tone-{k}", sine(200, -40, 1))
                self.assertAlmostEqual(peak_db(bench.render(N)), -40 + gain_db, places=3)

    def test_nothing_is_clipped_inside(self) -> None:
        bench = Bench()
        bench.track("hot", sine(200, -1, 1), trim_db=30.0, output="bus")
        bench.bus("bus", fader_db=-30.0)
        self.assertAlmostEqual(peak_db(bench.render(N)), -1.0, places=4)


class TapsTest(unittest.TestCase):
    def render(self, tap: str, **fields: Any) -> Signal:
        bench = Bench()
        send = {"id": "s", "to": "return", "tap": tap}
        chain = [eq({"shape": "bell", "frequency_hz": 200, "gain_db": 6.0, "q": 0.3})]
        bench.track("tone", sine(200, -20, 1), output=None, sends=[send], chain=chain, **fields)
        bench.bus("return", kind="return")
        return bench.render(N)[:, N // 2 :]

    def test_each_tap_takes_the_signal_where_it_says(self) -> None:
        for tap, level_db in (("pre-chain", -18.0), ("pre-fader", -12.0), ("post-fader", -17.0)):
            with self.subTest(tap=tap):
                self.assertAlmostEqual(peak_db(self.render(tap, trim_db=2.0, fader_db=-5.0)), level_db, places=2)

    def test_muting_stops_only_what_is_after_the_fader(self) -> None:
        for tap, heard in (("pre-chain", True), ("pre-fader", True), ("post-fader", False)):
            with self.subTest(tap=tap):
                self.assertEqual(bool(np.any(self.render(tap, mute=True))), heard)

    def test_send_of_one_channel_arrives_as_if_centred(self) -> None:
        bench = Bench()
        bench.track(
            "mono", sine(200, -20, 1, channels=1), output=None, sends=[{"id": "s", "to": "mix", "tap": "pre-fader"}]
        )
        self.assertAlmostEqual(peak_db(bench.render(N)), -23.0103, places=3)

    def test_a_send_switched_off_is_silent(self) -> None:
        bench = Bench()
        bench.track("tone", sine(200, -20, 1), output=None, sends=[{"id": "s", "to": "mix", "on": False}])
        self.assertFalse(np.any(bench.render(N)))


class PanTest(unittest.TestCase):
    # dB left / right at 0, 25, 50, 75 % from left; identities.
    LAWS = {
        -6.0: ((0, None), (-2.499, -12.041), (-6.021, -6.021), (-12.041, -2.499)),
        -3.0: ((0, None), (-0.688, -8.343), (-3.010, -3.010), (-8.343, -0.688)),
        -4.5: ((0, None), (-1.593, -10.192), (-4.515, -4.515), (-10.192, -1.593)),
        0.0: ((0, None), (0, -6.021), (0, 0), (-6.021, 0)),
    }

    def test_laws_of_one_channel(self) -> None:
        for law_db, table in self.LAWS.items():
            for share, wanted_db in zip((0, 0.25, 0.5, 0.75), table, strict=True):
                for gain, level_db in zip(placement.law_gains(2 * share - 1, law_db), wanted_db, strict=True):
                    with self.subTest(law_db=law_db, share=share):
                        if level_db is None:
                            self.assertEqual(gain, 0.0)
                        else:
                            self.assertAlmostEqual(20 * np.log10(gain), level_db, places=3)

    def test_law_in_the_session(self) -> None:
        for law_db, level_db in ((-3.0, -23.0103), (-6.0, -26.0206), (0.0, -20.0)):
            with self.subTest(law_db=law_db):
                bench = Bench(pan_law_db=law_db)
                bench.track("mono", sine(200, -20, 1, channels=1))
                self.assertAlmostEqual(peak_db(bench.render(N)), level_db, places=3)

    def test_balance_loses_the_far_side_and_fold_keeps_it(self) -> None:
        right_only = np.concatenate([np.zeros((1, N)), sine(200, -20, 0.5, channels=1)])
        for mode, level_db in (("balance", None), ("fold", -20.0)):
            with self.subTest(mode=mode):
                bench = Bench()
                bench.track("right", right_only, pan={"mode": mode, "position": -1.0})
                out = bench.render(N)
                self.assertFalse(np.any(out[1]))
                if level_db is None:
                    self.assertFalse(np.any(out[0]))
                else:
                    self.assertAlmostEqual(peak_db(out[0]), level_db, places=4)

    def test_two_handed_swaps_sides(self) -> None:
        matrix = placement.pan_matrix(Pan(mode="two-handed", left=1.0, right=-1.0), 2, -3.0)
        np.testing.assert_allclose(matrix, [[0, 1], [1, 0]], atol=1e-12)

    def test_constant_power(self) -> None:
        for position in np.linspace(-1, 1, 41):
            left, right = placement.law_gains(float(position), -3.0)
            self.assertAlmostEqual(left**2 + right**2, 1.0, places=12)


class WidthTest(unittest.TestCase):
    def test_power_of_a_decorrelated_pair(self) -> None:
        # 10 log((1 + w^2) / 2), identity; 10 s of noise.
        pair = noise(10, seed=7)
        for width, change_db in ((0.0, -3.010), (0.5, -2.041), (1.0, 0.0), (1.5, 2.109), (2.0, 3.979)):
            with self.subTest(width=width):
                out = placement.width_matrix(width) @ pair
                self.assertAlmostEqual(10 * np.log10(np.mean(out**2) / np.mean(pair**2)), change_db, delta=0.03)

    def test_correlation_of_a_decorrelated_pair(self) -> None:
        # (1 - w^2) / (1 + w^2), identity; 10 s of noise.
        pair = noise(10, seed=8)
        for width, correlation in ((0.0, 1.0), (0.5, 0.6), (1.0, 0.0), (1.5, -0.385), (2.0, -0.6)):
            with self.subTest(width=width):
                left, right = placement.width_matrix(width) @ pair
                self.assertAlmostEqual(float(np.corrcoef(left, right)[0, 1]), correlation, delta=0.01)

    def test_an_opposed_pair_is_turned_by_the_width(self) -> None:
        # 20 log w: all of it is side.
        tone = sine(300, -20, 1, channels=1)
        for width in (0.5, 1.0, 2.0):
            bench = Bench()
            bench.track("tone", np.concatenate([tone, -tone]), width=width)
            self.assertAlmostEqual(peak_db(bench.render(N)), -20.0 + 20 * np.log10(width), places=4)

    def test_mono_pair_is_untouched_at_any_width(self) -> None:
        bench = Bench()
        bench.track("tone", sine(300, -20, 1), width=2.0)
        self.assertAlmostEqual(peak_db(bench.render(N)), -20.0, places=4)


class PickUpTest(unittest.TestCase):
    def test_each_pick_up(self) -> None:
        left, right = 0.5, 0.2
        signal = np.array([[left], [right]]) * np.ones((2, 1000))
        wanted = {
            "as-is": (left, right),
            "swap": (right, left),
            "left": (left, left),
            "right": (right, right),
            "mono-sum": (0.35, 0.35),
            "mid": (0.35, 0.35),
            "side": (0.15, 0.15),
        }
        for pick_up, (out_left, out_right) in wanted.items():
            with self.subTest(pick_up):
                bench = Bench(pan_law_db=0.0)
                bench.track("pair", signal, input=pick_up)
                np.testing.assert_allclose(bench.render(500)[:, -1], (out_left, out_right), atol=1e-7)

    def test_inverted_polarity_cancels(self) -> None:
        bench = Bench()
        signal = noise(0.2)
        bench.track("plain", signal)
        bench.track("turned", signal, polarity_inverted=True)
        self.assertFalse(np.any(bench.render(4000)))


class ClipsTest(unittest.TestCase):
    def render(self, signal: Signal, n_samples: int = 1200, **clip: Any) -> Signal:
        """Cuts are hard unless the clip says otherwise."""
        bench = Bench(pan_law_db=0.0)
        bench.track("a", signal, clips=[{"media": "a", "fade_in_s": 0.0, "fade_out_s": 0.0, **clip}])
        return bench.render(n_samples)[0]

    def test_start_offset_and_length(self) -> None:
        ramp = np.arange(1, 1001)[np.newaxis] / 1000.0
        out = self.render(ramp, start_s=100 / RATE_HZ, offset_s=200 / RATE_HZ, length_s=300 / RATE_HZ)
        self.assertFalse(np.any(out[:100]))
        np.testing.assert_allclose(out[100:400], ramp[0, 200:500], atol=1e-7)
        self.assertFalse(np.any(out[400:]))

    def test_reversed_plays_the_same_stretch_backwards(self) -> None:
        ramp = np.arange(1, 1001)[np.newaxis] / 1000.0
        out = self.render(ramp, offset_s=200 / RATE_HZ, length_s=300 / RATE_HZ, reversed=True)
        np.testing.assert_allclose(out[:300], ramp[0, 200:500][::-1], atol=1e-7)

    def test_fades_and_gain(self) -> None:
        out = self.render(np.ones((1, 1000)), fade_in_s=100 / RATE_HZ, fade_out_s=200 / RATE_HZ, gain_db=-20.0)
        # Straight through the middle of each sample.
        self.assertAlmostEqual(out[99], 0.1 * 99.5 / 100, places=6)
        self.assertAlmostEqual(out[49], 0.1 * 49.5 / 100, places=6)
        self.assertAlmostEqual(out[500], 0.1, places=6)
        self.assertAlmostEqual(out[899], 0.1 * 100.5 / 200, places=6)
        self.assertAlmostEqual(out[999], 0.1 * 0.5 / 200, places=6)


class ControlGroupTest(unittest.TestCase):
    def test_group_scales_members_and_their_post_fader_sends(self) -> None:
        for level_db, heard in ((-6.0, True), (None, False)):
            with self.subTest(level_db=level_db):
                bench = Bench(control_groups=[{"id": "g", "name": "All", "members": ["tone"], "level_db": level_db}])
                bench.track("tone", sine(200, -20, 1), output=None, sends=[{"id": "s", "to": "return"}])
                bench.bus("return", kind="return")
                out = bench.render(N)
                if heard:
                    self.assertAlmostEqual(peak_db(out), -26.0, places=3)
                else:
                    self.assertFalse(np.any(out))
