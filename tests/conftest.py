"""What tests share: a real MariaDB on loopback, a file store, the application."""

from __future__ import annotations

import gc
import io
import os
import re
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import ClassVar

import jinja2
import pytest
import sqlalchemy
from flask import Flask
from PIL import Image
from samples import codes
from werkzeug.routing import Rule

from oatmeal.host.allocator import keep_frames
from oatmeal.library.database import Database
from oatmeal.library.models import Base
from oatmeal.library.store import FileStore
from oatmeal.run.mariadb import PrivateServer
from oatmeal.settings import Settings
from oatmeal.web import access, create_app

gc.disable()  # until all tests are known: nothing of that is left behind


def pytest_collection_finish():
    """As in the server: memory is used again, and what was imported is not looked through.

    What tests leave is looked through less often, too.
    """
    keep_frames()
    gc.collect()
    gc.freeze()
    gc.enable()
    gc.set_threshold(20_000, 20, 20)


def pytest_sessionfinish():
    """What all tests left is looked through once; at its end pytest does it five times more."""
    gc.collect()
    gc.freeze()


def pytest_addoption(parser):
    parser.addoption("--fuzz-seconds", type=float, default=30, help="how long each fuzz test runs")
    parser.addoption("--screenshots", default="", help="a folder for pictures of every view")
    parser.addoption("--fuzz-seed", type=int, default=1, help="what its random input begins with")
    parser.addoption(
        "--part", default="", help="of each sitting only the parts with this in a name"
    )


@pytest.fixture(scope="session")
def quick_folder():
    """A folder in memory where there is one: these data need not outlive the tests."""
    memory = "/dev/shm"
    with TemporaryDirectory(dir=memory if os.access(memory, os.W_OK) else None) as folder:
        yield Path(folder)


@pytest.fixture(scope="session")
def migrated(quick_folder):
    """A private MariaDB with the newest tables, for the whole run."""
    server = PrivateServer(quick_folder)
    server.start()
    database = Database(server.url)
    database.migrate()
    yield database
    database.close()
    server.stop()


@pytest.fixture
def database(migrated):
    """The database, empty: tables that were written to, or that do not tell, are made anew."""
    written = (
        "SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE() "
        "AND (auto_increment IS NULL OR auto_increment > 1)"
    )
    with migrated.engine.begin() as connection:
        tables = set(connection.execute(sqlalchemy.text(written)).scalars())
        connection.execute(sqlalchemy.text("SET FOREIGN_KEY_CHECKS = 0"))
        for table in tables & Base.metadata.tables.keys():
            connection.execute(sqlalchemy.text(f"TRUNCATE TABLE {table}"))
        connection.execute(sqlalchemy.text("SET FOREIGN_KEY_CHECKS = 1"))
    return migrated


@pytest.fixture
def store(tmp_path):
    return FileStore(tmp_path / "home")


class Kept(jinja2.BytecodeCache):
    """Pages that one application compiled; those of later tests need not do it again."""

    def __init__(self):
        self.pages = {}

    def load_bytecode(self, bucket):
        if bucket.key in self.pages:
            bucket.bytecode_from_string(self.pages[bucket.key])

    def dump_bytecode(self, bucket):
        self.pages[bucket.key] = bucket.bytecode_to_string()


PAGES = Kept()


class Address(Rule):
    """An address; the code that builds it serves the applications of later tests too."""

    made: ClassVar = {}

    def _compile_builder(self, append_unknown=True):
        key = (self.rule, append_unknown, str(self.defaults))
        if key not in self.made:
            self.made[key] = super()._compile_builder(append_unknown)
        return self.made[key]


Flask.url_rule_class = Address


@pytest.fixture
def app(database, store, tmp_path):
    made = create_app(database, store, Settings(tmp_path / "home"))
    made.jinja_env.bytecode_cache = PAGES
    return made


class Web:
    """A browser's view of the application: cookies, the page's token, JSON."""

    def __init__(self, app):
        self.client = app.test_client()
        address = access.address_of(app, "/")
        page = self.client.get(address, follow_redirects=True).get_data(as_text=True)
        self.token = re.search(r'csrf-token" content="([^"]+)"', page)[1]

    def send(self, method, address, body=None, **more):
        headers = {"X-CSRFToken": self.token, **more.pop("headers", {})}
        return self.client.open(address, method=method, json=body, headers=headers, **more)

    def upload(self, series, name, content):
        return self.client.post(
            f"/api/series/{series}/photographs",
            data=content,
            headers={"X-CSRFToken": self.token, "X-File-Name": name},
        )

    def series(self, name="Meet"):
        return self.send("POST", "/api/series", {"name": name}).json["id"]


@pytest.fixture
def web(app):
    return Web(app)


@pytest.fixture
def jpeg():
    """Bytes of a small colourful JPEG."""
    buffer = io.BytesIO()
    Image.fromarray(codes(120, 180)).save(buffer, "JPEG", quality=95)
    return buffer.getvalue()


@pytest.fixture
def photograph(web, jpeg):
    """Ids of an imported photograph: (series, photograph, version)."""
    series = web.series()
    added = web.upload(series, "first-lift.jpg", jpeg).json["id"]
    listed = web.client.get(f"/api/photographs/{added}/versions").json["versions"]
    return series, added, listed[0]["id"]
