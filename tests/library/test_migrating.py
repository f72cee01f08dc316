"""Tables are brought to the newest revision, and nothing is loaded for it where they are."""

import json

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory

from oatmeal.core.recipe import from_document
from oatmeal.library import database as databases
from oatmeal.library import versions
from oatmeal.library.database import MIGRATIONS, newest_revision


def test_the_newest_revision_is_alembics():
    assert newest_revision() == ScriptDirectory(str(MIGRATIONS)).get_current_head()


def test_only_older_tables_are_migrated(migrated, monkeypatch):
    asked = []
    monkeypatch.setattr(command, "upgrade", lambda config, revision: asked.append(revision))
    migrated.migrate()
    assert asked == []
    monkeypatch.setattr(databases, "newest_revision", lambda: "9999")
    migrated.migrate()
    assert asked == ["head"]


def test_versions_whose_light_acts_otherwise_are_told_once(database, photograph):
    """Tables of the revision before, with recipes of all kinds, brought to the newest."""
    version_id = photograph[2]
    before = Config()
    before.set_main_option("script_location", str(MIGRATIONS))
    told = {}
    for recipe in (
        {"tone": {"contrast": 20, "clarity": 30}}, {"tone": {"highlights": -20}},
        {"prepare": {"light": {"shadows": 30}}},
        {"areas": {"list": [{"id": "a", "mask": [], "values": {"exposure": 1}}]}},
        {"areas": {"list": [{"id": "a", "mask": [], "values": {"highlights": 10}}]}},
    ):  # fmt: skip
        with database.session() as session:
            state = versions.state(session, versions.get(session, version_id))
            versions.save(session, version_id, state["revision"], from_document(recipe))
        with database.engine.begin() as connection:
            before.attributes["connection"] = connection
            command.downgrade(before, "0008")
        database.migrate()
        with database.session() as session:
            state = versions.state(session, versions.get(session, version_id))
            told[json.dumps(recipe)] = bool(state["again"])
            versions.looked(session, version_id)
        with database.session() as session:
            assert versions.state(session, versions.get(session, version_id))["again"] is None
    assert list(told.values()) == [False, True, True, False, True]
