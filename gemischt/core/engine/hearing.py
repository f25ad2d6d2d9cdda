"""What steps of a chain hear and where they work, found in a plan."""

from gemischt.core.engine import specs
from gemischt.core.engine.plan import Plan
from gemischt.core.engine.specs import OperationId, Role
from gemischt.core.errors import InvalidAction


def apply_of(plan: Plan, strip: str, step: str) -> specs.Apply | specs.Duck:
    """What turns a strip for a step; InvalidAction if it is not at work: a block of lanes that is off has none."""
    for role in (Role.PROCESSOR, Role.DUCK):
        wanted = OperationId(strip, role, (step,))
        for spec in plan.blueprint.specs:
            if spec.id == wanted and isinstance(spec, specs.Apply | specs.Duck):
                return spec
    raise InvalidAction("nothing is turned here", where=f"{strip}/{step}", remedy="Switch the block on it stands in.")


def heard_by(plan: Plan, strip: str, step: str) -> tuple[str, str] | None:
    """The buffer and the levels that decide for a step; None for a clock of the song."""
    known = {spec.id: spec for spec in plan.blueprint.specs}
    follow = known.get(OperationId(strip, Role.FOLLOW, (step,)))
    levels = follow.levels if isinstance(follow, specs.Follow) else None
    applied = None if levels else apply_of(plan, strip, step)
    for spec in known.values():
        if isinstance(spec, specs.Shape) and isinstance(applied, specs.Apply) and spec.reduction == applied.reduction:
            levels = spec.levels
        if isinstance(spec, specs.Open) and isinstance(applied, specs.Duck) and spec.openness == applied.openness:
            levels = spec.levels
    for spec in known.values():
        if isinstance(spec, specs.Detect) and spec.levels == levels:
            return spec.source, spec.levels
    return None
