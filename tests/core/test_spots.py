"""Spots: healed from nearby, in parts as in the whole, through any frame; dust is proposed."""

import cv2
import numpy as np
import pytest
from samples import codes, linear_of

from oatmeal.core import prepare
from oatmeal.core.colour import decode_srgb, encode_srgb, lightness, luminance
from oatmeal.core.picture import ArrayPicture, Window, framed, reduced
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region, render
from oatmeal.core.pipeline.render import small_of
from oatmeal.core.prepare.spots import Healing, laid
from oatmeal.core.recipe import REST, RecipeError, Spot, from_document
from oatmeal.core.recipe.carry import GROUPS, carried
from oatmeal.core.recipe.paths import path, places
from oatmeal.core.recipe.words import changes
from oatmeal.core.seeing.sources import find_source
from oatmeal.core.seeing.specks import find_specks

RGB = linear_of(codes(300, 420, 16))
LONG = 420


def spot(x, y, radius=10, source=(40, 0), **more):
    """A spot from pixels of a picture of this size."""
    points = [(x / LONG, y / LONG)]
    return {
        "path": path(points), "radius": radius / LONG,
        "source": [source[0] / LONG, source[1] / LONG], **more,
    }  # fmt: skip


def with_spots(*spots, **more):
    return from_document({"prepare": {"spots": list(spots), **more}})


def healed(rgb, *spots):
    return Pipeline(rgb).get("healed", with_spots(*spots))


def inside(x, y, radius, shape):
    down, across = np.mgrid[: shape[0], : shape[1]] + 0.5
    return np.hypot(across - x, down - y) <= radius


def looking(rgb):
    """What reads rectangles of a picture."""
    return lambda at: rgb[at[1] : at[1] + at[3], at[0] : at[0] + at[2]]


def faulty(rgb, x, y, radius):
    out = rgb.copy()
    out[inside(x, y, radius, rgb.shape)] = 0.9
    return out


def test_a_fault_on_an_even_slope_is_gone_and_nothing_else_moves():
    slope = np.linspace(0.1, 0.5, 420)[None, :, None] + np.zeros((300, 1, 3))
    slope = decode_srgb(slope).astype(np.float32)
    after = healed(faulty(slope, 200, 150, 9), spot(200, 150))
    off = lightness(luminance(after)) - lightness(luminance(slope))
    assert np.abs(off).max() < 0.25
    outside = ~inside(200, 150, 10.01, slope.shape)
    assert (after[outside] == slope[outside]).all()


def test_tone_at_the_border_is_carried_and_what_is_copied_keeps_its_own():
    two = np.full((300, 420, 3), 0.1, np.float32)
    two[:, 210:] = 0.4
    carried_in = healed(two, spot(150, 150, source=(120, 0)))
    assert np.abs(carried_in - two).max() < 1e-5
    copied = healed(two, spot(150, 150, source=(120, 0), copied=True))
    assert copied[150, 150] == pytest.approx([0.4] * 3, abs=1e-6)
    assert copied[150, 135] == pytest.approx([0.1] * 3, abs=1e-6)
    edge = copied[150, 140:146, 0]
    assert (np.diff(edge) >= 0).all()
    assert 0.1 < edge[2] < 0.4


def test_a_stroke_is_healed_along_its_whole_way():
    line = RGB.copy()
    for x in range(100, 300):
        line[140 + x // 20 - 1 : 140 + x // 20 + 2, x] = 0.9
    points = [(95 / LONG, 144.5 / LONG), (305 / LONG, 155.5 / LONG)]
    stroke = {"path": path(points), "radius": 4 / LONG, "source": [0, -20 / LONG]}
    after = healed(line, stroke)
    off = encode_srgb(after) - encode_srgb(RGB)
    assert np.abs(off).max() < 0.2 < np.abs(encode_srgb(line) - encode_srgb(RGB)).max()
    assert np.sqrt((off[130:165, 95:305] ** 2).mean()) < 0.03


def test_negative_light_and_light_above_white_survive():
    wide = RGB.copy()
    wide[..., 0] -= 0.3
    wide[..., 2] += 1.2
    after = healed(wide, spot(200, 150))
    assert after[..., 0].min() < -0.1
    assert after[150, 200, 2] > 1
    assert np.abs(after - wide).max() < 0.4


def test_later_spots_stand_on_earlier_ones_and_the_order_of_reading_does_not_matter():
    bad = faulty(faulty(RGB, 150, 150, 8), 190, 150, 8)
    # the second one is healed from where the first one was bad
    after = healed(bad, spot(150, 150, source=(0, 60)), spot(190, 150, source=(-40, 0)))
    off = encode_srgb(after) - encode_srgb(RGB)
    assert np.abs(off).max() < 0.2
    window = Window(0, 0, 420, 300)
    spots = [
        laid(one, window)
        for one in with_spots(*(spot(x, 150) for x in (150, 165, 180))).prepare.spots
    ]

    forward, backward = Healing(looking(RGB), spots, window), Healing(looking(RGB), spots, window)
    first = [forward._patch(number) for number in (0, 1, 2)]
    last = [backward._patch(number) for number in (2, 1, 0)][::-1]
    for one, other in zip(first, last, strict=True):
        assert (one[1] == other[1]).all()


def test_a_spot_that_is_off_does_nothing_and_one_at_the_edge_is_healed():
    assert (healed(RGB, spot(200, 150, on=False)) == RGB).all()
    bad = faulty(RGB, 3, 2, 8)
    after = healed(bad, spot(3, 2, source=(30, 20)))
    assert np.abs(encode_srgb(after) - encode_srgb(RGB)).max() < 0.2


def test_a_spot_whose_source_was_cut_away_is_filled_from_its_border():
    slope = np.linspace(0.1, 0.5, 420)[None, :, None] + np.zeros((300, 1, 3))
    slope = decode_srgb(slope).astype(np.float32)
    for copied in (False, True):
        lost = spot(200, 150, source=(300, 0), copied=copied)
        after = healed(faulty(slope, 200, 150, 9), lost)
        assert np.abs(lightness(luminance(after)) - lightness(luminance(slope))).max() < 2
    # in a frame that leaves the source out it is filled like that, in one that holds it it is not
    bad = faulty(RGB, 100, 150, 8)
    narrow = {"ratio": "2:3", "centre": [0.2, 0.5]}
    far = with_spots(spot(100, 150, source=(250, 0)), frame=narrow)
    near = with_spots(spot(100, 150, source=(30, 0)), frame=narrow)
    sound = render(ArrayPicture(RGB), from_document({"prepare": {"frame": narrow}})).astype(int)
    for recipe in (far, near):
        assert np.abs(render(ArrayPicture(bad), recipe) - sound).max() < 60


@pytest.mark.parametrize("frame", [{}, {"angle": 7, "tip": 6, "size": 85}, {"turned": "right"}])
def test_a_part_alone_is_that_part_of_the_whole_wherever_its_sources_lie(frame):
    recipe = from_document(
        {
            "prepare": {
                "spots": [spot(150, 120, source=(150, 60)), spot(160, 122, source=(-80, 40))],
                "noise": {"light": 60}, "frame": frame,
            }
        }
    )  # fmt: skip
    source = ArrayPicture(RGB)
    view = framed(source, prepare.geometry(recipe))
    whole = render(source, recipe, np.uint16).astype(int)
    small = small_of(view, WHOLE_SIDE)
    for x, y in ((60, 50), (101, 77), (140, 100)):
        part = Region(view, (x, y, 90, 70), recipe, small).codes(recipe, np.uint16)
        assert np.abs(part.astype(int) - whole[y : y + 70, x : x + 90]).max() <= 2


def test_spots_lie_where_they_lay_whatever_the_frame_shows():
    bad = faulty(RGB, 150, 120, 8)
    for frame in ({"angle": 9}, {"turned": "left", "mirrored": True}, {"size": 60}):
        recipe = with_spots(spot(150, 120), frame=frame)
        bare = from_document({"prepare": {"frame": frame}})
        cured, sick, sound = (
            render(ArrayPicture(rgb), one).astype(int)
            for rgb, one in ((bad, recipe), (bad, bare), (RGB, bare))
        )
        assert np.abs(cured - sound).max() < 0.3 * np.abs(sick - sound).max()


def test_a_reduced_picture_is_healed_alike():
    bad = faulty(RGB, 150, 120, 8)
    recipe = with_spots(spot(150, 120))
    half = Pipeline(ArrayPicture(reduced(bad, 210), scale=0.5)).encoded(recipe)
    whole = cv2.resize(Pipeline(bad).prepared(recipe), (210, 150), interpolation=cv2.INTER_AREA)
    assert 255 * np.abs(half - Pipeline(whole).encoded(REST)).mean() < 0.5
    assert 255 * np.abs(half - Pipeline(whole).encoded(REST)).max() < 40


def test_a_spot_is_as_large_as_the_frame_makes_it_in_both_directions():
    """Where the camera looked aside, it is drawn out along one side more than along the other."""
    frame = prepare.geometry(from_document({"prepare": {"frame": {"swing": 35}}})).on(420, 300)
    window = Window(0, 0, frame.width, frame.height, frame)
    for x, y in ((80, 150), (340, 150), (200, 60)):
        one = with_spots(spot(x, y, radius=10)).prepare.spots[0]
        angles = np.linspace(0, 2 * np.pi, 720, endpoint=False)
        around = np.stack([np.cos(angles), np.sin(angles)], axis=1) * 10 + (x, y)
        across, down = window.places(around / 420).T
        area = 0.5 * abs(across @ np.roll(down, -1) - down @ np.roll(across, -1))
        assert laid(one, window).radius == pytest.approx(np.sqrt(area / np.pi), rel=0.04)


def test_the_source_found_is_the_one_that_matches():
    pattern = np.tile(
        decode_srgb(0.3 + 0.2 * np.random.default_rng(2).random((60, 60, 3))), (5, 7, 1)
    )
    pattern = pattern.astype(np.float32)
    bad = faulty(pattern, 200, 150, 10)
    window = Window(0, 0, 420, 300)

    wanted = laid(with_spots(spot(200, 150)).prepare.spots[0], window)
    way = find_source(Healing(looking(bad), [], window), wanted, (420, 300))
    assert way is not None
    assert way[0] % 60 == 0
    assert way[1] % 60 == 0
    after = healed(bad, spot(200, 150, radius=10, source=way))
    assert np.abs(after - pattern).max() < 1e-5


def test_a_source_that_hides_something_inside_is_passed_over():
    flat = np.full((300, 420, 3), 0.3, np.float32)
    for x, y in ((200, 128), (200, 172), (178, 150), (222, 150)):  # inside the nearest places
        flat[y - 2 : y + 3, x - 2 : x + 3] = 0.02
    window = Window(0, 0, 420, 300)

    wanted = laid(with_spots(spot(200, 150)).prepare.spots[0], window)
    way = find_source(Healing(looking(flat), [], window), wanted, (420, 300))
    after = healed(flat, spot(200, 150, source=way))
    assert np.abs(after[140:160, 190:210] - 0.3).max() < 1e-4


def test_no_source_is_found_where_there_is_no_room():
    window = Window(0, 0, 20, 20)
    wanted = laid(Spot(path="5000 5000", radius=0.03), Window(0, 0, 400, 400))
    assert find_source(Healing(lambda r: RGB[:20, :20], [], window), wanted, (20, 20)) is None


def test_paths_are_read_and_written_and_bad_ones_refused():
    for wrong in ("", "12", "a b", "1 2 3", "5 5 -9 0", "10001 5", "1  2"):
        with pytest.raises(RecipeError, match="path"):
            with_spots({"path": wrong, "source": [0.1, 0]})
    points = [(0.1, 0.25), (0.1234, 0.2), (0.9, 0.99)]
    assert places(path(points)) == pytest.approx(np.array(points), abs=5e-5)
    with pytest.raises(RecipeError, match=r"prepare.spots\[0\].radius"):
        with_spots({"path": "5 5", "radius": 0.3})
    with pytest.raises(RecipeError):
        with_spots(*[{"path": "5 5"}] * 501)


def test_spots_stay_with_their_photograph_unless_asked_for_and_history_counts_them():
    source = with_spots(spot(10, 10), noise={"light": 20})
    usual = [group.name for group in GROUPS if not group.stays]
    assert carried(source, REST, usual).prepare.spots == ()
    assert carried(source, REST, usual).prepare.noise.light == 20
    assert carried(source, REST, ["spots"], 0.5).prepare.spots == source.prepare.spots
    assert changes(REST, source) == ["noise in light 0 → 20", "spots 0 → 1"]
    moved = with_spots(spot(12, 10), noise={"light": 20})
    assert changes(source, moved) == ["spots changed"]


def dusty(seed=4):
    """An even sky with ten made specks, and where they are."""
    generator = np.random.default_rng(seed)
    y, x = np.mgrid[:600, :900].astype(float)
    sky = np.stack([0.3 + 0.1 * y / 600, 0.4 + 0.05 * x / 900, 0.6 + 0 * x], axis=-1)
    made = [(80 + 160 * (n % 5), 140 + 260 * (n // 5), 4 + n) for n in range(10)]
    for across, down, radius in made:
        far = np.hypot(x - across, y - down)
        sky *= np.exp2(-0.25 / (1 + np.exp(np.minimum((far - radius) / (0.2 * radius), 60))))[
            ..., None
        ]
    return (sky + generator.normal(0, 0.002, sky.shape)).astype(np.float32), made


def test_dust_is_proposed_and_coloured_or_long_things_are_not():
    sky, made = dusty()
    found = find_specks(sky)
    assert len(found) == len(made)
    for across, down, radius in made:
        near = min(found, key=lambda one: np.hypot(900 * one.x - across, 900 * one.y - down))
        assert np.hypot(900 * near.x - across, 900 * near.y - down) < 2
        assert radius < 900 * near.radius < 2.2 * radius
    plain = dusty()[0] * 0 + np.array([0.3, 0.4, 0.6], np.float32)
    plain = plain + np.random.default_rng(1).normal(0, 0.002, plain.shape).astype(np.float32)
    red = plain.copy()
    red[inside(300, 300, 9, red.shape)] *= (1, 0.6, 0.5)
    bar = plain.copy()
    bar[200:210, 100:800] *= 0.8
    assert find_specks(plain) == find_specks(red) == find_specks(bar) == []
