"""ripple-source: what makes a regular pattern on a wall: something timed (its spacing grows with speed), or a length.

Each source predicts a spacing; how well it predicts what was measured, times how often it is met (typical), gives its
chance. "Something else" of either family stands beside them, so a chance near one has to be earned.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field, model_validator

from ..asking import PLACE, Asked, Known, last_time, model, told
from ..errors import BadInput
from ..machine import BELTS, Kinematics, Place, Transmission, across
from ..quantities import Quantity
from .base import Advice, Context, Finding, Part, Procedure, Result, StandIn

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from ..simulator.machine import SimMachine

Direction = Literal["x", "y", "z"]
Family = Literal["geometric", "timed"]
#: Typical share of each source among regular patterns.
SHARES = {
    "belt_tooth": 0.16, "pulley_turn": 0.10, "idler_turn": 0.05, "motor_step": 0.03, "four_step_cycle": 0.08,
    "screw_lead": 0.16, "screw_thread": 0.06, "ball_spacing": 0.04, "gear_tooth": 0.04, "drive_turn": 0.05,
    "resonance": 0.25, "fan": 0.05, "other_length": 0.08, "other_timed": 0.08,
}  # fmt: skip
_CHECK = {
    "belt_tooth": "Look at teeth and pulley for dirt and wear; is the smooth back of the belt on a toothed idler? Print the wall along the other axis.",
    "pulley_turn": "Turn the pulley by hand with a dial indicator on its flange: eccentric, or the grub screw pulls it aside.",
    "idler_turn": "Mark an idler with a pen and count: one mark a turn. Spin it by hand, rough or wobbling: replace.",
    "motor_step": "Print with other microsteps or another current: the fine pattern moves with them.",
    "four_step_cycle": "Change the motor's current a little: the pattern's depth changes, its spacing does not.",
    "screw_lead": "Dial indicator along the screw (runout): bent or eccentric once a turn.",
    "screw_thread": "Clean and grease the screw; a thread's own ripple is small.",
    "ball_spacing": "Push the carriage slowly by hand: is a ripple felt at this distance? Clean and oil the rail.",
    "gear_tooth": "Brush the drive gears; look at their mesh and the pressure on the filament.",
    "drive_turn": "Mark the drive gear and count: eccentric gears feed more and less once a turn.",
    "resonance": "Measure the axis's resonance; tension, play and drag come before any shaper.",
    "fan": "Stop or slow each fan for a moment of the print: does the pattern change?",
    "other_length": "Print the wall at another speed: a length stays.",
    "other_timed": "Print the wall at another speed: what is timed grows with it.",
}
#: The procedure that a check begins with.
MEASURE = {"screw_lead": "screw-runout", "ball_spacing": "drag", "resonance": "resonance"}
_WORDS = {
    "belt_tooth": "tooth of the belt", "pulley_turn": "turn of the motor pulley", "idler_turn": "turn of an idler",
    "motor_step": "full step of the motor", "four_step_cycle": "four-step cycle of the motor", "screw_lead": "turn of the screw",
    "screw_thread": "thread of the screw", "ball_spacing": "ball of the rail's bearing", "gear_tooth": "tooth of the drive gear",
    "drive_turn": "turn of the drive gear", "resonance": "resonance", "fan": "fan", "other_length": "another length",
    "other_timed": "something else that is timed",
}  # fmt: skip
#: The finding that a length stands for.
FOUND = {
    "belt_tooth": "pattern_at_tooth", "pulley_turn": "pattern_at_turn", "idler_turn": "pattern_at_turn",
    "motor_step": "pattern_at_step", "four_step_cycle": "pattern_at_step", "screw_lead": "pattern_at_lead",
}  # fmt: skip
#: Share of ringing on a wall that is motion across it (typical: about six in seven).
ACROSS = 6 / 7
#: How much likelier the motor's four-step cycle is just after drivers were changed (typical).
_UNEVEN_DRIVER = 6.0
#: How well a source's own period is known, as a share.
_OWN = 0.004
#: What each family keeps while only one speed was printed (typical caution).
_LEAST_OPEN = 0.2


class Observation(Part):
    """A wall: its speed and the spacing, given as such or as so many ripples over a distance."""

    speed_mm_s: Annotated[float, Field(ge=0.01, le=2000), Asked("Speed", "mm/s", varies=True)]
    spacing_mm: Annotated[float, Field(ge=0.001, le=1000)] | None = None
    u95_mm: Annotated[float, Field(ge=0, le=1000)] | None = None
    count: Annotated[Annotated[float, Field(ge=1, le=10_000)] | None, Asked("Ripples", "")] = None
    distance_mm: Annotated[Annotated[float, Field(ge=0.001, le=2000)] | None, Asked("Over", "mm")] = None

    @model_validator(mode="after")
    def _one_of_both(self) -> Observation:
        if self.spacing_mm is None and (self.count is None or self.distance_mm is None):
            raise ValueError("give spacing_mm, or count and distance_mm")
        return self

    def spacing(self, resolution_mm: float) -> tuple[float, float]:
        """Spacing and its standard uncertainty (mm). Counted: both ends of the distance are read."""
        if self.spacing_mm is not None:
            u = self.u95_mm if self.u95_mm is not None else 1.41 * resolution_mm
            return self.spacing_mm, max(u / 1.96, 1e-4 * self.spacing_mm)
        assert self.count is not None and self.distance_mm is not None
        u = self.u95_mm if self.u95_mm is not None else 1.41 * resolution_mm
        return self.distance_mm / self.count, max(u / 1.96 / self.count, 1e-4 * self.distance_mm / self.count)


Frequency = Annotated[float, Field(ge=0.01, le=2000)]
FilamentPerMm = Annotated[float, Field(ge=1e-05, le=10)]
Teeth = Annotated[float, Field(ge=1, le=500)]


class Machine(Part):
    """The machine's lengths and times. ``filament_per_mm``: mm of filament for one mm of wall (for the drive gears)."""

    kinematics: Kinematics
    transmissions: Annotated[dict[Place, Transmission], Field(max_length=19)] = {}
    modes_hz: Annotated[dict[Place, Annotated[list[Frequency], Field(max_length=20)]], Field(max_length=19)] = {}
    fans_hz: Annotated[list[Frequency], Field(max_length=20)] = []
    idler_teeth: Annotated[float, Field(ge=1, le=1000)] = 20
    ball_spacing_mm: Annotated[float, Field(ge=0.1, le=100)] | None = None
    filament_per_mm: FilamentPerMm | None = None
    drive_teeth: Teeth | None = None


class RippleSourceContext(Context):
    """Along which direction the wall runs and the pattern repeats, what was measured, on which machine.

    ``resolution_mm``: caliper and eye (typical). ``drivers_changed``: motor drivers were changed just before. A fan,
    the filament for a millimetre of wall and the drive gear's teeth go with the machine's, where they are told apart.
    """

    direction: Annotated[Direction, told(PLACE)]
    observations: Annotated[list[Observation], Field(min_length=1, max_length=100), Asked("Walls")]
    resolution_mm: Annotated[float, Field(ge=0, le=20), Asked("Caliper and eye", "mm", "0.1 is typical.")] = 0.1
    machine: Annotated[Machine, told(model(lambda k: _machine_of(k)))]
    drivers_changed: Annotated[
        bool, Asked("Motor drivers were changed just before", "", "Then their uneven steps are likelier.", more=True)
    ] = False
    fan_hz: Annotated[
        Frequency | None, Asked("A fan turns at", "Hz", "Turns a minute over 60.", (last_time("fan_hz"),), more=True)
    ] = None
    filament_per_mm: Annotated[
        FilamentPerMm | None, Asked("Filament for 1 mm of wall", "mm", "From the file: E over travel.", more=True)
    ] = None
    drive_teeth: Annotated[
        Teeth | None, Asked("Teeth of the drive gear", "", "Counted.", (last_time("drive_teeth"),), more=True)
    ] = None
    axis: Place | None = None

    @property
    def of_machine(self) -> Machine:
        """The machine with what was told beside it."""
        more = {"filament_per_mm": self.filament_per_mm, "drive_teeth": self.drive_teeth}
        fans = {} if self.fan_hz is None else {"fans_hz": [*self.machine.fans_hz, self.fan_hz]}
        return self.machine.model_copy(update=fans | {k: v for k, v in more.items() if v is not None})


_DIRECTIONS: tuple[Place, ...] = ("x", "y", "z", "a", "b")


def _machine_of(known: Known) -> Machine:
    """The model's drives, and what the directions rang with when last measured and believed."""
    modes: dict[Place, list[float]] = {}
    for place in _DIRECTIONS:
        found = known.measured("resonance", place)
        if found is not None and found["modes"]:
            modes[place] = [m["frequency"]["value"] for m in found["modes"]]
    d = known.description
    idlers = [t.idler_teeth for t in d.belts().values() if t.idler_teeth is not None]
    extruder = d.transmissions.get("e")
    return Machine(
        kinematics=d.kinematics,
        transmissions=d.transmissions,
        modes_hz=modes,
        fans_hz=[fan.rpm / 60 for fan in d.fans],
        idler_teeth=idlers[0] if idlers else 20,
        drive_teeth=extruder.drive_teeth if extruder is not None and extruder.kind == "extruder" else None,
    )


class Source(Part):
    """A source with its chance; ``order``: 2 where it shows at half its period, and so on. Period at the first speed."""

    source: str
    words: str
    family: Family
    axis: Place | None
    period_mm: float | None
    frequency_hz: float | None
    expected_mm: float
    order: int
    probability: float
    check: str


class RippleSourceResult(Result):
    """``speed_exponent``: slope of log spacing over log speed: 1 for what is timed, 0 for a length."""

    procedure: Literal["ripple-source"] = "ripple-source"
    spacing: Quantity
    speed_exponent: Quantity | None
    timed_frequency: Quantity | None
    family: Literal["geometric", "timed", "open"]
    sources: list[Source]


def analyse(context: RippleSourceContext, data: bytes | None = None) -> RippleSourceResult:
    """What makes a regular pattern on a wall, ranked. One speed only: both families stay open, and the advice is another speed.

    Parameters
    ----------
    context : RippleSourceContext
        Which way the wall runs, spacings (mm) at speeds (mm/s), and the machine's drives and resonances.
    data : None
        It has no file.

    Returns
    -------
    RippleSourceResult
        ``speed_exponent`` (log-log slope: 1 is timed, 0 geometric) and ``sources`` by probability.

    Examples
    --------
    A spacing that stays at 2 mm whatever the speed, on a belt of 2 mm pitch:

    >>> result = analyse(RippleSourceContext(direction="x", observations=[
    ...     {"speed_mm_s": 40, "spacing_mm": 2.0, "u95_mm": 0.05}, {"speed_mm_s": 80, "spacing_mm": 2.0, "u95_mm": 0.05}],
    ...     machine={"kinematics": "bed_slinger", "transmissions": {"x": {"kind": "belt", "pitch_mm": 2, "teeth": 20}}}))
    >>> abs(round(result.speed_exponent.value, 2)), result.sources[0].source
    (0.0, 'belt_tooth')
    """
    import numpy as np

    context = context.model_copy(update={"machine": context.of_machine})

    pairs = [o.spacing(context.resolution_mm) for o in context.observations]
    d, u = np.array([p[0] for p in pairs]), np.array([p[1] for p in pairs])
    v = np.array([o.speed_mm_s for o in context.observations])
    exponent = _exponent(v, d, u)
    sources = _weigh(context, v, d, u)
    timed = math.fsum(s.probability for s in sources if s.family == "timed")
    family: Literal["geometric", "timed", "open"] = "open"
    if exponent is not None:
        family = "timed" if timed > 0.9 else "geometric" if timed < 0.1 else "open"
    f = v / d
    weight = 1 / (u / d) ** 2
    mean_f = float((weight * f).sum() / weight.sum())
    result = RippleSourceResult(
        verdict="not_judged",
        spacing=Quantity(value=float(d[0]), u95=float(1.96 * u[0]), unit="mm"),
        speed_exponent=exponent,
        timed_frequency=Quantity(value=mean_f, u95=float(1.96 * mean_f / math.sqrt(weight.sum())), unit="Hz")
        if family != "geometric"
        else None,
        family=family,
        sources=sources,
    )
    result.judge("Spacing at the first speed", result.spacing)
    if result.timed_frequency is not None:
        result.judge("If it is timed, it repeats at", result.timed_frequency)
    if exponent is not None:
        result.judge("Grows with speed to the power of (1 timed, 0 a length)", exponent)
    _say(result, context, timed)
    return result


def _exponent(v: NDArray, d: NDArray, u: NDArray) -> Quantity | None:  # type: ignore[type-arg]
    """Weighted slope in log-log; None where all speeds are within 5 %."""
    import numpy as np

    if np.ptp(np.log(v)) < 0.05:
        return None
    x, y, w = np.log(v), np.log(d), (d / u) ** 2
    centre = (w * x).sum() / w.sum()
    spread = float((w * (x - centre) ** 2).sum())
    slope = float((w * (x - centre) * y).sum() / spread)
    u95 = 1.96 / math.sqrt(spread)
    if len(v) > 2:
        from ..quantities import t95

        left = y - (w * y).sum() / w.sum() - slope * (x - centre)
        u95 = max(u95, t95(len(v) - 2) * math.sqrt(float((w * left**2).sum()) / (len(v) - 2) / spread))
    return Quantity(value=slope, u95=u95, unit="1")


def lengths_along(direction: Direction, machine: Machine) -> list[tuple[str, Place, float]]:
    """Every length that repeats along a direction on a machine: source, place, period (mm of wall)."""
    found: list[tuple[str, Place, float]] = []
    moving = {"x": ("x", "a", "b"), "y": ("y", "y1", "y2", "a", "b"), "z": ("z", "z1", "z2", "z3", "z4")}[direction]
    if machine.kinematics == "delta":
        moving = ("t1", "t2", "t3")
    seen: set[tuple[str, float]] = set()
    for place, drive in machine.transmissions.items():
        rows: list[tuple[str, float]] = []
        if place in moving and drive.kind == "belt" and (direction != "z" or place in BELTS[machine.kinematics]):
            turn = drive.pitch_mm * drive.teeth
            rows = [
                ("belt_tooth", drive.pitch_mm),
                ("pulley_turn", turn),
                ("idler_turn", drive.pitch_mm * machine.idler_teeth),
                ("motor_step", turn / drive.gear_ratio / drive.motor_steps_per_rev),
                ("four_step_cycle", 4 * turn / drive.gear_ratio / drive.motor_steps_per_rev),
            ]
        elif place in moving and drive.kind == "screw":
            rows = [
                ("screw_lead", drive.lead_mm),
                ("four_step_cycle", 4 * drive.lead_mm / drive.gear_ratio / drive.motor_steps_per_rev),
            ]
            if drive.thread_pitch_mm and drive.thread_pitch_mm != drive.lead_mm:
                rows.append(("screw_thread", drive.thread_pitch_mm))
        elif drive.kind == "extruder" and machine.filament_per_mm and drive.drive_diameter_mm and direction != "z":
            turn = math.pi * drive.drive_diameter_mm / machine.filament_per_mm
            rows = [("drive_turn", turn)]
            if machine.drive_teeth:
                rows.append(("gear_tooth", turn / machine.drive_teeth))
        for source, period in rows:
            # Two motors of one kind make one and the same pattern: named once.
            if (source, round(period, 6)) not in seen:
                seen.add((source, round(period, 6)))
                found.append((source, place, period))
    if machine.ball_spacing_mm and direction != "z":
        found.append(("ball_spacing", direction, machine.ball_spacing_mm))
    return found


def _weigh(context: RippleSourceContext, v: NDArray, d: NDArray, u: NDArray) -> list[Source]:  # type: ignore[type-arg]
    import numpy as np

    orders = ((1, 1.0), (2, 0.2), (3, 0.08))
    rows: list[tuple[float, Source]] = []

    def bell(expected: NDArray, own: float) -> float:  # type: ignore[type-arg]
        """Density of ln spacing round what is expected: ``own`` is common to all walls, so it is integrated over."""
        miss, sigma = np.log(d / expected), u / d
        shift = np.linspace(-2.5, 2.5, 21) * own
        each = -0.5 * ((miss - shift[:, None]) / sigma) ** 2 - np.log(sigma * math.sqrt(2 * math.pi))
        weight = np.exp(-0.5 * (shift / own) ** 2)
        return float((np.exp(np.clip(each.sum(1), -700, 700)) * weight).sum() / weight.sum())

    def add(
        source: str,
        family: Family,
        place: Place | None,
        period: float | None,
        hz: float | None,
        own: float,
        share: float,
    ) -> None:
        best: tuple[float, int] = (0.0, 1)
        total = 0.0
        for order, weight in orders:
            expected = np.full_like(v, period / order) if period is not None else v / (hz or 1.0) / order
            w = share * weight * bell(expected, own)
            total += w
            best = max(best, (w, order))
        order = best[1]
        first = period / order if period is not None else float(v[0]) / (hz or 1.0) / order
        rows.append(
            (
                total,
                Source(
                    source=source,
                    words=_WORDS[source],
                    family=family,
                    axis=place,
                    period_mm=period,
                    frequency_hz=hz,
                    expected_mm=first,
                    order=order,
                    probability=0.0,
                    check=_CHECK[source],
                ),
            )
        )

    lengths = lengths_along(context.direction, context.machine)
    counts = {s: sum(1 for n, _, _ in lengths if n == s) for s in SHARES}
    for source, place, period in lengths:
        share = SHARES[source] / counts[source]
        if source == "four_step_cycle" and context.drivers_changed:
            share *= _UNEVEN_DRIVER
        add(source, "geometric", place, period, None, _OWN, share)
    known = 0.0
    for place, hz, share in _ringing(context):
        known += share
        add("resonance", "timed", place, None, hz, 0.04, SHARES["resonance"] * share)
    for hz in context.machine.fans_hz:
        add("fan", "timed", None, None, hz, 0.05, SHARES["fan"] / len(context.machine.fans_hz))
    rows += _anything(v, d, u, unknown=1 - known)
    total = math.fsum(w for w, _ in rows) or 1.0
    for w, s in rows:
        s.probability = w / total
    if len(set(v.tolist())) == 1:
        _keep_open([s for _, s in rows])
    return sorted((s for _, s in rows), key=lambda s: -s.probability)


def _keep_open(sources: list[Source]) -> None:
    """At one speed a fit may be a coincidence: neither family falls below ``_LEAST_OPEN``."""
    timed = math.fsum(s.probability for s in sources if s.family == "timed")
    kept = min(1 - _LEAST_OPEN, max(_LEAST_OPEN, timed))
    for s in sources:
        s.probability *= kept / timed if s.family == "timed" else (1 - kept) / (1 - timed)


def _ringing(context: RippleSourceContext) -> list[tuple[Place, float, float]]:
    """Known modes that can ripple this wall: place, frequency, share of all ringing on such walls.

    Ripples are as a rule motion across the wall; an axis along it that rings waves its speed, and so the flow. What
    moves both (crossed belts, towers) does either.
    """
    direction = context.direction
    shares: dict[str, float] = (
        {direction: 1.0} if direction == "z" else {across(direction): ACROSS, direction: 1 - ACROSS}
    )
    modes = {p: fs for p, fs in context.machine.modes_hz.items() if fs}
    if direction != "z":
        both = [p for p in modes if p in ("a", "b", "t1", "t2", "t3")]
        own = [p for p in modes if p in shares]
        # Measured along the diagonals and along the axes: the same springs, seen twice.
        shares = {p: shares[p] for p in own} if own else {p: 1 / len(both) for p in both}
        if own and both:
            shares = {p: 0.5 * s for p, s in shares.items()} | {p: 0.5 / len(both) for p in both}
    return [(p, f, s / len(modes[p])) for p, s in shares.items() if p in modes for f in modes[p]]


def _anything(v: NDArray, d: NDArray, u: NDArray, unknown: float) -> list[tuple[float, Source]]:  # type: ignore[type-arg]
    """Some unknown length, some unknown frequency: each alike in its logarithm over four octaves and more.

    ``unknown``: share of ringing whose frequency is not known.
    """
    import numpy as np

    def spread(expected: NDArray) -> float:  # type: ignore[type-arg]
        sigma = u / d
        each = -0.5 * (np.log(d / expected) / sigma) ** 2 - np.log(sigma * math.sqrt(2 * math.pi))
        return float(np.exp(np.clip(each.sum(1), -700, 700)).mean())

    # Fine enough a grid for the narrowest uncertainty.
    fine = int(np.clip(8 / (u / d).min(), 2000, 60000))
    lengths = np.exp(np.linspace(math.log(0.05), math.log(80), fine))
    hz = np.exp(np.linspace(math.log(4), math.log(400), fine))
    by_length, by_time = spread(lengths[:, None] * np.ones_like(v)), spread(v / hz[:, None])
    timed = SHARES["other_timed"] + unknown * SHARES["resonance"]
    f = float((v / d).mean())

    def source(name: str, family: Family, period: float | None, frequency: float | None) -> Source:
        return Source(
            source=name, words=_WORDS[name], family=family, axis=None, period_mm=period, frequency_hz=frequency,
            expected_mm=float(d[0]), order=1, probability=0.0, check=_CHECK[name],
        )  # fmt: skip

    return [
        (SHARES["other_length"] * by_length, source("other_length", "geometric", float(d.mean()), None)),
        (timed * by_time, source("other_timed", "timed", None, f)),
    ]


def _say(result: RippleSourceResult, context: RippleSourceContext, timed: float) -> None:
    # A length belongs to the drive along the wall; what is timed is as a rule the ringing of the axis across it.
    along: Place = context.direction
    axis: Place = across(along) if result.family == "timed" and along != "z" else along
    best = result.sources[0]
    state: Literal["present", "absent", "unknown"] = "unknown"
    if result.speed_exponent is None:
        result.warn("one_speed", "One speed only: what is timed and what is a length both stay open.")
        fast = context.observations[0].speed_mm_s
        result.advice.append(
            Advice(
                action="print_at_another_speed",
                target=axis,
                amount=Quantity(value=fast * (0.5 if fast > 60 else 2.0), unit="mm/s"),
                reason="Print the same wall at another speed: a spacing that grows with it is timed, one that stays is a length.",
            )
        )
    elif result.family != "open":
        state = "present" if result.family == "timed" else "absent"
    result.findings.append(Finding(finding="pattern_follows_speed", axis=axis, state=state))
    geometric: Literal["present", "absent", "unknown"] = "unknown"
    if result.family == "geometric" and best.source != "other_length" and best.probability > 0.5:
        geometric = "present"
    elif result.family == "timed":
        geometric = "absent"
    # Which length it is tells more than that it is one.
    which = FOUND.get(best.source) if geometric == "present" else None
    place = best.axis if which and best.axis else along
    result.findings.append(
        Finding(finding=which or "pattern_is_geometric", axis=place, state=geometric, value=result.spacing)
    )
    check, measure = best.check, MEASURE.get(best.source)
    if result.family == "timed" and best.source == "other_timed":
        measure = "resonance"
        check = (
            f"It is timed, and nothing that is known of this machine repeats so: shake {axis.upper()}, which moves across "
            "this wall, and stop each fan for a moment of the print."
        )
    result.advice.append(Advice(action="check", target=best.axis or axis, reason=check, measure=measure))


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, object]) -> StandIn:
    """Two walls of a simulated print, at two speeds; they show the ringing of the axis across them."""
    from ..simulator.instruments import ripple_counts

    rows: list[dict[str, float | str]] = []
    for i, v in enumerate((60.0, 120.0)):
        spacing = machine.pattern_mm(place, v)
        if spacing is None:
            raise BadInput(
                "nothing_there", "On that wall of the simulated print there are no ripples to count.", "readings"
            )
        rows += [
            {"speed_mm_s": v, "count": float(n), "distance_mm": d}
            for n, d in ripple_counts(v / spacing, v, 8, 2, seed + i)
        ]
    return StandIn(rows=rows)


PROCEDURE = Procedure(
    "ripple-source",
    "What makes the pattern",
    RippleSourceContext,
    RippleSourceResult,
    analyse,
    measures="axis",
    photo=("speed_mm_s",),
    part="wall",
    stand_in=_stand_in,
)
