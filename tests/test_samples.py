"""What is kept between runs of the tests is what would be made."""

import numpy as np
from samples import kept


def test_what_is_kept_is_made_once_for_the_same_sources(tmp_path, monkeypatch):
    source = tmp_path / "source.py"
    source.write_text("1")
    monkeypatch.delenv("OATMEAL_TESTS_KEPT", raising=False)
    calls = []

    def scene():
        calls.append(source.read_text())
        return {"line": np.arange(3.0)}

    kept(scene, source)
    kept(scene, source)
    assert len(calls) == 2  # without a cache
    monkeypatch.setenv("OATMEAL_TESTS_KEPT", str(tmp_path))
    for text in "112345":
        source.write_text(text)
        assert np.array_equal(kept(scene, source)["line"], [0, 1, 2])
    assert calls[2:] == list("12345")
    assert len(list(tmp_path.glob("*.npz"))) == 3
