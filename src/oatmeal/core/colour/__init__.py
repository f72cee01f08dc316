"""Colour science: light, encodings, lightness, OKLab, hue ranges, and the fast arithmetic."""

from oatmeal.core.colour.spaces import (
    LMS_TO_OKLAB,
    LUMINANCE_WEIGHTS,
    SRGB_TO_LMS,
    SRGB_TO_XYZ,
    decode_srgb,
    encode_srgb,
    hue_and_chroma,
    lab_of_hex,
    lightness,
    luminance,
    luminance_of_lightness,
    oklab,
    oklab_to_linear,
)

__all__ = [
    "LMS_TO_OKLAB", "LUMINANCE_WEIGHTS", "SRGB_TO_LMS", "SRGB_TO_XYZ", "decode_srgb",
    "encode_srgb", "hue_and_chroma", "lab_of_hex", "lightness", "luminance",
    "luminance_of_lightness", "oklab", "oklab_to_linear",
]  # fmt: skip
