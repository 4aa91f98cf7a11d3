"""Writes that happen once: a key sent with a write gets the same answer when it is sent again."""

from __future__ import annotations

import hashlib
import inspect
from collections.abc import Callable
from datetime import timedelta
from functools import wraps
from typing import Any, cast

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from people.clock import now
from people.models import DoneOnce
from pydantic import BaseModel

from .problems import Problem
from .signed import SignedIn


def _plain(answer: Any) -> Any:
    """An answer as JSON holds it; routes give a model or a list of models."""
    if isinstance(answer, BaseModel):
        return answer.model_dump(mode="json")
    return [_plain(a) for a in answer] if isinstance(answer, list) else answer


def once_only(request: SignedIn, act: Callable[[], Any]) -> Any:
    """Do something in a transaction; with an ``Idempotency-Key`` header a repeat is answered from the record.

    The row is inserted first, in the same transaction: a second request with the same key waits for the first to end. What
    has to be done before anything is held (opening a picture, waiting for an instrument) is done before this.
    """
    key = request.headers.get("Idempotency-Key", "")
    if len(key) > 80:
        raise Problem(422, "too_large", "The Idempotency-Key is longer than 80 characters.", "Idempotency-Key")
    with transaction.atomic():
        if not key:
            return act()
        asked = {"route": f"{request.method} {request.path}"[:120], "body": _body_of(request)}
        row, new = DoneOnce.objects.select_for_update().get_or_create(
            user=request.user, key=key, defaults={**asked, "at": now()}
        )
        if not new:
            if (row.route, row.body or asked["body"]) != (asked["route"], asked["body"]):
                raise Problem(
                    409,
                    "key_reused",
                    "This was sent already, with something else in it. Look at what was kept before you send it again.",
                    "Idempotency-Key",
                )
            return row.answer
        if row.pk % SWEPT_EVERY == 0:
            sweep()
        answer = act()
        row.answer = _plain(answer)
        row.save()
        return answer


def _body_of(request: SignedIn) -> str:
    """What was sent, as a hash. Of a form its fields and files: the line that parts them is another each time."""
    hashed = hashlib.sha256()
    if (request.content_type or "").startswith("multipart/"):
        for name, values in sorted(request.POST.lists()):
            hashed.update(repr((name, values)).encode("utf-8", "surrogatepass"))
        for name in sorted(request.FILES):
            file = cast(UploadedFile, request.FILES[name])
            hashed.update(repr((name, file.size)).encode("utf-8", "surrogatepass"))
            for piece in file.chunks():
                hashed.update(piece)
            file.seek(0)
    else:
        hashed.update(request.body)
    return hashed.hexdigest()


#: So many keys come between two sweeps.
SWEPT_EVERY = 500
#: A repeat comes within this: a browser that was shut, a tablet in a drawer.
KEPT = timedelta(days=7)


def sweep() -> int:
    """Forget the keys of writes that nobody will repeat any more; how many they were."""
    gone, _ = DoneOnce.objects.filter(at__lt=now() - KEPT).delete()
    return gone


def once(view: Callable[..., Any]) -> Callable[..., Any]:
    """Run a write as `once_only` does."""

    @wraps(view)
    def guarded(request: SignedIn, *args: Any, **kwargs: Any) -> Any:
        return once_only(request, lambda: view(request, *args, **kwargs))

    # The framework reads the types from the signature: resolve them where the view was written, not here.
    guarded.__signature__ = inspect.signature(view, eval_str=True)  # type: ignore[attr-defined]
    return guarded
