"""The pages: the list of series, the sheet, the bench."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np
from flask import Blueprint, Response, redirect, render_template, request, send_file
from werkzeug.wrappers import Response as AnyResponse

from oatmeal.core import carry, colour, curve, film, formula, measure, ranges
from oatmeal.core.examples import CHANNEL_STARTS, FORMULA_EXAMPLES
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import (
    REST,
    WEIGHINGS,
    Base,
    Channels,
    Film,
    Formula,
    Plain,
    Recipe,
    Six,
    from_document,
)
from oatmeal.library import photographs, recipes, series, versions
from oatmeal.library.models import Photograph, Version
from oatmeal.photofile.encode import FORMATS
from oatmeal.web.app import asset, services

pages = Blueprint("pages", __name__)

#: L* in the middle of zones I to IX.
ZONE_MIDDLES = np.arange(10, 100, 10)


@pages.get("/")
def series_list() -> str:
    """All series."""
    with services().database.session() as session:
        return render_template("series.html", entries=series.listed(session))


@pages.get("/series/<int:series_id>")
def sheet(series_id: int) -> str:
    """One series as a contact sheet."""
    with services().database.session() as session:
        found = series.get(session, series_id)
        frames = [frame_card(item) for item in photographs.present(session, series_id)]
        start = {
            "groups": [{"name": group.name, "step": group.step} for group in carry.GROUPS],
            "codes": [asdict(reading) for reading in measure.code_readings()],
            "formats": list(FORMATS),
            "recipes": [
                {"source": one["source"], "name": one["name"]} for one in recipes.listed(session)
            ],
        }
        return render_template("sheet.html", series=found, frames=frames, start=start)


def frame_card(photograph: Photograph) -> dict[str, Any]:
    """What the sheet shows of a photograph."""
    version = photograph.shown
    others = len(photograph.versions) - 1
    started = bool(version.head and version.head.parent_id) or versions.recipe_of(version) != REST
    return {
        "id": photograph.id,
        "title": photograph.title,
        "caption": photograph.caption,
        "note": photograph.note,
        "version_id": version.id,
        "version": version.name if started or others else "not started",
        "others": others,
        "started": started,
        "revision": version.revision,
        "width": photograph.width,
        "height": photograph.height,
    }


@pages.get("/bench/<int:photograph_id>")
def bench(photograph_id: int) -> str:
    """The page where one photograph is worked on."""
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
        siblings = photographs.present(session, photograph.series_id)
        place = [item.id for item in siblings].index(photograph.id)
        version = _wanted_version(photograph)
        return render_template(
            "bench.html",
            photograph=photograph,
            number=place + 1,
            before=siblings[place - 1] if place else None,
            after=siblings[place + 1] if place + 1 < len(siblings) else None,
            start={
                "photograph": {
                    "id": photograph.id,
                    "width": photograph.width,
                    "height": photograph.height,
                    "bits": photograph.bits,
                    "jpeg": photograph.suffix == ".jpg",
                },
                "version": versions.state(session, version),
                "versions": versions.listed(photograph),
                "beside": [
                    {"id": item.id, "width": item.width, "height": item.height}
                    for item in siblings[place + 1 : place + 2] + siblings[:place][-1:]
                ],
                "vocabulary": vocabulary(),
            },
        )


def _wanted_version(photograph: Photograph) -> Version:
    """The version that the address names, or the one that the sheet shows."""
    wanted = request.args.get("version", type=int)
    return next((item for item in photograph.versions if item.id == wanted), photograph.shown)


def vocabulary() -> dict[str, Any]:
    """The core's constants that the bench draws with, so that no script repeats them."""
    bases: list[Base] = [
        Film(kind="film", filter="orange"),
        Channels(kind="channels"),
        Six(kind="six"),
        Formula(kind="formula", text="0.3*r + 0.59*g + 0.11*b"),
        Plain(kind="plain"),
    ]
    return {
        "rest": Recipe().full_document(),
        "bases": {base.kind: base.model_dump(mode="json", exclude_none=True) for base in bases},
        "weighings": {name: plain_chart(name) for name in WEIGHINGS},
        "films": film.FILMS,
        "filters": film.FILTERS,
        "spectrum": film.spectral_colours(),
        "channel_starts": CHANNEL_STARTS,
        "formula_examples": FORMULA_EXAMPLES,
        "formula_names": [*formula.VARIABLES, *formula.FUNCTIONS],
        "centres": ranges.CENTRES,
        "hues": [hex_of_hue(hue) for hue in range(0, 360, 4)],
        "ranges": list(ranges.NAMES),
        "curves": {name: [list(point) for point in curve.SHIPPED[name]] for name in curve.SHIPPED},
        "zone_codes": [
            int(code)
            for code in (
                colour.encode_srgb(colour.luminance_of_lightness(ZONE_MIDDLES)) * 255 + 0.5
            )
        ],
        "codes": [asdict(reading) for reading in measure.code_readings()],
        "formats": list(FORMATS),
    }


def plain_chart(weighing: str) -> list[int]:
    """Codes of the six pure colours, red to magenta, under a plain conversion."""
    pure = np.array(
        [[(1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 1, 1), (0, 0, 1), (1, 0, 1)]], np.float32
    )
    recipe = from_document({"mix": {"base": {"kind": "plain", "weighing": weighing}}})
    return [int(code) for code in Pipeline(pure).codes(recipe)[0]]


def hex_of_hue(hue_degrees: float) -> str:
    """A middling colour of an OKLCh hue, for the grey map's foot."""
    angle = np.radians(hue_degrees)
    lab = np.array([0.68, 0.12 * np.cos(angle), 0.12 * np.sin(angle)])
    shown = colour.encode_srgb(np.clip(colour.oklab_to_linear(lab), 0, 1))
    return "#" + "".join(f"{int(value * 255 + 0.5):02x}" for value in shown)


@pages.get("/pictures/<int:photograph_id>.jpg")
def small_picture(photograph_id: int) -> Response:
    """A small picture of a photograph: its present version in grey, or ``?colour=1``."""
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
        recipe = versions.recipe_of(photograph.shown)
    colour = request.args.get("colour") == "1"
    path = services().small.picture(photograph, None if colour else recipe)
    return send_file(path, mimetype="image/jpeg", max_age=0, conditional=True)


@pages.get("/favicon.ico")
def favicon() -> AnyResponse:
    """Browsers ask for this name on their own."""
    return redirect(asset("favicon.svg"))
