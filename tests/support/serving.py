"""The application as tests talk to it, with a guard over its event loop."""

import asyncio
import contextlib
import unittest
from collections.abc import Iterator
from contextlib import contextmanager

from blockbuster import BlockingError, blockbuster_ctx
from fastapi.testclient import TestClient
from sqlalchemy import Engine, event

from gemischt.api.app import create_app
from gemischt.api.settings import Settings

ADDRESS = "http://127.0.0.1:8765"


def _refuse_on_a_loop(*_: object) -> None:
    with contextlib.suppress(RuntimeError):
        asyncio.get_running_loop()
        raise BlockingError("a statement of the database")


@contextmanager
def guarded_loop() -> Iterator[None]:
    """Let whatever waits for a disk, a database or a lock on an event loop fail there, instead of holding up sound."""
    watched = (Engine, "before_cursor_execute", _refuse_on_a_loop)
    if event.contains(*watched):
        yield
        return
    event.listen(*watched)
    try:
        with blockbuster_ctx("gemischt"):
            yield
    finally:
        event.remove(*watched)


def serve(case: unittest.TestCase, settings: Settings, *, follow_redirects: bool = True) -> TestClient:
    """A running application, until the test is over."""
    case.enterContext(guarded_loop())
    client = TestClient(create_app(settings), base_url=ADDRESS, follow_redirects=follow_redirects)
    return case.enterContext(client)
