"""Everything that follows from values and rasters, found by the digest of what it follows from."""
