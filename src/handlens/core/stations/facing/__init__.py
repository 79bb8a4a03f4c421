"""Facing: which way faces look, and the normals that light them."""
