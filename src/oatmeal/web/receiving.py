"""Files that are sent: their bytes are the request's body."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from flask import request

from oatmeal.photofile.errors import TooLarge
from oatmeal.web.services import services

_CHUNK: Final = 1 << 20


def chunks(name: str) -> Iterator[bytes]:
    """The body piece by piece; raises :class:`TooLarge` at once if it says that it is too long."""
    limit = services().settings.limits.max_bytes
    if (request.content_length or 0) > limit:
        raise TooLarge(
            f"{name} is larger than the {limit / 1e6:.0f} MB that are accepted: save a smaller "
            "copy, or raise OATMEAL_MAX_BYTES."
        )
    return _pieces()


def _pieces() -> Iterator[bytes]:
    while piece := request.stream.read(_CHUNK):
        yield piece
