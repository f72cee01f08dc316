"""The pages: the list of series, the sheet, the bench."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, send_file
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response as AnyResponse

from oatmeal.core.join import MOST_FRAMES, Choices
from oatmeal.core.recipe import REST, Recipe, from_document
from oatmeal.core.recipe.carry import GROUPS, STRONGEST
from oatmeal.core.seeing import measure
from oatmeal.library import joins, photographs, recipes, series, versions
from oatmeal.library.framing import framed_size, shown_size, size_in
from oatmeal.library.models import REMOVED_DAYS, JoinJob, Photograph, Version
from oatmeal.library.photographs import Card
from oatmeal.photofile import rawfile
from oatmeal.photofile.output import FORMATS
from oatmeal.web.assets import asset
from oatmeal.web.panels import panel
from oatmeal.web.priorities import paced
from oatmeal.web.services import services
from oatmeal.web.vocabulary import declared, step_words, vocabulary, vocabulary_text

pages = Blueprint("pages", __name__)
pages.add_app_template_global(declared)
pages.add_app_template_global(lambda: services().making.ready, "making_ready")
pages.add_app_template_global(vocabulary)
pages.add_app_template_global(vocabulary_text)
pages.add_app_template_global(panel)


@pages.get("/")
def series_list() -> str:
    """All series."""
    with services().database.session() as session:
        return render_template(
            "series.html",
            entries=series.listed(session),
            removed=series.removed(session),
            days=REMOVED_DAYS,
        )


@pages.get("/guide")
def guide() -> str:
    """How to work with all of it."""
    return render_template("guide.html")


@pages.get("/series/<int:series_id>")
def sheet(series_id: int) -> str:
    """One series as a contact sheet."""
    with services().database.session() as session:
        found = series.get(session, series_id)
        joined = joins.joined_in(session, series_id)
        frames = [
            frame_card(item, joined.get(item.id)) for item in photographs.cards(session, series_id)
        ]
        start = {
            "groups": [
                {"name": group.name, "step": group.step, "stays": group.stays} for group in GROUPS
            ],
            "steps": step_words(),
            "codes": [asdict(reading) for reading in measure.code_readings()],
            "formats": list(FORMATS),
            "join": {"most": MOST_FRAMES},
            "strongest": round(100 * STRONGEST),
            "recipes": [
                {"source": one["source"], "name": one["name"]} for one in recipes.listed(session)
            ],
        }
        return render_template(
            "sheet.html",
            series=found,
            frames=frames,
            removed=photographs.removed(session, series_id),
            days=REMOVED_DAYS,
            start=start,
        )


def frame_card(card: Card, joined: JoinJob | None = None) -> dict[str, Any]:
    """What the sheet shows of a photograph."""
    rests = _as_taken(from_document(card.recipe or {}))
    started = card.changed or not rests
    width, height = size_in(card.recipe, card.width, card.height)
    return {
        "id": card.id,
        "title": card.title,
        "caption": card.caption,
        "note": card.note,
        "version_id": card.version_id,
        "version": card.version if started or card.others else "not started",
        "others": card.others,
        "started": started,
        "rests": rests,
        "revision": card.revision,
        "width": width,
        "height": height,
        "joined": _joined(joined),
    }


def _joined(job: JoinJob | None) -> dict[str, Any] | None:
    """The frames that a photograph was joined from, and how."""
    if job is None:
        return None
    return {
        "frames": [one.id for one in joins.frames_present(job)],
        "count": len(job.frames),
        "choices": Choices.of_document(job.document).model_dump(),
    }


def _as_taken(recipe: Recipe) -> bool:
    """True if nothing was set; what developed a raw file is told from the beginning."""
    lens = recipe.prepare.lens.model_copy(update={"developed": ""})
    prepare = recipe.prepare.model_copy(update={"lens": lens})
    return recipe.model_copy(update={"prepare": prepare}) == REST


@pages.get("/bench/<int:photograph_id>")
def bench(photograph_id: int) -> str:
    """The page where one photograph is worked on."""
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
        siblings = photographs.numbers(session, photograph.series_id)
        place = siblings.index(photograph.id)
        before, after = (
            photographs.get(session, siblings[there]) if 0 <= there < len(siblings) else None
            for there in (place - 1, place + 1)
        )
        version = _wanted_version(photograph)
        recipe = versions.recipe_of(version)
        services().workbench.begin(photograph, recipe)  # the page asks for it in a moment
        width, height = framed_size(photograph, recipe)
        raw = photograph.suffix in rawfile.SUFFIXES
        return render_template(
            "bench.html",
            photograph=photograph,
            frames=_frames_of(session, photograph, siblings),
            wide=joins.results(session, photograph.id),
            number=place + 1,
            before=before,
            after=after,
            start={
                "photograph": {
                    "id": photograph.id,
                    "width": width,
                    "height": height,
                    "file": {"width": photograph.width, "height": photograph.height},
                    "bits": photograph.bits,
                    "developer": rawfile.developer() if raw else "",
                    "jpeg": photograph.suffix == ".jpg",
                },
                "version": versions.state(session, version),
                "versions": versions.listed(photograph),
                "beside": [_sized(item) for item in (after, before) if item is not None],
                "series": photograph.series_id,
            },
        )


def _frames_of(
    session: Session, photograph: Photograph, siblings: list[int]
) -> list[tuple[int, Photograph]]:
    """The frames that a joined photograph is made of, with their numbers on the sheet."""
    job = joins.made(session, photograph.id)
    frames = joins.frames_present(job) if job else []
    return [(siblings.index(one.id) + 1, one) for one in frames if one.id in siblings]


def _sized(photograph: Photograph) -> dict[str, int]:
    width, height = shown_size(photograph)
    return {"id": photograph.id, "width": width, "height": height}


def _wanted_version(photograph: Photograph) -> Version:
    """The version that the address names, or the one that the sheet shows."""
    wanted = request.args.get("version", type=int)
    return next((item for item in photograph.versions if item.id == wanted), photograph.shown)


@pages.get("/pictures/<int:photograph_id>.jpg")
@paced("small")
def small_picture(photograph_id: int) -> Response:
    """A small picture of a photograph: its present version in grey, or ``?colour=1``."""
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id, removed_too=True)
        recipe = versions.recipe_of(photograph.shown)
    colour = request.args.get("colour") == "1"
    path = services().small.picture(photograph, None if colour else recipe)
    return send_file(path, mimetype="image/jpeg", max_age=0, conditional=True)


@pages.get("/favicon.ico")
def favicon() -> AnyResponse:
    """Browsers ask for this name on their own."""
    return redirect(asset("favicon.svg"))
