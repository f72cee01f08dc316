"""Oatmeal: black and white conversion for photographers."""

__version__ = "0.1.0"
