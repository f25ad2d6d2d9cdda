"""The reverb in beds: it answers in every corner, alike in none, and as long and as loud as it says."""

import unittest
from typing import Any

import numpy as np

from gemischt.core.processors.reverb_params import ReverbParams
from gemischt.core.processors.room_wiring import wiring_of
from gemischt.core.space.layout import LAYOUTS, LayoutName
from tests.core.standards.test_reverberation import t30_s
from tests.support.places import Alone
from tests.support.sessions import Bench
from tests.support.signals import RATE_HZ, Signal, noise, sine

BEDS: tuple[LayoutName, ...] = ("quad", "5.1", "7.1", "5.1.4", "7.1.4", "4+4")
LAYERED: tuple[LayoutName, ...] = ("5.1.4", "7.1.4", "4+4")


def corners(layout: LayoutName) -> list[int]:
    """What a reverb answers through: all loudspeakers but the centre and low-frequency effects."""
    channels = LAYOUTS[layout].channels
    return [index for index, channel in enumerate(channels) if not channel.is_lfe and channel.azimuth_deg != 0.0]


def response(layout: LayoutName, source: int, length_s: float, **params: Any) -> Signal:
    """What a click in one channel brings, a while after the room was built."""
    n = round(length_s * RATE_HZ)
    made = Alone("reverb", layout=layout, max_block=max(n, 4800))
    made.set(ReverbParams(pre_delay_ms=0.0, **params))
    quiet = np.zeros((LAYOUTS[layout].n_channels, 4800))
    made.process(quiet, quiet, 4800)
    audio = np.zeros((LAYOUTS[layout].n_channels, n))
    audio[source, 0] = 1.0
    made.process(audio, audio, n)
    return audio


def energy(sound: Signal) -> Signal:
    total: Signal = (sound**2).sum(axis=1)
    return total


class AnswersTest(unittest.TestCase):
    def test_every_corner_answers_whatever_corner_is_asked(self) -> None:
        for layout in BEDS:
            for layers in ("one", "each") if layout in LAYERED else ("one",):
                for source in corners(layout):
                    with self.subTest(layout, layers=layers, source=source):
                        heard = energy(response(layout, source, 1.5, decay_s=1.0, layers=layers, exchange=1.0))
                        levels_db = 10.0 * np.log10(heard[corners(layout)])
                        self.assertLess(float(np.ptp(levels_db)), 9.0)
                        others = [index for index in range(len(heard)) if index not in corners(layout)]
                        self.assertFalse(np.any(heard[others]))

    def test_it_is_as_loud_as_between_two_loudspeakers(self) -> None:
        stereo = float(energy(response("stereo", 0, 1.5, decay_s=1.0)).sum())
        for layout in BEDS:
            for layers in ("one", "each"):
                bed = np.mean(
                    [energy(response(layout, k, 1.5, decay_s=1.0, layers=layers)).sum() for k in corners(layout)]
                )
                self.assertLess(abs(10.0 * np.log10(bed / stereo)), 1.5, f"{layout} {layers}")

    def test_the_dial_is_the_decay_in_every_corner(self) -> None:
        for layout, layers in (("quad", "one"), ("7.1.4", "one"), ("7.1.4", "each"), ("4+4", "each")):
            heard = response(layout, 1, 2.6, decay_s=1.5, damping=0.0, layers=layers)  # type: ignore[arg-type]
            for corner in corners(layout):  # type: ignore[arg-type]
                with self.subTest(layout, layers=layers, corner=corner):
                    self.assertAlmostEqual(t30_s(heard[corner]) / 1.5, 1.0, delta=0.12)

    def test_no_two_corners_answer_alike(self) -> None:
        """Cross-correlation of tails, at any delay within 20 ms."""
        for layout in BEDS:
            for layers in ("one", "each") if layout in LAYERED else ("one",):
                tails = response(layout, 0, 1.6, decay_s=2.0, layers=layers)[corners(layout), RATE_HZ // 10 :]
                spectra = np.fft.rfft(tails, 2 * tails.shape[1])
                norms = np.sqrt(energy(tails))
                for one in range(len(tails)):
                    for other in range(one):
                        alike = np.fft.irfft(spectra[one] * spectra[other].conj())
                        near = np.abs(np.concatenate([alike[:960], alike[-960:]])).max()
                        self.assertLess(near / (norms[one] * norms[other]), 0.3, f"{layout} {layers} {one} {other}")

    def test_layers_hear_each_other_as_far_as_they_exchange(self) -> None:
        for layout in LAYERED:
            channels = LAYOUTS[layout].channels
            upper = [k for k in corners(layout) if channels[k].elevation_deg > 0.0]
            lower = [k for k in corners(layout) if channels[k].elevation_deg <= 0.0]
            for source, own, other in ((upper[0], upper, lower), (lower[0], lower, upper)):
                ratios = []
                for exchange in (0.0, 0.3, 0.6, 1.0):
                    heard = energy(response(layout, source, 1.2, decay_s=0.8, layers="each", exchange=exchange))
                    ratios.append(float(heard[other].sum() / heard[own].sum()))
                self.assertEqual(ratios[0], 0.0)
                self.assertEqual(ratios, sorted(ratios))
                self.assertLess(abs(10.0 * np.log10(ratios[-1])), 1.5)

    def test_first_reflections_keep_the_corner(self) -> None:
        for layout in ("7.1.4", "4+4"):
            channels = LAYOUTS[layout].channels  # type: ignore[index]
            for source in corners(layout):  # type: ignore[arg-type]
                first = energy(response(layout, source, 0.016, decay_s=2.0, early=1.0))  # type: ignore[arg-type]
                self.assertEqual(int(np.argmax(first)), source, f"{layout} {channels[source].label}")


class WorksTest(unittest.TestCase):
    def test_any_number_of_channels_however_it_is_cut(self) -> None:
        params = ReverbParams(pre_delay_ms=3.0, decay_s=0.6, early=0.5, layers="each", wet=0.7)
        for n_channels in range(3, 13):
            sound = noise(0.1, level=0.1, seed=2, channels=n_channels)
            whole, cut = sound.copy(), sound.copy()
            made = Alone("reverb", n_channels=n_channels)
            made.set(params)
            made.process(whole, whole, whole.shape[1])
            made = Alone("reverb", n_channels=n_channels)
            made.set(params)
            for at in range(0, cut.shape[1], 100):
                part = np.ascontiguousarray(cut[:, at : at + 100])
                made.process(part, part, part.shape[1])
                cut[:, at : at + 100] = part
            np.testing.assert_allclose(cut, whole, atol=1e-12)
            self.assertTrue(np.isfinite(whole).all())

    def test_dry_it_is_the_bed(self) -> None:
        for n_channels in (3, 6, 8, 12):
            sound = noise(0.05, level=0.1, seed=2, channels=n_channels)
            out = sound.copy()
            made = Alone("reverb", n_channels=n_channels)
            made.set(ReverbParams(wet=0.0))
            made.process(out, out, out.shape[1])
            np.testing.assert_allclose(out, sound, atol=1e-12)

    def test_every_setting_moves_without_a_click(self) -> None:
        chain = {"id": "r", "type": "reverb", "params": {"decay_s": 0.8, "pre_delay_ms": 0.0, "wet": 0.5}}
        tone = sine(200.0, -12.0, 3.0, channels=1)
        bench = Bench()
        bench.track("voice", tone, pan={"mode": "around", "azimuth_deg": 30.0}, output="room")
        bench.bus("room", layout="4+4", chain=[chain])
        bench.mix["layout"] = "4+4"
        renderer = bench.renderer(max_block=256)
        parts = [renderer.render(24000)]
        settled = float(np.abs(np.diff(parts[0][:, 4800:], n=2)).max())
        for change in (
            {"layers": "each"},
            {"exchange": 1.0},
            {"modulation": 1.0},
            {"modulation": 0.0},
            {"layers": "one"},
            {"early": 1.0},
            {"wet": 0.0},
        ):
            chain["params"] = {**chain["params"], **change}  # type: ignore[dict-item]
            renderer.edit(bench.session(), bench.media)
            parts.append(renderer.render(12000))
        heard = np.concatenate(parts, axis=1)[:, 4800:]
        self.assertLess(float(np.abs(np.diff(heard, n=2)).max()), 2.0 * settled + 1e-4)

    def test_a_wiring_keeps_the_power_of_what_comes_in(self) -> None:
        for layout in BEDS:
            for each in (False, True):
                for exchange in (0.0, 0.5, 1.0):
                    entering = wiring_of(LAYOUTS[layout].channels, each=each).entering(exchange)
                    power = (entering**2).sum(axis=(0, 1))
                    for index, channel in enumerate(LAYOUTS[layout].channels):
                        self.assertAlmostEqual(float(power[index]), 0.0 if channel.is_lfe else 1.0, places=9)


if __name__ == "__main__":
    unittest.main()
