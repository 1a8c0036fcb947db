"""PostgreSQL through SQLAlchemy 2: what is kept, for good."""

from .store import ArrayData, Entry, NeverStoredError, NoProjectError, ProjectRow, Store, StoreError

__all__ = ["ArrayData", "Entry", "NeverStoredError", "NoProjectError", "ProjectRow", "Store", "StoreError"]
