"""Every address of the API document, asked oddly: refused in words, never a failure of the server."""

import copy
import json
import logging
import random
import re
import unittest
from collections import Counter
from pathlib import Path
from urllib.parse import quote

from django.test import Client, TransactionTestCase

from nomikon.server.apps.datasets.models import CaseRevision
from tests.server.base import Api, make_brief, run, start

ROOT = Path(__file__).resolve().parents[2]
DOCUMENT = json.loads((ROOT / "docs/openapi.json").read_text())
ODD_IDS = ("0", "9223372036854775808", "99999999999999999999999", "²", "-1", "1e3", "%00")
ODD = (None, "", "x" * 3000, -1, 0, 10**14, 10**19 * 3, 1.5, True, [], {}, [None], {"a": {"b": []}}, "²", "\u202e",
       [[]], ["x"], [1], {"": ""})  # fmt: skip
# They reach out to servers, or wait for the worker: they have tests of their own.
LEFT_OUT = re.compile("events|/try/|/test/|try-now|offered|/check/$|/tries")
# A person is told in our words: none of these is one of ours.
LIBRARY_WORDS = re.compile(
    r"matches the given query|valid choice|[Tt]his field|Ensure this|A valid|Not a valid|parse error"
    r"|Expected a|may not be (?:null|blank|empty)|Traceback|has no attribute|NoneType|Errno|<class"
    r"|Unexpected token|Method \\?\"|KeyError|TypeError|ValueError|got an unexpected|CSRF Failed|No \w+ matches"
)


def operations():
    for path, methods in DOCUMENT["paths"].items():
        for method, told in methods.items():
            if method in ("get", "post", "put", "patch", "delete") and not LEFT_OUT.search(path):
                yield method, path, told


def example(schema, depth=0):
    """A body that fits its schema, more or less: what is odd is put into it."""
    if "$ref" in schema:
        return example(DOCUMENT["components"]["schemas"][schema["$ref"].split("/")[-1]], depth)
    if "enum" in schema:
        return schema["enum"][0]
    for several in ("anyOf", "oneOf", "allOf"):
        if several in schema:
            some = [x for x in schema[several] if x.get("type") != "null"]
            return example((some or schema[several])[0], depth)
    kind = schema.get("type")
    kind = kind[0] if isinstance(kind, list) else kind
    if kind == "object" and depth < 5:
        return {n: example(s, depth + 1) for n, s in schema.get("properties", {}).items()}
    if kind == "array":
        return [example(schema.get("items", {}), depth + 1)] if depth < 5 else []
    return {"integer": 1, "number": 1.0, "boolean": True, "string": "user"}.get(kind)


class OddRequestsTest(TransactionTestCase):
    # The addresses name the first of everything.
    reset_sequences = True

    def setUp(self):
        self.brief = make_brief()
        run(start(self.brief))
        self.api = Api()
        self.client = Client(raise_request_exception=False)
        self.client.get("/api/session/")
        self.failed = {}
        self.counted = Counter()
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)

    def ask(self, method, path, body=None, what=""):
        headers = {"X-CSRFToken": self.api.token}
        self.client.cookies = self.api.client.cookies
        got = self.client.generic(
            method.upper(), path, body if body is not None else "", "application/json",
            headers=headers,
        )  # fmt: skip
        self.counted[got.status_code] += 1
        if got.status_code >= 400 and (found := LIBRARY_WORDS.search(got.content.decode())):
            self.failed.setdefault(f"{method} {path[:60]}: {found.group()}", what)
        if got.status_code >= 500 and got.status_code != 503:
            self.failed.setdefault(f"{method} {re.sub('[0-9]+', 'N', path)[:90]}", what)
        return got

    def filled(self, path, value="1"):
        return re.sub(r"\{\w+\}", lambda m: value, path)

    def test_ids_and_queries(self):
        for method, path, told in operations():
            for odd in ODD_IDS if "{" in path else ():
                self.ask(method, self.filled(path, quote(odd, safe="%")), "{}", odd)
            names = [p["name"] for p in told.get("parameters", ()) if p["in"] == "query"]
            for name in names:
                for odd in ("", "²", "9" * 25, "-1", "x", "{", "[[]]", "%00", "a" * 2000):
                    self.ask(method, f"{self.filled(path)}?{name}={quote(odd, safe='%')}", what=odd)
        self.assertGreater(self.counted[200], 3)
        self.assertEqual(self.failed, {})

    def test_broken_bodies(self):
        deep = "[" * 100_000 + "]" * 100_000
        bodies = ("", "{", "null", "[]", "3", '"x"', "\xff", deep, '{"a": ' * 5000 + "1" + "}" * 5000,
                  '{"name": "\\u0000"}', '{"name": "\\ud800"}', '{"n": 1e999}', '{"n": NaN}',
                  '{"n": ' + "9" * 400 + "}")  # fmt: skip
        for method, path, told in operations():
            if "requestBody" in told:
                for body in bodies:
                    self.ask(method, self.filled(path), body, body[:30])
        self.assertGreater(self.counted[200], 3)
        self.assertEqual(self.failed, {})

    def test_odd_values_in_every_field(self):
        chance = random.Random(5)
        for method, path, told in operations():
            content = told.get("requestBody", {}).get("content", {}).get("application/json")
            if not content:
                continue
            body = example(content["schema"])
            for place in list(places(body))[:40]:
                for odd in chance.sample(ODD, 5):
                    self.ask(method, self.filled(path), json.dumps(put(body, place, odd)),
                                 f"{place} = {odd!r}"[:90])  # fmt: skip
        self.assertGreater(self.counted[200], 3)
        self.assertEqual(self.failed, {})


class StoredOddlyTest(TransactionTestCase):
    def test_what_was_stored_before_it_was_refused_is_shown(self):
        brief = make_brief(1)
        revision = CaseRevision.objects.get()
        revision.inputs = {"sea": 10**30, "bell": [float(10**300)]}
        revision.save()
        dataset = brief.datasets.get()
        got = Api().get(f"datasets/{dataset.pk}/cases/")
        self.assertEqual(got.json()["cases"][0]["inputs"]["sea"], str(10**30))


def places(node, path=()):
    if isinstance(node, dict):
        for name, inner in node.items():
            yield (*path, name)
            yield from places(inner, (*path, name))
    elif isinstance(node, list):
        for index, inner in enumerate(node):
            yield (*path, index)
            yield from places(inner, (*path, index))


def put(body, place, value):
    made = copy.deepcopy(body)
    node = made
    for step in place[:-1]:
        node = node[step]
    node[place[-1]] = value
    return made


if __name__ == "__main__":
    unittest.main()
