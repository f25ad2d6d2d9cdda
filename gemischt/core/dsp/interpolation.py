"""The wave between the samples: four points a sample, and tops between those.

The rate is doubled twice by half-band filters (Kaiser designs). What a top between three points is higher than the
middle one is the parabola's through them; at 20 kHz and 44.1 kHz that misses a sine's top by less than 0.05 dB.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Single
from gemischt.core.dsp.half_band import design_half_band, double_rate_joined
from gemischt.core.dsp.jit import inline_kernel
from gemischt.core.dsp.simd import greater, load, magnitudes, spread, where

FIRST = design_half_band(40, 60.0)
"""Flat within 0.02 dB to 20 kHz at 44.1 kHz."""
LONG_FIRST = design_half_band(256, 30.0)
"""Reaches within a hundredth of half the rate, for what must hold noise as wide as that."""
SHORTENED = LONG_FIRST[96:-96].copy()
"""Its middle quarter, for a first look."""
SECOND = design_half_band(8, 60.0)
_NONE, _EIGHTH, _LEAST = np.float32(0.0), np.float32(0.125), np.float32(1e-30)
_EARLY = 16
"""How many samples early the doubling begins: six so that the second filter has its past, the others so that stretches
of whole lanes stay whole."""
SLACK = 1.0001
"""By how much less is trusted what a bound says, for all that single precision rounds in sums."""
MOST_OVER_POINTS = float(1.0 / np.cos(np.pi / 8.0))
"""How much higher than its highest point a wave of up to half the rate can be."""


def kept_samples(first: Single) -> int:
    """How many samples before a block have to be at hand."""
    return int(first.size - 1 + _EARLY)


def lag_samples(first: Single) -> int:
    """The points of a new sample lie between the samples that came so much earlier and one less."""
    return int(first.size // 2 + 2)


def most_gain(first: Single) -> float:
    """How much higher than the highest sample the wave can be."""
    return _most_made(_points_of_samples(first))


def most_left_out(first: Single, shortened: Single) -> float:
    """How much of the highest sample the wave can be higher than with the filter's middle instead of all of it."""
    beside = (first.size - shortened.size) // 2
    return _most_made(_points_of_samples(first) - _points_of_samples(np.pad(shortened, beside)))


def _most_made(points: NDArray[np.float64]) -> float:
    """The highest top of samples of up to one: that of a point and an eighth of its second difference."""
    bends = points[:-2] - 2.0 * points[1:-1] + points[2:]
    return float(max(np.abs(points[1 + k]).sum() + 0.125 * np.abs(bends[k]).sum() for k in range(4)))


def most_bend(first: Single) -> float:
    """How much higher than the highest sample the wave can be, in units of the samples' largest second difference.

    A point is what lies straight between its two samples, and a weighted sum of second differences: the filters give
    straight lines back as they are. A parabola's top is at most an eighth of the points' own second difference higher.
    """
    points = _points_of_samples(first)
    places = points @ np.arange(points.shape[1])
    most = 0.0
    for k in range(4):
        left = int(places[k] + 0.01)
        straight = np.zeros(points.shape[1])
        straight[left : left + 2] = 1.0 - (places[k] - left), places[k] - left
        bend = points[k] - 2.0 * points[k + 1] + points[k + 2]
        most = max(most, _in_second_differences(points[k] - straight) + 0.125 * _in_second_differences(bend))
    return most


def _in_second_differences(weights: NDArray[np.float64]) -> float:
    """The most that weights which give straight lines zero make of second differences of up to one."""
    return float(np.abs(np.cumsum(np.cumsum(weights))).sum())


def _points_of_samples(first: Single) -> NDArray[np.float64]:
    """What each of six points in a row is made of: weights of the samples, (6, n)."""
    n = 2 * first.size + 2 * SECOND.size
    sample = np.zeros(n)
    sample[0] = 1.0
    doubled = np.empty(2 * n)
    doubled[0::2] = np.convolve(sample, first)[:n]
    doubled[1::2] = np.roll(sample, first.size // 2 - 1)
    points = np.empty(4 * n)
    points[0::2] = np.convolve(doubled, SECOND)[: 2 * n]
    points[1::2] = np.concatenate([np.zeros(SECOND.size // 2 - 1), doubled])[: 2 * n]
    # A later sample does the same later, and nothing to what was before.
    since = 4 * (n - 2 - np.arange(n)) + np.arange(6)[:, np.newaxis]
    return np.where(since < 0, 0.0, points[since])


@inline_kernel
def find_points(
    points: Single,
    doubled: Single,
    part: Single,
    n_samples: int,
    first: Single,
    second: Single,
) -> None:
    """Points of the wave at four times the rate, in order.

    Those of the new samples are points[1 : 4 n + 1]: each has one before and one behind it.

    Args:
        points: (>= 4 n + 4,).
        doubled: (>= 2 n + 32,), scratch.
        part: ``kept_samples(first)`` old samples, and n new ones.
    """
    n_first = n_samples + _EARLY
    double_rate_joined(doubled[: 2 * n_first], part, first, first.size - 1)
    n_second = 2 * n_samples + 2
    start = 2 * n_first - n_second
    double_rate_joined(points[: 2 * n_second], doubled, second, start)


@inline_kernel
def top_at(points: Single, i: int) -> float:
    """How high the wave gets around a point that has one before and one behind it: at least the point itself."""
    middle: float = abs(points[i])
    before: float = points[i - 1] if points[i] >= 0.0 else -points[i - 1]
    behind: float = points[i + 1] if points[i] >= 0.0 else -points[i + 1]
    bend = 2.0 * middle - before - behind
    if before > middle or behind > middle or bend <= 0.0:
        return middle
    slope = behind - before
    return middle + 0.125 * slope * slope / bend


@inline_kernel
def tops_at(points: Single, i: int) -> Any:
    """``top_at`` sixteen points from one on; what lies beside them is read, too."""
    middle, none = load(points, i), spread(_NONE)
    before = where(middle, load(points, i - 1), none - load(points, i - 1))
    behind = where(middle, load(points, i + 1), none - load(points, i + 1))
    middle = magnitudes(middle)
    bend = (middle - before) + (middle - behind)
    slope = behind - before
    higher = spread(_EIGHTH) * slope * slope / greater(bend, spread(_LEAST))
    return where(greater(before, behind) - middle, middle, middle + higher)
