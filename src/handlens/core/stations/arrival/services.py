"""What the web may call of Arrival: what a rename would change, before it is put on the tape."""

from __future__ import annotations

from .mends import changed_names, renamer

__all__ = ["changed_names", "renamer"]
