"""What processors are told, worked out from the song and from what else the document says of them."""

from gemischt.core.keys import DetectorFilter
from gemischt.core.parameters import FrozenModel
from gemischt.core.processors.delay_params import DelayParams
from gemischt.core.processors.eq_params import EqBand, EqParams
from gemischt.core.processors.filter_band import BandShape
from gemischt.core.session.document import Session, Simple, Tempo
from gemischt.core.units import note_to_s


def delay_in_time(params: DelayParams, session: Session) -> DelayParams:
    """A delay given as a note value, in milliseconds of the song's first tempo."""
    return _in_tempo(params, session.tempo[0])


def told_over_time(processor: Simple, session: Session) -> tuple[tuple[float, FrozenModel], ...]:
    """What a processor is told from which second of the song on: delays given as notes follow the tempo."""
    if processor.type == "delay" and processor.params.note is not None:
        first, *later = session.tempo
        # What comes before the first bar is in its tempo.
        changes = ((0.0, first), *((tempo.at_s, tempo) for tempo in later))
        return tuple((at_s, _in_tempo(processor.params, tempo)) for at_s, tempo in changes)
    return ((0.0, processor.params),)


def _in_tempo(params: DelayParams, tempo: Tempo) -> DelayParams:
    assert params.note is not None
    time_ms = 1000.0 * note_to_s(params.note, bpm=tempo.bpm, beat=tempo.beat)
    return params.model_copy(update={"time_ms": time_ms, "note": None})


def detector_curve(heard: DetectorFilter) -> EqParams:
    """The curve that weighs what a detector hears, as an equaliser."""
    return EqParams(bands=tuple(EqBand.model_construct(**dict(band)) for band in heard.bands))


def detector_cuts(cuts: DetectorFilter) -> EqParams:
    """A detector's cuts as an equaliser; each has a band of its own, which is off where its side is open."""
    low = _cut("low-cut", cuts.low_cut_hz)
    return EqParams(bands=(low, _cut("high-cut", cuts.high_cut_hz)))


def _cut(shape: BandShape, frequency_hz: float | None) -> EqBand:
    return (
        EqBand(id=shape, shape=shape, on=False)
        if frequency_hz is None
        else EqBand(id=shape, shape=shape, frequency_hz=frequency_hz)
    )
