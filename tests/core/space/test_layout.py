"""Layouts of loudspeakers, and what goes where between them."""

import unittest

import numpy as np

from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.layout import LAYOUTS, layout_named


def named_matrix(source: str, destination: str) -> dict[tuple[str, str], float]:
    """Gains that are not zero, by destination and source label."""
    one, other = layout_named(source), layout_named(destination)
    matrix = matrix_between(one, other)
    return {
        (other.channels[row].label, one.channels[column].label): round(float(matrix[row, column]), 4)
        for row, column in np.argwhere(matrix != 0.0)
    }


class LayoutsTest(unittest.TestCase):
    def test_channels_stand_in_the_order_of_the_recommendation(self) -> None:
        # ITU-R BS.2051-3, from memory; the same as a renderer of the EBU carries them.
        expected = {
            "stereo": "M+030 M-030",
            "5.1": "M+030 M-030 M+000 LFE1 M+110 M-110",
            "7.1": "M+030 M-030 M+000 LFE1 M+090 M-090 M+135 M-135",
            "5.1.4": "M+030 M-030 M+000 LFE1 M+110 M-110 U+030 U-030 U+110 U-110",
            "7.1.4": "M+030 M-030 M+000 LFE1 M+090 M-090 M+135 M-135 U+045 U-045 U+135 U-135",
        }
        for name, labels in expected.items():
            with self.subTest(name):
                self.assertEqual(" ".join(channel.label for channel in layout_named(name).channels), labels)

    def test_every_layout_is_the_same_on_both_sides(self) -> None:
        for name, layout in LAYOUTS.items():
            with self.subTest(name):
                places = {(c.azimuth_deg, c.elevation_deg) for c in layout.channels if not c.is_lfe}
                self.assertEqual(places, {(-azimuth, elevation) for azimuth, elevation in places})

    def test_loudness_counts_what_stands_beside_the_listener_more(self) -> None:
        # ITU-R BS.1770, Table 4 (from memory); a library of the field gives +1.492 dB at 60, 90 and 110 degrees.
        self.assertEqual(layout_named("5.1").loudness_weights.tolist(), [1.0, 1.0, 1.0, 0.0, 1.41, 1.41])
        self.assertEqual(layout_named("7.1").loudness_weights.tolist(), [1.0, 1.0, 1.0, 0.0, 1.41, 1.41, 1.0, 1.0])
        self.assertEqual(layout_named("5.1.4").loudness_weights[-4:].tolist(), [1.0] * 4)

    def test_unknown_names_are_an_error(self) -> None:
        with self.assertRaises(KeyError):
            layout_named("6.1")


class MatricesTest(unittest.TestCase):
    def test_five_to_two_is_the_recommended_fold_down(self) -> None:
        # ITU-R BS.775, from memory: L' = L + 0.7071 C + 0.7071 Ls, LFE left out.
        self.assertEqual(
            named_matrix("5.1", "stereo"),
            {
                ("M+030", "M+030"): 1.0,
                ("M+030", "M+000"): 0.7071,
                ("M+030", "M+110"): 0.7071,
                ("M-030", "M-030"): 1.0,
                ("M-030", "M+000"): 0.7071,
                ("M-030", "M-110"): 0.7071,
            },
        )

    def test_one_and_two_channels_meet_as_they_always_did(self) -> None:
        self.assertEqual(matrix_between(LAYOUTS["mono"], LAYOUTS["stereo"]).tolist(), [[1.0], [1.0]])
        self.assertEqual(matrix_between(LAYOUTS["stereo"], LAYOUTS["mono"]).tolist(), [[0.5, 0.5]])

    def test_the_same_layout_is_left_as_it_is(self) -> None:
        for name, layout in LAYOUTS.items():
            with self.subTest(name):
                np.testing.assert_array_equal(matrix_between(layout, layout), np.eye(len(layout.channels)))

    def test_to_a_larger_layout_nothing_is_lost_and_nothing_made_up(self) -> None:
        for small, large in (("stereo", "5.1"), ("5.1", "5.1.4"), ("7.1", "7.1.4"), ("mono", "5.1")):
            with self.subTest(small=small, large=large):
                matrix = matrix_between(layout_named(small), layout_named(large))
                np.testing.assert_array_equal(matrix.sum(axis=0), np.ones(len(layout_named(small).channels)))
                self.assertTrue(set(np.unique(matrix)) <= {0.0, 1.0})

    def test_left_and_right_are_treated_alike_and_no_channel_is_dropped_but_the_lows(self) -> None:
        for one in LAYOUTS.values():
            for other in LAYOUTS.values():
                with self.subTest(source=one.name, destination=other.name):
                    matrix = matrix_between(one, other)
                    for column, channel in enumerate(one.channels):
                        has_lfe = any(c.is_lfe for c in other.channels)
                        self.assertEqual(bool(matrix[:, column].any()), not channel.is_lfe or has_lfe)
                    mirrored = matrix[np.ix_(mirror(other.name), mirror(one.name))]
                    np.testing.assert_allclose(mirrored, matrix, atol=1e-12)

    def test_height_folds_to_the_ears_three_decibels_down(self) -> None:
        gains = named_matrix("5.1.4", "5.1")
        self.assertEqual(gains["M+030", "U+030"], 0.7071)
        self.assertEqual(gains["M+110", "U+110"], 0.7071)
        self.assertEqual(named_matrix("5.1.4", "stereo")["M+030", "U+110"], 0.5)
        self.assertEqual(named_matrix("7.1", "5.1")["M+110", "M+135"], 1.0)


def mirror(name: str) -> list[int]:
    """The channel on the other side of each."""
    channels = layout_named(name).channels
    places = {(c.azimuth_deg, c.elevation_deg, c.is_lfe): index for index, c in enumerate(channels)}
    return [index if c.is_lfe else places[-c.azimuth_deg, c.elevation_deg, False] for index, c in enumerate(channels)]


if __name__ == "__main__":
    unittest.main()
