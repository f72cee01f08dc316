"""What every declared setting is tried with: a full recipe, and two values for each."""

import copy
import json
from functools import cache

from oatmeal.core.colour import ranges
from oatmeal.core.recipe import DECLARED, from_document
from oatmeal.core.recipe.settings import put, value_at

#: A recipe in which every setting has something to act on.
FULL = {
    "prepare": {
        "exposure": 0.3,
        "frame": {"angle": 4, "tip": 8, "swing": -6, "size": 80, "centre": [0.9, 0.5]},
        "noise": {"light": 40, "colour": 60},
        "edge_colour": {"purple": 70, "green": 60}, "threads": {"green": {"strength": 150}},
        "lens": {"bend": -3, "known": {"name": "a lens", "bend": [-0.02, 0, 0]}},
    },
    "mix": {
        "lifts": {"red": 0.8, "orange": -0.5, "green": 0.5, "blue": -1.2, "purple": 0.7},
        "picked": [{"colour": "#4a78c0", "reach": 0.1, "lift": 0.9, "name": ""}],
        "guard": 40,
    },
    "tone": {
        "exposure": 0.2, "shadows": 20, "clarity": 40, "sparkle": 10, "detail": 20, "veil": 10,
        "levels": {"black": 6, "white": 246}, "contrast": 10,
    },
    "areas": {
        "groups": [{"id": "g1", "name": "some", "amount": 80}],
        "list": [
            {
                "id": "a1", "group": "g1",
                "mask": [{"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.4, 0.4]}],
                "values": {
                    "exposure": 0.5, "threads": {"green": {"strength": 150}},
                    "kept": {"amount": 40}, "clarity": 40, "paint": {"amount": 30},
                },
            },
            {"id": "a2", "mask": [{"kind": "fade"}], "values": {"lifts": {"blue": 0.3}}},
        ],
    },
    "finish": {
        "glow": {"amount": 60, "reach": 20, "threshold": 30},
        "sharpness": {"amount": 40}, "grain": {"amount": 30, "size": 2},
        "toning": {"lights": {"strength": 20}, "darks": {"hue": 60, "strength": 15}},
        "falloff": {"amount": -30, "centre": [0.4, 0.5]},
        "burned": {"top": {"amount": -30}, "left": {"amount": 10}},
        "dust": {"amount": 60}, "scratches": {"amount": 60}, "paper": {"amount": 50},
        "border": {"uneven": {"width": 30}, "line": 20, "gap": 15, "mat": 60},
        "kept": {"trace": 10, "colours": [{"colour": "#8a5a3a", "amount": 60, "reach": 0.2}]},
    },
}  # fmt: skip
BASES = {
    "plain": {"kind": "plain"}, "channels": {"kind": "channels", "hold_total": False},
    "six": {"kind": "six"},
    "film": {"kind": "film", "filter": "orange"},
    "formula": {
        "kind": "formula", "text": "Y**k", "parameters": {"k": {"value": 0.45, "high": 2.0}}
    },
}  # fmt: skip
STROKE = {
    "path": "3000 2000 4000 1000", "radius": 0.2, "hardness": 20.0, "flow": 60.0, "max": 90.0,
    "erase": False, "hold": 0.0, "pressure": "",
}  # fmt: skip
MASK_PART = {"how": "add", "opposite": False, "on": True, "kind": "strokes"}
SEEDED = ("grain", "dust", "scratches", "paper", "border.uneven")
#: Values for what is no number, switch or choice.
OTHERS = {
    "prepare.frame.plumb": ([[[0.1, 0.1], [0.2, 0.9]]], [[[0.3, 0.1], [0.3, 0.9]]]),
    "prepare.frame.level": ([[[0.1, 0.1], [0.9, 0.2]]], [[[0.1, 0.3], [0.9, 0.3]]]),
    "prepare.frame.ratio": ("1:1", "5:7"),
    "prepare.frame.centre": ([0.4, 0.5], [0.5, 0.3]),
    "prepare.light.camera": (
        [[0.0, 0.0], [0.4, 0.55], [1.0, 1.0]],
        [[0.0, 0.0], [0.5, 0.4], [1.0, 0.9]],
    ),
    "prepare.spots": (
        [{"path": "3000 3000", "radius": 0.03, "source": [0.2, 0.1], "copied": False, "on": True}],
        [
            {
                "path": "5000 2000 900 0",
                "radius": 0.025,
                "source": [0.0, 0.2],
                "copied": True,
                "on": True,
            }
        ],
    ),
    "prepare.lens.developed": ("one way", "another way"),
    "prepare.lens.known.name": ("one lens", "another lens"),
    "prepare.lens.known.bend": ([-0.05, 0.01, 0.0], [0.03, 0.0, 0.0]),
    "prepare.lens.known.falloff": ([0.2, 0.05, 0.0], [0.3, 0.1, -0.1]),
    "mix.base:film.film_edges": ([400.0, 560.0], [500.0, 700.0]),
    "mix.base:film.filter_edges": ([480.0, 600.0], [590.0, 760.0]),
    "mix.base:formula.text": ("r*k", "1 - Y**k"),
    "mix.picked.*.colour": ("#b23a2e", "#3f8a3a"),
    "mix.picked.*.name": ("sky", "water"),
    "finish.kept.colours.*.colour": ("#b23a2e", "#3f8a3a"),
    "finish.kept.colours.*.name": ("sky", "water"),
    "areas.list.*.values.paint.colour": ("#b23a2e", "#3f8a3a"),
    "areas.groups.*.name": ("fields", "faces"),
    "areas.groups.*.move": ([0.1, 0.0], [-0.1, 0.1]),
    "areas.list.*.name": ("sky", "water"),
    "areas.list.*.group": ("", ""),
    "areas.list.*.move": ([0.1, 0.0], [-0.1, 0.1]),
    "areas.list.*.mask": (
        [MASK_PART | {"strokes": [STROKE]}],
        [MASK_PART | {"how": "subtract", "opposite": True, "strokes": [STROKE, STROKE]}],
    ),
    **{f"finish.{part}.seed": (7, 9) for part in SEEDED},
    "finish.falloff.centre": ([0.2, 0.5], [0.5, 0.8]),
    "tone.curve": ([[0.0, 0.0], [0.4, 0.6], [1.0, 1.0]], [[0.0, 0.1], [1.0, 0.8]]),
    "tone.zones": ([0.5] * 9, [-1.0] + [0.0] * 8),
}
#: Numbers that their neighbours bound.
WITHIN = {
    **{f"prepare.threads.{name}.hue": (-8.0, 8.0) for name in ranges.NAMES},
    **{f"areas.list.*.values.threads.{name}.hue": (-8.0, 8.0) for name in ranges.NAMES},
    "prepare.frame.centre.0": (0.2, 0.6),
    "mix.base:formula.parameters.*.value": (0.1, 1.9),
    "mix.base:formula.parameters.*.low": (-3.0, 0.2),
    "mix.base:formula.parameters.*.high": (2.5, 9.0),
    "tone.levels.black": (5.0, 90.0),
    "tone.levels.out_black": (5.0, 90.0),
    "tone.levels.middle": (0.4, 2.4),
    "tone.levels.white": (150.0, 250.0),
    "tone.levels.out_white": (150.0, 250.0),
}
#: How a picture is framed and mounted is no stage: it is seen in the whole picture alone.
FRAMING = (
    "prepare.frame", "prepare.lens",
    *(f"finish.border.{name}" for name in ("gap", "line", "line_grey", "mat", "mat_grey", "base")),
)  # fmt: skip
#: The widest edge is less than a pixel of a picture this small; tests/core/test_edges.py has it.
FINER = ("prepare.edge_colour.width",)
#: What an area has of the ranges, and what sides have, is the same part: one stands for all.
SAME = tuple(
    f"areas.list.*.values.{part}.{name}"
    for part in ("lifts", "threads")
    for name in ranges.NAMES
    if name != "green"
) + tuple(f"finish.burned.{side}" for side in ("right", "bottom", "left"))
EVERY = [path for path in DECLARED if not path.startswith(SAME)]
STAGED = [path for path in EVERY if not path.startswith(FRAMING)]


#: What takes longest to draw, with what looks at it: the step, or nothing but itself.
LONG = {
    **dict.fromkeys(("prepare.noise", "prepare.edge_colour"), "prepare"),
    **{part: part for part in ("finish.dust", "finish.scratches", "finish.paper", "finish.border")},
    "finish.grain": "finish",
}


def full_for(path):
    """The full recipe, without what takes long to draw and nothing near the setting looks at."""
    full = copy.deepcopy(FULL)
    for part, near in LONG.items():
        if not path.startswith(near):
            step, name = part.split(".")
            del full[step][name]
    return full


def placed(path):
    """A document in which the setting stands, and its path there."""
    text, at = placed_once(path)
    return json.loads(text), at


@cache
def placed_once(path):
    document = from_document(full_for(path)).full_document()
    base, _, rest = path.partition(":")
    if rest:
        kind, _, key = rest.partition(".")
        document["mix"]["base"] = copy.deepcopy(BASES[kind])
        path = f"{base}.{key}"
    document = from_document(document).full_document()
    return json.dumps(document), path.replace("parameters.*", "parameters.k").replace(".*", ".0")


def others(path):
    """Two values away from the present one."""
    one, (document, at) = DECLARED[path], placed(path)
    now = value_at(document, at)
    if path in OTHERS:
        return OTHERS[path]
    if one.kind == "switch":
        return not now, not now
    if one.kind == "choice":
        free = [choice for choice in one.choices if choice != now]
        return free[0], free[-1]
    low, high = one.low, one.high
    if path.startswith("mix.centres"):  # free between its neighbours
        low, high = one.rest - 12, one.rest + 12
    low, high = WITHIN.get(path, (low, high))
    low_one, between, high_one = (
        round(low + share * (high - low), 3) for share in (0.25, 0.3, 0.8)
    )
    return between if low_one == now else low_one, high_one


def with_value(path, value):
    """The recipe of :func:`placed` with another value."""
    return made_with(path, json.dumps(value))


@cache
def made_with(path, text):
    document, at = placed(path)
    assert put(document, at, json.loads(text)), path
    return from_document(document)
