"""Handoff: what was written, and whether it proved."""
