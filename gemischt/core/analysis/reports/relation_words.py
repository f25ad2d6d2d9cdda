"""Words of which sentences about making room are made; each may be a parameter or name a strip."""

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from gemischt.core.parameters import FrozenModel, table_of
from gemischt.core.processors.registry import label_of
from gemischt.core.session.beat_grid import BeatGrid
from gemischt.core.session.document import Move, Session, Strip

WordRole = Literal["plain", "target", "trigger", "part", "amount", "recovery", "place", "when", "clock"]
SEPARATOR = " · "


@dataclass(frozen=True)
class Word:
    """A part of a sentence: what it says, which strip it names, which parameter it is."""

    text: str
    role: WordRole = "plain"
    strip: str | None = None
    address: str | None = None


def place_words(strip: Strip, processor_id: str) -> Iterator[Word]:
    """Behind what in the chain it stands, if that is an effect: before or after makes a difference there."""
    before: str | None = None
    for processor in strip.chain:
        if processor.id == processor_id:
            break
        if processor.type in ("reverb", "delay"):
            before = processor.type
    if before is not None:
        yield Word(f"{SEPARATOR}after its {label_of(before)}", "place")
        return
    behind = False
    for processor in strip.chain:
        behind = behind or processor.id == processor_id
        if behind and processor.type in ("reverb", "delay"):
            yield Word(f"{SEPARATOR}before its {label_of(processor.type)}", "place")
            return


def when_words(session: Session, switch: str) -> Iterator[Word]:
    """The stretches in which it is on, if that moves."""
    move = next((move for move in session.moves if move.on and move.target == switch), None)
    if move is not None:
        yield Word(f"{SEPARATOR}{stretch_words(session, move)}", "when", address=move.target)


def stretch_words(session: Session, move: Move) -> str:
    """ "only in Refrain", "only in bars 85 to 96", "not in bar 24"."""
    stretches = on_stretches(move)
    wholes = [(section.start_s, section.end_s, section.name) for section in session.sections]
    named = [_section_name(stretch, wholes) for stretch in stretches]
    if stretches and all(named):
        return f"only in {', '.join(dict.fromkeys(name for name in named if name))}"
    grid = BeatGrid(session.tempo)

    def bars(begin_s: float, end_s: float | None) -> str:
        first = round(grid.bars_at(begin_s)) + 1
        if end_s is None:
            return f"bar {first} on"
        last = max(first, round(grid.bars_at(end_s)))
        return f"bar {first}" if first == last else f"bars {first} to {last}"

    if len(stretches) == 2 and stretches[0][0] <= 0.0 and stretches[1][1] is None:
        return f"not in {bars(stretches[0][1] or 0.0, stretches[1][0])}"
    return "only in " + ", ".join(bars(*stretch) for stretch in stretches) if stretches else "never"


def on_stretches(move: Move) -> list[tuple[float, float | None]]:
    """From when to when a switch that moves is on; None goes on to the end."""
    found: list[tuple[float, float | None]] = []
    begin = 0.0 if move.points[0].value else None
    for before, point in pairwise(move.points):
        if point.value and not before.value:
            begin = point.at_s
        elif before.value and not point.value and begin is not None:
            found.append((begin, point.at_s))
            begin = None
    return [*found, (begin, None)] if begin is not None else found


def _section_name(
    stretch: tuple[float, float | None], wholes: list[tuple[float, float, str]], close_s: float = 0.05
) -> str | None:
    begin_s, end_s = stretch
    for start_s, stop_s, name in wholes:
        if abs(begin_s - start_s) < close_s and end_s is not None and abs(end_s - stop_s) < close_s:
            return name
    return None


def parameter_word(params: FrozenModel, name: str, role: WordRole, at: str) -> Word:
    text = table_of(type(params))[name].show(getattr(params, name))
    return Word(text, role, address=f"{at}/{name}")


def db_words(level_db: float) -> str:
    return f"{level_db:.1f} dB"


def range_words(low_hz: float | None, high_hz: float | None) -> str:
    if low_hz is None:
        return f"below {hz_words(high_hz or 0.0)}"
    if high_hz is None:
        return f"above {hz_words(low_hz)}"
    return f"{low_hz:.0f} to {hz_words(high_hz)}" if high_hz < 1000.0 else f"{hz_words(low_hz)} to {hz_words(high_hz)}"


def hz_words(frequency_hz: float) -> str:
    return f"{frequency_hz / 1000:.3g} kHz" if frequency_hz >= 1000 else f"{frequency_hz:.0f} Hz"
