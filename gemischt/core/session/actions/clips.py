"""Edits of the clips on tracks. A clip is named by its track and its place in the track's list, from 0."""

from typing import Any, Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import FrozenModel, same_as
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Clip, FadeShape, Session, Strip
from gemischt.core.session.edits import find_strip, names_of, replace_strip
from gemischt.core.terms import LONGEST_SONG_S, Id

_SHORTEST_S = 0.001


class ClipSettings(FrozenModel):
    """New values of one clip; what is left out stays."""

    strip: Id
    clip: int = Field(ge=0)
    start_s: float = Field(default=0.0, ge=0.0, le=LONGEST_SONG_S)
    offset_s: float = Field(default=0.0, ge=0.0, le=LONGEST_SONG_S)
    length_s: float | None = Field(default=None, gt=0.0, le=LONGEST_SONG_S)
    gain_db: float | None = same_as(Clip, "gain_db")
    fade_in_s: float | None = same_as(Clip, "fade_in_s")
    fade_out_s: float | None = same_as(Clip, "fade_out_s")
    fade_shape: FadeShape = "linear"
    reversed: bool = False

    def values(self) -> dict[str, Any]:
        """The fields that were given."""
        return {name: getattr(self, name) for name in self.model_fields_set - {"strip", "clip"}}


class SetClips(Action):
    """Move, trim, fade, turn up or reverse clips."""

    type: Literal["set-clips"] = "set-clips"
    changes: tuple[ClipSettings, ...] = Field(min_length=1, max_length=4096)

    def apply(self, session: Session) -> Session:
        for change in self.changes:
            strip = find_strip(session, change.strip)
            clip = find_clip(strip, change.clip).model_copy(update=change.values())
            session = replace_strip(session, _with_clip(strip, change.clip, (clip,)))
        return session

    def describe(self, session: Session) -> str:
        names = names_of(session, dict.fromkeys(change.strip for change in self.changes))
        words = sorted({_WORDS[field] for change in self.changes for field in change.values()})
        return f"{names}: clip {', '.join(words)}"


_WORDS = {
    "start_s": "moved",
    "offset_s": "trimmed",
    "length_s": "trimmed",
    "gain_db": "gain",
    "fade_in_s": "faded in",
    "fade_out_s": "faded out",
    "fade_shape": "fade shape",
    "reversed": "reversed",
}


class SplitClip(Action):
    """Cut a clip in two at a place in the song."""

    type: Literal["split-clip"] = "split-clip"
    strip: Id
    clip: int = Field(ge=0)
    at_s: float = Field(ge=0.0)

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        clip = find_clip(strip, self.clip)
        length_s = clip_length_s(session, clip)
        first_s = self.at_s - clip.start_s
        if not first_s >= _SHORTEST_S or (length_s is not None and first_s > length_s - _SHORTEST_S):
            raise InvalidAction("the clip does not sound there", where=strip.name, remedy="Split inside a clip.")
        if clip.reversed and length_s is None:
            raise InvalidAction("how long the reversed clip is is not known", where=strip.name, remedy="Trim it first.")
        rest_s = None if length_s is None else length_s - first_s
        # What a reversed clip plays first lies at the end of its stretch of the file.
        first_offset_s = clip.offset_s + (rest_s or 0.0) if clip.reversed else clip.offset_s
        second_offset_s = clip.offset_s if clip.reversed else clip.offset_s + first_s
        first = clip.model_copy(update={"length_s": first_s, "offset_s": first_offset_s, "fade_out_s": None})
        second = clip.model_copy(
            update={
                "start_s": self.at_s,
                "offset_s": second_offset_s,
                "length_s": None if clip.length_s is None and not clip.reversed else rest_s,
                "fade_in_s": None,
            }
        )
        return replace_strip(session, _with_clip(strip, self.clip, (first, second)))

    def describe(self, session: Session) -> str:
        return f"{find_strip(session, self.strip).name}: clip split at {self.at_s:.2f} s"


class DuplicateClip(Action):
    """A copy of a clip, right behind it or at a place."""

    type: Literal["duplicate-clip"] = "duplicate-clip"
    strip: Id
    clip: int = Field(ge=0)
    at_s: float | None = Field(default=None, ge=0.0)

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        clip = find_clip(strip, self.clip)
        length_s = clip_length_s(session, clip)
        if self.at_s is None and length_s is None:
            raise InvalidAction("how long the clip is is not known", where=strip.name, remedy="Say where to put it.")
        start_s = clip.start_s + (length_s or 0.0) if self.at_s is None else self.at_s
        copy = clip.model_copy(update={"start_s": start_s})
        return replace_strip(session, _with_clip(strip, self.clip, (clip, copy)))

    def describe(self, session: Session) -> str:
        return f"{find_strip(session, self.strip).name}: clip duplicated"


class RemoveClip(Action):
    """Take a clip off its track; the file stays."""

    type: Literal["remove-clip"] = "remove-clip"
    strip: Id
    clip: int = Field(ge=0)

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        find_clip(strip, self.clip)
        return replace_strip(session, _with_clip(strip, self.clip, ()))

    def describe(self, session: Session) -> str:
        return f"{find_strip(session, self.strip).name}: clip removed"


def find_clip(strip: Strip, index: int) -> Clip:
    """The clip at a place in the list, or InvalidAction."""
    if index >= len(strip.clips):
        raise InvalidAction(f"there is no clip {index + 1}", where=strip.name, remedy="It may have been removed.")
    return strip.clips[index]


def clip_length_s(session: Session, clip: Clip) -> float | None:
    """How long a clip sounds; None if it plays to the end of a file whose length was not noted."""
    media = next(item for item in session.media if item.id == clip.media)
    if media.duration_s is None:
        return clip.length_s
    there_s = max(0.0, media.duration_s - clip.offset_s)
    return there_s if clip.length_s is None else min(clip.length_s, there_s)


def _with_clip(strip: Strip, index: int, clips: tuple[Clip, ...]) -> Strip:
    return strip.model_copy(update={"clips": (*strip.clips[:index], *clips, *strip.clips[index + 1 :])})
