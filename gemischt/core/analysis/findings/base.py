"""What a finding is, and what those who look for them are given."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from gemischt.core.analysis.cache.fingerprints import StripPrints
from gemischt.core.analysis.cache.renders import RenderStore
from gemischt.core.analysis.measurement.results import SongMeasurement, StripMeasurement
from gemischt.core.analysis.sub_sessions.strip import strip_in_song
from gemischt.core.engine.tap_reader import Media
from gemischt.core.session.actions import Action
from gemischt.core.session.document import Session, Strip

Weight = Literal["wrong", "look"]
Look = Literal["Tidy", "Level", "Route", "Duck", "Place", "Print"]


@dataclass(frozen=True)
class Finding:
    """Something worth knowing, with its evidence.

    Attributes:
        kind: what sort it is; ``subject`` tells several of one kind on a strip apart.
        at_s: the moment in the song, if there is one.
        title: what it is; ``evidence``: in numbers; ``why``: why it matters, in one line.
        figures: the numbers alone; a finding put aside comes back when one of them moves by more than a decibel.
        cure: the edit that mends it, None where only a person can say.
        look: the station to look at.
    """

    kind: str
    strip: str
    title: str
    evidence: str
    why: str
    figures: Mapping[str, float]
    weight: Weight = "look"
    subject: str = ""
    at_s: float | None = None
    cure: Action | None = None
    cure_text: str = ""
    look: Look = "Level"

    @property
    def id(self) -> str:
        """The same for the same thing, whatever its figures are."""
        return ":".join(part for part in (self.kind, self.strip, self.subject) if part)

    @property
    def evidence_key(self) -> str:
        """Changes when the evidence does."""
        return ",".join(f"{name}={round(value)}" for name, value in sorted(self.figures.items()))


@dataclass(frozen=True)
class Situation:
    """A session and everything measured of it; ``store`` keeps what examinations measure themselves."""

    session: Session
    media: Media
    measurement: SongMeasurement
    store: RenderStore

    def of(self, strip: Strip) -> StripMeasurement:
        """What was measured of a strip."""
        return self.measurement.strips[strip.id]

    def prints_of(self, strip: Strip) -> StripPrints:
        """Hashes of all that feeds it."""
        return self.measurement.prints[strip.id]

    def in_song(self, strip_id: str) -> tuple[Session, Media]:
        """A strip alone, with what it plays."""
        return strip_in_song(self.session, self.media, self.measurement.prints, self.store, strip_id)

    def name(self, strip_id: str) -> str:
        """A strip's name."""
        return self.session.strip(strip_id).name

    @property
    def tracks(self) -> list[Strip]:
        """Strips that play files."""
        return [strip for strip in self.session.strips if strip.kind == "track"]


def db(value_db: float, *, sign: bool = False, places: int = 1) -> str:
    """A level or a change as evidence writes it."""
    return f"{value_db:{'+' if sign else ''}.{places}f}".replace("-", "−")
