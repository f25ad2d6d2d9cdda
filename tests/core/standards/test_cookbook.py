"""Filters against published coefficients and magnitudes.

Source: R. Bristow-Johnson, Audio EQ Cookbook; the numbers were derived independently (analogue prototype, bilinear
transform with prewarping). Butterworth sections: scipy.signal.butter.
"""

import unittest

import numpy as np
from scipy import signal

from gemischt.core.dsp import biquad
from gemischt.core.processors import eq
from gemischt.core.processors.base import Place
from gemischt.core.processors.eq_params import EqBand, EqParams
from tests.support.sessions import Bench
from tests.support.signals import sine

RATE_HZ = 48000
Q7 = 0.7071067811865476

COEFFICIENTS = {
    "bell 1 kHz Q 1 +6": (
        biquad.bell(1000, 6, 1, RATE_HZ),
        (1.043953086990, -1.895320723937, 0.867722284760, -1.895320723937, 0.911675371750),
    ),
    "bell 3 kHz Q 2 -9": (
        biquad.bell(3000, -9, 2, RATE_HZ),
        (0.910715159646, -1.592054947206, 0.812512697647, -1.592054947206, 0.723227857293),
    ),
    "low shelf 100 Hz +6": (
        biquad.low_shelf(100, 6, Q7, RATE_HZ),
        (1.003217895737, -1.984364430777, 0.981386698749, -1.984424329139, 0.984544696124),
    ),
    "low shelf 250 Hz -4": (
        biquad.low_shelf(250, -4, Q7, RATE_HZ),
        (0.994675208407, -1.948327815938, 0.954481616484, -1.948085375091, 0.949399265738),
    ),
    "high shelf 8 kHz -3": (
        biquad.high_shelf(8000, -3, Q7, RATE_HZ),
        (0.797556833919, -0.421284129525, 0.176526348310, -0.709104831844, 0.261903884547),
    ),
    "high shelf 10 kHz +6": (
        biquad.high_shelf(10000, 6, Q7, RATE_HZ),
        (1.489304746372, -0.745543633452, 0.322025466953, -0.107842975063, 0.173629554936),
    ),
    "high-pass 80 Hz": (
        biquad.high_pass(80, Q7, RATE_HZ),
        (0.992622542756, -1.985245085512, 0.992622542756, -1.985190657896, 0.985299513128),
    ),
    "low-pass 12 kHz": (
        biquad.low_pass(12000, Q7, RATE_HZ),
        (0.292893218813, 0.585786437627, 0.292893218813, 0.0, 0.171572875254),
    ),
    "notch 50 Hz Q 10": (
        biquad.notch(50, 10, RATE_HZ),
        (0.999672860157, -1.999302897656, 0.999672860157, -1.999302897656, 0.999345720314),
    ),
    "notch 1 kHz Q 5": (
        biquad.notch(1000, 5, RATE_HZ),
        (0.987115556513, -1.957341292173, 0.987115556513, -1.957341292173, 0.974231113025),
    ),
}

FREQUENCIES_HZ = np.array([20, 50, 80, 100, 250, 1000, 3000, 8000, 10000, 12000, 20000], dtype=float)
MAGNITUDES_DB = {
    "bell": (EqBand(frequency_hz=1000, gain_db=6, q=1), (0.003, 0.016, 0.042, 0.065, 0.423, 6.0, 0.759, 0.084, 0.048, 0.028, 0.002)),
    "dip": (EqBand(frequency_hz=3000, gain_db=-9, q=2), (0, -0.001, -0.002, -0.003, -0.018, -0.347, -9.0, -0.386, -0.2, -0.113, -0.008)),
    "low shelf": (EqBand(shape="low-shelf", frequency_hz=100, gain_db=6), (5.990, 5.624, 4.217, 3.0, 0.161, 0.001, 0, 0, 0, 0, 0)),
    "high shelf": (EqBand(shape="high-shelf", frequency_hz=8000, gain_db=-3), (0, 0, 0, 0, 0, -0.001, -0.042, -1.5, -2.266, -2.696, -2.998)),
    "low cut": (EqBand(shape="low-cut", frequency_hz=80), (-24.099, -8.782, -3.010, -1.491, -0.045, 0, 0, 0, 0, 0, 0)),
    "high cut": (EqBand(shape="high-cut", frequency_hz=12000), (0, 0, 0, 0, 0, 0, -0.007, -0.458, -1.293, -3.010, -22.900)),
}  # fmt: skip


class CookbookTest(unittest.TestCase):
    def test_coefficients(self) -> None:
        for name, (section, published) in COEFFICIENTS.items():
            with self.subTest(name):
                np.testing.assert_allclose(section, published, atol=1e-9)

    def test_magnitudes(self) -> None:
        for name, (band, published_db) in MAGNITUDES_DB.items():
            with self.subTest(name):
                got = eq.response_db(EqParams(bands=(band,)), FREQUENCIES_HZ, RATE_HZ)
                np.testing.assert_allclose(got, published_db, atol=0.001)

    def test_notch_is_deep(self) -> None:
        band = EqBand(shape="notch", frequency_hz=50, q=10)
        got = eq.response_db(EqParams(bands=(band,)), np.array([20.0, 50.0, 80.0]), RATE_HZ)
        self.assertAlmostEqual(got[0], -0.010, places=3)
        self.assertLess(got[1], -150.0)
        self.assertAlmostEqual(got[2], -0.045, places=3)

    def test_steep_cut_is_a_fourth_order_butterworth(self) -> None:
        for shape, kind in (("low-cut", "highpass"), ("high-cut", "lowpass")):
            with self.subTest(shape):
                band = EqBand.model_validate({"shape": shape, "frequency_hz": 500.0, "slope_db_per_octave": 24})
                got = eq.response_db(EqParams(bands=(band,)), FREQUENCIES_HZ, RATE_HZ)
                sos = signal.butter(4, 500.0, kind, fs=RATE_HZ, output="sos")
                _, response = signal.sosfreqz(sos, FREQUENCIES_HZ, fs=RATE_HZ)
                np.testing.assert_allclose(got, 20 * np.log10(np.abs(response)), atol=1e-4)


class SlopesTest(unittest.TestCase):
    def test_every_slope_is_a_butterworth_of_its_order(self) -> None:
        for shape, kind in (("low-cut", "highpass"), ("high-cut", "lowpass")):
            for slope in (6, 12, 18, 24, 36, 48):
                with self.subTest(shape=shape, slope=slope):
                    got = response({"shape": shape, "frequency_hz": 700.0, "slope_db_per_octave": slope})
                    sos = signal.butter(slope // 6, 700.0, kind, fs=RATE_HZ, output="sos")
                    expected = 20 * np.log10(np.abs(signal.sosfreqz(sos, FREQUENCIES_HZ, fs=RATE_HZ)[1]))
                    heard = expected > -150.0
                    np.testing.assert_allclose(got[heard], expected[heard], atol=1e-4)

    def test_a_band_pass_has_the_tables_coefficients(self) -> None:
        # Band-pass 1 kHz, Q 2, 0 dB peak (check values, section 3).
        band = EqBand(shape="band-pass", frequency_hz=1000, q=2)
        section = eq.design_sections(EqParams(bands=(band,)), RATE_HZ)[0]
        expected = [0.031600378776, 0.0, -0.031600378776, -1.920229656437, 0.936799242447]
        np.testing.assert_allclose(section, expected, atol=1e-9)

    def test_a_tilt_turns_about_its_frequency(self) -> None:
        band = EqBand(shape="tilt", frequency_hz=800.0, gain_db=10.0)
        found = eq.response_db(EqParams(bands=(band,)), np.array([0.01, 800.0, 23999.0]), RATE_HZ)
        np.testing.assert_allclose(found, [-5.0, 0.0, 5.0], atol=1e-3)

    def test_a_change_to_a_steeper_slope_is_crossfaded(self) -> None:
        bench = Bench()
        band = {"shape": "low-cut", "frequency_hz": 100.0, "slope_db_per_octave": 24}
        chain = [{"id": "eq", "type": "eq", "params": {"bands": [band]}}]
        bench.track("tone", sine(440.0, -12.0, 2.0), chain=chain)
        renderer = bench.renderer(max_block=256)
        parts = [renderer.render(9600)]
        band["slope_db_per_octave"] = 48
        renderer.edit(bench.session(), bench.media)
        parts.append(renderer.render(19200))
        out = np.concatenate(parts, axis=1)[0]
        self.assertLess(np.abs(np.diff(out)).max(), 1.3 * 2 * np.pi * 440.0 / RATE_HZ * np.abs(out).max())
        np.testing.assert_allclose(out[-2400:], bench.render(28800)[0, -2400:], atol=1e-9)


class NearTheTopTest(unittest.TestCase):
    """Against the analogue prototypes of the cookbook, worked out here by themselves."""

    def prototype_db(self, shape: str, f0: float, gain_db: float, q: float) -> np.ndarray:
        a, s = 10 ** (gain_db / 40), 1j * FREQUENCIES_HZ / f0
        root = np.sqrt(a) / q
        response = {
            "bell": (s**2 + s * a / q + 1) / (s**2 + s / (a * q) + 1),
            "low-shelf": a * (s**2 + s * root + a) / (a * s**2 + s * root + 1),
            "high-shelf": a * (a * s**2 + s * root + 1) / (s**2 + s * root + a),
            "low-cut": s**2 / (s**2 + s / q + 1),
            "high-cut": 1 / (s**2 + s / q + 1),
            "band-pass": (s / q) / (s**2 + s / q + 1),
        }[shape]
        return np.asarray(20 * np.log10(np.abs(response)))

    def test_bands_follow_their_prototypes_to_20_khz(self) -> None:
        # The cookbook's bell of 16 kHz, Q 1 and 12 dB is 6 dB off at 20 kHz. Cuts stray where little is left.
        worst = {"bell": 0.6, "low-shelf": 0.45, "high-shelf": 0.45, "low-cut": 0.5, "high-cut": 1.1, "band-pass": 1.05}
        for shape, within_db in worst.items():
            for f0 in (200.0, 3000.0, 8000.0, 12000.0, 16000.0):
                for gain_db in (-12.0, 12.0):
                    for q in (0.7, 1.0):
                        with self.subTest(shape=shape, f0=f0, gain_db=gain_db, q=q):
                            band = {"shape": shape, "frequency_hz": f0, "gain_db": gain_db, "q": q}
                            found = response(band, near_nyquist="analogue")
                            expected = self.prototype_db(shape, f0, gain_db, q)
                            heard = expected > -40.0
                            self.assertLess(np.abs(found - expected)[heard].max(), within_db)

    def test_what_resonates_is_nearer_to_its_prototype_than_the_cookbook(self) -> None:
        for shape in ("bell", "low-shelf", "high-shelf", "low-cut", "high-cut"):
            for f0, gain_db in ((9000.0, 9.0), (9000.0, -9.0), (16000.0, 9.0), (16000.0, -9.0)):
                with self.subTest(shape=shape, f0=f0, gain_db=gain_db):
                    band = {"shape": shape, "frequency_hz": f0, "gain_db": gain_db, "q": 3.0}
                    expected = self.prototype_db(shape, f0, gain_db, 3.0)
                    near, far = (
                        np.abs(response(band, near_nyquist=how) - expected) for how in ("analogue", "cookbook")
                    )
                    self.assertLess(near.sum(), far.sum())

    def test_far_below_the_top_both_are_the_same(self) -> None:
        for shape in ("bell", "low-shelf", "high-shelf", "low-cut", "high-cut", "band-pass"):
            with self.subTest(shape):
                band = {"shape": shape, "frequency_hz": 300.0, "gain_db": 6.0, "q": 1.0}
                both = [response(band, near_nyquist=how)[FREQUENCIES_HZ < 2000] for how in ("cookbook", "analogue")]
                np.testing.assert_allclose(both[0], both[1], atol=0.05)


def response(band: dict[str, object], **fields: object) -> np.ndarray:
    params = EqParams.model_validate({"bands": [band], **fields})
    return eq.response_db(params, FREQUENCIES_HZ, RATE_HZ)


class CascadeTest(unittest.TestCase):
    def test_filtered_noise_equals_scipys_cascade(self) -> None:
        rng = np.random.default_rng(3)
        for n_channels in (1, 2, 3, 8):
            for n_sections in (1, 2, 3, 4, 5, 9):
                with self.subTest(n_channels=n_channels, n_sections=n_sections):
                    sections = [
                        biquad.bell(float(f), float(g), 1.3, RATE_HZ)
                        for f, g in zip(rng.uniform(50, 15000, n_sections), rng.uniform(-9, 9, n_sections), strict=True)
                    ]
                    audio = rng.standard_normal((n_channels, 3000))
                    sos = np.array([(b0, b1, b2, 1.0, a1, a2) for b0, b1, b2, a1, a2 in sections])
                    expected = signal.sosfilt(sos, audio, axis=1)
                    resting, coefs = np.zeros((1, 3), np.int64), np.array(sections).reshape(1, -1)
                    biquad.run_sections(
                        audio,
                        3000,
                        resting,
                        coefs,
                        np.zeros((n_sections, n_channels, 2)),
                        *biquad.new_scratch(n_sections),
                    )
                    np.testing.assert_allclose(audio, expected, atol=1e-10)

    def test_sections_that_move_are_worked_out_anew_for_every_sample(self) -> None:
        rng = np.random.default_rng(9)
        n = 700
        pieces = np.array([[3, 0, 0], [-40, 200, 150], [150, 400, 390], [390, 5000, n]], np.int64)
        for n_channels in (1, 2, 3):
            for n_sections in (1, 3, 4, 6):
                with self.subTest(n_channels=n_channels, n_sections=n_sections):
                    rows = np.array([[_random_bell(rng) for _ in range(n_sections)] for _ in range(6)])
                    # The second piece rests.
                    rows[3] = rows[2]
                    audio = rng.standard_normal((n_channels, n))
                    state = 0.1 * rng.standard_normal((n_sections, n_channels, 2))
                    expected, left = _filtered_plainly(audio, pieces, rows, state)
                    biquad.run_sections(audio, n, pieces, rows.reshape(6, -1), state, *biquad.new_scratch(n_sections))
                    np.testing.assert_allclose(audio, expected, atol=1e-11)
                    np.testing.assert_allclose(state, left, atol=1e-11)

    def test_bands_that_move_are_designed_together_as_one_by_one(self) -> None:
        rng = np.random.default_rng(12)
        bands = [
            {
                "id": shape,
                "shape": shape,
                "frequency_hz": 300.0 * (k + 1),
                "gain_db": 3.0 - k,
                "slope_db_per_octave": 24,
            }
            for k, shape in enumerate(eq.SHAPES)
        ]
        params = EqParams.model_validate({"bands": bands})
        place = Place(sample_rate_hz=RATE_HZ, glide_samples=960, n_channels=1, max_block=64)
        worker = eq.Equalizer(place, np.zeros((1, 64)))
        for shape in eq.SHAPES:
            for field, low, high in (("frequency_hz", 20.0, 20000.0), ("gain_db", -24.0, 24.0), ("q", 0.2, 20.0)):
                along = rng.uniform(low, high, 9)
                on = (rng.random(9) < 0.7).astype(np.float64)
                (found,) = worker.coefs_along(params, on, {f"bands/{shape}/{field}": along})
                for value, is_on, row in zip(along.tolist(), on, found, strict=True):
                    moved = [band | {field: value} if band["id"] == shape else band for band in bands]
                    (expected,) = worker.coefs_of(EqParams.model_validate({"bands": moved}), on=bool(is_on))
                    np.testing.assert_array_equal(row, expected)


def _random_bell(rng: np.random.Generator) -> biquad.Section:
    return biquad.bell(float(rng.uniform(100, 9000)), float(rng.uniform(-12, 12)), 1.0, RATE_HZ)


def _filtered_plainly(
    audio: np.ndarray, pieces: np.ndarray, rows: np.ndarray, state: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Transposed direct form II, sample by sample, with the coefficients of each line at that sample."""
    out, state = audio.copy(), state.copy()
    for channel in range(len(audio)):
        for i in range(audio.shape[1]):
            k = int(np.searchsorted(pieces[1:, 2], i, side="right"))
            begin, end = pieces[1 + k, 0], pieces[1 + k, 1]
            now = rows[2 * k] + (rows[2 * k + 1] - rows[2 * k]) * (i - begin) / (end - begin)
            for s, (b0, b1, b2, a1, a2) in enumerate(now):
                x, (u, v) = out[channel, i], state[s, channel]
                y = b0 * x + u
                state[s, channel] = b1 * x - a1 * y + v, b2 * x - a2 * y
                out[channel, i] = y
    return out, state
