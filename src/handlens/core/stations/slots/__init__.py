"""Slots: materials by name and by value, and what is plugged into them."""
