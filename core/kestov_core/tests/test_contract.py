"""Rules that hold for every procedure: what is refused and how, and what every result has."""

import copy
import importlib
import json
import math
import re
import unittest
from pathlib import Path

from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.procedures import _shaken_advised, layer_shift, ripple_source
from kestov_core.quantities import worst
from kestov_core.simulator.instruments import SimTravel, reversal_csv
from kestov_core.simulator.shaking import Sensor, Shake, SimAxis, SimMode, shake
from kestov_core.simulator.sound import Belt, Pluck, Room, record, wav

WAV = wav(record(Belt(f0_hz=90), [Pluck(0.3 + i) for i in range(3)], 3.4, 16000, Room(hiss=0.001), seed=6))

SHAKEN = shake(SimAxis(modes=[SimMode(hz=45.0)]), "x", Shake(seconds=8.0), Sensor(), 1).csv()
BELT = {"kind": "belt", "pitch_mm": 2.0, "teeth": 20.0}

#: One good context for each procedure, with the data it needs.
GOOD = {
    "belt-pluck": ({"span_mm": 285.0, "linear_density_g_per_m": 8.2, "target_n": {"low": 20.0, "high": 40.0}}, WAV),
    "belt-deflection": (
        {
            "span_mm": 300.0,
            "readings": [{"force_n": 2.0, "deflection_mm": 5.0}, {"force_n": 2.1, "deflection_mm": 5.2}],
        },
        None,
    ),
    "belt-set": (
        {
            "belts": [
                {
                    "id": "x",
                    "tension": {"value": 20.0, "u95": 0.5, "unit": "N"},
                    "loop_length_mm": 1000.0,
                    "tensioner": {"thread_pitch_mm": 0.7},
                }
            ],
            "target_n": 30.0,
        },
        None,
    ),
    "belt-tracking": (
        {
            "positions": [
                {"travel_mm": 0.0, "clearance_top_mm": 0.5, "clearance_bottom_mm": 0.6},
                {"travel_mm": 100.0, "clearance_top_mm": 0.6, "clearance_bottom_mm": 0.5},
                {"travel_mm": 200.0, "clearance_top_mm": 0.6, "clearance_bottom_mm": 0.5},
            ]
        },
        None,
    ),
    "ringing-print": ({"speed_mm_s": 80.0, "ripples": [{"count": 4.0, "distance_mm": 8.0}]}, None),
    "resonance": ({"unit": "m/s2", "excited_axis": "x", "excitation": "sweep", "smoothing_limit_mm": 0.1}, SHAKEN),
    "shaper": ({"name": "zvd", "frequency_hz": 40.0, "damping_ratio": 0.05}, None),
    "ripple-source": (
        {
            "direction": "x",
            "observations": [{"speed_mm_s": 80.0, "spacing_mm": 1.8, "u95_mm": 0.05}],
            "machine": {"kinematics": "corexy", "transmissions": {"a": BELT}},
        },
        None,
    ),
    "motor-current": ({"reference_v": 0.8, "sense_ohm": 0.1, "gain": 8.0, "rated_a": 1.0}, None),
    "layer-shift": (
        {
            "shift_x_mm": 2.0,
            "shift_y_mm": 0.0,
            "u95_mm": 0.1,
            "kinematics": "bed_slinger",
            "transmissions": {"x": BELT, "y": BELT},
        },
        None,
    ),
    "steps": (
        {"axis": "x", "steps_per_mm": 80.0, "commanded_mm": 100.0, "measured_mm": [99.5, 99.6], "transmission": BELT},
        None,
    ),
    "backlash": ({"limit_mm": 0.04, "resolution_mm": 0.01}, reversal_csv(SimTravel(), [10.0, 12.0, 14.0], 5, 1)),
    "diagnose": ({"printer": {"kinematics": "corexy"}, "findings": [{"finding": "squeak", "axis": "x"}]}, None),
}
# A newer procedure's good context stands in its own test, as GOOD.
for _file in sorted(Path(__file__).parent.glob("test_*.py")):
    if _file.stem != Path(__file__).stem and "\nGOOD = {" in _file.read_text("utf-8"):
        GOOD |= importlib.import_module(f"{__package__}.{_file.stem}").GOOD


def figures(node, path=()):
    """Every number in a context with the path to it."""
    if isinstance(node, dict):
        for key, value in node.items():
            yield from figures(value, (*path, key))
    elif isinstance(node, list):
        for i, value in enumerate(node):
            yield from figures(value, (*path, i))
    elif isinstance(node, float):
        yield path


def put(context, path, value):
    changed = copy.deepcopy(context)
    node = changed
    for key in path[:-1]:
        node = node[key]
    node[path[-1]] = value
    return changed


class EveryProcedure(unittest.TestCase):
    def refused(self, name, context, data):
        with self.assertRaises(BadInput, msg=f"{name}: {context}") as e:
            procedures.run(name, context, data)
        self.assertTrue(e.exception.message.endswith((".", "…")), e.exception.message)
        return e.exception

    def test_each_has_its_good_context_here(self):
        self.assertEqual(sorted(GOOD), procedures.names())

    def test_results_have_what_every_result_has(self):
        verdicts = {"in_tolerance", "watch", "out_of_tolerance", "cannot_tell", "not_judged"}
        for name, (context, data) in GOOD.items():
            result = procedures.run(name, context, data)
            dumped = json.loads(result.model_dump_json())
            self.assertIn(result.verdict, verdicts)
            self.assertEqual(result.procedure, name)
            with self.subTest("judged", name=name):
                self.assertEqual(bool(result.judged), name != "diagnose")
                # Where the result as a whole is in doubt, so is its headline; no part is worse than the whole.
                self.assertEqual(worst([j.verdict for j in result.judged]), result.verdict)
                for j in result.judged:
                    self.assertEqual(j.limits is None, j.source_of_limits == "")
                    self.assertTrue(j.words and (j.limits is None or j.verdict != "not_judged"))
            for part in ("advice", "warnings", "findings"):
                self.assertIsInstance(dumped[part], list, name)
            for finding in result.findings:
                self.assertIn(finding.finding, procedures_findings())
            for quantity in quantities(dumped):
                self.assertTrue(quantity["unit"], name)
                self.assertTrue(quantity["u95"] is None or quantity["u95"] >= 0, name)

    def test_what_an_advice_asks_for_can_be_measured(self):
        source = "".join(file.read_text("utf-8") for file in Path(procedures.__file__).parent.glob("*.py"))
        asked = set(re.findall(r'measure="([\w-]+)"', source))
        for table in (_shaken_advised.MEASURE, layer_shift.MEASURE, ripple_source.MEASURE):
            asked |= set(table.values())
        self.assertGreater(len(asked), 8)
        self.assertLessEqual(asked, set(procedures.names()))

    def test_no_number_and_no_infinity_passes(self):
        for name, (context, data) in GOOD.items():
            for path in figures(context):
                for bad in (math.nan, math.inf, -math.inf):
                    e = self.refused(name, put(context, path, bad), data)
                    self.assertEqual(e.code, "not_finite", (name, path))
                    self.assertIn(str(path[-1]), e.field or "", name)

    def test_nor_does_it_in_a_field_that_has_a_default(self):
        for name, field in (
            ("belt-pluck", "span_u95_mm"),
            ("belt-deflection", "resolution_mm"),
            ("belt-set", "axial_stiffness_u95_percent"),
            ("belt-tracking", "resolution_mm"),
            ("ringing-print", "amplitude_resolution_mm"),
            ("resonance", "max_frequency_hz"),
            ("motor-current", "meter_u95_percent"),
            ("steps", "stated_u95_mm"),
        ):
            context, data = GOOD[name]
            for bad in (math.nan, math.inf):
                e = self.refused(name, {**context, field: bad}, data)
                self.assertEqual((e.code, e.field), ("not_finite", field), name)

    def test_words_where_figures_belong_are_refused_at_their_field(self):
        for name, (context, data) in GOOD.items():
            for path in figures(context):
                e = self.refused(name, put(context, path, "some"), data)
                self.assertEqual((e.code, str(path[-1]) in (e.field or "")), ("wrong_type", True), (name, path))

    def test_negative_lengths_forces_and_speeds_are_refused(self):
        may_be_negative = {"travel_mm", "value", "shift_x_mm", "shift_y_mm", "x_mm", "y_mm", "height_mm"}
        may_be_negative |= {"reference", "readings", "reversed"}  # whatever an instrument reads
        may_be_negative |= {"limit"}  # of whatever figure wears
        may_be_negative |= {"readings_direct_mm", "readings_reversed_mm", "angle_deg", "turns_total"}
        for name, (context, data) in GOOD.items():
            for path in figures(context):
                if not may_be_negative & {str(p) for p in path[-2:]}:
                    e = self.refused(name, put(context, path, -1.0), data)
                    self.assertEqual(e.code, "out_of_range", (name, path))

    def test_a_misspelt_field_is_not_silently_lost(self):
        for name, (context, data) in GOOD.items():
            e = self.refused(name, {**context, "spam_mm": 3}, data)
            self.assertEqual((e.code, e.field), ("out_of_range", "spam_mm"), name)

    def test_what_is_missing_is_asked_for(self):
        for name in GOOD:
            if not procedures.get(name).context.model_json_schema().get("required"):
                continue  # all of it has a typical default
            e = self.refused(name, {}, GOOD[name][1])
            self.assertEqual(e.code, "missing_field", name)

    def test_data_is_asked_for_where_it_is_needed_and_refused_where_not(self):
        for name, (context, data) in GOOD.items():
            if data is None:
                self.assertEqual(self.refused(name, context, b"1,2").code, "out_of_range")
            else:
                self.assertEqual(self.refused(name, context, None).code, "missing_field")
                self.assertEqual(self.refused(name, context, b"").code, "empty_file")

    def test_the_same_input_gives_the_same_result(self):
        for name, (context, data) in GOOD.items():
            one, two = (procedures.run(name, context, data).model_dump() for _ in range(2))
            self.assertEqual(one, two, name)

    def test_what_it_says_of_a_healthy_machine_and_of_one_reported_is_of_its_context(self):
        declared = [(p, told) for p in map(procedures.get, GOOD) for told in (p.healthy, p.reported) if told]
        self.assertTrue(declared)
        for p, told in declared:
            self.assertIsNotNone(p.stand_in, p.name)
            again = procedures.parse(p.context, GOOD[p.name][0] | dict(told)).model_dump()
            self.assertEqual({name: again[name] for name in told}, told, p.name)
        self.assertEqual(
            sum(procedures.get(n).reported is not None for n in GOOD), 1, "a report brings one kind of file"
        )

    def test_schemas_describe_every_field(self):
        for name in GOOD:
            schema = procedures.get(name).schema()
            for field in GOOD[name][0]:
                self.assertIn(field, schema["context"]["properties"], name)
            self.assertIn("verdict", schema["result"]["properties"])


def quantities(node):
    if isinstance(node, dict):
        if {"value", "unit", "u95"} <= set(node):
            yield node
        for value in node.values():
            yield from quantities(value)
    elif isinstance(node, list):
        for value in node:
            yield from quantities(value)


def procedures_findings():
    from kestov_core.knowledge import findings

    return findings()
