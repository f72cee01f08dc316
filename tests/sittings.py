"""Short tests that share one page: opening one for each took a third of their time."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any


class Sitting:
    """Parts of one test, in order; the fixture ``sitting`` runs them one after another.

    A part is written as a test is, fixtures and all, and begins with a recipe at rest, in the step
    of ``key``. What else it opens it closes again.
    """

    def __init__(self, key: str = "m") -> None:
        self.key = key
        self.parts: list[Callable[..., Any]] = []

    def part(self, function: Callable[..., Any]) -> Callable[..., Any]:
        self.parts.append(function)
        return function
