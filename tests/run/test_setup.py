"""What the commands in bin install, and how they go on where an earlier start was interrupted."""

import os
import shutil
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]

#: A Python that makes environments at once, with a pip that says that it is there.
PYTHON = """#!/bin/sh
case "$*" in
  "-m venv "*) mkdir -p "$3/bin"; cp "$0" "$3/bin/python"; echo "made" >>made ;;
esac
exit 0
"""

#: An environment that was not made to its end.
HALF = """#!/bin/sh
case "$*" in "-m pip "*) echo "No module named pip" >&2; exit 1 ;; esac
exit 0
"""


@pytest.fixture
def folder(tmp_path):
    (tmp_path / "bin").mkdir()
    (tmp_path / "first").mkdir()
    shutil.copy(ROOT / "bin" / "setup.sh", tmp_path / "bin")
    (tmp_path / "pyproject.toml").write_text("")
    (tmp_path / "some.lock").write_text("")
    program(tmp_path / "first" / "python3.11", PYTHON)
    return tmp_path


def program(path, text):
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text)
    path.chmod(0o755)


def run(folder, script):
    """A script after bin/setup.sh, in a folder where nothing is installed for real."""
    return subprocess.run(
        ["bash", "-c", f". bin/setup.sh; install_python() {{ touch installed; }}; {script}"],
        cwd=folder, capture_output=True, text=True,
        env={**os.environ, "PATH": f"{folder / 'first'}:{os.environ['PATH']}"},
    )  # fmt: skip


def test_an_environment_is_made_once(folder):
    for _ in range(2):
        done = run(folder, "need_python some.lock")
        assert done.returncode == 0, done.stderr
    assert (folder / "made").read_text() == "made\n"
    assert (folder / "installed").exists()
    assert not (folder / ".venv" / "unfinished").exists()


def test_an_environment_that_was_left_half_made_is_made_again(folder):
    """Interrupted, it had a Python without pip, and every start after that failed."""
    program(folder / ".venv" / "bin" / "python", HALF)
    done = run(folder, "need_python some.lock")
    assert done.returncode == 0, done.stderr
    assert (folder / "made").exists()


def test_packages_that_were_left_half_installed_are_installed_into_a_new_one(folder):
    run(folder, "need_python some.lock")
    (folder / "some.lock").write_text("another==1\n")
    done = run(folder, "install_python() { return 1; }; need_python some.lock")
    assert done.returncode == 1
    assert "The Python packages of some.lock could not be installed" in done.stderr
    run(folder, "need_python some.lock")
    assert (folder / "made").read_text() == "made\nmade\n"


def test_what_is_done_shows_that_it_moves_and_what_went_wrong(folder):
    done = run(folder, 'doing "Waiting" sleep 2.5; doing "Failing" bash -c "echo because; exit 3"')
    assert done.returncode == 3
    assert done.stdout.startswith("  Waiting .... ")
    assert "because" in done.stderr


def test_debian_packages_are_installed_beside_python_s_own(folder):
    """What Python is made of first, the database while Python's packages are fetched."""
    program(folder / "first" / "apt-get", '#!/bin/sh\necho "$*" >>apt; sleep 0.2\n')
    program(folder / "first" / "sudo", '#!/bin/sh\n[ "$1" = -n ] && shift\nexec "$@"\n')
    script = (
        "install_python() { sleep 1; cp apt when; }; need some.lock mariadb-server python3-venv"
    )
    done = run(folder, script)
    assert done.returncode == 0, done.stderr
    asked = [line for line in (folder / "apt").read_text().splitlines() if "install" in line]
    assert [line.split()[-1] for line in asked] == ["python3-venv", "mariadb-server"]
    assert "mariadb-server" in (folder / "when").read_text()
    assert "Waiting for mariadb-server" in done.stdout


def test_a_package_that_cannot_be_installed_is_named(folder):
    program(folder / "first" / "apt-get", "#!/bin/sh\necho 'no such package' >&2\nexit 100\n")
    program(folder / "first" / "sudo", '#!/bin/sh\n[ "$1" = -n ] && shift\nexec "$@"\n')
    done = run(folder, "need some.lock mariadb-server")
    assert done.returncode == 1
    assert "no such package" in done.stderr
    assert "mariadb-server could not be installed" in done.stderr


def test_the_lines_of_one_package_are_found_in_the_lock():
    lock = "requirements.lock"
    done = subprocess.run(
        ["bash", "-c", f". bin/setup.sh; locked uv {lock}; locked numpy {lock}"],
        cwd=ROOT, capture_output=True, text=True,
    )  # fmt: skip
    lines = done.stdout.splitlines()
    named = [line for line in lines if not line.startswith(" ")]
    assert [line.split("==")[0] for line in named] == ["uv", "numpy"]
    assert all("--hash=sha256:" in line for line in lines if line.startswith(" "))
    assert not lines[-1].endswith("\\")
