"""The same samples however they are cut; edits without clicks; loops to the sample."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.session.document import Session
from gemischt.core.session.validation import dump_session, parse_session
from tests.support.sessions import Bench, compressor, eq
from tests.support.signals import RATE_HZ, Signal, noise, sine

N = 9000


def busy() -> Bench:
    """Everything at once: keys, lookahead, lanes, sends, filters."""
    bench = Bench()
    lanes = [
        {"id": "clean", "name": "Clean"},
        {"id": "squash", "name": "Squash", "chain": [compressor("c", ratio=None)]},
    ]
    bench.track("drum", noise(0.3, seed=2), output="bus", chain=[{"id": "p", "type": "parallel", "lanes": lanes}])
    bands = [
        {"frequency_hz": 300.0, "gain_db": 5.0},
        {"shape": "low-cut", "frequency_hz": 60.0, "slope_db_per_octave": 24},
    ]
    duck = compressor("d", key={"from": "drum", "filter": {"low_cut_hz": 30.0, "high_cut_hz": None}}, hold_ms=3.0)
    bench.track("bass", noise(0.3, channels=1, seed=3), chain=[eq(*bands), duck], sends=[{"id": "s", "to": "hall"}])
    bench.bus("bus", chain=[compressor("l", lookahead_ms=2.0, detector="rms", stereo_link=0.3)])
    bench.bus("hall", kind="return", width=1.6)
    return bench


def changed(session: Session, strip: int, **fields: Any) -> Session:
    document = dump_session(session)
    document["strips"][strip] |= fields
    return parse_session(document)


class BlockSizeTest(unittest.TestCase):
    def test_the_same_samples_for_any_block_size(self) -> None:
        whole = busy().render(N, max_block=N)
        self.assertTrue(np.any(whole))
        for block in (1, 64, 1000, 4096):
            with self.subTest(block=block):
                np.testing.assert_allclose(busy().render(N, max_block=block), whole, atol=1e-24, rtol=0)

    def test_the_same_samples_while_settings_glide(self) -> None:
        outs = []
        for block in (64, 1000, 4096):
            bench = busy()
            renderer = bench.renderer(max_block=block)
            first = renderer.render(3000)
            edited = changed(bench.session(), 1, fader_db=-9.0, pan={"position": 0.7}, trim_db=4.0)
            renderer.edit(edited, bench.media)
            outs.append(np.concatenate([first, renderer.render(5000)], axis=1))
        for out in outs[1:]:
            np.testing.assert_allclose(out, outs[0], atol=1e-24, rtol=0)


def roughness(signal: Signal) -> float:
    """Largest second difference: a click stands out of a slow sine."""
    return float(np.abs(np.diff(signal, n=2, axis=1)).max())


class EditsWithoutClicksTest(unittest.TestCase):
    def glided(self, before: dict[str, Any], after: dict[str, Any], index: int = 0) -> tuple[Signal, float]:
        """Output around an edit, and the roughness of the louder steady state."""
        bench = Bench()
        bench.track("tone", sine(100, -6, 2), **before)
        renderer = bench.renderer()
        steady = renderer.render(RATE_HZ // 2)
        renderer.edit(changed(bench.session(), index, **after), bench.media)
        out = renderer.render(RATE_HZ // 2)
        smooth = max(roughness(steady[:, 9600:]), roughness(out[:, 9600:]))
        return np.concatenate([steady[:, -2400:], out], axis=1), smooth

    CASES: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
        "fader": ({}, {"fader_db": -40.0}),
        "mute": ({}, {"mute": True}),
        "pan": ({}, {"pan": {"position": 1.0}}),
        "trim": ({}, {"trim_db": -20.0}),
        "polarity": ({}, {"polarity_inverted": True}),
        "width": ({}, {"width": 0.0}),
        "threshold": (
            {"chain": [compressor(threshold_db=0, ratio=None, attack_ms=0, release_ms=400)]},
            {"chain": [compressor(threshold_db=-30, ratio=None, attack_ms=0, release_ms=400)]},
        ),
        "make-up": ({"chain": [compressor(ratio=1.0)]}, {"chain": [compressor(ratio=1.0, makeup_db=-12.0)]}),
        "eq gain": (
            {"chain": [eq({"frequency_hz": 100.0, "gain_db": 0.0})]},
            {"chain": [eq({"frequency_hz": 100.0, "gain_db": -18.0})]},
        ),
        "a processor more": ({}, {"chain": [compressor(ratio=1.0, makeup_db=-12.0)]}),
        "an output taken away": ({}, {"output": None}),
    }

    def test_no_edit_clicks(self) -> None:
        # A hard switch of this tone has a second difference of some 0.3; a threshold gliding in dB with an attack of
        # zero bends the gain most.
        for name, (before, after) in self.CASES.items():
            with self.subTest(name):
                out, smooth = self.glided(before, after)
                self.assertLess(roughness(out), 4.0 * smooth + (3e-3 if name == "threshold" else 1e-4))

    def test_a_setting_arrives_where_it_should(self) -> None:
        bench = Bench()
        bench.track("tone", np.full((2, RATE_HZ), 0.5))
        renderer = bench.renderer()
        renderer.render(100)
        renderer.edit(changed(bench.session(), 0, fader_db=-20.0), bench.media)
        out = renderer.render(2000)
        self.assertAlmostEqual(out[0, 480], 0.5 * (1 - 0.9 / 2), places=6)
        np.testing.assert_allclose(out[0, 960:], 0.05, atol=1e-9)

    def test_a_structural_edit_keeps_what_rings(self) -> None:
        bench = Bench()
        ring = eq({"frequency_hz": 200.0, "gain_db": 24.0, "q": 40.0})
        signal = np.zeros((2, RATE_HZ))
        signal[:, 0] = 1.0
        bench.track("click", signal, chain=[ring])
        plain = bench.renderer()
        expected = plain.render(6000)
        renderer = bench.renderer()
        renderer.render(2000)
        renderer.edit(changed(bench.session(), 0, sends=[{"id": "s", "to": "mix", "level_db": None}]), bench.media)
        np.testing.assert_allclose(renderer.render(4000), expected[:, 2000:], atol=1e-12)


class LoopTest(unittest.TestCase):
    def test_a_loop_is_exact_to_the_sample(self) -> None:
        bench = Bench()
        signal = noise(1.0, seed=9)
        bench.track("a", signal)
        renderer = bench.renderer(max_block=512)
        renderer.set_loop((1000, 4001))
        out = renderer.render(12000)
        kept = signal.astype(np.float32).astype(float)
        expected = np.concatenate([kept[:, :4001]] + [kept[:, 1000:4001]] * 3, axis=1)[:, :12000]
        np.testing.assert_allclose(out, expected, atol=1e-12)

    def test_an_empty_loop_is_refused(self) -> None:
        bench = Bench()
        bench.track("a", noise(0.1))
        with self.assertRaises(ValueError):
            bench.renderer().set_loop((500, 500))
