"""Dust, scratches, paper and edges: what lies on a print."""

import cv2
import numpy as np
import pytest
from printed import finish, flat, star

from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Pipeline

MARKS = [("dust", "amount"), ("scratches", "amount")]


@pytest.mark.parametrize(("part", "key"), MARKS)
def test_more_marks_leave_the_others_where_they_are(part, key):
    plain = Pipeline(ArrayPicture(flat(0.3, (400, 600)), seed=4))
    covers = [
        plain.encoded(finish(**{part: {key: amount}})) - np.float32(0.3) for amount in (20, 60)
    ]
    some, more = covers
    assert some.min() > -1e-6  # light marks
    assert (some > 0.1).sum() > 30
    assert (more - some).min() > -1e-6
    assert (more > 0.1).sum() > 1.5 * (some > 0.1).sum()
    dark = plain.encoded(finish(**{part: {key: 60, "light": False}})) - np.float32(0.3)
    assert dark.max() < 1e-6
    assert np.array_equal(dark < -0.05, more > 0.05 * 0.67 / 0.27)  # the same marks
    other = Pipeline(ArrayPicture(flat(0.3, (400, 600)), seed=5)).encoded(
        finish(**{part: {key: 60}})
    )
    assert not np.array_equal(other, more + np.float32(0.3))
    again = plain.encoded(finish(**{part: {key: 60, "seed": 2}}))
    assert not np.array_equal(again, more + np.float32(0.3))


@pytest.mark.parametrize(
    "part",
    [
        {"dust": {"amount": 100}},
        {"scratches": {"amount": 100}},
        {"paper": {"amount": 80, "size": 100}},
        {"border": {"uneven": {"width": 30}}},
    ],
)
def test_what_lies_on_a_print_looks_the_same_at_every_size(part):
    wanted = finish(**part)
    small, large = (
        Pipeline(ArrayPicture(flat(0.5, (high, 3 * high // 2)), seed=9)).encoded(wanted)
        - np.float32(0.5)
        for high in (800, 2000)
    )
    size = (300, 200)
    one, other = (cv2.resize(cover, size, interpolation=cv2.INTER_AREA) for cover in (small, large))
    assert np.abs(one).mean() > 3e-4
    assert np.abs(one - other).mean() < 0.15 * np.abs(one).mean()
    assert other.std() == pytest.approx(one.std(), rel=0.05)


def test_paper_keeps_the_mean_and_lies_deepest_in_the_lights():
    moved = {}
    for encoded in (0.05, 0.5, 0.85):
        made = Pipeline(flat(encoded, (400, 600))).encoded(finish(paper={"amount": 50}))
        assert abs(star(made).mean() - star(encoded)) < 0.3
        moved[encoded] = float(made.std())
    assert moved[0.85] > moved[0.5] > 1.5 * moved[0.05] > 0.001


def test_an_uneven_edge_is_paper_then_black_then_the_picture():
    wanted = finish(border={"uneven": {"width": 30, "roughness": 60, "seed": 3}})
    plain = Pipeline(ArrayPicture(flat(0.5, (400, 600)), seed=2)).encoded(finish())
    made = Pipeline(ArrayPicture(flat(0.5, (400, 600)), seed=2)).encoded(wanted)
    assert np.array_equal(made[80:320, 80:520], plain[80:320, 80:520])
    for corner in (made[0, 0], made[0, -1], made[-1, 0], made[-1, -1]):
        assert corner > 0.9  # bare paper
    for line in (made[200, :60], made[200, :-61:-1], made[:60, 300], made[:-61:-1, 300]):
        rim = np.flatnonzero(line < 0.1)
        assert 3 <= len(rim) <= 20  # a rim as wide as it says, 18 pixels with its paper
        assert rim[-1] - rim[0] + 1 == len(rim)
        assert (line[rim[-1] + 4 :] > 0.3).all()
    rim = [np.flatnonzero(line < 0.1)[0] for line in made[60:340, :60]]
    assert np.std(rim) > 0.5  # it is uneven
    even = finish(border={"uneven": {"width": 30, "roughness": 0}})
    straight = Pipeline(ArrayPicture(flat(0.5, (400, 600)), seed=2)).encoded(even)
    assert np.ptp([np.flatnonzero(line < 0.1)[0] for line in straight[60:340, :60]]) == 0
