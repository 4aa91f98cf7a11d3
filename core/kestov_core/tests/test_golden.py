"""A figure that changes means another version of the core: results say which version made them, and are held to it.

Made anew, after ``CORE_VERSION`` was raised, by ``python -m kestov_core.tests.test_golden``.
"""

import json
import math
import unittest
from pathlib import Path

from kestov_core import CORE_VERSION, procedures

from .test_contract import GOOD

_GOLDEN = Path(__file__).parent / "golden"
#: Other processors and libraries round otherwise; what a person would call another figure is larger.
_ALIKE = 1e-4


def figures(node, path=""):
    """Every number, verdict and truth of a result by its path; curves and words are left out."""
    if isinstance(node, dict):
        for key, value in node.items():
            if key not in ("reason", "message", "words", "why_not", "spectrum", "leaves", "check", "whose"):
                yield from figures(value, f"{path}.{key}" if path else key)
    elif isinstance(node, list):
        if len(node) <= 24:
            for i, value in enumerate(node):
                yield from figures(value, f"{path}.{i}")
    elif isinstance(node, bool | int | float) or path.split(".")[-1] in ("verdict", "recommended", "basis", "family"):
        yield path, node


def now(name):
    context, data = GOOD[name]
    return dict(figures(json.loads(procedures.run(name, context, data).model_dump_json())))


def differing(was, is_):
    """Paths at which two sets of figures differ by more than rounding."""
    out = [p for p in sorted(set(was) | set(is_)) if (p in was) != (p in is_)]
    for path in set(was) & set(is_):
        a, b = was[path], is_[path]
        if isinstance(a, int | float) and isinstance(b, int | float) and not isinstance(a, bool):
            if not math.isclose(a, b, rel_tol=_ALIKE, abs_tol=1e-9):
                out.append(path)
        elif a != b:
            out.append(path)
    return out


class FiguresAndVersion(unittest.TestCase):
    def test_no_figure_changes_without_the_version(self):
        for name in procedures.names():
            with self.subTest(name=name):
                file = _GOLDEN / f"{name}.json"
                self.assertTrue(file.exists(), "no golden result yet: python -m kestov_core.tests.test_golden")
                kept = json.loads(file.read_text("utf-8"))
                changed = differing(kept["figures"], now(name))
                if kept["core_version"] == CORE_VERSION:
                    self.assertEqual(
                        changed,
                        [],
                        "these figures changed: raise CORE_VERSION, say so, and make the golden results anew",
                    )
                else:
                    self.assertEqual(
                        changed, [], f"the golden results are those of {kept['core_version']}: make them anew"
                    )

    def test_a_changed_figure_is_noticed_and_a_rounded_one_is_not(self):
        was = {"a.value": 20.0, "verdict": "watch", "b": True}
        self.assertEqual(differing(was, dict(was, **{"a.value": 20.01})), ["a.value"])
        self.assertEqual(differing(was, dict(was, verdict="in_tolerance")), ["verdict"])
        self.assertEqual(differing(was, {"verdict": "watch", "b": True}), ["a.value"])
        self.assertEqual(differing(was, dict(was, **{"a.value": 20.0 + 1e-9})), [])


if __name__ == "__main__":
    _GOLDEN.mkdir(exist_ok=True)
    for each in procedures.names():
        kept_ = {"core_version": CORE_VERSION, "figures": now(each)}
        (_GOLDEN / f"{each}.json").write_text(json.dumps(kept_, indent=1) + "\n", encoding="utf-8")
