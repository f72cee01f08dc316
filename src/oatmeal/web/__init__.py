"""The web interface: pages, a JSON API and the files that a page needs."""

from oatmeal.web.app import create_app

__all__ = ["create_app"]
