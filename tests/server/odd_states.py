"""A builder of odd states: briefs that are each unusual in one way, in one database.

What a test walks over them, page by page and read by read, must answer for each of them.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.utils import timezone

from nomikon.core.cases import read_csv
from nomikon.models import Answer, CallFailure, Usage
from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.consultations.models import Consultation
from nomikon.server.apps.datasets.actions.bulk_change import BulkChange
from nomikon.server.apps.datasets.actions.create_dataset import CreateDataset
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.datasets.arranged import View
from nomikon.server.apps.trials.models import Trial
from nomikon.server.apps.twins.models import TwinSet
from nomikon.server.apps.verdicts.actions.adopt_arm import AdoptArm
from nomikon.server.apps.verdicts.models import Watch
from tests.server.base import (
    CARD,
    Api,
    Scripted,
    make_brief,
    run,
    start,
    who,
)
from tests.server.test_judging import RUBRIC

EXACT = {"nomikon": "scorecard/1", "measures": [{"measure": "exact-match"}]}
JUDGED = {"nomikon": "scorecard/1", "measures": [{"measure": "normalised-match"}, RUBRIC]}
FAILS = Scripted(lambda body: CallFailure("timeout", "no word came"))


def without_reference(name: str, n_cases: int = 6) -> Any:
    """A brief whose cases name no wanted answer."""
    brief = make_brief(0, name)
    lines = ["sea", *(f"sea {i}" for i in range(n_cases))]
    ImportCases(
        brief.datasets.get(), read_csv("\n".join(lines).encode()), {}, "working", **who()
    ).execute()
    return brief


def in_full(brief: Any, caller: Any = None, **more: Any) -> Trial:
    trial = start(brief, models=own_models(brief)[:1], **more)
    run(trial, caller)
    trial.refresh_from_db()
    return trial


def own_models(brief: Any) -> list[int]:
    """Every brief of the builder brings a connection of its own: plans name its models."""
    return list(
        Model.objects.filter(connection__name=f"Here {brief.name}")
        .order_by("id")
        .values_list("id", flat=True)
    )


def card(brief: Any, document: Any) -> None:
    SaveScorecard(brief, document, **who()).execute()


def no_total(name: str) -> Any:
    brief = without_reference(name)
    card(brief, EXACT)
    in_full(brief)
    return brief


def no_total_beside_one_with(name: str) -> Any:
    """The newest trial has no total, an older one has."""
    brief = make_brief(6, name)
    in_full(brief)
    bare = CreateDataset(brief, "Bare", **who()).execute()
    ImportCases(bare, read_csv(b"sea\nsea 1\nsea 2"), {}, "working", **who()).execute()
    in_full(brief, dataset_version=bare.versions.latest("number").pk)
    return brief


def adopted_without_total(name: str) -> Any:
    """What was adopted has no figure on any basis."""
    brief = no_total(name)
    arm = brief.trials.get().arms.first()
    AdoptArm(arm.pk, None, "it reads well", **who()).execute()
    return brief


def all_failed(name: str) -> Any:
    brief = make_brief(6, name)
    in_full(brief, FAILS)
    return brief


def all_declined(name: str) -> Any:
    brief = make_brief(6, name)
    in_full(brief, Scripted(lambda body: Answer("", "content_filter", Usage(4, 0), 9.0, 1.0, "")))
    return brief


def no_judge_read(name: str) -> Any:
    """Its judge never said what could be read: the total of every answer is missing."""
    brief = make_brief(6, name)
    large = Model.objects.filter(pk__in=own_models(brief), name="large").get()
    rubric = {**RUBRIC, "model": "large", "connection": large.connection.name}
    card(brief, {**JUDGED, "measures": [JUDGED["measures"][0], rubric]})
    in_full(brief, Scripted(lambda body: "I cannot tell, dear reader."))
    return brief


def one_arm(name: str) -> Any:
    brief = make_brief(6, name)
    in_full(brief, versions=[2])
    return brief


def one_case(name: str) -> Any:
    brief = make_brief(1, name)
    in_full(brief)
    return brief


def no_case_left(name: str) -> Any:
    """All cases of the newest dataset version are gone after a trial ran on the former one."""
    brief = make_brief(6, name)
    in_full(brief)
    dataset = brief.datasets.get()
    last = dataset.versions.latest("number")
    BulkChange(
        dataset, View(), 0, 5, last.pk, last.changed, "out", value="", column="", **who()
    ).execute()
    return brief


def everything_archived(name: str) -> Any:
    brief = make_brief(6, name)
    in_full(brief)
    Version.objects.filter(brief=brief).update(archived=True)
    brief.trials.update(archived=True)
    brief.datasets.update(archived=True)
    return brief


def newer_scorecard(name: str) -> Any:
    brief = make_brief(6, name)
    in_full(brief)
    card(brief, {**CARD, "measures": [{"measure": "length", "unit": "words", "max": 3}]})
    return brief


def dataset_put_away(name: str) -> Any:
    brief = make_brief(6, name)
    in_full(brief)
    brief.datasets.update(archived=True)
    return brief


def imported_twice(name: str) -> Any:
    """The same text as three versions, without a parent."""
    brief = make_brief(6, name)
    for note in ("once", "twice"):
        SaveVersion(
            brief,
            [{"role": "user", "content": "Is {{sea}} wet?"}],
            {"temperature": 0},
            None,
            note,
            origin="imported",
            **who(),
        ).execute()
    in_full(brief, versions=[1, 3, 4])
    return brief


def examples_only(name: str) -> Any:
    """Every case of the trial is shown by a version as a worked example: none counts."""
    brief = make_brief(1, name)
    SaveVersion(
        brief,
        [
            {"role": "user", "content": "sea 0"},
            {"role": "assistant", "content": "yes"},
            {"role": "user", "content": "{{sea}}"},
        ],
        {},
        None,
        "with an example",
        **who(),
    ).execute()
    in_full(brief, Scripted(), versions=[3])
    return brief


def stopped_at_once(name: str) -> Any:
    brief = make_brief(6, name)
    trial = start(brief, models=own_models(brief))
    Trial.objects.filter(pk=trial.pk).update(state="cancelled", finished_at=timezone.now())
    return brief


def waiting(name: str) -> Any:
    brief = make_brief(6, name)
    start(brief, models=own_models(brief))
    return brief


def half_failed_to_pause(name: str) -> Any:
    """Half of its answers failed, and it was paused with some outstanding."""
    brief = make_brief(9, name)
    calls = iter(range(1000))
    trial = in_full(
        brief, Scripted(lambda b: "yes" if next(calls) % 2 else CallFailure("timeout", "no word"))
    )
    Trial.objects.filter(pk=trial.pk).update(
        state="paused", n_outputs=trial.n_outputs + 4, message="it was asked to pause"
    )
    return brief


def adopted_and_archived(name: str) -> Any:
    """The adopted version is archived, its watch never ran."""
    brief = make_brief(9, name)
    trial = in_full(brief)
    first, second = trial.arms.order_by("position")[:2]
    verdict = AdoptArm(first.pk, second.pk, "it is short", **who()).execute()
    Watch.objects.create(
        brief=brief,
        verdict=verdict,
        sample=[],
        planned=4,
        every_days=7,
        next_at=timezone.now(),
        created_at=timezone.now(),
        created_by="tester",
    )
    Version.objects.filter(brief=brief).update(archived=True)
    return brief


def bare(name: str) -> Any:
    """A brief and nothing else."""
    return CreateBrief(name, "", "other", **who()).execute()


def text_without_input(name: str) -> Any:
    """A version that reads nothing of a case."""
    brief = make_brief(3, name)
    SaveVersion(brief, [{"role": "user", "content": "Say yes."}], {}, None, "", **who()).execute()
    in_full(brief, Scripted(), versions=[3])
    return brief


def no_scorecard_measure_fits(name: str) -> Any:
    """A measure reads what no answer has; one is a must, so that all totals are 0."""
    brief = make_brief(4, name)
    card(
        brief,
        {
            "nomikon": "scorecard/1",
            "measures": [
                {"measure": "json-fields", "fields": {"wet": 1}},
                {"measure": "valid-json", "gate": True},
            ],
        },
    )
    in_full(brief)
    return brief


def nothing_asked(name: str) -> Any:
    """Twins, a weighing, a search, rounds and answers from elsewhere: begun, and none ever asked."""
    brief, api = make_brief(90, name), Api()
    text = "You know the sea.\nSay yes when it is wet.\nBe kind.\nAnswer in one word."
    for n, more in ((2, ""), (3, "\nThink of the tides.\nSay no when in doubt.")):
        SaveVersion(
            brief,
            [
                {"role": "system", "content": text + more},
                {"role": "user", "content": "Is {{sea}} wet?"},
            ],
            {"temperature": 0},
            brief.versions.get(number=n),
            "",
            **who(),
        ).execute()
    model, data = own_models(brief)[0], brief.datasets.get()
    trial = in_full(
        brief,
        Scripted(lambda b: "no" if "doubt" in str(b) and "1 wet" in str(b) else "yes"),
        versions=[3, 4],
    )
    older, newer = trial.arms.order_by("position").values_list("pk", flat=True)
    of_version = {"model": model, "dataset_version": data.versions.latest("number").pk}
    for path, body in (
        (f"briefs/{brief.pk}/twins/", {"dataset": data.pk, "n_cases": 0}),
        (f"briefs/{brief.pk}/weighings/start/", {"version": 3, **of_version}),
        (f"trials/{trial.pk}/culprits/start/", {"older": older, "newer": newer}),
        (f"briefs/{brief.pk}/rounds/start/", {"version": 3, "amender": model, **of_version}),
        (f"briefs/{brief.pk}/baselines/", {"dataset": data.pk, "name": "By hand"}),
    ):
        got = api.post(path, body)
        assert got.status_code == 200, (path, got.content)
    ask = {"versions": [4], "models": [model]}
    got = api.post(f"twins/{TwinSet.objects.get(brief=brief).pk}/ask/", ask)
    assert got.status_code == 200, got.content
    Consultation.objects.create(
        brief=brief,
        role="draft",
        model_id=model,
        about={},
        settings={},
        instruction="",
        request=[],
        created_at=timezone.now(),
        created_by="tester",
    )
    return brief


STATES: tuple[Callable[[str], Any], ...] = (
    no_total,
    no_total_beside_one_with,
    adopted_without_total,
    all_failed,
    all_declined,
    no_judge_read,
    one_arm,
    one_case,
    no_case_left,
    everything_archived,
    newer_scorecard,
    dataset_put_away,
    imported_twice,
    examples_only,
    stopped_at_once,
    waiting,
    half_failed_to_pause,
    adopted_and_archived,
    bare,
    text_without_input,
    no_scorecard_measure_fits,
    nothing_asked,
)


def build_all() -> dict[str, Any]:
    """Every state as a brief that is called by what is odd about it."""
    return {make.__name__: make(make.__name__.replace("_", " ")) for make in STATES}
