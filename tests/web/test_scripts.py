"""Scripts of pages: modules joined to one file."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import oatmeal.web
from oatmeal.web.scripts import joined

STATIC = Path(oatmeal.web.__file__).parent / "static"
TEMPLATES = Path(oatmeal.web.__file__).parent / "templates"
PAGES = sorted({
    name
    for path in TEMPLATES.glob("*.html")
    for name in re.findall(r"script\('([^']+)'\)", path.read_text())
})  # fmt: skip


def write(folder, **modules):
    for name, text in modules.items():
        path = folder / f"{name.replace('__', '/')}.js"
        path.parent.mkdir(exist_ok=True)
        path.write_text(text)
    return folder


def run(text):
    """What a module prints, in Node where there is one."""
    node = shutil.which("node")
    if node is None:
        pytest.skip("there is no Node here")
    given = ["--input-type=module", "-"]
    done = subprocess.run([node, *given], input=text, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return done.stdout.split()


def test_joined_modules_do_what_they_do_apart(tmp_path):
    """Each once, in order of need; names of one module are none of another's."""
    folder = write(
        tmp_path,
        main=(
            'import Kind from "./kinds/kind.js";\n'
            'import {\n  one,\n  two as second,\n} from "./kinds/parts.js";\n'
            'const hidden = "own";\nconsole.log(new Kind().name, one(), second, hidden);\n'
        ),
        kinds__kind=(
            'import { one } from "./parts.js";\n'
            "class Kind { name = `kind${one()}`; }\nexport default Kind;\n"
        ),
        kinds__parts=(
            'import { far } from "../far.js";\nconsole.log("parts");\nconst hidden = far;\n'
            "export function one() { return hidden + late(); }\n"
            "export async function unused() {}\n"
            'export const two = "zwei";\nexport class Three {}\n'
            'function late() { return "!"; }\n'
        ),
        far="var a=1;export{a as far,b as default};var b=2",
    )
    assert run(joined(folder, "main.js")) == ["parts", "kind1!", "1!", "zwei", "own"]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('import * as all from "./far.js";', "cannot be joined"),
        ('import "./far.js";', "cannot be joined"),
        ("export let count = 0;", "cannot be joined"),
        ("export const { a, b } = c;", "cannot be joined"),
        ('const late = await import("./far.js");', "cannot be joined"),
        ('export { a } from "./far.js";', "cannot be joined"),
        ('import { a } from "./main.js";', "main.js needs main.js"),
    ],
)
def test_what_cannot_be_joined_is_refused(tmp_path, text, said):
    write(tmp_path, main=f"{text}\n", far="export const a = 1;\n")
    with pytest.raises(ValueError, match=said):
        joined(tmp_path, "main.js")


def test_letters_are_what_they_are_in_any_locale(tmp_path):
    write(tmp_path)
    (tmp_path / "main.js").write_bytes("export const words = '−1 → ½';\n".encode())
    code = "from pathlib import Path; from oatmeal.web.scripts import joined; import sys; "
    code += "sys.stdout.buffer.write(joined(Path(sys.argv[1]), 'main.js').encode())"
    plain = {**os.environ, "LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0"}
    given = [sys.executable, "-c", code, str(tmp_path)]
    done = subprocess.run(given, capture_output=True, check=True, env=plain)
    assert "'−1 → ½'" in done.stdout.decode()


def test_a_missing_module_is_no_silence(tmp_path):
    write(tmp_path, main='import { a } from "./nowhere.js";\n')
    with pytest.raises(OSError, match="nowhere"):
        joined(tmp_path, "main.js")


def test_every_page_comes_with_one_script_that_holds_all_it_imports(tmp_path):
    assert "js/bench/main.js" in PAGES
    for page in PAGES:
        text = joined(STATIC, page)
        named = {
            line[3:] for line in text.splitlines() if line.startswith(("// js/", "// vendor/"))
        }
        assert page in named
        assert all((STATIC / name).is_file() for name in named)
        assert not re.search(r"^(import|export)\b", text, re.M)


def test_scripts_are_served_joined_and_kept(web, photograph):
    page = web.client.get(f"/bench/{photograph[1]}").data.decode()
    (address,) = re.findall(r'type="module" src="([^"]+)"', page)
    reply = web.client.get(address)
    assert reply.mimetype == "text/javascript"
    assert reply.text == joined(STATIC, "js/bench/main.js")
    assert "immutable" in reply.headers["Cache-Control"]
    mark = address.split("/")[2]
    older = web.client.get(address.replace(mark, "0123456789ab"))
    assert older.headers["Cache-Control"] == "no-cache, max-age=0"
    for name in ("nowhere.js", "../app.py", "js/../../app.py", "css/bench.css"):
        assert web.client.get(f"/static/{mark}/joined/{name}").status_code == 404
