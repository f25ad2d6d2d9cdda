"""Files rendered together: each is what its taps carry, over its own stretch, to its own end."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.engine.buffer_names import Point, point_buffer
from gemischt.core.engine.endings import SILENT_DBFS
from gemischt.core.errors import BadAudio, InvalidAction
from gemischt.core.printing.files import PrintFile, files_of
from gemischt.core.printing.rendering import Written, render_files
from gemischt.core.session.prints import Print
from gemischt.core.space.layout import Layout
from gemischt.core.units import db_to_gain
from tests.support.sessions import Bench, compressor
from tests.support.signals import RATE_HZ, Signal, impulse, noise, sine

REVERB = {"id": "room", "type": "reverb", "params": {"decay_s": 0.3, "wet": 1.0}}
LIMITER = {"id": "wall", "type": "limiter", "params": {"ceiling_dbtp": -14.0}}


class _Kept:
    """A sink that keeps everything."""

    def __init__(self, layout: Layout) -> None:
        self.layout = layout
        self.blocks: list[Signal] = []
        self.written: Written | None = None

    def write(self, block: Signal) -> None:
        self.blocks.append(block.copy())

    def finish(self, written: Written) -> None:
        self.written = written

    @property
    def sound(self) -> Signal:
        return np.concatenate(self.blocks, axis=1)


def order(**fields: Any) -> Print:
    return Print.model_validate({"id": "p1", "ends": "cut", "format": "wav-32f"} | fields)


def rendered(bench: Bench, *orders: Print) -> dict[str, _Kept]:
    """Sinks by print and part."""
    session = bench.session()
    sinks: dict[str, _Kept] = {}

    def open_sink(file: PrintFile, layout: Layout, _most_samples: int) -> _Kept:
        sinks[f"{file.order.id}:{file.part}"] = _Kept(layout)
        return sinks[f"{file.order.id}:{file.part}"]

    render_files(session, bench.media, [file for one in orders for file in files_of(session, one)], open_sink)
    return sinks


def band() -> Bench:
    """Three tracks, one of them sending into the mix besides, a bus, a return, a key, and a mix with a chain."""
    bench = Bench(sections=[{"name": "Refrain", "start_s": 0.5, "end_s": 1.0}])
    key = {"from": "drum", "tap": "pre-fader"}
    bench.track("drum", noise(2.0, seed=1), output="drums", sends=[{"id": "s1", "to": "hall", "level_db": -6.0}])
    bench.track(
        "bass",
        noise(2.0, seed=2, channels=1),
        chain=[compressor(key=key, threshold_db=-30.0, ratio=4.0, lookahead_ms=5.0)],
        sends=[{"id": "s2", "to": "mix", "level_db": -9.0, "tap": "pre-fader"}],
        pan={"position": -0.4},
    )
    bench.track("voice", sine(440.0, -12.0, 2.0), chain=[LIMITER], fader_db=-3.0)
    bench.bus("drums", fader_db=-2.0)
    bench.bus("hall", kind="return", chain=[REVERB])
    bench.mix["chain"] = [compressor("glue", threshold_db=-40.0, ratio=2.0, lookahead_ms=3.0)]
    return bench


class LimitingTest(unittest.TestCase):
    def test_what_the_limiter_of_a_printed_strip_takes(self) -> None:
        bench = band()
        bench.track("silent", sine(440.0, -40.0, 2.0), chain=[LIMITER])
        kept = rendered(
            bench, order(strips=["voice", "silent", "drum"]), order(id="p2", strips=["voice"], taps=["pre-chain"])
        )
        voice, silent, drum, before = (
            one.written and one.written.limiting
            for one in (
                kept["p1:voice/post-fader"],
                kept["p1:silent/post-fader"],
                kept["p1:drum/post-fader"],
                kept["p2:voice/pre-chain"],
            )
        )
        # From -12 to -14 dB, all the time.
        assert voice is not None and silent is not None
        self.assertAlmostEqual(voice.deepest_db, 2.0, delta=0.05)
        self.assertAlmostEqual(voice.typical_db, 2.0, delta=0.05)
        self.assertEqual(voice.share, 1.0)
        self.assertEqual((silent.deepest_db, silent.typical_db, silent.share), (0.0, 0.0, 0.0))
        self.assertIsNone(drum)
        self.assertIsNone(before)

    def test_a_limiter_that_is_off_is_none(self) -> None:
        bench = Bench()
        bench.track("voice", sine(440.0, -6.0, 1.0), chain=[LIMITER | {"on": False}])
        written = rendered(bench, order(strips=["voice"]))["p1:voice/post-fader"].written
        assert written is not None
        self.assertIsNone(written.limiting)

    def test_it_counts_over_the_printed_stretch_only(self) -> None:
        signal = np.concatenate([sine(440.0, -6.0, 1.0), sine(440.0, -40.0, 1.0)], axis=1)
        bench = Bench()
        bench.track("voice", signal, chain=[LIMITER])
        kept = rendered(
            bench,
            order(strips=["voice"], stretch={"kind": "from-to", "from_s": 1.5, "to_s": 2.0}),
            order(id="p2", strips=["voice"]),
        )
        soft, all_of_it = (
            one.written and one.written.limiting for one in (kept["p1:voice/post-fader"], kept["p2:voice/post-fader"])
        )
        assert soft is not None and all_of_it is not None
        self.assertEqual(soft.share, 0.0)
        self.assertAlmostEqual(all_of_it.deepest_db, 8.0, delta=0.1)
        # While it is loud, and until the limiter is back.
        self.assertTrue(0.5 <= all_of_it.share < 0.75, all_of_it.share)


class TapsTest(unittest.TestCase):
    def test_each_tap_is_what_the_strip_carries_there(self) -> None:
        bench = band()
        taps = ("pre-chain", "pre-fader", "post-fader")
        sinks = rendered(bench, order(strips=["voice"], taps=taps))
        source = sine(440.0, -12.0, 2.0).astype(np.float32)
        np.testing.assert_allclose(sinks["p1:voice/pre-chain"].sound, source, atol=1e-12)
        after, left = sinks["p1:voice/pre-fader"].sound, sinks["p1:voice/post-fader"].sound
        self.assertGreater(float(np.abs(source - after).max()), 1e-4)
        np.testing.assert_allclose(left, db_to_gain(-3.0) * after, atol=1e-12)

    def test_behind_a_processor_and_a_lane(self) -> None:
        lanes = [
            {"id": "clean", "name": "Clean"},
            {"id": "soft", "name": "Soft", "level_db": -20.0, "chain": [{"id": "down", "type": "gain",
             "params": {"level_db": -6.0}}]},
        ]  # fmt: skip
        chain = [
            {"id": "up", "type": "gain", "params": {"level_db": 6.0}},
            {"id": "block", "type": "parallel", "lanes": lanes},
        ]
        bench = Bench()
        bench.track("tone", sine(300.0, -20.0, 0.5), chain=chain)
        source = sine(300.0, -20.0, 0.5).astype(np.float32)
        gains = {"up": 6.0, "soft": 0.0, "down": 0.0, "clean": 6.0}
        for after, gain_db in gains.items():
            with self.subTest(after):
                (sink,) = rendered(bench, order(strips=["tone"], after=after)).values()
                np.testing.assert_allclose(sink.sound, db_to_gain(gain_db) * source, atol=1e-9)

    def test_ghosts_can_be_printed_though_nobody_hears_them(self) -> None:
        bench = Bench()
        bench.track("tone", sine(300.0, -20.0, 1.0))
        pattern = {"kind": "steps", "note": "1/4", "steps": [1]}
        bench.strips.append({"id": "tick", "kind": "ghost", "name": "Tick", "pattern": pattern})
        (sink,) = rendered(bench, order(strips=["tick"], taps=["pre-fader"])).values()
        self.assertGreater(float(np.abs(sink.sound).max()), 0.1)

    def test_points_that_are_kept_change_nothing(self) -> None:
        bench = band()
        plain = bench.renderer().render(RATE_HZ)
        points = [Point("bass", "post-fader", "comp"), Point("voice", "pre-chain")]
        kept = bench.renderer(points=points)
        np.testing.assert_array_equal(kept.render(RATE_HZ), plain)
        self.assertTrue({point_buffer(point) for point in points} <= set(kept.plan.buffers))


class StemsTest(unittest.TestCase):
    def test_stems_add_up_to_the_mix_before_its_chain(self) -> None:
        """Under -120 dBFS: as 64 bits float under -250."""
        bench = band()
        sinks = rendered(
            bench,
            order(id="stems", every="stem"),
            order(id="mix", strips=["mix"], taps=["pre-chain"]),
        )
        mix = sinks.pop("mix:mix/pre-chain").sound
        self.assertEqual(
            set(sinks), {"stems:bass", "stems:voice", "stems:drums", "stems:hall"}
        )  # the drum plays into a bus
        total = sum(sink.sound for sink in sinks.values())
        self.assertGreater(float(np.abs(mix).max()), 0.1)
        self.assertLess(float(np.abs(mix - total).max()), db_to_gain(-250.0))

    def test_stems_with_moves_and_groups_add_up_too(self) -> None:
        bench = band()
        points = [{"at_s": 0.0, "value": -30.0}, {"at_s": 1.5, "value": 0.0}]
        bench.fields |= {
            "moves": [
                {"target": "strips/bass/sends/s2/level_db", "points": points},
                {"target": "strips/voice/fader_db", "points": points},
            ],
            "control_groups": [{"id": "g", "name": "G", "members": ["bass", "hall"], "level_db": -4.0}],
        }
        sinks = rendered(bench, order(id="s", every="stem"), order(id="m", strips=["mix"], taps=["pre-chain"]))
        mix = sinks.pop("m:mix/pre-chain").sound
        self.assertLess(float(np.abs(mix - sum(sink.sound for sink in sinks.values())).max()), db_to_gain(-250.0))

    def test_stems_of_a_bed_add_up_in_its_layout(self) -> None:
        bench = band()
        bench.mix |= {"layout": "7.1.4", "chain": []}
        sinks = rendered(bench, order(id="s", every="stem"), order(id="m", strips=["mix"]))
        mix = sinks.pop("m:mix/post-fader").sound
        self.assertTrue(all(len(sink.sound) == 12 for sink in sinks.values()))
        self.assertLess(float(np.abs(mix - sum(sink.sound for sink in sinks.values())).max()), db_to_gain(-250.0))

    def test_through_the_mix_a_stem_is_what_the_mix_would_lose(self) -> None:
        bench = band()
        sinks = rendered(bench, order(every="stem", through_mix=True), order(id="all", strips=["mix"]))
        bench.strips = [strip | ({"mute": True} if strip["id"] == "hall" else {}) for strip in bench.strips]
        (without,) = rendered(bench, order(strips=["mix"])).values()
        expected = sinks["all:mix/post-fader"].sound - without.sound
        self.assertGreater(float(np.abs(expected).max()), 1e-3)
        np.testing.assert_allclose(sinks["p1:hall"].sound, expected, atol=1e-12)


class StretchesTest(unittest.TestCase):
    def test_a_section_inside_the_song_is_what_the_song_is_there(self) -> None:
        bench = band()
        section = {"kind": "section", "name": "Refrain"}
        sinks = rendered(bench, order(id="all", strips=["mix"]), order(id="part", strips=["mix"], stretch=section))
        whole, part = sinks["all:mix/post-fader"].sound, sinks["part:mix/post-fader"]
        np.testing.assert_allclose(part.sound, whole[:, RATE_HZ // 2 : RATE_HZ], atol=1e-12)
        self.assertEqual(part.written, Written(RATE_HZ // 2, RATE_HZ // 2, None, None))

    def test_until_silent_clips_end_with_the_stretch_and_the_room_rings_out(self) -> None:
        bench = band()
        section = {"kind": "section", "name": "Refrain"}
        sinks = rendered(
            bench,
            order(id="cut", strips=["hall"], stretch=section),
            order(id="ring", strips=["hall"], stretch=section, ends="silent"),
        )
        cut, rung = sinks["cut:hall/post-fader"].sound, sinks["ring:hall/post-fader"].sound
        half = RATE_HZ // 2
        np.testing.assert_allclose(rung[:, : half - 480], cut[:, : half - 480], atol=1e-9)
        self.assertGreater(rung.shape[1], half + RATE_HZ // 5)
        self.assertLess(rung.shape[1], 2 * RATE_HZ)
        self.assertGreater(float(np.abs(rung[:, half + 4800]).max()), db_to_gain(-60.0))
        self.assertGreaterEqual(float(np.abs(rung[:, -1100:]).max()), db_to_gain(SILENT_DBFS - 1.0))

    def test_from_the_first_sound_to_the_last(self) -> None:
        bench = Bench()
        signal = np.zeros((1, RATE_HZ))
        signal[0, 10000:20000] = 0.5
        bench.track("burst", signal)
        (sink,) = rendered(bench, order(strips=["burst"], taps=["pre-fader"], only_sound=True, ends="silent")).values()
        assert sink.written is not None
        self.assertEqual(sink.written.start_samples, 10000)
        self.assertAlmostEqual(sink.sound.shape[1], 10000, delta=1024)
        self.assertTrue((sink.sound[0, :10000] == 0.5).all())

    def test_lookahead_in_the_way_shifts_nothing(self) -> None:
        bench = Bench()
        quiet = compressor(threshold_db=0.0, lookahead_ms=10.0)
        bench.track("click", 0.25 * impulse(RATE_HZ, at=12345), chain=[quiet])
        bench.track("other", 0.25 * impulse(RATE_HZ, at=12345))
        sinks = rendered(
            bench,
            order(id="one", strips=["click", "other"], taps=["pre-fader"]),
            order(id="sum", strips=["click", "other"], taps=["pre-fader"], summed=True),
        )
        for name, sink in sinks.items():
            with self.subTest(name):
                self.assertEqual(int(np.abs(sink.sound[0]).argmax()), 12345)
        self.assertAlmostEqual(float(sinks["sum:pre-fader"].sound.max()), 0.5, places=9)

    def test_an_empty_stretch_is_refused(self) -> None:
        with self.assertRaises(BadAudio):
            rendered(Bench(), order(strips=["mix"]))


class VariantsTest(unittest.TestCase):
    def test_without_moves(self) -> None:
        bench = Bench()
        bench.track("tone", sine(300.0, -20.0, 1.0))
        bench.fields["moves"] = [{"target": "strips/tone/fader_db", "points": [{"at_s": 0.0, "value": -20.0}]}]
        sinks = rendered(bench, order(id="a", strips=["mix"]), order(id="b", strips=["mix"], moves=False))
        moved, plain = sinks["a:mix/post-fader"].sound, sinks["b:mix/post-fader"].sound
        np.testing.assert_allclose(moved, db_to_gain(-20.0) * plain, atol=1e-9)

    def test_a_return_of_one_strip_only(self) -> None:
        bench = band()
        bench.strips[2]["sends"] = [{"id": "s3", "to": "hall"}]
        sinks = rendered(
            bench,
            order(id="all", strips=["hall"]),
            order(id="drum", strips=["hall"], of=["drum"]),
            order(id="voice", strips=["hall"], of=["voice"]),
        )
        whole, drum, voice = (sinks[f"{name}:hall/post-fader"].sound for name in ("all", "drum", "voice"))
        self.assertGreater(float(np.abs(drum).max()), 0.01)
        np.testing.assert_allclose(drum + voice, whole, atol=1e-9)

    def test_one_side_the_difference_and_mono(self) -> None:
        bench = Bench()
        bench.track("wide", noise(0.5, seed=3))
        left, right = noise(0.5, seed=3).astype(np.float32)
        expected = {"left": left, "right": right, "side": (left - right) / 2, "mono": (left + right) / 2}
        for channels, sound in expected.items():
            with self.subTest(channels):
                (sink,) = rendered(bench, order(strips=["mix"], channels=channels)).values()
                np.testing.assert_allclose(sink.sound, sound[np.newaxis], atol=1e-7)


class RefusalsTest(unittest.TestCase):
    def test_what_cannot_be_is_refused_in_words(self) -> None:
        session = band().session()
        for words, fields in {
            "no section": {"strips": ["mix"], "stretch": {"kind": "section", "name": "Bridge"}},
            "nothing is chosen": {},
            "one strip's": {"strips": ["bass", "voice"], "after": "comp"},
            "no processor or lane": {"strips": ["bass"], "after": "wall"},
            "only stems": {"strips": ["bass"], "through_mix": True},
            "only a track": {"strips": ["hall"], "taps": ["pre-fader"], "back": "in-place"},
            "fader and pan again": {"strips": ["bass"], "back": "in-place"},
            "ends before it begins": {"strips": ["mix"], "stretch": {"kind": "from-to", "from_s": 2.0, "to_s": 1.0}},
        }.items():
            with self.subTest(words), self.assertRaises(InvalidAction) as caught:
                files_of(session, order(**fields))
            self.assertIn(words, caught.exception.what)
            self.assertTrue(caught.exception.remedy)

    def test_a_print_that_would_hear_itself_is_refused(self) -> None:
        bench = band()
        bench.track("swell", noise(1.0), output=None, print_of="hall", sends=[{"id": "s", "to": "hall"}])
        with self.assertRaises(InvalidAction) as caught:
            files_of(bench.session(), order(strips=["hall"], back="track"))
        self.assertIn("would hear its own print", caught.exception.what)
        bench.strips[-1]["mute"] = True
        self.assertEqual(len(files_of(bench.session(), order(strips=["hall"], back="track"))), 1)
