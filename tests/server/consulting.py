"""Helping models in tests: replies given by hand through the worker's door, nothing else replaced."""

import json
from unittest import mock

from nomikon.server.apps.connections.models import Model


class Replies:
    """Stands in for the worker's calls: each call is kept and answered by the next reply.

    A reply is a text, or a mapping with `failure` for a call that fails.
    """

    def __init__(self, *replies):
        self.left = list(replies)
        self.calls = []

    def __call__(self, path, body=None, *, within_s):
        assert path == "/call", path
        self.calls.append(body)
        reply = self.left.pop(0)
        if isinstance(reply, dict) and "failure" in reply:
            code, text = reply["failure"]
            return {"request": {}, "failure": {"code": code, "text": text, "attempts": 1}}
        held = reply if isinstance(reply, dict) else {"text": reply}
        return {
            "request": {},
            "answer": {
                "text": "", "finish_reason": "stop", "tokens_in": 100, "tokens_out": 50,
                "latency_ms": 1200.0, "first_ms": 1.0, "model_identity": "m", "attempts": 1,
                "reasoning": "", "refusal": "", "tool_calls": [], **held,
            },
        }  # fmt: skip


def consult(api, role, about, *replies, again=True, instruction=None, status=200):
    """Ask in a role and read the reply; returns what came and the calls that were made."""
    worker = Replies(*replies)
    # Not the newest wording by itself: what is sent is what the page shows.
    told = api.post("consultations/", {"role": role, "about": about}).json()
    prepared = told.get("prepared") or {}
    body = {
        "role": role,
        "about": about,
        "model": Model.objects.order_by("id").first().pk,
        "instruction": instruction or prepared.get("instruction", "x"),
        "again": again,
        "ask": True,
    }
    with mock.patch("nomikon.server.apps.consultations.asking.ask_worker", worker):
        got = api.post("consultations/", body)
    assert got.status_code == status, (got.status_code, got.content[:400])
    came = got.json()
    return came["consultation"] if status == 200 else came, worker.calls


def listed(key, *rows):
    """A reply as it was asked for."""
    return json.dumps({key: list(rows)})
