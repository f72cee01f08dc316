"""Compiled loops of Areas: painting, shapes, what is read between the cells of a small picture."""

from __future__ import annotations

import math
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.lanes import at
from oatmeal.core.loops import parallel, rows_of

_f = np.float32

#: Pixels between the nodes of a chart.
STEP: Final = 16

#: Farther than any distance.
_FAR = _f(1e9)

Plane = NDArray[np.float32]
Points = NDArray[np.float64]


@parallel
def _paint(chunk, points, starts, brushes, likeness, left, top, out):  # type: ignore[no-untyped-def]
    height, width = out.shape
    count = starts.shape[0] - 1
    boxes = np.empty((count, 4))
    for s in range(count):
        boxes[s, 0], boxes[s, 1], boxes[s, 2], boxes[s, 3] = 1e9, -1e9, 1e9, -1e9
        for i in range(starts[s], starts[s + 1]):
            x, y, r = points[i, 0], points[i, 1], points[i, 2]
            boxes[s, 0] = min(boxes[s, 0], x - r)
            boxes[s, 1] = max(boxes[s, 1], x + r)
            boxes[s, 2] = min(boxes[s, 2], y - r)
            boxes[s, 3] = max(boxes[s, 3], y + r)
    far = np.empty(width, np.float32)
    press = np.empty(width, np.float32)
    for row in rows_of(chunk, height):
        y = row + top + 0.5
        line = out[row]
        for s in range(count):
            if y < boxes[s, 2] or y > boxes[s, 3]:
                continue
            low = max(0, math.floor(boxes[s, 0] - left - 0.5))
            high = min(width, math.ceil(boxes[s, 1] - left + 0.5))
            if high <= low:
                continue
            for x in range(low, high):
                far[x] = _FAR
                press[x] = _f(1.0)
            last = starts[s + 1] - 1
            for i in range(starts[s], max(last, starts[s] + 1)):
                j = min(i + 1, last)
                ax, ay, bx, by = points[i, 0], points[i, 1], points[j, 0], points[j, 1]
                most = max(points[i, 2], points[j, 2])
                if y < min(ay, by) - most or y > max(ay, by) + most:
                    continue
                begin, end = 1e9, -1e9
                if (y - ay) ** 2 < most * most:
                    half = math.sqrt(most * most - (y - ay) ** 2)
                    begin, end = min(begin, ax - half), max(end, ax + half)
                if (y - by) ** 2 < most * most:
                    half = math.sqrt(most * most - (y - by) ** 2)
                    begin, end = min(begin, bx - half), max(end, bx + half)
                vx, vy = bx - ax, by - ay
                square = vx * vx + vy * vy
                if abs(vy) > 1e-9:
                    length = math.sqrt(square)
                    for side in (-1.0, 1.0):
                        nx, ny = -vy / length * most * side, vx / length * most * side
                        t = (y - ay - ny) / vy
                        if 0.0 <= t <= 1.0:
                            begin, end = min(begin, ax + nx + t * vx), max(end, ax + nx + t * vx)
                first = max(low, math.floor(begin - left - 0.5))
                final = min(high, math.ceil(end - left + 0.5))
                if final <= first:
                    continue
                inverse = _f(1.0 / square if square > 0.0 else 0.0)
                fvx, fvy, fy = _f(vx), _f(vy), _f(y - ay)
                offset = _f(left + 0.5 - ax)
                one, more = _f(points[i, 2]), _f(points[j, 2] - points[i, 2])
                pressed, harder = _f(points[i, 3]), _f(points[j, 3] - points[i, 3])
                part, pushed = far[first:final], press[first:final]
                for x in range(final - first):
                    fx = _f(x + first) + offset
                    t = min(max((fx * fvx + fy * fvy) * inverse, _f(0.0)), _f(1.0))
                    dx, dy = fx - t * fvx, fy - t * fvy
                    radius = one + t * more
                    share = (dx * dx + dy * dy) / (radius * radius)
                    pushed[x] = pressed + t * harder if share < part[x] else pushed[x]
                    part[x] = min(part[x], share)
            hard, flow, most_of = _f(brushes[s, 0]), _f(brushes[s, 1]), _f(brushes[s, 2])
            soft = _f(1.0) / max(_f(1.0) - hard, _f(1e-3))
            for x in range(low, high):
                t = min(max((math.sqrt(far[x]) - hard) * soft, _f(0.0)), _f(1.0))
                coat = (_f(1.0) - t * t * (_f(3.0) - _f(2.0) * t)) * flow * press[x]
                coat *= at(likeness, row, x)
                line[x] += coat * (
                    -line[x] if brushes[s, 3] > 0.0 else max(most_of - line[x], _f(0.0))
                )


@parallel
def _enclosed(chunk, points, feather, left, top, out):  # type: ignore[no-untyped-def]
    height, width = out.shape
    count = points.shape[0]
    crossings = np.empty(count)
    for row in rows_of(chunk, height):
        y = row + top + 0.5
        far = np.full(width, _FAR, np.float32)
        found = 0
        for i in range(count):
            j = (i + 1) % count
            ax, ay, bx, by = points[i, 0], points[i, 1], points[j, 0], points[j, 1]
            if (ay <= y) != (by <= y):
                crossings[found] = ax + (y - ay) / (by - ay) * (bx - ax)
                found += 1
            if y < min(ay, by) - feather or y > max(ay, by) + feather:
                continue
            first = max(0, math.floor(min(ax, bx) - feather - left - 0.5))
            final = min(width, math.ceil(max(ax, bx) + feather - left + 0.5))
            vx, vy = _f(bx - ax), _f(by - ay)
            square = vx * vx + vy * vy
            inverse = _f(1.0) / square if square > _f(0.0) else _f(0.0)
            fy, offset = _f(y - ay), _f(left + 0.5 - ax)
            for x in range(first, final):
                fx = _f(x) + offset
                t = min(max((fx * vx + fy * vy) * inverse, _f(0.0)), _f(1.0))
                dx, dy = fx - t * vx, fy - t * vy
                far[x] = min(far[x], dx * dx + dy * dy)
        edges = np.sort(crossings[:found])
        inside, place = False, 0
        scale = _f(0.5 / feather)
        for x in range(width):
            while place < found and edges[place] <= x + left + 0.5:
                inside = not inside
                place += 1
            away = min(math.sqrt(far[x]) * scale, _f(0.5))
            t = _f(0.5) + (away if inside else -away)
            out[row, x] = t * t * (_f(3.0) - _f(2.0) * t)


@parallel
def _shaped(chunk, nodes, kind, numbers, left, top, out):  # type: ignore[no-untyped-def]
    height, width = out.shape
    a, b, c, d = numbers[0], numbers[1], numbers[2], numbers[3]
    e, g, feather = numbers[4], numbers[5], numbers[6]
    first = left // STEP
    count = (left + width - 1) // STEP - first + 1
    along, across = np.empty(count + 1, np.float32), np.empty(count + 1, np.float32)
    for row in rows_of(chunk, height):
        place = (row + top + 0.5) / STEP
        above = min(int(place), nodes.shape[0] - 2)
        down = _f(place - above)
        for i in range(count + 1):
            one, two = nodes[above, first + i], nodes[above + 1, first + i]
            px = one[0] + down * (two[0] - one[0]) - a
            py = one[1] + down * (two[1] - one[1]) - b
            along[i] = px * c + py * d
            across[i] = py * e - px * g
        line = out[row]
        for i in range(count):
            begin = max((first + i) * STEP - left, 0)
            end = min((first + i + 1) * STEP - left, width)
            part = line[begin:end]
            offset = (_f(begin + left - (first + i) * STEP) + _f(0.5)) * _f(1.0 / STEP)
            x0, dx = along[i], along[i + 1] - along[i]
            y0, dy = across[i], across[i + 1] - across[i]
            if kind == 0:  # fade: how far along its way
                for x in range(end - begin):
                    u = x0 + (offset + _f(x) * _f(1.0 / STEP)) * dx
                    u = min(max(u, _f(0.0)), _f(1.0))
                    part[x] = _f(1.0) - u * u * (_f(3.0) - _f(2.0) * u)
            else:  # ellipse: along its axes, over the radii
                for x in range(end - begin):
                    t = offset + _f(x) * _f(1.0 / STEP)
                    ex, ey = x0 + t * dx, y0 + t * dy
                    u = (math.sqrt(ex * ex + ey * ey) - _f(1.0)) / feather + _f(1.0)
                    u = min(max(u, _f(0.0)), _f(1.0))
                    part[x] = _f(1.0) - u * u * (_f(3.0) - _f(2.0) * u)


@parallel
def _guided(chunk, nodes, guide, fits, cells, corner, left, top, out):  # type: ignore[no-untyped-def]
    height, width = out.shape
    per = _f(1.0 / STEP)
    rows, columns = fits.shape[1], fits.shape[2]
    for row in rows_of(chunk, height):
        place = (row + top + 0.5) / STEP
        above = min(int(place), nodes.shape[0] - 2)
        down = _f(place - above)
        xs = nodes[above, :, 0] + down * (nodes[above + 1, :, 0] - nodes[above, :, 0])
        ys = nodes[above, :, 1] + down * (nodes[above + 1, :, 1] - nodes[above, :, 1])
        light, a_axis, b_axis = guide[0, row + top], guide[1, row + top], guide[2, row + top]
        for x in range(width):
            across = (_f(x + left) + _f(0.5)) * per
            i = min(int(across), nodes.shape[1] - 2)
            t = across - _f(i)
            px = (xs[i] + t * (xs[i + 1] - xs[i])) * cells - _f(0.5) - corner[0]
            py = (ys[i] + t * (ys[i + 1] - ys[i])) * cells - _f(0.5) - corner[1]
            px = min(max(px, _f(0.0)), _f(columns - 1))
            py = min(max(py, _f(0.0)), _f(rows - 1))
            x0, y0 = min(int(px), max(columns - 2, 0)), min(int(py), max(rows - 2, 0))
            x1, y1 = min(x0 + 1, columns - 1), min(y0 + 1, rows - 1)
            u, v = px - _f(x0), py - _f(y0)
            total = _f(0.0)
            for k in range(4):
                one = fits[k, y0, x0] + u * (fits[k, y0, x1] - fits[k, y0, x0])
                two = fits[k, y1, x0] + u * (fits[k, y1, x1] - fits[k, y1, x0])
                value = one + v * (two - one)
                if k == 0:
                    total += value * light[x + left]
                elif k == 1:
                    total += value * a_axis[x + left]
                elif k == 2:
                    total += value * b_axis[x + left]
                else:
                    total += value
            out[row, x] = min(max(total, _f(0.0)), _f(1.0))


@parallel
def _added(chunk, mask, weight, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, mask.shape[0]):
        for x in range(mask.shape[1]):
            out[y, x] += weight * _f(mask[y, x])


@parallel
def _stored(chunk, mask, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, mask.shape[0]):
        for x in range(mask.shape[1]):
            full = min(max(mask[y, x], _f(0.0)), _f(1.0)) * _f(65535.0) + _f(0.5)
            out[y, x] = np.uint16(np.int32(full))


@parallel
def _marked(chunk, mask, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, mask.shape[0]):
        for x in range(mask.shape[1]):
            out[y, x] |= np.uint8(mask[y, x] > 0)


def paint(
    points: Points,
    starts: NDArray[np.int64],
    brushes: Points,
    corner: tuple[int, int],
    out: Plane,
    likeness: Plane | None = None,
) -> None:
    """Lay strokes over a mask, one after the other, in place.

    One coat is ``p = flow * (1 - smoothstep(hardness, 1, distance / radius))``; painting brings the
    mask up by ``max(most - m, 0) * p``, erasing down by ``m * p``.

    Parameters
    ----------
    points : float64 (n, 4)
        Place in pixels, radius in pixels, and pressure, of all strokes.
    starts : int64 (s + 1,)
        Where each stroke begins among them.
    brushes : float64 (s, 4)
        Hardness, flow and most, 0 to 1, and 1 for what erases.
    corner : (x, y)
        Of ``out`` in the same pixels.
    out : float32 (h, w)
    likeness : float32 (h, w), optional
        Share of the paint that stays where it falls.
    """
    _paint(points, starts, brushes, _f(1.0) if likeness is None else likeness, *corner, out)


def enclosed(points: Points, feather: float, corner: tuple[int, int], out: Plane) -> None:
    """What a closed line encloses, fading over ``feather`` pixels to either side of it.

    Parameters
    ----------
    points : float64 (n, 2)
        In pixels.
    """
    _enclosed(points, float(feather), *corner, out)


def faded(
    nodes: Plane,
    begin: tuple[float, float],
    end: tuple[float, float],
    corner: tuple[int, int],
    out: Plane,
) -> None:
    """A smooth step from 1 at ``begin`` to 0 at ``end``, both in shares; ``nodes`` is a chart."""
    along = (end[0] - begin[0], end[1] - begin[1])
    square = max(along[0] ** 2 + along[1] ** 2, 1e-12)
    numbers = (*begin, along[0] / square, along[1] / square, 0.0, 0.0, 0.0)
    _shaped(nodes, 0, tuple(_f(value) for value in numbers), *corner, out)


def ellipse(
    nodes: Plane,
    centre: tuple[float, float],
    radii: tuple[float, float],
    angle_degrees: float,
    feather: float,
    corner: tuple[int, int],
    out: Plane,
) -> None:
    """1 inside an ellipse, falling to 0 at its edge over the share ``feather`` of its radii."""
    turn = math.radians(angle_degrees)
    cos, sin = math.cos(turn), math.sin(turn)
    axes = (cos / radii[0], sin / radii[0], cos / radii[1], sin / radii[1])
    numbers = tuple(_f(value) for value in (*centre, *axes, feather))
    _shaped(nodes, 1, numbers, *corner, out)


def guided(
    nodes: Plane,
    guide: Plane,
    fits: Plane,
    cells: float,
    cell: tuple[int, int],
    corner: tuple[int, int],
    out: Plane,
) -> None:
    """A plane of the small picture brought to pixels: linear in their OKLab, 0 to 1.

    Parameters
    ----------
    nodes : float32 (n, m, 2)
        The chart of the array.
    guide : float32 (3, H, W)
        OKLab of the array.
    fits : float32 (4, h, w)
        Factors on L, a and b, and what is added, in the cells of the small picture.
    cells : float
        Cells in the longer side.
    cell : (x, y)
        The first cell of ``fits``.
    """
    first = (_f(cell[0]), _f(cell[1]))
    _guided(nodes, guide, fits, _f(cells), first, *corner, out)


def add(mask: NDArray[Any], weight: float, out: Plane) -> None:
    """``out += weight * mask``."""
    _added(mask, _f(weight), out)


def stored(mask: Plane) -> NDArray[np.uint16]:
    """A mask, 0 to 1, as whole numbers to 65535."""
    out = np.empty(mask.shape, dtype=np.uint16)
    _stored(np.ascontiguousarray(mask), out)
    return out


def mark(mask: NDArray[Any], out: NDArray[np.uint8]) -> None:
    """1 wherever a mask is more than 0."""
    _marked(mask, out)


def warm() -> None:
    """Compile, or load from the cache."""
    plane = np.zeros((4, 4), dtype=np.float32)
    wide = np.zeros((8, 8), dtype=np.float32)
    mask = np.zeros((8, 8), dtype=np.uint16)[:4, :4]
    points, starts = np.ones((2, 4)), np.array([0, 2])
    brushes = np.array([[0.0, 0.1, 1.0, 0.0]])
    paint(points, starts, brushes, (0, 0), plane)
    paint(points, starts, brushes, (0, 0), plane, plane)
    enclosed(np.array([[0.0, 0.0], [2.0, 0.0], [1.0, 2.0]]), 0.5, (0, 0), plane)
    nodes = np.zeros((2, 2, 2), dtype=np.float32)
    faded(nodes, (0.0, 0.0), (1.0, 0.0), (0, 0), plane)
    ellipse(nodes, (0.0, 0.0), (0.2, 0.1), 0.0, 0.5, (0, 0), plane)
    guide = np.zeros((3, 4, 4), dtype=np.float32)
    guided(nodes, guide, np.zeros((4, 2, 2), dtype=np.float32), 4.0, (0, 0), (0, 0), plane)
    stored(plane)
    add(mask, 1.0, wide[:4, :4])
    mark(mask, np.zeros((8, 8), dtype=np.uint8)[:4, :4])
