"""Findings about what makes room: never back, always down, never started, twice at once, beside the beat."""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import asdict
from typing import NamedTuple

import numpy as np

from gemischt.core.analysis.findings.base import Finding, Situation, db
from gemischt.core.analysis.reports.duck_figures import DuckFigures
from gemischt.core.analysis.reports.duck_report import release_cure, report_duck
from gemischt.core.analysis.reports.relations import Relation, relations_of, step_of
from gemischt.core.session.actions import Action, SetDuck, SetParameters, Together
from gemischt.core.session.actions.ducks import AddGhost
from gemischt.core.session.actions.parameters import ParameterValue
from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.ducks import Hits, Repeat, WrittenNotes
from gemischt.core.session.edits import find_duck, fresh_strip_id
from gemischt.core.terms import Note

LATE_SHARE = 0.5
"""So many hits come too early before that is told; common practice, no source."""
STEADY_SHARE = 0.25
"""A trigger that is loud for longer is no drum; common practice, no source."""
ALWAYS_SHARE = 0.9
BESIDE_MS = 8.0
"""What is further from the beat than this is heard beside it; common practice, no source."""
LATE_STARTS = 0.25
"""Of its hits, so many may start a duck late before that is told; common practice, no source."""
_EVEN_MS = 4.0
_MOVED_DB = 1.0


class _Heard(NamedTuple):
    """What is kept of a report."""

    hits_s: tuple[float, ...]
    onsets_s: tuple[float, ...]
    figures: DuckFigures


def unfit_ducks(situation: Situation) -> Iterator[Finding]:
    """Each relation that is at work, as it is heard over the whole song."""
    for relation in relations_of(situation.session):
        if not relation.on or not relation.targets or relation.kind in ("gate", "follower"):
            continue
        strip = situation.session.strip(relation.targets[0])
        if situation.of(strip).stage("source").silent:
            continue
        heard = _hear(situation, relation)
        if relation.kind == "band":
            yield from _never_moved(situation, relation, heard.figures)
            continue
        yield from _never_started(situation, relation, heard.figures)
        yield from _starts_late(situation, relation, heard)
        yield from _never_back(situation, relation, heard.figures)
        yield from _always_down(situation, relation, heard.figures)
        yield from _beside_the_beat(situation, relation, heard.hits_s)


def ducked_twice(situation: Situation) -> Iterator[Finding]:
    """Strips that one trigger turns down in two ways at once."""
    session = situation.session
    ways: dict[tuple[str, str], list[Relation]] = defaultdict(list)
    for relation in relations_of(session):
        if relation.on and relation.trigger is not None and relation.kind not in ("gate", "follower"):
            for target in relation.targets:
                ways[target, relation.trigger].append(relation)
    for (target, trigger), found in ways.items():
        relations = _at_once(found)
        if len(relations) < 2:
            continue
        depths = [_hear(situation, relation).figures.deepest_db for relation in relations]
        if sorted(depths)[1] > -_MOVED_DB:
            continue
        last = relations[-1]
        yield Finding(
            kind="ducked-twice",
            strip=target,
            subject=trigger,
            title=f"{situation.name(target)} makes room for {situation.name(trigger)} twice",
            evidence=f"By up to {' and '.join(db(-depth) for depth in depths)} dB at once.",
            why="Two that do the same go deeper than either was set to.",
            figures={"together_db": sum(depths)},
            cure=_switched_off(last),
            cure_text="Switch the second off",
            look="Duck",
        )


def _at_once(relations: list[Relation]) -> list[Relation]:
    """Those that turn the same part of a signal: all of it, and the band in which most do."""
    bands: dict[tuple[str, str] | None, list[Relation]] = defaultdict(list)
    for relation in relations:
        bands[relation.band].append(relation)
    return [*bands.pop(None, []), *max(bands.values(), key=len, default=[])]


def _never_moved(situation: Situation, relation: Relation, figures: DuckFigures) -> Iterator[Finding]:
    """Of bands that another strip moves."""
    peak_dbfs = figures.trigger_peak_dbfs
    if abs(figures.deepest_db) > _MOVED_DB / 2.0 or peak_dbfs is None or relation.trigger is None:
        return
    assert relation.band is not None
    at = f"strips/{relation.targets[0]}/chain/{relation.owner}/bands/{relation.band[1]}/motion"
    # From its peaks down to what it is most of the time, if it is heard at all.
    levels_db = (max(-80.0, round(peak_dbfs - 24.0)), min(0.0, max(-79.0, round(peak_dbfs - 9.0))))
    lower = [
        ParameterValue(address=f"{at}/{name}", value=level)
        for name, level in zip(("from_level_db", "full_level_db"), levels_db, strict=True)
    ]
    heard = peak_dbfs > -70.0
    yield Finding(
        kind="idle-band",
        strip=relation.targets[0],
        subject=f"{relation.owner}/{relation.band[1]}",
        title=f"{situation.name(relation.targets[0])}'s band never moves",
        evidence=f"Of {situation.name(relation.trigger)} it hears no more than {db(peak_dbfs)} dBFS.",
        why="A band that never moves makes no room.",
        figures={"heard_dbfs": peak_dbfs},
        weight="wrong",
        cure=SetParameters(values=tuple(lower)) if heard else None,
        cure_text=f"From {levels_db[0]:.0f} to {levels_db[1]:.0f} dBFS" if heard else "",
        look="Duck",
    )


def _starts_late(situation: Situation, relation: Relation, heard: _Heard) -> Iterator[Finding]:
    """Drawn ducks whose hits ring on above the threshold, so that the next one starts nothing, or starts it late."""
    if relation.kind != "duck" or relation.trigger is None or len(heard.onsets_s) < 4:
        return
    late, trigger = heard.figures.late, situation.session.strip(relation.trigger)
    if late < LATE_STARTS * len(heard.onsets_s) or trigger.kind == "ghost":
        return
    session, duck = situation.session, find_duck(situation.session, relation.owner)
    assert isinstance(duck.clock, Hits)
    name = f"Tick of {trigger.name}"
    notes = tuple(Note(at_s=at_s) for at_s in heard.onsets_s)
    ghost = AddGhost(name=name, pattern=WrittenNotes(notes=notes))
    clock = Hits(source=fresh_strip_id(session, name))
    cure = Together(title=f"{duck.name}: started by a ghost", actions=(ghost, SetDuck(duck=duck.id, clock=clock)))
    yield Finding(
        kind="late-duck",
        strip=relation.targets[0],
        subject=relation.owner,
        title=f"{duck.name} misses hits of {trigger.name}",
        evidence=f"{late} of {len(heard.onsets_s)} hits start nothing, or start it late: what rang before is still "
        f"above {db(duck.clock.threshold_db)} dBFS.",
        why="A long tail holds the threshold; a ghost's click is over at once.",
        figures={"late": float(late)},
        weight="wrong",
        cure=cure,
        cure_text="A ghost that clicks where it hits",
        look="Duck",
    )


def _never_started(situation: Situation, relation: Relation, figures: DuckFigures) -> Iterator[Finding]:
    """Of drawn ducks: keyed compressors that never work are told by their levels."""
    if relation.kind != "duck" or figures.hits:
        return
    if relation.trigger is not None:
        peak_dbfs = situation.of(situation.session.strip(relation.trigger)).stage("pre-fader").sample_peak_dbfs
        what = f"{situation.name(relation.trigger)} reaches {db(peak_dbfs)} dBFS"
        quiet = peak_dbfs < -74.0
    else:
        peak_dbfs, what, quiet = 0.0, "Its clock has no tick", True
    threshold = max(-80.0, round(peak_dbfs - 6.0))
    duck = find_duck(situation.session, relation.owner)
    cure: Action | None = None
    if not quiet and isinstance(duck.clock, Hits):
        cure = SetDuck(duck=duck.id, clock=duck.clock.model_copy(update={"threshold_db": threshold}))
    yield Finding(
        kind="idle-duck",
        strip=relation.targets[0],
        subject=relation.owner,
        title=f"{duck.name} never starts",
        evidence=f"{what}; not one hit in the whole song.",
        why="The connection is there, but nothing comes of it.",
        figures={"peak_dbfs": max(peak_dbfs, -200.0)},
        cure=cure,
        cure_text=f"Hits from {db(threshold, places=0)} dB" if cure else "",
        look="Duck",
    )


def _never_back(situation: Situation, relation: Relation, figures: DuckFigures) -> Iterator[Finding]:
    # What goes on sounding, as voices do, is to keep down.
    if not figures.hits or figures.never_back < LATE_SHARE * figures.hits or figures.trigger_share > STEADY_SHARE:
        return
    cure, cure_text = release_cure(relation.targets[0], relation.owner, figures)
    yield Finding(
        kind="duck-never-back",
        strip=relation.targets[0],
        subject=relation.owner,
        title=f"{situation.name(relation.targets[0])} is not back before the next hit",
        evidence=f"{figures.never_back} of {figures.hits} hits come while it is still down"
        + (f"; the shortest gap is {figures.shortest_gap_ms:.0f} ms." if figures.shortest_gap_ms else "."),
        why="What never comes back is quieter, and no longer moves with the beat.",
        figures={"never_back": figures.never_back},
        cure=cure,
        cure_text=cure_text,
        look="Duck",
    )


def _always_down(situation: Situation, relation: Relation, figures: DuckFigures) -> Iterator[Finding]:
    if figures.ducked_share < ALWAYS_SHARE:
        return
    share_percent = 100 * figures.ducked_share
    yield Finding(
        kind="duck-always-down",
        strip=relation.targets[0],
        subject=relation.owner,
        title=f"{situation.name(relation.targets[0])} is down nearly all the time",
        evidence=f"Under −1 dB for {share_percent:.0f} % of the song, by up to {db(-figures.deepest_db)} dB.",
        why="That is a lower level, not room that is made.",
        figures={"share_percent": share_percent},
        look="Duck",
    )


def _beside_the_beat(situation: Situation, relation: Relation, hits_s: tuple[float, ...]) -> Iterator[Finding]:
    """A drawn duck whose ticks lie beside the sixteenths, all by the same time."""
    if relation.kind != "duck" or len(hits_s) < 4:
        return
    grid = BeatGrid(situation.session.tempo)
    beside_ms = []
    for at_s in hits_s:
        nearest_s = grid.time_of_quarters(round(4.0 * grid.quarters_at(at_s)) / 4.0)
        beside_ms.append(1000.0 * (at_s - nearest_s))
    constant_ms = float(np.median(beside_ms))
    if abs(constant_ms) < BESIDE_MS or float(np.std(beside_ms)) > _EVEN_MS:
        return
    duck = find_duck(situation.session, relation.owner)
    cure: Action | None = None
    if isinstance(duck.clock, Repeat):
        offset_s = round(duck.clock.offset_s - constant_ms / 1000.0, 4)
        cure = SetDuck(duck=duck.id, clock=duck.clock.model_copy(update={"offset_s": offset_s}))
    yield Finding(
        kind="duck-beside-the-beat",
        strip=relation.targets[0],
        subject=relation.owner,
        title=f"{duck.name} is beside the beat",
        evidence=f"Its ticks are {abs(constant_ms):.0f} ms {'late' if constant_ms > 0 else 'early'}, all of them.",
        why="A dip that does not fall together with its cause is heard as a fault of time.",
        figures={"beside_ms": constant_ms},
        cure=cure,
        cure_text="Move it onto the beat" if cure else "",
        look="Duck",
    )


def _switched_off(relation: Relation) -> Action:
    return SetParameters(values=(ParameterValue(address=relation.switch, value=False),))


def _hear(situation: Situation, relation: Relation) -> _Heard:
    """A relation over the whole song, heard once as long as nothing it depends on changes."""
    strip_id, step = step_of(relation)
    prints = situation.measurement.prints[strip_id]
    key = f"{prints.chain[-1] if prints.chain else prints.pre_chain}-{step.replace(':', '.')}-duck"
    kept = situation.store.figures(key)
    if kept is None:
        report = report_duck(situation.session, situation.media, relation, in_song=situation.in_song)
        kept = {"hits_s": report.hits_s, "onsets_s": report.onsets_s, "figures": asdict(report.figures)}
        situation.store.keep_figures(key, kept)
    return _Heard(tuple(kept["hits_s"]), tuple(kept["onsets_s"]), DuckFigures(**kept["figures"]))
