"""Curves of processors, as points to draw."""

import numpy as np
from numpy.typing import NDArray

from gemischt.core.processors import compressor, eq, gate, saturator
from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.processors.eq_params import EqParams
from gemischt.core.processors.gate_params import GateParams
from gemischt.core.processors.saturator_params import SaturatorParams

CURVE_FREQUENCIES_HZ: NDArray[np.float64] = np.geomspace(20.0, 20000.0, 160)
CURVE_INPUTS_DB: NDArray[np.float64] = np.arange(-72.0, 1.0, 1.0)
CURVE_LEVELS: NDArray[np.float64] = np.linspace(-1.0, 1.0, 61)


def eq_curve_db(params: EqParams, sample_rate_hz: float) -> list[float]:
    """Gain at each of CURVE_FREQUENCIES_HZ."""
    return [round(float(gain), 3) for gain in eq.response_db(params, CURVE_FREQUENCIES_HZ, sample_rate_hz)]


def transfer_curve_db(params: CompressorParams) -> list[float]:
    """Steady output at each of CURVE_INPUTS_DB, make-up and mix left out."""
    return [round(float(level), 3) for level in compressor.static_curve_db(params, CURVE_INPUTS_DB)]


def gate_curve_db(params: GateParams) -> list[float]:
    """Steady output at each of CURVE_INPUTS_DB of what has come from below."""
    return [round(float(level), 3) for level in gate.static_curve_db(params, CURVE_INPUTS_DB)]


def bend_curve(params: SaturatorParams) -> list[float]:
    """Sample value out at each of CURVE_LEVELS, output and mix left out."""
    return [round(saturator.bend(params, float(level)), 4) for level in CURVE_LEVELS]
