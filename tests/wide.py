"""Small frames of the demo's wide view, whose true places are known."""

from __future__ import annotations

import sys
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from samples import DEMO, kept, linear_of

from oatmeal.core.join import Frame
from oatmeal.core.picture import ArrayPicture

sys.path.insert(0, str(DEMO / "scenes"))
import wide_meadow as scene

#: Frames, and pixels a radian of what they are cut from.
SIZE = (750, 500)
PPR = 1000.0


SHOTS = [
    scene.Shot(0.98 * SIZE[0], *SIZE, yaw, pitch, roll, -0.03)
    for yaw, pitch, roll, _ in scene.TAKEN
]


def larkmoor_wide() -> dict[str, NDArray[Any]]:
    painted = scene.view(PPR)
    shots = zip(SHOTS, scene.TAKEN, strict=True)
    codes = [
        scene.take(painted, shot, PPR, stops, 0.45, 0.004, n)
        for n, (shot, (*_, stops)) in enumerate(shots)
    ]
    return {"painted": painted, "codes": np.stack(codes)}


@cache
def made() -> dict[str, NDArray[Any]]:
    return kept(larkmoor_wide, Path(scene.__file__), Path(__file__))


def painted() -> NDArray[np.float32]:
    return made()["painted"]


def taken() -> tuple[list[scene.Shot], list[NDArray[np.uint8]]]:
    """The demo's four frames, smaller: how each was taken, and its codes."""
    return SHOTS, list(made()["codes"])


@cache
def small() -> list[NDArray[np.uint8]]:
    """Their codes at 480 x 320, where nobody asks how exactly they lie."""
    return [cv2.resize(one, (480, 320), interpolation=cv2.INTER_AREA) for one in taken()[1]]


def frame(name: str, codes: NDArray[np.uint8]) -> Frame:
    return Frame.of(name, ArrayPicture(linear_of(codes)))


def off_places(found, shots) -> float:
    """Root mean square of the pixels by which places that two frames share are off."""
    off = []
    for i, j in found.links:
        grid = np.stack(
            np.meshgrid(np.linspace(8, SIZE[0] - 9, 40), np.linspace(8, SIZE[1] - 9, 30)), axis=-1
        ).reshape(-1, 2)
        true = shots[j].places(shots[i].rays(grid))
        inside = ((true > 4) & (true < np.array(SIZE) - 5)).all(axis=1)
        own = found.cameras[j].places(found.cameras[i].rays(grid[inside]))
        off.append(((own - true[inside]) ** 2).sum(axis=1))
    return float(np.sqrt(np.concatenate(off).mean()))
