"""The pipeline: what is remembered, regions, proxies and whole pictures."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import codes

from oatmeal.core import pipeline
from oatmeal.core.colour import decode_srgb
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST, Recipe, read
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
    part = Pipeline(SMALL.linear(x, y, width, height)).codes(STRONG, np.uint16)
    assert np.array_equal(part, WHOLE[y : y + height, x : x + width])


def test_rendering_by_strips_equals_the_whole():
    assert np.array_equal(pipeline.render(SMALL, STRONG, np.uint16), WHOLE)


def test_a_proxy_equals_the_reduced_export():
    proxy = Pipeline(pipeline.proxy(SMALL, 100)).codes(STRONG).astype(int)
    export = pipeline.render(SMALL, STRONG, np.uint8, long_side=100).astype(int)
    assert proxy.shape == export.shape == (73, 100)
    assert np.abs(proxy - export).mean() <= 2


def test_nothing_is_ever_enlarged():
    assert pipeline.render(SMALL, REST, long_side=5000).shape == (300, 410)
    assert pipeline.proxy(SMALL, 5000).shape == (300, 410, 3)


def test_only_what_changed_is_computed_again():
    work = Pipeline(SMALL.linear(0, 0, 410, 300))
    mixed = work.mixed(STRONG)
    other_tone = STRONG.model_copy(update={"tone": REST.tone})
    assert work.mixed(other_tone) is mixed
    base = work._base.get((STRONG.prepare, STRONG.mix.base), lambda: pytest.fail("made again"))
    assert base is not mixed


@pytest.mark.parametrize("step", ["mix", "tone", "prepare"])
def test_a_step_switched_off_equals_rest(step):
    strong = STRONG.model_copy(
        update={"prepare": REST.prepare.model_copy(update={"exposure": 1.0})}
    )
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
