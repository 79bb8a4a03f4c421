"""Placement: node transforms, distance from the origin, the ground."""
