"""Prepare: the colour picture is set right before it becomes grey."""

from oatmeal.core.prepare.frame import geometry

__all__ = ["geometry"]
