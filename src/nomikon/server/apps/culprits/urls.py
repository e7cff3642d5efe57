"""Addresses of culprits."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.culprits import api

urlpatterns = [
    path("api/trials/<int:trial_id>/culprits/plan/", api.plan),
    path("api/trials/<int:trial_id>/culprits/start/", api.start),
    path("api/briefs/<int:brief_id>/culprits/", api.searches),
    path("api/culprits/<int:search_id>/", api.search),
    path("api/culprits/<int:search_id>/without/", api.leave_out),
]
