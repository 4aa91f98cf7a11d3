"""A whole machine that ails: its quantities by place, and what each true fault does to them.

Here are forces, lengths and shares only; what a person sees of them is in `signs`. Nothing here knows of the tables that
the diagnosis weighs with: a machine made here is a stranger to them. All figures are typical of small machines.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..machine import AXES_OF_BELT, BELTS, GUIDED, SCREWS, Kinematics

#: Sound values: mean and spread from machine to machine; whatever is not here is nought when sound.
SOUND: dict[str, tuple[float, float]] = {
    "tension_n": (25.0, 1.5), "flange_gap_mm": (0.5, 0.1), "play_mm": (0.02, 0.008), "drag_n": (1.3, 0.25),
    "tight_n": (0.2, 0.1), "rods_mm": (0.02, 0.01), "lean_mm": (0.0, 0.02), "beam_mm": (0.0, 0.015),
    "misalign_mm": (0.02, 0.01), "bend_mm": (0.02, 0.01), "nut_mm": (0.01, 0.005), "tilt_mm": (0.03, 0.015),
    "warp_mm": (0.12, 0.05), "gap_mm": (0.0, 0.012), "current": (0.85, 0.05), "accel": (1.0, 0.1), "cooling": (1.0, 0.05),
    "temp_k": (0.0, 2.0), "moisture": (0.1, 0.05), "pressure": (1.0, 0.1), "flow": (1.0, 0.015), "shrink": (0.002, 0.0005),
    "grip": (1.0, 0.1), "retraction": (1.0, 0.08), "room": (1.0, 0.05), "scale": (1.0, 0.0), "overlap": (1.0, 0.05),
    "feed": (1.0, 0.006), "steps": (1.0, 0.0004), "microsteps": (1.0, 0.0),
}  # fmt: skip


@dataclass(frozen=True)
class Cause:
    """A true fault: where it can sit, what it sets (low and high of each quantity), how common it is, what may start it.

    ``also``: quantities of the whole machine beside those of the place. ``on``: only on these kinematics. ``homing``: only
    where home is found so.
    """

    where: str
    sets: dict[str, tuple[float, float]]
    common: float = 1.0
    began: tuple[str, ...] = ()
    on: tuple[str, ...] = ()
    homing: str = ""


_SCREWED = ("bed_slinger", "fixed_bed", "corexy")
_ROLLED = ("bed_slinger", "fixed_bed", "corexy", "delta")
#: Every true fault by the name that the workshop closes a case with.
CAUSES: dict[str, Cause] = {
    "belt_slack": Cause("belt", {"tension_n": (4, 12)}, 4, ("belt_changed", "belt_tensioned", "machine_moved")),
    "belt_overtight": Cause("belt", {"tension_n": (48, 75)}, 1, ("belt_changed", "belt_tensioned")),
    "belts_unequal": Cause("pair", {"tension_n": (15, 19)}, 1.5, ("belt_changed", "belt_tensioned"), ("corexy",)),
    "belt_worn": Cause("belt", {"teeth": (0.5, 1)}, 1),
    "belt_off_track": Cause("belt", {"flange_gap_mm": (-0.4, -0.1)}, 1, ("belt_changed", "idler_changed")),
    "belt_clamp_slips": Cause("belt", {"creep_mm": (0.5, 3), "tension_n": (6, 15)}, 0.7, ("belt_changed",)),
    "tensioner_gives": Cause("belt", {"spring": (0.5, 1), "tension_n": (7, 14)}, 0.6, ("belt_tensioned",)),
    "grub_screw_loose": Cause("belt", {"pulley_deg": (1, 8)}, 2.5, ("motor_changed", "pulley_changed", "collision")),
    "pulley_eccentric": Cause("belt", {"pulley_mm": (0.05, 0.2)}, 0.6, ("pulley_changed", "idler_changed")),
    "idler_worn": Cause("belt", {"idler_rough": (0.5, 1)}, 0.8),
    "idler_dry": Cause("belt", {"idler_dry": (0.5, 1)}, 0.8),
    "carriage_play": Cause("guide", {"play_mm": (0.09, 0.5)}, 2, ("collision", "carriage_changed")),
    "guide_binding": Cause("guide", {"tight_n": (5, 14), "drag_n": (1.5, 3)}, 1, ("frame_touched", "collision")),
    "guide_dirty_or_dry": Cause("guide", {"dirt": (0.5, 1), "drag_n": (3.5, 7)}, 1.5),
    "rods_not_parallel": Cause("guide", {"rods_mm": (0.25, 0.8), "tight_n": (3, 8), "drag_n": (2.5, 5)}, 0.6, ("frame_touched",)),
    "rail_loose": Cause("guide", {"rail": (0.4, 1)}, 0.6, ("carriage_changed",)),
    "frame_joint_loose": Cause("whole", {"joint": (0.5, 1)}, 2, ("machine_moved", "machine_new")),
    "frame_out_of_square": Cause("whole", {"lean_mm": (0.2, 0.9)}, 1.2, ("machine_moved", "frame_touched")),
    "beam_tilted": Cause("whole", {"beam_mm": (0.15, 0.6)}, 1.2, ("power_cut", "collision"), _SCREWED),
    "bed_mount_loose": Cause("whole", {"bed_loose": (0.4, 1)}, 1, ("bed_changed",), _ROLLED),
    "head_mount_loose": Cause("whole", {"head_loose": (0.4, 1)}, 1.5, ("head_changed", "nozzle_changed", "collision")),
    "spool_on_frame": Cause("whole", {"spool_pull": (0.5, 1)}, 0.8, ("spool_moved",)),
    "tube_or_cable_drags": Cause("whole", {"snag": (0.5, 1)}, 0.9, ("lid_fitted", "head_changed")),
    "stand_answers": Cause("whole", {"stand": (0.5, 1)}, 0.9, ("machine_moved",)),
    "panel_loose": Cause("whole", {"panel": (0.5, 1)}, 0.8, ("lid_fitted", "machine_moved")),
    "printed_part_fails": Cause("whole", {"crack": (0.5, 1)}, 0.7, ("collision",)),
    "screw_misaligned": Cause("screw", {"misalign_mm": (0.2, 0.6)}, 0.8, ("screw_touched", "frame_touched")),
    "screw_bent": Cause("screw", {"bend_mm": (0.12, 0.5)}, 0.6, ("machine_moved",)),
    "coupler_slips": Cause("screw", {"coupler": (0.4, 1)}, 0.6, ("screw_touched",)),
    "nut_worn": Cause("screw", {"nut_mm": (0.12, 0.4)}, 0.5),
    "screw_dirty_or_dry": Cause("screw", {"grit": (0.5, 1)}, 1),
    "z_binding": Cause("whole", {"z_tight_n": (6, 15)}, 0.8, ("frame_touched", "screw_touched"), _SCREWED),
    "bed_tilted": Cause("whole", {"tilt_mm": (0.2, 0.8)}, 2.5, ("bed_changed", "machine_moved"), _ROLLED),
    "bed_warped": Cause("whole", {"warp_mm": (0.6, 1.2)}, 0.9, ("bed_changed",), _ROLLED),
    "debris_under_plate": Cause("whole", {"bump_mm": (0.15, 0.5)}, 1, ("plate_off",), _ROLLED),
    "nozzle_height_wrong": Cause("whole", {"gap_mm": (-0.18, 0.22)}, 2, ("nozzle_changed", "firmware_updated", "head_changed")),
    "nozzle_oozes_at_probe": Cause("whole", {"ooze_mm": (0.08, 0.25)}, 0.8, (), _ROLLED, "nozzle_probe"),
    "end_switch_fault": Cause("axis", {"switch": (0.5, 1)}, 1, ("board_changed", "collision")),
    "sensorless_homing_upset": Cause("axis", {"home_sense": (0.5, 1)}, 0.5, ("firmware_updated",), (), "friction"),
    "conveyor_slope_off": Cause("whole", {"slope_mm": (0.2, 0.6)}, 2, ("machine_moved",), ("belt_bed",)),
    "conveyor_slips": Cause("whole", {"conveyor": (0.5, 1)}, 2, (), ("belt_bed",)),
    "too_cold": Cause("whole", {"temp_k": (-30, -15)}, 1.2, ("profile_changed", "filament_changed")),
    "too_hot": Cause("whole", {"temp_k": (15, 30)}, 0.8, ("profile_changed", "nozzle_changed")),
    "too_little_cooling": Cause("whole", {"cooling": (0, 0.5)}, 1, ("profile_changed", "collision")),
    "damp_filament": Cause("whole", {"moisture": (0.6, 1)}, 2.5, ("filament_changed", "season_damp")),
    "partial_clog": Cause("whole", {"clog": (0.45, 0.9)}, 2.5, ("filament_changed",)),
    "drive_gears_dirty": Cause("whole", {"gear_dirt": (0.5, 1)}, 1),
    "drive_pressure_low": Cause("whole", {"pressure": (0.2, 0.5)}, 0.6, ("head_changed",)),
    "liner_worn": Cause("whole", {"liner": (0.5, 1)}, 0.6),
    "heat_creep": Cause("whole", {"creep": (0.5, 1)}, 0.6, ("lid_fitted",)),
    "over_extrusion": Cause("whole", {"flow": (1.09, 1.2)}, 1, ("profile_changed", "filament_changed")),
    "shrinkage": Cause("whole", {"shrink": (0.008, 0.02)}, 0.7, ("filament_changed",)),
    "poor_adhesion": Cause("whole", {"grip": (0.1, 0.5)}, 2, ("plate_off",)),
    "spool_tangled": Cause("whole", {"tangle": (0.5, 1)}, 0.8, ("filament_changed",)),
    "spool_drags": Cause("whole", {"spool_drag": (0.5, 1)}, 0.7, ("spool_moved",)),
    "filament_snapped": Cause("whole", {"snapped": (1, 1)}, 0.6, ("filament_changed",)),
    "retraction_wrong": Cause("whole", {"retraction": (0.1, 0.4)}, 1, ("profile_changed",)),
    "slicer_speed_changes": Cause("whole", {"speed_jump": (0.5, 1)}, 0.7, ("profile_changed",)),
    "cold_room": Cause("whole", {"room": (0.2, 0.5)}, 0.5, ("season_cold",)),
    "scale_not_100": Cause("whole", {"scale": (0.9, 0.97)}, 0.5),
    "infill_parts": Cause("whole", {"overlap": (0.1, 0.4)}, 0.5, ("profile_changed",)),
    "feed_steps_wrong": Cause("whole", {"feed": (0.78, 0.92)}, 0.6, ("firmware_updated", "head_changed")),
    "steps_wrong": Cause("axis", {"steps": (1.006, 1.03)}, 1, ("firmware_updated", "settings_reset")),
    "microsteps_mismatch": Cause("axis", {"microsteps": (0.5, 0.5)}, 0.4, ("driver_changed", "board_changed")),
    "motor_current_low": Cause("motor", {"current": (0.2, 0.42)}, 0.9, ("driver_changed", "firmware_updated")),
    "motor_current_high": Cause("motor", {"current": (1.2, 1.5)}, 0.5, ("driver_changed",)),
    "compensation_stale": Cause("side", {"comp": (0.2, 0.4)}, 1.2, ("head_changed", "firmware_updated", "belt_tensioned")),
    "skew_stale": Cause("whole", {"skew_mm": (0.2, 0.8)}, 0.4, ("firmware_updated", "frame_touched")),
    "moves_too_hard": Cause("whole", {"accel": (2.4, 4)}, 0.9, ("profile_changed", "firmware_updated")),
    "connector_loose": Cause("motor", {"plug": (0.5, 1)}, 0.7, ("board_changed", "machine_moved")),
    "wire_fatigued": Cause("motor", {"wire": (0.5, 1)}, 0.5),
    "driver_overheats": Cause("motor", {"driver_hot": (0.6, 1)}, 0.5, ("driver_changed",)),
    "driver_uneven": Cause("motor", {"uneven": (0.5, 1)}, 0.4, ("driver_changed",)),
    "heater_or_sensor_loose": Cause("whole", {"heater": (0.5, 1)}, 0.5, ("nozzle_changed", "head_changed")),
    "electrics_unsafe": Cause("whole", {"unsafe": (0.6, 1)}, 0.3),
}  # fmt: skip


@dataclass
class AilingMachine:
    """A machine with its quantities by (name, place); place "" for the whole machine. ``truth``: (fault, place) each."""

    kinematics: Kinematics
    homing: dict[str, str]
    values: dict[tuple[str, str], float]
    truth: list[tuple[str, str]] = field(default_factory=list)
    events: list[tuple[str, float]] = field(default_factory=list)

    def __call__(self, name: str, place: str = "") -> float:
        """A quantity at a place; nought where it is sound and has no value of its own."""
        return self.values.get((name, place), 0.0)

    @property
    def belts(self) -> tuple[str, ...]:
        """Its belts."""
        return BELTS[self.kinematics]

    @property
    def guides(self) -> tuple[str, ...]:
        """Its guided axes."""
        # An endless bed's Z is its conveyor, which runs on rollers.
        return GUIDED[self.kinematics][:2] if self.kinematics == "belt_bed" else GUIDED[self.kinematics]

    @property
    def screws(self) -> tuple[str, ...]:
        """Its lead screws."""
        return SCREWS[self.kinematics]

    @property
    def motors(self) -> tuple[str, ...]:
        """Its motors by what each drives."""
        return (*self.belts, *(("z",) if self.screws else ()), "e")

    def belts_of(self, axis: str) -> tuple[str, ...]:
        """Belts that move an axis."""
        return tuple(b for b in self.belts if axis in AXES_OF_BELT[self.kinematics].get(b, (b,)))


def places_for(machine: AilingMachine, where: str) -> tuple[str, ...]:
    """Where a cause of this kind can sit; the whole machine is one place without a name."""
    side = ("x", "y")
    return {
        "belt": machine.belts,
        "pair": machine.belts[:1],
        "guide": machine.guides,
        "screw": machine.screws,
        "motor": machine.motors,
        "axis": machine.guides if machine.kinematics == "delta" else ("x", "y", "z"),
        "side": side,
        "whole": ("",),
    }[where]


def sound_machine(kinematics: Kinematics, rng: np.random.Generator) -> AilingMachine:
    """A sound machine of its own: every quantity a little off its mean."""
    home = str(rng.choice(["switch", "probe", "friction"], p=[0.6, 0.2, 0.2]))
    z = "nozzle_probe" if rng.random() < 0.3 else "probe"
    machine = AilingMachine(kinematics, {"x": home, "y": home, "z": z}, {})
    spots = {"", "e", "x", "y", "z", *machine.belts, *machine.guides, *machine.screws}
    for name, (mean, spread) in SOUND.items():
        for place in sorted(spots):
            machine.values[name, place] = float(mean + spread * rng.standard_normal())
    return machine


def can_have(machine: AilingMachine, fault: str) -> bool:
    """Whether this machine can have a fault at all."""
    cause = CAUSES[fault]
    if cause.on and machine.kinematics not in cause.on:
        return False
    if cause.homing and cause.homing not in machine.homing.values():
        return False
    return bool(places_for(machine, cause.where))


def ail(machine: AilingMachine, fault: str, rng: np.random.Generator) -> str:
    """Give a machine a fault at a place of its own choice, and return the place."""
    cause = CAUSES[fault]
    spots = places_for(machine, cause.where)
    if cause.homing == "friction":
        spots = tuple(s for s in spots if machine.homing.get(s) == "friction") or spots[:1]
    place = str(rng.choice(spots))
    for name, (low, high) in cause.sets.items():
        machine.values[name, place] = float(rng.uniform(low, high))
    if fault == "nozzle_height_wrong":
        machine.values["gap_mm", ""] = float(rng.choice([-1, 1]) * rng.uniform(0.1, 0.22))
    machine.truth.append((fault, place))
    # What a fault began after, in four of ten cases; and something that has nothing to do with it, now and then.
    if cause.began and rng.random() < 0.4:
        machine.events.append((str(rng.choice(cause.began)), float(rng.uniform(0, 15))))
    return place


def draw(kinematics: Kinematics, seed: int, faults: int = 1) -> AilingMachine:
    """A machine with so many true faults, drawn by how common they are."""
    rng = np.random.default_rng(seed)
    machine = sound_machine(kinematics, rng)
    names = [f for f in CAUSES if can_have(machine, f)]
    share = np.array([CAUSES[f].common for f in names])
    for fault in rng.choice(names, size=faults, replace=False, p=share / share.sum()):
        ail(machine, str(fault), rng)
    if rng.random() < 0.25:
        every = sorted({e for c in CAUSES.values() for e in c.began})
        machine.events.append((str(rng.choice(every)), float(rng.uniform(0, 90))))
    return machine
