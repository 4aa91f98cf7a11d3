"""The examples in the core's docstrings say what is true."""

import doctest
import importlib
import unittest

#: Modules whose functions show examples; one that has none left is a mistake here.
WITH_EXAMPLES = ("quantities", "machine", "signals.shapers")


class Examples(unittest.TestCase):
    def test_each_example_gives_what_it_says(self):
        for name in WITH_EXAMPLES:
            with self.subTest(name=name):
                found = doctest.testmod(importlib.import_module(f"kestov_core.{name}"))
                self.assertGreater(found.attempted, 0)
                self.assertEqual(found.failed, 0)
