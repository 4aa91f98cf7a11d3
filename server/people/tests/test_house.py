"""The apps depend in one direction: who is below knows nothing of who is above."""

import ast
import unittest
from pathlib import Path

SERVER = Path(__file__).resolve().parents[2]
#: From the ground up; each may import those before it. ``demo`` and ``kestov`` put all together.
STOREYS = ("people", "work", "post", "workshop", "measuring", "cases", "service", "practice", "keeping", "api")


def imported(file):
    """The first names of what a file imports, wherever in it."""
    for node in ast.walk(ast.parse(file.read_text("utf-8"))):
        if isinstance(node, ast.Import):
            yield from (alias.name.split(".")[0] for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.level == 0 and node.module:
            yield node.module.split(".")[0]


class Storeys(unittest.TestCase):
    def test_imports_only_point_down(self):
        for height, app in enumerate(STOREYS):
            above = set(STOREYS[height + 1 :])
            for file in (SERVER / app).rglob("*.py"):
                if {"tests", "migrations"} & set(file.parts):
                    continue
                self.assertEqual(set(imported(file)) & above, set(), file.relative_to(SERVER))

    def test_the_core_knows_nothing_of_the_server(self):
        for file in (SERVER.parent / "core" / "kestov_core").rglob("*.py"):
            self.assertEqual(set(imported(file)) & {"django", "ninja", *STOREYS}, set(), file.name)

    def test_no_role_is_asked_for_outside_the_one_table(self):
        for app in STOREYS[1:]:
            for file in (SERVER / app).rglob("*.py"):
                if "tests" in file.parts or file.name == "permissions.py":
                    continue
                self.assertNotIn(".may(", file.read_text("utf-8"), file.relative_to(SERVER))
