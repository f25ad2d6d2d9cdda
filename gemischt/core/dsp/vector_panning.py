"""Which corners of a divided sphere share a direction, and by how much.

V. Pulkki, "Virtual sound source positioning using vector base amplitude panning", JAES 45(6), 1997, for three corners;
ITU-R BS.2127-0, 6.1.2.2 (from memory), for four of one plane: along two opposite edges so far that the plane through
both points holds the direction, and the same across.
"""

import math

import numpy as np

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.jit import AUDIO, COUNT_ROWS, CUBE, inline_kernel, kernel

_INSIDE, _NEARLY_INSIDE = 1e-9, 1e-3
"""What rounding may put outside; what is between two facets for it is taken to belong to either."""


@inline_kernel
def _along(square: float, linear: float, constant: float, inside: float) -> float:
    """The root from 0 to 1 of a polynomial; -1 if there is none. None is lost where the square is next to nothing."""
    root = math.sqrt(max(linear * linear - 4.0 * square * constant, 0.0))
    q = -0.5 * (linear + (root if linear >= 0.0 else -root))
    first = constant / q if q != 0.0 else -1.0
    second = q / square if square != 0.0 else -1.0
    if -inside <= first <= 1.0 + inside:
        return min(max(first, 0.0), 1.0)
    if -inside <= second <= 1.0 + inside:
        return min(max(second, 0.0), 1.0)
    return -1.0


@inline_kernel
def _volume(ax: float, ay: float, az: float, bx: float, by: float, bz: float, directions: Audio, n: int) -> float:
    """(a x b) . direction."""
    x, y, z = float(directions[n, 0]), float(directions[n, 1]), float(directions[n, 2])
    return x * (ay * bz - az * by) + y * (az * bx - ax * bz) + z * (ax * by - ay * bx)


@inline_kernel
def _between_edges(
    corners: Audio, k: int, a: int, b: int, d: int, c: int, directions: Audio, n: int, inside: float
) -> float:
    """How far along the edges a-b and d-c of quad k the direction is, 0 to 1; -1 if it is beyond."""
    ax, ay, az = corners[k, a, 0], corners[k, a, 1], corners[k, a, 2]
    dx, dy, dz = corners[k, d, 0], corners[k, d, 1], corners[k, d, 2]
    bx, by, bz = corners[k, b, 0] - ax, corners[k, b, 1] - ay, corners[k, b, 2] - az
    cx, cy, cz = corners[k, c, 0] - dx, corners[k, c, 1] - dy, corners[k, c, 2] - dz
    square = _volume(bx, by, bz, cx, cy, cz, directions, n)
    linear = _volume(ax, ay, az, cx, cy, cz, directions, n) + _volume(bx, by, bz, dx, dy, dz, directions, n)
    return _along(square, linear, _volume(ax, ay, az, dx, dy, dz, directions, n), inside)


@inline_kernel
def _by_three(
    directions: Audio, n: int, triplets: Counts, inverses: Audio, found: Audio, shares: Audio, inside: float
) -> bool:
    x, y, z = directions[n, 0], directions[n, 1], directions[n, 2]
    for k in range(triplets.shape[0]):
        for i in range(3):
            found[i] = x * inverses[k, 0, i] + y * inverses[k, 1, i] + z * inverses[k, 2, i]
        if min(found[0], found[1], found[2]) >= -inside:
            norm = math.sqrt(found[0] ** 2 + found[1] ** 2 + found[2] ** 2)
            for i in range(3):
                shares[n, triplets[k, i]] = max(found[i], 0.0) / norm
            return True
    return False


@inline_kernel
def _by_four(
    directions: Audio, n: int, quads: Counts, quad_vectors: Audio, found: Audio, shares: Audio, inside: float
) -> bool:
    x, y, z = directions[n, 0], directions[n, 1], directions[n, 2]
    for k in range(quads.shape[0]):
        along = _between_edges(quad_vectors, k, 0, 1, 3, 2, directions, n, inside)
        across = _between_edges(quad_vectors, k, 1, 2, 0, 3, directions, n, inside)
        if along < 0.0 or across < 0.0:
            continue
        found[0], found[1] = (1.0 - along) * (1.0 - across), along * (1.0 - across)
        found[2], found[3] = along * across, (1.0 - along) * across
        ahead = 0.0
        for i in range(4):
            corner = quad_vectors[k, i]
            ahead += found[i] * (x * corner[0] + y * corner[1] + z * corner[2])
        if ahead > 0.0:
            norm = math.sqrt(found[0] ** 2 + found[1] ** 2 + found[2] ** 2 + found[3] ** 2)
            for i in range(4):
                shares[n, quads[k, i]] = found[i] / norm
            return True
    return False


@kernel(AUDIO, COUNT_ROWS, CUBE, COUNT_ROWS, CUBE, AUDIO)
def share_directions(
    directions: Audio, triplets: Counts, inverses: Audio, quads: Counts, quad_vectors: Audio, shares: Audio
) -> None:
    """Shares of each corner, of which one to four are more than 0; their squares add up to 1.

    Args:
        directions: (n, 3) unit vectors.
        triplets: (n_triplets, 3) corners around a facet, and ``inverses`` (n_triplets, 3, 3) of their vectors' matrix.
        quads: (n_quads, 4) corners in order around a plane, and ``quad_vectors`` (n_quads, 4, 3).
        shares: (n, n_corners), zeros; filled.
    """
    found = np.zeros(4)
    for n in range(directions.shape[0]):
        for inside in (_INSIDE, _NEARLY_INSIDE):
            if _by_three(directions, n, triplets, inverses, found, shares, inside):
                break
            if _by_four(directions, n, quads, quad_vectors, found, shares, inside):
                break
