"""What must hold for every declared setting, written once: a new one is tested by declaring it."""

import json
from functools import cache

import numpy as np
import pytest
from samples import codes, linear_of
from tried import EVERY, FINER, STAGED, others, placed, placed_once, with_value

from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Order, Pipeline, Region, render
from oatmeal.core.pipeline.order import STAGES
from oatmeal.core.recipe import DECLARED, REST, from_document, read
from oatmeal.core.recipe.carry import GROUPS, carried, scaled
from oatmeal.core.recipe.settings import put, value_at
from oatmeal.core.recipe.words import changes, shown

RGB = linear_of(codes(90, 130, 16))
RGB[20:50, 30:70] *= np.float32(3.0)  # some light beyond white, for what holds the ends


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
