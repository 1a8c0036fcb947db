"""Numbers as they are written for people."""

from __future__ import annotations


def figures(value: float) -> str:
    """Three figures at least, whatever unit the model has: 12,345; 230; 2.31; 0.0116."""
    return f"{value:,.0f}" if abs(value) >= 100 else f"{value:.3g}"
