"""What a helping model is shown in each role, and what its reply is read against."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from django.shortcuts import get_object_or_404

from nomikon.core.cases.proposing import (
    EXAMPLES,
    Dimension,
    case_inputs,
    check_dimensions,
)
from nomikon.core.consulting import ROLES, Role, Subject
from nomikon.core.errors import DomainError, PromptError
from nomikon.core.prompts import Message, check_messages
from nomikon.core.prompts.alike import alike_inputs
from nomikon.core.prompts.amending import amend_inputs
from nomikon.core.prompts.questions import question_inputs
from nomikon.core.prompts.tenor.by_model import most_tokens, reading_inputs
from nomikon.core.prompts.wishes.granting import check_wishes
from nomikon.core.prompts.writing import write_inputs
from nomikon.core.twins.by_model import twin_inputs
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.briefs.placeholders import placeholders_of
from nomikon.server.apps.briefs.questions import facts_of, job_of, questions_of
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.datasets.columns import columns_of
from nomikon.server.apps.datasets.models import WORKING, Dataset
from nomikon.server.apps.datasets.versioning import newest_version
from nomikon.server.apps.reviews.faults import chosen_faults
from nomikon.server.apps.reviews.habits import habits_of
from nomikon.server.apps.trials.models import Trial
from nomikon.server.apps.twins.writing import shown_cases

About = Mapping[str, Any]


@dataclass(frozen=True)
class Prepared:
    """A question ready to be put. inputs: what fills the role's holes.

    cases: numbers of the cases that a proposal may nearly copy, in the order of the subject's.
    """

    role: Role
    brief: Brief | None
    inputs: Mapping[str, str]
    subject: Subject
    cases: tuple[int, ...] = ()
    tags: tuple[tuple[str, ...], ...] = field(default=())


def prepare(role: str, about: About) -> Prepared:
    """A role's question from its about. Raises DomainError with the field that is wrong."""
    if role not in ROLES:
        raise PromptError(
            f"{role!r} is no role a model helps in; there are {', '.join(ROLES)}", field="role"
        )
    return _PREPARED[role](ROLES[role], about)


def _brief(about: About) -> Brief:
    return get_object_or_404(Brief, pk=_number(about, "brief"))


def _number(about: About, name: str) -> int:
    value = about.get(name)
    if not isinstance(value, int) or isinstance(value, bool):
        raise PromptError(f"the question does not say which {name}", field=name)
    return value


def _texts(about: About, name: str) -> list[str]:
    value = about.get(name, [])
    if not isinstance(value, list) or not all(isinstance(v, str) for v in value):
        raise PromptError(f"{name} must be a list of texts", field=name)
    return value


def _messages(rows: Any) -> tuple[Message, ...]:
    """The text under work as far as it can be read: an empty one has no message yet."""
    try:
        return check_messages(rows or [])
    except DomainError:
        return ()


def _draft(role: Role, about: About) -> Prepared:
    if "brief" not in about and isinstance(job := about.get("job"), str):
        # What a first draft would cost, before there is a brief that it could be of.
        return Prepared(role, None, write_inputs(job, []), Subject())
    brief = _brief(about)
    if not brief.job.strip():
        raise PromptError("the brief does not say what the job is yet", field="job")
    columns = columns_of(brief)
    wishes = _texts(about, "wishes")
    if wishes:
        check_wishes(wishes)
    inputs = write_inputs(job_of(brief), columns, wishes)
    known = tuple(q["text"] for q in questions_of(brief, ()))
    return Prepared(role, brief, inputs, Subject(columns=tuple(columns), known=known))


def _questions(role: Role, about: About) -> Prepared:
    brief, messages = _brief(about), _messages(about.get("messages"))
    known = tuple(q["text"] for q in questions_of(brief, messages))
    inputs = question_inputs(brief.job or brief.name, facts_of(brief), messages)
    return Prepared(role, brief, inputs, Subject(messages=messages, known=known))


def _cases(role: Role, about: About) -> Prepared:
    dataset = get_object_or_404(
        Dataset.objects.select_related("brief"), pk=_number(about, "dataset")
    )
    dimensions = _dimensions(about)
    newest = newest_version(dataset)
    columns = placeholders_of(dataset.brief) or list(newest.columns if newest else [])
    rows = (
        list(
            newest.entries.order_by("position").values_list(
                "revision__case__number", "revision__inputs", "revision__tags"
            )
        )
        if newest
        else []
    )
    inputs = case_inputs(
        job=job_of(dataset.brief),
        how_many=_number(about, "how_many"),
        columns=columns,
        dimensions=dimensions,
        hard=_texts(about, "hard"),
        examples=_examples(dataset),
    )
    subject = Subject(
        columns=tuple(columns), dimensions=dimensions, existing=tuple(r[1] for r in rows)
    )
    return Prepared(
        role,
        dataset.brief,
        inputs,
        subject,
        tuple(r[0] for r in rows),
        tuple(tuple(r[2]) for r in rows),
    )


def _twins(role: Role, about: About) -> Prepared:
    dataset = get_object_or_404(
        Dataset.objects.select_related("brief"), pk=_number(about, "dataset")
    )
    shown = shown_cases(dataset, _number(about, "how_many"), about.get("seed"))
    inputs = twin_inputs(job_of(dataset.brief), _texts(about, "kinds"), shown)
    return Prepared(role, dataset.brief, inputs, Subject(shown=tuple(shown)))


def _dimensions(about: About) -> tuple[Dimension, ...]:
    rows = about.get("dimensions", [])
    if not isinstance(rows, list) or not all(isinstance(r, dict) for r in rows):
        raise PromptError(
            "dimensions must be a list, each with name and values", field="dimensions"
        )
    return check_dimensions(rows)


def _examples(dataset: Dataset) -> list[tuple[dict[str, Any], str | None]]:
    """Working cases spread over the dataset; held-out ones are never shown to a model for this."""
    newest = newest_version(dataset)
    if newest is None:
        return []
    found = list(
        newest.entries.filter(split=WORKING)
        .order_by("position")
        .values_list("revision__inputs", "revision__reference")
    )
    return found[:: max(1, len(found) // EXAMPLES)][:EXAMPLES]


def _amending(role: Role, about: About) -> Prepared:
    brief = _brief(about)
    trial = get_object_or_404(Trial, pk=_number(about, "trial"), brief=brief)
    version = get_object_or_404(Version, brief=brief, number=_number(about, "version"))
    messages = check_messages(version.messages)
    # A prompt is made shorter by itself: no fault is answered by it.
    faults = (
        []
        if role.name == "shorter"
        else chosen_faults(version, trial, _texts(about, "faults"), about.get("model"))
    )
    model = ""
    if role.name == "adapt":
        found = get_object_or_404(Model, pk=_number(about, "model"))
        model = habits_of(found, trial.pk, version)
    elif role.name == "amendments" and not faults:
        raise PromptError("tick a fault that is to be put right", field="faults")
    inputs = amend_inputs(messages, faults, job_of(brief), model)
    subject = Subject(messages=messages, columns=tuple(columns_of(brief)), faults=len(faults))
    return Prepared(role, brief, inputs, subject)


def _wishes(role: Role, about: About) -> Prepared:
    brief = _brief(about)
    messages = check_messages(about.get("messages") or [])
    wishes = _texts(about, "wishes")
    check_wishes(wishes)
    inputs = amend_inputs(messages, (), job_of(brief), wishes=wishes)
    subject = Subject(messages=messages, columns=tuple(columns_of(brief)), faults=len(wishes))
    return Prepared(role, brief, inputs, subject)


def _reading(role: Role, about: About) -> Prepared:
    messages = check_messages(about.get("messages") or [])
    only = about.get("only", [])
    if not isinstance(only, list) or not all(isinstance(n, int) for n in only):
        raise PromptError("only must be a list of clause numbers", field="only")
    limit = most_tokens(only, role.settings["max_tokens"])
    return Prepared(
        replace(role, settings={**role.settings, "max_tokens": limit}),
        _brief(about),
        reading_inputs(messages, only),
        Subject(messages=messages),
    )


def _rubric(role: Role, about: About) -> Prepared:
    brief = _brief(about)
    return Prepared(role, brief, {"job": brief.job or brief.name}, Subject())


def _alike(role: Role, about: About) -> Prepared:
    rows = about.get("examples")
    if not isinstance(rows, list) or not rows:
        raise PromptError("tick a text on the shelf first", field="examples")
    examples = [check_messages(r.get("messages", [])) for r in rows if isinstance(r, dict)]
    job = about.get("job")
    if not isinstance(job, str) or not job.strip():
        raise PromptError("say what the job of the new prompt is", field="job")
    brief = _brief(about) if about.get("brief") is not None else None
    return Prepared(role, brief, alike_inputs(examples, job), Subject())


_PREPARED: dict[str, Callable[[Role, About], Prepared]] = {
    "draft": _draft,
    "questions": _questions,
    "cases": _cases,
    "amendments": _amending,
    "shorter": _amending,
    "adapt": _amending,
    "wishes": _wishes,
    "reading": _reading,
    "rubric": _rubric,
    "alike": _alike,
    "twins": _twins,
}
