"""Frames for the bench and finished files for download."""

from __future__ import annotations

import json
import struct
from typing import Any

from flask import Blueprint, Response, request, send_file

from oatmeal.core import ranges
from oatmeal.core.recipe import from_document
from oatmeal.exports.finished import FinishedFile, finished_file
from oatmeal.library import photographs, versions
from oatmeal.library.errors import Invalid
from oatmeal.library.workbench import LAYERS, Request
from oatmeal.photofile.encode import MIMETYPES, Output
from oatmeal.web.api import body, number
from oatmeal.web.app import services

rendering = Blueprint("rendering", __name__)


@rendering.post("/api/photographs/<int:photograph_id>/frame")
def frame(photograph_id: int) -> Response:
    """Render a photograph.

    The body is ``{recipe, side, layers?, region?, trace?}``. The answer is binary: the length of
    a JSON header (4 bytes, little-endian), the header, then the raw 8-bit layers it lists.
    """
    wanted = _request(body())
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
    made = services().workbench.desk(photograph).frame(wanted)
    header = json.dumps(
        {
            "width": made.width,
            "height": made.height,
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
    if trace is not None and trace not in ranges.NAMES:
        raise Invalid("trace must name a range.")
    return Request(
        from_document(document.get("recipe")),
        number(document, "side"),
        layers,
        tuple(region) if region is not None else None,
        trace,
    )


@rendering.post("/api/photographs/<int:photograph_id>/ready")
def ready(photograph_id: int) -> dict[str, Any]:
    """Decode the file ahead of the first look at 100 %."""
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
    services().workbench.desk(photograph).prepare_source()
    return {"id": photograph_id}


@rendering.post("/api/versions/<int:version_id>/finished")
def finished(version_id: int) -> dict[str, Any]:
    """Make a finished file and say how large it became, before it is downloaded."""
    made = _finished(version_id, _output(body()))
    return {"name": made.name, "width": made.width, "height": made.height, "bytes": made.bytes}


@rendering.get("/versions/<int:version_id>/finished")
def download(version_id: int) -> Response:
    """The finished file itself."""
    wanted = {key: _typed(value) for key, value in request.args.items()}
    output = _output(wanted)
    made = _finished(version_id, output)
    return send_file(
        made.path, MIMETYPES[output.format], as_attachment=True, download_name=made.name, max_age=0
    )


def _typed(value: str) -> int | str:
    return int(value) if value.isdecimal() else value


def _output(document: dict[str, Any]) -> Output:
    """The wanted form; raises PhotoFileError with what is wrong, or :class:`Invalid`."""
    size = document.get("size") or None
    chosen = document.get("format", "jpeg")
    if not isinstance(chosen, str):
        raise Invalid("format must be a text.")
    return Output(
        chosen,
        number({"depth": 8} | document, "depth"),
        str(document.get("channels", "grey")),
        number({"quality": 92} | document, "quality"),
        number(document, "size") if size is not None else None,
    )


def _finished(version_id: int, output: Output) -> FinishedFile:
    with services().database.session() as session:
        version = versions.get(session, version_id)
        photograph, recipe = version.photograph, versions.recipe_of(version)
        assert photograph.series is not None  # loaded while the session is open
    return finished_file(
        services().store, services().workbench, photograph, version.name, recipe, output
    )
