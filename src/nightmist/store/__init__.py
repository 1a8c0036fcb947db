"""PostgreSQL through SQLAlchemy 2: what is kept, for good."""

from .entry import ArrayData, Entry, joined
from .store import NeverStoredError, NoProjectError, ProjectRow, Store, StoreError

__all__ = ["ArrayData", "Entry", "NeverStoredError", "NoProjectError", "ProjectRow", "Store", "StoreError", "joined"]
