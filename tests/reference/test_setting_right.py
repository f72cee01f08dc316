"""Setting right against published geometry, other libraries, and pictures whose truth is known."""

import math
from pathlib import Path

import cv2
import lensfunpy
import numpy as np
import pytest
import sklearn
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import DEMO
from scipy.interpolate import CubicHermiteSpline

from oatmeal.core import prepare
from oatmeal.core.picture import ArrayPicture, framed, proxy
from oatmeal.core.prepare import lines
from oatmeal.core.prepare.setright import Bend, SetRight, pitch, roll, yaw
from oatmeal.core.recipe import Frame, Known, Lens, from_document
from oatmeal.core.recipe.frame import HALF_DIAGONAL_MM
from oatmeal.core.seeing.uprights import find_level, find_uprights
from oatmeal.photofile import lenses
from oatmeal.photofile.decode import decode

SIZE = (6000, 4000)


def seen(point, camera, focal):
    """Where a pinhole camera sees a point of the world, in shares of the picture's sides."""
    x, y, depth = camera.T @ np.asarray(point, dtype=float)
    px = focal / HALF_DIAGONAL_MM * math.hypot(*SIZE) / 2
    return (float(x / depth * px / SIZE[0] + 0.5), float(y / depth * px / SIZE[1] + 0.5))


def edges(camera, focal):
    """Uprights and level edges of a wall four metres away."""
    uprights = [[seen((x, y, 4), camera, focal) for y in (-0.6, 0.4)] for x in (-0.8, 0.1, 0.9)]
    levels = [[seen((x, y, 4), camera, focal) for x in (-0.8, 0.9)] for y in (-0.5, 0.4)]
    return tuple(map(tuple, uprights)), tuple(map(tuple, levels))


def lean(right, line):
    """Degrees between a line on the canvas and upright."""
    one, other = right.canvas(np.multiply(line, SIZE))
    return math.degrees(math.atan2(other[0] - one[0], other[1] - one[1]))


def solved(turning, frame):
    values = {"angle": turning.angle, "tip": turning.tip, "swing": turning.swing}
    return SetRight(*SIZE, frame.model_copy(update=values | {"focal": turning.focal}), Lens())


@settings(deadline=None, max_examples=60)
@given(
    st.floats(-8, 8), st.floats(-20, 20), st.floats(-20, 20), st.sampled_from([24.0, 35.0, 70.0])
)
def test_a_known_camera_is_found_from_the_edges_it_saw(angle, tip, swing, focal):
    """Uprights and levels together tell its three angles (Caprile and Torre 1990)."""
    uprights, levels = edges(yaw(swing) @ pitch(tip) @ roll(angle), focal)
    frame = Frame.model_construct(
        **Frame().model_dump() | {"plumb": uprights, "level": levels, "focal": focal}
    )
    if abs(tip) > 2 and abs(swing) > 2:  # else two of the vanishing points lie far away
        wrong = frame.model_copy(update={"focal": 50.0})
        found = lines.set_right(SIZE, wrong, Lens())
        assert found.focal == pytest.approx(focal, abs=0.1)
    found = lines.set_right(SIZE, frame, Lens())
    assert (found.angle, found.tip, found.swing) == pytest.approx((angle, tip, swing), abs=0.02)


@pytest.mark.parametrize("assumed", [24.0, 35.0, 70.0])
def test_uprights_stand_within_a_tenth_of_a_degree_whatever_focal_length_is_assumed(assumed):
    """A wrong one changes proportions, not that parallels are parallel (Hartley, Zisserman 8.4)."""
    uprights, _ = edges(yaw(9) @ pitch(14) @ roll(2.5), 28)
    frame = Frame.model_construct(
        **Frame().model_dump() | {"plumb": uprights[::2], "focal": assumed}
    )
    right = solved(lines.set_right(SIZE, frame, Lens()), frame)
    assert max(abs(lean(right, line)) for line in uprights) < 0.1


@settings(deadline=None)
@given(st.floats(-40, 40), st.floats(-12, 12), st.floats(-8, 8))
def test_a_drawn_line_lies_level_or_stands_upright_to_a_twentieth_of_a_degree(slope, tip, bend):
    lens = Lens(bend=bend)
    across = 0.4 * math.cos(math.radians(slope))
    down = 0.4 * math.sin(math.radians(slope)) * SIZE[0] / SIZE[1]
    for line in (
        ((0.3, 0.4), (0.3 + across, 0.4 + down)),
        ((0.5, 0.3), (0.5 - down / 2.25, 0.3 + across)),
    ):
        frame = Frame(tip=tip)
        angle = lines.level(SIZE, frame, lens, line)
        right = SetRight(*SIZE, frame.model_copy(update={"angle": angle}), lens)
        off = lean(right, line) % 90
        assert min(off, 90 - off) < 0.05


def test_what_no_camera_can_have_seen_is_refused_with_a_sentence():
    aslant = ((0.1, 0.1), (0.9, 0.5)), ((0.1, 0.9), (0.9, 0.6))
    with pytest.raises(lines.NotSolved, match="lay them along edges"):
        lines.set_right(SIZE, Frame(plumb=aslant), Lens())


def test_turning_a_camera_is_the_homography_of_the_handbook():
    """K R K^-1 (Hartley and Zisserman 2003, 8.4.2), up to scale, by OpenCV's own arithmetic."""
    frame = Frame(angle=4, tip=11, swing=-7, focal=28)
    right = SetRight(*SIZE, frame, Lens())
    px = 28 / HALF_DIAGONAL_MM * math.hypot(*SIZE) / 2
    camera = np.array([[px, 0, 3000], [0, px, 2000], [0, 0, 1]])
    turned = yaw(-7) @ pitch(11) @ roll(4)
    expected = camera @ turned @ np.linalg.inv(camera)
    points = np.random.default_rng(3).random((30, 2)) * SIZE
    theirs = cv2.perspectiveTransform(points[None], expected)[0]
    ours = right.canvas(points)
    scale = np.linalg.norm(ours[1] - ours[0]) / np.linalg.norm(theirs[1] - theirs[0])
    assert np.abs((ours - ours[0]) - scale * (theirs - theirs[0])).max() < 1e-6


def test_the_bend_is_the_radial_model_that_opencv_computes():
    """Brown 1971: x (1 + k1 r^2 + k2 r^4 + k3 r^6), by cv2.projectPoints."""
    bend = Bend((-0.06, 0.012, 0.004), 1000.0)
    points = np.random.default_rng(4).uniform(-700, 700, (50, 2))
    rays = np.concatenate([points / 1000, np.ones((50, 1))], axis=1)
    camera, still = np.diag([1000.0, 1000.0, 1.0]), np.zeros(3)
    theirs = cv2.projectPoints(rays, still, still, camera, np.array([-0.06, 0.012, 0, 0, 0.004]))[0]
    assert np.allclose(bend.drawn(points), theirs[:, 0], atol=1e-8)
    assert np.allclose(bend.freed(bend.drawn(points)), points, atol=1e-8)


def optics():
    """Lenses of the open database that bend lines, as a file would name them."""
    database = lensfunpy.Database()
    cameras = [camera for camera in database.cameras if camera.crop_factor == 1.0]
    found = []
    for lens in database.lenses[::29]:
        if lens.type != lensfunpy.LensType.RECTILINEAR:
            continue
        camera = next((one for one in cameras if one.mount in lens.mounts), None)
        if camera is None or not database.find_lenses(camera, None, lens.model):
            continue
        told = lenses.Optics(camera.maker, camera.model, lens.model, lens.min_focal, 0.0, 8.0)
        if (known := lenses.known(told)) and any(known.bend):
            found.append((told, known))
    return found


def test_the_database_s_lenses_are_read_to_half_a_pixel():
    """Against the map that the database's own library makes, on pictures of 1500 pixels."""
    checked = optics()
    assert len(checked) >= 8
    database, off = lensfunpy.Database(), []
    for told, known in checked:
        camera = database.find_cameras(told.make, told.model)[0]
        lens = database.find_lenses(camera, None, told.lens)[0]
        modifier = lensfunpy.Modifier(lens, camera.crop_factor, 1500, 1000)
        modifier.initialize(told.focal_mm, 8.0, 10.0, scale=1.0)
        theirs = modifier.apply_geometry_distortion()
        if theirs is None:
            continue
        y, x = np.mgrid[20:1000:70, 20:1500:70]
        their = theirs[y, x].reshape(-1, 2).astype(float) - (749.5, 499.5)
        straight = np.stack([x, y], axis=-1).reshape(-1, 2) - (749.5, 499.5)
        ours = Bend(Lens(known=known).bend_terms(), math.hypot(1500, 1000) / 2).drawn(straight)
        scale = (ours * their).sum() / (ours**2).sum()  # what is as large matters not
        off.append(np.abs(scale * ours - their).max())
    assert np.median(off) < 0.5
    assert max(off) < 2.5, off


def test_a_lens_nobody_knows_is_none_and_its_focal_length_is_taken_as_it_is():
    told = lenses.Optics("Larkmoor", "LM-1", "Larkmoor 24 mm", 24.0)
    assert lenses.known(told) is None
    assert lenses.focal_35(told) == 24.0
    assert lenses.focal_35(lenses.Optics(focal_mm=5.0)) is None
    assert lenses.focal_35(lenses.Optics(focal_mm=5.0, focal_35_mm=26.0)) == 26.0


def test_along_a_line_the_resampling_is_the_catmull_rom_spline_of_the_root_of_light():
    """SciPy's Hermite spline with central differences as slopes, where nothing rings."""
    waves = 0.5 + 0.3 * np.sin(np.arange(120) * 0.4)  # encoded by the root
    light = np.repeat((waves**2)[None, :, None], 40, axis=0)
    picture = ArrayPicture(np.repeat(light, 3, axis=2).astype(np.float32))
    right = from_document({"prepare": {"lens": {"red": 0.4}}})  # red is read 0.4 % farther out
    found = framed(picture, prepare.geometry(right)).linear(0, 0, 120, 40)[20, :, 0]
    places = (np.arange(120) + 0.5 - 60) * 1.004 + 60 - 0.5
    spline = CubicHermiteSpline(np.arange(120), waves, np.gradient(waves))
    inner = slice(4, -4)
    assert np.abs(found[inner] - spline(places[inner]) ** 2).max() < 2e-5


def test_an_edge_neither_rings_nor_softens():
    """At most 3 L* below and 0.5 above; the project's own measure."""
    edge = np.full((300, 300, 3), 0.02, np.float32)
    edge[:, 150:] = 0.7
    view = framed(ArrayPicture(edge), prepare.Framing(Frame(angle=3)))
    light = view.linear(0, 0, view.width, view.height)[20:-20, 20:-20, 1]
    assert light.min() > 0.0195
    assert light.max() < 0.7005
    steep = np.diff(np.sqrt(light), axis=1).max(axis=1)
    assert steep.min() > 0.48 * (math.sqrt(0.7) - math.sqrt(0.02))


def front(angle, tip):
    """A made-up front as a turned and tipped camera sees it."""
    wall = np.full((1000, 1500), 0.45, np.float32)
    wall[::30] = 0.3
    for top in range(100, 900, 200):
        for left in range(120, 1400, 160):
            wall[top : top + 130, left : left + 75] = 0.08
    right = SetRight(1500, 1000, Frame(angle=angle, tip=tip), Lens())
    y, x = np.mgrid[0:1000, 0:1500]
    canvas = right.canvas(np.stack([x + 0.5, y + 0.5], axis=-1)) + np.array([750, 500])
    place = canvas.astype(np.float32) - 0.5
    taken = cv2.remap(wall, place[..., 0], place[..., 1], cv2.INTER_LINEAR, borderValue=0.6)
    noisy = taken + np.random.default_rng(2).normal(0, 0.01, taken.shape)
    return np.repeat(np.clip(noisy, 0, 1)[..., None], 3, axis=2).astype(np.float32)


def test_find_sets_a_turned_and_a_tipped_front_right():
    for angle in (3.0, -2.0):
        found = find_level(front(angle, 0), (1500, 1000), Frame(), Lens())
        assert found.frame["angle"] == pytest.approx(angle, abs=0.3)
    found = find_uprights(front(-1.5, 11), (1500, 1000), Frame(), Lens())
    assert (found.frame["angle"], found.frame["tip"]) == pytest.approx((-1.5, 11), abs=0.3)
    assert len(found.frame["plumb"]) >= 2


def test_find_does_nothing_where_nothing_is_sure():
    noise = np.random.default_rng(1).random((600, 900, 3)).astype(np.float32)
    for find in (find_level, find_uprights):
        found = find(noise, (900, 600), Frame(), Lens())
        assert found.frame == {}
        assert found.words


def test_known_and_by_hand_add_up():
    known = Known(name="a lens", bend=(-0.03, 0.01, 0.0), falloff=(0.2, 0.0, 0.0), red=0.02)
    lens = Lens(bend=1.0, red=0.05, falloff=0.5, known=known)
    assert lens.bend_terms() == pytest.approx((-0.02, 0.01, 0.0))
    assert lens.fringes() == pytest.approx((1.0007, 1.0))
    assert lens.gain(1.0) == pytest.approx(2**0.5 * 1.2)
    off = lens.model_copy(update={"use_known": False})
    assert off.bend_terms() == pytest.approx((0.01, 0.0, 0.0))


def test_one_line_alone_turns_the_picture_through_what_is_set_already():
    """With a tip from elsewhere the line stands upright still, and the tip stays."""
    uprights, levels = edges(pitch(14) @ roll(2.5), 28)
    for lines_laid in ({"plumb": uprights[:1]}, {"level": levels[:1]}):
        frame = Frame(tip=10, focal=28, **lines_laid)
        turning = lines.set_right(SIZE, frame, Lens())
        assert (turning.tip, turning.swing) == (10, 0)
        line = next(iter(lines_laid.values()))[0]
        off = lean(solved(turning, frame), line) % 90
        assert min(off, 90 - off) < 0.01


def test_a_straight_photograph_is_not_turned():
    """scikit-learn's china.jpg, taken level, was turned by 23 degrees along edges of few pixels."""
    path = Path(sklearn.__file__).parent / "datasets" / "images" / "china.jpg"
    picture = proxy(decode(path), 1600)
    for found in (
        find_level(picture, (640, 427), Frame(), Lens()),
        find_uprights(picture, (640, 427), Frame(), Lens()),
    ):
        assert found.frame == {}
        assert found.words.startswith("Not sure enough, so nothing was changed")


@pytest.mark.parametrize(
    ("name", "size"),
    [("bunting", (1800, 1200)), ("painted-wagon", (1800, 1200)), ("straight-up", (1200, 1800))],
)
def test_lines_that_are_proposed_are_long_enough_to_be_seen(name, size):
    picture = proxy(decode(DEMO / f"{name}.jpg"), 1600)
    found = find_uprights(picture, size, Frame(), Lens())
    ends = np.array(found.frame["plumb"]) * size
    assert (np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1) >= 0.05 * max(size)).all()
    assert abs(found.frame["angle"]) <= 10
