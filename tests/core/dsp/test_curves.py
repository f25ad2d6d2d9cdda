"""Curves read at many moments: the kernels beside plain Python."""

import math
import unittest
from itertools import pairwise

import numpy as np

from gemischt.core.dsp.curves import find_breakpoints, read_level_curve, thin_breakpoints


def thinned(edges: list[int], jumps: list[int], points: list[int], *, are_corners: bool) -> list[int]:
    """What thin_breakpoints keeps, in plain words."""
    kept: list[int] = []
    last = edges[0] - 64
    for here, there in pairwise(edges):
        kept.append(here)
        for wanted in [point for point in points if here < point < there and here not in jumps]:
            point = max(wanted, last + 64) if are_corners else wanted
            from_edges = 1 if are_corners else 64
            if min(point - here, there - point) >= from_edges and point - last >= 64:
                last = point
                kept.append(point)
    return [*kept, edges[-1]]


class CurvesTest(unittest.TestCase):
    def test_breakpoints_are_thinned_as_the_plain_twin_thins_them(self) -> None:
        random = np.random.default_rng(11)
        for case in range(300):
            edges = sorted({0, 5000, *random.integers(1, 5000, random.integers(0, 6)).tolist()})
            jumps = [edge for edge in edges[:-1] if random.random() < 0.4]
            points = sorted(set(random.integers(0, 5000, random.integers(0, 120)).tolist()))
            for are_corners in (True, False):
                with self.subTest(case=case, are_corners=are_corners):
                    kept = np.zeros(len(edges) + len(points), np.int64)
                    given = (np.array(values, np.int64) for values in (edges, jumps, points))
                    count = thin_breakpoints(*given, are_corners, 64, kept)
                    self.assertEqual(kept[:count].tolist(), thinned(edges, jumps, points, are_corners=are_corners))

    def test_a_level_is_read_in_closed_form(self) -> None:
        # From -12 to 0 dB bent by k = 3, then down to silence in amplitude.
        points = np.array([[1.0, 2.0, 4.0], [-12.0, 0.0, -math.inf], [10 ** (-12 / 20), 1.0, 0.0], [3.0, 0.0, 0.0]])
        times_s = np.array([0.0, 1.5, 2.0, 3.0, 9.0])
        gains = np.zeros(5)
        read_level_curve(points, times_s, gains)
        share = math.expm1(1.5) / math.expm1(3.0)
        wanted = [10 ** (-12 / 20), 10 ** (-12 * (1 - share) / 20), 1.0, 0.5, 0.0]
        np.testing.assert_allclose(gains, wanted, rtol=1e-12)

    def test_breakpoints_are_in_order_and_no_closer_than_they_may_be(self) -> None:
        times_s, parts = np.array([0.0, 1.0, 1.0, 3.0]), np.array([10, 1, 1000])
        found = np.zeros(2000)
        count = find_breakpoints(times_s, parts, 0.0, 3.0, 0.01, found)
        here = found[:count]
        self.assertTrue(np.all(np.diff(here) >= 0.0))
        np.testing.assert_allclose(here[:11], np.linspace(0.0, 1.0, 11), atol=1e-12)
        np.testing.assert_allclose(np.diff(here[here > 1.0]), 0.01, atol=1e-12)


if __name__ == "__main__":
    unittest.main()
