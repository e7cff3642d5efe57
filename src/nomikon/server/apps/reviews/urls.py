"""Addresses of reviews."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.reviews.api import (
    amending,
    answers,
    judges,
    pairing,
    precedents,
    reading,
    references,
    wishes,
)

urlpatterns = [
    path("api/trials/<int:trial_id>/judges/", judges.trial_judges),
    path("api/revisions/<int:revision_id>/correct/", judges.correct),
    path("api/revisions/<int:revision_id>/corrections/", judges.corrections),
    path("api/datasets/<int:dataset_id>/references/", references.references),
    path("api/datasets/<int:dataset_id>/missing/", references.missing),
    path("api/datasets/<int:dataset_id>/alike/", references.alike),
    path("api/revisions/<int:revision_id>/reference/", references.write),
    path("api/judge-instructions/", judges.instructions),
    path("api/trials/<int:trial_id>/selection/", answers.selection),
    path("api/trials/<int:trial_id>/arms/", answers.arms),
    path("api/outputs/<int:output_id>/differences/", answers.differences),
    path("api/outputs/<int:output_id>/", reading.output),
    path("api/outputs/<int:output_id>/marks/", reading.mark),
    path("api/outputs/<int:output_id>/marks/take-back/", reading.take_back),
    path("api/trials/<int:trial_id>/readers/", reading.readers),
    path("api/trials/<int:trial_id>/measures-against-marks/", reading.measured),
    path("api/trials/<int:trial_id>/pairs/", pairing.pairs),
    path("api/trials/<int:trial_id>/prefer/", pairing.prefer),
    path("api/trials/<int:trial_id>/preferences/", pairing.preferences),
    path("api/trials/<int:trial_id>/faults/<int:number>/", amending.faults),
    path("api/trials/<int:trial_id>/faults/<int:number>/place/", amending.place_remark),
    path("api/trials/<int:trial_id>/faults/<int:number>/group/", amending.group_remarks),
    path("api/briefs/<int:brief_id>/fares/", wishes.fares),
    path("api/briefs/<int:brief_id>/wishes/", wishes.wishes),
    path("api/briefs/<int:brief_id>/amend-by-rule/", amending.by_rule),
    path("api/briefs/<int:brief_id>/apply-amendments/", amending.apply),
    path("api/outputs/<int:output_id>/marks/inherit/", precedents.inherit),
    path("api/outputs/<int:output_id>/precedents/", precedents.keep),
    path("api/outputs/<int:output_id>/precedents/propose/", precedents.propose),
    path("api/briefs/<int:brief_id>/precedents/", precedents.precedents),
    path("api/precedents/<int:precedent_id>/retire/", precedents.retire),
    path("api/trials/<int:trial_id>/precedents/", precedents.trial_precedents),
    path("api/briefs/<int:brief_id>/reading/", reading.reading),
]
