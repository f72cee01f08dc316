"""The picture's own colours: clusters of its pixels in OKLab."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.vq import kmeans2

from oatmeal.core import colour

CLUSTERS: Final = 20
MIN_CLUSTER_SHARE: Final = 0.005


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
    """

    labels: NDArray[np.int64]
    centres: NDArray[np.float64]
    shares: NDArray[np.float64]
    contact: NDArray[np.float64]

    def means(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """Mean of a value of every sample pixel over each cluster, ``(k,)``."""
        count = len(self.centres) + 1  # the first holds what belongs to no cluster
        sums = np.bincount(self.labels + 1, weights=values, minlength=count)
        members = np.bincount(self.labels + 1, minlength=count)
        return np.asarray((sums / np.maximum(members, 1))[1:])

    @cached_property
    def hexes(self) -> list[str]:
        """The centres as ``#rrggbb``, clipped to the sRGB gamut."""
        encoded = colour.encode_srgb(np.clip(colour.oklab_to_linear(self.centres), 0, 1))
        codes = np.floor(encoded * 255 + 0.5).astype(int)
        return ["#" + "".join(f"{value:02x}" for value in row) for row in codes]


def find_clusters(lab: NDArray[np.float64]) -> Clusters:
    """Group the colours of a sample, OKLab ``(H, W, 3)``; deterministic."""
    points = lab.reshape(-1, 3)
    count = min(CLUSTERS, len(np.unique(points.round(4), axis=0)))
    centres, labels = (
        kmeans2(points, count, minit="++", iter=25, rng=7, missing="warn")
        if (count > 1)
        else (points[:1], np.zeros(len(points), dtype=np.int64))
    )
    shares = np.bincount(labels, minlength=len(centres)) / len(points)
    kept = np.flatnonzero(shares >= MIN_CLUSTER_SHARE)
    renumber = np.full(len(centres), -1)
    renumber[kept] = np.arange(len(kept))
    labels = renumber[labels]
    return Clusters(labels, centres[kept], shares[kept], _contact(labels, lab.shape[:2], len(kept)))


def _contact(labels: NDArray[np.int64], shape: tuple[int, ...], count: int) -> NDArray[np.float64]:
    plane = labels.reshape(shape)
    borders = np.zeros((count, count))
    for one, other in ((plane[:, 1:], plane[:, :-1]), (plane[1:], plane[:-1])):
        edge = (one != other) & (one >= 0) & (other >= 0)
        np.add.at(borders, (one[edge], other[edge]), 1)
    borders = borders + borders.T
    totals = np.maximum(borders.sum(axis=1), 1)
    return np.asarray(borders / np.minimum.outer(totals, totals))
