"""Addresses of rounds."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.rounds import api

urlpatterns = [
    path("api/briefs/<int:brief_id>/rounds/", api.rounds),
    path("api/briefs/<int:brief_id>/rounds/plan/", api.plan),
    path("api/briefs/<int:brief_id>/rounds/start/", api.start),
    path("api/rounds/<int:rounds_id>/", api.course),
    path("api/rounds/<int:rounds_id>/stop/", api.stop),
]
