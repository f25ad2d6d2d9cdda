"""The stage: where each strip is heard between left and right, how wide, and how far away.

All from powers of both channels in ERB bands, five times a second (core.metering.bands), behind the fader. Of a band at
a moment, with left's power L, right's R and what they have in common C:

- direction: the energy vector of M. A. Gerzon, "General metatheory of auditory localisation", AES 92nd Convention, 1992
  (from memory), points to m = (R - L) / (R + L) of the way between the loudspeakers; (2 / pi) asin(m) of that is the
  position that a pan of constant power has for it, -1 left, 1 right.
- unlike share d: twice the smaller eigenvalue of the powers' matrix over their sum: 0 where both channels are alike but
  for a gain, 1 for unrelated ones and for opposed ones. That part comes from both sides: its variance is 1 - m^2.

A strip's direction is the mean of its bands' and moments', weighted by loudness, (L + R)^0.3 (S. S. Stevens, "The
measurement of loudness", JASA 27, 1955, from memory). Its arc reaches as far as that of an even spread with the same
variance, sqrt(3) standard deviations either side, and not beyond the loudspeakers.
"""

from base64 import b64decode, b64encode
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from zlib import compress, decompress

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.cache.fingerprints import StripPrints
from gemischt.core.analysis.cache.renders import RenderStore
from gemischt.core.analysis.measurement.results import SongMeasurement, StageName
from gemischt.core.analysis.sub_sessions.paths import isolate
from gemischt.core.analysis.sub_sessions.strip import InSong
from gemischt.core.audio import Audio
from gemischt.core.engine.buffer_names import strip_buffer, work_buffer
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.settings import Settings
from gemischt.core.engine.tap_reader import BLOCK_SAMPLES, Media, Report, no_report, read_tap, stretch_of
from gemischt.core.metering.bands import CENTRES_HZ, LL, LR, N_BANDS, RR, band_powers, turned
from gemischt.core.routing.paths import steps_feeding
from gemischt.core.routing.solo import with_solo_applied
from gemischt.core.session.document import Session, Strip
from gemischt.core.session.kinds import traits_of
from gemischt.core.units import db_to_gain, power_to_db

LOUDNESS_EXPONENT = 0.3
HEARD_DB = 60.0
"""What is further below the loudest moment does not count."""
BAND_HEARD_DB = 40.0
RANGES_HZ = (200.0, 4000.0)
"""Lows, middle and highs; common practice, no source."""
MIDDLE = 1.0 / 3.0


@dataclass(frozen=True)
class StagePlace:
    """Where a strip is heard.

    Attributes:
        position: -1 left, 1 right, and ``reach`` how far its arc goes either side of it, 0 to 1.
        correlation: of left and right, over all; None for silence.
        band_correlations: the same of each of the bands at ``metering.bands.CENTRES_HZ``; None for those that are
            ``BAND_HEARD_DB`` below the loudest.
        mono_loss_db: what is lost when both are averaged.
        outside: of lows, middle and highs the share of the power that comes from outside the middle third.
        rms_dbfs: of both channels, mean.
        balance_db: right's power over left's.
        centre_hz: the middle of its spectrum, weighted by loudness, on a logarithmic scale.
        wet_db: what returns bring of it over what it brings itself; None where no return has any.
        kept_db: what width and pan leave of its power; None where they move.
        gains: what left and right get of each of its channels by width and pan, (2, n_channels).
    """

    position: float
    reach: float
    correlation: float | None
    mono_loss_db: float
    band_correlations: tuple[float | None, ...]
    outside: tuple[float, float, float]
    rms_dbfs: float
    balance_db: float
    centre_hz: float
    wet_db: float | None = None
    kept_db: float | None = None
    gains: tuple[tuple[float, ...], ...] = ()


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
    """Where each strip of a measured session is heard, by its id; silent ones and those of more than two channels are
    left out. What the tracks alone say costs least: what they feed has to be heard anew after each of their edits."""
    session = with_solo_applied(session)
    settings = Settings(session)
    found: dict[str, StagePlace] = {}
    for done, strip in enumerate(session.strips):
        if traits_of(strip).is_heard and (strip.kind == "track" or not only_tracks):
            prints = measurement.prints[strip.id]
            place = _kept_place(store, prints)
            if place is None:
                powers = _powers_of(session, media, strip, prints, store, in_song)
                place = None if powers is None else _placed(settings, strip, powers, led=prints.led)
                store.keep_figures(f"{prints.post_fader}-place", {"place": None if place is None else asdict(place)})
            if place is not None:
                found[strip.id] = replace(place, wet_db=_wet_db(session, strip, measurement))
        report((done + 1) / len(session.strips))
    return found


def _kept_place(store: RenderStore, prints: StripPrints) -> StagePlace | None:
    kept = store.figures(f"{prints.post_fader}-place")
    if kept is None or kept["place"] is None:
        return None
    values = kept["place"]
    lists = {name: tuple(values[name]) for name in ("outside", "band_correlations")}
    return StagePlace(**values | lists | {"gains": tuple(tuple(row) for row in values["gains"])})


def _placed(settings: Settings, strip: Strip, powers: NDArray[np.float64], *, led: bool) -> StagePlace | None:
    """Where a strip with such powers is heard: behind its fader, if it moves, else before it."""
    gains = settings.place_matrix(strip, _n_channels(powers))
    told = tuple(tuple(round(float(gain), 4) for gain in row) for row in gains)
    if led:
        place = place_of(powers)
        return None if place is None else replace(place, gains=told)
    place = place_of(turned(powers, settings.output_matrix(strip, _n_channels(powers))))
    if place is None:
        return None
    before = float(powers[..., LL].sum() + (powers[..., RR].sum() if powers.shape[-1] > 1 else 0.0))
    behind = turned(powers, gains)
    after = float(behind[..., LL].sum() + behind[..., RR].sum())
    kept_db = power_to_db(after) - power_to_db(before) if before > 0.0 else None
    return replace(place, gains=told, kept_db=kept_db)


def _n_channels(powers: NDArray[np.float64]) -> int:
    return 1 if powers.shape[-1] == 1 else 2


def _powers_of(
    session: Session, media: Media, strip: Strip, prints: StripPrints, store: RenderStore, in_song: InSong
) -> NDArray[np.float64] | None:
    """Band powers of a strip, of one that moves behind its fader, else before it; None for more than two channels.

    One channel's are (n_moments, N_BANDS, 1).
    """
    key = f"{prints.post_fader if prints.led else prints.pre_fader}-bands"
    kept = store.figures(key)
    if kept is None:
        rendered = None if prints.led else store.audio(prints.pre_fader)
        if rendered is not None:
            audio: Audio = np.ascontiguousarray(rendered.T, np.float64)
        else:
            audio = _read(session, media, strip.id, in_song, behind_fader=prints.led)
        powers = band_powers(audio, session.sample_rate_hz) if len(audio) <= 2 else np.zeros((0, N_BANDS, 0))
        kept = _packed(powers[..., :1] if len(audio) == 1 else powers)
        store.keep_figures(key, kept)
    found = _unpacked(kept)
    return found if found.shape[-1] else None


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


def place_of(powers: NDArray[np.float64]) -> StagePlace | None:
    """Where a signal with such band powers is heard, (n_moments, N_BANDS, 3); None for silence."""
    left, right, both = powers[..., LL], powers[..., RR], powers[..., LR]
    total = left + right
    moments = total.sum(axis=1)
    if not len(moments) or moments.max() <= 1e-20:
        return None
    heard = (moments > moments.max() * 10.0 ** (-HEARD_DB / 10.0))[:, np.newaxis] & (total > 1e-20)
    safe = np.where(heard, total, 1.0)
    m = np.clip(np.where(heard, (right - left) / safe, 0.0), -1.0, 1.0)
    unlike = np.where(heard, unlike_share(left, right, both), 0.0)
    weight = np.where(heard, total, 0.0) ** LOUDNESS_EXPONENT * heard
    position = (2.0 / np.pi) * np.arcsin(m)
    mean = float(np.average(position, weights=weight))
    variance = float(np.average((position - mean) ** 2 + unlike * (1.0 - m * m), weights=weight))
    sums = left.sum(), right.sum(), both.sum()
    middle_power = 0.25 * (sums[0] + sums[1] + 2.0 * sums[2])
    n = len(moments)
    return StagePlace(
        position=mean,
        reach=min(1.0, float(np.sqrt(3.0 * max(0.0, variance)))),
        correlation=_correlation(*sums),
        band_correlations=_band_correlations(powers),
        mono_loss_db=power_to_db(0.5 * float(sums[0] + sums[1])) - power_to_db(float(max(middle_power, 1e-20))),
        outside=_outside(position, unlike, np.where(heard, total, 0.0)),
        rms_dbfs=power_to_db(0.5 * float(sums[0] + sums[1]) / n),
        balance_db=power_to_db(float(sums[1]) + 1e-20) - power_to_db(float(sums[0]) + 1e-20),
        centre_hz=float(np.exp(np.average(np.log(CENTRES_HZ), weights=weight.sum(axis=0)))),
    )


def _correlation(left: float, right: float, both: float) -> float | None:
    product = float(np.sqrt(left * right))
    return None if product <= 0.0 else float(np.clip(both / product, -1.0, 1.0))


def _band_correlations(powers: NDArray[np.float64]) -> tuple[float | None, ...]:
    bands = powers.sum(axis=0)
    totals = bands[:, LL] + bands[:, RR]
    heard = totals > totals.max() * 10.0 ** (-BAND_HEARD_DB / 10.0)
    return tuple(_correlation(*band) if is_heard else None for band, is_heard in zip(bands, heard, strict=True))


def unlike_share(
    left: NDArray[np.float64], right: NDArray[np.float64], both: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Of what two channels hold, the share that is not alike in both; what is opposed counts as unrelated."""
    total = left + right
    alike = np.maximum(both, 0.0)
    root = np.sqrt((left - right) ** 2 + 4.0 * alike * alike)
    return np.clip((total - root) / np.maximum(total, 1e-20), 0.0, 1.0)


def _outside(
    position: NDArray[np.float64], unlike: NDArray[np.float64], power: NDArray[np.float64]
) -> tuple[float, float, float]:
    """What is alike lies at its position; what is not, everywhere."""
    share = (1.0 - unlike) * (np.abs(position) > MIDDLE) + unlike * (1.0 - MIDDLE)
    found = []
    for low_hz, high_hz in zip((0.0, *RANGES_HZ), (*RANGES_HZ, np.inf), strict=True):
        bands = (low_hz <= CENTRES_HZ) & (high_hz > CENTRES_HZ)
        there = float(power[:, bands].sum())
        found.append(float((share[:, bands] * power[:, bands]).sum()) / there if there > 0.0 else 0.0)
    return found[0], found[1], found[2]
