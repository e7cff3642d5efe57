"""Datasets with a name and an identity: copies, and files that change the cases they speak of."""

import json
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase, TransactionTestCase

from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.datasets.models import Case, CaseImport, CaseRevision, Dataset
from nomikon.server.apps.datasets.reads import UpdatePreview
from nomikon.server.apps.datasets.versioning import newest_version
from nomikon.server.typed import check
from tests.server.base import Api, Scripted, make_brief, run, start

MAPPING = {
    "id": {"as": "id"},
    "sea": {"as": "input", "name": "sea"},
    "reference": {"as": "reference"},
    "tags": {"as": "tags"},
    "split": {"as": "split"},
}
FIRST = (
    "sea,reference,tags,split\n"
    'North,yes,"cold;grey",working\n'
    '"South\nof here, ""warm""",no,,working\n'
    "East,yes,,held-out\n"
    "Ægir,,cold,working\n"
)


class Updating(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(0)
        self.dataset = self.brief.datasets.first()
        self.api = Api()
        self.base = f"datasets/{self.dataset.pk}"
        self.take(FIRST)

    def send(self, what, text, encoding="utf-8", **fields):
        columns = text.splitlines()[0].split(",")
        mapping = {c: m for c, m in MAPPING.items() if c in columns}
        file = SimpleUploadedFile("seas.csv", text.encode(encoding))
        fields = {"mapping": json.dumps(mapping), **fields}
        return self.api.upload(f"{self.base}/{what}/", file=file, **fields)

    def take(self, text, **fields):
        got = self.send("import", text, **fields)
        return self.api.lines(got)[-1] if got.status_code == 200 else got.json()

    def look(self, text, **fields):
        got = self.send("compare", text, **fields)
        return self.api.lines(got)[-1] if got.status_code == 200 else got.json()

    def cases(self):
        """By number: inputs, reference, tags and split."""
        entries = newest_version(self.dataset).entries.select_related("revision__case")
        return {
            e.revision.case.number: (
                e.revision.inputs["sea"],
                e.revision.reference,
                e.revision.tags,
                e.split,
            )
            for e in entries
        }

    def exported(self):
        return b"".join(self.api.client.get(f"/api/{self.base}/export.csv")).decode("utf-8-sig")


BY_ID = json.dumps(["#id"])


class ByIdTest(Updating):
    def test_exported_and_taken_in_again_nothing_is_new(self):
        text = self.exported()
        seen = self.look(text, by=BY_ID)["done"]
        check(seen, UpdatePreview)
        self.assertEqual(seen["changes"], [])
        self.assertEqual(
            [seen[k] for k in ("new", "changed", "equal", "gone", "n_refused")], [0, 0, 4, 0, 0]
        )
        self.assertIn("nothing is to be done", self.take(text, by=BY_ID)["refused"]["detail"])
        self.assertEqual(CaseRevision.objects.count(), 4)

    def test_every_file_comes_back_equal_whatever_the_cells_hold(self):
        odd = ["=1+1", "''=x", "-5", "+49 30", " lead", "a\r\nb", "\tx", 'say "x"', "漢字 🚢", "007", "1e5",
               "\ufeffbom", "a\u2028b", "'", "#N/A", "TRUE", "null", '{"a": 1}', "x;y"]  # fmt: skip
        held = [1.5, True, None, {"k": [1, "x"]}, "", 12345678901234567890, -3]
        lines = [
            {"sea": t, "n": held[i % 7], "reference": t, "tags": ["a b"]} for i, t in enumerate(odd)
        ]
        file = SimpleUploadedFile("odd.jsonl", "\n".join(map(json.dumps, lines)).encode())
        mapping = MAPPING | {"n": {"as": "input", "name": "n"}}
        wanted = {c: mapping[c] for c in ("sea", "n", "reference", "tags")}
        got = self.api.upload(f"{self.base}/import/", file=file, mapping=json.dumps(wanted))
        self.assertEqual(self.api.lines(got)[-1]["done"]["added"], len(odd))
        for kind in ("csv", "xlsx", "jsonl"):
            got = self.api.client.get(f"/api/{self.base}/export.{kind}")
            file = SimpleUploadedFile(f"all.{kind}", b"".join(got))
            more = {"mapping": json.dumps(mapping), "by": BY_ID}
            seen = self.api.lines(self.api.upload(f"{self.base}/compare/", file=file, **more))[-1][
                "done"
            ]
            with self.subTest(kind):
                self.assertEqual((seen["changes"], seen["refused"]), ([], []))
                self.assertEqual(seen["equal"], len(odd) + 4)

    def test_changed_outside_it_is_shown_cell_by_cell_and_the_old_trial_stays(self):
        trial = start(self.brief)
        run(trial, Scripted(lambda body: "yes"))
        text = self.exported().replace("North", "North Sea").replace("East,yes", "East,no")
        lines = [line for line in text.splitlines() if "gir" not in line]
        edited = "\n".join([*lines, ",West,yes,working,"]) + "\n"
        seen = self.look(edited, by=BY_ID)["done"]
        self.assertEqual([seen[k] for k in ("new", "changed", "equal", "gone")], [1, 2, 1, 1])
        self.assertEqual(seen["gone_numbers"], [4])
        self.assertEqual(
            [(c["number"], [(x["column"], x["before"], x["after"]) for x in c["cells"]])
             for c in seen["changes"]],
            [(1, [("sea", "North", "North Sea")]), (3, [("reference", "yes", "no")])],
        )  # fmt: skip
        before = self.cases()
        self.assertEqual(before[1][0], "North")
        done = self.take(edited, by=BY_ID, gone="remove")["done"]
        self.assertEqual([done[k] for k in ("added", "changed", "equal", "removed")], [1, 2, 1, 1])
        now = self.cases()
        self.assertEqual(sorted(now), [1, 2, 3, 5])
        self.assertEqual((now[1][0], now[2], now[5][0]), ("North Sea", before[2], "West"))
        # The trial still stands on what it asked, and the case is the same one.
        asked = {r.inputs["sea"] for r in CaseRevision.objects.filter(outputs__arm__trial=trial)}
        self.assertIn("North", asked)
        self.assertEqual(Case.objects.get(number=1).revisions.count(), 2)
        # And all of it can be taken back.
        self.assertEqual(self.api.post(f"{self.base}/take-back/").status_code, 200)
        self.assertEqual(self.cases(), before)
        self.assertEqual(self.api.post(f"{self.base}/take-back/").status_code, 422)

    def test_columns_that_the_file_has_not_stay(self):
        done = self.take("id,sea\n1,Nordsee\n", by=BY_ID)["done"]
        self.assertEqual((done["changed"], done["removed"]), (1, 0))
        self.assertEqual(self.cases()[1], ("Nordsee", "yes", ["cold", "grey"], "working"))
        # A cell that is there and empty empties what it is about; a split moves a case unread.
        self.take("id,tags\n1,\n", by=BY_ID)
        self.take("id,split\n2,held-out\n", by=BY_ID)
        self.assertEqual(self.cases()[1][2], [])
        self.assertEqual(
            (self.cases()[2][3], Case.objects.get(number=2).revisions.count()), ("held-out", 1)
        )

    def test_what_cannot_be_told_apart_is_refused_by_line(self):
        text = "id,sea\n1,A\n1,B\n99,C\nx,D\n,E\n"
        seen = self.look(text, by=BY_ID)["done"]
        self.assertEqual((seen["new"], seen["changed"], seen["n_refused"]), (2, 1, 2))
        told = {r["line"]: r["reason"] for r in seen["refused"]}
        self.assertEqual(sorted(told), [3, 4])
        self.assertIn("stands on line 2 already", told[3])
        self.assertIn("no case '99' here", told[4])
        got = self.take("sea\nA\n", by=BY_ID)
        self.assertEqual((got["field"], "id" in got["detail"]), ("by", True))

    def test_no_case_is_taken_out_while_a_line_is_refused(self):
        text = "id,sea,split\n1,North,working\n2,South,aside\n3,East,held-out\n"
        seen = self.look(text, by=BY_ID, gone="remove")["done"]
        # The refused line spoke of case 2: only case 4 is gone, and stays for now.
        self.assertEqual(
            (seen["gone_numbers"], seen["removes"], seen["n_refused"]), ([4], False, 1)
        )
        got = self.take(text.replace("North", "Northern"), by=BY_ID, gone="remove")["done"]
        self.assertEqual((got["changed"], got["removed"]), (1, 0))
        self.assertEqual(len(self.cases()), 4)
        put_right = [{"line": 3, "values": {"id": "2", "sea": "South", "split": "working"}}]
        more = {"by": BY_ID, "gone": "remove", "mended": json.dumps(put_right)}
        self.assertTrue(self.look(text, **more)["done"]["removes"])
        self.assertEqual(self.take(text, **more)["done"]["removed"], 1)
        self.assertEqual(sorted(self.cases()), [1, 2, 3])

    def test_two_at_once_and_a_change_meanwhile_lose_nothing(self):
        rows = ImportCases.rows

        def meanwhile(action, matcher):
            revision = newest_version(self.dataset).entries.first().revision_id
            edit = {"edits": [{"revision": revision, "values": {"sea": "typed meanwhile"}}]}
            self.assertEqual(self.api.post(f"{self.base}/edit/", edit).status_code, 200)
            return rows(action, matcher)

        with mock.patch.object(ImportCases, "rows", meanwhile):
            got = self.take("id,sea\n1,B\n2,C\n", by=BY_ID)
        self.assertIn("changed while the file was read", got["refused"]["detail"])
        self.assertEqual(self.cases()[1][0], "typed meanwhile")
        self.assertEqual((self.cases()[2][0][:5], CaseImport.objects.count()), ("South", 0))
        # Nothing that the broken off import wrote is left.
        self.assertFalse(CaseRevision.objects.filter(inputs__sea="C").exists())


class ByColumnsTest(Updating):
    def test_rows_find_their_case_by_what_tells_them_apart(self):
        by = json.dumps(["sea"])
        text = "sea,reference\nNorth,maybe\n  ,yes\nBaltic,yes\nÆgir,no\nÆgir,yes\n"
        seen = self.look(text, by=by)["done"]
        self.assertEqual([seen[k] for k in ("new", "changed", "gone", "n_refused")], [1, 2, 2, 2])
        reasons = [r["reason"] for r in seen["refused"]]
        self.assertIn("sea is empty, and rows are told apart by it", reasons[0])
        self.assertIn("'Ægir' stands on line 5 already", reasons[1])
        done = self.take(text, by=by)["done"]
        self.assertEqual((done["added"], done["changed"], done["removed"]), (1, 2, 0))
        self.assertEqual(self.cases()[1][:2], ("North", "maybe"))
        self.assertEqual(len(self.cases()), 5)

    def test_two_cases_of_one_key(self):
        self.take("sea\nNorth\n")
        seen = self.look("sea,reference\nNorth,no\n", by=json.dumps(["sea"]))["done"]
        self.assertEqual((seen["changed"], seen["n_refused"]), (0, 1))
        self.assertIn("several cases have 'North'", seen["refused"][0]["reason"])

    def test_odd_encodings_and_numbers_that_stay_numbers(self):
        lines = b'{"sea": "M\xc3\xa9diterran\xc3\xa9e", "depth": 1500}\n'
        file = SimpleUploadedFile("more.jsonl", lines)
        self.api.lines(self.api.upload(f"{self.base}/import/", file=file))
        text = "sea,depth,reference\nMéditerranée,1500,yes\n"
        mapping = {c: {"as": "input"} for c in ("sea", "depth")} | {
            "reference": {"as": "reference"}
        }
        done = self.take(
            text, encoding="cp1252", by=json.dumps(["sea"]), mapping=json.dumps(mapping)
        )["done"]
        self.assertEqual((done["changed"], done["added"]), (1, 0))
        kept = CaseRevision.objects.get(inputs__sea="Méditerranée", reference="yes")
        self.assertEqual(kept.inputs["depth"], 1500)

    def test_a_key_that_is_not_there(self):
        for by in (["depth"], ["sea", "sky"]):
            got = self.take(FIRST, by=json.dumps(by))
            self.assertEqual(got["field"], "by")
        for by in ("x", "{}", "[1]"):
            self.assertEqual(self.take(FIRST, by=by)["field"], "by")


class UndoTest(Updating):
    def test_of_the_first_import_leaves_nothing_and_of_a_changed_one_is_refused(self):
        self.assertEqual(self.api.post(f"{self.base}/take-back/").status_code, 200)
        self.assertEqual(self.cases(), {})
        self.take(FIRST)
        revision = newest_version(self.dataset).entries.first().revision_id
        edit = {"edits": [{"revision": revision, "values": {"sea": "typed"}}]}
        self.api.post(f"{self.base}/edit/", edit)
        got = self.api.post(f"{self.base}/take-back/")
        self.assertEqual(got.status_code, 422)
        self.assertIn("changed since: take", got.json()["detail"])
        self.assertEqual(len(self.cases()), 4)


class BulkTest(Updating):
    """One change of all that a view shows, read by a page or not."""

    def setUp(self):
        super().setUp()
        rows = "\n".join(f"sea {n},{'yes' if n % 2 else ''},,working" for n in range(700))
        self.take(f"sea,reference,tags,split\n{rows}\n")

    def bulk(self, act, value="", column="", first=0, last=10_000, **view):
        newest = newest_version(self.dataset)
        body = {"act": act, "value": value, "column": column, "first": first, "last": last,
                "version": newest.pk, "changed": newest.changed, **view}  # fmt: skip
        return self.api.post(f"{self.base}/bulk/", body)

    def counts(self):
        cases = self.cases().values()
        return (
            len(cases),
            sum("far" in tags for *_, tags, _ in cases),
            sum(split == "held-out" for *_, split in cases),
            sum(reference is None for _, reference, *_ in cases),
        )

    def test_every_matching_row_and_no_other_and_it_can_be_taken_back(self):
        before = self.cases()
        self.assertEqual(self.counts(), (704, 0, 1, 351))
        where = json.dumps([{"column": "#reference", "test": "empty", "value": ""}])
        self.assertEqual(self.bulk("tag", " far ", where=where).json()["n_changed"], 351)
        # Of those that bear it already nothing is changed.
        got = self.bulk("tag", "far", where=where)
        self.assertIn("so already", got.json()["detail"])
        self.assertEqual(self.bulk("move", "held-out", q="sea 69").json()["n_changed"], 11)
        self.assertEqual(self.bulk("set", "no", "#reference", where=where).json()["n_changed"], 351)
        self.assertEqual(self.counts(), (704, 351, 12, 0))
        # A stretch of what is shown, in its order.
        self.assertEqual(
            self.bulk("out", first=1, last=3, q="sea 1", sort="sea").json()["n_changed"], 3
        )
        self.assertEqual(self.counts()[0], 701)
        self.assertEqual(self.api.post(f"{self.base}/take-back/").status_code, 200)
        self.assertEqual(self.counts(), (704, 351, 12, 0))
        self.assertEqual(
            {n: c[0] for n, c in self.cases().items()}, {n: c[0] for n, c in before.items()}
        )

    def test_what_cannot_be_done_is_said_where_and_changes_nothing(self):
        before = self.cases()
        for field, (act, value, column) in {
            "value": ("tag", " ", ""), "column": ("set", "x", "sky"),
        }.items():  # fmt: skip
            got = self.bulk(act, value, column)
            self.assertEqual((got.status_code, got.json()["field"]), (422, field))
        self.assertEqual(self.bulk("set", "", "sea").json()["field"], "value")
        self.assertEqual(self.bulk("move", "aside").json()["field"], "value")
        self.assertEqual(self.bulk("tag", "x", q="nowhere").status_code, 422)
        # Another version may have been changed as often.
        newest = newest_version(self.dataset)
        seen = {"version": newest.pk, "changed": newest.changed}
        for stale in ({"changed": 0}, {"version": newest.pk - 1}):
            body = {"act": "out", "first": 0, "last": 9, **seen, **stale}
            self.assertEqual(self.api.post(f"{self.base}/bulk/", body).status_code, 409)
        self.assertEqual(self.cases(), before)


class NamesTest(TestCase):
    def setUp(self):
        self.brief, self.api = make_brief(3), Api()
        self.at = f"briefs/{self.brief.pk}/datasets/"
        self.first = self.brief.datasets.get()

    def test_the_first_needs_no_name_and_none_stands_twice(self):
        other = make_brief(0, "Other")
        other.datasets.all().delete()
        made = self.api.post(f"briefs/{other.pk}/datasets/", {}).json()
        self.assertEqual(Dataset.objects.get(pk=made["id"]).name, "Cases")
        for name in ("", "   ", "seas", " Seas ", "x" * 121):
            with self.subTest(name):
                got = self.api.post(self.at, {"name": name})
                self.assertEqual((got.status_code, got.json()["field"]), (422, "name"))
        for name in ("Logs / March .. 🚢", "../../etc"):
            self.assertEqual(self.api.post(self.at, {"name": name}).status_code, 200)
        self.assertEqual(self.brief.datasets.count(), 3)

    def test_renamed_put_away_and_brought_back(self):
        at = f"datasets/{self.first.pk}/"
        self.api.post(self.at, {"name": "Logs"})
        self.assertEqual(self.api.put(at, {"name": "LOGS"}).json()["field"], "name")
        # Its own name in other letters is no clash.
        self.assertEqual(self.api.put(at, {"name": "SEAS"}).json()["name"], "SEAS")
        # Who saw another name is told, and nothing is overwritten.
        stale = {"name": "Oceans", "seen": {"name": "Seas", "archived": False}}
        self.assertEqual(self.api.put(at, stale).status_code, 409)
        stale["seen"]["name"] = "SEAS"
        self.assertEqual(self.api.put(at, stale).json()["name"], "Oceans")
        self.assertTrue(self.api.put(at, {"archived": True}).json()["archived"])
        told = self.api.get(f"briefs/{self.brief.pk}/").json()["datasets"]
        self.assertEqual([d["archived"] for d in told], [True, False])
        self.assertFalse(self.api.put(at, {"archived": False}).json()["archived"])

    def test_a_draft_is_held_against_the_dataset_in_hand(self):
        made = self.api.post(self.at, {"name": "Logs"}).json()
        edit = {"edits": [{"values": {"line": "12:00 fog"}}]}
        self.api.post(f"datasets/{made['id']}/edit/", edit)
        body = {"messages": [{"role": "user", "content": "{{sea}} and {{line}}"}]}

        def unfilled(**more):
            return self.api.post(f"briefs/{self.brief.pk}/draft/", {**body, **more}).json()[
                "unfilled"
            ]

        self.assertEqual(unfilled(), ["line"])
        self.assertEqual(unfilled(dataset=made["id"]), ["sea"])
        # One that is put away is gone by only where it is asked for.
        self.api.put(f"datasets/{self.first.pk}/", {"archived": True})
        self.assertEqual(unfilled(), ["sea"])
        self.assertEqual(unfilled(dataset=self.first.pk), ["line"])

    def test_a_copy_goes_its_own_way(self):
        made = self.api.post(f"datasets/{self.first.pk}/copy/", {"name": "Seas again"}).json()
        self.assertEqual((made["working"], made["held_out"], made["columns"]), (2, 1, ["sea"]))
        copy = Dataset.objects.get(pk=made["id"])
        entry = newest_version(copy).entries.first()
        edit = {"edits": [{"revision": entry.revision_id, "values": {"sea": "other"}}]}
        self.assertEqual(self.api.post(f"datasets/{copy.pk}/edit/", edit).status_code, 200)
        there = newest_version(self.first).entries.select_related("revision")
        self.assertNotIn("other", [e.revision.inputs["sea"] for e in there])
        self.assertEqual(copy.cases.count(), 3)
