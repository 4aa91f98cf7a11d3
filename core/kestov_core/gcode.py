"""Programs of moves for a test, as G-code that any controller of the usual kind takes: no heating, no extruding.

Each begins by saying what must be so before it runs, keeps inside the axis's limits less a margin, and moves slowly.
"""

from __future__ import annotations

from .errors import BadInput

#: Typical: slow enough for a dial indicator's stylus (10 mm/s), and clear of the frame's end.
FEED_MM_MIN, MARGIN_MM = 600, 5.0
#: Shorter strokes are over before they are heard (mm).
LEAST_RUN_MM = 20.0
Axis = str


def _check(axis: str, targets: list[float], low_mm: float, high_mm: float) -> None:
    if axis not in ("x", "y", "z"):
        raise BadInput("out_of_range", "Moves are made for x, y or z.", "axis")
    if high_mm - low_mm <= 2 * MARGIN_MM:
        raise BadInput("out_of_range", f"The axis must travel more than {2 * MARGIN_MM:g} mm.", "high_mm")
    for t in targets:
        if not low_mm + MARGIN_MM <= t <= high_mm - MARGIN_MM:
            raise BadInput(
                "out_of_range",
                f"A move to {t:g} mm would come nearer than {MARGIN_MM:g} mm to the end of the axis "
                f"({low_mm:g} to {high_mm:g} mm). Move the start, or make the test shorter.",
                "start_mm",
            )


def _head(what: str, axis: str, feed: int) -> list[str]:
    return [
        f"; {what}",
        f"; Before it runs: plate fitted and nothing else on it, nozzle and bed cold, home the machine, hands out. Moves only {axis.upper()}.",
        "; Keep a finger on the power switch for the first pass.",
        "G21 ; millimetres",
        "G90 ; absolute",
        f"G1 F{feed}",
    ]


def _wait(seconds: float | None, words: str) -> str:
    return f"M0 {words}" if seconds is None else f"G4 P{round(seconds * 1000)} ; {words}"


def backlash_test(
    axis: Axis,
    start_mm: float,
    step_mm: float,
    targets: int,
    cycles: int,
    low_mm: float,
    high_mm: float,
    overrun_mm: float = 2.0,
    pause_s: float | None = None,
    feed_mm_min: int = FEED_MM_MIN,
) -> str:
    """Approach each target from both sides, ``cycles`` times, with a pause for the reading (``pause_s`` None: until a key).

    Readings go into the CSV in the order of the program: up through all targets (+), then down (-), again.
    Errors: ``out_of_range``.
    """
    if not 1 <= targets <= 20 or not 1 <= cycles <= 20:
        raise BadInput("out_of_range", "One to twenty targets, one to twenty cycles.", "targets")
    if step_mm <= 0 or overrun_mm <= 0 or not 30 <= feed_mm_min <= 1800:
        raise BadInput("out_of_range", "Step and overrun must be above 0, the feed from 30 to 1800 mm/min.", "step_mm")
    at = [start_mm + i * step_mm for i in range(targets)]
    below, above = at[0] - overrun_mm, at[-1] + overrun_mm
    _check(axis, [below, above], low_mm, high_mm)
    name = axis.upper()
    lines = _head(f"Reversal test of {name}: {targets} targets, {cycles} cycles", axis, feed_mm_min)
    lines.append(f"; The indicator must have room for {above - below:g} mm of travel.")
    lines.append(f"G1 {name}{below:g}")
    for cycle in range(1, cycles + 1):
        for sign, way in (("+", at), ("-", at[::-1])):
            for t in way:
                lines += [f"G1 {name}{t:g}", "M400", _wait(pause_s, f"Read {t:g} mm, from {sign}, cycle {cycle}")]
            lines.append(f"G1 {name}{above if sign == '+' else below:g}")
    return "\n".join([*lines, "; End", ""])


def travel_test(
    axis: Axis,
    start_mm: float,
    travel_mm: float,
    repeats: int,
    low_mm: float,
    high_mm: float,
    pause_s: float | None = None,
) -> str:
    """Move ``travel_mm`` away from ``start_mm`` and back, with a pause at each end to measure. Approach always from below."""
    if travel_mm <= 0 or not 1 <= repeats <= 20:
        raise BadInput("out_of_range", "A travel above 0, one to twenty repeats.", "travel_mm")
    overrun = 2.0
    _check(axis, [start_mm - overrun, start_mm + travel_mm], low_mm, high_mm)
    name = axis.upper()
    lines = _head(f"Travel test of {name}: {travel_mm:g} mm, {repeats} times", axis, FEED_MM_MIN)
    for n in range(1, repeats + 1):
        # From below each time: play is then on the same side at both ends.
        lines += [
            f"G1 {name}{start_mm - overrun:g}",
            f"G1 {name}{start_mm:g}",
            "M400",
            _wait(pause_s, f"Mark or zero, reading {n}"),
        ]
        lines += [f"G1 {name}{start_mm + travel_mm:g}", "M400", _wait(pause_s, f"Measure, reading {n}")]
    return "\n".join([*lines, "; End", ""])


def speed_ladder(
    axis: Axis, ladder_mm_s: list[float], rung_s: float, pause_s: float, low_mm: float, high_mm: float
) -> str:
    """A mark of three short moves, then each speed to and fro for ``rung_s`` seconds with pauses between. Errors: ``out_of_range``."""
    low, high = low_mm + MARGIN_MM, high_mm - MARGIN_MM
    if high - low < LEAST_RUN_MM:
        raise BadInput(
            "out_of_range", f"The ladder wants {LEAST_RUN_MM + 2 * MARGIN_MM:g} mm of travel at the least.", "high_mm"
        )
    _check(axis, [low, high], low_mm, high_mm)
    name = axis.upper()
    lines = _head(f"Ladder of {len(ladder_mm_s)} speeds of {name}, for listening", axis, FEED_MM_MIN)
    lines += ["; Start the recording, then this program.", f"G1 {name}{low:g}", "M400", _wait(2.0, "Rest")]
    middle = ladder_mm_s[len(ladder_mm_s) // 2]
    at, burst = low, min(0.3 * middle, high - low)
    for i in range(3):
        at = low + burst if i % 2 == 0 else low
        lines += [f"G1 {name}{at:.3f} F{middle * 60:.0f}", "M400", _wait(0.3 if i < 2 else 1.0, "Mark")]
    for speed in ladder_mm_s:
        left = speed * rung_s
        lines.append(f"; {speed:g} mm/s")
        # In strokes of at most the travel, to and fro, until the time is up.
        while left > 1e-6:
            up = high - at >= at - low
            stroke = min(left, high - at if up else at - low)
            at += stroke if up else -stroke
            left -= stroke
            lines.append(f"G1 {name}{at:.3f} F{speed * 60:.0f}")
        lines += ["M400", _wait(pause_s, "Pause")]
    return "\n".join([*lines, "; End", ""])


def steps_script(axis: Axis, steps_per_mm: float) -> str:
    r"""Set, store and read back the steps of an axis.

    Parameters
    ----------
    axis : str
        ``x``, ``y``, ``z`` or ``e``.
    steps_per_mm : float
        Steps for each millimetre.

    Returns
    -------
    str
        G-code.

    Examples
    --------
    >>> steps_script("x", 80.0)
    'M92 X80.0000\nM500\nM503\n'
    """
    if axis not in ("x", "y", "z", "e") or not 0 < steps_per_mm <= 1e6:
        raise BadInput(
            "out_of_range", "A script of settings takes an axis and a figure in range, nothing else.", "axis"
        )
    return f"M92 {axis.upper()}{steps_per_mm:.4f}\nM500\nM503\n"
