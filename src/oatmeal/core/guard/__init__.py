"""The guard: colour as far as a file can be trusted with it, so that nothing breaks up."""

from oatmeal.core.guard.analysis import Analysis, analyse
from oatmeal.core.guard.settling import Settling

__all__ = ["Analysis", "Settling", "analyse"]
