"""Coefficients over time: glides and changes at a sample, wherever blocks begin."""

import unittest

import numpy as np

from gemischt.core.control import Control, Told
from gemischt.core.dsp import mixing


def told(*values: float) -> Told:
    return [(0, np.array(values))]


def follow(control: Control, blocks: list[int], start_samples: int = 0) -> np.ndarray:
    """The first coefficient of every sample, by a gain that is applied to ones."""
    gains = []
    for n_samples in blocks:
        if control.moves:
            control.fill(start_samples, n_samples)
        out = np.zeros((1, n_samples))
        coefs = np.ascontiguousarray(control.coefs[:, :1])
        mixing.mix_into(np.ones((1, n_samples)), out, n_samples, control.pieces, coefs)
        gains.append(out[0])
        start_samples += n_samples
    return np.concatenate(gains)


class ControlTest(unittest.TestCase):
    def test_a_glide_is_a_straight_line_wherever_blocks_begin(self) -> None:
        expected = np.concatenate([np.linspace(1.0, 3.0, 101)[:100], np.full(50, 3.0)])
        for blocks in ([150], [1, 33, 50, 66], [100, 50], [99, 2, 49], [1] * 150):
            control = Control(1, 150, 100)
            control.aim(told(1.0), glide=False)
            control.aim(told(3.0), glide=True)
            with self.subTest(blocks=blocks[:4]):
                np.testing.assert_allclose(follow(control, blocks), expected, atol=1e-12)
                self.assertEqual(follow(control, [1])[0], 3.0)
                self.assertFalse(control.moves)

    def test_a_glide_turned_around_goes_on_from_where_it_is(self) -> None:
        control = Control(1, 150, 100)
        control.aim(told(0.0), glide=False)
        control.aim(told(1.0), glide=True)
        follow(control, [50])
        control.aim(told(0.0), glide=True)
        out = follow(control, [101])
        self.assertAlmostEqual(out[0], 0.5)
        self.assertAlmostEqual(out[50], 0.25)
        self.assertEqual(out[100], 0.0)

    def test_asking_again_for_the_same_does_not_begin_anew(self) -> None:
        control = Control(1, 150, 100)
        control.aim(told(0.0), glide=False)
        control.aim(told(1.0), glide=True)
        follow(control, [50])
        control.aim(told(1.0), glide=True)
        np.testing.assert_allclose(follow(control, [50]), np.linspace(0.5, 1.0, 51)[:50], atol=1e-12)

    def test_a_change_in_the_song_begins_at_its_sample_and_after_a_jump_counts_at_once(self) -> None:
        changing: Told = [(0, np.array([1.0])), (1000, np.array([2.0]))]
        expected = np.concatenate([np.ones(1000), np.linspace(1.0, 2.0, 101)[:100], np.full(900, 2.0)])
        for blocks in ([2000], [7] * 285 + [5], [999, 1, 1000]):
            control = Control(1, 2000, 100)
            control.aim(changing, glide=False)
            with self.subTest(blocks=blocks[:3]):
                np.testing.assert_allclose(follow(control, blocks), expected, atol=1e-12)
        control = Control(1, 2000, 100)
        control.aim(changing, glide=False)
        self.assertEqual(follow(control, [10], start_samples=5000)[0], 2.0)

    def test_counts_change_at_once(self) -> None:
        control = Control(2, 64, 100, first_stepped=1)
        control.aim(told(0.0, 10.0), glide=False)
        control.aim(told(1.0, 20.0), glide=True)
        control.fill(0, 64)
        self.assertEqual(control.coefs[0].tolist(), [0.0, 20.0])
        self.assertEqual(control.coefs[1].tolist(), [1.0, 20.0])
        self.assertEqual(control.pieces[1].tolist(), [0, 100, 64])

    def test_another_plan_goes_on_where_one_was(self) -> None:
        one, other = Control(1, 64, 100), Control(1, 64, 100)
        one.aim(told(0.0), glide=False)
        one.aim(told(1.0), glide=True)
        follow(one, [30])
        other.aim(told(1.0), glide=False)
        other.take_over(one)
        other.aim(told(1.0), glide=True)
        np.testing.assert_array_equal(follow(other, [64, 64]), follow(one, [64, 64]))


if __name__ == "__main__":
    unittest.main()
