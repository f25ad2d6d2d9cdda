"""The delay's parameter table."""

from pydantic import Field

from gemischt.core.parameters import FrozenModel, parameter

LONGEST_MS = 4000.0
LONGEST_NOTE_S = 30.0


class DelayParams(FrozenModel):
    """Repeats. ``note`` counts instead of ``time_ms`` while it is given: "1/8" straight, "1/8." dotted, "1/8T" triplet.

    The cuts lie inside the feedback, so that each repeat is filtered once more; null leaves that side open.
    """

    time_ms: float = parameter(350.0, 1.0, LONGEST_MS, label="Time", unit="ms", scale="logarithmic")
    note: str | None = Field(default=None, pattern=r"^1/(1|2|4|8|16|32)[.T]?$", title="Note")
    feedback: float = parameter(0.35, 0.0, 0.98, label="Feedback")
    ping_pong: bool = False
    low_cut_hz: float | None = parameter(None, 20.0, 5000.0, label="Low cut", unit="Hz", scale="logarithmic")
    high_cut_hz: float | None = parameter(None, 200.0, 20000.0, label="High cut", unit="Hz", scale="logarithmic")
    width: float = parameter(1.0, 0.0, 2.0, label="Width")
    wet: float = parameter(1.0, 0.0, 1.0, label="Wet")
