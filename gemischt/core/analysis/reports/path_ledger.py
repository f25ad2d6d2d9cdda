"""The path ledger: what each way of a strip brings to the mix, and what all of them add up to."""

import math
from dataclasses import dataclass

from gemischt.core.analysis.sub_sessions.paths import isolate
from gemischt.core.engine.tap_reader import (
    Media,
    Report,
    StretchS,
    StripLevels,
    no_report,
    read_levels,
    read_reductions_db,
    stretch_of,
)
from gemischt.core.routing.graph import keyed_processors
from gemischt.core.routing.paths import Step, Way, is_dry, later_by_ms, send_of, steps_feeding, tap_of, ways_to_mix
from gemischt.core.session.document import Session
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.terms import Tap
from gemischt.core.units import SILENCE_DB


@dataclass(frozen=True)
class LedgerStep:
    """A strip on a way: how the signal arrives (``send_db`` None is an output), and the gain it gets there, RMS.

    Where the send's level moves over the song, ``moves_db`` says between what, and the gain is that of both together.
    """

    strip: str
    send: str | None
    send_db: float | None
    gain_db: float
    moves_db: tuple[float | None, float | None] | None = None


@dataclass(frozen=True)
class LedgerWay:
    """One way: steps after the strip itself, gain from source to mix, level at the mix (RMS), share of the power."""

    steps: tuple[LedgerStep, ...]
    gain_db: float
    mix_rms_dbfs: float
    mix_peak_dbfs: float
    share: float
    later_ms: float
    dry: bool


@dataclass(frozen=True)
class KeyedMove:
    """A processor that the strip turns down, and by how much at most."""

    strip: str
    processor: str
    reduction_db: float


@dataclass(frozen=True)
class Ledger:
    """Everything a strip brings to the mix over a stretch.

    ``source_rms_dbfs`` is where it begins; ``twice_db`` is set when the dry signal arrives by more than one way: how
    much louder than by the loudest alone.
    """

    strip: str
    start_s: float
    end_s: float
    source_rms_dbfs: float
    trim_db: float
    chain_db: float
    fader_db: float
    ways: tuple[LedgerWay, ...]
    sum_rms_dbfs: float
    sum_peak_dbfs: float
    sum_gain_db: float
    twice_db: float | None
    keyed: tuple[KeyedMove, ...]


def path_ledger(
    session: Session,
    media: Media,
    strip_id: str,
    *,
    stretch_s: StretchS | None = None,
    report: Report = no_report,
) -> Ledger:
    """Measure every way of a strip to the mix on its real signal, each alone and all together.

    The signal of a bus, return or the mix is what it gets from everything that feeds it.

    Args:
        stretch_s: what to measure over; the whole song if None.
    """
    session = with_steps_in_chains(session)
    stretch = stretch_of(session, media, stretch_s)
    ways = ways_to_mix(session, strip_id)
    dry = [way for way in ways if is_dry(session, way)]
    targets = _keyed_by(session, strip_id)
    feeding, sounding = steps_feeding(session, strip_id)
    runs = _Runs(1 + (len(ways) if len(ways) > 1 else 0) + (1 < len(dry) < len(ways)) + bool(targets), report)

    def heard(some: list[Way]) -> StripLevels:
        steps = feeding | {step for way in some for step in way}
        return read_levels(isolate(session, steps, sounding), media, stretch, report=runs.next())

    together = heard(ways)
    alone = [(way, together if len(ways) == 1 else heard([way])) for way in ways]
    mix = session.mix.id
    strip = session.strip(strip_id)
    source_db = together.rms_db(strip_id, None)
    powers = sum(_power(levels.rms_db(mix, "post-fader")) for _, levels in alone)
    listed = tuple(_ledger_way(session, way, levels, source_db, powers) for way, levels in alone)
    reaches = bool(ways) or strip_id == mix
    sum_db = together.rms_db(mix, "post-fader") if reaches else SILENCE_DB
    twice_db = None
    if len(dry) > 1:
        both = together if len(dry) == len(ways) else heard(dry)
        loudest_db = max(way.mix_rms_dbfs for way in listed if way.dry)
        twice_db = _difference(both.rms_db(mix, "post-fader"), loudest_db)
    reductions: dict[tuple[str, str], float] = {}
    if targets:
        keyed = isolate(session, [], {target for target, _ in targets})
        reductions = read_reductions_db(keyed, media, stretch, report=runs.next())
    return Ledger(
        strip=strip_id,
        start_s=stretch.start_samples / session.sample_rate_hz,
        end_s=stretch.end_samples / session.sample_rate_hz,
        source_rms_dbfs=source_db,
        trim_db=strip.trim_db,
        chain_db=_difference(together.rms_db(strip_id, "pre-fader"), source_db + strip.trim_db),
        fader_db=_difference(together.rms_db(strip_id, "post-fader"), together.rms_db(strip_id, "pre-fader")),
        ways=listed,
        sum_rms_dbfs=sum_db,
        sum_peak_dbfs=together.peak_db(mix, "post-fader") if reaches else SILENCE_DB,
        sum_gain_db=_difference(sum_db, source_db),
        twice_db=twice_db,
        keyed=tuple(KeyedMove(target, processor, reductions[target, processor]) for target, processor in targets),
    )


class _Runs:
    """Shares one progress among several renders."""

    def __init__(self, count: int, report: Report) -> None:
        self._count = count
        self._done = 0
        self._report = report

    def next(self) -> Report:
        before = self._done
        self._done += 1
        return lambda share: self._report(min(1.0, (before + share) / self._count))


def _ledger_way(session: Session, way: Way, levels: StripLevels, source_db: float, powers: float) -> LedgerWay:
    steps: list[LedgerStep] = []
    first = session.strip(way[0].strip)
    before_db = levels.rms_db(first.id, tap_of(first, way[0]))
    if tap_of(first, way[0]) == "pre-chain":
        before_db += first.trim_db
    for place, step in enumerate(way):
        send = send_of(session.strip(step.strip), step)
        moves_db = _travel_db(session, step)
        arriving_db = before_db + (send.level_db or 0.0 if send and moves_db is None else 0.0)
        arrived = session.strip(step.to)
        last = place + 1 == len(way)
        tap: Tap = "post-fader" if last else tap_of(arrived, way[place + 1])
        after_db = levels.rms_db(arrived.id, tap) + (arrived.trim_db if tap == "pre-chain" else 0.0)
        steps.append(
            LedgerStep(
                strip=arrived.id,
                send=step.send,
                send_db=None if send is None else send.level_db,
                gain_db=_difference(after_db, arriving_db),
                moves_db=moves_db,
            )
        )
        before_db = after_db
    mix_db = levels.rms_db(session.mix.id, "post-fader")
    return LedgerWay(
        steps=tuple(steps),
        gain_db=_difference(mix_db, source_db),
        mix_rms_dbfs=mix_db,
        mix_peak_dbfs=levels.peak_db(session.mix.id, "post-fader"),
        share=_power(mix_db) / powers if powers > 0.0 else 0.0,
        later_ms=later_by_ms(session, way),
        dry=is_dry(session, way),
    )


def _travel_db(session: Session, step: Step) -> tuple[float | None, float | None] | None:
    """Between which levels a step's send moves; None if it rests."""
    target = f"strips/{step.strip}/sends/{step.send}/level_db"
    move = next((move for move in session.moves if move.on and move.target == target), None)
    if move is None or step.send is None:
        return None
    levels = sorted((point.value for point in move.points), key=lambda level: -math.inf if level is None else level)
    return levels[0], levels[-1]


def _keyed_by(session: Session, strip_id: str) -> list[tuple[str, str]]:
    return [
        (target.id, processor.id)
        for target in session.strips
        for processor in keyed_processors(target)
        if processor.key.source == strip_id and processor.on
    ]


def _power(level_db: float) -> float:
    return float(10.0 ** (level_db / 10.0))


def _difference(after_db: float, before_db: float) -> float:
    """Gain between two levels; silence out of anything is minus infinity, anything out of silence is no gain."""
    if before_db == SILENCE_DB:
        return 0.0 if after_db == SILENCE_DB else math.inf
    return after_db - before_db
