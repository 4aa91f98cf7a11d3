"""Where a procedure's figures come from when nobody types them, and how they are asked for."""

import unittest

from kestov_core import knowledge, procedures
from kestov_core.asking import (
    InstrumentFacts,
    Known,
    LimitSource,
    asked_of,
    fields_here,
    fill,
    limits_named,
    readings_here,
)
from kestov_core.machine import Description
from kestov_core.procedures.backlash import Reversal
from kestov_core.quantities import Limits

SLINGER = Description.model_validate(
    {
        "kinematics": "bed_slinger",
        "transmissions": {
            "x": {
                "kind": "belt",
                "teeth": 20,
                "width_mm": 6,
                "spans": [{"name": "top", "span_mm": 285}],
                "loop_length_mm": 900,
            },
            "y": {"kind": "belt", "linear_density_g_per_m": 8.4},
            "z1": {"kind": "screw", "lead_mm": 8},
            "e": {"kind": "extruder"},
        },
    }
)
CROSSED = Description.model_validate(
    {"kinematics": "corexy", "transmissions": {"a": {"kind": "belt"}, "b": {"kind": "belt"}}}
)


def known(place="x", description=SLINGER, **more):
    return Known(description, place, **more)


def shape(name):
    return procedures.get(name).context


class WhereAValueIsFrom(unittest.TestCase):
    def filled(self, name, typed, k):
        """A context completed, checked by the procedure's own model; the value and the source of each field."""
        context = fill(shape(name), typed, k)
        procedures.parse(shape(name), context)
        return context, context.get("sources", {})

    def test_the_models_belt_fills_what_nobody_typed(self):
        context, sources = self.filled("belt-pluck", {}, known())
        self.assertEqual((context["span_mm"], sources["span_mm"]), (285, "model"))
        self.assertEqual((context["linear_density_g_per_m"], sources["linear_density_g_per_m"]), (8.0, "typical"))
        self.assertEqual((context["target_n"], sources["target_n"]), ({"low": 20.0, "high": 50.0}, "typical"))
        self.assertEqual(context["axis"], "x")

    def test_what_is_typed_goes_before_all_else(self):
        context, sources = self.filled("belt-pluck", {"span_mm": 300.0}, known())
        self.assertEqual((context["span_mm"], sources["span_mm"]), (300.0, "typed"))

    def test_a_figure_that_was_typed_does_not_take_the_uncertainty_of_another(self):
        # The table's 12 % are of the table's weight; a belt that was weighed is known to 3 %.
        context, _ = self.filled("belt-pluck", {"linear_density_g_per_m": 8.3}, known())
        self.assertNotIn("linear_density_u95_percent", context)
        context, _ = self.filled("belt-pluck", {"span_mm": 200.0}, known("y"))
        self.assertEqual((context["linear_density_g_per_m"], context["linear_density_u95_percent"]), (8.4, 3.0))

    def test_every_limit_that_a_workshop_may_set_reaches_the_context(self):
        sources = {s.what: s for name in knowledge.cards() for s in limits_named(shape(name))}
        self.assertGreaterEqual(set(sources), {"tension", "tracking", "reversal", "steps", "smoothing", "current"})
        table = {(what, "all"): Limits(low=41, high=42) for what in sources}
        reached = set()
        for name in knowledge.cards():
            context = fill(shape(name), {}, known(limits=table))
            for field, how in asked_of(shape(name)).items():
                for source in how.sources:
                    if isinstance(source, LimitSource):
                        self.assertEqual(context["sources"][field], "limit", name)
                        band = {"low": 41, "high": 42}
                        self.assertEqual(context[field], band if source.side == "band" else 42, name)
                        reached.add(source.what)
        self.assertEqual(reached, set(sources))

    def test_a_limit_of_the_place_goes_before_one_for_all(self):
        table = {("tracking", "all"): Limits(high=0.3), ("tracking", "x"): Limits(high=0.1)}
        self.assertEqual(fill(shape("belt-tracking"), {}, known(limits=table))["limit_mm"], 0.1)
        self.assertEqual(fill(shape("belt-tracking"), {}, known("y", limits=table))["limit_mm"], 0.3)

    def test_an_instrument_lends_its_step_and_its_uncertainty_in_its_own_unit_only(self):
        scale = InstrumentFacts("Spring scale 1", "N", 0.2, 0.3)
        context, sources = self.filled(
            "belt-deflection", {"readings": [{"force_n": 2, "deflection_mm": 5}]}, known(instrument=scale)
        )
        self.assertEqual((context["resolution_n"], context["scale_u95_n"]), (0.2, 0.3))
        self.assertEqual(sources["resolution_n"], "instrument")
        self.assertNotIn("resolution_mm", context)

    def test_an_instruments_uncertainty_widens_the_result(self):
        readings = [{"force_n": 2.0, "deflection_mm": 5.0}, {"force_n": 2.02, "deflection_mm": 5.1}]
        base = {"span_mm": 300.0, "readings": readings}
        fine, rough = (
            procedures.run("belt-deflection", {**base, "scale_u95_n": u}).judged[0].quantity.u95 for u in (0.01, 0.4)
        )
        # u(T) = u(F) L / 4 d: 0.4 N on 300 mm pressed by 5 mm is 6 N.
        self.assertAlmostEqual((rough**2 - fine**2) ** 0.5, 0.4 * 300 / 4 / 5.05, delta=0.1)
        current = {
            "reference_v": 0.8,
            "sense_ohm": 0.1,
            "gain": 8.0,
            "rated_a": 1.0,
            "sense_u95_percent": 0.0,
            "resolution_v": 0.0,
        }
        got = procedures.run("motor-current", {**current, "meter_u95_v": 0.04}).judged[0].quantity
        self.assertAlmostEqual(got.u95 / got.value, 0.05)

    def test_the_ledger_goes_before_last_time_and_that_before_theory(self):
        typed = {"commanded_mm": 100.0, "measured_mm": [99.0]}
        told = known(stored={"steps_x": 81.2}, last={"steps_per_mm": 80.9})
        self.assertEqual(self.filled("steps", typed, told)[0]["steps_per_mm"], 81.2)
        context, sources = self.filled("steps", typed, known(last={"steps_per_mm": 80.9}))
        self.assertEqual((context["steps_per_mm"], sources["steps_per_mm"]), (80.9, "last"))
        context, sources = self.filled("steps", typed, known())
        # 200 steps of 16 on 20 teeth of 2 mm.
        self.assertEqual((context["steps_per_mm"], sources["steps_per_mm"]), (80.0, "model"))

    def test_what_hangs_on_a_choice_is_filled_only_where_it_stands_so(self):
        last = {"current_set": "reference", "gain": 8.0, "sense_ohm": 0.1, "rated_a": 1.5}
        context, _ = self.filled("motor-current", {"reference_v": 0.7}, known("x", last=last))
        self.assertEqual((context["gain"], context["rated_a"]), (8.0, 1.5))
        context, _ = self.filled("motor-current", {"current_set": "stored", "stored_rms_a": 0.9}, known("x", last=last))
        self.assertNotIn("gain", context)

    def test_earlier_measurements_reach_those_that_build_on_them(self):
        found = {"frequency": {"value": 44.0, "u95": 0.5, "unit": "Hz"}, "modes": [{"frequency": {"value": 44.0}}]}
        k = known("y", measured=lambda procedure, place: found if (procedure, place) == ("resonance", "y") else None)
        self.assertEqual(fill(shape("resonance"), {}, k)["baseline"]["value"], 44.0)
        self.assertEqual(fill(shape("ripple-source"), {}, k)["machine"]["modes_hz"], {"y": [44.0]})

    def test_a_limit_says_where_it_is_from(self):
        typed = {
            "positions": [{"travel_mm": t, "clearance_top_mm": 0.6, "clearance_bottom_mm": 0.5} for t in (0, 100, 200)]
        }
        for table, source in (({("tracking", "x"): Limits(high=0.3)}, "limit"), ({}, "typical")):
            result = procedures.run("belt-tracking", fill(shape("belt-tracking"), typed, known(limits=table)))
            self.assertEqual(result.judged[0].source_of_limits, source)


class HowItIsAsked(unittest.TestCase):
    def fields(self, name, k):
        return {f.name: f for f in fields_here(shape(name), k)}

    def test_a_field_shows_value_unit_bounds_and_source(self):
        span = self.fields("belt-deflection", known())["span_mm"]
        self.assertEqual((span.value, span.origin, span.unit), (285, "model", "mm"))
        self.assertEqual((span.low, span.above, span.high), (1, False, 5000))
        self.assertIsNone(self.fields("belt-deflection", known("y"))["span_mm"].value)
        band = self.fields("belt-deflection", known())["target_n"]
        self.assertEqual((band.kind, band.value.low, band.value.high), ("band", 20, 50))

    def test_choices_hang_on_one_another(self):
        fields = self.fields("motor-current", known())
        self.assertEqual((fields["current_set"].kind, fields["current_set"].value), ("choice", "reference"))
        self.assertEqual((fields["gain"].when, fields["gain"].when_is), ("current_set", ["reference"]))
        self.assertFalse(fields["gain"].optional)
        self.assertTrue(fields["case_temperature_c"].optional)

    def test_filament_is_asked_by_its_mark_and_an_axis_by_its_travel(self):
        on_axis, at_e = (readings_here(shape("steps"), None, known(p)) for p in ("x", "e"))
        self.assertEqual(
            (on_axis.field, on_axis.plain, on_axis.columns[0].expect), ("measured_mm", True, ["commanded_mm"])
        )
        self.assertEqual((at_e.field, at_e.columns[0].expect), ("mark_after_mm", ["mark_before_mm", "commanded_mm"]))
        self.assertIn("mark_before_mm", self.fields("steps", known("e")))
        self.assertNotIn("mark_before_mm", self.fields("steps", known("x")))

    def test_rows_of_a_list_and_of_a_table_have_their_columns(self):
        press = readings_here(shape("belt-deflection"), None, known())
        self.assertEqual([c.name for c in press.columns], ["force_n", "deflection_mm"])
        self.assertEqual((press.columns[0].low, press.columns[0].high, press.columns[0].above), (0.001, 200, False))
        table = readings_here(shape("backlash"), Reversal, known())
        self.assertEqual((table.field, [c.name for c in table.columns]), (None, ["reading_mm"]))
        self.assertIsNone(readings_here(shape("motor-current"), None, known()))

    def test_every_asked_field_has_bounds_words_and_a_source(self):
        for name in knowledge.cards():
            for place in procedures.get(name).places(SLINGER):
                for f in fields_here(shape(name), known(place)):
                    with self.subTest(name=name, field=f.name):
                        self.assertFalse(f.title.endswith((".", ":")))
                        if f.kind == "figure":
                            self.assertIsNotNone(f.low)
                            self.assertIsNotNone(f.high)
                        self.assertEqual(f.value is None, f.origin is None)


class WhatIsDeclared(unittest.TestCase):
    def test_what_measures_has_a_card_and_what_has_a_card_measures(self):
        measuring = {n for n in procedures.names() if procedures.get(n).measures is not None}
        self.assertEqual(measuring, set(knowledge.cards()))

    def test_knowledge_names_no_procedure_that_is_unknown(self):
        knowledge.faults()
        for check in knowledge.checks().values():
            if check.procedure:
                self.assertEqual(check.planned, check.procedure not in procedures.names(), check.id)
                self.assertTrue(knowledge.words_of(check.procedure))

    def test_places_follow_the_machine(self):
        at = lambda name, d: procedures.get(name).places(d)  # noqa: E731
        self.assertEqual(at("belt-pluck", SLINGER), ("x", "y"))
        self.assertEqual(at("belt-pluck", CROSSED), ("a", "b"))
        self.assertEqual(at("resonance", SLINGER), ("x", "y"))
        self.assertEqual(at("resonance", CROSSED), ("x", "y", "a", "b"))
        self.assertEqual(at("motor-current", SLINGER), ("x", "y", "z1", "e"))
        self.assertEqual(at("layer-shift", SLINGER), ("all",))
        delta = Description.model_validate({"kinematics": "delta", "transmissions": {"t1": {"kind": "belt"}}})
        self.assertEqual(at("layer-shift", delta), ())
        self.assertEqual(at("shaper", SLINGER), ())

    def test_a_card_says_at_a_place_what_is_meant_there(self):
        cards = knowledge.cards()
        self.assertEqual(cards["ringing-print"].here("y").label, "Wall along X")
        self.assertEqual(cards["steps"].here("e").question, "Does it feed as much as told?")
        self.assertEqual(cards["steps"].here("x").question, "Does X travel as far as told?")
        self.assertEqual(cards["resonance"].here("a").heading, "what rings along diagonal A")
        self.assertEqual(cards["layer-shift"].here("all").label, "This print")


class StandIns(unittest.TestCase):
    """What simulated instruments read is what the procedure takes, completed by what is known."""

    def test_every_stand_in_reads_what_its_procedure_takes(self):
        from kestov_core.simulator.machine import SimBelt, SimMachine

        belt = SimBelt(tension_n=30, linear_density_g_per_m=8, span_mm=285, axial_stiffness_n=15000, loop_length_mm=900, tensioner={"thread_pitch_mm": 0.7})  # fmt: skip
        machine = SimMachine(belts={"x": belt, "y": belt})
        seen = set()
        for name in procedures.names():
            procedure = procedures.get(name)
            if procedure.stand_in is None:
                continue
            for place in procedure.places(SLINGER):
                with self.subTest(name=name, place=place):
                    got = procedure.stand_in(machine, place, 1, {"excitation": "sweep", "seconds": 8.0})
                    k = known(place, stored={"steps_e": 93.0})
                    typed = dict(got.told)
                    rows = readings_here(procedure.context, procedure.table, k)
                    data = got.data
                    if procedure.data and data is None:
                        data = procedures.as_table(procedure, got.rows)
                    elif rows is not None:
                        typed[rows.field] = [r[rows.columns[0].name] for r in got.rows] if rows.plain else got.rows
                    context = fill(procedure.context, {"span_mm": 285.0} | typed if name == "belt-pluck" else typed, k)
                    result = procedures.run(name, context, data)
                    self.assertTrue(result.judged)
                    seen.add(name)
        self.assertGreaterEqual(len(seen), 7)


if __name__ == "__main__":
    unittest.main()
