"""Addresses of briefs."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.briefs.api import briefs, instructions, lineage, shelf, writing

urlpatterns = [
    path("api/briefs/", briefs.briefs),
    path("api/briefs/<int:brief_id>/change/", briefs.change_brief),
    path("api/briefs/<int:brief_id>/versions/", lineage.versions),
    path("api/briefs/<int:brief_id>/versions/found/", lineage.find_versions),
    path("api/briefs/<int:brief_id>/side-by-side/", lineage.beside_each_other),
    path("api/briefs/<int:brief_id>/versions/import/", lineage.import_versions),
    path("api/briefs/<int:brief_id>/versions/<int:number>/", lineage.version),
    path("api/briefs/<int:brief_id>/versions/<int:number>/annotate/", lineage.annotate),
    path("api/briefs/<int:brief_id>/versions/<int:number>/changes/<int:against>/", lineage.changes),
    path("api/briefs/<int:brief_id>/versions/<int:number>/merge/<int:other>/", lineage.merge_plan),
    path("api/briefs/<int:brief_id>/versions/<int:number>/merged/<int:other>/", lineage.merged),
    path("api/briefs/<int:brief_id>/versions/<int:number>/prompt.md", lineage.prompt_file),
    path("api/briefs/<int:brief_id>/lineage.zip", lineage.lineage_zip),
    path("api/shelf/", shelf.shelf),
    path("api/shelf/keep/", shelf.keep),
    path("api/shelf/<int:entry_id>/take-off/", shelf.take_off),
    path("api/presets/", shelf.presets),
    path("api/presets/keep/", shelf.keep_preset),
    path("api/presets/<int:preset_id>/remove/", shelf.remove_preset),
    path("api/briefs/<int:brief_id>/scorecards/", briefs.scorecards),
    path("api/briefs/<int:brief_id>/scorecards/all/", briefs.all_scorecards),
    path("api/measures/", briefs.measures),
    path("api/instructions/<str:role>/", instructions.instructions),
    path("api/instructions/<str:role>/keep/", instructions.keep_instruction),
    path("api/briefs/<int:brief_id>/compose/", writing.compose),
    path("api/briefs/<int:brief_id>/questions/", writing.questions),
    path("api/briefs/<int:brief_id>/questions/settle/", writing.settle),
]
