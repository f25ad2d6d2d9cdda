"""One player per session, and the connections that listen to it."""

import asyncio
import json
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from gemischt.core.engine.led_parameters import LedParameter
from gemischt.core.engine.probe import probed_processors
from gemischt.core.errors import InvalidAction
from gemischt.core.session.actions import apply_action, parse_action
from gemischt.core.session.document import Session
from gemischt.core.units import s_to_samples
from gemischt.live import messages
from gemischt.live.curves import curve_of
from gemischt.live.frames import Frame, pack_frame
from gemischt.live.player import Player
from gemischt.live.transport import Transport
from gemischt.operations.workspace import Workspace
from gemischt.storage.sessions import StoredSession

QUEUE_LIMIT = 400
UNREAD_LIMIT = 2000
"""A connection that lets so much lie unread is given up."""


@dataclass(eq=False)
class Listener:
    """A connection: what is to be sent to it."""

    loop: asyncio.AbstractEventLoop
    queue: asyncio.Queue[bytes | str | None] = field(default_factory=asyncio.Queue)
    given_up: bool = False
    drawn_from: object = None
    """What the curves it has were drawn from."""

    def send(self, message: bytes | str) -> None:
        """Queue from any thread; one that does not read loses frames, and at last its connection: None ends it."""
        self.loop.call_soon_threadsafe(self._put, message)

    def _put(self, message: bytes | str) -> None:
        if self.given_up:
            return
        if self.queue.qsize() >= UNREAD_LIMIT:
            self.given_up = True
            while not self.queue.empty():
                self.queue.get_nowait()
            self.queue.put_nowait(None)
        elif isinstance(message, str) or self.queue.qsize() < QUEUE_LIMIT:
            self.queue.put_nowait(message)


class Room:
    """A session being listened to."""

    def __init__(self, workspace: Workspace, stored: StoredSession) -> None:
        self._workspace = workspace
        self._stored = stored
        self._media = workspace.open_media(stored.session)
        self._listeners: list[Listener] = []
        self._owner: Listener | None = None
        self._watched: str | None = None
        self.player = self._new_player()

    def _new_player(self) -> Player:
        return Player(
            self._stored.session,
            self._media,
            self._stored.revision,
            on_frame=self._broadcast_frame,
            on_transport=self._broadcast_transport,
            on_led=lambda led: self._broadcast(_led_message(led)),
            on_failure=self._broadcast_failure,
        )

    @property
    def empty(self) -> bool:
        return not self._listeners

    def join(self, listener: Listener) -> None:
        self._listeners.append(listener)
        # Whoever has read the session before an edit that was kept since learns of it.
        listener.send(_document_message(self._stored))
        listener.send(self._transport_message(self.player.transport))
        self._draw_curves(listener, self._stored.session)
        listener.send(_led_message(self.player.led))

    def leave(self, listener: Listener) -> None:
        self._listeners.remove(listener)
        if self._owner is listener:
            self._owner = None
            self.player.stop()

    def played(self, listener: Listener, message: messages.Played) -> None:
        """Go by what has been heard; takes no time."""
        if listener is self._owner:
            self.player.played(message.epoch, message.samples, message.missed)

    def handle(self, listener: Listener, message: messages.AnyMessage) -> None:
        """Act on a message, which may read the database; raises GemischtError if it cannot be done."""
        rate = self._stored.session.sample_rate_hz
        match message:
            case messages.Play(at_s=at_s):
                self._owner = listener
                self.player.play(None if at_s is None else s_to_samples(at_s, rate))
            case messages.Stop():
                self.player.stop()
            case messages.Seek(at_s=at_s):
                self.player.seek(s_to_samples(at_s, rate))
            case messages.Loop(stretch_s=stretch):
                self.player.set_loop(
                    None if stretch is None else (s_to_samples(stretch[0], rate), s_to_samples(stretch[1], rate))
                )
            case messages.Watch(strip=strip):
                self._watched = strip
                self.player.watch(strip)
                self._draw_curves(listener, self._stored.session)
            case messages.Listen(mode=mode, dim=dim):
                self.player.listen(mode, dim=dim)
            case messages.HearKey(strip=strip, step=step):
                self.player.hear_key(None if strip is None or step is None else (strip, step))
            case messages.Compare(snapshot=snapshot, offset_db=offset_db):
                self._compare(snapshot, offset_db)
            case messages.Audition(action=action, offset_db=offset_db):
                self.player.compare(self._edited(action), self._media, offset_db=offset_db)
            case messages.Preview(serial=serial, action=action):
                session = self._edited(action)
                self.player.edit(session, self._media, revision=self._stored.revision, serial=serial)
                self._draw_curves(listener, session)
            case messages.Reach():
                self.player.reach()
            case messages.Revert():
                self._go_on_with(self._stored)

    def _edited(self, action: dict[str, Any]) -> Session:
        """The session with an edit that is not kept; what sounds can hear only audio that is there."""
        session = apply_action(self._stored.session, parse_action(action))
        if session.media != self._stored.session.media:
            raise InvalidAction("new audio is heard once it is kept", where="live message")
        return session

    def document_changed(self, stored: StoredSession) -> None:
        """An edit was kept: play it, and tell every connection; not if word of a later one came first."""
        if stored.revision <= self._stored.revision:
            return
        before = self._stored.session
        other_rate = stored.session.sample_rate_hz != before.sample_rate_hz
        if other_rate or stored.session.media != before.media:
            self._media = self._workspace.open_media(stored.session)
        self._stored = stored
        if other_rate:
            self._play_at_another_rate()
        self._go_on_with(stored)
        self._broadcast(_document_message(stored))

    def _play_at_another_rate(self) -> None:
        """Everything in a player is made for one rate."""
        self.player.close()
        self._owner = None
        self.player = self._new_player()
        self.player.watch(self._watched)
        self._broadcast_transport(self.player.transport)

    def close(self) -> None:
        self.player.close()

    def _compare(self, snapshot_id: str | None, offset_db: float) -> None:
        if snapshot_id is None:
            self.player.compare(None, None)
            return
        session = self._workspace.snapshots.get(self._stored.id, snapshot_id).session
        self.player.compare(session, self._workspace.open_media(session), offset_db=offset_db)

    def _go_on_with(self, stored: StoredSession) -> None:
        self.player.edit(stored.session, self._media, revision=stored.revision)
        for listener in list(self._listeners):
            self._draw_curves(listener, stored.session)

    def _broadcast(self, message: str) -> None:
        for listener in list(self._listeners):
            listener.send(message)

    def _broadcast_frame(self, frame: Frame) -> None:
        watching: bytes | None = None
        for listener in list(self._listeners):
            if listener is self._owner:
                listener.send(pack_frame(frame, with_sound=True))
            else:
                watching = watching or pack_frame(frame, with_sound=False)
                listener.send(watching)

    def _broadcast_transport(self, transport: Transport) -> None:
        self._broadcast(self._transport_message(transport))

    def _broadcast_failure(self, what: str) -> None:
        remedy = "Press play to go on; the log in the data folder says more."
        self._broadcast(json.dumps({"type": "error", "what": what, "where": "playback", "remedy": remedy}))

    def _transport_message(self, transport: Transport) -> str:
        rate = self._stored.session.sample_rate_hz
        loop = transport.loop
        return json.dumps(
            {
                "type": "transport",
                "playing": transport.playing,
                "position_s": transport.position_samples / rate,
                "loop_s": None if loop is None else [loop[0] / rate, loop[1] / rate],
                "epoch": transport.epoch,
                "sample_rate_hz": rate,
                "duration_s": self.player.length_samples / rate,
                "strips": self.player.strips,
            }
        )

    def _draw_curves(self, listener: Listener, session: Session) -> None:
        """Curves of the watched strip's processors, in the order of the probe's readings; nothing is sent again."""
        strip = next((strip for strip in session.strips if strip.id == self._watched), None)
        chain = strip.chain if strip else ()
        drawn_from = (self._watched, chain, session.tempo, session.sample_rate_hz)
        if listener.drawn_from == drawn_from:
            return
        listener.drawn_from = drawn_from
        processors = [{"id": one.id, **curve_of(one, session)} for one in probed_processors(chain)]
        listener.send(json.dumps({"type": "curves", "strip": self._watched, "processors": processors}))


def _document_message(stored: StoredSession) -> str:
    return json.dumps({"type": "document", "revision": stored.revision})


def _led_message(led: tuple[LedParameter, ...]) -> str:
    """What followers lead, in the order of a frame's values."""
    parameters = [{"address": one.address, "low": one.low, "high": one.high} for one in led]
    return json.dumps({"type": "led", "parameters": parameters})


class Hub:
    """Rooms by session id; a room lives while somebody listens. ``on_empty`` is told when the last one has left."""

    def __init__(self, workspace: Workspace, on_empty: Callable[[str], None]) -> None:
        self._workspace = workspace
        self._on_empty = on_empty
        self._rooms: dict[str, Room] = {}
        self._lock = threading.Lock()

    def enter(self, session_id: str, listener: Listener) -> Room:
        """Join the session's room, opening it if nobody is there; NotFound if there is no such session."""
        with self._lock:
            room = self._rooms.get(session_id)
            if room is None:
                room = self._rooms[session_id] = Room(self._workspace, self._workspace.sessions.get(session_id))
            room.join(listener)
            return room

    def leave(self, session_id: str, listener: Listener) -> None:
        """Leave; the last one closes the room."""
        with self._lock:
            room = self._rooms[session_id]
            room.leave(listener)
            if not room.empty:
                return
            room.close()
            del self._rooms[session_id]
        self._on_empty(session_id)

    def document_changed(self, session_id: str) -> None:
        """Let the session's room, if there is one, play what has been kept."""
        with self._lock:
            room = self._rooms.get(session_id)
            if room is not None:
                room.player.brace()
                room.document_changed(self._workspace.sessions.get(session_id))

    def close(self) -> None:
        """Close every room."""
        with self._lock:
            for room in self._rooms.values():
                room.close()
            self._rooms.clear()
