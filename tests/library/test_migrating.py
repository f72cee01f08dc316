"""Tables are brought to the newest revision, and nothing is loaded for it where they are."""

from alembic import command
from alembic.script import ScriptDirectory

from oatmeal.library import database as databases
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
