"""From pointer samples to coverage: samples ▶ path ▶ dabs ▶ coverage."""

from .coverage import Coverage, Dabs
from .path import DabPath

__all__ = ["Coverage", "DabPath", "Dabs"]
