"""The stages of Finish, as far as they work on the greys of a frame; toning follows the codes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import kernels as colour
from oatmeal.core.finish import glow, grain, keeping, marks, rim, shading, sharpness, surface
from oatmeal.core.guard import Analysis
from oatmeal.core.maps import Masks, enlarged
from oatmeal.core.recipe import Recipe
from oatmeal.core.stages import SOURCE, Place, stage

Plane = NDArray[np.float32]

_SHARPNESS = "finish.sharpness.amount"
_MASK = ("finish.sharpness.radius", "finish.sharpness.edges")


def _radius(recipe: Recipe, place: Place) -> float:
    return sharpness.radius_px(recipe.finish.sharpness, place.picture.scale)


@stage("own_colour", needs=("prepared",), when=lambda recipe: recipe.keeps_colour)
def own_colour(recipe: Recipe, place: Place, rgb_linear: Plane) -> keeping.Lab:
    """OKLab of the prepared colour picture."""
    return colour.colours(np.ascontiguousarray(np.maximum(rgb_linear, 0)))


@stage(
    "kept_colour",
    reads=("finish.kept", "areas.coloured"),
    needs=("own_colour", "analysis", "masks"),
    when=lambda recipe: recipe.keeps_colour,
)
def kept_colour(
    recipe: Recipe, place: Place, lab: keeping.Lab, told: Analysis, found: Masks | None
) -> Plane:
    """The picture's own colour, as far as it is let through."""
    return keeping.kept(lab, told, recipe, found or {})


@stage(
    "own_lit",
    needs=("encoded", "kept_colour", "prepared"),
    idle=lambda recipe: not recipe.keeps_brightness,
)
def own_lit(recipe: Recipe, place: Place, encoded: Plane, found: Plane, rgb_linear: Plane) -> Plane:
    """Encoded values, as bright as the colour picture where a kept colour is to be so."""
    return keeping.brightened(encoded, found, rgb_linear)


@stage(
    "edge_mask",
    reads=_MASK,
    needs=("own_lit",),
    when=lambda recipe: bool(recipe.finish.sharpness.amount and recipe.finish.sharpness.edges),
    margin=lambda recipe, place: sharpness.margin(_radius(recipe, place)),
    grid=lambda place: 2,
)
def edge_mask(recipe: Recipe, place: Place, encoded: Plane) -> Plane | None:
    """Where there are edges; None in a copy that shows no sharpness."""
    radius = _radius(recipe, place)
    edges = recipe.finish.sharpness.edges
    return sharpness.edge_mask(encoded, radius, edges) if radius else None


@stage(
    "sharpened",
    reads=("finish.sharpness",),
    needs=("own_lit", "edge_mask"),
    moved_by=(_SHARPNESS,),
    margin=lambda recipe, place: sharpness.margin(_radius(recipe, place)),
)
def sharpened(recipe: Recipe, place: Place, encoded: Plane, mask: Plane | None) -> Plane:
    """Encoded values with steeper edges."""
    radius = _radius(recipe, place)
    if not radius:
        return encoded
    return sharpness.sharper(encoded, recipe.finish.sharpness, radius, mask)


@stage(
    "spreading",
    reads=("finish.glow.reach", "finish.glow.threshold"),
    needs=("sharpened",),
    when=lambda recipe: recipe.finish.glow.amount > 0,
    whole=True,
)
def spreading(recipe: Recipe, place: Place, encoded: Plane) -> Plane:
    """The light that spreads from what is bright, on a small picture of the whole."""
    return glow.spread(encoded, recipe.finish.glow)


@stage(
    "glowing",
    reads=("finish.glow.amount",),
    needs=("sharpened", "spreading"),
    moved_by=("finish.glow.amount",),
    size="output",
)
def glowing(recipe: Recipe, place: Place, encoded: Plane, light: Plane) -> Plane:
    """Encoded values under that light."""
    return glow.glowing(encoded, light, recipe.finish.glow.amount, place.window)


_SHADING = ("finish.falloff", "finish.burned")


@stage("shaded", reads=_SHADING, needs=("glowing",), moved_by=_SHADING, size="output")
def shaded(recipe: Recipe, place: Place, encoded: Plane) -> Plane:
    """Encoded values with falloff and burned edges."""
    return shading.shaded(encoded, recipe.finish, place.window)


def _shape(rgb_linear: Plane) -> tuple[int, int]:
    return rgb_linear.shape[0], rgb_linear.shape[1]


@stage(
    "grain_field",
    reads=("finish.grain.size", "finish.grain.roughness", "finish.grain.seed"),
    needs=(SOURCE,),
    when=lambda recipe: recipe.finish.grain.amount > 0 or bool(recipe.areas.grained),
)
def grain_field(recipe: Recipe, place: Place, rgb_linear: Plane) -> tuple[Plane, float]:
    """The grain's numbers; they depend on nothing that is seen."""
    return grain.field(recipe.finish.grain, place.window, _shape(rgb_linear), place.picture.seed)


@stage(
    "grained",
    reads=("finish.grain.amount", "finish.grain.roughness"),
    needs=("shaded", "grain_field", "laid_on_maps"),
    moved_by=("finish.grain.amount", "areas.grained"),
    size="print",
)
def grained(
    recipe: Recipe,
    place: Place,
    encoded: Plane,
    field: tuple[Plane, float],
    amounts: Mapping[str, Plane] | None,
) -> Plane:
    """Encoded values with grain."""
    own = _amounts(amounts, "grain", place, encoded)
    if amounts is None or own is None:
        return grain.grained(encoded, recipe.finish.grain, field)
    most = float(amounts["grain"].max())  # of the whole: the same for every part of it
    if most == 0:
        return encoded
    everywhere = recipe.finish.grain.model_copy(update={"amount": most})
    return grain.grained(encoded, everywhere, field, own / np.float32(most))


def _amounts(
    found: Mapping[str, Plane] | None, name: str, place: Place, encoded: Plane
) -> Plane | None:
    """How much of something is laid on each pixel; None where it is the same everywhere."""
    if found is None or name not in found:
        return None
    return enlarged(found[name], place.window, _shape(encoded))


@stage(
    "dust",
    reads=("finish.dust.amount", "finish.dust.size", "finish.dust.seed"),
    needs=(SOURCE,),
    when=lambda recipe: recipe.finish.dust.amount > 0,
)
def dust(recipe: Recipe, place: Place, rgb_linear: Plane) -> Plane:
    """How far dust covers each pixel."""
    return marks.dust(recipe.finish.dust, place.window, _shape(rgb_linear), place.picture.seed)


@stage(
    "dusty",
    reads=("finish.dust.light",),
    needs=("grained", "dust"),
    moved_by=("finish.dust.amount",),
    size="print",
)
def dusty(recipe: Recipe, place: Place, encoded: Plane, cover: Plane) -> Plane:
    """Encoded values under dust."""
    return surface.marked(encoded, cover, recipe.finish.dust.light)


_SCRATCHES = ("finish.scratches.amount", "finish.scratches.direction", "finish.scratches.seed")


@stage(
    "scratches",
    reads=_SCRATCHES,
    needs=(SOURCE,),
    when=lambda recipe: recipe.finish.scratches.amount > 0,
)
def scratches(recipe: Recipe, place: Place, rgb_linear: Plane) -> Plane:
    """How far scratches cover each pixel."""
    return marks.scratches(
        recipe.finish.scratches, place.window, _shape(rgb_linear), place.picture.seed
    )


@stage(
    "scratched",
    reads=("finish.scratches.light",),
    needs=("dusty", "scratches"),
    moved_by=("finish.scratches.amount",),
    size="print",
)
def scratched(recipe: Recipe, place: Place, encoded: Plane, cover: Plane) -> Plane:
    """Encoded values under scratches."""
    return surface.marked(encoded, cover, recipe.finish.scratches.light)


@stage(
    "relief",
    reads=("finish.paper.size", "finish.paper.seed"),
    needs=(SOURCE,),
    when=lambda recipe: recipe.finish.paper.amount > 0 or bool(recipe.areas.papered),
)
def relief(recipe: Recipe, place: Place, rgb_linear: Plane) -> Plane:
    """The sheet's relief; it depends on nothing that is seen."""
    return surface.relief(recipe.finish.paper, place.window, _shape(rgb_linear), place.picture.seed)


@stage(
    "papered",
    reads=("finish.paper.amount",),
    needs=("scratched", "relief", "laid_on_maps"),
    moved_by=("finish.paper.amount", "areas.papered"),
    size="print",
)
def papered(
    recipe: Recipe,
    place: Place,
    encoded: Plane,
    made: Plane,
    amounts: Mapping[str, Plane] | None,
) -> Plane:
    """Encoded values on a sheet."""
    own = _amounts(amounts, "paper", place, encoded)
    return surface.papered(encoded, made, recipe.finish.paper.amount if own is None else own)


@stage(
    "rim",
    reads=("finish.border.uneven",),
    needs=(SOURCE,),
    when=lambda recipe: recipe.finish.border.uneven.width > 0,
)
def uneven_rim(recipe: Recipe, place: Place, rgb_linear: Plane) -> tuple[Plane, Plane]:
    """What an uneven edge keeps and adds."""
    return rim.rim(
        recipe.finish.border.uneven, place.window, _shape(rgb_linear), place.picture.seed
    )


@stage("printed", needs=("papered", "rim"), moved_by=("finish.border.uneven.width",), size="print")
def printed(recipe: Recipe, place: Place, encoded: Plane, made: tuple[Plane, Plane]) -> Plane:
    """Encoded values as they are printed, but for their colour."""
    return rim.rimmed(encoded, made)


@stage(
    "bare_colour",
    needs=("kept_colour", "dust", "scratches", "rim"),
    when=lambda recipe: recipe.keeps_colour,
)
def bare_colour(
    recipe: Recipe,
    place: Place,
    found: Plane,
    specks: Plane | None,
    lines: Plane | None,
    edge: tuple[Plane, Plane] | None,
) -> Plane:
    """The same where nothing lies on the print."""
    covers = [one for one in (specks, lines) if one is not None]
    return keeping.bared(found, covers, None if edge is None else edge[0])


STAGES: Final = (
    own_colour, kept_colour, own_lit, edge_mask, sharpened, spreading, glowing, shaded, grain_field,
    grained, dust, dusty, scratches, scratched, relief, papered, uneven_rim, printed, bare_colour,
)  # fmt: skip
