"""The paint socket: one per open browser tab."""

from __future__ import annotations

import asyncio
import contextlib

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import ValidationError
from starlette.concurrency import run_in_threadpool

from ..core.errors import NightmistError
from ..store import StoreError
from ..studio import OpenProject, Studio
from ..studio.client_updates import Batch
from ..studio.messages import CLIENT_MESSAGE, Refused, ServerMessage
from . import wire

router = APIRouter()
MAX_TEXT = 1 << 20


class SocketClient:
    """Hands what the project's thread says over to the event loop, in order."""

    def __init__(self, loop: asyncio.AbstractEventLoop, name: str) -> None:
        self.loop, self.name = loop, name
        self.outgoing: asyncio.Queue[str | bytes] = asyncio.Queue()

    def tell(self, message: ServerMessage) -> None:
        self._put(message.model_dump_json())

    def show(self, batch: Batch) -> None:
        self._put(wire.write_batch(batch))

    def _put(self, item: str | bytes) -> None:
        # The loop may be gone when the server is stopping.
        with contextlib.suppress(RuntimeError):
            self.loop.call_soon_threadsafe(self.outgoing.put_nowait, item)


@router.websocket("/api/projects/{project}/paint")
async def paint(socket: WebSocket, project: str, client: str = "") -> None:
    """Welcome, then requests and pixels until either side goes. client: the browser's own name for itself."""
    await socket.accept()
    studio: Studio = socket.app.state.studio
    browser = SocketClient(asyncio.get_running_loop(), client)
    try:
        opened = await run_in_threadpool(studio.enter, project, browser)
    except (NightmistError, StoreError) as error:
        message = str(error) if isinstance(error, NightmistError) else "The database does not answer; trying again."
        await socket.send_text(Refused(message=message).model_dump_json())
        await socket.close(4404 if isinstance(error, NightmistError) else 1013)
        return
    sender = asyncio.create_task(_send(socket, browser))
    try:
        await _receive(socket, browser, opened)
    finally:
        sender.cancel()
        with contextlib.suppress(asyncio.CancelledError, WebSocketDisconnect, RuntimeError):
            await sender
        await run_in_threadpool(studio.leave, project, browser)


async def _send(socket: WebSocket, client: SocketClient) -> None:
    while True:
        item = await client.outgoing.get()
        if isinstance(item, str):
            await socket.send_text(item)
        else:
            await socket.send_bytes(item)


async def _receive(socket: WebSocket, client: SocketClient, opened: OpenProject) -> None:
    while (message := await socket.receive())["type"] != "websocket.disconnect":
        try:
            if (data := message.get("bytes")) is not None:
                opened.ask(client, wire.read_samples(data))
            elif (text := message.get("text")) is not None:
                if len(text) > MAX_TEXT:
                    raise NightmistError("A message on the paint socket was too long.")
                opened.ask(client, CLIENT_MESSAGE.validate_json(text))
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            client.tell(Refused(message=f"The page sent something unknown ({where}: {first['msg']}). Reload it."))
        except NightmistError as error:
            client.tell(Refused(message=str(error)))
