"""How a procedure's figures are asked for: in words, with unit and bounds, and where each is from when nobody types it.

A field of a context carries an `Asked`; `fill` completes what was typed from what is known of a machine, and says of each
value where it is from. Not here: how it is drawn, where the workshop keeps what it knows.
"""

from __future__ import annotations

import math
import types
import typing
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from annotated_types import Ge, Gt, Le
from pydantic import BaseModel, ConfigDict, Field

from .asked import Asked, Choice, Origin, Source, told
from .machine import BeltTransmission, Description, Transmission
from .quantities import Limits

__all__ = ["Asked", "Choice", "Origin", "Source", "told"]


@dataclass(frozen=True)
class InstrumentFacts:
    """What is known of the instrument used: its step and own u95, both in ``unit``."""

    name: str
    unit: str
    resolution: float | None = None
    u95: float | None = None


@dataclass(frozen=True)
class Known:
    """What is known when something is measured at a place of a machine.

    ``limits``: the workshop's table by what is limited and place (``all``: everywhere). ``stored``: the machine's ledger by
    name. ``last``: what this procedure was told here the last time. ``measured(procedure, place)``: the newest result that
    may be believed, as a dictionary, or None; ``today``: the same, where nothing was changed since. ``turned``: what earlier rounds of turning did here, oldest first.
    ``schools``: what the workshop holds with, by question.
    """

    description: Description
    place: str
    limits: Mapping[tuple[str, str], Limits] = field(default_factory=dict)
    instrument: InstrumentFacts | None = None
    stored: Mapping[str, float] = field(default_factory=dict)
    last: Mapping[str, Any] = field(default_factory=dict)
    measured: Callable[[str, str], Mapping[str, Any] | None] = lambda procedure, place: None
    today: Callable[[str, str], Mapping[str, Any] | None] = lambda procedure, place: None
    turned: Sequence[Mapping[str, Any]] = ()
    schools: Mapping[str, str] = field(default_factory=dict)
    mains_hz: int = 50

    @property
    def belt(self) -> BeltTransmission | None:
        """The belt at the place, where there is one."""
        return self.description.belts().get(self.place)

    @property
    def drive(self) -> Transmission | None:
        """The drive that moves the place: its own, or one of those that share it."""
        return self.description.drive_of(self.place)


def model(find: Callable[[Known], Any]) -> Source:
    """From the description of the machine's model."""
    return Source("model", find)


def typical(find: Callable[[Known], Any]) -> Source:
    """Typical for this machine (a typical figure that is alike on all machines is the field's own default)."""
    return Source("typical", find)


def belt(find: Callable[[BeltTransmission], Any], origin: Origin = "model") -> Source:
    """From the belt at the place, as the model has it; or, ``typical``, from what is typical of such a belt."""
    return Source(origin, lambda k: None if k.belt is None else find(k.belt))


@dataclass(frozen=True)
class LimitSource(Source):
    """From the workshop's limits table: ``what`` is its name there, ``words`` and ``unit`` how it is shown."""

    what: str = ""
    words: str = ""
    unit: str = ""
    side: Literal["high", "band"] = "high"


def limit(what: str, words: str, unit: str, side: Literal["high", "band"] = "high") -> LimitSource:
    """A limit that the workshop may set: its upper end alone, or the whole band ``{low, high}``."""

    def find(known: Known) -> Any:
        row = known.limits.get((what, known.place)) or known.limits.get((what, "all"))
        if row is None or row.high is None:
            return None
        if side == "high":
            return row.high
        return None if row.low is None else {"low": row.low, "high": row.high}

    return LimitSource("limit", find, what, words, unit, side)


def drive(name: str) -> Source:
    """A figure of the drive that moves the place, where the model tells it."""
    return Source("model", lambda k: _told_of(k.drive, name))


def _told_of(part: BaseModel | None, name: str) -> Any:
    return getattr(part, name, None) if part is not None and name in part.model_fields_set else None


def _travel(end: str) -> Source:
    """Where the axis at the place ends, where the model tells it."""
    return Source("model", lambda k: _told_of(k.description.travel.get(k.place), end))


#: The axis's two soft limits (mm), which a program of moves stays within.
AxisBegins = Annotated[
    float, Field(ge=-5000, le=5000), Asked("Axis begins at", "mm", "Its soft limit.", (_travel("low_mm"),))
]
AxisEnds = Annotated[
    float, Field(ge=-5000, le=5000), Asked("Axis ends at", "mm", "Its soft limit.", (_travel("high_mm"),))
]


def resolution(unit: str) -> Source:
    """The smallest step of the instrument used."""
    return Source(
        "instrument", lambda k: k.instrument.resolution if k.instrument and k.instrument.unit == unit else None
    )


def instrument_u95(unit: str) -> Source:
    """The own uncertainty (u95) of the instrument used."""
    return Source("instrument", lambda k: k.instrument.u95 if k.instrument and k.instrument.unit == unit else None)


def stored(name: str) -> Source:
    """As the machine's ledger has it for this place."""
    return Source("stored", lambda k: k.stored.get(f"{name}_{k.place}"))


def last_time(name: str) -> Source:
    """As it was told here the last time."""
    return Source("last", lambda k: k.last.get(name))


def measured(find: Callable[[Known], Any]) -> Source:
    """From what was measured on this machine before."""
    return Source("measured", find)


def workshop(find: Callable[[Known], Any]) -> Source:
    """A setting of the workshop."""
    return Source("workshop", find)


@dataclass(frozen=True)
class SchoolSource(Source):
    """What the workshop holds with, where practitioners differ: ``what`` is the question's name, ``words`` how it is shown."""

    what: str = ""
    words: str = ""


def held_with(what: str, words: str) -> SchoolSource:
    """The workshop's own school, as its lead has set it."""
    return SchoolSource("workshop", lambda known: known.schools.get(what), what, words)


#: The place itself, for a field that repeats it.
PLACE = model(lambda k: k.place)


class Column(BaseModel):
    """One column of typed readings. ``above``: ``low`` itself is too low. ``expect``: see `Asked`."""

    model_config = ConfigDict(extra="forbid")

    name: str
    title: str
    unit: str
    low: float | None
    high: float | None
    above: bool = False
    varies: bool = False
    expect: list[str] = []


class Band(BaseModel):
    """Two ends of a band, as far as they are known."""

    model_config = ConfigDict(extra="forbid")

    low: float
    high: float


class FieldHere(BaseModel):
    """A field as it is asked for at a place of a machine: its value, and where that is from (null: nobody knows it).

    ``above``: ``low`` itself is too low. ``when``: asked only while that field is one of ``when_is``. ``optional``: may be
    left empty. ``more``: under a fold.
    """

    model_config = ConfigDict(extra="forbid")

    name: str
    title: str
    unit: str
    hint: str
    kind: Literal["figure", "band", "choice", "yes_no", "text"]
    choices: list[Choice]
    low: float | None
    high: float | None
    above: bool
    when: str | None
    when_is: list[str]
    optional: bool
    more: bool
    value: float | str | bool | Band | None
    origin: Origin | None


class ReadingsHere(BaseModel):
    """What is typed row by row: into which field of the context (null: the rows are the table), how many at the least."""

    model_config = ConfigDict(extra="forbid")

    field: str | None
    plain: bool
    columns: list[Column]
    least: int
    most: int


def asked_of(shape: type[BaseModel]) -> dict[str, Asked]:
    """The fields of a model that say how they are asked for."""
    return {
        name: found
        for name, info in shape.model_fields.items()
        if (found := next((m for m in _metadata(info) if isinstance(m, Asked)), None)) is not None
    }


def schools_named(shape: type[BaseModel]) -> list[tuple[SchoolSource, tuple[Choice, ...]]]:
    """The questions of a model that practitioners answer by school, with the answers."""
    return [(s, a.choices) for a in asked_of(shape).values() for s in a.sources if isinstance(s, SchoolSource)]


def limits_named(shape: type[BaseModel]) -> list[LimitSource]:
    """The limits of a model that a workshop's table may hold."""
    return [s for a in asked_of(shape).values() for s in a.sources if isinstance(s, LimitSource)]


def fill(shape: type[BaseModel], typed: Mapping[str, Any], known: Known) -> dict[str, Any]:
    """What was typed, completed by what is known: a context, with ``sources`` telling where each value is from.

    What is typical on all machines alike is left to the model's own defaults. Rows that are typed are never filled.
    """
    context = {k: v for k, v in typed.items() if v is not None and k != "sources"}
    sources: dict[str, Origin] = dict.fromkeys(context, "typed")
    asked = asked_of(shape)
    for name, how in asked.items():
        if name in context or not how.here(known) or sources.get(how.beside) == "typed":
            continue
        if not _wanted(how, context, shape):
            continue
        if (found := how.known(known)) is not None:
            context[name], sources[name] = _as_json(found[0]), found[1]
    return context | ({"sources": sources} if sources else {})


def _as_json(value: Any) -> Any:
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json", exclude_none=True)
    if isinstance(value, Mapping):
        return {k: _as_json(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_as_json(v) for v in value]
    return value


def fields_here(shape: type[BaseModel], known: Known) -> list[FieldHere]:
    """The fields asked for at this place, with what is known of each. Rows stand apart (`readings_here`)."""
    return [
        _field_here(name, how, shape.model_fields[name], known)
        for name, how in asked_of(shape).items()
        if how.title and how.here(known) and _row_of(shape.model_fields[name].annotation) is None
    ]


def _field_here(name: str, how: Asked, info: Any, known: Known) -> FieldHere:
    value, origin = how.known(known) or (None, None)
    return field_as_asked(name, how, info, value, origin)


def field_as_asked(name: str, how: Asked, info: Any, value: Any, origin: Origin | None) -> FieldHere:
    """A field of a model as it is asked for; without a value it stands at its default, which is typical."""
    default = None if info.is_required() else info.get_default(call_default_factory=True)
    if value is None and default is not None:
        value, origin = default, "typical"
    plain = _plain(info.annotation)
    kind: Literal["figure", "band", "choice", "yes_no", "text"] = "figure"
    if how.choices:
        kind = "choice"
        value = None if value is None else _as_choice(value)
    elif plain is bool:
        kind = "yes_no"
    elif plain is str:
        kind = "text"
    elif isinstance(plain, type) and issubclass(plain, BaseModel):
        kind = "band"
        value = None if value is None else Band.model_validate(_as_json(value))
    low, high, above = bounds_of(info)
    return FieldHere(
        name=name, title=how.title, unit=how.unit, hint=how.hint, kind=kind, choices=list(how.choices),
        low=low, high=high, above=above, when=how.when[0] if how.when else None,
        when_is=list(how.when[1]) if how.when else [],
        optional=not info.is_required() and default is None and (how.when is None or how.spare),
        more=how.more, value=value, origin=origin,
    )  # fmt: skip


def readings_here(context: type[BaseModel], table: type[BaseModel] | None, known: Known) -> ReadingsHere | None:
    """What is typed row by row at this place: rows of the context's list, or of the table; None where nothing is."""
    if table is not None:
        return ReadingsHere(field=None, plain=False, columns=_columns(table), least=1, most=2000)
    for name, how in asked_of(context).items():
        info = context.model_fields[name]
        row = _row_of(info.annotation)
        if row is None or not how.here(known):
            continue
        least = next((m.min_length for m in _metadata(info) if hasattr(m, "min_length")), 1)
        most = next((m.max_length for m in _metadata(info) if hasattr(m, "max_length")), 40)
        if isinstance(row, type) and issubclass(row, BaseModel):
            return ReadingsHere(field=name, plain=False, columns=_columns(row), least=least, most=most)
        low, high, above = _bounds_of(_flat(row))
        one = Column(
            name=name, title=how.title, unit=how.unit, low=low, high=high, above=above, expect=list(how.expect)
        )
        return ReadingsHere(field=name, plain=True, columns=[one], least=least, most=most)
    return None


def _columns(row: type[BaseModel]) -> list[Column]:
    out = []
    for name, how in asked_of(row).items():
        if how.title:
            low, high, above = bounds_of(row.model_fields[name])
            out.append(
                Column(
                    name=name, title=how.title, unit=how.unit, low=low, high=high, above=above, varies=how.varies,
                    expect=list(how.expect),
                )
            )  # fmt: skip
    return out


def _wanted(how: Asked, context: Mapping[str, Any], shape: type[BaseModel]) -> bool:
    """Whether the other field, on which this one hangs, stands so."""
    if how.when is None:
        return True
    other, values = how.when
    return _as_choice(context.get(other, shape.model_fields[other].default)) in values


def _as_choice(value: Any) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


def _metadata(info: Any) -> list[Any]:
    """A field's metadata; that of an optional field's own type included."""
    return [*info.metadata, *(m for a in typing.get_args(info.annotation) for m in getattr(a, "__metadata__", ()))]


def _flat(annotation: Any) -> list[Any]:
    """All metadata that an annotation carries, however it is nested."""
    if typing.get_origin(annotation) is typing.Annotated:
        inner, *more = typing.get_args(annotation)
        return [*_flat(inner), *more]
    if typing.get_origin(annotation) in (typing.Union, types.UnionType):
        return [m for a in typing.get_args(annotation) for m in _flat(a)]
    return []


def bounds_of(info: Any) -> tuple[float | None, float | None, bool]:
    """The least and the greatest that a field takes, and whether the least itself is too low."""
    return _bounds_of([*info.metadata, *_flat(info.annotation)])


def _bounds_of(metadata: list[Any]) -> tuple[float | None, float | None, bool]:
    """The least and the greatest, and whether the least itself is too low."""
    low, high, above = -math.inf, math.inf, False
    for m in metadata:
        for part in getattr(m, "metadata", None) or [m]:
            if isinstance(part, Ge) and float(part.ge) > low:  # type: ignore[arg-type]
                low, above = float(part.ge), False  # type: ignore[arg-type]
            elif isinstance(part, Gt) and float(part.gt) >= low:  # type: ignore[arg-type]
                low, above = float(part.gt), True  # type: ignore[arg-type]
            elif isinstance(part, Le):
                high = min(high, float(part.le))  # type: ignore[arg-type]
    return (None if math.isinf(low) else low), (None if math.isinf(high) else high), above


def _plain(annotation: Any) -> Any:
    """The type behind annotations and ``| None``."""
    if typing.get_origin(annotation) is typing.Annotated:
        return _plain(typing.get_args(annotation)[0])
    if typing.get_origin(annotation) in (typing.Union, types.UnionType):
        return next((_plain(a) for a in typing.get_args(annotation) if a is not type(None)), annotation)
    return annotation


def _row_of(annotation: Any) -> Any:
    """What a list's rows are; None for what is no list."""
    plain = _plain(annotation)
    return typing.get_args(plain)[0] if typing.get_origin(plain) is list else None
