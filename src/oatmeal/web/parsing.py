"""Reading requests: JSON bodies and what may be in them, refused with a sentence."""

from __future__ import annotations

from typing import Any, Final

from flask import request

from oatmeal.library.errors import Invalid
from oatmeal.photofile.encode import Output

#: A JSON body is refused above this size.
MAX_JSON_BYTES: Final = 8_000_000

#: What the API answers.
Reply = dict[str, Any]


def body() -> dict[str, Any]:
    """The request's JSON object; raises :class:`Invalid`."""
    if (request.content_length or 0) > MAX_JSON_BYTES:
        raise Invalid("The request is larger than 8 MB.")
    document = request.get_json(silent=True)
    if not isinstance(document, dict):
        raise Invalid("The request must be a JSON object.")
    return document


def text(document: dict[str, Any], key: str) -> str:
    """A text of the request."""
    value = document.get(key)
    if not isinstance(value, str):
        raise Invalid(f"{key} must be a text.")
    return value


def number(document: dict[str, Any], key: str) -> int:
    """A whole number of the request."""
    value = document.get(key)
    if type(value) is not int:
        raise Invalid(f"{key} must be a whole number.")
    return value


def numbers(document: dict[str, Any], key: str) -> list[int]:
    """A list of whole numbers of the request."""
    value = document.get(key)
    if not isinstance(value, list) or any(type(item) is not int for item in value):
        raise Invalid(f"{key} must be a list of whole numbers.")
    return value


def share(value: Any) -> float:
    """A number from 0 to 1: a place along one side of a picture."""
    if type(value) not in (int, float) or not 0 <= value <= 1:
        raise Invalid("A place is two numbers from 0 to 1.")
    return float(value)


def output_of(document: dict[str, Any]) -> Output:
    """The wanted form; raises PhotoFileError with what is wrong, or :class:`Invalid`."""
    size = document.get("size") or None
    chosen = document.get("format", "jpeg")
    if not isinstance(chosen, str):
        raise Invalid("format must be a text.")
    return Output(
        chosen,
        number({"depth": 8} | document, "depth"),
        str(document.get("channels", "grey")),
        number({"quality": 92} | document, "quality"),
        number(document, "size") if size is not None else None,
        str(document.get("metadata", "keep")),
        number({"resolution": 300} | document, "resolution"),
        str(document.get("sharpen", "off")),
        number({"sharpen_amount": 50} | document, "sharpen_amount"),
        str(document.get("beside", "nothing")),
    )
