"""Strips placed in a bed by azimuth, elevation and spread: what arrives where, on every way and while it moves."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.cache.renders import MemoryRenders
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.engine.buffer_names import strip_buffer
from gemischt.core.errors import InvalidSession
from gemischt.core.session.actions.level import SetStrips, StripSettings
from gemischt.core.session.actions.place import SpreadStrips
from gemischt.core.session.document import Pan
from gemischt.core.session.validation import check_session
from gemischt.core.space.around import around_gains
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.layout import LAYOUTS, LayoutName
from tests.support.sessions import Bench
from tests.support.signals import Signal, noise, sine

N = 9600
BEDS: tuple[LayoutName, ...] = ("quad", "5.1", "7.1", "5.1.4", "7.1.4", "4+4")
CORNER = {"mode": "around", "azimuth_deg": 135.0, "elevation_deg": 30.0}


def voice(channels: int = 1, seed: int = 1) -> Signal:
    return noise(0.2, level=0.1, seed=seed, channels=channels).astype(np.float32).astype(np.float64)


def bed(layout: LayoutName, signal: Signal, pan: dict[str, Any], **track: Any) -> Bench:
    bench = Bench()
    bench.track("voice", signal, pan=pan, **track)
    bench.mix["layout"] = layout
    return bench


class PlacedTest(unittest.TestCase):
    def test_one_channel_arrives_as_its_place_says(self) -> None:
        for layout in BEDS:
            for azimuth, elevation, spread in ((135.0, 30.0, 0.0), (-100.0, 0.0, 40.0), (0.0, 90.0, 0.0)):
                with self.subTest(layout, azimuth=azimuth):
                    pan = {
                        "mode": "around",
                        "azimuth_deg": azimuth,
                        "elevation_deg": elevation,
                        "spread_deg": spread,
                    }
                    expected = around_gains(layout, 1, azimuth, elevation, spread) @ voice()
                    out = bed(layout, voice(), pan).render(N)
                    np.testing.assert_allclose(out, expected[:, :N], atol=1e-12)
                    self.assertAlmostEqual(float((out**2).sum() / (voice()[:, :N] ** 2).sum()), 1.0, places=6)

    def test_two_channels_are_two_points_and_width_works_on_them(self) -> None:
        for width in (0.0, 1.0, 1.6):
            pan = {"mode": "around", "azimuth_deg": 60.0}
            out = bed("7.1.4", voice(2), pan, width=width).render(N)
            mid, side = voice(2).sum(axis=0) / 2.0, (voice(2)[0] - voice(2)[1]) / 2.0
            widened = np.stack([mid + width * side, mid - width * side])
            expected = around_gains("7.1.4", 2, 60.0, 0.0, 0.0) @ widened
            np.testing.assert_allclose(out, expected[:, :N], atol=1e-12)

    def test_a_send_behind_the_fader_keeps_the_corner(self) -> None:
        """And one before it comes from the front; a return of two channels gets the place folded down."""
        for tap in ("post-fader", "pre-fader"):
            sends = [{"id": "s", "to": "room", "level_db": -6.0, "tap": tap}]
            bench = bed("4+4", voice(), CORNER, sends=sends)
            bench.bus("room", kind="return", layout="4+4", output=None)
            room = bench.renderer(max_block=N)
            room.render(N)
            got = room.plan.buffers[strip_buffer("room", "source")][:, :N]
            direct = around_gains("4+4", 1, 135.0, 30.0, 0.0)
            front = matrix_between(LAYOUTS["stereo"], LAYOUTS["4+4"]).sum(axis=1, keepdims=True) * 0.5**0.5
            expected = (direct if tap == "post-fader" else front) @ voice() * 10.0 ** (-6.0 / 20.0)
            np.testing.assert_allclose(got, expected[:, :N], atol=1e-9)

    def test_a_stereo_return_gets_the_place_folded(self) -> None:
        sends = [{"id": "s", "to": "room", "level_db": 0.0}]
        bench = bed("5.1", voice(), {"mode": "around", "azimuth_deg": 110.0}, sends=sends, output=None)
        bench.strips[0]["pan"]["bed"] = "5.1"
        bench.bus("room", kind="return")
        out = bench.render(N)
        np.testing.assert_allclose(out[0], 0.5**0.5 * voice()[0, :N], atol=1e-9)
        self.assertFalse(np.any(out[1:]))

    def test_blocks_and_moves(self) -> None:
        """Flying around over the song: the same however it is cut, and where each moment's place says."""
        points = [{"at_s": 0.0, "value": -170.0}, {"at_s": 0.15, "value": 170.0}]
        bench = bed("7.1.4", voice(), {"mode": "around", "elevation_deg": 20.0})
        bench.fields["moves"] = [{"target": "strips/voice/pan/azimuth_deg", "points": points}]
        whole = bench.render(N)
        for max_block in (64, 100, 1024):
            np.testing.assert_allclose(bench.render(N, max_block=max_block), whole, atol=1e-12)
        for sample in (640, 3200, 6400):
            azimuth = -170.0 + 340.0 * sample / (0.15 * 48000)
            expected = around_gains("7.1.4", 1, azimuth, 20.0, 0.0)[:, 0] * voice()[0, sample]
            np.testing.assert_allclose(whole[:, sample], expected, atol=5e-4)

    def test_every_setting_moved_while_it_sounds_does_not_click(self) -> None:
        tone = sine(200.0, -12.0, 1.0, channels=1)
        bench = bed("5.1.4", tone, {"mode": "balance"})
        renderer = bench.renderer(max_block=256)
        parts = [renderer.render(4800)]
        settings: list[dict[str, Any]] = [
            {"mode": "around"},
            {"mode": "around", "azimuth_deg": 180.0},
            {"mode": "around", "azimuth_deg": -120.0, "elevation_deg": 90.0},
            {"mode": "around", "azimuth_deg": -120.0, "elevation_deg": -90.0, "spread_deg": 360.0},
            {"mode": "around", "spread_deg": 0.0},
            {"mode": "fold", "position": -1.0},
        ]
        for pan in settings:
            bench.strips[0]["pan"] = pan
            renderer.edit(bench.session(), bench.media)
            parts.append(renderer.render(4800))
        heard = np.concatenate(parts, axis=1)
        own = float(np.abs(np.diff(tone, n=2)).max())
        self.assertLess(float(np.abs(np.diff(heard, n=2)).max()), own + 5e-4)
        np.testing.assert_allclose(heard[:, -2400:], bench.render(33600)[:, -2400:], atol=1e-9)


class ElsewhereTest(unittest.TestCase):
    def session(self) -> Bench:
        sends = [{"id": "s", "to": "room", "level_db": -3.0}]
        bench = bed("7.1.4", voice(), CORNER, sends=sends, fader_db=-2.0)
        bench.track("pair", voice(2, seed=5), pan={"mode": "around", "azimuth_deg": -40.0, "spread_deg": 30.0})
        bench.track("plain", voice(2, seed=6))
        bench.bus("room", kind="return", layout="quad")
        return bench

    def test_what_is_measured_alone_is_what_sounds_in_the_song(self) -> None:
        """Strips are measured one by one, played from kept renders; each edit of a place is measured anew."""
        bench, store = self.session(), MemoryRenders()
        hashes = {name: name for name in bench.media}
        measure_song(bench.session(), bench.media, hashes, store)
        for azimuth in (135.0, -20.0):
            bench.strips[0]["pan"] = {**CORNER, "azimuth_deg": azimuth}
            kept = measure_song(bench.session(), bench.media, hashes, store)
            fresh = measure_song(bench.session(), bench.media, hashes, MemoryRenders())
            whole = bench.render(N)
            self.assertAlmostEqual(
                kept.strips["mix"].stage("post-fader").sample_peak_dbfs,
                20.0 * np.log10(np.abs(whole).max()),
                delta=1e-3,
            )
            for strip in kept.strips:
                for stage in ("source", "post-fader"):
                    one, other = kept.strips[strip].stage(stage), fresh.strips[strip].stage(stage)  # type: ignore[arg-type]
                    self.assertAlmostEqual(one.sample_peak_dbfs, other.sample_peak_dbfs, delta=1e-3)
                    self.assertAlmostEqual(one.integrated_lufs, other.integrated_lufs, delta=1e-3)

    def test_solo_keeps_the_place(self) -> None:
        bench = self.session()
        bench.strips[0]["solo"] = True
        alone = bed("7.1.4", voice(), CORNER, fader_db=-2.0, sends=[{"id": "s", "to": "room", "level_db": -3.0}])
        alone.bus("room", kind="return", layout="quad")
        np.testing.assert_allclose(bench.render(N), alone.render(N), atol=1e-12)

    def test_a_bed_that_becomes_another_one_while_it_plays(self) -> None:
        bench = self.session()
        renderer = bench.renderer(max_block=256)
        renderer.render(2400)
        bench.mix["layout"] = "5.1"
        renderer.edit(bench.session(), bench.media)
        self.assertEqual(len(renderer.render(4800)), 6)
        np.testing.assert_allclose(renderer.render(2400), bench.render(9600)[:, -2400:], atol=1e-9)


class RefusalsTest(unittest.TestCase):
    def fault(self, bench: Bench) -> str:
        with self.assertRaises(InvalidSession) as caught:
            bench.session()
        return str(caught.exception)

    def test_around_where_there_are_two_channels_is_refused_in_words(self) -> None:
        bench = Bench()
        bench.track("voice", voice(), pan={"mode": "around"})
        fault = self.fault(bench)
        for word in ("strips/voice/pan/mode", "Voice", "Mix", "two", "balance"):
            self.assertIn(word, fault)

    def test_places_outside_are_refused(self) -> None:
        for field, value in (("azimuth_deg", 181.0), ("elevation_deg", -91.0), ("spread_deg", 361.0)):
            fault = self.fault(bed("5.1", voice(), {"mode": "around", field: value}))
            self.assertIn(f"strips/voice/pan/{field}", fault)

    def test_a_bed_that_goes_while_strips_stand_in_it_is_refused(self) -> None:
        session = bed("5.1", voice(), CORNER).session()
        changed = SetStrips(changes=(StripSettings(strip="mix", layout=None),)).apply(session)
        with self.assertRaises(InvalidSession) as caught:
            check_session(changed)
        self.assertIn("Voice", str(caught.exception))


class ActionsTest(unittest.TestCase):
    def test_mirrored_pairs_stand_around(self) -> None:
        bench = bed("5.1", voice(), {"mode": "around"})
        bench.track("other", voice(), pan={"mode": "around"})
        session = SpreadStrips(strips=("voice", "other"), how="mirror", arc=1.0).apply(bench.session())
        self.assertEqual([session.strip(name).pan.azimuth_deg for name in ("voice", "other")], [90.0, -90.0])

    def test_edits_are_named(self) -> None:
        session = bed("5.1", voice(), CORNER).session()
        change = StripSettings(strip="voice", pan=Pan(azimuth_deg=-30.0, elevation_deg=0.0))
        self.assertEqual(SetStrips(changes=(change,)).describe(session), "Voice: pan 30° right")


if __name__ == "__main__":
    unittest.main()
