"""A danger on one machine may sit in all of its model: the others are held until somebody has looked at each."""

from __future__ import annotations

from kestov_core import knowledge
from people.clock import now
from people.models import User, audit
from workshop.models import Printer

from .models import Case, Comment, SiblingLook


def hold(case: Case, danger: str) -> None:
    """Hold every other machine of the model, until it was looked at."""
    others = Printer.objects.filter(model_id=case.printer.model_id, retired=False).exclude(pk=case.printer_id)
    moment = now()
    SiblingLook.objects.bulk_create(
        [SiblingLook(case=case, printer=p, danger=danger, made_at=moment) for p in others], ignore_conflicts=True
    )


def held_words(look: SiblingLook) -> str:
    """Why a machine is held, in words."""
    label = knowledge.findings()[look.danger].label
    return f"{look.case.printer.name}, of the same model: {label[0].lower()}{label[1:]}"


def looked(look: SiblingLook, user: User, trouble: bool, found: str) -> None:
    """Write down what was found. What lifts the hold is the look, not the time."""
    look.looked_at, look.by, look.trouble, look.found = now(), user, trouble, found
    look.save()
    words = (
        f"Looked at {look.printer.name}, unplugged: {'the same there' if trouble else 'nothing of it'}. {found}".strip()
    )
    Comment.objects.create(case=look.case, words=words, by=user, at=look.looked_at)
    audit(user, "looked at", look.printer, words)


def release(case: Case) -> None:
    """A danger that was none holds nobody any more."""
    case.looks.filter(looked_at=None).delete()
