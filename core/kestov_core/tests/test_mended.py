"""What a workshop changes of the knowledge: it moves the weighing, leaves the rest as it came, and nonsense is refused."""

import unittest

from pydantic import ValidationError

from kestov_core import knowledge
from kestov_core.diagnosis.reading import read_checks, read_faults
from kestov_core.diagnosis.shapes import DiagnoseContext
from kestov_core.errors import BadInput
from kestov_core.knowledge.mended import CheckMended, FaultMended, Mended, book
from kestov_core.procedures.diagnose import analyse


def weighed(mended=None, **context):
    told = {"printer": {"kinematics": "bed_slinger"}, "most": 200, "mended": mended or {}} | context
    return analyse(DiagnoseContext.model_validate(told))


def chance(result, fault):
    return sum(h.probability for h in result.hypotheses if h.fault == fault)


class MovesTheWeighing(unittest.TestCase):
    def test_a_rate_moves_its_fault(self):
        often = {"faults": {"damp_filament": {"base": 60}}}
        seen = [{"finding": "strings"}]
        self.assertGreater(
            chance(weighed(often, findings=seen), "damp_filament"), chance(weighed(findings=seen), "damp_filament")
        )

    def test_a_fault_that_no_longer_shows_a_finding_is_not_held_up_by_it(self):
        seen = [{"finding": "strings"}]
        shown = knowledge.faults()["damp_filament"].shows["strings"]
        less = {"faults": {"damp_filament": {"shows": {"strings": 0}}}}
        self.assertGreater(shown, 0.3)
        self.assertLess(chance(weighed(less, findings=seen), "damp_filament"), 0.05)

    def test_a_new_link_is_weighed(self):
        self.assertNotIn("strings", knowledge.faults()["belt_slack"].shows)
        more = {"faults": {"belt_slack": {"shows": {"strings": 0.9}}}}
        seen = [{"finding": "strings"}]
        self.assertGreater(
            chance(weighed(more, findings=seen), "belt_slack"), 3 * chance(weighed(findings=seen), "belt_slack")
        )

    def test_minutes_and_words_stand_on_the_check(self):
        mended = {"checks": {"rock": {"minutes": 9, "how": ["Push it."], "note": "The lamp helps."}}}

        def rock(result):
            return next(n for n in [*result.next, *result.others] if n.check == "rock")

        before, after = rock(weighed()), rock(weighed(mended))
        self.assertAlmostEqual(after.minutes - before.minutes, 9 - knowledge.checks()["rock"].minutes)
        self.assertEqual((after.how, after.note, after.caution), (["Push it."], "The lamp helps.", before.caution))

    def test_minutes_of_a_repair_count_in_what_it_costs(self):
        seen = [{"finding": "strings"}]
        long = {"faults": {"damp_filament": {"minutes": 300}}}
        self.assertGreater(weighed(long, findings=seen).expected_minutes, weighed(findings=seen).expected_minutes)

    def test_nothing_changed_is_what_came(self):
        self.assertEqual(book().faults, knowledge.faults())
        self.assertEqual(book(Mended(faults={"belt_slack": FaultMended()})).faults, knowledge.faults())
        self.assertIs(book(), book(Mended()))


class IsRead(unittest.TestCase):
    def test_the_changed_fault_and_nothing_else(self):
        known = book(Mended(faults={"belt_slack": FaultMended(steps=["Turn it."], note="Ask for the long key.")}))
        changed = {r.id: r for r in read_faults(known)}
        came = {r.id: r for r in read_faults()}
        self.assertEqual(
            (changed["belt_slack"].steps, changed["belt_slack"].note), (["Turn it."], "Ask for the long key.")
        )
        self.assertEqual([i for i in came if came[i] != changed[i]], ["belt_slack"])

    def test_every_check_with_what_it_looks_at(self):
        rows = {r.id: r for r in read_checks(book(Mended(checks={"rock": CheckMended(minutes=4)})))}
        self.assertEqual(list(rows), list(knowledge.checks()))
        self.assertEqual(rows["rock"].minutes, 4)
        for check in knowledge.checks().values():
            self.assertEqual([a.finding for a in rows[check.id].looks_at], check.answers)
        # Its tools come from the card of what it runs.
        pluck = next(r for r in rows.values() if r.at_bench)
        self.assertTrue(pluck.tools)


class Refused(unittest.TestCase):
    def test_what_there_is_not(self):
        bare = knowledge.faults()["belt_slack"].shows
        rows = [
            ({"faults": {"gremlins": {"base": 3}}}, "mended.faults.gremlins"),
            ({"faults": {"belt_slack": {"shows": {"gremlins": 0.5}}}}, "mended.faults.belt_slack.shows.gremlins"),
            ({"faults": {"belt_slack": {"shows": dict.fromkeys(bare, 0)}}}, "mended.faults.belt_slack.shows"),
            ({"checks": {"gremlins": {"minutes": 3}}}, "mended.checks.gremlins"),
            ({"checks": {"pluck": {"caution": "None at all."}}}, "mended.checks.pluck"),
        ]
        general = next(k.id for k in knowledge.findings().values() if k.either)
        rows.append(
            ({"faults": {"belt_slack": {"shows": {general: 0.5}}}}, f"mended.faults.belt_slack.shows.{general}")
        )
        for mended, field in rows:
            with self.subTest(field), self.assertRaises(BadInput) as e:
                weighed(mended)
            self.assertEqual((e.exception.code, e.exception.field), ("out_of_range", field))

    def test_figures_that_cannot_be_and_a_lost_caution(self):
        for told in (
            {"base": 0},
            {"base": 101},
            {"minutes": 0},
            {"shows": {"strings": 1}},
            {"caution": " "},
            {"steps": []},
        ):
            with self.subTest(told), self.assertRaises(ValidationError):
                FaultMended.model_validate(told)


if __name__ == "__main__":
    unittest.main()
