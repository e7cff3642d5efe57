"""What stays of a text under work that is asked: forms, rows, talks, pieces; and what goes on unwatched."""

import asyncio
import contextlib
import json
from unittest.mock import patch

from aiohttp import web
from asgiref.sync import sync_to_async
from django.test import RequestFactory, TestCase, TransactionTestCase
from django.utils import timezone

from nomikon.core.errors import PlanError
from nomikon.core.prompts import Message
from nomikon.core.trials.conversation import MOST_TALKED, going_on
from nomikon.engine.units import ArmSpec, Callee
from nomikon.models import Answer, Connection, Usage
from nomikon.server.apps.briefs.models import Try
from nomikon.server.apps.briefs.tries import BeginTry, FillTry
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.drafts.api import trying
from nomikon.server.apps.drafts.under_way import UNDER_WAY
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.process.worker_try import try_once
from tests.server.base import Api, make_brief, run, start

AT = Connection("1", 1, "chat-completions", "http://localhost:1/v1")


class FormsTest(TestCase):
    def setUp(self):
        self.brief, self.api = make_brief(2), Api()

    def keep(self, revision, content, status=200):
        body = {"revision": revision, "content": content}
        got = self.api.put(f"briefs/{self.brief.pk}/try-form/keep/", body)
        self.assertEqual(got.status_code, status, got.content)
        return got.json()

    def test_what_is_typed_and_not_asked_is_back_and_never_overwritten_unseen(self):
        there = f"briefs/{self.brief.pk}/try-form/"
        self.assertEqual(self.api.get(there).json(), {"revision": 0, "content": {}})
        typed = {"to": "typed", "typed": {"sea": "the bay"}, "models": [2]}
        self.assertEqual(self.keep(0, typed)["revision"], 1)
        # A second tab that knows less is told what is there, and nothing is lost.
        told = self.keep(0, {"to": "case"}, 409)
        self.assertEqual(told["title"], "form_changed")
        self.assertEqual(told["facts"], {"revision": 1, "content": typed})
        self.assertEqual(self.api.get(there).json(), {"revision": 1, "content": typed})
        self.assertEqual(self.keep(1, {"to": "case"})["content"], {"to": "case"})
        self.assertEqual(self.keep(2, {"turn": "x" * 4_000_001}, 422)["field"], "content")

    def test_pieces_are_kept_ordered_taken_out_and_put_back(self):
        there = f"briefs/{self.brief.pk}/pieces/"
        for text in ("first ", "second", "third"):
            made = self.api.post(f"{there}keep/", {"text": text, "source": {"try": 4}}).json()
        self.assertEqual([p["text"] for p in made], ["first", "second", "third"])
        first, second, third = (p["id"] for p in made)
        got = self.api.post(f"{there}arrange/", {"order": [third, first]}).json()
        self.assertEqual([p["text"] for p in got], ["third", "first"])
        got = self.api.post(f"{there}arrange/", {"order": [second, third, first]}).json()
        self.assertEqual([p["text"] for p in got], ["second", "third", "first"])
        self.assertEqual(self.api.post(f"{there}arrange/", {"order": [999]}).status_code, 422)
        told = Line.objects.filter(brief=self.brief, what__startswith="piece.").order_by("id")
        self.assertEqual([x.what for x in told], ["piece.kept"] * 3 + ["piece.taken_out"])
        self.assertEqual(told[0].facts["try"], 4)


class RowsTest(TestCase):
    """One text asked of several inputs at once."""

    def setUp(self):
        self.brief, self.api = make_brief(2), Api()
        self.small = Model.objects.order_by("id").first()
        self.text = [{"role": "user", "content": "Is {{sea}} wet?"}]
        self.rows = [{"inputs": {"sea": s}, "reference": None, "case": None} for s in ("A", "B")]

    def begin(self, jobs, **keep):
        named = {self.small.pk: (self.small.name, False)}
        keep = {"version": 1, "changed": True, "case": None, **keep}
        return BeginTry(self.brief, jobs, keep, named, "nobody", timezone.now()).execute()

    def job(self, key, row, of=None):
        return {
            "key": key, "model": self.small.pk, "messages": self.text, "settings": {},
            "inputs": self.rows[row]["inputs"], "reference": None, "repeat": 0, "of": of, "row": row,
        }  # fmt: skip

    def test_what_a_saved_version_answered_is_carried_and_not_asked_again(self):
        self.begin([self.job("own", 0), self.job("v1", 1, of=1)], rows=self.rows)
        FillTry(1, self.brief, {"v1": {"text": "yes", "cost": 5}}, {}).execute()
        # The rows stand in another order the next time; what never came is not carried.
        carry = [{"number": 1, "key": "v1", "row": 0}, {"number": 1, "key": "own", "row": 1}]
        self.begin([self.job("b", 0)], rows=self.rows[::-1], carry=carry)
        found = self.api.get(f"briefs/{self.brief.pk}/tries/").json()["found"]
        self.assertEqual(found["inputs"], {})
        self.assertEqual(found["rows"][0]["inputs"], {"sea": "B"})
        told = [
            (a["key"], a["of"], a["row"], (a["result"] or {}).get("text")) for a in found["answers"]
        ]
        self.assertEqual(told, [("b", None, 0, None), ("carried 0", 1, 0, "yes")])

    def test_five_hundred_values_are_priced_with_their_time_and_more_are_refused(self):
        there = f"briefs/{self.brief.pk}/try/price/"
        job = {k: v for k, v in self.job("a", 0).items() if k != "messages"}
        one = self.api.post(there, {"jobs": [job], "messages": self.text}).json()
        self.assertIsNone(one["seconds"])
        self.begin([self.job("a", 0)])
        FillTry(1, self.brief, {"a": {"text": "yes", "latency_ms": 2000.0}}, {}).execute()
        many = [{**job, "key": str(i), "row": i} for i in range(500)]
        told = self.api.post(there, {"jobs": many, "messages": self.text}).json()
        self.assertEqual((told["calls"], told["cost"]), (500, 500 * one["cost"]))
        self.assertGreater(told["seconds"], 500 * 2 / 64)
        # Who plays a user is paid for, too: by its own price, real or simulated.
        large = Model.objects.order_by("id").last()
        Model.objects.filter(pk=large.pk).update(simulated=True)
        talk = {"said": [], "user": "A guest", "most": 3, "model": large.pk}
        played = self.api.post(there, {"jobs": [{**job, "talk": talk}], "messages": self.text})
        told = played.json()
        self.assertEqual((told["calls"], told["simulated_calls"]), (6, 3))
        self.assertGreater(min(told["cost"] - one["cost"], told["simulated"]), 0)
        models = {self.small.pk: ("small", True), large.pk: ("large", False)}
        asked_of = [trying._asked_of({**job, "talk": t}, models) for t in (None, talk)]
        self.assertEqual(asked_of, [("small", True), ("small", False)])
        got = self.api.post(there, {"jobs": many * 5, "messages": self.text})
        self.assertEqual((got.status_code, got.json()["field"]), (400, "jobs"))


class Caller:
    def __init__(self, *answers):
        self.answers, self.bodies = list(answers), []

    async def call(self, connection, model, body, *, on_text=None, priority=1):
        self.bodies.append((model, [(m["role"], m["content"]) for m in body["messages"]]))
        text, ended = self.answers.pop(0)
        return Answer(text, ended, Usage(9, 3), 5.0, 1.0, "m 1")


def asked(messages, answers, user=None, **more):
    """The result of one try, and what was sent."""
    caller = Caller(*answers)
    arm = ArmSpec("try", tuple(Message(*m) for m in messages), {}, "m", AT, 10, 10)

    async def lines():
        case = {"inputs": {"sea": "calm"}, "reference": None, "repeat": 0, **more}
        return [line async for line in try_once(caller, arm, case, user)]

    return asyncio.run(lines())[-1], caller.bodies


class TalkTest(TestCase):
    SAID = (
        {"role": "user", "content": "Does it {{sea}}?"},
        {"role": "assistant", "content": "It does."},
    )

    def test_a_turn_is_asked_after_what_was_said_and_braces_in_it_are_text(self):
        told, sent = asked(
            [("system", "Be {{sea}}.")], [("At nine.", "stop")],
            talk={"said": self.SAID, "turn": "When?"},
        )  # fmt: skip
        expected = [
            ("system", "Be calm."), ("user", "Does it {{sea}}?"), ("assistant", "It does."),
            ("user", "When?"),
        ]  # fmt: skip
        self.assertEqual(sent, [("m", expected)])
        turns = [(t["role"], t["content"]) for t in told["result"]["turns"]]
        self.assertEqual(turns, [*expected[1:], ("assistant", "At nine.")])
        self.assertEqual(told["result"]["text"], "At nine.")

    def test_a_text_that_speaks_first_opens_the_talk_and_its_own_words_are_no_turn(self):
        prompt = [("user", "Hail the {{sea}} sea.")]
        told, sent = asked(prompt, [("Hail!", "stop")], talk={"said": [], "turn": ""})
        self.assertEqual(told["result"]["opening"], "Hail the calm sea.")
        self.assertEqual(told["result"]["turns"], [{"role": "assistant", "content": "Hail!"}])
        told, sent = asked(
            prompt, [("Louder!", "stop")],
            talk={"said": told["result"]["turns"], "turn": "Again, {{louder}}"},
        )  # fmt: skip
        self.assertEqual([r for r, _ in sent[0][1]], ["user", "assistant", "user"])
        self.assertEqual(sent[0][1][2], ("user", "Again, {{louder}}"))

    def test_each_turn_goes_into_the_mould_of_a_text_that_has_one(self):
        _, sent = asked(
            [("user", "Said: {{turn}}")], [("Yes.", "stop")],
            talk={"said": self.SAID, "turn": "When?"},
        )  # fmt: skip
        said = [content for role, content in sent[0][1] if role == "user"]
        self.assertEqual(said, ["Said: Does it {{sea}}?", "Said: When?"])

    def test_a_described_person_goes_on_from_what_was_said_and_may_have_nothing_to_say(self):
        talk = {"said": self.SAID, "user": "A hurried guest", "most": 2, "model": 2}
        player = Callee("2", "p", AT)
        answers = [("And when?", "stop"), ("At nine.", "stop"), ("END", "stop")]
        told, sent = asked([("system", "Be kind.")], answers, player, talk=talk)
        self.assertEqual([model for model, _ in sent], ["p", "m", "p"])
        self.assertIn("Assistant: It does.", sent[0][1][0][1])
        self.assertEqual(
            [t["content"] for t in told["result"]["turns"]],
            ["Does it {{sea}}?", "It does.", "And when?", "At nine."],
        )
        told, _ = asked([("system", "Be kind.")], [("END", "stop")], player, talk=talk)
        self.assertIn("nothing more to say", told["result"]["why"])

    def test_only_the_rest_of_an_answer_that_was_cut_is_asked_for(self):
        told, sent = asked(
            [("user", "Count.")], [("three, four.", "stop")], begun="One, two, three,"
        )
        self.assertEqual([r for r, _ in sent[0][1]], ["user", "assistant", "user"])
        self.assertEqual(told["result"]["text"], "One, two, three, four.")
        self.assertEqual(told["result"]["outcome"], "answered")

    def test_a_step_alone_reads_what_it_is_given_for_the_steps_before_it(self):
        told, sent = asked(
            [("user", "Write out {{steps.notice}}, {{sea}}.")], [("Done.", "stop")],
            inputs={"sea": "calm", "steps": {"notice": "the {{boat}} is late"}},
        )  # fmt: skip
        self.assertEqual(sent[0][1], [("user", "Write out the {{boat}} is late, calm.")])
        self.assertEqual(told["result"]["text"], "Done.")

    def test_a_talk_of_a_hundred_turns_goes_on_and_one_without_end_is_told(self):
        said = [dict(t) for _ in range(100) for t in self.SAID]
        _, sent = asked(
            [("system", "Be kind.")], [("Yes.", "stop")], talk={"said": said, "turn": "So?"}
        )
        self.assertEqual(len(sent[0][1]), 202)
        with self.assertRaises(PlanError) as caught:
            going_on({"said": list(self.SAID) * (MOST_TALKED + 1), "turn": "So?"})
        self.assertIn("begin again from an earlier one", caught.exception.message)


class UnderWayTest(TransactionTestCase):
    """A try goes on when the page is left, and ends when that is said."""

    def setUp(self):
        self.brief, self.api = make_brief(2), Api()
        self.small = Model.objects.order_by("id").first()
        self.go_on = None

    @contextlib.asynccontextmanager
    async def worker(self):
        self.go_on = asyncio.Event()
        self.heard = []

        async def answer(request):
            self.heard.append(await request.json())
            response = web.StreamResponse()
            await response.prepare(request)
            for i, key in enumerate(("a", "b")):
                if i:
                    await self.go_on.wait()
                result = {"text": key, "cost": 3, "outcome": "answered"}
                await response.write(json.dumps({"key": key, "result": result}).encode() + b"\n")
            return response

        app = web.Application()
        app.router.add_post("/try", answer)
        runner = web.AppRunner(app, shutdown_timeout=0.1)
        await runner.setup()
        site = web.TCPSite(runner, "127.0.0.1", 0)
        await site.start()
        address = f"http://127.0.0.1:{runner.addresses[0][1]}"
        with patch.object(trying, "link_address", lambda: (address, "t")):
            yield
        await runner.cleanup()

    async def begin(self):
        """The response to a try of two jobs once its first answer is in."""
        jobs = [{"key": k, "model": self.small.pk} for k in ("a", "b")]
        body = {
            "jobs": jobs, "messages": [{"role": "user", "content": "Wet?"}],
            "keep": {"version": 1, "changed": False, "case": None},
        }  # fmt: skip
        request = RequestFactory().post(
            "/api/x/try/", json.dumps(body), content_type="application/json"
        )
        response = await trying.stream_try(request, self.brief.pk)
        lines = response.streaming_content
        self.assertEqual(json.loads(await anext(lines)), {"try": 1})
        self.assertEqual(json.loads(await anext(lines))["key"], "a")
        return lines

    async def told(self):
        row = await sync_to_async(Try.objects.get)()
        return [(a["key"], (a["result"] or {}).get("text")) for a in row.answers]

    async def until_done(self):
        for _ in range(200):
            if not UNDER_WAY.runs((self.brief.pk, 1)):
                return
            await asyncio.sleep(0.02)
        self.fail("it runs for ever")

    async def test_it_goes_on_when_the_page_is_left(self):
        async with self.worker():
            lines = await self.begin()
            await lines.aclose()
            self.assertTrue(UNDER_WAY.runs((self.brief.pk, 1)))
            # What came so far is there for whoever looks.
            await asyncio.sleep(0.1)
            self.assertEqual(await self.told(), [("a", "a"), ("b", None)])
            found = await sync_to_async(self.api.get)(f"briefs/{self.brief.pk}/tries/")
            self.assertTrue(found.json()["found"]["running"])
            self.go_on.set()
            await self.until_done()
            self.assertEqual(await self.told(), [("a", "a"), ("b", "b")])
        line = await sync_to_async(Line.objects.get)(what="draft.tried")
        self.assertEqual((line.cost_nano, line.facts["answers"]), (6, 2))
        # One text is sent once, however many jobs there are.
        self.assertEqual(len(self.heard[0]["texts"]), 1)

    async def test_it_ends_when_that_is_said_and_keeps_what_was_paid_for(self):
        async with self.worker():
            lines = await self.begin()
            there = f"briefs/{self.brief.pk}/tries/1/stop/"
            got = await sync_to_async(self.api.post)(there, {})
            self.assertEqual(got.status_code, 200)
            await self.until_done()
            self.assertEqual([line async for line in lines], [])
            self.assertEqual(await self.told(), [("a", "a"), ("b", None)])
        line = await sync_to_async(Line.objects.get)(what="draft.tried")
        self.assertEqual(line.cost_nano, 3)


class SaidWhileTryingTest(TransactionTestCase):
    def test_what_was_said_of_a_try_speaks_against_the_version_that_says_the_same(self):
        brief, api = make_brief(3), Api()
        trial = start(brief)
        run(trial)
        small, version = Model.objects.order_by("id").first(), brief.versions.get(number=1)
        other = [{"role": "user", "content": "Quite another text."}]
        named, now = {small.pk: (small.name, False)}, timezone.now()
        for messages, of, comment, judgement in (
            (version.messages, None, "It forgets the tide.", "bad"),
            (other, 1, "It forgets the tides, too.", "usable"),
            (other, None, "Said of another text.", "bad"),
            (version.messages, None, "Well done about the tide.", "good"),
        ):
            job = {
                "key": "a", "model": small.pk, "messages": messages, "settings": {}, "inputs": {},
                "reference": None, "repeat": 0, "of": of,
            }  # fmt: skip
            keep = {"version": None, "changed": True, "case": None}
            row = BeginTry(brief, [job], keep, named, "nobody", now).execute()
            FillTry(row.number, brief, {"a": {"text": "yes"}}, {}).execute()
            body = {"key": "a", "judgement": judgement, "comment": comment}
            api.patch(f"briefs/{brief.pk}/tries/{row.number}/", body)
        found = api.get(f"trials/{trial.pk}/faults/1/").json()["faults"]
        said = [r for f in found for r in f["remarks"] if r["source"] == "try"]
        self.assertEqual(
            sorted(r["text"] for r in said), ["It forgets the tide.", "It forgets the tides, too."]
        )
        # Alike remarks are one fault, and a proposal can be asked for by it; agreement knows nothing of it.
        [fault] = [f for f in found if f["source"] == "try"]
        body = {"trial": trial.pk, "version": 1, "faults": [fault["key"]]}
        self.assertEqual(api.post(f"briefs/{brief.pk}/amend-by-rule/", body).status_code, 200)
        self.assertFalse(Mark.objects.exists())
