"""Where a signal is heard between left and right, and how wide.

All from powers of both channels in ERB bands, five times a second (core.metering.bands), behind the fader. Of a band at
a moment, with left's power L, right's R and what they have in common C:

- direction: the energy vector of M. A. Gerzon, "General metatheory of auditory localisation", AES 92nd Convention, 1992
  (from memory), points to m = (R - L) / (R + L) of the way between the loudspeakers; (2 / pi) asin(m) of that is the
  position that a pan of constant power has for it, -1 left, 1 right.
- unlike share d: twice the smaller eigenvalue of the powers' matrix over their sum: 0 where both channels are alike but
  for a gain, 1 for unrelated ones and for opposed ones. That part comes from both sides: its variance is 1 - m^2.

A strip's direction is the mean of its bands' and moments', weighted by loudness, (L + R)^0.3 (S. S. Stevens, "The
measurement of loudness", JASA 27, 1955, from memory). Its arc reaches as far as that of an even spread with the same
variance, sqrt(3) standard deviations either side, and not beyond the loudspeakers.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.reports.bed_place import HEARD_DB, LOUDNESS_EXPONENT, BedPlace
from gemischt.core.metering.bands import CENTRES_HZ, LL, LR, RR
from gemischt.core.units import power_to_db

BAND_HEARD_DB = 40.0
RANGES_HZ = (200.0, 4000.0)
"""Lows, middle and highs; common practice, no source."""
MIDDLE = 1.0 / 3.0
_TRAVEL_POINTS = 32


@dataclass(frozen=True)
class StagePlace:
    """Where a strip is heard.

    Attributes:
        position: -1 left, 1 right, and ``reach`` how far its arc goes either side of it, 0 to 1.
        correlation: of left and right, over all; None for silence.
        band_correlations: the same of each of the bands at ``metering.bands.CENTRES_HZ``; None for those that are
            ``BAND_HEARD_DB`` below the loudest.
        mono_loss_db: what is lost when both are averaged.
        outside: of lows, middle and highs the share of the power that comes from outside the middle third.
        rms_dbfs: of both channels, mean.
        balance_db: right's power over left's.
        centre_hz: the middle of its spectrum, weighted by loudness, on a logarithmic scale.
        wet_db: what returns bring of it over what it brings itself; None where no return has any.
        kept_db: what width and pan leave of its power; None where they move.
        width_lu: how much louder width makes it, before that is made up for; None of one channel, or where it moves.
        decorrelated_loss_db: what mono would take of it behind a widener, and ``offset_loss_db`` of one by an offset.
        gains: what each channel that leaves it gets of each of its own by width and pan, (n_out, n_channels).
        travel: position over the song, of what moves.
        bed: where it is heard around the listener.
    """

    position: float
    reach: float
    correlation: float | None
    mono_loss_db: float
    band_correlations: tuple[float | None, ...]
    outside: tuple[float, float, float]
    rms_dbfs: float
    balance_db: float
    centre_hz: float
    wet_db: float | None = None
    kept_db: float | None = None
    width_lu: float | None = None
    decorrelated_loss_db: float | None = None
    offset_loss_db: float | None = None
    gains: tuple[tuple[float, ...], ...] = ()
    travel: tuple[float, ...] = ()
    bed: BedPlace | None = None


def place_from(written: Mapping[str, Any]) -> StagePlace:
    """A place that was written as a mapping."""
    lists = {name: tuple(written[name]) for name in ("outside", "band_correlations", "travel")}
    bed = written["bed"]
    if bed is not None:
        travel = tuple((azimuth, elevation) for azimuth, elevation in bed["travel"])
        bed = BedPlace(**bed | {"channels_dbfs": tuple(bed["channels_dbfs"]), "travel": travel})
    return StagePlace(**{**written, **lists, "gains": tuple(tuple(row) for row in written["gains"]), "bed": bed})


def place_of(powers: NDArray[np.float64], *, travels: bool = False) -> StagePlace | None:
    """Where a signal with such band powers is heard, (n_moments, N_BANDS, 3); None for silence."""
    left, right, both = powers[..., LL], powers[..., RR], powers[..., LR]
    total = left + right
    moments = total.sum(axis=1)
    if not len(moments) or moments.max() <= 1e-20:
        return None
    heard = (moments > moments.max() * 10.0 ** (-HEARD_DB / 10.0))[:, np.newaxis] & (total > 1e-20)
    safe = np.where(heard, total, 1.0)
    m = np.clip(np.where(heard, (right - left) / safe, 0.0), -1.0, 1.0)
    unlike = np.where(heard, unlike_share(left, right, both), 0.0)
    weight = np.where(heard, total, 0.0) ** LOUDNESS_EXPONENT * heard
    position = (2.0 / np.pi) * np.arcsin(m)
    mean = float(np.average(position, weights=weight))
    variance = float(np.average((position - mean) ** 2 + unlike * (1.0 - m * m), weights=weight))
    sums = left.sum(), right.sum(), both.sum()
    middle_power = 0.25 * (sums[0] + sums[1] + 2.0 * sums[2])
    n = len(moments)
    return StagePlace(
        position=mean,
        reach=min(1.0, float(np.sqrt(3.0 * max(0.0, variance)))),
        correlation=_correlation(*sums),
        band_correlations=_band_correlations(powers),
        mono_loss_db=power_to_db(0.5 * float(sums[0] + sums[1])) - power_to_db(float(max(middle_power, 1e-20))),
        outside=_outside(position, unlike, np.where(heard, total, 0.0)),
        rms_dbfs=power_to_db(0.5 * float(sums[0] + sums[1]) / n),
        balance_db=power_to_db(float(sums[1]) + 1e-20) - power_to_db(float(sums[0]) + 1e-20),
        centre_hz=float(np.exp(np.average(np.log(CENTRES_HZ), weights=weight.sum(axis=0)))),
        travel=_travel(position, weight) if travels else (),
    )


def _travel(position: NDArray[np.float64], weight: NDArray[np.float64]) -> tuple[float, ...]:
    """Positions of stretches that are heard, in their order."""
    parts = np.array_split(np.arange(len(position)), min(_TRAVEL_POINTS, len(position)))
    heard = [part for part in parts if weight[part].sum() > 0.0]
    return tuple(round(float(np.average(position[part], weights=weight[part])), 3) for part in heard)


def _correlation(left: float, right: float, both: float) -> float | None:
    product = float(np.sqrt(left * right))
    return None if product <= 0.0 else float(np.clip(both / product, -1.0, 1.0))


def _band_correlations(powers: NDArray[np.float64]) -> tuple[float | None, ...]:
    bands = powers.sum(axis=0)
    totals = bands[:, LL] + bands[:, RR]
    heard = totals > totals.max() * 10.0 ** (-BAND_HEARD_DB / 10.0)
    return tuple(_correlation(*band) if is_heard else None for band, is_heard in zip(bands, heard, strict=True))


def unlike_share(
    left: NDArray[np.float64], right: NDArray[np.float64], both: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Of what two channels hold, the share that is not alike in both; what is opposed counts as unrelated."""
    total = left + right
    alike = np.maximum(both, 0.0)
    root = np.sqrt((left - right) ** 2 + 4.0 * alike * alike)
    return np.clip((total - root) / np.maximum(total, 1e-20), 0.0, 1.0)


def _outside(
    position: NDArray[np.float64], unlike: NDArray[np.float64], power: NDArray[np.float64]
) -> tuple[float, float, float]:
    """What is alike lies at its position; what is not, everywhere."""
    share = (1.0 - unlike) * (np.abs(position) > MIDDLE) + unlike * (1.0 - MIDDLE)
    found = []
    for low_hz, high_hz in zip((0.0, *RANGES_HZ), (*RANGES_HZ, np.inf), strict=True):
        bands = (low_hz <= CENTRES_HZ) & (high_hz > CENTRES_HZ)
        there = float(power[:, bands].sum())
        found.append(float((share[:, bands] * power[:, bands]).sum()) / there if there > 0.0 else 0.0)
    return found[0], found[1], found[2]
