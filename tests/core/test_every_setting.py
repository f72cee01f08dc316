"""What must hold for every declared setting, written once: a new one is tested by declaring it."""

import copy
import json
from functools import cache

import numpy as np
import pytest
from samples import codes, linear_of

from oatmeal.core.colour import ranges
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Order, Pipeline, Region, render
from oatmeal.core.pipeline.order import STAGES
from oatmeal.core.recipe import DECLARED, REST, from_document, read
from oatmeal.core.recipe.carry import GROUPS, carried, scaled
from oatmeal.core.recipe.settings import put, value_at
from oatmeal.core.recipe.words import changes, shown

RGB = linear_of(codes(90, 130, 16))
RGB[20:50, 30:70] *= np.float32(3.0)  # some light beyond white, for what holds the ends

#: A recipe in which every setting has something to act on.
FULL = {
    "prepare": {
        "exposure": 0.3,
        "frame": {"angle": 4, "tip": 8, "swing": -6, "size": 80, "centre": [0.9, 0.5]},
        "noise": {"light": 40, "colour": 60},
        "edge_colour": {"purple": 70, "green": 60},
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
                "mask": [{"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.4, 0.2]}],
                "values": {
                    "exposure": 0.5, "threads": {"green": {"strength": 150}},
                    "kept": {"amount": 40},
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


def seen(recipe):
    return render(ArrayPicture(RGB), recipe, np.uint16).astype(int)


def rendered(recipe, work=None):
    return (work or Pipeline(RGB)).coloured(recipe, np.uint16).astype(int)


@cache
def seen_before(text):
    """The whole picture of a document, which many settings begin with."""
    return seen(from_document(json.loads(text)))


@cache
def begun_with(text):
    """A document's frame, and the pipeline that remembers it and what came after."""
    work = Pipeline(RGB)
    return rendered(from_document(json.loads(text)), work), work


@pytest.mark.parametrize("path", [path for path in EVERY if path not in STAGED])
def test_a_setting_of_frame_lens_or_mount_shows_in_the_whole_picture(path):
    before = seen_before(placed_once(path)[0])
    found = [seen(with_value(path, value)) for value in others(path)]
    same = [np.array_equal(before, after) for after in found]
    assert all(same) if DECLARED[path].silent else not any(same)


@pytest.mark.parametrize("path", STAGED)
def test_what_is_remembered_equals_what_is_computed_afresh_and_differs(path):
    text, _ = placed_once(path)
    first, work = begun_with(text)
    frames = [first]
    for value in others(path):
        recipe = with_value(path, value)
        frames.append(rendered(recipe, work))
        assert np.array_equal(frames[-1], rendered(recipe)), value
    assert np.array_equal(rendered(from_document(json.loads(text)), work), first)
    moved = max(np.abs(frame - frames[0]).max() for frame in frames[1:])
    assert (moved == 0) if DECLARED[path].silent or path in FINER else (moved > 65)


@pytest.mark.parametrize("path", STAGED)
def test_what_it_leaves_alone_is_known_at_a_glance(path):
    """Of two frames' stages the keys are one object exactly where they are equal."""
    before = Order(from_document(placed(path)[0]))
    first = {name: before.key(name) for name in STAGES}
    recipe = with_value(path, others(path)[0])
    after, alone = Order(recipe, before), Order(recipe)
    known = {}
    shared = [name for name in STAGES if after.key(name) is first[name]]
    assert shared == [name for name in STAGES if equal(alone.key(name), first[name], known)]
    assert all(equal(after.key(name), alone.key(name), known) for name in STAGES)


def equal(one, other, known):
    """True for equal keys; those of earlier stages, which lie in them, are compared once."""
    if not (isinstance(one, tuple) and isinstance(other, tuple)):
        return one == other
    pair = (id(one), id(other))
    if pair not in known:
        pairs = zip(one, other, strict=False)
        known[pair] = len(one) == len(other) and all(equal(*two, known) for two in pairs)
    return known[pair]


@pytest.mark.parametrize("path", [path for path in STAGED if ":" not in path and ".*" not in path])
def test_alone_it_acts_if_it_says_how_much_and_at_rest_it_is_nothing(path):
    one, document = DECLARED[path], REST.full_document()
    put(document, path, one.rest)
    assert from_document(document) == REST
    at_rest = rendered(REST)
    for value in others(path):
        put(document, path, value)
        acts = not np.array_equal(rendered(from_document(document)), at_rest)
        assert acts == (one.acts and not one.silent) or path == "tone.hold_ends"


@pytest.mark.parametrize("path", EVERY)
def test_strength_scales_what_says_how_much(path):
    one, (_, at) = DECLARED[path], placed(path)
    for value in others(path):
        recipe = with_value(path, value)
        assert scaled(recipe, 1) == recipe
        none, half, more = (
            value_at(scaled(recipe, strength).full_document(), at) for strength in (0, 0.5, 1.5)
        )
        if one.scale == "stays":
            assert none == half == more == value
        elif one.scale == "toward" and one.kind == "number":
            assert none == pytest.approx(one.origin)
            assert half == pytest.approx((value + one.origin) / 2, abs=1e-3)
            beyond = one.origin + 1.5 * (value - one.origin)
            assert more == pytest.approx(min(one.high, max(one.low, beyond)), abs=1e-3)
        elif one.scale == "power":
            assert (none, half) == (1, pytest.approx(value**0.5, abs=1e-3))
        else:
            assert none == [list(item) if isinstance(item, tuple) else item for item in one.rest]
            assert from_document(scaled(recipe, 1.5).document()) == scaled(recipe, 1.5)


@pytest.mark.parametrize("path", EVERY)
def test_the_history_names_it_with_its_unit(path):
    one, (document, at) = DECLARED[path], placed(path)
    before = from_document(document)
    for value in others(path):
        told = "; ".join(changes(before, with_value(path, value)))
        if one.kind == "coefficients":  # the name beside them tells
            assert told == ""
            continue
        assert ";" not in told or one.names
        after = with_value(path, value).full_document()
        named = one.names[:1] or (DECLARED.words(at, after).split(" of ")[0],)
        assert named[0] in told
        if one.kind == "number":
            assert f"{shown(value_at(document, at))}" in told
            assert f"→ {shown(value)}" in told
            assert one.unit.rstrip("s") in told
        assert changes(with_value(path, value), with_value(path, value)) == []


@pytest.mark.parametrize("path", EVERY)
def test_it_survives_the_round_trip(path):
    for value in others(path):
        recipe = with_value(path, value)
        assert read(json.dumps(recipe.document())) == recipe
        assert read(json.dumps(recipe.full_document())) == recipe


@pytest.mark.parametrize("path", EVERY)
def test_its_group_carries_it_and_no_other_does(path):
    one, (_, at) = DECLARED[path], placed(path)
    assert one.group in {group.name for group in GROUPS}
    recipe = with_value(path, others(path)[0])
    value = value_at(recipe.full_document(), at)
    taken = carried(recipe, REST, [one.group]).full_document()
    assert value_at(taken, at) == value
    left = [group.name for group in GROUPS if group.name != one.group]
    assert value_at(carried(recipe, REST, left).full_document(), at) == value_at(
        REST.full_document(), at
    )


@pytest.mark.parametrize("path", EVERY)
def test_a_region_equals_that_part_of_the_whole(path):
    """Within one code of 255, from nothing but its own surroundings and the small whole."""
    picture, small = ArrayPicture(RGB), Pipeline(RGB)
    recipe = with_value(path, others(path)[1])
    whole = small.codes(recipe).astype(int)  # drawn before, as at the bench
    part = Region(picture, (41, 30, 50, 37), recipe, small).codes(recipe).astype(int)
    assert np.abs(part - whole[30:67, 41:91]).max() <= 1
