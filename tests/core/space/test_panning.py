"""Sources among loudspeakers, against the reference renderer of ITU-R BS.2127 and worked triplets."""

import json
import unittest
from pathlib import Path
from typing import cast, get_args

import numpy as np

from gemischt.core.dsp.vector_panning import share_directions
from gemischt.core.space.around import around_gains
from gemischt.core.space.layout import LAYOUTS, LayoutName, layout_named
from gemischt.core.space.vector_panning import panner_of, vectors_of

VECTORS = Path(__file__).parents[2] / "vectors" / "panning.json"
BEDS = tuple(name for name in get_args(LayoutName) if LAYOUTS[name].n_channels > 2)


def heard(layout: LayoutName) -> list[int]:
    return [index for index, channel in enumerate(LAYOUTS[layout].channels) if not channel.is_lfe]


def pointed_to(layout: LayoutName, gains: np.ndarray) -> np.ndarray:
    """Gerzon's energy vector."""
    channels = LAYOUTS[layout].channels
    ways = np.array([vectors_of(channel.azimuth_deg, channel.elevation_deg) for channel in channels])
    power = gains * gains
    return cast(np.ndarray, (power[:, np.newaxis] * ways).sum(axis=0) / power.sum())


class ReferenceTest(unittest.TestCase):
    def test_gains_are_those_of_the_reference_renderer(self) -> None:
        """ear 2.1.0, the renderer of ITU-R BS.2127; its values and the script that made them stand in tests/vectors."""
        told = json.loads(VECTORS.read_text())
        azimuths, elevations = np.array(told["directions"], float).T
        self.assertEqual(set(told["gains"]), set(BEDS))
        for name, expected in told["gains"].items():
            with self.subTest(name):
                gains = panner_of(name).gains(vectors_of(azimuths, elevations))[heard(name)]
                np.testing.assert_allclose(gains.T, expected, atol=2e-6)

    def test_a_worked_triplet(self) -> None:
        """Pulkki 1997, (30, 0), (-30, 0), (0, 45), of power 1; worked out apart."""
        corners = np.array([vectors_of(30.0, 0.0), vectors_of(-30.0, 0.0), vectors_of(0.0, 45.0)])
        ways = np.array([vectors_of(0.0, 0.0), vectors_of(0.0, 22.5), vectors_of(10.0, 15.0), vectors_of(0.0, 45.0)])
        shares = np.zeros((4, 3))
        none = np.zeros((0, 4), np.int64), np.zeros((0, 4, 3))
        share_directions(ways, np.array([[0, 1, 2]]), np.linalg.inv(corners)[np.newaxis], *none, shares)
        expected = [
            [0.707107, 0.707107, 0.0],
            [0.447214, 0.447214, 0.774597],
            [0.794760, 0.324965, 0.512597],
            [0.0, 0.0, 1.0],
        ]
        np.testing.assert_allclose(shares, expected, atol=1e-6)

    def test_the_tangent_law_between_two(self) -> None:
        """Pulkki 1997, 1.3: in a plane it is tan(angle) / tan(half the base) = (left - right) / (left + right)."""
        for angle in (2.0, 5.0, 11.0, 14.0):
            left, front = around_gains("5.1", 1, 15.0 + angle, 0.0, 0.0)[[0, 2], 0]
            ratio = np.tan(np.deg2rad(angle)) / np.tan(np.deg2rad(15.0))
            self.assertAlmostEqual((left - front) / (left + front), ratio, places=6)


class SphereTest(unittest.TestCase):
    def test_power_is_1_everywhere(self) -> None:
        random = np.random.default_rng(4)
        for name in BEDS:
            for azimuth, elevation in zip(random.uniform(-180, 180, 300), random.uniform(-90, 90, 300), strict=True):
                gains = around_gains(name, 1, float(azimuth), float(elevation), 0.0)
                self.assertAlmostEqual(float((gains**2).sum()), 1.0, places=9)
                self.assertGreaterEqual(gains.min(), 0.0)

    def test_nothing_jumps_on_the_way(self) -> None:
        """Who passes a loudspeaker, or a pole, does so without a step: a quarter of a degree moves no gain by 0.05."""
        for name in BEDS:
            for way in ((1.0, 0.3), (0.4, 1.0), (0.0, 1.0), (1.0, 0.0)):
                steps = np.arange(0.0, 90.0, 0.25)
                gains = np.array([around_gains(name, 1, way[0] * s, way[1] * s, 0.0)[:, 0] for s in steps])
                self.assertLess(np.abs(np.diff(gains, axis=0)).max(), 0.05, f"{name} {way}")

    def test_no_direction_is_left_out(self) -> None:
        """Loudspeakers, edges between facets, poles, and what rounding puts beside them."""
        random = np.random.default_rng(9)
        grid = np.array([(azimuth, elevation) for azimuth in range(-180, 181) for elevation in range(-90, 91)], float)
        anywhere = random.uniform((-180.0, -90.0), (180.0, 90.0), (20000, 2))
        for name in BEDS:
            for away in (0.0, 1e-15, -1e-12, 1e-9, -1e-7):
                azimuths, elevations = (np.concatenate([grid, anywhere]) + away).T
                gains = panner_of(name).gains(vectors_of(azimuths, elevations) * (1.0 + away))
                np.testing.assert_allclose((gains**2).sum(axis=0), 1.0, atol=1e-9)
            for _ in range(300):
                azimuth, elevation = random.integers(-36, 37) * 5.0, random.integers(-18, 19) * 5.0
                gains = around_gains(name, 2, azimuth, elevation, float(random.integers(1, 25)) * 15.0)
                self.assertTrue(np.isfinite(gains).all())

    def test_left_and_right_are_mirrored(self) -> None:
        for name in BEDS:
            mirrored = [
                next(
                    index
                    for index, other in enumerate(LAYOUTS[name].channels)
                    if other.is_lfe == channel.is_lfe
                    and other.elevation_deg == channel.elevation_deg
                    and (other.is_lfe or other.azimuth_deg == -channel.azimuth_deg)
                )
                for channel in LAYOUTS[name].channels
            ]
            for spread in (0.0, 50.0):
                left = around_gains(name, 1, 37.0, 21.0, spread)
                right = around_gains(name, 1, -37.0, 21.0, spread)
                np.testing.assert_allclose(left, right[mirrored], atol=1e-9)

    def test_low_frequency_effects_get_nothing(self) -> None:
        gains = around_gains("7.1.4", 2, 45.0, -30.0, 90.0)
        lfe = [channel.is_lfe for channel in layout_named("7.1.4").channels].index(True)
        self.assertEqual(gains[lfe].tolist(), [0.0, 0.0])


class SpreadTest(unittest.TestCase):
    def test_spread_keeps_power_and_direction_and_widens(self) -> None:
        for name in ("7.1.4", "4+4"):
            bed = layout_named(name).name
            lengths = []
            for spread in (0.0, 20.0, 60.0, 120.0, 200.0, 360.0):
                gains = around_gains(bed, 1, 30.0, 20.0, spread)
                self.assertAlmostEqual(float((gains**2).sum()), 1.0, places=9)
                lengths.append(float(np.linalg.norm(pointed_to(bed, gains[:, 0]))))
                if spread <= 60.0:
                    way = pointed_to(bed, gains[:, 0]) / lengths[-1]
                    away = np.rad2deg(np.arccos(np.clip(way @ vectors_of(30.0, 20.0), -1.0, 1.0)))
                    self.assertLess(away, 15.0)
            # Between loudspeakers a point is as wide as what is little spread.
            self.assertLess(np.diff(lengths).max(), 0.02)
            self.assertLess(lengths[-1], 0.25)

    def test_no_spread_is_where_little_spread_goes_to(self) -> None:
        np.testing.assert_allclose(
            around_gains("7.1.4", 1, 20.0, 10.0, 0.01), around_gains("7.1.4", 1, 20.0, 10.0, 0.0), atol=1e-3
        )

    def test_all_around_leaves_nobody_out(self) -> None:
        for name in BEDS:
            gains = around_gains(name, 1, 0.0, 0.0, 360.0)[heard(name), 0]
            self.assertGreater(gains.min(), 0.1)


class PairTest(unittest.TestCase):
    def test_a_pair_in_front_is_left_and_right(self) -> None:
        gains = around_gains("5.1.4", 2, 0.0, 0.0, 0.0)
        np.testing.assert_allclose(gains[:2], np.eye(2), atol=1e-9)
        self.assertAlmostEqual(float((gains**2).sum()), 2.0)

    def test_a_pair_behind_has_its_left_on_the_right(self) -> None:
        """Seen from the listener: what is turned all around stands as it would behind one who turns round."""
        gains = around_gains("quad", 2, 180.0, 0.0, 0.0)
        self.assertGreater(gains[3, 0], gains[2, 0])
        self.assertGreater(gains[2, 1], gains[3, 1])

    def test_a_pair_overhead_keeps_its_width(self) -> None:
        gains = around_gains("4+4", 2, 0.0, 90.0, 0.0)
        self.assertGreater(gains[4, 0] ** 2 + gains[6, 0] ** 2, 0.7)
        self.assertGreater(gains[5, 1] ** 2 + gains[7, 1] ** 2, 0.7)
        self.assertAlmostEqual(float(gains[:4].max()), 0.0)
