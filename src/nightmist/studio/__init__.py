"""Open projects: one worker thread each, a journal, and any number of browsers. No web."""

from .project import OpenProject
from .studio import Studio

__all__ = ["OpenProject", "Studio"]
