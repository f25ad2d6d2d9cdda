"""What makes room for what: sentences, and figures against closed forms."""

import math
import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.reports.duck_report import DuckReport, glance_at_ducks, report_duck
from gemischt.core.analysis.reports.relations import find_relation, relations_of
from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions import apply_action
from gemischt.core.session.document import Session
from gemischt.core.session.duck_curves import open_at
from tests.core.engine.test_ducks import duck
from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ, Signal, sine, steps

HITS_S = (0.5, 1.1, 1.5)


def bursts(level_db: float = -10.0, burst_s: float = 0.05, length_s: float = 2.0) -> Signal:
    """A tone of 50 ms at each hit."""
    wave = np.zeros((2, round(length_s * RATE_HZ)))
    for at_s in HITS_S:
        at, n_samples = round(at_s * RATE_HZ), round(burst_s * RATE_HZ)
        wave[:, at : at + n_samples] = sine(1000.0, level_db, burst_s, phase_deg=90.0)
    return wave


def keyed(**params: Any) -> Bench:
    bench = Bench()
    settings = {"threshold_db": -30.0, "ratio": None, "knee_db": 0.0, "attack_ms": 0.0, "release_ms": 50.0} | params
    key = {"from": "kick", "filter": {"low_cut_hz": 200.0}}
    bench.track("kick", bursts(), output=None)
    bench.track("bass", sine(100.0, -12.0, 2.0), chain=[compressor("duck", key=key | {"filter": {}}, **settings)])
    return bench


def heard(bench: Bench, relation: str, **options: Any) -> DuckReport:
    session = bench.session()
    return report_duck(session, bench.media, find_relation(session, relation), **options)


class KeyedFiguresTest(unittest.TestCase):
    def test_depth_hits_and_the_way_back_are_those_of_the_closed_form(self) -> None:
        report = heard(keyed(), "bass/duck")
        figures = report.figures
        np.testing.assert_allclose(report.hits_s, HITS_S, atol=0.0011)
        self.assertEqual(figures.hits, 3)
        # Endless ratio, -10 dBFS over a threshold of -30: 20 dB.
        self.assertAlmostEqual(figures.deepest_db, -20.0, delta=0.1)
        self.assertAlmostEqual(figures.typical_db, -20.0, delta=0.1)
        # Back after the burst and tau ln(20 / 0.5).
        self.assertAlmostEqual(figures.back_ms or 0.0, 50.0 + 50.0 * math.log(40.0), delta=3.0)
        self.assertAlmostEqual(figures.shortest_gap_ms or 0.0, 400.0, delta=1.1)
        self.assertAlmostEqual(figures.margin_ms or 0.0, 400.0 - 50.0 - 50.0 * math.log(40.0), delta=4.0)
        self.assertEqual(figures.never_back, 0)
        self.assertRegex(report.verdict, r"^Back 1\d\d ms before the next hit$")
        # Under -1 dB for the burst and tau ln 20, three times in two seconds.
        self.assertAlmostEqual(figures.ducked_share, 3 * (0.05 + 0.05 * math.log(20.0)) / 2.0, delta=0.01)

    def test_the_rise_of_the_trigger_stands_beside_the_way_down(self) -> None:
        bench = Bench()
        ramp = np.clip(np.arange(2 * RATE_HZ) % (RATE_HZ // 2) / (0.03 * RATE_HZ), 0.0, 1.0)
        burst = ramp * (np.arange(2 * RATE_HZ) % (RATE_HZ // 2) < RATE_HZ // 10)
        bench.track("kick", np.tile(0.5 * burst, (2, 1)))
        key = {"from": "kick", "tap": "pre-fader"}
        chain = [compressor("duck", key, threshold_db=-40.0, ratio=8.0, attack_ms=2.0, release_ms=60.0)]
        bench.track("bass", sine(440.0, -12.0, 2.0), chain=chain)
        figures = heard(bench, "bass/duck").figures
        # It rises for 30 ms, from -40 dBFS on for all but the first of them.
        self.assertAlmostEqual(figures.rise_ms or 0.0, 29.0, delta=1.5)

    def test_a_release_that_is_too_long_is_told_with_one_that_fits_and_that_cures_it(self) -> None:
        bench = keyed(release_ms=400.0)
        report = heard(bench, "bass/duck")
        self.assertEqual(report.figures.never_back, 2)
        self.assertRegex(report.verdict, "Not back before the next hit: 2 of 3")
        assert report.cure is not None
        cured = apply_action(bench.session(), report.cure)
        after = report_duck(cured, bench.media, find_relation(cured, "bass/duck"))
        self.assertEqual(after.figures.never_back, 0)
        self.assertIsNone(after.cure)

    def test_before_and_after_are_the_target_at_the_step_in_time_with_the_song(self) -> None:
        # A limiter in front makes the target late: what is told is where the song is all the same.
        bench = keyed()
        bench.strips[1]["chain"].insert(0, {"id": "lim", "type": "limiter", "params": {}})
        report = heard(bench, "bass/duck")
        np.testing.assert_allclose(report.hits_s, HITS_S, atol=0.0011)
        gain = np.array(report.gain_db)
        bin_s = 2.0 / len(gain)
        first = float(np.flatnonzero(gain < -1.0)[0]) * bin_s
        self.assertAlmostEqual(first, 0.5, delta=2 * bin_s)
        before, after = np.array(report.before), np.array(report.after)
        np.testing.assert_allclose(after[gain > -0.01], before[gain > -0.01], atol=2e-3)
        deep = gain < -19.0
        np.testing.assert_allclose(20 * np.log10(before[deep] / after[deep]).mean(), 20.0, atol=0.8)

    def test_a_stretch_has_its_own_figures(self) -> None:
        report = heard(keyed(), "bass/duck", stretch_s=(1.0, 1.4))
        self.assertEqual((report.start_s, report.end_s, report.figures.hits), (1.0, 1.4, 1))
        quiet = heard(keyed(), "bass/duck", stretch_s=(0.0, 0.4))
        self.assertEqual((quiet.figures.hits, quiet.verdict), (0, "No hit in this stretch"))

    def test_a_steady_key_keeps_it_down(self) -> None:
        bench = keyed()
        bench.media["kick"] = Bench().media.get("x", np.ascontiguousarray(steps((-10.0, 2.0)).T.astype(np.float32)))
        report = heard(bench, "bass/duck")
        self.assertEqual(report.verdict, "Stays down")
        self.assertIsNone(report.figures.back_ms)


class DrawnFiguresTest(unittest.TestCase):
    def bench(self, **fields: Any) -> Bench:
        bench = Bench(ducks=[duck({"strip": "bass", "depth_db": -12.0} | fields.pop("target", {}), **fields)])
        bench.track("bass", sine(100.0, -12.0, 2.0))
        return bench

    def test_the_curve_over_its_length(self) -> None:
        report = heard(self.bench(), "ducks/d")
        figures = report.figures
        np.testing.assert_allclose(report.hits_s, [0.0, 0.5, 1.0, 1.5], atol=0.0011)
        self.assertAlmostEqual(figures.deepest_db, -12.0, delta=0.1)
        # Straight from -12 to 0 dB in half of 500 ms: within half a decibel after 250 (1 - 0.5 / 12) ms.
        self.assertAlmostEqual(figures.back_ms or 0.0, 250.0 * (1 - 0.5 / 12.0), delta=1.5)
        # Integrated: under -1 dB for 11 twelfths of a quarter of the time.
        self.assertAlmostEqual(figures.ducked_share, 0.5 * 11 / 12, delta=0.005)
        gain = np.array(report.gain_db)
        self.assertAlmostEqual(float(gain.mean()), -12.0 / 2 * 0.5, delta=0.05)

    def test_its_curve_can_be_shaped_like_what_hits(self) -> None:
        # Decays of 40 dB in 250 ms: open again by as much as it has decayed, straight in dB.
        times = np.arange(2 * RATE_HZ) / RATE_HZ
        wave = sum(10 ** (-(times - at) * 8.0) * (times >= at) * (times < at + 0.4) for at in (0.25, 0.75, 1.25))
        bench = self.bench(clock={"kind": "hits", "from": "kick", "threshold_db": -20.0}, length={"ms": 250.0})
        bench.track("kick", np.tile(0.8 * wave * np.sin(2 * np.pi * 2000.0 * times), (2, 1)), output=None)
        report = heard(bench, "ducks/d")
        assert report.like_trigger is not None
        shaped = apply_action(bench.session(), report.like_trigger)
        for at in (0.1, 0.3, 0.5, 0.8):
            self.assertAlmostEqual(open_at(shaped.ducks[0].curve, at), at, delta=0.03)
        self.assertIsNone(heard(self.bench(), "ducks/d").like_trigger)

    def test_each_target_is_heard_for_itself(self) -> None:
        targets = [{"strip": "bass", "depth_db": -12.0}, {"strip": "pad", "depth_db": -3.0}]
        bench = Bench(ducks=[duck(*targets)])
        bench.track("bass", sine(100.0, -12.0, 2.0))
        bench.track("pad", sine(300.0, -12.0, 2.0))
        self.assertAlmostEqual(heard(bench, "ducks/d", target="pad").figures.deepest_db, -3.0, delta=0.05)
        self.assertAlmostEqual(heard(bench, "ducks/d").figures.deepest_db, -12.0, delta=0.1)

    def test_all_at_a_glance(self) -> None:
        bench = keyed()
        bench.fields["ducks"] = [duck({"strip": "bass", "depth_db": -6.0})]
        glances = glance_at_ducks(bench.session(), bench.media)
        self.assertEqual([glance.relation for glance in glances], ["bass/duck", "ducks/d"])
        np.testing.assert_allclose([glance.deepest_db for glance in glances], [-20.0, -6.0], atol=0.1)

    def test_a_glance_can_be_given_up_within_a_relation(self) -> None:
        shares: list[float] = []
        bench = keyed()
        glance_at_ducks(bench.session(), bench.media, report=shares.append)
        self.assertGreater(len(shares), 4)
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(shares[-1], 1.0)

    def test_one_without_a_target_is_refused_in_words(self) -> None:
        bench = Bench(ducks=[duck()])
        bench.track("bass", sine(100.0, -12.0, 0.5))
        with self.assertRaisesRegex(InvalidAction, "no target yet"):
            heard(bench, "ducks/d")


class SentencesTest(unittest.TestCase):
    def sentences(self, session: Session) -> list[str]:
        return [relation.sentence for relation in relations_of(session)]

    def test_keyed_ones(self) -> None:
        bench = keyed(range_db=6.0)
        bench.strips[1]["chain"][0]["key"]["filter"] = {"low_cut_hz": 80.0, "high_cut_hz": 1200.0}
        wanted = (
            "Bass makes room for Kick · the whole signal · at most 6.0 dB · back in 50 ms · hearing 80 Hz to 1.2 kHz"
        )
        self.assertEqual(self.sentences(bench.session()), [wanted])
        reverb = {"id": "room", "type": "reverb", "params": {}}
        bench.strips[1]["chain"].insert(0, reverb)
        self.assertIn("after its Reverb", self.sentences(bench.session())[0])

    def test_drawn_ones(self) -> None:
        bench = Bench(sections=[{"name": "Refrain", "start_s": 2.0, "end_s": 4.0}])
        bench.track("bass", sine(100.0, -12.0, 2.0))
        bench.track("pad", sine(100.0, -12.0, 2.0))
        bench.strips.append({"id": "tick", "kind": "ghost", "name": "Tick"})
        hits = {"kind": "hits", "from": "tick"}
        below = {"strip": "bass", "depth_db": None, "band": "below", "crossover_hz": 100.0}
        bench.fields["ducks"] = [
            duck({"strip": "bass", "depth_db": -9.0}, {"strip": "pad", "depth_db": -4.0}, length="1/4."),
            duck(below, id="e", clock=hits, length={"ms": 250.0}),
        ]
        on = [{"at_s": 0.0, "value": False}, {"at_s": 2.0, "value": True}, {"at_s": 4.0, "value": False}]
        bench.fields["moves"] = [{"target": "ducks/d/on", "points": on}]
        self.assertEqual(
            self.sentences(bench.session()),
            [
                "Bass and Pad follow the curve Tide, again each quarter · lasts dotted quarter · 2 depths"
                " · the whole signal · only in Refrain",
                "Bass follows the curve Tide, restarted by Tick (never heard) · lasts 250 ms · to silence"
                " · below 100 Hz",
            ],
        )
        out = [{"at_s": 0.0, "value": True}, {"at_s": 2.0, "value": False}, {"at_s": 4.0, "value": True}]
        bench.fields["moves"] = [{"target": "ducks/d/on", "points": out}]
        self.assertIn("not in bar 2", self.sentences(bench.session())[0])


if __name__ == "__main__":
    unittest.main()
