"""Requests of each kind wait for their own kind alone."""

import re
import socket
import threading
import time
from pathlib import Path

import pytest
from samples import DEMO
from waitress.channel import HTTPChannel

from oatmeal.rendering.reading import shared_reader
from oatmeal.run import listening
from oatmeal.run.listening import server_for
from oatmeal.settings import Settings
from oatmeal.web import access, create_app, export_api, priorities


@pytest.mark.parametrize(
    ("method", "path", "kind"),
    [
        ("GET", "/", "page"),
        ("GET", "/series/1", "page"),
        ("PUT", "/api/versions/1/recipe", "page"),
        ("POST", "/api/photographs/1/frame", "frame"),
        ("POST", "/api/photographs/1/balance", "frame"),
        ("GET", "/pictures/1.jpg", "small"),
        ("GET", "/api/photographs/1/check", "small"),
        ("POST", "/api/series/1/photographs", "file"),
        ("POST", "/api/prints/file", "file"),
        ("POST", "/api/photographs/1/ready", "file"),
        ("POST", "/api/apply/plan", "file"),
        ("POST", "/api/versions/1/finished", "file"),
        ("GET", "/exports/1.zip", "archive"),
        ("GET", "/nowhere", "page"),
        ("PUT", "/", "page"),
    ],
)
def test_every_request_has_a_kind(app, method, path, kind):
    assert priorities.pace_of(app, method, path) == kind


def test_a_kind_that_there_is_not_is_refused():
    with pytest.raises(ValueError, match="leisurely is none of page, frame"):
        priorities.paced("leisurely")


def test_pages_are_answered_while_more_uploads_than_threads_are_read(
    database, store, tmp_path, monkeypatch
):
    app = create_app(database, store, Settings(tmp_path / "home", access="machine"))
    listener = socket.create_server(("127.0.0.1", 0))
    server = server_for(app, Settings(tmp_path), listener)
    threading.Thread(target=server.run, daemon=True).start()
    port = listener.getsockname()[1]
    go_on, held = threading.Event(), []
    real = shared_reader().read

    def slow(*given):
        held.append(1)
        go_on.wait(30)
        return real(*given)

    monkeypatch.setattr(shared_reader(), "read", slow)
    page = app.test_client().get(access.address_of(app, "/"))
    token = page.get_data(as_text=True).split('csrf-token" content="')[1].split('"')[0]
    cookie = page.headers["Set-Cookie"].split(";")[0]
    content = (DEMO / "bunting.jpg").read_bytes()
    app.test_client()
    with database.session() as session:
        from oatmeal.library import series

        number = series.create(session, "Meet").id

    def send(request, body=b""):
        connection = socket.create_connection(("127.0.0.1", port), timeout=30)
        head = f"{request} HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nCookie: {cookie}\r\n"
        head += f"X-CSRFToken: {token}\r\nContent-Length: {len(body)}\r\n\r\n"
        connection.sendall(head.encode() + body)
        return connection

    uploads = [
        send(f"POST /api/series/{number}/photographs", content + bytes([place]))
        for place in range(2 * priorities.THREADS["file"])
    ]
    try:
        end = time.monotonic() + 20
        while len(held) < priorities.THREADS["file"]:
            assert time.monotonic() < end
            time.sleep(0.01)
        answer = send("GET /").recv(100)  # with all of them waiting, or not at all
        assert answer.startswith(b"HTTP/1.1 200")
        assert len(held) == priorities.THREADS["file"]
    finally:
        go_on.set()
    assert all(upload.recv(100).startswith(b"HTTP/1.1 200") for upload in uploads)
    server.close()


def test_a_thousand_requests_half_sent_do_not_keep_the_owner_out(app, tmp_path, monkeypatch):
    """Each new connection takes the place of the oldest that never showed the key."""
    monkeypatch.setattr(listening, "CROWDED", 40)
    monkeypatch.setitem(listening.SERVER, "connection_limit", 50)
    listener = socket.create_server(("127.0.0.1", 0))
    server = server_for(app, Settings(tmp_path), listener)
    threading.Thread(target=server.run, daemon=True).start()
    place = listener.getsockname()
    door = access.address_of(app, "/").encode()
    head = b" HTTP/1.1\r\nHost: 127.0.0.1\r\n"
    with socket.create_connection(place, timeout=20) as owner:
        owner.sendall(b"GET " + door + head + b"\r\n")
        assert owner.recv(100).startswith(b"HTTP/1.1 303")
        strangers = []
        for number in range(130):
            strangers.append(socket.create_connection(place, timeout=20))
            body = b"Content-Length: 1000000\r\n\r\nfog" if number % 2 else b""
            strangers[-1].sendall(b"POST /api/series" + head + body)
        with socket.create_connection(place, timeout=20) as late:
            late.sendall(b"GET " + door + head + b"\r\n")
            assert late.recv(100).startswith(b"HTTP/1.1 303")
        owner.sendall(b"GET /favicon.ico" + head + b"\r\n")  # who is known stays
        while answer := owner.recv(4000):
            if b"HTTP/1.1 302" in answer:
                break
        assert answer
    for connection in strangers:
        connection.close()
    server.close()


def test_slow_readers_stop_neither_uploads_nor_files(app, web, photograph, tmp_path, monkeypatch):
    """Of an archive, and of a finished file that is larger than what a system takes at once."""
    monkeypatch.setitem(listening.SERVER, "outbuf_overflow", 1 << 16)
    monkeypatch.setitem(listening.SERVER, "outbuf_high_watermark", 1 << 20)
    large = tmp_path / "large.png"
    large.write_bytes(b"x" * (40 << 20))
    monkeypatch.setattr(export_api.batches, "files", lambda *given: (tmp_path, ["large.png"]))
    listener = socket.create_server(("127.0.0.1", 0))
    server = server_for(app, Settings(tmp_path), listener)
    threading.Thread(target=server.run, daemon=True).start()
    door = access.address_of(app, "/").encode()
    head = b" HTTP/1.1\r\nHost: 127.0.0.1\r\n"

    def ask(wanted, cookie=b""):
        connection = socket.create_connection(listener.getsockname(), timeout=20)
        connection.sendall(b"GET " + wanted + head + cookie + b"\r\n")
        return connection

    told = ask(door).recv(2000).decode()
    cookie = b"Cookie: " + re.search("Set-Cookie: ([^;]*-key=[^;]*)", told)[1].encode() + b"\r\n"
    slow = [ask(b"/exports/1.zip", cookie) for _ in range(priorities.THREADS["file"] + 1)]
    for one in slow:
        assert one.recv(20).startswith(b"HTTP/1.1 200")
    quick = ask(b"/versions/1/finished?format=png", cookie)  # of the kind that uploads are
    assert quick.recv(20).startswith(b"HTTP/1.1 ")
    for one in (*slow, quick):
        one.close()
    server.close()


def test_idle_connections_hold_up_nobody(app, tmp_path):
    listener = socket.create_server(("127.0.0.1", 0))
    server = server_for(app, Settings(tmp_path), listener)
    threading.Thread(target=server.run, daemon=True).start()
    idle = [socket.create_connection(listener.getsockname()) for _ in range(150)]
    for connection in idle:
        connection.sendall(b"GET / HTTP/1.1\r\nHost: 127.0.0.1")
    with socket.create_connection(listener.getsockname(), timeout=5) as connection:
        connection.sendall(b"GET /favicon.ico HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
        assert connection.recv(100).startswith(b"HTTP/1.1 302")
    for connection in idle:
        connection.close()
    server.close()


def test_with_another_version_of_the_server_all_wait_in_one_queue(app, tmp_path, monkeypatch):
    """As it documents, without what stands on its inner parts."""
    lock = (Path(__file__).parents[2] / "requirements.lock").read_text()
    assert f"\nwaitress=={listening.WRITTEN_FOR} " in lock
    monkeypatch.setattr(listening, "WRITTEN_FOR", "2.0")
    listener = socket.create_server(("127.0.0.1", 0))
    server = server_for(app, Settings(tmp_path), listener)
    assert server.channel_class is HTTPChannel
    threading.Thread(target=server.run, daemon=True).start()
    door = access.address_of(app, "/").encode()
    with socket.create_connection(listener.getsockname(), timeout=20) as connection:
        connection.sendall(b"GET " + door + b" HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
        assert connection.recv(100).startswith(b"HTTP/1.1 303")
    server.close()
