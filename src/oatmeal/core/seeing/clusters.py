"""The picture's own colours: clusters of its pixels in OKLab."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core import colour
from oatmeal.core.seeing import kernels

CLUSTERS: Final = 20
MIN_CLUSTER_SHARE: Final = 0.005

#: A colour most of whose pixels are mixed from two neighbours stands on edges alone: how many, how
#: far apart the two must be (OKLab's a and b), and how far beside the line between them the pixel
#: may lie.
_ON_EDGES: Final = 0.55
_EDGE: Final = 0.05
_BESIDE: Final = 0.25

#: Rounds of moving centres to their members' means, unless no member changes before.
_ROUNDS: Final = 25
_SEED: Final = 7


@dataclass(frozen=True)
class Clusters:
    """The picture's own colours.

    Attributes
    ----------
    labels : int64 (n,)
        Cluster of every sample pixel, in reading order; -1 where the cluster is too small.
    centres : float64 (k, 3)
        OKLab.
    shares : float64 (k,)
    contact : float64 (k, k)
        How much two clusters touch: the part of the smaller one's borders that lie on the other.
    on_edges : bool (k,)
        Colours that only stand where two others meet, mixed from both.
    """

    labels: NDArray[np.int64]
    centres: NDArray[np.float64]
    shares: NDArray[np.float64]
    contact: NDArray[np.float64]
    on_edges: NDArray[np.bool_]

    def means(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """Mean of a value of every sample pixel over each cluster, ``(k,)``."""
        sums = np.bincount(self._numbered, weights=values, minlength=len(self._members))
        return np.asarray((sums / self._members)[1:])

    @cached_property
    def _numbered(self) -> NDArray[np.int64]:
        """The labels from 0 on; 0 is what belongs to no cluster."""
        return self.labels + 1

    @cached_property
    def _members(self) -> NDArray[np.int64]:
        counts = np.bincount(self._numbered, minlength=len(self.centres) + 1)
        return np.maximum(counts, 1)

    @cached_property
    def apart(self) -> NDArray[np.float64]:
        """Distance of each two in OKLab, ``(k, k)``."""
        return np.asarray(np.linalg.norm(self.centres[:, None] - self.centres[None], axis=-1))

    @cached_property
    def weight(self) -> NDArray[np.float64]:
        """How much it matters that two part, ``(k, k)``: their shares, more where they touch."""
        return self.shares[:, None] * self.shares[None] * (0.2 + self.contact)

    @cached_property
    def hexes(self) -> list[str]:
        """The centres as ``#rrggbb``, clipped to the sRGB gamut."""
        encoded = colour.encode_srgb(np.clip(colour.oklab_to_linear(self.centres), 0, 1))
        codes = np.floor(encoded * 255 + 0.5).astype(int)
        return ["#" + "".join(f"{value:02x}" for value in row) for row in codes]


def find_clusters(lab: NDArray[np.float64]) -> Clusters:
    """Group the colours of a sample, OKLab ``(H, W, 3)``; deterministic."""
    points = np.ascontiguousarray(lab.reshape(-1, 3), dtype=np.float64)
    centres, labels = _means(points, min(CLUSTERS, _distinct(points)))
    shares = np.bincount(labels, minlength=len(centres)) / len(points)
    kept = np.flatnonzero(shares >= MIN_CLUSTER_SHARE)
    renumber = np.full(len(centres), -1)
    renumber[kept] = np.arange(len(kept))
    named = renumber[labels]
    mixed = np.bincount(named + 1, weights=_mixed(lab).reshape(-1), minlength=len(kept) + 1)[1:]
    on_edges = mixed >= _ON_EDGES * shares[kept] * len(points)
    contact = _contact(named, lab.shape[:2], len(kept))
    return Clusters(named, centres[kept], shares[kept], contact, on_edges)


def _mixed(lab: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Where the light of a pixel ``(H, W)`` is a mixture of two that lie across or above it."""
    found = np.zeros(lab.shape[:2], dtype=bool)
    light = colour.oklab_to_linear(lab)
    for axis in (0, 1):
        rows, colours = np.moveaxis(light, axis, 0), np.moveaxis(lab, axis, 0)
        inside = np.moveaxis(found, axis, 0)[1:-1]
        way, own = rows[2:] - rows[:-2], rows[1:-1] - rows[:-2]
        square = (way**2).sum(axis=-1)
        share = (own * way).sum(axis=-1) / np.maximum(square, 1e-12)
        beside = ((own - share[..., None] * way) ** 2).sum(axis=-1)
        between = (share > 0.1) & (share < 0.9) & (beside < _BESIDE**2 * square)
        inside |= between & (((colours[2:] - colours[:-2])[..., 1:] ** 2).sum(axis=-1) > _EDGE**2)
    return found


def _distinct(points: NDArray[np.float64]) -> int:
    """How many colours differ in the fourth decimal; of more than clusters, not all are counted."""
    some = 0
    for step in (len(points) // 500, 1):
        some = len(np.unique(points[:: max(step, 1)].round(4), axis=0))
        if some >= CLUSTERS:
            break
    return some


def _means(
    points: NDArray[np.float64], count: int
) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """K-means of points ``(n, 3)`` from careful seeds: centres ``(count, 3)`` and labels.

    S. Lloyd, "Least squares quantization in PCM", IEEE Trans. Information Theory 28 (1982);
    D. Arthur, S. Vassilvitskii, "k-means++: the advantages of careful seeding", SODA 2007. The same
    numbers as SciPy's ``kmeans2``, in a quarter of its time.
    """
    columns = np.ascontiguousarray(points.T)
    random = np.random.default_rng(_SEED)
    centres = np.empty((count, 3))
    centres[0] = points[random.integers(0, len(points))]
    nearest = np.full(len(points), np.inf)
    for number in range(1, count):
        np.minimum(nearest, kernels.squared_distances(columns, centres[number - 1]), out=nearest)
        chances = (nearest / nearest.sum()).cumsum()
        centres[number] = points[np.searchsorted(chances, random.uniform())]
    labels = np.full(len(points), -1, np.int32)
    for _ in range(_ROUNDS):
        if not kernels.assign(columns, centres, labels):
            break
        members = np.bincount(labels, minlength=count)
        for axis, column in enumerate(columns):
            sums = np.bincount(labels, weights=column, minlength=count)
            centres[:, axis] = np.where(members, sums / np.maximum(members, 1), centres[:, axis])
    return centres, labels


def _contact(labels: NDArray[np.int64], shape: tuple[int, ...], count: int) -> NDArray[np.float64]:
    plane = labels.reshape(shape)
    borders = np.zeros((count, count))
    for one, other in ((plane[:, 1:], plane[:, :-1]), (plane[1:], plane[:-1])):
        edge = (one != other) & (one >= 0) & (other >= 0)
        np.add.at(borders, (one[edge], other[edge]), 1)
    borders = borders + borders.T
    totals = np.maximum(borders.sum(axis=1), 1)
    return np.asarray(borders / np.minimum.outer(totals, totals))
