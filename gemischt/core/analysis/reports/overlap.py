"""Where and when two strips meet: what part of a trigger's spectrum another strip covers while it sounds, and which way
of making room that asks for.

Levels are read in third octaves (IEC 61260-1, base ten) every 100 ms. A trigger sounds in frames within 30 dB of its
loudest one; a range counts where it is within 15 dB of the frame's loudest. Both, and all shares, are common practice,
no source.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gemischt.core.analysis.sub_sessions.paths import isolate
from gemischt.core.analysis.sub_sessions.strip import InSong
from gemischt.core.audio import Audio
from gemischt.core.engine.buffer_names import strip_buffer, work_buffer
from gemischt.core.engine.renderer import Renderer
from gemischt.core.engine.tap_reader import BLOCK_SAMPLES, Media, Report, no_report, read_tap, stretch_of
from gemischt.core.metering.moments import spectra_at_moments, squares_of
from gemischt.core.routing.paths import steps_feeding
from gemischt.core.session.actions.make_room import MakeRoom
from gemischt.core.session.document import Session
from gemischt.core.session.ducking import with_steps_in_chains
from gemischt.core.session.edits import find_strip
from gemischt.core.session.ways import WayName
from gemischt.core.units import power_to_db

FRAME_S = 0.1
N_THIRDS = 28
_WINDOW_SAMPLES = 8192
"""Long enough to tell third octaves apart from 31.5 Hz on."""
CENTRES_HZ: NDArray[np.float64] = 1000.0 * 10.0 ** (np.arange(-15, N_THIRDS - 15) / 10.0)
_EDGES_HZ = np.append(CENTRES_HZ * 10.0**-0.05, CENTRES_HZ[-1] * 10.0**0.05)
SOUNDS_DB = 30.0
COUNTS_DB = 15.0
NEAR_DB = 6.0
"""A range is in the way where the other strip is no more than this below the trigger ..."""
COVERED_DB = 3.0
"""... and covers it where it is no more than this below."""
MET_SHARE = 0.3
"""Of the frames in which a trigger sounds, so many have to be covered for two to meet."""
LOWS_HZ = 150.0
NARROW = 4.5
"""Ratio of two octaves, and a little."""
SHORT_S = 0.35
"""What sounds no longer at a time is a hit."""


@dataclass(frozen=True)
class Overlap:
    """How two strips meet in each third octave, (N_THIRDS,).

    Attributes:
        share: of the frames in which the trigger sounds there, how many the other covers.
        weight: how much of the trigger's sounding frames has something there.
        heard_dbfs: RMS of the trigger before its fader while it sounds, in each third octave; ``rms_dbfs`` in all.
        sounding_s: how long it sounds at a time, median; ``sounds`` how often.
    """

    share: NDArray[np.float64]
    weight: NDArray[np.float64]
    heard_dbfs: NDArray[np.float64]
    rms_dbfs: float
    sounding_s: float
    sounds: int

    def meets(self, share: float = MET_SHARE) -> NDArray[np.int64]:
        """The third octaves in which they meet for so much of the time."""
        return np.flatnonzero((self.share >= share) & (self.weight >= MET_SHARE))

    def centre_hz(self, thirds: NDArray[np.int64]) -> float:
        """The middle of some third octaves, weighted by how much they meet there."""
        weight = (self.share * self.weight)[thirds]
        return float(f"{np.exp(np.average(np.log(CENTRES_HZ[thirds]), weights=weight)):.2g}")

    def level_dbfs(self, thirds: NDArray[np.int64]) -> float:
        """How loud the trigger is in some third octaves."""
        return power_to_db(float(np.sum(10.0 ** (self.heard_dbfs[thirds] / 10.0))))


@dataclass(frozen=True)
class RoomProposal:
    """A way to make room, why, and the edit that does it; ``shares`` and ``centres_hz`` show where they meet."""

    way: WayName
    why: str
    meets: bool
    edit: MakeRoom
    centres_hz: tuple[float, ...]
    shares: tuple[float, ...]


def propose_room(
    session: Session,
    media: Media,
    target: str,
    trigger: str,
    *,
    in_song: InSong | None = None,
    report: Report = no_report,
) -> RoomProposal:
    """Listen to both over the song and propose how one makes room for the other.

    Raises:
        InvalidAction: there is no such strip.
    """
    found = measure_overlap(session, media, target, trigger, in_song=in_song, report=report)
    way, why, at = _way_of(session, found, target, trigger)
    heard_dbfs = found.rms_dbfs if at is None else found.level_dbfs(at)
    values = {} if at is None else {"at_hz": found.centre_hz(at)}
    if np.isfinite(heard_dbfs):
        values["heard_dbfs"] = round(float(np.clip(heard_dbfs, -60.0, 0.0)), 1)
    edit = MakeRoom(targets=(target,), trigger=trigger, way=way, **values)
    shares = tuple(round(float(share), 3) for share in np.where(found.weight >= MET_SHARE, found.share, 0.0))
    return RoomProposal(way, why, len(found.meets()) > 0, edit, tuple(float(f"{hz:.3g}") for hz in CENTRES_HZ), shares)


def measure_overlap(
    session: Session,
    media: Media,
    target: str,
    trigger: str,
    *,
    in_song: InSong | None = None,
    report: Report = no_report,
) -> Overlap:
    """How two strips of a session meet over the song, both after their faders."""
    for strip in (target, trigger):
        find_strip(session, strip)
    raw, own = strip_thirds(session, media, trigger, in_song, lambda share: report(share / 2))
    _, other = strip_thirds(session, media, target, in_song, lambda share: report((1 + share) / 2))
    return overlap_of(own, raw, other, near_db=NEAR_DB)


def overlap_of(
    own: NDArray[np.float64], raw: NDArray[np.float64], other: NDArray[np.float64], *, near_db: float
) -> Overlap:
    """From powers of a trigger after and before its fader, and of another strip, each (n_frames, N_THIRDS)."""
    whole = own.sum(axis=1)
    sounds = whole > whole.max(initial=0.0) * 10.0 ** (-SOUNDS_DB / 10.0)
    counts = sounds[:, np.newaxis] & (own > own.max(axis=1, keepdims=True, initial=0.0) * 10.0 ** (-COUNTS_DB / 10.0))
    covered = counts & (other >= own * 10.0 ** (-near_db / 10.0))
    n_counts, n_sounds = counts.sum(axis=0), int(sounds.sum())
    edges = np.diff(np.concatenate([[0], sounds.astype(np.int64), [0]]))
    lengths = np.flatnonzero(edges < 0) - np.flatnonzero(edges > 0)
    heard = raw[sounds].mean(axis=0) if n_sounds else np.zeros(N_THIRDS)
    return Overlap(
        share=covered.sum(axis=0) / np.maximum(n_counts, 1),
        weight=n_counts / max(n_sounds, 1),
        heard_dbfs=np.array([power_to_db(float(power)) for power in heard]),
        rms_dbfs=power_to_db(float(np.median(raw[sounds].sum(axis=1)))) if n_sounds else -np.inf,
        sounding_s=FRAME_S * float(np.median(lengths)) if len(lengths) else 0.0,
        sounds=len(lengths),
    )


def third_octave_powers(blocks: NDArray[np.float64], sample_rate_hz: int) -> NDArray[np.float64]:
    """Mean square in each third octave every 100 ms, mean of all channels: (n_channels, n) -> (n_frames, N_THIRDS)."""
    window = np.hanning(_WINDOW_SAMPLES)
    frequencies_hz = np.fft.rfftfreq(_WINDOW_SAMPLES, 1.0 / sample_rate_hz)
    edges = np.searchsorted(frequencies_hz, _EDGES_HZ)
    scale = 2.0 / (_WINDOW_SAMPLES * float(np.sum(window**2)))
    powers = [np.zeros((0, N_THIRDS))]
    for spectra in spectra_at_moments(blocks, round(FRAME_S * sample_rate_hz), window):
        squares = squares_of(spectra).mean(axis=1, dtype=np.float64) * scale
        powers.append(np.add.reduceat(squares[:, : edges[-1]], edges[:-1], axis=1))
    return np.concatenate(powers)


def strip_thirds(
    session: Session, media: Media, strip: str, in_song: InSong | None, report: Report = no_report
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Powers of a strip over the song before and after its fader, each (n_frames, N_THIRDS)."""
    stretch = stretch_of(session, media, None)
    resolved, played = in_song(strip) if in_song else (with_steps_in_chains(session), media)
    feeding, sounding = steps_feeding(resolved, strip)
    renderer = Renderer(isolate(resolved, feeding, sounding), played, max_block=BLOCK_SAMPLES)
    before: list[Audio] = []
    after: list[Audio] = []
    work = renderer.plan.buffers[work_buffer(strip)]
    for block in read_tap(renderer, stretch, strip_buffer(strip, "post-fader"), report=report):
        before.append(work[:, : block.shape[1]].copy())
        after.append(block.copy())
    rate = session.sample_rate_hz
    whole = [np.concatenate(blocks, axis=1) if blocks else np.zeros((1, 0)) for blocks in (before, after)]
    return third_octave_powers(whole[0], rate), third_octave_powers(whole[1], rate)


def _way_of(
    session: Session, found: Overlap, target: str, trigger: str
) -> tuple[WayName, str, NDArray[np.int64] | None]:
    """The way, why, and the third octaves it is about."""
    names = session.strip(target).name, session.strip(trigger).name
    met = found.meets()
    is_hit = 0.0 < found.sounding_s <= SHORT_S
    if not len(met):
        why = f"{names[0]} and {names[1]} hardly meet: there is no range in which both are equally loud for long."
        return "pump" if is_hit else "make-room-for-fills", why, None
    low_hz, high_hz = float(CENTRES_HZ[met[0]]), float(CENTRES_HZ[met[-1]])
    percent = 100.0 * float(np.average(found.share[met], weights=found.weight[met]))
    where = range_words(met)
    why = f"They meet {where}, in {percent:.0f} % of the time in which {names[1]} sounds there"
    if high_hz < LOWS_HZ:
        return "lows-alone", f"{why}, and nowhere else.", met
    if high_hz / low_hz <= NARROW:
        return "one-band", f"{why}, and nowhere else: the rest of {names[0]} may stay.", met
    if is_hit:
        why += f"; {names[1]} hits, for {1000.0 * found.sounding_s:.0f} ms at a time."
        return "pump", why, None
    return "make-room-for-fills", f"{why}; {names[1]} goes on for {found.sounding_s:.1f} s at a time.", None


def range_words(thirds: NDArray[np.int64]) -> str:
    """Third octaves from the lowest to the highest: "from 250 Hz to 1 kHz"."""
    low_hz, high_hz = float(CENTRES_HZ[thirds[0]]), float(CENTRES_HZ[thirds[-1]])

    def words(hz: float) -> str:
        rounded = float(f"{hz:.2g}")
        return f"{rounded / 1000.0:g} kHz" if rounded >= 1000.0 else f"{rounded:g} Hz"

    if low_hz == high_hz:
        return f"around {words(low_hz)}"
    return f"below {words(high_hz)}" if low_hz < 45.0 else f"from {words(low_hz)} to {words(high_hz)}"
