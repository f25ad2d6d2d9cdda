"""Vector-base amplitude panning: what each loudspeaker of a layout gets for a direction.

V. Pulkki, "Virtual sound source positioning using vector base amplitude panning", JAES 45(6), 1997: a direction is the
sum of the three loudspeakers around it, each by its gain. The sphere is divided as in ITU-R BS.2127-0, 6.1 (from
memory): into the facets of the convex hull of the loudspeakers. Four in one plane share by two coordinates; where no
loudspeaker is straight above or below, one stands in whose signal those around it get alike; a layer above or below
that is missing, or leaves a gap, is stood in for by the loudspeakers at the level of the ears.

Vectors are x to the right, y to the front, z upwards.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from gemischt.core.dsp.vector_panning import share_directions
from gemischt.core.space.layout import LAYOUTS, Channel, Layout, LayoutName

Vectors = NDArray[np.float64]
"""(n, 3)."""
_STAND_IN_ELEVATION_DEG = 30.0
_LAYER_REACHES_DEG = 40.0
"""Beside its outermost loudspeakers a layer covers so much more."""
_SAME_PLANE = 1e-5


def vectors_of(azimuth_deg: NDArray[np.float64] | float, elevation_deg: NDArray[np.float64] | float) -> Vectors:
    """Unit vectors, (..., 3)."""
    azimuth, elevation = np.broadcast_arrays(np.deg2rad(azimuth_deg), np.deg2rad(elevation_deg))
    level = np.cos(elevation)
    return np.stack([-np.sin(azimuth) * level, np.cos(azimuth) * level, np.sin(elevation)], axis=-1)


@dataclass(frozen=True)
class VectorPanner:
    """The divided sphere of a layout.

    Attributes:
        joins: what the layout's channels get of each corner of the division, (n_channels, n_corners).
        triplets: corners that share a direction by three, (n, 3), with the inverses of their vectors, (n, 3, 3).
        quads: corners of one plane in order around it, (n, 4), with their vectors, (n, 4, 3).
    """

    joins: NDArray[np.float64]
    triplets: NDArray[np.int64]
    inverses: NDArray[np.float64]
    quads: NDArray[np.int64]
    quad_vectors: NDArray[np.float64]

    def gains(self, directions: Vectors) -> NDArray[np.float64]:
        """Gains of each channel for each of the directions, (n_channels, n); the power of each is 1."""
        shares = np.zeros((len(directions), self.joins.shape[1]))
        given = np.ascontiguousarray(directions)
        share_directions(given, self.triplets, self.inverses, self.quads, self.quad_vectors, shares)
        gains = self.joins @ shares.T
        of_power_1: NDArray[np.float64] = gains / np.sqrt((gains * gains).sum(axis=0))
        return of_power_1


@cache
def panner_of(layout: LayoutName) -> VectorPanner:
    """The divided sphere of a layout of at least four loudspeakers around the listener; low-frequency effects get
    nothing.

    Raises:
        ValueError: there are fewer.
    """
    if sum(not channel.is_lfe for channel in LAYOUTS[layout].channels) < 4:
        raise ValueError(f"{layout} is no bed to place anything in")
    channels = LAYOUTS[layout].channels
    corners, joins = _corners_of(LAYOUTS[layout])
    vectors = np.array([vectors_of(corner.azimuth_deg, corner.elevation_deg) for corner in corners])
    poles = [index for index, corner in enumerate(corners) if abs(corner.elevation_deg) == 90.0 and not joins[index]]
    triplets: list[list[int]] = []
    quads: list[list[int]] = []
    for facet in _facets(vectors):
        if not set(facet) & set(poles):
            (triplets if len(facet) == 3 else quads).append(facet)
    facets = _facets(vectors)
    for pole in poles:
        around = sorted({corner for facet in facets if pole in facet for corner in facet} - {pole})
        around = _in_order(vectors, around)
        triplets += [[pole, one, other] for one, other in zip(around, [*around[1:], around[0]], strict=True)]
        joins[pole] = {index: gain / len(around) ** 0.5 for corner in around for index, gain in joins[corner].items()}
    matrix = np.zeros((len(channels), len(corners)))
    for column, shares in enumerate(joins):
        for index, gain in shares.items():
            matrix[index, column] = gain
    return VectorPanner(
        joins=matrix,
        triplets=np.array(triplets),
        inverses=np.array([np.linalg.inv(vectors[triplet]) for triplet in triplets]),
        quads=np.array(quads, np.int64).reshape(-1, 4),
        quad_vectors=np.array([vectors[quad] for quad in quads]).reshape(-1, 4, 3),
    )


def _corners_of(layout: Layout) -> tuple[list[Channel], list[dict[int, float]]]:
    """Where the sphere's corners are, and which channels each of them stands for, by which gain; none for a pole."""
    heard = [(index, channel) for index, channel in enumerate(layout.channels) if not channel.is_lfe]
    corners = [channel for _, channel in heard]
    joins = [{index: 1.0} for index, _ in heard]
    for height in (-1.0, 1.0):
        layer = [abs(channel.azimuth_deg) for _, channel in heard if np.sign(channel.elevation_deg) == height]
        covered_deg = max(layer) + _LAYER_REACHES_DEG if layer else 0.0
        for index, channel in heard:
            if channel.elevation_deg == 0.0 and abs(channel.azimuth_deg) >= covered_deg:
                corners.append(Channel("", channel.azimuth_deg, height * _STAND_IN_ELEVATION_DEG))
                joins.append({index: 1.0})
        corners.append(Channel("", 0.0, height * 90.0))
        joins.append({})
    return corners, joins


def _facets(vectors: Vectors) -> list[list[int]]:
    """Facets of the convex hull, corners of each in order around it."""
    # Only now: what it imports takes long, and most songs have no bed.
    from scipy.spatial import ConvexHull

    hull = ConvexHull(vectors)
    planes: list[tuple[NDArray[np.float64], set[int]]] = []
    for simplex, equation in zip(hull.simplices, hull.equations, strict=True):
        for plane, corners in planes:
            if np.abs(plane - equation).max() < _SAME_PLANE:
                corners.update(simplex.tolist())
                break
        else:
            planes.append((equation, set(simplex.tolist())))
    return [_in_order(vectors, sorted(corners)) for _, corners in planes]


def _in_order(vectors: Vectors, corners: Sequence[int]) -> list[int]:
    """Corners as they follow each other around their middle."""
    middle = vectors[list(corners)].mean(axis=0)
    first = vectors[corners[0]] - middle
    first -= middle * (first @ middle) / (middle @ middle)
    across = np.cross(middle, first)
    offsets = [vectors[corner] - middle for corner in corners]
    angles = [float(np.arctan2(offset @ across / np.linalg.norm(middle), offset @ first)) for offset in offsets]
    return [corner for _, corner in sorted(zip(angles, corners, strict=True))]
