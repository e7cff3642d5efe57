"""Connections: keys kept and never shown, limits, what a model does not take."""

import os
import tempfile
from pathlib import Path
from unittest import mock

from django.test import TestCase

from nomikon.server.apps.connections.keys import Keyring
from nomikon.server.apps.connections.models import Connection, Model
from nomikon.server.apps.connections.spec import connection_spec
from nomikon.server.apps.ledger.models import Line
from tests.server.base import Api, make_brief, plan_of

SECRET = "sk-very-private-0123456789"


class BeginningTest(TestCase):
    """How many calls at a time a connection begins with."""

    def begins(self, base_url, model=None, **fields):
        made = Connection(name="c", base_url=base_url, **fields)
        return connection_spec(made, model and Model(connection=made, name="m", **model)).begins

    def test_a_server_of_ones_own_begins_narrow_and_what_was_found_is_kept(self):
        for url in (
            "http://127.0.0.1:8080/v1",
            "http://192.168.1.7/v1",
            "http://box:80/v1",
            "http://a.local/v1",
        ):
            self.assertEqual(self.begins(url), 2, url)
        for url in ("https://models.example/v1", "http://9.9.9.9/v1"):
            self.assertIsNone(self.begins(url), url)
        own = "http://127.0.0.1:8080/v1"
        self.assertIsNone(self.begins(own, concurrency=8))
        self.assertIsNone(self.begins(own, simulated=True))
        self.assertIsNone(self.begins(own, {"simulated": True}))
        self.assertEqual(self.begins(own, {"borne": 5}), 5)
        self.assertIsNone(self.begins(own, {"borne": 32}))
        self.assertIsNone(self.begins(own, {"concurrency": 4}))

    def test_what_cannot_be_sent_is_refused_at_its_field(self):
        api = Api()
        for body, field in (
            ({"headers": {"X Team": "a"}}, "headers"),
            ({"headers": {"Host": "a"}}, "headers"),
            ({"headers": {"X-Team": "a\nb"}}, "headers"),
            ({"body_fields": {"model": "other"}}, "body_fields"),
            ({"body_fields": {"x": "y" * 30_000}}, "body_fields"),
            ({"output_limit": "max tokens"}, "output_limit"),
            ({"most_answer_mb": 0}, "most_answer_mb"),
            ({"most_answer_mb": 100_000}, "most_answer_mb"),
        ):
            with self.subTest(body=body):
                got = api.post("connections/add/", {"name": "c", "base_url": "http://h/v1", **body})
                self.assertEqual((got.status_code, got.json()["field"]), (422, field))
        made = api.post(
            "connections/add/",
            {
                "name": "c",
                "base_url": "http://h/v1",
                "headers": {"X-Team": "a"},
                "body_fields": {"store": False},
            },
        ).json()
        self.assertEqual((made["headers"], made["concurrency"]), ({"X-Team": "a"}, None))
        # Another header may be another answer: what was stored before is not reused.
        changed = {"name": "c", "base_url": "http://h/v1", "headers": {"X-Team": "b"}}
        api.put(f"connections/{made['id']}/", changed)
        self.assertEqual(Connection.objects.get().revision, 2)


class KeyTest(TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.file = Path(folder.name) / "keys" / "key-file"
        change = self.settings(KEY_FILE=self.file)
        change.enable()
        self.addCleanup(change.disable)
        self.api = Api()
        self.body = {"name": "c", "base_url": "https://models.example/v1", "key": SECRET}
        self.made = self.api.post("connections/add/", self.body).json()

    def key_of(self, connection):
        ring = Keyring({})
        ring.refresh()
        return ring.get(connection_spec(connection).key_name or "")

    def test_a_key_is_kept_encrypted_and_never_given_back(self):
        stored = Connection.objects.get()
        self.assertNotIn(SECRET, stored.key_cipher)
        self.assertEqual(self.key_of(stored), SECRET)
        self.assertEqual(self.file.stat().st_mode & 0o077, 0)
        self.assertTrue(self.made["key_kept"])
        for path in ("connections/", "ledger/", "session/"):
            self.assertNotIn(SECRET.encode(), self.api.get(path).content)
        self.assertNotIn(SECRET, str(list(Line.objects.values())))
        self.assertNotIn("key_cipher", self.made)

    def test_without_its_key_file_the_database_opens_no_key(self):
        self.file.unlink()
        self.assertIsNone(self.key_of(Connection.objects.get()))

    def test_a_change_keeps_it_replaces_it_or_forgets_it(self):
        path = f"connections/{self.made['id']}/"
        change = {**self.body, "name": "renamed"}
        del change["key"]
        self.assertTrue(self.api.put(path, change).json()["key_kept"])
        self.assertEqual(self.key_of(Connection.objects.get()), SECRET)
        self.api.put(path, {**change, "key": "another"})
        self.assertEqual(self.key_of(Connection.objects.get()), "another")
        self.assertFalse(self.api.put(path, {**change, "key": ""}).json()["key_kept"])
        self.assertIsNone(self.key_of(Connection.objects.get()))

    def test_a_kept_key_is_not_sent_to_another_host(self):
        path = f"connections/{self.made['id']}/"
        change = {"name": "c", "base_url": "https://elsewhere.example/v1"}
        got = self.api.put(path, change)
        self.assertEqual((got.status_code, got.json()["field"]), (422, "key"))
        self.assertEqual(Connection.objects.get().base_url, self.body["base_url"])
        self.assertEqual(self.api.put(path, {**change, "key": "new"}).status_code, 200)

    def test_bad_keys_are_refused_without_being_repeated(self):
        for key, more in [
            ("two words", {}),
            ("a\nb", {}),
            (SECRET, {"key_env": "NOMIKON_KEY_ALSO"}),
        ]:
            with self.subTest(key=key):
                got = self.api.post(
                    "connections/add/", {**self.body, "name": "d", "key": key, **more}
                )
                self.assertEqual((got.status_code, got.json()["field"]), (422, "key"))
                self.assertNotIn(key, got.json()["detail"])

    def test_names_of_the_environment_are_read_from_it(self):
        held = {"NOMIKON_KEY_MINE": "from outside", "HOME_OF_SECRETS": "none of it", "NAMED": "too"}
        with mock.patch.dict(os.environ, {**held, "NOMIKON_KEY_ENV": "NAMED,OTHER"}):
            ring = Keyring(os.environ)
            self.assertEqual(ring.get("NOMIKON_KEY_MINE"), "from outside")
            self.assertEqual(ring.get("NAMED"), "too")
            for name in ("HOME_OF_SECRETS", "NOMIKON_KEY_FILE", "NOMIKON_KEY_ENV", "PATH"):
                self.assertIsNone(ring.get(name), name)

    def test_no_other_variable_can_be_sent_to_a_server_from_the_page(self):
        got = self.api.post(
            "connections/add/", {**self.body, "name": "d", "key": None, "key_env": "PATH"}
        )
        self.assertEqual((got.status_code, got.json()["field"]), (422, "key_env"))

    def test_a_variable_goes_to_another_address_only_when_that_is_said(self):
        body = {**self.body, "name": "v", "key": None, "key_env": "NOMIKON_KEY_MINE"}
        made = self.api.post("connections/add/", body).json()
        for address in ("https://h.example/v1", "http://h.example:81/v1", "http://g.example/v1"):
            with self.subTest(address):
                moved = {**body, "base_url": address}
                got = self.api.put(f"connections/{made['id']}/", moved)
                self.assertEqual((got.status_code, got.json()["field"]), (422, "key_again"))
        got = self.api.put(f"connections/{made['id']}/", {**moved, "key_again": True})
        self.assertEqual(got.status_code, 200, got.content)

    def test_link_local_addresses_are_never_asked(self):
        for host in ("169.254.169.254", "2852039166", "0xa9fea9fe", "[::ffff:169.254.169.254]",
                     "169.254.169.254.", "[fe80::1]"):  # fmt: skip
            with self.subTest(host):
                got = self.api.post(
                    "connections/add/",
                    {**self.body, "name": host, "base_url": f"http://{host}/v1"},
                )
                self.assertEqual((got.status_code, got.json()["field"]), (422, "base_url"))


class LimitsTest(TestCase):
    def setUp(self):
        self.brief = make_brief()
        self.api = Api()
        self.connection = Connection.objects.get()
        self.fields = {
            "name": self.connection.name,
            "base_url": self.connection.base_url,
            "concurrency": 4,
        }

    def test_limits_are_kept_and_passed_on(self):
        path = f"connections/{self.connection.pk}/"
        got = self.api.put(path, {**self.fields, "requests_per_minute": 60}).json()
        self.assertEqual((got["requests_per_minute"], got["tokens_per_minute"]), (60, None))
        model = Model.objects.first()
        body = {"name": model.name, "price_in": 1, "price_out": 2, "tokens_per_minute": 9000}
        self.api.put(f"models/{model.pk}/", body)
        spec = connection_spec(Connection.objects.get(), Model.objects.get(pk=model.pk))
        self.assertEqual(spec.limits.requests_per_minute, 60)
        self.assertEqual(spec.model_limits.tokens_per_minute, 9000)
        # A limit decides no answer: what is stored stays usable.
        self.assertEqual(spec.revision, 1)

    def test_refusals(self):
        path = f"connections/{self.connection.pk}/"
        for change, field in [
            ({"requests_per_minute": 0}, "requests_per_minute"),
            ({"tokens_per_minute": -1}, "tokens_per_minute"),
            ({"concurrency": 0}, "concurrency"),
            ({"concurrency": "many"}, "concurrency"),
            ({"base_url": "localhost:8000/v1"}, "base_url"),
            ({"base_url": ""}, "base_url"),
            ({"protocol": "carrier-pigeon"}, "protocol"),
        ]:
            with self.subTest(change=change):
                got = self.api.put(path, {**self.fields, **change})
                self.assertEqual((got.status_code // 100, got.json()["field"]), (4, field))
        model = Model.objects.first()
        for change, field in [
            ({"requests_per_minute": 0}, "requests_per_minute"),
            ({"unsupported": ["colour"]}, "unsupported"),
        ]:
            with self.subTest(change=change):
                got = self.api.put(f"models/{model.pk}/", {"name": model.name, **change})
                self.assertEqual((got.status_code, got.json()["field"]), (422, field))

    def test_what_a_model_does_not_take_is_said_and_not_sent(self):
        model = Model.objects.first()
        self.api.put(f"models/{model.pk}/", {"name": model.name, "unsupported": ["top_k", "seed"]})
        plan = plan_of(self.brief, models=[model.pk], settings=[{"top_k": 3}])
        texts = [p.text for p in plan.estimate.problems]
        self.assertIn(f"top_k is not sent: {model.name} does not take it", texts)
        Connection.objects.update(protocol="open-inference")
        plan = plan_of(self.brief, models=[model.pk], settings=[{"reasoning_effort": "low"}])
        self.assertTrue(any("open-inference has no word" in p.text for p in plan.estimate.problems))


class SilenceTest(TestCase):
    def test_a_finding_is_silenced_with_a_reason_and_heard_again(self):
        brief = make_brief()
        api = Api()
        draft = {"messages": [{"role": "user", "content": "Is {{sea}} wet? TODO"}]}

        def found():
            report = api.post(f"briefs/{brief.pk}/draft/", draft).json()
            return [f["rule"] for f in report["findings"]], report["silenced"]

        self.assertEqual(found(), (["editing-mark"], []))
        path = f"briefs/{brief.pk}/silence/"
        for body, field in [
            ({"rule": "editing-mark", "reason": "  "}, "reason"),
            ({"rule": "nonsense", "reason": "x"}, "rule"),
        ]:
            got = api.post(path, body)
            self.assertEqual((got.status_code, got.json()["field"]), (422, field))
        api.post(path, {"rule": "editing-mark", "reason": "it is a word here"})
        silenced = [{"rule": "editing-mark", "reason": "it is a word here"}]
        self.assertEqual(found(), ([], silenced))
        self.assertTrue(Line.objects.filter(what="finding.silenced").exists())
        api.post(path, {"rule": "editing-mark", "reason": None})
        self.assertEqual(found(), (["editing-mark"], []))
