"""The saturator's parameter table."""

from gemischt.core.parameters import FrozenModel, cut, parameter


class SaturatorParams(FrozenModel):
    """Rounds off what is loud; 0 dB of drive leaves everything as it is.

    ``lean`` bends one half of the wave more than the other, which adds even harmonics. ``tone_hz`` cuts the highs
    after the bend; null leaves them. ``match_loudness`` makes up for what the bend takes: noise of -18 dBFS RMS leaves
    as loud as it came; without it quiet signals keep their level, and loud ones lose some.
    """

    drive_db: float = parameter(6.0, 0.0, 36.0, label="Drive", unit="dB")
    lean: float = parameter(0.0, 0.0, 1.0, label="Lean")
    tone_hz: float | None = cut("Tone", 500.0, 20000.0)
    match_loudness: bool = True
    output_db: float = parameter(0.0, -24.0, 24.0, label="Output", unit="dB")
    mix: float = parameter(1.0, 0.0, 1.0, label="Mix")
