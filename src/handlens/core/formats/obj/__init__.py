"""Wavefront OBJ with its material libraries."""
