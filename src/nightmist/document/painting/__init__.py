"""Strokes, tools and fills: each reads a document and returns a change."""
