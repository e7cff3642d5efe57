"""Addresses of drafts."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.drafts.api import drafts, tries, trying

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
    path("api/briefs/<int:brief_id>/tries/", tries.tries),
    path("api/briefs/<int:brief_id>/tries/<int:number>/", tries.mark_try),
    path("api/briefs/<int:brief_id>/tries/<int:number>/stop/", tries.stop_try),
    path("api/briefs/<int:brief_id>/try/price/", tries.try_price),
    path("api/briefs/<int:brief_id>/try-form/", tries.try_form),
    path("api/briefs/<int:brief_id>/try-form/keep/", tries.keep_try_form),
    path("api/briefs/<int:brief_id>/pieces/", tries.pieces),
    path("api/briefs/<int:brief_id>/pieces/keep/", tries.keep_piece),
    path("api/briefs/<int:brief_id>/pieces/arrange/", tries.arrange_pieces),
    path("api/render/", drafts.rendered),
]
