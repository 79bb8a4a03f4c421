"""The object file format (OFF)."""
