"""The session document, format version 1, as immutable models."""

import unicodedata
from typing import Annotated, Final, Literal

from pydantic import AfterValidator, Field, StrictBool

from gemischt.core.keys import Key
from gemischt.core.parameters import FrozenModel, level, parameter, trim
from gemischt.core.processors.band_params import MOST_SPLITS
from gemischt.core.processors.compressor_params import CompressorParams
from gemischt.core.processors.delay_params import DelayParams
from gemischt.core.processors.eq_params import EqParams
from gemischt.core.processors.gain_params import GainParams
from gemischt.core.processors.gate_params import GateParams
from gemischt.core.processors.limiter_params import LimiterParams
from gemischt.core.processors.matrix_params import MatrixParams
from gemischt.core.processors.reverb_params import ReverbParams
from gemischt.core.processors.saturator_params import SaturatorParams
from gemischt.core.processors.widener_params import WidenerParams
from gemischt.core.session.ducks import Click, Duck, Follower, Steps, WrittenNotes
from gemischt.core.session.prints import USUAL_NAMES, Print, Target
from gemischt.core.space.layout import LayoutName
from gemischt.core.terms import LONGEST_SONG_S, Color, Id, Name, Note, SongTime, Tap

FORMAT_NAME: Final = "gemischt-session"
FORMAT_VERSION: Final = 1
LONGEST_FADE_S = 3600.0
_LONGEST_NAME_BYTES = 255

SampleRate = Literal[44100, 48000, 88200, 96000]
StripKind = Literal["track", "bus", "return", "mix", "ghost"]
StripTap = tuple[str, Tap]
"""A strip's id, and where on it its signal is read."""
InputPickUp = Literal["as-is", "mono-sum", "left", "right", "mid", "side", "swap"]
PanMode = Literal["balance", "fold", "two-handed", "around"]
FadeShape = Literal["linear", "equal-power"]
PAN_LAWS_DB = (0.0, -3.0, -4.5, -6.0)


def _check_pan_law(pan_law_db: float) -> float:
    if pan_law_db not in PAN_LAWS_DB:
        raise ValueError(f"must be one of {', '.join(f'{law:g}' for law in PAN_LAWS_DB)} dB, got {pan_law_db:g}")
    return pan_law_db


PanLaw = Annotated[float, AfterValidator(_check_pan_law), Field(json_schema_extra={"enum": list(PAN_LAWS_DB)})]


class Tempo(FrozenModel):
    """Tempo from a time on; ``bpm`` counts the note named by ``beat`` ("." is dotted). The song's first bar begins with
    its first tempo."""

    at_s: float = Field(default=0.0, ge=0.0)
    bpm: float = parameter(120.0, 10.0, 400.0, label="Tempo", unit="bpm")
    beat: str = Field(default="1/4", pattern=r"^1/(1|2|4|8|16)\.?$")
    metre: str = Field(default="4/4", pattern=r"^[1-9][0-9]?/(1|2|4|8|16)$")


class Section(FrozenModel):
    """A named stretch of the song."""

    name: Name
    start_s: float = Field(ge=0.0)
    end_s: float = Field(gt=0.0)


def _check_media_path(path: str) -> str:
    parts = path.split("/")
    if path.startswith("/") or "\\" in path or any(part in ("", ".", "..") for part in parts):
        raise ValueError("must be relative, with forward slashes, and stay in the session's folder")
    if any(unicodedata.category(character) in ("Cc", "Cs") for character in path):
        raise ValueError("must not hold control characters")
    if any(len(part.encode()) > _LONGEST_NAME_BYTES for part in parts):
        raise ValueError(f"must not hold names longer than {_LONGEST_NAME_BYTES} bytes")
    return path


class Media(FrozenModel):
    """One audio file that clips may play; ``duration_s`` is noted when it comes in."""

    id: Id
    duration_s: float | None = Field(default=None, ge=0.0)
    path: Annotated[str, AfterValidator(_check_media_path)] = Field(min_length=1, max_length=400)
    sha256: str = Field(default="", pattern=r"^([0-9a-f]{64})?$")


class Clip(FrozenModel):
    """A stretch of a file on the time line; ``length_s`` null plays to the file's end.

    A fade that is null makes itself: where clips of a track overlap they are crossfaded, a cut through the file fades
    for 2 ms unless the same material goes on behind it, and the file's own ends are left as they are.
    """

    media: Id
    start_s: float = Field(default=0.0, ge=0.0, le=LONGEST_SONG_S)
    offset_s: float = Field(default=0.0, ge=0.0, le=LONGEST_SONG_S)
    length_s: float | None = Field(default=None, gt=0.0, le=LONGEST_SONG_S)
    gain_db: float | None = level(label="Clip gain", highest_db=48.0)
    fade_in_s: float | None = parameter(None, 0.0, LONGEST_FADE_S, label="Fade in", unit="s", none="by itself")
    fade_out_s: float | None = parameter(None, 0.0, LONGEST_FADE_S, label="Fade out", unit="s", none="by itself")
    fade_shape: FadeShape = "linear"
    reversed: bool = False


class LanePlace(FrozenModel):
    """A lane of a parallel block, as a place for processors."""

    block: Id
    lane: Id


class Eq(FrozenModel):
    id: Id
    type: Literal["eq"] = "eq"
    on: bool = True
    params: EqParams = EqParams()


class Keyed(FrozenModel):
    """What listens: to its own strip unless its key says otherwise."""

    id: Id
    type: str
    on: bool = True
    params: FrozenModel
    key: Key = Key()


class Compressor(Keyed):
    type: Literal["compressor"] = "compressor"
    params: CompressorParams = CompressorParams()


class Gate(Keyed):
    type: Literal["gate"] = "gate"
    params: GateParams = GateParams()


class Saturator(FrozenModel):
    id: Id
    type: Literal["saturator"] = "saturator"
    on: bool = True
    params: SaturatorParams = SaturatorParams()


class Limiter(FrozenModel):
    id: Id
    type: Literal["limiter"] = "limiter"
    on: bool = True
    params: LimiterParams = LimiterParams()


class Gain(FrozenModel):
    id: Id
    type: Literal["gain"] = "gain"
    on: bool = True
    params: GainParams = GainParams()


class Matrix(FrozenModel):
    id: Id
    type: Literal["matrix"] = "matrix"
    on: bool = True
    params: MatrixParams = MatrixParams()


class Widener(FrozenModel):
    id: Id
    type: Literal["widener"] = "widener"
    on: bool = True
    params: WidenerParams = WidenerParams()


class Delay(FrozenModel):
    id: Id
    type: Literal["delay"] = "delay"
    on: bool = True
    params: DelayParams = DelayParams()


class Reverb(FrozenModel):
    id: Id
    type: Literal["reverb"] = "reverb"
    on: bool = True
    params: ReverbParams = ReverbParams()


class Lane(FrozenModel):
    """One way through a parallel block.

    ``shift_ms`` moves the lane against the others: later, or earlier, for which the whole block waits.
    """

    id: Id
    name: Name
    level_db: float | None = level()
    shift_ms: float = parameter(0.0, -50.0, 50.0, label="Shift", unit="ms", stays=True)
    mute: bool = False
    solo: bool = False
    polarity_inverted: bool = False
    chain: "tuple[Processor, ...]" = ()


class Split(FrozenModel):
    """A crossover of 24 dB/oct: the lanes up to it are below, the others above."""

    id: Id
    frequency_hz: float = parameter(1000.0, 20.0, 20000.0, label="Crossover", unit="Hz", scale="logarithmic")


class Parallel(FrozenModel):
    """A split into lanes that add up again, at a level of its own; switched off it passes its input.

    With ``splits``, in order of frequency, its lanes are bands: as many as there are splits, and one more.
    """

    id: Id
    type: Literal["parallel"] = "parallel"
    on: bool = True
    name: Name = "Lanes"
    level_db: float | None = level()
    lanes: tuple[Lane, ...] = Field(default=(), max_length=16)
    splits: tuple[Split, ...] = Field(default=(), max_length=MOST_SPLITS)


Simple = Eq | Compressor | Gate | Saturator | Limiter | Gain | Matrix | Widener | Delay | Reverb
"""What is no block of lanes: an entry of the registry each."""
Processor = Annotated[Simple | Parallel, Field(discriminator="type")]


class Pan(FrozenModel):
    """Where a strip stands: -1 is left, 1 is right. ``left`` and ``right`` serve two-handed only.

    *Around* places it among the loudspeakers of a bed by azimuth (left positive), elevation and spread: ``bed``, or
    null for that of where it plays.
    """

    mode: PanMode = "balance"
    position: float = parameter(0.0, -1.0, 1.0, label="Pan")
    left: float = parameter(-1.0, -1.0, 1.0, label="Left hand")
    right: float = parameter(1.0, -1.0, 1.0, label="Right hand")
    azimuth_deg: float = parameter(0.0, -180.0, 180.0, label="Azimuth", unit="deg")
    elevation_deg: float = parameter(0.0, -90.0, 90.0, label="Elevation", unit="deg")
    spread_deg: float = parameter(0.0, 0.0, 360.0, label="Spread", unit="deg")
    bed: LayoutName | None = None


class Send(FrozenModel):
    """A copy of a strip's signal to a bus, return or the mix."""

    id: Id
    to: Id
    level_db: float | None = level(label="Send")
    tap: Tap = "post-fader"
    on: bool = True


class Strip(FrozenModel):
    """Input pick-up, trim, polarity -> chain -> fader, mute, pan -> output and sends.

    A ``late`` strip joins the strip it plays to after that strip's chain. A bus that picks up "mono-sum" is a mono bus.
    ``pattern`` and ``click`` are a ghost's: when it clicks, and how.
    ``width_level_db`` makes up for what width does to the level of two channels.
    Below ``mono_below_hz`` two channels have no sides any more; null leaves them.
    ``distance_m`` is how far away its level, highs and sends were set to be; it changes nothing by itself.
    ``print_of`` is the strip whose print it plays.
    ``layout`` is what it works on; without one a track has its files' channels, up to two, and every other strip two.
    """

    id: Id
    kind: StripKind = "track"
    name: Name
    color: Color = "#6d6370"
    folder: Id | None = None
    layout: LayoutName | None = None
    clips: tuple[Clip, ...] = Field(default=(), max_length=4096)
    pattern: Annotated[Steps | WrittenNotes, Field(discriminator="kind")] | None = None
    click: Click = Click()
    input: InputPickUp = "as-is"
    trim_db: float = trim("Trim")
    polarity_inverted: bool = False
    chain: tuple[Processor, ...] = Field(default=(), max_length=64)
    fader_db: float | None = level(label="Fader")
    mute: bool = False
    solo: bool = False
    solo_safe: bool = False
    pan: Pan = Pan()
    width: float = parameter(1.0, 0.0, 2.0, label="Width")
    width_level_db: float = parameter(0.0, -12.0, 12.0, label="Width level", unit="dB")
    mono_below_hz: float | None = parameter(
        None, 20.0, 1000.0, label="Mono below", unit="Hz", scale="logarithmic", none="off", stays=True
    )
    mono_below_slope_db_per_octave: Literal[12, 24] = 24
    distance_m: float = parameter(1.0, 0.25, 100.0, label="Distance", unit="m", scale="logarithmic", stays=True)
    output: Id | None = None
    late: bool = False
    sends: tuple[Send, ...] = Field(default=(), max_length=64)
    print_of: Id | None = None


class Folder(FrozenModel):
    """A place for strips in the tree; it carries no sound. ``bus`` names the bus its members were summed into."""

    id: Id
    name: Name
    parent: Id | None = None
    bus: Id | None = None


class ControlGroup(FrozenModel):
    """One level and mute over several strips, without summing them.

    Members are strips of any kind or other groups; levels of nested groups add up.
    """

    id: Id
    name: Name
    members: tuple[Id, ...] = ()
    level_db: float | None = level()
    mute: bool = False


class MovePoint(FrozenModel):
    """A value at a time of the song; ``bend`` shapes the way from here to the next point."""

    at_s: SongTime
    value: StrictBool | float | None
    bend: float = parameter(0.0, -1.0, 1.0, label="Bend")


class Move(FrozenModel):
    """A parameter over the song, named by its address; switched off, what the document says counts."""

    target: Annotated[str, Field(min_length=1, max_length=400)]
    on: bool = True
    points: tuple[MovePoint, ...] = Field(min_length=1, max_length=20000)


class NoteTrack(FrozenModel):
    """Notes that sound nothing themselves: they say when something is to happen."""

    id: Id
    name: Name
    notes: tuple[Note, ...] = Field(default=(), max_length=100_000)


class Session(FrozenModel):
    """A whole mix.

    ``print_names`` is the pattern of prints' names; ``meant_for`` the target they are held against, one of ``targets``
    or a published one.
    """

    format: Literal["gemischt-session"] = FORMAT_NAME
    version: Literal[1] = FORMAT_VERSION
    name: Name
    sample_rate_hz: SampleRate = 48000
    tempo: tuple[Tempo, ...] = Field(default=(Tempo(),), min_length=1, max_length=1000)
    sections: tuple[Section, ...] = Field(default=(), max_length=1000)
    pan_law_db: PanLaw = -3.0
    vu_reference_dbfs: float = parameter(-18.0, -40.0, 0.0, label="0 VU", unit="dBFS")
    media: tuple[Media, ...] = Field(default=(), max_length=4096)
    strips: tuple[Strip, ...] = Field(max_length=512)
    folders: tuple[Folder, ...] = Field(default=(), max_length=512)
    control_groups: tuple[ControlGroup, ...] = Field(default=(), max_length=256)
    moves: tuple[Move, ...] = Field(default=(), max_length=1024)
    note_tracks: tuple[NoteTrack, ...] = Field(default=(), max_length=128)
    ducks: tuple[Duck, ...] = Field(default=(), max_length=256)
    followers: tuple[Follower, ...] = Field(default=(), max_length=256)
    prints: tuple[Print, ...] = Field(default=(), max_length=1000)
    print_names: str = Field(default=USUAL_NAMES, min_length=1, max_length=200)
    targets: tuple[Target, ...] = Field(default=(), max_length=64)
    meant_for: Id | None = None

    def strip(self, strip_id: str) -> Strip:
        """The strip of this id; KeyError if there is none."""
        for strip in self.strips:
            if strip.id == strip_id:
                return strip
        raise KeyError(strip_id)

    @property
    def mix(self) -> Strip:
        """The one strip of kind mix."""
        return next(strip for strip in self.strips if strip.kind == "mix")


def empty_session(name: str, *, sample_rate_hz: SampleRate = 48000) -> Session:
    """A session that holds nothing but its mix."""
    mix = Strip(id="mix", kind="mix", name="Mix", color="#2a2433")
    return Session(name=name, sample_rate_hz=sample_rate_hz, strips=(mix,))
