"""The former place of `edit.without`, which house mends of before import; it goes with the next release."""

from ..edit.without import *  # noqa: F403
