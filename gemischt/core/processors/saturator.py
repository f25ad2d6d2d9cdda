"""The saturator: a wave bent at sixteen times the rate."""

import math

import numpy as np
from numpy.polynomial.hermite import hermgauss

from gemischt.core.audio import Audio
from gemischt.core.control import Control, Row
from gemischt.core.dsp import shaping
from gemischt.core.dsp.mixing import delay_in_place
from gemischt.core.dsp.table import Call
from gemischt.core.processors.base import BlockProcessor, Place, row
from gemischt.core.processors.eq import Equalizer
from gemischt.core.processors.eq_params import EqBand, EqParams
from gemischt.core.processors.saturator_params import SaturatorParams
from gemischt.core.units import db_to_gain

_STRONGEST_BIAS = 0.8
_LEAST_BEND = 1e-6
_OFFSET_CORNER_HZ = 2.0
MATCHED_RMS_DBFS = -18.0
"""Noise of this level leaves as loud as it came, if loudness is matched: the level strips are brought to."""
_NODES, _WEIGHTS = hermgauss(64)


def bend_and_rest(params: SaturatorParams) -> tuple[float, float]:
    """How steeply the curve bends, d - 1 / d of the drive's gain d, so that 0 dB bends nothing; and how it leans."""
    drive = db_to_gain(params.drive_db)
    return max(drive - 1.0 / drive, _LEAST_BEND), math.tanh(_STRONGEST_BIAS * params.lean)


def bend(params: SaturatorParams, level: float) -> float:
    """The static curve at a sample value, output and mix left out.

    >>> bend(SaturatorParams(drive_db=0.0), 0.5)
    0.5
    """
    steepness, rest = bend_and_rest(params)
    bent = math.tanh(steepness * level)
    return round(bent / (steepness * (1.0 + rest * bent)), 12)


def matching_gain(params: SaturatorParams) -> float:
    """What makes Gaussian noise of MATCHED_RMS_DBFS as loud after the bend as it was before, by its RMS."""
    steepness, rest = bend_and_rest(params)
    rms = db_to_gain(MATCHED_RMS_DBFS)
    bent = np.tanh(steepness * rms * math.sqrt(2.0) * _NODES)
    left = bent / (steepness * (1.0 + rest * bent))
    weights = _WEIGHTS / _WEIGHTS.sum()
    mean = float(weights @ left)
    return rms / math.sqrt(float(weights @ left**2) - mean * mean)


class Saturator(BlockProcessor):
    """Bends in place.

    State: the ends of the lines between the filters, (n_channels, 14, 64); the input that waits for them,
    (n_channels, 52); the high-pass that takes out what the bend adds and stands still, (n_channels, 2); the tone's
    filter behind it.
    """

    def __init__(self, place: Place, audio: Audio) -> None:
        n = place.n_channels
        kept = np.zeros((n, shaping.LINES, shaping.KEEP), np.float32)
        lines = np.zeros((shaping.LINES, shaping.KEEP + 8 * shaping.SEGMENT), np.float32)
        dry, dry_position = np.zeros((n, shaping.LATENCY_SAMPLES)), np.zeros(1, np.int64)
        offset = np.zeros((n, 2))
        offset_feedback = math.exp(-2.0 * math.pi * _OFFSET_CORNER_HZ / place.sample_rate_hz)
        wet = np.zeros((n, place.max_block))
        filters = (shaping.FIRST, shaping.SECOND, shaping.THIRD, shaping.FOURTH)
        control = Control(4, place.max_block, place.glide_samples)
        moving = (control.pieces, control.coefs)
        self._tone = Equalizer(place, wet)
        self.controls = (control, *self._tone.controls)
        self.state = ((kept, dry, dry_position, offset), *self._tone.state)
        self.calls = (
            Call(shaping.saturate, audio, wet, *moving, *filters, kept, lines),
            Call(delay_in_place, audio, dry, dry_position),
            Call(shaping.take_offset_out, wet, audio, offset_feedback, offset),
            *self._tone.calls,
            Call(shaping.blend_bent, audio, wet, *moving),
        )

    @staticmethod
    def latency_of(params: SaturatorParams, sample_rate_hz: int) -> int:
        return shaping.LATENCY_SAMPLES

    @staticmethod
    def tail_of(params: SaturatorParams, sample_rate_hz: int) -> int:
        return shaping.LATENCY_SAMPLES

    def coefs_of(self, params: SaturatorParams, *, on: bool) -> tuple[Row, ...]:
        output = db_to_gain(params.output_db) * (matching_gain(params) if params.match_loudness else 1.0)
        bands = () if params.tone_hz is None else (EqBand(shape="high-cut", frequency_hz=params.tone_hz),)
        tone = self._tone.coefs_of(EqParams(bands=bands), on=True)
        return row(*bend_and_rest(params), output, params.mix if on else 0.0), *tone
