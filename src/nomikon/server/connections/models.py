"""Connections, and the models that can be called there."""

from __future__ import annotations

from django.db import models

from nomikon.models.types import CHAT_COMPLETIONS, PROTOCOLS


class Connection(models.Model):
    """Where calls go. The key is never stored: only the variable that holds it is named."""

    name = models.CharField(max_length=80, unique=True)
    protocol = models.CharField(
        max_length=40, choices=[(p, p) for p in PROTOCOLS], default=CHAT_COMPLETIONS
    )
    base_url = models.CharField(max_length=500)
    key_env = models.CharField(max_length=120, blank=True)
    # Raised whenever something changes that decides the answers: it is part of every answer's key.
    revision = models.PositiveIntegerField(default=1)
    simulated = models.BooleanField(default=False)
    concurrency = models.PositiveIntegerField(default=32)
    call_timeout_s = models.FloatField(default=120.0)
    stall_timeout_s = models.FloatField(default=30.0)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]


class Model(models.Model):
    """What can be called at a connection, with prices and limits.

    Prices are billionths of the installation's currency per million tokens;
    null means unpriced.
    """

    connection = models.ForeignKey(Connection, on_delete=models.CASCADE, related_name="models")
    name = models.CharField(max_length=200)
    context_length = models.PositiveIntegerField(null=True)
    price_in_nano = models.PositiveBigIntegerField(null=True)
    price_out_nano = models.PositiveBigIntegerField(null=True)
    unsupported = models.JSONField(default=list)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["connection", "id"]
        constraints = [
            models.UniqueConstraint(fields=["connection", "name"], name="model_name"),
        ]
