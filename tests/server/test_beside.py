"""Versions beside each other and found by what stands in them."""

from django.test import TestCase
from django.utils import timezone

from nomikon.server.apps.briefs.actions.annotate_version import AnnotateVersion
from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from tests.server.base import Api, who


class BesideTest(TestCase):
    def setUp(self):
        self.brief = CreateBrief("Bells", "Sort messages.", "other", **who()).execute()
        self.api = Api()
        self.first = self.save("Sort each bell. Use at most 9 words.", {"temperature": 0})
        self.second = self.save("Sort each bell. Use at most 5 words.", {"top_p": 0.7}, "shorter")
        self.root = self.save("Ring every bell twice.", {"temperature": 0.7}, parent=None)

    def save(self, text, settings, note="", parent=...):
        last = self.brief.versions.order_by("-number").first()
        return SaveVersion(
            self.brief, [{"role": "system", "content": text}], settings,
            last if parent is ... else None, note, "Ada", timezone.now(),
        ).execute()  # fmt: skip

    def get(self, path, status=200):
        got = self.api.get(f"briefs/{self.brief.pk}/{path}")
        self.assertEqual(got.status_code, status, got.content)
        return got.json()

    def test_rows_are_held_against_the_first_of_those_named(self):
        told = self.get("side-by-side/?versions=2,1,3")
        self.assertEqual(told["versions"], [2, 1, 3])
        kinds = [[c and c["kind"] for c in row["cells"]] for row in told["rows"]]
        self.assertIn(["first", "same", None], kinds)
        self.assertIn(["first", "amended", None], kinds)
        self.assertIn([None, None, "added"], kinds)
        amended = next(r for r in told["rows"] if r["cells"][1] and r["cells"][1]["words"])
        words = {(w["kind"], w["text"]) for w in amended["cells"][1]["words"]}
        self.assertLessEqual({("gone", "5"), ("new", "9")}, words)
        for bad, status in (("2", 422), ("1,2,3,3,2", 200), ("1,99", 404), ("", 404)):
            self.get(f"side-by-side/?versions={bad}", status)

    def test_versions_are_found_by_words_note_tag_setting_day_and_number(self):
        AnnotateVersion(self.first, None, ["calm"], None, **who()).execute()
        day = timezone.now().strftime("%Y-%m-%d")
        for query, found in (
            ("sort BELL", [2, 1]), ("shorter", [2]), ("calm", [1]), ("temperature 0.7", [3]),
            ("T 0.7", [3]), (day, [3, 2, 1]), ("v2", [2]), ("nothing of it", []), ("", [3, 2, 1]),
        ):  # fmt: skip
            with self.subTest(query):
                self.assertEqual(self.get(f"versions/found/?q={query}"), found)
