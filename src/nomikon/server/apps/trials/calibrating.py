"""Learning from a finished trial how far token estimates of its models were off."""

from __future__ import annotations

from dataclasses import asdict

from nomikon.core.rules import ESTIMATE_RULE
from nomikon.core.trials.estimates import estimate_messages, estimate_output_tokens
from nomikon.engine.units import ANSWER
from nomikon.models.protocols import texts_of
from nomikon.server.apps.connections.calibrations import DIRECTIONS, calibrations_of
from nomikon.server.apps.connections.models import TokenRecord
from nomikon.server.apps.trials.models import Call, Trial

# So many calls of each model say enough about a trial; reading all would take its time.
SAMPLE = 300


def learn_from(trial: Trial) -> None:
    """Compare what was estimated for a trial's calls with what their servers counted.

    Calls whose server counted nothing, and answers had before, teach nothing.
    """
    for model_id in set(trial.arms.values_list("model_id", flat=True)):
        calls = list(
            Call.objects.filter(
                output__arm__trial=trial,
                output__arm__model_id=model_id,
                reused_from=None,
                tokens_estimated=False,
                tokens_out__isnull=False,
                continues=False,
                part=ANSWER,
                output__revision__conversation__isnull=True,
            )
            .select_related("output__revision")
            # A hash is as good as a draw, and the same every time.
            .order_by("answer_key")[:SAMPLE]
        )
        learnt = calibrations_of(model_id)
        pairs: dict[str, list[tuple[float, float]]] = {d: [] for d in DIRECTIONS}
        for call in calls:
            if call.tokens_in is None or call.tokens_out is None:
                continue
            asked = call.request.get("max_tokens") or call.request.get("parameters", {}).get(
                "max_tokens"
            )
            pairs["in"].append((estimate_messages(texts_of(call.request)), call.tokens_in))
            pairs["out"].append(
                (estimate_output_tokens(call.output.revision.reference, asked), call.tokens_out)
            )
        for direction in DIRECTIONS:
            if pairs[direction]:
                TokenRecord.objects.update_or_create(
                    model_id=model_id,
                    direction=direction,
                    defaults={
                        **asdict(learnt[direction].learn(pairs[direction])),
                        "rule": ESTIMATE_RULE,
                    },
                )
