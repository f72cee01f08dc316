"""Formulas: what they compute, what they refuse, and that nothing is ever run as code."""

import json
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import colours

from oatmeal.core import colour
from oatmeal.core.mix import formula_kernel
from oatmeal.core.recipe import Formula, formula
from oatmeal.core.recipe.examples import FORMULA_EXAMPLES
from oatmeal.core.recipe.formula import FormulaError, compile_formula

RGB = colours(3000)


def grey(text, **parameters):
    """Encoded grey of a formula."""
    linear = formula_kernel.evaluate(RGB, compile_formula(text, parameters))
    return colour.encode_srgb(linear)[0]


def known():
    """The variables, by numpy in double precision."""
    linear = RGB[0].astype(np.float64)
    shown = colour.encode_srgb(linear)
    hue, chroma = colour.hue_and_chroma(colour.oklab(linear))
    y = np.maximum(colour.luminance(linear), 0)
    names = dict(zip("rgb", shown.T, strict=True)) | dict(zip("RGB", linear.T, strict=True))
    functions = {name: getattr(np, name) for name in formula.FUNCTIONS}
    return (
        names | functions | {"Y": y, "L": colour.lightness(y) / 100, "hue": hue, "chroma": chroma}
    )


@pytest.mark.parametrize(
    "text",
    [
        "0.3*r + 0.59*g + 0.11*b",
        "Y**0.45 * (1 - 0.2*b)",
        "where(hue > 200, minimum(r, g), maximum(g, b))",
        "clip(sqrt(R)*1.2 - abs(r - b)/3, 0.1, 0.9)",
        "L + 0.5*chroma",
        "where(hue > 100, 2*chroma, L) + Y/9",
        "exp(-(1 - L)**2 * 3)",
        "-(-r) + +0.1 - (b >= 0.5) * 0.05 - (g != r)*0.01",
        "log(1 + G) / log(2)",
        "0.1 + " + " + ".join(["0.01*r"] * 60),
    ],
)
def test_formulas_equal_numpy(text):
    expected = np.clip(eval(text, {"__builtins__": {}}, known()), 0, 4)
    coloured = known()["chroma"] > 0.01
    difference = np.abs(grey(text) - expected)[coloured if "hue" in text else slice(None)]
    assert np.quantile(difference, 0.999) < 2e-4
    assert np.median(difference) < 2e-6


def test_parameters_and_line_breaks():
    assert np.allclose(grey("k*r\n + (1 - k)*b", k=0.25), grey("0.25*r + 0.75*b"), atol=1e-6)


def test_what_is_no_number_is_black_and_nothing_is_infinite():
    assert np.array_equal(grey("sqrt(-1 - r)"), np.zeros(RGB.shape[1]))
    assert grey("1/(r - r)").max() == pytest.approx(4, rel=1e-4)
    assert np.isfinite(grey("9**9**9*r")).all()
    assert np.isfinite(grey("log(0*r)")).all()


@pytest.mark.parametrize(
    ("text", "column"),
    [
        ("r + q", 5), ("r +", 4), ("", 1), ("foo(r)", 1),
        ("minimum(r)", 1), ("r.real", 1), ("r[0]", 1),
        ("0.5*(r + 'x')", 10), ("abs(r", 4), ("  r * zz", 7), ("[r for r in g]", 1), ("1e400", 1),
        ("r if g else b", 1), ("lambda: r", 1), ("r < g < b", 1), ("abs", 1), ("r and g", 1),
        ("__import__('os').system('x')", 1), ("(r := 3)", 2), ("where(r, g, b=1)", 1), ("True", 1),
        ("f'{r}'", 1), ("r @ g", 1), ("r // g", 1), ("~r", 1), ("*r", 1), ("r; g", 2),
    ],
)  # fmt: skip
def test_everything_else_is_refused_with_its_column(text, column):
    with pytest.raises(FormulaError) as caught:
        compile_formula(text, {})
    assert caught.value.column == column


@pytest.mark.parametrize(
    "text",
    [
        "(" * 3000 + "r" + ")" * 3000, "-" * 9000 + "r", "r" + "+r" * 4900, "9" * 9999,
        "r**" * 3000 + "r", "abs(" * 2000, "x" * 10_001, "\0r", "r" * 9000, "where(" * 900 + "r",
    ],
)  # fmt: skip
def test_hostile_text_is_refused_at_once(text):
    begun = time.perf_counter()
    with pytest.raises(FormulaError):
        compile_formula(text, {})
    assert time.perf_counter() - begun < 2


def test_parameters_must_not_clash():
    for name in ("r", "hue", "sqrt", "no name", "", "ä"):
        with pytest.raises(FormulaError):
            compile_formula("r", {name: 1.0})


@settings(max_examples=300, deadline=None)
@given(st.text(alphabet="rgbRGBYLxk0123456789.+-*/()<>=,_ [{'\"@:~%&|^!#\\\n", max_size=40))
def test_any_text_gives_a_whitelisted_program_or_a_refusal(text):
    try:
        program = compile_formula(text, {"k": 0.5})
    except FormulaError as error:
        assert 1 <= error.column <= len(text) + 2  # noqa: PT017
        return
    assert set(program.codes) <= set(formula.CODES.values())
    assert np.isfinite(formula_kernel.evaluate(RGB[:, :8], program)).all()


def test_the_shipped_examples_work():
    for example in FORMULA_EXAMPLES:
        settings_ = {
            "kind": "formula",
            "text": example["text"],
            "parameters": example["parameters"],
        }
        base = Formula.model_validate_json(json.dumps(settings_))
        made = formula_kernel.evaluate(RGB, base.program())
        assert 0.05 < float(made.mean()) < 0.95
