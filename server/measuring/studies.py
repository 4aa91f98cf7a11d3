"""Studies of how good readings are: set up, run person by person, read, and then taken to count.

Each person measures in an order of their own, so that nobody remembers what the last reading of a piece was.
"""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from kestov_core import CORE_VERSION, procedures
from kestov_core.procedures.gauge_study import PROCEDURE, StudyRow
from kestov_core.quantities import MOST_TOLD
from people.clock import now
from people.models import Role, User, audit, name_of
from people.refusals import Refused
from workshop.models import Instrument

from .checks import left_open
from .models import Study, StudyReading

MOST_PEOPLE, MOST_PIECES, MOST_TIMES = 8, 12, 20


@dataclass(frozen=True)
class Turn:
    """What one person measures next: the number in their order, and which piece."""

    position: int
    piece: int


def order(study: Study, person: int) -> list[int]:
    """Which piece this person measures at each position: all pieces in a shuffled order, so many times."""
    shuffled = random.Random(f"{study.pk}/{person}")
    out: list[int] = []
    for _ in range(study.times):
        pieces = list(range(len(study.pieces)))
        shuffled.shuffle(pieces)
        # The same piece twice running would be read from memory.
        if out and len(pieces) > 1 and pieces[0] == out[-1]:
            pieces[0], pieces[-1] = pieces[-1], pieces[0]
        out += pieces
    return out


def readings(study: Study) -> list[StudyReading]:
    """All readings that stand."""
    return list(study.readings.filter(withdrawn_at__isnull=True))


def turns_left(study: Study, person: int, taken: Sequence[StudyReading]) -> list[Turn]:
    """What this person has still to measure, in their order."""
    done = {r.position for r in taken if r.person == person}
    return [Turn(i, piece) for i, piece in enumerate(order(study, person)) if i not in done]


@transaction.atomic
def set_up(
    by: User,
    instrument_id: int,
    what: str,
    people: Sequence[int],
    pieces: Sequence[str],
    times: int,
    tolerance: float | None,
) -> Study:
    """Begin a study. Refused with fewer than two people, without a piece, or where nothing would be measured twice."""
    instrument = Instrument.objects.filter(pk=instrument_id).first()
    if instrument is None:
        raise Refused(404, "not_found", "There is no such instrument; it may have been removed.")
    named = [p.strip() for p in pieces]
    if not named or not all(named):
        raise Refused(422, "missing_field", "Give each piece a name that stands on it.", "pieces")
    if len({p.lower() for p in named}) < len(named):
        raise Refused(422, "out_of_range", "Two pieces have the same name.", "pieces")
    who = list(dict.fromkeys(people))
    rows = {u.pk: u for u in hands().filter(pk__in=who)}
    if len(rows) < len(who):
        raise Refused(422, "out_of_range", "One of them has no account with which to measure.", "people")
    if len(who) < 2:
        raise Refused(422, "too_few_rows", "Two people or more are compared.", "people")
    if not 2 <= times <= MOST_TIMES:
        raise Refused(422, "out_of_range", f"Each measures each piece 2 to {MOST_TIMES} times.", "times")
    study = Study.objects.create(
        instrument=instrument,
        what=what.strip(),
        people=_called([rows[pk] for pk in who]),
        pieces=named,
        times=times,
        unit=instrument.unit,
        tolerance=tolerance,
        by=by,
        at=now(),
    )
    audit(by, "began", study, f"Began a comparison of {len(who)} people with {instrument.name}.")
    return study


def hands() -> QuerySet[User]:
    """Who may measure."""
    return User.objects.filter(is_active=True, role__in=[Role.TECHNICIAN, Role.LEAD]).order_by("name", "pk")


def _called(users: Sequence[User]) -> list[dict[str, Any]]:
    """People by a name that tells them apart, in a table's cell."""
    out: list[dict[str, Any]] = []
    for user in users:
        plain = " ".join(name_of(user).split())[:50] or f"Person {user.pk}"
        name, n = plain, 1
        while any(p["name"] == name for p in out):
            n += 1
            name = f"{plain} ({n})"
        out.append({"id": user.pk, "name": name})
    return out


def _held(study_id: int) -> Study:
    study = Study.objects.select_for_update(of=("self",)).select_related("instrument").filter(pk=study_id).first()
    if study is None:
        raise Refused(404, "not_found", "There is no such comparison.")
    return study


@transaction.atomic
def keep(by: User, study_id: int, person: int, typed: Sequence[tuple[int, float]]) -> Study:
    """Keep readings of one person (position and figure); with the last one the study is read."""
    study = _held(study_id)
    if person not in [p["id"] for p in study.people]:
        raise Refused(422, "out_of_range", "This person does not take part.", "person")
    left = {t.position: t.piece for t in turns_left(study, person, readings(study))}
    moment = now()
    rows = []
    for i, (position, value) in enumerate(typed):
        if position not in left:
            raise Refused(
                409, "twice_at_once", "This reading is there already: load the page again.", f"readings.{i}.position"
            )
        if abs(value) > MOST_TOLD:
            raise Refused(422, "out_of_range", "No figure is so large.", f"readings.{i}.value")
        piece = left.pop(position)
        rows.append(
            StudyReading(study=study, person=person, position=position, piece=piece, value=value, by=by, at=moment)
        )
    StudyReading.objects.bulk_create(rows)
    _read(study)
    return study


@transaction.atomic
def take_again(by: User, study_id: int, reading_id: int) -> Study:
    """Withdraw a reading that was a slip: its place in the order is open again. What was read stays in the record."""
    study = _held(study_id)
    row = study.readings.filter(pk=reading_id, withdrawn_at__isnull=True).first()
    if row is None:
        raise Refused(404, "not_found", "There is no such reading any more.")
    row.withdrawn_at = now()
    row.save(update_fields=["withdrawn_at"])
    audit(by, "withdrew", study, f"Took back a reading of {study.pieces[row.piece]}: {row.value:g} {study.unit}.")
    _read(study)
    return study


def _read(study: Study) -> None:
    """Let the core read the study once all of it is there; what counted no longer does where it has changed."""
    rows = readings(study)
    whole = len(rows) == len(study.people) * len(study.pieces) * study.times
    study.found = _found(study, rows) if whole else None
    study.core_version = CORE_VERSION if whole else ""
    study.counts_since = None
    study.save(update_fields=["found", "core_version", "counts_since"])


def _found(study: Study, rows: Sequence[StudyReading]) -> dict[str, Any]:
    context = {
        "unit": study.unit,
        "resolution": study.instrument.resolution or _step_shown(rows),
        "tolerance": study.tolerance,
        "check_u95": left_open(study.instrument),
    }
    table = procedures.as_table(PROCEDURE, [row.model_dump() for row in as_rows(study, rows)])
    found: dict[str, Any] = procedures.run(PROCEDURE.name, context, table).model_dump(mode="json")
    return found


def _step_shown(rows: Sequence[StudyReading]) -> float:
    """The decimal step to which all readings were written down, where nobody told the instrument's."""
    return float(10.0 ** -max(len(repr(r.value).partition(".")[2].rstrip("0")) for r in rows))


def as_rows(study: Study, rows: Sequence[StudyReading]) -> list[StudyRow]:
    """All readings as the core takes them, by person and in the order in which they were taken."""
    return [
        StudyRow(reading=r.value, person=person["name"], piece=study.pieces[r.piece])
        for person in study.people
        for r in sorted((r for r in rows if r.person == person["id"]), key=lambda r: r.position)
    ]


@transaction.atomic
def let_count(by: User, study_id: int) -> Study:
    """From now on a reading with this instrument is taken to be as good as the study says, in each of these hands."""
    study = _held(study_id)
    if study.found is None:
        raise Refused(409, "not_whole", "Readings are still missing.")
    study.counts_since = now()
    study.save(update_fields=["counts_since"])
    audit(by, "accepted", study, f"What a reading with {study.instrument.name} is good to counts as compared.")
    return study


def u95_in_hands(instrument: Instrument, person: User) -> float | None:
    """What a reading by this person is good to (u95, in the instrument's unit), by the newest comparison that counts.

    Who did not take part is taken for one of those who did; None where nothing was compared.
    """
    study = (
        instrument.studies.filter(counts_since__isnull=False, unit=instrument.unit).order_by("-counts_since").first()
    )
    if study is None or study.found is None:
        return None
    for told, found in zip(study.people, study.found["people"], strict=True):
        if told["id"] == person.pk:
            return float(found["reading_u95"])
    return float(study.found["reading_u95"]["value"])
