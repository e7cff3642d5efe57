"""Tests that await: Python's own case, made so that it can be sent to another process."""

import unittest


class AsyncCase(unittest.IsolatedAsyncioTestCase):
    def __reduce__(self):
        # The context it carries cannot be sent; the other process makes its own.
        return type(self), (self._testMethodName,)
