"""UVs, map sizes, parts, faces and other models: each reads a document and returns a change."""
