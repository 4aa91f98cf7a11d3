"""One module for each measuring procedure; this package finds them by file name and imports only what is asked for."""

from __future__ import annotations

import csv
import importlib
import io
import re
import warnings
from collections.abc import Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ValidationError

from ..asking import Choice, LimitSource, SchoolSource, limits_named, schools_named
from ..errors import BadInput
from .base import Procedure, Result

_SHARED = {"__init__", "base"}


def names() -> list[str]:
    """Names of all procedures, as on the command line (``belt-pluck``)."""
    return list(_names())


@cache
def _names() -> tuple[str, ...]:
    files = Path(__file__).parent.glob("*.py")
    found = (p.stem for p in files if p.stem not in _SHARED and not p.stem.startswith("_"))
    return tuple(sorted(stem.replace("_", "-") for stem in found))


@cache
def get(name: str) -> Procedure:
    """The procedure of that name; ``unknown_procedure`` otherwise."""
    if name not in names():
        raise BadInput("unknown_procedure", f"There is no procedure “{name}”. There are: {', '.join(names())}.")
    found = importlib.import_module(f".{name.replace('-', '_')}", __name__).PROCEDURE
    assert isinstance(found, Procedure)
    return found


@cache
def giving(what: str) -> tuple[str, ...]:
    """The procedures that tell the same of a place; the newest of them speaks."""
    return tuple(name for name in names() if get(name).gives == what)


@cache
def limits() -> dict[str, LimitSource]:
    """What a limits table may hold, by name: every limit that some procedure takes from it."""
    return {s.what: s for name in names() for s in limits_named(get(name).context)}


@cache
def schools() -> dict[str, tuple[SchoolSource, tuple[Choice, ...]]]:
    """Where practitioners differ, by name: the question and its answers, the default first."""
    return {s.what: (s, choices) for name in names() for s, choices in schools_named(get(name).context)}


def run(name: str, context: dict[str, Any], data: bytes | None = None) -> Result:
    """Check the context, run the procedure, give its result. Bad input raises `BadInput` with the field named."""
    procedure = get(name)
    if procedure.data is None and data is not None:
        raise BadInput("out_of_range", f"{name} takes no data file; all of it stands in the context.", "data")
    if procedure.data is not None and data is None:
        raise BadInput("missing_field", f"{name} needs a {procedure.data.upper()} file.", "data")
    parsed = parse(procedure.context, context)
    try:
        with warnings.catch_warnings():
            # Some figure went out of all bounds on the way: what comes of it is refused below, not told.
            warnings.simplefilter("ignore", RuntimeWarning)
            return procedure.analyse(parsed, data)
    except (ArithmeticError, ValueError) as e:
        # Also a result that holds no figure (pydantic's refusal of it), and a matrix that cannot be solved.
        raise BadInput(
            "out_of_range",
            "With these figures nothing can be computed: one of them is far from what a machine has, or all are alike.",
            "context",
        ) from e


def as_table(procedure: Procedure, rows: Sequence[Mapping[str, Any]]) -> bytes:
    """Typed rows of a procedure's table as the CSV that they make; the first one wrong is refused at its row and field."""
    assert procedure.table is not None
    names = list(procedure.table.model_fields)
    checked = []
    for i, row in enumerate(rows):
        try:
            checked.append(procedure.table.model_validate(row).model_dump(exclude_none=True))
        except ValidationError as e:
            refused = _refusal(e)
            raise BadInput(refused.code, f"Row {i + 1}: {refused.message}", f"rows.{i}.{refused.field}") from e
    # A column that no row has is left out.
    names = [n for n in names if any(n in row for row in checked)]
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(names)
    # A word may hold the separator; it is then quoted. A line is one row.
    table.writerows([" ".join(str(row.get(n, "")).split()) for n in names] for row in checked)
    return out.getvalue().encode()


def parse(model: type[BaseModel], context: Any) -> Any:
    """Validate a context (or a machine's description) against its model; the first thing wrong comes back as one `BadInput` naming the field."""
    if not isinstance(context, dict):
        raise BadInput("wrong_type", "The context must be a JSON object.", "context")
    try:
        return model.model_validate(context)
    except ValidationError as e:
        raise _refusal(e) from e


def _refusal(e: ValidationError) -> BadInput:
    errors = e.errors(include_url=False)
    where = _path(errors[0])
    # Of one that may be several things, what is wrong with a figure says more than that it is none of the others.
    alike = [x for x in errors if _path(x) == where]
    first = next((x for x in alike if x["type"].startswith(_RANGE) or x["type"] == "finite_number"), alike[0])
    kind = first["type"]
    field = where or "context"
    message = said(first)
    if kind in _CODES:
        code = _CODES[kind]
    elif "must be a finite number" in message:
        code = "not_finite"
    elif kind.startswith(_RANGE):
        code = "out_of_range"
    else:
        code = "wrong_type"
    return BadInput(code, f"{field}: {message}.", field)


#: Parts of the validator's path that nobody typed: a union's tags, its members' names, the key itself.
_NOT_TYPED = re.compile(
    r"^(belt|screw|extruder|float|int|str|Quantity|\[key\]|(function|constrained|literal|dict|list)\b.*)$"
)


def _path(error: Mapping[str, Any]) -> str:
    """Where the person finds what is wrong."""
    return ".".join(str(p) for p in error["loc"] if isinstance(p, int) or not _NOT_TYPED.match(p))


def said(error: Mapping[str, Any]) -> str:
    """What a person is told of one of the validator's errors, in lower case, without an end."""
    kind = error["type"]
    words = _WORDS[kind].format(**error.get("ctx", {})) if kind in _WORDS else str(error["msg"])
    words = words.removeprefix("Value error, ")
    return words[:1].lower() + words[1:]


#: What is said instead of the validator's own words.
_WORDS = {
    "missing": "this is needed",
    "finite_number": "must be a finite number",
    "greater_than": "must be more than {gt:g}",
    "greater_than_equal": "must be at least {ge:g}",
    "less_than": "must be less than {lt:g}",
    "less_than_equal": "must be at most {le:g}",
    "too_short": "at least {min_length} needed, {actual_length} given",
    "too_long": "at most {max_length} taken, more were given",
    "string_too_short": "at least {min_length} characters are needed",
    "string_too_long": "at most {max_length} characters are taken",
    "literal_error": "must be one of {expected}",
    "extra_forbidden": "nothing is called so here",
    "model_type": "must be a figure, or a figure with its uncertainty and unit",
}
_CODES = {
    "missing": "missing_field",
    "finite_number": "not_finite",
    "too_short": "too_few_rows",
    "too_long": "too_large",
}
_RANGE = ("greater_than", "less_than", "literal_error", "enum", "value_error", "extra_forbidden")
