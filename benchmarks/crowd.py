"""Several people at one server: how much slower one is for the others, as ratios inside one run.

Starts Oatmeal on the demo series in a folder of its own, lets one client drag in Tone, then eight
on eight photographs, then one beside slow uploads and idle connections. Run with
``.venv/bin/python benchmarks/crowd.py [seconds]``; nothing here judges, it prints.
"""

from __future__ import annotations

import http.client
import json
import os
import re
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Callable
from functools import partial
from http.cookiejar import CookieJar
from pathlib import Path

PROJECT = Path(__file__).parents[1]
CLIENTS = 8
LOCAL = {"clarity": 30, "shadows": 15, "contrast": 10}


class Server:
    """A running Oatmeal: where it is, and what a page of it needs to ask."""

    def __init__(self, home: Path, **settings: str) -> None:
        environment = {**os.environ, "OATMEAL_HOME": str(home), "OATMEAL_PORT": "0", **settings}
        command = [sys.executable, "-m", "oatmeal.run", "demo"]
        self.process = subprocess.Popen(
            command, stdout=subprocess.PIPE, text=True, env=environment, cwd=PROJECT
        )
        address = ""
        for line in self.process.stdout or ():
            if found := re.search(r"ready.*http://[^:/]+(\S+)", line):
                address = f"http://127.0.0.1{found[1]}"
                break
        jar = CookieJar()
        page = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(jar)).open(address)
        token = re.search(r'csrf-token" content="([^"]+)"', page.read().decode())
        assert token is not None
        self.address = address
        self.port = int(address.split(":")[2].split("/")[0])
        cookie = "; ".join(f"{one.name}={one.value}" for one in jar)
        self.headers = {"Cookie": cookie, "X-CSRFToken": token[1]}

    def connection(self) -> http.client.HTTPConnection:
        return http.client.HTTPConnection("127.0.0.1", self.port, timeout=120)

    def ask(
        self, connection: http.client.HTTPConnection, method: str, path: str, body: object = None
    ) -> bytes:
        """The answer's bytes; an error ends the run."""
        content = None if body is None else json.dumps(body)
        headers = self.headers | ({} if body is None else {"Content-Type": "application/json"})
        connection.request(method, path, content, headers)
        answer = connection.getresponse()
        data = answer.read()
        if answer.status != 200:
            raise SystemExit(f"{method} {path}: {answer.status} {data[:200]!r}")
        return data

    @property
    def peak_gb(self) -> float:
        status = Path(f"/proc/{self.process.pid}/status").read_text()
        return int(re.findall(r"VmHWM:\s+(\d+) kB", status)[0]) / 1e6

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait()


def drag(server: Server, photograph: int, seconds: float, times: list[float]) -> None:
    """Drag exposure on a photograph; the seconds of every frame."""
    connection = server.connection()
    end, count = time.monotonic() + seconds, 0
    while time.monotonic() < end:
        count += 1
        recipe = {"tone": LOCAL | {"exposure": 0.001 * (count % 900)}}
        begun = time.perf_counter()
        wish = {"recipe": recipe, "side": 1600}
        server.ask(connection, "POST", f"/api/photographs/{photograph}/frame", wish)
        times.append(time.perf_counter() - begun)


def together(works: list[Callable[[], None]]) -> None:
    threads = [threading.Thread(target=work) for work in works]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()


def clients(server: Server, seconds: float) -> float:
    """One client, then eight; the seconds of a frame of one alone."""
    alone: list[float] = []
    drag(server, 1, 2, [])
    drag(server, 1, max(5, seconds / 6), alone)
    one = statistics.median(alone)
    print(f"one client: {1 / one:.1f} frames a second")
    for photographs in (3, CLIENTS):
        each: list[list[float]] = [[] for _ in range(CLIENTS)]
        together([partial(drag, server, n % photographs + 1, 3, []) for n in range(CLIENTS)])
        together(
            [
                partial(drag, server, n % photographs + 1, seconds, seen)
                for n, seen in enumerate(each)
            ]
        )
        medians = [statistics.median(seen) for seen in each]
        total = sum(len(seen) for seen in each) / seconds
        print(
            f"{CLIENTS} clients on {photographs} photographs: {total:.1f} frames a second, "
            f"slowest client {max(medians) / one:.1f} x one alone, fastest {min(medians) / one:.1f}"
            f", longest frame {max(map(max, each)) / one:.0f} x; peak {server.peak_gb:.2f} GB"
        )
    return one


def page(server: Server) -> float:
    connection = server.connection()
    times = []
    for _ in range(7):
        begun = time.perf_counter()
        server.ask(connection, "GET", "/series/1")
        times.append(time.perf_counter() - begun)
    return max(times)


def neighbours(server: Server, one: float) -> None:
    """A page and a drag beside slow uploads, large uploads, and connections that send nothing."""
    quiet = page(server)
    print(f"a page alone, longest of seven: {quiet / one:.2f} frames of one client")
    stop = threading.Event()

    def upload(slowly: bool) -> None:
        content = (PROJECT / "demo" / "bunting.jpg").read_bytes() + os.urandom(16)
        head = "".join(f"{name}: {value}\r\n" for name, value in server.headers.items())
        with socket.create_connection(("127.0.0.1", server.port)) as connection:
            connection.sendall(
                f"POST /api/series/1/photographs HTTP/1.1\r\nHost: 127.0.0.1:{server.port}\r\n"
                f"{head}X-File-Name: late.jpg\r\nContent-Length: {len(content)}\r\n\r\n".encode()
            )
            for begin in range(0, len(content), 20_000):
                connection.sendall(content[begin : begin + 20_000])
                if slowly and stop.wait(0.5):
                    return
            connection.recv(100)

    for words, slowly in (("six slow uploads", True), ("six uploads at once", False)):
        stop.clear()
        threads = [threading.Thread(target=upload, args=(slowly,)) for _ in range(6)]
        for thread in threads:
            thread.start()
        time.sleep(0.3)
        beside = page(server)
        seen: list[float] = []
        drag(server, 2, 3, seen)
        print(
            f"beside {words}: a page {beside / quiet:.1f} x, a frame "
            f"{statistics.median(seen) / one:.1f} x"
        )
        stop.set()
        for thread in threads:
            thread.join()
    idle = [socket.create_connection(("127.0.0.1", server.port)) for _ in range(150)]
    for connection in idle:
        connection.sendall(b"GET / HTTP/1.1\r\nHost: 127.0.0.1")
    time.sleep(0.5)
    print(
        f"beside 150 connections that never finish a request: a page {page(server) / quiet:.1f} x"
    )
    for connection in idle:
        connection.close()


def main() -> None:
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 60
    with tempfile.TemporaryDirectory() as scratch:
        server = Server(Path(scratch) / "home")
        try:
            neighbours(server, clients(server, seconds))
        finally:
            server.stop()


if __name__ == "__main__":
    main()
