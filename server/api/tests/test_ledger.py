"""What a machine has stored: whether it may be believed after what was done, read back and compared, and the way back in order."""

from datetime import timedelta

from measuring import ledger
from measuring.models import Action, ReadBack, StoredValue
from people.clock import now
from people.models import AuditEntry
from workshop.models import Event

from .world import ApiCase


class Stored(ApiCase):
    def setUp(self):
        super().setUp()
        self.at = f"/printers/{self.slinger.pk}"

    def set(self, name, value=None, days_ago=10, **more):
        self.good("technician", "POST", f"{self.at}/ledger", {"name": name, "value": value, **more})
        row = StoredValue.objects.filter(printer=self.slinger, name=name).first()
        StoredValue.objects.filter(pk=row.pk).update(at=now() - timedelta(days=days_ago))
        return row

    def happened(self, event, days_ago=1.0, **more):
        body = {"event": event, "days_ago": days_ago, **more}
        return self.good("technician", "POST", f"{self.at}/events", body)

    def stands(self):
        rows = self.good("technician", "GET", f"{self.at}/stored")["stands"]
        return {r["name"]: (r["stand"], r["lost"], r["doubt"]) for r in rows}

    def plan(self):
        return self.good("technician", "GET", f"{self.at}/baseline")

    def look(self, text):
        return self.good("technician", "POST", f"{self.at}/stored/look", {"text": text})

    def keep(self, text, *take):
        return self.good("technician", "POST", f"{self.at}/stored/keep", {"text": text, "take": take})


class ReadBefore(Stored):
    def test_what_was_read_before_is_kept_as_it_came_with_what_it_did_not_agree_with(self):
        self.assertEqual(self.good("technician", "GET", f"{self.at}/read-backs"), [])
        self.set("steps_z", 400)
        self.keep("M92 X80.00 Z384.00 ; as printed", "steps_x")
        self.keep("M92 X80.00 Z400.00")
        newest, first = self.good("technician", "GET", f"{self.at}/read-backs")
        self.assertEqual((newest["agreed"], newest["differed"]), (2, []))
        self.assertEqual((first["agreed"], first["text"]), (1, "M92 X80.00 Z384.00 ; as printed"))
        self.assertEqual(len(first["differed"]), 1)
        self.assertIn("Z", first["differed"][0])
        self.assertEqual(self.call("member", "GET", f"{self.at}/read-backs")[0], 403)


class Standing(Stored):
    def test_a_value_is_valid_until_something_may_have_lost_it(self):
        self.set("steps_z", 400)
        self.set("wiring", text="The left switch is on the second plug.")
        self.assertEqual(self.stands()["steps_z"], ("valid", False, ""))
        self.happened("firmware_updated")
        self.assertEqual(self.stands()["steps_z"], ("in_doubt", True, "the firmware was changed"))
        self.assertEqual(self.stands()["wiring"][0], "valid")

    def test_what_was_before_is_superseded_and_only_the_newest_is_in_doubt(self):
        self.set("steps_z", 400, days_ago=20)
        self.set("steps_z", 402, days_ago=10)
        self.happened("firmware_updated")
        rows = self.good("technician", "GET", f"{self.at}/ledger")
        self.assertEqual([(r["value"], r["stand"]) for r in rows], [(402, "in_doubt"), (400, "superseded")])

    def test_a_doubt_reaches_only_the_axis_where_it_was_done(self):
        self.set("shaper_frequency_x", 45)
        self.set("shaper_frequency_y", 40)
        self.happened("belt_tensioned", place="x")
        self.assertEqual(self.stands()["shaper_frequency_x"], ("in_doubt", False, "a belt was set"))
        self.assertEqual(self.stands()["shaper_frequency_y"][0], "valid")

    def test_a_turned_belt_says_so_by_itself(self):
        self.set("shaper_frequency_x", 45)
        Action.objects.create(printer=self.slinger, place="x", turns=0.5, at=now(), by=self.people["technician"])
        self.assertEqual(self.stands()["shaper_frequency_x"], ("in_doubt", False, "belt X was turned"))

    def test_what_is_set_anew_after_it_is_valid_again(self):
        self.set("steps_z", 400)
        self.happened("firmware_updated")
        self.set("steps_z", 400, days_ago=0)
        self.assertEqual(self.stands()["steps_z"][0], "valid")

    def test_figures_and_words_are_told_as_they_are(self):
        for body, field in (
            ({"name": "firmware", "value": 3}, "value"),
            ({"name": "steps_x", "text": "eighty"}, "value"),
            ({"name": "steps_x", "value": 0}, "value"),
            ({"name": "steps_x"}, "value"),
            ({"name": "own_thing"}, "value"),
        ):
            with self.subTest(body):
                status, answer = self.call("technician", "POST", f"{self.at}/ledger", body)
                self.assertEqual((status, answer["field"]), (422, field))
        self.set("own_thing", 3.5, unit="bar")
        self.set("firmware", text="build 12")
        rows = self.good("technician", "GET", f"{self.at}/stored")["stands"]
        self.assertEqual(
            [(r["name"], r["text"] or r["value"]) for r in rows], [("firmware", "build 12"), ("own_thing", 3.5)]
        )

    def test_an_unknown_place_is_refused(self):
        self.refused(
            422,
            "out_of_range",
            "place",
            "technician",
            "POST",
            f"{self.at}/events",
            {"event": "belt_tensioned", "place": "q"},
        )


class ReadingBack(Stored):
    PRINTED = "echo:  M92 X80.00 Y80.00 Z384.00 E93.00\nM851 X0.00 Y0.00 Z-1.85\nM420 S1"

    def setUp(self):
        super().setUp()
        for name, value in (("steps_x", 80), ("steps_z", 400), ("nozzle_height", -1.85)):
            self.set(name, value)
        self.happened("firmware_updated")

    def test_line_by_line_what_was_lost_what_it_means_and_the_way_back(self):
        found = self.look(self.PRINTED)
        rows = {c["name"]: c for c in found["compared"]}
        self.assertEqual(
            (rows["steps_z"]["was"], rows["steps_z"]["now"], rows["steps_z"]["means"]),
            (400, 384, "parts come out 4 % short along Z"),
        )
        self.assertEqual(rows["steps_x"]["state"], "same")
        self.assertEqual(found["script"], "M92 Z400.0000\nM500\nM503\n")
        self.assertEqual([k["line"] for k in found["kept"]], ["M420 S1"])
        self.assertFalse(ReadBack.objects.exists(), "to look writes nothing down")

    def test_kept_what_agrees_is_valid_and_what_differs_stays_in_doubt(self):
        self.keep(self.PRINTED)
        stands = self.stands()
        self.assertEqual(stands["steps_x"][0], "valid")
        self.assertEqual(stands["steps_z"][:2], ("in_doubt", True))
        back = ReadBack.objects.get()
        self.assertEqual((back.text, back.differed), (self.PRINTED, ["steps_z"]))
        self.assertTrue(AuditEntry.objects.filter(verb="read back", words__contains="1 do not").exists())
        # Put back and read again, nothing is left.
        self.keep(self.PRINTED.replace("384", "400"))
        self.assertEqual({s for s, *_ in self.stands().values()}, {"valid"})
        self.assertEqual(self.plan()["steps"], [])

    def test_the_ledger_takes_over_what_is_chosen(self):
        found = self.keep(self.PRINTED, "steps_y", "steps_z")
        self.assertEqual({c["name"]: c["state"] for c in found["compared"]}["steps_z"], "same")
        self.assertEqual(ledger.figures(self.slinger)["steps_y"], 80)
        self.assertEqual(self.stands()["steps_z"][0], "valid")
        self.refused(
            422, "out_of_range", "take.0", "technician", "POST", f"{self.at}/stored/keep",
            {"text": self.PRINTED, "take": ["current_x"]},
        )  # fmt: skip

    def test_reading_back_does_not_prove_that_it_still_fits(self):
        self.set("shaper_frequency_x", 45)
        self.happened("belt_tensioned", place="x")
        self.keep(self.PRINTED + "\nM593 X F45.0 D0.1")
        self.assertEqual(self.stands()["shaper_frequency_x"], ("in_doubt", False, "a belt was set"))

    def test_nonsense_is_refused_in_words(self):
        for text, code in (("", "empty_file"), ("\n" * 6000 + "M92 X80", "too_large")):
            self.refused(422, code, "text", "technician", "POST", f"{self.at}/stored/look", {"text": text})
        self.assertEqual(self.look("hello\nM92 X-5")["compared"][0]["state"], "lost")

    def test_a_script_and_a_sheet_to_keep(self):
        script = self.clients["technician"].get(f"/api{self.at}/stored.gcode")
        self.assertIn("M92 X80.0000 Z400.0000\nM851 Z-1.850\nM500", script.content.decode())
        self.assertIn("attachment", script["Content-Disposition"])
        sheet = self.clients["technician"].get(f"/api{self.at}/stored.pdf")
        self.assertTrue(sheet.content.startswith(b"%PDF"))
        self.assertEqual(sheet["Content-Type"], "application/pdf")

    def test_the_floor_says_so_until_it_is_read_back(self):
        def wanted():
            rows = self.good("technician", "GET", "/floor")["wanted"]
            return [w["title"] for w in rows if w["kind"] == "stored"]

        self.assertEqual(wanted(), [f"{self.slinger.name}: read back what it has stored"])
        self.keep(self.PRINTED)
        self.assertEqual(wanted(), [])

    def test_members_see_nothing_of_it(self):
        self.refused(403, "not_yours", None, "member", "GET", f"{self.at}/stored")


class TheWayBack(Stored):
    def test_after_the_firmware_it_begins_by_reading_back(self):
        self.set("steps_z", 400)
        self.happened("firmware_updated")
        found = self.plan()
        self.assertEqual([(s["procedure"], s["values"]) for s in found["steps"]], [(None, ["steps_z"])])
        self.assertIn("The firmware was changed.", found["steps"][0]["why"])
        self.assertTrue(any("end switch" in line for line in found["by_hand"]))

    def test_what_was_measured_before_a_belt_was_set_is_measured_again(self):
        self.set("shaper_frequency_y", 40)
        self.happened("belt_tensioned", place="y")
        found = self.plan()
        self.assertEqual([(s["procedure"], s["place"]) for s in found["steps"]], [("resonance", "y")])
        self.assertEqual(found["steps"][0]["values"], ["shaper_frequency_y"])
        self.assertEqual(found["instruments"], ["accelerometer"])

    def test_only_what_put_something_in_doubt_asks_for_a_look_by_hand(self):
        self.happened("board_changed", days_ago=40)
        self.set("steps_z", 400, days_ago=30)
        self.set("shaper_frequency_y", 40, days_ago=30)
        self.happened("belt_changed", place="y")
        lines = self.plan()["by_hand"]
        self.assertEqual(len(lines), 1, lines)
        self.assertIn("Has the new belt another pitch", lines[0])

    def test_nothing_done_needs_nothing(self):
        self.set("steps_z", 400)
        self.assertEqual(self.plan(), {"steps": [], "minutes": 0, "instruments": [], "by_hand": []})
        Event.objects.create(printer=self.slinger, event="filament_changed", at=now())
        self.assertEqual(self.plan()["steps"], [])
