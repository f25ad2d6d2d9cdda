"""Which corners of a divided sphere share a direction, and by how much.

V. Pulkki, "Virtual sound source positioning using vector base amplitude panning", JAES 45(6), 1997, for three corners;
ITU-R BS.2127-0, 6.1.2.2 (from memory), for four of one plane: along two opposite edges so far that the plane through
both points holds the direction, and the same across.
"""

import math

import numpy as np

from gemischt.core.audio import Audio, Counts
from gemischt.core.dsp.jit import AUDIO, COUNT_ROWS, CUBE, inline_kernel, kernel

_INSIDE = -1e-9
_ALONG_INSIDE = 1e-7


@inline_kernel
def _along(square: float, linear: float, constant: float) -> float:
    """The root from 0 to 1 of a polynomial; -1 if there is none."""
    if abs(square) < 1e-9:
        first = second = -constant / linear if linear != 0.0 else -1.0
    else:
        root = math.sqrt(max(linear * linear - 4.0 * square * constant, 0.0))
        first, second = (root - linear) / (2.0 * square), (-root - linear) / (2.0 * square)
    if -_ALONG_INSIDE <= first <= 1.0 + _ALONG_INSIDE:
        return min(max(first, 0.0), 1.0)
    if -_ALONG_INSIDE <= second <= 1.0 + _ALONG_INSIDE:
        return min(max(second, 0.0), 1.0)
    return -1.0


@inline_kernel
def _volume(ax: float, ay: float, az: float, bx: float, by: float, bz: float, directions: Audio, n: int) -> float:
    """(a x b) . direction."""
    x, y, z = float(directions[n, 0]), float(directions[n, 1]), float(directions[n, 2])
    return x * (ay * bz - az * by) + y * (az * bx - ax * bz) + z * (ax * by - ay * bx)


@inline_kernel
def _between_edges(corners: Audio, k: int, a: int, b: int, d: int, c: int, directions: Audio, n: int) -> float:
    """How far along the edges a-b and d-c of quad k the direction is, 0 to 1; -1 if it is beyond."""
    ax, ay, az = corners[k, a, 0], corners[k, a, 1], corners[k, a, 2]
    dx, dy, dz = corners[k, d, 0], corners[k, d, 1], corners[k, d, 2]
    bx, by, bz = corners[k, b, 0] - ax, corners[k, b, 1] - ay, corners[k, b, 2] - az
    cx, cy, cz = corners[k, c, 0] - dx, corners[k, c, 1] - dy, corners[k, c, 2] - dz
    square = _volume(bx, by, bz, cx, cy, cz, directions, n)
    linear = _volume(ax, ay, az, cx, cy, cz, directions, n) + _volume(bx, by, bz, dx, dy, dz, directions, n)
    return _along(square, linear, _volume(ax, ay, az, dx, dy, dz, directions, n))


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
        x, y, z = directions[n, 0], directions[n, 1], directions[n, 2]
        is_found = False
        for k in range(triplets.shape[0]):
            for i in range(3):
                found[i] = x * inverses[k, 0, i] + y * inverses[k, 1, i] + z * inverses[k, 2, i]
            if min(found[0], found[1], found[2]) >= _INSIDE:
                norm = math.sqrt(found[0] ** 2 + found[1] ** 2 + found[2] ** 2)
                for i in range(3):
                    shares[n, triplets[k, i]] = max(found[i], 0.0) / norm
                is_found = True
                break
        if is_found:
            continue
        for k in range(quads.shape[0]):
            along = _between_edges(quad_vectors, k, 0, 1, 3, 2, directions, n)
            across = _between_edges(quad_vectors, k, 1, 2, 0, 3, directions, n)
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
                break
