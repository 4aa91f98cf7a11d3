"""Which parts open cases may want another of: kept beside each case by a worker, so that the stores need not weigh all of them.

A fault whose remedy takes a part wants the part in which it sits. Not here: what lies in the drawers (the stores').
"""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models.signals import post_save
from django.dispatch import receiver
from kestov_core.knowledge.part_kinds import part_kinds
from measuring.models import Action
from work import kinds
from work.doing import Progress, ask_lightly
from workshop.models import Component

from .models import Case, Observation, Suspect
from .weighing import Weighed, weigh

#: What is less likely is not kept.
_LEAST = 0.02


@receiver(post_save, sender=Observation)
@receiver(post_save, sender=Action)
@receiver(post_save, sender=Case)
def _changed(sender: type, instance: Observation | Action | Case, **more: Any) -> None:
    case = instance.pk if isinstance(instance, Case) else instance.case_id
    if case is not None:
        ask_lightly("suspects", "Which parts a case may want", {"case": case})


def _keep(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    case = Case.objects.select_related("printer__model").filter(pk=told["case"]).first()
    found = wanted(case, weigh(case)) if case is not None and case.is_open else {}
    with transaction.atomic():
        Suspect.objects.filter(case=told["case"]).delete()
        Suspect.objects.bulk_create(
            Suspect(case_id=told["case"], component_id=pk, chance=chance) for pk, chance in found.items()
        )
    return f"{len(found)} parts.", {"parts": len(found)}


def wanted(case: Case, weighed: Weighed) -> dict[int, float]:
    """The chance of each part of a case's machine that the case wants another: that a fault is there whose remedy takes one."""
    likely = [h for h in weighed.result.hypotheses if (f := weighed.known.faults.get(h.fault)) is not None and f.parts]
    out: dict[int, float] = {}
    for c in Component.objects.filter(printer=case.printer_id, removed_on=None):
        kind = part_kinds().get(c.kind)
        if kind is None:
            continue
        chance = sum(h.probability for h in likely if h.fault in kind.faults and h.axis in (None, c.place))
        if chance >= _LEAST:
            out[c.pk] = min(1.0, chance)
    return out


kinds.register(kinds.Kind("suspects", _keep, alone=lambda told: str(told["case"]), quiet=True))
