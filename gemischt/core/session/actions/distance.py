"""How far away strips stand: level, highs and what returns bring, by one figure."""

from typing import Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import HIGHEST_LEVEL_DB, LOWEST_LEVEL_DB, same_as
from gemischt.core.processors.eq_params import EqBand, EqParams
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Eq, Send, Session, Strip
from gemischt.core.session.edits import find_strip, names_of, replace_strip
from gemischt.core.space.distance import air_absorption_db_per_m, distance_to_db
from gemischt.core.terms import Id

AIR = "air"
"""The equaliser that takes what the air takes."""
AIR_SHELF_HZ = 8000.0
RECORDED_FROM_M = 1.0
"""So much air is in the recording already; common practice, no source."""
LEAST_AIR_DB = 0.05
MOST_AIR_DB = -24.0
Part = Literal["level", "highs", "send"]


class SetDistance(Action):
    """Let strips stand so far away.

    *level*: the fader follows 1 / r from where it stood. *highs*: an equaliser "air" at the chain's end takes at 8 kHz,
    where its shelf is half way down, what the air takes beyond the first metre. *send*: what returns get stays, as a
    room answers everywhere alike, so that sends behind the fader rise by what the fader falls. Each is an ordinary
    setting afterwards.
    """

    type: Literal["set-distance"] = "set-distance"
    strips: tuple[Id, ...] = Field(min_length=1, max_length=512)
    distance_m: float = same_as(Strip, "distance_m")
    parts: tuple[Part, ...] = ("level", "highs", "send")

    def apply(self, session: Session) -> Session:
        for strip_id in self.strips:
            session = replace_strip(session, self._placed(session, find_strip(session, strip_id)))
        return session

    def _placed(self, session: Session, strip: Strip) -> Strip:
        if strip.kind == "mix":
            raise InvalidAction("the mix is where the listener is", where=strip.name, remedy="Move strips instead.")
        by_db = distance_to_db(self.distance_m, before_m=strip.distance_m)
        changes: dict[str, object] = {"distance_m": self.distance_m}
        if "level" in self.parts and strip.fader_db is not None:
            changes["fader_db"] = _held(strip.fader_db + by_db)
            by_db = _held(strip.fader_db + by_db) - strip.fader_db
            if "send" in self.parts:
                changes["sends"] = tuple(_raised(session, send, -by_db) for send in strip.sends)
        if "highs" in self.parts:
            changes["chain"] = _through_air(strip, self.distance_m)
        return strip.model_copy(update=changes)

    def describe(self, session: Session) -> str:
        return f"{names_of(session, self.strips)}: {self.distance_m:.3g} m away"


def _raised(session: Session, send: Send, by_db: float) -> Send:
    if send.tap != "post-fader" or send.level_db is None or session.strip(send.to).kind != "return":
        return send
    return send.model_copy(update={"level_db": _held(send.level_db + by_db)})


def _held(level_db: float) -> float:
    return round(min(HIGHEST_LEVEL_DB, max(LOWEST_LEVEL_DB, level_db)), 2)


def _through_air(strip: Strip, distance_m: float) -> tuple[object, ...]:
    """The chain with the air's equaliser as it is for a distance; none where it takes nothing that is heard."""
    taken_db = max(0.0, distance_m - RECORDED_FROM_M) * air_absorption_db_per_m(AIR_SHELF_HZ)
    gain_db = round(max(MOST_AIR_DB, -2.0 * taken_db), 2)
    band = EqBand(shape="high-shelf", frequency_hz=AIR_SHELF_HZ, gain_db=gain_db)
    rest = tuple(processor for processor in strip.chain if processor.id != AIR)
    if gain_db > -LEAST_AIR_DB:
        return rest
    at = next((index for index, processor in enumerate(strip.chain) if processor.id == AIR), len(rest))
    air = Eq(id=AIR, params=EqParams(bands=(band,)))
    return (*rest[:at], air, *rest[at:])
