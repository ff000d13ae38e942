"""Reading a formula: text into a tree, or a mistake with its place.

The grammar stands in `GRAMMAR` and, for people, in docs/workings.md.
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from rook_tally.core.workings import syntax as tree
from rook_tally.core.workings.diagnostics import TextRange, wrong
from rook_tally.core.workings.dimensions import UNIT_PATTERN
from rook_tally.core.workings.syntax import Operator, Part

if TYPE_CHECKING:
    from lark import Lark, Token, Transformer_NonRecursive

LONGEST = 5_000
DEEPEST = 100

_NAME = r"[^\W\d]\w*"
_SLUG = r"(?:\"[^\"@]+\"|[^\W_][\w.:-]*(?<![-.:]))"
# A station whose key begins with a digit stands in quotation marks: `x@yard/2` divides.
_STATION = r"(?:\"[^\"@]+\"|[^\W_\d][\w.:-]*(?<![-.:]))"
_REFERENCE = rf"{_NAME}@{_SLUG}(?:/\*|/{_STATION}(?:/{_STATION})?)?"

GRAMMAR = rf"""
    start: choice
    ?choice: "if" choice "then" choice "else" choice -> choice
           | disjunction
    ?disjunction: conjunction ("or" conjunction)*
    ?conjunction: negation ("and" negation)*
    ?negation: "not" negation -> negated
             | comparison
    ?comparison: told (COMPARE told)?
    ?told: told "in" UNIT -> converted
         | sum
    ?sum: product ((PLUS | MINUS) product)*
    ?product: signed ((TIMES | DIVIDE) signed)*
    ?signed: MINUS signed -> negative
           | power
    ?power: changed ("^" signed)?
    ?changed: changed duration "ago" -> ago
            | atom
    ?atom: number
         | REFERENCE -> reference
         | REFERENCE "within" duration -> reference
         | NAME "(" [argument ("," argument)*] ")" -> call
         | NAME -> word
         | "(" choice ")"
    ?argument: choice "over" duration -> over
             | choice
    number: NUMBER [UNIT]
    duration: NUMBER UNIT

    COMPARE: "<=" | ">=" | "!=" | "≠" | "≤" | "≥" | "=" | "<" | ">"
    PLUS: "+"
    MINUS: "-" | "−"
    TIMES: "*" | "×" | "·"
    DIVIDE: "/" | "÷"
    NUMBER: /\d+(\.\d+)?([eE][+-]?\d+)?/
    REFERENCE.3: /{_REFERENCE.replace("/", chr(92) + "/")}/
    UNIT.2: /{UNIT_PATTERN.replace("/", chr(92) + "/")}/
    NAME: /{_NAME}/
    %ignore /\s+/
"""

_COMPARISONS = {"≤": "<=", "≥": ">=", "≠": "!="}
_PRODUCTS = {"×": "*", "·": "*", "÷": "/"}


@lru_cache(1)
def _reader() -> tuple[Lark, Transformer_NonRecursive[Any, Any]]:
    # Late: a window that shows no formula need not load it.
    from lark import Lark, Transformer_NonRecursive, v_args

    @v_args(inline=True, meta=True)
    class Builder(Transformer_NonRecursive[Any, Any]):
        """Builds parts from the bottom up; depth costs it no stack."""

        def start(self, meta: Any, part: Part) -> Part:
            return part

        def choice(self, meta: Any, condition: Part, then: Part, other: Part) -> Part:
            return tree.ConditionalPart(_place(meta), condition, then, other)

        def disjunction(self, meta: Any, *parts: Part) -> Part:
            return _joined(Operator.OR, parts)

        def conjunction(self, meta: Any, *parts: Part) -> Part:
            return _joined(Operator.AND, parts)

        def negated(self, meta: Any, part: Part) -> Part:
            return tree.Not(_place(meta), part)

        def comparison(self, meta: Any, left: Part, sign: Token, right: Part) -> Part:
            operator = Operator(_COMPARISONS.get(str(sign), str(sign)))
            return tree.BinaryPart(_place(meta), operator, left, right)

        def sum(self, meta: Any, *parts: Any) -> Part:
            return _chained(parts, {"−": "-"})

        def product(self, meta: Any, *parts: Any) -> Part:
            return _chained(parts, _PRODUCTS)

        def negative(self, meta: Any, _: Token, part: Part) -> Part:
            return tree.Negative(_place(meta), part)

        def power(self, meta: Any, base: Part, exponent: Part) -> Part:
            return tree.BinaryPart(_place(meta), Operator.POWER, base, exponent)

        def converted(self, meta: Any, part: Part, unit: Token) -> Part:
            return tree.Converted(_place(meta), part, str(unit), _place(unit))

        def ago(self, meta: Any, part: Part, ago: tree.Number) -> Part:
            return tree.LaggedPart(_place(meta), part, ago)

        def over(self, meta: Any, part: Part, window: tree.Number) -> Part:
            return tree.WindowedPart(_place(meta), part, window)

        def reference(self, meta: Any, text: Token, within: tree.Number | None = None) -> Part:
            return _reference(_place(text), str(text), within)

        def call(self, meta: Any, name: Token, *arguments: Part | None) -> Part:
            given = tuple(one for one in arguments if one is not None)
            return tree.Call(_place(meta), str(name), _place(name), given)

        def word(self, meta: Any, name: Token) -> Part:
            return tree.OptionWord(_place(name), str(name))

        def number(self, meta: Any, value: Token, unit: Token | None = None) -> Part:
            return tree.Number(_place(meta), float(value), str(unit or ""))

        def duration(self, meta: Any, value: Token, unit: Token) -> Part:
            return tree.Number(_place(meta), float(value), str(unit))

    reader = Lark(GRAMMAR, parser="lalr", propagate_positions=True, maybe_placeholders=True)
    return reader, Builder()


def _place(where: Any) -> TextRange:
    return TextRange(int(where.start_pos), int(where.end_pos))


def _joined(operator: Operator, parts: tuple[Part, ...]) -> Part:
    whole = parts[0]
    for part in parts[1:]:
        whole = tree.BinaryPart(TextRange(whole.at.start, part.at.end), operator, whole, part)
    return whole


def _chained(parts: tuple[Any, ...], spellings: dict[str, str]) -> Part:
    whole: Part = parts[0]
    for sign, part in zip(parts[1::2], parts[2::2], strict=True):
        operator = Operator(spellings.get(str(sign), str(sign)))
        whole = tree.BinaryPart(TextRange(whole.at.start, part.at.end), operator, whole, part)
    return whole


def _reference(at: TextRange, text: str, within: tree.Number | None) -> tree.Reference:
    quantity, _, where = text.partition("@")
    parts = re.findall(rf"\*|{_SLUG}", where)
    place, *rest = (part.strip('"') for part in parts)
    within_s = None if within is None else seconds_of(within)
    if rest == ["*"]:
        return tree.Reference(at, quantity, place, is_group=True, within_s=within_s)
    station, field = (*rest, "", "")[:2]
    return tree.Reference(at, quantity, place, station, field, within_s=within_s)


def seconds_of(duration: tree.Number) -> float:
    """A duration in seconds.

    Raises
    ------
    FormulaError
        When its unit is none of time, or it is nothing.
    """
    from rook_tally.core.workings.dimensions import TIME, scale_named

    scale = scale_named(duration.unit)
    if scale is None or scale.measure != TIME:
        raise wrong(duration.at, f"{duration.unit} is no unit of time", "as in 30 min, 1 h, 7 d")
    seconds = duration.value * scale.factor
    if not 0 < seconds <= _LONGEST_S:
        raise wrong(duration.at, "this is no stretch of time", "between a moment and 10 years")
    return seconds


def duration_s(text: str) -> float:
    """A duration written by itself, as in `30 min`; in seconds.

    Raises
    ------
    FormulaError
        When it is none.
    """
    found = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*(\S+)\s*", text)
    if found is None:
        raise wrong(
            TextRange(0, max(len(text), 1)), f"{text} is no stretch of time", "as in 30 min"
        )
    return seconds_of(tree.Number(TextRange(0, len(text)), float(found[1]), found[2]))


_LONGEST_S = 10 * 366 * 86_400.0


@lru_cache(512)
def parsed(text: str) -> Part:
    """The tree of a formula.

    Raises
    ------
    FormulaError
        With the place of the mistake, what is wrong there, and what could stand there.
    """
    from lark.exceptions import UnexpectedCharacters, UnexpectedEOF, UnexpectedToken, VisitError

    if len(text) > LONGEST:
        raise wrong(
            TextRange(LONGEST, len(text)),
            f"a formula has at most {LONGEST} characters",
            "make a working of a part of it and refer to that",
        )
    if not text.strip():
        raise wrong(TextRange(0, max(len(text), 1)), "there is no formula yet", _EXAMPLE)
    try:
        reader, builder = _reader()
        part: Part = builder.transform(reader.parse(text))
    except UnexpectedEOF as error:
        raise wrong(TextRange(len(text), len(text) + 1), "the formula ends too early") from error
    except UnexpectedToken as error:
        raise _unexpected(text, error) from error
    except UnexpectedCharacters as error:
        at = TextRange(int(error.pos_in_stream or 0), int(error.pos_in_stream or 0) + 1)
        raise wrong(at, f"{text[at.start]} cannot stand here", _hint(text, at.start)) from error
    except VisitError as error:
        raise error.orig_exc from error
    _check_depth(part)
    return part


_EXAMPLE = "as in dew_point(temperature@shop, humidity@shop)"


def _unexpected(text: str, error: Any) -> Exception:
    token = error.token
    if token.type == "$END":
        at = TextRange(len(text), len(text) + 1)
        return wrong(at, "the formula ends too early", _expected(error.accepts or error.expected))
    at = _place(token)
    return wrong(at, f"{token} cannot stand here", _hint(text, at.start))


def _expected(names: set[str]) -> str:
    if "RPAR" in names:
        return "a ) is missing"
    if "ELSE" in names:
        return "an else is missing: if … then … else …"
    if "THEN" in names:
        return "a then is missing: if … then … else …"
    return "something to work with should follow"


def _hint(text: str, at: int) -> str:
    before, here = text[:at].rstrip(), text[at:]
    if re.match(r"\d*,\d", here) or (before[-1:].isdigit() and here.startswith(",")):
        return "write 0.5, not 0,5"
    if re.search(r"\d$", before) and re.match(r"[^\W\d]|°|%", here):
        named = re.match(r"\S+", here)
        return f"no unit is called {named[0] if named else here[:1]}"
    if re.search(rf"{_NAME}$", before) and here.startswith("@"):
        return "a place's name follows the @ without spaces, or in quotation marks"
    if here.startswith("==") or before.endswith("="):
        return "one = compares"
    return ""


def _check_depth(part: Part) -> None:
    level = [part]
    for _ in range(DEEPEST):
        level = [inner for one in level for inner in tree.parts_of(one)]
        if not level:
            return
    raise wrong(
        level[0].at,
        f"this is nested more than {DEEPEST} deep",
        "make a working of a part of it and refer to that",
    )
