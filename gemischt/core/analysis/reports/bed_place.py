"""Where a signal is heard around the listener, and how far it is spread.

From powers of all channels in ERB bands, five times a second (core.metering.bands), behind the fader. Of a band at a
moment, the energy vector of M. A. Gerzon, "General metatheory of auditory localisation", AES 92nd Convention, 1992,
from memory, is the mean of the loudspeakers' directions, each by its power. Its mean over bands and moments is weighted
by loudness as between left and right. The direction is the one to which a point is panned that has its vector there;
the vector's length, as a share of that point's, says the spread: that of the cap over which an even spread has a mean
of that length, (1 + cos(half of it)) / 2. Low-frequency effects have no direction.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gemischt.core.space.layout import Layout, LayoutName
from gemischt.core.space.vector_panning import panner_of, vectors_of
from gemischt.core.units import power_to_db

LOUDNESS_EXPONENT = 0.3
HEARD_DB = 60.0
"""What is further below the loudest moment does not count."""
_TRAVEL_POINTS = 32
_SILENT = 1e-20
_NOWHERE = 1e-6
_AIMED_AGAIN = 30


@dataclass(frozen=True)
class BedPlace:
    """Where a strip is heard in its layout.

    Attributes:
        azimuth_deg: left positive, as ``elevation_deg`` is upwards.
        spread_deg: 0 for a point, 360 for all around; None between left and right, whose powers do not say it.
        rms_dbfs: of all channels together, within the bands.
        channels_dbfs: RMS of each channel within the bands; None for silence.
        travel: azimuth and elevation over the song, of what moves.
    """

    layout: LayoutName
    azimuth_deg: float
    elevation_deg: float
    spread_deg: float | None
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
    aimed, point_length = _aimed(mean, layout, ways)
    share = float(np.linalg.norm(mean)) / max(point_length, _NOWHERE)
    spread_deg = float(np.rad2deg(2.0 * np.arccos(np.clip(2.0 * share - 1.0, -1.0, 1.0))))
    azimuth_deg, elevation_deg = _angles(aimed)
    each = powers.sum(axis=(0, 1)) / len(powers)
    return BedPlace(
        layout=layout.name,
        azimuth_deg=azimuth_deg,
        elevation_deg=elevation_deg,
        spread_deg=None if layout.n_channels <= 2 else spread_deg,
        rms_dbfs=power_to_db(float(each.sum())),
        channels_dbfs=tuple(power_to_db(float(power)) if power > _SILENT else None for power in each),
        travel=tuple(_angles(_aimed(point, layout, ways)[0]) for point in _travel(vectors, weights)) if travels else (),
    )


def _aimed(mean: NDArray[np.float64], layout: Layout, ways: NDArray[np.float64]) -> tuple[NDArray[np.float64], float]:
    """Where a point is panned to whose vector has the direction of ``mean``, and how long that is."""
    wanted = mean / max(float(np.linalg.norm(mean)), _NOWHERE)
    if layout.n_channels <= 2:
        return wanted, 1.0
    panner, aimed, long = panner_of(layout.name), wanted, 1.0
    for _ in range(_AIMED_AGAIN):
        # A point is not quite heard where it is panned to: aim beside by as much.
        gains = panner.gains(aimed[np.newaxis])[:, 0]
        point = (gains * gains) @ ways
        long = float(np.linalg.norm(point))
        aimed = aimed + wanted - point / max(long, _NOWHERE)
        aimed = aimed / max(float(np.linalg.norm(aimed)), _NOWHERE)
    return aimed, long


def _angles(vector: NDArray[np.float64]) -> tuple[float, float]:
    """Azimuth and elevation, degrees."""
    x, y, z = (float(part) for part in vector)
    return round(float(np.rad2deg(np.arctan2(-x, y))), 2), round(float(np.rad2deg(np.arctan2(z, np.hypot(x, y)))), 2)


def _travel(vectors: NDArray[np.float64], weights: NDArray[np.float64]) -> Iterator[NDArray[np.float64]]:
    """Mean vectors of stretches that are heard, in their order."""
    for part in np.array_split(np.arange(len(vectors)), min(_TRAVEL_POINTS, len(vectors))):
        if weights[part].sum() > 0.0:
            yield (weights[part][..., np.newaxis] * vectors[part]).sum(axis=(0, 1)) / weights[part].sum()
