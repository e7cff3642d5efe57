"""Addresses of verdicts."""

from __future__ import annotations

from django.urls import path, re_path

from nomikon.server.apps.verdicts.api import checks, exporting, verdicts

urlpatterns = [
    path("api/trials/<int:trial_id>/check/<int:arm_id>/<int:against_id>/", checks.check),
    path(
        "api/trials/<int:trial_id>/check/<int:arm_id>/<int:against_id>/start/", checks.start_check
    ),
    re_path(r"^api/trials/(?P<trial_id>\d+)/scores\.(?P<kind>csv|xlsx)$", exporting.scores),
    path("api/trials/<int:trial_id>/outputs.jsonl", exporting.outputs),
    path("api/trials/<int:trial_id>/calls.otlp.json", exporting.calls),
    path("api/trials/<int:trial_id>/report/<int:arm_id>/<int:against_id>/", exporting.report),
    path("api/briefs/<int:brief_id>/verdicts/", verdicts.verdicts),
    path("api/briefs/<int:brief_id>/adopt/", verdicts.adopt),
    path("api/briefs/<int:brief_id>/standing/", verdicts.standing),
    path("api/arms/<int:arm_id>/adoption/", verdicts.adoption),
    path("api/verdicts/<int:verdict_id>/watch/", verdicts.start_watch),
    path("api/verdicts/<int:verdict_id>/watch/plan/", verdicts.plan_watch),
    path("api/watches/<int:watch_id>/ask/", verdicts.ask_again),
    path("api/watches/<int:watch_id>/stop/", verdicts.stop_watch),
]
