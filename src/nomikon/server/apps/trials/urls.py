"""Addresses of trials."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.trials.api import running, trials

urlpatterns = [
    path("api/trials/<int:trial_id>/labels/<int:arm_id>/", trials.labels),
    path("api/trials/<int:trial_id>/rescore/", running.rescored),
    path("api/trials/<int:trial_id>/rescore/plan/", running.plan_rescore),
    path("api/briefs/<int:brief_id>/plan/", running.plan),
    path("api/briefs/<int:brief_id>/trials/", trials.trials),
    path("api/briefs/<int:brief_id>/trials/start/", running.start),
    path("api/trials/<int:trial_id>/", trials.trial),
    path("api/trials/<int:trial_id>/cells/", trials.cells),
    path("api/trials/<int:trial_id>/beside/<int:other_id>/", trials.beside),
    path("api/trials/<int:trial_id>/merits/", trials.merits),
    path("api/trials/<int:trial_id>/cancel/", running.cancel),
    path("api/trials/<int:trial_id>/pause/", running.pause),
    path("api/trials/<int:trial_id>/note/", running.note),
    path("api/trials/<int:trial_id>/choices/", running.choices),
    path("api/trials/<int:trial_id>/continue/", running.go_on),
    path("api/trials/<int:trial_id>/afresh/", running.afresh),
    path("api/trials/<int:trial_id>/extension/", running.extension),
    path("api/trials/<int:trial_id>/extend/", running.extend),
    path("api/trials/<int:trial_id>/together/<int:against_id>/", trials.together),
    path("api/trials/<int:trial_id>/compare/<int:arm_id>/<int:against_id>/", trials.compare),
    path("api/trials/<int:trial_id>/spread/<int:arm_id>/<int:against_id>/", trials.spread),
    path("api/outputs/<int:output_id>/settle/", trials.settle),
]
