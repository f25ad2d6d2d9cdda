"""Settings that have changed, put into a blueprint without drawing it anew: what a hand on a control asks for."""

import dataclasses
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypeAlias

from gemischt.core.engine import specs
from gemischt.core.engine.resolving import told_over_time
from gemischt.core.engine.settings import Settings, Turning, lane_gains, level_of, process_spec
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.routing.groups import group_gains
from gemischt.core.session.document import Keyed, Processor, Session, Strip
from gemischt.core.session.edits import Chain

Known: TypeAlias = Mapping[OperationId, specs.Spec]

_SETTINGS = ("name", "color", "trim_db", "polarity_inverted", "fader_db", "mute", "pan", "width", "chain", "sends")
_SEND_SETTINGS = ("level_db", "on")
_LANE_SETTINGS = ("name", "level_db", "mute", "solo", "polarity_inverted", "chain")


def resettle(blueprint: specs.Blueprint, before: Session, after: Session) -> specs.Blueprint | None:
    """The blueprint of a session that differs from the one it was drawn for in settings only.

    None if more than that differs, or may: then it has to be drawn. Specs that stay are the same objects.
    """
    if len(before.strips) != len(after.strips) or _rest_of(before) != _rest_of(after):
        return None
    settings = Settings(after)
    part = Part.of(blueprint, settings)
    fresh: dict[OperationId, specs.Spec] = {}
    turned = _turned_by_groups(before, after, settings)
    for old, new in zip(before.strips, after.strips, strict=True):
        if old is new and new.id not in turned:
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
    """All but strips and the levels of control groups."""
    groups = tuple(group.model_copy(update={"level_db": 0.0, "mute": False}) for group in session.control_groups)
    return session.model_copy(update={"strips": (), "control_groups": groups})


def _turned_by_groups(before: Session, after: Session, settings: Settings) -> set[str]:
    """Strips that control groups turn by another gain."""
    if before.control_groups == after.control_groups:
        return set()
    gains = group_gains(before)
    return {strip_id for strip_id, gain in gains.items() if gain != settings.group_gain(strip_id)}


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

    def resettled(self, old: Strip, new: Strip, *, at_s: float | None = None) -> dict[OperationId, specs.Spec] | None:
        """The specs of a strip whose settings have changed; None if its structure has, or may have.

        Args:
            at_s: when in the song they count, if they are those of one moment.
        """
        if len(old.sends) != len(new.sends):
            return None
        made: list[specs.Spec] = []
        for send_before, send in zip(old.sends, new.sends, strict=True):
            if send_before.model_copy(update={name: getattr(send, name) for name in _SEND_SETTINGS}) != send:
                return None
            spec = self.known[OperationId(new.id, Role.SEND, (send.id,))]
            assert isinstance(spec, specs.MixInto)
            gain = self.settings.send_gain(new, send, self.channels[spec.source])
            made.append(dataclasses.replace(spec, gain=gain))
        chain = self._chain(new, old.chain, new.chain, at_s)
        if chain is None:
            return None
        made.extend(chain)
        pick_up, output = self.known[OperationId(new.id, Role.INPUT)], self.known[OperationId(new.id, Role.OUTPUT)]
        assert isinstance(pick_up, specs.ApplyMatrix) and isinstance(output, specs.ApplyMatrix)
        matrix = self.settings.pick_up(new, self.channels[pick_up.source])
        made.append(dataclasses.replace(pick_up, matrix=matrix))
        matrix = self.settings.output_matrix(new, self.channels[output.source])
        made.append(dataclasses.replace(output, matrix=matrix))
        return {spec.id: spec for spec in made}

    def _chain(self, strip: Strip, old: Chain, new: Chain, at_s: float | None) -> list[specs.Spec] | None:
        if len(old) != len(new):
            return None
        made: list[specs.Spec] = []
        for before, after in zip(old, new, strict=True):
            if after is before:
                continue
            fresh = self._processor(strip, before, after, at_s)
            if fresh is None:
                return None
            made.extend(fresh)
        return made

    def _processor(
        self, strip: Strip, before: Processor, after: Processor, at_s: float | None
    ) -> Sequence[specs.Spec] | None:
        if before.type == "parallel" or after.type == "parallel":
            return self._parallel(strip, before, after, at_s) if before.type == after.type else None
        if before.type != after.type or before.model_copy(update={"on": after.on, "params": after.params}) != after:
            return None
        rate = self.settings.session.sample_rate_hz
        spec = self.known[OperationId(strip.id, Role.PROCESSOR, (after.id,))]
        if isinstance(after, Keyed) and isinstance(before, Keyed) and isinstance(spec, specs.Apply):
            turned_before = Turning(strip.id, before, spec.buffer, rate)
            return self._turning(turned_before, Turning(strip.id, after, spec.buffer, rate))
        told = told_over_time(after, self.settings.session)
        assert isinstance(spec, specs.Process)
        if at_s is None and (len(told) > 1 or len(spec.told) > 1):
            return None
        params = next(params for from_s, params in reversed(told) if from_s <= (at_s or 0.0))
        fresh = process_spec(spec.id, after.type, spec.buffer, ((0, params),), on=after.on, sample_rate_hz=rate)
        if at_s is not None:
            # Its room has been made for wherever it moves.
            return (dataclasses.replace(fresh, room_samples=spec.room_samples),)
        return (fresh,) if fresh == spec else None

    def _parallel(
        self, strip: Strip, before: Processor, after: Processor, at_s: float | None
    ) -> Sequence[specs.Spec] | None:
        assert before.type == "parallel" and after.type == "parallel"
        if before.model_copy(update={"level_db": after.level_db, "lanes": after.lanes, "name": after.name}) != after:
            return None
        if len(before.lanes) != len(after.lanes):
            return None
        if not after.on:
            # Its lanes are not there.
            return ()
        spec = self.known[OperationId(strip.id, Role.PROCESSOR, (after.id,))]
        assert isinstance(spec, specs.Process)
        made: list[specs.Spec] = [dataclasses.replace(spec, told=((0, level_of(after)),))]
        gains = lane_gains(after)
        for old, new in zip(before.lanes, after.lanes, strict=True):
            if old.model_copy(update={name: getattr(new, name) for name in _LANE_SETTINGS}) != new:
                return None
            chain = self._chain(strip, old.chain, new.chain, at_s)
            if chain is None:
                return None
            made.extend(chain)
            lane = self.known.get(OperationId(strip.id, Role.LANE, (after.id, new.id)))
            if isinstance(lane, specs.MixInto):
                made.append(dataclasses.replace(lane, gain=gains[new.id]))
        return made

    def _turning(self, before: Turning, after: Turning) -> Sequence[specs.Spec] | None:
        shape_before = self.known[after.id_of(Role.SHAPE)]
        assert isinstance(shape_before, specs.Shape)
        shape = after.shape(shape_before.levels)
        if shape != shape_before:
            return None
        made = (shape, after.apply(shape.reduction))
        if before.detection == after.detection:
            return made
        if after.processor.key.source is not None:
            # Others may share its levels.
            return None
        detect = self.known[after.id_of(Role.DETECT)]
        assert isinstance(detect, specs.Detect)
        return (dataclasses.replace(detect, detection=after.detection), *made)
