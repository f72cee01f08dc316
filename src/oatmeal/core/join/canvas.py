"""What the view is laid on: plane, cylinder or sphere; levelled, turned, cut or bent.

References
----------
M. Brown, D. G. Lowe, "Automatic Panoramic Image Stitching using Invariant Features", IJCV 74
(2007), section 5, for the level.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final, Protocol

import numpy as np

from oatmeal.core.join.cameras import Camera, Cameras
from oatmeal.core.join.frames import Mask, Points

#: Degrees that a plane, and the height that a cylinder, may hold.
PLANE_HOLDS: Final = 70.0
CYLINDER_HOLDS: Final = 75.0

#: Degrees beyond which a plane or cylinder cannot be asked for.
FLAT_MOST: Final = 140.0

#: Longer side of the copies on which light, seams and blending are found.
COARSE_SIDE: Final = 1200

#: Pixels between places that are computed; those between are interpolated.
STEP: Final = 16


class Surface(Protocol):
    """A projection: between directions and places on the unrolled surface, in focal lengths."""

    name: str

    def onto(self, rays: Points) -> Points: ...

    def back(self, places: Points) -> Points: ...


class Plane:
    """Straight lines stay straight."""

    name = "plane"

    def onto(self, rays: Points) -> Points:
        return np.asarray(rays[..., :2] / np.maximum(rays[..., 2:], 0.02))

    def back(self, places: Points) -> Points:
        return np.concatenate([places, np.ones_like(places[..., :1])], axis=-1)


class Cylinder:
    """Uprights stay upright."""

    name = "cylinder"

    def onto(self, rays: Points) -> Points:
        around = np.arctan2(rays[..., 0], rays[..., 2])
        out = np.maximum(np.hypot(rays[..., 0], rays[..., 2]), 1e-9)
        return np.stack([around, rays[..., 1] / out], axis=-1)

    def back(self, places: Points) -> Points:
        around, up = places[..., 0], places[..., 1]
        return np.stack([np.sin(around), up, np.cos(around)], axis=-1)


class Sphere:
    """Any view."""

    name = "sphere"

    def onto(self, rays: Points) -> Points:
        around = np.arctan2(rays[..., 0], rays[..., 2])
        up = np.arctan2(rays[..., 1], np.hypot(rays[..., 0], rays[..., 2]))
        return np.stack([around, up], axis=-1)

    def back(self, places: Points) -> Points:
        around, up = places[..., 0], places[..., 1]
        out = np.cos(up)
        return np.stack([np.sin(around) * out, np.sin(up), np.cos(around) * out], axis=-1)


SURFACES: Final[dict[str, Surface]] = {
    "plane": Plane(), "cylinder": Cylinder(), "sphere": Sphere(),
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class Canvas:
    """The joined picture's own pixels.

    Attributes
    ----------
    surface : Surface
    scale : float
        Pixels for one focal length of the surface.
    left, top : float
        Where the first pixel's middle lies on the surface, in pixels.
    width, height : int
    warp : float32 (h, w, 2), optional
        Of a bent border: for places on a coarse grid, the place on the surface, in pixels from
        ``left``, ``top``.
    """

    surface: Surface
    scale: float
    left: float
    top: float
    width: int
    height: int
    warp: Points | None = None

    @property
    def reduction(self) -> float:
        """Pixels of this for one of the coarse copies."""
        return max(1.0, max(self.width, self.height) / COARSE_SIDE)

    @property
    def coarse(self) -> tuple[int, int]:
        """Width and height of the coarse copies."""
        return (
            max(1, round(self.width / self.reduction)),
            max(1, round(self.height / self.reduction)),
        )

    def rays(self, places: Points) -> Points:
        """Directions of places ``(..., 2)`` in pixels."""
        if self.warp is not None:
            places = self._unbent(places)
        return self.surface.back((places + np.array([self.left, self.top])) / self.scale)

    def _unbent(self, places: Points) -> Points:
        warp = np.asarray(self.warp, dtype=np.float32)
        rows, columns = warp.shape[:2]
        flat = places.reshape(-1, 2)
        x = (flat[:, 0] + 0.5) / self.width * columns - 0.5
        y = (flat[:, 1] + 0.5) / self.height * rows - 0.5
        inner_x, inner_y = np.clip(x, 0, columns - 1), np.clip(y, 0, rows - 1)
        # float64 and by hand: remap's weights have but five bits
        x0 = np.minimum(inner_x.astype(int), max(columns - 2, 0))
        y0 = np.minimum(inner_y.astype(int), max(rows - 2, 0))
        fx, fy = (x - x0)[:, None], (y - y0)[:, None]  # straight on beyond the edge
        x1, y1 = np.minimum(x0 + 1, columns - 1), np.minimum(y0 + 1, rows - 1)
        found = (
            warp[y0, x0] * (1 - fx) * (1 - fy)
            + warp[y0, x1] * fx * (1 - fy)
            + warp[y1, x0] * (1 - fx) * fy
            + warp[y1, x1] * fx * fy
        )
        return np.asarray(found.reshape(places.shape))

    def cut(self, rectangle: tuple[int, int, int, int]) -> Canvas:
        """A part of it: ``x0, y0, x1, y1``."""
        x0, y0, x1, y1 = rectangle
        return replace(self, left=self.left + x0, top=self.top + y0, width=x1 - x0, height=y1 - y0)

    def scaled(self, factor: float) -> Canvas:
        """The same view in other pixels; only of a canvas that is not bent."""
        width, height = max(1, round(self.width * factor)), max(1, round(self.height * factor))
        return replace(
            self,
            scale=self.scale * factor,
            left=(self.left - 0.5) * factor + 0.5,
            top=(self.top - 0.5) * factor + 0.5,
            width=width,
            height=height,
        )

    def coarse_places(self) -> Points:
        """Places ``(h, w, 2)`` of the coarse copies' pixels."""
        width, height = self.coarse
        x = (np.arange(width) + 0.5) * (self.width / width) - 0.5
        y = (np.arange(height) + 0.5) * (self.height / height) - 0.5
        return np.stack(np.meshgrid(x, y), axis=-1)

    def covered(self, cameras: Cameras) -> Mask:
        """Which coarse pixels some frame covers, bool ``(h, w)``."""
        rays = self.rays(self.coarse_places())
        width, height = self.coarse
        found = np.zeros((height, width), dtype=bool)
        for camera in cameras.values():
            found |= within(camera, camera.places(rays))
        return found


def within(camera: Camera, places: Points) -> Mask:
    """True for places that lie in the frame."""
    x, y = places[..., 0], places[..., 1]
    found: Mask = (x > -0.5) & (y > -0.5) & (x < camera.width - 0.5) & (y < camera.height - 0.5)
    return found


def levelled(cameras: Cameras) -> Cameras:
    """The world turned so that up is up, and the view's middle lies ahead.

    Up is what the cameras' own horizontals are least along (Brown, Lowe); of cameras that turned
    about hardly any upright, the mean of their own.
    """
    across = np.array([camera.rotation[:, 0] for camera in cameras.values()])
    mean = np.mean([camera.rotation[:, 1] for camera in cameras.values()], axis=0)
    strengths, axes = np.linalg.eigh(across.T @ across)
    down = axes[:, 0]
    if len(cameras) < 2 or strengths[1] < 1e-3 or abs(down @ mean) < 0.5 * np.linalg.norm(mean):
        down = mean / np.linalg.norm(mean)
    if down @ mean < 0:
        down = -down
    ahead = np.mean([camera.rotation[:, 2] for camera in cameras.values()], axis=0)
    ahead = ahead - down * (ahead @ down)
    ahead /= np.linalg.norm(ahead)
    turn = np.stack([np.cross(down, ahead), down, ahead])
    level = {k: camera.turned(turn) for k, camera in cameras.items()}
    around = [np.arctan2(*camera.rays(camera.edge()).T[[0, 2]]) for camera in level.values()]
    middle = (min(a.min() for a in around) + max(a.max() for a in around)) / 2
    return {
        k: camera.turned(turning(yaw=-float(np.degrees(middle)))) for k, camera in level.items()
    }


def turning(yaw: float = 0.0, pitch: float = 0.0, roll: float = 0.0) -> Points:
    """A rotation by degrees: aside (to the right), up, and about the view's middle (clockwise)."""
    a, b, c = np.radians([yaw, pitch, roll])
    aside = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
    up = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    about = np.array([[np.cos(c), -np.sin(c), 0], [np.sin(c), np.cos(c), 0], [0, 0, 1]])
    return np.asarray(about @ up @ aside)


def extent(cameras: Cameras) -> tuple[float, float]:
    """Degrees across and up that the frames cover together."""
    rays = np.concatenate([camera.rays(camera.edge()) for camera in cameras.values()])
    places = SURFACES["sphere"].onto(rays)
    across, up = np.degrees(np.ptp(places, axis=0))
    return float(across), float(up)


def chosen(cameras: Cameras, projection: str) -> Surface:
    """The surface that is wanted, or with ``auto`` the first that holds the view.

    A plane cannot hold what lies aside, nor a cylinder what lies above: the next one is taken.
    """
    across, up = extent(cameras)
    plane, cylinder = (PLANE_HOLDS, CYLINDER_HOLDS) if projection == "auto" else (FLAT_MOST,) * 2
    if projection in ("auto", "plane") and across <= plane and up <= plane:
        return SURFACES["plane"]
    if projection != "sphere" and up <= cylinder:
        return SURFACES["cylinder"]
    return SURFACES["sphere"]


def laid(cameras: Cameras, surface: Surface, most_pixels: int) -> Canvas:
    """A canvas that holds all frames at their own size, or smaller where it would be too large."""
    focal = float(np.median([camera.focal for camera in cameras.values()]))
    edges = np.concatenate(
        [surface.onto(camera.rays(camera.edge())) * focal for camera in cameras.values()]
    )
    low, high = edges.min(axis=0), edges.max(axis=0)
    width, height = np.ceil(high - low)
    shrunk = min(1.0, float(np.sqrt(most_pixels / (width * height))))
    width, height = (max(1, int(side * shrunk)) for side in (width, height))
    left, top = (float(side) * shrunk + 0.5 for side in low)
    return Canvas(surface, focal * shrunk, left, top, width, height)


def coarse_map(canvas: Canvas, camera: Camera, rectangle: tuple[int, int, int, int]) -> Points:
    """Places ``(rows, columns, 2)`` in the frame every :data:`STEP` pixels of a part of the canvas.

    The grid begins one step before the part ``x0, y0, x1, y1`` and ends beyond it.
    """
    x0, y0, x1, y1 = rectangle
    x = np.arange(x0 - STEP, x1 + 2 * STEP, STEP, dtype=np.float64)
    y = np.arange(y0 - STEP, y1 + 2 * STEP, STEP, dtype=np.float64)
    return camera.places(canvas.rays(np.stack(np.meshgrid(x, y), axis=-1)))
