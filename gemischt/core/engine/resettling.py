"""Settings that have changed, put into a blueprint without drawing it anew: what a hand on a control asks for."""

import dataclasses
from collections.abc import Mapping, Sequence
from typing import TypeAlias

from gemischt.core.engine import specs
from gemischt.core.engine.resolving import told_over_time
from gemischt.core.engine.settings import Settings, Turning, process_spec
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.session.document import Keyed, Processor, Session, Strip

Known: TypeAlias = Mapping[OperationId, specs.Spec]

_SETTINGS = ("name", "color", "trim_db", "polarity_inverted", "fader_db", "mute", "pan", "width", "chain", "sends")
_SEND_SETTINGS = ("level_db", "on")


def resettle(blueprint: specs.Blueprint, before: Session, after: Session) -> specs.Blueprint | None:
    """The blueprint of a session that differs from the one it was drawn for in settings of some strips only.

    None if more than that differs, or may: then it has to be drawn. Specs that stay are the same objects.
    """
    changed = _changed_strips(before, after)
    if changed is None:
        return None
    settings = Settings(after)
    channels = {name: layout.n_channels for name, layout in blueprint.buffers}
    known = {spec.id: spec for spec in blueprint.specs}
    fresh: dict[OperationId, specs.Spec] = {}
    for old, new in changed:
        made = _resettled(settings, channels, known, old, new)
        if made is None:
            return None
        fresh.update(made)
    return dataclasses.replace(blueprint, specs=tuple(fresh.get(spec.id, spec) for spec in blueprint.specs))


def _changed_strips(before: Session, after: Session) -> list[tuple[Strip, Strip]] | None:
    """Strips of which settings differ; None if anything else does."""
    if len(before.strips) != len(after.strips):
        return None
    if before.model_copy(update={"strips": ()}) != after.model_copy(update={"strips": ()}):
        return None
    changed = [(old, new) for old, new in zip(before.strips, after.strips, strict=True) if old is not new]
    for old, new in changed:
        if old.model_copy(update={name: getattr(new, name) for name in _SETTINGS}) != new:
            return None
    return changed


def _resettled(
    settings: Settings, channels: Mapping[str, int], known: Known, old: Strip, new: Strip
) -> dict[OperationId, specs.Spec] | None:
    """The specs of a strip whose settings have changed; None if its structure has."""
    if len(old.sends) != len(new.sends) or len(old.chain) != len(new.chain):
        return None
    made: list[specs.Spec] = []
    for send_before, send in zip(old.sends, new.sends, strict=True):
        if send_before.model_copy(update={name: getattr(send, name) for name in _SEND_SETTINGS}) != send:
            return None
        spec = known[OperationId(new.id, Role.SEND, (send.id,))]
        assert isinstance(spec, specs.MixInto)
        made.append(dataclasses.replace(spec, gain=settings.send_gain(new, send, channels[spec.source])))
    for processor_before, processor in zip(old.chain, new.chain, strict=True):
        if processor is not processor_before:
            fresh = _resettled_processor(settings, known, new, processor_before, processor)
            if not fresh:
                return None
            made.extend(fresh)
    pick_up, output = known[OperationId(new.id, Role.INPUT)], known[OperationId(new.id, Role.OUTPUT)]
    assert isinstance(pick_up, specs.ApplyMatrix) and isinstance(output, specs.ApplyMatrix)
    made.append(dataclasses.replace(pick_up, matrix=settings.pick_up(new, channels[pick_up.source])))
    made.append(dataclasses.replace(output, matrix=settings.output_matrix(new, channels[output.source])))
    return {spec.id: spec for spec in made}


def _resettled_processor(
    settings: Settings, known: Known, strip: Strip, before: Processor, after: Processor
) -> Sequence[specs.Spec]:
    """The specs of a processor whose settings have changed; none if its structure has, or may have."""
    if before.type == "parallel" or after.type == "parallel" or before.type != after.type:
        return ()
    if before.model_copy(update={"on": after.on, "params": after.params}) != after:
        return ()
    spec, rate = known[OperationId(strip.id, Role.PROCESSOR, (after.id,))], settings.session.sample_rate_hz
    if isinstance(after, Keyed) and isinstance(before, Keyed) and isinstance(spec, specs.Apply):
        turned_before = Turning(strip.id, before, spec.buffer, rate)
        return _resettled_turning(known, turned_before, Turning(strip.id, after, spec.buffer, rate))
    told = told_over_time(after, settings.session)
    assert isinstance(spec, specs.Process)
    if len(told) > 1 or len(spec.told) > 1:
        return ()
    fresh = process_spec(spec.id, after.type, spec.buffer, ((0, told[0][1]),), on=after.on, sample_rate_hz=rate)
    return (fresh,) if fresh == spec else ()


def _resettled_turning(known: Known, before: Turning, after: Turning) -> Sequence[specs.Spec]:
    shape_before = known[after.id_of(Role.SHAPE)]
    assert isinstance(shape_before, specs.Shape)
    shape = after.shape(shape_before.levels)
    if shape != shape_before:
        return ()
    made = (shape, after.apply(shape.reduction))
    if before.detection == after.detection:
        return made
    if after.processor.key.source is not None:
        # Others may share its levels.
        return ()
    detect = known[after.id_of(Role.DETECT)]
    assert isinstance(detect, specs.Detect)
    return (dataclasses.replace(detect, detection=after.detection), *made)
