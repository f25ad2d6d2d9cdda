"""Edits of where strips stand."""

from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import parameter
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Pan, Session
from gemischt.core.session.edits import find_strip, names_of, replace_strip
from gemischt.core.terms import Id


class SpreadStrips(Action):
    """Place strips over an arc that reaches from ``-arc`` to ``arc``.

    *mirror* makes pairs in their order, the first one outermost, left and right of the middle; *fan* spreads them
    evenly from left to right; *from-middle* puts the first in the middle and the others beside it in turn.
    """

    type: Literal["spread-strips"] = "spread-strips"
    strips: tuple[Id, ...] = Field(min_length=2, max_length=512)
    how: Literal["mirror", "fan", "from-middle"]
    arc: float = parameter(0.7, 0.0, 1.0, label="Arc")

    def apply(self, session: Session) -> Session:
        if len(set(self.strips)) < len(self.strips):
            raise InvalidAction("a strip is named twice", where=names_of(session, self.strips))
        for strip_id, position in zip(self.strips, self.positions(), strict=True):
            strip = find_strip(session, strip_id)
            session = replace_strip(session, strip.model_copy(update={"pan": placed(strip.pan, position)}))
        return session

    def positions(self) -> list[float]:
        """Where each is put, in their order."""
        n = len(self.strips)
        if self.how == "fan":
            return [round(self.arc * (2.0 * k / (n - 1) - 1.0), 4) for k in range(n)]
        if self.how == "mirror":
            n_pairs = n // 2
            steps = [self.arc * (n_pairs - k // 2) / n_pairs for k in range(2 * n_pairs)]
            paired = [round(-step if k % 2 == 0 else step, 4) for k, step in enumerate(steps)]
            return [*paired, 0.0] if n % 2 else paired
        step = self.arc / max(1, n // 2)
        return [round(step * ((k + 1) // 2) * (-1.0 if k % 2 else 1.0), 4) for k in range(n)]

    def describe(self, session: Session) -> str:
        words = {"mirror": "mirrored in pairs", "fan": "fanned out", "from-middle": "fanned out from the middle"}
        return f"{names_of(session, self.strips)}: {words[self.how]}, {100 * self.arc:.0f} %"


def placed(pan: Pan, position: float) -> Pan:
    """A pan moved to a position; two hands go there together and stay as far apart as there is room for, and around the
    listener left and right are at the ears."""
    if pan.mode == "around":
        return pan.model_copy(update={"azimuth_deg": round(-90.0 * position, 1)})
    if pan.mode != "two-handed":
        return pan.model_copy(update={"position": position})
    half = 0.5 * (pan.right - pan.left)
    left, right = max(-1.0, min(1.0, position - half)), max(-1.0, min(1.0, position + half))
    return pan.model_copy(update={"position": position, "left": left, "right": right})
