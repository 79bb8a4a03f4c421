"""Handoff: the files that are sent, and what the destination says to them."""
