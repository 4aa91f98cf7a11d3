"""What an ailing machine shows: on prints, to the ear, to the hand, to a look and to an instrument.

Every sign follows from the quantities of `ailing` by plain mechanics (typical figures beside each): what softens an axis
makes it ring, what holds a motor back makes it lose steps, what loses motion marks where an axis turns round. Whether a
person sees it is a matter of how far it is beyond what an eye or finger tells.
"""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import dataclass, field

import numpy as np

from .ailing import AilingMachine

#: Ripple of a sound axis without compensation, at the usual acceleration, mm; the part that compensation leaves.
_RIPPLE_MM, _LEFT = 0.03, 0.15
#: What an eye sees on a wall, mm.
SEEN_MM = 0.012
#: What a motor gives at speed, and slowly; and what moving the mass takes, N.
_FAST_N, _SLOW_N, _MASS_N = 12.0, 15.0, 4.0


@dataclass
class Signs:
    """Findings that are there, by id: the places where they are (None: of the whole). What is not here is not there."""

    at: dict[str, set[str | None]] = field(default_factory=dict)

    def there(self, finding: str, place: str | None = None) -> bool:
        """Whether a finding is there at a place; None asks for anywhere."""
        places = self.at.get(finding, set())
        return bool(places) if place in (None, "all") else bool(places & {place, None})


class _Looking:
    """Writes down what is far enough beyond what can be told; near the edge it is a matter of chance.

    Each chance is its own: what a machine shows at one place stays as it is when something else is mended.
    """

    def __init__(self, machine: AilingMachine, seed: int) -> None:
        self.m, self.seed, self.signs = machine, seed, Signs()
        self._asked: Counter[tuple[str, str | None]] = Counter()

    def chance(self, what: str, place: str | None) -> random.Random:
        """The chance of one thing at one place."""
        self._asked[what, place] += 1
        return random.Random(f"{self.seed} {what} {place} {self._asked[what, place]}")

    def see(self, finding: str, place: str | None, amount: float, edge: float) -> bool:
        """A finding whose chance rises from nothing well below ``edge`` to sure well above it."""
        x = (amount - edge) / (0.12 * abs(edge) + 1e-9)
        there = bool(self.chance(finding, place).random() < 1 / (1 + np.exp(-np.clip(x, -50, 50))))
        if there:
            self.signs.at.setdefault(finding, set()).add(place)
        return there

    def say(self, finding: str, place: str | None, chance: float) -> bool:
        """A finding that is there with a chance."""
        there = self.chance(finding, place).random() < chance
        if there:
            self.signs.at.setdefault(finding, set()).add(place)
        return there


def signs(machine: AilingMachine, seed: int) -> Signs:
    """All that a machine shows to whoever looks for it."""
    look = _Looking(machine, seed)
    for axis in ("x", "y"):
        _sideways(look, axis)
    _heights(look)
    for belt in machine.belts:
        _belt(look, belt)
    for guide in machine.guides:
        _guide(look, guide)
    for motor in machine.motors:
        _motor(look, motor)
    _homing(look)
    _frame(look)
    _screws(look)
    _bed(look)
    _plastic(look)
    _hot_end(look)
    _swaps(look)
    _circumstances(look)
    return look.signs


def _carries(m: AilingMachine, axis: str) -> str:
    return "bed" if m.kinematics == "bed_slinger" and axis == "y" else "head"


def _slack(m: AilingMachine, belts: tuple[str, ...]) -> float:
    return max((max(0.0, (15 - m("tension_n", b)) / 15) for b in belts), default=0.0)


def _guides_of(m: AilingMachine, axis: str) -> tuple[str, ...]:
    return m.guides if m.kinematics == "delta" else (axis,)


def travelled(m: AilingMachine, axis: str) -> float:
    """Real travel for one that was commanded; on a delta a tower that is off spoils every axis."""
    towers = m.guides if m.kinematics == "delta" else (axis,)
    return max((m("steps", a) * m("microsteps", a) for a in towers), key=lambda r: abs(r - 1))


def ripple(m: AilingMachine, axis: str) -> float:
    """How deep the ripples after a corner are (mm) that an axis leaves: by what is soft in it, and how far compensation misses it."""
    loose = looseness(m, axis)
    unmatched = 1 - np.exp(-(((1 - np.sqrt(1 / (1 + loose)) + m("comp", axis)) / 0.12) ** 2))
    deep = _RIPPLE_MM * m("accel") * (1 + loose) * (_LEFT + (1 - _LEFT) * unmatched)
    deep += 0.05 * max(0.0, play(m, axis) - 0.05) + 0.025 * m("stand")
    return float(deep + 0.02 * m("spool_pull") * (_carries(m, axis) == "head"))


def lost_motion(m: AilingMachine, axis: str) -> float:
    """What is lost where an axis turns round (mm): by play, by a belt that gives, by a pulley that slips on its shaft."""
    belts = m.belts_of(axis)
    pulley = max(m("pulley_deg", b) for b in belts)
    return max(0.0, play(m, axis) - 0.04) * 0.7 + 0.15 * _slack(m, belts) + 0.04 * pulley


def looseness(m: AilingMachine, axis: str) -> float:
    """How soft an axis is by what is loose in it: 0 sound, 1 half its stiffness."""
    rail = max(m("rail", g) for g in _guides_of(m, axis))
    mount = m("head_loose") if _carries(m, axis) == "head" else m("bed_loose")
    return m("joint") * 0.6 + mount + 0.8 * rail + 0.6 * m("crack") * (axis == "x") + 0.5 * _slack(m, m.belts_of(axis))


def play(m: AilingMachine, axis: str) -> float:
    """The dead band of an axis (mm)."""
    rail = max(m("rail", g) for g in _guides_of(m, axis))
    mount = m("head_loose") if _carries(m, axis) == "head" else m("bed_loose")
    own = max(m("play_mm", g) for g in _guides_of(m, axis))
    return own + 0.18 * mount + 0.14 * rail + 0.12 * m("crack") * (axis == "x")


def _sideways(look: _Looking, axis: str) -> None:
    m = look.m
    belts = m.belts_of(axis)
    slack, wide, loose = _slack(m, belts), play(m, axis), looseness(m, axis)
    share = float(np.sqrt(1 / (1 + loose)))
    echo = look.see("echoes_after_corners", axis, ripple(m, axis), SEEN_MM)
    if echo:
        look.say("pattern_follows_speed", axis, 0.95)
    hard = m("accel") > 1.8
    pulley = max(m("pulley_deg", b) for b in belts)
    lost = lost_motion(m, axis)
    look.see("marks_at_reversal", axis, lost, 0.09)
    if lost > 0.09:
        shapes = ("circle_flat_sided", "circle_oval", "circle_gapped")
        look.say(look.chance("shape", axis).choices(shapes, (0.5, 0.35, 0.15))[0], axis, 0.6)
        look.say("too_small", axis, 0.3)
    travel = travelled(m, axis)
    off = abs(travel - 1)
    if off > 0.003:
        which = "too_large" if travel > 1 else "too_small"
        look.see(which, axis, off, 0.004)
        look.say("circle_oval", axis, min(1.0, 60 * off))
        look.say("error_grows_with_length", axis, 0.95)
        look.see("scale_off", axis, off, 0.002)
        look.see("steps_off", axis, off, 0.002)
        look.say("steps_ratio", axis, 0.97 * (off > 0.3))
    # Steps lost: what the motor has left beside what it must do.
    drag = max(m("drag_n", g) + 0.6 * m("tight_n", g) for g in _guides_of(m, axis))
    snag, over = (
        6 * m("snag") * (_carries(m, axis) == "head") * (axis == "x"),
        max(max(0.0, m("tension_n", b) - 45) for b in belts),
    )
    force = min(m("current", b) / 0.85 * (1 - 0.75 * m("driver_hot", b)) for b in belts)
    need = drag + snag + 0.08 * over
    fast, slow = _FAST_N * force - need - _MASS_N * m("accel"), _SLOW_N * force - need
    told = look.chance("steps lost", axis)
    lost_fast, lost_slow = fast + told.gauss(0, 0.7) < 0.5, slow + told.gauss(0, 0.7) < 0.5
    cut = any(told.random() < 0.5 * max(m("plug", b), m("wire", b)) for b in belts)
    teeth = max(m("teeth", b) for b in belts)
    jumped = told.random() < max(0.0, slack - 0.45) or told.random() < 0.55 * teeth
    slipped = told.random() < 0.09 * pulley or told.random() < 0.4 * max(m("creep_mm", b) for b in belts) / 3
    knocked = told.random() < 0.25 * max(0.0, 0.5 - m("grip")) or told.random() < 0.2 * m("levered")
    if lost_fast or lost_slow or cut or jumped or slipped or knocked:
        look.say("layers_stepped", axis, 1)
        many = (lost_fast and fast < -1) or lost_slow or (jumped and teeth > 0.5) or slipped
        look.say("stepped_many_times", axis, 0.45 * many)
        look.say("wall_leans", axis, 0.25 * slipped)
        look.say("step_whole_teeth", axis, 0.9 * jumped)
        look.say("step_whole_cycles", axis, 0.8 * (lost_fast or lost_slow) * (not jumped))
        look.say("at_same_place", None, 0.6 * (drag > 4 or snag > 2 or any(m("wire", b) for b in belts)))
        look.say("stalls", axis, 0.5 * (lost_slow or cut))
        look.say("gentler_cures", None, 0.9 * (lost_fast and not lost_slow and not cut) + 0.3 * (jumped and not teeth))
        look.say("only_fast", axis, 0.75 * ((lost_fast and not lost_slow) or (jumped and not teeth)))
    if echo and hard:
        look.say("only_fast", axis, 0.9)
        look.say("gentler_cures", None, 0.95)
    elif echo:
        look.say("gentler_cures", None, 0.4)
    # What instruments and hands say of this axis.
    look.see("play_found", axis, wide, 0.06)
    look.see("backlash_found", axis, lost + 0.3 * max(0.0, wide - 0.05), 0.055)
    look.see("resonance_not_linear", axis, wide, 0.1)
    look.see("resonance_fell", axis, (1 - share) * 100, 6)
    look.say("resonance_split", axis, 0.3 * (m("stand") > 0.4) + 0.2 * (loose > 0.4))
    if _carries(m, axis) == "head" or axis == "y":
        look.see("something_rocks", _carries(m, axis), wide, 0.13)
    # Fine lines along a wall: what repeats in the drive.
    fine = max(m("pulley_mm", b) for b in belts)
    look.see("upright_lines", axis, fine, 0.04)
    if fine > 0.04:
        look.say("pattern_at_turn", axis, 0.93)
    uneven = max(m("uneven", b) for b in belts)
    look.see("upright_lines", axis, uneven, 0.4)
    if uneven > 0.3:
        look.say("pattern_at_step", axis, 0.93)
    if (over > 10 or teeth > 0.6) and look.say("upright_lines", axis, 0.3):
        look.say("pattern_at_tooth", axis, 0.85)
    look.say("upright_lines", axis, 0.35 * max(m("idler_rough", b) for b in belts))


def _belt(look: _Looking, b: str) -> None:
    m = look.m
    t = m("tension_n", b)
    look.see("belt_slack", b, 18 - t, 1)
    look.see("belt_overtight", b, t - 38, 2)
    look.see("belt_feels_slack", b, 14 - t, 1.5)
    look.see("belt_feels_hard", b, t - 42, 4)
    others = [x for x in m.belts if x != b]
    if m.kinematics == "corexy" and others and b == m.belts[0]:
        o = m("tension_n", others[0])
        look.see("belts_unequal", "all", 200 * abs(t - o) / (t + o), 9)
        if abs(t - o) > 6:
            look.say("square_is_diamond", None, 0.3)
            look.see("squareness_off", None, abs(t - o) / 8 * 0.1, 0.09)
    look.say("belt_damaged", b, 0.97 * (m("teeth", b) > 0.3) + 0.15 * (m("flange_gap_mm", b) < 0))
    look.say("belt_dust", b, 0.6 * (m("teeth", b) > 0.3) + 0.5 * (m("flange_gap_mm", b) < 0))
    look.see("belt_touches_flange", b, 0.15 - m("flange_gap_mm", b), 0.16)
    look.say("squeak", b, 0.6 * (m("flange_gap_mm", b) < 0) + 0.85 * m("idler_dry", b) + 0.2 * m("idler_rough", b))
    look.say("whine", b, 0.7 * m("idler_rough", b) + 0.5 * (t > 45) + 0.08 * m("idler_dry", b))
    look.say("idler_wobbles", b, 0.95 * (m("idler_rough", b) > 0.4) + 0.75 * (m("pulley_mm", b) > 0.04))
    look.say("grub_mark_moved", b, 0.95 * (m("pulley_deg", b) > 0.5))
    look.say("tensioner_has_moved", b, 0.75 * (m("spring", b) > 0.3))
    look.say("clamp_has_moved", b, 0.85 * (m("creep_mm", b) > 0.3))
    look.say("worse_over_weeks", None, 0.5 * (m("spring", b) > 0.3 or m("creep_mm", b) > 0.3 or m("teeth", b) > 0.3))


def _guide(look: _Looking, g: str) -> None:
    m = look.m
    drag, tight = m("drag_n", g), m("tight_n", g)
    look.see("drag_high", g, drag, 3)
    look.see("rough_by_hand", g, drag + 0.3 * tight, 3.6)
    look.see("tight_at_one_place", g, tight, 2.2)
    look.see("binding_found", g, tight, 1.6)
    look.see("guide_dirty", g, m("dirt", g), 0.35)
    look.see("rods_apart", g, m("rods_mm", g), 0.12)
    look.say("squeak", g, 0.5 * m("dirt", g))
    look.say("worse_over_weeks", None, 0.4 * (m("dirt", g) > 0.3) + 0.4 * (m("play_mm", g) > 0.08))
    look.say("loose_bolt_found", g, 0.85 * (m("rail", g) > 0.3))
    if m.kinematics == "delta":
        look.see("play_found", g, m("play_mm", g) + 0.14 * m("rail", g), 0.06)
        look.see("something_rocks", "head", m("play_mm", g), 0.13)
    look.say("buzz", g, 0.25 * (m("play_mm", g) > 0.15) + 0.2 * (m("rail", g) > 0.3))
    look.say("bands_irregular", None, 0.25 * (m("play_mm", g) > 0.15))
    look.say("home_varies", g, 0.12 * (drag > 4))


def _motor(look: _Looking, motor: str) -> None:
    m = look.m
    c, hot = m("current", motor), m("driver_hot", motor)
    look.see("current_low", motor, 0.62 - c, 0.05)
    look.see("current_high", motor, c - 0.95, 0.1)
    look.say("motor_or_driver_hot", motor, 0.85 * (c > 1.1) + 0.85 * (hot > 0.4) + 0.2 * (m("tension_n", motor) > 45))
    look.say("after_long_running", None, 0.8 * (hot > 0.4) + 0.3 * (c > 1.1))
    look.say("whine", motor, 0.4 * (c > 1.1))
    look.say("connector_loose_found", motor, 0.88 * (m("plug", motor) > 0.3))
    look.say("wiggle_changes_it", motor, 0.75 * (m("plug", motor) > 0.3) + 0.9 * (m("wire", motor) > 0.3))
    look.say("comes_and_goes", None, 0.75 * (m("plug", motor) > 0.3 or m("wire", motor) > 0.3))
    axes = [motor] if motor in ("x", "y", "z", "e") else []
    for a in axes:
        look.say("stalls", a, 0.4 * (m("plug", motor) > 0.3 or m("wire", motor) > 0.3) * (a != "e"))
    if motor == "e" and (c < 0.5 or hot > 0.4 or m("plug", "e") > 0.3 or m("wire", "e") > 0.3):
        look.say("click_at_drive", None, 0.6 * (c < 0.5) + 0.3 * (hot > 0.4))
        look.say("stops_feeding", None, 0.25 + 0.3 * (hot > 0.4))
        look.say("thin_lines", None, 0.5 * (c < 0.5))
    if motor == "e":
        look.say("filament_soft_at_drive", None, 0.5 * (c > 1.1))
        look.say("stops_feeding", None, 0.35 * (c > 1.1))


def _homing(look: _Looking) -> None:
    m = look.m
    for a in m.guides if m.kinematics == "delta" else ("x", "y", "z"):
        bad = m("switch", a) > 0.3
        look.say("switch_not_seen", a, 0.9 * bad)
        look.say("knock_at_home", a, 0.6 * bad + 0.4 * (m("home_sense", a) > 0.3))
        look.say("message_homing", a, 0.5 * bad + 0.35 * (m("home_sense", a) > 0.3))
        look.say("home_varies", a, 0.4 * bad + 0.75 * (m("home_sense", a) > 0.3))
        look.say("stalls", a, 0.35 * bad + 0.5 * (m("home_sense", a) > 0.3))
    if m.homing.get("z") == "nozzle_probe":
        look.say("home_varies", "z", 0.65 * (m("ooze_mm") > 0.05))
    look.say("blob_at_nozzle", None, 0.94 * (m("ooze_mm") > 0.05))


def _frame(look: _Looking) -> None:
    m = look.m
    lean = abs(m("lean_mm")) + 0.9 * abs(m("skew_mm")) + 0.1 * m("joint")
    look.see("square_is_diamond", None, lean, 0.17)
    look.see("squareness_off", None, lean, 0.1)
    look.see("frame_leans", None, abs(m("lean_mm")) + 0.1 * m("joint"), 0.1)
    look.say("wall_leans", "x", 0.3 * (lean > 0.25))
    look.say("loose_bolt_found", "frame", 0.92 * (m("joint") > 0.3))
    look.say("loose_bolt_found", None, 0.3 * (m("head_loose") > 0.3 or m("bed_loose") > 0.3))
    look.say("buzz", None, 0.4 * m("joint") + 0.25 * m("head_loose") + 0.5 * m("stand") + 0.8 * m("panel"))
    look.say("buzz_not_printing", None, 0.55 * m("panel") + 0.15 * m("stand"))
    look.say("squeak", None, 0.25 * m("joint") + 0.15 * m("crack"))
    look.say("head_moves_on_carriage", None, 0.95 * (m("head_loose") > 0.3) + 0.3 * (m("crack") > 0.4))
    look.say("bed_plate_moves", None, 0.93 * (m("bed_loose") > 0.3))
    look.say("something_rocks", "bed", 0.7 * (m("bed_loose") > 0.3))
    look.say("printed_part_cracked", "head", 0.94 * (m("crack") > 0.4))
    look.say("spool_pulls", None, 0.95 * (m("spool_pull") > 0.4))
    look.say("bands_irregular", None, 0.45 * (m("spool_pull") > 0.4))
    look.say("tube_drags", None, 0.95 * (m("snag") > 0.4))
    look.say("stand_shakes", None, 0.95 * (m("stand") > 0.4))
    look.say("panel_rattles", None, 0.95 * (m("panel") > 0.4))
    # Stored values that are not what they were.
    look.say("stored_value_differs", None, 0.55 * (abs(m("skew_mm")) > 0.1))
    for a in ("x", "y", "z"):
        look.say("stored_value_differs", a, 0.75 * (abs(m("steps", a) - 1) > 0.004) + 0.45 * (m("comp", a) > 0.1))


def _heights(look: _Looking) -> None:
    m = look.m
    beam = abs(m("beam_mm")) + 0.3 * max((m("coupler", s) for s in m.screws), default=0.0)
    if m.screws:
        look.see("beam_tilt", "z", beam, 0.07)
    look.see("first_layer_uneven", None, beam, 0.13)
    off = travelled(m, "z") - 1
    bind = m("z_tight_n")
    lost = max(0.0, bind - 5) / 10 + max(0.0, 0.5 - m("current", "z")) * 1.5 if m.screws else 0.0
    if lost > 0.1 or max((m("coupler", s) for s in m.screws), default=0.0) > 0.3 or m("conveyor") > 0.4:
        look.say("too_low", None, 0.55)
        look.say("bands_irregular", None, 0.45)
        look.say("layers_missing", None, 0.3)
    if abs(off) > 0.003:
        look.say("too_tall" if off > 0 else "too_low", None, 0.9)
        look.say("height_simple_ratio", None, 0.9 * (abs(off) > 0.3))
        look.see("scale_off", "z", abs(off), 0.002)
        look.see("steps_off", "z", abs(off), 0.002)
        look.say("steps_ratio", "z", 0.97 * (abs(off) > 0.3))
        look.say("error_grows_with_length", "z", 0.9)
    if m.screws:
        look.see("binding_found", "z", bind, 2.5)
        look.see("tight_at_one_place", "z", bind, 4)
        look.see("rough_by_hand", "z", bind, 4.5)
        look.say("stalls", "z", 0.4 * (bind > 5) + 0.3 * (m("current", "z") < 0.4))
        if m("uneven", "z") > 0.3:
            look.say("bands_regular", None, 0.7)
            look.say("pattern_at_step", "z", 0.9)


def _screws(look: _Looking) -> None:
    m = look.m
    for s in m.screws:
        bend, mis = m("bend_mm", s), m("misalign_mm", s)
        look.see("runout_at_lead", s, bend, 0.08)
        look.see("screw_wobbles", s, bend, 0.11)
        look.see("runout_drift", s, mis, 0.12)
        if look.see("bands_regular", None, bend + 0.5 * mis, 0.12):
            look.say("pattern_at_lead", "z", 0.85)
        look.say("grows_with_height", None, 0.45 * (mis > 0.15))
        look.say("coupler_mark_moved", s, 0.94 * (m("coupler", s) > 0.3))
        look.see("nut_rocks", s, m("nut_mm", s), 0.07)
        look.see("backlash_found", "z", m("nut_mm", s), 0.06)
        look.see("screw_dirty", s, m("grit", s), 0.3)
        look.say("bands_irregular", None, 0.5 * (m("nut_mm", s) > 0.1) + 0.5 * (m("grit", s) > 0.4))
        look.say("squeak", "z", 0.5 * (m("grit", s) > 0.4) + 0.25 * (mis > 0.15))
        look.say("worse_over_weeks", None, 0.35 * (m("nut_mm", s) > 0.1) + 0.3 * (m("grit", s) > 0.4))


def _bed(look: _Looking) -> None:
    m = look.m
    tilt, bump = m("tilt_mm") + 0.2 * m("bed_loose"), m("bump_mm")
    gap = abs(m("gap_mm") + m("ooze_mm"))
    if m.kinematics == "belt_bed":
        tilt = m("slope_mm")
        look.see("conveyor_slope", None, tilt, 0.12)
        look.say("conveyor_aside", None, 0.95 * (m("conveyor") > 0.4))
        look.say("wall_leans", "x", 0.2 * (m("conveyor") > 0.4))
    else:
        look.see("bed_tilt", None, tilt, 0.12)
        look.see("bed_warp", None, m("warp_mm") + 0.4 * bump, 0.45)
        look.see("bed_bump", None, bump, 0.1)
        look.say("debris_found", None, 0.95 * (bump > 0.1))
    look.see("first_layer_uneven", None, tilt + max(0.0, m("warp_mm") - 0.2) + 1.2 * bump, 0.19)
    look.say("at_same_place", None, 0.4 * (bump > 0.12))
    look.see("first_layer_all_wrong", None, gap, 0.09)
    look.see("nozzle_gap_off", None, gap, 0.06)
    look.say("closed_bottom_lettering", None, 0.6 * (m("gap_mm") + m("ooze_mm") * -1 < -0.09))
    loose = max(0.0, 0.75 - m("grip")) + 0.8 * max(0.0, 0.8 - m("room")) + 12 * max(0.0, m("shrink") - 0.012)
    loose += 0.5 * (m("gap_mm") > 0.09) + 0.25 * (tilt > 0.4)
    look.see("part_came_loose", None, loose, 0.25)
    look.say("plate_dirty", None, 0.78 * (m("grip") < 0.6))
    look.say("nozzle_hit_part", None, 0.35 * (m("grip") < 0.6) + 0.3 * (m("flow") > 1.07) + 0.3 * (m("cooling") < 0.6))


def _circumstances(look: _Looking) -> None:
    """How it was printed: there often without any fault, and oftener where it brings one about."""
    m = look.m
    hot, hard = m("temp_k"), m("accel") > 1.8
    look.say("draught_or_cold", None, 0.94 * (m("room") < 0.6))
    look.say("filament_was_open", None, 0.75 * (m("moisture") > 0.5) + 0.05)
    look.say("printed_fast", None, 0.12 + 0.8 * hard + 0.45 * (hot < -12) + 0.2 * (m("overlap") < 0.5))
    look.say("soft_filament", None, 0.05 + 0.2 * (m("retraction") < 0.5))
    look.say("filled_filament", None, 0.06 + 0.3 * (m("clog") > 0.4) + 0.15 * (m("liner") > 0.4))
    warps = 0.65 * (m("shrink") > 0.006) + 0.3 * (m("grip") < 0.6) + 0.5 * (m("room") < 0.6)
    look.say("warping_plastic", None, min(0.95, 0.18 + warps))
    look.say("fine_nozzle", None, 0.1 + 0.25 * (m("clog") > 0.4))
    warm = 0.6 * (m("creep") > 0.4) + 0.35 * any(m("driver_hot", a) > 0.4 for a in m.motors)
    look.say("closed_warm", None, min(0.95, 0.2 + warm + 0.3 * (m("crack") > 0.4) + 0.2 * (m("snag") > 0.4)))
    # What lies in the file or in its settings has been there each time.
    of_the_file = m("scale") < 0.99 or m("speed_jump") > 0.4
    of_the_settings = hard or m("shrink") > 0.006 or m("overlap") < 0.5 or m("retraction") < 0.5 or abs(hot) > 12
    look.say("came_well_before", None, 0.05 if of_the_file else 0.2 if of_the_settings else 0.45)


def _plastic(look: _Looking) -> None:
    m = look.m
    hot, damp, cool = m("temp_k"), max(0.0, m("moisture") - 0.3), max(0.0, 0.8 - m("cooling"))
    ooze = 0.03 * max(0.0, hot - 6) + 1.2 * damp + 0.9 * max(0.0, 0.7 - m("retraction")) + 0.4 * m("liner")
    look.see("strings", None, ooze + 0.2 * cool, 0.3)
    look.see("overhangs_rough", None, 1.2 * cool + 0.025 * max(0.0, hot - 5) + 0.15 * damp, 0.3)
    look.say("pops_at_nozzle", None, 0.7 * (damp > 0.2))
    look.say("streaks_one_filament", None, 0.4 * (damp > 0.2) + 0.15 * (hot < -12))
    look.say("dull_and_shiny", None, 0.6 * (hot < -12) + 0.7 * (m("speed_jump") > 0.4) + 0.15 * (damp > 0.2))
    look.say("print_feature_follows_speed", None, 0.9 * (m("speed_jump") > 0.4) + 0.4 * (hot < -12))
    look.say("at_same_place", None, 0.3 * (m("speed_jump") > 0.4))
    look.say("bands_irregular", None, 0.25 * (damp > 0.2) + 0.15 * (m("speed_jump") > 0.4))
    look.say("infill_gap", None, 0.95 * (m("overlap") < 0.5))
    # Sizes that are wrong alike.
    all_off = m("scale") - 1 - m("shrink")
    if look.see("all_too_small", None, -all_off, 0.006) or all_off < -0.004:
        look.say("error_grows_with_length", None, 0.8)
        for a in ("x", "y"):
            look.see("scale_off", a, -all_off, 0.003)
        look.say("fit_too_tight", None, 0.35)
    look.say("file_not_full_scale", None, 0.98 * (m("scale") < 0.99))
    # Too much or too little.
    much = m("flow") * m("feed") - 1
    if look.see("too_much_plastic", None, much, 0.07):
        look.say("fit_too_tight", None, 0.65)
    look.see("wall_width_off", None, abs(much), 0.05)
    look.see("steps_off", "e", abs(m("feed") - 1), 0.025)
    look.say("stored_value_differs", "e", 0.7 * (abs(m("feed") - 1) > 0.04))


def _hot_end(look: _Looking) -> None:
    m = look.m
    back = m("clog") + 0.02 * max(0.0, -m("temp_k") - 5) + 0.25 * m("liner") + 0.8 * m("creep") + 0.6 * m("tangle")
    back += 0.45 * m("spool_drag") + 0.15 * m("leak")
    grip = min(1.0, m("pressure")) * (1 - 0.5 * m("gear_dirt"))
    short = max(0.0, 0.55 * back - 0.05) + max(0.0, 0.75 - grip) * 0.6 + max(0.0, 1 - m("flow") * m("feed"))
    look.see("thin_lines", None, short, 0.16)
    look.say("layers_missing", None, min(0.45, short) + 0.25 * (m("spool_drag") > 0.4) + 0.2 * (m("room") < 0.6))
    look.see("click_at_drive", None, back * grip, 0.42)
    slip = back * (1.3 - grip) + max(0.0, 0.7 - grip)
    look.see("shavings_at_gears", None, slip, 0.3)
    stop = 0.5 * (back > 0.6) + 0.45 * (m("creep") > 0.4) + 0.3 * (grip < 0.5) + 0.4 * (m("tangle") > 0.4)
    look.say("stops_feeding", None, min(0.95, stop) if not m("snapped") else 0.98)
    look.see(
        "hard_to_push", None, m("clog") + 0.5 * m("creep") + 0.02 * max(0.0, -m("temp_k") - 5) + 0.2 * m("liner"), 0.36
    )
    look.say("after_long_running", None, 0.8 * (m("creep") > 0.4))
    look.say("filament_soft_at_drive", None, 0.75 * (m("creep") > 0.4))
    look.say("fan_not_turning", None, 0.55 * (m("creep") > 0.4) + 0.5 * (m("cooling") < 0.6))
    look.say("gears_dirty", None, 0.94 * (m("gear_dirt") > 0.4))
    look.say("drive_pressure_off", None, 0.88 * (m("pressure") < 0.6))
    look.say("liner_worn_seen", None, 0.94 * (m("liner") > 0.4))
    look.say("spool_crossed", None, 0.95 * (m("tangle") > 0.4))
    look.say("spool_turns_hard", None, 0.94 * (m("spool_drag") > 0.4))
    look.say("filament_snapped_seen", None, 0.94 * (m("snapped") > 0.5))
    look.say("worse_over_weeks", None, 0.3 * (m("clog") > 0.3 or m("gear_dirt") > 0.4 or m("liner") > 0.4))
    # Heat and danger.
    look.say("temperature_swings", None, 0.85 * (m("heater") > 0.4))
    look.say("message_heating", None, 0.6 * (m("heater") > 0.4) + 0.2 * (m("unsafe") > 0.4))
    look.say("heater_lead_loose", None, 0.9 * (m("heater") > 0.4))
    look.say("comes_and_goes", None, 0.5 * (m("heater") > 0.4))
    look.say("smoke_or_smell", None, 0.9 * (m("unsafe") > 0.4))
    look.say("blown_part", None, 0.5 * (m("unsafe") > 0.4))


def _swaps(look: _Looking) -> None:
    """Controlled swaps: what is the spool's goes with the spool, what is the file's with the file, the rest stays here."""
    m = look.m
    spool = {"damp_filament", "shrinkage", "spool_tangled", "filament_snapped"}
    file = {"scale_not_100", "retraction_wrong", "slicer_speed_changes", "infill_parts", "moves_too_hard", "over_extrusion",
            "too_cold", "too_hot"}  # fmt: skip
    faults = {f for f, _ in m.truth}
    look.say("swap_filament_cures", None, 0.95 * (faults <= spool))
    look.say("swap_machine_cures", None, 0.94 * (not faults & (spool | file)))
    look.say("drying_cures", None, 0.95 * (faults == {"damp_filament"}))
    look.say("hotter_or_slower_cures", None, 0.92 * (m("temp_k") < -12) + 0.25 * (m("clog") > 0.3))
    look.say("cooler_cures", None, 0.9 * (m("temp_k") > 12) + 0.1 * (m("moisture") > 0.5))
    look.say("retraction_test_cures", None, 0.92 * (m("retraction") < 0.5))
    look.say("more_cooling_cures", None, 0.92 * (m("cooling") < 0.6) + 0.25 * (m("temp_k") > 12))
