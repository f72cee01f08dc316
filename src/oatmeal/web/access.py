"""Who may come in: whoever has the address with the key, or everybody on this machine.

Browsers keep cookies by a host's name and know no ports: what is kept for 127.0.0.1 goes to every
server there. So the printed address has a name of its own below ``localhost``, which browsers lead
to this machine (RFC 6761, 6.3), and its key is another one at each start: whoever holds the port
while Oatmeal is stopped learns nothing that opens it later. Behind a proxy the name is the
proxy's own, and its key stays.
"""

from __future__ import annotations

import hashlib
import hmac
import secrets
from typing import Final
from urllib.parse import quote, urlsplit, urlunsplit

from flask import Flask, abort, current_app, redirect, request
from werkzeug.wrappers import Response

from oatmeal.settings import Settings
from oatmeal.web.services import services

#: What the key is called in the address, and seconds for which a browser keeps it (400 days).
ARGUMENT: Final = "key"
_KEPT_S: Final = 400 * 24 * 3600

#: What is needed to show why somebody may not come in.
_OPEN_TO_ALL: Final = ("static", "pages.favicon")


def register(app: Flask, settings: Settings) -> None:
    """Ask everybody who comes in for the key, unless the settings let everybody in."""
    app.before_request(_refuse_strangers)
    if settings.access == "one":
        app.config["KEY"] = secrets.token_hex(16)
        app.config["PROXY_KEY"] = _derived(app, "key")
        app.before_request(_ask_for_key)


def name_of(app: Flask) -> str:
    """What tells this library from others, in cookies and in what browsers keep."""
    return _derived(app, "library")[:12]


def host_of(app: Flask) -> str:
    """The library's own name on this machine."""
    return f"oatmeal-{_derived(app, 'host')[:10]}.localhost"


def address_of(app: Flask, address: str) -> str:
    """The address by which one comes in, from that of the server."""
    key = app.config.get("KEY")
    if not key:
        return address
    asked = urlsplit(address)
    place = f"{host_of(app)}:{asked.port}" if asked.hostname else ""
    return urlunsplit((asked.scheme, place, asked.path, f"{ARGUMENT}={key}", ""))


def proxied_addresses(app: Flask, hosts: tuple[str, ...]) -> list[str]:
    """The same for each name under which a proxy serves it; these stay."""
    key = app.config.get("PROXY_KEY")
    return [f"https://{host}/" + (f"?{ARGUMENT}={key}" if key else "") for host in hosts]


def shows_key(app: Flask, text: str) -> bool:
    """Whether a request whose address and cookies these are may come in, as far as one can see."""
    keys = [app.config[name] for name in ("KEY", "PROXY_KEY") if name in app.config]
    return not keys or any(key in text for key in keys)


def _derived(app: Flask, what: str) -> str:
    return hashlib.sha256(f"{what} {app.config['SECRET_KEY']}".encode()).hexdigest()[:32]


def _refuse_strangers() -> None:
    """No page of another site may make this server work, not even by a picture in it.

    Browsers say where a request comes from (Fetch Metadata, W3C); what says nothing is no browser.
    """
    host = request.host  # one that is not ours is refused by that alone
    site = request.headers.get("Sec-Fetch-Site", "none")
    origin = request.headers.get("Origin")
    foreign = origin is not None and not _is_ours(origin, host)
    if site in ("cross-site", "same-site") or foreign:
        abort(403, "This is asked for by another site, which Oatmeal does not answer.")


def _is_ours(origin: str, host: str) -> bool:
    """Whether a page of this origin is ours; a proxy may answer at a port of its own."""
    try:
        asked = urlsplit(origin)
        name = asked.hostname
    except ValueError:  # no address at all
        return False
    if asked.netloc == host:
        return True
    served: Settings = services().settings
    return name in served.hosts and name == host.partition(":")[0]


def _ask_for_key() -> Response | None:
    """Take the key from the address into a cookie; later requests come with that."""
    served: Settings = services().settings
    proxied = request.host.partition(":")[0] in served.hosts
    secure = proxied and request.is_secure
    key: str = current_app.config["PROXY_KEY" if proxied else "KEY"]
    # a cookie with this prefix browsers take and send by https alone (RFC 6265bis, 4.1.3.2)
    cookie = f"{'__Host-' if secure else ''}{current_app.config['SESSION_COOKIE_NAME']}-key"
    shown = request.args.get(ARGUMENT)
    if shown is not None and hmac.compare_digest(shown.encode(), key.encode()):
        # without the key, so that neither history nor pictures of the screen hold it
        response = redirect(quote(request.path), 303)
        response.set_cookie(
            cookie, key, max_age=_KEPT_S, httponly=True, samesite="Strict", secure=secure
        )
        return response
    held = request.cookies.get(cookie, "")
    if not hmac.compare_digest(held.encode(), key.encode()) and (
        request.endpoint not in _OPEN_TO_ALL
    ):
        abort(
            403,
            "This library is open to one person: come in by the address that Oatmeal printed when "
            "it started, a new one each time.",
        )
    return None
