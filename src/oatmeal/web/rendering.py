"""Frames for the bench and finished files for download."""

from __future__ import annotations

import struct
from dataclasses import asdict, fields
from io import BytesIO
from typing import Any, Final

from flask import Blueprint, Response, request, send_file
from pydantic_core import to_json

from oatmeal.core.recipe import Spot
from oatmeal.core.seeing import strip
from oatmeal.exports import handover
from oatmeal.exports.finished import FinishedFile, file_name, finished_file
from oatmeal.exports.printingmap import printing_map as drawn_map
from oatmeal.exports.printingmap import written
from oatmeal.library import photographs, versions
from oatmeal.library.errors import Invalid
from oatmeal.photofile import encode
from oatmeal.photofile.output import MIMETYPES
from oatmeal.rendering.desk import Desk
from oatmeal.rendering.requests import Frame, Request, Strip
from oatmeal.web import schemas
from oatmeal.web.parsing import query, takes
from oatmeal.web.priorities import paced
from oatmeal.web.services import services

rendering = Blueprint("rendering", __name__)

MAP_TYPES: Final = {"png": "image/png", "pdf": "application/pdf"}


@rendering.post("/api/photographs/<int:photograph_id>/frame")
@takes(schemas.Wish)
def frame(photograph_id: int, wanted: schemas.Wish) -> Response:
    """Render a photograph.

    The answer is binary: the length of a JSON header (4 bytes, little-endian), the header, then the
    raw 8-bit layers it lists.
    """
    return _sent(_desk(photograph_id).frame(_request(wanted)))


def _sent(made: Frame) -> Response:
    header = to_json(
        {
            "width": made.width,
            "height": made.height,
            "size": made.size,
            "region": made.region,
            "layers": [[name, 1 if layer.ndim == 2 else 3] for name, layer in made.layers],
            "figures": made.figures,
        }
    )
    parts = [struct.pack("<I", len(header)), header]
    parts += [layer.tobytes() for _, layer in made.layers]
    return Response(b"".join(parts), mimetype="application/octet-stream")


def _request(wanted: schemas.Wish) -> Request:
    striped = None
    if wanted.strip is not None:
        recipes = strip.variants(wanted.recipe, wanted.strip.path, wanted.strip.values)
        striped = Strip(recipes, wanted.strip.upright)
    same = {one.name: getattr(wanted, one.name) for one in fields(Request) if one.name != "strip"}
    return Request(**same, strip=striped)


def _desk(photograph_id: int) -> Desk:
    at_hand = services().workbench.at_hand(photograph_id)
    if at_hand is not None:
        return at_hand
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
    return services().workbench.desk(photograph)


@rendering.post("/api/photographs/<int:photograph_id>/spot")
@takes(schemas.Spot)
def spot(photograph_id: int, wanted: schemas.Spot) -> dict[str, Any]:
    """What lies at a place: its colour, and how each lift moves for one stop there."""
    return asdict(_desk(photograph_id).spot(wanted.recipe, wanted.x, wanted.y))


@rendering.post("/api/photographs/<int:photograph_id>/pick")
@takes(schemas.Spot)
def pick(photograph_id: int, wanted: schemas.Spot) -> dict[str, Any]:
    """The colour of a place, and how far it should reach to take its thing alone."""
    desk, there = _desk(photograph_id), (wanted.recipe, wanted.x, wanted.y)
    return {"colour": desk.spot(*there).colour, "reach": desk.fitting_reach(*there)}


@rendering.post("/api/photographs/<int:photograph_id>/balance")
@takes(schemas.Balance)
def balance(photograph_id: int, wanted: schemas.Balance) -> dict[str, Any]:
    """Lifts that part the picture's colours, and a sentence on what they do."""
    return asdict(_desk(photograph_id).balance(wanted.recipe, wanted.strength))


@rendering.post("/api/photographs/<int:photograph_id>/points")
@takes(schemas.Points)
def points(photograph_id: int, wanted: schemas.Points) -> dict[str, Any]:
    """Levels that let the scale reach from black to 2 % ink."""
    levels = _desk(photograph_id).points(wanted.recipe, wanted.budget / 100)
    return {"levels": levels.model_dump(mode="json")}


@rendering.post("/api/photographs/<int:photograph_id>/neutral")
@takes(schemas.Spot)
def neutral(photograph_id: int, wanted: schemas.Spot) -> dict[str, Any]:
    """The light under which a place is grey: its warmth and tint."""
    warmth, tint = _desk(photograph_id).neutral(wanted.recipe, wanted.x, wanted.y)
    return {"light": {"warmth": warmth, "tint": tint}}


@rendering.post("/api/photographs/<int:photograph_id>/light")
@takes(schemas.Of)
def find_light(photograph_id: int, wanted: schemas.Of) -> dict[str, Any]:
    """The light that the picture was taken in, if it tells that, and how sure it is."""
    found = _desk(photograph_id).find_light(wanted.recipe)
    light = None if found.light is None else dict(zip(("warmth", "tint"), found.light, strict=True))
    return {"light": light, "words": found.words}


@rendering.get("/api/photographs/<int:photograph_id>/camera-look")
def camera_look(photograph_id: int) -> dict[str, Any]:
    """Of a raw file: the curve that leads to the camera's own preview."""
    curve = _desk(photograph_id).camera_look()
    if curve is None:
        raise Invalid("The file holds no preview of its camera, which would say how it meant it.")
    return {"camera": curve}


@rendering.post("/api/photographs/<int:photograph_id>/begin")
@takes(schemas.Of)
def begin(photograph_id: int, wanted: schemas.Of) -> dict[str, Any]:
    """A first light for the colour picture, and a sentence on what it does and why."""
    found = _desk(photograph_id).begin(wanted.recipe)
    return {"light": found.light.model_dump(mode="json"), "words": found.words}


@rendering.post("/api/photographs/<int:photograph_id>/level")
@takes(schemas.Drawn)
def level(photograph_id: int, wanted: schemas.Drawn) -> dict[str, Any]:
    """The frame's angle at which a drawn line lies level or stands upright."""
    return {"frame": _desk(photograph_id).standing.level(wanted.recipe, wanted.line)}


@rendering.post("/api/photographs/<int:photograph_id>/set-right")
@takes(schemas.Of)
def set_right(photograph_id: int, wanted: schemas.Of) -> dict[str, Any]:
    """Values of the frame at which its plumb and level lines are set right."""
    return {"frame": _desk(photograph_id).standing.set_right(wanted.recipe)}


@rendering.post("/api/photographs/<int:photograph_id>/find-level")
@takes(schemas.Of)
def find_level(photograph_id: int, wanted: schemas.Of) -> dict[str, Any]:
    """The angle that most straight edges ask for, if they agree, and a sentence."""
    return asdict(_desk(photograph_id).standing.find_level(wanted.recipe))


@rendering.post("/api/photographs/<int:photograph_id>/find-uprights")
@takes(schemas.Of)
def find_uprights(photograph_id: int, wanted: schemas.Of) -> dict[str, Any]:
    """Plumb lines along edges that agree on what is upright, if enough do, and a sentence."""
    return asdict(_desk(photograph_id).standing.find_uprights(wanted.recipe))


@rendering.get("/api/photographs/<int:photograph_id>/noise")
def noise(photograph_id: int) -> dict[str, Any]:
    """How much of its noise the picture seems to need taken away."""
    found = _desk(photograph_id).cleaning.needed()
    return {"light": found.light, "colour": found.colour}


@rendering.post("/api/photographs/<int:photograph_id>/heal")
@takes(schemas.Healed)
def heal(photograph_id: int, wanted: schemas.Healed) -> dict[str, Any]:
    """Where a spot is best healed from."""
    spot = Spot(path=wanted.path, radius=wanted.radius)
    return {"source": _desk(photograph_id).cleaning.heal(wanted.recipe, spot, wanted.number)}


@rendering.post("/api/photographs/<int:photograph_id>/specks")
@takes(schemas.Of)
def specks(photograph_id: int, wanted: schemas.Of) -> dict[str, Any]:
    """Likely dust, to be confirmed."""
    return {"specks": _desk(photograph_id).cleaning.specks(wanted.recipe)}


@rendering.post("/api/photographs/<int:photograph_id>/side-fringes")
@takes(schemas.Of)
def side_fringes(photograph_id: int, wanted: schemas.Of) -> dict[str, Any]:
    """How much larger the lens drew red and blue than green, and a sentence."""
    found = _desk(photograph_id).cleaning.side_fringes()
    told = {"red": found.red, "blue": found.blue}
    return {
        "lens": {name: one for name, one in told.items() if one is not None},
        "words": found.words,
    }


@rendering.get("/api/photographs/<int:photograph_id>/lens")
def lens(photograph_id: int) -> dict[str, Any]:
    """What is known of the lens, if anything, and a sentence."""
    told, known = _desk(photograph_id).standing.lens()
    if known is not None:
        return {"known": known.model_dump(mode="json"), "words": f"As known for {known.name}."}
    if not told.make and not told.lens:
        words = "The file does not say which lens it was taken with"
    else:
        named = told.lens or "a lens without a name"
        words = f"The database knows nothing of {named} on {told.make} {told.model}".strip()
    return {"known": None, "words": f"{words}: set bend, falloff and fringes by hand."}


@rendering.post("/api/photographs/<int:photograph_id>/separate")
@takes(schemas.Pair)
def separate(photograph_id: int, wanted: schemas.Pair) -> dict[str, Any]:
    """Lifts that part two of the picture's colours."""
    return asdict(_desk(photograph_id).separate(wanted.recipe, wanted.colours))


@rendering.post("/api/photographs/<int:photograph_id>/weighings")
@takes(schemas.Of)
def weighings(photograph_id: int, wanted: schemas.Of) -> Response:
    """The plain conversions as small pictures; the answer is that of a frame."""
    return _sent(_desk(photograph_id).weighings(wanted.recipe))


@rendering.post("/api/photographs/<int:photograph_id>/starts")
@takes(schemas.Of)
def starting_points(photograph_id: int, wanted: schemas.Of) -> list[dict[str, Any]]:
    """Twelve starting points: names, words, and the whole recipe of each."""
    recipe = wanted.recipe
    return [
        {
            "name": start.name,
            "words": start.words,
            "recipe": recipe.model_copy(update={"mix": start.mix}).full_document(),
        }
        for start in _desk(photograph_id).starts(recipe)
    ]


@rendering.post("/api/photographs/<int:photograph_id>/ready")
@paced("file")  # nobody waits for it, and no frame shall
@takes(schemas.Ready)
def ready(photograph_id: int, wanted: schemas.Ready) -> dict[str, Any]:
    """Prepare a photograph before it is asked for.

    With a side, the shown version's frame of that size is rendered ahead; unless closeup is false,
    the file is decoded for the first look at 100 %, and what its colour carries is measured.
    """
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
        recipe = versions.recipe_of(photograph.shown)
    desk = services().workbench.desk(photograph)
    if wanted.side is not None:
        desk.frame(Request(recipe, wanted.side))
    if wanted.closeup:
        desk.prepare_source()
    return {"id": photograph_id, "transparent": desk.transparent, "holds": desk.holds}


@rendering.post("/api/versions/<int:version_id>/finished")
@paced("file")
@takes(schemas.Form)
def finished(version_id: int, wanted: schemas.Form) -> dict[str, Any]:
    """Make a finished file and say how large it became, before it is downloaded."""
    made = _finished(version_id, wanted)
    return {"name": made.name, "width": made.width, "height": made.height, "bytes": made.bytes}


@rendering.post("/api/versions/<int:version_id>/finished/back")
@paced("file")
@takes(schemas.Form)
def export_back(version_id: int, wanted: schemas.Form) -> dict[str, Any]:
    """Write the finished file beside the original that was handed over."""
    made = _finished(version_id, wanted)
    with services().database.session() as session:
        version = versions.get(session, version_id)
        written_to = handover.write_back(
            version.photograph, version.name, made.path, services().store.written_back
        )
    return {"path": str(written_to)}


@rendering.get("/versions/<int:version_id>/finished")
@paced("file")
def download(version_id: int) -> Response:
    """The finished file itself."""
    wanted = query(schemas.Form, request.args)
    made = _finished(version_id, wanted)
    return send_file(
        made.path,
        MIMETYPES[wanted.output.format],
        as_attachment=True,
        download_name=made.name,
        max_age=0,
    )


@rendering.get("/versions/<int:version_id>/map")
@paced("file")
def printing_map(version_id: int) -> Response:
    """The printing map of a version, ``?format=png`` or ``pdf``."""
    kind = query(schemas.MapForm, request.args).format
    with services().database.session() as session:
        version = versions.get(session, version_id)
        photograph, recipe = version.photograph, versions.recipe_of(version)
        title = f"{photograph.series.name} / {photograph.position:02d} {photograph.title}"
        name = file_name(photograph, version.name)
        title = f"{title} / {version.name}"
    source = services().workbench.desk(photograph).source()
    content = BytesIO(written(drawn_map(source, recipe, title), kind))
    return send_file(
        content, MAP_TYPES[kind], as_attachment=True, download_name=f"{name}-map.{kind}", max_age=0
    )


@rendering.post("/api/versions/<int:version_id>/finished/look")
@paced("file")
@takes(schemas.Look)
def look(version_id: int, wanted: schemas.Look) -> Response:
    """A part of the finished file as it is written."""
    made = _finished(version_id, wanted)
    part = encode.part_as_png(made.path, wanted.x, wanted.y, wanted.width, wanted.height)
    return Response(part, mimetype="image/png")


def _finished(version_id: int, wanted: schemas.Form) -> FinishedFile:
    with services().database.session() as session:
        version = versions.get(session, version_id)
        photograph, recipe = version.photograph, versions.recipe_of(version)
        assert photograph.series is not None  # loaded while the session is open
    return finished_file(
        services().store, services().workbench, photograph, version.name, recipe, wanted.output,
        wanted.pattern,
    )  # fmt: skip
