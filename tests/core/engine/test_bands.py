"""Lanes that are bands: they add up flat, each is steep, and what is done in one stays in it."""

import unittest
from typing import Any

import numpy as np
from scipy import signal

from gemischt.core.analysis.cache.renders import MemoryRenders
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.analysis.reports.relations import relations_of
from gemischt.core.errors import InvalidAction, InvalidSession
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.core.session.document import Session
from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ, Signal, noise, sine

CROSSOVERS_HZ = {2: (100.0,), 3: (120.0, 2500.0), 4: (120.0, 800.0, 5000.0), 5: (60.0, 250.0, 1000.0, 8000.0)}
Q7 = np.sqrt(0.5)


def block(*crossovers_hz: float, chains: dict[int, list[dict[str, Any]]] | None = None, **lanes: Any) -> dict[str, Any]:
    """A block of bands, named by their number; ``lanes`` are fields of each."""
    return {
        "id": "bands",
        "type": "parallel",
        "lanes": [
            {"id": f"l{k}", "name": f"Band {k}", "chain": (chains or {}).get(k, []), **lanes.get(f"l{k}", {})}
            for k in range(len(crossovers_hz) + 1)
        ],
        "splits": [{"id": f"x{k}", "frequency_hz": hz} for k, hz in enumerate(crossovers_hz)],
    }


def impulse(n_samples: int = 1 << 16) -> Signal:
    wave = np.zeros((1, n_samples))
    wave[0, 0] = 1.0
    return wave


def response_of(split: dict[str, Any]) -> tuple[np.ndarray, np.ndarray]:
    """Frequencies from 20 Hz to 20 kHz, and what a block does there, complex."""
    bench = Bench()
    bench.track("x", impulse(), chain=[split], pan={"mode": "balance", "position": 0.0})
    bench.fields["pan_law_db"] = 0.0
    answer = bench.render(1 << 16)[0]
    frequencies_hz = np.fft.rfftfreq(1 << 16, 1.0 / RATE_HZ)
    heard = (frequencies_hz >= 20.0) & (frequencies_hz <= 20000.0)
    return frequencies_hz[heard], np.fft.rfft(answer)[heard]


def db(response: np.ndarray) -> np.ndarray:
    return np.asarray(20.0 * np.log10(np.maximum(np.abs(response), 1e-9)))


def edited(session: Session, **action: Any) -> Session:
    return apply_action(session, parse_action(action))


class CrossoverTest(unittest.TestCase):
    def test_untouched_bands_add_up_flat_and_to_the_all_passes_of_the_crossovers(self) -> None:
        # Linkwitz 1976; a second-order all-pass of Q 0.7071 per crossover (see check values for tolerances: 1e-5 dB).
        for count, crossovers_hz in CROSSOVERS_HZ.items():
            with self.subTest(bands=count):
                frequencies_hz, response = response_of(block(*crossovers_hz))
                np.testing.assert_allclose(db(response), 0.0, atol=1e-5)
                expected = np.ones(len(frequencies_hz), complex)
                for crossover_hz in crossovers_hz:
                    _, a = signal.butter(2, crossover_hz, fs=RATE_HZ)
                    _, own = signal.freqz(a[::-1], a, frequencies_hz, fs=RATE_HZ)
                    expected *= own
                np.testing.assert_allclose(response, expected, atol=1e-5)

    def test_a_band_alone_is_a_fourth_order_linkwitz_riley(self) -> None:
        for count, crossovers_hz in CROSSOVERS_HZ.items():
            for k in range(count):
                with self.subTest(bands=count, band=k):
                    lanes = {f"l{k}": {"solo": True}}
                    frequencies_hz, response = response_of(block(*crossovers_hz, **lanes))
                    expected = np.zeros(len(frequencies_hz))
                    for place, crossover_hz in enumerate(crossovers_hz):
                        if place <= k:
                            kind = "lowpass" if place == k else "highpass"
                            sos = signal.butter(2, crossover_hz, kind, fs=RATE_HZ, output="sos")
                            expected += 2.0 * db(signal.sosfreqz(sos, frequencies_hz, fs=RATE_HZ)[1])
                    loud = expected > -80.0
                    np.testing.assert_allclose(db(response)[loud], expected[loud], atol=1e-3)

    def test_values_of_the_table(self) -> None:
        # LR4 low-pass at 1 kHz, bilinear at 48 kHz (check values, section 3).
        frequencies_hz, response = response_of(block(1000.0, l0={"solo": True}))
        found = np.interp([500.0, 1000.0, 2000.0, 4000.0], frequencies_hz, db(response))
        np.testing.assert_allclose(found, [-0.524, -6.021, -24.750, -48.953], atol=0.01)


class WorkingTest(unittest.TestCase):
    def test_a_key_turns_the_lows_alone(self) -> None:
        key = {"from": "kick", "tap": "pre-fader", "filter": {"low_cut_hz": 25.0}}
        duck = compressor("duck", key, threshold_db=-40.0, ratio=4.0, knee_db=0.0, attack_ms=0.0, release_ms=3000.0)
        bench = Bench()
        tones = sine(40.0, -18.0, 2.0) + sine(1500.0, -18.0, 2.0)
        bench.track("bass", tones, chain=[block(100.0, chains={0: [duck]})])
        bench.track("kick", sine(60.0, -20.0, 2.0), fader_db=None)
        ducked = bench.render(2 * RATE_HZ)[0, RATE_HZ:]
        bench.strips[0]["chain"] = []
        plain = bench.render(2 * RATE_HZ)[0, RATE_HZ:]
        times = np.arange(RATE_HZ) / RATE_HZ

        def level_db(wave: np.ndarray, frequency_hz: float) -> float:
            return float(20 * np.log10(np.abs(np.mean(wave * np.exp(-2j * np.pi * frequency_hz * times)))))

        # 20 dB over the threshold at 4:1: the low band is 15 dB down. With r = (40 / 100)^4 it holds 1 / (1 + r) of
        # the tone, and the high one, which stays, r / (1 + r). The key's low cut takes 0.1 dB.
        r, g = 0.4**4, 10 ** (-15.0 / 20)
        expected_db = 20 * np.log10((g + r) / (1 + r))
        self.assertAlmostEqual(level_db(ducked, 40.0) - level_db(plain, 40.0), expected_db, delta=0.15)
        self.assertAlmostEqual(level_db(ducked, 1500.0) - level_db(plain, 1500.0), 0.0, delta=0.01)

    def test_blocks_do_not_matter_while_a_crossover_moves(self) -> None:
        bench = Bench()
        bench.track("x", noise(1.0, seed=5), chain=[block(200.0, 3000.0, l1={"level_db": -6.0})])
        points = [{"at_s": 0.1, "value": 100.0}, {"at_s": 0.8, "value": 6000.0}]
        bench.fields["moves"] = [{"target": "strips/x/chain/bands/splits/x0/frequency_hz", "points": points}]
        whole = bench.render(RATE_HZ, max_block=4096)
        for size in (1, 64, 1000):
            with self.subTest(size=size):
                np.testing.assert_allclose(bench.render(12000, max_block=size), whole[:, :12000], atol=1e-12)

    def test_a_hand_on_a_crossover_draws_nothing_and_clicks_nowhere(self) -> None:
        bench = Bench()
        bench.track("x", sine(440.0, -12.0, 2.0), chain=[block(100.0)])
        renderer = bench.renderer(max_block=128)
        parts = [renderer.render(4800)]
        plan = renderer.plan
        for frequency_hz in (200.0, 440.0, 3000.0, 20.0, 900.0):
            bench.strips[0]["chain"][0]["splits"][0]["frequency_hz"] = frequency_hz
            renderer.edit(bench.session(), bench.media)
            parts.append(renderer.render(4800))
        self.assertIs(renderer.plan, plan)
        out = np.concatenate(parts, axis=1)[0]
        # An all-pass on its way turns a tone's phase; its steepest is that of the tone and what the way adds.
        steepest = 2 * np.pi * 440.0 / RATE_HZ * np.abs(out).max()
        self.assertLess(np.abs(np.diff(out)).max(), 1.5 * steepest)

    def test_a_band_is_measured_as_what_runs_in_it(self) -> None:
        bench = Bench()
        tones = sine(60.0, -12.0, 2.0) + sine(6000.0, -24.0, 2.0)
        bench.track("x", tones, chain=[block(600.0, l1={"level_db": -3.0})])
        measured = measure_song(bench.session(), bench.media, {"x": "x"}, MemoryRenders()).strips["x"]
        levels = {stage.lane: stage.levels for stage in measured.stages if stage.lane}
        # A sine's RMS is 3.01 dB below its peak.
        self.assertAlmostEqual(levels["l0"].rms_dbfs, -15.01, delta=0.05)
        self.assertAlmostEqual(levels["l1"].rms_dbfs, -30.01, delta=0.05)


class EditsTest(unittest.TestCase):
    def setUp(self) -> None:
        bench = Bench()
        bench.track("bass", noise(0.1))
        bench.track("kick", noise(0.1))
        self.session = edited(bench.session(), type="add-bands", strip="bass")

    def bands(self, session: Session) -> tuple[list[str], list[float]]:
        found = session.strip("bass").chain[0]
        assert found.type == "parallel"
        return [lane.name for lane in found.lanes], [split.frequency_hz for split in found.splits]

    def test_bands_are_added_split_and_taken_away(self) -> None:
        self.assertEqual(self.bands(self.session), (["Lows", "Middle", "Highs"], [120.0, 2500.0]))
        place = {"block": "bands", "lane": "middle"}
        split = edited(self.session, type="split-band", strip="bass", place=place, frequency_hz=700.0)
        self.assertEqual(self.bands(split), (["Lows", "Middle", "Upper middle", "Highs"], [120.0, 700.0, 2500.0]))
        for lane, left in (("lows", [700.0, 2500.0]), ("middle", [700.0, 2500.0]), ("highs", [120.0, 700.0])):
            with self.subTest(lane):
                place = {"block": "bands", "lane": lane}
                self.assertEqual(self.bands(edited(split, type="remove-lane", strip="bass", place=place))[1], left)

    def test_one_key_serves_all_bands(self) -> None:
        keyed = edited(self.session, type="set-lanes-key", strip="bass", block="bands", key={"from": "kick"})
        block = keyed.strip("bass").chain[0]
        assert block.type == "parallel"
        self.assertEqual([lane.chain[0].key.source for lane in block.lanes], ["kick"] * 3)  # type: ignore[union-attr]

    def test_a_sentence_says_which_band_makes_room(self) -> None:
        keyed = edited(self.session, type="set-lanes-key", strip="bass", block="bands", key={"from": "kick"})
        said = [relation.sentence.split(" · ")[1] for relation in relations_of(keyed)]
        self.assertEqual(said, ["below 120 Hz", "120 Hz to 2.5 kHz", "above 2.5 kHz"])

    def test_edits_say_what_they_do(self) -> None:
        place = {"block": "bands", "lane": "middle"}
        actions: list[tuple[dict[str, Any], str]] = [
            ({"type": "add-bands", "strip": "kick", "crossovers_hz": [100.0]}, "Kick: 2 bands added"),
            ({"type": "split-band", "strip": "bass", "place": place, "frequency_hz": 700.0},
             "Bass: Middle split at 700 Hz"),
            ({"type": "split-band", "strip": "bass", "place": place}, "Bass: Middle split at 548 Hz"),
            ({"type": "set-lanes-key", "strip": "bass", "block": "bands", "key": {"from": "kick"}},
             "Bass: Bands hears Kick"),
        ]  # fmt: skip
        for action, words in actions:
            with self.subTest(words):
                self.assertEqual(parse_action(action).describe(self.session), words)

    def test_what_does_not_fit_is_refused_in_words(self) -> None:
        place = {"block": "bands", "lane": "middle"}
        refused: list[tuple[dict[str, Any], str]] = [
            ({"type": "split-band", "strip": "bass", "place": place, "frequency_hz": 3000.0}, "between 120 and 2500"),
            ({"type": "add-lane", "strip": "bass", "block": "bands"}, "its lanes are bands"),
        ]
        for action, reason in refused:
            with self.subTest(reason), self.assertRaisesRegex(InvalidAction, reason):
                edited(self.session, **action)
        parameter = {"address": "strips/bass/chain/bands/splits/x1/frequency_hz", "value": 4000.0}
        with self.assertRaisesRegex(InvalidSession, "must not lie below the one before"):
            edited(self.session, type="set-parameters", values=[parameter])
        bench = Bench()
        split = block(100.0)
        split["lanes"] = split["lanes"][:1]
        bench.track("x", noise(0.1), chain=[split])
        with self.assertRaisesRegex(InvalidSession, "1 splits make 2 bands, got 1 lanes"):
            bench.session()


if __name__ == "__main__":
    unittest.main()
