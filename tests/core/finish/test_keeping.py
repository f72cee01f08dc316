"""Kept colour: let through where it is wanted, in light and in shade."""

import numpy as np
import pytest
from printed import RED, finish, patches

from oatmeal.core.colour import (
    decode_srgb,
    encode_srgb,
    hue_and_chroma,
    lightness,
    luminance,
    oklab,
)
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import from_document


def hex_of(colour):
    codes = np.round(encode_srgb(np.array(colour)) * 255).astype(int)
    return "#" + "".join(f"{code:02x}" for code in codes)


def seen(rgb, recipe, **more):
    """Linear colour as printed, OKLab of it, and the greys it was made of."""
    work = Pipeline(rgb, **more)
    linear = decode_srgb(work.coloured(recipe, np.uint16) / 65535)
    return linear, oklab(linear), decode_srgb(work.encoded(recipe).astype(float))


def test_a_trace_of_colour_keeps_hue_and_lightness():
    rgb = patches()
    linear, lab, grey = seen(rgb, finish(kept={"trace": 20}))
    assert np.abs(lightness(luminance(linear)) - lightness(grey)).max() < 0.01
    own = oklab(rgb.astype(float))
    for x in (60, 180):
        hue, chroma = hue_and_chroma(lab[60, x][None])
        true, full = hue_and_chroma(own[60, x][None])
        assert abs((hue - true + 180) % 360 - 180) < 1.5
        share = chroma / lab[60, x, 0] / (full / own[60, x, 0])
        assert share == pytest.approx(0.2, abs=0.01)
    assert np.abs(lab[60, 300, 1:]).max() < 1e-4  # grey stays grey
    whole, _, _ = seen(rgb, finish(kept={"trace": 100}))
    assert np.abs(lightness(luminance(whole)) - lightness(grey)).max() < 0.01
    assert (whole[60, 60] == whole[60, 60].max()).tolist() == [True, False, False]


def test_only_a_kept_colour_is_let_through_and_it_can_be_turned():
    rgb = patches()
    red = {"colour": hex_of(RED), "reach": 0.05, "amount": 100.0}
    linear, lab, grey = seen(rgb, finish(kept={"colours": [red]}))
    assert np.abs(lightness(luminance(linear)) - lightness(grey)).max() < 0.01
    assert np.hypot(*lab[60, 60, 1:]) > 0.1
    assert np.abs(lab[60, 180, 1:]).max() < 1e-3
    kept, full = hue_and_chroma(lab[60, 60][None])
    for hue, strength in ((90.0, 100.0), (-120.0, 50.0)):
        other = {**red, "hue": hue, "strength": strength}
        _, turned, _ = seen(rgb, finish(kept={"colours": [other]}))
        now, chroma = hue_and_chroma(turned[60, 60][None])
        assert abs((now - kept - hue + 180) % 360 - 180) < 3
        if strength < 100:  # far from the end of the gamut
            assert chroma / turned[60, 60, 0] < 0.8 * full / lab[60, 60, 0]
    for off in ({**red, "on": False}, {**red, "amount": 0.0}):
        recipe = finish(kept={"colours": [off]})
        assert not recipe.coloured
        assert Pipeline(rgb).coloured(recipe).ndim == 2


def test_a_kept_colour_is_the_same_in_light_and_in_shade():
    rgb = patches()
    shade = np.concatenate([rgb, rgb / 8])  # three stops darker
    red = {"colour": hex_of(RED), "reach": 0.06, "amount": 100.0}
    _, lab, _ = seen(shade, finish(kept={"colours": [red]}))
    light, dark = (np.hypot(*lab[y, 60, 1:]) / lab[y, 60, 0] for y in (60, 180))
    assert dark > 0.75 * light
    for y in (60, 180):  # another colour is another one in the dark too
        assert np.hypot(*lab[y, 180, 1:]) < 0.05 * np.hypot(*lab[y, 60, 1:])


def test_kept_colour_lies_over_toning_and_under_dust_and_rim():
    rgb = np.broadcast_to(np.float32(RED), (400, 600, 3)).copy()
    toned = {"lights": {"hue": 276, "strength": 30}, "darks": {"hue": 276, "strength": 30}}
    half, _, _ = seen(rgb, finish(kept={"trace": 50}, toning=toned))
    alone, _, _ = seen(rgb, finish(toning=toned))
    whole, _, _ = seen(rgb, finish(kept={"trace": 100}, toning=toned))
    assert alone[200, 300, 2] > half[200, 300, 2] > whole[200, 300, 2]
    plain, _, _ = seen(rgb, finish(kept={"trace": 100}))
    assert np.abs(whole - plain).max() < 1e-3
    lying = {"border": {"uneven": {"width": 30}}, "dust": {"amount": 100, "size": 100}}
    under, lab, grey = seen(rgb, finish(kept={"trace": 100}, **lying))
    rim, dust = grey < 0.005, grey > 0.6
    assert rim.sum() > 500
    assert dust.sum() > 500
    assert np.hypot(lab[..., 1], lab[..., 2])[rim].max() < 0.02
    # the middle of a speck is covered by 85 %
    assert np.hypot(lab[..., 1], lab[..., 2])[grey > 0.75].max() < 0.08
    assert np.abs(under[200, 300] - plain[200, 300]).max() < 1e-3


def test_an_area_keeps_its_colour():
    rgb = patches()
    circle = {
        "kind": "ellipse",
        "how": "add",
        "centre": [0.2, 0.167],
        "radii": [0.1, 0.1],
        "feather": 10,
    }
    area = {
        "id": "a1",
        "mask": [circle],
        "values": {"kept": {"amount": 100, "hue": 40, "strength": 50}},
    }
    recipe = from_document({"areas": {"list": [area]}})
    assert recipe.coloured
    linear, lab, grey = seen(rgb, recipe)
    assert np.abs(lightness(luminance(linear)) - lightness(grey)).max() < 0.01
    assert np.hypot(*lab[60, 72, 1:]) > 0.04
    assert np.abs(lab[5, 10, 1:]).max() < 1e-3
    assert np.abs(lab[60, 180, 1:]).max() < 1e-3
    hue, _ = hue_and_chroma(lab[60, 72][None])
    own, _ = hue_and_chroma(oklab(rgb[60, 72].astype(float))[None])
    assert abs((hue - own - 40 + 180) % 360 - 180) < 3


@pytest.mark.parametrize("share", [0, 40, 100])
def test_a_kept_colour_is_as_bright_as_it_was_as_far_as_that_is_wanted(share):
    rgb = patches()
    mix = {"base": {"kind": "film", "filter": "blue"}}  # red becomes black
    red = {"colour": hex_of(RED), "reach": 0.05, "amount": 100.0, "bright": share}
    plain = luminance(rgb.astype(float))
    for there in ("kept", "area"):
        document = {"mix": mix, "finish": {"kept": {"colours": [red]}}}
        if there == "area":
            own = {"kept": {"amount": 100, "bright": share}}
            mask = [{"kind": "ellipse", "centre": [0.5, 0.5], "radii": [2.0, 2.0]}]
            document = {"mix": mix, "areas": {"list": [{"id": "a", "mask": mask, "values": own}]}}
        recipe = from_document(document)
        dark = decode_srgb(Pipeline(rgb).encoded(from_document({"mix": mix})).astype(float))
        linear, _, _ = seen(rgb, recipe)
        wanted = encode_srgb(dark[60, 60])
        wanted += share / 100 * (encode_srgb(plain[60, 60]) - wanted)
        assert encode_srgb(luminance(linear)[60, 60]) == pytest.approx(wanted, abs=0.004)
        if there == "kept":  # what is not kept stays as the mix made it
            assert luminance(linear)[60, 180] == pytest.approx(dark[60, 180], abs=0.002)
