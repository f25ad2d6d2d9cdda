"""Where strips are heard around the listener: closed forms, and what is rendered."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.analysis.cache.renders import MemoryRenders
from gemischt.core.analysis.measurement.song import measure_song
from gemischt.core.analysis.reports.bed_place import BedPlace, bed_place_of
from gemischt.core.analysis.reports.stage import stage_of
from gemischt.core.analysis.reports.stage_place import StagePlace
from gemischt.core.analysis.sub_sessions.strip import strip_in_song
from gemischt.core.metering.bands import band_powers, channel_powers, spread_out
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.layout import LAYOUTS, LayoutName
from gemischt.core.space.vector_panning import vectors_of
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, Signal, noise


def within_bands(audio: Signal) -> Signal:
    """Without what lies above and below all bands."""
    spectra, lines = np.fft.rfft(audio), np.fft.rfftfreq(audio.shape[1], 1.0 / RATE_HZ)
    kept: Signal = np.fft.irfft(spectra * ((lines > 50.0) & (lines < 15000.0)), audio.shape[1])
    return kept


def heard(layout: LayoutName, audio: Signal) -> BedPlace:
    found = bed_place_of(channel_powers(audio, RATE_HZ), LAYOUTS[layout])
    assert found is not None
    return found


def stage(bench: Bench, store: MemoryRenders | None = None) -> dict[str, StagePlace]:
    session, kept = bench.session(), store or MemoryRenders()
    hashes = {item.id: item.id for item in session.media}
    measurement = measure_song(session, bench.media, hashes, kept)

    def in_song(strip: str) -> Any:
        return strip_in_song(session, bench.media, measurement.prints, kept, strip)

    return stage_of(session, bench.media, measurement, kept, in_song)


def away_deg(place: BedPlace, azimuth_deg: float, elevation_deg: float) -> float:
    one, other = vectors_of(place.azimuth_deg, place.elevation_deg), vectors_of(azimuth_deg, elevation_deg)
    return float(np.rad2deg(np.arccos(np.clip(one @ other, -1.0, 1.0))))


class PlaceTest(unittest.TestCase):
    def test_a_loudspeaker_is_a_point_where_it_stands(self) -> None:
        for index, channel in enumerate(LAYOUTS["7.1.4"].channels):
            if channel.is_lfe:
                continue
            audio = np.zeros((12, 48000))
            audio[index] = noise(1.0, channels=1)[0]
            found = heard("7.1.4", audio)
            self.assertLess(away_deg(found, channel.azimuth_deg, channel.elevation_deg), 0.01)
            self.assertLess(found.spread_deg or 0.0, 0.1)
            self.assertEqual([level is None for level in found.channels_dbfs].count(False), 1)

    def test_unrelated_noise_in_all_corners_is_all_around(self) -> None:
        audio = within_bands(np.concatenate([noise(4.0, seed=k, channels=1) for k in range(8)]))
        found = heard("4+4", audio)
        self.assertGreater(found.spread_deg or 0.0, 250.0)
        np.testing.assert_allclose(found.channels_dbfs, 20.0 * np.log10(np.sqrt((audio**2).mean(axis=1))), atol=0.5)

    def test_two_are_a_point_between_them_and_all_four_are_spread(self) -> None:
        """Energy vectors of length cos 45 degrees are those of a point; with the others at half power the vector is a
        third as long, and a cap of that mean is 2 acos(2 / 3 - 1) wide."""
        audio = np.zeros((4, 48000))
        audio[0] = audio[1] = noise(1.0, channels=1)[0]
        found = heard("quad", audio)
        self.assertLess(away_deg(found, 0.0, 0.0), 0.01)
        self.assertLess(found.spread_deg or 0.0, 0.1)
        audio[2] = audio[3] = 0.5**0.5 * audio[0]
        found = heard("quad", audio)
        self.assertAlmostEqual(found.spread_deg or 0.0, float(np.rad2deg(2 * np.arccos(2 / 3 - 1))), places=2)

    def test_low_effects_have_no_direction_and_silence_no_place(self) -> None:
        audio = np.zeros((6, 48000))
        self.assertIsNone(bed_place_of(channel_powers(audio, RATE_HZ), LAYOUTS["5.1"]))
        audio[3] = noise(1.0, channels=1)[0]
        self.assertIsNone(bed_place_of(channel_powers(audio, RATE_HZ), LAYOUTS["5.1"]))

    def test_gains_spread_powers_as_they_spread_the_signal(self) -> None:
        pair = np.stack([noise(2.0, channels=1)[0], noise(2.0, channels=1, seed=2)[0]])
        pair[1] += 0.5 * pair[0]
        matrix = np.random.default_rng(3).normal(size=(5, 2))
        expected = channel_powers(matrix @ pair, RATE_HZ)
        np.testing.assert_allclose(spread_out(band_powers(pair, RATE_HZ), matrix), expected, atol=1e-9, rtol=1e-5)
        one = spread_out(band_powers(pair[:1], RATE_HZ)[..., :1], matrix[:, :1])
        np.testing.assert_allclose(one, channel_powers(matrix[:, :1] @ pair[:1], RATE_HZ), atol=1e-9, rtol=1e-5)


class StageTest(unittest.TestCase):
    def bench(self, layout: LayoutName = "7.1.4") -> Bench:
        bench = Bench()
        pan = {"mode": "around", "azimuth_deg": 120.0, "elevation_deg": 25.0}
        bench.track("voice", noise(2.0, level=0.1, channels=1), pan=pan, fader_db=-3.0)
        wide = {"mode": "around", "azimuth_deg": -60.0, "spread_deg": 80.0}
        bench.track("pad", noise(2.0, level=0.1, seed=4), pan=wide)
        bench.track("plain", noise(2.0, level=0.1, seed=5, channels=1), pan={"position": -1.0})
        bench.bus("room", kind="return", layout=layout, chain=[{"id": "r", "type": "reverb"}])
        bench.strips[0]["sends"] = [{"id": "s", "to": "room", "level_db": -6.0}]
        bench.mix["layout"] = layout
        return bench

    def test_what_is_placed_is_heard_there(self) -> None:
        for layout in ("5.1.4", "7.1.4", "4+4"):
            found = stage(self.bench(layout))
            with self.subTest(layout):
                wanted = (("voice", 120, 25, 2), ("pad", -60, 0, 20), ("plain", 30, 0, 1))
                for name, azimuth, elevation, within in wanted:
                    bed = found[name].bed
                    assert bed is not None
                    self.assertLess(away_deg(bed, azimuth, elevation), within)
                self.assertGreater(found["pad"].bed.spread_deg, found["voice"].bed.spread_deg + 20.0)  # type: ignore[union-attr]
                self.assertEqual(found["mix"].bed.layout, layout)  # type: ignore[union-attr]
                self.assertGreater(found["room"].bed.spread_deg, 100.0)  # type: ignore[union-attr]
                self.assertIsNotNone(found["voice"].wet_db)

    def test_levels_of_channels_are_those_that_sound(self) -> None:
        bench = self.bench()
        found = stage(bench)["mix"]
        sound = within_bands(bench.render(96000))
        assert found.bed is not None
        for level, channel in zip(found.bed.channels_dbfs, sound, strict=True):
            rms = float(np.sqrt((channel**2).mean()))
            if rms < 1e-6:
                self.assertIsNone(level)
            else:
                self.assertAlmostEqual(level or 0.0, 20.0 * np.log10(rms), delta=0.6)
        folded = matrix_between(LAYOUTS["7.1.4"], LAYOUTS["stereo"]) @ sound
        powers = (folded**2).mean(axis=1)
        self.assertAlmostEqual(found.balance_db, 10.0 * np.log10(powers[1] / powers[0]), delta=0.3)

    def test_what_moves_shows_its_travel(self) -> None:
        bench = self.bench()
        points = [{"at_s": 0.0, "value": -90.0}, {"at_s": 2.0, "value": 90.0}]
        bench.fields["moves"] = [{"target": "strips/voice/pan/azimuth_deg", "points": points}]
        bench.strips[0]["pan"]["elevation_deg"] = 0.0
        bed = stage(bench)["voice"].bed
        assert bed is not None
        azimuths = [azimuth for azimuth, _ in bed.travel]
        self.assertLess(azimuths[0], -60.0)
        self.assertGreater(azimuths[-1], 60.0)
        self.assertEqual(azimuths, sorted(azimuths))
        along = [{"at_s": 0.0, "value": -1.0}, {"at_s": 2.0, "value": 1.0}]
        bench = Bench(moves=[{"target": "strips/voice/pan/position", "points": along}])
        bench.track("voice", noise(2.0, level=0.1, channels=1))
        travel = stage(bench)["voice"].travel
        self.assertLess(travel[0], -0.6)
        self.assertGreater(travel[-1], 0.6)

    def test_what_is_kept_is_what_was_measured(self) -> None:
        bench, store = self.bench(), MemoryRenders()
        first = stage(bench, store)
        self.assertEqual(stage(bench, store), first)
        bench.strips[0]["pan"]["azimuth_deg"] = -120.0
        moved = stage(bench, store)
        self.assertEqual(moved["pad"], first["pad"])
        self.assertLess(moved["voice"].bed.azimuth_deg, -100.0)  # type: ignore[union-attr]


if __name__ == "__main__":
    unittest.main()
