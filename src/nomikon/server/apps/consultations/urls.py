"""Addresses of consultations."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.consultations import api

urlpatterns = [
    path("api/consultations/", api.consultations),
    path("api/consultations/<int:consultation_id>/", api.consultation),
    path("api/briefs/<int:brief_id>/model-reading/", api.read_by_model),
    path("api/briefs/<int:brief_id>/standing-reader/", api.standing_reader),
    path("api/trials/<int:trial_id>/precedents/ask/", api.ask),
]
