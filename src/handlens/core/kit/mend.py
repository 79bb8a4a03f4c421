"""The former place of `declare.mend`, which house checks and mends of before import; it goes with the next release."""

from ..declare.mend import *  # noqa: F403
