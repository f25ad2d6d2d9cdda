"""Findings about compressors: keys that never trigger, thresholds that are never or always crossed."""

from collections.abc import Iterator

from gemischt.core.analysis.findings.base import Finding, Situation, db
from gemischt.core.session.actions import SetProcessor
from gemischt.core.session.document import Compressor, Strip

IDLE_DB = 0.1
ALWAYS_SHARE = 0.97
_UNDER_PEAK_DB = 6.0


def idle_keys(situation: Situation) -> Iterator[Finding]:
    """A key is connected, and what it brings never crosses the threshold."""
    for strip, processor in _compressors(situation):
        found = _work(situation, strip, processor)
        if processor.key.source is None or found is None or found[0] > IDLE_DB:
            continue
        _, detected, _ = found
        threshold = max(-80.0, round(detected - _UNDER_PEAK_DB))
        own = processor.key.source == strip.id
        hears = "what feeds it" if own else situation.name(processor.key.source)
        what = f"{db(detected)} dBFS at most" if detected > -120.0 else "nothing at all"
        yield Finding(
            kind="idle-key",
            strip=strip.id,
            subject=processor.id,
            title=f"{strip.name} never makes room for {hears}",
            evidence=f"The key brings {what}; the threshold is {db(processor.params.threshold_db)} dB.",
            why="The connection is there, but nothing comes of it.",
            figures={"detected_dbfs": max(detected, -200.0), "threshold_db": processor.params.threshold_db},
            cure=_threshold(strip, processor, threshold) if detected > -74.0 else None,
            cure_text=f"Threshold to {db(threshold, places=0)} dB" if detected > -74.0 else "",
            look="Duck",
        )


def idle_and_busy_compressors(situation: Situation) -> Iterator[Finding]:
    """Compressors on their own strip's chain that never or always work."""
    for strip, processor in _compressors(situation):
        found = _work(situation, strip, processor)
        if processor.key.source is not None or found is None or processor.params.ratio == 1.0:
            continue
        deepest, detected, share = found
        if deepest <= IDLE_DB and detected > -120.0:
            threshold = max(-80.0, round(detected - _UNDER_PEAK_DB))
            yield Finding(
                kind="idle-compressor",
                strip=strip.id,
                subject=processor.id,
                title=f"The compressor on {strip.name} never works",
                evidence=f"It hears {db(detected)} dBFS at most; the threshold is "
                f"{db(processor.params.threshold_db)} dB.",
                why="It does nothing, or was set for another level.",
                figures={"detected_dbfs": detected, "threshold_db": processor.params.threshold_db},
                cure=_threshold(strip, processor, threshold),
                cure_text=f"Threshold to {db(threshold, places=0)} dB",
            )
        elif share >= ALWAYS_SHARE:
            yield Finding(
                kind="busy-compressor",
                strip=strip.id,
                subject=processor.id,
                title=f"The compressor on {strip.name} always works",
                evidence=f"It turns down {100 * share:.0f} % of the time, by up to {deepest:.1f} dB.",
                why="What is turned down all the time is only quieter, not more even.",
                figures={"share_percent": 100.0 * share, "deepest_db": deepest},
            )


def _compressors(situation: Situation) -> Iterator[tuple[Strip, Compressor]]:
    for strip in situation.session.strips:
        for processor in strip.chain:
            if processor.type == "compressor" and processor.on:
                yield strip, processor


def _work(situation: Situation, strip: Strip, processor: Compressor) -> tuple[float, float, float] | None:
    """Deepest reduction, loudest detected level, share of the time; None where the strip itself is silent."""
    measured = situation.of(strip)
    if measured.stage("source").silent:
        return None
    for item in measured.reductions:
        if item.processor == processor.id:
            return item.deepest_db, item.detected_dbfs, item.working_share
    return None


def _threshold(strip: Strip, processor: Compressor, threshold_db: float) -> SetProcessor:
    return SetProcessor(strip=strip.id, processor=processor.id, params={"threshold_db": threshold_db})
