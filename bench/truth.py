"""How true the figures are under what workshops do: error, uncertainty and how often it covers, by procedure and condition.

Run: ./kestov bench truth [procedure …] [--times 24] [--write docs/truth.md]. Seeded: the same table each time. Nothing is
timed. "Asked" counts answers that doubt themselves (a reading is odd, two readings stay possible, cannot tell); "refused" is no
answer at all. Wrong: off by more than twice its u95, and not asked about.
"""

from __future__ import annotations

import argparse
import os
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

# Many small problems: one thread each.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.procedures.resonance import ResonanceContext, analyse_rows
from kestov_core.simulator import instruments
from kestov_core.simulator.hands import HABITS, SLIPS, as_typed
from kestov_core.simulator.instruments import CALIPER, DIAL
from kestov_core.simulator.shaking import (
    PHONE_RATES_HZ,
    Sensor,
    Shake,
    SimAxis,
    SimMode,
    knocked_by_phone,
    shake,
)
from kestov_core.simulator.sound import Along, Belt, Pluck, Room, record, wav

Rng = np.random.Generator


@dataclass(frozen=True)
class Tried:
    """One try: the answer's error and u95 in per cent of the truth (None: refused), and whether it doubts itself."""

    error: float | None
    u95: float | None = None
    asked: bool = False


@dataclass(frozen=True)
class Condition:
    """``spoilt``: the readings hold a slip or the axis is loose: then to be asked about, or refused, is right."""

    procedure: str
    name: str
    run: Callable[[Rng], Tried]
    spoilt: bool = False


# --- sound

_BELT = {"linear_density_g_per_m": 8.2}


def _pluck(rng: Rng, along: tuple[float, float] | None = None, q: tuple[float, float] = (25, 60), **room: Any) -> Tried:
    f0 = float(np.exp(rng.uniform(np.log(45), np.log(280))))
    span = 1000 * float(np.sqrt(rng.uniform(10, 70) / 0.0082)) / (2 * f0)
    plucks = [Pluck(0.5 + 1.1 * k, float(rng.uniform(0.2, 0.5)), float(rng.uniform(0.15, 0.42))) for k in range(5)]
    hooked = float(rng.choice([-2.0, 2.0])) if room.pop("hooked", False) else 0.0
    late, bang, close = room.pop("late", False), room.pop("bang", False), room.pop("close", False)
    if late:
        plucks[0] = Pluck(-0.06)
    if bang:
        plucks.append(Pluck(3.2, 0.9, kind="knock"))
    if close:
        plucks.append(Pluck(plucks[2].at_s + 0.25, 0.4))
    others = []
    if along is not None:
        ratio = float(rng.choice([rng.uniform(0.55, 0.93), rng.uniform(1.07, 1.8)]))
        others = [Along(Belt(f0 * ratio, q=float(rng.uniform(20, 50))), float(rng.uniform(*along)))]
    quiet = {"hiss": 0.001, "hum": 0.002, "low_cut_hz": 70.0}
    belt = Belt(f0, b=float(10 ** rng.uniform(-5, -3)), glide=0.004, q=float(rng.uniform(*q)))
    sound = record(belt, plucks, 6, 22050, Room(**(quiet | room)), int(rng.integers(2**31)), others)
    try:
        found = procedures.run("belt-pluck", {"span_mm": span + hooked, **_BELT}, wav(sound))
    except BadInput:
        return Tried(None)
    asked = any(w.code in ("octave_doubt", "plucks_disagree") for w in found.warnings)
    if hooked:
        true = 4 * 0.0082 * (span / 1000) ** 2 * f0**2
        return Tried(100 * (found.tension.value / true - 1), 100 * found.tension.u95 / true, asked)
    f = found.frequency
    return Tried(100 * (f.value / f0 - 1), 100 * f.u95 / f0, asked)


_SOUND: dict[str, dict[str, Any]] = {
    "a lone run, quiet": {},
    "the other run 20 to 10 dB lower": {"along": (-20, -10), "q": (20, 50)},
    "the other run, a finger on it": {"along": (-32, -26), "q": (20, 50)},
    "rings short (Q 12 to 20)": {"q": (12, 20)},
    "fan and a running motor": {"fan": 0.004, "fan_tone_hz": 187.0, "motor": 0.004},
    "hum": {"hum": 0.02},
    "a bang among the plucks": {"bang": True},
    "somebody talks": {"speech": 0.02},
    "two plucks close together": {"close": True},
    "a phone: limits the loud, cuts the lows": {"limiter": 0.12, "low_cut_hz": 160.0},
    "begun in mid-pluck": {"late": True},
    "tape hooked wrong by 2 mm (tension)": {"hooked": True},
}


# --- shaking


def _shaken(rng: Rng, how: dict[str, Any], sensor: dict[str, Any], play: float = 0.0) -> Tried:
    hz, damping = float(rng.uniform(28, 85)), float(rng.uniform(0.03, 0.11))
    level = 15000.0 if how.get("kind") == "impulse" else float(rng.uniform(600, 2500))
    swing = level * 1.25 / ((2 * np.pi * hz) ** 2 * 2 * damping)
    axis = SimAxis(modes=[SimMode(hz=hz, damping=damping)], play_mm=0.5 * play * swing)
    move = {"seconds": 24.0, "wave": "trapezoid", "ripple": float(rng.uniform(0, 0.05)), "level_mm_s2": level, **how}
    got = shake(axis, "x", Shake(**move), Sensor(**({"rate_hz": 1600.0} | sensor)), int(rng.integers(2**31)))
    context = ResonanceContext(unit=got.unit, excited_axis="x", excitation=move.get("kind", "sweep"))
    try:
        found = analyse_rows(context, got.time_s, got.acceleration)
    except BadInput:
        return Tried(None)
    if not found.modes:
        return Tried(None, asked=True)
    f = min((m.frequency for m in found.modes), key=lambda q: abs(q.value - hz))
    return Tried(100 * (f.value / hz - 1), 100 * f.u95 / hz, found.verdict == "cannot_tell")


_SHAKING: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
    "sine": ({"wave": "sine"}, {}),
    "square": ({"wave": "square"}, {}),
    "trapezoid": ({}, {}),
    "octaves": ({"path": "octaves"}, {}),
    "steps of 1 Hz": ({"path": "steps"}, {}),
    "steps of 2 Hz, slow": ({"path": "steps", "rung_hz": 2.0, "seconds": 45.0}, {}),
    "up and down again": ({"path": "up_and_down"}, {}),
    "a ramp of acceleration": ({"ramp": 0.3}, {}),
    "times to a millisecond at 3.2 kHz": ({}, {"rate_hz": 3200.0, "stamp_step_s": 0.001}),
    "one sample in thirty stale": ({}, {"stale": 0.033}),
    "one sample in thirty lost": ({}, {"lost": 0.033}),
    "a sensor whose clock is 2 % off, counted out": ({}, {"clock": 1.02, "jitter": 0.0}),
    "mounted 15 degrees askew": ({}, {"tilt_deg": 15.0}),
    "knocks": ({"kind": "impulse", "seconds": 8.0}, {}),
    "knocks, one in six early": ({"kind": "impulse", "seconds": 8.0, "early": 0.17}, {}),
    "knocks of which a third bounce": ({"kind": "impulse", "seconds": 8.0, "doubled": 0.33}, {}),
}


def _by_phone(rng: Rng, rates: tuple[float, ...] = PHONE_RATES_HZ, late_s: float = 0.0, heavy: bool = False) -> Tried:
    """Knocks taken by a phone; ``late_s``: how far its times are off; ``heavy``: 250 g on something whose weight is guessed."""
    hz, damping = float(rng.uniform(18, 85)), float(rng.uniform(0.03, 0.09))
    swings, told = float(rng.uniform(400, 1200)), {}
    if heavy:
        told = {"added_g": 250.0, "moved_g": swings * float(rng.uniform(0.75, 1.25))}
    axis, share = SimAxis(modes=[SimMode(hz=hz, damping=damping)]), 250.0 / swings if heavy else 0.0
    got = knocked_by_phone(axis.laden(share), "x", rates, seed=int(rng.integers(2**31)))
    times = np.sort(got.time_s + rng.normal(0, late_s, len(got.time_s)))
    context = ResonanceContext(unit=got.unit, excited_axis="x", excitation="impulse", **told)
    found = analyse_rows(context, times, got.acceleration)
    if found.frequency is None:
        return Tried(None, asked=True)
    f = found.frequency
    return Tried(100 * (f.value / hz - 1), 100 * (f.u95 or 0.0) / hz, found.verdict == "cannot_tell")


# --- hands


def _typed(name: str, rng: Rng, habit: str) -> Tried:
    if name == "steps":
        true = float(rng.normal(0, 0.3))
        read = [CALIPER.read(100 * (1 + true / 100), rng) for _ in range(5)]
        drive = {"kind": "belt", "teeth": 20}
        context = {"axis": "x", "steps_per_mm": 80.0, "commanded_mm": 100, "transmission": drive}
        found = procedures.run("steps", context | {"measured_mm": as_typed(read, habit, 0.01, rng)})
        return Tried(found.error.value - true, found.error.u95, _asks(found))
    if name == "belt-deflection":
        tension, span = float(rng.uniform(12, 45)), float(rng.uniform(180, 400))
        depth = [5.0, 6.0, 7.0, 8.0, 9.0]
        stiff = 8 * 15000.0 / (span**2 * 1700)
        force = [4 * tension * d / span + stiff * d**3 + float(rng.normal(0, 0.04)) for d in depth]
        typed = [max(0.01, f) for f in as_typed(force, habit, 0.05, rng)]
        seen = [round((d + float(rng.normal(0, 0.08))) * 2) / 2 for d in depth]
        rows = [{"force_n": f, "deflection_mm": d} for f, d in zip(typed, seen, strict=True)]
        context = {"span_mm": span, "axial_stiffness_n": 15000, "loop_length_mm": 1700, "resolution_n": 0.05}
        found = procedures.run("belt-deflection", context | {"readings": rows})
        u = found.tension.u95
        return Tried(100 * (found.tension.value / tension - 1), 100 * u / tension, _asks(found))
    if name == "backlash":
        play = float(rng.uniform(0, 0.12))
        scatter = 0.02 if habit == "friction, stick" else 0.003
        # Between cold and warm the place drifts all through the sitting.
        drift = 0.02 if habit == "warming up" else 0.0
        rows = []
        for _ in range(5):
            for side in (1, -1):
                at = [20.0 + 2.5 * i for i in range(5)]
                warm = drift * len(rows) / 50
                rows += [
                    (t, side, DIAL.read(t + warm - side * play / 2 + float(rng.normal(0, scatter)), rng)) for t in at
                ]
        typed = as_typed([r[2] for r in rows], habit, 0.01, rng)
        lines = [f"{t:g},{'+' if s > 0 else '-'},{v:.4f}" for (t, s, _), v in zip(rows, typed, strict=True)]
        found = procedures.run("backlash", {}, ("target_mm,approach,reading_mm\n" + "\n".join(lines)).encode())
        mean = found.mean_reversal
        # In per cent of the limit: the truth may be nothing.
        return Tried(100 * (abs(mean.value) - play) / 0.05, 100 * mean.u95 / 0.05, _asks(found))
    hz = float(rng.uniform(28, 80))
    counts = instruments.ripple_counts(hz, 80.0, 8, 5, int(rng.integers(2**31)))
    typed = as_typed([d for _, d in counts], habit, 0.05, rng)
    ripples = [{"count": n, "distance_mm": max(0.01, d)} for (n, _), d in zip(counts, typed, strict=True)]
    found = procedures.run("ringing-print", {"speed_mm_s": 80, "ripples": ripples, "wall_runs": "x"})
    return Tried(100 * (found.frequency.value / hz - 1), 100 * found.frequency.u95 / hz, _asks(found))


def _asks(found: Any) -> bool:
    return any(w.code == "odd_reading" for w in found.warnings)


def _by_hand(name: str, habit: str) -> Callable[[Rng], Tried]:
    def run(rng: Rng) -> Tried:
        try:
            return _typed(name, rng, habit)
        except BadInput:
            return Tried(None)

    return run


def _picture(rng: Rng, grain: float, lean: float) -> Tried:
    from kestov_core.signals.wall import Px, Rectangle, WallMarks, measure_wall

    spacing = float(rng.uniform(1.2, 3.5))
    grey, at = instruments.wall_picture(spacing, lean_deg=lean, grain=grain, seed=int(rng.integers(2**31)))

    def px(points: list[tuple[float, float]], miss: float) -> list[Px]:
        return [Px(x=x + float(rng.normal(0, miss)), y=y + float(rng.normal(0, miss))) for x, y in points]

    frame = Rectangle(corners=px(at["frame"], 1.0), width_mm=60, height_mm=30)
    try:
        found = measure_wall(np.asarray(grey, dtype=float), WallMarks(line=px(at["line"], 0.5), rectangle=frame))
    except BadInput:
        return Tried(None)
    return Tried(100 * (found.spacing.value / spacing - 1), 100 * found.spacing.u95 / spacing)


def _current(rng: Rng, motors: int) -> Tried:
    rms = float(rng.uniform(0.5, 1.4))
    volts = rms * motors * np.sqrt(2) * 5 * 0.1 * (1 + float(rng.normal(0, 0.01)))
    read = round(volts * (1 + float(rng.normal(0, 0.004))) / 0.01) * 0.01
    context = {"reference_v": read, "sense_ohm": 0.1, "gain": 5, "rated_a": 1.5, "motors_on_driver": motors}
    found = procedures.run("motor-current", context).rms_current
    return Tried(100 * (found.value / rms - 1), 100 * found.u95 / rms)


def _rounds(rng: Rng, settle: float, back: float) -> Tried:
    """Rounds of a pair until they hold: how far from the target they end, against the band (10 %)."""
    from kestov_core.machine import Tensioner
    from kestov_core.simulator.machine import SimBelt, SimMachine, turn

    common: dict[str, Any] = {
        "linear_density_g_per_m": 8.0, "span_mm": 250, "axial_stiffness_n": 15000, "loop_length_mm": 1200,
        "tensioner": Tensioner(thread_pitch_mm=0.7), "settle": settle, "slip": back,
        "gain": float(rng.uniform(0.75, 1.25)),
    }  # fmt: skip
    names = ("a", "b")
    belts = {
        n: SimBelt(tension_n=float(rng.uniform(10, 50)), partner=names[i - 1], **common) for i, n in enumerate(names)
    }
    machine, history = SimMachine(belts=belts, seed=int(rng.integers(1000))), []
    for _ in range(8):
        seen = {n: belt.tension_n + float(rng.normal(0, 0.1)) for n, belt in machine.belts.items()}
        rows = [
            {"id": n, "tension": {"value": v, "u95": 0.3, "own": 0.2, "unit": "N"}, "loop_length_mm": 1200, "tensioner": {"thread_pitch_mm": 0.7}}
            for n, v in seen.items()
        ]  # fmt: skip
        advice = procedures.run("belt-set", {"belts": rows, "target_n": 30, "history": history})
        steps = [s for s in advice.belts if s.turns]
        if not steps:
            break
        for s in steps:
            sign = 1 if s.tighten else -1
            machine = turn(machine, s.id, sign * s.turns.value)
            history.append(
                {
                    "id": s.id,
                    "turns": sign * s.turns.value,
                    "before_n": seen[s.id],
                    "after_n": machine.belts[s.id].tension_n,
                }
            )
    worst = max(abs(b.tension_n / 30 - 1) for b in machine.belts.values())
    return Tried(100 * worst, 10.0)


def conditions() -> Iterator[Condition]:
    """All that is tried, in the order of the table."""
    for name, how in _SOUND.items():
        yield Condition("belt-pluck", name, lambda rng, how=how: _pluck(rng, **how))
    for name, (how, sensor) in _SHAKING.items():
        yield Condition("resonance", name, lambda rng, how=how, sensor=sensor: _shaken(rng, how, sensor))
    yield Condition("resonance", "saturates", lambda rng: _shaken(rng, {}, {"range_mm_s2": 1500.0}), spoilt=True)
    for name in ("sine", "square", "trapezoid", "steps of 1 Hz", "up and down again", "knocks"):
        how, sensor = _SHAKING[name]
        size = 0.5 if name == "knocks" else 0.2
        yield Condition(
            "resonance",
            f"loose by {size:g} of the swing: {name}",
            lambda rng, how=how, sensor=sensor, size=size: _shaken(rng, how, sensor, size),
            spoilt=True,
        )
    for procedure in ("belt-deflection", "steps", "backlash", "ringing-print"):
        for habit in HABITS:
            # A force with another press's depth, a reading with another's target: a slip. Readings of one thing: none.
            spoilt = habit in SLIPS or (habit == "places_swapped" and procedure != "steps")
            yield Condition(procedure, habit.replace("_", " "), _by_hand(procedure, habit), spoilt)
    yield Condition("backlash", "friction and stick beside the play", _by_hand("backlash", "friction, stick"))
    yield Condition("backlash", "warming up, a drift of 0.02 mm", _by_hand("backlash", "warming up"))
    yield Condition("photo ruler", "lit well, 10 degrees aslant", lambda rng: _picture(rng, 0.03, 10.0))
    yield Condition("photo ruler", "grainy, 25 degrees aslant", lambda rng: _picture(rng, 0.12, 25.0))
    yield Condition("motor-current", "one motor on its driver", lambda rng: _current(rng, 1))
    yield Condition("motor-current", "two in parallel", lambda rng: _current(rng, 2))
    yield Condition("belt-set", "rounds of a pair until they hold", lambda rng: _rounds(rng, 0.02, 0.03))
    yield Condition("belt-set", "the belt settles by a tenth after each turn", lambda rng: _rounds(rng, 0.1, 0.03))
    yield Condition("belt-set", "the tensioner turns back by a fifth", lambda rng: _rounds(rng, 0.02, 0.2))
    # At the end: each condition's seed is its place.
    yield Condition("resonance", "a phone, knocked at three rates", _by_phone)
    yield Condition("resonance", "a phone, its times half a millisecond off", lambda rng: _by_phone(rng, late_s=5e-4))
    yield Condition(
        "resonance", "a phone, what it is fixed to guessed within a quarter", lambda rng: _by_phone(rng, heavy=True)
    )
    yield Condition("resonance", "a phone of one rate", lambda rng: _by_phone(rng, (60.0,)), spoilt=True)


_ALL = list(conditions())


def _row(task: tuple[int, int]) -> str:
    """One line of the table."""
    number, times = task
    c = _ALL[number]
    tried = [c.run(np.random.default_rng([number, k])) for k in range(times)]
    answered = [t for t in tried if t.error is not None and t.u95 is not None]
    told = [t for t in answered if not t.asked]
    refused, asked = times - len(answered), len(answered) - len(told)

    def cell(values: list[float], how: Callable[[list[float]], float]) -> str:
        return f"{how(values):.2f}" if values else "–"

    errors = [abs(t.error or 0.0) for t in told]
    cover = [float(abs(t.error or 0.0) <= (t.u95 or 0.0)) for t in told]
    wrong = sum(abs(t.error or 0.0) > 2 * (t.u95 or 0.0) for t in told)
    if c.spoilt:
        verdict = f"noticed {refused + asked} of {times}"
    else:
        verdict = "" if not refused + asked else f"{refused} refused, {asked} asked, wrongly"
    return (
        f"| {c.procedure} | {c.name} | {len(told)} | {cell(errors, np.median)} | {cell(errors, max)} "
        f"| {cell([t.u95 or 0.0 for t in told], np.median)} | {cell(cover, lambda v: 100 * float(np.mean(v)))} | {wrong} | {verdict} |"
    )


HEAD = """| procedure | condition | answered without doubt | median error, % | worst, % | median u95, % | u95 covers, % | wrong and silent | noticed, or refused wrongly |
| --- | --- | --- | --- | --- | --- | --- | --- | --- |"""


def main() -> None:
    """Print the table, and write it where asked."""
    parser = argparse.ArgumentParser(prog="kestov bench truth")
    parser.add_argument("procedure", nargs="*", help="only these; all where none is named")
    parser.add_argument("--times", type=int, default=24, help="how often each condition is tried")
    parser.add_argument("--write", type=Path, help="put the table into this file, below its heading")
    args = parser.parse_args()
    wanted = [(i, args.times) for i, c in enumerate(_ALL) if not args.procedure or c.procedure in args.procedure]
    print(HEAD, flush=True)
    lines = []
    with ProcessPoolExecutor(max_workers=os.cpu_count()) as pool:
        for line in pool.map(_row, wanted):
            print(line, flush=True)
            lines.append(line)
    if args.write:
        text = args.write.read_text()
        start = text.index("| procedure |")
        args.write.write_text(text[:start] + "\n".join([HEAD, *lines]) + "\n")


if __name__ == "__main__":
    main()
