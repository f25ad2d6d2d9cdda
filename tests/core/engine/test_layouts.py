"""Strips of more than two channels: nothing is dropped in silence, what joins other channels does so by its matrix."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.cache.renders import MemoryRenders
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.errors import InvalidSession
from gemischt.core.metering.loudness import LoudnessMeter
from gemischt.core.session.document import Session
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.layout import LAYOUTS, LayoutName, layout_named
from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ, Signal, noise, sine

N = 9600
WIDE: tuple[LayoutName, ...] = ("quad", "5.1", "7.1", "5.1.4", "7.1.4", "4+4")


def file_of(layout: LayoutName, *, seconds: float = 0.2) -> Signal:
    """Noise, another in each channel."""
    channels = [noise(seconds, level=0.1, seed=k, channels=1) for k in range(LAYOUTS[layout].n_channels)]
    return np.concatenate(channels).astype(np.float32).astype(np.float64)


def bed(layout: LayoutName, **track: Any) -> Bench:
    """A file of that layout on a track, a bus and a mix of it."""
    bench = Bench()
    bench.track("bed", file_of(layout), layout=layout, output="bus", **track)
    bench.bus("bus", layout=layout)
    bench.mix["layout"] = layout
    return bench


class LayoutsTest(unittest.TestCase):
    def test_every_channel_comes_out_as_it_came_in(self) -> None:
        for layout in WIDE:
            with self.subTest(layout):
                np.testing.assert_array_equal(bed(layout).render(N), file_of(layout)[:, :N])

    def test_a_wide_strip_folds_down_into_two_channels(self) -> None:
        for layout in WIDE:
            with self.subTest(layout):
                bench = Bench()
                bench.track("bed", file_of(layout), layout=layout)
                expected = matrix_between(LAYOUTS[layout], LAYOUTS["stereo"]) @ file_of(layout)
                np.testing.assert_allclose(bench.render(N), expected[:, :N], atol=1e-12)

    def test_a_wide_file_on_a_plain_track_folds_down_too(self) -> None:
        bench = Bench()
        bench.track("bed", file_of("5.1"))
        expected = matrix_between(LAYOUTS["5.1"], LAYOUTS["stereo"]) @ file_of("5.1")
        np.testing.assert_allclose(bench.render(N), expected[:, :N], atol=1e-12)

    def test_two_channels_join_more_at_the_front(self) -> None:
        tone = sine(440.0, -12.0, 0.2)
        for send in (False, True):
            with self.subTest(send=send):
                bench = Bench()
                sends = [{"id": "s", "to": "bus", "level_db": 0.0, "tap": "pre-fader"}]
                bench.track("tone", tone, output=None if send else "bus", sends=sends if send else [])
                bench.bus("bus", layout="5.1")
                bench.mix["layout"] = "5.1"
                out = bench.render(N)
                np.testing.assert_allclose(out[:2], tone[:, :N], atol=1e-7)
                self.assertFalse(np.any(out[2:]))

    def test_one_channel_joins_more_as_loud_by_its_output_as_by_a_send_before_its_fader(self) -> None:
        voice = sine(440.0, -12.0, 0.2, channels=1)
        heard = []
        for tap in (None, "pre-fader", "post-fader"):
            bench = Bench()
            sends = [{"id": "s", "to": "bus", "level_db": 0.0, "tap": tap}] if tap else []
            bench.track("voice", voice, output=None if tap else "bus", sends=sends)
            bench.bus("bus", layout="7.1.4")
            bench.mix["layout"] = "7.1.4"
            heard.append(bench.render(N))
        self.assertGreater(float(np.abs(heard[0]).max()), 0.1)
        for other in heard[1:]:
            np.testing.assert_allclose(other, heard[0], atol=1e-12)

    def test_processors_work_on_all_channels(self) -> None:
        chain = [
            {"id": "eq", "type": "eq", "params": {"bands": [{"frequency_hz": 300.0, "gain_db": 9.0}]}},
            compressor("comp", key={"from": "kick"}, threshold_db=-40.0, lookahead_ms=3.0),
            {"id": "sat", "type": "saturator", "params": {"drive_db": 6.0}},
            {"id": "lanes", "type": "parallel", "lanes": [{"id": "a", "name": "A"}, {"id": "b", "name": "B"}]},
            {"id": "lim", "type": "limiter", "params": {"input_db": 6.0}},
        ]
        bench = bed("7.1.4", chain=chain)
        bench.track("kick", sine(60.0, -3.0, 0.2), output=None)
        whole = bench.render(N)
        self.assertGreater(float(np.abs(whole).max(axis=1).min()), 0.01)
        np.testing.assert_array_equal(bench.render(N, max_block=100), whole)

    def test_clips_with_fades_and_backwards_keep_their_channels(self) -> None:
        bench = bed("5.1")
        clip = {"media": "bed", "fade_in_s": 0.01, "fade_out_s": 0.02, "fade_shape": "equal-power", "reversed": True}
        bench.strips[0]["clips"] = [clip]
        out, whole = bench.render(N), file_of("5.1")[:, ::-1]
        inside = slice(1000, N - 1200)
        np.testing.assert_allclose(out[:, inside], whole[:, inside], atol=1e-7)

    def test_a_mix_that_gets_more_channels_while_it_plays_is_faded_into_them(self) -> None:
        bench = Bench()
        bench.track("bed", np.tile(sine(100.0, -20.0, 1.0, channels=1), (6, 1)), layout="5.1")
        renderer = bench.renderer(max_block=256)
        folded = renderer.render(9600)
        bench.mix["layout"] = "5.1"
        renderer.edit(bench.session(), bench.media)
        wide = renderer.render(9600)
        self.assertEqual((len(folded), len(wide)), (2, 6))
        np.testing.assert_allclose(wide[:, -4800:], bench.render(19200)[:, -4800:], atol=1e-9)
        joined = np.concatenate([folded, wide[:2]], axis=1)
        steepest = 2.0 * float(np.abs(np.diff(folded[:, 2400:], n=2)).max())
        self.assertLess(float(np.abs(np.diff(joined[:, 2400:], n=2)).max()), steepest)
        bench.mix["layout"] = None
        renderer.edit(bench.session(), bench.media)
        self.assertEqual(len(renderer.render(9600)), 2)


def measured_lufs(session: Session, media: Any, strip: str, stage: str) -> float:
    song = measure_song(session, media, {name: name for name in media}, MemoryRenders())
    return song.strips[strip].stage(stage).integrated_lufs


class MeasuringTest(unittest.TestCase):
    def test_surrounds_count_more_and_low_effects_not_at_all(self) -> None:
        # ITU-R BS.1770: each channel's mean square by its weight.
        bench = Bench()
        layout = layout_named("5.1")
        signal = file_of("5.1", seconds=2.0)
        bench.track("bed", signal, layout="5.1", output="bus", fader_db=-6.0)
        bench.bus("bus", layout="5.1")
        bench.mix["layout"] = "5.1"
        meter = LoudnessMeter(RATE_HZ, layout)
        quieter = 10 ** (-6 / 20) * signal
        meter.process(quieter, quieter.shape[1])
        for strip in ("bed", "bus", "mix"):
            lufs = measured_lufs(bench.session(), bench.media, strip, "post-fader")
            self.assertAlmostEqual(lufs, meter.integrated_lufs, delta=0.01)
        lows = signal * (np.array([c.is_lfe for c in layout.channels])[:, np.newaxis])
        bench.media["bed"] = np.ascontiguousarray(lows.T, dtype=np.float32)
        self.assertEqual(measured_lufs(bench.session(), bench.media, "mix", "post-fader"), -np.inf)

    def test_what_is_played_from_kept_renders_is_what_sounds(self) -> None:
        bench = bed("4+4", chain=[compressor(threshold_db=-40.0)])
        store = MemoryRenders()
        hashes = {name: name for name in bench.media}
        for fader_db in (0.0, -3.0, -12.0):
            bench.strips[0]["fader_db"] = fader_db
            session = bench.session()
            kept = measure_song(session, bench.media, hashes, store)
            fresh = measure_song(session, bench.media, hashes, MemoryRenders())
            for strip in ("bed", "bus", "mix"):
                one, other = kept.strips[strip].stage("post-fader"), fresh.strips[strip].stage("post-fader")
                self.assertAlmostEqual(one.sample_peak_dbfs, other.sample_peak_dbfs, delta=1e-3)
                self.assertAlmostEqual(one.true_peak_dbtp, other.true_peak_dbtp, delta=1e-3)


class RefusalsTest(unittest.TestCase):
    def fault(self, bench: Bench) -> str:
        with self.assertRaises(InvalidSession) as caught:
            bench.session()
        return str(caught.exception)

    def test_what_is_for_two_channels_is_refused_in_words(self) -> None:
        delay = {"id": "echo", "type": "delay"}
        cases: dict[str, tuple[dict[str, Any], tuple[str, ...]]] = {
            "a delay": ({"chain": [delay]}, ("strips/bed/chain/echo", "Delay", "6 channels", "placed around")),
            "in a lane": (
                {"chain": [{"id": "p", "type": "parallel", "lanes": [{"id": "l", "name": "L", "chain": [delay]}]}]},
                ("strips/bed/chain/echo", "Delay"),
            ),
            "an input": ({"input": "mid"}, ("strips/bed/input", "mid", "as-is")),
            "a pan": ({"pan": {"position": 0.5}}, ("strips/bed/pan", "width")),
            "a width": ({"width": 0.5}, ("strips/bed/pan", "width")),
            "a swap": (
                {"chain": [{"id": "g", "type": "gain", "params": {"channels": "swap"}}]},
                ("strips/bed/chain/g", "two channels"),
            ),
        }
        for name, (fields, words) in cases.items():
            with self.subTest(name):
                fault = self.fault(bed("5.1", **fields))
                for word in words:
                    self.assertIn(word, fault)

    def test_a_mix_of_one_channel_is_refused(self) -> None:
        bench = Bench()
        bench.mix["layout"] = "mono"
        self.assertIn("strips/mix/layout", self.fault(bench))

    def test_an_unknown_layout_is_refused(self) -> None:
        bench = Bench()
        bench.mix["layout"] = "22.2"
        self.assertIn("strips/mix/layout", self.fault(bench))


if __name__ == "__main__":
    unittest.main()
