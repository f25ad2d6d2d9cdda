"""Findings about gain: clipping inside and at the end, and distance from the reference."""

from collections.abc import Iterator

from gemischt.core.analysis.findings.base import Finding, Situation, db
from gemischt.core.analysis.measurement.results import Stage
from gemischt.core.metering.stage_meter import StageLevels
from gemischt.core.processors.registry import label_of
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.actions import SetStrips, StripSettings
from gemischt.core.session.document import Strip
from gemischt.core.units import SILENCE_DB

REFERENCE_DBFS = -18.0
FAR_DB = 7.0
"""Common practice, no source: nearer than this a processor behaves as its dials say."""
HIGHEST_DBTP = -1.0
"""EBU R 128."""


def clipping_inside(situation: Situation) -> Iterator[Finding]:
    """A stage above full scale whose strip does not show it after the fader."""
    for strip in situation.session.strips:
        measured = situation.of(strip)
        if measured.stage("post-fader").sample_peak_dbfs > 0.0:
            continue
        if measured.clips_at is None:
            continue
        first = measured.stages[measured.clips_at]
        where = _where(strip, first)
        over = first.levels.sample_peak_dbfs
        by_db = _to_reference(measured.stage("trim"), over)
        yield Finding(
            kind="clips-inside",
            strip=strip.id,
            subject=first.lane or first.processor or "trim",
            title=f"{strip.name} clips in {where}; its fader hides it",
            evidence=f"{db(over, sign=True)} dBFS after {where}, {_samples(first.levels.overs)} over, "
            f"{db(measured.stage('post-fader').sample_peak_dbfs)} dBFS after the fader.",
            why="Whatever follows is driven harder than it looks, and a print before the fader would clip.",
            figures={"over_db": over},
            weight="wrong",
            at_s=first.levels.first_over_s,
            cure=_trim_by(strip, -by_db),
            cure_text=f"Trim {strip.name} by −{by_db:.1f} dB",
        )


def _where(strip: Strip, stage: Stage) -> str:
    if stage.processor is None:
        return "its trim"
    processor = next(item for item in walk_chain(strip.chain) if item.id == stage.processor)
    if processor.type == "parallel":
        lane = next((lane for lane in processor.lanes if lane.id == stage.lane), None)
        return processor.name if lane is None else f"the lane {lane.name}"
    return label_of(processor.type)


def _to_reference(trimmed: StageLevels, over_db: float) -> float:
    """How far to turn down: to the reference, and at least what is over with a decibel to spare."""
    return round(max(trimmed.sample_peak_dbfs - REFERENCE_DBFS, over_db + 1.0), 1)


def clipping_at_the_mix(situation: Situation) -> Iterator[Finding]:
    """The mix above full scale: fine inside, clipped in a file of integers."""
    mix = situation.session.mix
    levels = situation.of(mix).stage("post-fader")
    if levels.sample_peak_dbfs > 0.0:
        by_db = round(levels.sample_peak_dbfs + 1.0, 1)
        yield Finding(
            kind="clips-at-mix",
            strip=mix.id,
            title="The mix goes above full scale",
            evidence=f"{db(levels.sample_peak_dbfs, sign=True)} dBFS, {_samples(levels.overs)} over.",
            why="A print to 16 or 24 bits clips there; only 32-bit float keeps it.",
            figures={"over_db": levels.sample_peak_dbfs},
            weight="wrong",
            at_s=levels.first_over_s,
            cure=_fader_down(mix, by_db),
            cure_text=f"Mix fader by −{by_db:.1f} dB",
            look="Print",
        )


def true_peak_at_the_mix(situation: Situation) -> Iterator[Finding]:
    """A true peak above -1 dBTP, where the samples themselves do not clip yet."""
    mix = situation.session.mix
    levels = situation.of(mix).stage("post-fader")
    if levels.true_peak_dbtp > HIGHEST_DBTP and levels.sample_peak_dbfs <= 0.0:
        by_db = round(levels.true_peak_dbtp - HIGHEST_DBTP + 0.05, 1)
        yield Finding(
            kind="true-peak",
            strip=mix.id,
            title="The mix's true peak is above −1 dBTP",
            evidence=f"{db(levels.true_peak_dbtp, sign=True)} dBTP between samples that reach "
            f"{db(levels.sample_peak_dbfs)} dBFS.",
            why="Converters and lossy coders may clip what lies between the samples.",
            figures={"true_peak_dbtp": levels.true_peak_dbtp},
            at_s=levels.true_peak_at_s,
            cure=_fader_down(mix, by_db),
            cure_text=f"Mix fader by −{by_db:.1f} dB",
            look="Print",
        )


def far_from_reference(situation: Situation) -> Iterator[Finding]:
    """Tracks that meet their chain far above or below the reference."""
    for strip in situation.tracks:
        peak = situation.of(strip).stage("trim").sample_peak_dbfs
        away = peak - REFERENCE_DBFS
        if peak == SILENCE_DB or abs(away) <= FAR_DB or strip.mute:
            continue
        if peak > 0.0 >= situation.of(strip).stage("post-fader").sample_peak_dbfs:
            continue  # Clipping inside says it, with the same cure.
        side = "above" if away > 0 else "below"
        yield Finding(
            kind="far-from-reference",
            strip=strip.id,
            title=f"{strip.name} is {abs(away):.1f} dB {side} the reference",
            evidence=f"Its peak after the trim is {db(peak)} dBFS; the reference is {db(REFERENCE_DBFS, places=0)}.",
            why="Thresholds and drives mean what they say near the reference only.",
            figures={"away_db": away},
            at_s=situation.of(strip).stage("trim").sample_peak_at_s,
            cure=_trim_by(strip, -away),
            cure_text=f"Trim {strip.name} by {db(-away, sign=True)} dB",
        )


def _trim_by(strip: Strip, by_db: float) -> SetStrips:
    """As far as a trim goes."""
    trim_db = min(60.0, max(-60.0, round(strip.trim_db + by_db, 1)))
    return SetStrips(changes=(StripSettings(strip=strip.id, trim_db=trim_db),))


def _fader_down(strip: Strip, by_db: float) -> SetStrips:
    return SetStrips(changes=(StripSettings(strip=strip.id, fader_db=round((strip.fader_db or 0.0) - by_db, 1)),))


def _samples(count: int) -> str:
    return f"{count} sample{'' if count == 1 else 's'}"
