"""Files of this machine that datasets are read from again."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.apps.datasets.actions.tie_dataset import TieDataset
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import Dataset
from nomikon.server.apps.datasets.reads import FilesShape, TiedShape, TieShape
from nomikon.server.apps.datasets.takes import TieRequest
from nomikon.server.apps.datasets.tied import files_dir, offered, standing
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


@documented("files", gives=FilesShape)
@api_view(["GET"])
def files(request: Request) -> Response:
    """Files and folders that a dataset may be tied to, and the folder they stand in."""
    return given(FilesShape)({"folder": str(files_dir()), "files": offered()})


@documented("tied", gives=TiedShape, methods=["GET"])
@documented("tie_dataset", takes=TieRequest, gives=TiedShape, methods=["PUT"])
@api_view(["GET", "PUT"])
def tied(request: Request, dataset_id: int) -> Response:
    """What a dataset is tied to, and whether that was changed since it was read; PUT ties it."""
    dataset = get_object_or_404(Dataset.objects.select_related("brief"), pk=dataset_id)
    if request.method == "PUT":
        how = taken(TieRequest, request)["how"]
        dataset = TieDataset(dataset, how, actor_of(request), timezone.now()).execute()
    return given(TiedShape)(_told(dataset))


def _told(dataset: Dataset) -> TiedShape:
    how = dataset.tied
    if how is None:
        return {"how": None, "changed": False, "missing": False}
    told = copied(TieShape, {k: v for k, v in how.items() if k not in ("size", "changed_ns")})
    try:
        now = standing(how["path"])
    except (DatasetError, OSError):
        return {"how": told, "changed": False, "missing": True}
    return {"how": told, "changed": now != (how["size"], how["changed_ns"]), "missing": False}
