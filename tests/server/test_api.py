"""The API: what it does, and that no bad input is answered with a 500."""

import asyncio
import json
import re
from decimal import Decimal
from pathlib import Path

from django.test import Client, TestCase, TransactionTestCase
from django.urls import get_resolver
from django.utils import timezone

from nomikon.core.cases import read_csv
from nomikon.core.errors import PlanError
from nomikon.engine.coordinator import run_trial
from nomikon.engine.executors import LocalExecutor
from nomikon.engine.store import STOP
from nomikon.models import CallFailure
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.trials.models import Call, Output, Trial
from nomikon.server.apps.trials.models import ScoreRow as StoredScore
from nomikon.server.apps.trials.store import DatabaseStore
from tests.server.base import (
    CARD,
    Api,
    Scripted,
    better_second,
    make_brief,
    plan_of,
    run,
    start,
    who,
)

ROOT = Path(__file__).resolve().parents[2]
MESSAGES = [{"role": "user", "content": "Is {{sea}} wet? Answer."}]


class VersionsTest(TestCase):
    def setUp(self):
        self.brief = make_brief()
        self.api = Api()
        self.base = f"briefs/{self.brief.pk}"

    def test_a_version_is_saved_as_a_child_and_never_changes(self):
        made = self.api.post(
            f"{self.base}/versions/", {"messages": MESSAGES, "parent": 2, "note": "why"}
        )
        self.assertEqual(made.status_code, 200, made.content)
        self.assertEqual((made.json()["number"], made.json()["parent"]), (3, 2))
        frame = self.api.get(f"{self.base}/").json()
        self.assertEqual([v["number"] for v in frame["versions"]], [1, 2, 3])
        for method in ("PUT", "PATCH", "DELETE"):
            self.assertEqual(self.api.send(method, f"{self.base}/versions/3/", {}).status_code, 405)

    def test_saving_the_same_again_is_refused(self):
        same = self.api.get(f"{self.base}/versions/2/").json()
        again = self.api.post(
            f"{self.base}/versions/",
            {"messages": same["messages"], "settings": same["settings"], "parent": 2},
        )
        self.assertEqual((again.status_code, again.json()["title"]), (422, "nothing_changed"))

    def test_what_changed_against_the_parent(self):
        found = self.api.get(f"{self.base}/versions/2/changes/1/").json()
        self.assertEqual([a["kind"] for a in found["amendments"]], ["add"])
        self.assertEqual(found["settings_after"], {"temperature": 0.0})

    def test_a_draft_is_reported_on_and_bad_text_is_no_error(self):
        report = self.api.post(
            f"{self.base}/draft/",
            {
                "messages": [{"role": "user", "content": "Is {{ocean}} wet?"}],
                "settings": {"temperature": 5},
                "parent": 1,
            },
        ).json()
        self.assertEqual((report["unfilled"], report["unused"]), (["ocean"], ["sea"]))
        self.assertEqual(report["problems"][0]["field"], "settings.temperature")
        broken = self.api.post(
            f"{self.base}/draft/", {"messages": [{"role": "user", "content": "Is {{sea wet?"}]}
        )
        self.assertEqual(broken.status_code, 200)
        self.assertIn("not closed", broken.json()["problems"][0]["text"])

    def test_rendered_literally(self):
        got = self.api.post(
            "render/",
            {"messages": [{"role": "user", "content": " *{{a}}*\n"}], "inputs": {"a": "<b>"}},
        ).json()
        self.assertEqual(got["messages"][0]["content"], " *<b>*\n")


class BadInputTest(TestCase):
    """Every refusal is a problem document with its field; nothing answers 500."""

    def setUp(self):
        self.brief = make_brief()
        self.api = Api()

    def test_refusals(self):
        b = f"briefs/{self.brief.pk}"
        data = self.brief.datasets.first().versions.last().pk
        plan = {"versions": [1], "models": [], "dataset_version": data}
        model = self.api.get("connections/").json()[0]["models"][0]["id"]
        plan_ok = plan | {"models": [model]}
        table = [
            ("briefs/", {"name": " "}, "name"),
            ("briefs/", {"name": "x", "task": "dance"}, "task"),
            ("briefs/", "not json", None),
            ("briefs/", [1], None),
            (f"{b}/versions/", {"messages": []}, "messages"),
            (f"{b}/versions/", {"messages": [{"role": "user", "content": " "}]}, "messages"),
            (
                f"{b}/versions/",
                {"messages": [{"role": "user", "content": "{{a"}]},
                "messages.0.content",
            ),
            (f"{b}/versions/", {"messages": [{"role": "x", "content": "y"}]}, "messages.0.role"),
            (
                f"{b}/versions/",
                {"messages": MESSAGES, "settings": {"temperature": 9}},
                "temperature",
            ),
            (f"{b}/versions/", {"messages": MESSAGES, "parent": 99}, "parent"),
            (f"{b}/versions/", {"messages": MESSAGES, "parent": "x"}, "parent"),
            (f"{b}/versions/", {"messages": "x"}, "messages"),
            (f"{b}/scorecards/", {"document": {}}, "nomikon"),
            (
                f"{b}/scorecards/",
                {
                    "document": {
                        "nomikon": "scorecard/1",
                        "measures": [{"measure": "length", "unit": "words"}],
                    }
                },
                "measures.0.max",
            ),
            (f"{b}/plan/", plan, "models"),
            (f"{b}/plan/", plan_ok | {"versions": []}, "versions"),
            (f"{b}/plan/", plan_ok | {"versions": [9]}, "versions"),
            (f"{b}/plan/", plan_ok | {"split": "other"}, "split"),
            (f"{b}/plan/", plan_ok | {"repeats": 0}, "repeats"),
            (f"{b}/plan/", plan_ok | {"repeats": 10**30}, "repeats"),
            (f"{b}/plan/", plan_ok | {"dataset_version": 999}, "dataset_version"),
            (
                f"{b}/plan/",
                plan_ok | {"settings": [{}, {"temperature": -1}]},
                "settings.1.temperature",
            ),
            (f"{b}/datasets/", {"name": ""}, "name"),
            ("connections/add/", {"name": "x", "base_url": "localhost:1"}, "base_url"),
            ("connections/add/", {"name": "x", "base_url": "ftp://h"}, "base_url"),
            ("connections/add/", {"name": "x", "base_url": "http://a:b@h/v1"}, "base_url"),
            (
                "connections/add/",
                {"name": "x", "base_url": "http://h", "key_env": "a b"},
                "key_env",
            ),
            (
                "connections/add/",
                {"name": "x", "base_url": "http://h", "concurrency": 0},
                "concurrency",
            ),
            (
                "connections/add/",
                {"name": "x", "base_url": "http://h", "call_timeout_s": -1},
                "call_timeout_s",
            ),
            ("connections/add/", {"name": "Here Tides", "base_url": "http://h"}, "name"),
            (f"{b}/adopt/", {"arm": 1, "reason": ""}, None),
        ]
        lines = Line.objects.count()
        for path, body, field in table:
            with self.subTest(path=path, body=body):
                got = self.api.post(path, body)
                self.assertIn(got.status_code, (400, 404, 409, 422), got.content)
                self.assertEqual(got["Content-Type"], "application/problem+json")
                self.assertTrue(got.json()["detail"])
                if field:
                    self.assertEqual(got.json()["field"], field)
        self.assertEqual(Line.objects.count(), lines)

    def test_models_and_prices(self):
        connection = self.api.get("connections/").json()[0]
        path = f"connections/{connection['id']}/models/"
        for body, field in [
            ({"name": ""}, "name"),
            ({"name": "small"}, "name"),
            ({"name": "x", "price_in": -1, "price_out": 1}, "price_in"),
            ({"name": "x", "price_in": 1}, "price_out"),
            ({"name": "x", "context_length": 0}, "context_length"),
            ({"name": "x", "price_in": "dear", "price_out": 1}, "price_in"),
        ]:
            with self.subTest(body=body):
                got = self.api.post(path, body)
                self.assertEqual((got.status_code // 100, got.json()["field"]), (4, field))
        good = self.api.post(path, {"name": "x", "price_in": "0.15", "price_out": "0.6"}).json()
        self.assertEqual((good["price_in"], good["price_out"]), (0.15, 0.6))

    def test_every_address_answers_nonsense_without_a_500(self):
        """Each route with ids that lead nowhere, each method, with and without a body."""
        for pattern in get_resolver().url_patterns:
            route = str(pattern.pattern)
            if not route.startswith("api/") or "events" in route or "schema" in route:
                continue
            path = re.sub(r"<int:\w+>", "987654", route).removeprefix("api/")
            for method in ("GET", "POST", "PUT", "DELETE"):
                for body in ({}, {"x": 1}, "{", []):
                    with self.subTest(path=path, method=method, body=body):
                        self.assertLess(self.api.send(method, path, body).status_code, 500)

    def test_odd_queries(self):
        dataset = self.brief.datasets.first().pk
        for query in ("offset=-1", "offset=x", "limit=99999999999999999999", "split=%00", "q=%ff"):
            self.assertEqual(self.api.get(f"datasets/{dataset}/cases/?{query}").status_code, 200)


class SafetyTest(TestCase):
    def test_a_write_without_the_token_is_refused(self):
        got = Client(enforce_csrf_checks=True).post(
            "/api/briefs/", json.dumps({"name": "x"}), content_type="application/json"
        )
        self.assertEqual(got.status_code, 403)

    def test_a_foreign_host_is_refused(self):
        self.assertEqual(
            Client(headers={"host": "evil.example"}).get("/api/desk/").status_code, 400
        )

    def test_keys_are_named_and_never_shown(self):
        import os
        from unittest import mock

        with mock.patch.dict(os.environ, {"NOMIKON_KEY_MINE": "very-secret"}):
            api = Api()
            api.post(
                "connections/add/",
                {"name": "c", "base_url": "http://h/v1", "key_env": "NOMIKON_KEY_MINE"},
            )
            got = api.get("connections/")
        self.assertTrue(got.json()[0]["key_set"])
        self.assertNotIn(b"very-secret", got.content)

    def test_no_secret_or_machine_path_is_in_the_repository(self):
        pattern = re.compile(
            r"(?i)(api[_-]?key|password|secret)\s*[=:]\s*['\"][A-Za-z0-9+/_-]{16,}"
        )
        for path in [*ROOT.glob("src/**/*.py"), *ROOT.glob("demo/**/*"), *ROOT.glob("docs/*")]:
            if path.is_file() and path.suffix in (".py", ".md", ".yaml", ".json", ".csv"):
                self.assertIsNone(pattern.search(path.read_text(encoding="utf-8")), path)


class TrialTest(TransactionTestCase):
    """Around once: plan, run, look, read, mark, compare, adopt."""

    def setUp(self):
        self.brief = make_brief(30)
        self.api = Api()
        self.base = f"briefs/{self.brief.pk}"

    def test_plan_then_start(self):
        data = self.api.get(f"{self.base}/").json()["datasets"][0]["version_id"]
        models = [m["id"] for c in self.api.get("connections/").json() for m in c["models"]]
        body = {
            "versions": [1, 2],
            "models": models,
            "dataset_version": data,
            "repeats": 2,
            "settings": [{}, {"temperature": 0.7}],
        }
        plan = self.api.post(f"{self.base}/plan/", body).json()
        self.assertEqual((len(plan["arms"]), plan["n_cases"], plan["calls"]), (8, 20, 320))
        self.assertGreater(plan["cost"], 0)
        self.assertEqual(self.api.get(f"{self.base}/trials/").json(), [])
        made = self.api.post(f"{self.base}/trials/start/", body | {"question": "?"}).json()
        trial = self.api.get(f"trials/{made['id']}/").json()
        self.assertEqual((trial["state"], trial["n_outputs"], trial["done"]), ("queued", 320, 0))

    def test_a_plan_that_cannot_run_does_not_start(self):
        self.api.post(
            f"{self.base}/versions/",
            {"messages": [{"role": "user", "content": "{{nowhere}}"}], "parent": 2},
        )
        data = self.api.get(f"{self.base}/").json()["datasets"][0]["version_id"]
        models = [m["id"] for c in self.api.get("connections/").json() for m in c["models"]]
        body = {"versions": [3], "models": models, "dataset_version": data}
        self.assertEqual(
            self.api.post(f"{self.base}/plan/", body).json()["problems"][0]["severity"], "error"
        )
        refused = self.api.post(f"{self.base}/trials/start/", body)
        self.assertEqual(refused.status_code, 422)
        self.assertIn("nowhere", refused.json()["detail"])

    def test_around_once(self):
        trial = start(self.brief)
        run(trial)
        summary = self.api.get(f"trials/{trial.pk}/").json()
        self.assertEqual((summary["state"], summary["done"]), ("complete", 80))
        means = {(a["version"], a["model"]): a["mean"] for a in summary["arms"]}
        self.assertEqual(means[2, "small"], 1.0)
        self.assertAlmostEqual(means[1, "small"], 0.5, delta=0.01)

        cells = self.api.get(f"trials/{trial.pk}/cells/").json()
        self.assertEqual((len(cells["cases"]), len(cells["outputs"]["output"])), (20, 80))
        output = self.api.get(f"outputs/{cells['outputs']['output'][0]}/").json()
        self.assertEqual(
            output["calls"][0]["messages"][0]["content"],
            f"Is {output['case']['inputs']['sea']} wet?"
            + ("" if output["arm"]["version"] == 1 else " Say yes or no."),
        )
        self.assertEqual(output["scores"][0]["measure"], "normalised-match")

        queue = self.api.get(f"{self.base}/reading/").json()
        first = queue["queue"][0]["output"]
        self.api.post(f"outputs/{first}/marks/", {"judgement": "bad", "comment": "dry"})
        self.api.post(f"outputs/{first}/marks/", {"judgement": "good"})
        self.assertEqual(self.api.get(f"outputs/{first}/").json()["mark"]["judgement"], "good")
        self.assertEqual(self.api.get(f"{self.base}/reading/").json()["marked"], 1)
        self.assertEqual(
            self.api.post(f"outputs/{first}/marks/", {"judgement": "so-so"}).json()["field"],
            "judgement",
        )

        arms = {(a["version"], a["model"]): a["id"] for a in summary["arms"]}
        better, worse = arms[2, "small"], arms[1, "small"]
        found = self.api.get(f"trials/{trial.pk}/compare/{better}/{worse}/").json()
        self.assertEqual((found["figures"]["wins"], found["figures"]["losses"]), (10, 0))
        self.assertLess(found["figures"]["p_holm"], 0.04)
        self.assertEqual(len(found["family"]), 3)
        self.assertEqual({c["difference"] for c in found["changed"]}, {1.0})

        silent = self.api.post(f"{self.base}/adopt/", {"arm": better, "reason": " "})
        self.assertEqual(silent.json()["field"], "reason")
        adopted = self.api.post(
            f"{self.base}/adopt/", {"arm": better, "against": worse, "reason": "right more often"}
        )
        self.assertEqual(adopted.status_code, 200, adopted.content)
        self.assertEqual(adopted.json()["evidence"]["comparison"]["wins"], 10)
        frame = self.api.get(f"{self.base}/").json()
        self.assertEqual(frame["adopted"], 2)
        self.assertEqual(
            {v["number"]: v["score"]["mean"] for v in frame["versions"]}, {1: 0.5, 2: 1.0}
        )
        desk = self.api.get("desk/").json()
        self.assertEqual(desk["briefs"][0]["state"], "v2 adopted.")
        self.assertGreater(desk["spent_month"], 0)
        kinds = {ln["what"] for ln in self.api.get("ledger/").json()["lines"]}
        self.assertLessEqual(
            {"trial.started", "trial.ended", "output.marked", "arm.adopted"}, kinds
        )

    def test_an_unfinished_trial_is_not_adopted_and_failures_are_missing(self):
        trial = start(self.brief, versions=[2])

        def reply(body):
            return CallFailure("server_error", "HTTP 500") if "sea 3 " in str(body) else "yes"

        arm = trial.arms.first()
        early = self.api.post(f"{self.base}/adopt/", {"arm": arm.pk, "reason": "x"})
        self.assertEqual(early.json()["field"], "arm")
        run(trial, Scripted(reply))
        figures = self.api.get(f"trials/{trial.pk}/").json()["arms"][0]
        self.assertEqual(
            (figures["failed"], figures["failures"], figures["mean"]), (1, {"server_error": 1}, 1.0)
        )
        self.assertEqual(figures["n_cases"], 19)
        self.assertIsNone(Output.objects.filter(failure="server_error").first().cost_nominal)

    def test_a_wish_to_stop_after_the_last_answer_changes_nothing(self):
        trial = start(self.brief)

        class AskedAtTheEnd(DatabaseStore):
            """Somebody presses stop just as the last answer has been stored."""

            def save(self, results):
                super().save(results)
                if Output.objects.filter(arm__trial=trial).count() == trial.n_outputs:
                    Trial.objects.filter(pk=trial.pk).update(asked=STOP)

        store = AskedAtTheEnd(trial.pk, clock=timezone.now)
        asyncio.run(run_trial(store, LocalExecutor(Scripted(better_second))))
        self.assertEqual(self.api.get(f"trials/{trial.pk}/").json()["state"], "complete")
        again = self.api.post(f"trials/{trial.pk}/cancel/")
        self.assertEqual((again.status_code, again.json()["title"]), (409, "trial_ended"))

    def test_what_is_missing_is_run_again_and_the_rest_is_not_paid_for_twice(self):
        trial = start(self.brief)
        path = f"trials/{trial.pk}/continue/"
        self.assertEqual(self.api.post(path).json()["title"], "still_running")
        run(
            trial,
            Scripted(
                lambda body: CallFailure("timeout", "30 s") if "sea 3 " in str(body) else "yes"
            ),
        )
        before = set(Output.objects.filter(failure="").values_list("id", flat=True))
        self.assertEqual(len(before), 76)
        self.assertEqual(self.api.post(path).json()["state"], "queued")
        second = Scripted()
        self.assertEqual(run(trial, second), "complete")
        self.assertEqual((second.calls, Output.objects.count()), (4, 80))
        self.assertLessEqual(before, set(Output.objects.values_list("id", flat=True)))
        again = self.api.post(path)
        self.assertEqual((again.status_code, again.json()["title"]), (409, "nothing_missing"))
        line = Line.objects.get(what="trial.continued")
        self.assertEqual(line.facts["failures"], {"timeout": 4})

    def test_a_spent_budget_pauses_and_a_higher_one_goes_on(self):
        # Scripted usage: 10 tokens in at 1 and 2 out at 2 per million make 14 millionths a call.
        trial = StartTrial(plan_of(self.brief), "?", **who(), budget=Decimal("0.000140")).execute()
        self.assertEqual(run(trial), "paused")
        found = self.api.get(f"trials/{trial.pk}/").json()
        self.assertEqual((found["state"], found["budget"]), ("paused", 140_000))
        self.assertTrue(10 <= found["done"] <= 10 + 8, found["done"])
        path = f"trials/{trial.pk}/continue/"
        self.assertEqual(self.api.post(path).json()["field"], "budget")
        self.assertEqual(self.api.post(path, {"budget": "-1"}).json()["field"], "budget")
        self.assertEqual(self.api.post(path, {"budget": "1.5"}).status_code, 200)
        self.assertEqual(run(trial), "complete")
        self.assertEqual(Output.objects.count(), 80)

    def test_a_budget_needs_prices(self):
        Model.objects.update(price_in_nano=None, price_out_nano=None)
        with self.assertRaisesRegex(PlanError, "no price"):
            StartTrial(plan_of(self.brief), "?", **who(), budget=Decimal(1)).execute()

    def test_the_same_question_is_not_paid_for_twice(self):
        run(
            start(self.brief),
            Scripted(
                lambda body: CallFailure("timeout", "30 s") if "sea 3 " in str(body) else "yes"
            ),
        )
        data = self.api.get(f"{self.base}/").json()["datasets"][0]["version_id"]
        models = [m["id"] for c in self.api.get("connections/").json() for m in c["models"]]
        body = {"versions": [1, 2], "models": models, "dataset_version": data}
        # A failure is never reused: 4 of 80 are still to be had.
        self.assertEqual(self.api.post(f"{self.base}/plan/", body).json()["in_store"], 76)
        again = start(self.brief)
        caller = Scripted()
        run(again, caller)
        self.assertEqual(caller.calls, 4)
        summary = self.api.get(f"trials/{again.pk}/").json()
        self.assertEqual((summary["done"], summary["reused"]), (80, 76))
        new = Output.objects.filter(arm__trial=again, cost_new__gt=0).count()
        self.assertEqual((new, summary["spent"]), (4, 4 * summary["arms"][0]["cost"] // 20))
        output = Output.objects.filter(arm__trial=again, cost_new=0).first()
        call = self.api.get(f"outputs/{output.pk}/").json()["calls"][0]
        self.assertTrue(call["reused"])
        self.assertLess(
            call["answered_at"], self.api.get(f"trials/{again.pk}/").json()["started_at"]
        )

        # Asked afresh, or of a model that calls itself something else now, it is asked again.
        fresh = self.api.post(f"{self.base}/plan/", body | {"fresh": True}).json()
        self.assertEqual(fresh["in_store"], 0)
        forced = start(self.brief, fresh=True)
        caller = Scripted()
        run(forced, caller)
        self.assertEqual(caller.calls, 80)
        Call.objects.filter(pk=Call.objects.filter(reused_from=None).last().pk).update(
            model_identity="small v2"
        )
        changed = self.api.post(f"{self.base}/plan/", body).json()["in_store"]
        self.assertEqual(changed, 40)

    def test_a_stopped_trial_goes_on_where_it_stood(self):
        trial = start(make_brief(150, "Many"))
        self.api.post(f"trials/{trial.pk}/cancel/")
        self.assertEqual(run(trial), "cancelled")
        stored = Output.objects.count()
        self.assertLess(stored, trial.n_outputs)
        self.api.post(f"trials/{trial.pk}/continue/")
        rest = Scripted()
        self.assertEqual(run(trial, rest), "complete")
        self.assertEqual(
            (rest.calls, Output.objects.count()), (trial.n_outputs - stored, trial.n_outputs)
        )

    def test_a_later_dataset_version_changes_no_old_trial(self):
        trial = start(self.brief)
        run(trial)
        before = self.api.get(f"trials/{trial.pk}/cells/").json()["outputs"]
        dataset = self.brief.datasets.first()
        ImportCases(dataset, read_csv(b"sea\nnew sea\n"), {}, "working", **who()).execute()
        self.assertEqual(self.api.get(f"trials/{trial.pk}/cells/").json()["outputs"], before)

    def test_scores_are_packed_in_one_row_per_output(self):
        trial = start(self.brief, versions=[1])
        run(trial, Scripted(better_second))
        self.assertEqual(StoredScore.objects.count(), Output.objects.count())


class InventoryTest(TestCase):
    """Every ledger line the server writes has its words on the page."""

    def test_every_ledger_kind_has_words(self):
        words = (ROOT / "web/src/ledger/words.ts").read_text()
        kinds: set[str] = set()
        for path in (ROOT / "src/nomikon/server").rglob("*.py"):
            if path.name == "demo.py" or "migrations" in path.parts:
                continue
            text = path.read_text()
            kinds |= set(
                re.findall(
                    r'"((?:brief|version|scorecard|dataset|cases|connection|model|'
                    r'trial|output|arm|baseline)\.\w+)"',
                    text,
                )
            )
        self.assertGreater(len(kinds), 12)
        for kind in kinds:
            self.assertIn(f"'{kind}'", words)

    def test_every_failure_has_words(self):
        from nomikon.models import FAILURES

        words = (ROOT / "web/src/stages/trials/BoardMargin.tsx").read_text()
        for code in FAILURES:
            self.assertRegex(words, rf"\b{code}:")

    def test_every_action_writes_a_ledger_line(self):
        actions = list((ROOT / "src/nomikon/server/apps").glob("*/actions/*.py"))
        self.assertGreater(len(actions), 40)
        for path in actions:
            if path.name != "__init__.py":
                text = path.read_text()
                self.assertRegex(text, r"(write_ledger|change_cases)\(", path.name)
                self.assertIn("@transaction.atomic", text, path.name)


class SeenTest(TestCase):
    """Two who change one thing: the later one is told, and nothing is overwritten."""

    def setUp(self):
        self.brief, self.api = make_brief(), Api()

    def test_a_brief_a_note_a_scorecard_and_a_connection(self):
        at = f"briefs/{self.brief.pk}"
        body = {"name": "Tides", "job": "mine", "task": "classify"}
        seen = {"name": "Tides", "job": "Say whether it is wet.", "task": "classify"}
        self.assertEqual(self.api.put(f"{at}/change/", {**body, "seen": seen}).status_code, 200)
        got = self.api.put(f"{at}/change/", {**body, "job": "yours", "seen": seen})
        self.assertEqual((got.status_code, got.json()["title"]), (409, "changed_meanwhile"))
        self.assertEqual(got.json()["facts"]["now"]["job"], "mine")
        self.brief.refresh_from_db()
        self.assertEqual(self.brief.job, "mine")
        note = {"note": "one", "tags": None, "archived": None}
        first = {**note, "seen": {"note": "first", "tags": [], "archived": False}}
        self.assertEqual(self.api.post(f"{at}/versions/1/annotate/", first).status_code, 200)
        got = self.api.post(f"{at}/versions/1/annotate/", {**first, "note": "two"})
        self.assertEqual((got.status_code, got.json()["field"]), (409, "note"))
        card = {"document": CARD, "seen": 1}
        self.assertEqual(self.api.post(f"{at}/scorecards/", card).status_code, 200)
        self.assertEqual(self.api.post(f"{at}/scorecards/", card).status_code, 409)
        (row,) = self.api.get("connections/").json()
        moved = {"name": "Here", "base_url": row["base_url"], "seen": {"name": "There"}}
        got = self.api.put(f"connections/{row['id']}/", moved)
        self.assertEqual((got.status_code, got.json()["facts"]["now"]["name"]), (409, row["name"]))

    def test_a_model(self):
        (row,) = self.api.get("connections/").json()
        at = f"models/{row['models'][0]['id']}/"
        body = {"name": row["models"][0]["name"], "price_in": "0.30", "price_out": "1.10"}
        dearer = {**body, "price_in": "0.35", "seen": row["models"][0]}
        self.assertEqual(self.api.put(at, {**body, "seen": row["models"][0]}).status_code, 200)
        got = self.api.put(at, dearer)
        self.assertEqual((got.status_code, got.json()["title"]), (409, "changed_meanwhile"))
        now = got.json()["facts"]["now"]
        self.assertEqual((now["price_in"], now["price_out"]), (0.3, 1.1))
        # Who has seen that may write over it.
        self.assertEqual(self.api.put(at, {**dearer, "seen": now}).json()["price_in"], 0.35)
