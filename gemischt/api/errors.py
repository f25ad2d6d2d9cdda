"""Every error in one shape: what is wrong, where, and what to do."""

import logging
import uuid
from collections.abc import Iterable, Mapping

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from gemischt.api.schemas import ErrorBody, FaultBody
from gemischt.core import errors

STATUSES: tuple[int, ...] = (400, 401, 403, 404, 405, 409, 413, 422, 429, 500, 507)
"""Any operation may answer with these."""
_STATUS: dict[type[errors.GemischtError], int] = {
    errors.InvalidSession: 422,
    errors.InvalidAction: 422,
    errors.BadAudio: 422,
    errors.BadMidi: 422,
    errors.NotFound: 404,
    errors.RevisionConflict: 409,
    errors.StorageFailed: 507,
    errors.TooMuch: 429,
    errors.Cancelled: 409,
    errors.GemischtError: 500,
}
_REMEDIES = {
    404: "Check the address.",
    405: "Use one of the methods that are allowed here.",
    413: "Send less at once.",
}
_log = logging.getLogger(__name__)


def error_response(
    status: int,
    what: str,
    where: str,
    remedy: str,
    *,
    faults: Iterable[FaultBody] = (),
    headers: Mapping[str, str] | None = None,
) -> JSONResponse:
    """The answer to every error."""
    body = ErrorBody(what=what, where=where, remedy=remedy, faults=list(faults))
    return JSONResponse(body.model_dump(), status_code=status, headers=headers)


def add_error_handlers(app: FastAPI) -> None:
    """Let every error the application raises be answered in its shape."""
    app.exception_handler(errors.GemischtError)(_answer_error)
    app.exception_handler(RequestValidationError)(_answer_bad_request)
    app.exception_handler(HTTPException)(_answer_http_error)
    app.add_middleware(AnswersFailures)


class AnswersFailures:
    """ASGI middleware: what nobody foresaw is logged under a number, and answered with it."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        started = False

        async def watched(message: Message) -> None:
            nonlocal started
            started = True
            await send(message)

        try:
            await self._app(scope, receive, watched)
        except Exception:
            failure = unforeseen(f"{scope['type']} {scope.get('method', '')} {scope['path']}")
            if scope["type"] != "http" or started:
                return
            await error_response(500, failure.what, scope["path"], failure.remedy)(scope, receive, send)


def unforeseen(where: str) -> errors.GemischtError:
    """Log the exception that is being handled; what to tell of it, with the number of its entry."""
    entry = uuid.uuid4().hex[:8]
    _log.exception("entry %s: %s", entry, where)
    remedy = f"Try again; entry {entry} of the log in the data folder says more."
    return errors.GemischtError("something went wrong", remedy=remedy)


def _answer_error(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, errors.GemischtError)
    faults = error.faults if isinstance(error, errors.InvalidSession) else []
    status = next(_STATUS[kind] for kind in type(error).__mro__ if kind in _STATUS)
    if status >= 500:
        _log.error("%s %s: %s", request.method, request.url.path, error, exc_info=error)
    bodies = [FaultBody(path=fault.path, reason=fault.reason) for fault in faults]
    return error_response(status, error.what, error.where, error.remedy, faults=bodies)


def _answer_bad_request(_request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    faults = [
        FaultBody(path="/".join(str(step) for step in item["loc"]), reason=item["msg"].removeprefix("Value error, "))
        for item in error.errors()
    ]
    what = "; ".join(f"{fault.path}: {fault.reason}" for fault in faults)
    return error_response(422, what, "request", "Correct what is named.", faults=faults)


def _answer_http_error(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, HTTPException)
    what = str(error.detail)[:1].lower() + str(error.detail)[1:]
    remedy = _REMEDIES.get(error.status_code, "Correct the request.")
    return error_response(error.status_code, what, request.url.path, remedy, headers=error.headers)
