"""The draft's endpoints: working copies, amendments, lineage, files, shelf, presets, pins."""

import io
import zipfile

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase, TransactionTestCase
from django.utils import timezone

from nomikon.core.prompts import parse_prompt_file
from nomikon.server.apps.briefs import working_copies
from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
from nomikon.server.apps.briefs.models import Brief, CopyState, Version, WorkingCopy
from nomikon.server.apps.briefs.tries import NOT_CAME, BeginTry, FillTry
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.datasets.actions.create_dataset import CreateDataset
from nomikon.server.apps.datasets.models import Pin
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.reviews.models import Mark
from tests.server.base import Api, Scripted, make_brief, run, start, who


def system(text):
    return [{"role": "system", "content": text, "step": None}]


class DraftsTest(TestCase):
    def setUp(self):
        self.brief = CreateBrief("Bells", "Sort messages.", "other", **who()).execute()
        self.api = Api()
        self.url = f"briefs/{self.brief.pk}"

    def save(self, text, parent=None, **more):
        body = {"messages": system(text), "settings": {"temperature": 0}, "parent": parent, **more}
        return self.post(f"{self.url}/versions/", body)

    def post(self, url, body, status=200):
        return self.checked(self.api.post(url, body), status)

    def get(self, url, status=200):
        return self.checked(self.api.get(url), status)

    def checked(self, reply, status):
        self.assertEqual(reply.status_code, status, reply.content[:400])
        return reply.json()


class WorkingCopyTest(DraftsTest):
    def keep(self, text, revision, base=None, status=200):
        body = {"base": base, "revision": revision, "messages": system(text), "settings": {}}
        reply = self.api.put(f"{self.url}/copies/", body)
        self.assertEqual(reply.status_code, status, reply.content[:400])
        return reply.json()

    def test_it_is_kept_as_typed_and_remembers_what_it_said(self):
        base = self.save("You sort.")["number"]
        url = f"{self.url}/copies/{base}/"
        self.assertEqual(self.get(url)["revision"], 0)
        lines = Line.objects.count()
        self.keep("You {{", 0, base)
        self.keep("You {{so", 1, base)
        self.assertEqual(self.keep("You {{so", 2, base)["revision"], 2)
        found = self.get(url)
        self.assertEqual((found["revision"], found["messages"]), (2, system("You {{so")))
        self.assertEqual([b["messages"] for b in found["before"]], [system("You {{")])
        self.assertEqual(Line.objects.count(), lines)

    def test_two_tabs_never_overwrite_each_other_unseen(self):
        self.keep("Mine.", 0)
        clash = self.keep("Theirs.", 0, status=409)
        self.assertEqual(clash["title"], "copy_changed")
        self.assertEqual(clash["facts"]["messages"], system("Mine."))
        # A clear choice: keep theirs, over what is there now, which stays in the trail.
        self.keep("Theirs.", clash["facts"]["revision"])
        found = self.get(f"{self.url}/copies/0/")
        self.assertEqual(found["before"][0]["messages"], system("Mine."))

    def test_saving_settles_the_copy_and_another_tab_learns_of_it(self):
        base = self.save("You sort.")["number"]
        self.keep("You sort well.", 0, base)
        self.save("You sort well.", base)
        found = self.get(f"{self.url}/copies/{base}/")
        self.assertEqual(
            (found["messages"], found["changed_by"]), (system("You sort."), "saved as v2")
        )
        self.assertEqual(found["before"][-1]["messages"], system("You sort well."))
        self.keep("You sort very well.", 1, base, status=409)

    def test_the_trail_is_bounded_by_number_and_size(self):
        for n in range(working_copies.STATES_KEPT + 5):
            self.keep(f"State {n}.", n)
        self.assertLessEqual(CopyState.objects.count(), working_copies.STATES_KEPT)
        revision = WorkingCopy.objects.get().revision
        for n in range(3):
            self.keep("x" * 900_000 + str(n), revision + n)
        self.assertLessEqual(sum(CopyState.objects.values_list("size", flat=True)), 2_000_000)

    def test_a_paste_too_large_is_refused_with_what_was_kept(self):
        self.keep("small", 0)
        over = self.keep("x" * 3_999_999, 1, status=422)
        self.assertIn("still in this tab", over["detail"])
        self.assertEqual(WorkingCopy.objects.get().messages, system("small"))

    def test_two_megabytes_are_kept_and_told_to_be_too_long_to_watch(self):
        text = "Sort the message. " * 115_000
        self.keep(text, 0)
        report = self.post(f"{self.url}/draft/", {"messages": system(text), "settings": {}})
        self.assertIn("too long to be numbered", report["problems"][0]["text"])
        self.assertEqual((report["clauses"], report["tokens"] > 100_000), ([], True))


class AmendTest(DraftsTest):
    def test_one_amendment_is_put_back_and_what_requires_it(self):
        self.save("You sort.\nUse one label.")
        new = [
            *system("You sort well.\nUse one label."),
            {"role": "user", "content": "Text: {{message}}"},
        ]
        body = {"messages": new, "settings": {"temperature": 0.5}, "parent": 1}
        report = self.post(f"{self.url}/draft/", body)
        ids = {a["kind"] + a["detail"][:5]: a["id"] for a in report["amendments"]}
        self.assertEqual(set(ids), {"amend", "layouta use", "add", "layouttempe"})
        words = next(a for a in report["amendments"] if a["kind"] == "amend")["words"]
        self.assertIn({"kind": "new", "text": " well"}, words)
        back = self.post(f"{self.url}/leave/", {**body, "leave": [ids["layouta use"]]})
        self.assertEqual(back["messages"], system("You sort well.\nUse one label."))
        self.assertEqual(back["settings"], {"temperature": 0.5})
        self.assertEqual(set(back["left"]), {ids["layouta use"], ids["add"]})
        self.post(f"{self.url}/leave/", {**body, "leave": ["amend-77"]}, 422)

    def test_merging_two_branches_keeps_both_parents(self):
        self.save("You sort.\nUse one label.\nBe brief.")
        self.save("You sort with care.\nUse one label.\nBe brief.", 1)
        self.save("You sort.\nUse one label only.\nBe brief.", 1)
        plan = self.get(f"{self.url}/versions/2/merge/3/")
        self.assertEqual(
            (plan["base"], [c["side"] for c in plan["choices"]]), (1, ["ours", "theirs"])
        )
        done = self.post(f"{self.url}/versions/2/merged/3/", {"take": plan["proposed"]})
        text = "You sort with care.\nUse one label only.\nBe brief."
        self.assertEqual(done["messages"], system(text))
        made = self.save(text, 2, second_parent=3, note="both")
        self.assertEqual((made["parent"], made["second_parent"]), (2, 3))
        story = self.get(f"{self.url}/versions/4/clauses/2/")
        self.assertEqual([(e["version"], e["kind"]) for e in story], [(1, "add"), (3, "amend")])
        self.get(f"{self.url}/versions/4/clauses/9/", 422)

    def test_notes_tags_and_archive_change_and_the_text_does_not(self):
        self.save("You sort.")
        url = f"{self.url}/versions/1/annotate/"
        changed = self.post(
            url, {"note": " first ", "tags": ["short", " short", "calm  tone"], "archived": True}
        )
        self.assertEqual(
            (changed["note"], changed["tags"], changed["archived"]),
            ("first", ["short", "calm tone"], True),
        )
        self.assertEqual(changed["messages"], system("You sort."))
        self.assertEqual(self.post(url, {"archived": False})["tags"], ["short", "calm tone"])
        self.assertEqual(Line.objects.filter(what="version.annotated").count(), 2)
        self.post(url, {"tags": [f"t{n}" for n in range(13)]}, 422)

    def test_a_prompt_too_long_for_a_model_with_its_longest_case_is_told_before_a_call(self):
        make_brief(3, "Models")
        Model.objects.filter(name="small").update(context_length=40)
        dataset = CreateDataset(self.brief, "Calls", **who()).execute()
        long = {"inputs": {"message": "a ferry " * 40}}
        self.post(f"datasets/{dataset.pk}/keep/", long)
        body = {"messages": system("Sort {{message}}."), "settings": {}}
        found = self.post(f"{self.url}/draft/", body)["findings"]
        told = next(f for f in found if f["rule"] == "too-long-for-context")
        self.assertEqual(told["severity"], "warning")
        self.assertIn("small holds 40", told["text"])


class FilesTest(DraftsTest):
    def upload(self, name, data, status=200, **more):
        file = SimpleUploadedFile(name, data)
        reply = self.api.upload(f"{self.url}/versions/import/", file=file, **more)
        self.assertEqual(reply.status_code, status, reply.content[:300])
        return reply.json()

    def test_a_lineage_goes_out_as_a_zip_and_comes_back_the_same(self):
        self.save("You sort.\r\n\r\nUse * one * label.  ")
        self.save("You sort well.", 1, note="better")
        self.save("You sort fast.", 1)
        self.save("You sort well and fast.", 2, second_parent=3)
        self.api.post(f"{self.url}/versions/2/annotate/", {"tags": ["a"]})
        data = self.api.get(f"{self.url}/lineage.zip").content
        self.assertEqual(len(zipfile.ZipFile(io.BytesIO(data)).namelist()), 5)
        made = self.upload("all.zip", data)["versions"]
        self.assertEqual(made, [5, 6, 7, 8])
        for old, new in zip([1, 2, 3, 4], made, strict=True):
            a, b = (Version.objects.get(brief=self.brief, number=n) for n in (old, new))
            self.assertEqual((a.messages, a.settings, a.tags), (b.messages, b.settings, b.tags))
        last = Version.objects.get(brief=self.brief, number=8)
        self.assertEqual((last.parent.number, last.second_parent.number), (6, 7))

    def test_two_files_of_one_name_in_two_folders_are_two_versions(self):
        text = "---\nnomikon: prompt/1\n---\n::: system\n{}\n:::\n"
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr("a/one.md", text.format("You sort."))
            archive.writestr("b/one.md", text.format("You file."))
            archive.writestr("__MACOSX/a/._one.md", b"\x00\xff")
        self.assertEqual(self.upload("two.zip", out.getvalue())["versions"], [1, 2])
        said = [v.messages[0]["content"] for v in self.brief.versions.all()]
        self.assertEqual(said, ["You sort.", "You file."])

    def test_a_plain_text_becomes_one_message_and_says_so(self):
        made = self.upload("notes.txt", "You sort {{message}}.\n\nÜbrigens: kurz.\n".encode())
        found = Version.objects.get(brief=self.brief, number=made["versions"][0])
        self.assertEqual(
            found.messages,
            [{"role": "user", "content": "You sort {{message}}.\n\nÜbrigens: kurz.", "step": None}],
        )
        self.assertEqual(found.note, "from a plain text, as one message")
        # What is meant as a prompt file is still told where it is broken.
        self.assertIn("front matter", self.upload("x.md", b"---\na: 1\nno end", 422)["detail"])
        self.upload("empty.txt", b" \n", 422)

    def test_one_file_and_what_is_wrong_with_a_bad_one(self):
        self.save("You sort {{message}}.")
        data = self.api.get(f"{self.url}/versions/1/prompt.md")
        self.assertIn('filename="', data["Content-Disposition"])
        self.assertEqual(
            parse_prompt_file(data.content.decode()).messages[0].content, "You sort {{message}}."
        )
        self.assertEqual(self.upload("x.md", data.content, parent="1")["versions"], [2])
        self.assertEqual(Version.objects.get(brief=self.brief, number=2).parent.number, 1)
        bad = self.upload("bad.md", data.content.replace(b"::: system", b"::: wizard"), 422)
        self.assertIn("unknown role 'wizard'", bad["detail"])
        self.assertGreater(bad["facts"]["line"], 3)
        hole = data.content.replace(b"{{message}}", b"{{#open}}")
        self.assertIn("{{#open}} is left open", self.upload("hole.md", hole, 422)["detail"])
        self.assertIn("not UTF-8", self.upload("bad.md", b"---\n\xff", 422)["detail"])
        self.assertIn("zip", self.upload("bad.zip", b"PK\x03\x04nonsense", 422)["detail"])
        self.assertEqual(self.brief.versions.count(), 2)


class ShelfTest(DraftsTest):
    def found(self, **query):
        return self.api.client.get("/api/shelf/", query).json()["entries"]

    def test_twenty_texts_ship_and_are_found_by_words_kind_tag_and_setting(self):
        self.assertEqual(len(self.found()), 20)
        self.assertEqual([e["name"] for e in self.found(q="markdown table")], ["Table of hours"])
        self.assertTrue(all(e["task"] == "classify" for e in self.found(task="classify")))
        self.assertEqual(len(self.found(task="classify")), 4)
        self.assertEqual([e["name"] for e in self.found(tag="two steps")], ["Outline then text"])
        self.save("You sort calmly.", settings={"temperature": 0.2})
        self.save("You sort coldly.", 1, settings={"temperature": 0.25})
        warm = self.found(setting="temperature", value="0.2")
        self.assertEqual({e["name"] for e in warm}, {"Minutes in brief", f"{self.brief.name}, v1"})

    def test_own_texts_are_kept_and_taken_off(self):
        body = {"name": "Mine", "task": "write", "tags": ["sea"], "messages": system("You write.")}
        kept = self.post("shelf/keep/", body)["id"]
        self.assertEqual([e["name"] for e in self.found(source="own")], ["Mine"])
        self.post("shelf/keep/", {**body, "messages": system(" ")}, 422)
        self.post(f"shelf/{kept}/take-off/", {})
        self.assertEqual(self.found(source="own"), [])

    def test_an_answer_that_is_a_prompt_opens_as_messages(self):
        def opened(text, status=200):
            return self.post("open-answer/", {"text": text}, status)

        self.assertEqual(opened("```\nYou sort.\n```")["messages"][0]["content"], "You sort.")
        file = "---\nnomikon: prompt/1\n---\n::: system\nYou sort.\n:::\n"
        self.assertEqual(opened(file)["messages"], system("You sort."))
        opened("  ", 422)


class PresetsAndPinsTest(DraftsTest):
    def test_presets_ship_with_a_reason_and_own_ones_are_kept_and_removed(self):
        shipped = self.get("presets/")
        classify = next(p for p in shipped if p["task"] == "classify")
        self.assertEqual(classify["settings"], {"temperature": 0.0, "top_k": 1})
        self.assertTrue(all(p["reason"] for p in shipped))
        body = {"name": "Cool", "settings": {"temperature": 0.1}, "task": "write"}
        kept = self.post("presets/keep/", body)["id"]
        self.post("presets/keep/", {**body, "settings": {"temperature": 9}}, 422)
        self.post("presets/keep/", {**body, "name": "classify"}, 422)
        self.assertEqual(len(self.get("presets/")), len(shipped) + 1)
        self.post(f"presets/{kept}/remove/", {})
        self.assertEqual(self.get("presets/"), shipped)

    def test_cases_are_pinned_up_to_twelve(self):
        dataset = CreateDataset(self.brief, "Calls", **who()).execute()
        url = f"{self.url}/pins/"
        added = [
            self.post(f"datasets/{dataset.pk}/keep/", {"inputs": {"message": f"new {n}"}})
            for n in range(13)
        ]
        for case in added[:12]:
            found = self.post(url, {"revision": case["revision"], "pinned": True})
        self.assertEqual(len(found["cases"]), 12)
        self.assertIn(
            "12 cases are pinned",
            self.post(url, {"revision": added[12]["revision"], "pinned": True}, 422)["detail"],
        )
        self.post(url, {"revision": added[0]["revision"], "pinned": False})
        self.assertEqual(Pin.objects.count(), 11)

    def test_a_case_is_kept_once(self):
        dataset = CreateDataset(self.brief, "Calls", **who()).execute()
        url = f"datasets/{dataset.pk}/keep/"
        before = dataset.versions.count()
        kept = self.post(
            url, {"inputs": {"message": "Where is my hat?"}, "reference": "lost", "tags": ["try"]}
        )
        self.assertEqual((kept["reference"], kept["split"]), ("lost", "working"))
        self.assertEqual(dataset.versions.count(), before + 1)
        again = self.post(url, {"inputs": {"message": "Where is my hat?"}}, 422)
        self.assertIn(f"as case {kept['number']}", again["detail"])
        self.post(url, {"inputs": {"message": ""}}, 422)


class RequestCodeTest(DraftsTest):
    def test_code_is_made_for_a_model_and_answers_are_set_side_by_side(self):
        make_brief(0, "Models")
        model = Model.objects.first()
        body = {
            "model": model.pk,
            "messages": system("Sort {{message}}."),
            "inputs": {"message": "it's"},
        }
        code = self.post("request-code/", body)
        self.assertIn("/chat/completions", code["curl"])
        compile(code["python"], "ask.py", "exec")
        self.post("request-code/", {**body, "inputs": {}}, 422)
        rows = self.post("differences/", {"texts": ["a b", "a c", "a b "]})
        self.assertEqual([r["which"] for r in rows], [[0, 2], [1]])


class ReadingTest(TransactionTestCase):
    def test_a_text_is_read_with_its_checks_and_what_is_measured(self):
        brief, api = make_brief(2), Api()
        text = "Answer with one of these: yes, no. Use at most 3 words.\n\n{{sea}}"
        body = {"messages": [{"role": "user", "content": text}], "settings": {}}
        told = api.post(f"briefs/{brief.pk}/read/", body).json()
        lines = {x["part"]: x for x in told["lines"]}
        self.assertEqual(told["language"], "en")
        # The card's match with the reference fails what is no label; nothing looks at the length.
        self.assertEqual(
            (lines["output"]["says"], lines["output"]["measured"]), ("label: yes, no", True)
        )
        # How the answers that are there would fare by it: none yet, then those of a trial.
        fare = api.post(f"briefs/{brief.pk}/fares/", {"checks": [lines["limit"]["check"]]}).json()
        self.assertEqual(fare, [{"n": 0, "kept": 0}])
        said = iter(["yes", "one two three four"])
        self.assertEqual(run(start(brief), Scripted(lambda body: next(said, "no"))), "complete")
        fare = api.post(f"briefs/{brief.pk}/fares/", {"checks": [lines["limit"]["check"]]}).json()
        self.assertEqual(fare[0]["n"] - fare[0]["kept"], 1)
        for bad in ({"measure": "length"}, {"measure": "nothing"}):
            got = api.post(f"briefs/{brief.pk}/fares/", {"checks": [bad]})
            self.assertEqual(got.status_code, 422)
        limit = lines["limit"]
        self.assertEqual(text[limit["start"] : limit["end"]], "at most 3 words")
        self.assertFalse(limit["measured"])
        card = api.get(f"briefs/{brief.pk}/").json()["scorecard"]
        document = {**card["document"], "measures": [*card["document"]["measures"], limit["check"]]}
        kept = api.post(
            f"briefs/{brief.pk}/scorecards/", {"document": document, "seen": card["number"]}
        )
        self.assertEqual(kept.status_code, 200, kept.content)
        lines = {x["part"]: x for x in api.post(f"briefs/{brief.pk}/read/", body).json()["lines"]}
        self.assertTrue(lines["limit"]["measured"])
        got = api.post(
            f"briefs/{brief.pk}/read/", {"messages": [{"role": "user", "content": "{{"}]}
        )
        self.assertEqual(got.status_code, 422)

    def test_a_reading_is_put_right_for_the_brief_and_taken_back(self):
        brief, api = make_brief(2), Api()
        url = f"briefs/{brief.pk}/readings/"
        text = "Sum it up within 3 lines or so. Be formal.\n\n{{sea}}"

        def limits(said=text):
            body = {"messages": [{"role": "user", "content": said}]}
            told = api.post(f"briefs/{brief.pk}/read/", body).json()["lines"]
            return [(x["says"], x["source"]) for x in told if x["part"] == "limit"]

        self.assertEqual(limits(), [("at most 3 lines", "rule")])
        words = {"part": "limit", "text": "within 3 lines or so"}
        value = {"what": "lines", "per": "", "low": 2, "high": 4}
        told = api.post(url, {**words, "value": value}).json()
        self.assertEqual(told, [{**words, "value": value}])
        self.assertEqual(limits(), [("2 to 4 lines", "person")])
        # It speaks of these words wherever they stand, and of no others.
        self.assertEqual(limits("Hello.\n\n" + text), [("2 to 4 lines", "person")])
        self.assertEqual(
            limits("Sum it up within 3 lines.\n\n{{sea}}"), [("at most 3 lines", "rule")]
        )
        # Said to be no limit, it is none; taken back, the rules read it again.
        api.post(url, {**words, "value": None})
        self.assertEqual(limits(), [])
        self.assertEqual(api.post(url, {**words, "forget": True}).json(), [])
        self.assertEqual(limits(), [("at most 3 lines", "rule")])
        for bad, field in (
            ({"part": "mood", "text": "x"}, "part"),
            ({"part": "limit", "text": " ", "value": value}, "text"),
            ({**words, "value": {"what": "lines", "low": 5, "high": 4}}, "value"),
            ({**words, "value": {"what": "lines", "low": "5"}}, "value"),
            ({**words, "value": {"what": "pages", "high": 4}}, "value"),
            ({"part": "output", "text": "", "value": {"form": "song"}}, "value"),
            ({"part": "tone", "text": "formal", "value": "warm"}, "value"),
        ):
            got = api.post(url, bad)
            self.assertEqual((got.status_code, got.json()["field"]), (422, field), bad)
        self.assertEqual(brief.versions.count(), Brief.objects.get(pk=brief.pk).versions.count())

    def test_wishes_are_taken_one_by_one_and_a_stale_one_is_refused(self):
        brief, api = make_brief(2), Api()
        url = f"briefs/{brief.pk}/wishes/"
        body = {
            "messages": [{"role": "user", "content": "Answer in at most 9 words.\n\n{{sea}}"}],
            "wishes": ["at most 5 words", "in German", "nicer"],
        }
        told = api.post(url, body).json()
        self.assertEqual([p["kind"] for p in told["proposals"]], ["amend", "add"])
        self.assertEqual([u["wish"] for u in told["unmet"]], ["nicer"])
        self.assertEqual(told["messages"], None)
        taken = api.post(url, {**body, "take": [told["proposals"][1]["id"]]}).json()
        self.assertIn("Answer in German.", taken["messages"][0]["content"])
        self.assertEqual([r["reason"] for r in taken["reasons"]], ["Wished: in German"])
        # The text with it says so; the other is still proposed.
        after = api.post(url, {**body, "messages": taken["messages"]}).json()
        self.assertEqual((after["met"], len(after["proposals"])), (["in German"], 1))
        stale = api.post(
            url, {**body, "messages": taken["messages"], "take": [told["proposals"][1]["id"]]}
        )
        self.assertEqual((stale.status_code, stale.json()["field"]), (422, "take"))
        # A model's proposals are checked like any other.
        row = {"id": "p1", "kind": "amend", "clause": 9, "text": "x", "reason": "Wished: nicer"}
        self.assertEqual(
            api.post(url, {**body, "proposed": [row], "take": ["p1"]}).status_code, 422
        )
        row = {**row, "clause": 1, "text": "Answer kindly, in at most 9 words."}
        made = api.post(url, {**body, "proposed": [row], "take": ["p1"]}).json()
        self.assertIn("Answer kindly", made["messages"][0]["content"])
        self.assertEqual(api.post(url, {**body, "wishes": [" "]}).json()["field"], "wishes.0")


class TriesTest(TestCase):
    """What a text under work was asked stays, with what is said of it; what it costs is told before."""

    def setUp(self):
        self.brief, self.api = make_brief(2), Api()
        self.small, self.large = Model.objects.order_by("id")
        self.text = [{"role": "user", "content": "Is {{sea}} wet?"}]

    def job(self, key, model, of=None, **more):
        return {
            "key": key, "model": model.pk, "messages": self.text, "settings": {},
            "inputs": {"sea": "the bay"}, "reference": None, "repeat": 0, "of": of, **more,
        }  # fmt: skip

    def begin(self, *jobs, version=1, changed=True):
        models = {m.pk: (m.name, m.is_simulated) for m in (self.small, self.large)}
        keep = {"version": version, "changed": changed, "case": None}
        return BeginTry(self.brief, jobs, keep, models, "nobody", timezone.now()).execute()

    def tries(self, number=None):
        query = "" if number is None else f"?number={number}"
        return self.api.get(f"briefs/{self.brief.pk}/tries/{query}").json()

    def test_a_try_stays_with_the_answers_that_came(self):
        self.assertEqual(self.tries(), {"count": 0, "found": None})
        saved = [{"role": "user", "content": "Wet?"}]
        made = self.begin(
            self.job("v1", self.small, of=1, messages=saved), self.job("a", self.small),
            self.job("b", self.large),
        )  # fmt: skip
        # Before a word has come it says so, whoever looks.
        waiting = self.tries()["found"]
        self.assertEqual(waiting["messages"][0]["content"], "Is {{sea}} wet?")
        self.assertEqual({a["result"] for a in waiting["answers"]}, {None})
        self.assertIn("Stopped", waiting["answers"][0]["problem"])
        results = {"a": {"text": "yes", "cost": 3}}
        FillTry(made.number, self.brief, results, {"b": "it has no key"}).execute()
        found = self.tries()["found"]
        told = [
            (a["key"], a["of"], (a["result"] or {}).get("text"), a["problem"])
            for a in found["answers"]
        ]
        self.assertEqual(
            told,
            [("v1", 1, None, NOT_CAME), ("a", None, "yes", ""), ("b", None, None, "it has no key")],
        )
        self.begin(self.job("c", self.small), version=None, changed=False)
        self.assertEqual((self.tries()["count"], self.tries()["found"]["version"]), (2, None))
        self.assertEqual(self.tries(1)["found"], found)
        self.assertEqual(self.tries(9), {"count": 2, "found": None})

    def test_one_answer_is_best_and_what_did_not_come_is_not_judged(self):
        made = self.begin(
            self.job("a", self.small), self.job("b", self.large), self.job("c", self.large)
        )
        FillTry(1, self.brief, {"a": {"text": "yes"}, "b": {"text": "no"}}, {}).execute()
        there = f"briefs/{self.brief.pk}/tries/{made.number}/"

        def say(status=200, **said):
            got = self.api.patch(there, said)
            self.assertEqual(got.status_code, status, got.content)
            return got.json()

        say(key="a", judgement="good", best=True)
        say(key="b", best=True, comment="shorter")
        told = say(key="a", judgement="usable")["found"]["answers"]
        self.assertEqual(
            [(a["judgement"], a["best"], a["comment"]) for a in told],
            [("usable", False, ""), ("", True, "shorter"), ("", False, "")],
        )
        for bad in ({"key": "c", "best": True}, {"key": "x", "best": True}):
            self.assertEqual(say(422, **bad)["field"], "key")
        say(400, key="a", judgement="superb")
        # What is said while drafting is no reader's mark.
        self.assertFalse(Mark.objects.exists())

    def test_the_price_of_a_try_keeps_real_and_simulated_money_apart(self):
        there = f"briefs/{self.brief.pk}/try/price/"
        jobs = [self.job("a", self.small), self.job("b", self.large)]
        before = self.api.post(there, {"jobs": jobs}).json()
        self.assertEqual((before["calls"], before["unpriced"], before["simulated"]), (2, [], 0))
        self.assertGreater(before["cost"], 0)
        one = self.api.post(there, {"jobs": jobs[:1]}).json()["cost"]
        Model.objects.filter(pk=self.large.pk).update(simulated=True)
        told = self.api.post(there, {"jobs": jobs}).json()
        self.assertEqual((told["cost"], told["simulated"]), (one, before["cost"] - one))
        Model.objects.filter(pk=self.small.pk).update(price_in_nano=None)
        told = self.api.post(there, {"jobs": jobs}).json()
        self.assertEqual((told["cost"], told["unpriced"]), (0, [self.small.name]))
        # Two steps are two calls; a text that cannot be sent costs nothing.
        steps = [{"role": "user", "content": "A {{sea}}", "step": "one"},
                 {"role": "user", "content": "B {{steps.one}}", "step": "two"}]  # fmt: skip
        two = self.api.post(there, {"jobs": [self.job("a", self.large, messages=steps)]}).json()
        self.assertEqual(two["calls"], 2)
        broken = [{"role": "user", "content": "A {{#sea}}"}]
        told = self.api.post(there, {"jobs": [self.job("a", self.large, messages=broken)]}).json()
        self.assertEqual((told["calls"], told["cost"]), (0, 0))
