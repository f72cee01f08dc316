"""A large library: how long the server takes for its pages, and how they scroll.

Makes 300 series with 20,000 photographs (rows, over a few small files), the largest of 2,000, each
with a recipe of its own and some history. Run with ``.venv/bin/python benchmarks/library.py``;
``--serve`` goes on serving it, for a look in a browser.
"""

from __future__ import annotations

import io
import random
import re
import sys
import tempfile
import time
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from sqlalchemy import insert, update

from oatmeal.library import series as series_of
from oatmeal.library.database import Database
from oatmeal.library.models import HistoryStep, Photograph, Series, Version
from oatmeal.library.store import FileStore
from oatmeal.run.mariadb import PrivateServer
from oatmeal.settings import Settings
from oatmeal.web import access, create_app

SERIES, LARGEST, PHOTOGRAPHS = 300, 2000, 20_000
FILES = 24
STEPS = 3


def recipe(number: int) -> dict[str, Any]:
    """Some recipe that no other photograph has."""
    chance = random.Random(number)
    lifts = {"blue": -chance.randint(1, 150) / 100, "red": chance.randint(1, 100) / 100}
    tone = {"exposure": number / 50_000, "clarity": chance.randint(1, 60), "contrast": 8}
    frame = {"angle": chance.randint(-30, 30) / 10} if number % 4 == 0 else {}
    area = {
        "id": "a1",
        "mask": [{"kind": "fade", "from": [0.5, 0.2], "to": [0.5, chance.random()]}],
        "values": {"exposure": -0.5},
    }
    document = {"oatmeal": 1, "mix": {"lifts": lifts}, "tone": tone}
    document |= {"prepare": {"frame": frame}} if frame else {}
    return document | ({"areas": {"list": [area]}} if number % 3 == 0 else {})


def fill(database: Database, app: Any) -> None:
    """The rows of all series."""
    importer = app.extensions["oatmeal"].importer
    with database.session() as session:
        first = series_of.create(session, "Files").id
    kinds = []
    for seed in range(FILES):
        chance = np.random.default_rng(seed)
        small = chance.integers(0, 255, (8, 12, 3), dtype=np.uint8)
        content = io.BytesIO()
        Image.fromarray(small).resize((480, 320)).save(content, "JPEG")
        kinds.append(importer.add(first, f"{seed}.jpg", [content.getvalue()]).photograph)
    begin = datetime(2024, 5, 1, 6, 0)
    rest = (PHOTOGRAPHS - LARGEST) // (SERIES - 1)
    counts = [LARGEST] + [rest] * (SERIES - 1)
    with database.engine.begin() as connection:
        number = FILES
        steps = 10_000
        for place, count in enumerate(counts):
            series_id = first + 1 + place
            connection.execute(
                insert(Series).values(id=series_id, name=f"Larkmoor morning {place + 1}")
            )
            rows, versions, history, heads = [], [], [], []
            for position in range(count):
                number += 1
                kind = kinds[number % FILES]
                taken = begin + timedelta(minutes=number)
                rows.append(
                    {
                        "id": number, "series_id": series_id, "position": position + 1,
                        "title": f"Frame {position + 1}", "caption": "", "note": "",
                        "file_name": f"LK_{number}.jpg", "sha256": kind.sha256, "suffix": ".jpg",
                        "file_bytes": kind.file_bytes, "width": kind.width,
                        "height": kind.height, "bits": 8, "taken_at": taken,
                    }
                )  # fmt: skip
                versions.append({"id": number, "photograph_id": number, "name": "Version 1"})
                for step in range(STEPS):
                    steps += 1
                    history.append(
                        {
                            "id": steps, "version_id": number, "recipe": recipe(number + step),
                            "parent_id": steps - 1 if step else None, "words": "exposure",
                        }
                    )  # fmt: skip
                heads.append((number, steps))
            connection.execute(insert(Photograph), rows)
            connection.execute(insert(Version), versions)
            connection.execute(insert(HistoryStep), history)
            for version, head in heads:
                connection.execute(
                    update(Version).where(Version.id == version).values(head_id=head)
                )


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch:
        server = PrivateServer(Path(scratch) / "data")
        server.start()
        try:
            database = Database(server.url)
            database.migrate()
            settings = Settings(Path(scratch) / "home", access="machine")
            app = create_app(database, FileStore(settings.home), settings)
            begun = time.perf_counter()
            fill(database, app)
            print(
                f"{PHOTOGRAPHS} photographs in {SERIES} series: {time.perf_counter() - begun:.0f} s"
            )
            if "--serve" in sys.argv:
                print("http://127.0.0.1:8395/series/2", flush=True)
                app.run(port=8395, threaded=True)
            measure(app)
        finally:
            server.stop()


def measure(app: Any) -> None:
    client = app.test_client()
    page = client.get(access.address_of(app, "/"), follow_redirects=True).get_data(as_text=True)
    token = re.search(r'csrf-token" content="([^"]+)"', page)
    assert token is not None
    headers = {"X-CSRFToken": token[1]}

    def ask(words: str, method: str, address: str, body: Any = None) -> Any:
        times = []
        for _ in range(3):
            begun = time.perf_counter()
            answer = client.open(address, method=method, json=body, headers=headers)
            times.append(time.perf_counter() - begun)
        if answer.status_code != 200:
            print(answer.get_data(as_text=True)[:400])
        size = len(answer.data) / 1e6
        first, later = times[0], sorted(times[1:])[0]
        print(f"{words:<48}{first:7.2f} s first, {later:6.2f} s later, {size:6.2f} MB")
        return answer

    frames = [FILES + 1 + place for place in range(LARGEST)]
    ask("list of 300 series", "GET", "/")
    ask("sheet of 2,000 frames", "GET", "/series/2")
    ask("sheet of 60 frames", "GET", "/series/5")
    ask("bench in a series of 2,000", "GET", f"/bench/{FILES + 1000}")
    ask("a small picture", "GET", f"/pictures/{FILES + 7}.jpg")
    ask("figures of a frame, for Check", "GET", f"/api/photographs/{FILES + 7}/check")
    plan = {"from": "version:30", "photographs": frames[:1000], "groups": ["light"]}
    ask("Apply to 1,000: the plan", "POST", "/api/apply/plan", plan)
    wish = {"photographs": frames, "format": "jpeg", "pattern": "{title}"}
    ask("names of 2,000 files", "POST", "/api/exports/names", wish)
    ask("asking for an export of 2,000", "POST", "/api/exports", wish)
    ask("exports page with 3 batches of 2,000", "GET", "/exports")
    ask("exports, asked again and again", "GET", "/api/exports")
    ask("prints to choose from", "GET", "/api/prints/sources")
    ask("recipes", "GET", "/recipes")


if __name__ == "__main__":
    main()
