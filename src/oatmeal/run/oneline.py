"""A log in which each message is one line, whatever names of files hold."""

from __future__ import annotations

import logging


class OneLine(logging.Formatter):
    """Writes what is no printable character of a message as an escape, such as ``\\n``.

    A file may be called anything: with line ends in its name it could write lines of its own.
    """

    def formatMessage(self, record: logging.LogRecord) -> str:  # noqa: N802 (logging's name)
        """The line, with everything on it readable."""
        record.message = plain(record.message)
        return super().formatMessage(record)


def plain(text: str) -> str:
    """A text on one line of readable characters.

    Examples
    --------
    >>> print(plain("fog\\nat dawn"))
    fog\\nat dawn
    """
    return "".join(one if one.isprintable() else ascii(one)[1:-1] for one in text)
