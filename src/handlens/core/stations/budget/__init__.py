"""Budget: what it costs to draw."""
