"""Requests drawn from the API document: whatever it allows, or nearly, is answered, never failed."""

import logging
import os
from collections import Counter
from unittest.mock import patch

import schemathesis
from django.core.wsgi import get_wsgi_application
from django.test import TransactionTestCase, tag
from hypothesis import HealthCheck, Phase, Verbosity, given, seed, settings
from hypothesis import strategies as st
from schemathesis import GenerationMode

from tests.server.base import Api, make_brief, run, start
from tests.server.test_odd_requests import DOCUMENT, LEFT_OUT


class DrawnRequestsTest(TransactionTestCase):
    # The addresses name the first of everything.
    reset_sequences = True

    def setUp(self):
        # No process starts models here, and nothing is gained by waiting for them.
        waiting = patch("nomikon.server.simulated.STARTS_WITHIN_S", 0.1)
        waiting.start()
        self.addCleanup(waiting.stop)
        run(start(make_brief()))
        self.token = Api().token
        self.app = get_wsgi_application()
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)

    def go_through(self, each, number):
        """Every operation with `each` drawn requests; statuses by count, failures by operation."""
        schema = schemathesis.openapi.from_dict(DOCUMENT)
        schema.app = self.app
        statuses, failed = Counter(), {}
        for found in schema.get_all_operations():
            if not LEFT_OUT.search(found.ok().path):
                self.ask(found.ok(), each, number, statuses, failed)
        return statuses, failed

    def ask(self, operation, each, number, statuses, failed):
        drawn = [operation.as_strategy(generation_mode=mode) for mode in GenerationMode]

        @seed(number)
        @settings(
            max_examples=each,
            deadline=None,
            database=None,
            phases=[Phase.generate],
            verbosity=Verbosity.quiet,
            suppress_health_check=list(HealthCheck),
        )
        @given(case=st.one_of(*drawn))
        def send(case):
            # What is there is what is asked for, every other time.
            for name in case.path_parameters or {} if number % 2 else ():
                case.path_parameters[name] = 1
            answer = case.call(
                headers={"X-CSRFToken": self.token, "Host": "localhost"},
                cookies={"csrftoken": self.token},
            )
            statuses[answer.status_code] += 1
            if answer.status_code >= 500 and answer.status_code != 503:
                failed.setdefault(f"{operation.method} {operation.path}", repr(case)[:600])

        send()

    def test_a_few_of_each(self):
        statuses, failed = self.go_through(3, 1)
        self.assertEqual(failed, {})
        self.assertGreater(statuses[200], 20)

    @tag("long")
    def test_many_of_each(self):
        for number in range(2, 2 + int(os.environ.get("ROUNDS", "8"))):
            statuses, failed = self.go_through(40, number)
            self.assertEqual(failed, {}, statuses)
