"""The sample scenario, made by code: a harbor workshop that repaints floating equipment."""
