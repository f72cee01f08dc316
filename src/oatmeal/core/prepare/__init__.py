"""Prepare: the colour picture is set right before it becomes grey."""

from oatmeal.core.prepare.frame import geometry
from oatmeal.core.prepare.light import apply, brightest

__all__ = ["apply", "brightest", "geometry"]
