"""Clips of a track in samples: both ends on one grid, and fades where they are left to themselves."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from gemischt.core.audio import MediaSamples
from gemischt.core.engine.specs import ClipPlacement, Fade
from gemischt.core.session.document import Clip, Session
from gemischt.core.units import db_to_gain, ms_to_samples, s_to_samples

CUT_FADE_MS = 2.0


def place_clips(
    clips: Iterable[Clip], media: Mapping[str, MediaSamples], *, sample_rate_hz: int
) -> tuple[ClipPlacement, ...]:
    """Every clip of a track, in the order they are listed.

    Where a file's first sample lies in the song is rounded once, for all clips cut out of it: what abuts goes on to
    the sample.
    """
    placed = [_place(clip, len(media[clip.media]), sample_rate_hz) for clip in clips]
    _meet(placed)
    return tuple(_faded(item, sample_rate_hz) for item in placed)


def song_length_samples(session: Session, media: Mapping[str, MediaSamples]) -> int:
    """The end of the last clip."""
    rate = session.sample_rate_hz
    placed = (clip for strip in session.strips for clip in place_clips(strip.clips, media, sample_rate_hz=rate))
    return max((clip.start_samples + clip.length_samples for clip in placed), default=0)


@dataclass
class _Placed:
    """A clip in samples; ``origin`` is the place in the song from which its samples are counted, in its direction.

    What it meets at either end: how far it overlaps another clip there, 0 if the same material goes on, None if it
    meets nothing.
    """

    clip: Clip
    n_media: int
    start: int
    end: int
    origin: int
    before: Fade | None = None
    after: Fade | None = None

    @property
    def offset(self) -> int:
        """Where in the file the clip's stretch begins."""
        return self.origin - self.end if self.clip.reversed else self.start - self.origin

    def is_same_material(self, other: "_Placed") -> bool:
        """Whether both play the same samples of a file at the same place of the song."""
        one, two = self.clip, other.clip
        return (one.media, one.reversed, one.gain_db, self.origin) == (
            two.media,
            two.reversed,
            two.gain_db,
            other.origin,
        )


def _place(clip: Clip, n_media: int, rate_hz: int) -> _Placed:
    start = s_to_samples(clip.start_s, rate_hz)
    if not clip.reversed:
        origin = s_to_samples(clip.start_s - clip.offset_s, rate_hz)
        there = origin + n_media
        end = there if clip.length_s is None else min(there, s_to_samples(clip.start_s + clip.length_s, rate_hz))
        return _Placed(clip, n_media, start, max(start, end), origin)
    length_s = n_media / rate_hz - clip.offset_s
    if clip.length_s is not None:
        length_s = min(clip.length_s, length_s)
    end = max(start, s_to_samples(clip.start_s + length_s, rate_hz))
    origin = s_to_samples(clip.start_s + length_s + clip.offset_s, rate_hz)
    return _Placed(clip, n_media, max(start, origin - n_media), max(start, end), origin)


def _meet(placed: list[_Placed]) -> None:
    """Find what each clip overlaps or abuts: the one that ends last of those that begin before it."""
    latest: _Placed | None = None
    for item in sorted((item for item in placed if item.end > item.start), key=lambda item: item.start):
        if latest is not None and latest.start < item.start <= latest.end < item.end:
            same = latest.is_same_material(item)
            overlap = latest.end - item.start
            if overlap or same:
                latest.after = item.before = Fade(overlap, not same)
        if latest is None or item.end > latest.end:
            latest = item


def _faded(item: _Placed, rate_hz: int) -> ClipPlacement:
    clip = item.clip
    length = item.end - item.start
    first = min(max(0, item.offset), item.n_media)
    begins_inside, ends_inside = first > 0, first + length < item.n_media
    if clip.reversed:
        begins_inside, ends_inside = ends_inside, begins_inside
    cut = Fade(min(ms_to_samples(CUT_FADE_MS, rate_hz), length // 2))
    return ClipPlacement(
        media=clip.media,
        start_samples=item.start,
        length_samples=max(0, min(length, item.n_media - first)),
        offset_samples=first,
        gain=db_to_gain(clip.gain_db),
        fade_in=_fade(clip, clip.fade_in_s, item.before, cut if begins_inside else Fade(), rate_hz),
        fade_out=_fade(clip, clip.fade_out_s, item.after, cut if ends_inside else Fade(), rate_hz),
        backwards=clip.reversed,
    )


def _fade(clip: Clip, fade_s: float | None, meeting: Fade | None, alone: Fade, rate_hz: int) -> Fade:
    if fade_s is not None:
        return Fade(s_to_samples(fade_s, rate_hz), clip.fade_shape == "equal-power")
    return alone if meeting is None else meeting
