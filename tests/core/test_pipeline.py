"""The pipeline: what is remembered, regions, proxies and whole pictures."""

import gc
import weakref

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import codes, linear_of

from oatmeal.core import pipeline
from oatmeal.core.colour import decode_srgb
from oatmeal.core.picture import ArrayPicture, Window, proxy
from oatmeal.core.pipeline import Order, Pipeline, Region
from oatmeal.core.recipe import REST, Recipe, from_document, read
from oatmeal.core.stages import Place, stage, table
from oatmeal.photofile.decode import SourcePicture

STRONG = read(
    '{"mix": {"base": {"kind": "six", "blue": -40}, "lifts": {"red": 1.5, "blue": -2}},'
    ' "tone": {"contrast": 40, "levels": {"black": 12, "middle": 1.2, "white": 240},'
    ' "curve": [[0, 0], [0.25, 0.18], [0.75, 0.82], [1, 1]]}}'
)


def picture(height=300, width=410, bits=16):
    pixels = codes(height, width, bits)
    top = 2**bits - 1
    table = decode_srgb(np.arange(top + 1) / top).astype(np.float32)
    return SourcePicture(pixels, table)


SMALL = picture()
WHOLE = Pipeline(SMALL.linear(0, 0, SMALL.width, SMALL.height)).codes(STRONG, np.uint16)


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 400), st.integers(0, 290), st.integers(1, 200), st.integers(1, 200))
def test_a_region_equals_that_region_of_the_whole(x, y, width, height):
    width, height = min(width, SMALL.width - x), min(height, SMALL.height - y)
    part = Region(SMALL, (x, y, width, height), STRONG).codes(STRONG, np.uint16)
    assert np.array_equal(part, WHOLE[y : y + height, x : x + width])


def test_rendering_by_strips_equals_the_whole():
    assert np.array_equal(pipeline.render(SMALL, STRONG, np.uint16), WHOLE)


LIFTS = {"lifts": {"red": 1.5, "blue": -2}}
AREA = {"id": "a", "mask": [{"kind": "ellipse"}], "values": {"lifts": {"blue": -1}}}


@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize(
    ("mix", "from_codes"),
    [
        (LIFTS, True),
        (LIFTS | {"base": {"kind": "six", "blue": -40}}, True),
        (LIFTS | {"base": {"kind": "film", "film": "long-red", "filter": "red"}}, True),
        (LIFTS | {"base": {"kind": "channels", "red": 70, "light": "linear"}}, False),
        (LIFTS | {"picked": [{"colour": "#b2342c", "lift": 1.0}]}, False),
        (LIFTS | {"guard": 60}, False),
        ({"base": {"kind": "six", "blue": -40}}, True),
        ({}, True),
        ({"base": {"kind": "formula", "text": "r"}}, False),
    ],
)
def test_the_short_way_through_mix_gives_the_same_grey(mix, from_codes, bits):
    """Bit for bit; and where it is open, the light of the colours is never in memory."""
    recipe = from_document({"mix": {"guard": 0} | mix})
    file = picture(bits=bits)
    coded = file.coded(0, 0, file.width, file.height)
    short = Pipeline(file, once=True).mixed(recipe)
    assert np.array_equal(short, Pipeline(coded.linear).mixed(recipe))
    fresh = Pipeline(file, once=True)
    fresh.mixed(recipe)
    assert ("linear" not in vars(fresh._pixels)) == from_codes


@pytest.mark.parametrize(
    "more",
    [
        {"prepare": {"light": {"warmth": 30.0}}},
        {"prepare": {"noise": {"light": 50.0}}},
        {"areas": {"list": [AREA]}},
    ],
)
def test_the_short_way_begins_with_the_prepared_colour_and_leaves_areas_alone(more):
    recipe = from_document({"mix": LIFTS} | more)
    long = Pipeline(SMALL.linear(0, 0, SMALL.width, SMALL.height)).mixed(recipe)
    assert np.array_equal(Pipeline(SMALL, once=True).mixed(recipe), long)


def test_a_proxy_equals_the_reduced_export():
    small = Pipeline(proxy(SMALL, 100)).codes(STRONG).astype(int)
    export = pipeline.render(SMALL, STRONG, np.uint8, long_side=100).astype(int)
    assert small.shape == export.shape == (73, 100)
    assert np.abs(small - export).mean() <= 2


def test_nothing_is_ever_enlarged():
    assert pipeline.render(SMALL, REST, long_side=5000).shape == (300, 410)
    assert proxy(SMALL, 5000).shape == (300, 410, 3)


def test_only_what_changed_is_computed_again():
    work = Pipeline(SMALL.linear(0, 0, 410, 300))
    mixed = work.mixed(STRONG)
    other_tone = STRONG.model_copy(update={"tone": REST.tone})
    assert work.mixed(other_tone) is mixed
    lifted = STRONG.model_copy(update={"mix": STRONG.mix.model_copy(update={"pale": 10.0})})
    base = work.get("base", STRONG)
    assert work.mixed(lifted) is not mixed
    assert work.get("base", lifted) is base


def test_a_recipe_is_put_into_effect_once_a_frame(monkeypatch):
    asked = []
    effective = Recipe.effective
    monkeypatch.setattr(Recipe, "effective", lambda own: asked.append(own) or effective(own))
    work = Pipeline(SMALL.linear(0, 0, 60, 40))
    work.codes(STRONG)
    work.scale(STRONG)
    work.toned(STRONG)
    assert asked == [STRONG]


def test_a_stage_at_rest_hands_on_the_same_array():
    work = Pipeline(SMALL.linear(0, 0, 60, 40))
    assert work.prepared(REST) is work.source
    assert work.mixed(REST) is work.get("base", REST)
    assert work.toned(REST) is work.mixed(REST)
    lit = read('{"tone": {"exposure": 1}}')
    assert work.get("local", lit) is work.mixed(lit)


def test_what_a_stage_declares_is_checked():
    made = stage("shadow", reads=("tone.shadow",), needs=("source",))(lambda *given: None)
    with pytest.raises(ValueError, match=r"reads tone\.shadow"):
        table(made)
    early = stage("early", needs=("late",))(lambda *given: None)
    with pytest.raises(ValueError, match="late"):
        table(early)


def test_a_strip_has_the_margin_that_detail_needs_in_a_very_large_picture():
    """Two box means of radius round(L / 800): beyond about 13,200 px more than the guard's 32."""
    order = Order(read('{"mix": {"lifts": {"red": 1}, "guard": 50}, "tone": {"detail": 40}}'))
    huge = Place(Window(0, 0, 20000, 9000), SMALL)
    assert order.margin(huge) == 2 * 25 + 28 + 4
    assert order.grid(huge) == 4
    assert Order(REST).margin(huge) == 0


@pytest.mark.parametrize("side", [30000, 500])
def test_a_strip_of_a_wide_picture_equals_the_whole(side):
    """As in a picture with this longer side, whose fine band reaches across strips."""
    generator = np.random.default_rng(4)
    rgb = np.repeat(generator.random((1400, 24, 1)), 3, axis=2).astype(np.float32)
    recipe = read('{"tone": {"detail": 100}}')

    class Wide(ArrayPicture):
        width = side

        def linear(self, x, y, width, height):
            return super().linear(0, y, 24, height)

    picture_ = Wide(rgb)
    small = Pipeline(rgb)
    whole = Pipeline(picture_, (0, 0, 24, 1400), whole=small).encoded(recipe)
    strip = Region(picture_, (0, 512, 24, 512), recipe, small).encoded(recipe)
    assert np.abs(strip - whole[512:1024]).max() < 1e-4


@pytest.mark.parametrize("step", ["mix", "tone", "prepare"])
def test_a_step_switched_off_equals_rest(step):
    lit = from_document({"prepare": {"light": {"exposure": 1, "warmth": 40, "shadows": 30}}})
    strong = STRONG.model_copy(update={"prepare": lit.prepare})
    off = strong.model_copy(update={step: getattr(strong, step).model_copy(update={"on": False})})
    rest = strong.model_copy(update={step: getattr(REST, step)})
    rgb = SMALL.linear(0, 0, 410, 300)
    assert np.array_equal(Pipeline(rgb).codes(off), Pipeline(rgb).codes(rest))


def test_rest_is_bit_identical_to_plain_luminance():
    eight = picture(bits=8)
    greys = SourcePicture(np.repeat(eight.codes[..., :1], 3, axis=2), eight.tables)
    out = pipeline.render(greys, Recipe(), np.uint8)
    assert np.array_equal(out, eight.codes[..., 0])


def test_progress_is_told_and_can_stop_the_work():
    told = []
    pipeline.render(SMALL, REST, progress=told.append)
    assert told[-1] == 1
    with pytest.raises(InterruptedError):
        pipeline.render(
            SMALL, REST, progress=lambda share: (_ for _ in ()).throw(InterruptedError())
        )


def test_a_strip_is_let_go_as_soon_as_it_is_done():
    """Without waiting for the garbage collector: strips of a large picture would pile up."""
    spots = [{"path": "3000 3000", "source": [0.2, 0.1]}]
    recipe = from_document({"prepare": {"noise": {"light": 50}, "spots": spots}})
    rgb = linear_of(codes(60, 90, 16))
    picture = ArrayPicture(rgb)
    gc.collect()
    gc.disable()
    try:
        strip = Region(picture, (0, 0, 40, 30), recipe)
        strip.codes(recipe)
        held = weakref.ref(strip.pipeline)
        del strip
        assert held() is None
    finally:
        gc.enable()


#: Steps that read a table at each pixel.
TABLES = {
    "light": {"prepare": {"light": {"shadows": 60, "highlights": -40}}},
    "threads": {"prepare": {"threads": {"blue": {"hue": 20, "strength": 150}}}},
    "lifts": {"mix": {"lifts": {"blue": -2}}},
    "tone": {"tone": {"clarity": 50, "shadows": 40, "contrast": 30}},
    "toning": {"finish": {"toning": {"lights": {"hue": 72, "strength": 30}}}},
    "areas": {
        "areas": {
            "list": [
                {
                    "id": "a",
                    "mask": [{"kind": "fade", "from": [0.2, 0.1], "to": [0.6, 0.5]}],
                    "values": {"clarity": 60, "contrast": 40, "black": 8, "lifts": {"blue": -1}},
                }
            ]
        }
    },
}


@pytest.mark.parametrize("step", TABLES)
def test_a_pixel_that_is_no_number_is_looked_up_nowhere(step):
    """It would be read far outside of a table, which ends the process."""
    rgb = SMALL.linear(0, 0, 410, 300).copy()
    rgb[::7, ::5] = np.nan
    shown = Pipeline(rgb).coloured(from_document(TABLES[step]))
    assert shown.shape[:2] == rgb.shape[:2]
