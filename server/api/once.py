"""Writes that happen once: a key sent with a write gets the same answer when it is sent again."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from functools import wraps
from typing import Any

from django.db import transaction
from django.http import HttpRequest
from people.clock import now
from people.models import DoneOnce
from pydantic import BaseModel

from .problems import Problem


def _plain(answer: Any) -> Any:
    """An answer as JSON holds it; routes give a model or a list of models."""
    if isinstance(answer, BaseModel):
        return answer.model_dump(mode="json")
    return [_plain(a) for a in answer] if isinstance(answer, list) else answer


def once(view: Callable[..., Any]) -> Callable[..., Any]:
    """Run a write in a transaction; with an ``Idempotency-Key`` header a repeat is answered from the record.

    The row is inserted first, in the same transaction: a second request with the same key waits for the first to end.
    """

    @wraps(view)
    def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> Any:
        key = request.headers.get("Idempotency-Key", "")
        if len(key) > 80:
            raise Problem(422, "too_large", "The Idempotency-Key is longer than 80 characters.", "Idempotency-Key")
        with transaction.atomic():
            if not key:
                return view(request, *args, **kwargs)
            row, new = DoneOnce.objects.select_for_update().get_or_create(
                user=request.user, key=key, defaults={"route": request.path[:120], "at": now()}
            )
            if not new:
                if row.route != request.path[:120]:
                    raise Problem(409, "key_reused", "This key was already used for something else.", "Idempotency-Key")
                return row.answer
            answer = view(request, *args, **kwargs)
            row.answer = _plain(answer)
            row.save()
            return answer

    # The framework reads the types from the signature: resolve them where the view was written, not here.
    guarded.__signature__ = inspect.signature(view, eval_str=True)  # type: ignore[attr-defined]
    return guarded
