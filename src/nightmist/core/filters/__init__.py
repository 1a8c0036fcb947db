"""Filters of what lies on a surface: they look at neighbors on the surface, over seams, never at another island's."""
