"""The web: REST for projects and files, one WebSocket for painting, and the browser's files."""

from .app import create_app

__all__ = ["create_app"]
