"""What the workshop knows, read over the API: findings with their drawings, faults told whole."""

from kestov_core import knowledge

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
