"""The diagnosis on machines described in words (bench/data): not case by case, but as a whole and by kind."""

import json
import unittest
from pathlib import Path

from kestov_core.diagnosis.shapes import DiagnoseContext
from kestov_core.knowledge import events, faults, findings
from kestov_core.procedures.diagnose import analyse, bars

CASES = json.loads((Path(__file__).parents[3] / "bench/data/diagnosis_cases.json").read_text(encoding="utf-8"))


def weigh(case, seen, ahead=False):
    printer = {"kinematics": case["kinematics"], "homing": case.get("homing", {})}
    context = {"printer": printer, "findings": seen, "events": case["events"], "most": 100}
    return (analyse if ahead else bars)(DiagnoseContext.model_validate(context))


def ranks(result):
    """Faults in the order of their bars, each once."""
    return list(dict.fromkeys(h.fault for h in result.hypotheses))


def truth(case):
    return {t["fault"] for t in case["truth"]}


class Described(unittest.TestCase):
    def test_the_descriptions_name_only_what_is_known(self):
        self.assertGreaterEqual(len(CASES), 60)
        self.assertEqual(len({c["id"] for c in CASES}), len(CASES))
        for case in CASES:
            self.assertLessEqual(truth(case), set(faults()), case["id"])
            self.assertLessEqual({e["event"] for e in case["events"]}, set(events()), case["id"])
            self.assertLessEqual({f["finding"] for f in case["complaint"] + case["found_by_checks"]}, set(findings()))
        self.assertEqual({c["kinematics"] for c in CASES}, {"bed_slinger", "fixed_bed", "corexy", "delta", "belt_bed"})
        groups = {faults()[f].group for c in CASES for f in truth(c)}
        self.assertEqual(groups, {f.group for f in faults().values()})

    def test_from_the_complaint_alone_the_cause_is_mostly_in_the_first_three(self):
        near = sum(bool(truth(c) & set(ranks(weigh(c, c["complaint"]))[:3])) for c in CASES)
        self.assertGreater(near / len(CASES), 0.75)

    def test_with_all_that_checks_find_it_is_mostly_first(self):
        first = [c["id"] for c in CASES if ranks(weigh(c, c["complaint"] + c["found_by_checks"]))[0] in truth(c)]
        self.assertGreater(len(first) / len(CASES), 0.8)

    def test_what_checks_find_raises_the_cause(self):
        lowered = []
        for case in CASES:
            before, after = (
                sum(h.probability for h in weigh(case, seen).hypotheses if h.fault in truth(case))
                for seen in (case["complaint"], case["complaint"] + case["found_by_checks"])
            )
            if after < 0.8 * before:
                lowered.append(case["id"])
        self.assertLess(len(lowered), 0.08 * len(CASES), lowered)

    def test_process_and_mechanics_are_told_apart(self):
        right = 0
        for case in CASES:
            is_process = any(faults()[f].kind == "process" for f in truth(case))
            said = weigh(case, case["complaint"] + case["found_by_checks"]).process_probability
            right += (said > 0.5) == is_process
        self.assertGreater(right / len(CASES), 0.88)

    def test_danger_always_stops_and_nothing_else_does(self):
        for case in CASES:
            danger = any(findings()[f["finding"]].kind == "danger" for f in case["complaint"])
            self.assertEqual(weigh(case, case["complaint"]).stop is not None, danger, case["id"])

    def test_advice_never_costs_more_than_it_says_and_is_never_empty(self):
        for case in CASES[::4]:
            result = weigh(case, case["complaint"], ahead=True)
            if result.stop is None:
                self.assertTrue(result.next or result.repair_now, case["id"])
            for n in result.next:
                self.assertLessEqual(n.saves_minutes, result.expected_minutes)
                self.assertGreater(
                    n.minutes + n.saves_minutes, -0.5, f"{case['id']}: knowing more never harms ({n.check})"
                )
