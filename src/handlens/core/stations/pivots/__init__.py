"""Pivots: the point that a part turns about and is placed by."""
