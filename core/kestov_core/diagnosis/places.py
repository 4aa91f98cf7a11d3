"""Where the faults and checks of the knowledge sit on a machine, by its kinematics; and on which axes each shows."""

from __future__ import annotations

from dataclasses import dataclass

from ..knowledge import Check, Fault, FindingKind, findings
from ..knowledge.mended import Book, book
from ..machine import AXES_OF_BELT, BED, BELTS, FRAME, GUIDED, HEAD, PAIRS, PLACES, SCREWS, WHOLE, Description

#: What each axis carries: a loose thing there rocks there.
_CARRIES: dict[str, dict[str, str]] = {
    "bed_slinger": {"x": HEAD, "y": BED},
    "fixed_bed": {"x": HEAD, "y": HEAD, "z": BED},
    "corexy": {"x": HEAD, "y": HEAD, "z": BED},
    "delta": {"t1": HEAD, "t2": HEAD, "t3": HEAD},
    "belt_bed": {"x": HEAD, "y": HEAD, "z": BED},
}
_EVERYWHERE = frozenset(PLACES)


@dataclass(frozen=True)
class Machine:
    """A machine's kinematics, its belts, screws and pairs of belts."""

    kinematics: str
    belts: tuple[str, ...]
    screws: tuple[str, ...]
    pairs: tuple[tuple[str, str], ...]
    homing: tuple[tuple[str, str], ...] = ()

    def homes(self, axis: str, how: str) -> bool:
        """Whether an axis finds its home so; a bed's height is Z's home. What is not told is not so."""
        return dict(self.homing).get("z" if axis == BED else axis) == how


@dataclass(frozen=True)
class Placed:
    """A fault at its place, the places where it can be touched, and those where what it does to prints can be seen."""

    fault: Fault
    axis: str
    near: frozenset[str]
    reach: frozenset[str]

    def shows_at(self, finding: FindingKind, axis: str | None) -> bool:
        """Whether it can show a finding at a place (None: somewhere)."""
        if finding.among and not self.reach & set(finding.among):
            return False
        if axis in (None, "all") or finding.placed is None:
            return True
        return axis in (self.near if finding.touched else self.reach)


@dataclass(frozen=True)
class PlacedCheck:
    """A check at its place, with the findings it answers there (None: of the whole machine)."""

    check: Check
    axis: str | None
    nodes: tuple[tuple[str, str | None], ...]


def machine_of(
    kinematics: str,
    transmissions: dict[str, str] | None = None,
    pairs: list[list[str]] | None = None,
    homing: dict[str, str] | None = None,
) -> Machine:
    """A machine, from its kinematics and, where known, the kind of transmission at each place."""
    given = transmissions or {}
    belts = tuple(p for p, kind in given.items() if kind == "belt")
    # A doubled axis has its two belts, and none that is called by the axis.
    belts = tuple(b for b in belts if not {f"{b}1", f"{b}2"} <= set(belts))
    screws = tuple(p for p, kind in given.items() if kind == "screw")
    belts = belts or BELTS[kinematics]
    own_pairs = [(a, b) for a, b in pairs or []]
    # Where its belts are not told, a fixed bed's Y may be doubled.
    if not own_pairs and (usual := PAIRS.get(kinematics)) and (not given or set(usual) <= set(belts)):
        own_pairs = [usual]
    return Machine(kinematics, belts, screws or SCREWS[kinematics], tuple(own_pairs), tuple((homing or {}).items()))


def machine_described(d: Description) -> Machine:
    """A machine whose description is known."""
    kinds = {str(p): str(t.kind) for p, t in d.transmissions.items()}
    homing = {str(axis): str(how) for axis, how in d.homing.items()}
    return machine_of(d.kinematics, kinds, [[str(p) for p in pair] for pair in d.pairs], homing)


def places_of(m: Machine) -> frozenset[str]:
    """Every place that this machine has: where something can be at fault, and where it can be seen."""
    at = {p for placed in place_faults(m) for p in placed.reach if placed.fault.where not in ("frame", "e", "all")}
    return frozenset(at | {*m.belts, *m.screws, "x", "y", "z", "e", *WHOLE})


def place_faults(m: Machine, known: Book | None = None) -> list[Placed]:
    """Every fault that this machine can have, at each place where it can have it; ``known``: as a workshop knows them."""
    out = []
    for fault in (known or book()).faults.values():
        if m.kinematics not in fault.not_on and (not fault.only_on or m.kinematics in fault.only_on):
            out += [
                Placed(fault, axis, near_of(m, fault.where, axis), reach_of(m, fault.where, axis))
                for axis in _places(m, fault.where)
                if fault.homing is None or m.homes(axis, fault.homing)
            ]
    return out


def _places(m: Machine, where: str) -> tuple[str, ...]:
    if where == "belt":
        return m.belts
    if where == "pair":
        return tuple(_pair_name(m, p) for p in m.pairs)
    if where == "axis":
        return GUIDED[m.kinematics]
    if where == "plane":
        return ("x", "y")
    if where == "motor":
        return motors_of(m)
    if where == "screw":
        return m.screws
    if where in ("beam", "z"):
        return ("z",) if m.screws else ()
    return (where,)


def motors_of(m: Machine) -> tuple[str, ...]:
    """Its motors by the place that each drives."""
    return (*m.belts, *(("z",) if m.screws else ()), "e")


def _pair_name(m: Machine, pair: tuple[str, str]) -> str:
    """A pair on one axis is named by that axis; crossed belts move all."""
    return pair[0][0] if pair[0][0] == pair[1][0] else "all"


def reach_of(m: Machine, where: str, axis: str) -> frozenset[str]:
    """The places where what a fault at ``axis`` does can be seen and heard."""
    if where in ("frame", "e", "all"):
        return _EVERYWHERE
    near = near_of(m, where, axis)
    return near | {"z", "e"} if where == HEAD else near


def near_of(m: Machine, where: str, axis: str) -> frozenset[str]:
    """The places where a fault at ``axis`` can be felt and measured."""
    if where in ("frame", "all"):
        return _EVERYWHERE
    if where == "pair":
        pair = next(p for p in m.pairs if _pair_name(m, p) == axis)
        return frozenset({axis, "all", *pair, *(a for p in pair for a in _axes_of(m, p))})
    near = {axis, "all"}
    if where in ("belt", "motor"):
        near.update(_axes_of(m, axis))
    elif where == "e":
        near.add(HEAD)
    elif where == HEAD:
        near.update({"x", "y", "e"} if m.kinematics != "bed_slinger" else {"x", "e"})
    elif where == BED:
        near.update({"y", "z"} if m.kinematics == "bed_slinger" else {"z"})
    elif where == "screw":
        near.update({"z", *((BED,) if _CARRIES[m.kinematics].get("z") == BED else ())})
    elif where == "beam":
        near.update({"x", BED})
    elif m.kinematics == "delta":
        near.update({"x", "y", "z"})
    if carried := _CARRIES[m.kinematics].get(axis):
        near.add(carried)
    return frozenset(near)


def _axes_of(m: Machine, place: str) -> tuple[str, ...]:
    return AXES_OF_BELT[m.kinematics].get(place, (place[0],) if place[0] in "xyz" else ())


def place_checks(m: Machine, known: Book | None = None) -> list[PlacedCheck]:
    """Every check that makes sense on this machine, at each place where it is done by itself; ``known``: as a workshop does it."""
    out = []
    for check in (known or book()).checks.values():
        if check.only_on and m.kinematics not in check.only_on:
            continue
        for axis, places in _spots(m, check):
            nodes = tuple((f, p) for f in check.answers for p in _seen_at(m, check, f, places) if can_be(f, p))
            if nodes:
                out.append(PlacedCheck(check, axis, nodes))
    return out


def _spots(m: Machine, check: Check) -> list[tuple[str | None, tuple[str | None, ...]]]:
    """(name of the spot, places looked at there). Belts of a pair are done together."""
    if check.at == "belt":
        told = [pair for pair in m.pairs if set(pair) <= set(m.belts)]
        together: list[tuple[str | None, tuple[str | None, ...]]] = [(pair[0], pair) for pair in told]
        # A belt that may be two is plucked once, and each by itself if it is.
        maybe = {_pair_name(m, pair): pair for pair in m.pairs if pair not in told}
        paired = {p for pair in told for p in pair}
        return together + [(b, (b, *maybe.get(b, ()))) for b in m.belts if b not in paired]
    if check.at == "screws":
        return [("z", m.screws)] if m.screws else []
    if check.at == "screw":
        return [(s, (s,)) for s in m.screws]
    if check.at == "beam":
        return [("z", ("z",))] if m.screws else []
    if check.at == "axis":
        # A print has its own axes, whatever the machine moves by.
        axes = ("x", "y", "z") if "print" in check.setup else GUIDED[m.kinematics]
        return [(a, (a,)) for a in axes]
    if check.at == "motor":
        return [(a, (a,)) for a in motors_of(m)]
    return [(None, (None,))]


def can_be(finding: str, axis: str | None) -> bool:
    """Whether a finding can be at a place at all."""
    among = findings()[finding].among
    return not among or axis not in ("x", "y", "z", "e") or axis in among


def _seen_at(m: Machine, check: Check, finding: str, places: tuple[str | None, ...]) -> tuple[str | None, ...]:
    kind = findings()[finding]
    if kind.placed is None:
        return (None,)
    # What has no place of its own is felt for where that is done; on the way round, at each belt and screw.
    if places == (None,) and kind.felt_at:
        return tuple(kind.felt_at)
    if check.at == "walk" and kind.placed != "axis":
        return by_kind(m)[kind.placed]
    if finding == "belts_unequal":
        return ("all",) if len(places) > 1 else ()
    return places


def by_kind(m: Machine) -> dict[str, tuple[str, ...]]:
    """Where a finding can be on this machine, by what its place is, as a person would name it."""
    axes = (*GUIDED[m.kinematics], *m.belts, HEAD, BED, FRAME, "e")
    return {"axis": tuple(dict.fromkeys(axes)), "belt": m.belts, "screw": m.screws}


def spots_of(m: Machine, kind: FindingKind) -> tuple[str, ...]:
    """Where one finding can be on this machine; () where its place is of no matter."""
    if kind.placed is None:
        return ()
    return tuple(kind.among) or by_kind(m)[kind.placed]
