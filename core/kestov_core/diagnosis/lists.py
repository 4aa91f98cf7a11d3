"""The knowledge as lists for those who script: faults, findings and checks with their labels and places."""

from __future__ import annotations

from typing import Any, get_args

from ..knowledge import FindingKind, checks, faults, findings
from ..machine import Kinematics
from .places import by_kind, machine_of, place_faults

KINEMATICS = get_args(Kinematics)


def list_faults(kinematics: str | None = None) -> list[dict[str, Any]]:
    """Every fault with its label, group and the axes it can have (over all kinematics where none is named)."""
    axes: dict[str, dict[str, None]] = {}
    for k in [kinematics] if kinematics else KINEMATICS:
        for at in place_faults(machine_of(k)):
            axes.setdefault(at.fault.id, {})[at.axis] = None
    return [
        {"id": f.id, "label": f.label, "group": f.group, "kind": f.kind, "axes": list(axes.get(f.id, {}))}
        for f in faults().values()
    ]


def list_findings() -> list[dict[str, Any]]:
    """Every finding with its label, group, the axes it can have, and whether it is seen or measured (with its unit)."""
    places = {None: list[str](), "axis": list[str](), "belt": list[str](), "screw": list[str]()}
    for k in KINEMATICS:
        for kind, here in by_kind(machine_of(k)).items():
            places[kind] = list(dict.fromkeys([*places[kind], *here]))
    return [_listed(f, [*f.among] or places[f.placed]) for f in findings().values()]


def _listed(f: FindingKind, axes: list[str]) -> dict[str, Any]:
    answer = "measured" if f.kind == "measured" else "present/absent, or its figure" if f.reads_as else "present/absent"
    return {
        "id": f.id,
        "label": f.label,
        "group": f.group,
        "axes": axes,
        "answer": answer,
        "unit": f.unit,
        "danger": f.kind == "danger",
    }


def list_checks() -> list[dict[str, Any]]:
    """Every check with its minutes, what it answers and what it needs, in the order of the fixed checklist."""
    return [{"group": "swap" if c.swap else "check", **c.model_dump()} for c in checks().values()]
