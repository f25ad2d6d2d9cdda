"""The edit that lets strips make room for another, in one of the usual ways."""

from typing import Any, Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.keys import DetectorFilter, Key
from gemischt.core.parameters import same_as
from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.processors.eq_params import EqBand, EqParams
from gemischt.core.processors.filter_band import FilterBand
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.actions.base import Action
from gemischt.core.session.actions.ducks import AddDuck
from gemischt.core.session.document import Compressor, Eq, Lane, Parallel, Processor, Session, Split, Strip
from gemischt.core.session.ducks import Hits, Repeat
from gemischt.core.session.edits import find_strip, fresh_id, names_of, replace_strip
from gemischt.core.session.kinds import traits_of
from gemischt.core.session.ways import (
    COMPRESSORS,
    DIP,
    DIP_BELOW_DB,
    DIP_HZ,
    DIP_OVER_DB,
    LOWS,
    LOWS_BELOW_HZ,
    LOWS_HEARD_FROM_HZ,
    SWELL,
    THRESHOLD_BELOW_DB,
    WAY_LABELS,
    WayName,
)
from gemischt.core.terms import Id, Tap


class MakeRoom(Action):
    """Let strips make room for a trigger, in one of the usual ways.

    ``at_hz`` is where one band does, ``heard_dbfs`` how loud the trigger is there: thresholds lie below that. A bus or
    return that is its own trigger makes room for what feeds it: what comes to its chain.
    """

    type: Literal["make-room"] = "make-room"
    targets: tuple[Id, ...] = Field(min_length=1, max_length=64)
    trigger: Id
    way: WayName
    at_hz: float = same_as(FilterBand, "frequency_hz", default=DIP_HZ)
    heard_dbfs: float | None = Field(default=None, ge=-60.0, le=0.0)

    def apply(self, session: Session) -> Session:
        trigger = find_strip(session, self.trigger)
        if trigger.id in self.targets and not traits_of(trigger).takes_signals:
            raise InvalidAction("it cannot make room for itself", where=trigger.name, remedy="Choose another trigger.")
        if not self.way.startswith("drawn"):
            for strip_id in self.targets:
                strip = find_strip(session, strip_id)
                session = replace_strip(session, strip.model_copy(update={"chain": (*strip.chain, self._made(strip))}))
            return session
        at_hits = self.way == "drawn-at-hits"
        clock = Hits(source=trigger.id, tap=self._tap(self.targets[0])) if at_hits else Repeat(note="1/4")
        name = f"After {trigger.name}" if at_hits else "On the beat"
        return AddDuck(name=name, clock=clock, curve=SWELL, strips=self.targets).apply(session)

    def _tap(self, target: str) -> Tap:
        return "pre-chain" if target == self.trigger else "pre-fader"

    def _key(self, strip: Strip) -> Key:
        return Key(source=self.trigger, tap=self._tap(strip.id))

    def _made(self, strip: Strip) -> Processor:
        if self.way == "lows-alone":
            return self._lows_alone(strip)
        return self._one_band(strip) if self.way == "one-band" else self._compressor(strip)

    def _one_band(self, strip: Strip) -> Eq:
        told: dict[str, Any] = {"key": self._key(strip)}
        if self.heard_dbfs is not None:
            full_db = self.heard_dbfs - DIP_BELOW_DB
            told |= {"full_level_db": full_db, "from_level_db": full_db - DIP_OVER_DB}
        band = EqBand(id="b1", frequency_hz=self.at_hz, q=1.0, motion=DIP.model_copy(update=told))
        return Eq(id=_free_id(strip, "dip"), params=EqParams(bands=(band,), near_nyquist="analogue"))

    def _compressor(self, strip: Strip) -> Compressor:
        params = self._heard_well(COMPRESSORS[self.way])
        return Compressor(id=_free_id(strip, "duck"), params=params, key=self._key(strip))

    def _heard_well(self, params: CompressorParams) -> CompressorParams:
        if self.heard_dbfs is None:
            return params
        return params.model_copy(update={"threshold_db": self.heard_dbfs - THRESHOLD_BELOW_DB})

    def _lows_alone(self, strip: Strip) -> Parallel:
        """Two bands, of which the lower one hears the trigger."""
        key = self._key(strip).model_copy(update={"filter": DetectorFilter(low_cut_hz=LOWS_HEARD_FROM_HZ)})
        lows = Lane(
            id="lows",
            name="Lows",
            chain=(Compressor(id=_free_id(strip, "duck"), params=self._heard_well(LOWS), key=key),),
        )
        splits = (Split(id="x1", frequency_hz=LOWS_BELOW_HZ),)
        lanes = (lows, Lane(id="highs", name="Highs"))
        return Parallel(id=_free_id(strip, "bands"), name="Bands", lanes=lanes, splits=splits)

    def describe(self, session: Session) -> str:
        names, way = names_of(session, self.targets), WAY_LABELS[self.way].split(":")[0]
        many = "make" if len(self.targets) > 1 else "makes"
        own = self.trigger in self.targets
        trigger = "what feeds it" if own else find_strip(session, self.trigger).name
        return f"{names} {many} room for {trigger}: {way.lower()}"


def _free_id(strip: Strip, name: str) -> str:
    return fresh_id(name, (processor.id for processor in walk_chain(strip.chain)))
