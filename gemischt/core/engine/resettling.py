"""Settings that have changed, put into a blueprint without drawing it anew: what a hand on a control asks for."""

import dataclasses
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeAlias

from gemischt.core.engine import specs
from gemischt.core.engine.resolving import detector_curve, detector_cuts, told_over_time
from gemischt.core.engine.settings import (
    Ducking,
    FollowingStep,
    Settings,
    Turning,
    band_of,
    lane_gains,
    level_of,
    process_spec,
)
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.routing.groups import group_gains
from gemischt.core.session.beds import is_around
from gemischt.core.session.document import Keyed, Move, Processor, Session, Strip
from gemischt.core.session.edits import Chain, find_block, find_processor
from gemischt.core.session.steps import DuckStep, FollowerStep
from gemischt.core.units import db_to_gain

Known: TypeAlias = Mapping[OperationId, specs.Spec]

_SETTINGS = (
    *("name", "color", "trim_db", "polarity_inverted", "fader_db", "mute"),
    *("pan", "width", "width_level_db", "distance_m", "chain", "sends"),
)
_SEND_SETTINGS = ("level_db", "on")
_BLOCK_SETTINGS = ("level_db", "lanes", "name", "splits")
_LANE_SETTINGS = ("name", "level_db", "mute", "solo", "polarity_inverted", "chain")


def resettle(blueprint: specs.Blueprint, before: Session, after: Session) -> specs.Blueprint | None:
    """The blueprint of a session that differs from the one it was drawn for in settings only.

    None if more than that differs, or may: then it has to be drawn. Specs that stay are the same objects.
    """
    if len(before.strips) != len(after.strips) or _rest_of(before) != _rest_of(after):
        return None
    if before.moves != after.moves and not _move_alike(before.moves, after.moves):
        return None
    settings = Settings(after)
    part = Part.of(blueprint, settings)
    fresh: dict[OperationId, specs.Spec] = {}
    turned = _turned_by_groups(before, after, settings)
    for old, new in zip(before.strips, after.strips, strict=True):
        if old == new and new.id not in turned:
            continue
        if old.model_copy(update={name: getattr(new, name) for name in _SETTINGS}) != new:
            return None
        made = part.resettled(old, new)
        if made is None:
            return None
        fresh.update(made)
    made_specs = tuple(fresh.get(spec.id, spec) for spec in blueprint.specs)
    return dataclasses.replace(blueprint, specs=made_specs)


def _rest_of(session: Session) -> object:
    """All but strips, the levels of control groups, and moves."""
    groups = tuple(group.model_copy(update={"level_db": 0.0, "mute": False}) for group in session.control_groups)
    return session.model_copy(update={"strips": (), "control_groups": groups, "moves": ()})


def _move_alike(before: Sequence[Move], after: Sequence[Move]) -> bool:
    """Whether moves differ at most in points that no processor needs room for."""
    if [(move.target, move.on) for move in before] != [(move.target, move.on) for move in after]:
        return False
    return all(old == new or "/chain/" not in new.target for old, new in zip(before, after, strict=True))


def _turned_by_groups(before: Session, after: Session, settings: Settings) -> set[str]:
    """Strips that control groups turn by another gain."""
    if before.control_groups == after.control_groups:
        return set()
    gains = group_gains(before)
    return {strip_id for strip_id, gain in gains.items() if gain != settings.group_gain(strip_id)}


def _keyed(strip: Strip, processor_id: str) -> Keyed:
    found = find_processor(strip, processor_id)
    assert isinstance(found, Keyed)
    return found


def _curve_moves(before: Processor, after: Keyed) -> bool:
    """Whether the same bands in front of a detector of its own signal, which no other one shares, are set otherwise."""
    if not isinstance(before, Keyed) or after.key.source is not None:
        return False
    old, new = before.key.filter.bands, after.key.filter.bands
    same = before.key.model_copy(update={"filter": after.key.filter}) == after.key
    same = same and before.key.filter.model_copy(update={"bands": new}) == after.key.filter
    return same and old != new and [band.id for band in old] == [band.id for band in new]


@dataclass(frozen=True)
class Part:
    """The operations of a blueprint, and settings to put into them."""

    settings: Settings
    known: Known
    channels: Mapping[str, int]

    @classmethod
    def of(cls, blueprint: specs.Blueprint, settings: Settings) -> "Part":
        """All of a blueprint's operations."""
        channels = {name: layout.n_channels for name, layout in blueprint.buffers}
        return cls(settings, {spec.id: spec for spec in blueprint.specs}, channels)

    def with_settings(self, settings: Settings) -> "Part":
        """The same operations, other settings."""
        return dataclasses.replace(self, settings=settings)

    def resettled(self, old: Strip, new: Strip) -> dict[OperationId, specs.Spec] | None:
        """The specs of a strip whose settings have changed; None if its structure has, or may have."""
        ids = list(self._changed(old, new))
        if None in ids:
            return None
        made = {id_: self.spec_of(id_, new) for id_ in ids if id_ is not None}
        return made if all(spec == self.known[id_] for id_, spec in made.items()) else None

    def spec_of(self, id_: OperationId, strip: Strip, *, at_s: float | None = None) -> specs.Spec:
        """One operation's spec with the settings of its strip.

        Args:
            at_s: when in the song they count, if they are those of one moment.
        """
        known = self.known[id_]
        match known:
            case specs.ApplyMatrix() if id_.role is Role.INPUT:
                matrix = self.settings.pick_up(strip, self.channels[known.source])
                return dataclasses.replace(known, matrix=matrix)
            case specs.ApplyMatrix() if id_.role is Role.OUTPUT:
                matrix = self.settings.output_matrix(strip, self.channels[known.source])
                return dataclasses.replace(known, matrix=matrix)
            case specs.MixInto() if id_.role is Role.SEND:
                send = next(send for send in strip.sends if send.id == id_.part[0])
                gain = self.settings.send_gain(strip, send, self.channels[known.source])
                return dataclasses.replace(known, gain=gain)
            case specs.MixInto() if id_.role is Role.KEY:
                return dataclasses.replace(known, gain=db_to_gain(_keyed(strip, id_.part[0]).key.gain_db))
            case specs.Process() if id_.role is Role.KEY_FILTER:
                return dataclasses.replace(known, told=((0, detector_cuts(_keyed(strip, id_.part[0]).key.filter)),))
            case specs.Process() if id_.role is Role.KEY_CURVE:
                return dataclasses.replace(known, told=((0, detector_curve(_keyed(strip, id_.part[0]).key.filter)),))
            case specs.MixInto() if id_.role is Role.LANE:
                return dataclasses.replace(known, gain=lane_gains(find_block(strip, id_.part[0]))[id_.part[1]])
            case specs.Process() if id_.role is Role.LANE_BAND:
                band = band_of(find_block(strip, id_.part[0]), id_.part[1])
                assert band is not None
                return dataclasses.replace(known, told=((0, band),))
            case specs.Follow():
                step = find_processor(strip, id_.part[0])
                assert isinstance(step, FollowerStep)
                return FollowingStep(id_.strip, step, "").follow(known.levels)
            case specs.Open() | specs.Duck():
                return self._duck_spec(known, find_processor(strip, id_.part[0]))
            case specs.Process() | specs.Shape() | specs.Apply() | specs.Detect():
                return self._processor_spec(known, strip, at_s)
            case _:
                return known

    def _duck_spec(self, known: specs.Open | specs.Duck, step: Processor) -> specs.Spec:
        assert isinstance(step, DuckStep)
        if isinstance(known, specs.Open):
            return dataclasses.replace(known, opening=step.params.opening)
        rate = self.settings.session.sample_rate_hz
        return Ducking(known.id.strip, step, known.buffer, rate).apply(known.openness)

    def _processor_spec(
        self, known: specs.Process | specs.Shape | specs.Apply | specs.Detect, strip: Strip, at_s: float | None
    ) -> specs.Spec:
        processor, rate = find_processor(strip, known.id.part[0]), self.settings.session.sample_rate_hz
        if isinstance(processor, DuckStep | FollowerStep):
            # How they listen does not change while it sounds.
            return known
        if isinstance(processor, Keyed):
            turning = Turning(strip.id, processor, "", rate)
            match known:
                case specs.Shape():
                    return turning.shape(known.levels)
                case specs.Apply():
                    return dataclasses.replace(known, application=turning.application)
                case specs.Detect():
                    return dataclasses.replace(known, detection=turning.detection)
        assert isinstance(known, specs.Process)
        if processor.type == "parallel":
            return dataclasses.replace(known, told=((0, level_of(processor)),))
        told = told_over_time(processor, self.settings.session)
        if at_s is None:
            first = ((0, told[0][1]),)
            return process_spec(known.id, known.kind, known.buffer, first, on=processor.on, sample_rate_hz=rate)
        params = next(params for from_s, params in reversed(told) if from_s <= at_s)
        return dataclasses.replace(known, told=((0, params),), on=processor.on)

    def _changed(self, old: Strip, new: Strip) -> Iterator[OperationId | None]:
        """Operations whose settings may differ; None if the structure does."""
        if len(old.sends) != len(new.sends):
            yield None
        if (is_around(old), old.pan.bed) != (is_around(new), new.pan.bed):
            # So many channels leave it.
            yield None
        for before, send in zip(old.sends, new.sends, strict=False):
            same = before.model_copy(update={name: getattr(send, name) for name in _SEND_SETTINGS}) == send
            yield OperationId(new.id, Role.SEND, (send.id,)) if same else None
        yield from self._changed_in(new.id, old.chain, new.chain)
        yield OperationId(new.id, Role.INPUT)
        yield OperationId(new.id, Role.OUTPUT)

    def _changed_in(self, strip_id: str, old: Chain, new: Chain) -> Iterator[OperationId | None]:
        if len(old) != len(new):
            yield None
        for before, after in zip(old, new, strict=False):
            if after is not before:
                yield from self._changed_processor(strip_id, before, after)

    def _changed_processor(self, strip_id: str, before: Processor, after: Processor) -> Iterator[OperationId | None]:
        own = OperationId(strip_id, Role.PROCESSOR, (after.id,))
        if before.type == "parallel" or after.type == "parallel":
            if before.type != "parallel" or after.type != "parallel":
                yield None
                return
            settings = {name: getattr(after, name) for name in _BLOCK_SETTINGS}
            same = before.model_copy(update=settings) == after and len(before.lanes) == len(after.lanes)
            same = same and [split.id for split in before.splits] == [split.id for split in after.splits]
            yield own if same else None
            if not after.on and before.lanes != after.lanes:
                # It has no lanes, but what their keys hear is kept for them.
                yield None
            for old, new in zip(before.lanes, after.lanes, strict=False) if after.on else ():
                if after.splits and before.splits != after.splits:
                    yield OperationId(strip_id, Role.LANE_BAND, (after.id, new.id))
                same = old.model_copy(update={name: getattr(new, name) for name in _LANE_SETTINGS}) == new
                yield OperationId(strip_id, Role.LANE, (after.id, new.id)) if same else None
                yield from self._changed_in(strip_id, old.chain, new.chain)
            return
        settings = {"on": after.on, "params": after.params}
        if isinstance(after, Keyed) and _curve_moves(before, after):
            settings["key"] = after.key
            yield OperationId(strip_id, Role.KEY_CURVE, (after.id,))
        if before.type != after.type or before.model_copy(update=settings) != after:
            yield None
            return
        if isinstance(after, FollowerStep):
            same = isinstance(before, FollowerStep) and before.params.detector == after.params.detector
            yield OperationId(strip_id, Role.FOLLOW, (after.id,)) if same else None
            return
        if isinstance(after, DuckStep):
            # Of those that share a curve one leads it; whose clock is of another kind has another structure.
            same = isinstance(before, DuckStep) and before.params.opening.clock.kind == after.params.opening.clock.kind
            yield OperationId(strip_id, Role.DUCK, (after.id,)) if same else None
            opens = OperationId(strip_id, Role.OPEN, (after.id,))
            if opens in self.known:
                yield opens
            return
        known, told = self.known[own], told_over_time(after, self.settings.session)
        # What changes within the song has to know where it works there.
        changes = isinstance(known, specs.Process) and max(len(known.told), len(told)) > 1
        yield None if changes else own
        if isinstance(after, Keyed) and isinstance(before, Keyed):
            yield OperationId(strip_id, Role.SHAPE, (after.id,))
            rate = self.settings.session.sample_rate_hz
            turnings = (Turning(strip_id, processor, "", rate) for processor in (before, after))
            if len({turning.detection for turning in turnings}) > 1:
                # Others may share the levels of a key.
                yield OperationId(strip_id, Role.DETECT, (after.id,)) if after.key.source is None else None
