"""Names of modules in strings keep to the layers, as imports do."""

import ast
import re
import tomllib
from pathlib import Path

import oatmeal

PACKAGE = Path(oatmeal.__file__).parent
ROOT = PACKAGE.parents[1]
NAMED = re.compile(r"oatmeal\.([a-z_]+)(?:\.[a-z_]+)*\.?")
#: What is begun as a program of its own is called by its name, from wherever it is asked for.
PROGRAMS = {"oatmeal.run", "oatmeal.run.backup", "oatmeal.cli", "oatmeal.core.kernels"}


def floors():
    """The number of each room's floor, from the contract on imports."""
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["importlinter"]
    layers = contracts["contracts"][0]["layers"]
    return {
        room: len(layers) - number
        for number, rooms in enumerate(layers)
        for room in rooms.split(" | ")
    }


def strings():
    """Every string that is the name of a module of ours, with the room that holds it."""
    for path in sorted(PACKAGE.rglob("*.py")):
        room = path.relative_to(PACKAGE).parts[0].removesuffix(".py")
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                found = NAMED.fullmatch(node.value)
                if found and node.value not in PROGRAMS and found[1] != "log":
                    yield f"{path.relative_to(PACKAGE)}: {node.value}", room, found[1]


def test_strings_name_no_room_above():
    known, named = floors(), list(strings())
    assert len(named) >= 3
    above = [
        what for what, here, there in named
        if there not in known or known[there] > known.get(here, len(known))
    ]  # fmt: skip
    assert above == []
