"""Addresses of desk."""

from __future__ import annotations

from django.urls import path

from nomikon.server.desk import api

urlpatterns = [
    path("api/session/", api.session),
    path("api/desk/", api.desk),
    path("api/find/", api.find),
    path("api/ledger/", api.ledger),
    path("api/briefs/<int:brief_id>/", api.brief),
    path("api/briefs/<int:brief_id>/versions/<int:number>/clauses/<int:clause>/", api.history),
    path("api/spend/", api.spend),
]
