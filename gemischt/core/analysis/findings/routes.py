"""Findings about where signals go: heard twice, ringing on, going nowhere, or not there at all."""

from collections.abc import Iterator

from gemischt.core.analysis.findings.base import Finding, Situation, db
from gemischt.core.analysis.reports.leaks import leaks_of
from gemischt.core.routing.graph import keyed_processors
from gemischt.core.routing.paths import Way, is_dry, send_of, ways_to_mix
from gemischt.core.session.actions import RemoveSends, SetOutput, SetSends, SetStrips, StripSettings
from gemischt.core.session.actions.route import SendSettings
from gemischt.core.session.document import Session, Strip
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.kinds import traits_of

FAINT_DB = -24.0
"""A second dry way this far below the first changes the level by less than 0.6 dB."""
_DOWN_DB = -60.0


def heard_twice(situation: Situation) -> Iterator[Finding]:
    """Tracks whose dry signal reaches the mix by more than one way."""
    session = situation.session
    for strip in situation.tracks:
        if strip.mute:
            continue
        dry = [way for way in ways_to_mix(session, strip.id) if is_dry(session, way)]
        gains = sorted((_gain_db(session, way) for way in dry), reverse=True)
        if len(gains) < 2 or gains[1] - gains[0] < FAINT_DB:
            continue
        second = next(way for way in dry if _gain_db(session, way) == gains[1])
        sending = next((step for step in reversed(second) if step.send is not None), None)
        cure = None if sending is None else RemoveSends(sends=(SendSettings(strip=sending.strip, send=sending.send),))
        yield Finding(
            kind="heard-twice",
            strip=strip.id,
            title=f"{strip.name} is heard twice",
            evidence=f"{len(dry)} dry ways lead to the mix; the second is {db(gains[1] - gains[0])} dB to the first.",
            why="Twice the same signal is only louder: +6.0 dB for two equal ways.",
            figures={"second_db": gains[1] - gains[0], "ways": float(len(dry))},
            cure=cure,
            cure_text=f"Remove the send to {situation.name(sending.to)}" if sending else "",
            look="Route",
        )


def _gain_db(session: Session, way: Way) -> float:
    """Sends and faders on a way, as they are set."""
    total = 0.0
    for place, step in enumerate(way):
        strip = session.strip(step.strip)
        send = send_of(strip, step)
        if place > 0 and (send is None or send.tap == "post-fader"):
            total += _fader_db(strip)
        total += 0.0 if send is None else send.level_db or 0.0
    return total


def _fader_db(strip: Strip) -> float:
    return -200.0 if strip.mute or strip.fader_db is None else strip.fader_db


def outliving_their_bus(situation: Situation) -> Iterator[Finding]:
    """Buses that are down or muted while their members' sends ring on."""
    for bus in situation.session.strips:
        if bus.kind != "bus" or _fader_db(bus) > _DOWN_DB:
            continue
        leaks, _, _ = leaks_of(situation.session, bus)
        heard = sorted({leak.strip for leak in leaks if not situation.session.strip(leak.strip).mute})
        if not heard:
            continue
        sends = sorted({(leak.at, leak.send) for leak in leaks if leak.send is not None})
        through = sorted({situation.name(strip) for leak in leaks for strip in leak.through})
        yield Finding(
            kind="outlives-bus",
            strip=bus.id,
            title=f"{bus.name} is down, but {', '.join(through) or 'its sends'} goes on",
            evidence=f"{len(heard)} of its strips still reach the mix by their sends.",
            why="A bus fader only closes the bus; sends leave before it.",
            figures={"strips": float(len(heard))},
            weight="wrong",
            cure=SetSends(changes=tuple(SendSettings(strip=at, send=send, on=False) for at, send in sends)),
            cure_text=f"Switch {len(sends)} send{'' if len(sends) == 1 else 's'} off",
            look="Route",
        )


def playing_nowhere(situation: Situation) -> Iterator[Finding]:
    """Strips with sound that leads nowhere and keys nothing."""
    session = situation.session
    strips = with_steps_in_chains(session).strips
    keys = {processor.key.source for strip in strips for processor in keyed_processors(strip)}
    for strip in session.strips:
        if (
            not traits_of(strip).has_output
            or strip.output is not None
            or strip.id in keys
            or any(send.on for send in strip.sends)
        ):
            continue
        if situation.of(strip).stage("source").silent:
            continue
        yield Finding(
            kind="plays-nowhere",
            strip=strip.id,
            title=f"{strip.name} plays nowhere",
            evidence="It has no output, no send, and no compressor listens to it.",
            why="It will be missing from the mix.",
            figures={},
            cure=SetOutput(strips=(strip.id,), output=session.mix.id),
            cure_text=f"Let {strip.name} play to {session.mix.name}",
            look="Route",
        )


def silent_tracks(situation: Situation) -> Iterator[Finding]:
    """Tracks that play no clip or only silence."""
    for strip in situation.tracks:
        if situation.of(strip).stage("source").silent:
            what = "It has no clip." if not strip.clips else "Its clips hold nothing but silence."
            yield Finding(
                kind="silent",
                strip=strip.id,
                title=f"{strip.name} is silent",
                evidence=what,
                why="A file may have gone missing, or been exported empty.",
                figures={},
                look="Tidy",
            )


def muted_but_triggering(situation: Situation) -> Iterator[Finding]:
    """Muted strips that still turn others down."""
    session = situation.session
    for strip in with_steps_in_chains(session).strips:
        for processor in keyed_processors(strip):
            source = next((other for other in session.strips if other.id == processor.key.source), None)
            if source is None or not source.mute or processor.key.tap == "post-fader" or not processor.on:
                continue
            deepest = max(
                (item.deepest_db for item in situation.of(strip).reductions if item.processor == processor.id),
                default=0.0,
            )
            if deepest < 0.5:
                continue
            yield Finding(
                kind="muted-trigger",
                strip=source.id,
                subject=f"{strip.id}/{processor.id}",
                title=f"{source.name} is muted and still turns {strip.name} down",
                evidence=f"By up to {deepest:.1f} dB.",
                why="Nobody hears what makes the room; that may be meant.",
                figures={"deepest_db": deepest},
                cure=SetStrips(changes=(StripSettings(strip=source.id, mute=False),)),
                cure_text=f"Unmute {source.name}",
                look="Route",
            )
