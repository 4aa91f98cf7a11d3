"""The examples in the core's docstrings say what is true."""

import doctest
import importlib
import unittest

from kestov_core import procedures

#: Modules whose functions show examples; one that has none left is a mistake here.
WITH_EXAMPLES = (
    "quantities", "machine", "readers", "gcode", "describing",
    *(f"signals.{name}" for name in ("conditioning", "modes", "onsets", "partials", "plucks", "response", "sampling", "shapers", "views")),
    *(f"procedures.{name.replace('-', '_')}" for name in procedures.names()),
)  # fmt: skip


class Examples(unittest.TestCase):
    def test_each_example_gives_what_it_says(self):
        for name in WITH_EXAMPLES:
            with self.subTest(name=name):
                found = doctest.testmod(importlib.import_module(f"kestov_core.{name}"))
                self.assertGreater(found.attempted, 0)
                self.assertEqual(found.failed, 0)
