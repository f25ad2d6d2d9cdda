"""How far rendering runs ahead of the ear."""

import time

SHORTEST_S = 0.045
"""What an edit has to wait for while all is well."""
LONGEST_S = 0.3
BRACED_S = 0.3
_BRACED_FOR_S = 6.0
_BRACED_AT_FIRST_S = 1.0
"""While a page gets into playing, it has more to do than later."""
BRIDGED_S = 0.2
"""So long rendering goes on without word of what was heard: it is heard all the same."""
_MORE_S = 0.04
_LESS_S = 0.02
_CALM_S = 10.0


class Lead:
    """Grows when the listener ran out of sound, so that a busy machine keeps playing, and shrinks when all is well.

    Time is that of the sound heard, if nothing else is said.
    """

    def __init__(self) -> None:
        self._seconds = SHORTEST_S
        self._missed = 0
        self._heard_s = 0.0
        self._told_s = 0.0
        self._changed_s = 0.0
        self._braced_until_s = 0.0

    @property
    def seconds(self) -> float:
        """How far ahead to be now."""
        return max(self._seconds, BRACED_S) if self._heard_s < self._braced_until_s else self._seconds

    def due_s(self, rendered_s: float) -> float | None:
        """In how many seconds of the clock rendering is to go on from there; None if not before word comes."""
        ahead_s = rendered_s - self._heard_s - self.seconds
        if ahead_s < 0.0:
            return 0.0
        # Nothing goes on by itself before the listener has begun.
        if self._heard_s == 0.0 or ahead_s >= BRIDGED_S:
            return None
        return max(0.0, ahead_s - (time.monotonic() - self._told_s))

    def begin(self) -> None:
        """Heard time begins anew."""
        self._heard_s = self._changed_s = 0.0
        self._braced_until_s = _BRACED_AT_FIRST_S

    def brace(self) -> None:
        """The machine is about to be busy for a moment."""
        self._braced_until_s = self._heard_s + _BRACED_FOR_S

    def relax(self) -> None:
        """Something is about to be changed by hand, and is to be heard soon."""
        self._braced_until_s = self._heard_s

    def heard(self, heard_s: float, missed: int) -> None:
        """So much has been heard, and so many blocks have been missed since the listener is there."""
        self._heard_s, self._told_s = heard_s, time.monotonic()
        if missed > self._missed:
            self._seconds = min(LONGEST_S, self._seconds + _MORE_S)
            self._changed_s = heard_s
        elif self._seconds > SHORTEST_S and heard_s - self._changed_s > _CALM_S:
            self._seconds = max(SHORTEST_S, self._seconds - _LESS_S)
            self._changed_s = heard_s
        self._missed = missed
