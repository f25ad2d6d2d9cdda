"""What a connection has asked for and nobody has seen to yet."""

import asyncio
from collections import deque

from gemischt.live.messages import AnyMessage, Preview

MOST_WAITING = 200
"""Who asks for more at once is not read until there is room."""


class Inbox:
    """Messages in order, for one reader and one writer of the same loop.

    A preview is the kept session with one edit made: of previews that wait behind each other only the newest counts.
    """

    def __init__(self) -> None:
        self._waiting: deque[AnyMessage] = deque()
        self._changed = asyncio.Condition()

    async def put(self, message: AnyMessage) -> None:
        """Add a message, once there is room for it."""
        async with self._changed:
            if self._waiting and isinstance(message, Preview) and isinstance(self._waiting[-1], Preview):
                self._waiting.pop()
            await self._changed.wait_for(lambda: len(self._waiting) < MOST_WAITING)
            self._waiting.append(message)
            self._changed.notify_all()

    async def take(self) -> AnyMessage:
        """The oldest message, once there is one."""
        async with self._changed:
            await self._changed.wait_for(lambda: self._waiting)
            message = self._waiting.popleft()
            self._changed.notify_all()
            return message
