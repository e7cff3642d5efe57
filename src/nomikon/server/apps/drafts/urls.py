"""Addresses of drafts."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.drafts.api import drafts, trying

urlpatterns = [
    path("api/briefs/<int:brief_id>/draft/", drafts.draft),
    path("api/briefs/<int:brief_id>/read/", drafts.read),
    path("api/briefs/<int:brief_id>/first-scorecard/", drafts.first_scorecard),
    path("api/briefs/<int:brief_id>/readings/", drafts.correct_reading),
    path("api/briefs/<int:brief_id>/copies/<int:base>/", drafts.copy),
    path("api/briefs/<int:brief_id>/copies/", drafts.keep_copy),
    path("api/briefs/<int:brief_id>/leave/", drafts.leave),
    path("api/request-code/", drafts.request_code),
    path("api/differences/", drafts.differences),
    path("api/open-answer/", drafts.open_answer),
    path("api/briefs/<int:brief_id>/silence/", drafts.silence),
    path("api/briefs/<int:brief_id>/try/", trying.stream_try),
    path("api/briefs/<int:brief_id>/tries/", drafts.tries),
    path("api/briefs/<int:brief_id>/tries/<int:number>/", drafts.mark_try),
    path("api/briefs/<int:brief_id>/try/price/", drafts.try_price),
    path("api/render/", drafts.rendered),
]
