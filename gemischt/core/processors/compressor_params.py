"""The compressor's parameter table."""

from typing import Literal

from pydantic import Field

from gemischt.core.parameters import FrozenModel, parameter

Detector = Literal["peak", "rms"]


class CompressorParams(FrozenModel):
    """Downward compression of what exceeds the threshold.

    A release that follows is shorter where the signal has peaks: ``release_ms`` is what a sine gets, less the attack.
    ``ratio`` and ``range_db`` may be ``null``: endless ratio, unlimited reduction.
    """

    threshold_db: float = parameter(-24.0, -80.0, 0.0, label="Threshold", unit="dB")
    ratio: float | None = parameter(4.0, 1.0, 100.0, label="Ratio", unit=":1", scale="logarithmic", none="endless")
    knee_db: float = parameter(6.0, 0.0, 36.0, label="Knee", unit="dB")
    attack_ms: float = parameter(5.0, 0.0, 500.0, label="Attack", unit="ms", scale="logarithmic")
    hold_ms: float = parameter(0.0, 0.0, 2000.0, label="Hold", unit="ms")
    release_ms: float = parameter(120.0, 0.0, 5000.0, label="Release", unit="ms", scale="logarithmic")
    range_db: float | None = parameter(None, 0.0, 80.0, label="Range", unit="dB", none="unlimited")
    makeup_db: float = parameter(0.0, -12.0, 36.0, label="Make-up", unit="dB")
    lookahead_ms: float = parameter(0.0, 0.0, 20.0, label="Lookahead", unit="ms", stays=True)
    release: Literal["fixed", "follows"] = Field(default="fixed", title="Release time")
    detector: Detector = "peak"
    rms_ms: float = parameter(10.0, 1.0, 500.0, label="RMS time", unit="ms", scale="logarithmic")
    stereo_link: float = parameter(1.0, 0.0, 1.0, label="Stereo link")
    mix: float = parameter(1.0, 0.0, 1.0, label="Mix")
