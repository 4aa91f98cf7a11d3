"""The demo's printer models: five invented machines, one of each kinematics."""

from __future__ import annotations

from typing import Any


def _belt(
    span: float,
    loop: float,
    tensioner: dict[str, Any],
    where: str,
    width: float = 6.0,
    name: str = "front run",
    weighed: bool = True,
) -> dict[str, Any]:
    per_mm = {6.0: 8.0, 9.0: 12.0, 10.0: 13.3}[width]
    belt: dict[str, Any] = {
        "kind": "belt",
        "pitch_mm": 2.0,
        "teeth": 20,
        "width_mm": width,
        "axial_stiffness_n": 2500.0 * width,
        "loop_length_mm": loop,
        "spans": [{"name": name, "at": {"x": 0, "y": 0}, "span_mm": span}],
        "tensioner": tensioner,
        "tensioner_place": where,
    }
    if weighed:
        belt |= {"linear_density_g_per_m": per_mm * 1.03, "linear_density_u95_percent": 2.0}
    return belt


_IDLER = {"kind": "threaded_idler", "thread_pitch_mm": 0.7, "wrap_deg": 180, "tighten": "clockwise"}
_IDLER_LEFT = {"kind": "threaded_idler", "thread_pitch_mm": 0.7, "wrap_deg": 180, "tighten": "anticlockwise"}
_CLAMP = {"kind": "threaded_clamp", "thread_pitch_mm": 0.5, "tighten": "clockwise"}
_SLIDER = {"kind": "slider", "wrap_deg": 180, "tighten": "clockwise"}
_SCREW = {"kind": "screw", "lead_mm": 8, "thread_pitch_mm": 2}
_EXTRUDER = {"kind": "extruder", "gear_ratio": 3, "drive_diameter_mm": 11}


def _bed(width: float, depth: float, screws: bool = True, pitch: float = 0.7) -> dict[str, Any]:
    """A bed with a probe over it, on screws at its corners where it has any."""
    corners = [
        ("front left", 15.0, 15.0),
        ("front right", width - 15, 15.0),
        ("rear right", width - 15, depth - 15),
        ("rear left", 15.0, depth - 15),
    ]
    named = [
        {"name": n, "x_mm": x, "y_mm": y, "thread_pitch_mm": pitch, "raises": "anticlockwise"} for n, x, y in corners
    ]
    return {"width_mm": width, "depth_mm": depth, "probe": "probe", "screws": named if screws else []}


def _travel(x: float, y: float, z: float) -> dict[str, Any]:
    return {a: {"low_mm": 0, "high_mm": most} for a, most in (("x", x), ("y", y), ("z", z))}


MODELS: list[dict[str, Any]] = [
    {
        "name": "Heron 300",
        "description": {
            "kinematics": "corexy",
            "transmissions": {
                "a": _belt(285, 1760, _IDLER, "front left", name="left side run"),
                "b": _belt(285, 1760, _IDLER_LEFT, "front right", name="right side run"),
                "z1": _SCREW,
                "z2": _SCREW,
                "z3": _SCREW,
                "e": _EXTRUDER,
            },
            "pairs": [["a", "b"]],
            "bed": _bed(300, 300, screws=False),
            "travel": _travel(300, 300, 320),
        },
        "limits": [
            {"what": "tension", "place": "a", "low": 24, "high": 36, "unit": "N", "source": "maker's manual, page 31"},
            {"what": "tension", "place": "b", "low": 24, "high": 36, "unit": "N", "source": "maker's manual, page 31"},
            {"what": "imbalance", "place": "all", "low": None, "high": 8, "unit": "%", "source": "typical"},
        ],
    },
    {
        "name": "Dunlin 220",
        "description": {
            "kinematics": "bed_slinger",
            "transmissions": {
                "x": _belt(240, 780, _IDLER, "right end of the beam", name="upper run"),
                "y": _belt(230, 760, _IDLER, "front of the frame", name="left of the bed clamp", weighed=False),
                "z1": _SCREW,
                "z2": _SCREW,
                "e": _EXTRUDER,
            },
            "bed": _bed(220, 220),
            "travel": _travel(220, 220, 250),
            "guides": {"x": "rollers", "y": "rollers"},
        },
        "limits": [
            {
                "what": "tension",
                "place": "x",
                "low": 20,
                "high": 34,
                "unit": "N",
                "source": "workshop, from this model's best",
            },
            {"what": "tension", "place": "y", "low": 20, "high": 50, "unit": "N", "source": "typical"},
        ],
    },
    {
        "name": "Avocet 350",
        "description": {
            "kinematics": "fixed_bed",
            "transmissions": {
                "x": _belt(330, 920, _IDLER, "right end of the beam", width=9.0),
                "y1": _belt(360, 980, _CLAMP, "front left", width=9.0, name="left run"),
                "y2": _belt(360, 980, _CLAMP, "front right", width=9.0, name="right run"),
                "z1": _SCREW,
                "z2": _SCREW,
                "e": _EXTRUDER,
            },
            "pairs": [["y1", "y2"]],
            "bed": _bed(350, 350, pitch=0.5),
            "travel": _travel(350, 350, 400),
        },
        "limits": [
            {"what": "tension", "place": p, "low": 36, "high": 60, "unit": "N", "source": "maker's manual, page 12"}
            for p in ("x", "y1", "y2")
        ]
        + [{"what": "imbalance", "place": "all", "low": None, "high": 8, "unit": "%", "source": "typical"}],
    },
    {
        "name": "Plover Tall",
        "description": {
            "kinematics": "delta",
            "transmissions": {
                p: _belt(410, 1420, _SLIDER, f"top of tower {i}", name="outer run")
                for i, p in ((1, "t1"), (2, "t2"), (3, "t3"))
            }
            | {"e": _EXTRUDER},
        },
        "limits": [
            {
                "what": "tension",
                "place": p,
                "low": 22,
                "high": 38,
                "unit": "N",
                "source": "workshop, from this machine's best",
            }
            for p in ("t1", "t2", "t3")
        ],
    },
    {
        "name": "Godwit Endless",
        "description": {
            "kinematics": "belt_bed",
            "transmissions": {
                "x": _belt(260, 820, _IDLER, "left end of the beam"),
                "y": _belt(250, 800, _IDLER, "foot of the leaning frame"),
                "z": {
                    "kind": "belt",
                    "pitch_mm": 3.0,
                    "teeth": 24,
                    "width_mm": 10.0,
                    "loop_length_mm": 900,
                    "spans": [{"name": "conveyor drive", "span_mm": 210}],
                    "tensioner": _IDLER,
                    "tensioner_place": "rear roller",
                },
                "e": _EXTRUDER,
            },
            "beam_angle_deg": 45,
            "bed": _bed(240, 300, screws=False),
        },
        "limits": [
            {"what": "tension", "place": p, "low": 20, "high": 40, "unit": "N", "source": "workshop"}
            for p in ("x", "y")
        ],
    },
]
