"""Reading requests: bodies become models at the edge, or are refused with a sentence."""

from __future__ import annotations

import functools
from collections.abc import Callable, Mapping
from typing import Any, Final, TypeVar

from flask import request
from pydantic import BaseModel, ValidationError
from pydantic_core import ErrorDetails

from oatmeal.core.recipe import RecipeError
from oatmeal.library.errors import Invalid

#: A JSON body is refused above this size.
MAX_JSON_BYTES: Final = 8_000_000

#: What the API answers.
Reply = dict[str, Any]

_View = TypeVar("_View", bound=Callable[..., Any])
_Model = TypeVar("_Model", bound=BaseModel)

#: What a value must be, by pydantic's name for the problem; more than one name begins alike.
_MUST_BE: Final = {
    "int_": "a whole number", "string_type": "a text", "list_type": "a list",
    "tuple_type": "a list", "dict_type": "an object", "model_": "an object",
    "float_": "a number", "finite_number": "a number", "bool_": "true or false",
}  # fmt: skip


def takes(model: type[BaseModel]) -> Callable[[_View], _View]:
    """Give a view its request's body as the argument ``wanted``, an instance of ``model``.

    The model can be found again as the view's attribute ``takes``.

    Raises
    ------
    Invalid
        From the view, for a body that does not fit, with a sentence that names the place.
    RecipeError
        From the view, for a recipe in it that cannot be used.
    """

    def with_body(view: _View) -> _View:
        @functools.wraps(view)
        def called(*args: Any, **kwargs: Any) -> Any:
            return view(*args, wanted=_body(model), **kwargs)

        called.takes = model  # type: ignore[attr-defined]
        return called  # type: ignore[return-value]

    return with_body


def query(model: type[_Model], values: Mapping[str, str]) -> _Model:
    """The same for what stands behind the question mark of an address."""
    try:
        return model.model_validate_strings(dict(values))
    except ValidationError as error:
        raise refused(error) from error


def _body(model: type[_Model]) -> _Model:
    if (request.content_length or 0) > MAX_JSON_BYTES:
        raise Invalid("The request is larger than 8 MB.")
    data = request.get_data()
    if data and not request.is_json:
        raise Invalid("The request must be a JSON object.")
    try:
        return model.model_validate_json(data or b"{}")
    except ValidationError as error:
        raise refused(error) from error


def refused(error: ValidationError) -> Exception:
    """What to raise: a recipe's own problems, or a sentence on the first that does not fit."""
    found = error.errors(include_url=False)
    for one in found:
        inner = one.get("ctx", {}).get("error")
        if isinstance(inner, RecipeError):
            return inner
    return Invalid(_sentence(found[0]))


def _sentence(found: ErrorDetails) -> str:
    kind, limits = found["type"], found.get("ctx", {})
    place = "".join(
        f"[{part}]" if isinstance(part, int) else f".{part}" for part in found["loc"]
    ).lstrip(".")
    if kind == "json_invalid":
        return "The request is no JSON that can be read."
    if kind == "model_type":
        return "The request must be a JSON object."
    if kind == "missing":
        return f"{place} is missing."
    if kind == "extra_forbidden":
        return f"There is nothing called {place[:60]} here."
    for begins, words in _MUST_BE.items():
        if kind.startswith(begins):
            return f"{place} must be {words}."
    if kind == "literal_error":
        return f"{place} may be {limits['expected']}."
    if kind in ("greater_than_equal", "less_than_equal"):
        bound = limits.get("ge", limits.get("le"))
        return f"{place} must be {bound:g} at the {'least' if 'ge' in limits else 'most'}."
    if kind in ("too_long", "too_short", "string_too_long"):
        bound = limits.get("max_length", limits.get("min_length"))
        what = "characters" if kind == "string_too_long" else "entries"
        few = "least" if kind == "too_short" else "most"
        return f"{place} may have {bound} {what} at the {few}."
    return f"{place} cannot be used: {found['msg'][:1].lower()}{found['msg'][1:]}."
