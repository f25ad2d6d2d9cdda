"""Findings about where strips stand between left and right."""

import re
from collections.abc import Iterator

from gemischt.core.analysis.findings.base import Finding, Situation, db
from gemischt.core.analysis.findings.picture import MONO_LOSS_DB
from gemischt.core.analysis.reports.stage import stage_of
from gemischt.core.analysis.reports.stage_place import StagePlace
from gemischt.core.metering.bands import EDGES_HZ
from gemischt.core.session.actions import SetStrips, SpreadStrips, StripSettings
from gemischt.core.session.actions.place import placed
from gemischt.core.session.document import Strip
from gemischt.core.units import power_to_db

WIDE = 0.66
"""What reaches so far is wide, ..."""
WIDE_SHARE = 0.6
"""... and so many of all tracks are too many. Both common practice, no source."""
LEAST_TRACKS = 4
MIDDLE = 0.1
CROWD = 4
"""So many in the middle and in one range are a crowd; common practice, no source."""
ONE_RANGE = 2.0
NEAR_DB = 12.0
LOPSIDED_DB = 1.5
MIRRORED = 0.15
LOST_DB = -3.0
OPPOSED = -0.5
OPPOSED_BANDS = 2
"""So many bands of 1.5 ERB that are opposed are heard to be missing; common practice, no source."""
LOW_HZ = 300.0
_SIDES = re.compile(r"^(?P<stem>.+?)[ _-]?\b(?P<side>left|right|l|r)$", re.IGNORECASE)


def stage_findings(situation: Situation) -> Iterator[Finding]:
    """All there are, from one look at the stage."""
    session, measurement = situation.session, situation.measurement
    places = stage_of(session, situation.media, measurement, situation.store, situation.in_song, only_tracks=True)
    tracks = [(strip, places[strip.id]) for strip in situation.tracks if strip.id in places]
    yield from _everything_wide(situation, tracks)
    yield from _crowded_middle(situation, tracks)
    yield from _lopsided(situation, tracks)
    yield from _not_mirrored(tracks)
    yield from _opposed_in_a_range(situation, tracks)
    yield from _lost_by_pan(tracks)


def _opposed_in_a_range(situation: Situation, tracks: list[tuple[Strip, StagePlace]]) -> Iterator[Finding]:
    """Tracks that as a whole survive in mono, and of which a range does not."""
    for strip, place in tracks:
        stretch = _longest_opposed(place.band_correlations)
        if place.mono_loss_db > MONO_LOSS_DB or len(stretch) < OPPOSED_BANDS:
            continue
        low_hz, high_hz = EDGES_HZ[stretch[0]], EDGES_HZ[stretch[-1] + 1]
        is_low = high_hz <= LOW_HZ
        cure = SetStrips(changes=(StripSettings(strip=strip.id, mono_below_hz=1.2 * high_hz),)) if is_low else None
        yield Finding(
            kind="range-lost-in-mono",
            strip=strip.id,
            title=f"{strip.name} vanishes in mono from {low_hz:.0f} to {high_hz:.0f} Hz",
            evidence="There left and right are opposed: "
            f"correlation {min(place.band_correlations[band] or 0.0 for band in stretch):.2f} at the least.",
            why="On one loudspeaker, or from another room, its tone will be another.",
            figures={"low_hz": float(low_hz), "high_hz": float(high_hz)},
            cure=cure,
            cure_text=f"Make {strip.name} mono below {1.2 * high_hz:.0f} Hz",
            look="Place",
        )


def _longest_opposed(correlations: tuple[float | None, ...]) -> list[int]:
    """The longest stretch of bands that are opposed."""
    longest: list[int] = []
    now: list[int] = []
    for band, correlation in enumerate(correlations):
        now = [*now, band] if correlation is not None and correlation < OPPOSED else []
        longest = max(longest, now, key=len)
    return longest


def _everything_wide(situation: Situation, tracks: list[tuple[Strip, StagePlace]]) -> Iterator[Finding]:
    wide = [strip for strip, place in tracks if place.reach >= WIDE]
    if len(tracks) < LEAST_TRACKS or len(wide) < WIDE_SHARE * len(tracks):
        return
    yield Finding(
        kind="everything-wide",
        strip=situation.session.mix.id,
        title="Nearly everything is wide",
        evidence=f"{len(wide)} of {len(tracks)} tracks reach over two thirds of the stage.",
        why="If everything is wide nothing is: width is heard beside what is narrow.",
        figures={"wide": float(len(wide))},
        look="Place",
    )


def _crowded_middle(situation: Situation, tracks: list[tuple[Strip, StagePlace]]) -> Iterator[Finding]:
    """Tracks that stand in the middle, are heard as loud, and lie in one range."""
    middle = [(strip, place) for strip, place in tracks if abs(place.position) < MIDDLE and place.reach < 2 * MIDDLE]
    for at in sorted((place for _, place in middle), key=lambda place: place.centre_hz):
        crowd = [
            (strip, place)
            for strip, place in middle
            if at.centre_hz <= place.centre_hz < ONE_RANGE * at.centre_hz
            and abs(place.rms_dbfs - at.rms_dbfs) < NEAR_DB
        ]
        if len(crowd) < CROWD:
            continue
        loudest = max(crowd, key=lambda item: item[1].rms_dbfs)[0]
        others = [strip for strip, _ in crowd if strip.id != loudest.id]
        names = ", ".join(strip.name for strip, _ in crowd)
        yield Finding(
            kind="crowded-middle",
            strip=loudest.id,
            title=f"{len(crowd)} tracks crowd the middle",
            evidence=f"{names} stand there, all within an octave from {at.centre_hz:.0f} Hz on.",
            why="What stands in one place and one range has to be told apart by level alone.",
            figures={"crowd": float(len(crowd))},
            cure=SpreadStrips(strips=tuple(strip.id for strip in others), how="fan", arc=0.5),
            cure_text=f"Fan out all but {loudest.name}",
            look="Place",
        )
        return


def _lopsided(situation: Situation, tracks: list[tuple[Strip, StagePlace]]) -> Iterator[Finding]:
    """All tracks together, as if they were unrelated."""
    sides = [0.0, 0.0]
    for _, place in tracks:
        power, right_over_left = 10.0 ** (place.rms_dbfs / 10.0), 10.0 ** (place.balance_db / 10.0)
        sides[0] += power / (1.0 + right_over_left)
        sides[1] += power * right_over_left / (1.0 + right_over_left)
    if min(sides) <= 0.0 or len(tracks) < 2:
        return
    balance_db = power_to_db(sides[1]) - power_to_db(sides[0])
    if abs(balance_db) <= LOPSIDED_DB:
        return
    yield Finding(
        kind="lopsided",
        strip=situation.session.mix.id,
        title=f"The mix leans to the {'right' if balance_db > 0 else 'left'}",
        evidence=f"Over the song the tracks are {db(abs(balance_db))} dB louder on that side.",
        why="Whoever sits beside one loudspeaker hears another song.",
        figures={"balance_db": balance_db},
        look="Place",
    )


def _not_mirrored(tracks: list[tuple[Strip, StagePlace]]) -> Iterator[Finding]:
    """Pairs by their names that do not stand opposite each other."""
    pairs: dict[str, dict[str, tuple[Strip, StagePlace]]] = {}
    for strip, place in tracks:
        if named := _SIDES.match(strip.name):
            side = named["side"][0].lower()
            pairs.setdefault(named["stem"].strip().lower(), {})[side] = (strip, place)
    for pair in pairs.values():
        if len(pair) < 2:
            continue
        (left, at_left), (right, at_right) = pair["l"], pair["r"]
        if abs(at_left.position + at_right.position) <= MIRRORED:
            continue
        half = max(0.3, 0.5 * (abs(at_left.position) + abs(at_right.position)))
        cure = SetStrips(
            changes=(
                StripSettings(strip=left.id, pan=placed(left.pan, -round(half, 2))),
                StripSettings(strip=right.id, pan=placed(right.pan, round(half, 2))),
            )
        )
        yield Finding(
            kind="not-mirrored",
            strip=left.id,
            subject=right.id,
            title=f"{left.name} and {right.name} are no mirrored pair",
            evidence=f"They are heard at {_side(at_left.position)} and {_side(at_right.position)}.",
            why="A pair holds what is between them; of unequal arms it pulls to one side.",
            figures={"apart_percent": 100.0 * (at_left.position + at_right.position)},
            cure=cure,
            cure_text="Mirror them",
            look="Place",
        )


def _lost_by_pan(tracks: list[tuple[Strip, StagePlace]]) -> Iterator[Finding]:
    for strip, place in tracks:
        if strip.pan.mode != "balance" or place.kept_db is None or place.kept_db > LOST_DB:
            continue
        yield Finding(
            kind="lost-by-pan",
            strip=strip.id,
            title=f"The pan of {strip.name} turns down what it is to place",
            evidence=f"{db(-place.kept_db)} dB of it are lost: a balance turns one side down, and most of it is there.",
            why="Folded over, the same place keeps all of it.",
            figures={"kept_db": place.kept_db},
            weight="wrong",
            cure=SetStrips(changes=(StripSettings(strip=strip.id, pan=strip.pan.model_copy(update={"mode": "fold"})),)),
            cure_text="Fold that side over",
            look="Place",
        )


def _side(position: float) -> str:
    share = round(100 * abs(position))
    return "the middle" if share == 0 else f"{share} % {'left' if position < 0 else 'right'}"
