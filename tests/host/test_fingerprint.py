"""The engine's mark, and how it starts."""

import json
import subprocess
import sys

import pytest
from sqlalchemy import select

from oatmeal.core.recipe import read
from oatmeal.exports import batches
from oatmeal.exports.finished import finished_file
from oatmeal.host import fingerprint
from oatmeal.library import photographs
from oatmeal.library.models import ExportBatch
from oatmeal.photofile.output import Output


def test_small_linear_algebra_leaves_the_cores_to_the_kernels():
    code = (
        "import oatmeal.core.pipeline, threadpoolctl as t;"
        "print([one['num_threads'] for one in t.threadpool_info() if one['user_api'] == 'blas'])"
    )
    found = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert set(json.loads(found.stdout)) == {1}


def test_another_engine_makes_its_own_pictures_and_files(app, database, photograph, monkeypatch):
    """After a changed kernel nothing that was kept is handed out."""
    services = app.extensions["oatmeal"]
    with database.session() as session:
        found = photographs.get(session, photograph[1])
        assert found.series is not None
    recipe = read('{"tone": {"contrast": 30}}')

    def made():
        finished = finished_file(
            services.store, services.workbench, found, "Version 1", recipe, Output(long_side=80)
        )
        services.small.figures(found, recipe)
        return services.small.picture(found, recipe), finished.path

    first = made()
    assert made() == first
    monkeypatch.setattr(fingerprint, "mark", lambda: "another")
    second = made()
    assert all(one != other for one, other in zip(first, second, strict=True))


def test_another_engine_makes_a_batch_s_files_anew(app, database, photograph, monkeypatch):
    """After an upgrade the same batch does not hand out the old files."""
    store = app.extensions["oatmeal"].store
    with database.session() as session:
        for mark in ("one", "one", "another"):
            monkeypatch.setattr(fingerprint, "mark", lambda mark=mark: mark)
            batches.create(session, store, [photograph[1]], Output(), "{title}")
        jobs = [job for batch in session.scalars(select(ExportBatch)) for job in batch.jobs]
        first, second, third = (job.mark for job in jobs)
    assert first == second
    assert third != first


@pytest.mark.parametrize("library", ["pillow-heif", "imagecodecs", "pyvips-binary", "rawpy"])
def test_the_mark_changes_with_what_decodes(monkeypatch, library):
    before = fingerprint.mark()
    fingerprint.mark.cache_clear()
    of = fingerprint.version
    monkeypatch.setattr(fingerprint, "version", lambda name: "0" if name == library else of(name))
    assert fingerprint.mark() != before
    fingerprint.mark.cache_clear()


def test_the_mark_changes_with_the_code(tmp_path, monkeypatch):
    before = fingerprint.mark()
    fingerprint.mark.cache_clear()
    for room in ("core", "photofile", "library", "rendering", "exports"):
        (tmp_path / room).mkdir()
    (tmp_path / "core" / "kernels.py").write_text("one = 1")
    monkeypatch.setattr(fingerprint, "__file__", str(tmp_path / "host" / "fingerprint.py"))
    first = fingerprint.mark()
    fingerprint.mark.cache_clear()
    (tmp_path / "core" / "kernels.py").write_text("one = 2")
    assert len({before, first, fingerprint.mark()}) == 3
    fingerprint.mark.cache_clear()
