"""The gate's parameter table."""

from gemischt.core.parameters import FrozenModel, parameter, same_as
from gemischt.core.processors.compressor_params import CompressorParams, Detector


class GateParams(FrozenModel):
    """Downward expansion of what lies below a threshold; an endless ratio is a gate.

    It opens at the threshold and closes ``hysteresis_db`` below it, when ``hold_ms`` have passed. ``range_db`` null
    closes it all the way.
    """

    threshold_db: float = parameter(-40.0, -80.0, 0.0, label="Threshold", unit="dB")
    ratio: float | None = parameter(None, 1.0, 100.0, label="Ratio", unit=":1", scale="logarithmic", none="endless")
    range_db: float | None = parameter(None, 0.0, 80.0, label="Range", unit="dB", none="unlimited")
    hysteresis_db: float = parameter(4.0, 0.0, 24.0, label="Hysteresis", unit="dB")
    attack_ms: float = parameter(1.0, 0.0, 500.0, label="Attack", unit="ms", scale="logarithmic")
    hold_ms: float = parameter(20.0, 0.0, 2000.0, label="Hold", unit="ms")
    release_ms: float = parameter(120.0, 0.0, 5000.0, label="Release", unit="ms", scale="logarithmic")
    lookahead_ms: float = same_as(CompressorParams, "lookahead_ms")
    detector: Detector = "peak"
    rms_ms: float = same_as(CompressorParams, "rms_ms")
    stereo_link: float = same_as(CompressorParams, "stereo_link")
