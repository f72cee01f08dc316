"""Picked colours, Separate, spots, starting points and test strips."""

import cv2
import numpy as np
import pytest
from samples import BLUE, DEMO, GREEN, GREY, RED, patches
from skimage import data

from oatmeal.core import colour, mix
from oatmeal.core.colour import decode_srgb, lightness
from oatmeal.core.picture import ArrayPicture, proxy
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST, Picked, RecipeError, from_document, read
from oatmeal.core.recipe.shipped import by_name
from oatmeal.core.seeing import strip
from oatmeal.core.seeing.clusters import find_clusters
from oatmeal.core.seeing.greymap import GreyMap
from oatmeal.core.seeing.spot import fitting_reach, read_pin, read_spot, touched, touched_by_picked
from oatmeal.core.seeing.starts import starts
from oatmeal.core.trust import Trust
from oatmeal.photofile.decode import decode

OTHER_RED = (210, 90, 70)


def hexed(codes):
    return "#" + "".join(f"{code:02x}" for code in codes)


def stops_between(rgb, recipe):
    """How far a recipe moves each pixel, in stops."""
    return np.log2(Pipeline(rgb).mixed(recipe) / Pipeline(rgb).mixed(REST))


def test_a_picked_colour_parts_two_things_in_one_range():
    """lift * exp(-(d / reach)^2 / 2), d the OKLab distance, in double precision."""
    rgb = patches(RED, OTHER_RED, GREEN, GREY)
    recipe = from_document(
        {"mix": {"picked": [{"colour": hexed(RED), "reach": 0.05, "lift": 1.5}]}}
    )
    moved = stops_between(rgb, recipe)[30]
    lab = colour.oklab(rgb)[30]
    distance = np.linalg.norm(lab - colour.lab_of_hex(hexed(RED)), axis=1)
    assert np.allclose(moved, 1.5 * np.exp(-((distance / 0.05) ** 2) / 2), atol=2e-3)
    assert moved[15] == pytest.approx(1.5, abs=0.01)
    assert moved[45] < 0.3
    off = recipe.model_copy(
        update={"mix": recipe.mix.model_copy(
            update={"picked": (recipe.mix.picked[0].model_copy(update={"on": False}),)}
        )}
    )  # fmt: skip
    assert np.array_equal(Pipeline(rgb).mixed(off), Pipeline(rgb).mixed(REST))


def test_picked_colours_stand_on_the_map_and_can_be_traced():
    recipe = from_document({"mix": {"picked": [{"colour": hexed(BLUE), "lift": 0.5}]}})
    work = GreyMap(patches(RED, BLUE))
    figures = work.figures(recipe)["picked"][0]
    assert figures["share"] == pytest.approx(0.5, abs=0.05)
    assert figures["now"] > figures["plain"] + 4
    heights = dict(work.trace(recipe, 0))
    assert heights[0.5] == pytest.approx(figures["now"], abs=0.6)
    assert (np.diff(list(heights.values())) >= 0).all()


def test_separate_parts_the_pair_and_little_else():
    work = GreyMap(patches(RED, GREEN, BLUE))
    merged = work.figures(REST)["merging"][0]
    found = work.separate(REST, tuple(merged["colours"]))
    lifted = from_document({"mix": {"lifts": found.lifts}})
    after = {entry["colour"]: entry["now"] for entry in work.figures(lifted)["colours"]}
    one, other = (after[name] for name in merged["colours"])
    assert abs(one - other) >= 8
    before = {entry["colour"]: entry["now"] for entry in work.figures(REST)["colours"]}
    blue = next(name for name in after if name not in merged["colours"])
    assert after[blue] == pytest.approx(before[blue], abs=1)
    assert "up" in found.words or "down" in found.words


@pytest.mark.parametrize("name", ["night-burner", "puppet-pilots", "painted-wagon"])
def test_each_separation_betters_a_pair_and_worsens_none(name):
    work, recipe = GreyMap(proxy(decode(DEMO / f"{name}.jpg"), 1000)), REST
    pressed = 0
    while merging := work.figures(recipe)["merging"]:
        found = work.separate(recipe, tuple(merging[0]["colours"]))
        if found is None:
            break
        pressed += 1
        begun = recipe.mix.lifts.model_dump()
        assert all(abs(stops - begun[one]) < 0.81 for one, stops in found.lifts.items())
        assert all(abs(stops) < 2.01 for stops in found.lifts.values())
        lifts = recipe.mix.lifts.model_copy(update=found.lifts)
        mix_now = recipe.mix.model_copy(update={"lifts": lifts})
        recipe = recipe.model_copy(update={"mix": mix_now})
        before = {tuple(one["colours"]): one["apart"] for one in merging}
        after = {tuple(one["colours"]): one["apart"] for one in work.figures(recipe)["merging"]}
        assert set(after) <= set(before)
        first, *others = before
        assert after.get(first, 99) > before[first]
        assert all(after[one] >= before[one] - 0.101 for one in others if one in after)
    assert 1 <= pressed < 20


def test_colours_on_edges_alone_do_not_merge():
    """Red on green, drawn softly: between them stands a brown that nobody sees as a colour."""
    hard = patches(RED, GREEN, RED, GREEN, RED, GREEN)
    soft = cv2.GaussianBlur(hard, (0, 0), 1.0)
    assert find_clusters(colour.oklab(hard)).on_edges.sum() == 0
    found = find_clusters(colour.oklab(soft))
    assert found.on_edges.sum() >= 2
    for place in np.flatnonzero(~found.on_edges):
        away = [np.abs(found.centres[place] - colour.oklab(one.reshape(1, 1, 3))).max()
                for one in (hard[0, 0], hard[0, 45])]  # fmt: skip
        assert min(away) < 0.08


def test_two_greys_of_one_range_cannot_be_separated():
    blues = [(0.55, chroma * np.cos(4.45), chroma * np.sin(4.45)) for chroma in (0.07, 0.17)]
    codes = colour.encode_srgb(colour.oklab_to_linear(blues)) * 255
    work = GreyMap(patches(*codes))
    colours = [entry["colour"] for entry in work.figures(REST)["colours"]]
    assert work.separate(REST, (colours[0], colours[1])) is None
    with pytest.raises(KeyError):
        work.separate(REST, ("#000001", colours[0]))


@pytest.mark.parametrize("codes", [RED, GREEN, BLUE, (200, 140, 60)])
def test_the_spot_itself_moves_by_the_stops_that_are_asked_for(codes):
    rgb = patches(codes, GREY)
    spot = read_spot(Pipeline(rgb), REST, 0.25, 0.5)
    assert spot.colour == hexed(codes)
    lifts = {name: 0.7 * share for name, share in spot.per_stop.items()}
    moved = stops_between(rgb, from_document({"mix": {"lifts": lifts}}))
    assert moved[30, 15] == pytest.approx(0.7, abs=0.02)
    assert moved[30, 45] == pytest.approx(0, abs=1e-6)
    mask = touched(Pipeline(rgb).analysis(REST), REST.mix, spot)
    assert mask[30, 15] == 255
    assert mask[30, 50] == 0


def test_a_neutral_spot_moves_nothing_and_a_pale_one_no_whole_range():
    """A cloud with a breath of blue would take the sky with it by stops."""
    assert read_spot(Pipeline(patches(GREY)), REST, 0.5, 0.5).per_stop == {}
    cloud, sky = patches((222, 226, 231)), patches((110, 150, 205))
    assert read_spot(Pipeline(cloud), REST, 0.5, 0.5).per_stop == {}
    moves = read_spot(Pipeline(sky), REST, 0.5, 0.5).per_stop
    assert 1 <= max(moves.values()) <= 2.5


def test_a_pale_spot_takes_little_of_the_picture_with_it():
    """Spots of a breath of colour in the demo: either they say that they do not answer, or dragging
    one a stop darker moves it about a stop, and a fraction of the picture by more than 1.5."""
    moved, taken = [], []
    for name in ("first-lift", "bunting", "valley-fog", "mugs-on-the-stall"):
        work = Pipeline(proxy(decode(DEMO / f"{name}.jpg"), 600))
        lab, rest = colour.oklab(work.prepared(REST)), work.mixed(REST)
        chroma = np.hypot(lab[..., 1], lab[..., 2])
        rows, columns = np.nonzero((chroma > 0.02) & (chroma < 0.04))
        for place in np.linspace(0, len(rows) - 1, 12).astype(int):
            y, x = rows[place], columns[place]
            found = read_spot(work, REST, (x + 0.5) / chroma.shape[1], (y + 0.5) / chroma.shape[0])
            if not found.per_stop:
                continue
            lifts = {range_: -stops for range_, stops in found.per_stop.items()}
            stops = np.log2(work.mixed(from_document({"mix": {"lifts": lifts}})) / rest)
            moved.append(-stops[max(0, y - 2) : y + 3, max(0, x - 2) : x + 3].mean())
            taken.append((stops < -1.5).mean())
    assert len(moved) >= 12
    assert np.mean(moved) == pytest.approx(1, abs=0.15)
    assert np.mean(taken) < 0.1


def test_reach_of_a_picked_colour():
    rgb = patches(RED, GREEN)
    mask = touched_by_picked(Pipeline(rgb).analysis(REST), Picked(colour=hexed(RED)))
    assert mask[30, 10] == 255
    assert mask[30, 50] == 0


def test_pins_read_the_finished_grey():
    rgb = patches(RED, GREEN)
    recipe = read('{"mix": {"lifts": {"red": 1}}, "tone": {"contrast": 20}}')
    reading = read_pin(Pipeline(rgb), recipe, 0.25, 0.5)
    code = Pipeline(rgb).codes(recipe)[30, 15]
    assert reading.now == pytest.approx(
        float(colour.lightness(colour.decode_srgb(code / 255))), abs=0.02
    )
    plain = float(colour.lightness(colour.luminance(rgb[30, 15])))
    assert reading.plain == pytest.approx(plain, abs=0.02)
    assert reading.colour == hexed(RED)


def test_twelve_starting_points_that_differ():
    rgb = patches(RED, GREEN, BLUE, OTHER_RED, GREY, (230, 190, 60))
    found = starts(rgb, read('{"tone": {"contrast": 30}}'))
    assert len(found) == 12
    assert len({start.name for start in found}) == 12
    greys = [Pipeline(rgb).mixed(REST.model_copy(update={"mix": start.mix})) for start in found]
    for place, grey in enumerate(greys):
        for other in greys[place + 1 :]:
            assert np.abs(grey - other).max() > 0.002


def test_each_band_of_a_strip_is_that_frames_band():
    rgb = patches(RED, GREEN, BLUE, size=40)
    recipes = strip.variants(REST, "mix.lifts.blue", [-1.0, 0.0, 1.0])
    for upright in (True, False):
        made = strip.render(ArrayPicture(rgb, trust_of_file=Trust), recipes, upright=upright)
        places = strip.edges(rgb.shape[1] if upright else rgb.shape[0], 3)
        for recipe, begin, end in zip(recipes, places, places[1:], strict=False):
            whole = Pipeline(ArrayPicture(rgb, trust_of_file=Trust)).codes(recipe).astype(int)
            cut = (slice(None), slice(begin, end)) if upright else (slice(begin, end),)
            assert np.abs(made[cut] - whole[cut]).max() <= 1


@pytest.mark.parametrize(
    ("path", "values"),
    [("mix.lifts.pink", [1]), ("mix.lifts.red", [9]), ("nothing.at.all", [1]),
     ("mix.lifts.red", []), ("mix.picked.0.lift", [1]), ("mix.lifts.red", [0] * 13)],
)  # fmt: skip
def test_strips_that_make_no_sense_are_refused(path, values):
    with pytest.raises(RecipeError):
        strip.variants(REST, path, values)


def test_strips_take_choices_and_picked_colours():
    bases = [{"kind": "film", "filter": name} for name in ("none", "red")]
    assert strip.variants(REST, "mix.base", bases)[1].mix.base.filter == "red"
    recipe = from_document({"mix": {"picked": [{"colour": "#102030"}]}})
    assert strip.variants(recipe, "mix.picked.0.lift", [0.5])[0].mix.picked[0].lift == 0.5


ASTRONAUT = decode_srgb(data.astronaut() / 255).astype(np.float32)
PUPPETS = proxy(decode(DEMO / "puppet-pilots.jpg"), 1600)


@pytest.mark.parametrize(
    ("rgb", "lip", "cheek"),
    [(ASTRONAUT, (0.4375, 0.297), (0.39, 0.242)), (PUPPETS, (0.259, 0.525), (0.222, 0.475)),
     (PUPPETS, (0.72, 0.482), (0.767, 0.45))],
)  # fmt: skip
def test_a_click_on_a_lip_takes_it_and_leaves_the_cheek(rgb, lip, cheek):
    work = Pipeline(rgb)
    reach = fitting_reach(work, REST, *lip)
    colour = read_spot(work, REST, *lip).colour
    one = Picked(colour=colour, reach=reach)
    assert mix.reach(work.analysis(REST), one).mean() < 0.03

    def tones(lift):
        """L* of the picked pixels, and of the cheek."""
        picked = {"colour": colour, "reach": reach, "lift": lift}
        star = lightness(decode_srgb(work.encoded(from_document({"mix": {"picked": [picked]}}))))
        of_lip, of_cheek = (
            star[int(y * len(star)) - 2 :, int(x * star.shape[1]) - 2 :][:5, :5]
            for x, y in (lip, cheek)
        )
        return of_lip[near].mean(), of_cheek.mean()

    nearness = mix.reach(work.analysis(REST), one)
    near = nearness[int(lip[1] * len(nearness)) - 2 :, int(lip[0] * nearness.shape[1]) - 2 :]
    near = near[:5, :5] > 0.5
    assert near.any()
    rest = tones(0)
    way = -1 if rest[0] > 50 else 1
    every = (tones(way * lift) for lift in np.arange(0, 4, 0.1))
    moved = next(one for one in every if abs(one[0] - rest[0]) >= 20)
    assert abs(moved[1] - rest[1]) < 3


def test_a_sky_is_taken_with_the_usual_reach():
    rgb = proxy(decode(DEMO / "first-lift.jpg"), 800)
    assert fitting_reach(Pipeline(rgb), REST, 0.5, 0.05) == 0.06


def torn(rgb, **lifts):
    figures = GreyMap(rgb).figures(from_document({"mix": {"lifts": lifts}}))
    return [one["ranges"] for one in figures["torn"]]


def test_lifts_that_tear_skin_are_told_and_those_that_do_not_are_not():
    assert torn(ASTRONAUT, red=-0.8, orange=0.5) == [("red", "orange")]
    assert torn(PUPPETS, red=-0.8, orange=0.5)[0] == ("red", "orange")
    assert torn(ASTRONAUT, red=-0.5, orange=0.2) == []  # softened once
    assert torn(ASTRONAUT, red=-0.8, orange=-0.8) == []
    assert torn(ASTRONAUT, green=1.5, blue=-1.5) == []  # no surface of hers lies there
    assert torn(ASTRONAUT) == []
    two = np.zeros((60, 60, 3), np.float32)
    two[:, :30], two[:, 30:] = patches(RED)[0, 0], patches(BLUE)[0, 0]
    assert torn(two, red=-2, blue=2) == []  # two things of two colours are to part


def test_far_heat_is_an_infrared_look():
    """Light leaves under a black sky (common practice, no source): on the demo's First lift."""
    picture = Pipeline(proxy(decode(DEMO / "first-lift.jpg"), 1200))
    codes = picture.codes(by_name("Far heat").recipe)
    star = lightness(decode_srgb(codes / 255.0))
    height, width = star.shape
    sky = star[int(0.03 * height) : int(0.12 * height), int(0.25 * width) : int(0.4 * width)]
    grass = star[int(0.8 * height) : int(0.95 * height), int(0.1 * width) : int(0.9 * width)]
    assert np.median(sky) <= 20
    assert np.median(grass) >= 75
