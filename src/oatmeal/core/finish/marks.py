"""Dust, scratches and fibres as lists of shapes, drawn by distance at any size.

Every list comes from a counter-based generator (Philox; Salmon et al., "Parallel Random Numbers: As
Easy as 1, 2, 3", SC 2011), seeded from the photograph and the setting, in units of a thousandth of
the framed picture's longer side. More of something is a longer part of the same list, so that marks
stay where they are.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish import marks_kernels as kernels
from oatmeal.core.picture import Window
from oatmeal.core.recipe.finish import Dust, Paper, Scratches

Plane = NDArray[np.float32]
Numbers = NDArray[np.float64]

#: Specks, hairs, groups of scratches, bundles of scuffs: on a square picture at amount 100.
_SPECKS: Final = 1040
_HAIRS: Final = 52
_GROUPS: Final = 22
_SCUFFS: Final = 10

#: How much of the picture a mark covers at the most.
_COVERS: Final = np.float32(0.85)

#: Fibres of a square picture at size 50.
_FIBRES: Final = 9000

#: Points of a hair, a scratch, a scuff, a fibre.
_HAIR, _SCRATCH, _SCUFF, _FIBRE = 26, 90, 10, 7


@dataclass(frozen=True)
class Strokes:
    """Lines of varying width, as straight parts.

    Attributes
    ----------
    parts : float64 (n, 8)
        Two ends, their widths and strengths, in pixels: ``x, y, x, y, w, w, s, s``.
    soft : float
        Width over which their rims fade.
    """

    parts: Numbers
    soft: float

    def drawn(self, corner: tuple[int, int], out: Plane) -> Plane:
        """Laid into an array that begins at a corner; where they cross the stronger one counts."""
        kernels.strokes(self.parts, self.soft, corner, out)
        return out


def _unit(window: Window, size: float = 50.0) -> float:
    """A thousandth of the longer side in pixels, times what a size setting says."""
    return float(max(window.width, window.height) / 1000 * 2 ** ((size - 50) / 50))


def generator(kind: str, seed: int, photograph: int) -> np.random.Generator:
    """Chance of its own for a kind of mark, a setting's pattern and a photograph."""
    key = [zlib.crc32(kind.encode()), zlib.crc32(f"{photograph} {seed}".encode())]
    return np.random.Generator(np.random.Philox(key=key))


def _share(window: Window) -> float:
    """The picture's part of a square on its longer side."""
    return window.width * window.height / max(window.width, window.height) ** 2


def _chained(points: Numbers, widths: Numbers, strengths: Numbers) -> Numbers:
    """The parts of lines of ``(n, m, 2)`` points with widths and strengths ``(n, m)``."""
    ends = np.concatenate([points[:, :-1], points[:, 1:]], axis=2)
    pairs = [np.stack([one[:, :-1], one[:, 1:]], axis=2) for one in (widths, strengths)]
    return np.ascontiguousarray(np.concatenate([ends, *pairs], axis=2).reshape(-1, 8))


def _walked(angle: Numbers, step: Numbers) -> Numbers:
    """Points ``(n, m, 2)`` of lines whose angles ``(n, m)`` are given, from 0, 0 on."""
    heading = np.stack([np.cos(angle), np.sin(angle)], axis=2)
    return np.cumsum(heading * step[:, None, None], axis=1)


def _sizes(window: Window) -> Numbers:
    return np.array([window.width, window.height])


@lru_cache(maxsize=8)
def _dust(dust: Dust, window: Window, photograph: int) -> tuple[kernels.Blobs, Strokes]:
    chance = generator("dust", dust.seed, photograph)
    unit = _unit(window, dust.size)
    centres = chance.random((7, 2))
    at = chance.random((_SPECKS, 2))
    near = centres[chance.integers(0, 7, _SPECKS)] + chance.normal(0, 0.07, (_SPECKS, 2))
    at = np.where(chance.random((_SPECKS, 1)) < 0.45, near, at) * _sizes(window)
    radii = unit * np.minimum(0.5 * np.exp(chance.normal(0, 0.62, _SPECKS)), 2.6)
    waves = 0.55 * chance.random((_SPECKS, 4)) / np.arange(1, 5) * chance.random((_SPECKS, 1))
    phases = 2 * np.pi * chance.random((_SPECKS, 4))
    strengths = 0.45 + 0.55 * chance.random(_SPECKS) ** 0.6
    many = round(_SPECKS * _share(window) * dust.amount / 100)
    specks = kernels.Blobs(
        np.concatenate([at, radii[:, None], strengths[:, None], waves, phases], axis=1)[:many],
        0.15 * unit,
    )
    return specks, Strokes(_hairs(chance, window, dust.amount, unit), 0.12 * unit)


def _hairs(chance: np.random.Generator, window: Window, amount: float, unit: float) -> Numbers:
    at = chance.random((_HAIRS, 2)) * _sizes(window)
    length = unit * 16 * np.exp(chance.normal(0, 0.6, _HAIRS))
    begin = 2 * np.pi * chance.random((_HAIRS, 1))
    bend = chance.normal(0, 1.3, (_HAIRS, 1)) * np.where(chance.random((_HAIRS, 1)) < 0.35, 3.2, 1)
    turns = np.cumsum(chance.normal(0, 0.55, (_HAIRS, _HAIR)), axis=1)
    angle = begin + np.cumsum(bend + turns, axis=1) / _HAIR
    points = at[:, None] + _walked(angle, length / _HAIR)
    along = np.linspace(0, 1, _HAIR)
    widths = unit * 0.42 * np.exp(chance.normal(0, 0.3, (_HAIRS, 1)))
    waves = np.cos(3 * np.pi * along + 6 * chance.random((_HAIRS, 1)))
    strengths = (0.7 + 0.3 * chance.random((_HAIRS, 1))) * (0.75 + 0.25 * waves)
    many = round(_HAIRS * _share(window) * amount / 100)
    thin = 0.55 + 0.45 * np.sqrt(np.sin(np.pi * along).clip(0))
    return _chained(points[:many], (widths * thin)[:many], strengths[:many])


def dust(settings: Dust, window: Window, shape: tuple[int, int], photograph: int) -> Plane:
    """How far dust covers each pixel, float32 ``(H, W)``, 0 to 1; a part equals the whole's."""
    corner = (round(window.x), round(window.y))
    whole = Window(0, 0, window.width, window.height)
    specks, hairs = _dust(settings, whole, photograph)
    out = hairs.drawn(corner, specks.drawn(corner, np.zeros(shape, dtype=np.float32)))
    return np.asarray(_COVERS * out)


def scratches(
    settings: Scratches, window: Window, shape: tuple[int, int], photograph: int
) -> Plane:
    """How far scratches cover each pixel, float32 ``(H, W)``, 0 to 1."""
    corner = (round(window.x), round(window.y))
    whole = Window(0, 0, window.width, window.height)
    out = _scratches(settings, whole, photograph).drawn(corner, np.zeros(shape, dtype=np.float32))
    return np.asarray(_COVERS * out)


@lru_cache(maxsize=8)
def _scratches(settings: Scratches, window: Window, photograph: int) -> Strokes:
    unit = _unit(window)
    long = generator("scratches", settings.seed, photograph)
    short = generator("scuffs", settings.seed, photograph)
    groups = max(1, round(_GROUPS * settings.amount / 100))
    bundles = round(_SCUFFS * settings.amount / 100)
    turn = np.radians(settings.direction)
    parts = [
        *_groups(long, window, turn, unit, groups),
        *_bundles(short, window, turn, unit, bundles),
    ]
    return Strokes(np.concatenate(parts), 0.06 * unit)


def _groups(
    chance: np.random.Generator, window: Window, turn: float, unit: float, many: int
) -> Iterator[Numbers]:
    """Scratches that run together along the direction, some across the whole picture."""
    sizes = _sizes(window)
    way = np.array([np.cos(turn), np.sin(turn)])
    aside = np.array([-way[1], way[0]])
    length, breadth = np.abs(sizes * way).sum(), np.abs(sizes * aside).sum()
    t = np.linspace(0, 1, _SCRATCH)
    taper = np.clip(np.minimum(t, 1 - t) * 12, 0, 1)
    for _ in range(many):
        place = (chance.random() - 0.5) * breadth
        for one in range(1 + chance.poisson(1.3)):
            off = place + (chance.normal(0, 5 * unit) if one else 0.0)
            through = chance.random() < 0.3
            own = length * (1.3 if through else np.exp(chance.normal(np.log(0.16), 0.8)))
            middle = (chance.random() - 0.5) * length * (not through)
            s = middle + (t - 0.5) * own
            wobble = (
                np.cumsum(np.cumsum(chance.normal(0, 1, _SCRATCH))) / _SCRATCH**1.5 * 2.2 * unit
            )
            wobble += chance.normal(0, 0.004) * (s - middle)
            points = sizes / 2 + np.outer(s, way) + np.outer(off + wobble, aside)
            broken = np.interp(t * 14, np.arange(16), chance.random(16))
            broken = np.clip((broken - 0.32) * 2.2, 0, 1)
            uneven = np.interp(t * 60, np.arange(62), 0.55 + 0.45 * chance.random(62))
            width = unit * 0.36 * np.exp(chance.normal(0, 0.45))
            strength = (0.45 + 0.55 * chance.random()) * broken * uneven * taper
            widths = width * (0.5 + 0.5 * broken) * (0.4 + 0.6 * taper)
            yield _chained(points[None], widths[None], strength[None])


def _bundles(
    chance: np.random.Generator, window: Window, turn: float, unit: float, many: int
) -> Iterator[Numbers]:
    """Scuffs: short marks, almost beside each other."""
    t = np.linspace(-0.5, 0.5, _SCUFF)
    for _ in range(many):
        middle = chance.random(2) * _sizes(window)
        angle, length = turn + chance.normal(0, 0.9), unit * (6 + 22 * chance.random())
        for _ in range(3 + chance.poisson(5)):
            own = angle + chance.normal(0, 0.1)
            at = middle + chance.normal(0, 4, 2) * unit
            bend, long = chance.normal(0, 0.1) * length, length * np.exp(chance.normal(0, 0.5))
            way = np.array([np.cos(own), np.sin(own)])
            points = at + np.outer(t * long, way) + np.outer(bend * t * t, [-way[1], way[0]])
            strength = (0.25 + 0.5 * chance.random()) * np.sqrt(np.clip(1 - 4 * t * t, 0, 1))
            widths = np.full(_SCUFF, 0.28 * unit)
            yield _chained(points[None], widths[None], strength[None])


def fibres(
    settings: Paper,
    window: Window,
    corner: tuple[float, float],
    shape: tuple[int, int],
    photograph: int,
) -> Plane:
    """The fibres of a sheet as heights, float32 ``(H, W)``, 0 to 1, seen from any corner."""
    whole = Window(0, 0, window.width, window.height)
    found = _fibres(settings, whole, photograph)
    moved = found.parts - np.array([*corner, *corner, 0, 0, 0, 0])
    return Strokes(moved, found.soft).drawn((0, 0), np.zeros(shape, dtype=np.float32))


@lru_cache(maxsize=4)
def _fibres(settings: Paper, window: Window, photograph: int) -> Strokes:
    chance = generator("paper", settings.seed, photograph)
    unit = _unit(window, settings.size)
    all_of_them = int(_FIBRES / 2 ** (1.5 * (settings.size - 50) / 50))
    shape = (all_of_them, 1)
    at = chance.random((all_of_them, 2)) * 1.04 - 0.02
    angle = np.pi * chance.random(shape)
    length = unit * 7 * np.exp(chance.normal(0, 0.45, all_of_them))
    bend = chance.normal(0, 0.9, shape)
    along = np.linspace(-0.5, 0.5, _FIBRE)
    points = _walked(angle + bend * along, length / _FIBRE)
    points += at[:, None] * _sizes(window) - points.mean(axis=1, keepdims=True)
    widths = unit * 0.42 * np.exp(chance.normal(0, 0.3, shape)) * np.sqrt(1 - 3.2 * along**2)
    strengths = np.broadcast_to(0.35 + 0.65 * chance.random(shape), widths.shape)
    many = round(all_of_them * _share(window))
    return Strokes(_chained(points[:many], widths[:many], strengths[:many]), 0.35 * unit)
