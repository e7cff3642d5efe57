"""The models a trial asks beside its arms': judges, and the one that plays the user."""

from __future__ import annotations

from nomikon.core.errors import PlanError
from nomikon.core.measures import Scorecard
from nomikon.engine.units import Callee
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.connections.spec import connection_spec
from nomikon.server.apps.trials.models import TWINS


def judge_models(card: Scorecard) -> dict[str, Model]:
    """The model that each judged measure names. Raises PlanError where there is none, or several."""
    return {name: _model(name, measure.model, measure.connection) for name, measure in card.judged}


def _model(measure: str, name: str, connection: str | None) -> Model:
    found = Model.objects.select_related("connection").filter(name=name)
    if connection is not None:
        found = found.filter(connection__name=connection)
    models = list(found[:2])
    if not models:
        at = f" at {connection}" if connection else ""
        raise PlanError(
            f"{measure} is judged by {name}{at}, and there is no such model: set it up under "
            "Models, or change the scorecard",
            field="scorecard",
        )
    if len(models) > 1:
        raise PlanError(
            f"{measure} is judged by {name}, and several connections have a model of that name: "
            "name the connection in the scorecard",
            field="scorecard",
        )
    return models[0]


def callee_of(model: Model) -> Callee:
    """A model as the engine asks it."""
    return Callee(
        str(model.pk),
        model.name,
        connection_spec(model.connection, model),
        model.price_in_nano,
        model.price_out_nano,
        tuple(model.unsupported),
        model.price_cached_nano,
        model.price_reasoning_nano,
        model.reasoning,
    )


def asking_in(card: Scorecard, purpose: str) -> list[str]:
    """The measures of a scorecard that have something asked in a trial.

    Nothing is asked about twins: whether a pair behaves is told without it.
    """
    return [] if purpose == TWINS else [name for name, _ in card.asking]


def callees_of(card: Scorecard, purpose: str) -> dict[str, Callee | None]:
    """Whom the measures of a scorecard ask, by measure; None for the arm itself."""
    judges = {name: callee_of(model) for name, model in judge_models(card).items()}
    return {name: judges.get(name) for name in asking_in(card, purpose)}
