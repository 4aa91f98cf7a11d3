"""Parts of the workshop's own: their places and sizes entered once, on a picture or a drawing of their model; measured as sizes are."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from django.db import transaction
from kestov_core.parts.places import SheetPlace
from kestov_core.procedures.base import Procedure
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from pydantic import BaseModel, ConfigDict, Field
from workshop.pictures import Taken

from .models import OwnPart
from .taking import measuring

MOST_PLACES = 26
Share = Annotated[float, Field(ge=0, le=1)]


class PicturePoint(BaseModel):
    """A point of the picture: shares of its width (from the left) and height (from above)."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    x: Share
    y: Share


class OwnPlace(BaseModel):
    """One place: its words, along which axis it is printed, what kind of size, how long, how far off it may be, and from where to where."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    words: Annotated[str, Field(min_length=1, max_length=40)]
    axis: Literal["x", "y", "z"]
    kind: Literal["outer", "inner", "centre"]
    nominal_mm: Annotated[float, Field(ge=0.1, le=2000)]
    tolerance_mm: Annotated[float, Field(gt=0, le=50)] | None = None
    line: Annotated[list[PicturePoint], Field(min_length=2, max_length=2)] | None = None


def reads_own() -> Procedure:
    """The procedure that reads such parts."""
    return next(p for p in measuring() if p.own_parts)


def places_of(part: OwnPart) -> list[OwnPlace]:
    """Its places, in the order in which they are measured."""
    return [OwnPlace.model_validate(p) for p in part.places]


def planned(part: OwnPart) -> list[SheetPlace]:
    """Its places as the bench asks for them, one after the other."""
    out = []
    for i, p in enumerate(places_of(part), 1):
        row: dict[str, float | str] = {"axis": p.axis, "feature": p.words, "kind": p.kind, "nominal_mm": p.nominal_mm}
        if p.tolerance_mm is not None:
            row["tolerance_mm"] = p.tolerance_mm
        may = f" ± {p.tolerance_mm:g}" if p.tolerance_mm is not None else ""
        out.append(SheetPlace(number=i, words=f"{p.words}, {p.nominal_mm:g}{may}", row=row))
    return out


@transaction.atomic
def add(by: User, name: str, words: str, places: Sequence[OwnPlace], seen: Taken, mesh: bytes | None = None) -> OwnPart:
    """Enter a part. Refused without a place, or where another is called so."""
    part = OwnPart(
        name=_free(name),
        words=words.strip(),
        places=_checked(places),
        image=seen.image,
        width=seen.width,
        height=seen.height,
        mesh=mesh,
        by=by,
        at=now(),
    )
    part.save()
    audit(by, "added", part, f"Entered the part {part.name}.")
    return part


@transaction.atomic
def change(by: User, part_id: int, name: str, words: str, places: Sequence[OwnPlace]) -> OwnPart:
    """Enter a part's words and places anew. What was measured by the old ones stays as it is."""
    part = _held(part_id)
    before = {"name": part.name, "places": part.places}
    part.name, part.words, part.places = _free(name, part.pk), words.strip(), _checked(places)
    part.save(update_fields=["name", "words", "places"])
    audit(by, "changed", part, f"Changed the part {part.name}.", before=before)
    return part


@transaction.atomic
def retire(by: User, part_id: int) -> OwnPart:
    """Offer a part no longer; what was measured on it stays."""
    part = _held(part_id)
    part.retired_at = now()
    part.save(update_fields=["retired_at"])
    audit(by, "retired", part, f"The part {part.name} is no longer offered.")
    return part


def offered() -> list[OwnPart]:
    """The parts that are offered, without their pictures."""
    return list(OwnPart.objects.filter(retired_at__isnull=True).defer("image", "mesh"))


def _held(part_id: int) -> OwnPart:
    part = OwnPart.objects.select_for_update().filter(pk=part_id, retired_at__isnull=True).first()
    if part is None:
        raise Refused(404, "not_found", "There is no such part any more.")
    return part


def _free(name: str, but: int = 0) -> str:
    name = name.strip()
    if not name:
        raise Refused(422, "missing_field", "Give the part a name.", "name")
    if OwnPart.objects.filter(name__iexact=name).exclude(pk=but).exists():
        raise Refused(422, "out_of_range", f"There is, or was, already one called “{name}”.", "name")
    return name


def _checked(places: Sequence[OwnPlace]) -> list[dict[str, object]]:
    if not places:
        raise Refused(422, "missing_field", "Enter at least one place that is measured.", "places")
    named: set[str] = set()
    for i, p in enumerate(places):
        words = p.words.strip().lower()
        if not words:
            raise Refused(422, "missing_field", "Say in a word or two where this is.", f"places.{i}.words")
        if words in named:
            raise Refused(422, "out_of_range", "Two places are called the same.", f"places.{i}.words")
        named.add(words)
    return [p.model_dump() | {"words": p.words.strip()} for p in places]
