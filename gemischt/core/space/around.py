"""A source among the loudspeakers of a bed: by azimuth, elevation and spread.

Spread: multiple-direction amplitude panning (V. Pulkki, "Uniform spreading of amplitude panned virtual sources", IEEE
WASPAA 1999): the gains of directions all over a cap around the source are added, and the power is made 1 again.
"""

from functools import cache, lru_cache

import numpy as np
from numpy.typing import NDArray

from gemischt.core.space.layout import STEREO, LayoutName
from gemischt.core.space.vector_panning import Vectors, panner_of, vectors_of

SIDES_DEG = tuple(channel.azimuth_deg for channel in STEREO.channels)
"""Where left and right of a stereo source stand, seen from the source's place."""
_RINGS, _PER_RING = 6, 24
_KEPT = 8192
"""What moves around is worked out at the same places by everything that hears it."""


@lru_cache(_KEPT)
def around_gains(
    layout: LayoutName, n_channels: int, azimuth_deg: float, elevation_deg: float, spread_deg: float
) -> NDArray[np.float64]:
    """What each loudspeaker gets of each channel of a source, (n_loudspeakers, n_channels); not to be written to.

    Args:
        n_channels: 1, or 2: these are two points, as far apart as a pair of loudspeakers.
        azimuth_deg: -180 to 180, left positive.
        elevation_deg: -90 to 90.
        spread_deg: 0 for a point, 360 for all around.
    """
    sides = SIDES_DEG if n_channels == 2 else (0.0,)
    turned = _turned(np.array([vectors_of(side, 0.0) for side in sides]), azimuth_deg, elevation_deg)
    panner = panner_of(layout)
    if spread_deg <= 0.0:
        gains = panner.gains(turned)
    else:
        caps = [panner.gains(_cap(point, spread_deg)) @ _cap_weights(spread_deg) for point in turned]
        gains = np.stack(caps, axis=1)
        gains /= np.sqrt((gains * gains).sum(axis=0))
    gains.flags.writeable = False
    return gains


def _turned(points: Vectors, azimuth_deg: float, elevation_deg: float) -> Vectors:
    """Points in front, turned upwards, then to the left."""
    up, left = np.deg2rad(elevation_deg), np.deg2rad(azimuth_deg)
    upwards = np.array([[1.0, 0.0, 0.0], [0.0, np.cos(up), -np.sin(up)], [0.0, np.sin(up), np.cos(up)]])
    leftwards = np.array([[np.cos(left), -np.sin(left), 0.0], [np.sin(left), np.cos(left), 0.0], [0.0, 0.0, 1.0]])
    turned: Vectors = points @ (leftwards @ upwards).T
    return turned


def _cap(point: Vectors, spread_deg: float) -> Vectors:
    """Directions all over a cap: the point, and rings around it."""
    helper = np.array([0.0, 0.0, 1.0]) if abs(point[2]) < 0.9 else np.array([0.0, 1.0, 0.0])
    beside = np.cross(point, helper)
    beside /= np.linalg.norm(beside)
    over = np.cross(beside, point)
    out, around = _ring_angles(spread_deg)
    cap: Vectors = (
        np.cos(out)[:, np.newaxis] * point
        + (np.sin(out) * np.cos(around))[:, np.newaxis] * beside
        + (np.sin(out) * np.sin(around))[:, np.newaxis] * over
    )
    return cap


@cache
def _ring_angles(spread_deg: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    rings = np.deg2rad(0.5 * spread_deg) * np.arange(1, _RINGS + 1) / _RINGS
    angles = 2.0 * np.pi * np.arange(_PER_RING) / _PER_RING
    return np.append(np.repeat(rings, _PER_RING), 0.0), np.append(np.tile(angles, _RINGS), 0.0)


def _cap_weights(spread_deg: float) -> NDArray[np.float64]:
    """So much of the cap each direction stands for."""
    out, _ = _ring_angles(spread_deg)
    weights = np.sin(out)
    weights[-1] = np.sin(out[0] / 4.0)
    weights = np.maximum(weights, 1e-9)
    shares: NDArray[np.float64] = weights / weights.sum()
    return shares
