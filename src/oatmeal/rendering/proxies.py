"""Reduced copies of the originals, kept in the cache as linear light in half precision."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Mapping
from dataclasses import asdict
from pathlib import Path
from typing import Any, BinaryIO, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.kernels import from_half, to_half
from oatmeal.core.guard.measuring import held_stops
from oatmeal.core.noise import Noise
from oatmeal.core.picture import proxy, reduced
from oatmeal.core.trust import Trust
from oatmeal.library.store import FileStore, Original
from oatmeal.photofile import metadata, rawfile
from oatmeal.photofile.decode import Limits, SourcePicture, decode

#: Longer sides of the copies: for the bench and for the sheet.
BENCH_SIDE: Final = 2048
SHEET_SIDE: Final = 480

#: Changes when a copy would come out differently, so that old ones are not used.
_MAKE: Final = 3

#: The same for what is measured of the noise, and of the colour.
_NOISE_MAKE: Final = 1
_TRUST_MAKE: Final = 1


class Proxies:
    """Makes and reads reduced copies.

    Half precision keeps eleven bits of each value, finer than an 8-bit screen at every grey.
    """

    def __init__(self, store: FileStore, limits: Limits) -> None:
        self._store = store
        self._limits = limits

    def prepare(self, sha256: str, picture: SourcePicture) -> None:
        """Make both copies of a picture that is decoded anyway, and measure its colour."""
        for side, copy in copies(picture).items():

            def write(file: BinaryIO, copy: NDArray[np.float16] = copy) -> None:
                np.save(file, copy)

            self._store.cached(_name(sha256, side), write)
        self._store.cached(_trust_name(sha256), _written(asdict(picture.trust())))

    def adopt(self, sha256: str, made: dict[int, Path], trust: Trust) -> None:
        """Take in copies that lie in files already, by their side, and what was measured."""
        self._store.cached(_trust_name(sha256), _written(asdict(trust)))
        for side, path in made.items():
            target = self._store.cache / sha256[:2] / _name(sha256, side)
            target.parent.mkdir(parents=True, exist_ok=True)
            os.replace(path, target)

    def read(self, original: Original, side: int) -> NDArray[np.float32]:
        """Linear colour, float32 ``(H, W, 3)``; made again if the cache was deleted."""
        path = self._store.cache / original.sha256[:2] / _name(original.sha256, side)
        try:
            return _load(path)
        except (OSError, ValueError, EOFError):
            path.unlink(missing_ok=True)
            self.prepare(original.sha256, self.decode(original))
            return _load(path)

    def held(self, sha256: str, side: int) -> NDArray[np.float32] | None:
        """A copy, if it is in the cache: its original may be nowhere."""
        try:
            return _load(self._store.cache / sha256[:2] / _name(sha256, side))
        except (OSError, ValueError, EOFError):
            return None

    def decode(self, original: Original) -> SourcePicture:
        """The original at its full size; raises ``Lost`` if it is not what was taken in."""
        return decode(self._store.checked(original), original.name, self._limits)

    def camera_look(self, original: Original) -> list[tuple[float, float]] | None:
        """Of a raw file: the curve to the camera's own preview, if there is one."""
        return rawfile.camera_look(self._store.checked(original), original.name)

    def noise(
        self, original: Original, decoded: Callable[[], SourcePicture] | None = None
    ) -> Noise:
        """The noise of the original's own pixels; measured once, when first asked for.

        ``decoded`` gives the original where it is held decoded already.
        """

        def write(file: BinaryIO) -> None:
            picture = decoded() if decoded else self.decode(original)
            file.write(json.dumps(asdict(picture.noise())).encode())

        name = f"{original.sha256}-noise-{_NOISE_MAKE}.json"
        try:
            return _noise(self._store.cached(name, write))
        except (ValueError, KeyError, TypeError):
            (self._store.cache / name[:2] / name).unlink(missing_ok=True)
            return _noise(self._store.cached(name, write))

    def holds(self, original: Original, picture: SourcePicture) -> dict[str, float]:
        """Stops of lift that the original's colour carries, by ranges; measured once."""

        def write(file: BinaryIO) -> None:
            size = (picture.width, picture.height)
            _written(held_stops(self.trust(original), picture.linear, *size))(file)

        name = f"{original.sha256}-holds-{_TRUST_MAKE}.json"
        found: dict[str, float] = json.loads(self._store.cached(name, write).read_bytes())
        return found

    def exif(self, original: Original) -> bytes:
        """What the original says of itself."""
        return metadata.read(self._store.original(original.sha256, original.suffix))

    def trust(
        self, original: Original, decoded: Callable[[], SourcePicture] | None = None
    ) -> Trust:
        """Trust in the original's colour; measured at import, or once when first asked for."""

        def write(file: BinaryIO) -> None:
            picture = decoded() if decoded else self.decode(original)
            _written(asdict(picture.trust()))(file)

        name = _trust_name(original.sha256)
        try:
            return Trust(**json.loads(self._store.cached(name, write).read_bytes()))
        except (ValueError, TypeError):
            (self._store.cache / name[:2] / name).unlink(missing_ok=True)
            return Trust(**json.loads(self._store.cached(name, write).read_bytes()))


def copies(picture: SourcePicture) -> dict[int, NDArray[np.float16]]:
    """The reduced copies of a picture by their longer side, in half precision."""
    large = proxy(picture, BENCH_SIDE)
    return {BENCH_SIDE: to_half(large), SHEET_SIDE: to_half(reduced(large, SHEET_SIDE))}


def _noise(path: Path) -> Noise:
    found = json.loads(path.read_bytes())
    spectrum = found["spectrum"] and tuple(
        tuple(tuple(row) for row in plane) for plane in found["spectrum"]
    )
    return Noise(tuple(found["gain"]), tuple(found["floor"]), spectrum)


def _written(told: Mapping[str, Any]) -> Callable[[BinaryIO], None]:
    def write(file: BinaryIO) -> None:
        file.write(json.dumps(told).encode())

    return write


def _trust_name(sha256: str) -> str:
    return f"{sha256}-trust-{_TRUST_MAKE}.json"


def _name(sha256: str, side: int) -> str:
    return f"{sha256}-{side}-{_MAKE}.npy"


def _load(path: Path) -> NDArray[np.float32]:
    loaded: NDArray[Any] = np.load(path, allow_pickle=False)
    if loaded.dtype != np.float16 or loaded.ndim != 3:
        raise ValueError(f"{path.name} is no copy of a picture")
    os.utime(path)  # the cache drops what was longest unused
    return from_half(loaded)
