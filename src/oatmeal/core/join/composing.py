"""The joined picture at full size, strip by strip: each pixel is sampled once from its frame."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.join import kernels
from oatmeal.core.join.cameras import Cameras
from oatmeal.core.join.canvas import STEP, Canvas, coarse_map
from oatmeal.core.join.frames import Colour, Frame, Mask, Plane, Points
from oatmeal.core.join.lighting import Light, off_middle
from oatmeal.core.join.seams import Labels

#: Side of the squares that are composed, and deviation of a seam's soft edge, in pixels.
TILE: Final = 1024
SOFT_PX: Final = 6.0

#: Pixels round a square that its soft edges reach.
_MARGIN: Final = 3 * int(SOFT_PX) + 2

#: Pixels round a place that cubic sampling reads.
_READ: Final = 4

#: From linear light with sRGB's primaries to BT.2020's (ITU-R BT.2087-0, section 3, inverted);
#: both white points are D65.
TO_WIDE: Final = np.array(
    [[0.6274, 0.3293, 0.0433], [0.0691, 0.9195, 0.0114], [0.0164, 0.0880, 0.8956]],
    dtype=np.float32,
)


@dataclass(frozen=True, eq=False)
class Composer:
    """Everything that composing needs.

    Attributes
    ----------
    corrections : dict of int to float32 (h, w, 3)
        What the blend adds to each frame, on the square root of light, coarse.
    wide : bool
        Codes with BT.2020's primaries; otherwise with sRGB's.
    """

    frames: Sequence[Frame]
    cameras: Cameras
    canvas: Canvas
    light: Light
    labels: Labels
    corrections: dict[int, Colour]
    wide: bool = False

    def strips(self) -> Iterator[NDArray[np.uint16]]:
        """Codes ``(rows, width, 3)`` from the top down, at most :data:`TILE` rows each."""
        for top in range(0, self.canvas.height, TILE):
            bottom = min(self.canvas.height, top + TILE)
            strip = np.zeros((bottom - top, self.canvas.width, 3), dtype=np.uint16)
            for left in range(0, self.canvas.width, TILE):
                right = min(self.canvas.width, left + TILE)
                strip[:, left:right] = self._tile(left, top, right, bottom)
            yield strip

    def _tile(self, left: int, top: int, right: int, bottom: int) -> NDArray[np.uint16]:
        outer = (left - _MARGIN, top - _MARGIN, right + _MARGIN, bottom + _MARGIN)
        inner = np.s_[_MARGIN : _MARGIN + bottom - top, _MARGIN : _MARGIN + right - left]
        parts = {}
        for k in self._named(outer):
            part = self._warped(k, outer)
            if part is not None:
                parts[k] = part
        if not parts:
            return np.zeros((bottom - top, right - left, 3), dtype=np.uint16)
        weights, there = self._weights(parts, outer)
        total = np.zeros((outer[3] - outer[1], outer[2] - outer[0], 3), dtype=np.float32)
        across, up = self._reduction
        first = (outer[0] + 0.5) / across - 0.5, (outer[1] + 0.5) / up - 0.5
        laid = (1 / across, 1 / up, *first)
        for k, (root, gain, _) in parts.items():
            kernels.add(total, root, gain, self.corrections[k], laid, weights[k])
        return kernels.coded(total[inner], there[inner])

    def _named(self, outer: tuple[int, int, int, int]) -> list[int]:
        """The frames whose labels lie in a part."""
        across, up = self._reduction
        x0, y0, x1, y1 = outer
        rows = slice(max(0, int(y0 / up) - 2), max(0, int(y1 / up) + 3))
        columns = slice(max(0, int(x0 / across) - 2), max(0, int(x1 / across) + 3))
        found = np.unique(self.labels[rows, columns])
        return [int(k) for k in found if k >= 0]

    @property
    def _reduction(self) -> tuple[float, float]:
        height, width = self.labels.shape
        return self.canvas.width / width, self.canvas.height / height

    def _warped(
        self, k: int, outer: tuple[int, int, int, int]
    ) -> tuple[Colour, Plane, Mask] | None:
        """A frame's root of light in a part, the gains' root, and where it has pixels."""
        frame, camera = self.frames[k], self.cameras[k]
        places = coarse_map(self.canvas, camera, outer)
        gain = np.sqrt(self.light.factor(k, off_middle(camera, places)))
        grid = np.concatenate([places, gain[..., None]], axis=-1).astype(np.float32)
        shape = outer[3] - outer[1], outer[2] - outer[0]
        x0, x1 = _reach(places[..., 0], frame.width)
        y0, y1 = _reach(places[..., 1], frame.height)
        at, gains, there = kernels.spread(
            grid, STEP, (frame.width, frame.height), (x0, y0, x1, y1), shape
        )
        if not there.any():
            return None
        root = kernels.rooted(frame.picture.linear(x0, y0, x1 - x0, y1 - y0), self._primaries)
        sampled = cv2.remap(root, at[0], at[1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(sampled, np.float32), gains, there

    @property
    def _primaries(self) -> Colour:
        return TO_WIDE if self.wide else np.eye(3, dtype=np.float32)

    def _weights(
        self, parts: dict[int, tuple[Colour, Plane, Mask]], outer: tuple[int, int, int, int]
    ) -> tuple[dict[int, Plane], Mask]:
        """How much of each frame every pixel has, and where there is any."""
        names = list(parts)
        if len(names) == 1:
            there = parts[names[0]][2]
            return {names[0]: there.astype(np.float32)}, there
        shape = parts[names[0]][2].shape
        most, first = np.zeros(shape, np.float32), np.full(shape, -1, np.int8)
        for n, k in enumerate(names):
            claim = self._up((self.labels == k).astype(np.float32), outer) + np.float32(1e-3)
            better = (claim > most) & parts[k][2]
            first[better] = n
            np.copyto(most, claim, where=better)
        weights, total = {}, np.full(shape, 1e-6, np.float32)
        for n, k in enumerate(names):
            soft = cv2.GaussianBlur((first == n).astype(np.float32), (0, 0), SOFT_PX)
            weights[k] = np.asarray(soft, np.float32) * parts[k][2]
            total += weights[k]
        return {k: weight / total for k, weight in weights.items()}, first >= 0

    def _up(self, coarse: Any, outer: tuple[int, int, int, int]) -> Any:
        """A part of a coarse plane or picture at full size."""
        across, up = self._reduction
        x0, y0, x1, y1 = outer
        height, width = coarse.shape[:2]
        left = min(width - 1, max(0, int((x0 + 0.5) / across - 0.5) - 2))
        top = min(height - 1, max(0, int((y0 + 0.5) / up - 0.5) - 2))
        right = min(width, max(left + 1, int(x1 / across) + 4))
        bottom = min(height, max(top + 1, int(y1 / up) + 4))
        matrix = np.array(
            [
                [1 / across, 0, (x0 + 0.5) / across - 0.5 - left],
                [0, 1 / up, (y0 + 0.5) / up - 0.5 - top],
            ]
        )
        return cv2.warpAffine(
            np.ascontiguousarray(coarse[top:bottom, left:right]), matrix, (x1 - x0, y1 - y0),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE,
        )  # fmt: skip


def _reach(places: Points, size: int) -> tuple[int, int]:
    """The pixels of one axis that sampling at places reads."""
    low = min(size - 1, max(0, int(np.floor(places.min())) - _READ))
    high = min(size, int(np.ceil(places.max())) + _READ + 1)
    return low, max(low + 1, high)
