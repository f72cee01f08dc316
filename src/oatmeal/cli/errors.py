"""Bad use of the command line."""

from __future__ import annotations


class UsageError(Exception):
    """The command line or a recipe cannot be used; exit status 2. One line for each argument."""
