"""Measures judged by a rule sheet and an intent: findings, causes, waivers, the verdict, and what is shown of them."""

from .judge import Judgement, judge, things_of

__all__ = ["Judgement", "judge", "things_of"]
