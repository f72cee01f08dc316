"""Settings to begin from: channel percentages and formulas."""

from __future__ import annotations

from typing import Any, Final

#: Red, green and blue in percent (common practice, no source: red carries skin, blue carries the
#: most noise).
CHANNEL_STARTS: Final[dict[str, tuple[float, float, float]]] = {
    "luma": (30.0, 59.0, 11.0),
    "skin": (70.0, 30.0, 0.0),
    "sky": (90.0, 30.0, -20.0),
    "foliage": (20.0, 110.0, -30.0),
}


def _toned(
    lights: tuple[float, float], darks: tuple[float, float], balance: float = 0.0
) -> dict[str, Any]:
    """Hue in OKLCh degrees and strength of lights and darks."""
    pairs = zip(("lights", "darks"), (lights, darks), strict=True)
    tints = {name: {"hue": hue, "strength": strength} for name, (hue, strength) in pairs}
    return {**tints, "balance": balance}


#: Where a print may begin, by part and name. Warm paper lies near common practice
#: (no source: HSV 43 degrees at 13 to 17); the others are our own: silver blue is steel, and fades
#: toward the paper's white as a print's does.
FINISH_STARTS: Final[dict[str, dict[str, dict[str, Any]]]] = {
    "sharpness": {
        "people": {"amount": 25.0, "radius": 1.2, "detail": 10.0, "edges": 60.0},
        "general": {"amount": 45.0, "radius": 1.0, "detail": 35.0, "edges": 25.0},
        "metal": {"amount": 80.0, "radius": 0.8, "detail": 70.0, "edges": 10.0},
    },
    "grain": {
        "fine": {"amount": 14.0, "size": 0.28, "roughness": 10.0},
        "medium": {"amount": 24.0, "size": 0.4, "roughness": 25.0},
        "fast": {"amount": 38.0, "size": 0.55, "roughness": 40.0},
        "pushed": {"amount": 58.0, "size": 0.8, "roughness": 65.0},
    },
    "toning": {
        "warm paper": _toned((82.0, 9.0), (70.0, 12.0)),
        "sepia": _toned((72.0, 30.0), (58.0, 34.0), 20.0),
        "selenium": _toned((60.0, 2.0), (350.0, 12.0), -30.0),
        "silver blue": _toned((256.0, 9.0), (258.0, 15.0)),
        "iron blue": _toned((235.0, 40.0), (258.0, 62.0)),
    },
}


def _parameter(value: float, low: float, high: float) -> dict[str, float]:
    return {"value": value, "low": low, "high": high}


#: Formulas with a name that says what they do, and a sentence.
FORMULA_EXAMPLES: Final[tuple[dict[str, Any], ...]] = (
    {
        "name": "Three weights, the third follows",
        "words": "Red and green are set; blue is what is left of one.",
        "text": "red*r + green*g + (1 - red - green)*b",
        "parameters": {"red": _parameter(0.3, -1, 2), "green": _parameter(0.59, -1, 2)},
    },
    {
        "name": "Red against blue",
        "words": "Between the red and the blue channel: skies fall, skin rises.",
        "text": "share*r + (1 - share)*b",
        "parameters": {"share": _parameter(0.8, -0.5, 1.5)},
    },
    {
        "name": "Colour lifts the grey",
        "words": "The more colourful, the lighter; neutrals stay.",
        "text": "L + lift*chroma",
        "parameters": {"lift": _parameter(0.8, -3, 3)},
    },
    {
        "name": "Lightest where warm",
        "words": "The lightest channel for warm colours, luminance for the rest.",
        "text": "where(r > b, maximum(r, g)*mix + L*(1 - mix), L)",
        "parameters": {"mix": _parameter(0.6, 0, 1)},
    },
    {
        "name": "Own gamma of light",
        "words": "Luminance with a power of your own, blue held back.",
        "text": "Y**gamma * (1 - tint*b)",
        "parameters": {"gamma": _parameter(0.45, 0.2, 1), "tint": _parameter(0.2, 0, 1)},
    },
)
