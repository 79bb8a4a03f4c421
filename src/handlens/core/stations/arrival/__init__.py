"""Arrival: what came in the box, and what should not have come."""
