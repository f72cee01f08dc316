"""Parts of sittings are run."""

import re
from pathlib import Path

import pytest

BROWSER = Path(__file__).parent / "browser"
FILES = [path for path in BROWSER.glob("test_*.py") if "Sitting(" in path.read_text()]


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.stem)
def test_every_sitting_has_a_test_and_parts(path):
    text = path.read_text()
    for name in re.findall(r"^(\w+) = Sitting\(", text, re.M):
        assert f"    sitting({name})\n" in text
        assert f"@{name}.part\n" in text
