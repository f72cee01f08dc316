"""Ways to weigh colour to a first grey, as far as a print can tell them.

Weights that are free are columns of numbers that add up, encoded or linear; the others are the
core's own.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import encode_srgb
from oatmeal.core.mix.film import FILMS, FILTERS, expose
from oatmeal.core.mix.lifting import base_grey
from oatmeal.core.recipe import Film, from_document

Plane = NDArray[np.float32]
Values = NDArray[np.float64]

#: Weighings that are tried as they are.
PLAIN: Final = ("luminance", "luma-601", "average", "lightest", "darkest", "middle")

_SIX: Final = ("red", "yellow", "green", "cyan", "blue", "magenta")


@dataclass(frozen=True, eq=False)
class Candidate:
    """A kind of base.

    Attributes
    ----------
    kind : str
        ``channels``, ``linear``, ``six``, or ``fixed`` for what has no free weights.
    document : dict
        Of a fixed base.
    start : float64 (k,)
        Weights to begin with.
    handicap : float
        Share by which it must be better than a plain one: what has fewer numbers goes first.
    """

    kind: str
    document: dict[str, Any]
    start: Values
    handicap: float

    def columns(self, rgb: Values) -> tuple[Values, Values]:
        """What is there without weights ``(n,)``, and what they weigh ``(n, k)``."""
        if self.kind == "fixed":
            return fixed_light(self.document, rgb), np.empty((len(rgb), 0))
        if self.kind == "linear":
            return rgb[:, 2], rgb[:, :2] - rgb[:, 2:]
        encoded = encode_srgb(np.maximum(rgb, 0))
        if self.kind == "channels":
            return encoded[:, 2], encoded[:, :2] - encoded[:, 2:]
        order = np.argsort(encoded, axis=1)
        low, middle, high = np.take_along_axis(encoded, order, axis=1).T
        columns = np.zeros((len(encoded), 6))
        rows = np.arange(len(encoded))
        # the primary by its greatest channel, the secondary by what its least is not
        columns[rows, np.array([0, 2, 4])[order[:, 2]]] = high - middle
        columns[rows, np.array([3, 5, 1])[order[:, 0]]] = middle - low
        return np.asarray(low), columns

    @property
    def encoded(self) -> bool:
        """Whether encoded values are weighed, rather than light."""
        return self.kind in ("channels", "six")

    def base(self, weights: Values) -> dict[str, Any]:
        """The recipe's base with these weights."""
        if self.kind == "fixed":
            return dict(self.document)
        if self.kind == "six":
            shares = {n: round(100 * float(w), 1) for n, w in zip(_SIX, weights, strict=True)}
            return {"kind": "six", **shares}
        red, green = (100 * float(weight) for weight in weights)
        shares = {"red": red, "green": green, "blue": 100 - red - green}
        light = "linear" if self.kind == "linear" else "encoded"
        return {"kind": "channels", **{n: round(v, 1) for n, v in shares.items()}, "light": light}


def fixed_light(document: dict[str, Any], rgb: Values) -> Values:
    """Linear grey of colours ``(n, 3)`` under a base as it is."""
    base = from_document({"mix": {"base": document}}).mix.base
    grey = base_grey(np.ascontiguousarray(rgb[None], dtype=np.float32), base)
    return np.asarray(np.maximum(grey[0].astype(np.float64), 0))


def first_candidates() -> list[Candidate]:
    """Every kind but films, which the free linear weights lead to."""
    free = [
        Candidate("linear", {}, np.array([0.2126, 0.7152]), 0.04),
        Candidate("channels", {}, np.array([0.30, 0.59]), 0.04),
        Candidate("six", {}, np.array([0.30, 0.89, 0.59, 0.70, 0.11, 0.41]), 0.06),
    ]
    return free + [
        Candidate("fixed", {"kind": "plain", "weighing": one}, np.empty(0), 0.0) for one in PLAIN
    ]


def films_near(weights: Values, count: int = 3) -> list[Candidate]:
    """The films whose weights lie nearest to linear red, green (and blue for the rest)."""
    wanted = np.array([*weights, 1 - weights.sum()])
    every = [
        {"kind": "film", "film": film, "filter": glass}
        for film in FILMS
        for glass in ("none", *FILTERS)
    ]
    off = [np.abs(np.array(expose(Film(**one)).weights) - wanted).sum() for one in every]  # type: ignore[arg-type]
    return [Candidate("fixed", every[n], np.empty(0), 0.015) for n in np.argsort(off)[:count]]


def words_of(document: dict[str, Any]) -> str:
    """A base in words."""
    kind = document["kind"]
    if kind == "plain":
        return f"plain {document['weighing']}"
    if kind == "film":
        glass = document["filter"]
        behind = "" if glass == "none" else f" behind a {glass} filter"
        return f"{document['film']} film{behind}"
    names: Sequence[str] = _SIX if kind == "six" else ("red", "green", "blue")
    shares = ", ".join(f"{name} {document[name]:.0f}" for name in names)
    if kind == "six":
        return f"six colours: {shares}"
    light = " of linear light" if document.get("light") == "linear" else ""
    return f"channels{light}: {shares}"
