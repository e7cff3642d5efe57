"""Addresses of connections."""

from __future__ import annotations

from django.urls import path

from nomikon.server.apps.connections import api

urlpatterns = [
    path("api/protocols/", api.protocols),
    path("api/connections/", api.connections),
    path("api/connections/add/", api.add_connection),
    path("api/connections/simulated/", api.simulated),
    path("api/connections/<int:connection_id>/", api.change_connection),
    path("api/connections/<int:connection_id>/models/", api.add_model),
    path("api/connections/<int:connection_id>/models/many/", api.add_models),
    path("api/connections/<int:connection_id>/check/", api.check_connection),
    path("api/connections/<int:connection_id>/try-now/", api.try_now),
    path("api/connections/<int:connection_id>/offered/", api.offered),
    path("api/connections/<int:connection_id>/health/", api.health),
    path("api/models/<int:model_id>/", api.change_model),
    path("api/models/<int:model_id>/test/", api.test_call),
]
