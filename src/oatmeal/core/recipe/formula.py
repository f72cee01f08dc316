"""Formulas: an expression in channel values, checked against a whitelist and compiled to a program.

The text is parsed by Python's own parser but never evaluated as code: each node must be on the
whitelist and becomes one instruction for :mod:`oatmeal.core.mix.formula_kernel`, which runs the
whole program in one pass over the picture.
"""

from __future__ import annotations

import ast
import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

#: Values of a pixel that a formula may use, in the order of the kernel.
VARIABLES: Final = ("r", "g", "b", "R", "G", "B", "Y", "L", "hue", "chroma")

#: Functions with their number of arguments.
FUNCTIONS: Final = {
    "minimum": 2, "maximum": 2, "abs": 1, "sqrt": 1, "log": 1, "exp": 1, "where": 3, "clip": 3,
}  # fmt: skip

_BINARY: Final = {
    ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.Pow: "**",
}  # fmt: skip
_COMPARE: Final = {
    ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "==", ast.NotEq: "!=",
}  # fmt: skip

#: Instructions of a program; the first two take an operand.
CODES: Final = {
    name: code
    for code, name in enumerate(
        ("number", "variable", "negate", *_BINARY.values(), *_COMPARE.values(), *FUNCTIONS)
    )
}

MAX_PARTS: Final = 400
MAX_DEPTH: Final = 200
MAX_TEXT: Final = 10_000


class FormulaError(ValueError):
    """A formula that cannot be used; ``column`` counts characters from 1."""

    def __init__(self, message: str, column: int) -> None:
        super().__init__(f"column {column}: {message}")
        self.column = column


@dataclass(frozen=True)
class Program:
    """A formula for a stack machine.

    Attributes
    ----------
    codes : int32 (n,)
        Instructions, see :data:`CODES`.
    operands : float32 (n,)
        The number, or the place of the variable in :data:`VARIABLES`.
    depth : int
        Values that the stack must hold.
    """

    codes: NDArray[np.int32]
    operands: NDArray[np.float32]
    depth: int

    def used(self) -> NDArray[np.bool_]:
        """Which of :data:`VARIABLES` occur."""
        found = np.zeros(len(VARIABLES), dtype=np.bool_)
        found[self.operands[self.codes == CODES["variable"]].astype(int)] = True
        return found


def compile_formula(text: str, parameters: Mapping[str, float]) -> Program:
    """Check a formula and compile it.

    Parameters
    ----------
    text : str
        Python's arithmetic with the names of :data:`VARIABLES`, :data:`FUNCTIONS` and parameters.
    parameters : mapping
        Name and present value of each parameter.

    Raises
    ------
    FormulaError
        With the column where it occurs.

    Examples
    --------
    >>> compile_formula("0.3*r + 0.7*g", {}).depth
    3
    """
    if len(text) > MAX_TEXT:
        raise FormulaError(f"the formula is longer than {MAX_TEXT} characters", MAX_TEXT + 1)
    for name in parameters:
        if not name.isidentifier() or not name.isascii():
            raise FormulaError(f"{name[:30]!r} cannot be the name of a parameter", 1)
        if name in VARIABLES or name in FUNCTIONS:
            raise FormulaError(f"the parameter {name} has the name of a value or function", 1)
    return _Compiler(text, parameters).run()


class _Compiler:
    def __init__(self, text: str, parameters: Mapping[str, float]) -> None:
        self._text = text
        self._parameters = parameters
        self._codes: list[int] = []
        self._operands: list[float] = []
        self._height = 0
        self._highest = 0

    def run(self) -> Program:
        # a formula may be written over several lines; to the parser it is one
        flat = "".join(" " if letter in "\n\r\t\f\v" else letter for letter in self._text)
        lead = len(flat) - len(flat.lstrip())
        try:
            tree = ast.parse(flat[lead:], mode="eval")
        except SyntaxError as error:
            # without a place, the parser came to the end and found something missing there
            place = lead + error.offset if error.offset else len(flat.rstrip()) + 1
            raise FormulaError(_said(error), place) from error
        except (ValueError, RecursionError, MemoryError) as error:
            raise FormulaError("this cannot be read: it is too deep or too large", 1) from error
        self._line = flat[lead:].encode()
        self._lead = lead
        if sum(1 for _ in ast.walk(tree)) > 3 * MAX_PARTS:
            raise FormulaError(f"the formula has more than {MAX_PARTS} parts", 1)
        self._visit(tree.body, 0)
        return Program(
            np.array(self._codes, dtype=np.int32),
            np.array(self._operands, dtype=np.float32),
            self._highest,
        )

    def _column(self, node: ast.expr) -> int:
        return self._lead + len(self._line[: node.col_offset].decode(errors="replace")) + 1

    def _refuse(self, node: ast.expr, message: str) -> FormulaError:
        return FormulaError(message, self._column(node))

    def _emit(self, name: str, takes: int, operand: float = 0.0) -> None:
        self._codes.append(CODES[name])
        self._operands.append(operand)
        self._height += 1 - takes
        self._highest = max(self._highest, self._height)

    def _visit(self, node: ast.expr, depth: int) -> None:
        if depth > MAX_DEPTH:
            raise self._refuse(node, "this is nested too deeply")
        if len(self._codes) > MAX_PARTS:
            raise self._refuse(node, f"the formula has more than {MAX_PARTS} parts")
        if isinstance(node, ast.BinOp) and type(node.op) in _BINARY:
            self._visit(node.left, depth + 1)
            self._visit(node.right, depth + 1)
            self._emit(_BINARY[type(node.op)], 2)
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.UAdd | ast.USub):
            self._visit(node.operand, depth + 1)
            if isinstance(node.op, ast.USub):
                self._emit("negate", 1)
        elif isinstance(node, ast.Compare) and len(node.ops) == 1:
            self._visit(node.left, depth + 1)
            self._visit(node.comparators[0], depth + 1)
            if type(node.ops[0]) not in _COMPARE:
                raise self._refuse(node, "compare with < <= > >= == or !=")
            self._emit(_COMPARE[type(node.ops[0])], 2)
        elif isinstance(node, ast.Call):
            self._call(node, depth)
        elif isinstance(node, ast.Name):
            self._name(node)
        elif isinstance(node, ast.Constant):
            self._constant(node)
        else:
            raise self._refuse(node, "this is not allowed; use numbers, + - * / **, and functions")

    def _call(self, node: ast.Call, depth: int) -> None:
        function = node.func
        if not isinstance(function, ast.Name) or function.id not in FUNCTIONS:
            raise self._refuse(node, f"there is no such function; use {', '.join(FUNCTIONS)}")
        wanted = FUNCTIONS[function.id]
        if node.keywords or len(node.args) != wanted:
            raise self._refuse(node, f"{function.id} takes {wanted} value{'s' * (wanted > 1)}")
        for argument in node.args:
            self._visit(argument, depth + 1)
        self._emit(function.id, wanted)

    def _name(self, node: ast.Name) -> None:
        if node.id in VARIABLES:
            self._emit("variable", 0, VARIABLES.index(node.id))
        elif node.id in self._parameters:
            self._emit("number", 0, self._parameters[node.id])
        elif node.id in FUNCTIONS:
            raise self._refuse(node, f"{node.id} is a function: write {node.id}(...)")
        else:
            raise self._refuse(
                node, f"{node.id[:30]} is not known; use {', '.join(VARIABLES)} or a parameter"
            )

    def _constant(self, node: ast.Constant) -> None:
        if type(node.value) not in (int, float):
            raise self._refuse(node, "only plain numbers can stand here")
        try:
            value = float(node.value)  # type: ignore[arg-type]
        except OverflowError:
            value = math.inf
        if not abs(value) < 1e30:
            raise self._refuse(node, "this number is too large")
        self._emit("number", 0, value)


def _said(error: SyntaxError) -> str:
    text = error.msg or "this cannot be read"
    if "EOF" in text or "never closed" in text:
        return "a bracket is not closed"
    if "invalid syntax" in text:
        return "this is no expression"
    return text.split("(")[0].strip()[:80]
