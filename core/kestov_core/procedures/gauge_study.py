"""gauge-study: how good a reading is in these hands, from the same things measured several times by two or more people.

Repeatability and reproducibility by ISO 5725-2 (one thing) or by the crossed analysis of the usual gauge study (several).
What it cannot see is an error that all share: the instrument's own. Its check tells that (`instrument_check`).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import AfterValidator, Field

from ..asking import Asked
from ..errors import BadInput
from ..quantities import UNITS, Limits, Quantity, decide, odd_ones, quadrature, t95
from ..readers import read_named
from ..variance import (
    Crossed,
    MeanSquare,
    OneWay,
    chance_of_ratio,
    crossed,
    largest_variance,
    one_way,
    variance_between,
    variance_of_sum,
)
from .base import Advice, Context, Part, Procedure, Result, source_of

MOST_READINGS, MOST_PEOPLE, MOST_PIECES = 20_000, 40, 50
#: Two readings differ by no more than this many standard deviations in 95 of 100 cases (ISO 5725-6, 4.1.4).
OF_A_DIFFERENCE = 1.96 * math.sqrt(2)
#: A ratio of variances as rare as this is said (typical); Cochran's outlier is rarer still (ISO 5725-2, 7.3.3).
_SAID, _OUTLIER = 0.05, 0.01
#: Up to a third of the limit a reading costs the tolerance next to nothing (typical: 10 and 30 % of a gauge study).
_OUTER = 2 / 3


def known_unit(unit: str) -> str:
    """The unit; refused where nothing here is measured in it."""
    if unit not in UNITS:
        raise ValueError(f"must be one of {', '.join(UNITS)}")
    return unit


AskedUnit = Annotated[
    str, Field(max_length=12), AfterValidator(known_unit), Asked("Unit", "", "What the instrument reads in.")
]


class GaugeStudyContext(Context):
    """What the readings are in, and what they are for. ``check_u95``: what the instrument's last check leaves open."""

    unit: AskedUnit = "mm"
    resolution: Annotated[float, Field(ge=0, le=1e6), Asked("Reads to", "", "The instrument's smallest step.")] = 0.0
    tolerance: Annotated[
        float | None,
        Field(gt=0, le=1e6),
        Asked("Used for a band of", "", "The whole width of the narrowest tolerance that it has to judge."),
    ] = None
    share: Annotated[
        float, Field(gt=0, le=1), Asked("A reading may take of it", "", "A tenth is typical.", more=True)
    ] = 0.1
    check_u95: Annotated[
        float | None,
        Field(ge=0, le=1e6),
        Asked("Its check leaves ±", "", "What its last check against something known left open."),
    ] = None


class StudyRow(Part):
    """One reading: what was read, by whom, of which piece. The figure first: a name that begins with # would make the row a comment."""

    reading: Annotated[float, Field(ge=-1e9, le=1e9)]
    person: Annotated[str, Field(min_length=1, max_length=60)]
    piece: Annotated[str, Field(max_length=60)] = ""


SpreadSource = Literal["people", "pieces", "people_and_pieces", "repeats"]


class Hand(Part):
    """One person: the mean, how far it lies from what all found, the spread of one reading, and what a reading is good to."""

    person: str
    readings: int
    mean: float
    bias: Quantity
    repeatability: Quantity
    reading_u95: float


class Source(Part):
    """One line of the analysis of variance. ``chance``: how often its ratio comes out so large by accident."""

    source: SpreadSource
    ss: float
    df: int
    ms: float
    ratio: float | None = None
    chance: float | None = None


class GaugeStudyResult(Result):
    """Standard deviations, each with its interval. ``reproducibility``: of anybody's reading, repeats included (ISO 5725-1).

    ``reading_u95``: a reading by one of these people, each as often, with what the check leaves. ``people_differ`` and
    ``between_pieces``: the parts of people and of the pieces themselves; ``people_and_pieces``: what one does with one piece.
    ``categories``: into how many groups it can sort such pieces.
    """

    procedure: Literal["gauge-study"] = "gauge-study"
    design: Literal["one_way", "crossed"]
    people: list[Hand]
    pieces: list[str]
    mean: float
    reading_u95: Quantity
    repeatability: Quantity
    people_differ: Quantity
    people_and_pieces: Quantity | None
    reproducibility: Quantity
    between_pieces: Quantity | None
    repeatability_limit: float
    reproducibility_limit: float
    share_of_tolerance: Quantity | None
    categories: int | None
    sources_of_spread: list[Source]


@dataclass(frozen=True)
class _Table:
    """What was read: ``cells[person][piece]`` are the readings, in the order in which they came."""

    people: list[str]
    pieces: list[str]
    cells: list[list[list[float]]]

    def by(self, person: int) -> list[float]:
        return [r for cell in self.cells[person] for r in cell]


def analyse(context: GaugeStudyContext, data: bytes | None = None) -> GaugeStudyResult:
    """How much of a reading's spread is the hand's, how much lies between people, and what a reading is good to.

    Parameters
    ----------
    context : GaugeStudyContext
        Unit, smallest step, and the tolerance that the instrument judges, where there is one.
    data : bytes
        CSV ``person,piece,reading``, a row a reading (``piece`` may be left out where there is one). One piece: any
        number of readings each. Several: each by everybody, twice or more.

    Returns
    -------
    GaugeStudyResult
        Standard deviations with low and high; for each person bias, spread and what a reading is good to.

    Raises
    ------
    BadInput
        ``too_few_rows`` (one person, or nothing read twice), ``missing_cell`` (a piece that somebody has not measured twice),
        ``too_large``, ``out_of_range`` (all readings alike and no step told), and those of `read_named`.

    Notes
    -----
    The interaction is kept, however small: the sum stays unbiased (Montgomery; ISO 5725-2 knows none).

    Examples
    --------
    >>> rows = b"person,reading\\nAnna,10.0\\nAnna,10.2\\nBoris,10.5\\nBoris,10.7\\nCaro,10.1\\nCaro,10.3\\n"
    >>> result = analyse(GaugeStudyContext(unit="mm"), rows)
    >>> round(result.repeatability.value, 4), round(result.reproducibility.value, 4)
    (0.1414, 0.2828)
    """
    table, left_out = _even(_read(data or b""))
    analysis, lines = _analysed(table)
    result = _measured(context, table, analysis, lines)
    _judge(result, context)
    _warn(result, context, table, left_out)
    _advise(result, context, table)
    return result


def _read(data: bytes) -> _Table:
    figures, words = read_named(data, ("reading",), {"person": ()}, optional={"piece": ()})
    readings, who = figures["reading"], words["person"]
    what = words.get("piece") or [""] * len(readings)
    if len(readings) > MOST_READINGS:
        raise BadInput("too_large", f"More than {MOST_READINGS} readings.", "data")
    people, pieces = list(dict.fromkeys(who)), list(dict.fromkeys(what))
    if len(people) > MOST_PEOPLE or len(pieces) > MOST_PIECES:
        raise BadInput("too_large", f"At most {MOST_PEOPLE} people and {MOST_PIECES} pieces.", "data")
    if len(people) < 2:
        raise BadInput("too_few_rows", "Two people or more are compared; here is one.", "person")
    if "" in people:
        raise BadInput("bad_row", "A reading is by nobody: name who took it.", "person")
    cells: list[list[list[float]]] = [[[] for _ in pieces] for _ in people]
    for person, piece, reading in zip(who, what, readings, strict=True):
        cells[people.index(person)][pieces.index(piece)].append(reading)
    return _Table(people, pieces, cells)


def _even(table: _Table) -> tuple[_Table, int]:
    """With several pieces as many readings of each by each as all have; and how many were left out."""
    if len(table.pieces) == 1:
        if not any(len(row[0]) > 1 for row in table.cells):
            raise BadInput(
                "too_few_rows", "Somebody must measure it twice, or a hand's own spread is not seen.", "data"
            )
        if not all(row[0] for row in table.cells):
            raise BadInput("missing_cell", "Everybody must have measured it.", "data")
        return table, 0
    for person, row in zip(table.people, table.cells, strict=True):
        for piece, cell in zip(table.pieces, row, strict=True):
            if len(cell) < 2:
                times = "not" if not cell else "once"
                raise BadInput(
                    "missing_cell",
                    f"{person} has measured {piece or 'a piece without a name'} {times}: each piece is measured twice or more by everybody.",
                    "data",
                )
    least = min(len(cell) for row in table.cells for cell in row)
    count = sum(len(cell) for row in table.cells for cell in row)
    cells = [[cell[:least] for cell in row] for row in table.cells]
    return _Table(table.people, table.pieces, cells), count - least * len(table.people) * len(table.pieces)


def _analysed(table: _Table) -> tuple[OneWay | Crossed, list[Source]]:
    if len(table.pieces) == 1:
        found = one_way([row[0] for row in table.cells])
        return found, [_line("people", found.between, found.within), _line("repeats", found.within)]
    both = crossed(np.array(table.cells, dtype=float))
    return both, [
        _line("people", both.groups, both.together),
        _line("pieces", both.things, both.together),
        _line("people_and_pieces", both.together, both.within),
        _line("repeats", both.within),
    ]


def _line(source: SpreadSource, square: MeanSquare, against: MeanSquare | None = None) -> Source:
    line = Source(source=source, ss=square.ss, df=square.df, ms=square.ms)
    if against is not None and against.ms > 0:
        line.ratio, line.chance = square.ms / against.ms, chance_of_ratio(square, against)
    return line


def _measured(
    context: GaugeStudyContext, table: _Table, found: OneWay | Crossed, lines: list[Source]
) -> GaugeStudyResult:
    """The parts of the spread as standard deviations, and every hand for itself."""
    # What the step rounds away is not in the readings, and still in what they tell.
    step = context.resolution**2 / 12
    within = found.within.at_least(step)
    if within.ms == 0:
        raise BadInput(
            "out_of_range",
            "All readings are alike: tell the smallest step, which then speaks for the spread.",
            "resolution",
        )
    unit = context.unit
    if isinstance(found, OneWay):
        size, across = found.size, within
        people = variance_between(found.between, within, size)
        whole = variance_of_sum([(1 / size, found.between), (1 - 1 / size, within)])
        together = pieces = None
        parts = max(0.0, people[0]) + within.ms
    else:
        n, o, p = found.size, len(table.pieces), len(table.people)
        across = found.together.at_least(step)
        people = variance_between(found.groups, across, o * n)
        together = variance_between(across, within, n)
        pieces = variance_between(found.things, across, p * n)
        whole = variance_of_sum([(1 / (o * n), found.groups), (1 / n - 1 / (o * n), across), (1 - 1 / n, within)])
        parts = max(0.0, people[0]) + max(0.0, together[0]) + within.ms
    repeatability = _deviation(variance_of_sum([(1.0, within)]), unit)
    # A part that comes out below nothing counts as nothing.
    reproducibility = _deviation((parts, whole[1], max(whole[2], parts)), unit)
    hands = [_hand(context, table, i, spread, across) for i, spread in enumerate(_spreads(table, step))]
    in_hands = _in_these_hands(context, table, within)
    all_readings = [r for i in range(len(table.people)) for r in table.by(i)]
    return GaugeStudyResult(
        verdict="not_judged",
        design="one_way" if isinstance(found, OneWay) else "crossed",
        people=hands,
        pieces=table.pieces,
        mean=math.fsum(all_readings) / len(all_readings),
        reading_u95=in_hands,
        repeatability=repeatability,
        people_differ=_deviation(people, unit),
        people_and_pieces=None if together is None else _deviation(together, unit),
        reproducibility=reproducibility,
        between_pieces=None if pieces is None else _deviation(pieces, unit),
        repeatability_limit=OF_A_DIFFERENCE * repeatability.value,
        reproducibility_limit=OF_A_DIFFERENCE * reproducibility.value,
        share_of_tolerance=None if context.tolerance is None else _share(reproducibility, context.tolerance),
        categories=None if pieces is None else int(math.sqrt(2 * max(0.0, pieces[0]) / parts)),
        sources_of_spread=lines,
    )


def _deviation(variance: tuple[float, float, float], unit: str) -> Quantity:
    """A variance and its ends as a standard deviation; below nothing is nothing."""
    value, low, high = (math.sqrt(max(0.0, v)) for v in variance)
    low, high = min(low, value), max(high, value)
    return Quantity(value=value, u95=max(value - low, high - value), unit=unit, low=low, high=high)


def _share(reproducibility: Quantity, tolerance: float) -> Quantity:
    """Six standard deviations of anybody's reading, of the tolerance (%)."""
    k = 600 / tolerance
    parts = {n: k * (getattr(reproducibility, n) or 0.0) for n in ("value", "u95", "low", "high")}
    return Quantity(**parts, unit="%")


def _hand(context: GaugeStudyContext, table: _Table, i: int, spread: MeanSquare, across: MeanSquare) -> Hand:
    """One person: bias against what all found together (everybody counting alike), and the own spread."""
    sizes = [len(table.by(j)) for j in range(len(table.people))]
    means = [math.fsum(table.by(j)) / n for j, n in enumerate(sizes)]
    p = len(means)
    bias = means[i] - math.fsum(means) / p
    # Over several pieces a person's mean varies with what they do with each.
    noise = across if across.ms > spread.ms else spread
    parts = (1 - 1 / p) ** 2 / sizes[i] + sum(1 / n for j, n in enumerate(sizes) if j != i) / p**2
    u_bias = math.sqrt(noise.ms * parts)
    own = _own(table, i)
    seen = own.at_least(context.resolution**2 / 12) if own.df > 0 else spread
    reading = _reaches(bias, math.sqrt(spread.ms + u_bias**2), spread.df)
    return Hand(
        person=table.people[i],
        readings=sizes[i],
        mean=means[i],
        bias=Quantity(value=bias, u95=t95(noise.df) * u_bias, unit=context.unit),
        repeatability=_deviation(variance_of_sum([(1.0, seen)]), context.unit),
        reading_u95=quadrature(reading, context.check_u95),
    )


def _own(table: _Table, i: int) -> MeanSquare:
    squares = [math.fsum((r - math.fsum(c) / len(c)) ** 2 for r in c) for c in table.cells[i]]
    return MeanSquare(math.fsum(squares), len(table.by(i)) - len(table.pieces))


def _spreads(table: _Table, step: float) -> list[MeanSquare]:
    """By person the spread that speaks for a reading: the own where it is another than the others', else that of all alike."""
    owns = [_own(table, i) for i in range(len(table.people))]
    apart = {i for i, own in enumerate(owns) if own.df >= 2 and _scatters(own, owns)}
    alike = [o for i, o in enumerate(owns) if i not in apart and o.df > 0]
    shared = MeanSquare(math.fsum(o.ss for o in alike), sum(o.df for o in alike)) if alike else None
    return [(owns[i] if shared is None or i in apart else shared).at_least(step) for i in range(len(owns))]


def _scatters(own: MeanSquare, owns: list[MeanSquare]) -> bool:
    """Whether one spread is more than the others' (Fisher against the rest, for as many as might have been looked at)."""
    rest = MeanSquare(math.fsum(o.ss for o in owns) - own.ss, sum(o.df for o in owns) - own.df or 1)
    return rest.ss >= 0 and len(owns) * chance_of_ratio(own, rest) < _OUTLIER


def _reaches(bias: float, spread: float, dof: float) -> float:
    """What 95 of 100 readings keep to that spread about a bias: both sides of none, one side of a large one."""
    from scipy.special import stdtrit

    return max(t95(dof) * spread, abs(bias) + float(stdtrit(dof, 0.95)) * spread)


def _in_these_hands(context: GaugeStudyContext, table: _Table, within: MeanSquare) -> Quantity:
    """What a reading by one of these people is good to, each of them as often; they are these, and no sample of others."""
    means = np.array([[math.fsum(c) / len(c) for c in row] for row in table.cells])
    sizes = np.array([[len(c) for c in row] for row in table.cells], dtype=float)
    p, cells = means.shape[0], means.size
    seen = float(((means - means.mean(axis=0)) ** 2).mean())
    by_chance = (1 - 1 / p) * within.ms * float((1 / sizes).mean())
    apart = max(0.0, seen - by_chance)
    u_apart = 2 * 1.96 * math.sqrt(apart * by_chance / cells)
    value, low, high = variance_of_sum([(1.0, within)])
    ends = (value + apart, low + max(0.0, apart - u_apart), high + apart + u_apart)
    known = context.check_u95 or 0.0
    reach, from_, to = (quadrature(t95(within.df) * math.sqrt(v), known) for v in ends)
    return Quantity(value=reach, u95=max(reach - from_, to - reach), unit=context.unit, low=from_, high=to)


def _judge(result: GaugeStudyResult, context: GaugeStudyContext) -> None:
    reading = result.reading_u95
    limits = None if context.tolerance is None else Limits(high=context.share * context.tolerance)
    verdict = decide(reading.value, reading.u95, limits, _OUTER)
    words = "A reading in these hands is good to ±"
    result.judge(words, reading, limits, source_of(context, "tolerance"), verdict)
    result.judge("The same hand on the same piece (standard deviation)", result.repeatability)
    result.judge("Anybody's hand (standard deviation)", result.reproducibility)
    if result.share_of_tolerance is not None:
        result.judge("Six deviations of anybody's reading take of the band", result.share_of_tolerance)
    result.verdict = result.judged[0].verdict


def _warn(result: GaugeStudyResult, context: GaugeStudyContext, table: _Table, left_out: int) -> None:
    p = len(table.people)
    if p < 3:
        result.warn(
            "few_people",
            "Two people tell how these two differ. How anybody would read is known only within wide bounds: three more would tell.",
        )
    lines = {s.source: s for s in result.sources_of_spread}
    if (lines["people"].chance or 0.0) < _SAID and lines["people"].chance is not None:
        furthest = max(result.people, key=lambda h: abs(h.bias.value))
        side = "more" if furthest.bias.value > 0 else "less"
        result.warn(
            "people_differ",
            f"{furthest.person} reads {abs(furthest.bias.value):.2g} {context.unit} {side} than all together.",
        )
    owns = [_own(table, i) for i in range(p)]
    alike = owns[0].df >= 1 and len({o.df for o in owns}) == 1
    if alike and largest_variance([o.ms for o in owns], owns[0].df) < _SAID:
        who = table.people[max(range(p), key=lambda i: owns[i].ms)]
        result.warn("one_scatters", f"{who}'s readings of one piece scatter more than the others'.")
    if context.resolution and result.repeatability.value < context.resolution / 2:
        result.warn(
            "coarse_step",
            "The hands scatter by less than the instrument's step: the step speaks, and a finer instrument would tell more.",
        )
    for person, piece, number, reading in _odd(context, table):
        result.warn(
            "odd_reading",
            f"{person}'s reading {number}{f' of {piece}' if piece else ''}, {reading:g}, lies far from the others. If it was a slip, take it again.",
        )
    if left_out:
        result.warn("left_out", f"{left_out} readings beyond what everybody has of each piece are left out.")
    if context.check_u95 is None:
        result.warn(
            "own_error_not_seen",
            "An error that everybody shares, the instrument's own, is not seen here: check it against something known.",
        )


def _odd(context: GaugeStudyContext, table: _Table) -> list[tuple[str, str, int, float]]:
    """Readings that stand out of what that piece, and that person, show otherwise (medians, which a slip does not move)."""
    pieces = [np.median([r for row in table.cells for r in row[j]]) for j in range(len(table.pieces))]
    where, off = [], []
    for person, row in zip(table.people, table.cells, strict=True):
        left = [[reading - piece for reading in cell] for piece, cell in zip(pieces, row, strict=True)]
        middle = np.median([x for cell in left for x in cell])
        for piece, cell, rest in zip(table.pieces, row, left, strict=True):
            where += [(person, piece, k + 1, reading) for k, reading in enumerate(cell)]
            off += [float(x - middle) for x in rest]
    return [where[i] for i, _ in odd_ones(off, max(3 * context.resolution, 1e-12), expected=0.0)][:5]


def _advise(result: GaugeStudyResult, context: GaugeStudyContext, table: _Table) -> None:
    codes = {w.code for w in result.warnings}
    if "people_differ" in codes:
        furthest = max(result.people, key=lambda h: abs(h.bias.value))
        result.advice.append(
            Advice(
                action="Measure one piece side by side",
                target=furthest.person,
                reason="People who differ hold it otherwise: where on the piece, how square, how hard it is pressed, from where the scale is read. Agree on one way, and compare again.",
            )
        )
    reading, limits = result.reading_u95, result.judged[0].limits
    if limits is None or limits.high is None or result.verdict in ("in_tolerance", "watch"):
        return
    fixed = quadrature(math.sqrt(max(0.0, reading.value**2 - _hands_u95(result, table) ** 2)))
    room = limits.high**2 - fixed**2
    times = math.inf if room <= 0 else _hands_u95(result, table) ** 2 / room
    if times <= 10:
        n = max(2, math.ceil(times))
        result.advice.append(
            Advice(
                action=f"Read {n} times and take the mean",
                target="this instrument",
                reason=f"The hand's own spread is most of it: the mean of {n} is good to ± {limits.high:.2g} {context.unit}.",
            )
        )
    else:
        result.advice.append(
            Advice(
                action="Take a finer instrument for this band",
                target="this instrument",
                reason="More readings would not help enough: people, or the instrument itself, differ by more than the band allows.",
            )
        )


def _hands_u95(result: GaugeStudyResult, table: _Table) -> float:
    """The part of a reading's u95 that repeats average out."""
    dof = result.sources_of_spread[-1].df
    return t95(dof) * result.repeatability.value


PROCEDURE = Procedure(
    "gauge-study",
    "How good a reading is, in whose hands",
    GaugeStudyContext,
    GaugeStudyResult,
    analyse,
    data="csv",
    table=StudyRow,
)
