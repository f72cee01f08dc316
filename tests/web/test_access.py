"""Who may come in: by the key in the printed address, kept in a cookie; or everybody."""

import re
from urllib.parse import urlsplit

import pytest

from oatmeal.settings import SettingError, Settings
from oatmeal.web import access, create_app

PAGES = ("/", "/series/1", "/bench/1", "/recipes", "/exports", "/pictures/1.jpg", "/api/exports",
         "/versions/1/finished", "/exports/1.zip", "/nowhere")  # fmt: skip


@pytest.fixture
def stranger(app, photograph):
    """Another user of the same machine, who found the port."""
    return app.test_client()


def test_without_the_key_nothing_is_shown_or_done(stranger, app):
    for address in PAGES:
        reply = stranger.get(address)
        assert reply.status_code == 403
        assert b"come in by the address that Oatmeal printed" in reply.data
        assert b"first" not in reply.data.lower().replace(b"first it", b"")
    for rule in app.url_map.iter_rules():
        if rule.endpoint in ("static", "pages.favicon"):
            continue
        address = rule.build(dict.fromkeys(rule.arguments, 1))[1]
        for method in rule.methods - {"OPTIONS"}:
            assert stranger.open(address, method=method).status_code in (400, 403), address


@pytest.mark.parametrize("key", ["", "x", "é", "0" * 32, "0" * 100_000])
def test_a_wrong_key_opens_nothing(stranger, key):
    reply = stranger.get("/", query_string={"key": key})
    assert reply.status_code == 403
    assert "Set-Cookie" not in reply.headers or "-key=" not in reply.headers["Set-Cookie"]
    stranger.set_cookie("oatmeal-key", key[:100])
    assert stranger.get("/").status_code == 403


def test_the_key_is_taken_once_and_does_not_stay_in_the_address(stranger, app):
    address = access.address_of(app, "/series/1")
    reply = stranger.get(address)
    assert (reply.status_code, reply.location) == (303, "/series/1")
    cookies = [line for line in reply.headers.getlist("Set-Cookie") if "-key=" in line]
    assert len(cookies) == 1
    for word in ("HttpOnly", "SameSite=Strict", "Max-Age="):
        assert word in cookies[0]
    assert b"First lift" in stranger.get("/series/1").data


def test_the_name_stays_over_restarts_and_the_key_does_not(app, database, store, tmp_path):
    """What was kept by who held the port meanwhile opens nothing any more."""
    again = create_app(database, store, Settings(tmp_path / "home"))
    other = create_app(database, store, Settings(tmp_path / "other"))
    doors = [access.address_of(one, "http://127.0.0.1:8437/") for one in (app, again, other)]
    names = [urlsplit(door).hostname for door in doors]
    keys = [urlsplit(door).query for door in doors]
    assert names[0] == names[1] != names[2]
    assert len(set(keys)) == 3
    assert all(re.fullmatch(r"oatmeal-[0-9a-f]{10}\.localhost", name) for name in names)
    guest = again.test_client()
    assert guest.get(f"/?{keys[0]}").status_code == 403
    reply = guest.get(f"/?{keys[1]}", base_url=f"http://{names[1]}:8437")
    assert (reply.status_code, reply.location) == (303, "/")
    assert guest.get("/", base_url=f"http://{names[1]}:8437").status_code == 200
    assert guest.get("/").status_code == 403  # another name on the same machine gets no cookie
    assert guest.get("/", headers={"Host": "other.localhost"}).status_code == 400


def test_behind_a_proxy_the_key_stays_and_its_cookie_goes_by_https_alone(database, store, tmp_path):
    settings = Settings(tmp_path / "home", hosts=("prints.example",))
    doors = []
    for _ in range(2):
        app = create_app(database, store, settings)
        doors += access.proxied_addresses(app, settings.hosts)
    assert doors[0] == doors[1]
    client = app.test_client()
    reply = client.get(f"/?{urlsplit(doors[0]).query}", base_url="https://prints.example")
    cookie = next(one for one in reply.headers.getlist("Set-Cookie") if "-key=" in one)
    assert cookie.startswith("__Host-")
    for word in ("Secure", "Path=/", "HttpOnly"):
        assert word in cookie
    assert "Domain" not in cookie
    name, value = cookie.split(";")[0].split("=")
    held = {"Cookie": f"{name}={value}"}
    bare = app.test_client(use_cookies=False)
    address = "https://prints.example"
    assert bare.get("/", base_url=address, headers=held).status_code == 200
    assert bare.get("/", headers={**held, "Host": "127.0.0.1"}).status_code == 403
    here = urlsplit(access.address_of(app, "http://127.0.0.1:1/")).query
    assert here != urlsplit(doors[0]).query


def test_everybody_may_come_in_if_that_is_set(database, store, tmp_path):
    app = create_app(database, store, Settings(tmp_path / "home", access="machine"))
    assert access.address_of(app, "http://127.0.0.1:1/") == "http://127.0.0.1:1/"
    assert app.test_client().get("/").status_code == 200


def test_the_setting_is_read_and_checked():
    assert Settings.from_environment({}).access == "one"
    assert Settings.from_environment({"OATMEAL_ACCESS": "machine"}).access == "machine"
    with pytest.raises(SettingError, match="OATMEAL_ACCESS must be one or machine, not 'all'"):
        Settings.from_environment({"OATMEAL_ACCESS": "all"})


def test_a_proxy_may_serve_it_under_a_name_that_is_said(database, store, tmp_path):
    settings = Settings.from_environment(
        {"OATMEAL_HOME": str(tmp_path), "OATMEAL_HOSTS": "studio.example, other.example"}
    )
    assert settings.hosts == ("studio.example", "other.example")
    settings = Settings(tmp_path, access="machine", hosts=settings.hosts)
    client = create_app(database, store, settings).test_client()
    for host, origin, status in (
        ("studio.example", "https://studio.example", 200),
        ("studio.example", "https://evil.example", 403),
        ("evil.example", "https://evil.example", 400),
    ):
        reply = client.get("/", headers={"Host": host, "Origin": origin})
        assert reply.status_code == status


@pytest.mark.parametrize("origin", ["http://[", "https://", "null", "http://\u00e9", "x" * 9000])
def test_an_origin_that_is_no_address_is_refused_and_not_a_fault(stranger, origin):
    answer = stranger.get("/", headers={"Origin": origin.encode().decode("latin-1")})
    assert answer.status_code == 403


@pytest.mark.parametrize("path", ["/a%0Ab", "/a%0D%0Ab", "/%C3%A9"])
def test_line_ends_in_a_path_beside_the_key_are_no_fault(stranger, app, path):
    answer = stranger.get(access.address_of(app, path))
    assert answer.status_code == 303
    assert answer.headers["Location"] == path


def test_a_proxy_may_answer_at_a_port_of_its_own(database, store, tmp_path):
    settings = Settings(tmp_path / "home", access="machine", hosts=("prints.example",))
    client = create_app(database, store, settings).test_client()
    for origin, status in (
        ("https://prints.example:8443", 200), ("https://prints.example", 200),
        ("https://other.example:8443", 403), ("http://127.0.0.1:8437", 403),
    ):  # fmt: skip
        answer = client.get("/", headers={"Host": "prints.example", "Origin": origin})
        assert answer.status_code == status, origin
