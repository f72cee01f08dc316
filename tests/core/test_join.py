"""Joining frames: against a view that is known, and what must always hold."""

import cv2
import numpy as np
import pytest
import wide
from hypothesis import example, given, settings
from hypothesis import strategies as st
from samples import colour_science

from oatmeal.core.join import (
    Choices,
    Frame,
    JoinError,
    bordering,
    cameras,
    composing,
    find,
    kernels,
    lay,
)
from oatmeal.core.join.bordering import largest_rectangle
from oatmeal.core.join.cameras import Camera, agreeing, bent, rotation_of, straightened
from oatmeal.core.join.canvas import SURFACES, levelled, turning
from oatmeal.core.join.lighting import Light
from oatmeal.core.join.links import features, links
from oatmeal.core.picture import reduced


@pytest.fixture(scope="module")
def four():
    _, codes = wide.taken()
    return [wide.frame(f"Frame {n + 1:02d}", one) for n, one in enumerate(codes)]


@pytest.fixture(scope="module")
def found(four):
    return find(four)


@pytest.fixture(scope="module")
def laid(found):
    return lay(found, Choices())


@pytest.fixture(scope="module")
def small():
    """The same with fewer pixels, where nobody asks how exactly they lie."""
    return [wide.frame(f"Frame {n + 1:02d}", one) for n, one in enumerate(wide.small())]


@pytest.fixture(scope="module")
def roughly(small):
    return find(small)


@pytest.fixture(scope="module")
def bordered(roughly):
    return {border: lay(roughly, Choices(border=border)) for border in ("crop", "bend", "keep")}


def test_frames_lie_where_they_were_taken_in_any_order(four, found):
    shots, _ = wide.taken()
    assert wide.off_places(found, shots) < 0.1
    order = [2, 0, 3, 1]
    shuffled = find([four[k] for k in order])
    assert wide.off_places(shuffled, [shots[k] for k in order]) < 0.1
    assert abs(found.fit.focal / shots[0].focal - 1) < 0.005


def test_without_the_lenss_bend_they_lie_worse(four, found):
    shots, _ = wide.taken()
    straight = find(four, lens=False)
    assert straight.fit.bend == 0
    assert wide.off_places(straight, shots) > 4 * wide.off_places(found, shots)


def test_patches_at_full_size_bring_them_closer(four):
    """As of large frames, of which features see a reduced copy only."""
    shots, _ = wide.taken()
    large = [Frame(one.name, one.picture, reduced(one.small, 300)) for one in four]
    fine = wide.off_places(find(large), shots)
    assert fine < 0.1
    assert fine < 0.6 * wide.off_places(find(large, fine=False), shots)


def test_exposure_and_falloff_are_found(laid):
    true = np.array([stops for *_, stops in wide.scene.TAKEN])
    own = -np.array([laid.light.stops[k] for k in range(4)])
    assert np.abs((own - own.mean()) - (true - true.mean())).max() < 0.01
    # lost: 0.45 (0.7 r² + 0.3 r⁴), so that much is given back
    assert laid.light.near + laid.light.far == pytest.approx(0.45, abs=0.03)
    ring = np.linspace(0, 1, 20)
    assert max(laid.light.factor(k, ring).max() for k in range(4)) <= 1 + 1e-6


def test_light_that_shall_stay_uneven_stays(roughly):
    light = lay(roughly, Choices(even_light=False)).light
    assert light == Light(dict.fromkeys(range(4), 0.0), 0.0)


def test_the_joined_picture_is_the_view(laid):
    """Against what was painted: as good as one frame's own noise, and as light as the frames."""
    shots, _ = wide.taken()
    picture = np.concatenate(list(laid.strips()))
    assert picture.dtype == np.uint16
    assert picture.shape == (laid.canvas.height, laid.canvas.width, 3)
    grid = np.stack(
        np.meshgrid(np.arange(20, picture.shape[1] - 20), np.arange(20, picture.shape[0] - 20)), -1
    ).astype(float)
    rays = laid.canvas.rays(grid) @ (shots[1].rotation @ laid.cameras[1].rotation.T).T
    lon = np.arctan2(rays[..., 0], rays[..., 2])
    lat = np.arctan2(-rays[..., 1], np.hypot(rays[..., 0], rays[..., 2]))
    x = ((lon + wide.scene.LON) * wide.PPR - 0.5).round().astype(int)
    y = ((wide.scene.LAT - lat) * wide.PPR - 0.5).round().astype(int)
    truth = wide.painted()[y, x]
    joined = picture[20:-20, 20:-20] / 65535
    level = np.median(wide.scene.decoded(truth)) / np.median(wide.scene.decoded(joined))
    assert np.log2(level) == pytest.approx(laid.light.raised, abs=0.1)
    even = wide.scene.encoded(wide.scene.decoded(joined) * level)
    assert 10 * np.log10(1 / np.mean((even - truth) ** 2)) > 30  # nearest places: not a pixel off
    # over a seam the error steps no more than elsewhere
    error = cv2.blur((even - truth).mean(axis=-1), (7, 7))
    step = np.abs(error[:, 12:] - error[:, :-12])
    labels = cv2.resize(laid.labels, picture.shape[1::-1], interpolation=cv2.INTER_NEAREST)
    labels = labels[20:-20, 20:-20]
    seam = labels[:, 12:] != labels[:, :-12]
    near = cv2.dilate(seam.astype(np.uint8), np.ones((1, 81))) > 0
    assert step[seam].mean() < 1.1 * step[~near].mean()


def test_borders(bordered):
    crop, bend, keep = bordered.values()
    black = [
        np.mean(np.concatenate([strip.sum(axis=2) == 0 for strip in one.strips()]))
        for one in (crop, bend, keep)
    ]
    assert black[0] == 0
    assert black[1] < 0.002
    assert black[2] > 0.02
    area = [one.canvas.width * one.canvas.height for one in (crop, bend, keep)]
    assert area[0] < 0.95 * area[1]
    assert area[1] == pytest.approx(area[2], rel=0.02)


def test_a_bent_border_keeps_shapes(bordered):
    canvas = bordered["bend"].canvas
    rows, columns = canvas.warp.shape[:2]
    across = np.diff(canvas.warp, axis=1)[:-1] * columns / canvas.width
    down = np.diff(canvas.warp, axis=0)[:, :-1] * rows / canvas.height
    both = np.stack([across, down], axis=-1)
    stretch = np.linalg.svd(both, compute_uv=False)
    assert np.percentile(stretch[..., 0] / stretch[..., 1], 95) < 1.25
    assert (np.linalg.det(both) > 0).all()  # nothing is folded over


def test_what_was_not_taken_here_is_left_out_and_named(small):
    stranger = wide.frame(
        "Frame 07", np.random.default_rng(1).integers(0, 255, (320, 480, 3), np.uint8)
    )
    found = find([small[0], stranger, small[1]])
    assert found.left_out == [1]
    assert found.notes == ["Frame 07 shares too little with the others; it is left out."]


def test_what_cannot_be_joined_says_why(small):
    with pytest.raises(JoinError, match="2 to 12"):
        find(small[:1])
    flat = wide.frame("a", np.full((200, 300, 3), 128, np.uint8))
    with pytest.raises(JoinError, match="Too little detail"):
        find([flat, flat])
    shots, _ = wide.taken()
    same = [
        wide.frame(
            str(n), wide.scene.take(wide.painted(), shots[1], wide.PPR, stops, 0.3, 0.004, n)
        )
        for n, stops in enumerate((-1.0, 0.0))
    ]
    with pytest.raises(
        JoinError, match=r"same view in different exposures, not a panorama: 0 and 1\."
    ):
        find(same)


def test_a_false_pair_is_outvoted(small, roughly):
    pairs = links(small, [features(one) for one in small])
    assert set(agreeing(small, pairs, roughly.cameras, 5.0)) == set(pairs)
    turned = dict(roughly.cameras)
    turned[1] = turned[1].turned(turning(yaw=4))
    left = agreeing(small, pairs, turned, 5.0)
    assert left
    assert all(1 not in pair for pair in left)


def test_a_drawn_line_comes_to_lie_level(roughly):
    tilted = lay(roughly, Choices(projection="cylinder", border="keep", roll=6.0))
    # two places at one height of the true view, where the tilted picture shows them
    heads = SURFACES["cylinder"].back(np.array([[-0.3, 0.1], [0.25, 0.1]]))
    rays = heads @ turning(roll=6.0).T
    canvas = tilted.canvas
    places = SURFACES["cylinder"].onto(rays) * canvas.scale - [canvas.left, canvas.top]
    shares = (places + 0.5) / [canvas.width, canvas.height]
    assert tilted.levelling(tuple(shares.ravel())) == pytest.approx(0.0, abs=0.6)


def test_the_horizon_is_level_without_a_word(found):
    """The frames were taken at rolls of -0.6 to 0.5 degrees about a level view."""
    shots, _ = wide.taken()
    up = np.array([shots[k].rotation.T @ [0, 1, 0] for k in range(4)])
    own = np.array([found.cameras[k].rotation @ up[k] for k in range(4)])
    assert np.degrees(np.arccos(own @ [0, 1, 0])).max() < 1.0
    again = levelled({k: one.turned(turning(yaw=40, roll=8)) for k, one in found.cameras.items()})
    for k, one in again.items():
        assert np.abs(one.rotation - found.cameras[k].rotation).max() < 1e-6


def test_large_joins_are_made_smaller_and_say_so(roughly):
    less = lay(roughly, Choices(border="keep"), most_pixels=100_000)
    assert less.canvas.width * less.canvas.height <= 100_000
    assert "it is made smaller" in less.notes[-1]
    told = lay(roughly, Choices(border="keep"), enlarged=4.0)
    assert told.size[0] == pytest.approx(4 * told.canvas.width, abs=1)


def test_a_view_too_wide_for_a_plane_is_laid_on_a_cylinder(small):
    two = find(small[:2])
    assert lay(two, Choices(projection="plane")).projection == "plane"
    assert lay(two, Choices()).projection == "cylinder"  # 80 degrees
    one = Camera(np.eye(3), 200.0, 0.0, np.array([374.5, 249.5]), 750, 500)
    around = {k: one.turned(turning(yaw=60 * k)) for k in range(3)}
    from oatmeal.core.join.canvas import chosen

    assert chosen(around, "plane").name == "cylinder"


@example(1.2e-7, [(0.0, 1e-5)])
@given(
    st.floats(-0.12, 0.12),
    st.lists(st.tuples(st.floats(-0.8, 0.8), st.floats(-0.8, 0.8)), min_size=1, max_size=8),
)
def test_the_lenss_bend_is_taken_out_and_put_back(bend, places):
    places = np.array(places)
    assert np.allclose(straightened(bent(places, bend), bend), places, atol=1e-7)


@given(
    st.sampled_from(sorted(SURFACES)),
    st.lists(st.tuples(st.floats(-1.2, 1.2), st.floats(-1.0, 1.0)), min_size=1, max_size=8),
)
def test_a_surface_is_left_where_it_was_entered(name, places):
    surface, places = SURFACES[name], np.array(places)
    assert np.allclose(surface.onto(surface.back(places) * 3.0), places, atol=1e-9)


@settings(max_examples=60)
@given(st.integers(1, 7), st.integers(1, 7), st.integers(0, 2**32 - 1))
def test_the_largest_rectangle_is_the_largest(width, height, seed):
    mask = np.random.default_rng(seed).random((height, width)) < 0.7
    if not mask.any():
        return
    best = max(
        (y1 - y0) * (x1 - x0)
        for y0 in range(height) for y1 in range(y0 + 1, height + 1)
        for x0 in range(width) for x1 in range(x0 + 1, width + 1)
        if mask[y0:y1, x0:x1].all()
    )  # fmt: skip
    x0, y0, x1, y1 = largest_rectangle(mask)
    assert mask[y0:y1, x0:x1].all()
    assert (y1 - y0) * (x1 - x0) == best


def test_the_wide_primaries_are_those_of_the_standard():
    """ITU-R BT.2020-2 and IEC 61966-2-1, from colour-science."""
    science = colour_science()
    spaces = science.RGB_COLOURSPACES
    matrix = science.matrix_RGB_to_RGB(spaces["sRGB"], spaces["ITU-R BT.2020"], None)
    assert np.abs(composing.TO_WIDE - matrix).max() < 6e-4


def test_choices_survive_their_document():
    choices = Choices(projection="sphere", border="bend", roll=1.5, lens=False)
    document = choices.document(["a", "b"])
    assert document["oatmeal_join"] == 1
    assert document["frames"] == ["a", "b"]
    assert Choices.of_document(document) == choices


def test_a_place_lies_in_its_cell_of_a_bent_mesh():
    y, x = np.mgrid[0:12, 0:20].astype(float)
    mesh = np.stack([10 * x + 3 * np.sin(y), 8 * y + 2 * np.cos(x / 3)], axis=-1)
    for place in np.random.default_rng(2).uniform((12, 12), (170, 74), (60, 2)):
        corners, weights = bordering._located(place, mesh)
        assert weights @ mesh.reshape(-1, 2)[_numbers(corners, mesh)] == pytest.approx(place)
    assert bordering._located(np.array([900.0, 10.0]), mesh) is None


def _numbers(corners, mesh):
    """Corners as numbers of the mesh's places."""
    corners = np.asarray(corners)
    return corners if corners.ndim == 1 else corners[:, 0] * mesh.shape[1] + corners[:, 1]


@pytest.mark.parametrize("turn", [(0.0, 0.3, 0.02), (0.25, 0.02, 0.0), (0.1, 0.2, 0.05)])
def test_the_focal_length_is_told_from_a_homography(turn):
    """K R K^-1 for a known K (Szeliski and Shum, 1997)."""
    camera = np.diag([900.0, 900.0, 1.0])
    shown = camera @ rotation_of(np.array(turn)) @ np.linalg.inv(camera)
    assert cameras._focals(shown) == [pytest.approx(900, rel=1e-6)]


def test_a_coarse_correction_is_read_between_its_pixels():
    rng = np.random.default_rng(3)
    coarse = rng.random((5, 7, 3), np.float32)
    total = np.zeros((40, 56, 3), np.float32)
    one = np.ones((40, 56), np.float32)
    kernels.add(total, np.zeros_like(total), one, coarse, (1 / 8, 1 / 8, -7 / 16, -7 / 16), one)
    wanted = cv2.resize(coarse, (56, 40), interpolation=cv2.INTER_LINEAR)
    assert np.abs(total - wanted).max() < 1e-5
