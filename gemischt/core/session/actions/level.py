"""Edits of strips' own settings: trim, fader, pan, mute, solo, and the like."""

from typing import Any, Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import FrozenModel, same_as
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import InputPickUp, Pan, Session, Strip
from gemischt.core.session.edits import find_strip, names_of, replace_strip, show_db
from gemischt.core.space.layout import LayoutName
from gemischt.core.terms import Color, Id, Name


class StripSettings(FrozenModel):
    """New values of one strip; what is left out stays, of its pan, too."""

    strip: Id
    name: Name = ""
    color: Color = "#000000"
    layout: LayoutName | None = None
    input: InputPickUp = "as-is"
    trim_db: float = same_as(Strip, "trim_db")
    polarity_inverted: bool = False
    fader_db: float | None = same_as(Strip, "fader_db")
    mute: bool = False
    solo: bool = False
    solo_safe: bool = False
    pan: Pan = Pan()
    width: float = same_as(Strip, "width")
    width_level_db: float = same_as(Strip, "width_level_db")
    mono_below_hz: float | None = same_as(Strip, "mono_below_hz")
    mono_below_slope_db_per_octave: Literal[12, 24] = 24

    def values(self) -> dict[str, Any]:
        """The fields that were given."""
        return {name: getattr(self, name) for name in self.model_fields_set - {"strip"}}

    def pan_of(self, strip: Strip) -> Pan:
        """The pan that the strip gets: who sets its place and who sets its mode don't undo each other's edit."""
        return strip.pan.model_copy(update={name: getattr(self.pan, name) for name in self.pan.model_fields_set})


class SetStrips(Action):
    """Set any of a strip's settings, on one or many strips in one edit."""

    type: Literal["set-strips"] = "set-strips"
    changes: tuple[StripSettings, ...] = Field(min_length=1, max_length=512)

    def apply(self, session: Session) -> Session:
        for change in self.changes:
            values = change.values()
            if not values:
                raise InvalidAction("nothing to set", where=change.strip)
            strip = find_strip(session, change.strip)
            if "pan" in values:
                values["pan"] = change.pan_of(strip)
            session = replace_strip(session, strip.model_copy(update=values))
        return session

    def describe(self, session: Session) -> str:
        names = names_of(session, (change.strip for change in self.changes))
        words = [_describe_settings(find_strip(session, change.strip), change) for change in self.changes]
        if all(word == words[0] for word in words):
            return f"{names}: {words[0]}"
        fields = sorted({_WORDS[field] for change in self.changes for field in change.values()})
        return f"{names}: {', '.join(fields)}"


_WORDS = {
    "name": "name",
    "color": "colour",
    "layout": "layout",
    "input": "input",
    "trim_db": "trim",
    "polarity_inverted": "polarity",
    "fader_db": "fader",
    "mute": "mute",
    "solo": "solo",
    "solo_safe": "safe from solo",
    "pan": "pan",
    "width": "width",
    "width_level_db": "width level",
    "mono_below_hz": "mono below",
    "mono_below_slope_db_per_octave": "slope of its mono lows",
}


def _describe_settings(strip: Strip, change: StripSettings) -> str:
    values = change.values()
    if "pan" in values:
        values["pan"] = change.pan_of(strip)
    return ", ".join(_describe_setting(strip, field, value) for field, value in sorted(values.items()))


def _describe_setting(strip: Strip, field: str, value: Any) -> str:
    word = _WORDS[field]
    match field:
        case "fader_db" | "trim_db" | "width_level_db":
            return f"{word} {show_db(value)}"
        case "mute" | "solo" | "solo_safe":
            return f"{word} {'on' if value else 'off'}"
        case "polarity_inverted":
            return "polarity inverted" if value else "polarity as recorded"
        case "pan":
            return f"pan {describe_pan(value)}"
        case "width":
            return f"width {round(100 * value)} %"
        case "mono_below_hz":
            return "lows as they are" if value is None else f"mono below {value:.0f} Hz"
        case "layout":
            return f"layout {value or 'by itself'}"
        case "name":
            return f"renamed {value}"
        case _:
            return f"{word} {value}"


def describe_pan(pan: Pan) -> str:
    """Where a strip stands, in words: "30 % left"."""
    if pan.mode == "around":
        return _around(pan)
    if pan.mode == "two-handed":
        return f"left hand {_side(pan.left)}, right hand {_side(pan.right)}"
    fold = " (fold)" if pan.mode == "fold" else ""
    return f"{_side(pan.position)}{fold}"


def _around(pan: Pan) -> str:
    words = [f"{abs(pan.azimuth_deg):.0f}° {'left' if pan.azimuth_deg > 0.0 else 'right'}"]
    if pan.azimuth_deg == 0.0:
        words = ["front"]
    if pan.elevation_deg:
        words.append(f"{abs(pan.elevation_deg):.0f}° {'up' if pan.elevation_deg > 0.0 else 'down'}")
    if pan.spread_deg:
        words.append(f"{pan.spread_deg:.0f}° wide")
    return ", ".join(words)


def _side(position: float) -> str:
    share = round(100 * abs(position))
    return "centre" if share == 0 else f"{share} % {'left' if position < 0 else 'right'}"
