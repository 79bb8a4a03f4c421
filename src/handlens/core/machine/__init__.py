"""Processes that lock themselves in, what goes between them, and compiled loops."""
