"""Addresses of weights."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.weights import api

urlpatterns = [
    path("api/briefs/<int:brief_id>/weighings/", api.weighings),
    path("api/briefs/<int:brief_id>/weighings/plan/", api.plan),
    path("api/briefs/<int:brief_id>/weighings/start/", api.start),
    path("api/earned/", api.earned),
    path("api/briefs/<int:brief_id>/earned/", api.fitting_lines),
    path("api/weighings/<int:weighing_id>/", api.weighing),
    path("api/weighings/<int:weighing_id>/strike/", api.start_test),
    path("api/weighings/<int:weighing_id>/strike/plan/", api.plan_test),
    path("api/strikes/<int:strike_id>/save/", api.save_trimmed),
]
