"""The former place of `declare.promises`, which house checks and mends of before import; it goes with the next release."""

from ..declare.promises import *  # noqa: F403
