"""A log of conversations taken in: its user turns as cases, the answers found in it as a baseline."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.cases import OpenTable, Record, Refused
from nomikon.core.cases.logs import TALK
from nomikon.core.cases.talks import WAYS, WHOLE, LogCase, cases_of_talk, talk_from
from nomikon.core.errors import TableError
from nomikon.core.trials.conversation import MOST_TURNS
from nomikon.server.apps.baselines.actions.import_answers import LONGEST
from nomikon.server.apps.baselines.errors import BaselineError
from nomikon.server.apps.baselines.models import Baseline, BaselineAnswer
from nomikon.server.apps.baselines.names import free_name
from nomikon.server.apps.datasets.actions.import_cases import ImportCases, Imported
from nomikon.server.apps.datasets.models import WORKING, Dataset
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.rows import insert_rows, stored_time

HISTORY, SYSTEM, SOURCE, CONVERSATION = "history", "system", "source", "conversation"
MESSAGES, TEXT = PASTS = ("messages", "text")
MOST_TOLD, SAMPLES, BATCH, TOLD_EVERY = 1000, 3, 500, 200


@dataclass(frozen=True)
class Found:
    """One case of the log, its talk, and the line that the talk begins on."""

    case: LogCase
    source: str
    line: int


@dataclass
class Gathered:
    n_talks: int = 0
    found: list[Found] = field(default_factory=list)
    n_refused: int = 0
    refused: list[Refused] = field(default_factory=list)

    @property
    def n_answers(self) -> int:
        return sum(f.case.answer is not None for f in self.found)

    def refuse(self, row: Refused) -> None:
        self.n_refused += 1
        if len(self.refused) < MOST_TOLD:
            self.refused.append(row)


@dataclass
class ImportLog:
    """way: what of a talk is a case, one of WAYS. message: the input that the user's turn fills.
    past: whether what came before comes in as messages of its own or as one text.
    system: whether what the system said comes in as an input. baseline: the name under which the
    answers come in; "" leaves them. told: called with talks read and refused.
    """

    dataset: Dataset
    table: OpenTable
    way: str
    message: str
    past: str
    system: bool
    baseline: str
    source: str
    actor: str
    now: datetime
    told: Callable[[int, int], None] = lambda read, refused: None
    stopped: Callable[[], bool] = lambda: False

    def check(self) -> None:
        """Raises BaselineError with the field that is wrong."""
        if self.way not in WAYS:
            raise BaselineError(f"way is {self.way!r}; allowed are {', '.join(WAYS)}", field="way")
        if self.past not in PASTS:
            raise BaselineError(
                f"past is {self.past!r}; allowed are {', '.join(PASTS)}", field="past"
            )
        name = self.message
        if not name.strip() or "{" in name or "}" in name or name in (HISTORY, SYSTEM):
            raise BaselineError(f"{name!r} cannot be the name of the input", field="message")
        if self.baseline.strip():
            free_name(self.dataset.brief_id, self.baseline)

    def look(self) -> Gathered:
        """What would come; nothing is stored."""
        self.check()
        return self._gathered()

    def execute(self) -> tuple[Gathered, Imported, Baseline | None]:
        """Raises DomainError; then no case is kept."""
        self.check()
        came = self._gathered()
        if not came.found:
            first = (
                f": line {came.refused[0].line}: {came.refused[0].reason}" if came.refused else ""
            )
            raise BaselineError(f"the log holds no usable case{first}", field="file")
        done = ImportCases(
            self.dataset,
            self._as_table(came.found),
            {SOURCE: {"as": "source"}, CONVERSATION: {"as": "conversation"}}
            if self.way == WHOLE
            else {SOURCE: {"as": "source"}},
            WORKING,
            self.actor,
            self.now,
            source=self.source,
            stopped=self.stopped,
        ).execute()
        made = self._answers(came.found, done) if self.baseline.strip() else None
        return came, done, made

    def _gathered(self) -> Gathered:
        came = Gathered()
        for record in self.table.records():
            came.n_talks += 1
            if isinstance(record, Refused):
                came.refuse(record)
            else:
                self._read(record, came)
            if came.n_talks % TOLD_EVERY == 0:
                self.told(came.n_talks, came.n_refused)
                if self.stopped():
                    break
        return came

    def _read(self, record: Record, came: Gathered) -> None:
        talk = talk_from(record.values[TALK])
        try:
            cases = cases_of_talk(talk, self.way)
        except TableError as error:
            came.refuse(Refused(record.line, error.message))
            return
        for case in cases:
            if len(case.turns) > MOST_TURNS:
                came.refuse(
                    Refused(
                        record.line,
                        f"the user speaks {len(case.turns)} times; at most {MOST_TURNS} turns are "
                        "asked as a whole",
                    )
                )
            elif case.answer is not None and len(case.answer) > LONGEST:
                came.refuse(Refused(record.line, f"an answer has {len(case.answer):,} characters"))
            else:
                came.found.append(Found(case, talk.source, record.line))

    def _as_table(self, found: list[Found]) -> OpenTable:
        """The cases as an import reads them; a column that would be empty throughout is left out."""
        columns = [CONVERSATION if self.way == WHOLE else self.message]
        if any(f.case.before for f in found):
            columns.append(HISTORY)
        if self.system and any(f.case.system for f in found):
            columns.append(SYSTEM)
        if any(f.source for f in found):
            columns.append(SOURCE)

        def row(f: Found) -> dict[str, Any]:
            told = {
                CONVERSATION: list(f.case.turns),
                self.message: f.case.message,
                HISTORY: self._past(f.case),
                SYSTEM: f.case.system,
                SOURCE: f.source,
            }
            return {c: told[c] for c in columns}

        def read() -> Iterator[Record | Refused]:
            for f in found:
                yield Record(f.line, row(f))

        return OpenTable(columns, read)

    def _past(self, case: LogCase) -> Any:
        return case.as_messages if self.past == MESSAGES else case.as_text

    @transaction.atomic
    def _answers(self, found: list[Found], done: Imported) -> Baseline:
        """The answers to the cases that came in; those came in the log's order, some perhaps refused."""
        made = Baseline.objects.create(
            dataset=self.dataset,
            name=free_name(self.dataset.brief_id, self.baseline),
            note=f"from {self.source}" if self.source else "",
            created_at=self.now,
            created_by=self.actor,
        )
        entries = done.version.entries.order_by("-position")[: done.added]
        new = [
            (e.revision.case_id, e.revision_id, e.revision.inputs, e.revision.conversation)
            for e in entries.select_related("revision")
        ]
        rows = []
        waiting = iter(found)
        for case, revision, inputs, talk in reversed(new):
            mine = next(f for f in waiting if self._says(f, inputs, talk))
            if mine.case.answer is not None:
                rows.append(self._row(made, case, revision, mine.case))
        for start in range(0, len(rows), BATCH):
            insert_rows(BaselineAnswer, rows[start : start + BATCH])
        write_ledger(
            "baseline.imported",
            made,
            actor=self.actor,
            now=self.now,
            brief=self.dataset.brief,
            facts={"name": made.name, "added": len(rows), "changed": 0, "refused": 0,
                   "source": self.source},
        )  # fmt: skip
        return made

    def _says(self, f: Found, inputs: dict[str, Any], talk: Any) -> bool:
        if self.way == WHOLE:
            return bool(talk == list(f.case.turns))
        return bool(inputs.get(self.message) == f.case.message) and (
            inputs.get(HISTORY) or None
        ) == (self._past(f.case) or None)

    def _row(self, made: Baseline, case: int, revision: int, said: LogCase) -> dict[str, Any]:
        whole = {k: said.figures.get(k) for k in ("tokens_in", "tokens_out")}
        return {
            "baseline_id": made.pk,
            "case_id": case,
            "revision_id": revision,
            "text": said.answer,
            **{k: None if v is None else int(v) for k, v in whole.items()},
            "cost_nano": None,
            "latency_ms": said.figures.get("latency_ms"),
            "written_by": self.actor,
            "written_at": stored_time(self.now),
        }
