"""The former place of `edit.splitting`, which house mends of before import; it goes with the next release."""

from ..edit.splitting import *  # noqa: F403
