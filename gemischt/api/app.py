"""The web application, assembled."""

import gc
import sys
import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles

from gemischt import __version__
from gemischt.api.routers import audio, catalogue, jobs, level, live, presets, routing, sessions
from gemischt.api.schemas import ErrorBody, FaultBody
from gemischt.api.security import OnlyOwnPages
from gemischt.api.settings import Settings
from gemischt.core import errors
from gemischt.core.dsp.jit import prepare_kernels
from gemischt.live.hub import Hub
from gemischt.operations.jobs import Jobs
from gemischt.operations.task_process import task_process
from gemischt.operations.workspace import Workspace

_STATUS: dict[type[errors.GemischtError], int] = {
    errors.InvalidSession: 422,
    errors.InvalidAction: 422,
    errors.BadAudio: 422,
    errors.NotFound: 404,
    errors.RevisionConflict: 409,
    errors.StorageFailed: 507,
    errors.Cancelled: 409,
    errors.GemischtError: 500,
}
# The engine thread shares the interpreter with requests and jobs, and needs its turn for every step of a block.
_SWITCH_INTERVAL_S = 0.00001


def _make_ready() -> None:
    """Load the kernels, and keep what is there by now out of the garbage collector's sight: looking through it all
    stops the engine thread for longer than it renders ahead."""
    prepare_kernels()
    gc.freeze()


def create_app(settings: Settings) -> FastAPI:
    """The application over one data folder."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        sys.setswitchinterval(_SWITCH_INTERVAL_S)
        app.state.settings = settings
        app.state.workspace = Workspace(settings.data_folder)
        app.state.workspace.begin_serving()
        app.state.jobs = Jobs()
        app.state.hub = Hub(app.state.workspace)
        threading.Thread(target=_make_ready, name="kernels", daemon=True).start()
        threading.Thread(target=task_process.start, name="tasks", daemon=True).start()
        try:
            yield
        finally:
            app.state.hub.close()
            app.state.jobs.close()
            app.state.workspace.close()

    app = FastAPI(
        title="Gemischt",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        responses={status: {"model": ErrorBody} for status in (404, 409, 422, 507)},
    )
    for router in (
        sessions.router,
        audio.router,
        routing.router,
        level.router,
        presets.router,
        jobs.router,
        catalogue.router,
        live.router,
    ):
        app.include_router(router)
    app.add_middleware(OnlyOwnPages, allowed_hosts=settings.allowed_hosts)
    app.exception_handler(errors.GemischtError)(_answer_error)
    app.exception_handler(RequestValidationError)(_answer_bad_request)
    if settings.web_folder.is_dir():
        index = settings.web_folder / "index.html"

        @app.get("/", include_in_schema=False)
        @app.get("/session/{session_id}", include_in_schema=False)
        def page(session_id: str = "") -> FileResponse:
            return FileResponse(index, headers={"Cache-Control": "no-cache"})

        app.mount("/", StaticFiles(directory=settings.web_folder), name="web")
    return app


def _answer_error(_request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, errors.GemischtError)
    faults = error.faults if isinstance(error, errors.InvalidSession) else []
    body = ErrorBody(
        what=error.what,
        where=error.where,
        remedy=error.remedy,
        faults=[FaultBody(path=fault.path, reason=fault.reason) for fault in faults],
    )
    status = next(_STATUS[kind] for kind in type(error).__mro__ if kind in _STATUS)
    return JSONResponse(body.model_dump(), status_code=status)


def _answer_bad_request(_request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    faults = [
        FaultBody(path="/".join(str(step) for step in item["loc"]), reason=item["msg"]) for item in error.errors()
    ]
    what = "; ".join(f"{fault.path}: {fault.reason}" for fault in faults)
    body = ErrorBody(what=what, where="request", remedy="Correct what is named.", faults=faults)
    return JSONResponse(body.model_dump(), status_code=422)
