"""Models described in full: checked as they are typed, exchanged as files; machines that differ from their model."""

import io
import json
import uuid
from datetime import timedelta

from people.clock import now
from workshop.models import Difference, Printer, PrinterModel

from .world import ApiCase


class Describing(ApiCase):
    def begin(self, kinematics="bed_slinger"):
        return self.good("lead", "GET", f"/workshop/typical?kinematics={kinematics}")["description"]

    def check(self, description):
        return self.good("lead", "POST", "/workshop/sheet", {"description": description})

    def test_a_new_user_fills_in_three_figures_and_can_measure(self):
        description = self.begin()
        for place, span in (("x", 240), ("y", 230)):
            description["transmissions"][place]["spans"] = [{"name": "upper run", "span_mm": span}]
        self.good("lead", "POST", "/workshop/models", {"name": "Ours", "description": description})
        model = PrinterModel.objects.get(name="Ours")
        printer = Printer.objects.create(name="Fender", model=model, area=self.crossed.area)
        page = self.good("technician", "GET", f"/printers/{printer.pk}/bench/belt-deflection/x")
        fields = {f["name"]: (f["value"], f["origin"]) for f in page["fields"]}
        self.assertEqual(fields["span_mm"], (240, "model"))
        self.assertEqual(fields["axial_stiffness_n"], (15000, "typical"))
        body = {"id": str(uuid.uuid4()), "place": "x", "context": {"readings": [{"force_n": 2, "deflection_mm": 5}]}}
        self.good("technician", "POST", f"/printers/{printer.pk}/belt-deflection", body)

    def test_only_what_is_told_is_kept(self):
        self.good("lead", "POST", "/workshop/models", {"name": "Ours", "description": self.begin()})
        self.assertNotIn("microsteps", PrinterModel.objects.get(name="Ours").description["transmissions"]["x"])

    def test_sense_is_checked_as_one_types_and_again_when_it_is_kept(self):
        description = self.begin()
        description["transmissions"]["x"] |= {"loop_length_mm": 300, "spans": [{"name": "run", "span_mm": 240}]}
        remark = self.check(description)["remarks"][0]
        self.assertEqual((remark["path"], remark["grave"]), (["transmissions", "x", "loop_length_mm"], True))
        body = {"name": "Ours", "description": description}
        field = "description.transmissions.x.loop_length_mm"
        self.refused(422, "out_of_range", field, "lead", "POST", "/workshop/models", body)

    def test_it_says_what_each_measurement_would_lack(self):
        lacking = {row["words"]: row["lacks"] for row in self.check(self.begin())["lacks"]}
        self.assertIn("Free span", lacking["belt tension by pitch"])
        self.assertIn("Motor's rating", lacking["motor current"])

    def test_nonsense_is_refused_at_its_field_and_never_a_fault_of_the_server(self):
        for change, field in (
            ({"kinematics": "sledge"}, "kinematics"),
            ({"transmissions": {"x": {"kind": "belt", "teeth": -3}}}, "transmissions.x.teeth"),
            ({"transmissions": {"x": {"kind": "rope"}}}, "transmissions.x"),
            ({"fans": [{"name": "f"}]}, "fans.0.rpm"),
            ({"bed": {"width_mm": "wide"}}, "bed.width_mm"),
        ):
            status, answer = self.call("lead", "POST", "/workshop/sheet", {"description": self.begin() | change})
            self.assertEqual((status, answer["field"]), (422, field), answer)

    def test_a_model_travels_as_a_file_and_comes_back_the_same(self):
        answer = self.clients["technician"].get(f"/api/workshop/models/{self.crossed.model_id}/file")
        self.assertIn("heron-300.model.json", answer.headers["Content-Disposition"])
        told = json.loads(answer.content)
        self.assertEqual((told["kind"], told["version"]), ("kestov-printer-model", 1))
        file = io.BytesIO(answer.content)
        file.name = "heron.json"
        self.good("lead", "POST", "/workshop/model-file", file=file, name="Heron from elsewhere")
        ours, theirs = (PrinterModel.objects.get(name=n) for n in ("Heron 300", "Heron from elsewhere"))
        self.assertEqual(ours.motion(), theirs.motion())
        self.assertEqual(*(list(m.limits.values_list("what", "place", "low", "high")) for m in (ours, theirs)))

    def test_a_file_that_is_none_is_refused_in_words(self):
        for text in (
            "",
            "[]",
            '{"kind": "shopping"}',
            '{"kind": "kestov-printer-model", "version": 99, "name": "n", "description": {}}',
        ):
            file = io.BytesIO(text.encode())
            file.name = "x.json"
            status, answer = self.call("lead", "POST", "/workshop/model-file", file=file, name="")
            self.assertEqual((status, answer["code"], answer["field"]), (422, "bad_file", "file"), answer)
        self.assertEqual(
            self.call("technician", "POST", "/workshop/model-file", file=io.BytesIO(b"{}"), name="")[0], 403
        )


class Differing(ApiCase):
    def differ(self, path, value, who="technician", **more):
        body = {"path": path, "value": value, "since": str(now().date()), "reason": "Pulley renewed.", **more}
        return self.call(who, "POST", f"/printers/{self.slinger.pk}/differences", body)

    def steps(self, printer):
        page = self.good("technician", "GET", f"/printers/{printer.pk}/bench/steps/x")
        return next(f["value"] for f in page["fields"] if f["name"] == "steps_per_mm")

    def test_another_pulley_on_one_machine_is_reckoned_with_there_alone(self):
        sister = Printer.objects.create(name="Sister", model=self.slinger.model, area=self.slinger.area)
        self.assertEqual(self.steps(self.slinger), 80)
        status, told = self.differ(["transmissions", "x", "teeth"], 16)
        self.assertEqual(status, 200, told)
        self.assertEqual((self.steps(self.slinger), self.steps(sister)), (100, 80))
        self.assertEqual(told["differences"][0]["words"], "Belt X: teeth of the pulley")
        lines = self.good("technician", "GET", f"/printers/{self.slinger.pk}/record")["lines"]
        self.assertIn("Belt X: teeth of the pulley: 16", lines[0]["words"])

    def test_as_the_model_again_and_the_history_stays(self):
        self.differ(["transmissions", "x", "teeth"], 16)
        status, told = self.differ(["transmissions", "x", "teeth"], None, reason="The old one back.")
        self.assertEqual((status, told["differs"], len(told["differences"])), (200, [], 2))
        self.assertEqual(self.steps(self.slinger), 80)

    def test_what_the_model_did_not_tell_may_be_told_of_one_machine(self):
        self.assertEqual(self.differ(["travel", "x", "high_mm"], 235)[0], 200)
        self.assertEqual(Printer.objects.get(pk=self.slinger.pk).motion().travel["x"].high_mm, 235)

    def test_refused_at_its_field(self):
        for path, value, more, field in (
            (["transmissions", "x", "teeth"], -4, {}, "transmissions.x.teeth"),
            (["transmissions", "x", "colour"], 3, {}, "path"),
            (["transmissions", "x", "loop_length_mm"], 300, {}, "value"),
            (["transmissions", "x", "teeth"], 16, {"reason": " "}, "reason"),
            (["transmissions", "x", "teeth"], 16, {"since": str(now().date() + timedelta(days=2))}, "since"),
        ):
            status, answer = self.differ(path, value, **more)
            self.assertEqual((status, answer["field"]), (422, field), answer)
        self.assertEqual(self.differ(["transmissions", "x", "teeth"], 16, who="member")[0], 403)
        self.assertEqual(Difference.objects.count(), 0)
