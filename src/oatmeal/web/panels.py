"""The panels of the steps, which are the same for every photograph and made once."""

from __future__ import annotations

from functools import cache

from flask import Flask, current_app, render_template
from markupsafe import Markup

from oatmeal.web.vocabulary import vocabulary, vocabulary_text


@cache
def panel(step: str) -> Markup:
    """The panel of a step as HTML."""
    return Markup(render_template("panel.html", step=step))


def warm(app: Flask) -> None:
    """Make all that pages share, and read their templates, before somebody waits for it."""
    with app.app_context():
        vocabulary_text()
        for step in vocabulary()["steps"]:
            if step["screen"]:
                panel(step["id"])
        for name in current_app.jinja_env.list_templates(["html"]):
            current_app.jinja_env.get_template(name)
