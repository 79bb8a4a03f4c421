"""The polygon file format (PLY)."""
