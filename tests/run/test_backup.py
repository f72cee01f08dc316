"""A backup holds the whole library, also one in use, and becomes the same library again."""

import gzip
import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from samples import codes, write_png

from oatmeal.core.recipe import from_document
from oatmeal.library import photographs, series, versions
from oatmeal.library.database import Database
from oatmeal.library.store import FileStore
from oatmeal.photofile.decode import Limits
from oatmeal.rendering.importing import Importer
from oatmeal.rendering.proxies import Proxies
from oatmeal.run import backup as backups
from oatmeal.run import serve
from oatmeal.run.backup import RESTORING, BackupError, backup, check, main, restore
from oatmeal.run.mariadb import PrivateServer, StartError


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    folder = tmp_path_factory.mktemp("made")
    return library(folder / "home", folder)


@pytest.fixture
def home(made, tmp_path):
    """A library with two photographs and a recipe, its database stopped."""
    return shutil.copytree(made, tmp_path / "home")


def library(home, tmp_path):
    home.mkdir()
    with opened(home) as database:
        store = FileStore(home)
        importer = Importer(database, store, Proxies(store, Limits()), Limits())
        with database.session() as session:
            number = series.create(session, "Larkmoor “mörgen”").id
        for name in ("a.png", "b.png"):
            path = write_png(tmp_path / name, codes(30, 40, seed=ord(name[0])))
            importer.add(number, name, [path.read_bytes()])
        with database.session() as session:
            versions.save(session, 1, 1, from_document({"mix": {"lifts": {"red": 0.5}}}))
    (store.exports / "00001-a").mkdir()
    (store.exports / "00001-a" / "a.jpg").write_bytes(b"finished")
    (home / "secret").write_text("of the library")
    return home


class opened:  # noqa: N801
    """The database of a library, while it runs."""

    def __init__(self, home):
        self.server = PrivateServer(home / "database")

    def __enter__(self):
        self.server.start()
        self.database = Database(self.server.url)
        self.database.migrate()
        return self.database

    def __exit__(self, *given):
        self.database.close()
        self.server.stop()


def contents(folder):
    return {
        str(path.relative_to(folder)): path.read_bytes()
        for part in ("originals", "exports")
        for path in (folder / part).rglob("*")
        if path.is_file()
    }


def told(home):
    with opened(home) as database, database.session() as session:
        return [
            (one.title, one.series.name, one.sha256, versions.recipe_of(one.shown).document())
            for one in (photographs.get(session, number) for number in (1, 2))
        ]


def test_a_library_becomes_the_same_library_again(home, tmp_path):
    before, files = told(home), contents(home)
    assert backup(home, tmp_path / "kept") == []
    assert not (tmp_path / "kept" / "cache").exists()
    assert restore(tmp_path / "kept", tmp_path / "new") == []
    assert contents(tmp_path / "new") == files
    assert told(tmp_path / "new") == before
    assert before[0][3]["mix"] == {"lifts": {"red": 0.5}}
    assert (tmp_path / "new" / "secret").read_text() == "of the library"
    assert (tmp_path / "new").stat().st_mode & 0o777 == 0o700


def test_a_second_backup_copies_what_is_new_and_has_the_newest_state(home, tmp_path, monkeypatch):
    kept = tmp_path / "kept"
    backup(home, kept)
    with opened(home) as database, database.session() as session:
        photographs.rename(session, 2, "Second light")
    copied = []
    real = backups._copy
    monkeypatch.setattr(backups, "_copy", lambda *given: copied.append(given) or real(*given))
    assert backup(home, kept) == []
    assert not any("originals" in str(source) or "exports" in str(source) for source, _ in copied)
    restore(kept, tmp_path / "new")
    assert told(tmp_path / "new")[1][0] == "Second light"


def test_a_damaged_original_is_named_and_everything_else_is_kept(home, tmp_path):
    lost = next((home / "originals").rglob("*.png"))
    lost.chmod(0o600)
    lost.write_bytes(b"damaged")
    wrong = backup(home, tmp_path / "kept")
    assert wrong == [
        f"{lost.name} is damaged and was left out: add the same file again, if you have it."
    ]
    assert restore(tmp_path / "kept", tmp_path / "new") == []
    assert len(contents(tmp_path / "new")) == 2


def test_a_backup_that_was_cut_short_leaves_the_one_before_usable(home, tmp_path, monkeypatch):
    kept = tmp_path / "kept"
    backup(home, kept)
    with opened(home) as database:
        store = FileStore(home)
        importer = Importer(database, store, Proxies(store, Limits()), Limits())
        path = write_png(tmp_path / "c.png", codes(30, 40, seed=9))
        importer.add(1, "c.png", [path.read_bytes()])

    def full(*given):
        raise BackupError("the disk is full")

    monkeypatch.setattr(backups, "_copy", full)
    with pytest.raises(BackupError, match="the disk is full"):
        backup(home, kept)
    monkeypatch.undo()
    restore(kept, tmp_path / "new")
    with opened(tmp_path / "new") as database, database.session() as session:
        assert photographs.numbers(session, 1) == [1, 2]
    dump = kept / "library.sql.gz"
    dump.write_bytes(dump.read_bytes()[:-200])
    with pytest.raises(BackupError, match="is damaged: use another backup"):
        restore(kept, tmp_path / "another")
    assert not (tmp_path / "another").exists()


def test_what_cannot_be_is_refused_with_a_sentence_and_touches_nothing(home, tmp_path):
    other = tmp_path / "other"
    other.mkdir()
    (other / "letters.txt").write_text("mine")
    with pytest.raises(BackupError, match="holds something else"):
        backup(home, other)
    with pytest.raises(BackupError, match="lies inside the library"):
        backup(home, home / "kept")
    with pytest.raises(BackupError, match="There is no library"):
        backup(tmp_path / "nowhere", tmp_path / "kept")
    with pytest.raises(BackupError, match="holds no finished backup"):
        restore(other, tmp_path / "new")
    backup(home, tmp_path / "kept")
    with pytest.raises(BackupError, match="is not empty"):
        restore(tmp_path / "kept", home)
    manifest = tmp_path / "kept" / "oatmeal-backup.json"
    manifest.write_text(json.dumps({"oatmeal_backup": 99, "version": "9.0"}))
    with pytest.raises(BackupError, match=r"made by a newer Oatmeal \(9\.0\)"):
        restore(tmp_path / "kept", tmp_path / "new")
    assert (other / "letters.txt").read_text() == "mine"
    assert not (tmp_path / "new").exists()


def test_the_command_backs_up_a_library_in_use(home, tmp_path):
    def oatmeal(*words, at):
        environment = {**os.environ, "OATMEAL_HOME": str(at)}
        command = [sys.executable, "-m", "oatmeal.cli", *words]
        return subprocess.run(command, env=environment, capture_output=True, text=True)

    with opened(home) as database, (home / "running").open("a+") as lock:
        import fcntl

        fcntl.flock(lock, fcntl.LOCK_EX)  # as a running Oatmeal holds it
        with database.session() as session:
            photographs.rename(session, 1, "While it runs")
        done = oatmeal("backup", str(tmp_path / "kept"), at=home)
        assert (done.returncode, done.stderr) == (0, "")
    assert oatmeal("restore", str(tmp_path / "kept"), at=tmp_path / "new").returncode == 0
    assert told(tmp_path / "new")[0][0] == "While it runs"
    again = oatmeal("restore", str(tmp_path / "kept"), at=tmp_path / "new")
    assert again.returncode == 1
    assert "is not empty" in again.stderr
    assert Path(tmp_path / "kept" / "library.sql.gz").stat().st_size > 1000


@pytest.mark.parametrize("what", ["backup", "restore"])
def test_a_folder_that_cannot_be_used_is_one_sentence(home, tmp_path, monkeypatch, capsys, what):
    monkeypatch.setenv("OATMEAL_HOME", str(home if what == "backup" else "/dev/null/new"))
    folder = "/dev/null/kept"
    if what == "restore":
        backup(home, tmp_path / "kept")
        folder = str(tmp_path / "kept")
    assert main([what, folder]) == 1
    (line,) = capsys.readouterr().err.splitlines()
    assert line.startswith("oatmeal: /dev/null")
    assert line.endswith("cannot be used: Not a directory.")


@pytest.fixture
def kept(home, tmp_path):
    """A finished backup."""
    backup(home, tmp_path / "kept")
    return tmp_path / "kept"


def originals(folder):
    return sorted(path for path in (folder / "originals").rglob("*") if path.is_file())


def cut(path):
    path.chmod(0o600)
    path.write_bytes(path.read_bytes()[:-10])


HURT = {
    "an original is missing": (lambda kept: originals(kept)[0].unlink(), "The original .* missing"),
    "an original was cut": (lambda kept: cut(originals(kept)[0]), "The original .* damaged"),
    "a finished file is missing": (
        lambda kept: (kept / "exports" / "00001-a" / "a.jpg").unlink(),
        r"The finished file a\.jpg is missing",
    ),
    "a finished file was cut": (
        lambda kept: (kept / "exports" / "00001-a" / "a.jpg").write_bytes(b"fin"),
        r"The finished file a\.jpg is damaged",
    ),
}


@pytest.mark.parametrize("what", HURT)
def test_what_a_backup_lacks_is_named_by_a_look_and_by_a_restore(kept, tmp_path, what):
    hurt, sentence = HURT[what]
    assert check(kept) == []
    hurt(kept)
    for found in (check(kept), restore(kept, tmp_path / "new")):
        (said,) = found
        assert re.match(sentence, said)
    assert len(contents(tmp_path / "new")) == 2  # the rest is there


@pytest.mark.parametrize("whole", [b"", b"-- a dump\nCREATE TABLE x (y INT);\n"])
def test_a_dump_that_ends_early_is_refused(kept, tmp_path, whole):
    """Its last line says when it was completed; loading what there is says nothing."""
    with gzip.open(kept / "library.sql.gz", "wb") as file:
        file.write(whole)
    for work in (lambda: check(kept), lambda: restore(kept, tmp_path / "new")):
        with pytest.raises(BackupError, match="ends early: use another backup"):
            work()
    assert not (tmp_path / "new").exists()


@pytest.mark.parametrize(
    "text", ["[]", "7", '{"oatmeal_backup": "1"}', '{"oatmeal_backup": 1, "files": [1]}',
             '{"oatmeal_backup": 1, "files": {"../../x": "1"}}'],
)  # fmt: skip
def test_a_manifest_of_another_shape_is_a_sentence(kept, tmp_path, text):
    (kept / "oatmeal-backup.json").write_text(text)
    with pytest.raises(BackupError, match="is damaged: use another backup"):
        restore(kept, tmp_path / "new")


def test_a_second_backup_mends_what_was_damaged_in_the_first(home, kept):
    cut(originals(kept)[0])
    longer = originals(kept)[1]
    longer.chmod(0o600)
    data = bytearray(longer.read_bytes())
    data[20] ^= 1  # of the same length
    longer.write_bytes(data)
    assert len(check(kept)) == 2
    assert backup(home, kept) == []
    assert check(kept) == []


def test_an_original_that_the_library_lost_is_named(home, kept):
    lost = originals(home)[0]
    lost.unlink()
    (said,) = backup(home, kept)
    assert re.match(r"The original of [ab]\.png is missing", said)


def test_a_restore_that_was_killed_leaves_no_library_that_starts(
    kept, tmp_path, monkeypatch, capsys
):
    new = tmp_path / "new"
    done = subprocess.Popen(
        [sys.executable, "-c", KILLED, str(kept), str(new)], stdout=subprocess.PIPE, text=True
    )
    assert done.communicate()[0].strip() == "in the middle"
    assert not (new / "database").exists()
    monkeypatch.setenv("OATMEAL_HOME", str(new))
    assert serve.main([]) == 1
    assert "was being restored and is not whole: restore it again" in capsys.readouterr().err
    (new / "running").unlink()
    (new / "oatmeal.log").unlink(missing_ok=True)
    assert restore(kept, new) == []
    assert len(originals(new)) == 2


def test_a_restore_killed_when_all_was_in_place_leaves_a_library_that_starts(
    kept, tmp_path, monkeypatch, capsys
):
    new = tmp_path / "new"
    assert restore(kept, new) == []
    (new / RESTORING).mkdir()

    def further(port):
        raise StartError("It went on.")

    monkeypatch.setattr(serve, "_listener", further)
    monkeypatch.setenv("OATMEAL_HOME", str(new))
    assert serve.main([]) == 1
    assert "It went on." in capsys.readouterr().err


KILLED = """
import os, sys
from pathlib import Path
from oatmeal.run import backup

def killed(*given):
    print("in the middle", flush=True)
    os._exit(9)

backup._copy = killed
backup.restore(Path(sys.argv[1]), Path(sys.argv[2]))
"""
