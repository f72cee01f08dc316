"""The file store and the reduced copies: originals kept, the cache expendable."""

import hashlib
import shutil
import time

import numpy as np
import pytest
from samples import codes, write_png

from oatmeal.core.picture import proxy
from oatmeal.library.store import FileStore, Original
from oatmeal.photofile.decode import Limits
from oatmeal.photofile.errors import TooLarge
from oatmeal.rendering.importing import title_of
from oatmeal.rendering.proxies import BENCH_SIDE, SHEET_SIDE, Proxies


def test_an_original_is_kept_under_its_content_and_once(store):
    for _ in range(2):
        with store.receive([b"abc", b"def"], "x.jpg", 100) as received:
            path = store.keep(received, ".jpg")
    assert received.sha256 == hashlib.sha256(b"abcdef").hexdigest()
    assert path.name == received.sha256 + ".jpg"
    assert path.read_bytes() == b"abcdef"
    assert path.stat().st_mode & 0o222 == 0
    assert list(store.incoming.iterdir()) == []


def test_what_is_not_kept_leaves_nothing(store):
    too_much = store.receive([b"x" * 60, b"x" * 60], "x.jpg", 100)
    with pytest.raises(TooLarge, match="OATMEAL_MAX_BYTES"), too_much:
        pytest.fail("it is too large")
    with pytest.raises(RuntimeError), store.receive([b"x"], "x.jpg", 100):
        raise RuntimeError
    assert list(store.incoming.iterdir()) == []
    assert list(store.originals.rglob("*.jpg")) == []


def test_the_cache_may_be_deleted_at_any_time(store, tmp_path):
    source = write_png(tmp_path / "in.png", codes(600, 900))
    proxies = Proxies(store, Limits())
    with store.receive([source.read_bytes()], "in.png", 10**8) as received:
        store.keep(received, ".png")
    original = Original(received.sha256, ".png", "in.png")
    first = proxies.read(original, SHEET_SIDE)
    shutil.rmtree(store.cache)
    assert np.array_equal(proxies.read(original, SHEET_SIDE), first)
    large = proxies.read(original, BENCH_SIDE)
    exact = proxy(proxies.decode(original), BENCH_SIDE)
    assert np.allclose(large, exact, rtol=1e-3, atol=1e-6)


def test_a_damaged_copy_is_made_again(store, tmp_path):
    source = write_png(tmp_path / "in.png", codes())
    proxies = Proxies(store, Limits())
    with store.receive([source.read_bytes()], "in.png", 10**8) as received:
        store.keep(received, ".png")
    original = Original(received.sha256, ".png", "in.png")
    first = proxies.read(original, SHEET_SIDE)
    for path in store.cache.rglob("*.npy"):
        path.write_bytes(path.read_bytes()[:50])
    assert np.array_equal(proxies.read(original, SHEET_SIDE), first)


def test_the_cache_drops_what_was_longest_unused(tmp_path):
    store = FileStore(tmp_path, cache_bytes=2500)
    for name in ("aa", "bb", "cc"):
        store.cached(name, lambda file: file.write(b"x" * 1000))
        time.sleep(0.02)
    store.cached("aa", lambda file: pytest.fail("it is there"))
    store.trim_cache()
    assert sorted(path.name for path in store.cache.rglob("??") if path.is_file()) == ["aa", "cc"]


def test_a_failed_copy_leaves_nothing_in_the_cache(store):
    def fail(file):
        file.write(b"half")
        raise OSError

    with pytest.raises(OSError):  # noqa: PT011
        store.cached("half", fail)
    assert [path for path in store.cache.rglob("*") if path.is_file()] == []


@pytest.mark.parametrize(
    ("name", "title"),
    [("painted-wagon_02.jpg", "Painted wagon 02"), ("x.TIF", "X"), ("---.png", "Untitled")],
)
def test_titles_from_file_names(name, title):
    assert title_of(name) == title
