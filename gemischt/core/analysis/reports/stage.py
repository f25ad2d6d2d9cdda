"""The stage: where each strip is heard, how wide, and how far away.

All from powers in ERB bands, five times a second (core.metering.bands), behind the fader: of two channels between left
and right (stage_place), of a bed's around the listener (bed_place). What a bed is between left and right is said of its
fold-down.
"""

from base64 import b64decode, b64encode
from collections.abc import Mapping
from dataclasses import asdict, replace
from zlib import compress, decompress

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.cache.fingerprints import StripPrints
from gemischt.core.analysis.cache.renders import RenderStore
from gemischt.core.analysis.measurement.results import SongMeasurement, StageName
from gemischt.core.analysis.reports.bed_place import BedPlace, bed_place_of
from gemischt.core.analysis.reports.stage_place import StagePlace, place_from, place_of
from gemischt.core.analysis.reports.widening import widened_loss_db
from gemischt.core.analysis.sub_sessions.paths import isolate
from gemischt.core.analysis.sub_sessions.strip import InSong
from gemischt.core.audio import Audio
from gemischt.core.engine.buffer_names import strip_buffer, work_buffer
from gemischt.core.engine.placement import source_layout
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.settings import Settings
from gemischt.core.engine.tap_reader import BLOCK_SAMPLES, Media, Report, no_report, read_tap, stretch_of
from gemischt.core.metering.bands import LL, LR, RR, band_powers, channel_powers, k_weighted, spread_out, turned
from gemischt.core.processors.widener_params import WidenerParams
from gemischt.core.routing.paths import steps_feeding
from gemischt.core.routing.solo import with_solo_applied
from gemischt.core.session.beds import bed_of, is_around
from gemischt.core.session.document import Session, Strip
from gemischt.core.session.kinds import traits_of
from gemischt.core.space.fold_down import matrix_between
from gemischt.core.space.layout import MONO, STEREO
from gemischt.core.units import db_to_gain, power_to_db


def stage_of(
    session: Session,
    media: Media,
    measurement: SongMeasurement,
    store: RenderStore,
    in_song: InSong,
    *,
    only_tracks: bool = False,
    report: Report = no_report,
) -> dict[str, StagePlace]:
    """Where each strip of a measured session is heard, by its id; silent ones are left out.
    What the tracks alone say costs least: what they feed has to be heard anew after each of their edits."""
    session = with_solo_applied(session)
    settings = Settings(session)
    found: dict[str, StagePlace] = {}
    for done, strip in enumerate(session.strips):
        if traits_of(strip).is_heard and (strip.kind == "track" or not only_tracks):
            prints = measurement.prints[strip.id]
            place = _kept_place(store, prints)
            if place is None:
                powers = _powers_of(session, media, strip, prints, store, in_song)
                place = _placed(settings, strip, powers, led=prints.led)
                store.keep_figures(f"{prints.post_fader}-place", {"place": None if place is None else asdict(place)})
            if place is not None:
                found[strip.id] = replace(place, wet_db=_wet_db(session, strip, measurement))
        report((done + 1) / len(session.strips))
    return found


def _kept_place(store: RenderStore, prints: StripPrints) -> StagePlace | None:
    kept = store.figures(f"{prints.post_fader}-place")
    if kept is None or kept["place"] is None:
        return None
    return place_from(kept["place"])


def _placed(settings: Settings, strip: Strip, powers: NDArray[np.float64], *, led: bool) -> StagePlace | None:
    """Where a strip with such powers is heard: behind its fader, if it moves, else before it."""
    n_channels = _n_channels(powers)
    source = MONO if n_channels == 1 else STEREO if n_channels == 2 else source_layout(strip, ())
    layout = settings.leaving_layout(strip, source)
    if n_channels > 2:
        gain = 1.0 if led else float(settings.output_matrix(strip, n_channels)[0, 0]) ** 2
        place = place_of(gain * powers[..., n_channels:], travels=led)
        bed = bed_place_of(gain * powers[..., :n_channels], layout, travels=led)
        return None if place is None else replace(place, bed=bed)
    gains = settings.place_matrix(strip, n_channels)
    told = tuple(tuple(round(float(gain), 4) for gain in row) for row in gains)
    if led:
        place = place_of(powers, travels=True)
        bed = bed_place_of(powers[..., :LR], layout, travels=True)
        return None if place is None else replace(place, gains=told, bed=_with_width(bed, place))
    folded = gains if layout == STEREO else matrix_between(layout, STEREO) @ gains
    fader = settings.output_matrix(strip, n_channels)
    place = place_of(turned(powers, fader if layout == STEREO else matrix_between(layout, STEREO) @ fader))
    if place is None:
        return None
    before = float(powers[..., LL].sum() + (powers[..., RR].sum() if n_channels > 1 else 0.0))
    behind = turned(powers, folded)
    after = float(behind[..., LL].sum() + behind[..., RR].sum())
    kept_db = power_to_db(after) - power_to_db(before) if before > 0.0 else None
    bed = _with_width(bed_place_of(spread_out(powers, fader), layout), place)
    place = replace(place, gains=told, kept_db=kept_db, bed=bed)
    if n_channels == 1 or layout != STEREO:
        return place
    heard = turned(powers, fader)
    return replace(
        place,
        width_lu=_width_lu(settings, strip, powers),
        decorrelated_loss_db=widened_loss_db(heard, WidenerParams()),
        offset_loss_db=widened_loss_db(heard, WidenerParams(mode="offset")),
    )


def _width_lu(settings: Settings, strip: Strip, powers: NDArray[np.float64]) -> float:
    """What width does to loudness: K-weighted powers of all channels behind it, over those without it."""
    loud = []
    for width in (strip.width, 1.0):
        plain = strip.model_copy(update={"width": width, "width_level_db": 0.0})
        spread = spread_out(powers, settings.place_matrix(plain, 2)).sum(axis=(0, 2))
        loud.append(power_to_db(float(k_weighted(spread, settings.session.sample_rate_hz)) + 1e-20))
    return loud[0] - loud[1]


def _with_width(bed: BedPlace | None, place: StagePlace) -> BedPlace | None:
    """Between left and right the spread is as wide as the arc between them."""
    if bed is None or bed.spread_deg is not None:
        return bed
    left, right = (channel.azimuth_deg for channel in STEREO.channels)
    return replace(bed, spread_deg=(left - right) * place.reach)


def _n_channels(powers: NDArray[np.float64]) -> int:
    """Of how many channels powers are."""
    n_columns = int(powers.shape[-1])
    return {1: 1, 3: 2}.get(n_columns, n_columns - 3)


def _powers_of(
    session: Session, media: Media, strip: Strip, prints: StripPrints, store: RenderStore, in_song: InSong
) -> NDArray[np.float64]:
    """Band powers of a strip, of one that moves behind its fader, else before it.

    One channel's are (n_moments, N_BANDS, 1), two channels' (..., 3) as from band_powers; those of more are of each
    channel, followed by the three of their fold-down.
    """
    key = f"{prints.post_fader if prints.led else prints.pre_fader}-bands"
    kept = store.figures(key)
    if kept is None:
        rendered = None if prints.led else store.audio(prints.pre_fader)
        if rendered is not None:
            audio: Audio = np.ascontiguousarray(rendered.T, np.float64)
        else:
            audio = _read(session, media, strip.id, in_song, behind_fader=prints.led)
        rate = session.sample_rate_hz
        if len(audio) <= 2:
            powers = band_powers(audio, rate)[..., : 1 if len(audio) == 1 else 3]
        else:
            layout = bed_of(session, strip) if is_around(strip) else source_layout(strip, ())
            folded = matrix_between(layout, STEREO) @ audio
            powers = np.concatenate([channel_powers(audio, rate), band_powers(folded, rate)], axis=-1)
        kept = _packed(powers)
        store.keep_figures(key, kept)
    return _unpacked(kept)


def _read(session: Session, media: Media, strip: str, in_song: InSong, *, behind_fader: bool) -> Audio:
    """A strip over the song."""
    resolved, played = in_song(strip)
    feeding, sounding = steps_feeding(resolved, strip)
    renderer = Renderer(isolate(resolved, feeding, sounding), played, max_block=BLOCK_SAMPLES)
    buffer = strip_buffer(strip, "post-fader") if behind_fader else work_buffer(strip)
    blocks = [block.copy() for block in read_tap(renderer, stretch_of(session, media, None), buffer)]
    return np.concatenate(blocks, axis=1) if blocks else np.zeros((1, 0))


def _packed(powers: NDArray[np.float64]) -> dict[str, object]:
    written = b64encode(compress(powers.astype(np.float32).tobytes(), 1)).decode()
    return {"shape": list(powers.shape), "powers": written}


def _unpacked(kept: Mapping[str, object]) -> NDArray[np.float64]:
    read = np.frombuffer(decompress(b64decode(str(kept["powers"]))), np.float32)
    shape = kept["shape"]
    assert isinstance(shape, list)
    return read.reshape(shape).astype(np.float64)


def _wet_db(session: Session, strip: Strip, measurement: SongMeasurement) -> float | None:
    """Powers as if all that meets were unrelated: a return makes of what it is sent what it makes of all it gets."""

    def power(strip_id: str, stage: StageName) -> float:
        return db_to_gain(measurement.strips[strip_id].stage(stage).rms_dbfs) ** 2

    brought = 0.0
    for send in strip.sends:
        goal = session.strip(send.to)
        if goal.kind == "return" and send.on and send.level_db is not None:
            gets, makes = power(goal.id, "source"), power(goal.id, "post-fader")
            tapped = power(strip.id, "source" if send.tap == "pre-chain" else send.tap)
            brought += tapped * db_to_gain(send.level_db) ** 2 * (makes / gets if gets > 0.0 else 0.0)
    own = power(strip.id, "post-fader") if strip.output is not None else 0.0
    if brought <= 1e-20:
        return None
    return power_to_db(brought) - power_to_db(own + 1e-20)
