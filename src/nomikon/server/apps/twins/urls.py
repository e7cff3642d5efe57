"""Addresses of twins."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.twins import api

urlpatterns = [
    path("api/briefs/<int:brief_id>/twins/", api.sets),
    path("api/briefs/<int:brief_id>/twins/look/", api.look),
    path("api/briefs/<int:brief_id>/twins/keep/", api.keep),
    path("api/twins/<int:set_id>/", api.twins),
    path("api/twins/<int:set_id>/leave/", api.leave),
    path("api/twins/<int:set_id>/plan/", api.plan),
    path("api/twins/<int:set_id>/ask/", api.ask),
    path("api/twins/<int:set_id>/trials/<int:trial_id>/", api.held),
    path("api/twins/<int:set_id>/trials/<int:trial_id>/pairs/", api.pairs),
    path("api/twins/<int:set_id>/trials/<int:trial_id>/further/", api.go_further),
]
