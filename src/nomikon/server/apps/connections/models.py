"""Connections, the models that can be called there, and how both have been doing."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from django.db import models

from nomikon.core.replies.reasoning import AUTO
from nomikon.models.types import CHAT_COMPLETIONS, OUTPUT_LIMIT

if TYPE_CHECKING:
    TextField = models.CharField[str, str]
else:
    TextField = models.CharField


class ProtocolField(TextField):
    """The name of a protocol. Which there are the code says; the database need not be told of a new one."""

    def deconstruct(self) -> Any:
        name, _, args, kwargs = super().deconstruct()
        # As the first migration has it; whether a name is known is checked where it is saved.
        known = [("chat-completions", "chat-completions"), ("open-inference", "open-inference")]
        return name, "django.db.models.CharField", args, {**kwargs, "choices": known}


class Connection(models.Model):
    """Where calls go.

    The key is named by an environment variable, or kept encrypted by a key file
    that is no part of the database.
    """

    name = models.CharField(max_length=80, unique=True)
    protocol = ProtocolField(max_length=40, default=CHAT_COMPLETIONS)
    base_url = models.CharField(max_length=500)
    key_env = models.CharField(max_length=120, blank=True)
    key_cipher = models.TextField(blank=True)
    # Raised whenever something changes that decides the answers: it is part of every answer's key.
    revision = models.PositiveIntegerField(default=1)
    simulated = models.BooleanField(default=False)
    # Null: nobody set a limit; `spec` says what holds then.
    concurrency = models.PositiveIntegerField(null=True)
    requests_per_minute = models.PositiveIntegerField(null=True)
    tokens_per_minute = models.PositiveIntegerField(null=True)
    call_timeout_s = models.FloatField(default=120.0)
    stall_timeout_s = models.FloatField(default=30.0)
    # Sent with every request beside the key, and put into every call's body.
    headers = models.JSONField(default=dict)
    body_fields = models.JSONField(default=dict)
    # What the server calls the limit of an answer's tokens.
    output_limit = models.CharField(max_length=60, default=OUTPUT_LIMIT)
    # The most that an answer may be, unpacked; null: `models.types` says what holds then.
    most_answer_mb = models.PositiveSmallIntegerField(null=True)
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
    # Of tokens read from the server's store, and of reasoning; null is the price of the others.
    price_cached_nano = models.PositiveBigIntegerField(null=True)
    price_reasoning_nano = models.PositiveBigIntegerField(null=True)
    # The server's own list says that it is no real model.
    simulated = models.BooleanField(default=False)
    # Where its reasoning stands (core WHERE).
    reasoning = models.CharField(max_length=10, default=AUTO)
    # Calls at a time that it was found to bear; null where it never had to be found out.
    borne = models.PositiveIntegerField(null=True)
    unsupported = models.JSONField(default=list)
    # Limits of its own, beside the connection's; null is none.
    concurrency = models.PositiveIntegerField(null=True)
    requests_per_minute = models.PositiveIntegerField(null=True)
    tokens_per_minute = models.PositiveIntegerField(null=True)
    created_at = models.DateTimeField()

    @property
    def is_simulated(self) -> bool:
        """Whether it is no real model, by its connection or by the server's own word."""
        return self.simulated or self.connection.simulated

    def simulated_part(self, nano: int | None) -> int:
        """Of a cost of this model's calls, what nobody pays."""
        return (nano or 0) if self.is_simulated else 0

    class Meta:
        ordering = ["connection", "id"]
        constraints = [
            models.UniqueConstraint(fields=["connection", "name"], name="model_name"),
        ]


class TokenRecord(models.Model):
    """What a model's reported token counts have taught about estimates (core Calibration).

    rule: the revision of the estimate it corrects; another estimate is off otherwise.
    """

    model = models.ForeignKey(Model, on_delete=models.CASCADE, related_name="token_records")
    direction = models.CharField(max_length=3, choices=[("in", "in"), ("out", "out")])
    n = models.FloatField(default=0)
    estimated = models.FloatField(default=0)
    reported = models.FloatField(default=0)
    missed = models.FloatField(default=0)
    rule = models.PositiveSmallIntegerField(default=0)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["model", "direction"], name="token_record_once"),
        ]


class Health(models.Model):
    """What came of the attempts of one minute. failures: {code: count}."""

    connection = models.ForeignKey(Connection, on_delete=models.CASCADE, related_name="health")
    minute = models.DateTimeField()
    answered = models.PositiveIntegerField(default=0)
    failures = models.JSONField(default=dict)
    latency_ms = models.FloatField(default=0)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["connection", "minute"], name="health_minute"),
        ]


class Standing(models.Model):
    """How the worker treats a connection now; none means steady.

    lanes: for each model that is not steady {state, reason, width, next_look_s}.
    """

    connection = models.OneToOneField(Connection, on_delete=models.CASCADE, related_name="standing")
    state = models.CharField(max_length=10)
    reason = models.TextField(blank=True)
    lanes = models.JSONField(default=dict)
    since = models.DateTimeField()
    next_look_at = models.DateTimeField(null=True)
