"""What pages share is made once, and is what it would be if it were made each time."""

import json
import re

from flask import render_template

from oatmeal.web import panels
from oatmeal.web.vocabulary import vocabulary


def test_the_shared_parts_stand_in_the_page_of_every_photograph(web, app, photograph):
    panels.warm(app)
    page = web.client.get(f"/bench/{photograph[1]}").get_data(as_text=True)
    text = re.search(r'<script type="application/json" id="vocabulary">(.*?)</script>', page)[1]
    assert json.loads(text) == json.loads(json.dumps(vocabulary()))
    with app.test_request_context():
        steps = [step["id"] for step in vocabulary()["steps"] if step["screen"]]
        assert len(steps) == 5
        for step in steps:
            assert render_template("panel.html", step=step) in page
