"""Findings about what still covers a strip that others make room for."""

from base64 import b64decode, b64encode
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.findings.base import Finding, Situation
from gemischt.core.analysis.reports.overlap import (
    CENTRES_HZ,
    COVERED_DB,
    N_THIRDS,
    NARROW,
    overlap_of,
    range_words,
    strip_thirds,
    third_octave_powers,
)
from gemischt.core.analysis.reports.relations import relations_of
from gemischt.core.routing.paths import steps_feeding
from gemischt.core.session.actions.make_room import MakeRoom
from gemischt.core.units import db_to_gain

REMAINS_SHARE = 0.5
"""Of the time in which the trigger sounds."""

_SILENT_STEPS = 255


class _Remains(NamedTuple):
    """Where a strip still covers another: third octaves, the share of the time there, and what a band would need."""

    thirds: tuple[int, ...]
    share: float
    centre_hz: float
    level_dbfs: float


def masking_that_remains(situation: Situation) -> Iterator[Finding]:
    """Pairs of which one makes room for the other, and still covers it in some range for most of the time. What holds
    the other itself, as its reverb does, is left out."""
    session = situation.session
    pairs = {
        (target, relation.trigger): relation.owner
        for relation in relations_of(session)
        if relation.on and relation.trigger is not None and relation.kind in ("compressor", "band", "duck")
        for target in relation.targets
        if session.strip(relation.trigger).kind != "ghost"
    }
    for (target, trigger), owner in pairs.items():
        if trigger in steps_feeding(session, target)[1]:
            continue
        remains = _remains(situation, target, trigger)
        if not remains.thirds:
            continue
        thirds = np.array(remains.thirds)
        where, percent = range_words(thirds), 100.0 * remains.share
        narrow = CENTRES_HZ[thirds[-1]] / CENTRES_HZ[thirds[0]] <= NARROW
        level_dbfs = float(np.clip(remains.level_dbfs, -60.0, 0.0))
        dip = MakeRoom(
            targets=(target,), trigger=trigger, way="one-band", at_hz=remains.centre_hz, heard_dbfs=round(level_dbfs, 1)
        )
        yield Finding(
            kind="masking-remains",
            strip=target,
            subject=f"{trigger}/{owner}",
            title=f"{situation.name(target)} still covers {situation.name(trigger)} {where}",
            evidence=f"There it is no more than {COVERED_DB:.0f} dB below it for {percent:.0f} % of the time.",
            why="Room that is made in one range does not help another.",
            figures={"share_percent": percent},
            cure=dip if narrow else None,
            cure_text="A band that dips there" if narrow else "",
            look="Duck",
        )


def _remains(situation: Situation, target: str, trigger: str) -> _Remains:
    prints = situation.measurement.prints
    key = f"{prints[target].post_fader}-{prints[trigger].post_fader}-masking"
    kept = situation.store.figures(key)
    if kept is None:
        raw, own = _thirds(situation, trigger)
        found = overlap_of(own, raw, _thirds(situation, target)[1], near_db=COVERED_DB)
        thirds = found.meets(REMAINS_SHARE)
        has = len(thirds) > 0
        kept = {
            "thirds": [int(third) for third in thirds],
            "share": float(np.average(found.share[thirds], weights=found.weight[thirds])) if has else 0.0,
            "centre_hz": found.centre_hz(thirds) if has else 0.0,
            "level_dbfs": found.level_dbfs(thirds) if has else 0.0,
        }
        situation.store.keep_figures(key, kept)
    return _Remains(tuple(kept["thirds"]), kept["share"], kept["centre_hz"], kept["level_dbfs"])


def _thirds(situation: Situation, strip_id: str) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Powers of a strip before and after its fader: of one that rests, the same turned by fader and pan."""
    prints = situation.measurement.prints[strip_id]
    key = f"{prints.post_fader if prints.led else prints.pre_fader}-thirds"
    kept = situation.store.figures(key)
    if kept is None:
        rendered = None if prints.led else situation.store.audio(prints.pre_fader)
        if rendered is not None:
            whole = np.ascontiguousarray(rendered.T, np.float64)
            powers = [third_octave_powers(whole, situation.session.sample_rate_hz)]
            turned = db_to_gain(situation.session.pan_law_db) ** 2 if len(whole) == 1 else 1.0
        else:
            both = strip_thirds(situation.session, situation.media, strip_id, situation.in_song)
            powers = list(both if prints.led else both[:1])
            before, after = float(both[0].sum()) * prints.heard_gain**2, float(both[1].sum())
            turned = after / before if before > 0.0 else 1.0
        kept = {"powers": [_packed(found) for found in powers], "turned": turned}
        situation.store.keep_figures(key, kept)
    raw, *heard = (_unpacked(packed) for packed in kept["powers"])
    return raw, heard[0] if heard else raw * prints.heard_gain**2 * kept["turned"]


def _packed(powers: NDArray[np.float64]) -> str:
    """In steps of half a decibel, from -127.5 dBFS on."""
    steps = np.clip(np.rint(20.0 * np.log10(np.maximum(powers, 1e-20))), -_SILENT_STEPS, 0.0) + _SILENT_STEPS
    return b64encode(steps.astype(np.uint8).tobytes()).decode()


def _unpacked(packed: str) -> NDArray[np.float64]:
    steps = np.frombuffer(b64decode(packed), np.uint8).reshape(-1, N_THIRDS)
    powers: NDArray[np.float64] = np.where(steps > 0, 10.0 ** ((steps.astype(np.float64) - _SILENT_STEPS) / 20.0), 0.0)
    return powers
