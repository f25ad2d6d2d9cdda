"""The binary message: one block of sound and what was measured beside it.

Little-endian. Header, then float32 values:

    mix       4                 momentary, short-term, integrated loudness, true peak
    meters    n_strips * 3 * 3  per strip and stage: peak, held peak, RMS
    reduction n_strips
    probe     n_probed * 3      per processor of the watched strip: peak after it, detected level, reduction
    spectrum  n_spectrum
    led       n_led             what followers lead, in the order of the last message about it
    curves    n_curves          gain of the watched strip's equalisers whose bands move, dB, one after the other
    scope     n_scope           correlation of the watched strip, then left and right of a few of its samples
    sound     2 * n_samples     left, then right; absent for connections that only watch
    other     2 * n_samples     the session it is compared with; absent while none is

Levels do not go below -150.
"""

import struct
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float32]

# magic, epoch, serial, revision, first sample of the epoch, song position in samples (float64), samples, strips,
# probed processors, spectrum bins, led parameters, points of curves, values of the scope, how many sounds follow
_HEADER = struct.Struct("<4sIIIIdIIIIIIII")
MAGIC = b"GMX1"
HEADER_BYTES = _HEADER.size


@dataclass(frozen=True)
class Frame:
    """A rendered block on its way out."""

    epoch: int
    serial: int
    revision: int
    first_sample: int
    position_samples: float
    n_samples: int
    mix: Values
    meters: Values
    reductions: Values
    probe: Values
    spectrum: Values
    led: Values
    curves: Values
    scope: Values
    sound: Values
    other: Values


def pack_frame(frame: Frame, *, with_sound: bool) -> bytes:
    """The frame as bytes."""
    header = _HEADER.pack(
        MAGIC,
        frame.epoch,
        frame.serial,
        frame.revision,
        frame.first_sample,
        frame.position_samples,
        frame.n_samples,
        len(frame.reductions),
        len(frame.probe),
        len(frame.spectrum),
        len(frame.led),
        len(frame.curves),
        len(frame.scope),
        (2 if frame.other.size else 1) if with_sound else 0,
    )
    parts = [frame.mix, frame.meters, frame.reductions, frame.probe]
    parts += [frame.spectrum, frame.led, frame.curves, frame.scope]
    if with_sound:
        parts += [frame.sound, frame.other]
    return header + b"".join(part.astype("<f4", copy=False).tobytes() for part in parts)
