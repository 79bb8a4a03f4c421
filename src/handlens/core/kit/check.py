"""The former place of `declare.check`, which house checks and mends of before import; it goes with the next release."""

from ..declare.check import *  # noqa: F403
