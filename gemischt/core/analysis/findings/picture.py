"""Findings about the stereo picture and about what was recorded beside the music."""

from collections.abc import Iterator

from gemischt.core.analysis.findings.base import Finding, Situation, db
from gemischt.core.metering.stereo import LOWS_HZ
from gemischt.core.processors.registry import label_of
from gemischt.core.routing.graph import walk_chain
from gemischt.core.session.actions import SetStrips, StripSettings
from gemischt.core.session.document import Strip
from gemischt.core.units import SILENCE_DB, gain_to_db

MONO_LOSS_DB = 3.25
"""Unrelated channels lose 3.01 dB (identity); more means that they work against each other."""
WIDE_LOWS_DB = -6.0
LOWS_HEARD_DBFS = -46.0
LOWS_SHARE_DB = -15.0
"""How far below all of it the lows may be: from 200 Hz on, a tone's traces under 120 Hz are less."""
DC_DBFS = -50.0
NOISE_DBFS = -66.0
LEAST_LEAD_S = 0.5


def lost_in_mono(situation: Situation) -> Iterator[Finding]:
    """Strips that lose more than unrelated channels would."""
    for strip in situation.session.strips:
        stereo = situation.of(strip).stereo
        post = situation.of(strip).stage("post-fader")
        if stereo is None or post.silent or stereo.mono_loss_db <= MONO_LOSS_DB:
            continue
        loss = min(stereo.mono_loss_db, 60.0)
        yield Finding(
            kind="lost-in-mono",
            strip=strip.id,
            title=f"{strip.name} loses {loss:.1f} dB in mono",
            evidence=f"Left and right work against each other: {loss:.1f} dB are lost when they are summed.",
            why="On one loudspeaker, or from another room, it will be missing.",
            figures={"loss_db": loss},
            weight="wrong",
            cure=SetStrips(changes=(StripSettings(strip=strip.id, width=0.5),)) if strip.width > 0.5 else None,
            cure_text=f"Width of {strip.name} to 50 %",
            look="Place",
        )


def wide_lows(situation: Situation) -> Iterator[Finding]:
    """Lows that lean to the sides, loud enough to matter."""
    for strip in situation.tracks:
        stereo = situation.of(strip).stereo
        if stereo is None or stereo.lows_width_db <= WIDE_LOWS_DB:
            continue
        all_of_it_dbfs = situation.of(strip).stage("post-fader").rms_dbfs
        if stereo.lows_rms_dbfs < max(LOWS_HEARD_DBFS, all_of_it_dbfs + LOWS_SHARE_DB):
            continue
        yield Finding(
            kind="wide-lows",
            strip=strip.id,
            title=f"The lows of {strip.name} are wide",
            evidence=f"Below 120 Hz the sides stand {db(stereo.lows_width_db, sign=True)} dB to the middle.",
            why="Lows carry no direction; wide, they cancel in mono and eat headroom.",
            figures={"width_db": stereo.lows_width_db},
            cure=SetStrips(changes=(StripSettings(strip=strip.id, mono_below_hz=LOWS_HZ),)),
            cure_text=f"Make {strip.name} mono below {LOWS_HZ:.0f} Hz",
            look="Place",
        )


def constant_offset(situation: Situation) -> Iterator[Finding]:
    """Sources whose mean is not zero, and processors that make it so."""
    for strip in situation.session.strips:
        before = situation.of(strip).stage("source").dc
        if strip.kind == "track" and gain_to_db(before) > DC_DBFS:
            yield _offset(strip, before, f"{strip.name} has a constant offset", "")
        labels = {processor.id: label_of(processor.type) for processor in walk_chain(strip.chain)}
        for stage in situation.of(strip).stages:
            if stage.name == "processor" and gain_to_db(stage.levels.dc) > DC_DBFS and stage.levels.dc > 2.0 * before:
                title = f"{labels[stage.processor or '']} of {strip.name} leaves a constant offset"
                yield _offset(strip, stage.levels.dc, title, stage.processor or "")
            before = stage.levels.dc


def _offset(strip: Strip, dc: float, title: str, subject: str) -> Finding:
    level = gain_to_db(dc)
    return Finding(
        kind="dc",
        strip=strip.id,
        subject=subject,
        title=title,
        evidence=f"Its mean is {dc:+.4f}, {db(level)} dBFS.",
        why="It eats headroom and makes edits click; a low cut removes it.",
        figures={"dc_dbfs": level},
        look="Level",
    )


def noise_before_the_first_note(situation: Situation) -> Iterator[Finding]:
    """Tracks that are heard before they play."""
    for strip in situation.tracks:
        measured = situation.of(strip)
        noise = measured.noise_dbfs
        if noise is None or noise == SILENCE_DB or measured.onset_s is None or measured.onset_s < LEAST_LEAD_S:
            continue
        if noise + strip.trim_db <= NOISE_DBFS or strip.mute:
            continue
        yield Finding(
            kind="noise-before",
            strip=strip.id,
            title=f"{strip.name} makes noise before its first note",
            evidence=f"{db(noise)} dBFS RMS up to {measured.onset_s:.1f} s.",
            why="Noise of many tracks adds up in the quietest place of the song.",
            figures={"noise_dbfs": noise},
            at_s=0.0,
            look="Tidy",
        )
