"""What can go wrong in the library, with a sentence for the user."""

from typing import Any


class LibraryError(Exception):
    """Base of the library's errors."""


class Missing(LibraryError):
    """What was asked for is not there."""


class Invalid(LibraryError):
    """A value that cannot be taken."""


class Behind(LibraryError):
    """The caller's revision is not the newest; ``current`` is the newest state."""

    def __init__(self, current: dict[str, Any]) -> None:
        super().__init__("This version was changed elsewhere since this page last heard of it.")
        self.current = current
