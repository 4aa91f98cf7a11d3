"""What is done to the parts of a machine: looked at, adjusted, lubricated, replaced, moved; each with date, hours and person."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any, Literal, Protocol

from django.contrib.postgres.aggregates import ArrayAgg
from django.db import transaction
from django.db.models import Q, QuerySet
from kestov_core.condition.components import positions
from kestov_core.condition.use import Meter
from kestov_core.knowledge.part_kinds import PartKind, part_kinds
from kestov_core.machine import PLACES
from people.clock import now
from people.models import User, audit, name_of
from people.refusals import Refused
from people.telling import tell

from . import tags, timeline
from .meters import hours_now, meter_of
from .models import Component, Deed, DeedPicture, PartType, Printer, PrinterModel
from .pictures import Taken

Because = Literal["failed", "worn", "sound"]
#: Where a part that is fitted comes from: the drawer of its type, or anywhere else.
Spare = Literal["drawer", "elsewhere"]
#: So begin the words of a part that was fitted out of another machine: it is not a new one.
CAME_FROM = "From "
_DID = {
    "fitted": "Fitted",
    "inspected": "Looked at",
    "adjusted": "Adjusted",
    "lubricated": "Lubricated",
    "taken_out": "Took out",
}


def kind_of(component: Component) -> PartKind | None:
    """What the knowledge says of a part; None of a kind that it no longer knows."""
    return part_kinds().get(component.kind)


class Fitted(Protocol):
    """When a part was fitted, at which hours, and what it had run before."""

    @property
    def fitted_on(self) -> date | None: ...
    @property
    def fitted_hours(self) -> float | None: ...
    @property
    def brought_hours(self) -> float: ...


def age_hours(component: Fitted, meter: Meter, moment: datetime | None = None) -> tuple[float, bool] | None:
    """Hours that a part has run, and whether that is estimated; None where nobody can tell."""
    there = meter.at(moment or now())
    if there is None:
        return None
    if component.fitted_hours is not None:
        return max(0.0, there.value - component.fitted_hours) + component.brought_hours, there.estimated
    use = meter.use
    if component.fitted_on is None or use is None:
        return None
    # Nobody read the meter when it was fitted: by the machine's use of late, and never more than the meter shows.
    days = ((moment or now()).date() - component.fitted_on).days
    return min(there.value, max(0.0, use.a_day * days)) + component.brought_hours, True


def life_hours(component: Component) -> tuple[float, str] | None:
    """The life that a part can be expected to have, and where that is from; None where its kind does not wear by use."""
    return life_of(component.kind, None if component.type is None else component.type.life_hours)


def life_of(kind: str, own: float | None) -> tuple[float, str] | None:
    """The same of a kind of part, with what the workshop found of its type itself."""
    if own is not None:
        return own, "this workshop's own"
    known = part_kinds().get(kind)
    return None if known is None or known.life_hours is None else (known.life_hours, "typical")


def life_share(component: Component, meter: Meter) -> float | None:
    """How much of its expected life a part has behind it; None where its age or its life is not known."""
    age, life = age_hours(component, meter), life_hours(component)
    return None if age is None or life is None else age[0] / life[0]


def locked(component_id: int) -> Component:
    """A part that sits in a machine, held against other writers; refused where it is gone."""
    rows = Component.objects.select_for_update(of=("self",)).select_related("printer__model", "type")
    component = rows.filter(pk=component_id).first()
    if component is None:
        raise Refused(404, "not_found", "There is no such part.")
    if component.removed_on is not None:
        raise Refused(409, "taken_out", "This part was taken out; look at the one that sits there now.")
    tell("printer", component.printer_id)
    return component


@transaction.atomic
def inspect(component_id: int, found: Literal["sound", "trouble"], words: str, user: User) -> Component:
    """Write down that a part was looked at, and what was found."""
    component = locked(component_id)
    if found == "trouble" and not words.strip():
        raise Refused(422, "missing_field", "Say what is wrong with it.", "words")
    _done(component, "inspected", user, found=found, words=words)
    return component


@transaction.atomic
def served(printer: Printer, part_ids: Sequence[int], lubricants: Mapping[int, str], user: User) -> None:
    """Write down that parts of a machine were looked at and found sound, those with a lubricant lubricated with it; in one go."""
    rows = list(Component.objects.select_for_update().filter(printer=printer, pk__in=part_ids, removed_on=None))
    told: dict[str, Any] = {"at": now(), "hours": _hours(printer), "by": user}
    deeds = [
        Deed(component=c, did="lubricated", used=lubricants[c.pk][:120], **told) for c in rows if c.pk in lubricants
    ]
    Deed.objects.bulk_create([*deeds, *(Deed(component=c, did="inspected", found="sound", **told) for c in rows)])
    Component.objects.filter(pk__in=[c.pk for c in rows]).exclude(trouble="").update(trouble="")
    tags.parts_or_use_changed.send(sender=Component)


@transaction.atomic
def show(deed_id: int, taken: Taken, user: User) -> Deed:
    """Put a picture to what was found or done; one of each."""
    deed = Deed.objects.select_for_update(of=("self",)).select_related("component").filter(pk=deed_id).first()
    if deed is None:
        raise Refused(404, "not_found", "There is no such thing that was done.")
    if DeedPicture.objects.filter(deed=deed).exists():
        raise Refused(409, "taken", "There is a picture of it already.", "file")
    DeedPicture.objects.create(deed=deed, image=taken.image, width=taken.width, height=taken.height, by=user, at=now())
    tell("printer", deed.component.printer_id)
    return deed


@transaction.atomic
def adjust(component_id: int, words: str, user: User) -> Component:
    """Write down that a part was adjusted: what that puts in doubt follows by itself."""
    component = locked(component_id)
    kind = _can(component, "adjust")
    _done(component, "adjusted", user, words=words)
    _happened(component, kind.adjusted, user)
    return component


@transaction.atomic
def lubricate(component_id: int, used: str, user: User) -> Component:
    """Write down that a part was lubricated, and with what."""
    component = locked(component_id)
    _can(component, "lubricate")
    _done(component, "lubricated", user, used=used)
    return component


@transaction.atomic
def replace(
    component_id: int, because: Because, words: str, user: User, type_id: int | None = None, spare: Spare = "drawer"
) -> Component:
    """Take a part out and fit another in its position, in one act, out of the drawer of its type where that is kept."""
    old = locked(component_id)
    kind = _can(old, "replace")
    new_type = old.type if type_id is None else _type(type_id, old.printer, old.kind, old.place)
    hours = _hours(old.printer)
    _done(old, "taken_out", user, words=words)
    old.removed_on, old.removed_hours, old.removed_because = now().date(), hours, because
    old.save(update_fields=["removed_on", "removed_hours", "removed_because"])
    new = Component.objects.create(
        printer=old.printer,
        place=old.place,
        kind=old.kind,
        label=old.label,
        type=new_type,
        fitted_on=now().date(),
        fitted_hours=hours,
    )
    _done(new, "fitted", user, words=f"In place of one that was {because}.")
    tags.part_fitted.send(sender=Component, component=new, user=user, spare=spare)
    _happened(new, kind.replaced, user)
    audit(user, "replaced", new.printer, f"{new.label} of {new.printer.name} was replaced: the old one was {because}.")
    return new


@transaction.atomic
def fit(
    printer_id: int, kind_id: str, place: str, user: User, type_id: int | None = None, spare: Spare = "drawer"
) -> Component:
    """Fit a part in a position that stands empty."""
    printer = tags.locked(printer_id)
    spot = next((p for p in positions(printer.motion()) if (p.kind.id, p.place) == (kind_id, place)), None)
    if spot is None:
        raise Refused(422, "out_of_range", "This machine has no such position.", "kind")
    if Component.objects.filter(printer=printer, kind=kind_id, place=place, removed_on=None).exists():
        raise Refused(409, "taken", "A part sits there already: replace it.", "kind")
    new = Component.objects.create(
        printer=printer,
        place=place,
        kind=kind_id,
        label=spot.label,
        type=None if type_id is None else _type(type_id, printer, kind_id, place),
        fitted_on=now().date(),
        fitted_hours=_hours(printer),
    )
    _done(new, "fitted", user)
    tags.part_fitted.send(sender=Component, component=new, user=user, spare=spare)
    _happened(new, spot.kind.replaced, user)
    return new


@transaction.atomic
def move(component_id: int, to_id: int, user: User) -> Component:
    """Move a part to the same position of another machine, whose own is taken out sound; its hours go with it."""
    # In one order, whichever way they are moved: two who do the opposite do not wait for each other for ever.
    held = {pk: locked(pk) for pk in sorted({component_id, to_id})}
    component, other = held[component_id], held[to_id]
    if component.printer_id == other.printer_id or (component.kind, component.place) != (other.kind, other.place):
        raise Refused(422, "out_of_range", "Choose the same position of another machine.", "to")
    ran = age_hours(component, meter_of(component.printer))
    for c, why in ((component, "moved"), (other, "sound")):
        c.removed_on, c.removed_hours, c.removed_because = now().date(), _hours(c.printer), why
        c.save(update_fields=["removed_on", "removed_hours", "removed_because"])
        _done(c, "taken_out", user, words=f"Moved to {other.printer.name}." if why == "moved" else "For another one.")
    new = Component.objects.create(
        printer=other.printer,
        place=other.place,
        kind=other.kind,
        label=other.label,
        type=component.type,
        fitted_on=now().date(),
        fitted_hours=_hours(other.printer),
        brought_hours=ran[0] if ran else 0.0,
    )
    _done(new, "fitted", user, words=f"{CAME_FROM}{component.printer.name}.")
    kind = kind_of(new)
    for c in (component, new):
        _happened(c, kind.replaced if kind else None, user)
    audit(user, "moved", new.printer, f"{new.label} was moved from {component.printer.name} to {new.printer.name}.")
    return new


def elsewhere(component: Component) -> list[tuple[Component, tuple[float, bool] | None]]:
    """What sits in the same position of the other machines on the floor, with its age in hours: what a part can change places with."""
    rows = Component.objects.filter(
        kind=component.kind, place=component.place, removed_on=None, printer__retired=False
    ).exclude(printer=component.printer_id)
    sitting = list(rows.select_related("printer", "type").order_by("printer__name", "id"))
    meters = hours_now([c.printer for c in sitting]) if sitting else {}
    return [(c, age_hours(c, meters[c.printer_id])) for c in sitting]


def set_type(component_id: int, type_id: int | None, user: User) -> Component:
    """Say of which type a part is."""
    component = locked(component_id)
    c = component
    component.type = None if type_id is None else _type(type_id, c.printer, c.kind, c.place)
    component.save(update_fields=["type"])
    tags.parts_or_use_changed.send(sender=Component)
    return component


@dataclass(frozen=True)
class Fits:
    """What a type of part fits: models (none: all), and places on them (none: all of its kind)."""

    models: Sequence[int] = ()
    places: Sequence[str] = ()


def add_type(
    by: User, name: str, kind: str, life_hours: float | None, lubricant: str = "", notes: str = "", where: Fits = Fits()
) -> PartType:
    """Add a type of part; a name is used once."""
    if kind not in part_kinds():
        raise Refused(422, "out_of_range", "Choose one of the listed kinds of parts.", "kind")
    row = PartType(kind=kind)
    _told(row, name, life_hours, lubricant, notes, where)
    audit(by, "added", row, f"Added the part type {row.name}.")
    return row


@transaction.atomic
def change_type(
    by: User,
    type_id: int,
    name: str,
    life_hours: float | None,
    lubricant: str = "",
    notes: str = "",
    where: Fits = Fits(),
) -> PartType:
    """Change what is known of a type of part; of which kind it is stays."""
    row = PartType.objects.select_for_update().filter(pk=type_id).first()
    if row is None:
        raise Refused(404, "not_found", "There is no such type of part.")
    _told(row, name, life_hours, lubricant, notes, where)
    audit(by, "changed", row, f"Changed the part type {row.name}.")
    tags.parts_or_use_changed.send(sender=Component)
    return row


def _told(row: PartType, name: str, life_hours: float | None, lubricant: str, notes: str, where: Fits) -> None:
    name = name.strip()
    if PartType.objects.filter(name__iexact=name).exclude(pk=row.pk).exists():
        raise Refused(422, "out_of_range", f"There is already one called “{name}”.", "name")
    models = list(PrinterModel.objects.filter(pk__in=where.models))
    if len(models) != len(set(where.models)):
        raise Refused(422, "out_of_range", "Choose models that there are.", "models")
    if unknown := [p for p in where.places if p not in PLACES]:
        raise Refused(422, "out_of_range", f"“{unknown[0]}” is no place of a machine.", "places")
    row.name, row.life_hours, row.lubricant, row.notes = name, life_hours, lubricant.strip(), notes.strip()
    row.places = list(dict.fromkeys(where.places))
    row.save()
    row.fits.set(models)


def types() -> QuerySet[PartType]:
    """All types of parts, each with the models that it fits (``fitted``; none: all)."""
    return PartType.objects.annotate(fitted=ArrayAgg("fits", filter=Q(fits__isnull=False), default=[]))


def fits(of_type: PartType, model_id: int, place: str | None = None) -> bool:
    """Whether a type (out of `types`) fits the machines of a model, and there a place."""
    fitted: list[int] = of_type.fitted  # type: ignore[attr-defined]
    return (not fitted or model_id in fitted) and (place is None or not of_type.places or place in of_type.places)


def _type(type_id: int, printer: Printer, kind: str, place: str) -> PartType:
    found = types().filter(pk=type_id, kind=kind).first()
    if found is None:
        raise Refused(422, "out_of_range", "There is no such type of this kind of part.", "type_id")
    if not fits(found, printer.model_id, place):
        raise Refused(422, "out_of_range", f"“{found.name}” does not fit here.", "type_id")
    return found


def _can(component: Component, deed: str) -> PartKind:
    kind = kind_of(component)
    if kind is None or deed not in kind.can:
        raise Refused(422, "out_of_range", f"{component.label}: this is not done to such a part.", "did")
    return kind


def _hours(printer: Printer) -> float | None:
    there = meter_of(printer).at(now())
    return None if there is None else there.value


def _happened(component: Component, event: str | None, user: User) -> None:
    if event is not None:
        place = component.place if component.place not in ("all", "e") else ""
        tags.happened(component.printer, event, 0.0, user, component.label, place)


#: What is then seen to: trouble that a look found before says nothing of today.
SEEN_TO = ("inspected", "adjusted", "lubricated")


def _done(component: Component, did: str, user: User, found: str = "", words: str = "", used: str = "") -> None:
    trouble = words.strip() if found == "trouble" else ""
    if did in SEEN_TO and component.trouble != trouble:
        component.trouble = trouble
        component.save(update_fields=["trouble"])
    Deed.objects.create(
        component=component,
        did=did,
        at=now(),
        hours=_hours(component.printer),
        found=found,
        words=words.strip(),
        used=used.strip(),
        by=user,
    )
    tags.parts_or_use_changed.send(sender=Component)


def _deeds(asked: timeline.Asked) -> QuerySet[Deed]:
    rows = Deed.objects.filter(component__printer=asked.printer)
    if asked.case is not None:
        return rows.none()
    return rows.filter(component__place=asked.place) if asked.place else rows


@timeline.register(lambda asked: [(_deeds(asked), "at")])
def _lines(asked: timeline.Asked) -> list[timeline.Line]:
    rows = asked.newest(_deeds(asked).select_related("by", "component"), "at")
    return [
        timeline.Line(at=d.at, who=name_of(d.by), kind="happened", words=words_of(d), place=d.component.place)
        for d in rows
    ]


def words_of(deed: Deed) -> str:
    """What was done to a part, in words."""
    said = f"{_DID.get(deed.did, deed.did)}: {deed.component.label}"
    more = [deed.used and f"with {deed.used}", {"sound": "sound", "trouble": "trouble"}.get(deed.found, "")]
    told = ", ".join(m for m in more if m)
    parts = [said, f"{told[:1].upper()}{told[1:]}" if told else "", deed.words.rstrip(".")]
    return ". ".join(p for p in parts if p)
