"""The joined picture's edge: cut to the largest rectangle, bent out to one, or kept as it is.

References
----------
K. He, H. Chang, J. Sun, "Rectangling Panoramic Images via Warping", ACM Transactions on Graphics 32
(2013): energies of shape and lines on a mesh. The mesh is placed by curves along the border in the
place of seam carving.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, Final

import cv2
import numpy as np
import scipy  # its parts are loaded when they are first asked for
from numpy.typing import NDArray

from oatmeal.core.colour import encode_srgb
from oatmeal.core.join.cameras import Cameras
from oatmeal.core.join.canvas import Canvas
from oatmeal.core.join.frames import Colour, Mask, Points
from oatmeal.core.join.kernels import largest

#: Cells of the mesh across and up.
ACROSS, UP = 40, 9

#: Weights of the lines' and the border's energies beside that of the cells' shape.
_LINES: Final = 100.0
_BORDER: Final = 1e4

#: Classes of direction whose lines turn together, and rounds of turning and solving.
_BINS: Final = 50
_ROUNDS: Final = 10

#: Coarse pixels that a bent border is taken from inside.
_INSET: Final = 2.0

#: Lines shorter than this share of the picture's height are no lines.
_SHORTEST: Final = 0.06


def bordered(canvas: Canvas, cameras: Cameras, border: str, look: Any) -> Canvas:
    """The canvas as its edge is wanted.

    Parameters
    ----------
    border : str
        ``crop``, ``bend`` or ``keep``.
    look : callable
        Gives the joined picture on a coarse canvas, float32 linear ``(h, w, 3)``: where its lines
        are, the mesh keeps them straight.
    """
    covered = canvas.covered(cameras)
    if border == "keep" or covered.all() or not covered.any():
        return canvas
    if border == "crop":
        return _cut(canvas, largest_rectangle(covered))
    rows, columns = np.flatnonzero(covered.any(axis=1)), np.flatnonzero(covered.any(axis=0))
    box = (int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1)
    whole = _cut(canvas, box, inset=False)
    covered = whole.covered(cameras)
    mesh = _placed(covered)
    height, width = covered.shape
    bent = _bent(mesh, width, height, _lines(look(whole)))
    grid = np.stack(np.meshgrid(np.arange(width), np.arange(height)), axis=-1)
    inverse = scipy.interpolate.CloughTocher2DInterpolator(bent.reshape(-1, 2), mesh.reshape(-1, 2))
    source = inverse(grid)
    lost = np.isnan(source)
    source[lost] = grid[lost]
    to_pixels = np.array([whole.width / width, whole.height / height])
    warp = ((source + 0.5) * to_pixels - 0.5).astype(np.float32)
    return replace(whole, warp=warp)


def _cut(canvas: Canvas, rectangle: tuple[int, int, int, int], *, inset: bool = True) -> Canvas:
    """A rectangle of coarse pixels, in the canvas's own; within their middles where it is inset."""
    x0, y0, x1, y1 = rectangle
    width, height = canvas.coarse
    across, up = canvas.width / width, canvas.height / height
    inner = (across / 2 + 1, up / 2 + 1) if inset else (0.0, 0.0)
    left, top = int(np.ceil(x0 * across + inner[0])), int(np.ceil(y0 * up + inner[1]))
    right, bottom = int(x1 * across - inner[0]), int(y1 * up - inner[1])
    right, bottom = (
        min(canvas.width, max(left + 1, right)),
        min(canvas.height, max(top + 1, bottom)),
    )
    return canvas.cut((left, top, right, bottom))


def largest_rectangle(mask: Mask) -> tuple[int, int, int, int]:
    """The largest rectangle of ones, ``x0, y0, x1, y1``: histograms of columns and a stack.

    Examples
    --------
    >>> largest_rectangle(np.array([[0, 1, 1], [1, 1, 1], [0, 1, 0]], bool))
    (1, 0, 3, 2)
    """
    x0, y0, x1, y1 = largest(np.ascontiguousarray(mask))
    return int(x0), int(y0), int(x1), int(y1)


def _placed(mask: Mask) -> Points:
    """The mesh ``(UP + 1, ACROSS + 1, 2)`` over what is covered: its border lies on the edge."""
    height, width = mask.shape
    rows, columns = np.nonzero(mask)

    def corner(x: float, y: float) -> Points:
        nearest = ((columns - x) ** 2 + (rows - y) ** 2).argmin()
        return np.array([columns[nearest], rows[nearest]], dtype=float)

    corners = [
        corner(x, y) for y in (0, height - 1) for x in (0, width - 1)
    ]  # top left, top right, bottom left, bottom right
    flip_y, flip_x = np.array([0.0, height - 1]), np.array([width - 1, 0.0])
    top = _curve(mask, corners[0], corners[1], ACROSS)
    bottom = _curve(
        mask[::-1], _flipped(corners[2], flip_y, 1), _flipped(corners[3], flip_y, 1), ACROSS
    )
    bottom = _flipped(bottom, flip_y, 1)
    turned = np.ascontiguousarray(mask.T)
    left = _curve(turned, corners[0][::-1], corners[2][::-1], UP)[:, ::-1]
    right = _curve(
        turned[::-1],
        _flipped(corners[1], flip_x, 0)[::-1],
        _flipped(corners[3], flip_x, 0)[::-1],
        UP,
    )[:, ::-1]
    right = _flipped(right, flip_x, 0)
    return _coons(top, bottom, left, right)


def _flipped(places: Points, about: Points, axis: int) -> Points:
    found = np.array(places, dtype=float)
    found[..., axis] = about[axis] - found[..., axis]
    return found


def _curve(mask: Mask, start: Points, end: Points, count: int) -> Points:
    """Along the upper edge of what is covered, from one corner to another, a little inside."""
    height, width = mask.shape
    first = np.where(mask.any(axis=0), mask.argmax(axis=0), height).astype(float)
    first[first >= height] = first[first < height].min()
    x = np.linspace(start[0], end[0], count + 1)
    reach = 0.75 * width / count
    y = [first[int(max(0, p - reach)) : int(min(width, p + reach + 1))].max() for p in x]
    curve = np.stack([x, np.minimum(np.array(y) + _INSET, height * 0.45)], axis=1)
    curve[0], curve[-1] = start + _INSET * np.sign(end - start), end
    curve[0, 1], curve[-1, 1] = start[1] + _INSET, end[1] + _INSET
    return curve


def _coons(top: Points, bottom: Points, left: Points, right: Points) -> Points:
    """A mesh between four curves: Coons' patch, then evened (Laplace)."""
    for one, at in ((left, 0), (right, -1)):  # a corner belongs to both of its curves
        corner_top, corner_bottom = (top[at] + one[0]) / 2, (bottom[at] + one[-1]) / 2
        top[at] = one[0] = corner_top
        bottom[at] = one[-1] = corner_bottom
    u = np.linspace(0, 1, len(top))[None, :, None]
    v = np.linspace(0, 1, len(left))[:, None, None]
    mesh = (1 - v) * top[None] + v * bottom[None] + (1 - u) * left[:, None] + u * right[:, None]
    mesh -= (1 - u) * ((1 - v) * top[0] + v * bottom[0]) + u * ((1 - v) * top[-1] + v * bottom[-1])
    mesh[0], mesh[-1], mesh[:, 0], mesh[:, -1] = top, bottom, left, right
    for _ in range(200):
        mesh[1:-1, 1:-1] = 0.25 * (
            mesh[:-2, 1:-1] + mesh[2:, 1:-1] + mesh[1:-1, :-2] + mesh[1:-1, 2:]
        )
    return np.asarray(mesh)


@dataclass(frozen=True)
class _Piece:
    """A piece of a line inside the mesh: corners and weights of its ends, way, class."""

    corners: tuple[Points, Points]
    weights: tuple[Points, Points]
    way: Points
    group: int


def _bent(mesh: Points, width: int, height: int, lines: Points) -> Points:
    """Where the mesh's vertices go, so that its border is the rectangle."""
    up, across = mesh.shape[0] - 1, mesh.shape[1] - 1
    index = np.arange(mesh.shape[0] * mesh.shape[1]).reshape(up + 1, across + 1)
    shape = _shape_energy(mesh.reshape(-1, 2), index)
    held, held_at = _border_energy(index, width, height)
    pieces = _pieces(mesh, lines, width / across)

    def solved(angles: Points) -> Points:
        parts, wanted = [shape, held], [np.zeros(shape.shape[0]), held_at]
        if pieces:
            parts.append(_line_energy(pieces, angles, index.size))
            wanted.append(np.zeros(parts[-1].shape[0]))
        system = scipy.sparse.vstack(parts).tocsr()
        normal = (system.T @ system).tocsc()
        return np.asarray(
            scipy.sparse.linalg.spsolve(normal, system.T @ np.concatenate(wanted))
        ).reshape(-1, 2)

    angles = np.zeros(_BINS)
    placed = solved(angles)
    for _ in range(_ROUNDS if pieces else 0):
        total, count = np.zeros(_BINS), np.zeros(_BINS)
        for piece in pieces:
            here, there = (
                weight @ placed[corner]
                for corner, weight in zip(piece.corners, piece.weights, strict=True)
            )
            way = there - here
            turned = np.arctan2(way[1], way[0]) - np.arctan2(piece.way[1], piece.way[0])
            total[piece.group] += (turned + np.pi / 2) % np.pi - np.pi / 2
            count[piece.group] += 1
        angles = total / np.maximum(count, 1)
        placed = solved(angles)
    found = placed.reshape(up + 1, across + 1, 2)
    found[:, 0, 0], found[:, -1, 0] = 0, width - 1  # exactly
    found[0, :, 1], found[-1, :, 1] = 0, height - 1
    return found


def _shape_energy(vertices: Points, index: NDArray[np.int_]) -> Any:
    """Each cell keeps its shape up to a similarity (He, Chang, Sun, equation 2)."""
    cells = np.stack(
        [index[:-1, :-1], index[:-1, 1:], index[1:, :-1], index[1:, 1:]], axis=-1
    ).reshape(-1, 4)
    rows, columns, values = [], [], []
    weight = 1 / np.sqrt(len(cells))
    for number, cell in enumerate(cells):
        x, y = vertices[cell].T
        system = np.zeros((8, 4))
        system[0::2] = np.stack([x, -y, np.ones(4), np.zeros(4)], axis=1)
        system[1::2] = np.stack([y, x, np.zeros(4), np.ones(4)], axis=1)
        away = system @ np.linalg.pinv(system) - np.eye(8)
        own = np.stack([cell * 2, cell * 2 + 1], axis=1).ravel()
        rows.append(np.repeat(np.arange(8) + 8 * number, 8))
        columns.append(np.tile(own, 8))
        values.append(away.ravel() * weight)
    where = (np.concatenate(rows), np.concatenate(columns))
    return scipy.sparse.coo_matrix(
        (np.concatenate(values), where), shape=(8 * len(cells), 2 * index.size)
    )


def _border_energy(index: NDArray[np.int_], width: int, height: int) -> tuple[Any, Points]:
    sides = (
        (2 * index[:, 0], 0.0),
        (2 * index[:, -1], width - 1.0),
        (2 * index[0] + 1, 0.0),
        (2 * index[-1] + 1, height - 1.0),
    )
    columns = np.concatenate([places for places, _ in sides])
    wanted = np.concatenate([np.full(len(places), value) for places, value in sides])
    weight = np.sqrt(_BORDER / len(columns))
    where = (np.arange(len(columns)), columns)
    held = scipy.sparse.coo_matrix(
        (np.full(len(columns), weight), where), shape=(len(columns), 2 * index.size)
    )
    return held, wanted * weight


def _line_energy(pieces: list[_Piece], angles: Points, count: int) -> Any:
    """Pieces of one class turn alike (He, Chang, Sun, equations 4 to 6)."""
    rows, columns, values = [], [], []
    weight = np.sqrt(_LINES / len(pieces))
    row = 0
    for piece in pieces:
        c, s = np.cos(angles[piece.group]), np.sin(angles[piece.group])
        turn = np.array([[c, -s], [s, c]])
        way = piece.way[:, None]
        away = turn @ way @ np.linalg.pinv(way.T @ way) @ way.T @ turn.T - np.eye(2)
        for line in away:
            for corner, share, sign in zip(piece.corners, piece.weights, (-1, 1), strict=True):
                for axis in (0, 1):
                    rows.append(np.full(4, row))
                    columns.append(2 * corner + axis)
                    values.append(weight * sign * share * line[axis])
            row += 1
    where = (np.concatenate(rows), np.concatenate(columns))
    return scipy.sparse.coo_matrix((np.concatenate(values), where), shape=(row, 2 * count))


def _lines(light: Colour) -> Points:
    """Segments ``(n, 4)`` of straight edges, in coarse pixels."""
    grey = (encode_srgb(np.clip(light.mean(axis=-1), 0, 1)) * 255).astype(np.uint8)
    found = cv2.createLineSegmentDetector().detect(grey)[0]
    if found is None:
        return np.empty((0, 4))
    segments = np.asarray(found, dtype=float).reshape(-1, 4)
    lengths = np.hypot(segments[:, 2] - segments[:, 0], segments[:, 3] - segments[:, 1])
    return np.asarray(segments[lengths > _SHORTEST * grey.shape[0]])


def _pieces(mesh: Points, lines: Points, cell: float) -> list[_Piece]:
    """Lines in pieces of half a cell, each end told by the corners of its cell."""
    pieces = []
    for x1, y1, x2, y2 in lines:
        count = max(2, int(np.hypot(x2 - x1, y2 - y1) / (cell / 2)) + 1)
        places = np.linspace([x1, y1], [x2, y2], count)
        group = min(_BINS - 1, int(np.arctan2(y2 - y1, x2 - x1) % np.pi / np.pi * _BINS))
        found = [_located(place, mesh) for place in places]
        for (one, other), (here, there) in zip(pairwise(found), pairwise(places), strict=True):
            if one is not None and other is not None:
                pieces.append(_Piece((one[0], other[0]), (one[1], other[1]), there - here, group))
    return pieces


def _located(place: Points, mesh: Points) -> tuple[Points, Points] | None:
    """Corners of the cell that a place lies in, and their weights (inverse bilinear, Newton)."""
    up, across = mesh.shape[0] - 1, mesh.shape[1] - 1
    j, i = np.unravel_index(((mesh - place) ** 2).sum(axis=-1).argmin(), mesh.shape[:2])
    for a in (int(j) - 1, int(j)):
        for b in (int(i) - 1, int(i)):
            if not (0 <= a < up and 0 <= b < across):
                continue
            cell = np.array([mesh[a, b], mesh[a, b + 1], mesh[a + 1, b], mesh[a + 1, b + 1]])
            at = np.array([0.5, 0.5])
            for _ in range(8):
                u, v = at
                weights = np.array([(1 - u) * (1 - v), u * (1 - v), (1 - u) * v, u * v])
                slope = np.stack(
                    [
                        (1 - v) * (cell[1] - cell[0]) + v * (cell[3] - cell[2]),
                        (1 - u) * (cell[2] - cell[0]) + u * (cell[3] - cell[1]),
                    ],
                    axis=1,
                )
                if abs(np.linalg.det(slope)) < 1e-9:
                    break
                at = at - np.linalg.solve(slope, weights @ cell - place)
            if (at > -0.01).all() and (at < 1.01).all():
                u, v = at
                weights = np.array([(1 - u) * (1 - v), u * (1 - v), (1 - u) * v, u * v])
                first = a * (across + 1) + b
                return np.array([first, first + 1, first + across + 1, first + across + 2]), weights
    return None
