"""JSON messages of the live connection."""

from typing import Annotated, Any, Literal, TypeAlias

from pydantic import Field, TypeAdapter

from gemischt.core.parameters import FrozenModel
from gemischt.core.terms import SongTime
from gemischt.live.monitor import MonitorMode


class Play(FrozenModel):
    """Start, from a place if given; this connection gets the sound from now on."""

    type: Literal["play"]
    at_s: SongTime | None = None


class Stop(FrozenModel):
    type: Literal["stop"]


class Seek(FrozenModel):
    type: Literal["seek"]
    at_s: SongTime


class Loop(FrozenModel):
    """Repeat a stretch; null plays on."""

    type: Literal["loop"]
    stretch_s: tuple[SongTime, SongTime] | None


class Played(FrozenModel):
    """How many samples of this epoch the speaker has had, and how many blocks it has missed since it is there."""

    type: Literal["played"]
    epoch: int
    samples: int = Field(ge=0, lt=2**53)
    missed: int = Field(default=0, ge=0, lt=2**53)


class Watch(FrozenModel):
    """Which strip to look at closely."""

    type: Literal["watch"]
    strip: str | None


class Listen(FrozenModel):
    """How to hear the mix; nothing of it is printed."""

    type: Literal["listen"]
    mode: MonitorMode
    dim: bool


class HearKey(FrozenModel):
    """Hear what a step of a strip's chain listens to instead of the mix; null goes back to the mix."""

    type: Literal["hear-key"]
    strip: str | None = None
    step: str | None = None


class Compare(FrozenModel):
    """Render a snapshot alongside, turned by ``offset_db``; null ends it. The page switches between both."""

    type: Literal["compare"]
    snapshot: str | None
    offset_db: float = Field(default=0.0, ge=-60.0, le=60.0)


class Audition(FrozenModel):
    """Render the session alongside with an edit made, turned by ``offset_db``: before and after at one key."""

    type: Literal["audition"]
    action: dict[str, Any]
    offset_db: float = Field(default=0.0, ge=-60.0, le=60.0)


class Preview(FrozenModel):
    """Hear an edit while it is being made; ``serial`` comes back with the first sound that has it."""

    type: Literal["preview"]
    serial: int = Field(ge=0, lt=2**32)
    action: dict[str, Any]


class Reach(FrozenModel):
    """Somebody reaches for a control: what is heard is to follow closely from now on."""

    type: Literal["reach"]


class Revert(FrozenModel):
    """Go back to what is kept."""

    type: Literal["revert"]


AnyMessage: TypeAlias = (
    Play | Stop | Seek | Loop | Played | Watch | Listen | HearKey | Compare | Audition | Preview | Reach | Revert
)  # fmt: skip
ClientMessage = Annotated[AnyMessage, Field(discriminator="type")]
CLIENT_MESSAGE: TypeAdapter[AnyMessage] = TypeAdapter(ClientMessage)
