"""How the part of a complaint looks, printed on a practice machine now: figures from which it is drawn, and nothing of why.

The part is a hollow box, 60 mm each way, with a ring on its lid. Lengths in mm, heights as shares of the part's own.
"""

from __future__ import annotations

import random
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from ..machine import across
from ..simulator import signs as shown
from ..simulator.signs import Signs
from .truth import LEAD_MM, Truth

#: The part's edge, and the speed that its walls were printed at (mm, mm/s).
EDGE_MM, SPEED_MM_S = 60.0, 80.0
Share = Annotated[float, Field(ge=0, le=1)]


class _Looks(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Ledge(_Looks):
    """A layer from which on all stands aside: at which height, and how far."""

    at: Share
    aside_mm: float


class Wall(_Looks):
    """A wall that runs along an axis. ``ripple_every_mm``: between ripples after its corners, which the axis across it leaves;
    ``lines_every_mm``: between fine upright lines; ``leans_mm``: its top aside of its foot; ``too_long``: share of its length.
    """

    along: Literal["x", "y"]
    ripple_mm: float
    ripple_every_mm: float
    lines_every_mm: float | None
    leans_mm: float
    too_long: float
    ledges: list[Ledge]
    lip_at_turn: bool


class Ring(_Looks):
    """The ring on the lid: its two widths against each other, sheared by ``lean``; ``flat``, ``gap``: where an axis turns round."""

    x: float
    y: float
    lean: float
    flat: list[Literal["x", "y"]]
    gap: list[Literal["x", "y"]]


class Print(_Looks):
    """The printed part. ``bands_every_mm``: ribs at one distance (null: none, or with no distance); shares are of how much of it there is."""

    walls: list[Wall]
    ring: Ring
    too_tall: float
    bands_every_mm: float | None
    bands_grow: bool
    bands_uneven: bool
    strings: Share
    drooping: Share
    thin: Share
    missing: list[Share]
    bulging: Share
    sheen: bool
    infill_gap: bool
    first_uneven: Share
    first_gap: Literal["scraped", "loose", ""]
    corner_up: bool
    knocked: bool
    stopped_at: Share | None
    lettering_closed: bool


def printed(truth: Truth) -> Print:
    """The part as this machine prints it now."""
    m, signs = truth.machine(), truth.signs()
    rng = random.Random(f"print {truth.seed}")

    def has(finding: str, place: str | None = None) -> bool:
        return signs.there(finding, place)

    walls = [_wall(truth, signs, axis, rng) for axis in ("x", "y")]
    skew = m("lean_mm") + 0.9 * m("skew_mm") if has("square_is_diamond") else 0.0
    sx, sy = (shown.travelled(m, a) for a in ("x", "y"))
    if abs(sx - sy) < 0.002 and has("circle_oval"):
        sx, sy = (0.985, 1.0) if has("circle_oval", "x") else (1.0, 0.985)
    all_alike = m("scale") * (1 - m("shrink")) - 1
    thin = has("thin_lines")
    return Print(
        walls=walls,
        ring=Ring(
            x=sx,
            y=sy,
            lean=skew / 100 if has("square_is_diamond") else 0.0,
            flat=[a for a in ("x", "y") if has("circle_flat_sided", a)],
            gap=[a for a in ("x", "y") if has("circle_gapped", a)],
        ),
        too_tall=(shown.travelled(m, "z") - 1 if has("too_tall") or has("too_low") else 0.0)
        + (all_alike if has("all_too_small") else 0.0)
        - (0.04 if has("too_low") and abs(shown.travelled(m, "z") - 1) < 0.003 else 0.0),
        bands_every_mm=LEAD_MM if has("bands_regular") else None,
        bands_grow=has("grows_with_height"),
        bands_uneven=has("bands_irregular"),
        strings=0.8 if has("strings") else 0.0,
        drooping=0.8 if has("overhangs_rough") else 0.0,
        thin=0.7 if thin else 0.0,
        missing=sorted(rng.uniform(0.15, 0.95) for _ in range(3)) if has("layers_missing") else [],
        bulging=0.8 if has("too_much_plastic") else 0.0,
        sheen=has("dull_and_shiny"),
        infill_gap=has("infill_gap"),
        first_uneven=0.8 if has("first_layer_uneven") else 0.0,
        first_gap=("scraped" if m("gap_mm") - m("ooze_mm") < 0 else "loose") if has("first_layer_all_wrong") else "",
        corner_up=has("part_came_loose"),
        knocked=has("nozzle_hit_part"),
        stopped_at=rng.uniform(0.35, 0.8) if has("stops_feeding") else None,
        lettering_closed=has("closed_bottom_lettering"),
    )


def _wall(truth: Truth, signs: Signs, along: Literal["x", "y"], rng: random.Random) -> Wall:
    m, swung = truth.machine(), across(along)
    soft = shown.looseness(m, swung)
    hz = (38.0 + (truth.seed * 7 + (11 if swung == "y" else 0)) % 20) / (1 + soft) ** 0.5
    ledges = []
    if signs.there("layers_stepped", along):
        many = signs.there("stepped_many_times", along)
        step = 2.0 if signs.there("step_whole_teeth", along) else 1.4
        heights = sorted(rng.uniform(0.2, 0.85) for _ in range(4 if many else 1))
        ledges = [Ledge(at=h, aside_mm=step * (k + 1)) for k, h in enumerate(heights)]
    turn, step_ = signs.there("pattern_at_turn", along), signs.there("pattern_at_step", along)
    lines = (40.0 if turn else 0.8 if step_ else 2.0) if signs.there("upright_lines", along) else None
    all_alike = m("scale") * (1 - m("shrink")) - 1 if signs.there("all_too_small") else 0.0
    return Wall(
        along=along,
        ripple_mm=shown.ripple(m, swung) if signs.there("echoes_after_corners", swung) else 0.0,
        ripple_every_mm=SPEED_MM_S / hz,
        lines_every_mm=lines,
        leans_mm=1.6 if signs.there("wall_leans", along) else 0.0,
        too_long=shown.travelled(m, along) - 1 + all_alike,
        ledges=ledges,
        lip_at_turn=signs.there("marks_at_reversal", along),
    )
