"""Edits of drawn ducks and of ghosts."""

from typing import Annotated, Any, Literal

from pydantic import Field

from gemischt.core.errors import InvalidAction
from gemischt.core.parameters import FrozenModel, same_as
from gemischt.core.session.actions.base import Action
from gemischt.core.session.document import Session, Strip
from gemischt.core.session.duck_curves import copied, reversed_curve, smoothed
from gemischt.core.session.ducks import Click, CurveNode, Duck, DuckTarget, Hits, LengthMs, Repeat, Steps, WrittenNotes
from gemischt.core.session.edits import (
    find_duck,
    find_strip,
    find_target,
    fresh_id,
    fresh_strip_id,
    names_of,
    replace_strip,
    show_db,
)
from gemischt.core.terms import Id, Name, NoteLength, Tap

Clock = Annotated[Repeat | Hits | WrittenNotes, Field(discriminator="kind")]
Curve = tuple[CurveNode, ...]
_CURVE = Duck.model_fields["curve"]


class TargetSettings(FrozenModel):
    """Of a target, or of several that are added; what is left out stays, or takes its default."""

    at: Tap = "pre-fader"
    before: Id | None = None
    depth_db: float | None = same_as(DuckTarget, "depth_db")
    band: Literal["all", "below", "above"] = "all"
    crossover_hz: float = same_as(DuckTarget, "crossover_hz")
    on: bool = True

    def values(self) -> dict[str, Any]:
        """The fields that were given."""
        return {name: getattr(self, name) for name in self.model_fields_set}


class AddDuck(Action):
    """A drawn duck over some strips, which may each have a depth of its own later."""

    type: Literal["add-duck"] = "add-duck"
    name: Name
    clock: Clock = Repeat()
    length: NoteLength | LengthMs = "1/4"
    curve: Curve = same_as(Duck, "curve")
    strips: tuple[Id, ...] = Field(default=(), max_length=64)
    settings: TargetSettings = TargetSettings()

    def apply(self, session: Session) -> Session:
        duck = Duck(
            id=fresh_id(self.name, (known.id for known in session.ducks)),
            name=self.name,
            clock=self.clock,
            length=self.length,
            curve=self.curve,
        )
        session = session.model_copy(update={"ducks": (*session.ducks, duck)})
        return _with_targets(session, duck, self.strips, self.settings)

    def describe(self, session: Session) -> str:
        return f"New duck {self.name} on {names_of(session, self.strips)}" if self.strips else f"New duck {self.name}"


class SetDuck(Action):
    """Set a duck's name, switch, clock, length or curve; what is left out stays."""

    type: Literal["set-duck"] = "set-duck"
    duck: Id
    name: Name = "Duck"
    on: bool = True
    clock: Clock = Repeat()
    length: NoteLength | LengthMs = "1/4"
    curve: Curve = same_as(Duck, "curve")

    def apply(self, session: Session) -> Session:
        values = {field: getattr(self, field) for field in self.model_fields_set - {"type", "duck"}}
        if not values:
            raise InvalidAction("nothing to set", where=self.duck)
        return _replaced(session, find_duck(session, self.duck).model_copy(update=values))

    def describe(self, session: Session) -> str:
        duck = find_duck(session, self.duck)
        words = {
            "name": f"renamed {self.name}",
            "on": "on" if self.on else "off",
            "clock": _clock_words(session, self.clock),
            "length": f"lasts {length_words(self.length)}",
            "curve": _curve_words(duck.curve, self.curve),
        }
        given = [words[field] for field in words if field in self.model_fields_set]
        return f"{duck.name}: {', '.join(given)}"


class RemoveDuck(Action):
    """Delete a duck; its targets are no longer turned."""

    type: Literal["remove-duck"] = "remove-duck"
    duck: Id

    def apply(self, session: Session) -> Session:
        find_duck(session, self.duck)
        return session.model_copy(update={"ducks": tuple(duck for duck in session.ducks if duck.id != self.duck)})

    def describe(self, session: Session) -> str:
        return f"Delete duck {find_duck(session, self.duck).name}"


class AddDuckTargets(Action):
    """Put an existing duck on further strips."""

    type: Literal["add-duck-targets"] = "add-duck-targets"
    duck: Id
    strips: tuple[Id, ...] = Field(min_length=1, max_length=64)
    settings: TargetSettings = TargetSettings()

    def apply(self, session: Session) -> Session:
        return _with_targets(session, find_duck(session, self.duck), self.strips, self.settings)

    def describe(self, session: Session) -> str:
        return f"{find_duck(session, self.duck).name}: also on {names_of(session, self.strips)}"


class SetDuckTarget(Action):
    """Set where a duck turns one of its targets, how deep, and which part; what is left out stays."""

    type: Literal["set-duck-target"] = "set-duck-target"
    duck: Id
    target: Id
    settings: TargetSettings

    def apply(self, session: Session) -> Session:
        duck = find_duck(session, self.duck)
        changed = find_target(duck, self.target).model_copy(update=self.settings.values())
        targets = tuple(changed if target.id == self.target else target for target in duck.targets)
        return _replaced(session, duck.model_copy(update={"targets": targets}))

    def describe(self, session: Session) -> str:
        duck = find_duck(session, self.duck)
        settings = self.settings
        words = {
            "depth_db": show_db(settings.depth_db),
            "band": "the whole signal" if settings.band == "all" else f"{settings.band} the crossover",
            "crossover_hz": f"crossover {settings.crossover_hz:g} Hz",
            "at": settings.at,
            "before": "before a processor" if settings.before else settings.at,
            "on": "on" if settings.on else "off",
        }
        given = dict.fromkeys(words[field] for field in words if field in settings.model_fields_set)
        return f"{duck.name} on {find_strip(session, find_target(duck, self.target).strip).name}: {', '.join(given)}"


class RemoveDuckTargets(Action):
    """Take strips off a duck."""

    type: Literal["remove-duck-targets"] = "remove-duck-targets"
    duck: Id
    targets: tuple[Id, ...] = Field(min_length=1, max_length=64)

    def apply(self, session: Session) -> Session:
        duck = find_duck(session, self.duck)
        for target in self.targets:
            find_target(duck, target)
        kept = tuple(target for target in duck.targets if target.id not in self.targets)
        return _replaced(session, duck.model_copy(update={"targets": kept}))

    def describe(self, session: Session) -> str:
        duck = find_duck(session, self.duck)
        strips = [find_target(duck, target).strip for target in self.targets]
        return f"{duck.name}: no longer on {names_of(session, strips)}"


class ReshapeDuck(Action):
    """Change a duck's whole curve: smooth it, reverse it, or copy a stretch of it to another place."""

    type: Literal["reshape-duck"] = "reshape-duck"
    duck: Id
    how: Literal["smooth", "reverse", "copy"]
    from_at: float = Field(default=0.0, ge=0.0, le=1.0)
    to_at: float = Field(default=0.5, ge=0.0, le=1.0)
    at: float = Field(default=0.5, ge=0.0, le=1.0)

    def apply(self, session: Session) -> Session:
        duck = find_duck(session, self.duck)
        if self.how == "smooth":
            curve = smoothed(duck.curve)
        elif self.how == "reverse":
            curve = reversed_curve(duck.curve)
        elif self.to_at <= self.from_at:
            raise InvalidAction("a stretch must end after it begins", where=duck.name)
        else:
            curve = copied(duck.curve, self.from_at, self.to_at, self.at)
        if len(curve) > 64:
            raise InvalidAction(f"the curve would have {len(curve)} nodes, more than 64", where=duck.name)
        return _replaced(session, duck.model_copy(update={"curve": curve}))

    def describe(self, session: Session) -> str:
        words = {"smooth": "curve smoothed", "reverse": "curve reversed", "copy": "a stretch of the curve copied"}
        return f"{find_duck(session, self.duck).name}: {words[self.how]}"


class AddGhost(Action):
    """A new strip that is never heard: it clicks for keys, hits and followers."""

    type: Literal["add-ghost"] = "add-ghost"
    name: Name
    pattern: Annotated[Steps | WrittenNotes, Field(discriminator="kind")] = Steps()
    click: Click = Click()

    def apply(self, session: Session) -> Session:
        strip = Strip(
            id=fresh_strip_id(session, self.name),
            kind="ghost",
            name=self.name,
            color="#6d6370",
            pattern=self.pattern,
            click=self.click,
        )
        return session.model_copy(update={"strips": (strip, *session.strips)})

    def describe(self, session: Session) -> str:
        return f"New ghost {self.name}"


class SetGhost(Action):
    """Set when a ghost clicks, and how; what is left out stays."""

    type: Literal["set-ghost"] = "set-ghost"
    strip: Id
    pattern: Annotated[Steps | WrittenNotes, Field(discriminator="kind")] | None = None
    click: Click = Click()

    def apply(self, session: Session) -> Session:
        strip = find_strip(session, self.strip)
        if strip.kind != "ghost":
            raise InvalidAction(f"a {strip.kind} clicks on no pattern; only a ghost does", where=strip.name)
        values = {field: getattr(self, field) for field in self.model_fields_set - {"type", "strip"}}
        return replace_strip(session, strip.model_copy(update=values))

    def describe(self, session: Session) -> str:
        words = []
        if "pattern" in self.model_fields_set:
            words.append(_pattern_words(self.pattern))
        if "click" in self.model_fields_set:
            words.append(f"click {show_db(self.click.level_db)}, {self.click.length_ms:g} ms")
        return f"{find_strip(session, self.strip).name}: {', '.join(words) or 'clicks'}"


def length_words(length: str | LengthMs) -> str:
    """ "1/4", "250 ms"."""
    return length if isinstance(length, str) else f"{length.ms:g} ms"


def _with_targets(session: Session, duck: Duck, strips: tuple[str, ...], settings: TargetSettings) -> Session:
    targets = list(duck.targets)
    for strip_id in strips:
        find_strip(session, strip_id)
        own_id = fresh_id(strip_id, (target.id for target in targets))
        targets.append(DuckTarget(id=own_id, strip=strip_id, **settings.values()))
    return _replaced(session, duck.model_copy(update={"targets": tuple(targets)}))


def _replaced(session: Session, duck: Duck) -> Session:
    ducks = tuple(duck if known.id == duck.id else known for known in session.ducks)
    return session.model_copy(update={"ducks": ducks})


def _clock_words(session: Session, clock: Repeat | Hits | WrittenNotes) -> str:
    if isinstance(clock, Repeat):
        return f"repeats each {clock.note}"
    if isinstance(clock, Hits):
        return f"restarted by {find_strip(session, clock.source).name}"
    return f"restarted by {len(clock.notes)} notes"


def _curve_words(before: Curve, after: Curve) -> str:
    if len(after) > len(before):
        return "a node more"
    if len(after) < len(before):
        return "a node less"
    changed = [index for index, pair in enumerate(zip(before, after, strict=True)) if pair[0] != pair[1]]
    if len(changed) == 1:
        old, new = before[changed[0]], after[changed[0]]
        if old.bend != new.bend:
            return f"bent from node {changed[0] + 1} on"
        return f"node {changed[0] + 1} at {100 * new.at:.0f} %, {100 * new.open:.0f} % open"
    return f"curve of {len(after)} nodes"


def _pattern_words(pattern: Steps | WrittenNotes | None) -> str:
    if pattern is None:
        return "no pattern"
    if isinstance(pattern, Steps):
        return f"{sum(step > 0.0 for step in pattern.steps)} of {len(pattern.steps)} steps of {pattern.note}"
    return f"{len(pattern.notes)} notes"
