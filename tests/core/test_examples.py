"""The examples in the docstrings of the core, run as they stand."""

import doctest
import importlib
import pkgutil
import unittest

import nomikon.core


class ExamplesTest(unittest.TestCase):
    def test_every_example_gives_what_it_says(self):
        finder, told = doctest.DocTestFinder(), []
        runner = doctest.DocTestRunner(optionflags=doctest.REPORT_NDIFF)
        tried = 0
        for found in pkgutil.walk_packages(nomikon.core.__path__, "nomikon.core."):
            for example in finder.find(importlib.import_module(found.name)):
                tried += runner.run(example, out=told.append).attempted
        self.assertEqual(runner.failures, 0, "".join(told))
        # A rename that hides all of them would be silent.
        self.assertGreater(tried, 55)


if __name__ == "__main__":
    unittest.main()
