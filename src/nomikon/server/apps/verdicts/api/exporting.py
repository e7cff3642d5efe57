"""Files of a trial: the report, its scores, outputs and calls."""

from __future__ import annotations

from django.http import HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request

from nomikon.core.cases import write_csv, write_xlsx
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.apps.trials.models import Arm
from nomikon.server.apps.verdicts.exports import output_lines, score_table, spans_of
from nomikon.server.apps.verdicts.report import report_of
from nomikon.server.views import CSV_TYPE, LINES_TYPE, XLSX_TYPE, documented, download


@documented("export_scores", files=(CSV_TYPE, XLSX_TYPE))
@api_view(["GET"])
def scores(request: Request, trial_id: int, kind: str) -> HttpResponse:
    """Scores as CSV, a row an output; as XLSX with inputs, answers, what was wanted and why."""
    trial = trial_or_404(trial_id)
    columns, rows = score_table(trial, whole=kind == "xlsx")
    name = f"trial-{trial.number}-scores.{kind}"
    if kind == "xlsx":
        return download(write_xlsx(columns, rows), name, XLSX_TYPE)
    return download(write_csv(columns, rows), name, f"{CSV_TYPE}; charset=utf-8")


@documented("export_outputs", files=(LINES_TYPE,))
@api_view(["GET"])
def outputs(request: Request, trial_id: int) -> StreamingHttpResponse:
    """Outputs as JSON Lines."""
    trial = trial_or_404(trial_id)
    answer = StreamingHttpResponse(output_lines(trial), content_type=LINES_TYPE)
    answer["Content-Disposition"] = f'attachment; filename="trial-{trial.number}-outputs.jsonl"'
    return answer


@documented("export_calls", files=("application/json",))
@api_view(["GET"])
def calls(request: Request, trial_id: int) -> StreamingHttpResponse:
    """Calls as OTLP JSON."""
    trial = trial_or_404(trial_id)
    answer = StreamingHttpResponse(spans_of(trial), content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="trial-{trial.number}-calls.otlp.json"'
    return answer


@documented("export_report", files=("text/html",))
@api_view(["GET"])
def report(request: Request, trial_id: int, arm_id: int, against_id: int) -> HttpResponse:
    """The report of two arms, one HTML file."""
    trial = trial_or_404(trial_id)
    arms = Arm.objects.select_related("version", "model__connection")
    a = get_object_or_404(arms, pk=arm_id, trial=trial)
    b = get_object_or_404(arms, pk=against_id, trial=trial)
    text = report_of(trial, a, b, timezone.now())
    return download(text, f"trial-{trial.number}-report.html", "text/html; charset=utf-8")
