"""The printing map: one page with the picture, the contours of its areas, and what is done there.

Printers note on a work print what they will lighten and darken; this is that work print.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any, Final

import numpy as np
from PIL import Image, ImageDraw, ImageFont

import oatmeal
from oatmeal.core import prepare
from oatmeal.core.picture import Picture, framed
from oatmeal.core.pipeline import Order, render
from oatmeal.core.pipeline.render import small_of
from oatmeal.core.recipe import Recipe
from oatmeal.core.recipe.areas import Area
from oatmeal.core.recipe.paths import places
from oatmeal.core.recipe.words import area_words
from oatmeal.core.seeing.areas import SIDE, Seen, drawn, masks_of, seen
from oatmeal.host import disk
from oatmeal.photofile.errors import PhotoFileError

#: Pixels of a page of A4, and dots an inch.
PAGE: Final = (2339, 1654)
DPI: Final = 200

#: What a map may be written as.
FORMATS: Final = ("png", "pdf")

_MARGIN: Final = 70
_TABLE: Final = 640
_HEAD: Final = 90
_INK: Final = (42, 38, 34)
_PALE: Final = (138, 127, 114)
_FONT: Final = Path(oatmeal.__file__).parent / "web/static/vendor/figtree-latin-wght-normal.woff2"


@dataclass(frozen=True)
class Line:
    """A line of the table: its words, and how it is set."""

    words: str
    bold: bool = False
    gap: float = 0.0


def printing_map(picture: Picture, recipe: Recipe, title: str) -> Image.Image:
    """Draw the page.

    Parameters
    ----------
    picture : Picture
        The file's; the recipe frames it.
    recipe : Recipe
    title : str
        Stands above the picture.
    """
    order = Order(recipe)
    view = framed(picture, prepare.geometry(order.recipe))
    room_for = (PAGE[0] - 3 * _MARGIN - _TABLE, PAGE[1] - 2 * _MARGIN - _HEAD)
    scale = min(room_for[0] / view.width, room_for[1] / view.height)
    size = (max(1, round(view.width * scale)), max(1, round(view.height * scale)))
    bare = recipe.model_copy(update={"finish": recipe.finish.unmounted()})
    codes = render(picture, bare, np.uint8, max(size))
    names = drawn(recipe.areas)
    masks = masks_of(small_of(view, SIDE), order, names) if names else {}
    found = {name: seen(mask) for name, mask in masks.items()}

    page = Image.new("RGB", PAGE, "white")
    draw = ImageDraw.Draw(page)
    draw.text((_MARGIN, _MARGIN - 10), title, fill=_INK, font=_font(40, 600))
    corner = (_MARGIN, _MARGIN + _HEAD)
    page.paste(Image.fromarray(codes).convert("RGB").resize(size, Image.Resampling.LANCZOS), corner)
    draw.rectangle((*corner, corner[0] + size[0], corner[1] + size[1]), outline=_PALE)
    shown = [one for one in recipe.areas.list if one.id in found]
    for one in shown:
        _contours(draw, found[one.id], corner, size)
    for number, one in enumerate(shown, 1):
        _tag(draw, found[one.id], f"{number}  {_short(one)}", corner, size)
    _table(draw, _lines(shown, found), (PAGE[0] - _MARGIN - _TABLE, corner[1]))
    return page


def _font(size: float, weight: int = 400) -> Any:
    font = ImageFont.truetype(str(_FONT), round(size))
    font.set_variation_by_axes([weight])
    return font


def _contours(
    draw: ImageDraw.ImageDraw, one: Seen, corner: tuple[int, int], size: tuple[int, int]
) -> None:
    """Each line dark and light, so that it reads on any grey; the middle one strongest."""
    for level, lines in one.contours.items():
        strong = level == 50
        for line in lines:
            points = [
                (corner[0] + float(x) * size[0], corner[1] + float(y) * size[1])
                for x, y in places(line)
            ]
            draw.line(points, fill=(0, 0, 0), width=5 if strong else 3, joint="curve")
            draw.line(points, fill=(255, 255, 255), width=2 if strong else 1, joint="curve")


def _tag(
    draw: ImageDraw.ImageDraw,
    one: Seen,
    words: str,
    corner: tuple[int, int],
    size: tuple[int, int],
) -> None:
    if one.tag is None:
        return
    font = _font(26, 600)
    x, y = corner[0] + one.tag[0] * size[0], corner[1] + one.tag[1] * size[1]
    wide = draw.textlength(words, font=font) + 28
    x = min(max(x - wide / 2, corner[0] + 4), corner[0] + size[0] - wide - 4)
    box = (x, y - 22, x + wide, y + 22)
    draw.rounded_rectangle(box, 22, fill=(251, 248, 242), outline=_INK, width=2)
    draw.text((x + 14, y), words, fill=_INK, font=font, anchor="lm")


def _short(one: Area) -> str:
    if one.kind == "shield":
        return "shield"
    words = area_words(one.values)
    return words[0] + (" …" if len(words) > 1 else "") if words else "at rest"


def _lines(shown: Sequence[Area], found: dict[str, Seen]) -> list[Line]:
    lines: list[Line] = []
    for number, one in enumerate(shown, 1):
        name = one.name or f"area {number}"
        lines.append(Line(f"{number}  {name}", True, 0.7))
        share = found[one.id].share * 100
        held = f"{share:.0f} %" if share >= 1 else "less than 1 %"
        how = "shield, " if one.kind == "shield" else ""
        strength = "" if one.amount == 100 else f", strength {one.amount:g} %"
        lines.append(Line(f"{how}{held} of the picture{strength}"))
        lines += [Line(words) for words in area_words(one.values)]
    return lines or [Line("No areas are switched on.")]


def _table(draw: ImageDraw.ImageDraw, lines: Sequence[Line], corner: tuple[int, int]) -> None:
    """The lines, as large as all of them fit."""
    high = sum(1 + line.gap for line in lines)
    step = min(36.0, (PAGE[1] - _MARGIN - corner[1]) / max(high, 1))
    y = float(corner[1])
    for line in lines:
        y += line.gap * step
        font = _font(max(6.0, step * 0.72), 600 if line.bold else 400)
        words = line.words
        while words and draw.textlength(words, font=font) > _TABLE:
            words = words[:-2].rstrip() + "…"
        draw.text((corner[0], y), words, fill=_INK, font=font)
        y += step


def written(page: Image.Image, kind: str) -> bytes:
    """The page as the bytes of a file."""
    out = BytesIO()
    if kind == "pdf":
        page.save(out, "PDF", resolution=DPI, quality=92)
    else:
        page.save(out, "PNG", dpi=(DPI, DPI))
    return out.getvalue()


def write(content: bytes, target: Path) -> None:
    """Write a file whole: to a temporary name first.

    Raises
    ------
    PhotoFileError
        Where the folder or the disk does not take it.
    """
    try:
        handle, temporary = tempfile.mkstemp(dir=target.parent, suffix=target.suffix)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(content)
            os.replace(temporary, target)
        except OSError:
            os.unlink(temporary)
            raise
    except OSError as error:
        if disk.is_full(error):
            raise disk.no_room(target.name, target.parent, len(content)) from error
        raise PhotoFileError(f"{target} cannot be written: {error.strerror}.") from error
