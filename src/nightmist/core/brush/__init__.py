"""From pointer samples to coverage: samples ▶ path ▶ dabs ▶ coverage."""

from .coverage import Coverage, Dabs

__all__ = ["Coverage", "Dabs"]
