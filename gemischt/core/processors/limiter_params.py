"""The limiter's parameter table."""

from gemischt.core.parameters import FrozenModel, parameter


class LimiterParams(FrozenModel):
    """Holds true peaks under a ceiling; ``input_db`` pushes against it."""

    input_db: float = parameter(0.0, -12.0, 24.0, label="Input", unit="dB")
    ceiling_dbtp: float = parameter(-1.0, -24.0, 0.0, label="Ceiling", unit="dBTP")
    lookahead_ms: float = parameter(2.0, 0.5, 10.0, label="Lookahead", unit="ms", stays=True)
    release_ms: float = parameter(80.0, 1.0, 2000.0, label="Release", unit="ms", scale="logarithmic")
