"""OpenCV, loaded when something of it is first used.

Loading it takes a command as long as rendering a small picture, and most files need none of it:
what every file passes through takes ``cv2`` from here.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any, Final

if TYPE_CHECKING:
    import cv2
else:

    class _Later:
        """Stands for the module until a name of it is asked for."""

        def __getattr__(self, name: str) -> Any:
            found = getattr(import_module("cv2"), name)
            setattr(self, name, found)
            return found

    cv2: Final = _Later()

__all__ = ["cv2"]
