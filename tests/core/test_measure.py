"""Measurements: histogram, zones, clipping, the grey map and merging colours."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import BLUE, DEMO, GREEN, GREY, RED, codes, patches
from scipy.cluster.vq import kmeans2

from oatmeal.core import colour, tone
from oatmeal.core.picture import proxy
from oatmeal.core.recipe import REST, read
from oatmeal.core.seeing import kernels, measure
from oatmeal.core.seeing.clusters import CLUSTERS, MIN_CLUSTER_SHARE, find_clusters
from oatmeal.core.seeing.greymap import GreyMap
from oatmeal.photofile.decode import decode


def test_histogram_equals_bincount():
    eight = codes()[..., 0]
    assert np.array_equal(measure.histogram(eight), np.bincount(eight.ravel(), minlength=256))


@pytest.mark.parametrize("gain", [1.0, 1.7])
def test_the_histogram_of_light_is_that_of_its_codes(gain):
    light = (np.random.default_rng(6).random((301, 400)) ** 3).astype(np.float32)
    shown = colour.encode_srgb(np.minimum(light[::3, ::3] * gain, 1))
    there = np.bincount(np.uint8(shown * 255 + 0.5).ravel(), minlength=256)
    found = measure.light_histogram(light, 3, tone.AT_REST, gain)
    assert found.sum() == there.sum()
    assert np.abs(found - there).sum() <= 4  # the table's rounding


def test_zone_shares():
    """Zones are tenths of L* (common practice): code 119 is L* 50, zone V; 0 and 255 the ends."""
    eight = np.array([[0, 119, 119, 255]], np.uint8)
    shares = measure.zone_shares(measure.histogram(eight))
    assert shares[0] == 0.25
    assert shares[5] == 0.5
    assert shares[10] == 0.25
    assert sum(shares) == 1


def test_zone_names_have_halves():
    assert [measure.zone_name(star) for star in (0, 31, 34, 36, 97, 100)] == [
        "0", "III", "III½", "III½", "IX½", "X",
    ]  # fmt: skip


def test_clipping_counts_both_ends():
    counts = measure.histogram(np.array([[0, 0, 3, 250, 251, 255]], np.uint8))
    found = measure.clipping(counts, (0, 250))
    assert found["low"] == pytest.approx(2 / 6)
    assert found["high"] == pytest.approx(3 / 6)


def test_clipped_areas_are_told_from_small_spots():
    codes_ = np.full((300, 400), 90, np.uint8)
    codes_[::40, ::40] = 255
    assert measure.clipped_areas(codes_, 250) == 0
    codes_[100:160, 100:200] = 255
    assert measure.clipped_areas(codes_, 250) == pytest.approx(0.05, abs=0.002)
    assert measure.tones(codes_, (0, 250))["clipping"]["high"] > 0.05


@settings(max_examples=60, deadline=None)
@given(
    st.integers(1, 40), st.integers(1, 50), st.integers(1, 3), st.integers(1, 30),
    st.sampled_from([0.05, 0.35, 0.5, 0.65, 0.95]), st.integers(0, 1000),
)  # fmt: skip
def test_areas_are_those_of_opencv(height, width, step, least, share, seed):
    """Connected components of the pixels that are looked at, corners touching."""
    chosen = np.random.default_rng(seed).random((height, width)) < share
    codes = np.where(chosen, 250, 20).astype(np.uint8)
    seen = np.ascontiguousarray(codes[::step, ::step] >= 250).astype(np.uint8)
    _, _, figures, _ = cv2.connectedComponentsWithStats(seen, connectivity=8)
    sizes = figures[1:, cv2.CC_STAT_AREA]
    assert kernels.in_areas(codes, step, 250, least) == sizes[sizes >= least].sum()


def test_grey_map_shares_and_heights():
    figures = GreyMap(patches(RED, GREEN, BLUE, GREY)).figures(REST)
    ranges = {entry["name"]: entry for entry in figures["ranges"]}
    assert ranges["red"]["share"] == pytest.approx(0.25, abs=0.08)
    assert ranges["blue"]["share"] == pytest.approx(0.25, abs=0.08)
    assert ranges["magenta"]["rare"]
    assert ranges["red"]["now"] == pytest.approx(ranges["red"]["plain"])
    expected = float(colour.lightness(colour.luminance(patches(BLUE))[0, 0]))
    assert ranges["blue"]["now"] == pytest.approx(expected, abs=1.5)
    assert sum(entry["share"] for entry in figures["colours"]) == pytest.approx(1, abs=0.03)


def test_a_lift_moves_its_range_and_no_other():
    work = GreyMap(patches(RED, BLUE))
    before = {entry["name"]: entry for entry in work.figures(REST)["ranges"]}
    lifted = read('{"mix": {"lifts": {"blue": 1}}}')
    after = {entry["name"]: entry for entry in work.figures(lifted)["ranges"]}
    assert after["blue"]["now"] > before["blue"]["now"] + 8
    assert after["red"]["now"] == pytest.approx(before["red"]["now"])
    assert after["blue"]["plain"] == pytest.approx(before["blue"]["plain"])


def test_merging_is_found_and_goes_away_when_parted():
    work = GreyMap(patches(RED, GREEN))
    red, green = (colour.lightness(colour.luminance(patches(c))[0, 0]) for c in (RED, GREEN))
    assert abs(red - green) < 4  # the two differ in colour alone
    merging = work.figures(REST)["merging"]
    assert len(merging) == 1
    assert merging[0]["apart"] == pytest.approx(abs(red - green), abs=0.5)
    assert work.figures(read('{"mix": {"lifts": {"red": 0.8, "green": -0.8}}}'))["merging"] == []


def test_what_is_black_does_not_merge():
    """Different colours that both became black: nobody tells them apart, nor should."""
    dark = read('{"mix": {"lifts": {"red": -4, "green": -4}}}')
    work = GreyMap(patches(RED, GREEN))
    now = [colour_["now"] for colour_ in work.figures(dark)["colours"]]
    assert max(now) < 8
    assert abs(now[0] - now[1]) < 4
    assert work.figures(dark)["merging"] == []


def test_the_guard_is_for_the_files_pixels_not_for_the_maps_sample():
    lifts = '"lifts": {"red": 1, "green": -1, "blue": -2}'
    guarded = read('{"mix": {%s, "guard": 100}}' % lifts)  # noqa: UP031
    bare = read('{"mix": {%s, "guard": 0}}' % lifts)  # noqa: UP031
    work = GreyMap(patches(RED, GREEN, BLUE, size=8))
    assert work.figures(guarded) == work.figures(bare)
    assert work.trace(guarded, "red") == work.trace(bare, "red")


def test_trace_rises_and_agrees_with_the_figures():
    work = GreyMap(patches(RED, GREEN, BLUE))
    heights = dict(work.trace(REST, "blue"))
    assert (np.diff(list(heights.values())) >= 0).all()
    lifted = work.figures(read('{"mix": {"lifts": {"blue": 1}}}'))["ranges"][5]["now"]
    assert heights[1.0] == pytest.approx(lifted, abs=0.5)


def test_clusters_are_the_same_every_time():
    lab = colour.oklab(patches(RED, GREEN, BLUE, GREY))
    one, two = find_clusters(lab), find_clusters(lab)
    assert np.array_equal(one.labels, two.labels)
    assert one.shares.sum() == pytest.approx(1)


def test_clusters_are_those_of_scipys_kmeans():
    lab = colour.oklab(proxy(decode(DEMO / "painted-wagon.jpg"), 160))
    points = lab.reshape(-1, 3)
    centres, labels = kmeans2(points, CLUSTERS, minit="++", iter=25, rng=7)
    found = find_clusters(lab)
    kept = np.bincount(labels) >= MIN_CLUSTER_SHARE * len(points)
    assert np.array_equal(found.centres, centres[kept])
    assert np.array_equal(found.labels, np.where(kept, np.cumsum(kept) - 1, -1)[labels])


def test_as_many_clusters_as_colours_where_those_are_few():
    lab = colour.oklab(patches(RED, GREEN, BLUE, GREY))
    assert len(find_clusters(lab).centres) == 4


@pytest.mark.parametrize(
    "pixels", [np.zeros((1, 1, 3)), np.ones((3, 500, 3)), np.full((9, 9, 3), -0.2)]
)
def test_pictures_without_colour_or_size_are_measured_too(pixels):
    figures = GreyMap(pixels.astype(np.float32)).figures(REST)
    assert len(figures["ranges"]) == 8
    assert figures["merging"] == []
