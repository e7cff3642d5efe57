"""Addresses of answers from elsewhere."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.baselines import api, log_api

urlpatterns = [
    path("api/briefs/<int:brief_id>/baselines/", api.baselines),
    path("api/baselines/<int:baseline_id>/", api.change),
    path("api/baselines/<int:baseline_id>/sheet/", api.sheet),
    path("api/baselines/<int:baseline_id>/answers/<int:case_id>/", api.write),
    path("api/datasets/<int:dataset_id>/log/look/", log_api.stream_look),
    path("api/datasets/<int:dataset_id>/log/import/", log_api.stream_import),
    path("api/baselines/<int:baseline_id>/look/", api.stream_look),
    path("api/baselines/<int:baseline_id>/import/", api.stream_import),
]
