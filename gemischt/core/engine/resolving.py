"""What processors are told, worked out from the song and from what else the document says of them."""

from gemischt.core.processors.delay_params import DelayParams
from gemischt.core.processors.eq_params import EqBand, EqParams
from gemischt.core.session.document import DetectorFilter, Session
from gemischt.core.units import note_to_s


def delay_in_time(params: DelayParams, session: Session) -> DelayParams:
    """A delay given as a note value, in milliseconds of the song's first tempo."""
    assert params.note is not None
    tempo = session.tempo[0]
    time_ms = 1000.0 * note_to_s(params.note, bpm=tempo.bpm, beat=tempo.beat)
    return params.model_copy(update={"time_ms": time_ms, "note": None})


def detector_eq(cuts: DetectorFilter) -> EqParams:
    """A detector's cuts as an equaliser."""
    bands: list[EqBand] = []
    if cuts.low_cut_hz is not None:
        bands.append(EqBand(shape="low-cut", frequency_hz=cuts.low_cut_hz))
    if cuts.high_cut_hz is not None:
        bands.append(EqBand(shape="high-cut", frequency_hz=cuts.high_cut_hz))
    return EqParams(bands=tuple(bands))
