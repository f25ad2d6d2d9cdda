"""Findings about tracks that carry the same source, and lanes that comb.

Candidates are tracks whose loudness over time is alike; whether they really carry the same waveform, how late and with
which polarity, is measured on the loudest part by coherence and cross-correlation (see analysis.lanes).
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import asdict
from functools import partial
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.findings.base import Finding, Situation
from gemischt.core.analysis.reports.lane_alignment import LaneFinding, compare_lane, report_block
from gemischt.core.engine.buffer_names import work_buffer
from gemischt.core.engine.tap_reader import Stretch, read_buffers
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.actions import SetClips, SetLanes, SetStrips, StripSettings
from gemischt.core.session.actions.clips import ClipSettings
from gemischt.core.session.actions.lanes import LaneSettings
from gemischt.core.session.document import Pan, Parallel, Session, Strip
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.steps import sounding_steps
from gemischt.core.units import s_to_samples

ALIKE = 0.85
"""Correlation of two envelopes in dB from which a pair is looked at; common practice, no source."""
SAME_SOURCE = 0.6
_LOUD_PART_S = 8.0
_LEAST_LATE_MS = 0.05
_ENVELOPE_FLOOR_DB = -80.0


def same_source(situation: Situation) -> Iterator[Finding]:
    """Pairs of heard tracks with the same source: late, or of opposed polarity."""
    heard = [
        strip
        for strip in situation.tracks
        if not strip.mute and strip.clips and not situation.of(strip).stage("source").silent
    ]
    for first, second in _alike(situation, heard):
        prints = (situation.prints_of(strip).pre_chain for strip in (first, second))
        (found,) = _once(situation, "-".join((*prints, "compared")), partial(_compare, situation, first, second))
        if found.coherence < SAME_SOURCE:
            continue
        late_ms = abs(found.delay_ms)
        early, late = (first, second) if found.delay_ms >= 0.0 else (second, first)
        if late_ms >= _LEAST_LATE_MS:
            notch = (1000.0 if found.inverted else 500.0) / late_ms
            yield Finding(
                kind="late-copy",
                strip=late.id,
                subject=early.id,
                title=f"{late.name} carries {early.name} {late_ms:.2f} ms late",
                evidence=f"Coherence {found.coherence:.2f}; together they comb, first notch at {notch:.0f} Hz.",
                why="Two microphones on one source thin it out unless they arrive together.",
                figures={"late_ms": late_ms, "coherence": 10.0 * found.coherence},
                weight="wrong",
                cure=_pull_earlier(late, late_ms),
                cure_text=f"Move {late.name} {late_ms:.2f} ms earlier",
                look="Tidy",
            )
        elif found.inverted != (first.polarity_inverted != second.polarity_inverted):
            yield Finding(
                kind="opposed-polarity",
                strip=second.id,
                subject=first.id,
                title=f"{second.name} has the opposite polarity of {first.name}",
                evidence=f"Coherence {found.coherence:.2f}, in time within a sample, upside down.",
                why="They take each other away where they should add up.",
                figures={"coherence": 10.0 * found.coherence},
                weight="wrong",
                cure=SetStrips(
                    changes=(StripSettings(strip=second.id, polarity_inverted=not second.polarity_inverted),)
                ),
                cure_text=f"Flip {second.name}",
            )


def _alike(situation: Situation, strips: list[Strip]) -> Iterator[tuple[Strip, Strip]]:
    envelopes = [np.maximum(np.array(situation.of(strip).envelope_db), _ENVELOPE_FLOOR_DB) for strip in strips]
    for (i, first), (j, second) in combinations(enumerate(strips), 2):
        a, b = envelopes[i], envelopes[j]
        if len(a) == len(b) and len(a) > 1 and a.std() > 0.0 and b.std() > 0.0 and np.corrcoef(a, b)[0, 1] >= ALIKE:
            yield first, second


def _once(situation: Situation, key: str, compare: Callable[[], Sequence[LaneFinding]]) -> list[LaneFinding]:
    """What a comparison finds, measured only once; the key names all that it depends on."""
    kept = situation.store.figures(key)
    if kept is None:
        kept = {"found": [asdict(found) for found in compare()]}
        situation.store.keep_figures(key, kept)
    return [LaneFinding(**found) for found in kept["found"]]


def _compare(situation: Situation, first: Strip, second: Strip) -> Sequence[LaneFinding]:
    """Both tracks as they meet their chains, over the loudest part of the first."""
    session = situation.session
    rate = session.sample_rate_hz
    bare = {"chain": (), "output": None, "late": False, "sends": (), "polarity_inverted": False, "pan": Pan()}
    strips = (
        first.model_copy(update=bare),
        second.model_copy(update=bare),
        Strip(id="mix.alone", kind="mix", name="Mix"),
    )
    alone: Session = session.model_copy(
        update={"strips": strips, "control_groups": (), "folders": (), "moves": (), "ducks": (), "followers": ()}
    )
    middle = situation.of(first).stage("source").true_peak_at_s
    start = max(0.0, middle - _LOUD_PART_S / 2)
    stretch = Stretch(s_to_samples(start, rate), s_to_samples(start + _LOUD_PART_S, rate))
    names = [work_buffer(first.id), work_buffer(second.id)]
    signals = read_buffers(alone, situation.media, stretch, names)
    a, b = (_mono(signals[name]) for name in names)
    return [compare_lane(second.id, a, b, rate)]


def _mono(signal: NDArray[np.float64]) -> NDArray[np.float64]:
    mean: NDArray[np.float64] = signal.mean(axis=0)
    return mean


def _pull_earlier(strip: Strip, by_ms: float) -> SetClips:
    """Clips start earlier, or later in their file where they start with the song."""
    changes = []
    for index, clip in enumerate(strip.clips):
        by_s = by_ms / 1000.0
        values = (
            {"start_s": clip.start_s - by_s}
            if clip.start_s >= by_s
            else {"start_s": 0.0, "offset_s": clip.offset_s + by_s - clip.start_s}
        )
        if clip.length_s is not None and clip.start_s < by_s:
            values["length_s"] = max(1e-3, clip.length_s - (by_s - clip.start_s))
        changes.append(ClipSettings(strip=strip.id, clip=index, **values))
    return SetClips(changes=tuple(changes))


def combing_lanes(situation: Situation) -> Iterator[Finding]:
    """Lanes that arrive late or upside down against the first lane of their block; bands are each other's rest."""
    for strip in with_steps_in_chains(situation.session).strips:
        if situation.of(strip).stage("source").silent:
            continue
        for processor, fingerprint in zip(sounding_steps(strip.chain), situation.prints_of(strip).chain, strict=True):
            for block in walk_chain((processor,)):
                if block.type == "parallel" and block.on and len(block.lanes) > 1 and not block.splits:
                    key = f"{fingerprint}-{block.id}-lanes"
                    found = _once(situation, key, partial(_compare_lanes, situation, strip, block))
                    yield from _combing(strip, block, found)


def _compare_lanes(situation: Situation, strip: Strip, block: Parallel) -> Sequence[LaneFinding]:
    middle = situation.of(strip).stage("source").true_peak_at_s
    stretch_s = (max(0.0, middle - _LOUD_PART_S / 2), middle + _LOUD_PART_S / 2)
    session, media, in_song = situation.session, situation.media, situation.in_song
    return report_block(session, media, strip.id, block.id, stretch_s=stretch_s, in_song=in_song).lanes


def _combing(strip: Strip, block: Parallel, compared: Sequence[LaneFinding]) -> Iterator[Finding]:
    lanes = {lane.id: lane for lane in block.lanes}
    for found in compared:
        lane = lanes[found.lane]
        if found.notch_hz is None or lane.mute or lane.level_db is None:
            continue
        shift = LaneSettings(lane=lane.id, shift_ms=round(lane.shift_ms - found.delay_ms, 3))
        yield Finding(
            kind="lanes-comb",
            strip=strip.id,
            subject=f"{block.id}/{lane.id}",
            title=f"Lane {lane.name} of {strip.name} combs",
            evidence=f"{found.delay_ms:+.2f} ms against the first lane, first notch at {found.notch_hz:.0f} Hz.",
            why="Lanes that arrive apart hollow the sound out instead of filling it.",
            figures={"delay_ms": found.delay_ms},
            weight="wrong",
            cure=SetLanes(strip=strip.id, block=block.id, changes=(shift,)),
            cure_text=f"Align {lane.name}",
        )
