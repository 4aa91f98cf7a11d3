"""Describing a model: typical to begin with, checked for sense, and honest about what measurements would lack."""

import unittest

from kestov_core import procedures
from kestov_core.asking import Known, fill
from kestov_core.describing import lacks, remarks, sheet, typical
from kestov_core.machine import BELTS, Description


def described(**more):
    x = {"kind": "belt", "loop_length_mm": 780, "spans": [{"name": "upper run", "span_mm": 240}]} | more.pop("x", {})
    base = {"kinematics": "bed_slinger", "transmissions": {"x": x, "z1": {"kind": "screw"} | more.pop("z1", {})}}
    return Description.model_validate(base | more)


class Typical(unittest.TestCase):
    def test_every_kinematics_begins_with_a_machine_that_makes_sense(self):
        for kinematics in BELTS:
            d = typical(kinematics)
            self.assertEqual(remarks(d), [], kinematics)
            self.assertTrue(d.belts())
            for section in sheet(d):
                for f in section.fields:
                    self.assertNotEqual((f.origin, f.path[-1]), ("model", "width_mm"))

    def test_three_figures_are_enough_to_pluck_a_belt(self):
        # A free span alone: width, weight and band are typical, and said so.
        d = typical("bed_slinger").model_dump(mode="json", exclude_unset=True)
        d["transmissions"]["x"]["spans"] = [{"name": "upper run", "span_mm": 240}]
        shape = procedures.get("belt-pluck").context
        context = fill(shape, {}, Known(Description.model_validate(d), "x"))
        procedures.parse(shape, context)
        self.assertEqual((context["span_mm"], context["sources"]["span_mm"]), (240, "model"))
        self.assertEqual(context["sources"]["linear_density_g_per_m"], "typical")

    def test_what_is_told_is_the_models_and_what_is_not_is_typical(self):
        fields = {tuple(f.path): f for s in sheet(described(x={"teeth": 16})) for f in s.fields}
        self.assertEqual(
            (fields["transmissions", "x", "teeth"].value, fields["transmissions", "x", "teeth"].origin), (16, "model")
        )
        self.assertEqual(
            (fields["transmissions", "x", "microsteps"].value, fields["transmissions", "x", "microsteps"].origin),
            (16, "typical"),
        )
        self.assertIsNone(fields["bed", "width_mm"].value)

    def test_every_figure_has_bounds_and_words(self):
        for kinematics in BELTS:
            for section in sheet(typical(kinematics)):
                self.assertTrue(section.title and section.note)
                for f in section.fields:
                    if f.kind == "figure":
                        self.assertIsNotNone(f.low, f.path)
                        self.assertIsNotNone(f.high, f.path)


class Sense(unittest.TestCase):
    def at(self, d):
        return {(".".join(map(str, r.path)), r.grave) for r in remarks(d)}

    def test_what_cannot_be_is_said_at_its_field(self):
        for d, path, grave in (
            (described(x={"loop_length_mm": 400}), "transmissions.x.loop_length_mm", True),
            (described(x={"linear_density_g_per_m": 80}), "transmissions.x.linear_density_g_per_m", False),
            (described(z1={"lead_mm": 8, "thread_pitch_mm": 2, "starts": 2}), "transmissions.z1.starts", True),
            (described(z1={"lead_mm": 2, "thread_pitch_mm": 8}), "transmissions.z1.thread_pitch_mm", True),
            (described(x={"microsteps": 17}), "transmissions.x.microsteps", False),
            (described(travel={"x": {"low_mm": 100, "high_mm": 50}}), "travel.x.high_mm", True),
            (
                described(bed={"width_mm": 200, "screws": [{"name": "a", "x_mm": 900, "y_mm": 0}]}),
                "bed.screws.0.x_mm",
                False,
            ),
            (described(hot_end={"highest_c": 300, "cutout_c": 260}), "hot_end.cutout_c", False),
        ):
            self.assertEqual(self.at(d), {(path, grave)})

    def test_a_sound_description_gets_no_remark(self):
        d = described(
            z1={"lead_mm": 8, "thread_pitch_mm": 2, "starts": 4}, travel={"x": {"low_mm": 0, "high_mm": 220}},
            bed={"width_mm": 220, "depth_mm": 220, "screws": [{"name": "a", "x_mm": 10, "y_mm": 10}, {"name": "b", "x_mm": 200, "y_mm": 10}]},
        )  # fmt: skip
        self.assertEqual(remarks(d), [])


class Homing(unittest.TestCase):
    def axes(self, homing):
        from kestov_core.diagnosis.places import machine_of, place_faults

        faults = place_faults(machine_of("bed_slinger", {"x": "belt", "y": "belt"}, [], homing))
        return [p.axis for p in faults if p.fault.homing == "friction"]

    def test_homing_by_friction_is_weighed_only_where_it_is(self):
        self.assertEqual(self.axes({"x": "friction", "y": "switch"}), ["x"])
        self.assertEqual(self.axes({"x": "switch", "y": "switch", "z": "probe"}), [])
        self.assertEqual(self.axes({}), [], "not told, it is not so")


class WhatIsLacking(unittest.TestCase):
    def named(self, d):
        return {row.procedure: row.lacks for row in lacks(d)}

    def test_it_says_which_measurement_would_have_to_be_told_what(self):
        found = self.named(typical("bed_slinger"))
        self.assertIn("Free span", found["belt-pluck"])
        self.assertIn("Motor's rating", found["motor-current"])
        self.assertNotIn("backlash", found)

    def test_what_the_model_tells_is_not_lacking_any_more_and_reaches_the_measurement(self):
        motor = {
            "rated_a": 1.5,
            "current_set": "reference",
            "sense_ohm": 0.1,
            "gain": 8,
            "motors_on_driver": 2,
            "wiring": "series",
        }
        d = described(x=motor, z1=motor)
        self.assertNotIn("motor-current", self.named(d))
        shape = procedures.get("motor-current").context
        context = fill(shape, {"reference_v": 0.8}, Known(d, "x"))
        self.assertEqual({k: context[k] for k in motor}, motor)
        self.assertEqual(context["sources"]["rated_a"], "model")
        self.assertEqual(procedures.run("motor-current", context).judged[0].verdict, "out_of_tolerance")

    def test_fans_idlers_and_ends_reach_where_they_matter(self):
        d = described(
            x={"idler_teeth": 16}, fans=[{"name": "part", "rpm": 6000}], travel={"x": {"low_mm": 5, "high_mm": 215}}
        )
        machine = fill(procedures.get("ripple-source").context, {}, Known(d, "x"))["machine"]
        self.assertEqual((machine["idler_teeth"], machine["fans_hz"]), (16, [100]))
        program = procedures.get("backlash").program
        self.assertEqual(fill(program.told, {}, Known(d, "x"))["high_mm"], 215)

    def test_steps_of_typical_teeth_are_typical(self):
        shape = procedures.get("steps").context
        for x, origin in (({}, "typical"), ({"teeth": 16}, "model")):
            context = fill(shape, {}, Known(described(x=x), "x"))
            self.assertEqual(context["sources"]["steps_per_mm"], origin)


if __name__ == "__main__":
    unittest.main()
