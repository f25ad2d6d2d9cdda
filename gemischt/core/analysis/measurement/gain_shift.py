"""Figures of a signal that is only turned up or down: arithmetic instead of measuring."""

import dataclasses
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gemischt.core.engine.placement import centre_gain, pan_matrix
from gemischt.core.metering.loudness import integrated_and_range
from gemischt.core.metering.stage_meter import StageLevels
from gemischt.core.metering.stereo import StereoLevels
from gemischt.core.session.beds import is_around
from gemischt.core.session.document import Session, Strip
from gemischt.core.session.kinds import traits_of
from gemischt.core.units import SILENCE_DB, gain_to_db, power_to_db


@dataclass(frozen=True)
class GainShift:
    """By how much peaks and the louder channel's levels move, and by how much loudness moves, dB."""

    peak_db: float
    loudness_db: float

    @classmethod
    def by_db(cls, gain_db: float) -> "GainShift":
        """The same for all figures."""
        return cls(gain_db, gain_db)


def gain_shift_of(
    session: Session, strip: Strip, n_channels: int, heard_gain: float, *, led: bool = False
) -> GainShift | None:
    """What fader and pan do to a strip's figures; None where channels are not just turned together, or move.

    One channel goes to both sides: peaks follow the louder side, loudness the power of both.
    """
    if led or is_around(strip):
        return None
    if heard_gain == 0.0:
        return GainShift.by_db(SILENCE_DB)
    matrix = pan_matrix(strip.pan, n_channels, session.pan_law_db) * heard_gain
    if n_channels == 1:
        if traits_of(strip).takes_signals:
            matrix = matrix / centre_gain(session.pan_law_db)
        left, right = float(matrix[0, 0]), float(matrix[1, 0])
        return GainShift(gain_to_db(max(abs(left), abs(right))), power_to_db(left * left + right * right))
    if strip.width == 1.0 and np.array_equal(matrix, heard_gain * np.eye(n_channels)):
        return GainShift.by_db(gain_to_db(heard_gain) + (strip.width_level_db if n_channels == 2 else 0.0))
    return None


def turned_stereo(levels: StereoLevels, turn: GainShift) -> StereoLevels:
    """The same of stereo figures: only how much there is of the lows moves."""
    return dataclasses.replace(levels, lows_rms_dbfs=levels.lows_rms_dbfs + turn.peak_db)


def turned(levels: StageLevels, turn: GainShift, hop_powers: NDArray[np.float64]) -> StageLevels:
    """The levels of the turned signal. Overs are right only while the peak stays under full scale, or nothing turns.

    Args:
        hop_powers: the signal's K-weighted mean squares in each 100 ms, its channels added up.
    """
    if turn == GainShift(0.0, 0.0):
        return levels
    integrated_lufs, loudness_range_lu = integrated_and_range(hop_powers * math.pow(10.0, turn.loudness_db / 10.0))
    over = levels.sample_peak_dbfs + turn.peak_db > 0.0
    return dataclasses.replace(
        levels,
        sample_peak_dbfs=levels.sample_peak_dbfs + turn.peak_db,
        true_peak_dbtp=levels.true_peak_dbtp + turn.peak_db,
        rms_dbfs=levels.rms_dbfs + turn.peak_db,
        vu_dbfs=levels.vu_dbfs + turn.peak_db,
        integrated_lufs=integrated_lufs,
        max_short_term_lufs=levels.max_short_term_lufs + turn.loudness_db,
        max_momentary_lufs=levels.max_momentary_lufs + turn.loudness_db,
        loudness_range_lu=loudness_range_lu,
        crest_db=0.0 if turn.peak_db == SILENCE_DB else levels.crest_db,
        dc=float(levels.dc * math.pow(10.0, turn.peak_db / 20.0)),
        overs=levels.overs if over else 0,
        first_over_s=levels.first_over_s if over else None,
    )
