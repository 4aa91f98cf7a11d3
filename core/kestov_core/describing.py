"""Describing a model of printer: what is asked for, what is typical, what cannot be, and which procedures lack what.

The shapes are those of ``machine.Description``; the form is made from them. Not here: where a workshop keeps its models.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from . import knowledge, procedures
from .asking import Asked, Choice, FieldHere, Known, asked_of, field_as_asked
from .machine import (
    BED,
    BELTS,
    PAIRS,
    SCREWS,
    Bed,
    BedScrew,
    BeltTransmission,
    Description,
    Fan,
    HotEnd,
    Kinematics,
    Span,
    Tensioner,
    Travel,
)

#: Version of the file in which models are exchanged between workshops.
FILE_VERSION = 1
_BELTS = {**BELTS, "fixed_bed": ("x", "y1", "y2")}
_HOMING = {
    "switch": "an end switch", "probe": "a probe", "nozzle_probe": "the nozzle on the bed", "friction": "the motor's own load",
}  # fmt: skip
_GUIDES = {
    "rods_ball": "steel rods, ball bearings", "rods_polymer": "steel rods, polymer bushings",
    "rails": "profile rails, ball carriages", "tubes_polymer": "carbon tubes, polymer bushings", "rollers": "rollers in grooves",
}  # fmt: skip


class _Shape(BaseModel):
    model_config = ConfigDict(extra="forbid")


class SheetField(FieldHere):
    """A figure of a description: where it stands in it, and its value with whether the model tells it or it is typical."""

    path: list[str | int]


class Section(_Shape):
    """A part of the machine: what it is, what to light on the sketch, and its figures.

    ``rows``: how many of its kind there may be (screws of a bed, fans), ``at`` their place; ``blank``: one as it begins.
    """

    key: str
    title: str
    note: str
    lit: str | None
    fields: list[SheetField]
    rows: int = 0
    at: list[str | int] = []
    blank: dict[str, Any] = {}
    folded: bool = False


class Remark(_Shape):
    """What does not make sense in a description, at its field. ``grave``: it cannot be; else it is only odd."""

    path: list[str | int]
    words: str
    grave: bool


class Lack(_Shape):
    """What a measurement would have to be told each time, since the model does not tell it."""

    procedure: str
    words: str
    places: list[str]
    lacks: list[str]


def typical(kinematics: Kinematics) -> Description:
    """A typical machine of its kinematics: what a description begins with.

    Parameters
    ----------
    kinematics : str
        ``bed_slinger``, ``fixed_bed``, ``corexy``, ``delta`` or ``belt_bed``.

    Returns
    -------
    Description
        What nobody has told stands at its default.

    Examples
    --------
    >>> sorted(typical("corexy").belts())
    ['a', 'b']
    """
    drives: dict[str, Any] = {p: {"kind": "belt", "tensioner": {"thread_pitch_mm": 0.7}} for p in _BELTS[kinematics]}
    drives |= {p: {"kind": "screw"} for p in SCREWS[kinematics]} | {"e": {"kind": "extruder"}}
    return Description.model_validate(
        {"kinematics": kinematics, "transmissions": drives, "pairs": [PAIRS[kinematics]] if kinematics in PAIRS else []}
    )


def sheet(description: Description) -> list[Section]:
    """All that may be told of a machine, part by part, with what is told of this one."""
    return list(_sections(description))


def _sections(d: Description) -> Iterator[Section]:
    if d.kinematics == "belt_bed":
        yield _section(
            "beam", "Beam", "How far it leans over the belt.", None, _own(Description, d, (), ("beam_angle_deg",))
        )
    for place, drive in d.transmissions.items():
        at: tuple[str | int, ...] = ("transmissions", place)
        fields = _own(type(drive), drive, at)
        if isinstance(drive, BeltTransmission):
            # The free span first: it is what a measurement cannot do without.
            span = _own(Span, drive.spans[0] if drive.spans else None, (*at, "spans", 0))
            fields = [*reversed(span), *fields]
            fields += _own(Tensioner, drive.tensioner, (*at, "tensioner"))
            words = "The run that is plucked, its loop, its pulley; then its tensioner and its motor."
            yield _section(place, f"Belt {place.upper()}", words, place, fields)
        elif drive.kind == "screw":
            yield _section(
                place, f"Screw {place.upper()}", "Travel for one turn, and its motor.", None, fields, folded=True
            )
        else:
            yield _section(place, "Filament drive", "Where the gears grip, and its motor.", None, fields, folded=True)
    for axis in ("x", "y", "z"):
        path: tuple[str | int, ...] = ("travel", axis)
        fields = [
            _choice("homing", axis, "Finds its home by", _HOMING, d.homing.get(axis)),
            _choice("guides", axis, "Runs on", _GUIDES, d.guides.get(axis)),
            *_own(Travel, d.travel.get(axis), path),
        ]
        yield _section(
            f"axis-{axis}",
            f"Axis {axis.upper()}",
            "Its home, its guides, and where it ends.",
            None,
            fields,
            folded=True,
        )
    yield _section(BED, "Bed", "Its size and what measures it.", None, _own(Bed, d.bed, (BED,)), folded=True)
    screws = list(d.bed.screws) if d.bed else []
    yield Section(
        key="screws",
        title="Screws of the bed",
        note="Seen from the front: X to the right, Y away from you.",
        lit=None,
        fields=[f for i, screw in enumerate(screws) for f in _own(BedScrew, screw, (BED, "screws", i))],
        rows=9,
        at=[BED, "screws"],
        blank={"name": f"screw {len(screws) + 1}", "x_mm": 0, "y_mm": 0},
        folded=True,
    )
    words = "Cautions at hot steps carry its figures."
    yield _section("hot-end", "Hot end", words, None, _own(HotEnd, d.hot_end, ("hot_end",)), folded=True)
    yield Section(
        key="fans",
        title="Fans",
        note="A fan out of true makes a pattern of its own.",
        lit=None,
        fields=[f for i, fan in enumerate(d.fans) for f in _own(Fan, fan, ("fans", i))],
        rows=12,
        at=["fans"],
        blank={"name": f"fan {len(d.fans) + 1}", "rpm": 5000},
        folded=True,
    )


def _section(
    key: str,
    title: str,
    note: str,
    lit: str | None,
    fields: list[SheetField],
    folded: bool = False,
) -> Section:
    return Section(key=key, title=title, note=note, lit=lit, fields=fields, folded=folded)


def _own(
    shape: type[BaseModel], told: BaseModel | None, at: tuple[str | int, ...], only: tuple[str, ...] = ()
) -> list[SheetField]:
    """The asked fields of a shape with what is told of it; what is not told stands at its typical default."""
    out = []
    for name, how in asked_of(shape).items():
        if not how.title or (only and name not in only):
            continue
        info = shape.model_fields[name]
        is_told = told is not None and name in told.model_fields_set and getattr(told, name) not in (None, "")
        value = getattr(told, name) if is_told else None
        field = field_as_asked(name, how, info, value, "model" if is_told else None)
        # In a description all may be left out but what a row of its own stands on.
        out.append(
            SheetField(
                **field.model_dump()
                | {"path": [*at, name], "optional": not info.is_required() or at[-2:-1] == ("spans",)}
            )
        )
    return out


def _choice(what: str, axis: str, title: str, words: dict[str, str], value: str | None) -> SheetField:
    return SheetField(
        path=[what, axis], name=what, title=title, unit="", hint="", kind="choice",
        choices=[Choice(value="", label="not told"), *(Choice(value=v, label=w) for v, w in words.items())],
        low=None, high=None, above=False, when=None, when_is=[], optional=True, more=False,
        value=value, origin="model" if value else None,
    )  # fmt: skip


def remarks(d: Description) -> list[Remark]:
    """What does not make sense together, at its field."""
    return list(_remarks(d))


def _remarks(d: Description) -> Iterator[Remark]:
    for place, drive in d.transmissions.items():
        at: list[str | int] = ["transmissions", place]
        if drive.kind == "belt":
            loop = drive.loop_length_mm
            for span in drive.spans:
                if loop is not None and loop < 2 * span.span_mm:
                    words = f"A loop of {loop:g} mm is shorter than twice its free span of {span.span_mm:g} mm: a belt runs out and back."
                    yield Remark(path=[*at, "loop_length_mm"], words=words, grave=True)
                    break
            if loop is not None and loop > 20 * max((s.span_mm for s in drive.spans), default=loop):
                yield Remark(
                    path=[*at, "loop_length_mm"], words="More than twenty times its free span: in mm?", grave=False
                )
            weight = drive.linear_density_g_per_m
            if weight is not None and not 0.5 < weight / (drive.width_mm * 8 / 6) < 2:
                words = f"A metre of such a belt weighs about {drive.width_mm * 8 / 6:.0f} g (typical): in grams for one metre?"
                yield Remark(path=[*at, "linear_density_g_per_m"], words=words, grave=False)
        if drive.kind == "screw":
            if drive.thread_pitch_mm is not None and drive.thread_pitch_mm > drive.lead_mm:
                words = "The lead is the thread pitch times the starts: it cannot be less than the pitch."
                yield Remark(path=[*at, "thread_pitch_mm"], words=words, grave=True)
            elif drive.thread_pitch_mm is not None and drive.starts is not None:
                made = drive.thread_pitch_mm * drive.starts
                if abs(made - drive.lead_mm) > 0.01 * drive.lead_mm:
                    words = f"{drive.starts} starts of {drive.thread_pitch_mm:g} mm make a lead of {made:g} mm, not {drive.lead_mm:g}."
                    yield Remark(path=[*at, "starts"], words=words, grave=True)
        if drive.microsteps not in (1, 2, 4, 8, 16, 32, 64, 128, 256, 512, 1024):
            yield Remark(path=[*at, "microsteps"], words="Drivers make 1, 2, 4, 8, 16 … microsteps.", grave=False)
        if drive.motor_steps_per_rev not in (24, 48, 100, 200, 400):
            yield Remark(
                path=[*at, "motor_steps_per_rev"],
                words="Motors have 200 or 400 full steps, seldom 48 or 100.",
                grave=False,
            )
    for axis, travel in d.travel.items():
        if travel.high_mm <= travel.low_mm:
            yield Remark(path=["travel", axis, "high_mm"], words="It must end after it begins.", grave=True)
    if d.bed is not None:
        for i, screw in enumerate(d.bed.screws):
            for name, size in (("x_mm", d.bed.width_mm), ("y_mm", d.bed.depth_mm)):
                at_mm = getattr(screw, name)
                if size is not None and not -0.2 * size <= at_mm <= 1.2 * size:
                    words = f"{at_mm:g} mm is far beside a bed of {size:g} mm."
                    yield Remark(path=[BED, "screws", i, name], words=words, grave=False)
        names = [s.name for s in d.bed.screws]
        for i, name in enumerate(names):
            if name in names[:i]:
                yield Remark(path=[BED, "screws", i, "name"], words="Another screw is called so already.", grave=True)
    if (
        d.hot_end is not None
        and d.hot_end.highest_c
        and d.hot_end.cutout_c
        and d.hot_end.cutout_c < d.hot_end.highest_c
    ):
        words = "The firmware cuts out below the highest temperature: which of the two is right?"
        yield Remark(path=["hot_end", "cutout_c"], words=words, grave=False)


def lacks(d: Description) -> list[Lack]:
    """Which measurements have to be told what, each time, since this model does not tell it."""
    out = []
    for name, card in knowledge.cards().items():
        procedure = procedures.get(name)
        missing: dict[str, list[str]] = {}
        for place in procedure.places(d):
            known = Known(d, place)
            for field, how in asked_of(procedure.context).items():
                if (
                    _from_model(how)
                    and how.title
                    and how.here(known)
                    and how.known(known) is None
                    and not _spare(procedure.context, field, how)
                ):
                    missing.setdefault(how.title, []).append(place)
        if missing:
            places = sorted({p for ps in missing.values() for p in ps})
            out.append(Lack(procedure=name, words=card.words, places=places, lacks=list(missing)))
    return out


def _from_model(how: Asked) -> bool:
    return any(s.origin == "model" for s in how.sources)


def _spare(shape: type[BaseModel], name: str, how: Asked) -> bool:
    """Whether the procedure does without it: a figure that may be left out, or that has a typical default."""
    info = shape.model_fields[name]
    return not info.is_required() and (how.when is None or how.spare or info.default is not None)


class LimitTold(_Shape):
    """A row of a model's limits table. ``what``: one of `procedures.limits`; ``source``: where the figures are from."""

    what: Annotated[str, Field(max_length=30)]
    place: Annotated[str, Field(max_length=5)]
    low: Annotated[float, Field(ge=-1e9, le=1e9)] | None = None
    high: Annotated[float, Field(ge=-1e9, le=1e9)] | None = None
    unit: Annotated[str, Field(max_length=12)] = "N"
    source: Annotated[str, Field(min_length=1, max_length=120)]


class ModelFile(_Shape):
    """A model of printer as workshops exchange it: one JSON file (docs/models.md)."""

    kind: Literal["kestov-printer-model"] = "kestov-printer-model"
    version: int = FILE_VERSION
    name: Annotated[str, Field(min_length=1, max_length=60)]
    notes: Annotated[str, Field(max_length=4000)] = ""
    description: dict[str, Any]
    limits: Annotated[list[LimitTold], Field(max_length=500)] = []
