"""The application: routes, guard, error pages."""

from __future__ import annotations

import logging
from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager

from fastapi import Depends, FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException

from corlume.core.errors import InvalidInput
from corlume.formats.file_faults import in_words
from corlume.services import jobs
from corlume.services.light.kernels import Kernels
from corlume.settings import Settings
from corlume.store.database import Database, Unusable
from corlume.store.tables import NotFound
from corlume.store.tanks import Unreadable
from corlume.web.request.assets import STATIC, Assets, SqueezePages
from corlume.web.request.coral_light_log import light_recorded
from corlume.web.request.device_auth import DeviceAuth
from corlume.web.request.old_addresses import address_now
from corlume.web.request.page import error_page, measure_of, page, told
from corlume.web.request.plain_page import plain_page
from corlume.web.request.request_guard import RequestGuard
from corlume.web.request.until_ready import UntilReady
from corlume.web.stations import BESIDE, STATIONS, Station

LOGGED = "Details are in corlume.log, beside the database, under request {}."
_log = logging.getLogger("corlume")
MISSING = ("Nothing here", "This page, or what it showed, is not there. It may have been removed; undo brings it back.")


@asynccontextmanager
async def _lifespan(_: FastAPI) -> AsyncIterator[None]:
    """Serve, and stop the background jobs at the end."""
    yield
    await run_in_threadpool(jobs.stop_all)


def create_app(
    database: Database,
    settings: Settings,
    stations: Sequence[Station] = STATIONS,
    *,
    phone_address: str = "",
    kernels: Kernels | None = None,
) -> FastAPI:
    """Build the application over a database, with its stations.

    ``phone_address`` is where it listens on the home network, host and port: from there, paired devices alone come in.
    Until ``kernels`` are ready its pages say how far they are.
    """
    app = FastAPI(title="Corlume", docs_url=None, redoc_url=None, openapi_url=None, lifespan=_lifespan)
    app.state.database = database
    app.state.stations = stations
    app.state.phone_address = phone_address
    app.state.meter, app.state.controller = settings.meter, settings.controller
    hosts = [name.strip() for name in settings.hosts.split(",") if name.strip()]
    app.add_middleware(SqueezePages, minimum_size=1000, compresslevel=5)
    hosts += [settings.host, *filter(None, [phone_address.rpartition(":")[0]])]
    door = DeviceAuth(database) if phone_address else None
    if kernels:
        app.add_middleware(UntilReady, kernels=kernels)
    app.add_middleware(RequestGuard, hosts=hosts, last_resort=_not_foreseen, door=door)
    app.mount("/static", Assets(directory=STATIC), name="static")
    for router in BESIDE:
        app.include_router(router)
    for station in stations:
        for router in station.routers:
            app.include_router(router, dependencies=[Depends(light_recorded)])

    @app.get("/", include_in_schema=False)
    def home() -> RedirectResponse:
        return RedirectResponse("/tanks")

    @app.exception_handler(NotFound)
    def not_found(request: Request, _: Exception) -> Response:
        if _wants_json(request):
            return JSONResponse({"errors": {}, "message": MISSING[1]}, 404)
        return error_page(request, 404, *MISSING)

    @app.exception_handler(Unusable)
    def unusable(request: Request, error: Exception) -> Response:
        _log.error("%s %s: %s", request.method, request.url.path, error)
        if _wants_json(request):
            return JSONResponse({"errors": {}, "message": str(error)}, 503)
        return plain_page("The data cannot be used", f"{error} What you did before is as it was.", 503)

    @app.exception_handler(Unreadable)
    def unreadable(request: Request, error: Exception) -> Response:
        assert isinstance(error, Unreadable)
        faults = told(error, measure_of(request))
        if _wants_json(request):
            return JSONResponse({"errors": {}, "message": f"This tank cannot be opened: {'; '.join(faults)}."}, 409)
        return page(request, "keeping/unreadable.html", {"faulty": error, "faults": faults}, status=409)

    @app.exception_handler(HTTPException)
    def http_error(request: Request, error: Exception) -> Response:
        status = getattr(error, "status_code", 500)
        if status == 404:
            now = address_now(request.url.path)
            if now is not None:
                return RedirectResponse(f"{now}{'?' * bool(request.url.query)}{request.url.query}", 308)
            return error_page(request, 404, *MISSING)
        return error_page(request, status, "That did not work", str(getattr(error, "detail", "")))

    @app.exception_handler(RequestValidationError)
    def bad_request(request: Request, error: Exception) -> Response:
        assert isinstance(error, RequestValidationError)
        if any(e["loc"][0] == "path" for e in error.errors()):
            return error_page(request, 404, *MISSING)
        faults = {str(e["loc"][-1]): in_words(e) for e in error.errors()}
        if _wants_json(request):
            return JSONResponse({"errors": faults, "message": "The request could not be read."}, 422)
        words = "; ".join(f"{name} {text}" for name, text in faults.items())
        return error_page(request, 422, "That could not be read", f"{words}.")

    @app.exception_handler(InvalidInput)
    def invalid(request: Request, error: Exception) -> Response:
        assert isinstance(error, InvalidInput)
        measure = measure_of(request)
        faults = {e.field: measure.message(e) for e in error.errors}
        words = "; ".join(f"{field.replace('_', ' ')} {text}" for field, text in faults.items())
        message = words[:1].upper() + words[1:] + "."
        if _wants_json(request):
            return JSONResponse({"errors": faults, "message": message}, 422)
        return error_page(request, 422, "That does not fit", message)

    return app


def _not_foreseen(request: Request, kept: bool, number: int) -> Response:
    """The last resort: uses neither the database nor templates nor what was sent."""
    words = f"Your last step was {'kept' if kept else 'not kept'}; everything before it is. {LOGGED.format(number)}"
    if _wants_json(request):
        return JSONResponse({"errors": {}, "message": f"Unexpected error. {words}"}, 500)
    return plain_page("Unexpected error", words, 500)


def _wants_json(request: Request) -> bool:
    return request.headers.get("content-type", "").startswith("application/json")
