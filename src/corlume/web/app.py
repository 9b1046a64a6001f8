"""The application: routes, guard, error pages."""

from __future__ import annotations

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException
from starlette.middleware.trustedhost import TrustedHostMiddleware

from corlume.core.errors import InvalidInput
from corlume.settings import Settings
from corlume.store.database import Database
from corlume.store.tanks import NotFound
from corlume.web import (
    chart_pages,
    compare_pages,
    coral_pages,
    hang_pages,
    mount_pages,
    setup_pages,
    shelf_pages,
    tank_pages,
    zone_pages,
)
from corlume.web.guard import Guard
from corlume.web.site import HERE, error_page, measure_of

MISSING = ("Nothing here", "This page, or what it showed, is not there. It may have been removed; undo brings it back.")


def create_app(database: Database, settings: Settings) -> FastAPI:
    """Build the application over a database."""
    app = FastAPI(title="Corlume", docs_url=None, redoc_url=None, openapi_url=None)
    app.state.database = database
    app.add_middleware(Guard)
    # the host check knows no ports in brackets, so the loopback of IPv6 goes by its bare name
    hosts = [name.strip() for name in settings.hosts.split(",") if name.strip()]
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=[*hosts, settings.host], www_redirect=False)
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    app.include_router(tank_pages.router)
    app.include_router(shelf_pages.router)
    app.include_router(chart_pages.router)
    app.include_router(compare_pages.router)
    app.include_router(coral_pages.router)
    app.include_router(hang_pages.router)
    app.include_router(mount_pages.router)
    app.include_router(setup_pages.router)
    app.include_router(zone_pages.router)

    @app.get("/", include_in_schema=False)
    def home() -> RedirectResponse:
        return RedirectResponse("/tanks")

    @app.exception_handler(NotFound)
    def not_found(request: Request, _: Exception) -> Response:
        if _wants_json(request):
            return JSONResponse({"errors": {}, "message": MISSING[1]}, 404)
        return error_page(request, 404, *MISSING)

    @app.exception_handler(HTTPException)
    def http_error(request: Request, error: Exception) -> Response:
        status = getattr(error, "status_code", 500)
        if status == 404:
            return error_page(request, 404, *MISSING)
        return error_page(request, status, "That did not work", str(getattr(error, "detail", "")))

    @app.exception_handler(RequestValidationError)
    def bad_request(request: Request, error: Exception) -> Response:
        assert isinstance(error, RequestValidationError)
        if any(e["loc"][0] == "path" for e in error.errors()):
            return error_page(request, 404, *MISSING)
        faults = {str(e["loc"][-1]): e["msg"] for e in error.errors()}
        if _wants_json(request):
            return JSONResponse({"errors": faults, "message": "The request could not be read."}, 422)
        return error_page(request, 422, "That could not be read", "; ".join(faults.values()))

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


def _wants_json(request: Request) -> bool:
    return request.headers.get("content-type", "").startswith("application/json")
