"""What a print is held against: published targets, own ones, and how far a print is from them.

Published: EBU R 128 (2020), R 128 s1 (2016) and s2 (2021), AES TD1008 (2021); all from memory, the clause beside each.
"""

from dataclasses import dataclass
from typing import Literal

from gemischt.core.errors import NotFound
from gemischt.core.metering.summary import Summary
from gemischt.core.session.document import Session
from gemischt.core.session.prints import FormatName, Print, Target

PUBLISHED: tuple[Target, ...] = (
    Target(
        id="r128", name="Broadcast", lufs=-23.0, within_lu=0.5, at_most_dbtp=-1.0,
        source="EBU R 128: programme loudness -23.0 LUFS ±0.5 LU (d, e), maximum true peak -1 dBTP (h)",
    ),
    Target(
        id="r128-live", name="Broadcast, live", lufs=-23.0, within_lu=1.0, at_most_dbtp=-1.0,
        source="EBU R 128: ±1.0 LU where an exact value cannot be reached, as in live programmes (f)",
    ),
    Target(
        id="r128-s1", name="Spots and trailers", lufs=-23.0, within_lu=0.5, at_most_dbtp=-1.0,
        short_term_at_most_lufs=-18.0,
        source="EBU R 128 s1: short-form content, short-term loudness at most -18 LUFS (c)",
    ),
    Target(
        id="r128-s2", name="Broadcaster's streaming", lufs=-18.0, within_lu=2.0, at_most_dbtp=-1.0,
        source="EBU R 128 s2: distribution of streams between -20 and -16 LUFS",
    ),
    Target(
        id="td1008-album", name="Music streaming, album", lufs=-14.0, within_lu=1.0, at_most_dbtp=-1.0,
        source="AES TD1008: loudest track of an album -14 LUFS, true peak at most -1 dBTP before the codec",
    ),
    Target(
        id="td1008-track", name="Music streaming, track", lufs=-16.0, within_lu=1.0, at_most_dbtp=-1.0,
        source="AES TD1008: tracks normalised one by one -16 LUFS, true peak at most -1 dBTP before the codec",
    ),
    Target(
        id="td1008-speech", name="Speech streaming", lufs=-18.0, within_lu=1.0, at_most_dbtp=-1.0,
        source="AES TD1008: speech -18 LUFS, true peak at most -1 dBTP before the codec",
    ),
)  # fmt: skip

Asked = Literal["loudness", "true peak", "range", "short-term", "format", "rate"]


@dataclass(frozen=True)
class Check:
    """One figure against what is asked: ``found`` and ``wanted`` in words, ``off_db`` beyond it, 0 if it holds."""

    asked: Asked
    holds: bool
    found: str
    wanted: str
    off_db: float = 0.0


@dataclass(frozen=True)
class Verdict:
    """A print against its target.

    Attributes:
        gain_db: what brings it to the middle of the asked loudness, 0 if it holds; None of silence, or where none is
            asked.
        limited_db: by how much its true peaks would then be above what is allowed: a limiter has to take so much.
    """

    target: str
    checks: tuple[Check, ...]
    gain_db: float | None
    limited_db: float

    @property
    def fits(self) -> bool:
        """Whether all holds."""
        return all(check.holds for check in self.checks)


def targets_of(session: Session) -> tuple[Target, ...]:
    """Own targets, then the published ones; an own one of the same id stands for a published one."""
    own = {target.id for target in session.targets}
    return (*session.targets, *(target for target in PUBLISHED if target.id not in own))


def target_named(session: Session, name: str) -> Target:
    """A target by its id or name; NotFound names those there are."""
    for target in targets_of(session):
        if name.casefold() in (target.id.casefold(), target.name.casefold()):
            return target
    known = ", ".join(target.id for target in targets_of(session))
    raise NotFound("no such target", where=name, remedy=f"There are {known}.")


def target_of(session: Session) -> Target | None:
    """What a session is meant for."""
    return next((target for target in targets_of(session) if target.id == session.meant_for), None)


def is_delivered(session: Session, order: Print) -> bool:
    """Whether a print is what is delivered: the mix behind its fader, and not a part of it."""
    return order.every is None and order.strips == (session.mix.id,) and order.taps == ("post-fader",) and not order.of


def verdict_on(
    target: Target, summary: Summary, format_name: FormatName | None = None, rate_hz: int | None = None
) -> Verdict:
    """A measured print against a target."""
    checks: list[Check] = []
    gain_db: float | None = None
    if target.lufs is not None:
        off = summary.integrated_lufs - target.lufs
        holds = abs(off) <= target.within_lu + 0.05
        wanted = f"{target.lufs:.1f} ±{target.within_lu:g}"
        checks.append(Check("loudness", holds, _one_place(summary.integrated_lufs, "LUFS"), wanted, off))
        gain_db = None if summary.integrated_lufs == float("-inf") else 0.0 if holds else round(-off, 1)
    limits: tuple[tuple[Asked, float | None, float | None, str], ...] = (
        ("true peak", summary.true_peak_dbtp, target.at_most_dbtp, "dBTP"),
        ("range", summary.loudness_range_lu, target.range_at_most_lu, "LU"),
        ("short-term", summary.max_short_term_lufs, target.short_term_at_most_lufs, "LUFS"),
    )
    for asked, found, most, unit in limits:
        if most is not None and found is not None:
            holds = found <= most + 0.05
            checks.append(Check(asked, holds, _one_place(found, unit), f"at most {most:.1f}", max(0.0, found - most)))
    if target.formats and format_name is not None:
        checks.append(Check("format", format_name in target.formats, format_name, " or ".join(target.formats)))
    if target.rate_hz is not None and rate_hz is not None:
        checks.append(Check("rate", rate_hz == target.rate_hz, f"{rate_hz / 1000:g} kHz", f"{target.rate_hz / 1000:g}"))
    above = 0.0
    if target.at_most_dbtp is not None:
        above = max(0.0, summary.true_peak_dbtp + (gain_db or 0.0) - target.at_most_dbtp)
    return Verdict(target.name, tuple(checks), gain_db, round(above, 1))


def _one_place(value: float, unit: str) -> str:
    return f"{value:.1f} {unit}" if value > float("-inf") else "silent"
