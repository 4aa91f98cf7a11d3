"""Computing captures again by today's core: first beside what stands, so that what changes is seen before it is accepted."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.db import transaction
from django.db.models import F, OuterRef, QuerySet, Subquery
from kestov_core import CORE_VERSION, knowledge
from kestov_core.errors import BadInput
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from work import kinds
from work.doing import Progress, ask_once
from work.models import State, Work
from workshop.models import Printer

from .models import Capture, Recomputed, Result
from .standing import refresh

#: Captures are read in pieces of so many: each holds its file.
_PIECE = 20
#: Of the captures whose verdict changes so many are listed.
MOST_LISTED = 200


def in_question(told: dict[str, Any]) -> QuerySet[Capture]:
    """The captures that are meant, and that no correction has replaced: of a machine, of a procedure, by another core, or all."""
    newest = Result.objects.filter(capture=OuterRef("pk")).order_by("-computed_at")
    rows = Capture.objects.current().annotate(
        by_core=Subquery(newest.values("core_version")[:1]), was=Subquery(newest.values("verdict")[:1])
    )
    if told.get("printer"):
        rows = rows.filter(printer=told["printer"])
    if told.get("procedure"):
        rows = rows.filter(procedure=told["procedure"])
    if told.get("all") is not True:
        rows = rows.exclude(by_core=CORE_VERSION)
    return rows.order_by("taken_at", "pk")


def ask_recompute(user: User, printer: Printer | None, procedure: str, every: bool) -> Work:
    """Ask for captures to be computed again; ``every``: also those that today's core has computed."""
    if procedure and procedure not in knowledge.cards():
        raise Refused(422, "out_of_range", "Choose one of the listed procedures.", "procedure")
    told = {"printer": printer.pk if printer else None, "procedure": procedure, "all": every, "core": CORE_VERSION}
    of = f"{knowledge.words_of(procedure)} " if procedure else "all captures "
    words = f"Compute {of}{f'of {printer.name} ' if printer else ''}again by core {CORE_VERSION}"
    work = ask_once("recompute", words, user, told)
    if work.by_id == user.pk and work.state == State.WAITING:
        audit(user, "asked", work, f"{words}.")
    return work


def _recompute(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    work = progress.work
    if told["core"] != CORE_VERSION:
        raise Refused(409, "another_core", f"The core is {CORE_VERSION} by now. Ask for it anew.")
    wanted = list(in_question(told).values_list("pk", flat=True))
    done = set(Recomputed.objects.filter(work=work).values_list("capture", flat=True))
    left = [pk for pk in wanted if pk not in done]
    total = len(done) + len(left)
    for k in range(0, len(left), _PIECE):
        piece = in_question({**told, "all": True}).filter(pk__in=left[k : k + _PIECE])
        for capture in piece.prefetch_related("results"):
            progress.at(len(done), total)
            row = Recomputed(work=work, capture=capture, was=capture.was or "")  # type: ignore[attr-defined]
            try:
                row.found = capture.find()
                row.verdict = row.found["verdict"]
            except BadInput as e:
                row.refused = e.message[:300]
            row.save()
            done.add(capture.pk)
    progress.at(len(done), len(done))
    found = {"captures": len(done), "changed": changed(work).count(), "refused": refused(work).count()}
    many = {0: "no verdict changes", 1: "one verdict changes"}.get(
        found["changed"], f"{found['changed']} verdicts change"
    )
    words = f"{len(done)} computed; {many}"
    if found["refused"]:
        words += f", {found['refused']} are refused by today's core and stay as they are"
    return f"{words}.", found


def changed(work: Work) -> QuerySet[Recomputed]:
    """Those whose verdict changes."""
    return Recomputed.objects.filter(work=work, refused="").exclude(verdict=F("was"))


def refused(work: Work) -> QuerySet[Recomputed]:
    """Those that today's core does not take."""
    return Recomputed.objects.filter(work=work).exclude(refused="")


def listed(work: Work) -> Iterator[Recomputed]:
    """What changes, machine by machine, as far as it is listed."""
    rows = changed(work).select_related("capture__printer").defer("capture__data", "capture__context")
    return rows.order_by("capture__printer__name", "capture__place", "-capture__taken_at")[:MOST_LISTED].iterator()


def accept(work: Work, user: User) -> Work:
    """Let what was computed again stand. ``work`` is held by who calls."""
    _to_be_decided(work)
    work.found = {**work.found, "decided": "accepted"}
    work.save(update_fields=["found"])
    audit(user, "accepted", work, f"Accepted: {work.words.lower()}; {work.found['changed']} verdicts change.")
    return ask_once("accept", f"Take over: {work.words.lower()}", user, {"work": work.pk})


def leave(work: Work, user: User) -> None:
    """Leave all results as they stand. ``work`` is held by who calls."""
    _to_be_decided(work)
    work.found = {**work.found, "decided": "left"}
    work.save(update_fields=["found"])
    Recomputed.objects.filter(work=work).delete()
    audit(user, "left", work, f"Left as it was: {work.words.lower()}.")


def _to_be_decided(work: Work) -> None:
    if work.kind != "recompute" or work.state != State.DONE or work.found.get("decided"):
        raise Refused(409, "decided", "There is nothing to be decided here any more.")


def _accept(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    rows = Recomputed.objects.filter(work=told["work"])
    left = list(rows.values_list("pk", flat=True))
    total, moment, core = len(left), now(), Work.objects.get(pk=told["work"]).told["core"]
    for k, pk in enumerate(left):
        progress.at(k, total)
        with transaction.atomic():
            row = rows.select_for_update(of=("self",)).select_related("capture__printer__model").filter(pk=pk).first()
            if row is None:
                continue
            if row.found is not None:
                Result.of(row.capture, row.found, moment, core)
                refresh(row.capture.printer, row.capture.place, row.capture.procedure)
            row.delete()
    return f"{total} results taken over.", {"captures": total}


kinds.register(kinds.Kind("recompute", _recompute))
kinds.register(kinds.Kind("accept", _accept))


def _rebuild(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    from .standing import rebuild

    printers = list(Printer.objects.select_related("model").order_by("pk"))
    count = 0
    for k, printer in enumerate(printers):
        progress.at(k, len(printers))
        with transaction.atomic():
            count += rebuild([printer])
    return f"{count} standings made anew.", {"standings": count}


kinds.register(kinds.Kind("standings", _rebuild))
