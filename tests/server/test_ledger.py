"""The ledger as it is read: narrowed by everything it knows, read on, and what was spent on what."""

from datetime import timedelta

from django.test import TransactionTestCase
from django.utils import timezone

from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.reviews.actions.mark_output import MarkOutput
from nomikon.server.apps.trials.models import Call, Output
from tests.server.base import Api, make_brief, run, start, who


class LedgerTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(6)
        self.other = make_brief(0, name="Ebb “neap”")
        self.api = Api()

    def lines(self, **query):
        got = self.api.client.get("/api/ledger/", {k.rstrip("_"): v for k, v in query.items()})
        self.assertEqual(got.status_code, 200, got.content[:200])
        return got.json()["lines"]

    def kinds(self, **query):
        return {ln["what"] for ln in self.lines(**query)}

    def test_by_brief_what_who_and_day(self):
        self.assertEqual({ln["brief"] for ln in self.lines(brief=self.other.pk)}, {self.other.pk})
        self.assertEqual(self.kinds(what="versions"), {"version.saved"})
        self.assertEqual(self.kinds(what="cases"), {"dataset.created", "cases.imported"})
        SaveVersion(
            self.brief,
            [{"role": "user", "content": "Wet, {{sea}}?"}],
            {},
            Version.objects.first(),
            "short",
            "Ada",
            timezone.now(),
        ).execute()
        self.assertEqual([ln["facts"]["note"] for ln in self.lines(who="Ada")], ["short"])
        Line.objects.filter(actor="Ada").update(at=timezone.now() - timedelta(days=40))
        day = timezone.localdate()
        self.assertNotIn("Ada", {ln["actor"] for ln in self.lines(since=day.isoformat())})
        old = self.lines(until=(day - timedelta(days=30)).isoformat())
        self.assertEqual({ln["actor"] for ln in old}, {"Ada"})

    def test_by_model_setting_and_words(self):
        run(start(self.brief, versions=[1], settings=[{"temperature": 0.7, "top_p": 0.9}]))
        run(start(self.brief, versions=[1], settings=[{"temperature": 1}]))
        of = lambda **q: {ln["facts"].get("trial") for ln in self.lines(what="trials", **q)}  # noqa: E731
        self.assertEqual(of(setting="temperature 0.7"), {1})
        self.assertEqual(of(setting="temperature=1.0"), {2})
        self.assertEqual(of(setting="top_p"), {1})
        self.assertEqual(of(setting="temperature 0.70001"), set())
        self.assertEqual(of(model="small"), {1, 2})
        self.assertEqual(of(model="smal"), set())
        # Versions are found by their own settings, too.
        self.assertIn("version.saved", self.kinds(setting="temperature 0"))
        self.assertEqual(self.kinds(words="Ebb “neap” opened"), set())
        self.assertEqual(self.kinds(words="neap created"), {"brief.created", "dataset.created"})
        self.assertEqual(self.kinds(words="“neap” brief.created"), {"brief.created"})

    def test_what_is_no_day_and_no_kind_is_told_at_its_field(self):
        for query, field in (
            ("since=soon", "since"),
            ("what=gossip", "what"),
            ("setting=%C3%A9", "setting"),
        ):
            got = self.api.get(f"ledger/?{query}")
            self.assertEqual((got.status_code, got.json()["field"]), (422, field))

    def test_reading_on_misses_nothing_and_tells_nothing_twice(self):
        run(start(self.brief))
        for n, output in enumerate(Output.objects.all()[:7]):
            MarkOutput(output.pk, "good" if n else "bad", "", **who()).execute()
        whole = [ln["id"] for ln in self.lines()]
        read, before = [], {}
        while True:
            got = self.api.client.get("/api/ledger/", {"limit": 3, **before}).json()
            read += [ln["id"] for ln in got["lines"]]
            if not got["more"]:
                break
            before = {"before": read[-1]}
        self.assertEqual(read, whole)
        marked = self.lines(what="marks")
        self.assertEqual(len(marked), 1)
        self.assertEqual(marked[0]["facts"]["marks"], {"good": 6, "bad": 1})
        self.assertEqual(marked[0]["about"]["output"], Output.objects.all()[6].pk)

    def test_spend_by_model_adds_up_to_what_trials_newly_cost(self):
        run(start(self.brief))
        run(start(self.brief))  # All of it is stored already.
        rows = self.api.get("spend/").json()
        self.assertEqual({r["model"] for r in rows}, {"small", "large"})
        newly = sum(Output.objects.values_list("cost_new", flat=True))
        self.assertEqual(sum(r["cost"] for r in rows), newly)
        self.assertGreater(newly, 0)
        # Another month is a row of its own.
        Call.objects.filter(output__arm__model__name="small").update(
            answered_at=timezone.now() - timedelta(days=70)
        )
        months = {(r["month"], r["model"]) for r in self.api.get("spend/").json()}
        self.assertEqual(len({m for m, _ in months}), 2)

    def test_money_agrees_everywhere_and_simulated_money_stands_apart(self):
        Model.objects.filter(name="large").update(simulated=True)
        run(start(self.brief))
        # What a helping model costs counts, too, where it was asked.
        for what, cost, part in (("consultation.asked", 700, 0), ("draft.tried", 90, 90)):
            write_ledger(
                what, self.brief, actor="Ada", now=timezone.now(), brief=self.brief,
                facts={"model": "large" if part else "small"}, cost_nano=cost, simulated_nano=part,
            )  # fmt: skip
        of_calls = Call.objects.filter(output__arm__model__name="small")
        real = 700 + sum(c.cost or 0 for c in of_calls)
        of_calls = Call.objects.filter(output__arm__model__name="large")
        simulated = 90 + sum(c.cost or 0 for c in of_calls)
        self.assertGreater(min(real, simulated), 800)
        session, desk = self.api.get("session/").json(), self.api.get("desk/").json()
        entry = next(b for b in desk["briefs"] if b["id"] == self.brief.pk)
        [listed] = self.api.get(f"briefs/{self.brief.pk}/trials/").json()
        rows = self.api.get("spend/").json()
        ledger = self.api.get(f"ledger/?brief={self.brief.pk}").json()["lines"]
        told = {
            "header": (session["spent_month"], session["simulated_month"]),
            "desk": (desk["spent_month"], desk["simulated_month"]),
            "days": tuple(sum(d[k] for d in desk["spend_days"]) for k in ("nano", "simulated")),
            "docket": (entry["spent"], entry["simulated"]),
            "ledger": (
                sum((ln["cost_nano"] or 0) - ln["simulated_nano"] for ln in ledger),
                sum(ln["simulated_nano"] for ln in ledger),
            ),
            "by model": tuple(
                sum(r["cost"] for r in rows if r["simulated"] is is_simulated)
                for is_simulated in (False, True)
            ),
            "trial and single calls": (
                listed["spent"] - listed["simulated_spent"] + 700,
                listed["simulated_spent"] + 90,
            ),
        }
        self.assertEqual(told, dict.fromkeys(told, (real, simulated)))

    def test_every_plan_tells_what_of_its_price_nobody_pays(self):
        trial = start(self.brief)
        run(trial)
        at, data = f"briefs/{self.brief.pk}", self.brief.datasets.get().versions.latest("number").pk
        by_name = {m.name: m.pk for m in Model.objects.all()}
        rounds = {"version": 1, "model": by_name["small"], "dataset_version": data, "settings": {},
                  "amender": by_name["large"], "rounds": 1, "candidates": 1}  # fmt: skip
        asked = {
            "extension": (f"trials/{trial.pk}/extension/", {"repeats": 2}),
            "rounds": (f"{at}/rounds/plan/", rounds),
        }
        parts = {}
        for simulated in ((), ("large",), ("small", "large")):
            for name in by_name:
                Model.objects.filter(name=name).update(simulated=name in simulated)
            for what, (url, body) in asked.items():
                plan = self.api.post(url, body)
                self.assertEqual(plan.status_code, 200, plan.content[:300])
                told = plan.json()
                parts.setdefault(what, []).append((told["simulated_cost"], told["cost"]))
        for what, ((none, cost), (some, _), (whole, _)) in parts.items():
            with self.subTest(what=what):
                self.assertEqual((none, whole), (0, cost))
                self.assertTrue(0 < some < cost, (some, cost))
