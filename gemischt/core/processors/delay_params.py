"""The delay's parameter table."""

from typing import Literal

from pydantic import Field

from gemischt.core.parameters import FrozenModel, cut, parameter

NoteValue = Literal[
    "1/1", "1/2", "1/4", "1/8", "1/16", "1/32",
    "1/1.", "1/2.", "1/4.", "1/8.", "1/16.", "1/32.",
    "1/1T", "1/2T", "1/4T", "1/8T", "1/16T", "1/32T",
]  # fmt: skip
LONGEST_MS = 4000.0
LONGEST_NOTE_S = 30.0


class DelayParams(FrozenModel):
    """Repeats. ``note`` counts instead of ``time_ms`` while it is given: "1/8" straight, "1/8." dotted, "1/8T" triplet.

    The cuts lie inside the feedback, so that each repeat is filtered once more; null leaves that side open.
    """

    time_ms: float = parameter(350.0, 1.0, LONGEST_MS, label="Time", unit="ms", scale="logarithmic")
    note: NoteValue | None = Field(default=None, title="Note", json_schema_extra={"none": "free"})
    feedback: float = parameter(0.35, 0.0, 0.998, label="Feedback")
    ping_pong: bool = False
    low_cut_hz: float | None = cut("Low cut", 20.0, 5000.0)
    high_cut_hz: float | None = cut("High cut", 200.0, 20000.0)
    width: float = parameter(1.0, 0.0, 2.0, label="Width")
    wet: float = parameter(1.0, 0.0, 1.0, label="Wet")
