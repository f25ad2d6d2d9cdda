"""Every conversion between units, named ``a_to_b``.

Decibels of a silent signal are ``-inf`` here; documents and messages write that as ``null``.
"""

import math

SILENCE_DB = -math.inf
UNHEARD_DB = -100.0
"""Readings of levels below this, re full scale, are told as silence: far below what is heard."""
_HAIR_SAMPLES = 1e-6


def db_to_gain(level_db: float | None) -> float:
    """Linear gain of a level; ``None`` and ``-inf`` are silence.

    >>> db_to_gain(-20.0)
    0.1
    >>> db_to_gain(None)
    0.0
    """
    return 0.0 if level_db is None or level_db == SILENCE_DB else float(10.0 ** (level_db / 20.0))


def gain_to_db(gain: float) -> float:
    """Level of a linear gain's magnitude.

    >>> gain_to_db(0.1)
    -20.0
    """
    magnitude = abs(gain)
    return 20.0 * math.log10(magnitude) if magnitude > 0.0 else SILENCE_DB


def power_to_db(power: float) -> float:
    """Level of a mean square.

    >>> power_to_db(0.01)
    -20.0
    """
    return 10.0 * math.log10(power) if power > 0.0 else SILENCE_DB


def signed_db(level_db: float) -> str:
    """A level or a change of one as people read it.

    >>> signed_db(-3.5), signed_db(0.0)
    ('-3.5 dB', '0.0 dB')
    """
    return f"{level_db:+.1f} dB".replace("+0.0", "0.0")


def finite_or_none(level_db: float) -> float | None:
    """A level as documents write it: infinities become ``None``."""
    return level_db if math.isfinite(level_db) else None


def heard_or_none(level_db: float) -> float | None:
    """A measured level as reports write it: what nobody can hear becomes ``None``.

    >>> heard_or_none(-99.0), heard_or_none(-111.1)
    (-99.0, None)
    """
    return level_db if UNHEARD_DB <= level_db < math.inf else None


def s_to_samples(time_s: float, sample_rate_hz: float) -> int:
    """Nearest sample to a time; half-way between two, the later one, also where the time was computed a hair less.

    >>> s_to_samples(0.5, 48000)
    24000
    """
    return math.floor(time_s * sample_rate_hz + 0.5 + _HAIR_SAMPLES)


def ms_to_samples(time_ms: float, sample_rate_hz: float) -> int:
    """Nearest sample count to a duration."""
    return round(time_ms * sample_rate_hz / 1000.0)


def time_constant_to_coefficient(time_ms: float, sample_rate_hz: float) -> float:
    """Feedback of a one-pole that covers 63.2 % of a step in ``time_ms``; 0 for no smoothing.

    Reference: Giannoulis, Massberg and Reiss 2012, alpha = exp(-1 / (tau fs)).
    """
    return math.exp(-1000.0 / (time_ms * sample_rate_hz)) if time_ms > 0.0 else 0.0


def note_to_quarters(note: str) -> float:
    """Length in quarter notes of a note value: ``1/8`` straight, ``1/4.`` dotted, ``1/8T`` triplet.

    >>> note_to_quarters("1/4."), note_to_quarters("1/8")
    (1.5, 0.5)
    """
    plain = note.rstrip(".T")
    numerator, denominator = plain.split("/")
    quarters = 4.0 * int(numerator) / int(denominator)
    if note.endswith("."):
        return quarters * 1.5
    return quarters * 2.0 / 3.0 if note.endswith("T") else quarters


def note_to_s(note: str, *, bpm: float, beat: str) -> float:
    """Length in seconds of a note value, where ``bpm`` counts the note ``beat``.

    >>> note_to_s("1/8.", bpm=120.0, beat="1/4")
    0.375
    """
    return 60.0 / bpm * note_to_quarters(note) / note_to_quarters(beat)


def position_to_side(position: float) -> str:
    """A place between left (-1) and right (1), in hundredths.

    >>> position_to_side(-0.35), position_to_side(0.001)
    ('L 35', 'C')
    """
    share = round(100.0 * abs(position))
    return "C" if share == 0 else f"{'L' if position < 0.0 else 'R'} {share}"
