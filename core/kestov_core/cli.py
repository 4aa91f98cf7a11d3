"""The command line of the core: ``kestov core PROCEDURE --context CONTEXT.json [DATA]``. No database, no Django."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from .errors import BadInput


def main(argv: list[str] | None = None) -> int:
    """Run; prints one JSON object on standard output. 0: a result; 2: bad input, with the error object."""
    parser = argparse.ArgumentParser(
        prog="kestov core", description="Run one measuring procedure on a file or on figures, without the server."
    )
    parser.add_argument("procedure", nargs="?", help="name of the procedure, e.g. belt-pluck")
    parser.add_argument("data", nargs="?", help="the data file (WAV or CSV), where the procedure has one")
    parser.add_argument("--context", metavar="CONTEXT.json", help="the context; - reads it from standard input")
    parser.add_argument("--columns", metavar="MAP.json", help="which column of an instrument's own table is which")
    parser.add_argument("--list", action="store_true", help="list the procedures")
    parser.add_argument("--schema", action="store_true", help="print the JSON Schemas of input and result")
    for what in ("faults", "findings", "checks"):
        parser.add_argument(f"--list-{what}", action="store_true", help=f"diagnose: list its {what}")
    args = parser.parse_intermixed_args(argv)
    try:
        print(json.dumps(_answer(args), ensure_ascii=False))
    except BadInput as e:
        print(json.dumps(e.as_dict(), ensure_ascii=False))
        return 2
    return 0


def _answer(args: argparse.Namespace) -> Any:
    from . import CORE_VERSION, procedures

    if args.list:
        return {"procedures": procedures.names()}
    if args.list_faults or args.list_findings or args.list_checks:
        from .diagnosis import lists as known

        lists = {
            "faults": (args.list_faults, known.list_faults),
            "findings": (args.list_findings, known.list_findings),
            "checks": (args.list_checks, known.list_checks),
        }
        return {name: make() for name, (wanted, make) in lists.items() if wanted}
    if not args.procedure:
        raise BadInput("missing_field", "Name a procedure; --list lists them.", "procedure")
    if args.schema:
        return procedures.get(args.procedure).schema()
    procedures.get(args.procedure)
    if not args.context:
        raise BadInput("missing_field", "Give the context with --context FILE, or - for standard input.", "context")
    text = sys.stdin.read() if args.context == "-" else _read(args.context, "context").decode("utf-8", "replace")
    context = _json(text, "context")
    data = _read(args.data, "data") if args.data else None
    if args.columns and data is not None:
        from .tables.mapping import TableMap, as_read

        told = procedures.parse(TableMap, _json(_read(args.columns, "columns").decode("utf-8", "replace"), "columns"))
        data = as_read(procedures.get(args.procedure), data, told)
    result = procedures.run(args.procedure, context, data)
    return {"procedure": args.procedure, "core_version": CORE_VERSION, **result.model_dump(mode="json")}


def _json(text: str, field: str) -> Any:
    try:
        # NaN and Infinity are no JSON; they reach the models, which refuse them by field.
        return json.loads(text)
    except json.JSONDecodeError as e:
        raise BadInput("wrong_type", f"The {field} is not JSON: {e.msg} in line {e.lineno}.", field) from e


def _read(path: str, field: str) -> bytes:
    try:
        return Path(path).read_bytes()
    except OSError as e:
        raise BadInput("missing_field", f"{path}: {e.strerror}.", field) from e


if __name__ == "__main__":
    sys.exit(main())
