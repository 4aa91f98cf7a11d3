"""What is truly wrong with a practice machine: one truth from which looks, instruments and prints all follow, and what repairs do to it.

Quantities are those of `simulator.ailing`; what instruments read is a `SimMachine` made of them. Tensions there are counted so that 25 N
is the middle of the band; a real band may lie elsewhere.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from ..machine import AXES_OF_BELT, Description, Kinematics, Tensioner, tension_band_typical
from ..quantities import Limits
from ..simulator import signs as shown
from ..simulator.ailing import CAUSES, SOUND, AilingMachine, ail, can_have, draw, places_for, sound_machine
from ..simulator.drives import SimDrive
from ..simulator.frame import SimBeam, SimBed, SimFrame, SimScrew, SimSpeck
from ..simulator.guides import SimGuide
from ..simulator.instruments import SimTravel
from ..simulator.machine import SimBelt, SimMachine
from ..simulator.moving import SimPart
from ..simulator.shaking import SimAxis, SimMode

#: The lead of the screws that lift (mm).
LEAD_MM = 8.0
#: The middle of the band as the quantities count it (N).
MIDDLE_N = 25.0
#: What hands do to a machine that did not have the fault they mend: the fault that it has then, and its quantities at the place.
OVERDONE: dict[str, tuple[str, dict[str, float]]] = {
    "belt_slack": ("belt_overtight", {"tension_n": 52.0}),
    "belt_overtight": ("belt_slack", {"tension_n": 9.0}),
    "too_hot": ("too_cold", {"temp_k": -20.0}),
    "too_cold": ("too_hot", {"temp_k": 20.0}),
    "motor_current_low": ("motor_current_high", {"current": 1.25}),
    "motor_current_high": ("motor_current_low", {"current": 0.4}),
    "drive_pressure_low": ("drive_pressure_low", {"pressure": 1.7}),
    "over_extrusion": ("over_extrusion", {"flow": 0.86}),
    "shrinkage": ("shrinkage", {"shrink": -0.012}),
    "retraction_wrong": ("retraction_wrong", {"retraction": 0.4}),
    "feed_steps_wrong": ("feed_steps_wrong", {"feed": 1.1}),
    "steps_wrong": ("steps_wrong", {"steps": 1.02}),
    "skew_stale": ("skew_stale", {"skew_mm": 0.4}),
    "bed_tilted": ("bed_tilted", {"tilt_mm": 0.4}),
    "beam_tilted": ("beam_tilted", {"beam_mm": 0.25}),
    "nozzle_height_wrong": ("nozzle_height_wrong", {"gap_mm": 0.15}),
}


class At(BaseModel):
    """A fault at its place; "" for the whole machine."""

    model_config = ConfigDict(extra="forbid")

    fault: str
    place: str = ""


class Happened(BaseModel):
    """What was done to the machine, so many days before the trouble began."""

    model_config = ConfigDict(extra="forbid")

    event: str
    days: Annotated[float, Field(ge=0)]


class Truth(BaseModel):
    """A practice machine as it truly is. ``values``: by ``quantity@place``. ``faults``: what was wrong when it was met; ``left``: what
    still is. ``made``: what wrong repairs have brought about.
    """

    model_config = ConfigDict(extra="forbid")

    kinematics: Kinematics
    seed: int
    homing: dict[str, Literal["switch", "probe", "nozzle_probe", "friction"]]
    values: dict[str, float]
    faults: list[At]
    left: list[At]
    made: list[At] = []
    events: list[Happened] = []

    def machine(self) -> AilingMachine:
        """Its quantities as the simulator takes them."""
        values = {(k.partition("@")[0], k.partition("@")[2]): v for k, v in self.values.items()}
        pairs = [(f.fault, f.place) for f in self.left]
        return AilingMachine(
            self.kinematics, dict(self.homing), values, pairs, [(e.event, e.days) for e in self.events]
        )

    def signs(self) -> shown.Signs:
        """All that it shows to whoever looks for it, now."""
        return shown.signs(self.machine(), self.seed)


def _of(machine: AilingMachine, seed: int) -> Truth:
    faults = [At(fault=f, place=p) for f, p in machine.truth]
    return Truth.model_validate(
        {
            "kinematics": machine.kinematics, "seed": seed, "homing": machine.homing,
            "values": {f"{name}@{place}": v for (name, place), v in machine.values.items()},
            "faults": faults, "left": faults, "events": [{"event": e, "days": d} for e, d in machine.events],
        }
    )  # fmt: skip


def drawn(kinematics: Kinematics, seed: int, faults: int = 1) -> Truth:
    """A machine with so many faults drawn by how common they are; the same for everybody by its seed."""
    return _of(draw(kinematics, seed, faults), seed)


def given(kinematics: Kinematics, seed: int, faults: Mapping[str, str | None]) -> Truth:
    """A machine with these faults, each at its place (None: at one of its own choice). Raises ValueError where it cannot have one."""
    rng = np.random.default_rng([seed, 71])
    machine = sound_machine(kinematics, rng)
    for fault, place in faults.items():
        if not can_have(machine, fault):
            machine.homing |= {"x": CAUSES[fault].homing, "z": "nozzle_probe"} if CAUSES[fault].homing else {}
        if not can_have(machine, fault) or (
            place is not None and place not in places_for(machine, CAUSES[fault].where)
        ):
            raise ValueError(f"A {kinematics} has no {fault} at {place}.")
        if place is None:
            ail(machine, fault, rng)
            continue
        for name, (low, high) in CAUSES[fault].sets.items():
            machine.values[name, place] = float(rng.uniform(low, high))
        if began := CAUSES[fault].began:
            machine.events.append((str(rng.choice(began)), float(rng.uniform(1, 12))))
        machine.truth.append((fault, place))
    return _of(machine, seed)


def sound(truth: Truth) -> Truth:
    """The same machine before anything was wrong with it."""
    machine = truth.machine()
    for f in [*truth.left, *truth.made]:
        _mended(machine, f, truth.seed)
    return _of(AilingMachine(machine.kinematics, machine.homing, machine.values), truth.seed)


def _mended(machine: AilingMachine, at: At, seed: int) -> None:
    """What one fault set, as it is when sound; a belt that is clamped or sprung anew is set as well."""
    rng = np.random.default_rng([seed, 72, sum(at.fault.encode()), sum(at.place.encode())])
    for name in CAUSES[at.fault].sets:
        mean, spread = SOUND.get(name, (0.0, 0.0))
        machine.values[name, at.place] = float(mean + spread * rng.standard_normal())


def mend(truth: Truth, fault: str, place: str) -> Truth:
    """The machine after a repair. What was not wrong there stays as it was, or is worse for it (`OVERDONE`); a repair of nothing that is
    known here changes nothing.
    """
    if fault not in CAUSES:
        return truth
    machine = truth.machine()
    # The place that the repair names, or the one where it truly is: whoever mends it finds it there.
    spots = [f for f in [*truth.left, *truth.made] if f.fault == fault]
    here = next((f for f in spots if f.place == place), spots[0] if spots and not place else None)
    if here is None and spots and CAUSES[fault].where in ("pair", "whole"):
        here = spots[0]
    left, made = list(truth.left), list(truth.made)
    if here is not None:
        _mended(machine, here, truth.seed)
        left, made = ([f for f in rows if f != here] for rows in (left, made))
    elif fault in OVERDONE:
        at = place if place in places_for(machine, CAUSES[fault].where) else places_for(machine, CAUSES[fault].where)[0]
        becomes, values = OVERDONE[fault]
        machine.values |= {(name, at): value for name, value in values.items()}
        was = At(fault=becomes, place=at)
        # What was too slack already and is slackened, or too tight, stays what it was.
        made += [was] if was not in left and was not in made else []
    told = _of(machine, truth.seed)
    return told.model_copy(update={"faults": truth.faults, "left": left, "made": made, "events": truth.events})


def _middle(description: Description, limits: Mapping[tuple[str, str], Limits], place: str) -> float:
    band = limits.get(("tension", place)) or limits.get(("tension", "all"))
    if band is None or band.low is None or band.high is None:
        low, high = tension_band_typical(description.belts()[place].width_mm)
        return (low + high) / 2
    return (band.low + band.high) / 2


def simulated(
    truth: Truth, description: Description, limits: Mapping[tuple[str, str], Limits], touched: int = 0
) -> SimMachine:
    """The machine that simulated instruments read: every figure from the same quantities as what is seen, heard and felt."""
    m = truth.machine()
    own = np.random.default_rng([truth.seed, 73])
    belts = {}
    for place, belt in description.belts().items():
        spread, span = own.normal(1, 0.01), belt.spans[0].span_mm if belt.spans else 250.0
        belts[place] = SimBelt(
            tension_n=max(0.5, m("tension_n", place) * _middle(description, limits, place) / MIDDLE_N),
            linear_density_g_per_m=(belt.linear_density_g_per_m or 8.0 * belt.width_mm / 6) * float(spread),
            span_mm=span,
            axial_stiffness_n=belt.axial_stiffness_n or 2500.0 * belt.width_mm,
            loop_length_mm=belt.loop_length_mm or 4 * span,
            tensioner=belt.tensioner or Tensioner(thread_pitch_mm=0.7),
            gain=float(own.normal(1, 0.05)),
            q=float(own.uniform(28, 45)),
            other_run_mm=span * float(own.uniform(1.15, 1.45)),
            partner=description.partner(place),
        )
    bed = description.bed
    width, depth = (bed.width_mm or 220.0, bed.depth_mm or 220.0) if bed else (220.0, 220.0)
    tilt = m("tilt_mm") + 0.2 * m("bed_loose")
    speck = SimSpeck(x_mm=0.3 * width, y_mm=0.7 * depth, height_mm=m("bump_mm")) if m("bump_mm") > 0.05 else None
    much = m("flow") * m("feed") - 1
    return SimMachine(
        belts=belts,
        coupling=0.1 if description.pairs else 0.0,
        seed=truth.seed % 1_000_000,
        touched=touched,
        axes=_axes(m, truth.seed),
        travel=_travel(m),
        guides={
            g: SimGuide(drag_n=max(0.2, m("drag_n", g)), tight_at_mm=100.0, tight_n=max(0.0, m("tight_n", g)))
            for g in m.guides
        },
        beam=SimBeam(tilt=m("beam_mm") * float(own.choice([-1, 1])), answers=0.97),
        bed=SimBed(
            tilt_x=60 * tilt / width,
            tilt_y=80 * tilt / depth,
            bow_mm=max(0.0, m("warp_mm")),
            speck=speck,
            width_mm=width,
            depth_mm=depth,
            answers=0.95,
        ),
        screws={
            s: SimScrew(drift=m("misalign_mm", s), bent_mm=abs(m("bend_mm", s)), play_mm=max(0.0, m("nut_mm", s)))
            for s in m.screws
        },
        frame=SimFrame(
            lean_xy=m("lean_mm") + 0.1 * m("joint"),
            skewed=0.9 * m("skew_mm") + _askew(m),
            wall_mm=0.05 + 2.2 * much,
            shrinkage_percent=100 * (1 - m("scale") * (1 - m("shrink") + SOUND["shrink"][0])),
        ),
        parts={
            a: [SimPart(hz=240.0 + 30 * k, q=20.0, level=0.07)] if m("panel") > 0.3 or m("stand") > 0.3 else []
            for k, a in enumerate(("x", "y", "z"))
        },
        drives=_drives(m, truth),
        ripples={a: shown.ripple(m, a) for a in ("x", "y")},
    )


def _askew(m: AilingMachine) -> float:
    """What unequal belts of a pair add to the lean of a print."""
    a, *others = (m("tension_n", b) for b in m.belts)
    return 0.1 * abs(a - others[0]) / 8 if m.kinematics == "corexy" and abs(a - others[0]) > 6 else 0.0


def _axes(m: AilingMachine, seed: int) -> dict[str, SimAxis]:
    """What each direction rings with: softer by what is loose in it, with its dead band; a diagonal as the softer of its axes."""
    out: dict[str, SimAxis] = {}
    for k, axis in enumerate(("x", "y")):
        sound_hz = 38.0 + (seed * 7 + 11 * k) % 20
        loose = shown.looseness(m, axis)
        modes = [SimMode(hz=sound_hz * float(np.sqrt(1 / (1 + loose))), damping=0.05)]
        if m("stand") > 0.4:
            modes.append(SimMode(hz=17.0, damping=0.08, share=0.5))
        out[axis] = SimAxis(modes=modes, play_mm=max(0.0, shown.play(m, axis) - 0.02) / 2)
    if m.kinematics == "corexy":
        # Each belt makes one diagonal; both carry the same head on the same guides.
        softer = min(out.values(), key=lambda a: a.modes[0].hz)
        for belt in m.belts:
            share = float(np.clip(m("tension_n", belt) / MIDDLE_N, 0.3, 1.2)) ** 0.25
            modes = [mode.model_copy(update={"hz": mode.hz * share}) for mode in softer.modes]
            out[belt] = softer.model_copy(update={"modes": modes})
    return out


def _travel(m: AilingMachine) -> dict[str, SimTravel]:
    out = {}
    for axis in ("x", "y", "z"):
        lost = shown.lost_motion(m, axis) if axis != "z" else max((m("nut_mm", s) for s in m.screws), default=0.0)
        out[axis] = SimTravel(scale=shown.travelled(m, axis), backlash_mm=max(0.005, lost), scatter_mm=0.003)
    out["e"] = SimTravel(scale=m("feed"), backlash_mm=0.0, scatter_mm=0.05)
    return out


def _drives(m: AilingMachine, truth: Truth) -> dict[str, SimDrive]:
    stepped = truth.signs().at.get("layers_stepped", set())
    out = {}
    for motor in m.motors:
        teeth, cycles = m("teeth", motor) > 0.6, m("uneven", motor) > 0.3
        repeats = 40.0 if m("pulley_mm", motor) > 0.04 else 0.8 if cycles else 2.0 if teeth else None
        if motor == "z" and any(m("bend_mm", s) + 0.5 * m("misalign_mm", s) > 0.12 for s in m.screws):
            repeats = LEAD_MM
        moves = AXES_OF_BELT[m.kinematics].get(motor, (motor,))
        # A jump is of whole teeth; what a motor loses is of whole four-step cycles; what slips, of anything.
        jumps = m("tension_n", motor) < 14 or m("teeth", motor) > 0.3
        slips = m("pulley_deg", motor) > 0.5 or m("creep_mm", motor) > 0.3
        step = (2.0 if jumps else 1.37 if slips else 3.2) if stepped & {*moves, None} and motor != "e" else 0.0
        out[motor] = SimDrive(
            current=max(0.05, m("current", motor)),
            flange_gap_mm=m("flange_gap_mm", motor),
            repeats_mm=repeats,
            step_mm=step,
        )
    return out


def caught_up(
    truth: Truth, sim: SimMachine, description: Description, limits: Mapping[tuple[str, str], Limits]
) -> Truth:
    """The truth after screws were turned at the bench: what the simulated machine has become of it."""
    was = simulated(truth, description, limits)
    values = dict(truth.values)
    for place, belt in sim.belts.items():
        if abs(belt.tension_n - was.belts[place].tension_n) > 0.05:
            values[f"tension_n@{place}"] = belt.tension_n * MIDDLE_N / _middle(description, limits, place)
    if sim.beam is not None and was.beam is not None and abs(sim.beam.tilt - was.beam.tilt) > 0.002:
        values["beam_mm@"] = abs(sim.beam.tilt)
    if (
        sim.bed is not None
        and was.bed is not None
        and abs(sim.bed.tilt_x - was.bed.tilt_x) + abs(sim.bed.tilt_y - was.bed.tilt_y) > 0.004
    ):
        bed = sim.bed
        values["tilt_mm@"] = float(np.hypot(bed.tilt_x * bed.width_mm / 100, bed.tilt_y * bed.depth_mm / 100))
    for place, screw in sim.screws.items():
        if place in was.screws and abs(screw.drift - was.screws[place].drift) > 0.004:
            values[f"misalign_mm@{place}"] = abs(screw.drift)
    now = truth.model_copy(update={"values": values})
    return now.model_copy(
        update={
            "left": [f for f in now.left if still(now, f)],
            "made": [f for f in now.made if still(now, f)] + _overdone(now),
        }
    )


def _overdone(truth: Truth) -> list[At]:
    """Belts that turning has left too tight or too slack, and were not before."""
    m = truth.machine()
    known = {(f.fault, f.place) for f in [*truth.left, *truth.made]}
    out = []
    for belt in m.belts:
        tension, (low, high) = m("tension_n", belt), _RIGHT["tension_n"]
        told = any(place == belt and "tension_n" in CAUSES[f].sets for f, place in known)
        if not low <= tension <= high and not told:
            out.append(At(fault="belt_overtight" if tension > high else "belt_slack", place=belt))
    return out


#: From where on a quantity is out, of those that turning puts right: low and high.
_RIGHT: dict[str, tuple[float, float]] = {
    "tension_n": (18.0, 38.0), "beam_mm": (-0.08, 0.08), "tilt_mm": (-1.0, 0.13), "misalign_mm": (-1.0, 0.13),
}  # fmt: skip
_TURNED = {"belt_slack", "belt_overtight", "belts_unequal", "beam_tilted", "bed_tilted", "screw_misaligned"}


def still(truth: Truth, at: At) -> bool:
    """Whether a fault that turning can mend is there still; of others, that it is."""
    if at.fault not in _TURNED:
        return True
    m = truth.machine()
    for name in CAUSES[at.fault].sets:
        low, high = _RIGHT[name]
        if not low <= m(name, at.place) <= high:
            return True
    if at.fault != "belts_unequal":
        return False
    a, b = (m("tension_n", p) for p in m.belts[:2])
    return 200 * abs(a - b) / (a + b) > 9


def gone(truth: Truth) -> bool:
    """Whether nothing is wrong any more, neither what was nor what was made so."""
    return not truth.left and not truth.made
