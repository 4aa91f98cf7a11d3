"""What is measured and turned on a practice machine comes into its lesson when it is written down, by whichever way."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db.models.signals import post_save
from django.dispatch import receiver
from kestov_core import knowledge
from kestov_core.practice import account
from kestov_core.practice import acts as practised
from kestov_core.practice.account import Done
from kestov_core.simulator.machine import SimMachine
from measuring.models import Action, Capture
from measuring.turning import done_words

from . import running

#: Minutes to turn a screw and put the tools down.
TURNING = 4.0


@receiver(post_save, sender=Capture)
def measured(instance: Capture, created: bool, **_: Any) -> None:
    """A measurement was taken."""
    row = running.on(instance.printer_id) if created and settings.PRACTICE else None
    if row is None:
        return
    card = knowledge.cards()[instance.procedure].here(instance.place)
    unsafe = running.safe(row, practised.asks_of_card(instance.procedure), card.record)
    stands = running.standing(row)
    fresh = [] if "fetch" in stands.ready else ["fetch"]
    stands.ready += fresh
    row.stands = stands.model_dump()
    row.save(update_fields=["stands"])
    minutes = card.minutes + sum(knowledge.SETUP_MINUTES[s] for s in fresh)
    sim = SimMachine.model_validate(running.machine_of(row).simulated)
    true = account.true_figure(sim, instance.procedure, instance.place)
    done = Done(
        kind="measured",
        what=instance.procedure,
        place=instance.place,
        words=card.record,
        minutes=minutes,
        unsafe=unsafe,
    )
    running.note(row, done, instance, true)


@receiver(post_save, sender=Action)
def turned(instance: Action, created: bool, **_: Any) -> None:
    """A screw was turned at the bench. What was mended is noted where it is done."""
    row = running.on(instance.printer_id) if created and settings.PRACTICE and instance.kind != "repair" else None
    if row is not None:
        done = Done(
            kind="turned", what=instance.kind, place=instance.place, words=done_words(instance), minutes=TURNING
        )
        running.note(row, done)
