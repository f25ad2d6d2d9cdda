"""The gate against its plain twin and its closed form."""

import unittest

import numpy as np

from gemischt.core.analysis.reports.relations import relations_of
from gemischt.core.processors.gate import static_curve_db
from gemischt.core.processors.gate_params import GateParams
from tests.support.sessions import Bench, silence
from tests.support.signals import RATE_HZ, Signal, noise, sine, steps


def gated(signal: Signal, **params: object) -> Signal:
    bench = Bench(pan_law_db=0.0)
    bench.track("a", signal, chain=[{"id": "g", "type": "gate", "params": params}])
    return bench.render(signal.shape[1])


def plain_gate(signal: Signal, params: GateParams) -> Signal:
    """Sample by sample, in plain words; linked channels."""
    level_db = 20 * np.log10(np.maximum(np.abs(signal).max(axis=0), 1e-10))
    attack, release = (np.exp(-1000.0 / (ms * RATE_HZ)) for ms in (params.attack_ms, params.release_ms))
    hold = round(params.hold_ms * RATE_HZ / 1000)
    out = np.empty_like(signal)
    is_open, left, reduction = False, 0, 0.0
    for n, level in enumerate(level_db):
        if level >= params.threshold_db or (is_open and level >= params.threshold_db - params.hysteresis_db):
            is_open, left = True, hold
        elif is_open:
            left -= 1
            is_open = left >= 0
        wanted = 0.0
        if not is_open:
            slope = 1000.0 if params.ratio is None else params.ratio - 1.0
            most = 120.0 if params.range_db is None else params.range_db
            wanted = min(max(0.0, slope * (params.threshold_db - level)), most)
        feedback = attack if wanted < reduction else release
        reduction = wanted + feedback * (reduction - wanted)
        out[:, n] = signal[:, n] * 10 ** (-reduction / 20)
    return out


class GateTest(unittest.TestCase):
    def test_it_is_its_plain_twin(self) -> None:
        signal = noise(0.25, level=0.05, seed=3) * np.repeat([1.0, 0.02, 0.3, 0.005, 1.0], 2400)
        for settings in ({"ratio": 2.0}, {"range_db": 24.0, "hold_ms": 5.0}, {"ratio": 8.0, "hysteresis_db": 0.0}):
            params = GateParams(threshold_db=-30.0, **settings)
            with self.subTest(settings):
                out = gated(signal, threshold_db=-30.0, **settings)
                np.testing.assert_allclose(out, plain_gate(signal, params), atol=1e-7)

    def test_what_is_under_the_threshold_goes_down_by_the_ratio_and_no_more_than_the_range(self) -> None:
        # Closed form: 10 dB under at 3:1 are 20 dB more; 30 dB under are 60 dB, held at the range.
        params = GateParams(threshold_db=-30.0, ratio=3.0, range_db=40.0)
        found = static_curve_db(params, np.array([-20.0, -30.0, -40.0, -60.0]))
        np.testing.assert_allclose(found, [-20.0, -30.0, -60.0, -100.0])

    def test_it_closes_only_below_the_hysteresis_and_after_the_hold(self) -> None:
        # 6 dB below the threshold it stays open within 8 dB of hysteresis, and closes without.
        signal = steps((-20.0, 0.2), (-32.0, 0.6))
        tail = slice(round(0.7 * RATE_HZ), round(0.8 * RATE_HZ))
        common = {"threshold_db": -26.0, "release_ms": 20.0, "hold_ms": 30.0}
        open_ = gated(signal, hysteresis_db=12.0, **common)[0, tail]
        closed = gated(signal, hysteresis_db=3.0, **common)[0, tail]
        np.testing.assert_allclose(np.abs(open_).max(), 10 ** (-32 / 20), rtol=0.01)
        self.assertLess(np.abs(closed).max(), 1e-4)

    def test_a_foreign_key_lets_only_its_hits_through(self) -> None:
        hits = silence(RATE_HZ)
        hits[:, 12000:14400] = sine(200.0, -6.0, 0.05)
        bench = Bench()
        key = {"from": "snare"}
        gate = {"id": "g", "type": "gate", "params": {"threshold_db": -20.0, "release_ms": 10.0}, "key": key}
        bench.track("room", noise(1.0, seed=2), chain=[gate])
        bench.track("snare", hits, output=None)
        out = bench.render(RATE_HZ)[0]
        self.assertLess(np.abs(out[2400:11900]).max(), 1e-4)
        self.assertGreater(np.abs(out[12500:14400]).max(), 0.1)
        self.assertLess(np.abs(out[24000:]).max(), 1e-4)
        self.assertEqual(
            relations_of(bench.session())[0].sentence,
            "Room opens with Snare · from -20.0 dB · else silent · closes in 10 ms",
        )


if __name__ == "__main__":
    unittest.main()
