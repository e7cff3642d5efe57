"""Every read of the API over a database of odd states: nothing takes a page down."""

import itertools
import json
import logging
import re
from pathlib import Path
from unittest import mock

from django.test import Client, TransactionTestCase

from nomikon.server.apps.baselines.models import Baseline
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.connections.models import Connection
from nomikon.server.apps.consultations.models import Consultation
from nomikon.server.apps.culprits.models import CulpritSearch
from nomikon.server.apps.datasets.models import CaseRevision, Dataset
from nomikon.server.apps.rounds.models import Rounds
from nomikon.server.apps.trials.models import Arm, Output, Trial
from nomikon.server.apps.twins.models import TwinSet
from nomikon.server.apps.verdicts.models import Verdict
from nomikon.server.apps.weights.models import Weighing
from nomikon.server.desk import docket, overview
from tests.server.base import Api, who
from tests.server.odd_states import build_all, own_models, without_reference

DOCUMENT = json.loads((Path(__file__).resolve().parents[2] / "docs/openapi.json").read_text())
# They reach out to servers, or do not end.
LEFT_OUT = re.compile("events|/offered/|/health/")
# What a query must say for the read to be one.
QUERIES = {
    "side-by-side": "?versions=1,2",
    "/alike/": "?kind=tag&name=x&among={dataset_id}",
    "/consultations/$": "?role=first-version",
    "/differences/": "?to=1",
}
MOST_OF_ONE_ADDRESS = 3


def reads():
    """Every address that is read, and the names of what it is read of."""
    for path, methods in DOCUMENT["paths"].items():
        if "get" in methods and not LEFT_OUT.search(path):
            yield path, re.findall(r"\{(\w+)\}", path)


class OddStatesTest(TransactionTestCase):
    def setUp(self):
        self.briefs = build_all()
        self.api = Api()
        self.client = Client(raise_request_exception=False)
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)

    def ids(self, brief):
        """What the names in an address can be, of one brief."""
        trials = Trial.objects.filter(brief=brief).order_by("-pk")
        arms = list(Arm.objects.filter(trial__brief=brief).values_list("pk", flat=True))
        numbers = list(Version.objects.filter(brief=brief).values_list("number", flat=True))
        dataset = list(Dataset.objects.filter(brief=brief).values_list("pk", flat=True))
        return {
            "brief_id": [brief.pk],
            "trial_id": list(trials.values_list("pk", flat=True)),
            "other_id": list(Trial.objects.order_by("-pk").values_list("pk", flat=True)[:2]),
            "arm_id": arms,
            "against_id": arms,
            "output_id": list(Output.objects.filter(arm__in=arms).values_list("pk", flat=True)[:2]),
            "number": numbers,
            "other": numbers,
            "against": numbers,
            "base": [*numbers, 0],
            "clause": [1, 2],
            "dataset_id": dataset,
            "revision_id": list(
                CaseRevision.objects.filter(case__dataset__in=dataset).values_list("pk", flat=True)[
                    :2
                ]
            ),
            "connection_id": list(Connection.objects.values_list("pk", flat=True)[:1]),
            "verdict_id": list(Verdict.objects.filter(brief=brief).values_list("pk", flat=True)),
            "kind": ["csv", "xlsx", "jsonl"],
            "role": ["draft"],
            "set_id": list(TwinSet.objects.filter(brief=brief).values_list("pk", flat=True)),
            "weighing_id": list(
                Weighing.objects.filter(trial__brief=brief).values_list("pk", flat=True)
            ),
            "search_id": list(
                CulpritSearch.objects.filter(trial__brief=brief).values_list("pk", flat=True)
            ),
            "rounds_id": list(Rounds.objects.filter(brief=brief).values_list("pk", flat=True)),
            "baseline_id": list(
                Baseline.objects.filter(dataset__in=dataset).values_list("pk", flat=True)
            ),
            "consultation_id": list(
                Consultation.objects.filter(brief=brief).values_list("pk", flat=True)
            ),
        }

    def test_no_read_of_any_odd_state_fails(self):
        failed, told, of_one = {}, set(), {}
        for state, brief in self.briefs.items():
            ids = self.ids(brief)
            for path, names in reads():
                if not names and brief is not self.briefs["nothing_asked"]:
                    continue
                for values in itertools.product(*(ids.get(n, [1]) for n in names)):
                    if of_one.setdefault((state, path), 0) >= MOST_OF_ONE_ADDRESS:
                        break
                    of_one[state, path] += 1
                    known = dict(zip(names, values, strict=True))
                    query = next((q for p, q in QUERIES.items() if re.search(p, path)), "")
                    got = self.client.get(path.format(**known) + query.format(**known))
                    if got.streaming:
                        got.getvalue()
                    told.add((path, got.status_code))
                    if got.status_code >= 500:
                        failed.setdefault(path, f"{state} {known}")
        self.assertEqual(failed, {})
        # Told, or refused in words: an address that is there for no state is not walked at all.
        answered = {path for path, status in told if status in (200, 422)}
        never = {path for path, names in reads() if path not in answered}
        self.assertEqual(never, set())

        self.desk_tells_the_rest()

    def desk_tells_the_rest(self):
        """One brief whose figures are broken is told in its place; every other line stands."""
        broken = self.briefs["one_arm"]
        spine = overview.spine_of

        def breaks(arms, adopted):
            if any(a.trial.brief_id == broken.pk for a in arms):
                raise KeyError("a basis")
            return spine(arms, adopted)

        before = {r["name"]: r for r in self.api.get("desk/").json()["briefs"]}
        self.assertEqual(len(before), Brief.objects.count())
        self.assertEqual(before["no total"]["best"], None)
        with (
            mock.patch.object(docket, "spine_of", breaks),
            mock.patch.object(overview, "spine_of", breaks),
        ):
            after = {r["name"]: r for r in self.api.get("desk/").json()["briefs"]}
            told = self.api.get(f"briefs/{broken.pk}/").json()
        self.assertIn("cannot be told", after["one arm"]["state"])
        self.assertEqual(after.pop("one arm")["spent"], before.pop("one arm")["spent"])
        self.assertEqual(after, before)
        self.assertEqual((told["basis"], len(told["versions"])), (None, 2))


class UnscoredTest(TransactionTestCase):
    def test_what_can_measure_nothing_runs_on_a_yes_alone(self):
        brief, api = without_reference("Seas"), Api()
        body = {
            "versions": [1],
            "models": own_models(brief)[:1],
            "dataset_version": brief.datasets.get().versions.latest("number").pk,
            "split": "working",
            "repeats": 1,
        }
        (problem,) = api.post(f"briefs/{brief.pk}/plan/", body).json()["problems"]
        self.assertEqual((problem["severity"], problem["field"]), ("ask", "unscored"))
        url = f"briefs/{brief.pk}/trials/start/"
        refused = api.post(url, body)
        self.assertEqual((refused.status_code, refused.json()["field"]), (422, "unscored"))
        self.assertIn("none of the 6 cases", refused.json()["detail"])
        self.assertEqual(api.post(url, {**body, "unscored": True}).status_code, 200)
        # One measure that reads the answer alone can score: no yes is asked for.
        card = {"nomikon": "scorecard/1", "measures": [{"measure": "valid-json"}]}
        SaveScorecard(brief, card, **who()).execute()
        self.assertEqual(api.post(url, body).status_code, 200)
