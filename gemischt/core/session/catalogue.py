"""The tables of every part of a session that has parameters, for interfaces to take their ranges from."""

from pydantic import BaseModel

from gemischt.core.keys import DetectorFilter, Key
from gemischt.core.parameters import FrozenModel, Parameter, table_of
from gemischt.core.processors.eq_params import BandMotion, EqBand
from gemischt.core.processors.filter_band import FilterBand
from gemischt.core.processors.matrix_params import MATRICES, MatrixParams
from gemischt.core.processors.registry import PROCESSORS
from gemischt.core.session.actions.place import SpreadStrips
from gemischt.core.session.document import (
    Clip,
    ControlGroup,
    Lane,
    Pan,
    Parallel,
    Send,
    Session,
    Split,
    Strip,
    Tempo,
)
from gemischt.core.session.ducks import Click, Duck, DuckTarget, Follower, Hits, LengthMs, Repeat
from gemischt.core.session.prints import Target
from gemischt.core.terms import USUAL_BEATS, USUAL_METRES, USUAL_NOTES, note_words

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
    "split": Split,
    "control_group": ControlGroup,
    "eq_band": EqBand,
    "band_motion": BandMotion,
    "filter_band": FilterBand,
    "duck": Duck,
    "duck_target": DuckTarget,
    "hits": Hits,
    "follower": Follower,
    "repeat": Repeat,
    "length_ms": LengthMs,
    "click": Click,
    "spread": SpreadStrips,
    "target": Target,
}


class NoteValue(FrozenModel):
    """A note value, and what it is called."""

    value: str
    label: str


class Catalogue(FrozenModel):
    """All that interfaces need to offer what a session takes.

    Attributes:
        parameters: by the kind of part or of processor, and by name.
        matrices: gains between two sides to start from, by their names.
        notes: note values to choose from; ``beats`` are those that a tempo may count.
    """

    parameters: dict[str, dict[str, Parameter]]
    matrices: dict[str, MatrixParams]
    notes: tuple[NoteValue, ...]
    beats: tuple[str, ...]
    metres: tuple[str, ...]


def catalogue() -> Catalogue:
    """Everything there is."""
    kinds = {item.kind: item.params for item in PROCESSORS}
    return Catalogue(
        parameters={part: dict(table_of(model)) for part, model in (_PARTS | kinds).items()},
        matrices=MATRICES,
        notes=tuple(NoteValue(value=note, label=note_words(note)) for note in USUAL_NOTES),
        beats=USUAL_BEATS,
        metres=USUAL_METRES,
    )
