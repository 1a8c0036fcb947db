"""PostgreSQL through SQLAlchemy 2: what is kept, for good."""

from .store import Change, ProjectRow, Store, StoreError

__all__ = ["Change", "ProjectRow", "Store", "StoreError"]
