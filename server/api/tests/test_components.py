"""Parts and meters: what is done to a part and what that puts in doubt, its condition and how that is known, hours that cannot be."""

import io
from datetime import timedelta

from measuring.models import StoredValue
from people.clock import at, now
from workshop.meters import Meter, meter_of
from workshop.models import Component, Deed, Event, MeterReading, PartType

from .test_cases import picture
from .world import ApiCase


class Parts(ApiCase):
    def setUp(self):
        super().setUp()
        self.path = f"/printers/{self.slinger.pk}/components"

    def here(self):
        return self.good("technician", "GET", self.path)

    def part(self, kind, place, here=None):
        return next(p for p in (here or self.here())["parts"] if (p["kind"], p["place"]) == (kind, place))

    def do(self, kind, place, did, who="technician", **more):
        return self.good(who, "POST", f"/components/{self.part(kind, place)['id']}/deeds", {"did": did, **more})

    def meter(self, hours, days_ago=0.0, **more):
        with at(now() - timedelta(days=days_ago)):
            return self.good("technician", "POST", f"/printers/{self.slinger.pk}/meter", {"hours": hours, **more})


class Made(Parts):
    def test_every_part_of_the_description_is_there_once(self):
        parts = self.here()["parts"]
        spots = [(p["kind"], p["place"]) for p in parts]
        self.assertEqual(len(spots), len(set(spots)))
        for spot in (
            ("belt", "x"),
            ("idler", "y"),
            ("plate", "bed"),
            ("joints", "frame"),
            ("nozzle", "e"),
            ("fans", "all"),
        ):
            self.assertIn(spot, spots)
        self.assertEqual(self.here()["empty"], [])

    def test_each_says_what_measures_it_where_it_sits(self):
        self.assertIn("belt-pluck", [m["procedure"] for m in self.part("belt", "x")["measure"]])
        self.assertEqual(self.part("idler", "x")["measure"], [])

    def test_members_see_no_parts(self):
        self.refused(403, "not_yours", None, "member", "GET", self.path)


class Condition(Parts):
    def test_nothing_known_says_what_would_tell(self):
        belt = self.part("idler", "x")
        self.assertEqual((belt["condition"], belt["speaks"]), ("not_known", []))
        self.assertIn("A look would tell: spin by hand", belt["would_tell"])

    def test_a_look_tells_until_it_is_long_ago(self):
        self.do("idler", "x", "inspect", found="sound")
        self.assertEqual(self.part("idler", "x")["condition"], "sound")
        self.do("idler", "x", "inspect", found="trouble", words="Rumbles.")
        found = self.part("idler", "x")
        self.assertEqual(
            (found["condition"], found["speaks"][0]["words"]), ("out_of_adjustment", "A look found: Rumbles.")
        )
        Deed.objects.update(at=now() - timedelta(days=120))
        self.assertEqual(self.part("idler", "x")["condition"], "not_known")

    def test_trouble_is_said_in_words(self):
        part = self.part("idler", "x")["id"]
        self.refused(
            422,
            "missing_field",
            "words",
            "technician",
            "POST",
            f"/components/{part}/deeds",
            {"did": "inspect", "found": "trouble"},
        )

    def test_what_was_measured_where_it_sits_tells_of_it_and_of_nothing_else(self):
        readings = [{"force_n": 0.5, "deflection_mm": 6}, {"force_n": 0.5, "deflection_mm": 6}]
        body = {"id": "6a0e2c1e-0000-4000-8000-000000000001", "place": "x", "context": {"span_mm": 300, "readings": readings, "target_n": {"low": 20, "high": 40}}}  # fmt: skip
        self.good("technician", "POST", f"/printers/{self.slinger.pk}/belt-deflection", body)
        self.assertEqual(self.part("belt", "x")["condition"], "out_of_adjustment")
        self.assertEqual(self.part("belt", "y")["condition"], "not_known")
        self.assertEqual(self.part("pulley", "x")["condition"], "not_known")

    def test_past_its_life_it_is_watched(self):
        self.meter(0, days_ago=100)
        self.do("nozzle", "e", "replace")
        Component.objects.filter(kind="nozzle", removed_on=None).update(fitted_hours=0)
        self.meter(700)
        found = self.part("nozzle", "e")
        self.assertEqual((found["condition"], round(found["age_hours"]), found["life_from"]), ("watch", 700, "typical"))
        self.assertIn("88 % of it", found["speaks"][0]["words"])

    def test_of_many_lives_some_are_drawn_and_all_are_counted(self):
        self.meter(0, days_ago=100)
        Component.objects.filter(kind="nozzle", printer=self.slinger).update(fitted_hours=0)
        self.meter(655)
        gone = {"printer": self.crossed, "place": "e", "kind": "nozzle", "label": "Nozzle", "fitted_hours": 0.0}
        Component.objects.bulk_create(
            Component(**gone, removed_on=now().date(), removed_hours=100.0 + i, removed_because="worn")
            for i in range(900)
        )
        life = self.good("technician", "GET", f"/components/{self.part('nozzle', 'e')['id']}/life")
        self.assertEqual((life["parts"], life["failures"], life["runs"]), (901, 900, 1))
        hours = [row["hours"] for row in life["rows"]]
        self.assertIn(len(hours), (400, 401))
        self.assertEqual((hours[0], hours[-1], hours), (100, 999, sorted(hours)))
        self.assertEqual([round(row["hours"]) for row in life["rows"] if row["this"]], [655])

    def test_a_type_of_the_workshop_s_own_has_its_own_life(self):
        self.good("lead", "POST", "/part-types", {"name": "Hardened nozzle", "kind": "nozzle", "life_hours": 3000})
        kind = PartType.objects.get()
        part = self.part("nozzle", "e")["id"]
        found = self.good("technician", "POST", f"/components/{part}/type", {"type_id": kind.pk})
        nozzle = self.part("nozzle", "e", found)
        self.assertEqual((nozzle["life_hours"], nozzle["life_from"]), (3000, "this workshop's own"))
        belt = self.part("belt", "x")["id"]
        self.refused(
            422, "out_of_range", "type_id", "technician", "POST", f"/components/{belt}/type", {"type_id": kind.pk}
        )
        self.refused(
            422, "out_of_range", "name", "lead", "POST", "/part-types", {"name": "hardened NOZZLE", "kind": "nozzle"}
        )
        self.refused(422, "out_of_range", "kind", "lead", "POST", "/part-types", {"name": "Wing", "kind": "wing"})
        self.refused(403, "not_yours", None, "technician", "POST", "/part-types", {"name": "Other", "kind": "nozzle"})


class Deeds(Parts):
    def test_a_replaced_part_leaves_its_history_and_writes_its_event(self):
        self.meter(100, days_ago=30)
        self.meter(220)
        StoredValue.objects.create(
            printer=self.slinger, name="shaper_frequency_x", value=44, unit="Hz", at=now() - timedelta(days=2)
        )
        old = self.part("belt", "x")["id"]
        self.do("belt", "x", "inspect", found="trouble", words="Frayed.")
        self.do("belt", "x", "replace", because="worn", words="Frayed at the clamp.")
        new = self.part("belt", "x")
        self.assertNotEqual(new["id"], old)
        self.assertEqual((round(new["age_hours"]), new["condition"]), (0, "not_known"))
        gone = Component.objects.get(pk=old)
        self.assertEqual((gone.removed_because, round(gone.removed_hours)), ("worn", 220))
        event = Event.objects.get(printer=self.slinger, event="belt_changed")
        self.assertEqual(event.place, "x")
        # What that puts in doubt follows without anybody typing it.
        stored = self.good("technician", "GET", f"/printers/{self.slinger.pk}/stored")["stands"]
        self.assertEqual([(r["stand"], r["doubt"]) for r in stored], [("in_doubt", "a belt was changed")])
        words = [d["words"] for d in self.good("technician", "GET", f"/components/{new['id']}/history")]
        self.assertEqual(len(words), 3)
        self.assertIn("Fitted: Belt, X. In place of one that was worn", words)
        self.refused(409, "taken_out", None, "technician", "POST", f"/components/{old}/deeds", {"did": "adjust"})
        record = self.good("technician", "GET", f"/printers/{self.slinger.pk}/record?place=x")["lines"]
        self.assertIn("Took out: Belt, X. Frayed at the clamp", [line["words"] for line in record])

    def test_only_what_can_be_done_to_such_a_part(self):
        part = self.part("pulley", "x")["id"]
        for did in ("adjust", "lubricate"):
            self.refused(422, "out_of_range", "did", "technician", "POST", f"/components/{part}/deeds", {"did": did})

    def test_what_was_seen_to_is_no_longer_troubled_by_the_look_before(self):
        self.do("idler", "x", "inspect", found="trouble", words="Squeaks.")
        self.do("idler", "x", "lubricate", used="one drop of light oil")
        found = self.part("idler", "x")
        self.assertEqual(found["condition"], "not_known")
        self.assertEqual(found["last"]["words"], "Lubricated: Idlers, X. With one drop of light oil")

    def test_a_part_moves_with_its_hours_and_leaves_an_empty_place(self):
        twin = self.twin = type(self.slinger).objects.create(
            name="Twin", model=self.slinger.model, area=self.slinger.area, position=9
        )
        from workshop.models import fit_out

        fit_out(twin)
        self.meter(0, days_ago=50)
        self.meter(400)
        Component.objects.filter(printer=self.slinger, kind="nozzle").update(fitted_hours=100)
        other = Component.objects.get(printer=twin, kind="nozzle", removed_on=None)
        part = self.part("nozzle", "e")["id"]
        listed = self.good("technician", "GET", f"/components/{part}/elsewhere")
        self.assertIn((other.pk, "Twin", None), [(e["id"], e["printer"], e["hours"]) for e in listed])
        self.assertNotIn(part, [e["id"] for e in listed])
        there = self.good("technician", "POST", f"/components/{part}/move", {"to": other.pk})
        self.assertEqual(self.part("nozzle", "e", there)["age_hours"], None, "the twin's meter was never read")
        self.assertEqual(Component.objects.get(printer=twin, kind="nozzle", removed_on=None).brought_hours, 300)
        here = self.here()
        self.assertEqual([(e["kind"], e["place"]) for e in here["empty"]], [("nozzle", "e")])
        fitted = self.good("technician", "POST", self.path, {"kind": "nozzle", "place": "e"})
        self.assertEqual(fitted["empty"], [])
        self.refused(409, "taken", "kind", "technician", "POST", self.path, {"kind": "nozzle", "place": "e"})
        self.refused(422, "out_of_range", "kind", "technician", "POST", self.path, {"kind": "nozzle", "place": "t9"})
        belt = self.part("belt", "x")["id"]
        self.refused(
            422, "out_of_range", "to", "technician", "POST", f"/components/{belt}/move", {"to": other_id(twin)}
        )

    def test_worn_parts_weigh_in_a_case(self):
        case = self.report(printer=self.slinger)
        self.good("technician", "POST", f"/cases/{case}/take")

        def idler():
            bars = self.good("technician", "GET", f"/cases/{case}")["weighing"]["result"]["hypotheses"]
            return sum(h["probability"] for h in bars if h["fault"] == "belt_worn" and h["axis"] == "x")

        before = idler()
        self.meter(0, days_ago=400)
        Component.objects.filter(kind="belt").update(fitted_hours=0)
        self.meter(7000)
        self.assertGreater(idler(), before)


def other_id(printer):
    return Component.objects.get(printer=printer, kind="nozzle", removed_on=None).pk


class Pictures(Parts):
    def add(self, deed, file, who="technician"):
        return self.call(who, "POST", f"/deeds/{deed}/picture", file=file)

    def history(self):
        return self.good("technician", "GET", f"/components/{self.part('idler', 'x')['id']}/history")

    def test_what_was_found_has_a_picture_once(self):
        self.do("idler", "x", "inspect", found="trouble", words="Rumbles.")
        (deed,) = self.history()
        self.assertFalse(deed["picture"])
        status, rows = self.add(deed["id"], picture())
        self.assertEqual((status, rows[0]["picture"]), (200, True))
        data = self.good("technician", "GET", f"/deeds/{deed['id']}/picture")
        self.assertEqual(data[:3], b"\xff\xd8\xff")
        self.assertEqual(self.add(deed["id"], picture())[0], 409)
        self.assertEqual(self.call("member", "GET", f"/deeds/{deed['id']}/picture")[0], 403)

    def test_what_is_no_picture_is_refused_and_what_was_found_stands(self):
        self.do("idler", "x", "inspect", found="sound")
        (deed,) = self.history()
        status, _ = self.add(deed["id"], io.BytesIO(b"<svg/>"))
        self.assertEqual(status, 422)
        self.assertEqual(self.add(99999, picture())[0], 404)
        self.assertEqual([d["picture"] for d in self.history()], [False])


class Meters(Parts):
    def refuse(self, hours, **more):
        return self.refused(
            422,
            "out_of_range",
            "hours",
            "technician",
            "POST",
            f"/printers/{self.slinger.pk}/meter",
            {"hours": hours, **more},
        )

    def test_read_and_estimated_in_between_and_said_so(self):
        self.meter(100, days_ago=40)
        self.meter(300, days_ago=20)
        now_there = self.here()["meter"]
        self.assertEqual(
            (round(now_there["value"]), now_there["estimated"], round(now_there["a_day"])), (500, True, 10)
        )
        self.assertGreater(now_there["u95"], 0)
        self.meter(520)
        now_there = self.here()["meter"]
        self.assertEqual((now_there["value"], now_there["estimated"], now_there["u95"]), (520, False, 0))
        meter = meter_of(self.slinger)
        self.assertAlmostEqual(meter.at(now() - timedelta(days=30)).value, 200, delta=1)
        self.assertAlmostEqual(meter.at(now() - timedelta(days=45)).value, 50, delta=3)
        self.assertIsNone(meter.at(now() - timedelta(days=900)), "so far back nobody estimates")

    def test_back_or_further_than_the_calendar_is_refused_with_why(self):
        self.meter(812, days_ago=2)
        self.assertIn("has gone back, from 812 to 640 h", self.refuse(640))
        self.assertIn("no more than 50 h have passed", self.refuse(900))
        self.meter(812 + 47)

    def test_a_replaced_board_is_a_reset_and_hours_go_on(self):
        self.meter(812, days_ago=10)
        self.meter(3, days_ago=5, reset=True)
        self.meter(53)
        self.assertEqual((self.here()["meter"]["value"], self.here()["meter"]["shown"]), (865, 53))

    def test_without_a_reading_nothing_is_known(self):
        self.assertEqual(self.here()["meter"]["value"], None)
        self.assertIsNone(Meter([]).at(now()))
        self.assertTrue(all(p["age_hours"] is None for p in self.here()["parts"]))

    def test_nonsense(self):
        for hours in (-1, 1e9, "many"):
            status, _ = self.call("technician", "POST", f"/printers/{self.slinger.pk}/meter", {"hours": hours})
            self.assertEqual(status, 422)
        self.assertFalse(MeterReading.objects.exists())
