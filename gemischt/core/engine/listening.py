"""Detectors and ducks on the sheet: who turns something down hears a key, finds its levels, decides, is waited for."""

from collections.abc import Callable
from dataclasses import dataclass, field

from gemischt.core.engine import specs
from gemischt.core.engine.buffer_names import signal_name
from gemischt.core.engine.resolving import detector_curve, detector_cuts
from gemischt.core.engine.settings import Ducking, FollowingStep, Listener, Turning
from gemischt.core.engine.sheet import Feed, Sheet
from gemischt.core.engine.specs import Role
from gemischt.core.keys import DetectorFilter
from gemischt.core.processors.base import Detection
from gemischt.core.session.ducks import Hits
from gemischt.core.terms import Tap
from gemischt.core.units import db_to_gain


@dataclass
class Listening:
    """Who listens alike shares keys, known by where, how loud, filtered how and how late they are heard, and levels of
    keys, known by how they are listened to. A key that moves over the song is nobody else's.

    ``tap`` gives the buffer of a strip's tap; ``key_moves`` says so of a processor of a strip.
    """

    sheet: Sheet
    tap: Callable[[str, Tap], str]
    key_moves: Callable[[str, str], bool]
    _keys: dict[tuple[str, float, DetectorFilter, int], str] = field(default_factory=dict)
    _levels: dict[tuple[str, bool, Detection], str] = field(default_factory=dict)
    _openings: dict[tuple[str, str | None, int], str] = field(default_factory=dict)

    def draw(self, turning: Turning) -> None:
        """A processor that turns its buffer down."""
        sheet = self.sheet
        shape = turning.shape(self._draw_levels(turning, self._draw_key(turning)))
        sheet.signals[shape.reduction] = sheet.buffers[turning.buffer].n_channels
        sheet.add(shape)
        sheet.wait(turning.id_of(Role.LOOKAHEAD), turning.buffer, shape.lookahead_samples)
        sheet.add(turning.apply(shape.reduction))

    def draw_duck(self, ducking: Ducking, until_samples: int) -> None:
        """A duck's step; targets that lag alike share one curve."""
        sheet, opening = self.sheet, ducking.processor.params.opening
        by_hits = isinstance(opening.clock, Hits)
        levels = self._draw_levels(ducking, self._draw_key(ducking)) if by_hits else None
        lag = sheet.lags[ducking.buffer]
        known = self._openings.get((opening.duck, levels, lag))
        if known is None:
            known = signal_name(ducking.strip, ducking.processor.id, "openness")
            sheet.signals[known] = 1
            self._openings[opening.duck, levels, lag] = known
            sheet.add(specs.Open(ducking.id_of(Role.OPEN), levels, known, lag, until_samples, opening))
        sheet.add(ducking.apply(known))

    def draw_follower(self, following: FollowingStep) -> None:
        """A follower. Its strip waits until it has been heard; what works later still lets its share wait."""
        sheet, key = self.sheet, following.processor.key
        if key.source is None:
            heard = self._draw_key(following)
        else:
            source = self.tap(key.source, key.tap)
            heard_so = (source, key.gain_db, key.filter, sheet.lags[source])
            known = self._keys.get(heard_so)
            heard = self._draw_heard(following, source, sheet.lags[source]) if known is None else known
            self._keys[heard_so] = heard
        follow = following.follow(self._draw_levels(following, heard, pairs=False))
        sheet.signals[follow.share] = 1
        sheet.lags[follow.share] = sheet.lags[heard]
        sheet.add(follow)

    def _draw_key(self, turning: Listener) -> str:
        """The buffer that holds what it hears, its own signal or a key; who is earlier waits for the other."""
        sheet, key, buffer = self.sheet, turning.processor.key, turning.buffer
        source = buffer if key.source is None else self.tap(key.source, key.tap)
        moves = self.key_moves(turning.strip, turning.processor.id)
        if source == buffer and key.gain_db == 0.0 and key.filter == DetectorFilter() and not moves:
            return buffer
        sheet.wait(turning.id_of(Role.KEY_WAIT), buffer, sheet.lags[source] - sheet.lags[buffer])
        lag = sheet.lags[buffer]
        heard_so = (source, key.gain_db, key.filter, lag)
        is_shared = source != buffer and not moves
        if is_shared and heard_so in self._keys:
            return self._keys[heard_so]
        heard = self._draw_heard(turning, source, lag, filtered=moves)
        if is_shared:
            self._keys[heard_so] = heard
        return heard

    def _draw_heard(self, listener: Listener, source: str, lag: int, *, filtered: bool = False) -> str:
        """A buffer of what is heard of a source: at its gain, filtered if it is or will be, so late."""
        sheet, key = self.sheet, listener.processor.key
        name = signal_name(listener.strip, listener.processor.id, "key")
        heard = sheet.buffer(name, sheet.buffers[source], lag=lag)
        sheet.add(specs.Clear(listener.id_of(Role.KEY_CLEAR), heard))
        sheet.mix(Feed(listener.id_of(Role.KEY), source, db_to_gain(key.gain_db)), heard, lag)
        if filtered or key.filter.cuts_off:
            sheet.process(listener.id_of(Role.KEY_FILTER), "eq", heard, ((0, detector_cuts(key.filter)),), on=True)
        if key.filter.bands:
            sheet.process(listener.id_of(Role.KEY_CURVE), "eq", heard, ((0, detector_curve(key.filter)),), on=True)
        return heard

    def _draw_levels(self, turning: Listener, heard: str, *, pairs: bool | None = None) -> str:
        """The signal that holds the levels of what it hears; in pairs with what is turned, if they are alike."""
        sheet = self.sheet
        if pairs is None:
            pairs = sheet.buffers[heard] == sheet.buffers[turning.buffer]
        listening = (heard, pairs, turning.detection)
        is_shared = heard in self._keys.values()
        if is_shared and listening in self._levels:
            return self._levels[listening]
        levels = signal_name(turning.strip, turning.processor.id, "levels")
        sheet.signals[levels] = sheet.buffers[heard].n_channels
        sheet.lags[levels] = sheet.lags[heard]
        sheet.add(specs.Detect(turning.id_of(Role.DETECT), heard, levels, pairs, turning.detection))
        if is_shared:
            self._levels[listening] = levels
        return levels
