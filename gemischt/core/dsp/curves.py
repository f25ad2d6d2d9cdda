"""Curves over the song, read at many moments at once: see core.session.moves and core.engine.courses."""

import math

import numpy as np
from numpy.typing import NDArray

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.jit import AUDIO, BOOL, COUNTS, FLOAT, INT, VECTOR, inline_kernel, kernel

TIME, LEVEL, GAIN, BENT = range(4)
"""Rows of a curve's points: when, in dB (minus infinity for silence), its gain, and by how much its segment bends."""


@inline_kernel
def bent_share(share: float, k: float) -> float:
    """How far along a segment is, (e^(k x) - 1) / (e^k - 1); x itself where k is 0."""
    return share if k == 0.0 else math.expm1(k * share) / math.expm1(k)


@kernel(AUDIO, VECTOR, VECTOR)
def read_level_curve(points: Audio, times_s: NDArray[np.float64], gains: NDArray[np.float64]) -> None:
    """The gains of a level's curve.

    Args:
        points: (4, n) in order of time.
        times_s: (m,) in any order.
        gains: (m,) is written.
    """
    n_points = points.shape[1]
    for index in range(times_s.size):
        begin = max(0, int(np.searchsorted(points[TIME], times_s[index], side="right")) - 1)
        end = min(begin + 1, n_points - 1)
        span = points[TIME, end] - points[TIME, begin]
        share = 0.0 if span == 0.0 else min(1.0, max(0.0, (times_s[index] - points[TIME, begin]) / span))
        share = bent_share(share, points[BENT, begin])
        one, other = points[LEVEL, begin], points[LEVEL, end]
        if math.isfinite(one) and math.isfinite(other):
            gains[index] = 10.0 ** ((one + share * (other - one)) / 20.0)
        else:
            gains[index] = (1.0 - share) * points[GAIN, begin] + share * points[GAIN, end]


@kernel(AUDIO, BOOL, BOOL, VECTOR, VECTOR)
def read_curve(
    points: Audio, holds: bool, logarithmic: bool, times_s: NDArray[np.float64], values: NDArray[np.float64]
) -> None:
    """The values of a curve without silence.

    Args:
        points: (4, n) in order of time; the second row holds the values.
        holds: whether each value lasts until the next point.
        logarithmic: whether it goes straight in its logarithm, where both ends are above zero.
        times_s: (m,) in any order.
        values: (m,) is written.
    """
    n_points = points.shape[1]
    for index in range(times_s.size):
        begin = max(0, int(np.searchsorted(points[TIME], times_s[index], side="right")) - 1)
        end = begin if holds else min(begin + 1, n_points - 1)
        span = points[TIME, end] - points[TIME, begin]
        share = 0.0 if span == 0.0 else min(1.0, max(0.0, (times_s[index] - points[TIME, begin]) / span))
        share = bent_share(share, points[BENT, begin])
        one, other = points[LEVEL, begin], points[LEVEL, end]
        if logarithmic and one > 0.0 and other > 0.0:
            values[index] = one * (other / one) ** share
        else:
            values[index] = one + share * (other - one)


@kernel(VECTOR, COUNTS, FLOAT, FLOAT, FLOAT, VECTOR, returns=INT)
def find_breakpoints(
    times_s: NDArray[np.float64],
    parts: Counts,
    from_s: float,
    to_s: float,
    closest_s: float,
    found: NDArray[np.float64],
) -> int:
    """Times in a stretch, or near it, between which a curve is as good as straight, in order; how many there are.

    Args:
        times_s: (n,) the curve's points.
        parts: (n - 1,) in how many equal parts each segment is straight in each.
        closest_s: within a segment they are no closer together than this.
        found: (m,) is written, as far as there is room.
    """
    first = max(0, int(np.searchsorted(times_s, from_s, side="right")) - 1)
    behind = min(times_s.size - 1, int(np.searchsorted(times_s, to_s, side="right")))
    count = 0
    for k in range(first, behind):
        begin, length_s = times_s[k], times_s[k + 1] - times_s[k]
        n_parts = max(1, min(parts[k], int(length_s / closest_s)))
        spacing_s = length_s / n_parts
        lowest, highest = 1, 0
        if n_parts > 1 and spacing_s > 0.0:
            lowest = max(1, math.floor((from_s - begin) / spacing_s))
            highest = min(n_parts - 1, math.ceil((to_s - begin) / spacing_s))
        for number in range(lowest - 1, highest + 1):
            if count < found.size:
                found[count] = begin if number == lowest - 1 else begin + number * spacing_s
                count += 1
    if behind > first and count < found.size:
        found[count] = times_s[behind]
        count += 1
    return count


@kernel(COUNTS, COUNTS, COUNTS, BOOL, INT, COUNTS, returns=INT)
def thin_breakpoints(
    edges: Counts, jumps: Counts, points: Counts, are_corners: bool, closest_samples: int, kept: Counts
) -> int:
    """Keep the edges, and of the points those that are far enough from each other and from the edges, none inside a
    jump. A corner that is too near to the last one is not left out, where the curve would go on astray, but follows
    later. How many are kept.

    Args:
        edges: (n,) samples in order.
        jumps: (j,) samples in order; each is an edge, and what is between it and the next edge is inside the jump.
        points: (m,) samples in order.
        kept: (at least n + m,) is written.
    """
    from_edges = 1 if are_corners else closest_samples
    last_point = edges[0] - closest_samples
    count, jump, index = 0, 0, 0
    for k in range(edges.size - 1):
        here, there = edges[k], edges[k + 1]
        kept[count] = here
        count += 1
        while jump < jumps.size and jumps[jump] < here:
            jump += 1
        is_jump = jump < jumps.size and jumps[jump] == here
        while index < points.size and points[index] <= here:
            index += 1
        while index < points.size and points[index] < there:
            point = max(points[index], last_point + closest_samples) if are_corners else points[index]
            far = point - here >= from_edges and there - point >= from_edges
            if not is_jump and far and point - last_point >= closest_samples:
                last_point = point
                kept[count] = point
                count += 1
            index += 1
    kept[count] = edges[-1]
    return count + 1
