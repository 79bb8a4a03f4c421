"""Textures: images, and the UVs that lay them on the surface."""
