"""What docstrings and comments name by a role is there."""

import importlib
import re
from pathlib import Path

import pytest

import oatmeal

PACKAGE = Path(oatmeal.__file__).parent
ROLE = re.compile(r":(?:func|class|meth|data|mod|attr):`[~]?([A-Za-z_.0-9]+)`")
FILES = [path for path in sorted(PACKAGE.rglob("*.py")) if ROLE.search(path.read_text())]


def module_of(path):
    parts = path.relative_to(PACKAGE.parent).with_suffix("").parts
    return importlib.import_module(".".join(parts).removesuffix(".__init__"))


def found(name, module, text):
    """True for a module, a name of this module or of a class in it, or a dotted one of another."""
    if name.startswith("."):
        name = module.__package__ + name
    parts = name.split(".")
    if not hasattr(module, parts[0]) and len(parts) > 1:
        for count in range(len(parts), 0, -1):
            try:
                here = importlib.import_module(".".join(parts[:count]))
            except ImportError:
                continue
            return leads(here, parts[count:])
        return False
    first, *rest = name.split(".")
    if hasattr(module, first):
        return leads(getattr(module, first), rest)
    # of the class that the docstring stands in
    return not rest and re.search(rf"\bdef {first}\b|^    {first}\b\s*[:=]", text, re.M) is not None


def leads(here, names):
    for name in names:
        if name not in getattr(here, "__annotations__", {}) and not hasattr(here, name):
            return name in getattr(here, "model_fields", {})
        here = getattr(here, name, None)
    return True


@pytest.mark.parametrize("path", FILES, ids=lambda path: str(path.relative_to(PACKAGE)))
def test_names_in_docstrings_are_there(path):
    text, module = path.read_text(), module_of(path)
    stale = [name for name in ROLE.findall(text) if not found(name, module, text)]
    assert stale == []
