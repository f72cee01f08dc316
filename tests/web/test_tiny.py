"""Pictures of a few pixels, and of a single row or column: every route answers with no fault."""

import io

import numpy as np
import pytest
from PIL import Image

SIZES = [(1, 1), (1, 2), (2, 1), (3, 3), (5, 8), (8, 8), (16, 16), (32, 32), (1, 3000), (3000, 1)]

REST = {"oatmeal": 1}
SET = {
    "oatmeal": 1,
    "prepare": {"noise": {"light": 50, "colour": 50}, "light": {"highlights": -40, "shadows": 40}},
    "mix": {"lifts": {"red": 1.0, "blue": -1.0}},
    "tone": {"clarity": 60, "detail": 40, "shadows": 30, "veil": 20},
    "finish": {
        "sharpness": {"amount": 60}, "grain": {"amount": 40}, "glow": {"amount": 40},
        "falloff": {"amount": 50},
    },
}  # fmt: skip

OF = ("balance", "points", "light", "begin", "set-right", "find-level", "find-uprights", "specks")
MORE = ("side-fringes", "weighings", "starts")


def png(pixels):
    written = io.BytesIO()
    Image.fromarray(pixels).save(written, "PNG")
    return written.getvalue()


@pytest.mark.parametrize("size", SIZES, ids=lambda size: f"{size[0]}x{size[1]}")
def test_every_route_answers(web, size):
    rows, columns = size
    pixels = np.random.default_rng(7).integers(0, 256, (rows, columns, 3), dtype=np.uint8)
    series = web.series()
    made = web.upload(series, "tiny.png", png(pixels))
    assert made.status_code == 200, made.json
    at = f"/api/photographs/{made.json['id']}"
    answers = {}
    for recipe in (REST, SET):
        of = {"recipe": recipe}
        for layers in (["grey", "plain", "colour"],):
            frame = {**of, "side": max(size), "layers": layers, "framing": "framed"}
            answers["frame"] = web.send("POST", f"{at}/frame", {**frame, "measured": True})
        for route in (*OF, *MORE):
            answers[route] = web.send("POST", f"{at}/{route}", of)
        for route in ("spot", "neutral", "pick"):
            answers[route] = web.send("POST", f"{at}/{route}", {**of, "x": 0.5, "y": 0.5})
        spot = {**of, "path": "500 500", "radius": 0.1}
        answers["heal"] = web.send("POST", f"{at}/heal", spot)
        answers["level"] = web.send("POST", f"{at}/level", {**of, "line": [[0, 0], [1, 0.1]]})
        answers["small"] = web.send("POST", f"{at}/small", of)
    for route in ("noise", "lens", "check"):
        answers[route] = web.client.get(f"{at}/{route}")
    answers["picture"] = web.client.get(f"/pictures/{made.json['id']}.jpg")
    answers["finished"] = web.send("POST", "/api/versions/1/finished", {"format": "jpeg"})
    failed = {
        route: (answer.status_code, answer.get_data(as_text=True)[:90])
        for route, answer in answers.items()
        if answer.status_code >= 500 or answer.status_code == 404
    }
    assert not failed
    assert answers["frame"].status_code == 200
