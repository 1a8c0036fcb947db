"""Who may talk to us: checks Host and Origin of every request and socket, and limits what pages may load."""

from __future__ import annotations

from ipaddress import ip_address
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

LOOPBACK = ("127.0.0.1", "localhost", "[::1]")
#: To listen on these is to listen on all addresses of the machine.
EVERYWHERE = ("0.0.0.0", "::")
POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; object-src 'none'; "
    "base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
#: Uploads above this are refused before they are read.
MAX_UPLOAD = 512 << 20
#: Bytes of all uploads that are under way at once.
MOST_UNDER_WAY = 1 << 30


class Guard:
    """ASGI middleware. A name other than ours in Host, or a page from elsewhere in Origin, is refused.

    This is what keeps other web pages, open in the same browser, away from a server on loopback. They would come by a
    name that they have made to mean this machine, so a bare address is no threat where all of them are listened on.
    """

    def __init__(self, app: ASGIApp, hosts: tuple[str, ...]) -> None:
        self.app = app
        self.hosts = (*LOOPBACK, *hosts)
        self.any_address = any(host in EVERYWHERE for host in hosts)
        self.under_way = 0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        host, origin = headers.get("host", ""), headers.get("origin")
        if not self._ours(_name(host)):
            await self._refuse(scope, receive, send, f"This server is not known as {host!r}.")
        elif origin is not None and urlsplit(origin).netloc != host:
            await self._refuse(scope, receive, send, f"Pages of {origin!r} may not use this server.")
        elif scope["type"] == "http":
            await self._answer(scope, receive, send, int(headers.get("content-length") or 0))
        else:
            await self.app(scope, receive, send)

    def _ours(self, name: str) -> bool:
        return name in self.hosts or (self.any_address and _is_address(name))

    async def _answer(self, scope: Scope, receive: Receive, send: Send, length: int) -> None:
        """Hand a request of so many bytes on, when there is room for it."""
        if length > MAX_UPLOAD:
            await self._refuse(scope, receive, send, f"At most {MAX_UPLOAD >> 20} MB can be sent at once.", 413)
            return
        if length and self.under_way + length > MOST_UNDER_WAY:
            why = f"{self.under_way >> 20} MB are being sent already. Try again when they have arrived."
            await self._refuse(scope, receive, send, why, 503)
            return
        self.under_way += length
        try:
            await self.app(scope, _limited(receive), _protected(send))
        finally:
            self.under_way -= length

    async def _refuse(self, scope: Scope, receive: Receive, send: Send, why: str, status: int = 403) -> None:
        if scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 1008, "reason": why[:120]})
        else:
            await JSONResponse({"message": why}, status)(scope, receive, send)


def _name(host: str) -> str:
    """The host without its port."""
    return host.rsplit(":", 1)[0] if ":" in host and not host.endswith("]") else host


def _is_address(name: str) -> bool:
    try:
        ip_address(name.strip("[]"))
    except ValueError:
        return False
    return True


def _limited(receive: Receive) -> Receive:
    """Stops a body that was announced as small, or not at all, and does not end."""
    taken = 0

    async def wrapped() -> Message:
        nonlocal taken
        message = await receive()
        taken += len(message.get("body", b""))
        if taken > MAX_UPLOAD:
            return {"type": "http.disconnect"}
        return message

    return wrapped


def _protected(send: Send) -> Send:
    async def wrapped(message: Message) -> None:
        if message["type"] == "http.response.start":
            headers = MutableHeaders(scope=message)
            headers["Content-Security-Policy"] = POLICY
            headers["X-Content-Type-Options"] = "nosniff"
            headers["Referrer-Policy"] = "no-referrer"
        await send(message)

    return wrapped
