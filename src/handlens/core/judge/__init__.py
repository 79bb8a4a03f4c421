"""Measures judged by a rule sheet and an intent: findings, causes, waivers, the verdict, and what is shown of them."""

from .judge import Judgement, judge, relevant_measures

__all__ = ["Judgement", "judge", "relevant_measures"]
