"""Every way a strip's signal reaches the mix, through outputs and sends."""

from dataclasses import dataclass
from typing import Literal

from gemischt.core.engine.resolving import delay_in_time
from gemischt.core.processors.reverb import line_lengths
from gemischt.core.session.document import Processor, Send, Session, Strip
from gemischt.core.terms import Tap

MOST_WAYS = 64


@dataclass(frozen=True)
class Step:
    """From a strip on to the next one, by its output or by one of its sends."""

    strip: str
    to: str
    send: str | None

    @property
    def kind(self) -> Literal["output", "send"]:
        return "output" if self.send is None else "send"


Way = tuple[Step, ...]


def ways_to_mix(session: Session, strip_id: str, *, most: int = MOST_WAYS) -> list[Way]:
    """Ways from a strip to the mix, the direct ones first; none for the mix itself. Switched-off sends are no way.

    Args:
        most: where to stop; a session of many buses that send to each other has very many.
    """
    strips = {strip.id: strip for strip in session.strips}
    mix = session.mix.id
    found: list[Way] = []

    def walk(at: str, way: Way) -> None:
        if len(found) >= most:
            return
        if at == mix:
            found.append(way)
            return
        for step in steps_from(strips[at]):
            walk(step.to, (*way, step))

    if strip_id != mix:
        walk(strip_id, ())
    return sorted(found, key=lambda way: (sum(step.send is not None for step in way), len(way)))


def steps_from(strip: Strip) -> list[Step]:
    """Where a strip's signal goes from here."""
    steps = [] if strip.output is None else [Step(strip.id, strip.output, None)]
    return [
        *steps,
        *(Step(strip.id, send.to, send.id) for send in strip.sends if send.on and send.level_db is not None),
    ]


def steps_feeding(session: Session, strip_id: str) -> tuple[set[Step], set[str]]:
    """All steps that lead to a strip through outputs and sends, and the strips they come from, itself included."""
    arriving: dict[str, list[Step]] = {}
    for strip in session.strips:
        for step in steps_from(strip):
            arriving.setdefault(step.to, []).append(step)
    steps: set[Step] = set()
    reached = {strip_id}
    waiting = [strip_id]
    while waiting:
        for step in arriving.get(waiting.pop(), ()):
            steps.add(step)
            if step.strip not in reached:
                reached.add(step.strip)
                waiting.append(step.strip)
    return steps, reached


def send_of(strip: Strip, step: Step) -> Send | None:
    """The send a step goes by, or None for the output."""
    return next((send for send in strip.sends if send.id == step.send), None)


def tap_of(strip: Strip, step: Step) -> Tap:
    """Where on its strip a step begins."""
    send = send_of(strip, step)
    return "post-fader" if send is None else send.tap


def later_by_ms(session: Session, way: Way) -> float:
    """How much later than the dry signal this way is first heard: wet delays and rooms on it."""
    return sum(_chain_onset_ms(session, _chain_on_way(session, way, place)) for place in range(len(way) + 1))


def is_dry(session: Session, way: Way) -> bool:
    """Whether the way carries the signal without a fully wet delay or room."""
    chains = (_chain_on_way(session, way, place) for place in range(len(way) + 1))
    return all(_processor_onset_ms(session, processor) is None for chain in chains for processor in chain)


def _chain_on_way(session: Session, way: Way, place: int) -> tuple[Processor, ...]:
    """The chain a way passes at its strip number ``place``; taps before it and late arrivals pass it by."""
    strip = session.strip(way[place].strip if place < len(way) else way[-1].to)
    if place < len(way) and tap_of(strip, way[place]) == "pre-chain":
        return ()
    if place > 0:
        arriving = way[place - 1]
        if arriving.send is None and session.strip(arriving.strip).late:
            return ()
    return strip.chain


def _chain_onset_ms(session: Session, chain: tuple[Processor, ...]) -> float:
    return sum(_processor_onset_ms(session, processor) or 0.0 for processor in chain)


def _processor_onset_ms(session: Session, processor: Processor) -> float | None:
    """When a fully wet effect is first heard; None for anything that lets the dry signal through."""
    if not processor.on:
        return None
    if processor.type == "delay" and processor.params.wet == 1.0:
        note = processor.params.note
        return (processor.params if note is None else delay_in_time(processor.params, session)).time_ms
    if processor.type == "reverb" and processor.params.wet == 1.0:
        params, rate = processor.params, session.sample_rate_hz
        return params.pre_delay_ms + 1000.0 * float(line_lengths(params.size, params.decay_s, rate).min()) / rate
    return None
