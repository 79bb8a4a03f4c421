"""Fewer triangles, and what it costs to lose them."""
