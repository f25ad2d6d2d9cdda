"""What the web server tells the process that plays: a kind, a payload, and with a connection its handle."""

import socket
import struct
from enum import IntEnum

_LENGTH = struct.Struct("<I")


class Kind(IntEnum):
    """What a message is."""

    BEGIN = 0
    """The settings, before all else."""
    CONNECTION = 1
    """A page's connection, with the request that was read from it."""
    KEPT = 2
    """An edit of a session was kept; to be answered by its number."""


def send_message(control: socket.socket, kind: Kind, payload: bytes, handle: int | None = None) -> None:
    """Send a message; the handle stays ours, too."""
    # A handle goes with a byte of its own: what is read with it is never part of another message.
    socket.send_fds(control, [bytes([kind])], [] if handle is None else [handle])
    control.sendall(_LENGTH.pack(len(payload)) + payload)


def read_message(control: socket.socket) -> tuple[Kind, bytes, int | None] | None:
    """The next message, and the handle that came with it; None once nobody is there."""
    kind, handles, _, _ = socket.recv_fds(control, 1, 1)
    if not kind:
        return None
    (n_bytes,) = _LENGTH.unpack(_read(control, _LENGTH.size))
    return Kind(kind[0]), _read(control, n_bytes), handles[0] if handles else None


def _read(control: socket.socket, n_bytes: int) -> bytes:
    data = control.recv(n_bytes, socket.MSG_WAITALL)
    if len(data) < n_bytes:
        raise ConnectionError("the other end is gone")
    return data
