"""What can go wrong. Every error says what, where, and what to do.

GemischtError
├── InvalidSession      the document breaks a rule; carries every fault
├── InvalidAction       an edit cannot be made
├── BadAudio            a file or a signal that is not usable audio
├── BadMidi             a file that is not usable as MIDI
├── NotFound            a name or id that nothing bears
├── RevisionConflict    the document moved on since the client read it
├── StorageFailed       the disk said no
├── TooMuch             more is asked for than is done at a time
└── Cancelled           the user stopped it
"""

from dataclasses import dataclass


class GemischtError(Exception):
    """Base of all our errors.

    Args:
        what: the fault in one sentence.
        where: file, strip or path it concerns.
        remedy: what the user can do.
    """

    def __init__(self, what: str, *, where: str = "", remedy: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.where = where
        self.remedy = remedy

    def __str__(self) -> str:
        place = f"{self.where}: " if self.where else ""
        remedy = f" {self.remedy}" if self.remedy else ""
        return f"{place}{self.what}{remedy}"


@dataclass(frozen=True)
class Fault:
    """One broken rule: the path into the document and the reason."""

    path: str
    reason: str


class InvalidSession(GemischtError):
    """The session document breaks at least one rule."""

    def __init__(self, faults: list[Fault], *, where: str = "") -> None:
        listed = "; ".join(f"{fault.path}: {fault.reason}" for fault in faults)
        super().__init__(listed, where=where)
        self.faults = faults


class InvalidAction(GemischtError):
    """The edit cannot be made on this document."""


class BadAudio(GemischtError):
    """A file or signal that cannot be used as audio."""


class BadMidi(GemischtError):
    """A file that cannot be used as a song's beat."""


class NotFound(GemischtError):
    """Nothing bears this name or id."""


class RevisionConflict(GemischtError):
    """The document has been edited since the given revision."""


class StorageFailed(GemischtError):
    """The disk or database refused."""


class TooMuch(GemischtError):
    """More waits already than is done at a time."""


class Cancelled(GemischtError):
    """Stopped on request."""
