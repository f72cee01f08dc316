"""A crop changes nothing of what stays: sizes and tones are told from the uncropped picture."""

from functools import cache

import cv2
import numpy as np
import pytest
from skimage import data
from tried import STAGED, others, placed

from oatmeal.core import prepare
from oatmeal.core.colour import decode_srgb
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import render
from oatmeal.core.recipe import DECLARED, REST, from_document
from oatmeal.core.recipe.settings import put

SIDE = 640
RGB = cv2.resize(decode_srgb(data.astronaut() / 255.0).astype(np.float32), (SIDE, SIDE))
FRAME = {"size": 64, "centre": [0.62, 0.58]}
#: Pixels at the crop's border, where windows miss what was cut off.
BORDER = 48

#: What belongs to the print, which is as large as the crop.
OF_THE_PRINT = (
    "finish.falloff", "finish.burned", "finish.glow", "finish.grain", "finish.dust",
    "finish.scratches", "finish.paper", "finish.border", "areas.list.*.values.grain",
    "areas.list.*.values.paper",
)  # fmt: skip
KEPT = [path for path in STAGED if not path.startswith(OF_THE_PRINT)]


def alone(path):
    """A document in which a setting is away from rest, and of the others what it acts on."""
    full, at = placed(path)
    assert put(full, at, others(path)[1])
    step, part = DECLARED[path].top.split(".")
    document = REST.full_document()
    document[step][part] = full[step][part]
    if step == "areas":
        document[step] = full[step]
    return document


@cache
def there():
    """Where the crop lies in the picture: rows and columns."""
    cropped = from_document({"prepare": {"frame": FRAME}})
    layout = prepare.geometry(cropped.effective()).on(SIDE, SIDE)
    corner = np.rint(layout.taken(np.array([[0.0, 0.0]])) * SIDE).astype(int)[0]
    rows = slice(corner[1], corner[1] + layout.height)
    columns = slice(corner[0], corner[0] + layout.width)
    whole, part = (render(ArrayPicture(RGB), one, np.uint16) for one in (REST, cropped))
    assert np.array_equal(whole[rows, columns], part)
    return rows, columns


def both(document):
    """The part of the whole picture, and the same part where the rest is cut off."""
    whole = render(ArrayPicture(RGB), from_document(document), np.uint16).astype(float) / 257
    framed = {**document, "prepare": {**document["prepare"], "frame": FRAME}}
    part = render(ArrayPicture(RGB), from_document(framed), np.uint16).astype(float) / 257
    inner = (slice(BORDER, -BORDER), slice(BORDER, -BORDER))
    return whole[there()][inner], part[inner]


@pytest.mark.parametrize("path", KEPT)
def test_a_crop_changes_nothing_of_what_stays(path):
    whole, part = both(alone(path))
    apart = np.abs(whole - part)
    assert apart.mean() < 0.4
    assert np.quantile(apart, 0.99) < 3
