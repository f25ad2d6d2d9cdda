"""Equaliser bands that move with a level, checked on the samples."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.cache.renders import MemoryRenders
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.routing.dependents import dependents_of
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.core.session.document import Session
from gemischt.core.session.validation import parse_session
from tests.core.engine.test_bands import block
from tests.support.sessions import Bench, eq
from tests.support.signals import Signal, noise, sine, steps

LENGTH = 48000


def moving(to_db: float = -12.0, *, band: dict[str, Any] | None = None, **motion: Any) -> dict[str, Any]:
    """An equaliser whose only band, a bell at 1 kHz, goes all the way between -40 and -20 dBFS."""
    at_once = {"from_level_db": -40.0, "full_level_db": -20.0, "attack_ms": 0.0, "release_ms": 0.0}
    plain = {"id": "b", "shape": "bell", "frequency_hz": 1000.0, "q": 1.0}
    return eq(plain | (band or {}) | {"motion": {"to_db": to_db} | at_once | motion})


def heard(chain: list[dict[str, Any]], signal: Signal, *, blocks: int = 512, key: Signal | None = None) -> Signal:
    return bench_of(chain, signal, key=key).render(signal.shape[1], max_block=blocks)


def bench_of(chain: list[dict[str, Any]], signal: Signal, *, key: Signal | None = None, **fields: Any) -> Bench:
    bench = Bench(**fields)
    if key is not None:
        bench.track("kick", key, output=None)
    bench.track("bass", signal, chain=chain)
    return bench


def settled_db(signal: Signal) -> float:
    """RMS of the second half, dB."""
    return float(20 * np.log10(np.sqrt(np.mean(signal[0, signal.shape[1] // 2 :] ** 2))))


class MovingBandTest(unittest.TestCase):
    def test_at_full_move_it_is_a_static_band_of_that_gain(self) -> None:
        places = {"bell": 1000.0, "low-shelf": 2000.0, "high-shelf": 500.0, "tilt": 300.0}
        for near_nyquist in ("cookbook", "analogue"):
            for shape, frequency_hz in places.items():
                for to_db in (-24.0, -5.0, 24.0):
                    with self.subTest(shape=shape, to_db=to_db, near_nyquist=near_nyquist):
                        band = {"shape": shape, "frequency_hz": frequency_hz, "gain_db": 3.0}
                        leads, still = moving(to_db, band=band), eq({"q": 1.0} | band | {"gain_db": to_db})
                        for one in (leads, still):
                            one["params"]["near_nyquist"] = near_nyquist
                        tone = sine(1000.0, -6.0, 1.0)
                        apart_db = settled_db(heard([leads], tone)) - settled_db(heard([still], tone))
                        self.assertLess(abs(apart_db), 0.05)

    def test_below_where_it_starts_it_is_the_band_as_it_stands(self) -> None:
        tone = sine(1000.0, -45.0, 0.5)
        leads, still = heard([moving(band={"gain_db": 3.0})], tone), heard([eq({"q": 1.0, "gain_db": 3.0})], tone)
        np.testing.assert_allclose(leads, still, atol=1e-12)

    def test_half_way_up_it_has_half_its_gain(self) -> None:
        tone = sine(1000.0, -30.0 + 3.0103, 1.0)
        self.assertAlmostEqual(settled_db(heard([moving()], tone)) - settled_db(tone), -6.0, delta=0.05)

    def test_it_hears_its_own_range_or_all(self) -> None:
        low, high = sine(100.0, -6.0, 1.0), sine(4000.0, -60.0, 1.0)
        for hears, wanted_db in (("band", 0.0), ("all", -12.0)):
            with self.subTest(hears):
                band = {"frequency_hz": 4000.0, "q": 4.0}
                out = heard([moving(hears=hears, band=band)], low + high)
                spectrum = np.abs(np.fft.rfft(out[0, LENGTH // 2 :]))
                before = np.abs(np.fft.rfft((low + high)[0, LENGTH // 2 :]))
                self.assertAlmostEqual(20 * np.log10(spectrum[2000] / before[2000]), wanted_db, delta=0.05)

    def test_shelves_hear_their_own_side(self) -> None:
        for shape, heard_hz, unheard_hz in (("low-shelf", 50.0, 8000.0), ("high-shelf", 8000.0, 50.0)):
            with self.subTest(shape):
                chain = [moving(band={"shape": shape, "frequency_hz": 600.0})]
                self.assertLess(settled_db(heard(chain, sine(heard_hz, -6.0, 1.0))), -20.0)
                self.assertAlmostEqual(settled_db(heard(chain, sine(unheard_hz, -6.0, 1.0))), -9.0103, delta=0.2)

    def test_another_strip_moves_it(self) -> None:
        tone = sine(1000.0, -6.0, 1.0)
        key = steps((-100.0, 0.5), (-10.0, 0.5))
        out = heard([moving(key={"from": "kick"})], tone, key=key)
        quiet, loud = out[0, 4800:19200], out[0, 28800:48000]
        self.assertAlmostEqual(20 * np.log10(np.std(loud) / np.std(quiet)), -12.0, delta=0.05)

    def test_in_a_band_of_a_split_it_hears_that_band(self) -> None:
        tone = sine(1000.0, -6.0, 1.0)
        for lane, wanted_db in ((0, -9.0103), (1, -21.0103)):
            with self.subTest(lane):
                out = heard([block(100.0, chains={lane: [moving(hears="all")]})], tone)
                self.assertAlmostEqual(settled_db(out), wanted_db, delta=0.1)

    def test_block_sizes_do_not_matter(self) -> None:
        signal, key = noise(0.4, level=0.2), noise(0.4, seed=2) * np.sin(np.arange(19200) / 900.0) ** 8
        for chain in ([moving(attack_ms=3.0, release_ms=40.0)], [moving(key={"from": "kick"}, detector="peak")]):
            whole = heard(chain, signal, key=key, blocks=1024)
            for blocks in (64, 100, 512):
                np.testing.assert_allclose(heard(chain, signal, key=key, blocks=blocks), whole, atol=1e-9)

    def test_it_moves_without_a_click(self) -> None:
        tone = sine(1000.0, -6.0, 1.0)
        key = steps((-100.0, 0.25), (-10.0, 0.25), (-100.0, 0.5))
        out = heard([moving(-24.0, key={"from": "kick"})], tone, key=key)
        undisturbed = np.abs(np.diff(tone[0], 2)).max()
        self.assertLess(np.abs(np.diff(out[0], 2)).max(), 2.0 * undisturbed)

    def test_switched_over_the_song(self) -> None:
        tone = sine(1000.0, -6.0, 1.0)
        at = "strips/bass/chain/eq"
        for target in (f"{at}/bands/b/motion/on", f"{at}/on"):
            with self.subTest(target):
                points = [{"at_s": 0.0, "value": True}, {"at_s": 0.5, "value": False}]
                out = bench_of([moving()], tone, moves=[{"target": target, "points": points}]).render(LENGTH)
                self.assertAlmostEqual(settled_db(out[:, :24000]), -21.0103, delta=0.05)
                self.assertAlmostEqual(settled_db(out[:, 24000:]), -9.0103, delta=0.01)

    def test_a_band_that_moves_its_place_hears_where_it_is(self) -> None:
        points = [{"at_s": 0.0, "value": 200.0}, {"at_s": 0.2, "value": 1000.0}]
        moves = [{"target": "strips/bass/chain/eq/bands/b/frequency_hz", "points": points}]
        chain = [moving(band={"frequency_hz": 200.0, "q": 8.0})]
        out = bench_of(chain, sine(1000.0, -6.0, 1.0), moves=moves).render(LENGTH)
        self.assertAlmostEqual(settled_db(out), -21.0103, delta=0.1)

    def test_set_while_it_sounds_it_ends_where_a_fresh_one_is(self) -> None:
        signal, key = noise(1.0, level=0.2), noise(1.0, seed=2)
        sources: tuple[dict[str, Any], ...] = ({}, {"from": "kick"})
        for foreign in sources:
            changes: tuple[tuple[dict[str, Any], dict[str, Any]], ...] = (
                ({"frequency_hz": 3000.0}, {}),
                ({"q": 4.0}, {"to_db": 6.0}),
                ({"shape": "low-shelf"}, {"hears": "all"}),
                ({}, {"from_level_db": -60.0, "detector": "peak"}),
            )
            for band, motion in changes:
                with self.subTest(band=band, motion=motion, foreign=foreign):
                    before = bench_of([moving(key=foreign)], signal, key=key)
                    after = bench_of([moving(band=band, **{"key": foreign} | motion)], signal, key=key).session()
                    renderer = before.renderer(max_block=512)
                    renderer.render(10240)
                    renderer.edit(after, before.media)
                    rest = renderer.render(LENGTH - 10240)
                    fresh = bench_of([moving(band=band, **{"key": foreign} | motion)], signal, key=key).render(LENGTH)
                    np.testing.assert_allclose(rest[:, -9600:], fresh[:, -9600:], atol=1e-6)

    def test_measured_as_it_sounds_and_again_after_an_edit(self) -> None:
        signal, key = noise(1.0, level=0.2), noise(1.0, seed=2)
        store = MemoryRenders()
        motions: tuple[dict[str, Any], ...] = ({}, {"to_db": 6.0}, {"key": {"from": "kick"}}, {"attack_ms": 50.0})
        for motion in motions:
            for chain in ([moving(**motion)], [block(300.0, chains={1: [moving(**motion)]})]):
                with self.subTest(motion=motion, chain=chain[0]["id"]):
                    bench = bench_of(chain, signal, key=key)
                    found = measure_song(bench.session(), bench.media, {"kick": "kick", "bass": "bass"}, store)
                    peak_dbfs = found.strips["bass"].stage("pre-fader").sample_peak_dbfs
                    self.assertAlmostEqual(peak_dbfs, 20 * np.log10(np.abs(bench.render(LENGTH)).max()), places=2)


class RulesTest(unittest.TestCase):
    def test_a_loop_through_what_a_band_hears_is_refused(self) -> None:
        bench = bench_of([moving(key={"from": "echo"})], noise(0.1))
        bench.bus("echo", "return")
        bench.strips[0]["sends"] = [{"id": "s", "to": "echo"}]
        with self.assertRaises(InvalidSession) as refused:
            bench.session()
        self.assertIn("Bass", str(refused.exception))
        self.assertIn("Echo", str(refused.exception))

    def test_what_it_hears_has_to_be_there(self) -> None:
        with self.assertRaises(InvalidSession) as refused:
            bench_of([moving(key={"from": "nobody"})], noise(0.1)).session()
        self.assertIn("strips/bass/chain/eq/bands/b/motion/key/from", str(refused.exception))

    def test_all_the_way_has_to_lie_above_where_it_starts(self) -> None:
        with self.assertRaises(InvalidSession) as refused:
            bench_of([moving(full_level_db=-40.0)], noise(0.1)).session()
        self.assertIn("above where it starts", str(refused.exception))

    def test_deleting_what_it_hears_is_said_and_it_hears_itself(self) -> None:
        session = bench_of([moving(key={"from": "kick"})], noise(0.1), key=noise(0.1)).session()
        self.assertEqual(dependents_of(session, {"kick"}), ["Bass no longer hears Kick and listens to itself."])
        left = apply_action(session, parse_action({"type": "remove-strips", "strips": ["kick"]}))
        self.assertIsNone(_motion(left)["key"]["from"])

    def test_its_settings_have_addresses_and_stay_but_for_the_switch(self) -> None:
        session = bench_of([moving()], noise(0.1)).session()
        at = "strips/bass/chain/eq/bands/b/motion"
        set_ = {"type": "set-parameters", "values": [{"address": f"{at}/full_level_db", "value": -10.0}]}
        self.assertEqual(_motion(apply_action(session, parse_action(set_)))["full_level_db"], -10.0)
        move = {"type": "set-move", "target": f"{at}/full_level_db", "points": [{"at_s": 0.0, "value": -10.0}]}
        with self.assertRaises((InvalidAction, InvalidSession)):
            apply_action(session, parse_action(move))

    def test_a_session_file_keeps_it(self) -> None:
        session = bench_of([moving(key={"from": "kick"})], noise(0.1), key=noise(0.1)).session()
        self.assertEqual(parse_session(session.model_dump(mode="json", by_alias=True)), session)


def _motion(session: Session) -> dict[str, Any]:
    written: dict[str, Any] = session.strip("bass").model_dump(mode="json", by_alias=True)
    motion: dict[str, Any] = written["chain"][0]["params"]["bands"][0]["motion"]
    return motion


if __name__ == "__main__":
    unittest.main()
