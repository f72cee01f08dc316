"""One way to paper: what an export writes is what the stage table gives, and so is a new stage."""

import numpy as np
import pytest

from oatmeal.core.finish import printing, stages
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Pipeline, order, render
from oatmeal.core.recipe import DECLARED, REST, from_document
from oatmeal.core.stages import Stage, table

RGB = np.random.default_rng(4).uniform(0.02, 0.9, (70, 90, 3)).astype(np.float32)

#: Every part of Finish that acts on greys, away from rest.
PARTS = {
    "sharpness": {"amount": 60, "radius": 1.2},
    "glow": {"amount": 40, "reach": 5, "threshold": 70},
    "falloff": {"amount": -60, "roundness": 30},
    "burned": {"top": {"amount": -40, "reach": 40}, "left": {"amount": 30}},
    "grain": {"amount": 40},
    "dust": {"amount": 80, "light": True},
    "scratches": {"amount": 80, "light": True},
    "paper": {"amount": 60},
    "border": {"uneven": {"width": 6}},
}


def both(finish):
    """What an export writes, and what the pipeline gives."""
    recipe = from_document({"finish": finish})
    return render(ArrayPicture(RGB, seed=3), recipe, np.float32), Pipeline(
        ArrayPicture(RGB, seed=3)
    ).get("printed", recipe)


@pytest.mark.parametrize("part", [*PARTS, "all"])
def test_an_export_is_what_the_stages_give(part):
    found, wanted = both(PARTS if part == "all" else {part: PARTS[part]})
    assert np.abs(found - wanted).max() < 2e-6
    rest, _ = both({})
    assert np.abs(found - rest).max() > 0.004


def test_a_stage_added_after_shaded_is_exported_too(monkeypatch):
    """It is declared, named by the one that follows, and nothing else is told of it."""

    def turned(recipe, place, encoded):
        return 1 - encoded

    added = Stage("turned", turned, needs=("shaded",), size="output")
    known = []
    for one in stages.STAGES:
        if one.name == "grained":
            one = Stage(**{**vars(one), "needs": ("turned", *one.needs[1:])})
        known += [one, added] if one.name == "shaded" else [one]
    everything = [one for one in order.STAGES.values() if one not in stages.STAGES]
    monkeypatch.setattr(order, "STAGES", table(*everything, *known))
    monkeypatch.setattr("oatmeal.core.pipeline.work.STAGES", order.STAGES)
    monkeypatch.setattr(printing, "_TABLE", {one.name: one for one in known})
    found, wanted = both({"grain": PARTS["grain"], "falloff": PARTS["falloff"]})
    assert np.abs(found - wanted).max() < 2e-6
    monkeypatch.undo()
    plain, _ = both({"grain": PARTS["grain"], "falloff": PARTS["falloff"]})
    assert np.abs(found - plain).max() > 0.2


TONE = [
    path
    for path in DECLARED
    if path.startswith("tone.") and path != "tone.exposure" and DECLARED[path].kind == "number"
]


@pytest.mark.parametrize("path", TONE)
def test_an_area_over_all_with_exposure_alone_is_exposure(path):
    """Whatever else of Tone is set on the whole picture."""
    one = DECLARED[path]
    document = {"tone": REST.full_document()["tone"]}
    *names, last = (int(name) if name.isdecimal() else name for name in path.split("."))
    inside = document
    for name in names:
        inside = inside[name]
    inside[last] = one.rest + 0.3 * (one.high - one.rest or one.low - one.rest)
    whole = {**document, "tone": {**document["tone"], "exposure": 1}}
    area = {"id": "a", "mask": [], "opposite": True, "values": {"exposure": 1}}
    areas = {**document, "areas": {"list": [area]}}
    wanted, found, rest = (
        Pipeline(RGB).get("encoded", from_document(made)) for made in (whole, areas, document)
    )
    assert np.abs(found - rest).max() > 0.05
    assert np.abs(found - wanted).max() < 0.5 / 255


def test_a_stage_that_says_no_size_is_refused(monkeypatch):
    """Otherwise what stands before it would be left out of every file."""
    known = {one.name: one for one in stages.STAGES}
    known["turned"] = Stage("turned", lambda recipe, place, encoded: encoded, needs=("shaded",))
    grained = known["grained"]
    known["grained"] = Stage(**{**vars(grained), "needs": ("turned", *grained.needs[1:])})
    monkeypatch.setattr(printing, "_TABLE", known)
    with pytest.raises(ValueError, match="stage turned stands after glowing, shaded"):
        printing.at_the_output()
