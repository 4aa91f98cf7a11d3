"""Writes that happen once: a key sent with a write gets the same answer when it is sent again."""

from __future__ import annotations

import hashlib
import inspect
from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from datetime import datetime, timedelta
from functools import wraps
from typing import Any, cast

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from people.clock import arrived, at, now
from people.models import DoneOnce
from pydantic import BaseModel
from work.kinds import sweeping

from .problems import Problem
from .signed import SignedIn


def _plain(answer: Any) -> Any:
    """An answer as JSON holds it; routes give a model or a list of models."""
    if isinstance(answer, BaseModel):
        return answer.model_dump(mode="json")
    return [_plain(a) for a in answer] if isinstance(answer, list) else answer


def once_only(request: SignedIn, act: Callable[[], Any], named: bool = False) -> Any:
    """Do something in a transaction; with an ``Idempotency-Key`` header a repeat is answered from the record.

    The row is inserted first, in the same transaction: a second request with the same key waits for the first to end. What
    has to be done before anything is held (opening a picture, waiting for an instrument) is done before this.

    What waited on a device says with an ``Entered-At`` header when it was entered: it then happens at that moment. ``named``:
    what is written has an id of its own that tells a repeat for ever, so that it may come however late.
    """
    with _entered(request, named):
        return _once_only(request, act)


def _once_only(request: SignedIn, act: Callable[[], Any]) -> Any:
    key = request.headers.get("Idempotency-Key", "")
    if len(key) > 80:
        raise Problem(422, "too_large", "The Idempotency-Key is longer than 80 characters.", "Idempotency-Key")
    with transaction.atomic():
        if not key:
            return act()
        asked = {"route": f"{request.method} {request.path}"[:120], "body": _body_of(request)}
        row, new = DoneOnce.objects.select_for_update().get_or_create(
            user=request.user, key=key, defaults={**asked, "at": arrived()}
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
        answer = act()
        row.answer = _plain(answer)
        row.save()
        return answer


def _entered(request: SignedIn, named: bool) -> AbstractContextManager[None]:
    """The clock as it stood when a late write was entered; today's where it came at once."""
    told = request.headers.get("Entered-At", "")
    if not told:
        return nullcontext()
    try:
        moment = datetime.fromisoformat(told)
        late = now() - moment
    except (ValueError, TypeError, OverflowError):
        raise Problem(422, "out_of_range", "Give a date and time with its zone.", "Entered-At") from None
    if late < timedelta(0):
        return nullcontext()
    if late > EVER:
        raise Problem(422, "out_of_range", "That is over a year ago: the device's clock is not right.", "Entered-At")
    if late > LATEST and not named:
        raise Problem(
            409,
            "too_late",
            f"This was entered over {LATEST.days} days ago. Whether it reached the workshop then cannot be told any more: look whether it is there, and enter it again if it is not.",
            "Entered-At",
        )
    return at(moment, late=True)


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


#: A repeat comes within this: a browser that was shut, a tablet in a drawer.
KEPT = timedelta(days=7)
#: So late may come what was entered without network: while its key is surely still known.
LATEST = timedelta(days=6)
#: No device keeps anything for longer than this.
EVER = timedelta(days=400)


@sweeping
def sweep() -> int:
    """Forget the keys of writes that nobody will repeat any more; how many they were."""
    gone, _ = DoneOnce.objects.filter(at__lt=arrived() - KEPT).delete()
    return gone


def once(view: Callable[..., Any], named: bool = False) -> Callable[..., Any]:
    """Run a write as `once_only` does."""

    @wraps(view)
    def guarded(request: SignedIn, *args: Any, **kwargs: Any) -> Any:
        return once_only(request, lambda: view(request, *args, **kwargs), named)

    # The framework reads the types from the signature: resolve them where the view was written, not here.
    guarded.__signature__ = inspect.signature(view, eval_str=True)  # type: ignore[attr-defined]
    return guarded
