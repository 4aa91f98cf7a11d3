"""What the workshop knows, read over the API: findings with their drawings, faults told whole."""

from cases.models import Mend
from kestov_core import knowledge
from people.clock import now
from people.models import AuditEntry

from .world import ApiCase


class Knowledge(ApiCase):
    def test_findings_come_with_their_drawing_and_closer_words(self):
        rows = {f["id"]: f for f in self.good("member", "GET", "/findings")}
        self.assertEqual(set(rows), set(knowledge.findings()))
        self.assertEqual(rows["circle_not_round"]["either"], ["circle_oval", "circle_flat_sided", "circle_gapped"])
        self.assertIn("trouble", [line["of"] for line in rows["squeak"]["drawing"]])
        self.assertEqual(rows["belt_slack"]["drawing"], [])

    def test_every_fault_can_be_read_by_a_technician(self):
        rows = {f["id"]: f for f in self.good("technician", "GET", "/knowledge/faults")}
        self.assertEqual(set(rows), set(knowledge.faults()))
        slack = rows["belt_slack"]
        self.assertIn("belt_slack", [s["finding"] for s in slack["must"]])
        self.assertEqual(slack["steps"], knowledge.faults()["belt_slack"].steps)
        self.assertIn("belt changed", slack["begins_after"])
        self.refused(403, "not_yours", None, "member", "GET", "/knowledge/faults")


class Changed(ApiCase):
    def mend(self, kind, name, mend, **more):
        return self.good("lead", "POST", f"/knowledge/{kind}s/{name}", {"mend": mend, **more})

    def read(self, kind, name):
        return next(r for r in self.good("technician", "GET", f"/knowledge/{kind}s") if r["id"] == name)

    def refuse(self, field, kind, name, mend, code="out_of_range", **more):
        self.refused(422, code, field, "lead", "POST", f"/knowledge/{kind}s/{name}", {"mend": mend, **more})

    def test_what_is_changed_is_read_beside_how_it_came_and_goes_back_field_by_field(self):
        came = knowledge.faults()["belt_slack"]
        rows = self.mend("fault", "belt_slack", {"minutes": 25, "steps": ["Turn it."]}, why="The cover is glued here.")
        told = {r["field"]: (r["value"], r["came"], r["why"]) for r in rows}
        self.assertEqual(told["minutes"], (25, came.minutes, "The cover is glued here."))
        self.assertEqual(told["steps"][:2], (["Turn it."], came.steps))
        self.assertEqual(self.read("fault", "belt_slack")["steps"], ["Turn it."])
        self.assertEqual(self.good("technician", "GET", "/knowledge/changed"), rows)
        brief = next(f for f in self.good("technician", "GET", "/knowledge")["faults"] if f["id"] == "belt_slack")
        self.assertEqual(brief["minutes"], 25)

        rows = self.mend("fault", "belt_slack", {}, back=["steps"])
        self.assertEqual([r["field"] for r in rows], ["minutes"])
        self.assertEqual(self.read("fault", "belt_slack")["steps"], came.steps)
        # What is typed as it came is no change any longer.
        self.assertEqual(self.mend("fault", "belt_slack", {"minutes": came.minutes}), [])
        words = list(AuditEntry.objects.filter(verb="mended").values_list("words", flat=True))
        self.assertEqual(len(words), 3)
        self.assertIn("The cover is glued here.", " ".join(words))

    def test_a_case_is_weighed_by_it_and_says_so(self):
        case = self.report(finding="strings", axis="")
        self.good("technician", "POST", f"/cases/{case}/take")

        def seen():
            w = self.good("technician", "GET", f"/cases/{case}")["weighing"]
            damp = sum(h["probability"] for h in w["result"]["hypotheses"] if h["fault"] == "damp_filament")
            rock = next(n for n in [*w["result"]["next"], *w["result"]["others"]] if n["check"] == "rock")
            return damp, rock, w["changed"]

        damp, rock, changed = seen()
        self.assertEqual(changed, 0)
        self.mend("fault", "damp_filament", {"shows": {"strings": 0.02}})
        self.mend("check", "rock", {"minutes": knowledge.checks()["rock"].minutes + 7, "note": "The lamp helps."})
        after, there, changed = seen()
        self.assertLess(after, damp / 3)
        self.assertEqual((there["minutes"], there["note"], changed), (rock["minutes"] + 7, "The lamp helps.", 2))

    def test_a_rate_is_told_by_its_finding_and_a_new_one_did_not_come(self):
        rows = self.mend("fault", "belt_slack", {"shows": {"strings": 0.25, "echoes_after_corners": 0.5}})
        told = {r["field"]: r for r in rows}
        self.assertEqual((told["shows.strings"]["value"], told["shows.strings"]["came"]), (0.25, None))
        self.assertIn(knowledge.findings()["echoes_after_corners"].label, told["shows.echoes_after_corners"]["words"])
        # Gone again is as it came.
        left = self.mend("fault", "belt_slack", {"shows": {"strings": 0}})
        self.assertEqual([r["field"] for r in left], ["shows.echoes_after_corners"])

    def test_nonsense_is_refused_at_its_field_and_changes_nothing(self):
        self.refuse("mend.shows.gremlins", "fault", "belt_slack", {"shows": {"gremlins": 0.5}})
        none = dict.fromkeys(knowledge.faults()["belt_slack"].shows, 0)
        self.refuse("mend.shows", "fault", "belt_slack", {"shows": none})
        self.refuse("mend", "check", "pluck", {"caution": "Never mind."})
        self.refuse("mend", "fault", "belt_slack", {}, "missing_field")
        self.refuse("mend", "fault", "belt_slack", {}, "missing_field", back=["steps", "nonsense"])
        self.refused(404, "not_found", None, "lead", "POST", "/knowledge/faults/gremlins", {"mend": {"base": 2}})
        for mend in (
            {"minutes": 0},
            {"base": 1e9},
            {"caution": ""},
            {"steps": []},
            {"steps": ["x" * 500]},
            {"label": "X"},
        ):
            status, _ = self.call("lead", "POST", "/knowledge/faults/belt_slack", {"mend": mend})
            self.assertEqual(status, 422, mend)
        self.assertEqual(self.good("lead", "GET", "/knowledge/changed"), [])

    def test_only_the_lead_changes_it(self):
        self.refused(
            403, "not_yours", None, "technician", "POST", "/knowledge/faults/belt_slack", {"mend": {"base": 2}}
        )

    def test_what_this_kestov_no_longer_knows_is_not_held(self):
        Mend.objects.create(kind="fault", name="gone_since", field="base", value=3, at=now())
        Mend.objects.create(kind="fault", name="belt_slack", field="shows.gone_since", value=0.5, at=now())
        self.assertEqual(self.good("lead", "GET", "/knowledge/changed"), [])
        self.assertEqual(self.read("fault", "belt_slack")["base_percent"], knowledge.faults()["belt_slack"].base)
