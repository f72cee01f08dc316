"""Frames for the bench and finished files for download."""

from __future__ import annotations

import json
import struct
from dataclasses import asdict
from typing import Any

from flask import Blueprint, Response, request, send_file

from oatmeal.core.colour import ranges
from oatmeal.core.recipe import from_document
from oatmeal.core.seeing import strip
from oatmeal.core.seeing.points import BUDGET
from oatmeal.exports.finished import FinishedFile, finished_file
from oatmeal.library import photographs, versions
from oatmeal.library.desk import Desk
from oatmeal.library.errors import Invalid
from oatmeal.library.requests import LAYERS, Request, Strip
from oatmeal.photofile import encode
from oatmeal.photofile.encode import MIMETYPES, Output
from oatmeal.web.parsing import body, number, output_of, share, text
from oatmeal.web.services import services

rendering = Blueprint("rendering", __name__)


@rendering.post("/api/photographs/<int:photograph_id>/frame")
def frame(photograph_id: int) -> Response:
    """Render a photograph.

    The body is ``{recipe, side, layers?, region?, trace?, touched?, strip?, pins?}``. The answer
    is binary: the length of a JSON header (4 bytes, little-endian), the header, then the raw 8-bit
    layers it lists.
    """
    wanted = _request(body())
    made = _desk(photograph_id).frame(wanted)
    header = json.dumps(
        {
            "width": made.width,
            "height": made.height,
            "size": made.size,
            "region": made.region,
            "layers": [[name, 1 if layer.ndim == 2 else 3] for name, layer in made.layers],
            "figures": made.figures,
        }
    ).encode()
    parts = [struct.pack("<I", len(header)), header]
    parts += [layer.tobytes() for _, layer in made.layers]
    return Response(b"".join(parts), mimetype="application/octet-stream")


def _request(document: dict[str, Any]) -> Request:
    layers = document.get("layers", ["grey"])
    if not isinstance(layers, list) or not set(layers) <= set(LAYERS):
        raise Invalid("layers may be " + ", ".join(LAYERS) + ".")
    region = document.get("region")
    if region is not None and (
        not isinstance(region, list) or [type(value) for value in region] != [int] * 4
    ):
        raise Invalid("region must be four whole numbers: x, y, width, height.")
    trace = document.get("trace")
    if trace is not None and type(trace) is not int and trace not in ranges.NAMES:
        raise Invalid("trace must name a range or the number of a picked colour.")
    return Request(
        from_document(document.get("recipe")),
        number(document, "side"),
        layers,
        tuple(region) if region is not None else None,
        trace,
        _touched(document.get("touched")),
        _strip(document),
        _pins(document.get("pins", [])),
    )


def _pins(wanted: Any) -> list[tuple[float, float]]:
    if not isinstance(wanted, list) or len(wanted) > versions.MAX_PINS:
        raise Invalid(f"There can be {versions.MAX_PINS} pins at the most.")
    if any(not isinstance(place, list) or len(place) != 2 for place in wanted):
        raise Invalid("A place is two numbers from 0 to 1.")
    return [(share(x), share(y)) for x, y in wanted]


def _touched(wanted: Any) -> tuple[float, float] | int | None:
    if wanted is None or type(wanted) is int:
        return wanted
    if not isinstance(wanted, list) or len(wanted) != 2:
        raise Invalid("touched must be a place or the number of a picked colour.")
    return share(wanted[0]), share(wanted[1])


def _strip(document: dict[str, Any]) -> Strip | None:
    wanted = document.get("strip")
    if wanted is None:
        return None
    if not isinstance(wanted, dict) or not isinstance(wanted.get("values"), list):
        raise Invalid("strip must name a path and its values.")
    recipe = from_document(document.get("recipe"))
    recipes = strip.variants(recipe, text(wanted, "path"), wanted["values"])
    return Strip(recipes, wanted.get("upright") is not False)


def _desk(photograph_id: int) -> Desk:
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
    return services().workbench.desk(photograph)


@rendering.post("/api/photographs/<int:photograph_id>/spot")
def spot(photograph_id: int) -> dict[str, Any]:
    """What lies at a place: its colour, and how each lift moves for one stop there."""
    document = body()
    recipe = from_document(document.get("recipe"))
    place = share(document.get("x")), share(document.get("y"))
    return asdict(_desk(photograph_id).spot(recipe, *place))


@rendering.post("/api/photographs/<int:photograph_id>/balance")
def balance(photograph_id: int) -> dict[str, Any]:
    """Lifts that part the picture's colours, and a sentence on what they do."""
    document = body()
    strength = document.get("strength", 70)
    if type(strength) not in (int, float) or not 0 <= strength <= 100:
        raise Invalid("The strength must be from 0 to 100.")
    return asdict(_desk(photograph_id).balance(from_document(document.get("recipe")), strength))


@rendering.post("/api/photographs/<int:photograph_id>/points")
def points(photograph_id: int) -> dict[str, Any]:
    """Levels that let the scale reach from black to 2 % ink."""
    document = body()
    percent = document.get("budget", 100 * BUDGET)
    if not isinstance(percent, int | float) or not 0 <= percent <= 5:
        raise Invalid("The budget must be from 0 to 5 percent.")
    recipe = from_document(document.get("recipe"))
    levels = _desk(photograph_id).points(recipe, percent / 100)
    return {"levels": levels.model_dump(mode="json")}


@rendering.post("/api/photographs/<int:photograph_id>/separate")
def separate(photograph_id: int) -> dict[str, Any]:
    """Lifts that part two of the picture's colours."""
    document = body()
    pair = document.get("colours")
    if not isinstance(pair, list) or [type(name) for name in pair] != [str, str]:
        raise Invalid("Name two colours.")
    recipe = from_document(document.get("recipe"))
    return asdict(_desk(photograph_id).separate(recipe, (pair[0], pair[1])))


@rendering.post("/api/photographs/<int:photograph_id>/starts")
def starting_points(photograph_id: int) -> list[dict[str, Any]]:
    """Twelve starting points: names, words, and the whole recipe of each."""
    recipe = from_document(body().get("recipe"))
    return [
        {
            "name": start.name,
            "words": start.words,
            "recipe": recipe.model_copy(update={"mix": start.mix}).full_document(),
        }
        for start in _desk(photograph_id).starts(recipe)
    ]


@rendering.post("/api/photographs/<int:photograph_id>/ready")
def ready(photograph_id: int) -> dict[str, Any]:
    """Prepare a photograph before it is asked for.

    The body is ``{side?, closeup?}``: with a side, the shown version's frame of that size is
    rendered ahead; unless closeup is false, the file is decoded for the first look at 100 %.
    """
    document = body()
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
        recipe = versions.recipe_of(photograph.shown)
    desk = services().workbench.desk(photograph)
    if "side" in document:
        desk.frame(Request(recipe, number(document, "side")))
    if document.get("closeup") is not False:
        desk.prepare_source()
    return {"id": photograph_id}


@rendering.post("/api/versions/<int:version_id>/finished")
def finished(version_id: int) -> dict[str, Any]:
    """Make a finished file and say how large it became, before it is downloaded."""
    made = _finished(version_id, output_of(body()))
    return {"name": made.name, "width": made.width, "height": made.height, "bytes": made.bytes}


@rendering.get("/versions/<int:version_id>/finished")
def download(version_id: int) -> Response:
    """The finished file itself."""
    wanted = {key: _typed(value) for key, value in request.args.items()}
    output = output_of(wanted)
    made = _finished(version_id, output)
    return send_file(
        made.path, MIMETYPES[output.format], as_attachment=True, download_name=made.name, max_age=0
    )


@rendering.post("/api/versions/<int:version_id>/finished/look")
def look(version_id: int) -> Response:
    """A part of the finished file as it is written, ``{x, y, width, height}`` beside the form.

    ``x`` and ``y`` are shares of the picture, where the middle of the part lies.
    """
    document = body()
    made = _finished(version_id, output_of(document))
    x, y = share(document.get("x", 0.5)), share(document.get("y", 0.5))
    part = encode.part_as_png(
        made.path, x, y, number(document, "width"), number(document, "height")
    )
    return Response(part, mimetype="image/png")


def _typed(value: str) -> int | str:
    return int(value) if value.isdecimal() else value


def _finished(version_id: int, output: Output) -> FinishedFile:
    with services().database.session() as session:
        version = versions.get(session, version_id)
        photograph, recipe = version.photograph, versions.recipe_of(version)
        assert photograph.series is not None  # loaded while the session is open
    return finished_file(
        services().store, services().workbench, photograph, version.name, recipe, output
    )
