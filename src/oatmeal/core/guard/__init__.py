"""The guard: colour smoothed along the light, so that what follows it does not break up."""

from oatmeal.core.guard.analysis import Analysis, analyse, grid, guarding, margin
from oatmeal.core.guard.guarding import Guarding

__all__ = ["Analysis", "Guarding", "analyse", "grid", "guarding", "margin"]
