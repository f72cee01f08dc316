"""Who may come in: whoever has the address with the key, or everybody on this machine."""

from __future__ import annotations

import hashlib
import hmac
from typing import Final
from urllib.parse import quote, urlsplit

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
        app.config["KEY"] = _derived(app, "key")
        app.before_request(_ask_for_key)


def name_of(app: Flask) -> str:
    """What tells this library from others, in cookies and in what browsers keep."""
    return _derived(app, "library")[:12]


def address_of(app: Flask, address: str) -> str:
    """The address by which one comes in."""
    key = app.config.get("KEY")
    return f"{address}?{ARGUMENT}={key}" if key else address


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
    key: str = current_app.config["KEY"]
    cookie = f"{current_app.config['SESSION_COOKIE_NAME']}-key"
    shown = request.args.get(ARGUMENT)
    if shown is not None and hmac.compare_digest(shown.encode(), key.encode()):
        # without the key, so that neither history nor pictures of the screen hold it
        response = redirect(quote(request.path), 303)
        response.set_cookie(cookie, key, max_age=_KEPT_S, httponly=True, samesite="Strict")
        return response
    held = request.cookies.get(cookie, "")
    if not hmac.compare_digest(held.encode(), key.encode()) and (
        request.endpoint not in _OPEN_TO_ALL
    ):
        abort(
            403,
            "This library is open to one person: come in by the address that Oatmeal printed when "
            "it started.",
        )
    return None
