"""Where a signal is heard around the listener, and how far it is spread.

From powers of all channels in ERB bands, five times a second (core.metering.bands), behind the fader. Of a band at a
moment, the energy vector of M. A. Gerzon, "General metatheory of auditory localisation", AES 92nd Convention, 1992,
from memory, is the mean of the loudspeakers' directions, each by its power. A signal's direction is that of the mean
of its bands' and moments', weighted by loudness as between left and right; it is spread as far as the cap over which
an even spread has a mean of that length, (1 + cos(half of it)) / 2. Low-frequency effects have no direction.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gemischt.core.space.layout import Layout, LayoutName
from gemischt.core.space.vector_panning import vectors_of
from gemischt.core.units import power_to_db

LOUDNESS_EXPONENT = 0.3
HEARD_DB = 60.0
"""What is further below the loudest moment does not count."""
_TRAVEL_POINTS = 32
_SILENT = 1e-20


@dataclass(frozen=True)
class BedPlace:
    """Where a strip is heard in its layout.

    Attributes:
        azimuth_deg: left positive, as ``elevation_deg`` is upwards.
        spread_deg: 0 for a point, 360 for all around; a point between loudspeakers is as wide as they are apart.
        rms_dbfs: of all channels together, within the bands.
        channels_dbfs: RMS of each channel within the bands; None for silence.
        travel: azimuth and elevation over the song, of what moves.
    """

    layout: LayoutName
    azimuth_deg: float
    elevation_deg: float
    spread_deg: float
    rms_dbfs: float
    channels_dbfs: tuple[float | None, ...]
    travel: tuple[tuple[float, float], ...] = ()


def bed_place_of(powers: NDArray[np.float64], layout: Layout, *, travels: bool = False) -> BedPlace | None:
    """Where a signal with such powers is heard, (n_moments, N_BANDS, n_channels); None for silence."""
    heard_by = np.array([not channel.is_lfe for channel in layout.channels])
    ways = np.array([vectors_of(channel.azimuth_deg, channel.elevation_deg) for channel in layout.channels])
    placed = powers * heard_by
    total = placed.sum(axis=-1)
    moments = total.sum(axis=1)
    if not len(moments) or moments.max() <= _SILENT:
        return None
    heard = (moments > moments.max() * 10.0 ** (-HEARD_DB / 10.0))[:, np.newaxis] & (total > _SILENT)
    weights = np.where(heard, total, 0.0) ** LOUDNESS_EXPONENT * heard
    vectors = (placed @ ways) / np.where(heard, total, 1.0)[..., np.newaxis]
    mean = (weights[..., np.newaxis] * vectors).sum(axis=(0, 1)) / weights.sum()
    azimuth_deg, elevation_deg = _angles(mean)
    each = powers.sum(axis=(0, 1)) / len(powers)
    return BedPlace(
        layout=layout.name,
        azimuth_deg=azimuth_deg,
        elevation_deg=elevation_deg,
        spread_deg=float(np.rad2deg(2.0 * np.arccos(np.clip(2.0 * np.linalg.norm(mean) - 1.0, -1.0, 1.0)))),
        rms_dbfs=power_to_db(float(each.sum())),
        channels_dbfs=tuple(power_to_db(float(power)) if power > _SILENT else None for power in each),
        travel=_travel(vectors, weights) if travels else (),
    )


def _angles(vector: NDArray[np.float64]) -> tuple[float, float]:
    x, y, z = (float(part) for part in vector)
    return float(np.rad2deg(np.arctan2(-x, y))), float(np.rad2deg(np.arctan2(z, np.hypot(x, y))))


def _travel(vectors: NDArray[np.float64], weights: NDArray[np.float64]) -> tuple[tuple[float, float], ...]:
    """Directions of stretches that are heard, in their order."""
    points = []
    for part in np.array_split(np.arange(len(vectors)), min(_TRAVEL_POINTS, len(vectors))):
        if weights[part].sum() > 0.0:
            mean = (weights[part][..., np.newaxis] * vectors[part]).sum(axis=(0, 1))
            azimuth_deg, elevation_deg = _angles(mean)
            points.append((round(azimuth_deg, 1), round(elevation_deg, 1)))
    return tuple(points)
