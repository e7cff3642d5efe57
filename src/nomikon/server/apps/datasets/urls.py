"""Addresses of datasets."""

from __future__ import annotations

from django.urls import path, re_path

from nomikon.server.apps.datasets.api import datasets, importing, proposing, tied

urlpatterns = [
    path("api/briefs/<int:brief_id>/datasets/", datasets.datasets),
    path("api/datasets/<int:dataset_id>/", datasets.change),
    path("api/datasets/<int:dataset_id>/copy/", datasets.copy),
    path("api/datasets/<int:dataset_id>/take-back/", datasets.take_back),
    path("api/files/", tied.files),
    path("api/datasets/<int:dataset_id>/tied/", tied.tied),
    path("api/datasets/<int:dataset_id>/compare/", importing.stream_compare),
    path("api/datasets/<int:dataset_id>/cases/", datasets.cases),
    path("api/datasets/<int:dataset_id>/keep/", datasets.keep_case),
    path("api/briefs/<int:brief_id>/pins/", datasets.pins),
    path("api/datasets/<int:dataset_id>/preview/", importing.stream_preview),
    path("api/datasets/<int:dataset_id>/hard-lines/", importing.hard_lines),
    path("api/datasets/<int:dataset_id>/import/", importing.stream_import),
    re_path(
        r"^api/datasets/(?P<dataset_id>\d+)/export\.(?P<kind>csv|xlsx|jsonl)$", datasets.export
    ),
    path("api/datasets/<int:dataset_id>/edit/", datasets.edit_cases),
    path("api/datasets/<int:dataset_id>/bulk/", datasets.bulk),
    path("api/datasets/<int:dataset_id>/columns/", datasets.columns),
    path("api/datasets/<int:dataset_id>/copies/", datasets.copies),
    path("api/datasets/<int:dataset_id>/split/", datasets.split),
    path("api/datasets/<int:dataset_id>/quality/", datasets.quality),
    path("api/datasets/<int:dataset_id>/coverage/", proposing.case_coverage),
]
