"""Mends that findings offer: each is played on a copy, written, read back and judged before anybody sees it."""

from .trials import with_trials

__all__ = ["with_trials"]
