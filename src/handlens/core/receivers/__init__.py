"""Simulated destinations: what each does with a model, as it would log it."""
