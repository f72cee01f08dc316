"""The start command as a process, for tests that stop or kill it."""

from __future__ import annotations

import http.cookiejar
import json
import os
import re
import signal
import subprocess
import sys
import urllib.request


class Oatmeal:
    """A running server on its own data folder."""

    def __init__(self, home):
        self.home = home
        self.process = subprocess.Popen(
            [sys.executable, "-m", "oatmeal.run"],
            env={**os.environ, "OATMEAL_HOME": str(home), "OATMEAL_PORT": "0"},
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            preexec_fn=hear_interrupts,
        )
        self.said = ""
        for line in self.process.stdout:
            self.said += line
            if found := re.search(r"http://[\w.-]+:(\d+)/(\S*)", line):
                self.shown, self.address = found[0], f"http://127.0.0.1:{found[1]}/"
                self.door = self.address + found[2]
                break
        else:
            raise AssertionError(self.said)
        jar = urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar())
        self.opener = urllib.request.build_opener(jar)
        page = self.opener.open(self.door).read().decode()
        self.token = re.search(r'csrf-token" content="([^"]+)"', page)[1]

    def call(self, method, path, body=None, **headers):
        data = body if isinstance(body, bytes) else json.dumps(body).encode() if body else None
        wanted = urllib.request.Request(self.address + path, data, method=method)
        wanted.add_header("X-CSRFToken", self.token)
        kind = "application/octet-stream" if isinstance(body, bytes) else "application/json"
        wanted.add_header("Content-Type", kind)
        for name, value in headers.items():
            wanted.add_header(name.replace("_", "-"), value)
        with self.opener.open(wanted, timeout=30) as reply:
            return json.loads(reply.read())

    def kill(self):
        """End server and database the hard way, as a power cut would."""
        database = int((self.home / "database" / "mariadb.pid").read_text())
        self.process.kill()
        os.kill(database, signal.SIGKILL)
        self.process.wait()

    def stop(self):
        self.process.send_signal(signal.SIGINT)
        rest, _ = self.process.communicate(timeout=40)
        self.said += rest
        return self.process.returncode


def hear_interrupts():
    """A shell's background job ignores SIGINT, and nohup SIGHUP, and so would what they start."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    signal.signal(signal.SIGHUP, signal.SIG_DFL)
