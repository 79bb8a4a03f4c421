"""The former place of `edit.baking`, which house mends of before import; it goes with the next release."""

from ..edit.baking import *  # noqa: F403
