"""How far rendering runs ahead of the ear."""

SHORTEST_S = 0.08
"""What an edit has to wait for while all is well."""
LONGEST_S = 0.3
_MORE_S = 0.04
_LESS_S = 0.02
_CALM_S = 15.0


class Lead:
    """Grows when the listener ran out of sound, so that a busy machine keeps playing, and shrinks when all is well.

    Time is that of the sound heard.
    """

    def __init__(self) -> None:
        self.seconds = SHORTEST_S
        self._missed = 0
        self._changed_s = 0.0

    def begin(self) -> None:
        """Heard time begins anew."""
        self._changed_s = 0.0

    def heard(self, heard_s: float, missed: int) -> None:
        """So much has been heard, and so many blocks have been missed since the listener is there."""
        if missed > self._missed:
            self.seconds = min(LONGEST_S, self.seconds + _MORE_S)
            self._changed_s = heard_s
        elif self.seconds > SHORTEST_S and heard_s - self._changed_s > _CALM_S:
            self.seconds = max(SHORTEST_S, self.seconds - _LESS_S)
            self._changed_s = heard_s
        self._missed = missed
