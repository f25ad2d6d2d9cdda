"""The tables of every part of a session that has parameters, for interfaces to take their ranges from."""

from pydantic import BaseModel

from gemischt.core.parameters import Parameter, table_of
from gemischt.core.processors.eq_params import EqBand
from gemischt.core.processors.registry import PROCESSORS
from gemischt.core.session.document import Clip, ControlGroup, Key, Lane, Pan, Parallel, Send, Session, Strip, Tempo
from gemischt.core.session.ducks import Click, Duck, DuckTarget, Follower, Hits, Repeat
from gemischt.core.session.terms import DetectorFilter

_PARTS: dict[str, type[BaseModel]] = {
    "session": Session,
    "tempo": Tempo,
    "strip": Strip,
    "pan": Pan,
    "send": Send,
    "clip": Clip,
    "key": Key,
    "key_filter": DetectorFilter,
    "lane": Lane,
    "parallel": Parallel,
    "control_group": ControlGroup,
    "eq_band": EqBand,
    "duck": Duck,
    "duck_target": DuckTarget,
    "hits": Hits,
    "follower": Follower,
    "repeat": Repeat,
    "click": Click,
}


def catalogue() -> dict[str, dict[str, Parameter]]:
    """Parameters by name, by the kind of part or of processor."""
    kinds = {item.kind: item.params for item in PROCESSORS}
    return {part: dict(table_of(model)) for part, model in (_PARTS | kinds).items()}
