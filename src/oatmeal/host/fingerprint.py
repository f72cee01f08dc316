"""A fingerprint of what renders: what it made is kept as long as it would make it again."""

from __future__ import annotations

import hashlib
from functools import cache
from importlib.metadata import version
from pathlib import Path
from typing import Final

#: The rooms whose code decides over the pixels of a finished file.
_ROOMS: Final = ("core", "photofile", "library", "rendering", "exports")

#: Libraries that decode, compute or encode pixels.
_LIBRARIES: Final = (
    "imagecodecs", "lensfunpy", "llvmlite", "numba", "numpy", "opencv-contrib-python-headless",
    "pillow", "pillow-heif", "pyvips", "pyvips-binary", "rawpy", "scipy", "tifffile",
)  # fmt: skip


@cache
def mark() -> str:
    """A short text that changes with any code or library that finished greys depend on."""
    seen = hashlib.sha256()
    here = Path(__file__).parents[1]
    for room in _ROOMS:
        for path in sorted((here / room).rglob("*")):
            if path.suffix in (".py", ".csv"):
                seen.update(str(path.relative_to(here)).encode() + path.read_bytes())
    for name in _LIBRARIES:
        seen.update(f"{name} {version(name)}".encode())
    return seen.hexdigest()[:12]
