"""Tone: the scale from black to white, light, and local contrast."""

from oatmeal.core.tone.scale import (
    AT_REST,
    Scale,
    apply_contrast,
    apply_levels,
    compile_scale,
    encoded,
    transfer,
)

__all__ = [
    "AT_REST", "Scale", "apply_contrast", "apply_levels", "compile_scale", "encoded", "transfer",
]  # fmt: skip
