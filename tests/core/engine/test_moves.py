"""Moves: what is drawn over the song is what sounds, to the sample, however it is rendered."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.session.moves import bent
from tests.support.sessions import Bench, as_media, compressor, eq
from tests.support.signals import RATE_HZ, Signal, noise, sine

BLOCKS = (1, 64, 1000, 4096)


def point(at_s: float, value: Any, bend: float = 0.0) -> dict[str, Any]:
    return {"at_s": at_s, "value": value, "bend": bend}


def moving(target: str, *points: dict[str, Any], seconds: float = 2.0, **track: Any) -> Bench:
    """A constant of 0.5 on a track, led by one move."""
    bench = Bench(pan_law_db=0.0, moves=[{"target": f"strips/a/{target}", "points": list(points)}])
    bench.track("a", np.full((2, round(seconds * RATE_HZ)), 0.5), **track)
    return bench


def gain_db(signal: Signal) -> np.ndarray:
    return 20.0 * np.log10(np.maximum(np.abs(signal[0]) / 0.5, 1e-12))


class CurvesTest(unittest.TestCase):
    def test_a_fader_follows_its_closed_form_to_the_sample(self) -> None:
        times = np.arange(2 * RATE_HZ) / RATE_HZ
        for bend in (0.0, 0.5, -0.8):
            with self.subTest(bend=bend):
                bench = moving("fader_db", point(0.5, -24.0, bend), point(1.5, 6.0))
                shares = np.clip(times - 0.5, 0.0, 1.0)
                expected = -24.0 + 30.0 * np.array([bent(share, bend) for share in shares])
                # Between breakpoints a tenth of a decibel or 64 samples apart a gain goes straight.
                self.assertLess(np.abs(gain_db(bench.render(len(times))) - expected).max(), 0.004)

    def test_from_silence_it_goes_straight_in_amplitude(self) -> None:
        bench = moving("fader_db", point(0.5, None), point(1.0, 0.0))
        shares = np.clip((np.arange(2 * RATE_HZ) / RATE_HZ - 0.5) / 0.5, 0.0, 1.0)
        np.testing.assert_allclose(bench.render(2 * RATE_HZ)[0], 0.5 * shares, atol=1e-6)

    def test_a_step_is_there_at_its_sample_and_takes_five_milliseconds(self) -> None:
        bench = moving("fader_db", point(0.0, -6.0), point(1.0, -6.0), point(1.0, 0.0))
        out = gain_db(bench.render(2 * RATE_HZ))
        np.testing.assert_allclose(out[: RATE_HZ + 1], -6.0, atol=1e-9)
        self.assertGreater(out[RATE_HZ + 1], -6.0)
        np.testing.assert_allclose(out[RATE_HZ + 240 :], 0.0, atol=1e-9)

    def test_points_a_millisecond_apart_lead_nothing_astray(self) -> None:
        for apart_ms in (0.1, 0.5, 1.0, 1.3):
            with self.subTest(apart_ms=apart_ms):
                close = 0.5 + apart_ms / 1000.0
                out = gain_db(moving("fader_db", point(0.0, -6.0), point(0.5, -6.0), point(close, -12.0)).render(96000))
                np.testing.assert_allclose(out[:24000], -6.0, atol=1e-9)
                # A corner that is nearer than 64 samples to the last comes that much later.
                np.testing.assert_allclose(out[24000 + 128 :], -12.0, atol=1e-9)

    def test_what_is_flat_beside_a_steep_slope_stays_flat(self) -> None:
        # Corners between two samples, next to a slope of nearly a decibel a sample.
        for beside in (0.1, 0.4, 0.6, 0.9):
            with self.subTest(beside=beside):
                begin_s = (24000 + beside) / RATE_HZ
                points = (point(begin_s, 9.0), point(begin_s + 70 / RATE_HZ, -20.0), point(1.5, -20.0))
                out = gain_db(moving("fader_db", *points).render(60000))
                np.testing.assert_allclose(out[:24000], 9.0, atol=1e-9)
                np.testing.assert_allclose(out[24072:], -20.0, atol=1e-6)
                frequency = "chain/eq/bands/b1/gain_db"
                bench = moving(
                    frequency, *points, chain=[eq({"shape": "low-shelf", "frequency_hz": 10000.0, "q": 0.7})]
                )
                self.assertAlmostEqual(gain_db(bench.render(24000))[-1], 9.0, delta=1e-6)

    def test_a_curve_and_its_reverse_null(self) -> None:
        bench = moving("fader_db", point(0.2, -12.0, 0.4), point(1.4, 6.0))
        bench.fields["moves"].append(
            {"target": "strips/a/trim_db", "points": [point(0.2, 12.0, 0.4), point(1.4, -6.0)]}
        )
        np.testing.assert_allclose(gain_db(bench.render(2 * RATE_HZ)), 0.0, atol=2e-3)

    def test_mute_and_bypass_are_on_in_one_stretch_only(self) -> None:
        off = [point(0.0, False), point(0.5, True), point(1.0, False)]
        out = gain_db(moving("mute", *off).render(2 * RATE_HZ))
        np.testing.assert_allclose(out[: RATE_HZ // 2], 0.0, atol=1e-9)
        self.assertLess(out[RATE_HZ // 2 + 240 : RATE_HZ].max(), -200.0)
        np.testing.assert_allclose(out[RATE_HZ + 240 :], 0.0, atol=1e-9)
        louder = [{"id": "g", "type": "gain", "on": False, "params": {"level_db": 6.0}}]
        on = [point(0.0, False), point(0.5, True), point(1.0, False)]
        out = gain_db(moving("chain/g/on", *on, chain=louder).render(2 * RATE_HZ))
        np.testing.assert_allclose(out[RATE_HZ // 2 + 240 : RATE_HZ], 6.0, atol=1e-9)
        np.testing.assert_allclose(out[RATE_HZ + 240 :], 0.0, atol=1e-9)

    def test_a_move_that_is_off_does_nothing(self) -> None:
        bench = moving("fader_db", point(0.0, -60.0))
        bench.fields["moves"][0]["on"] = False
        np.testing.assert_allclose(gain_db(bench.render(RATE_HZ)), 0.0, atol=1e-9)

    def test_control_groups_and_lanes_and_sends_move(self) -> None:
        lanes = [{"id": "l", "name": "L"}]
        chain = [{"id": "block", "type": "parallel", "lanes": lanes}]
        ramp = [point(0.5, -12.0), point(1.5, 0.0)]
        expected = np.clip(-12.0 + 12.0 * (np.arange(2 * RATE_HZ) / RATE_HZ - 0.5), -12.0, 0.0)
        targets = (
            "strips/a/chain/block/lanes/l/level_db",
            "strips/a/chain/block/level_db",
            "control_groups/g/level_db",
            "strips/a/sends/s/level_db",
            "strips/b/fader_db",
        )
        for target in targets:
            with self.subTest(target):
                bench = moving("fader_db", point(0.0, 0.0), chain=chain, output=None)
                bench.fields["moves"] = [{"target": target, "points": ramp}]
                bench.fields["control_groups"] = [{"id": "g", "name": "G", "members": ["b"]}]
                bench.strips[0]["sends"] = [{"id": "s", "to": "b", "level_db": 0.0}]
                bench.bus("b")
                np.testing.assert_allclose(gain_db(bench.render(2 * RATE_HZ)), expected, atol=2e-3)

    def test_paths_of_any_latency_move_at_the_same_time_of_the_song(self) -> None:
        late = compressor("late", ratio=1.0, lookahead_ms=20.0)
        ramp = [point(0.5, -12.0), point(1.5, 0.0)]
        expected = np.clip(-12.0 + 12.0 * (np.arange(2 * RATE_HZ) / RATE_HZ - 0.5), -12.0, 0.0)
        for chain in ([late], [late, {"id": "g", "type": "gain"}]):
            target = "chain/g/level_db" if len(chain) > 1 else "fader_db"
            bench = moving(target, *ramp, chain=chain)
            out = gain_db(bench.render(2 * RATE_HZ))[960:]
            np.testing.assert_allclose(out[: -960 or None], expected[: len(out) - 960], atol=2e-3)


class KeysTest(unittest.TestCase):
    """Two tracks hear one key alike until the key of one of them moves."""

    def bench(self, *moves: dict[str, Any]) -> Bench:
        key = {"from": "key", "tap": "pre-fader"}
        hard = {"threshold_db": -40.0, "ratio": None, "knee_db": 0.0, "attack_ms": 0.0, "release_ms": 0.0}
        bench = Bench(pan_law_db=0.0, moves=list(moves))
        for name in ("a", "b"):
            bench.track(name, np.full((2, 2 * RATE_HZ), 0.5), chain=[compressor("comp", key, **hard)])
        bench.track("key", np.full((2, 2 * RATE_HZ), 10 ** (-20.0 / 20)), output=None)
        bench.strips[1]["output"] = None
        return bench

    def test_the_gain_of_a_key_moves_what_is_turned_down_and_nobody_else(self) -> None:
        move = {"target": "strips/a/chain/comp/key/gain_db", "points": [point(0.5, -10.0), point(1.5, 10.0)]}
        bench = self.bench(move)
        times = np.arange(2 * RATE_HZ) / RATE_HZ
        # 20 dB over the threshold at rest, endless: the gain is what is over, turned round.
        expected = -(20.0 + np.interp(times, [0.5, 1.5], [-10.0, 10.0]))
        np.testing.assert_allclose(gain_db(bench.render(len(times)))[100:], expected[100:], atol=0.02)
        bench.strips[0]["output"], bench.strips[1]["output"] = None, "mix"
        np.testing.assert_allclose(gain_db(bench.render(len(times)))[100:], -20.0, atol=1e-3)

    def test_the_filter_of_a_key_moves(self) -> None:
        target = "strips/a/chain/comp/key/filter/low_cut_hz"
        bench = self.bench({"target": target, "points": [point(0.5, 20.0), point(1.0, 20.0), point(1.0, 2000.0)]})
        bench.media["key"] = as_media(sine(200.0, -20.0, 2.0))
        out = gain_db(bench.render(2 * RATE_HZ))
        # 200 Hz pass a cut at 20 Hz (1 / (1 + 0.1^4)), and lose 40 dB below one at 2 kHz: nothing is over any more.
        self.assertAlmostEqual(out[20000:40000].min(), -20.0, delta=0.02)
        self.assertAlmostEqual(out[60000:].min(), 0.0, delta=0.02)

    def test_a_follower_of_a_key_leads_nobody_else(self) -> None:
        bench = self.bench()
        bench.track("loud", np.full((2, 2 * RATE_HZ), 0.5), output=None)
        pull = {"id": "t", "target": "strips/a/chain/comp/key/gain_db", "to": -10.0}
        bench.fields["followers"] = [
            {"id": "f", "name": "F", "from": "loud", "floor_db": -80.0, "ceiling_db": -20.0, "targets": [pull]}
        ]
        self.assertAlmostEqual(gain_db(bench.render(RATE_HZ))[-1], -10.0, delta=0.05)
        bench.strips[0]["output"], bench.strips[1]["output"] = None, "mix"
        self.assertAlmostEqual(gain_db(bench.render(RATE_HZ))[-1], -20.0, delta=0.01)


class FiltersTest(unittest.TestCase):
    def test_a_moved_cut_off_is_a_filter_worked_out_anew_for_every_sample(self) -> None:
        # Plain Python beside it: the cookbook's low-pass, its coefficients from the curve at every sample.
        n = RATE_HZ
        signal = noise(1.0, level=0.2, seed=8, channels=1)
        band = {"id": "cut", "shape": "high-cut", "frequency_hz": 200.0, "slope_db_per_octave": 12, "q": 0.7}
        bench = Bench(pan_law_db=0.0)
        bench.track("a", np.repeat(signal, 2, axis=0), chain=[eq(band)])
        target = "strips/a/chain/eq/bands/cut/frequency_hz"
        bench.fields["moves"] = [{"target": target, "points": [point(0.0, 200.0), point(1.0, 8000.0)]}]
        out = bench.render(n)[0]
        expected = np.zeros(n)
        u = v = 0.0
        for i in range(n):
            w0 = 2 * np.pi * 200.0 * (8000.0 / 200.0) ** (i / n) / RATE_HZ
            alpha, cos = np.sin(w0) / 1.4, np.cos(w0)
            b = np.array([(1 - cos) / 2, 1 - cos, (1 - cos) / 2]) / (1 + alpha)
            a1, a2 = -2 * cos / (1 + alpha), (1 - alpha) / (1 + alpha)
            x = np.float32(signal[0, i])
            y = b[0] * x + u
            u, v = b[1] * x - a1 * y + v, b[2] * x - a2 * y
            expected[i] = y
        error_db = 20 * np.log10(np.sqrt(np.mean((out - expected) ** 2)) / np.sqrt(np.mean(expected**2)))
        self.assertLess(error_db, -60.0)

    def test_no_line_is_heard_beside_the_modulation(self) -> None:
        # A slowly moved sine: whatever is further than 100 Hz from it comes from how it is moved.
        n = 4 * RATE_HZ
        for target, low, high in (("fader_db", -12.0, 0.0), ("pan/position", -0.5, 0.5)):
            with self.subTest(target):
                bench = Bench(pan_law_db=0.0)
                bench.track("a", sine(997.0, -6.0, 5.0))
                points = [point(at_s, value) for at_s, value in enumerate((low, high, low, high, low))]
                bench.fields["moves"] = [{"target": f"strips/a/{target}", "points": points}]
                spectrum = np.abs(np.fft.rfft(bench.render(n)[0] * np.blackman(n)))
                level_db = 20 * np.log10(spectrum / spectrum.max() + 1e-30)
                frequencies = np.arange(len(spectrum)) * RATE_HZ / n
                self.assertLess(level_db[np.abs(frequencies - 997.0) > 100.0].max(), -100.0)


def busy_session() -> Bench:
    """Much moves at once, on strips that are late and some that are not."""
    lanes = [{"id": "l", "name": "L", "chain": [compressor("in-lane", threshold_db=-30.0)]}]
    bench = Bench()
    chain = [
        eq({"id": "b", "frequency_hz": 500.0, "gain_db": 9.0}),
        compressor("comp", threshold_db=-30.0, lookahead_ms=4.0),
        {"id": "delay", "type": "delay", "params": {"time_ms": 100.0, "wet": 0.4}},
        {"id": "block", "type": "parallel", "lanes": lanes},
        {"id": "room", "type": "reverb", "params": {"wet": 0.3}},
        {"id": "sat", "type": "saturator", "params": {"drive_db": 6.0}},
        {"id": "lim", "type": "limiter"},
    ]
    bench.track("a", noise(1.0, level=0.2, seed=3), chain=chain, sends=[{"id": "s", "to": "hall"}])
    bench.bus("hall", kind="return")
    moves = {
        "strips/a/fader_db": [point(0.1, -12.0, 0.3), point(0.4, 3.0), point(0.4, -3.0), point(0.9, 0.0)],
        "strips/a/pan/position": [point(0.0, -1.0), point(0.7, 1.0)],
        "strips/a/sends/s/level_db": [point(0.2, None), point(0.6, 0.0)],
        "strips/a/chain/eq/bands/b/gain_db": [point(0.0, -12.0), point(0.5, 12.0)],
        "strips/a/chain/comp/threshold_db": [point(0.1, 0.0), point(0.8, -40.0)],
        "strips/a/chain/comp/on": [point(0.0, True), point(0.3, False), point(0.5, True)],
        "strips/a/chain/delay/time_ms": [point(0.2, 50.0), point(0.7, 400.0)],
        "strips/a/chain/delay/feedback": [point(0.2, 0.0), point(0.7, 0.9)],
        "strips/a/chain/block/lanes/l/level_db": [point(0.2, -20.0), point(0.5, 0.0)],
        "strips/a/chain/in-lane/ratio": [point(0.2, 2.0), point(0.5, 20.0)],
        "strips/a/chain/room/decay_s": [point(0.2, 0.5), point(0.5, 3.0)],
        "strips/a/chain/sat/drive_db": [point(0.2, 0.0), point(0.5, 20.0)],
        "strips/a/chain/lim/ceiling_dbtp": [point(0.2, -1.0), point(0.5, -9.0)],
        "control_groups/g/level_db": [point(0.3, -6.0), point(0.6, 0.0)],
    }
    bench.fields["moves"] = [{"target": target, "points": points} for target, points in moves.items()]
    bench.fields["control_groups"] = [{"id": "g", "name": "G", "members": ["a", "hall"]}]
    return bench


class RenderingTest(unittest.TestCase):
    def test_blocks_of_any_size_give_the_same_samples(self) -> None:
        bench = busy_session()
        whole = bench.render(RATE_HZ)
        self.assertTrue(np.isfinite(whole).all())
        for block in BLOCKS:
            n = RATE_HZ if block > 1 else RATE_HZ // 4
            with self.subTest(block=block):
                np.testing.assert_allclose(bench.render(n, max_block=block), whole[:, :n], atol=1e-9)

    def test_a_song_that_is_entered_in_the_middle_is_where_it_would_be(self) -> None:
        bench = moving("fader_db", point(0.5, -24.0), point(1.5, 6.0))
        renderer = bench.renderer()
        renderer.seek(RATE_HZ)
        np.testing.assert_allclose(
            renderer.render(4800), bench.render(2 * RATE_HZ)[:, RATE_HZ : RATE_HZ + 4800], atol=1e-9
        )

    def test_a_loop_does_not_click_where_it_begins_again(self) -> None:
        bench = Bench(moves=[{"target": "strips/a/fader_db", "points": [point(0.0, -40.0), point(1.0, 0.0)]}])
        bench.track("a", sine(100.0, -6.0, 1.0))
        renderer = bench.renderer(max_block=480)
        renderer.set_loop((0, RATE_HZ))
        out = renderer.render(2 * RATE_HZ)
        bends = np.abs(np.diff(out, n=2)).max(axis=0)
        self.assertLess(bends[RATE_HZ - 100 : RATE_HZ + 2000].max(), 1.5 * bends[: RATE_HZ - 100].max())
        np.testing.assert_allclose(out[:, RATE_HZ + 1000 :], out[:, 1000:RATE_HZ], atol=1e-9)

    def test_edits_while_it_moves_do_not_click_and_arrive(self) -> None:
        bench = moving("fader_db", point(0.0, -12.0), point(2.0, 0.0), seconds=3.0)
        bench.fields["moves"].append({"target": "strips/a/pan/position", "points": [point(0.0, 0.0), point(1.0, 0.2)]})
        renderer = bench.renderer(max_block=256)
        parts = [renderer.render(9600)]
        edits: list[Any] = [
            lambda: bench.strips[0].update(trim_db=-3.0),
            lambda: bench.fields["moves"][0].update(points=[point(0.0, -20.0), point(2.0, -10.0)]),
            lambda: bench.bus("joined"),
            lambda: bench.fields["moves"].pop(0),
            lambda: bench.strips[0].update(fader_db=-9.0),
        ]
        for edit in edits:
            edit()
            renderer.edit(bench.session(), bench.media)
            parts.append(renderer.render(9600))
        out = np.concatenate(parts, axis=1)
        # Nothing is steeper than a glide of 20 ms through all there is.
        self.assertLess(float(np.abs(np.diff(out)).max()), 0.5 / 900)
        np.testing.assert_allclose(parts[-1][:, 4800:], bench.render(6 * 9600)[:, -4800:], atol=1e-6)


if __name__ == "__main__":
    unittest.main()
