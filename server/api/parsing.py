"""What comes in as text, before any route sees it: one place that refuses what no field can hold.

No text holds a NUL or half a character; no figure is infinite, or no figure at all; nothing is nested without end.
"""

from __future__ import annotations

import json
import math
from typing import Any, TypeVar

from django.http import HttpRequest
from django.utils.datastructures import MultiValueDict
from kestov_core.procedures import said
from ninja.parser import Parser
from pydantic import BaseModel, ValidationError

from .problems import Problem

#: Levels of a body; the deepest that any route takes is a machine's description, at eight.
_DEEPEST = 24


class StrictParser(Parser):
    """The framework's parser, with the refusals above."""

    def parse_body(self, request: HttpRequest) -> Any:
        return read_json(request.body)

    def parse_querydict(
        self, data: MultiValueDict[str, Any], list_fields: list[str], request: HttpRequest
    ) -> dict[str, Any]:
        for name, values in data.lists():
            for value in values:
                _check_text(value, name)
        return super().parse_querydict(data, list_fields, request)


def read_json(body: str | bytes) -> Any:
    """JSON as its values; refused with the field where it holds what none can."""
    try:
        told = json.loads(body, parse_float=float, parse_constant=float)
    except (ValueError, RecursionError) as e:
        raise Problem(422, "wrong_type", "This is no JSON, or it is cut off.", None) from e
    _check(told, "", 0)
    return told


def _check(node: Any, path: str, depth: int) -> None:
    if depth > _DEEPEST:
        raise Problem(422, "too_large", "This is nested too deeply.", path[:200])
    if isinstance(node, str):
        _check_text(node, path)
    elif isinstance(node, float) and not math.isfinite(node):
        raise Problem(422, "not_finite", f"{path}: must be a finite number.", path)
    elif isinstance(node, dict):
        for key, value in node.items():
            _check_text(key, path)
            _check(value, f"{path}.{key}" if path else key, depth + 1)
    elif isinstance(node, list):
        for i, value in enumerate(node):
            _check(value, f"{path}.{i}" if path else str(i), depth + 1)


def _check_text(text: Any, path: str) -> None:
    if not isinstance(text, str):
        return
    if "\0" in text or any("\ud800" <= c <= "\udfff" for c in text):
        raise Problem(
            422, "wrong_type", f"{path or 'A name'}: holds a sign that is none. Type it anew.", path.replace("\0", "")
        )


Meta = TypeVar("Meta", bound=BaseModel)


def parse_meta(meta: str, shape: type[Meta]) -> Meta:
    """The form's JSON field as its model; what is wrong is named."""
    try:
        return shape.model_validate(read_json(meta))
    except ValidationError as e:
        first = e.errors(include_url=False)[0]
        field = ".".join(str(p) for p in first["loc"]) or "meta"
        raise Problem(422, "out_of_range", f"{field}: {said(first)}.", field) from e
