"""The web application, assembled."""

import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from fastapi import FastAPI
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from starlette.concurrency import run_in_threadpool

from gemischt import __version__
from gemischt.api import PRELOADED
from gemischt.api.errors import STATUSES, add_error_handlers
from gemischt.api.limits import LimitedBodies
from gemischt.api.playing import PlayingProcess
from gemischt.api.routers import (
    audio,
    catalogue,
    ducks,
    jobs,
    level,
    live,
    moves,
    place,
    presets,
    prints,
    routing,
    sessions,
)
from gemischt.api.schemas import ErrorBody
from gemischt.api.security import NeedsToken, OnlyOwnPages, SafeHeaders
from gemischt.api.settings import Settings
from gemischt.live.hub import Hub
from gemischt.operations import child_process
from gemischt.operations.jobs import Jobs
from gemischt.operations.task_process import task_process
from gemischt.operations.workspace import Workspace


def _open(app: FastAPI, settings: Settings, playing: PlayingProcess | None) -> None:
    app.state.settings = settings
    app.state.workspace = Workspace(settings.data_folder)
    app.state.workspace.begin_serving()
    app.state.jobs = Jobs()
    child_process.get_ready(PRELOADED)
    if playing is None:
        app.state.playing = app.state.hub = Hub(app.state.workspace, on_empty=app.state.jobs.give_up_for)
    else:
        app.state.playing = playing
        playing.on_empty = app.state.jobs.give_up_for
        threading.Thread(target=playing.start, name="playing", daemon=True).start()
    threading.Thread(target=task_process.start, name="tasks", daemon=True).start()


def _close(app: FastAPI) -> None:
    app.state.playing.close()
    app.state.jobs.close()
    app.state.workspace.close()


def create_playing_app(settings: Settings, hub: Hub) -> FastAPI:
    """What pages listen to, alone."""
    app = FastAPI(openapi_url=None)
    app.state.hub = hub
    app.include_router(live.router)
    _keep_strangers_out(app, settings)
    return app


def create_app(settings: Settings, playing: PlayingProcess | None = None) -> FastAPI:
    """The application over one data folder; without a process that plays, it plays itself."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        await run_in_threadpool(_open, app, settings, playing)
        try:
            yield
        finally:
            await run_in_threadpool(_close, app)

    app = FastAPI(
        title="Gemischt",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        responses={status: {"model": ErrorBody} for status in STATUSES},
    )
    for router in (
        sessions.router,
        audio.router,
        routing.router,
        prints.router,
        level.router,
        moves.router,
        ducks.router,
        place.router,
        presets.router,
        jobs.router,
        catalogue.router,
        live.router,
    ):
        app.include_router(router)
    app.add_middleware(LimitedBodies, most_bytes=settings.max_body_bytes)
    add_error_handlers(app)
    _keep_strangers_out(app, settings)
    app.add_middleware(SafeHeaders)
    if settings.web_folder.is_dir():
        index = settings.web_folder / "index.html"

        @app.get("/", include_in_schema=False)
        @app.get("/controller", include_in_schema=False)
        @app.get("/session/{session_id}", include_in_schema=False)
        def page(session_id: str = "") -> FileResponse:
            return FileResponse(index, headers={"Cache-Control": "no-cache"})

        app.mount("/", StaticFiles(directory=settings.web_folder), name="web")
    return app


def _keep_strangers_out(app: FastAPI, settings: Settings) -> None:
    if settings.token is not None:
        app.add_middleware(NeedsToken, token=settings.token)
    app.add_middleware(OnlyOwnPages, allowed_hosts=settings.allowed_hosts)
