"""Prepare: the colour picture is set right before it becomes grey."""

from oatmeal.core.prepare.frame import AS_TAKEN, Framing, geometry, opened

__all__ = ["AS_TAKEN", "Framing", "geometry", "opened"]
