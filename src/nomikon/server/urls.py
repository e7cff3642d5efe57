"""Every address of the API: each noun has its own."""

from __future__ import annotations

from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularAPIView

from nomikon.server import problems

handler404 = problems.not_found

NOUNS = (
    "briefs",
    "drafts",
    "datasets",
    "baselines",
    "connections",
    "trials",
    "reviews",
    "verdicts",
    "rounds",
    "weights",
    "culprits",
    "twins",
    "consultations",
)

urlpatterns = [
    path("api/schema/", SpectacularAPIView.as_view(), name="schema"),
    path("", include("nomikon.server.desk.urls")),
    *(path("", include(f"nomikon.server.apps.{noun}.urls")) for noun in NOUNS),
    re_path(r"^api/.*$", problems.not_found),
]
