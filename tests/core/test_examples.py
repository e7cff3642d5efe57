"""The examples in the docstrings of the core, run as they stand."""

import doctest
import importlib
import pkgutil
import unittest

import nomikon.core


def load_tests(loader, tests, pattern):
    """One test for every example of every module."""
    for found in pkgutil.walk_packages(nomikon.core.__path__, "nomikon.core."):
        module = importlib.import_module(found.name)
        for suite in doctest.DocTestFinder(exclude_empty=True).find(module):
            if suite.examples:
                tests.addTest(doctest.DocTestCase(suite))
    return tests


class ExamplesTest(unittest.TestCase):
    def test_there_are_some(self):
        """A rename that hides all of them would be silent."""
        finder = doctest.DocTestFinder()
        modules = [m.name for m in pkgutil.walk_packages(nomikon.core.__path__, "nomikon.core.")]
        found = sum(
            bool(t.examples) for m in modules for t in finder.find(importlib.import_module(m))
        )
        self.assertGreater(found, 15)


if __name__ == "__main__":
    unittest.main()
