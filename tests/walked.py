"""Every group of the bench, one after another, with something set in each."""

import re

AREA = {
    "id": "a", "name": "Wall",
    "mask": [{"kind": "ellipse", "centre": [0.3, 0.3], "radii": [0.2, 0.1]},
             {"kind": "alike", "how": "subtract", "this": ["2000 2000 100 100"]},
             {"kind": "tones", "how": "intersect"}, {"kind": "colours"}, {"kind": "strokes"},
             {"kind": "fade", "from": [0.1, 0.1], "to": [0.5, 0.5]}],
    "values": {"exposure": -3.85, "contrast": -100, "clarity": -100},
}  # fmt: skip
RECIPE = {
    "prepare": {
        "frame": {"angle": -44.9, "plumb": [[[0.2, 0.2], [0.22, 0.8]]]},
        "light": {"exposure": -4.85, "warmth": 220, "tint": -100},
        "spots": [{"path": "2000 2000", "radius": 0.02, "source": [0.1, 0.1]}],
    },
    "mix": {
        "lifts": dict.fromkeys(
            ("red", "orange", "yellow", "green", "cyan", "blue", "purple", "magenta"), -3.85
        ),
        "picked": [{"colour": "#c03028", "lift": -3.85, "name": "Wheels"}],
    },
    "tone": {"exposure": -3.85, "contrast": -100, "clarity": -100},
    "areas": {"list": [AREA]},
}


def groups(desk, page):
    """Open each group in turn; the name of the one that is open, once it is settled."""

    def step(key):
        page.get_by_role("main").focus()
        page.keyboard.press(key)

    def press(name):
        start = re.compile(rf"^{re.escape(name)}(\s*changed)?$")
        page.locator(".side").get_by_role("button", name=start).first.click()

    def there(name):
        desk.settled()
        return name

    step("r")
    for name in ("Frame", "Light", "Threads", "Clean"):
        press(name)
        yield there(f"Prepare, {name}")
    press("Frame")
    step("m")
    for name in ("Film", "Channels", "Six colours", "Formula", "Plain"):
        press(name)
        yield there(f"Mix, {name}")
    page.locator(".picked-name").first.click()
    yield there("Mix, a picked colour")
    step("t")
    yield there("Tone")
    for name in ("curve as text", "waveform", "zones ▸"):
        press(name)
        yield there(f"Tone, {name}")
    step("a")
    page.locator("[data-area]").first.click()
    yield there("Areas, values")
    press("Mask")
    for place in range(6):
        page.locator(".partlist .name").nth(place).click()
        yield there(f"Areas, part {place + 1}")
    step("z")
    finish = page.get_by_role("group", name="Group of Finish")
    for name in ("Sharpness", "Grain", "Edges", "Surface", "Colour"):
        finish.get_by_role("button", name=name).click()
        yield there(f"Finish, {name}")
