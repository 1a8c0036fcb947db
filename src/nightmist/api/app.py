"""Puts the web application together."""

from __future__ import annotations

import logging
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.openapi.utils import get_openapi
from fastapi.responses import JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from pydantic import TypeAdapter
from starlette.concurrency import run_in_threadpool

from ..core.errors import NightmistError, first_wrong
from ..store import NeverStoredError, NoProjectError, StoreError
from ..studio import Studio
from ..studio.messages import ClientMessage, ServerMessage
from . import finishes, pictures, prepare, projects, references, socket, stack, tips
from .guard import Guard

log = logging.getLogger(__name__)
WEB = Path(__file__).resolve().parents[3] / "web" / "dist"


def create_app(studio: Studio | None, hosts: tuple[str, ...] = (), web: Path = WEB) -> FastAPI:
    """The application on an open studio; `hosts` are names besides loopback under which it may be reached.

    Without a studio it can only describe itself (for the generated types).
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        yield
        if studio:
            await run_in_threadpool(studio.close)

    app = FastAPI(title="Nightmist", version="1", lifespan=lifespan, docs_url=None, redoc_url=None)
    app.state.studio = studio
    app.include_router(projects.router)
    app.include_router(prepare.router)
    app.include_router(finishes.router)
    app.include_router(stack.router)
    app.include_router(tips.router)
    app.include_router(pictures.router)
    app.include_router(references.router)
    app.include_router(socket.router)
    app.add_middleware(Guard, hosts=hosts)
    app.add_exception_handler(NightmistError, _refused)
    app.add_exception_handler(RequestValidationError, _not_understood)
    app.add_exception_handler(StoreError, _unavailable)
    app.add_exception_handler(NoProjectError, _missing)
    app.add_exception_handler(NeverStoredError, _not_held)
    app.add_exception_handler(Exception, _failed)
    app.openapi = lambda: _described(app)  # type: ignore[method-assign]
    if web.is_dir():
        app.mount("/", _Pages(directory=web, html=True))
    return app


class _Pages(StaticFiles):
    """The browser's files; built ones carry a hash in their name and may be kept for good."""

    async def get_response(self, path: str, scope: Any) -> Response:
        response = await super().get_response(path, scope)
        immutable = path.startswith("assets/") and response.status_code == 200
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable" if immutable else "no-cache"
        return response


async def _refused(_: Request, error: Exception) -> JSONResponse:
    return JSONResponse({"message": str(error)}, status_code=422)


async def _not_understood(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    return JSONResponse({"message": f"What was asked cannot be done: {first_wrong(error.errors())}"}, status_code=422)


async def _unavailable(_: Request, error: Exception) -> JSONResponse:
    log.error("database: %s", error)
    return JSONResponse({"message": "The database does not answer. What is open stays; try again in a moment."}, 503)


async def _missing(_: Request, error: Exception) -> JSONResponse:
    return JSONResponse({"message": "There is no such project; it may have been deleted."}, status_code=404)


async def _not_held(_: Request, error: Exception) -> JSONResponse:
    return JSONResponse({"message": f"The database cannot hold that: {error}."}, status_code=422)


async def _failed(_: Request, error: Exception) -> JSONResponse:
    log.error("request failed", exc_info=error)
    return JSONResponse(
        {"message": "Something went wrong inside Nightmist. Look at the project before you go on; what is kept stays."},
        status_code=500,
    )


def _described(app: FastAPI) -> dict[str, Any]:
    """OpenAPI with the paint socket's messages among its schemas, so that the browser's types know them."""
    if app.openapi_schema:
        return app.openapi_schema
    described = get_openapi(title=app.title, version=app.version, routes=app.routes)
    schemas = described.setdefault("components", {}).setdefault("schemas", {})
    both: list[tuple[str, Any]] = [("ClientMessage", ClientMessage), ("ServerMessage", ServerMessage)]
    for name, union in both:
        schema = TypeAdapter(union).json_schema(ref_template="#/components/schemas/{model}")
        schemas.update(schema.pop("$defs", {}))
        schemas[name] = schema
    app.openapi_schema = described
    return described
