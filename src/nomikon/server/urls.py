"""Every address of the API."""

from __future__ import annotations

from django.urls import path, re_path
from drf_spectacular.views import SpectacularAPIView

from nomikon.server import problems
from nomikon.server.api import briefs, connections, datasets, desk, running, trials, trying
from nomikon.server.events import stream

handler404 = problems.not_found

urlpatterns = [
    path("api/schema/", SpectacularAPIView.as_view(), name="schema"),
    path("api/events/", stream),
    path("api/session/", desk.session),
    path("api/desk/", desk.desk),
    path("api/ledger/", desk.ledger),
    path("api/briefs/", briefs.briefs),
    path("api/briefs/<int:brief_id>/", briefs.brief),
    path("api/briefs/<int:brief_id>/change/", briefs.change_brief),
    path("api/briefs/<int:brief_id>/versions/", briefs.versions),
    path("api/briefs/<int:brief_id>/versions/<int:number>/", briefs.version),
    path("api/briefs/<int:brief_id>/versions/<int:number>/changes/<int:against>/", briefs.changes),
    path("api/briefs/<int:brief_id>/draft/", briefs.draft),
    path("api/briefs/<int:brief_id>/scorecards/", briefs.scorecards),
    path("api/briefs/<int:brief_id>/silence/", briefs.silence),
    path("api/briefs/<int:brief_id>/try/", trying.stream_try),
    path("api/render/", briefs.rendered),
    path("api/measures/", briefs.measures),
    path("api/briefs/<int:brief_id>/datasets/", datasets.datasets),
    path("api/datasets/<int:dataset_id>/cases/", datasets.cases),
    path("api/datasets/<int:dataset_id>/preview/", datasets.preview),
    path("api/datasets/<int:dataset_id>/import/", datasets.import_cases),
    path("api/datasets/<int:dataset_id>/move/", datasets.move),
    path("api/datasets/<int:dataset_id>/export.csv", datasets.export),
    path("api/connections/", connections.connections),
    path("api/connections/add/", connections.add_connection),
    path("api/connections/<int:connection_id>/", connections.change_connection),
    path("api/connections/<int:connection_id>/models/", connections.add_model),
    path("api/connections/<int:connection_id>/offered/", connections.offered),
    path("api/connections/<int:connection_id>/health/", connections.health),
    path("api/models/<int:model_id>/", connections.change_model),
    path("api/models/<int:model_id>/test/", connections.test_call),
    path("api/spend/", desk.spend),
    path("api/briefs/<int:brief_id>/plan/", running.plan),
    path("api/briefs/<int:brief_id>/trials/", trials.trials),
    path("api/briefs/<int:brief_id>/trials/start/", running.start),
    path("api/trials/<int:trial_id>/", trials.trial),
    path("api/trials/<int:trial_id>/cells/", trials.cells),
    path("api/trials/<int:trial_id>/cancel/", running.cancel),
    path("api/trials/<int:trial_id>/pause/", running.pause),
    path("api/trials/<int:trial_id>/continue/", running.go_on),
    path("api/trials/<int:trial_id>/afresh/", running.afresh),
    path("api/trials/<int:trial_id>/extension/", running.extension),
    path("api/trials/<int:trial_id>/extend/", running.extend),
    path("api/trials/<int:trial_id>/compare/<int:arm_id>/<int:against_id>/", trials.compare),
    path("api/outputs/<int:output_id>/", trials.output),
    path("api/outputs/<int:output_id>/marks/", trials.mark),
    path("api/briefs/<int:brief_id>/reading/", trials.reading),
    path("api/briefs/<int:brief_id>/verdicts/", trials.verdicts),
    path("api/briefs/<int:brief_id>/adopt/", trials.adopt),
    re_path(r"^api/.*$", problems.not_found),
]
