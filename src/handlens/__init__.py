"""Hand Lens: checks a model before it moves, mends it, and proves the export."""

__version__ = "0.1.0"
