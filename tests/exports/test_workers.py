"""A cluster does the work of exports: all of its threads, with and without the same files."""

import json
import shutil
import subprocess
import threading
from concurrent.futures import Future
from pathlib import Path

import pytest
from batching import batch_of, start, states, wait, within
from samples import codes, write_png

from oatmeal import cli
from oatmeal.exports import task, workers
from oatmeal.exports.convert import Finished
from oatmeal.exports.runner import Runner
from oatmeal.exports.task import Cancelled, Task
from oatmeal.exports.workers import Away, Cluster, workers_for
from oatmeal.host.disk import NoRoom
from oatmeal.photofile.errors import Lost
from oatmeal.photofile.output import Output
from oatmeal.settings import SettingError, Settings


def clustered(workers, threads=None):
    """A scheduler and workers with so many threads each, in this process."""
    from distributed import LocalCluster  # here, as it takes a while to load

    return LocalCluster(
        n_workers=workers, threads_per_worker=threads, processes=False, dashboard_address=None
    )


@pytest.fixture
def cluster():
    with clustered(4, 2) as made:
        yield made


@pytest.fixture
def apart(monkeypatch):
    """The workers see no file of the server's; whatever they touch is in their own folder."""
    monkeypatch.setattr(workers, "sees", lambda *given: False)
    real, touched = task.run, []

    def run(wanted, tell=None):
        touched.append((wanted.source, wanted.destination))
        return real(wanted, tell)

    monkeypatch.setattr(task, "run", run)
    return touched


def run_batch(frames, database, store, address, most_bytes=1 << 20, **form):
    made = Runner(database, store, workers_for(address, [store.exports], most_bytes))
    made.start()
    start(frames, **form)
    made.wake()
    wait(frames, limit_s=60)
    made.stop()


def test_a_cluster_does_the_same(frames, database, store, cluster):
    run_batch(frames, database, store, cluster.scheduler_address)
    assert states(frames) == ["done"] * 3
    assert len(list(store.exports.glob("*/*.png"))) == 3
    assert not list(store.exports.glob(".*"))  # what the workers were shown is gone


def test_workers_without_the_files_are_sent_them_and_give_back_the_same(
    frames, runner, database, store, cluster, apart
):
    runner.start()
    start(frames, beside="original")
    runner.wake()
    wait(frames)
    here = {path.name: path.read_bytes() for path in store.exports.glob("*/*.png")}
    for folder in store.exports.iterdir():
        shutil.rmtree(folder)
    apart.clear()
    made = Runner(database, store, workers_for(cluster.scheduler_address, [store.exports], 1 << 20))
    made.start()
    start(frames, beside="original")
    made.wake()
    wait(frames, 2, limit_s=60)
    made.stop()
    there = {path.name: path.read_bytes() for path in store.exports.glob("*/*.png")}
    assert len(here) == 6
    assert there == here
    assert len(apart) == 3
    assert not any(path.startswith(str(store.exports.parent)) for pair in apart for path in pair)
    assert not list(store.incoming.iterdir())


def test_an_original_that_is_too_large_to_send_is_said(frames, database, store, cluster, apart):
    run_batch(frames, database, store, cluster.scheduler_address, most_bytes=10)
    assert states(frames) == ["failed"] * 3
    error = batch_of(frames)["jobs"][0]["error"]
    assert error.startswith("DSC_1.png has 0 MB, and workers of the cluster do not see ")
    assert error.endswith("let them see it under the same path, or raise OATMEAL_CLUSTER_BYTES.")


def test_a_job_far_away_tells_how_far_it_is_and_hears_that_it_is_called_off(
    tmp_path, cluster, apart, monkeypatch
):
    source = write_png(tmp_path / "in.png", codes(40, 60))
    told = tmp_path / "progress"
    go_on = threading.Event()

    def slow(wanted, tell):
        tell(0.25)
        while not go_on.wait(0.01):
            tell(0.5)

    monkeypatch.setattr(task, "run", slow)
    made = Cluster(cluster.scheduler_address, [tmp_path], 1 << 20)
    made.places()
    wanted = Task(str(source), "", "in.png", {}, Output("png"), str(tmp_path / "o.png"), str(told))
    running = made.submit(wanted)
    within(lambda: told.exists() and told.read_text() == "0.500")
    Path(f"{told}.cancel").touch()
    made.look_after()
    with pytest.raises(task.Cancelled):
        running.result(timeout=20)
    assert not told.exists()
    made.close()


class Waiting:
    """Jobs that only wait, and count how many do so at the same time."""

    def __init__(self):
        self.now = self.most = 0
        self.lock = threading.Lock()
        self.release = threading.Event()

    def __call__(self, wanted, tell=None):
        with self.lock:
            self.now += 1
            self.most = max(self.most, self.now)
        self.release.wait(20)
        with self.lock:
            self.now -= 1
        return Finished(1, 1, 1)


@pytest.fixture
def waiting(monkeypatch):
    made = Waiting()
    monkeypatch.setattr(task, "run", made)
    yield made
    made.release.set()


def test_all_places_are_used_also_those_that_come_later(frames, database, store, waiting):
    with clustered(8, 7) as cluster:
        make = workers_for(cluster.scheduler_address, [store.exports], 1 << 20)
        runner = Runner(database, store, make)
        for _ in range(24):
            start(frames)
        runner.start()
        within(lambda: waiting.now == 56)
        cluster.scale(9)
        within(lambda: len(cluster.workers) == 9)
        runner.wake()
        within(lambda: waiting.now == 63)
        waiting.release.set()
        within(lambda: all(set(states(frames, number)) == {"done"} for number in range(1, 25)))
        runner.stop()
    assert waiting.most == 63


def test_the_same_job_is_done_again_when_it_is_asked_for_again(tmp_path, cluster, waiting):
    made = Cluster(cluster.scheduler_address, [tmp_path], 1)
    made.places()
    wanted = Task("a.png", "", "a.png", {}, Output(), str(tmp_path / "o.jpg"), str(tmp_path / "p"))
    one, other = made.submit(wanted), made.submit(wanted)
    within(lambda: waiting.now == 2)
    waiting.release.set()
    assert one.result(20) == other.result(20) == Finished(1, 1, 1)
    made.close()


def test_a_cluster_without_workers_is_waited_for(frames, database, store, waiting):
    waiting.release.set()
    with clustered(0) as cluster:
        runner = Runner(database, store, workers_for(cluster.scheduler_address, [store.exports], 1))
        start(frames)
        runner.start()
        within(lambda: "has no workers: start some." in batch_of(frames)["jobs"][2]["error"])
        assert states(frames) == ["waiting"] * 3
        cluster.scale(1)
        within(lambda: len(cluster.workers) == 1)
        runner.wake()
        wait(frames)
        runner.stop()
    assert states(frames) == ["done"] * 3


def test_a_folder_that_cannot_be_written_to_is_said(tmp_path, cluster):
    made = Cluster(cluster.scheduler_address, [tmp_path / "gone"], 1)
    with pytest.raises(Away, match="gone cannot be written to: No such file"):
        made.places()
    made.close()


@pytest.fixture
def certificates(tmp_path):
    """An authority's certificate, one that it gave, and the key of that."""

    def made(*given):
        subprocess.run(["openssl", *given], cwd=tmp_path, check=True, capture_output=True)

    new = ["req", "-newkey", "rsa:2048", "-nodes", "-days", "2"]
    made(*new, "-x509", "-subj", "/CN=authority", "-keyout", "ca.key", "-out", "ca.pem")
    made(*new, "-subj", "/CN=oatmeal", "-keyout", "own.key", "-out", "own.csr")
    made("x509", "-req", "-in", "own.csr", "-CA", "ca.pem", "-CAkey", "ca.key", "-CAcreateserial",
         "-days", "2", "-out", "own.pem")  # fmt: skip
    return tuple(tmp_path / name for name in ("ca.pem", "own.pem", "own.key"))


def test_a_cluster_with_certificates_takes_nobody_without(
    frames, database, store, certificates, tmp_path, monkeypatch
):
    from distributed import LocalCluster, Security

    authority, own, key = map(str, certificates)
    parts = {f"tls_{who}_{what}": path for who in ("scheduler", "worker", "client")
             for what, path in (("cert", own), ("key", key))}  # fmt: skip
    security = Security(tls_ca_file=authority, require_encryption=True, **parts)
    with LocalCluster(
        n_workers=1, threads_per_worker=2, processes=False, protocol="tls://",
        security=security, dashboard_address=None,
    ) as made:  # fmt: skip
        address = made.scheduler_address
        assert address.startswith("tls://")
        runner = Runner(
            database, store, workers_for(address, [store.exports], 1 << 20, certificates)
        )
        runner.start()
        start(frames)
        runner.wake()
        wait(frames, limit_s=60)
        runner.stop()
        assert states(frames) == ["done"] * 3
        monkeypatch.setattr(workers, "_PATIENCE_S", 1)
        with pytest.raises(Away, match="asks for certificates"):
            Cluster(address, [store.exports], 1)
        with pytest.raises(Away, match="cannot be reached"):
            Cluster(address.replace("tls", "tcp"), [store.exports], 1)
        with pytest.raises(Away, match="must begin with tls://"):
            Cluster(address.replace("tls", "tcp"), [store.exports], 1, certificates)


def test_certificates_are_set_together(certificates):
    names = ("OATMEAL_CLUSTER_CA", "OATMEAL_CLUSTER_CERT", "OATMEAL_CLUSTER_KEY")
    given = dict(zip(names, map(str, certificates), strict=True))
    assert Settings.from_environment(given).cluster_tls == certificates
    for wrong, said in (
        ({names[2]: ""}, "OATMEAL_CLUSTER_KEY must be set, too"),
        ({names[0]: "/nowhere.pem"}, "must be a file that is there"),
        ({"OATMEAL_CLUSTER": "tcp://here:8786"}, "must begin with tls://"),
    ):
        with pytest.raises(SettingError, match=said):
            Settings.from_environment(given | wrong)


class Hostile:
    """What would write a file where it is unpickled."""

    def __init__(self, path):
        self.path = path

    def __reduce__(self):
        return Path.touch, (Path(self.path),)


def hostile(path):
    return Hostile(path)


def test_an_answer_that_holds_a_program_is_not_run(tmp_path):
    from distributed import LocalCluster

    with LocalCluster(
        n_workers=1, threads_per_worker=1, processes=False, protocol="tcp://",
        dashboard_address=None,
    ) as made:  # fmt: skip
        cluster = Cluster(made.scheduler_address, [tmp_path], 1)
        run = tmp_path / "run"
        with pytest.raises(TypeError, match="Could not serialize"):
            cluster._client.submit(hostile, str(run), pure=False).result(timeout=20)
        assert not run.exists()
        cluster.close()


@pytest.mark.parametrize("problem", [Lost("gone"), NoRoom("full", "/prints", 7), Cancelled()])
def test_what_stands_in_the_way_of_a_job_comes_back_as_it_was(problem):
    def work():
        raise problem

    ended = Future()
    ended.set_result(json.loads(json.dumps(workers._answer(work))))
    with pytest.raises(type(problem)) as found:
        workers._finished(ended)
    assert found.value.args == problem.args


def test_nobody_at_the_address(tmp_path, monkeypatch, capsys):
    monkeypatch.setattr(workers, "_PATIENCE_S", 0.2)
    with pytest.raises(Away, match=r"The cluster at tcp://127\.0\.0\.1:1 cannot be reached: "):
        Cluster("tcp://127.0.0.1:1", [tmp_path], 1)
    source = write_png(tmp_path / "in.png", codes(20, 30))
    command = ["convert", str(source), "--out", str(tmp_path / "o.png")]
    assert cli.main([*command, "--cluster", "tcp://127.0.0.1:1"]) == 1
    assert "cannot be reached" in capsys.readouterr().err


@pytest.mark.parametrize("seeing", [True, False])
def test_the_command_converts_folders_on_a_cluster(tmp_path, cluster, capsys, request, seeing):
    folder, out, alone = tmp_path / "in", tmp_path / "out", tmp_path / "alone"
    (folder / "b").mkdir(parents=True)
    for number, name in enumerate(("1.png", "2.png", "b/3.png")):
        write_png(folder / name, codes(seed=number))
    (folder / "bad.png").write_bytes(b"nothing")
    command = ["convert", str(folder), "--format", "png", "--out"]
    assert cli.main([*command, str(alone), "--jobs", "1"]) == 1
    touched = [] if seeing else request.getfixturevalue("apart")
    capsys.readouterr()
    assert cli.main([*command, str(out), "--cluster", cluster.scheduler_address]) == 1
    assert capsys.readouterr().err.count("bad.png") == 1
    for name in ("1.png", "2.png", "b/3.png"):
        assert (out / name).read_bytes() == (alone / name).read_bytes()
    assert seeing or not any(pair[0].startswith(str(folder)) for pair in touched)
    assert cli.main([*command, str(out), "--cluster", "tcp://x", "--jobs", "2"]) == 2
